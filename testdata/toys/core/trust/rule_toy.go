package trust

func init() {
	register(Rule{
		Name: "toy", Title: "It rained", Severity: Note, Proposal: "Wait for the sun", Again: "repeat",
		Sentence: "The weather is observed to be rain.",
		Find: func(c Case, _ float64) []Found {
			if c.Run.Observed["toy.weather"] != "rain" {
				return nil
			}
			return []Found{{Group: c.Run.ID, Size: 1, Sentence: "It rained during the run.",
				Evidence: []Evidence{{"weather", "rain"}}}}
		},
	})
}
