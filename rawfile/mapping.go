package rawfile

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"durvek/core/analyse"
	"durvek/core/quantity"
)

// MappingFormat marks a file that holds a mapping.
const MappingFormat = "durvek-mapping/1"

// Mapping says what the columns of a file mean to an analysis.
type Mapping struct {
	Format   string            `json:"format,omitempty" doc:"durvek-mapping/1"`
	Name     string            `json:"name,omitempty"`
	Analysis string            `json:"analysis"`
	Columns  map[string]Source `json:"columns" doc:"By role, the column that holds it"`
	Grid     bool              `json:"grid,omitempty" doc:"The cells of all columns together are values of a grid"`
	Header   []string          `json:"header,omitempty" doc:"Names of the columns of files that it is for"`
}

// Source is the column that holds a role.
type Source struct {
	Column string `json:"column"`
	Unit   string `json:"unit,omitempty" doc:"Unit of its values where the file does not say"`
}

// Proposal is a mapping that fits a file, and how well.
type Proposal struct {
	Mapping Mapping  `json:"mapping"`
	Score   float64  `json:"score" doc:"More fits better; below one something needed is missing"`
	Lacks   []string `json:"lacks,omitempty" doc:"What it needs and no column holds"`
	Saved   bool     `json:"saved,omitempty" doc:"Saved under its name, and recognised by the header"`
}

var letters = regexp.MustCompile(`[^a-z0-9]+`)

// plainly is a name without case and marks.
func plainly(s string) string {
	return strings.TrimSpace(letters.ReplaceAllString(strings.ToLower(s), " "))
}

// alike says how well a column may hold a role: 0 not at all.
func alike(c Column, r analyse.Role) float64 {
	if r.Text != c.Text() && !r.Text {
		return 0
	}
	fits := 0.0
	if r.Unit != "" && c.Unit != "" && c.Unit != r.Unit {
		if _, err := quantity.Convert(1, c.Unit, r.Unit); err != nil {
			return 0
		}
	}
	name := plainly(c.Name)
	switch {
	case c.Name == r.Name:
		fits = 3
	case len(r.Name) > 1 && name == plainly(r.Name):
		fits = 2.8
	case slices.ContainsFunc(r.Called, func(s string) bool { return plainly(s) == name }):
		fits = 2.5
	case slices.ContainsFunc(r.Called, func(s string) bool {
		return len(s) > 2 && slices.Contains(strings.Fields(name), plainly(s))
	}):
		fits = 1.5
	case r.Unit != "" && r.Unit != "1" && c.Unit != "" && !r.Text && (r.Need || r.Either || r.Name == "time"):
		fits = 0.8 // the unit alone; what may be left out is not guessed by it
	}
	if fits > 0 && c.Unit != "" && r.Unit != "" && r.Unit != "1" {
		fits += 0.5
	}
	return fits
}

// Header lists the names of a file's columns.
func (s Sheet) Header() (names []string) {
	for _, c := range s.Columns {
		names = append(names, c.Name)
	}
	return names
}

// Propose finds the columns of a file that an analysis may read: the pair that fits best first.
func Propose(s Sheet, a analyse.Analysis) Proposal {
	p := Proposal{Mapping: Mapping{Format: MappingFormat, Analysis: a.Name, Columns: map[string]Source{},
		Header: s.Header()}}
	taken := map[string]bool{}
	for {
		best, role, column := 0.0, -1, -1
		for i, r := range a.Roles {
			if _, done := p.Mapping.Columns[r.Name]; done {
				continue
			}
			for k, c := range s.Columns {
				if fits := alike(c, r); !taken[c.Name] && fits > best {
					best, role, column = fits, i, k
				}
			}
		}
		if role < 0 {
			break
		}
		p.Mapping.Columns[a.Roles[role].Name] = Source{Column: s.Columns[column].Name}
		taken[s.Columns[column].Name] = true
		if p.Score += best; a.Roles[role].Need {
			p.Score += 0.5
		}
	}
	sound := slices.ContainsFunc(a.Roles, func(r analyse.Role) bool { return r.Name == "signal" })
	if s.Kind == "recording" && !sound { // others may be told so, and are not guessed
		p.Score = 0
		return p.lacking(a)
	}
	if a.Name == "surface" && p.Mapping.Columns["temperature"].Column == "" && gridded(s) {
		p.Mapping.Columns, p.Mapping.Grid, p.Score = map[string]Source{}, true, 1.2
		return p
	}
	// One column that stands alone may be anything.
	if n := needed(a); len(s.Columns) == 1 && len(n) == 1 && len(a.Either()) == 0 && len(p.Mapping.Columns) == 0 &&
		!s.Columns[0].Text() {
		p.Mapping.Columns[n[0].Name] = Source{Column: s.Columns[0].Name}
		p.Score = 1
	}
	switch p = p.lacking(a); {
	case len(p.Lacks) > 0:
		p.Score *= 0.1
	default: // what nothing is read of speaks against it
		p.Score -= 0.6 * float64(len(s.Columns)-len(taken))
		p.Score = max(p.Score, 1)
	}
	return p
}

// lacking notes what an analysis needs and no column holds.
func (p Proposal) lacking(a analyse.Analysis) Proposal {
	for _, r := range needed(a) {
		if p.Mapping.Columns[r.Name].Column == "" {
			p.Lacks = append(p.Lacks, r.Words)
		}
	}
	either := a.Either()
	if len(either) > 0 && !slices.ContainsFunc(either, func(r analyse.Role) bool {
		return p.Mapping.Columns[r.Name].Column != ""
	}) {
		p.Lacks = append(p.Lacks, either[0].Words)
	}
	return p
}

func needed(a analyse.Analysis) []analyse.Role {
	var out []analyse.Role
	for _, r := range a.Roles {
		if r.Need {
			out = append(out, r)
		}
	}
	return out
}

// gridded tells whether a sheet is a matrix of numbers, of which the first column may name the rows.
func gridded(s Sheet) bool {
	if len(s.Columns) < 3 || s.Rows < 2 || s.Rows > 1000 {
		return false
	}
	for i, c := range s.Columns {
		if c.Text() && i > 0 || c.Unit != "" && c.Unit != "Cel" && len(c.Name) > 1 { // V and W may name columns
			return false
		}
		if !c.Text() && slices.ContainsFunc(c.Values, func(v float64) bool { return v < -60 || v > 250 }) {
			return false
		}
	}
	return true
}

// Recognise lists what a file may be, the likeliest first: saved mappings whose header it has, then every analysis
// whose needs it meets.
func Recognise(s Sheet, saved []Mapping) []Proposal {
	var out []Proposal
	header := s.Header()
	for _, m := range saved {
		if slices.Equal(m.Header, header) {
			out = append(out, Proposal{Mapping: m, Score: 100, Saved: true})
		}
	}
	for _, a := range analyse.Analyses() {
		if p := Propose(s, a); len(p.Lacks) == 0 && p.Score >= 1 {
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b Proposal) int {
		switch {
		case a.Score > b.Score:
			return -1
		case a.Score < b.Score:
			return 1
		}
		return 0
	})
	return out
}

// Likely are those of some proposals that fit about as well as the first. Where there are several, the one whose whole
// name the file's name says is it.
func Likely(ps []Proposal, file string) []Proposal {
	if len(ps) == 0 {
		return nil
	}
	out := slices.Clone(ps)
	if i := slices.IndexFunc(ps, func(p Proposal) bool { return p.Score < ps[0].Score-0.4 }); i >= 0 {
		out = out[:i]
	}
	words := strings.Fields(plainly(file))
	for _, p := range out {
		named := strings.Fields(plainly(p.Mapping.Analysis))
		if !slices.ContainsFunc(named, func(w string) bool { return !slices.Contains(words, w) }) {
			return []Proposal{p}
		}
	}
	return out
}

// Apply makes of a file what an analysis reads.
func (m Mapping) Apply(s Sheet, options map[string]string) (analyse.Raw, error) {
	raw := analyse.Raw{Columns: map[string][]float64{}, Words: map[string][]string{}, Options: map[string]string{}}
	maps.Copy(raw.Options, s.Options)
	maps.Copy(raw.Options, options)
	a, ok := analyse.Named(m.Analysis)
	if !ok {
		return raw, refuse("there is no analysis %q", m.Analysis)
	}
	for k := range raw.Options { // what the file says and the analysis has no use for
		if _, known := a.Test().Option(k); !known && options[k] == "" {
			delete(raw.Options, k)
		}
	}
	if m.Grid {
		melt(s, &raw)
		return raw, nil
	}
	for _, role := range slices.Sorted(maps.Keys(m.Columns)) {
		from := m.Columns[role]
		i := slices.IndexFunc(a.Roles, func(r analyse.Role) bool { return r.Name == role })
		if i < 0 {
			return raw, refuse("%s reads no %q; it reads %s", a.Title, role, names(a))
		}
		r := a.Roles[i]
		c, ok := s.Column(from.Column)
		if !ok {
			return raw, refuse("there is no column %q; there are %s", from.Column, strings.Join(headers(s), ", "))
		}
		switch {
		case r.Text && c.Text():
			raw.Words[role] = c.Words
		case r.Text:
			for _, v := range c.Values {
				raw.Words[role] = append(raw.Words[role], strconv.FormatFloat(v, 'g', -1, 64))
			}
		case c.Text():
			return raw, refuse("column %q holds words such as %q; %s is a number", c.Name, first(c.Words), r.Words)
		default:
			unit := from.Unit
			if unit == "" {
				unit = c.Unit
			}
			values, err := converted(c.Values, unit, r.Unit)
			if err != nil {
				return raw, refuse("column %q: %v", c.Name, err)
			}
			raw.Columns[role] = values
		}
	}
	return raw, nil
}

// converted brings values to a unit; those without one are taken to be in it.
func converted(values []float64, from, to string) ([]float64, error) {
	if from == "" || from == to || to == "" {
		return values, nil
	}
	u, ok := unitOf(from)
	if !ok {
		return nil, fmt.Errorf("%q is no known unit", from)
	}
	if _, err := quantity.Convert(1, u, to); err != nil {
		return nil, err
	}
	out := make([]float64, len(values))
	for i, v := range values {
		if out[i] = v; !math.IsNaN(v) {
			out[i], _ = quantity.Convert(v, u, to)
		}
	}
	return out, nil
}

// melt makes a list of a grid.
func melt(s Sheet, raw *analyse.Raw) {
	for k := range s.Rows {
		row := strconv.Itoa(k + 1)
		for i, c := range s.Columns {
			if c.Text() {
				row = c.Words[k]
				continue
			}
			name := c.Name
			if strings.HasPrefix(name, "column ") {
				name = strconv.Itoa(i + 1)
			}
			raw.Columns["temperature"] = append(raw.Columns["temperature"], c.Values[k])
			raw.Words["row"], raw.Words["column"] = append(raw.Words["row"], row), append(raw.Words["column"], name)
		}
	}
}

func headers(s Sheet) (out []string) {
	for _, c := range s.Columns {
		out = append(out, c.Name)
	}
	return out
}

func names(a analyse.Analysis) string {
	var out []string
	for _, r := range a.Roles {
		out = append(out, r.Name)
	}
	return strings.Join(out, ", ")
}

func first(list []string) string {
	for _, s := range list {
		if s != "" {
			return s
		}
	}
	return ""
}
