package claims

import (
	"fmt"
	"math"
	"strings"

	"durvek/core/chart"
	"durvek/core/quantity"
)

// Draw sets what was measured against what was claimed: every claim at the line, the figure with its interval beside
// it, better to the right. Figures by difference and those without a comparable one stand in words.
func Draw(name string, js []Judged, foot string) chart.Forest {
	c := chart.Forest{Title: "What became of the claims about the " + name, Subtitle: "Measured, in % better (+) or " +
		"worse (−) than claimed; the shaded band is the usual tolerance of 1 %. Whiskers 95 %, each claim taken alone.",
		Axis: "better than claimed →", Symbol: "%", Unit: "% better than claimed", Band: 100 * DefaultTolerance,
		Rows: []chart.ForestRow{}, Foot: foot + "."}
	seen := map[Outcome]int{}
	measured := func(j Judged) string {
		e, unit := j.Verdict.Estimate, ""
		if quantity.Symbol(j.Unit) != j.Symbol { // the claim is in another
			unit = " " + j.Symbol
		}
		return ", measured " + strings.TrimSpace(e.Bound+" "+quantity.Number(e.Centre, 3)) + unit
	}
	for _, j := range js {
		v := j.Verdict
		seen[v.Outcome]++
		row := chart.ForestRow{Name: j.Name, Label: string(v.Outcome) + ": " + j.Text, Bare: true, Warn: v.Outcome == Short ||
			v.Outcome == Impossible, Doubt: len(j.Doubts) > 0}
		if e := v.Estimate; e != nil && e.N > 0 && j.Scale == quantity.Ratio && v.Claimed > 0 && v.Outcome != NotComparable {
			at := func(x float64) float64 { return 100 * (x/v.Claimed - 1) }
			row.Bare, row.Value, row.Lo, row.Hi = false, at(e.Centre), at(e.Lo), at(e.Hi)
			if lower := v.By != 0 && math.Signbit(v.By) != math.Signbit(e.Centre-v.Claimed); lower {
				row.Value, row.Lo, row.Hi = -row.Value, -row.Hi, -row.Lo
			}
			row.Hollow = v.Outcome == Open || e.Bound != ""
			row.Label += measured(j)
			if j.Qualifier == "up to" && v.Outcome == Held && row.Value < -1 {
				row.Label += ", best reaches it"
			}
		}
		if e := v.Estimate; row.Bare && e != nil && e.N > 0 && v.Outcome != NotComparable {
			row.Label += measured(j)
		}
		c.Rows = append(c.Rows, row)
	}
	var parts []string
	for _, o := range Outcomes {
		if seen[o] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", seen[o], o))
		}
	}
	if len(js) == 0 {
		c.Title = "Nothing is claimed about the " + name
	} else {
		c.Notes = []string{fmt.Sprintf("Of %d claims: %s.", len(js), strings.Join(parts, ", "))}
	}
	c.Text = c.Describe()
	return c
}
