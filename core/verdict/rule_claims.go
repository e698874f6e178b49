package verdict

import (
	"fmt"
	"math"
	"strings"

	"durvek/core/claims"
	"durvek/core/say"
)

func init() {
	register(Rule{
		Name:     "claims",
		Sentence: "What became of a maker's claim.",
		Find: func(f Facts) []Finding {
			var out []Finding
			for _, c := range f.Claims {
				x := Finding{RestsOn: []string{"claim " + c.ID}, Certainty: Sure, Area: c.Area, Kind: Note}
				amount := c.Amount
				if c.By != 0 && strings.HasSuffix(amount, " %") {
					by := 100 * math.Abs(c.By)
					amount = say.PerCent(by, by, by)
				}
				missed, passed := "short", "beyond"
				if c.Lower {
					missed, passed = "over", "under"
				}
				promised := fmt.Sprintf("%s: promised %s, measured %s", c.Name, c.Claimed, c.Measured)
				switch c.Outcome {
				case claims.Short:
					x.Kind, x.Prominence = Weakness, 1.5+4*c.Effect
					x.Text = fmt.Sprintf("%s: %s %s", promised, amount, missed)
				case claims.Beyond:
					x.Kind, x.Prominence = Strength, 0.8+2*min(c.Effect, 1)
					x.Text = fmt.Sprintf("%s: %s %s", promised, amount, passed)
				case claims.Held:
					x.Prominence = 0.5
					x.Text = promised + ": kept"
				case claims.Impossible:
					x.Kind, x.Prominence = Weakness, 2
					x.Text = fmt.Sprintf("%s: promises %s: %s", c.Name, c.Claimed, c.Why)
				case claims.Open:
					x.Prominence, x.Certainty = 0.3, Undecided
					x.Text = promised + ": not decided"
					if c.More > 0 {
						x.Text += fmt.Sprintf("; %s more %s would", say.Count(c.More), map[bool]string{true: "run",
							false: "runs"}[c.More == 1])
					}
				case claims.NotComparable:
					x.Prominence, x.Certainty = 0.2, Undecided
					x.Text = fmt.Sprintf("%s: promised %s; nothing comparable was measured", c.Name, c.Claimed)
				default:
					continue // what was not tested stands in one line
				}
				x.Text = say.Sentence(x.Text)
				x.Prominence *= f.weight(c.Area)
				out = append(out, x)
			}
			return out
		},
	})
}
