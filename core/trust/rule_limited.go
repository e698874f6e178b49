package trust

import (
	"fmt"
	"math"

	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

func init() {
	register(Rule{
		Name: "limited", Title: "Held back by heat or power", Severity: Caution, Proposal: "Let it cool down and repeat",
		Again: "cool",
		Sentence: "The trace shows that heat held the run back; or a power limit did, and the run is slower than two or " +
			"more repeats that something else held back. Tests of lasting load, whose subject this is, are left out.",
		Find: func(c Case, _ float64) []Found {
			l := c.Run.Course.Limiter
			if lasting(c.Test) || l.Label != record.ByHeat && l.Label != record.ByPower {
				return nil
			}
			ev := []Evidence{{"limiter", string(l.Label)}, {"why", l.Why}}
			if l.Label == record.ByPower { // a limit that the product always keeps is part of the product
				free, worse := c.heldLess()
				if free < 2 || worse == "" {
					return nil
				}
				ev = append(ev, Evidence{"repeats limited otherwise", fmt.Sprint(free)}, Evidence{"against them", worse})
			}
			f := Found{Sentence: fmt.Sprintf("Held back by %s: %s.", l.Label, l.Why), Evidence: ev}
			if t := c.Trace.Column("clock.mean"); len(t) > 1 {
				f.Picture = course("MHz", c.Trace.Times, t)
			}
			return []Found{f}
		},
	})
}

// heldLess counts the repeats that something else held back than the examined run, and says of the first figure that is
// worse here than the mean of theirs, by more than two runs scatter.
func (c Case) heldLess() (free int, worse string) {
	for _, f := range c.Figures {
		xs, rs := f.working()
		var others []float64
		for i, r := range rs {
			if r.Limiter == c.Run.Course.Limiter.Label && r.Run != c.Run.ID {
				return 0, "" // it is not alone
			}
			if r.Run != c.Run.ID && r.Limiter != "" && r.Limiter != record.ByUnknown {
				others = append(others, xs[i])
			}
		}
		x, ok := own(c, f)
		sd, _ := f.held()
		if !ok || len(others) < 2 || sd == 0 {
			continue
		}
		d := x - stats.Average(others)
		if (d < 0) == (f.Measure.Better == quantity.Higher) && math.Abs(d) > 2*math.Sqrt2*sd {
			return len(others), fmt.Sprintf("%s: %s", f.Measure.Name, apart(f.Measure, d).Phrase())
		}
	}
	return 0, ""
}
