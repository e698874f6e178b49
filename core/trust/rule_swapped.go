package trust

import (
	"fmt"
	"math"
)

func init() {
	register(Rule{
		Name: "swapped", Title: "Two figures changed places", Severity: Serious,
		Proposal: "Check the order in which the two were written down", Again: "repeat",
		Sentence: "Two figures in one unit are far from what is expected of each and near what is expected of the " +
			"other, as when columns are mixed up.",
		Source: "More than four standard deviations from its own other repeats or kin, and less than two from the other's.",
		Find: func(c Case, _ float64) []Found {
			for i, a := range c.Figures {
				for _, b := range c.Figures[i+1:] {
					x, okA := own(c, a)
					y, okB := own(c, b)
					ea, sa := c.expected(a)
					eb, sb := c.expected(b)
					if !okA || !okB || a.Measure.Unit != b.Measure.Unit || sa == 0 || sb == 0 || math.Abs(ea-eb) < 0.22 ||
						math.Abs(x-ea) < 4*sa || math.Abs(y-eb) < 4*sb || math.Abs(x-eb) > 2*sb ||
						math.Abs(y-ea) > 2*sa {
						continue
					}
					say := func(v float64) string { return value(a.Measure, natural(a.Measure, v)) }
					return []Found{{Size: math.Min(math.Abs(x-ea)/sa, math.Abs(y-eb)/sb) / 4, Evidence: []Evidence{
						{a.Measure.Name, say(x)}, {"expected", say(ea)}, {b.Measure.Name, say(y)}, {"expected", say(eb)}},
						Sentence: fmt.Sprintf("%s and %s seem to have changed places: %s and %s, where %s and %s were expected.",
							a.Measure.Name, b.Measure.Name, say(x), say(y), say(ea), say(eb))}}
				}
			}
			return nil
		},
	})
}

// expected is what a figure's other repeats let expect, else its kin, and the standard deviation about that; 0 for
// nothing.
func (c Case) expected(f Figures) (at, sd float64) {
	one, _ := f.held()
	if mean, sd, n := c.others(f); n >= 2 && one > 0 {
		return mean, sd
	}
	if f.Kin.N < fewKin || f.Kin.SD == 0 {
		return 0, 0
	}
	return f.Kin.Expected, math.Hypot(math.Hypot(f.Kin.SD, f.Kin.SE), one)
}
