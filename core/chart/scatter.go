package chart

import (
	"fmt"
	"strings"
)

// Scatter is a chart of points with a cost across and a benefit up, and the frontier of those that nothing else beats
// in both.
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
		lo, hi := ends(p.Lo, p.Hi)
		t.Rows = append(t.Rows, []string{p.Name, p.Note, plain(p.X), plain(p.Y), lo, hi, best})
	}
	return t
}

// Describe writes the text alternative.
func (s Scatter) Describe() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s.", s.Title)
	if s.X != "" { // else there is nothing to set against each other
		fmt.Fprintf(&b, " %s Across: %s. Up: %s.", s.Subtitle, s.X, s.Y)
	}
	for _, p := range s.Points {
		fmt.Fprintf(&b, " %s%s: %s", p.Name, comma(p.Note), p.Label)
		if p.Best && s.Frontier {
			b.WriteString(", on the frontier")
		}
		b.WriteString(";")
	}
	out := strings.TrimRight(b.String(), ";.") + "."
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
