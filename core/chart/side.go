package chart

import (
	"fmt"
	"math"
	"strings"
)

// Side sets the states of one device beside each other: a panel for each figure, in it a bar or dot for each state.
type Side struct {
	Title    string   `json:"title"`
	Subtitle string   `json:"subtitle"`
	States   []string `json:"states" doc:"Such as its modes, in words"`
	Panels   []Panel  `json:"panels"`
	Notes    []string `json:"notes,omitempty"`
	Foot     string   `json:"foot"`
	Text     string   `json:"text" doc:"The chart in words"`
}

// Panel is one figure in every state.
type Panel struct {
	Name   string    `json:"name"`
	Symbol string    `json:"symbol" doc:"Unit"`
	Better string    `json:"better,omitempty" doc:"Which way is better, in words; empty where neither is"`
	Dots   bool      `json:"dots,omitempty" doc:"Dots on an axis instead of bars from zero"`
	Bars   []SideBar `json:"bars" doc:"One for each state, in their order"`
}

// SideBar is a figure in one state.
type SideBar struct {
	Value float64 `json:"value"`
	Lo    float64 `json:"lo"`
	Hi    float64 `json:"hi"`
	Label string  `json:"label" doc:"The figure, or why there is none"`
	Bare  bool    `json:"bare,omitempty" doc:"Nothing to show but the label"`
}

// Heading gives title and text alternative.
func (s Side) Heading() (string, string) { return s.Title, s.Text }

// Table gives the figures, a row for each figure and state.
func (s Side) Table() Table {
	t := Table{Columns: []string{"Figure", "Unit", "State", "Value", "95 % from", "to", "Shown as"}}
	for _, p := range s.Panels {
		for i, b := range p.Bars {
			row := []string{p.Name, p.Symbol, s.States[i], "", "", "", b.Label}
			if !b.Bare {
				row[3] = plain(b.Value)
				row[4], row[5] = ends(b.Lo, b.Hi)
			}
			t.Rows = append(t.Rows, row)
		}
	}
	return t
}

// Describe writes the text alternative.
func (s Side) Describe() string {
	out := s.Title + ". " + s.Subtitle
	for _, p := range s.Panels {
		var said []string
		for i, b := range p.Bars {
			said = append(said, s.States[i]+" "+b.Label)
		}
		out += fmt.Sprintf(" %s, %s: %s.", p.Name, p.Symbol, strings.Join(said, "; "))
	}
	return out
}

// Extent is the range of the panel's axis.
func (p Panel) Extent() (lo, hi float64) {
	lo, hi = math.Inf(1), math.Inf(-1)
	for _, b := range p.Bars {
		if !b.Bare {
			lo, hi = math.Min(lo, math.Min(b.Lo, b.Value)), math.Max(hi, math.Max(b.Hi, b.Value))
		}
	}
	switch {
	case math.IsInf(lo, 0):
		return 0, 1
	case !p.Dots:
		lo, hi = math.Min(lo, 0), math.Max(hi, 0)
	default: // air on both sides
		pad := math.Max((hi-lo)*0.15, 0.5)
		lo, hi = lo-pad, hi+pad
	}
	if lo == hi {
		hi = lo + 1
	}
	return lo, hi
}
