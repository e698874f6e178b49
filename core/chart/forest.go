package chart

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"durvek/core/quantity"
)

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
			row[2] = plain(r.Value)
			row[3], row[4] = ends(r.Lo, r.Hi)
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// ends are the ends of an interval; none where there is none, as of a bound, or of a figure whose spread is not known.
func ends(lo, hi float64) (from, to string) {
	if lo == hi {
		return "", ""
	}
	return plain(lo), plain(hi)
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

// Extent is the range of the axis, the line at zero included. A whisker that is far longer than the others is cut: the
// axis is for the many.
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
