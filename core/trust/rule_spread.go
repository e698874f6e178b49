package trust

import (
	"fmt"
	"math"
)

func init() {
	register(Rule{
		Name: "spread", Title: "Repeats scatter", Severity: Caution, Proposal: "Look for what disturbs it, and repeat",
		Again: "repeat", Statistical: true, Whole: true, Limit: 4, LimitUnit: "times the usual standard deviation", Least: 2,
		Sentence: "The repeats of a cell scatter far more than those of other machines in this test.",
		Source:   "s > L·s_r for 3 repeats or more; s_r pooled without this cell.",
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				xs, rs := f.working()
				sd, wide := f.noise(rs)
				n := len(xs)
				if n < 3 || sd == 0 {
					continue
				}
				s := math.Sqrt(squares(xs) / float64(n-1))
				if s <= limit*wide*sd || lone(xs, limit*wide*sd) { // one bad repeat is the outlier rule's
					continue
				}
				out = append(out, Found{Measure: f.Measure.Slug, Cell: true, Run: rs[n-1].Run, Runs: ids(rs),
					Size: s / (limit * wide * sd), Picture: repeats(f.Measure, rs, mean(xs), 2*sd),
					Evidence: []Evidence{{"repeats", list(f.Measure, rs)}, {"their standard deviation", typical(f.Measure, s)},
						{"typical of this test", typical(f.Measure, sd)}},
					Sentence: fmt.Sprintf("%d repeats scatter %.0f times as much as is typical of this test.", n, s/sd)})
			}
			return out
		},
	})
}

// lone tells whether a single value, left out, takes the scatter below the limit, where three others remain.
func lone(xs []float64, limit float64) bool {
	if len(xs) < 4 {
		return false
	}
	for out := range xs {
		rest := append(append([]float64(nil), xs[:out]...), xs[out+1:]...)
		if math.Sqrt(squares(rest)/float64(len(rest)-1)) < limit/2 {
			return true
		}
	}
	return false
}
