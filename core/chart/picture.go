package chart

import "fmt"

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
		lo, hi := ends(x.Lo, x.Hi)
		t.Rows = append(t.Rows, []string{place, x.Name, x.Note, plain(x.Value), lo, hi, claim, fmt.Sprint(x.N), x.Label})
	}
	return t
}
