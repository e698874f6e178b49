package verdict

import "fmt"

func init() {
	register(Rule{
		Name:     "against-predecessor",
		Sentence: "The subject surely differs from the model it succeeds.",
		Find: func(f Facts) []Finding {
			var out []Finding
			for _, s := range f.Standings {
				if s.Predecessor == nil || s.Bound != "" {
					continue
				}
				x := Finding{RestsOn: []string{s.Figure}, Certainty: Sure, Kind: Weakness}
				if !sure(s.Predecessor.Relative, s.Scale) {
					continue
				}
				if good(s.Predecessor.Relative, s) {
					x.Kind = Strength
				}
				x.Text = fmt.Sprintf("%s than its predecessor, %s, in %s.", upper(differs(s.Predecessor.Relative, s)),
					s.Predecessor.Name, s.Name)
				x.Prominence = 1.5 * effect(s.Predecessor.Relative, s.Scale)
				out = append(out, x)
			}
			return out
		},
	})
}
