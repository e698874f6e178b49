package chart

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"durvek/core/quantity"
)

// Picture is any chart: what every drawing and every page needs of it.
type Picture interface {
	Heading() (title, text string)
	Table() Table
}

// Table is a chart's figures as a table, its numbers as programs read them.
type Table struct {
	Columns []string   `json:"columns"`
	Rows    [][]string `json:"rows"`
}

// Forest is a chart of dots with whiskers, a row per measure, in groups, around a line that stands for no difference.
type Forest struct {
	Title    string      `json:"title"`
	Subtitle string      `json:"subtitle"`
	Axis     string      `json:"axis" doc:"What it means to lie on the right"`
	Symbol   string      `json:"symbol" doc:"Unit of the axis"`
	Unit     string      `json:"unit" doc:"What a row's value counts, in words"`
	Rows     []ForestRow `json:"rows"`
	Legend   []string    `json:"legend,omitempty" doc:"Names of the series, where there are several"`
	Log      bool        `json:"log,omitempty" doc:"The axis is logarithmic: half and double lie as far from the line"`
	Band     float64     `json:"band,omitempty" doc:"Half-width around the line within which a promise counts as held"`
	Notes    []string    `json:"notes,omitempty"`
	Foot     string      `json:"foot"`
	Text     string      `json:"text" doc:"The chart in words"`
}

// ForestRow is one dot with its whisker.
type ForestRow struct {
	Group  string  `json:"group,omitempty"`
	Name   string  `json:"name"`
	Note   string  `json:"note,omitempty"`
	Value  float64 `json:"value"`
	Lo     float64 `json:"lo"`
	Hi     float64 `json:"hi"`
	Label  string  `json:"label" doc:"What stands at the row's end"`
	Series int     `json:"series,omitempty"`
	Hollow bool    `json:"hollow,omitempty"`
	Warn   bool    `json:"warn,omitempty" doc:"A promise that was not kept"`
	Doubt  bool    `json:"doubt,omitempty"`
	Bare   bool    `json:"bare,omitempty" doc:"Nothing to show but the label"`
}

// Heading gives title and text alternative.
func (f Forest) Heading() (string, string) { return f.Title, f.Text }

// Table gives the figures.
func (f Forest) Table() Table {
	t := Table{Columns: []string{"Group", "Measure", f.Unit, "95 % from", "to", "Figures"}}
	for _, r := range f.Rows {
		name := r.Name
		if len(f.Legend) > r.Series {
			name += ", " + f.Legend[r.Series]
		}
		row := []string{r.Group, name, "", "", "", r.Label}
		if !r.Bare {
			row[2], row[3], row[4] = plain(r.Value), plain(r.Lo), plain(r.Hi)
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// plain writes a number with six digits, as any program reads it.
func plain(v float64) string { return strconv.FormatFloat(v, 'g', 6, 64) }

func signed(v float64) string {
	s := quantity.Number(v, 3)
	if v > 0 {
		return "+" + s
	}
	return s
}

// Describe writes the text alternative.
func (f Forest) Describe() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s. %s", f.Title, f.Subtitle)
	for _, r := range f.Rows {
		name := r.Name
		if len(f.Legend) > r.Series {
			name += ", " + f.Legend[r.Series]
		}
		if r.Bare {
			fmt.Fprintf(&b, " %s: %s;", name, r.Label)
			continue
		}
		fmt.Fprintf(&b, " %s: %s %s (%s to %s), %s", name, signed(r.Value), f.Symbol, signed(r.Lo), signed(r.Hi), r.Label)
		if r.Hollow {
			b.WriteString(", not sure")
		}
		b.WriteString(";")
	}
	out := strings.TrimSuffix(b.String(), ";") + "."
	for _, n := range f.Notes {
		out += " " + n
	}
	return out
}

// Extent is the range of the axis, the line at zero included. A whisker that is far longer than the others is cut: the axis is for the many.
func (f Forest) Extent() (lo, hi float64) {
	lo, hi = -math.Max(f.Band*2, 1), math.Max(f.Band*2, 1)
	for _, r := range f.Rows {
		if !r.Bare {
			lo, hi = math.Min(lo, math.Max(r.Lo, r.Value-60)), math.Max(hi, math.Min(r.Hi, r.Value+60))
			lo, hi = math.Min(lo, r.Value), math.Max(hi, r.Value)
		}
	}
	return lo, hi
}

// At is where a value lies on the axis.
func (f Forest) At(v float64) float64 {
	if f.Log {
		return math.Log(math.Max(1+v/100, 0.01))
	}
	return v
}

// Ticks gives the axis's marks: round ones, or on a logarithmic axis such as people divide and multiply by.
func (f Forest) Ticks(lo, hi float64) []float64 {
	if !f.Log {
		return Ticks(lo, hi, 6, false)
	}
	far := []float64{-90, -80, -67, -50, 0, 100, 200, 400, 900}
	near := []float64{-90, -80, -67, -50, -33, -20, 0, 25, 50, 100, 200, 400}
	nearest := []float64{-50, -33, -20, -10, -5, 0, 5, 10, 20, 50, 100}
	list := far
	switch wide := f.At(hi) - f.At(lo); {
	case wide < 0.7:
		list = nearest
	case wide < 2.2:
		list = near
	}
	var out []float64
	for _, v := range list {
		if v >= lo && v <= hi {
			out = append(out, v)
		}
	}
	return out
}

// Scatter is a chart of points with a cost across and a benefit up, and the frontier of those that nothing else beats in both.
type Scatter struct {
	Title    string   `json:"title"`
	Subtitle string   `json:"subtitle"`
	X        string   `json:"x" doc:"What lies across, with its unit"`
	Y        string   `json:"y" doc:"What lies up, with its unit"`
	Points   []Point  `json:"points"`
	Frontier bool     `json:"frontier,omitempty" doc:"Points of the frontier are joined"`
	FromZero bool     `json:"from_zero,omitempty" doc:"The upward axis begins at zero"`
	Origin   bool     `json:"origin,omitempty" doc:"Both axes begin at zero"`
	LowBest  bool     `json:"low_best,omitempty" doc:"Lower is better on the upward axis"`
	Notes    []string `json:"notes,omitempty"`
	Foot     string   `json:"foot"`
	Text     string   `json:"text"`
}

// Point is one variant, or one mode of it.
type Point struct {
	ID      string  `json:"id"`
	Name    string  `json:"name"`
	Note    string  `json:"note,omitempty"`
	X       float64 `json:"x"`
	Y       float64 `json:"y"`
	Lo      float64 `json:"lo"`
	Hi      float64 `json:"hi"`
	Label   string  `json:"label,omitempty" doc:"Both figures in words"`
	Best    bool    `json:"best,omitempty" doc:"On the frontier"`
	Subject bool    `json:"subject,omitempty"`
	Hollow  bool    `json:"hollow,omitempty"`
}

// Heading gives title and text alternative.
func (s Scatter) Heading() (string, string) { return s.Title, s.Text }

// Table gives the figures.
func (s Scatter) Table() Table {
	t := Table{Columns: []string{"Name", "Variant", s.X, s.Y, "95 % from", "to", "Frontier"}}
	for _, p := range s.Points {
		best := ""
		if p.Best {
			best = "yes"
		}
		t.Rows = append(t.Rows, []string{p.Name, p.Note, plain(p.X), plain(p.Y), plain(p.Lo), plain(p.Hi), best})
	}
	return t
}

// Describe writes the text alternative.
func (s Scatter) Describe() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s. %s Across: %s. Up: %s.", s.Title, s.Subtitle, s.X, s.Y)
	for _, p := range s.Points {
		fmt.Fprintf(&b, " %s%s: %s", p.Name, comma(p.Note), p.Label)
		if p.Best && s.Frontier {
			b.WriteString(", on the frontier")
		}
		b.WriteString(";")
	}
	out := strings.TrimSuffix(b.String(), ";") + "."
	for _, n := range s.Notes {
		out += " " + n
	}
	return out
}

func comma(s string) string {
	if s == "" {
		return ""
	}
	return ", " + s
}

// Lines is a chart of series over time or over a count of threads.
type Lines struct {
	Title    string   `json:"title"`
	Subtitle string   `json:"subtitle"`
	X        string   `json:"x"`
	Y        string   `json:"y"`
	Lines    []Line   `json:"lines"`
	Even     bool     `json:"even,omitempty" doc:"A thin line shows what perfect scaling would be"`
	Dots     bool     `json:"dots,omitempty" doc:"Every value is marked"`
	Notes    []string `json:"notes,omitempty"`
	Foot     string   `json:"foot"`
	Text     string   `json:"text"`
}

// Line is one variant's series.
type Line struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Note    string    `json:"note,omitempty"`
	X       []float64 `json:"x"`
	Y       []float64 `json:"y"`
	Summary string    `json:"summary" doc:"What the series comes to, in words"`
	Subject bool      `json:"subject,omitempty"`
}

// Heading gives title and text alternative.
func (l Lines) Heading() (string, string) { return l.Title, l.Text }

// Table gives the series.
func (l Lines) Table() Table {
	t := Table{Columns: []string{"Name", "Variant", l.X, l.Y}}
	for _, s := range l.Lines {
		for i := range s.X {
			t.Rows = append(t.Rows, []string{s.Name, s.Note, plain(s.X[i]), plain(s.Y[i])})
		}
	}
	return t
}

// Describe writes the text alternative.
func (l Lines) Describe() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s. %s", l.Title, l.Subtitle)
	for _, s := range l.Lines {
		fmt.Fprintf(&b, " %s%s: %s;", s.Name, comma(s.Note), s.Summary)
	}
	return strings.TrimSuffix(b.String(), ";") + "."
}

// Heading gives title and text alternative.
func (r Ranked) Heading() (string, string) { return r.Title, r.Text }

// Table gives the figures.
func (r Ranked) Table() Table {
	value := r.Measure
	if r.Unit != "" {
		value += ", " + r.Unit
	}
	t := Table{Columns: []string{"Place", "Name", "Variant", value, "95 % from", "to", "Claimed", "Repeats", "Shown as"}}
	for _, x := range r.Rows {
		claim, place := "", x.Place
		if x.Claim != nil {
			claim = plain(*x.Claim)
		}
		if x.Carried {
			place = "not ranked"
		}
		t.Rows = append(t.Rows, []string{place, x.Name, x.Note, plain(x.Value), plain(x.Lo), plain(x.Hi), claim, fmt.Sprint(x.N), x.Label})
	}
	return t
}
