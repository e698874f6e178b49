package stats

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"durvek/internal/golden"
)

// What is learnt of a desk's noise, in full: its factor and spread, the effects of its units, what a test's runs are
// good to, and the estimates of cells by it.
func TestTheNoiseOfDesksInFull(t *testing.T) {
	out := map[string]any{}
	for _, units := range []int{2, 5, 12} {
		for _, tests := range []int{1, 4} {
			for _, loud := range []float64{1, 3, 9} {
				rng := rand.New(rand.NewPCG(uint64(units), uint64(10*tests)+uint64(loud)))
				scatters, cells := deskOf(rng, units, tests, loud)
				n, sums := FitNoise(scatters, units)
				var effects []Effect
				var estimates []Estimate
				for u := range min(units, 3) {
					e := n.Effect(&sums[u], nil)
					effects = append(effects, e)
					var samples []Sample
					for i, c := range cells[0] {
						samples = append(samples, Sample{c, n.Effect(&sums[i], nil).Counted})
					}
					p := PoolOf(samples, Grain{}, true, n.Prior("0", 0.02)).For(e)
					estimates = append(estimates, p.Estimate(cells[0][u], true))
				}
				usual, known := n.Usual("0", 0.02)
				out[fmt.Sprintf("%d units, %d tests, one %g times as noisy", units, tests, loud)] = map[string]any{
					"factor": n.Factor, "tau": n.Tau, "effects": effects, "estimates": estimates, "usual": usual, "known": known}
			}
		}
	}
	golden.JSON(t, "noise.json", out)
}

// What is read out of series of known shape and length, in full.
func TestCoursesInFull(t *testing.T) {
	out := map[string]any{}
	for name, shape := range map[string]func(x float64) float64{
		"flat": func(float64) float64 { return 1 }, "a step": stepAt(0.3, 0.8), "a late step": stepAt(0.93, 0.7),
		"a rise": stepAt(0.2, 1.25), "two steps": func(x float64) float64 {
			return stepAt(0.3, 0.8)(x) * stepAt(0.7,
				0.8)(x)
		},
		"a decay": func(x float64) float64 { return 0.7 + 0.3*math.Exp(-5*x) },
		"a line":  func(x float64) float64 { return 1 - 0.25*x },
		"dips": func(x float64) float64 {
			if math.Mod(x, 0.25) < 0.02 {
				return 0.6
			}
			return 1
		},
		"one dip": func(x float64) float64 {
			if x > 0.5 && x < 0.52 {
				return 0.5
			}
			return 1
		},
	} {
		for _, n := range []int{20, 60, 300, 2000} {
			for auto, how := range map[float64]string{0: "independent", 0.8: "each like the last"} {
				rng := rand.New(rand.NewPCG(uint64(n), 77))
				c, ok := CourseOf(rates(rng, n, 0.01, auto, shape), CourseOptions{Matter: 0.03, Dip: 0.05})
				out[fmt.Sprintf("%s, %d, %s", name, n, how)] = fmt.Sprintf("%t %s by %.4f, half at %d, matters %.4f; %s; %s", ok,
					c.Shape, c.Change, c.Half, c.Matter, parts(c.Levels), parts(c.Dips))
			}
		}
	}
	golden.JSON(t, "courses.json", out)
}

func parts(list []Segment) (out string) {
	for _, s := range list {
		out += fmt.Sprintf("[%d %d) %.5f ", s.From, s.To, s.Mean)
	}
	return out
}
