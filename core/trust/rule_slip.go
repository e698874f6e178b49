package trust

import (
	"fmt"
	"math"
	"slices"

	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

// slips are the factors by which a figure goes wrong when units are mixed up: bit for byte, a decimal
// place, a prefix.
var slips = []float64{8, 10, 1000}

// leastKin is how many variants must stand behind what is expected of a figure.
const leastKin = 12

func init() {
	register(Rule{
		Name: "unit-slip", Title: "Looks like a slip of units of measure", Severity: Serious,
		Proposal: "Check the unit that the program or the reader used, and repeat", Again: "repeat", Statistical: true,
		Limit: 4.5, LimitUnit: "standard deviations of the kin, in Student's t with 11 degrees of freedom", Least: 3,
		Sentence: "A figure is about 8, 10 or 1000 times, or as many times less, than its repeats or twelve or more " +
			"kindred variants let expect.",
		Source: "The residual of a model of two effects, variant and measure, within a group of measures, against the " +
			"kin's own residuals.",
		Hides: []string{"far-from-kin", "outlier", "spread"},
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				x, ok := own(c, f)
				if !ok || !f.Measure.Scale.Logarithmic() {
					continue
				}
				off, sd, of := beside(c, f, x)
				least, within := 3*sd, 0.35
				picture := repeats(f.Measure, f.Repeats, x-off, math.Max(least, 0.02))
				for i, r := range f.Repeats {
					if r.Run == c.Run.ID {
						picture.Marked = []int{i}
					}
				}
				if sd == 0 {
					if f.Kin.N < leastKin || f.Kin.SD == 0 {
						continue
					}
					off, sd, of = x-f.Kin.Expected, math.Hypot(f.Kin.SD, f.Kin.SE), fmt.Sprintf("what %d kindred variants let expect",
						f.Kin.N)
					picture = among(f, x)
					least = limit * sd * widen(f.Kin.DF) / widen(11)
					if c.unslipped(f) {
						within = 0.15
					}
				}
				factor, far := nearest(off)
				if math.Abs(off) <= least || far > math.Min(math.Max(3*sd, 0.12), within) || sd > 0.25 {
					continue
				}
				out = append(out, Found{Measure: f.Measure.Slug, Size: math.Abs(off) / least, Picture: picture,
					Evidence: []Evidence{{"reading", value(f.Measure, math.Exp(x))}, {"expected", value(f.Measure, math.Exp(x-off))},
						{"times", fmt.Sprintf("%.3g", math.Exp(math.Abs(off)))}},
					Sentence: fmt.Sprintf("%s is %s times %s, %s: near a factor of %s, as when a unit is mixed up.", value(f.Measure,
						math.Exp(x)), quantity.Number(math.Exp(off), 2), of, value(f.Measure, math.Exp(x-off)), factor)})
			}
			return out
		},
	})
}

// unslipped tells whether another figure of the run in the same unit is where its kin let expect it: a program that
// mixes up a unit does so in all.
func (c Case) unslipped(f Figures) bool {
	return slices.ContainsFunc(c.Figures, func(o Figures) bool {
		x, ok := own(c, o)
		return ok && o.Measure.Slug != f.Measure.Slug && o.Measure.Unit == f.Measure.Unit && o.Kin.N >= leastKin &&
			math.Abs(x-o.Kin.Expected) < math.Log(3)
	})
}

// own is the examined run's reading of a figure on the working scale.
func own(c Case, f Figures) (x float64, ok bool) {
	for _, r := range c.Run.Readings {
		if r.Measure == f.Measure.Slug && r.State == record.OK {
			if f.Measure.Scale.Logarithmic() {
				return math.Log(r.Value), r.Value > 0
			}
			return r.Value, true
		}
	}
	return 0, false
}

// others is the mean of a figure's repeats but for the examined run's, how many there are, and the standard deviation
// that one more is held against, 2 % at least; 0 where fewer than two are there.
func (c Case) others(f Figures) (mean, sd float64, n int) {
	xs, rs := f.working()
	var others []float64
	for i, r := range rs {
		if r.Run != c.Run.ID {
			others = append(others, xs[i])
		}
	}
	if n = len(others); n < 2 {
		return 0, 0, n
	}
	one, _ := f.Pool.Held(f.Cell)
	return stats.Average(others), max(math.Sqrt(squares(others)/float64(n-1)), one, 0.02), n
}

// beside holds a reading against two or more other repeats that agree with each other; sd 0 where there
// are none.
func beside(c Case, f Figures, x float64) (off, sd float64, of string) {
	mean, sd, n := c.others(f)
	if n < 2 || math.Abs(x-mean) < 1 { // it goes with its repeats, which may all be wrong
		return 0, 0, ""
	}
	return x - mean, sd, fmt.Sprintf("the mean of its %d other repeats", n)
}

// nearest names the slip that a distance on the scale of logarithms comes closest to, and how far it is from it.
func nearest(off float64) (name string, far float64) {
	far = math.Inf(1)
	for _, f := range slips {
		if d := math.Abs(math.Abs(off) - math.Log(f)); d < far {
			name, far = fmt.Sprintf("%g", f), d
		}
	}
	if a := math.Abs(off); a > math.Log(7) && a < math.Log(11.5) {
		name = "8 or 10" // the kin cannot tell these apart
	}
	return name, far
}

// among pictures a figure among those of its kin.
func among(f Figures, x float64) *Picture {
	if f.Kin.N == 0 {
		return nil
	}
	p := &Picture{Kind: "rivals", Unit: f.Measure.Unit, X: []float64{}, Y: []float64{}, Marked: []int{len(f.Kin.Values)}}
	for i, v := range append(append([]float64(nil), f.Kin.Values...), x) {
		p.X, p.Y = append(p.X, float64(i)), append(p.Y, math.Exp(v))
	}
	half := 3 * math.Hypot(f.Kin.SD, f.Kin.SE)
	p.Band = &[2]float64{math.Exp(f.Kin.Expected - half), math.Exp(f.Kin.Expected + half)}
	return p
}
