package trust

import (
	"fmt"

	"durvek/core/quantity"
)

func init() {
	register(Rule{
		Name: "background", Title: "Other work was going on", Severity: Serious,
		Proposal: "Wait until updates and other work are done, and repeat", Again: "repeat",
		Sentence: "Other work used more of the processor just before the run than the limit.",
		Limit:    10, LimitUnit: "% of the processor", Least: 1,
		Find: func(c Case, limit float64) []Found {
			q, err := quantity.Parse(c.Run.Observed["load.background"])
			if err != nil || q.Unit != "%" || q.Value < limit {
				return nil
			}
			return []Found{{Group: c.Run.Sitting, Size: q.Value / limit,
				Sentence: fmt.Sprintf("Other work used %.0f %% of the processor just before the run.", q.Value),
				Evidence: []Evidence{{"background load", c.Run.Observed["load.background"]},
					{"limit", fmt.Sprintf("%g %%", limit)}}}}
		},
	})
}
