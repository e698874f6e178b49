package trust

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"durvek/core/record"
)

func init() {
	register(Rule{
		Name: "same-digits", Title: "The same digits again", Severity: Serious,
		Proposal: "Check whether a figure was copied or kept from before, and repeat", Again: "repeat", Statistical: true,
		Limit: 4, LimitUnit: "zeros before chance: 4 means 1 in 10,000", Least: 2,
		Sentence: "Repeats agree to the last digit where their usual scatter makes that all but impossible.",
		Source:   "For n alike readings of step d and standard deviation s: probability (d/(s·√2π))ⁿ⁻¹/√n.",
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				x, ok := own(c, f)
				p := f.Pool.Without(f.Cell)
				if !ok || p.DF < 3 || p.SR == 0 || f.Measure.Scale == "grade" || f.Measure.Scale == "pass" {
					continue
				}
				read := slices.IndexFunc(c.Run.Readings, func(r record.Reading) bool { return r.Measure == f.Measure.Slug })
				v := c.Run.Readings[read].Value // as it was read, to the digit
				same := []Repeat{}
				step := f.Measure.Resolution
				for _, r := range append(append([]Repeat(nil), f.Repeats...), f.Copied...) {
					if r.Bound == "" {
						step = math.Max(step, lastDigit(r.Value))
						if math.Abs(r.Value-v) <= 1e-12*math.Abs(v) {
							same = append(same, r)
						}
					}
				}
				n := float64(len(same))
				sd := p.SR
				if f.Measure.Scale.Logarithmic() {
					sd *= math.Abs(v)
				}
				// Among k readings, n alike may be any n of them.
				ways := choose(len(f.Repeats)+len(f.Copied), len(same))
				chance := ways * math.Pow(math.Min(step/(sd*2.5066), 1), n-1) / math.Sqrt(n)
				if n < 2 || chance >= math.Pow(10, -limit) {
					continue
				}
				out = append(out, Found{Measure: f.Measure.Slug, Size: -math.Log10(chance) / limit, Picture: repeats(f.Measure,
					f.Repeats, x, p.SR),
					Evidence: []Evidence{{"readings", list(f.Measure, same)}, {"last digit", strconv.FormatFloat(step, 'g', 2, 64)},
						{"chance", fmt.Sprintf("%.0e", chance)}},
					Sentence: fmt.Sprintf("%d readings are %s to the last digit; chance would do that once in %.0e times.", len(same),
						strings.TrimSpace(strconv.FormatFloat(v, 'f', -1, 64)), 1/chance)})
			}
			return out
		},
	})
}

// lastDigit is the value of the last decimal place that a number needs.
func lastDigit(v float64) float64 {
	text := strconv.FormatFloat(v, 'f', -1, 64)
	_, frac, found := strings.Cut(text, ".")
	if !found {
		return 1
	}
	return math.Pow(10, -float64(len(frac)))
}

func choose(n, k int) float64 {
	out := 1.0
	for i := range k {
		out *= float64(n-i) / float64(i+1)
	}
	return out
}
