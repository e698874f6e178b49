package trust

import (
	"fmt"
	"math"

	"durvek/core/record"
	"durvek/core/stats"
)

func init() {
	register(Rule{
		Name: "trend", Title: "Changes while it runs", Severity: Caution, Proposal: "Let it cool down and repeat, or use " +
			"the lasting form of the test", Again: "cool", Statistical: true, Limit: 5, LimitUnit: "% from beginning to end",
		Least:    1,
		Sentence: "The rate rises or falls steadily within the run, in a test that is not about lasting load.",
		Source: "Mann–Kendall test for 10 samples or more, its variance corrected for autocorrelation (Hamed and Rao, " +
			"Journal of Hydrology 204, 1998), z > 4; size by Sen's slope.",
		Find: func(c Case, limit float64) []Found {
			if lasting(c.Test) {
				return nil
			}
			var out []Found
			for _, s := range rates(c) {
				m, ok := c.Test.Measure(s.Channel)
				if !ok || !m.Scale.Logarithmic() {
					continue
				}
				v := stats.Blocks(s.Values, 120)
				z, slope := stats.MannKendall(v)
				middle := stats.Quantile(v, 0.5)
				share := 100 * math.Abs(slope) * float64(len(v)-1) / middle
				if len(v) < 10 || math.Abs(z) < 4 || !(share > limit) {
					continue
				}
				word := "rose"
				if slope < 0 {
					word = "fell"
				}
				out = append(out, Found{Measure: m.Slug, Size: share / limit, Picture: course(s.Unit, s.Times, s.Values),
					Evidence: []Evidence{{"change", fmt.Sprintf("%.0f %%", share)}, {"samples", fmt.Sprint(len(s.Values))},
						{"Mann–Kendall z", fmt.Sprintf("%.1f", z)}},
					Sentence: fmt.Sprintf("The %s %s by %.0f %% while the run went on.", m.Name, word, share)})
			}
			return out
		},
	})
}

// rates are a run's own series over time that belong to a measure.
func rates(c Case) []record.Series {
	var out []record.Series
	for _, s := range c.Run.Series {
		if s.Axis == "" && len(s.Values) >= 10 {
			out = append(out, s)
		}
	}
	return out
}

// course pictures a series over a run, thinned to what a small picture shows.
func course(unit string, times, values []float64) *Picture {
	p := &Picture{Kind: "course", Unit: unit, X: []float64{}, Y: []float64{}}
	var at, v []float64
	for i := range values {
		if !math.IsNaN(values[i]) {
			at, v = append(at, times[i]), append(v, values[i])
		}
	}
	p.X, p.Y = append(p.X, stats.Blocks(at, 60)...), append(p.Y, stats.Blocks(v, 60)...)
	return p
}
