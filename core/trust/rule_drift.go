package trust

import (
	"fmt"
	"math"
)

func init() {
	register(Rule{
		Name: "drift", Title: "Drifts from repeat to repeat", Severity: Caution, Proposal: "Let it cool down and repeat", Again: "cool", Statistical: true, Whole: true, Limit: 5, LimitUnit: "standard deviations of the slope", Least: 3,
		Sentence: "The repeats of one sitting rise or fall steadily, as when a machine grows warm.",
		Source:   "Least squares over the order of the repeats: |slope|·√Sxx > L·s_r, for 3 repeats or more.",
		Hides:    []string{"spread"},
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				xs, rs := f.working()
				xs, rs = c.sitting(xs, rs)
				sd, wide := f.noise(rs)
				n := len(xs)
				if n < 3 || sd == 0 {
					continue
				}
				slope, sxx := line(xs)
				score := math.Abs(slope) * math.Sqrt(sxx) / (limit * wide * sd)
				// A single bad repeat tilts the line, too: then the rest holds no slope, and another rule has it.
				if score <= 1 || !steady(xs, slope) {
					continue
				}
				total := slope * float64(n-1)
				out = append(out, Found{Measure: f.Measure.Slug, Cell: true, Runs: ids(rs), Size: score, Picture: repeats(f.Measure, rs, xs[0], limit*wide*sd),
					Evidence: []Evidence{{"repeats", list(f.Measure, rs)}, {"one run is typically good to", typical(f.Measure, sd)}},
					Sentence: fmt.Sprintf("The last of %d repeats has %s than the first, and those between go the same way.", n, apart(f.Measure, total))})
			}
			return out
		},
	})
}

// line is the least-squares slope of values in order, per step, and the sum of squares of the steps.
func line(xs []float64) (slope, sxx float64) {
	mid, m := float64(len(xs)-1)/2, mean(xs)
	for i, x := range xs {
		sxx += (float64(i) - mid) * (float64(i) - mid)
		slope += (float64(i) - mid) * (x - m)
	}
	return slope / sxx, sxx
}

// steady tells whether a slope remains, to a third at least, whichever single value is left out; of three
// values, whether the middle one lies between the others.
func steady(xs []float64, slope float64) bool {
	if len(xs) == 3 {
		lo, hi := math.Min(xs[0], xs[2]), math.Max(xs[0], xs[2])
		reach := 0.25 * (hi - lo)
		return xs[1] > lo-reach && xs[1] < hi+reach
	}
	for out := range xs {
		var at, v []float64
		for i, x := range xs {
			if i != out {
				at, v = append(at, float64(i)), append(v, x)
			}
		}
		mid, m := mean(at), mean(v)
		var sxy, sxx float64
		for i := range v {
			sxy += (at[i] - mid) * (v[i] - m)
			sxx += (at[i] - mid) * (at[i] - mid)
		}
		if s := sxy / sxx; s*slope <= 0 || math.Abs(s) < math.Abs(slope)/3 {
			return false
		}
	}
	return true
}
