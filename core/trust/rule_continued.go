package trust

func init() {
	register(Rule{
		Name: "continued", Title: "Run-down continued by reckoning", Severity: Note,
		Proposal: "Repeat it from full to empty if the run time decides anything",
		Sentence: "The battery was not watched from full to empty; what is missing is reckoned along its straight part.",
		Find: func(c Case, _ float64) []Found {
			seen := c.Run.Negotiated["battery.logged"]
			if c.Run.Negotiated["battery.extrapolated"] != "yes" || seen == "" {
				return nil
			}
			out := Found{Evidence: []Evidence{{"seen", seen}}, Sentence: "The battery was seen from " + seen +
				"; the rest is reckoned along the straight part of its fall."}
			if end := c.Run.Negotiated["battery.end"]; end != "" {
				out.Evidence = append(out.Evidence, Evidence{"end", end})
			}
			if m, ok := c.Test.Measure("hours"); ok {
				out.Measure, out.Cell = m.Slug, true
			}
			return []Found{out}
		},
	})
}
