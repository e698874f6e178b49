package trust

import (
	"fmt"
	"strings"

	"durvek/core/record"
)

func init() {
	register(Rule{
		Name: "too-short", Title: "Run too short", Severity: Caution, Proposal: "Give the test more to do, and repeat",
		Again:    "repeat",
		Sentence: "The run was shorter than its plan asks for, or ended in no time at all.",
		Find: func(c Case, _ float64) []Found {
			said := told(c.Run, record.TooShort)
			took := c.Run.Ended.Sub(c.Run.Started).Seconds()
			if len(said) == 0 && c.Run.Source == "agent" && c.Test.Origin == "workload" &&
				took < 0.05*c.Test.SecondsWith(c.Run.Options) {
				said = []string{fmt.Sprintf("it took %.2f s; the test usually takes %g s", took, c.Test.SecondsWith(c.Run.Options))}
			}
			if len(said) == 0 {
				return nil
			}
			return []Found{{Sentence: "The run was too short: " + strings.Join(said, "; ") + ".",
				Evidence: []Evidence{{"length", fmt.Sprintf("%.2f s", took)}}}}
		},
	})
}
