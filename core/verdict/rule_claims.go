package verdict

import (
	"fmt"

	"durvek/core/claims"
)

func init() {
	register(Rule{
		Name:     "claims",
		Sentence: "A maker's claim falls short, is surpassed or was never tested.",
		Find: func(f Facts) []Finding {
			var out []Finding
			for _, c := range f.Claims {
				x := Finding{RestsOn: []string{"claim " + c.ID}, Certainty: "sure"}
				switch c.Outcome {
				case claims.Short:
					x.Kind, x.Prominence = "weakness", 1.5+4*c.Effect
					x.Text = fmt.Sprintf("Short of the claimed %s in %s, by %s.", c.Claimed, c.Name, c.Amount)
				case claims.Beyond:
					x.Kind, x.Prominence = "strength", 1+2*c.Effect
					x.Text = fmt.Sprintf("Better than the claimed %s in %s, by %s.", c.Claimed, c.Name, c.Amount)
				case claims.Held:
					x.Kind, x.Prominence = "note", 0.5
					x.Text = fmt.Sprintf("Keeps its promise in %s: %s.", c.Name, c.Claimed)
				case claims.Open:
					x.Kind, x.Prominence, x.Certainty = "note", 0.3, "open"
					x.Text = fmt.Sprintf("Whether the claimed %s in %s is met is undecided.", c.Claimed, c.Name)
				case claims.Untested, claims.NotComparable:
					x.Kind, x.Prominence, x.Certainty = "note", 0.25, "open"
					x.Text = fmt.Sprintf("The claimed %s in %s could not be judged: %s.", c.Claimed, c.Name, c.Outcome)
				default:
					continue
				}
				out = append(out, x)
			}
			return out
		},
	})
}
