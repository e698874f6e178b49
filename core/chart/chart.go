// Package chart describes charts as data: what stands where, in words and numbers, before anything
// is drawn. The same description is drawn on the console, by the command line and in editions.
package chart

import (
	"cmp"
	"fmt"
	"math"
	"strings"

	"durvek/core/quantity"
)

// Ranked is a ranked chart: one row per variant, best first.
type Ranked struct {
	Title     string   `json:"title"`
	Subtitle  string   `json:"subtitle"`
	Measure   string   `json:"measure" doc:"The measure in words, with its unit"`
	Unit      string   `json:"unit" doc:"Symbol"`
	Spans     bool     `json:"spans,omitempty" doc:"Labels hold their units: times in hours, minutes and seconds"`
	Dots      bool     `json:"dots" doc:"Dots on an axis instead of bars from zero"`
	Reference *float64 `json:"reference,omitempty" doc:"Where the reference of a relative chart stands"`
	Rows      []Row    `json:"rows"`
	Groups    []Group  `json:"groups,omitempty"`
	NotRanked []string `json:"not_ranked,omitempty"`
	Notes     []string `json:"notes,omitempty"`
	Foot      string   `json:"foot"`
	Text      string   `json:"text" doc:"The chart in words, for those who cannot see it"`
}

// Row is one bar or dot.
type Row struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	Note    string   `json:"note,omitempty"`
	Place   string   `json:"place"`
	Value   float64  `json:"value"`
	Lo      float64  `json:"lo"`
	Hi      float64  `json:"hi"`
	Label   string   `json:"label"`
	Spread  string   `json:"spread,omitempty" doc:"How sure it is: ± 6, or 380 to 470 where the interval is uneven"`
	N       int      `json:"n"`
	Subject bool     `json:"subject,omitempty"`
	Hollow  bool     `json:"hollow,omitempty" doc:"A bound, a carried-over figure, or one of unknown order"`
	Mark    int      `json:"mark,omitempty" doc:"Number of the note that belongs to it"`
	Doubt   bool     `json:"doubt,omitempty" doc:"It rests on runs that are in doubt"`
	Carried bool     `json:"carried,omitempty" doc:"Measured on a sibling with the same limiting part; not ranked"`
	Claim   *float64 `json:"claim,omitempty"`
	Claimed string   `json:"claimed,omitempty" doc:"What stands at the claim's mark"`
	Raised  []Raised `json:"raised,omitempty"`
	Above   int      `json:"above,omitempty" doc:"Rows between the one before and this one that are not shown"`
}

// Raised is a raised mode's thinner bar beneath its variant.
type Raised struct {
	Value float64 `json:"value"`
	Label string  `json:"label"`
}

// Group is a tie: rows From to To, counted from 0.
type Group struct {
	From int    `json:"from"`
	To   int    `json:"to"`
	Kind string `json:"kind"`
}

// Overlap tells whether any two groups share a row, so that they must be bracketed, not shaded.
func (r Ranked) Overlap() bool {
	for i := 1; i < len(r.Groups); i++ {
		if r.Groups[i].From <= r.Groups[i-1].To {
			return true
		}
	}
	return false
}

// Extent is the range of values that the axis must hold, whiskers, claims and raised modes included.
func (r Ranked) Extent() (lo, hi float64) {
	lo, hi = math.Inf(1), math.Inf(-1)
	take := func(v float64) { lo, hi = math.Min(lo, v), math.Max(hi, v) }
	for _, row := range r.Rows {
		take(row.Value)
		take(row.Lo)
		take(row.Hi)
		if row.Claim != nil {
			take(*row.Claim)
		}
		for _, m := range row.Raised {
			take(m.Value)
		}
	}
	if r.Reference != nil {
		take(*r.Reference)
	}
	if !r.Dots {
		lo, hi = math.Min(lo, 0), math.Max(hi, 0)
	}
	if math.IsInf(lo, 0) {
		return 0, 1
	}
	if lo == hi {
		hi = lo + 1
	}
	return lo, hi
}

// Ticks gives about count round axis values that span lo…hi, in steps of 1, 2, 2.5 or 5 × 10ⁿ. With
// outside set the first and last lie at or beyond the range, otherwise all lie inside it.
func Ticks(lo, hi float64, count int, outside bool) []float64 {
	raw := (hi - lo) / float64(max(count, 1))
	mag := math.Pow(10, math.Floor(math.Log10(raw)))
	step := 10 * mag
	for _, m := range []float64{1, 2, 2.5, 5} {
		if m*mag >= raw*0.999 {
			step = m * mag
			break
		}
	}
	first, last := math.Ceil(lo/step-1e-9), math.Floor(hi/step+1e-9)
	if outside {
		first, last = math.Floor(lo/step+1e-9), math.Ceil(hi/step-1e-9)
	}
	var out []float64
	for i := first; i <= last; i++ {
		out = append(out, i*step+0) // no zero below zero
	}
	return out
}

// PlaceText prints a standing: "2" or "2–3", "?" where the order is unknown.
func PlaceText(best, worst int) string {
	if best == 0 {
		return "?"
	}
	if best == worst {
		return fmt.Sprint(best)
	}
	return fmt.Sprintf("%d–%d", best, worst)
}

// Describe writes the chart's text alternative from its rows.
func (r Ranked) Describe() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s. %s", r.Title, r.Subtitle)
	names := map[string]int{}
	for _, row := range r.Rows {
		names[row.Name]++
	}
	for _, row := range r.Rows {
		place, name := row.Place, row.Name
		if names[name] > 1 && row.Note != "" { // told from the others of its name
			name += " (" + row.Note + ")"
		}
		if row.Carried {
			place = "not ranked"
		}
		fmt.Fprintf(&b, " %s: %s, %s", place, name, row.Label)
		if r.Unit != "" && !r.Spans {
			b.WriteString(" " + r.Unit)
		}
		if row.Spread != "" {
			b.WriteString(" " + row.Spread)
		}
		if row.Mark > 0 {
			fmt.Fprintf(&b, " (note %d)", row.Mark)
		}
		if row.Claim != nil {
			b.WriteString(", " + cmp.Or(row.Claimed, "claimed "+quantity.Number(*row.Claim, 4)))
		}
		for _, m := range row.Raised {
			b.WriteString(", " + m.Label)
		}
		b.WriteString(";")
	}
	out := strings.TrimSuffix(b.String(), ";") + "."
	for i, n := range r.Notes {
		out += fmt.Sprintf(" Note %d: %s", i+1, n)
	}
	for _, n := range r.NotRanked {
		out += " Not ranked: " + n + "."
	}
	return out
}
