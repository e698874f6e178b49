package exchange

import (
	"bytes"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/internal/sheet"
)

// Package is the file that describes the others, and Tables are those that it describes, without their ending.
const Package = "datapackage.json"

// Tables are the tables of an edition's data that are read.
var Tables = []string{"figures", "variants", "tests"}

// Most is how many bytes the files of an edition's data may have together, and how many rows a table.
const (
	Most     = 16 << 20
	mostRows = 100_000
	mostText = 300 // characters of a cell
	mostSpec = 20_000
)

// described is what the package says of itself and of its tables.
type described struct {
	Durvek       string `json:"durvek"`
	Name         string `json:"name"`
	Title        string `json:"title"`
	Version      string `json:"version"`
	Created      string `json:"created"`
	DeskID       string `json:"durvek_desk"`
	Contributors []struct {
		Title string `json:"title"`
		Role  string `json:"role"`
	} `json:"contributors"`
	Licenses []struct {
		Name string `json:"name"`
	} `json:"licenses"`
	Resources []struct {
		Name string `json:"name"`
		Hash string `json:"hash"`
	} `json:"resources"`
}

// Read reads an edition's data from its files, by their names without folders. What is wrong is said with the file and
// line that it stands in.
func Read(files map[string][]byte) (Edition, error) {
	var e Edition
	size := 0
	for _, data := range files {
		size += len(data)
	}
	if size > Most {
		return e, fmt.Errorf("the files have %d MB; at most %d MB of an edition's data are read", size>>20, Most>>20)
	}
	b, ok := files[Package]
	if !ok {
		return e, fmt.Errorf("there is no %s among the files; name the folder data of an edition", Package)
	}
	var p described
	if err := json.Unmarshal(b, &p); err != nil {
		return e, fmt.Errorf("%s cannot be read: %w", Package, err)
	}
	if err := e.describe(p); err != nil {
		return e, fmt.Errorf("%s: %w", Package, err)
	}
	sum := sha256.Sum256(b)
	e.Digest = hex.EncodeToString(sum[:])
	for _, name := range Tables {
		data, ok := files[name+".csv"]
		if !ok {
			return e, fmt.Errorf("there is no %s.csv among the files, which %s describes", name, Package)
		}
		if err := p.holds(name, data); err != nil {
			return e, err
		}
		if err := e.table(name, data); err != nil {
			return e, fmt.Errorf("%s.csv, %w", name, err)
		}
	}
	return e, e.whole()
}

// describe takes what the package says of the edition.
func (e *Edition) describe(p described) (err error) {
	switch {
	case p.Durvek == "":
		return fmt.Errorf("it is a data package of another profile; %s is read", Profile)
	case p.Durvek != Profile:
		return fmt.Errorf("its profile is %q, and %s is read: have the edition published again by a desk of this version",
			p.Durvek, Profile)
	}
	for _, c := range p.Contributors {
		if c.Role == "publisher" {
			e.Desk = c.Title
		}
	}
	if len(p.Licenses) > 0 {
		e.Licence = p.Licenses[0].Name
	}
	e.DeskID, e.Review, e.Title = p.DeskID, p.Name, p.Title
	if e.Published, err = time.Parse(time.RFC3339, p.Created); err != nil {
		return fmt.Errorf("created: %q is no moment", p.Created)
	}
	major, _, _ := strings.Cut(p.Version, ".")
	if e.Number, err = strconv.Atoi(major); err != nil || e.Number < 1 {
		return fmt.Errorf("version: %q does not begin with the number of an edition", p.Version)
	}
	for what, text := range map[string]string{"the publisher among its contributors": e.Desk, "title": e.Title,
		"durvek_desk": e.DeskID} {
		if text == "" || len(text) > mostText || !plain(text) {
			return fmt.Errorf("%s: missing, too long or not a line of text", what)
		}
	}
	if len(e.Desk) > 80 {
		return errors.New("the publisher's name has over 80 bytes")
	}
	if why := catalog.CheckSlug(e.Review); why != "" {
		return fmt.Errorf("name: %s", why)
	}
	return nil
}

// holds checks a table against the hash that the package has of it.
func (p described) holds(name string, data []byte) error {
	sum := sha256.Sum256(data)
	for _, r := range p.Resources {
		if r.Name == name {
			if r.Hash != "sha256:"+hex.EncodeToString(sum[:]) {
				return fmt.Errorf("%s.csv is not the table that %s describes: their hashes differ", name, Package)
			}
			return nil
		}
	}
	return fmt.Errorf("%s describes no table %q", Package, name)
}

func plain(s string) bool {
	return !strings.ContainsFunc(s, func(r rune) bool { return unicode.IsControl(r) || r == unicode.ReplacementChar })
}

// line is a row of a table with its columns by name; the first thing wrong in it stays.
type line struct {
	at   map[string]int
	row  []string
	err  error
	file string
}

func (l *line) wrong(column, why string) {
	if l.err == nil {
		l.err = fmt.Errorf("%s: %s", column, why)
	}
}

func (l *line) text(column string) string {
	s := sheet.Text(l.row[l.at[column]])
	if len(s) > mostText || !plain(s) {
		l.wrong(column, "it is too long or not a line of text")
	}
	return s
}

func (l *line) slug(column string) string {
	s := l.text(column)
	if why := catalog.CheckSlug(s); why != "" {
		l.wrong(column, why)
	}
	return s
}

// number is a cell's number, 0 where it is empty; told says whether it is not.
func (l *line) number(column string) (v float64, told bool) {
	s := l.text(column)
	if s == "" {
		return 0, false
	}
	v, err := strconv.ParseFloat(s, 64)
	if err != nil || !quantity.Sound(v) {
		l.wrong(column, fmt.Sprintf("%q is no number", s))
	}
	return v, true
}

func (l *line) count(column string) int {
	v, _ := l.number(column)
	if v != math.Trunc(v) || v < 0 || v > math.MaxInt32 {
		l.wrong(column, "it is no count")
		return 0
	}
	return int(v)
}

// object is a cell that holds a JSON object.
func (l *line) object(column string, into any) {
	s := sheet.Text(l.row[l.at[column]])
	if s == "" {
		return
	}
	if len(s) > mostSpec {
		l.wrong(column, "it is too long")
	} else if err := json.Unmarshal([]byte(s), into); err != nil {
		l.wrong(column, "it is no JSON object of texts")
	}
}

// wanted are the columns of each table that are read.
var wanted = map[string][]string{
	"figures": {"measure", "unit", "test_version", "variant", "sample", "host", "place", "setup", "must_match", "bound",
		"centre", "low_95", "high_95", "median", "standard_error", "degrees_of_freedom", "repeats", "sittings", "simulated",
		"caveat", "measured_by"},
	"variants": {"variant", "model", "maker", "name", "configuration", "kind", "released", "spec"},
	"tests":    {"test", "version", "name", "fingerprint"},
}

// table reads one of the tables.
func (e *Edition) table(name string, data []byte) error {
	r := csv.NewReader(bytes.NewReader(data))
	head, err := r.Read()
	if err != nil {
		return fmt.Errorf("line 1: it has no head")
	}
	l := line{at: map[string]int{}, file: name}
	for i, c := range head {
		l.at[c] = i
	}
	for _, c := range wanted[name] {
		if _, ok := l.at[c]; !ok {
			return fmt.Errorf("line 1: there is no column %q", c)
		}
	}
	for n := 0; ; n++ {
		l.row, err = r.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("it is no CSV: %w", err)
		}
		at, _ := r.FieldPos(0)
		if n == mostRows {
			return fmt.Errorf("line %d: at most %d rows are read", at, mostRows)
		}
		switch name {
		case "figures":
			e.figure(&l)
		case "variants":
			e.rival(&l)
		default:
			e.Tests = append(e.Tests, Test{l.slug("test"), l.count("version"), l.text("name"), l.text("fingerprint")})
		}
		if l.err != nil {
			return fmt.Errorf("line %d, %w", at, l.err)
		}
	}
}

func (e *Edition) rival(l *line) {
	x := Rival{Variant: l.slug("variant"), Model: l.slug("model"), Maker: l.text("maker"), Name: l.text("name"),
		Configuration: l.text("configuration"), Kind: catalog.Kind(l.text("kind")), Released: l.text("released")}
	if why := x.Kind.Check(); why != "" {
		l.wrong("kind", why)
	}
	if x.Maker == "" || x.Name == "" {
		l.wrong("name", "maker and name are needed")
	}
	l.object("spec", &x.Spec)
	for key, value := range x.Spec {
		if why := catalog.CheckSpec(key, value); why != "" {
			l.wrong("spec", why)
		}
	}
	e.Rivals = append(e.Rivals, x)
}

// figure takes a row of the figures, unless it tells why there is none, the other desk has it from a third, or it does
// not tell its conditions, as one of another mode beneath its row.
func (e *Edition) figure(l *line) {
	centre, told := l.number("centre")
	if !told || l.text("measured_by") != "" || l.row[l.at["must_match"]] == "" {
		return
	}
	f := Figure{Measure: l.text("measure"), Unit: l.text("unit"), Version: l.count("test_version"),
		Variant: l.slug("variant"), Sample: l.text("sample"), Host: l.text("host"), Place: l.text("place"),
		Setup: l.slug("setup"), Bound: l.text("bound"), Centre: centre, N: l.count("repeats"), Sittings: l.count("sittings"),
		Simulated: l.text("simulated") == "true", Caveat: l.text("caveat")}
	test, measure := method.Split(f.Measure)
	if test == "spec" || test == "price" {
		return // these are of the books, not of the bench
	}
	if catalog.CheckSlug(test)+catalog.CheckSlug(measure) != "" {
		l.wrong("measure", fmt.Sprintf("%q is no test/measure", f.Measure))
	}
	if !slices.Contains([]string{"", "at least", "more than", "at most"}, f.Bound) {
		l.wrong("bound", fmt.Sprintf("%q is none of at least, more than, at most", f.Bound))
	}
	l.object("must_match", &f.Conditions)
	var low, high bool
	f.Lo, low = l.number("low_95")
	f.Hi, high = l.number("high_95")
	f.Median, told = l.number("median")
	if !told {
		f.Median = centre
	}
	f.SE, _ = l.number("standard_error")
	f.DF, _ = l.number("degrees_of_freedom")
	if f.Unknown = !low || !high; f.Unknown {
		f.Lo, f.Hi, f.SE = centre, centre, 0
	}
	switch {
	case f.Lo > f.Centre || f.Centre > f.Hi:
		l.wrong("centre", "it lies outside its own interval")
	case f.SE < 0 || f.DF < 0 || f.SE > 0 && f.DF == 0:
		l.wrong("standard_error", "an error has a size and degrees of freedom")
	case f.N < 1 || f.Sittings < 1:
		l.wrong("repeats", "a figure has at least one repeat in one sitting")
	}
	e.Figures = append(e.Figures, f)
}

// whole checks that the tables fit each other: nothing twice, and everything that is named is there.
func (e *Edition) whole() error {
	variants, tests := map[string]bool{}, map[string]int{}
	for _, r := range e.Rivals {
		if variants[r.Variant] {
			return fmt.Errorf("variants.csv has %q twice", r.Variant)
		}
		variants[r.Variant] = true
	}
	for _, t := range e.Tests {
		if _, twice := tests[t.Slug]; twice {
			return fmt.Errorf("tests.csv has %q twice", t.Slug)
		}
		tests[t.Slug] = t.Version
	}
	for _, f := range e.Figures {
		test, _ := method.Split(f.Measure)
		if !variants[f.Variant] {
			return fmt.Errorf("figures.csv names the variant %q, which variants.csv has not", f.Variant)
		}
		if v, ok := tests[test]; !ok || v != f.Version {
			return fmt.Errorf("figures.csv names version %d of %q, which tests.csv has not", f.Version, test)
		}
	}
	if len(e.Figures) == 0 {
		return errors.New("the edition holds no figure that its desk measured itself")
	}
	return nil
}
