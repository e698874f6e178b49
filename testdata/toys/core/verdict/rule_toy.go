package verdict

func init() {
	register(Rule{
		Name:     "toy",
		Sentence: "Every subject is blue.",
		Find: func(Facts) []Finding {
			return []Finding{{Kind: Strength, Text: "It is blue.", Certainty: Sure, Prominence: 99}}
		},
	})
}
