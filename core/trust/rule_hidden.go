package trust

import (
	"fmt"
	"strings"

	"durvek/core/quantity"
	"durvek/core/record"
)

func init() {
	register(Rule{
		Name: "hidden", Title: "Page hidden or screen dimmed", Severity: Serious,
		Proposal: "Keep the page in front and the screen as bright as planned, and repeat", Again: "repeat",
		Sentence: "The page was not seen, or the screen grew darker, while the run went on.",
		Find: func(c Case, _ float64) []Found {
			said := told(c.Run, record.Hidden, record.Dimmed)
			for _, x := range c.Run.Course.Changes {
				if x.Condition != "display.luminance" {
					continue
				}
				from, err := quantity.Parse(x.From)
				to, err2 := quantity.Parse(x.To)
				if err == nil && err2 == nil && to.Value < 0.95*from.Value {
					said = append(said, fmt.Sprintf("the screen went from %s to %s after %.0f s", x.From, x.To, x.At))
				}
			}
			if len(said) == 0 {
				return nil
			}
			return []Found{{Sentence: "Not seen as planned: " + strings.Join(said, "; ") + ".",
				Evidence: []Evidence{{"screen", said[0]}}}}
		},
	})
}
