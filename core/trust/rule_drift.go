package trust

import (
	"fmt"
	"math"
)

func init() {
	register(Rule{
		Name: "drift", Title: "Drifts from repeat to repeat", Severity: Caution, Proposal: "Let it cool down and repeat",
		Again: "cool", Statistical: true, Whole: true, Limit: 5, LimitUnit: "standard deviations of the slope", Least: 3,
		Sentence: "The repeats of one sitting rise or fall steadily, as when a machine grows warm.",
		Source:   "Least squares over the order of the repeats: |slope|·√Sxx > L·s_r, for 3 repeats or more.",
		Hides:    []string{"spread", "outlier"},
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				all, rs := f.working()
				for _, sitting := range sittings(rs) { // of several, the one that drifts most
					xs, in := within(all, rs, sitting)
					sd, wide := f.noise(in)
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
					x := Found{Measure: f.Measure.Slug, Cell: true, Run: in[n-1].Run, Runs: ids(in), Size: score,
						Picture:  repeats(f.Measure, in, xs[0], limit*wide*sd),
						Evidence: []Evidence{{"repeats", list(f.Measure, in)}, {"one run is typically good to", typical(f.Measure, sd)}},
						Sentence: fmt.Sprintf("The last of %d repeats has %s than the first, and those between go the same way.", n,
							apart(f.Measure, slope*float64(n-1)))}
					if k := len(out) - 1; k >= 0 && out[k].Measure == x.Measure {
						if x.Size > out[k].Size {
							out[k] = x
						}
						continue
					}
					out = append(out, x)
				}
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
// values, whether the middle one lies well between the others.
func steady(xs []float64, slope float64) bool {
	if len(xs) == 3 {
		at := (xs[1] - xs[0]) / (xs[2] - xs[0])
		return at > 0.2 && at < 0.8
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
