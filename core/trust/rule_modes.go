package trust

import (
	"durvek/core/stats"
	"fmt"
	"math"
	"slices"
)

// leastSide is how many repeats each of two modes must have, leastModes how many there must be in all.
const (
	leastSide  = 3
	leastModes = 8
)

func init() {
	register(Rule{
		Name: "two-modes", Title: "Two levels among the repeats", Severity: Caution,
		Proposal: "Look for what differs between the two groups, such as which chip or core did the work", Statistical: true,
		Whole: true, Limit: 6, LimitUnit: "times the scatter within each group", Least: 4,
		Sentence: "The repeats fall into two groups with a gap between them, as when a machine changes between two states.",
		Source: "Best split of 8 repeats or more with 3 or more on each side; the gap between the groups above L times " +
			"the scatter within them and above what three standard deviations of one run would explain.",
		Hides: []string{"spread", "outlier", "drift"},
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				xs, rs := f.working()
				sd, df := f.held()
				if len(xs) < leastModes || sd == 0 {
					continue
				}
				sorted := slices.Sorted(slices.Values(xs))
				at, gap, within := split(sorted)
				if at == 0 || gap <= limit*within || gap <= 3*widen(df)*sd {
					continue
				}
				cut := (sorted[at-1] + sorted[at]) / 2
				var low, high []Repeat
				var marked []int
				for i, r := range rs {
					if xs[i] < cut {
						low, marked = append(low, r), append(marked, i)
					} else {
						high = append(high, r)
					}
				}
				rare := low
				if len(high) < len(low) {
					rare = high
				}
				out = append(out, Found{Measure: f.Measure.Slug, Cell: true, Run: rare[len(rare)-1].Run, Runs: ids(rare),
					Size: gap / (limit * within), Picture: repeats(f.Measure, rs, cut, gap/2, marked...),
					Evidence: []Evidence{{"lower group", list(f.Measure, low)}, {"upper group", list(f.Measure, high)}},
					Sentence: fmt.Sprintf("%d repeats stand around %s and %d around %s, with nothing between.", len(low),
						value(f.Measure, natural(f.Measure, stats.Average(sorted[:at]))), len(high), value(f.Measure, natural(f.Measure,
							stats.Average(sorted[at:]))))})
			}
			return out
		},
	})
}

// split parts sorted values where the gap is widest for the scatter on both sides: at is the first value of
// the upper group, gap the distance of the groups' neighbouring ends, within the pooled standard deviation.
func split(sorted []float64) (at int, gap, within float64) {
	best := 0.0
	for i := leastSide; i <= len(sorted)-leastSide; i++ {
		w := math.Sqrt((squares(sorted[:i]) + squares(sorted[i:])) / float64(len(sorted)-2))
		g := sorted[i] - sorted[i-1]
		if r := g / math.Max(w, 1e-12); r > best {
			best, at, gap, within = r, i, g, w
		}
	}
	return at, gap, within
}
