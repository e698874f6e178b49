package analyse

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

// ErrRaw marks raw data that an analysis cannot read.
var ErrRaw = errors.New("raw data")

// unfit says why raw data cannot be read.
func unfit(format string, args ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrRaw}, args...)...)
}

// Role is what a column of raw data means to an analysis.
type Role struct {
	Name   string   `json:"name"`
	Unit   string   `json:"unit,omitempty" doc:"UCUM code that its values are brought to; none for words"`
	Words  string   `json:"words"`
	Need   bool     `json:"need,omitempty" doc:"Without it nothing is read"`
	Either bool     `json:"either,omitempty" doc:"One of those that are so marked is needed"`
	Text   bool     `json:"text,omitempty" doc:"It holds words, not numbers"`
	Called []string `json:"called,omitempty" doc:"What columns of it are often called, in lower case"`
}

// moments is the role of a log's times.
func moments(need bool) Role {
	return Role{Name: "time", Unit: "s", Words: "time", Need: need, Called: []string{"time", "t", "seconds", "elapsed",
		"timestamp"}}
}

// Raw is what an analysis reads: columns of the same length by role, each in its role's unit. An empty cell of a number
// is NaN.
type Raw struct {
	Columns map[string][]float64
	Words   map[string][]string
	Options map[string]string
}

// Has tells whether a column is there.
func (r Raw) Has(role string) bool { return len(r.Columns[role]) > 0 || len(r.Words[role]) > 0 }

// Made is what an analysis makes of raw data.
type Made struct {
	Readings []record.Reading  `json:"readings"`
	Absent   []record.Reading  `json:"absent,omitempty" doc:"Measures that nobody gave the data for, with what is wanted"`
	Said     map[string]string `json:"said,omitempty" doc:"What it saw beside its figures"`
	Notes    []string          `json:"notes,omitempty" doc:"What a reader of the figures must know"`
	Picture  Picture           `json:"picture"`
}

// Unknown stands in a field for a value that is not known: JSON has no word for it.
const Unknown = -math.MaxFloat64

// Picture is what is drawn of raw data: curves over one axis, or a field of values.
type Picture struct {
	Kind   PictureKind `json:"kind,omitempty" enum:",curves,field,plane" doc:"curves: lines over one axis; field: cells of a grid; plane: lines over two axes of one scale"`
	Title  string      `json:"title,omitempty"`
	X      string      `json:"x,omitempty"`
	Y      string      `json:"y,omitempty"`
	Unit   string      `json:"unit,omitempty" doc:"What a field's cells are in"`
	Curves []Curve     `json:"curves,omitempty"`
	Across []string    `json:"across,omitempty" doc:"A field's columns"`
	Down   []string    `json:"down,omitempty" doc:"A field's rows"`
	Cells  [][]float64 `json:"cells,omitempty" doc:"A field's values, row by row; one that is not known stands as the lowest number there is"`
}

// PictureKind says how a picture is drawn.
type PictureKind string

const (
	Curves PictureKind = "curves"
	Field  PictureKind = "field"
	Plane  PictureKind = "plane"
)

// Curve is one line of a picture.
type Curve struct {
	Name string    `json:"name"`
	X    []float64 `json:"x"`
	Y    []float64 `json:"y"`
	Dots bool      `json:"dots,omitempty"`
}

// Analysis makes figures of raw data. Each stands in a file of its own, which registers it.
type Analysis struct {
	Name     string           `json:"name"`
	Version  int              `json:"version" doc:"Raised whenever it makes other figures of the same data"`
	Title    string           `json:"title"`
	About    string           `json:"about" doc:"What it does, after which source"`
	Group    string           `json:"group"`
	Roles    []Role           `json:"roles"`
	Options  []method.Option  `json:"options,omitempty"`
	Measures []method.Measure `json:"measures"`

	make func(Raw) (Made, error)
}

var raws = map[string]Analysis{}

// Register adds an analysis of raw data. Runs that bring series named as its roles are read by it, too.
func Register(a Analysis) {
	raws[a.Name] = a
	register(a.Name, func(t method.Test, r *record.Run) ([]record.Reading, map[string]string, error) {
		made, err := a.Make(rawOf(a, *r))
		return made.Readings, made.Said, err
	})
}

// Analyses lists the analyses of raw data by name.
func Analyses() []Analysis {
	return slices.SortedFunc(maps.Values(raws), func(a, b Analysis) int { return strings.Compare(a.Name, b.Name) })
}

// Named finds an analysis of raw data.
func Named(name string) (Analysis, bool) {
	a, ok := raws[name]
	return a, ok
}

// Test is a test definition that the analysis makes the figures of.
func (a Analysis) Test() method.Test {
	return method.Test{Slug: a.Name, Version: 1, Name: a.Title, About: a.About, Group: a.Group, Origin: "own",
		Analysis: a.Name, Options: a.Options, Measures: a.Measures}
}

// rawOf takes an analysis's columns from a run's series: those of its roles' names, and their times.
func rawOf(a Analysis, r record.Run) Raw {
	raw := Raw{Columns: map[string][]float64{}, Words: map[string][]string{}, Options: r.Options}
	for _, role := range a.Roles {
		s, ok := channel(r.Series, role.Name)
		if !ok || role.Text {
			continue
		}
		values := slices.Clone(s.Values)
		for i, v := range values {
			if x, err := quantity.Convert(v, s.Unit, role.Unit); err == nil {
				values[i] = x
			}
		}
		raw.Columns[role.Name] = values
		if !raw.Has("time") {
			raw.Columns["time"] = s.Times
		}
	}
	return raw
}

// Make makes the figures. A measure that the data tell nothing of is missing, with the reason; data that tell nothing
// at all are an error that wraps ErrRaw.
func (a Analysis) Make(raw Raw) (Made, error) {
	n := -1
	for _, role := range a.Roles {
		length := len(raw.Columns[role.Name]) + len(raw.Words[role.Name])
		switch {
		case length == 0 && role.Need:
			return Made{}, unfit("there is no %s; %s reads %s", role.Words, a.Title, a.reads())
		case length == 0:
		case n >= 0 && length != n:
			return Made{}, unfit("%s has %d values, others have %d", role.Words, length, n)
		default:
			n = length
		}
		for i, v := range raw.Columns[role.Name] {
			if !math.IsNaN(v) && !quantity.Sound(v) {
				return Made{}, unfit("row %d: %s is %g, which is beyond all measure", i+1, role.Words, v)
			}
		}
	}
	if either := a.Either(); len(either) > 0 && !slices.ContainsFunc(either,
		func(r Role) bool { return raw.Has(r.Name) }) {
		return Made{}, unfit("there is no %s; %s needs one of them", wordsOf(either), a.Title)
	}
	for _, o := range a.Options {
		if v := raw.Options[o.Slug]; v != "" {
			if why := o.Check(v); why != "" {
				return Made{}, unfit("%s", why)
			}
		}
	}
	made, err := a.make(raw)
	if err != nil {
		return made, err
	}
	for i, r := range made.Readings {
		if r.State != record.Missing && !quantity.Sound(r.Value) {
			made.Readings[i] = lacking(r.Measure, "the data give no number")
		}
	}
	for _, m := range a.Measures { // what nothing was said of
		said := func(r record.Reading) bool { return r.Measure == m.Slug }
		if !slices.ContainsFunc(made.Readings, said) && !slices.ContainsFunc(made.Absent, said) {
			made.Readings = append(made.Readings, lacking(m.Slug, "the data tell nothing of it"))
		}
	}
	slices.SortStableFunc(made.Readings, func(x, y record.Reading) int { return a.at(x.Measure) - a.at(y.Measure) })
	return made, nil
}

// Either are the roles of which one is needed.
func (a Analysis) Either() []Role {
	return slices.DeleteFunc(slices.Clone(a.Roles), func(r Role) bool { return !r.Either })
}

// wordsOf lists roles.
func wordsOf(roles []Role) string {
	var out []string
	for _, r := range roles {
		out = append(out, r.Words)
	}
	return strings.Join(out, " or ")
}

func (a Analysis) at(measure string) int {
	return slices.IndexFunc(a.Measures, func(m method.Measure) bool { return m.Slug == measure })
}

// reads lists what it reads, in words.
func (a Analysis) reads() string {
	var needed, more []string
	for _, r := range a.Roles {
		if r.Need {
			needed = append(needed, r.Words)
		} else {
			more = append(more, r.Words)
		}
	}
	out := strings.Join(needed, ", ")
	if len(more) > 0 {
		out += "; if there, " + strings.Join(more, ", ")
	}
	return strings.TrimPrefix(out, "; ")
}

// option reads a number among the options, in the option's unit; its default where none is given.
func (a Analysis) option(raw Raw, slug string) float64 {
	i := slices.IndexFunc(a.Options, func(o method.Option) bool { return o.Slug == slug })
	o := a.Options[i]
	text := raw.Options[slug]
	if text == "" {
		text = o.Default
	}
	v, err := o.Number(text)
	if err != nil {
		return math.NaN()
	}
	return v
}

// found is a reading of a figure, lacking one of a figure that the data do not give.
func found(measure string, v float64) record.Reading {
	return record.Reading{Measure: measure, State: record.OK, Value: v}
}

func lacking(measure, why string) record.Reading {
	return record.Reading{Measure: measure, State: record.Missing, Reason: why}
}

// absent takes note that nobody gave what a measure is made of: it is no figure that was tried and failed.
func (m *Made) absent(measure, why string) { m.Absent = append(m.Absent, lacking(measure, why)) }

// rising refuses times that do not rise, or of which one is missing.
func rising(times []float64) error {
	for i, t := range times {
		if math.IsNaN(t) {
			return unfit("row %d has no time", i+1)
		}
		if i > 0 && t <= times[i-1] {
			return unfit("row %d: its time, %g s, does not come after %g s", i+1, t, times[i-1])
		}
	}
	return nil
}

// whole refuses a column with an empty cell, for analyses that cannot do without one.
func whole(values []float64, words string) error {
	if i := slices.IndexFunc(values, math.IsNaN); i >= 0 {
		return unfit("row %d has no %s", i+1, words)
	}
	return nil
}
