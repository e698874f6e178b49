package verdict

import (
	"fmt"
	"strings"
)

func init() {
	register(Rule{
		Name:     "missing-evidence",
		Sentence: "Rivals were measured where the subject was not.",
		Find: func(f Facts) []Finding {
			if len(f.Missing) == 0 {
				return nil
			}
			return []Finding{{Kind: Note, Certainty: Undecided, Prominence: 0.15, RestsOn: []string{"missing"},
				Text: fmt.Sprintf("Not measured here, though rivals were: %s.", strings.Join(f.Missing, ", "))}}
		},
	})
}
