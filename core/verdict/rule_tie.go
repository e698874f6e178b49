package verdict

import (
	"fmt"

	"durvek/core/ranking"
)

func init() {
	register(Rule{
		Name:     "tie-with-rival",
		Sentence: "The subject and its nearest rival cannot, or need not, be told apart.",
		Find: func(f Facts) []Finding {
			var out []Finding
			for _, s := range f.Standings {
				if s.Rival == nil || s.Tie == "" || s.Tie == ranking.Different {
					continue
				}
				x := Finding{Kind: "note", RestsOn: []string{s.Measure}, Certainty: "sure", Prominence: 0.4}
				switch s.Tie {
				case ranking.Equal:
					x.Text = fmt.Sprintf("As good as %s in %s: the difference is smaller than matters.", s.Rival.Name, s.Name)
				case ranking.Small:
					x.Text = fmt.Sprintf("Differs from %s in %s, but by too little to matter.", s.Rival.Name, s.Name)
				default:
					x.Certainty, x.Prominence = "open", 0.2
					x.Text = fmt.Sprintf("Whether it beats %s in %s is undecided; more repeats would tell.", s.Rival.Name, s.Name)
				}
				out = append(out, x)
			}
			return out
		},
	})
}
