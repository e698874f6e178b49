package verdict

import (
	"fmt"
	"math"

	"durvek/core/quantity"
)

func init() {
	register(Rule{
		Name:     "first-or-last",
		Sentence: "The subject is surely first or surely last in its field.",
		Find: func(f Facts) []Finding {
			var out []Finding
			for _, s := range f.Standings {
				if s.Field < 3 || s.Place.Best != s.Place.Worst || s.Bound != "" {
					continue
				}
				value := quantity.Format(s.Value, s.Unit)
				x := Finding{Certainty: Sure, RestsOn: []string{s.Figure}, Prominence: 1.5 + math.Log(float64(s.Field))/2}
				if s.Class != nil {
					x.Prominence += effect(*s.Class, s.Scale)
				}
				switch s.Place.Best {
				case 1:
					x.Kind, x.Text = Strength, fmt.Sprintf("Best of %s in %s: %s.", s.among(), s.Name, value)
				case s.Field:
					x.Kind, x.Text = Weakness, fmt.Sprintf("Last of %s in %s: %s.", s.among(), s.Name, value)
				default:
					continue
				}
				out = append(out, x)
			}
			return out
		},
	})
}
