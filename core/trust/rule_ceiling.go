package trust

import "durvek/core/record"

func init() {
	register(Rule{
		Name: "ceiling", Title: "At the test's ceiling", Severity: Note, Proposal: "Use a heavier test; the true figure " +
			"is higher",
		Sentence: "A reading stands at the highest value that the test can show, so the true one is unknown.",
		Find: func(c Case, _ float64) []Found {
			var out []Found
			for _, r := range c.Run.Readings {
				m, ok := c.Test.Measure(r.Measure)
				if !ok || r.State != record.AtCeiling {
					continue
				}
				ev := []Evidence{{"reading", value(m, r.Value)}}
				if m.Ceiling != nil {
					ev = append(ev, Evidence{"ceiling", value(m, *m.Ceiling)})
				}
				out = append(out, Found{Measure: m.Slug, Cell: true, Evidence: ev, Sentence: "The " + m.Name + " is at least " +
					value(m, r.Value) + ": the test can show no more."})
			}
			return out
		},
	})
}
