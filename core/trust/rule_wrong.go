package trust

import (
	"strings"

	"durvek/core/record"
)

func init() {
	register(Rule{
		Name: "self-check", Title: "Computed wrongly", Severity: Serious, Proposal: "Repeat; if it fails again, note a " +
			"defect of the unit", Again: "repeat", Failed: true,
		Sentence: "The test's own check of its output failed: the machine, its memory or its driver computed wrongly.",
		Find: func(c Case, _ float64) []Found {
			if !strings.Contains(c.Run.Failure, record.WrongAnswer) {
				return nil
			}
			return []Found{{Group: c.Run.Test + "|" + c.Run.Setup + "|" + c.Run.Failure,
				Sentence: "The test's own check failed: " + c.Run.Failure + ".",
				Evidence: []Evidence{{"said", c.Run.Failure}}}}
		},
	})
}
