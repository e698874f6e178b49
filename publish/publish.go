// Package publish writes an edition of a review: one folder with a page, charts as SVG and PNG, and
// every figure as open data. The folder opens from disk without a service or any network and is
// never changed once it is written.
package publish

import (
	"bytes"
	"crypto/sha256"
	_ "embed"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/core/verdict"
	"durvek/draw"
	"durvek/internal/durable"
	"durvek/internal/sheet"
)

// Content is all that an edition shows.
type Content struct {
	Desk    string
	Review  verdict.Review
	Edition verdict.Edition
	Model   catalog.Model
	Variant catalog.Variant
	Field   string
	Sheet   []catalog.SpecRow
	Offers  []catalog.Offer
	Claims  []claims.Judged
	Figures []Figure
	Tests   []method.Test
}

// Figure is one ranked comparison with the repeatability behind it.
type Figure struct {
	compare.Comparison
	Pool stats.Pool
}

//go:embed edition.html
var pageSource string

//go:embed edition.css
var styles string

var page = template.Must(template.New("edition").Funcs(template.FuncMap{
	"markdown": Markdown,
	"money":    catalog.Money,
	"number":   func(v float64) string { return quantity.Number(v, 4) },
	"percent":  func(v float64) string { return quantity.Number(100*v, 2) },
	"symbol":   quantity.Symbol,
	"first":    func(p stats.Pool) string { return quantity.Number(100*p.First(), 2) },
	"date":     func(s string) string { return strings.SplitN(s, "T", 2)[0] },
	"css":      func() template.CSS { return template.CSS(styles) },
	"join":     strings.Join,
}).Parse(pageSource))

var (
	policy   = bluemonday.UGCPolicy()
	markdown = goldmark.New(goldmark.WithParserOptions(parser.WithASTTransformers(util.Prioritized(noPictures{}, 0))))
)

// noPictures turns pictures into text: an edition shows its own charts alone, and asks nobody for anything.
type noPictures struct{}

func (noPictures) Transform(doc *ast.Document, reader text.Reader, _ parser.Context) {
	var pictures []*ast.Image
	ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if i, ok := n.(*ast.Image); ok && entering {
			pictures = append(pictures, i)
		}
		return ast.WalkContinue, nil
	})
	for _, i := range pictures {
		said := "picture: " + string(i.Destination)
		if alt := plainText(i, reader.Source()); alt != "" {
			said = alt + " (" + said + ")"
		}
		i.Parent().ReplaceChild(i.Parent(), i, ast.NewString([]byte(said)))
	}
}

// plainText is what stands in a node.
func plainText(n ast.Node, source []byte) string {
	var b strings.Builder
	for c := n.FirstChild(); c != nil; c = c.NextSibling() {
		if t, ok := c.(*ast.Text); ok {
			b.Write(t.Segment.Value(source))
		} else {
			b.WriteString(plainText(c, source))
		}
	}
	return b.String()
}

// Markdown renders a reviewer's text; nothing in it can script or style the page, or have a reader's browser ask
// elsewhere for a picture.
func Markdown(source string) template.HTML {
	var b bytes.Buffer
	if err := markdown.Convert([]byte(source), &b); err != nil {
		return template.HTML(template.HTMLEscapeString(source))
	}
	return template.HTML(policy.SanitizeBytes(b.Bytes()))
}

// Prepare writes all of an edition into a folder of its own beside those of the review's other editions, on the disk
// when it returns, and gives the digest over its file list. It becomes the edition by Place.
func Prepare(dir string, c Content) (digest string, err error) {
	files, err := Files(c)
	if err != nil {
		return "", err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", err
	}
	tmp, err := os.MkdirTemp(dir, unfinished)
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(tmp)
	var list strings.Builder
	for _, name := range slices.Sorted(maps.Keys(files)) {
		sum := sha256.Sum256(files[name])
		fmt.Fprintf(&list, "%s  %s\n", hex.EncodeToString(sum[:]), name)
		if err := writeFile(tmp, name, files[name]); err != nil {
			return "", err
		}
	}
	if err := writeFile(tmp, sums, []byte(list.String())); err != nil {
		return "", err
	}
	for _, sub := range []string{"charts", "data", "fonts", "."} {
		durable.SyncDir(filepath.Join(tmp, sub))
	}
	if err := os.Chmod(tmp, 0o755); err != nil {
		return "", err
	}
	sum := sha256.Sum256([]byte(list.String()))
	digest = hex.EncodeToString(sum[:])
	to := prepared(dir, digest)
	if _, err := os.Stat(to); err == nil { // the same once more
		return digest, nil
	}
	return digest, durable.Rename(tmp, to)
}

// sums is the list of an edition's files, each with its digest (SHA-256).
const sums = "SHA256SUMS"

// Folders beside a review's editions begin so: one that is being written, one that is written and not yet an edition,
// one that is none.
const (
	unfinished = ".unfinished-"
	waiting    = ".prepared-"
	aside      = ".put-away-"
)

func prepared(dir, digest string) string { return filepath.Join(dir, waiting+digest) }

// Place makes what was prepared the edition of a number. It may be asked again.
func Place(dir string, number int, digest string) error {
	to := filepath.Join(dir, strconv.Itoa(number))
	err := durable.Rename(prepared(dir, digest), to)
	if err != nil && Check(to, digest) == nil {
		return nil // it stands there
	}
	return err
}

// Check tells what of an edition's folder is not as it was published; nil where all is.
func Check(dir, digest string) error {
	list, err := os.ReadFile(filepath.Join(dir, sums))
	if err != nil {
		return err
	}
	if sum := sha256.Sum256(list); hex.EncodeToString(sum[:]) != digest {
		return fmt.Errorf("%s: its list of files is not the one that was published", dir)
	}
	for _, line := range strings.Split(strings.TrimSuffix(string(list), "\n"), "\n") {
		want, name, _ := strings.Cut(line, "  ")
		b, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(name)))
		if err != nil {
			return err
		}
		if sum := sha256.Sum256(b); hex.EncodeToString(sum[:]) != want {
			return fmt.Errorf("%s: %s was changed since it was published", dir, name)
		}
	}
	return nil
}

// Tidy brings a review's folder to what was published: editions holds the digest of each number. What was prepared and
// published is put in its place; what was never published is removed, or put away where it bears an edition's number.
// It says what it did and what is missing.
func Tidy(dir string, editions map[int]string, now time.Time) (did []string, err error) {
	for number, digest := range editions {
		if _, err := os.Stat(filepath.Join(dir, strconv.Itoa(number))); err == nil {
			continue
		}
		if err := Place(dir, number, digest); err != nil {
			did = append(did, fmt.Sprintf("the folder of edition %d is gone from %s; restore it from a backup", number, dir))
		} else {
			did = append(did, fmt.Sprintf("edition %d was put in its place in %s", number, dir))
		}
	}
	list, err := os.ReadDir(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return did, nil
	}
	for _, e := range list {
		name := e.Name()
		if strings.HasPrefix(name, unfinished) || strings.HasPrefix(name, waiting) || strings.HasPrefix(name, ".edition-") {
			err = errors.Join(err, os.RemoveAll(filepath.Join(dir, name)))
			continue
		}
		number, not := strconv.Atoi(name)
		if _, published := editions[number]; not != nil || published {
			continue
		}
		to := filepath.Join(dir, fmt.Sprintf("%s%d-%s", aside, number, now.UTC().Format("20060102T150405Z")))
		err = errors.Join(err, durable.Rename(filepath.Join(dir, name), to))
		did = append(did, fmt.Sprintf("%s was never published and is put away as %s", filepath.Join(dir, name), to))
	}
	return did, err
}

// writeFile writes a file of an edition, with its folders, onto the disk.
func writeFile(dir, name string, data []byte) error {
	path := filepath.Join(dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o444)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Sync(), f.Close())
}

// Files makes every file of the edition, by its path.
func Files(c Content) (map[string][]byte, error) {
	out := map[string][]byte{}
	type chartView struct {
		Figure
		Name string
		SVG  template.HTML
	}
	var charts []chartView
	for i, f := range c.Figures {
		name := strings.ReplaceAll(f.Measure.ID, "/", "-")
		for n := 2; out["charts/"+name+".svg"] != nil; n++ { // narrowed in more than one way
			name = fmt.Sprintf("%s-%d", strings.ReplaceAll(f.Measure.ID, "/", "-"), n)
		}
		svg, err := draw.SVG(f.Chart, draw.Options{})
		if err != nil {
			return nil, err
		}
		png, err := draw.PNG(f.Chart, draw.Options{Pixels: 2})
		if err != nil {
			return nil, err
		}
		out["charts/"+name+".svg"], out["charts/"+name+".png"] = svg, png
		charts = append(charts, chartView{c.Figures[i], name, template.HTML(svg)})
	}
	figures, err := csvOf(c)
	if err != nil {
		return nil, err
	}
	out["data/figures.csv"] = figures
	claimTable, err := claimsCSV(c)
	if err != nil {
		return nil, err
	}
	out["data/claims.csv"] = claimTable
	if out["data/datapackage.json"], err = dataPackage(c); err != nil {
		return nil, err
	}
	out["data/README.md"] = []byte(aboutData)
	var strengths, weaknesses, notes, said []verdict.Finding
	for _, f := range c.Review.Findings {
		switch {
		case f.Hidden:
		case f.Unmeasured():
			said = append(said, f)
		case f.Kind == verdict.Strength:
			strengths = append(strengths, f)
		case f.Kind == verdict.Weakness:
			weaknesses = append(weaknesses, f)
		default:
			notes = append(notes, f)
		}
	}
	var b bytes.Buffer
	if err := page.Execute(&b, map[string]any{"C": c, "Charts": charts, "Strengths": strengths, "Weaknesses": weaknesses,
		"Notes": notes, "Said": said}); err != nil {
		return nil, err
	}
	out["index.html"] = b.Bytes()
	return out, fs.WalkDir(draw.Fonts, "fonts", func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			out[path], err = draw.Fonts.ReadFile(path)
		}
		return err
	})
}

func num(v float64) string { return strconv.FormatFloat(v, 'g', 8, 64) }

// ends are the ends of an estimate's interval; empty where its spread is not known.
func ends(e stats.Estimate) (lo, hi string) {
	if e.Unknown {
		return "", ""
	}
	return num(e.Lo), num(e.Hi)
}

// csvOf writes every figure that the charts show, raised modes and relative values included.
func csvOf(c Content) ([]byte, error) {
	var b bytes.Buffer
	w := sheet.NewWriter(&b)
	place := func(n int) string { // none where that is not known
		if n == 0 {
			return ""
		}
		return strconv.Itoa(n)
	}
	w.Write([]string{"measure", "unit", "better", "test_version", "variant", "name", "sample", "host", "place", "setup",
		"conditions",
		"row", "place_best", "place_worst",
		"bound", "centre", "low_95", "high_95", "median", "repeats", "sittings", "simulated", "claim", "note"})
	for _, f := range c.Figures {
		for _, r := range f.Rows {
			claim := ""
			if r.Claim != nil {
				claim = num(*r.Claim)
			}
			head := []string{f.Measure.ID, f.Measure.Unit, string(f.Measure.Better), strconv.Itoa(f.Measure.Version), r.Variant,
				r.Name, r.Unit, r.Host, r.Place}
			e := r.Estimate
			lo, hi := ends(e)
			note := ""
			if e.Unknown {
				note = "spread unknown"
			}
			w.Write(append(head, r.Setup, strings.Join(compare.Conditions(f.Measure, r.Basis), "; "),
				strings.Trim(r.Differs+"; "+r.Taken, "; "), place(r.Standing.Best), place(r.Standing.Worst), e.Bound,
				num(e.Centre), lo, hi, num(e.Median), strconv.Itoa(e.N), strconv.Itoa(e.Sittings),
				strconv.FormatBool(r.Simulated), claim, note))
			for _, x := range r.Raised {
				e := x.Estimate
				lo, hi := ends(e)
				w.Write(append(append([]string(nil), head...), x.Setup, "", "", "", "", e.Bound, num(e.Centre), lo, hi,
					num(e.Median), strconv.Itoa(e.N), strconv.Itoa(e.Sittings), strconv.FormatBool(r.Simulated), "",
					"another mode, not ranked"))
			}
		}
		for _, l := range append(slices.Clone(f.LeftOut), f.Beside...) {
			w.Write([]string{f.Measure.ID, f.Measure.Unit, string(f.Measure.Better), strconv.Itoa(f.Measure.Version), l.Variant,
				l.Name, "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", "", l.Reason})
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

func claimsCSV(c Content) ([]byte, error) {
	var b bytes.Buffer
	w := sheet.NewWriter(&b)
	w.Write([]string{"measure", "claim", "qualifier", "claim_unit", "claim_in_measure_unit", "measured", "low_95",
		"high_95", "unit", "outcome", "why", "source"})
	for _, j := range c.Claims {
		measured, lo, hi := "", "", ""
		if e := j.Verdict.Estimate; e != nil {
			measured = num(e.Centre)
			lo, hi = ends(*e)
		}
		w.Write([]string{j.Measure, fmt.Sprintf("%g", j.Value), string(j.Qualifier), j.Unit,
			num(j.Verdict.Claimed), measured, lo, hi, j.Symbol,
			string(j.Verdict.Outcome), j.Verdict.Why, j.Source})
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

// aboutData tells who opens the tables how they are written.
const aboutData = `# The figures of this edition

Tables are CSV (RFC 4180, UTF-8), described by datapackage.json. Numbers are written with a point, units are UCUM codes.
A text that a spreadsheet would take for a formula, one that begins with =, +, - or @, a tab or a line end, has an
apostrophe before it; leave that out to have the text.
`

// dataPackage describes the tables by the Frictionless Data Package standard.
func dataPackage(c Content) ([]byte, error) {
	type resource struct {
		Name    string `json:"name"`
		Path    string `json:"path"`
		Format  string `json:"format"`
		Media   string `json:"mediatype"`
		Profile string `json:"profile"`
		Title   string `json:"title"`
	}
	return json.MarshalIndent(map[string]any{
		"profile": "tabular-data-package", "name": c.Review.Slug, "title": c.Review.Title, "version": fmt.Sprintf("%d.0.0",
			c.Edition.Number), "created": c.Edition.Published,
		"resources": []resource{
			{"figures", "figures.csv", "csv", "text/csv", "tabular-data-resource",
				"Every figure shown in the charts; units are UCUM codes"},
			{"claims", "claims.csv", "csv", "text/csv", "tabular-data-resource", "Every claim and what became of it"},
		},
	}, "", "  ")
}
