package trust

import (
	"fmt"

	"durvek/core/record"
	"durvek/core/stats"
)

func init() {
	register(Rule{
		Name: "trend", Title: "Changes while it runs", Severity: Caution, Proposal: "Let it cool down and repeat, or use " +
			"the lasting form of the test", Again: "cool", Statistical: true, Limit: 5, LimitUnit: "% from beginning to end",
		Least:    1,
		Sentence: "The rate falls, warms up or breaks in within the run, in a test that is not about lasting load.",
		Source: "Levels by least squares over penalised segments (Killick et al., JASA 107, 2012), held against a " +
			"constant, a " +
			"line and an exponential approach; 20 samples or more.",
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
				way, ok := stats.CourseOf(s.Values, stats.CourseOptions{Matter: limit / 100, Dip: 0.05})
				if !ok || way.Shape == stats.Flat || way.Shape != stats.Recurrent && !moved(way) {
					continue
				}
				share := 100 * largest(way)
				out = append(out, Found{Measure: m.Slug, Size: share / limit, Picture: coursePicture(s, way),
					Evidence: []Evidence{{"change", fmt.Sprintf("%.0f %%", share)}, {"samples", fmt.Sprint(len(s.Values))},
						{"levels", fmt.Sprint(len(way.Levels))}},
					Sentence: "The " + m.Name + " " + saysCourse(way, s.Times) + "."})
			}
			return out
		},
	})
}

// rates are a run's own series over time that belong to a measure.
func rates(c Case) []record.Series {
	var out []record.Series
	for _, s := range c.Run.Series {
		if s.Axis == "" && len(s.Values) >= stats.LeastCourse {
			out = append(out, s)
		}
	}
	return out
}
