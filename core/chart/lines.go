package chart

import (
	"fmt"
	"slices"
	"strings"
)

// Lines is a chart of series over time or over a count of threads.
type Lines struct {
	Title    string   `json:"title"`
	Subtitle string   `json:"subtitle"`
	X        string   `json:"x"`
	Y        string   `json:"y"`
	Lines    []Line   `json:"lines"`
	Even     bool     `json:"even,omitempty" doc:"A thin line shows what perfect scaling would be"`
	Dots     bool     `json:"dots,omitempty" doc:"Every value is marked"`
	Log      bool     `json:"log,omitempty" doc:"What lies across is drawn by its logarithm"`
	Plane    bool     `json:"plane,omitempty" doc:"Both axes have one scale"`
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
	Dots    bool      `json:"dots,omitempty" doc:"Its values are marked, and not joined where the chart is a plane"`
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
		if s.Summary == "" && len(s.Y) > 0 {
			fmt.Fprintf(&b, " %s%s: from %s to %s;", s.Name, comma(s.Note), plain(slices.Min(s.Y)), plain(slices.Max(s.Y)))
			continue
		}
		fmt.Fprintf(&b, " %s%s: %s;", s.Name, comma(s.Note), s.Summary)
	}
	return strings.TrimSuffix(b.String(), ";") + "."
}
