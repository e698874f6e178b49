package chart

import (
	"fmt"
	"math"
	"strings"

	"durvek/core/analyse"
)

// Field is a chart of values over a grid: a surface, a matrix.
type Field struct {
	Title    string      `json:"title"`
	Subtitle string      `json:"subtitle"`
	X        string      `json:"x"`
	Y        string      `json:"y"`
	Unit     string      `json:"unit"`
	Across   []string    `json:"across"`
	Down     []string    `json:"down"`
	Cells    [][]float64 `json:"cells" doc:"Row by row; an unknown value is the lowest number there is"`
	Notes    []string    `json:"notes,omitempty"`
	Foot     string      `json:"foot"`
	Text     string      `json:"text"`
}

// Heading gives title and text alternative.
func (f Field) Heading() (string, string) { return f.Title, f.Text }

// Table gives the values.
func (f Field) Table() Table {
	t := Table{Columns: append([]string{f.Y}, f.Across...)}
	for i, row := range f.Cells {
		cells := []string{f.Down[i]}
		for _, v := range row {
			if v == analyse.Unknown {
				cells = append(cells, "")
			} else {
				cells = append(cells, plain(v))
			}
		}
		t.Rows = append(t.Rows, cells)
	}
	return t
}

// Range is the lowest and the highest value that is known, and where the highest stands; ok is false where none is.
func (f Field) Range() (lo, hi float64, row, column int, ok bool) {
	lo, hi = math.Inf(1), math.Inf(-1)
	for i, r := range f.Cells {
		for k, v := range r {
			if v == analyse.Unknown {
				continue
			}
			lo, ok = math.Min(lo, v), true
			if v > hi {
				hi, row, column = v, i, k
			}
		}
	}
	return lo, hi, row, column, ok
}

// describe writes the text alternative.
func (f Field) describe() string {
	lo, hi, row, column, ok := f.Range()
	if !ok {
		return f.Title + ". No values."
	}
	at := strings.TrimSpace(f.Down[row] + " " + f.Across[column])
	return fmt.Sprintf("%s. %s From %s to %s %s; the highest at %s.", f.Title, f.Subtitle, plain(lo), plain(hi), f.Unit,
		at)
}

// OfRaw is the chart of what an analysis draws of raw data; nil where it draws nothing.
func OfRaw(p analyse.Picture, subtitle, foot string, notes []string) Picture {
	switch p.Kind {
	case analyse.Curves, analyse.Plane:
		l := Lines{Title: p.Title, Subtitle: subtitle, X: p.X, Y: p.Y, Notes: notes, Foot: foot,
			Plane: p.Kind == analyse.Plane,
			Log:   p.X == "Hz"}
		for i, c := range p.Curves {
			line := Line{ID: c.Name, Name: c.Name, X: c.X, Y: c.Y, Subject: i == 0, Dots: c.Dots}
			l.Lines = append(l.Lines, line)
		}
		l.Text = l.Describe()
		return l
	case analyse.Field:
		f := Field{Title: p.Title, Subtitle: subtitle, X: p.X, Y: p.Y, Unit: p.Unit, Across: p.Across, Down: p.Down,
			Cells: p.Cells, Notes: notes, Foot: foot}
		f.Text = f.describe()
		return f
	}
	return nil
}
