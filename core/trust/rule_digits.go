package trust

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"durvek/core/record"
	"durvek/core/stats"
)

func init() {
	register(Rule{
		Name: "same-digits", Title: "The same digits again", Severity: Serious,
		Proposal: "Check whether a figure was copied or kept from before, and repeat", Again: "repeat", Statistical: true,
		Limit: 4, LimitUnit: "zeros before chance: 4 means 1 in 10,000", Least: 2,
		Sentence: "Repeats agree to the last digit where their usual scatter makes that all but impossible.",
		Source: "For n alike of readings with step d about a variance of s₀² on d₀ degrees of freedom: " +
			"(d/√2π)ⁿ⁻¹/√n · (2/d₀s₀²)^((n−1)/2) · Γ((d₀+n−1)/2)/Γ(d₀/2), and not less than the share of pairs elsewhere " +
			"in the test that are alike, to the same power; times the ways to choose them and the run's measures.",
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				x, ok := own(c, f)
				sd, df := f.held()
				if !ok || sd == 0 || f.Measure.Scale == "grade" || f.Measure.Scale == "pass" {
					continue
				}
				read := slices.IndexFunc(c.Run.Readings, func(r record.Reading) bool { return r.Measure == f.Measure.Slug })
				v := c.Run.Readings[read].Value
				same := []Repeat{}
				for _, r := range append(append([]Repeat(nil), f.Repeats...), f.Copied...) {
					if r.Bound == "" && math.Abs(r.Value-v) <= 1e-12*math.Abs(v) { // to 12 digits: a unit may have been converted
						same = append(same, r)
					}
				}
				n := float64(len(same))
				if n < 2 {
					continue
				}
				step := f.step(v)
				chance := f.alike(n, step, sd, df) * choose(len(f.Repeats)+len(f.Copied), len(same)) * float64(len(c.Figures))
				if chance >= math.Pow(10, -limit) {
					continue
				}
				out = append(out, Found{Measure: f.Measure.Slug, Size: -math.Log10(chance) / limit, Picture: repeats(f.Measure,
					f.Repeats, x, sd),
					Evidence: []Evidence{{"readings", list(f.Measure, same)}, {"step between readings", f.stepText(v, step)},
						{"chance", fmt.Sprintf("%.0e", chance)}},
					Sentence: fmt.Sprintf("%d readings are %s to the last digit; chance would do that once in %.0e times.", len(same),
						strings.TrimSpace(strconv.FormatFloat(v, 'g', 12, 64)), 1/chance)})
			}
			return out
		},
	})
}

// step is how finely readings about a value are told, on the working scale: by the cell's own, and by the pool's where
// it holds for those, too.
func (f Figures) step(v float64) float64 {
	log := f.Measure.Scale.Logarithmic()
	all := []float64{v, v}
	for _, r := range append(append([]Repeat(nil), f.Repeats...), f.Copied...) {
		all = append(all, r.Value)
	}
	step := stats.GrainOf(all, f.Measure.Resolution).At(v, log)
	if g := f.Pool.Grain(); g.Fits(v) {
		step = math.Max(step, g.At(v, log))
	}
	return step
}

func (f Figures) stepText(v, step float64) string {
	if f.Measure.Scale.Logarithmic() {
		step = math.Abs(v) * math.Expm1(step)
	}
	return strconv.FormatFloat(step, 'g', 2, 64)
}

// alike is the chance that n readings about an expected variance are alike, and not less than what pairs of the test's
// other cells let expect.
func (f Figures) alike(n, step, s0, d0 float64) float64 {
	ga, _ := math.Lgamma((d0 + n - 1) / 2)
	gb, _ := math.Lgamma(d0 / 2)
	model := (n-1)*math.Log(step/math.Sqrt(2*math.Pi)) - math.Log(n)/2 + (n-1)/2*math.Log(2/(d0*s0*s0)) + ga - gb
	ties, pairs := f.Pool.Ties()
	seen := (n - 1) * math.Log((ties+0.5)/(pairs+1))
	return math.Exp(math.Min(0, math.Max(model, seen)))
}

func choose(n, k int) float64 {
	out := 1.0
	for i := range k {
		out *= float64(n-i) / float64(i+1)
	}
	return out
}
