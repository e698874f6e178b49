package trust

import (
	"fmt"
	"slices"

	"durvek/core/record"
)

func init() {
	register(Rule{
		Name: "departure", Title: "Not as planned", Severity: Serious, Proposal: "Set it up as planned and repeat",
		Again:    "repeat",
		Sentence: "A condition was observed otherwise than the setup says, before, during or after the run.",
		Find: func(c Case, _ float64) []Found {
			var ev []Evidence
			var said []string
			for _, d := range Departures(c.Setup.Conditions, c.Run.Observed) {
				if d.Condition != "ambient" && c.Test.Needs[d.Condition] != d.B {
					// the first has a rule of its own, the second is as the test wants it
					said = append(said, d.String())
					ev = append(ev, Evidence{d.Condition, fmt.Sprintf("%s planned, %s observed", d.A, d.B)})
				}
			}
			for _, m := range c.Run.Marks {
				if m.Kind == record.Departure && !slices.Contains(said, m.Text) {
					said = append(said, m.Text)
					ev = append(ev, Evidence{fmt.Sprintf("after %.0f s", m.At), m.Text})
				}
			}
			if len(said) == 0 {
				return nil
			}
			text := said[0]
			if len(said) > 1 {
				text = fmt.Sprintf("%s, and %d more", said[0], len(said)-1)
			}
			return []Found{{Group: c.Run.Sitting + "|" + c.Run.Setup + "|" + text,
				Sentence: "Taken under other conditions than planned: " + text + ".", Evidence: ev}}
		},
	})
}
