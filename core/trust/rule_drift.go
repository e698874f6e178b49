package trust

import (
	"fmt"

	"durvek/core/say"
)

func init() {
	register(Rule{
		Name: "drift", Title: "Drifts from repeat to repeat", Severity: Caution, Proposal: "Let it cool down and repeat",
		Again: "cool", Statistical: true, Whole: true, Limit: cleanRuns, LimitUnit: budgeted, Least: 20,
		Sentence: "The repeats of one sitting rise or fall steadily, as when a machine grows warm.",
		Source: "Least squares over the order of 3 repeats or more; the slope in Student's t, with a variance moderated by " +
			"what is expected without this cell.",
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				sd, df := f.held()
				if sd == 0 {
					continue
				}
				x := f.worst(3, driftShare, drift(sd, df)) // of several sittings, the one that drifts most
				chance := x.chance * limit / cleanRuns
				if chance > 1/cleanRuns {
					continue
				}
				n := len(x.rs)
				out = append(out, Found{Measure: f.Measure.Slug, Cell: true, Run: x.rs[n-1].Run, Runs: ids(x.rs),
					Chance: chance, Size: farther(chance), Picture: repeats(f.Measure, x.rs, x.xs[0], 3*sd),
					Evidence: []Evidence{{"repeats", list(f.Measure, x.rs)},
						{"one run is typically good to", typical(f.Measure, sd)}},
					Sentence: fmt.Sprintf("The last of %d repeats %s, and those between go the same way.", n,
						say.Is(apart(f.Measure, x.d).Than("the first")))})
			}
			return out
		},
	})
}
