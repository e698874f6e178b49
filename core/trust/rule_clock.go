package trust

import (
	"strings"

	"durvek/core/record"
)

func init() {
	register(Rule{
		Name: "clock-stepped", Title: "Clock was stepped", Severity: Note, Proposal: "Repeat it if times matter; lengths " +
			"are by the steady clock", Again: "repeat",
		Sentence: "The machine's clock was set anew while the run went on.",
		Find: func(c Case, _ float64) []Found {
			said := told(c.Run, record.ClockStepped)
			if len(said) == 0 && c.Run.Ended.Before(c.Run.Started) {
				said = []string{"the run ended before it began"}
			}
			if len(said) == 0 {
				return nil
			}
			return []Found{{Sentence: "The clock cannot be trusted: " + strings.Join(said, "; ") + ".",
				Evidence: []Evidence{{"clock", said[0]}}}}
		},
	})
}
