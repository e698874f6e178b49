package chart

import "strings"

// Card is a verdict in one picture: what it comes to, a few figures with their places, what speaks for it and against.
type Card struct {
	Title   string    `json:"title"`
	Tag     string    `json:"tag" doc:"The recommendation, or how far the review is"`
	Against bool      `json:"against,omitempty" doc:"The tag warns"`
	Lead    string    `json:"lead" doc:"The verdict in one sentence"`
	Keys    []CardKey `json:"keys"`
	For     []string  `json:"for" doc:"Strengths"`
	Not     []string  `json:"not" doc:"Weaknesses"`
	Foot    string    `json:"foot"`
}

// CardKey is a figure on a card.
type CardKey struct {
	Name  string `json:"name"`
	Value string `json:"value"`
	Place string `json:"place,omitempty"`
}

// Heading gives title and text alternative.
func (c Card) Heading() (string, string) {
	parts := []string{c.Title, c.Tag, c.Lead}
	for _, k := range c.Keys {
		parts = append(parts, strings.TrimSuffix(k.Name+": "+k.Value+", "+k.Place, ", "))
	}
	return c.Title, strings.Join(append(append(parts, c.For...), c.Not...), ". ")
}

// Table gives the figures.
func (c Card) Table() Table {
	t := Table{Columns: []string{"Figure", "Measured", "Place"}}
	for _, k := range c.Keys {
		t.Rows = append(t.Rows, []string{k.Name, k.Value, k.Place})
	}
	return t
}
