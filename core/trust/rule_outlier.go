package trust

import (
	"fmt"
	"math"
)

func init() {
	register(Rule{
		Name: "outlier", Title: "Far from its repeats", Severity: Caution, Proposal: "Repeat now", Again: "repeat",
		Statistical: true, Whole: true, Hides: []string{"spread"}, Limit: 5, LimitUnit: "standard deviations of one run",
		Least: 3,
		Sentence: "One repeat lies far from the mean of all, held against what one run of this test usually scatters. Of " +
			"two repeats nobody can say which is wrong.",
		Source: "max|xᵢ − x̄| > L·s_r·√((n−1)/n), by analogy with ISO 5725-6 at n = 2; s_r pooled without this cell.",
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				xs, rs := f.working()
				sd, wide := f.noise(rs)
				n := float64(len(xs))
				if len(xs) < 2 || sd == 0 {
					continue
				}
				m, worst := mean(xs), 0
				for i, x := range xs {
					if math.Abs(x-m) > math.Abs(xs[worst]-m) {
						worst = i
					}
				}
				far := math.Abs(xs[worst] - m)
				bound := limit * wide * sd * math.Sqrt((n-1)/n)
				if far <= bound {
					continue
				}
				rest := (n*m - xs[worst]) / (n - 1) // mean of the others
				if s := math.Sqrt(squares(xs) / (n - 1)); len(xs) > 2 && s > 4*wide*sd {
					others := append(append([]float64(nil), xs[:worst]...), xs[worst+1:]...)
					if math.Sqrt(squares(others)/(n-2)) > 2*wide*sd {
						continue // the others do not agree either: they scatter, which another rule says
					}
				}
				x := Found{Measure: f.Measure.Slug, Cell: true, Run: rs[worst].Run, Size: far / bound,
					Evidence: []Evidence{{"repeats", list(f.Measure, rs)}, {"one run is typically good to", typical(f.Measure, sd)}},
					Sentence: fmt.Sprintf("%s is %s than its other %d repeats, whose mean is %s.", value(f.Measure, rs[worst].Value),
						apart(f.Measure, xs[worst]-rest), len(xs)-1, value(f.Measure, natural(f.Measure, rest)))}
				if len(xs) == 2 {
					x.Run, x.Runs = rs[1].Run, ids(rs)
					x.Sentence = fmt.Sprintf("Two repeats, %s, lie %.0f times as far apart as is typical; one of them is wrong.",
						list(f.Measure, rs), math.Abs(xs[0]-xs[1])/(1.128*sd))
					x.Picture = repeats(f.Measure, rs, m, limit*wide*sd/math.Sqrt2, 0, 1)
				} else {
					x.Picture = repeats(f.Measure, rs, rest, limit*wide*sd, worst)
				}
				out = append(out, x)
			}
			return out
		},
	})
}
