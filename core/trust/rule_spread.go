package trust

import (
	"durvek/core/stats"
	"fmt"
)

func init() {
	register(Rule{
		Name: "spread", Title: "Repeats scatter", Severity: Caution, Proposal: "Look for what disturbs it, and repeat",
		Again: "repeat", Statistical: true, Whole: true, Limit: cleanRuns, LimitUnit: budgeted, Least: 20,
		Sentence: "The repeats of a sitting scatter far more than those of other machines in this test.",
		Source:   "The variance of 3 repeats or more against what is expected without this cell, in Snedecor's F.",
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				sd, df := f.held()
				if sd == 0 {
					continue
				}
				x := f.worst(3, spreadShare, scatter(sd, df))
				chance := x.chance * limit / cleanRuns
				if chance > 1/cleanRuns {
					continue
				}
				n := len(x.rs)
				out = append(out, Found{Measure: f.Measure.Slug, Cell: true, Run: x.rs[n-1].Run, Runs: ids(x.rs),
					Chance: chance, Size: farther(chance), Picture: repeats(f.Measure, x.rs, stats.Average(x.xs), 2*sd),
					Evidence: []Evidence{{"repeats", list(f.Measure, x.rs)}, {"their standard deviation", typical(f.Measure, x.d)},
						{"typical of this test", typical(f.Measure, sd)}},
					Sentence: fmt.Sprintf("%d repeats scatter %.0f times as much as is typical of this test.", n, x.d/sd)})
			}
			return out
		},
	})
}
