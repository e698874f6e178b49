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
				x := Finding{RestsOn: []string{"claim " + c.ID}, Certainty: Sure}
				switch c.Outcome {
				case claims.Short:
					x.Kind, x.Prominence = Weakness, 1.5+4*c.Effect
					x.Text = fmt.Sprintf("Short of the claimed %s in %s, by %s.", c.Claimed, c.Name, c.Amount)
				case claims.Beyond:
					x.Kind, x.Prominence = Strength, 1+2*c.Effect
					x.Text = fmt.Sprintf("Better than the claimed %s in %s, by %s.", c.Claimed, c.Name, c.Amount)
				case claims.Held:
					x.Kind, x.Prominence = Note, 0.5
					x.Text = fmt.Sprintf("Keeps its promise in %s: %s.", c.Name, c.Claimed)
				case claims.Open:
					x.Kind, x.Prominence, x.Certainty = Note, 0.3, Undecided
					x.Text = fmt.Sprintf("Whether the claimed %s in %s is met is undecided.", c.Claimed, c.Name)
				case claims.Untested, claims.NotComparable:
					x.Kind, x.Prominence, x.Certainty = Note, 0.25, Undecided
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
