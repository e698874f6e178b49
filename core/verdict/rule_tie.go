package verdict

import (
	"fmt"
	"strings"

	"durvek/core/ranking"
)

func init() {
	register(Rule{
		Name:     "tie-with-rival",
		Sentence: "The subject and its nearest rival cannot, or need not, be told apart.",
		Find: func(f Facts) []Finding {
			var out []Finding
			undecided := map[string][]string{} // rival → measures
			rests := map[string][]string{}
			var rivals []string
			for _, s := range f.Standings {
				if s.Rival == nil {
					continue
				}
				x := Finding{Kind: Note, RestsOn: []string{s.Figure}, Certainty: Sure, Prominence: 0.4}
				switch s.Tie {
				case ranking.Equal:
					x.Text = fmt.Sprintf("As good as %s in %s: the difference is smaller than matters.", s.Rival.Name, s.Name)
				case ranking.Small:
					x.Text = fmt.Sprintf("Differs from %s in %s, but by too little to matter.", s.Rival.Name, s.Name)
				case ranking.Undecided:
					if undecided[s.Rival.Name] == nil {
						rivals = append(rivals, s.Rival.Name)
					}
					undecided[s.Rival.Name] = append(undecided[s.Rival.Name], s.Name)
					rests[s.Rival.Name] = append(rests[s.Rival.Name], s.Figure)
					continue
				default:
					continue
				}
				out = append(out, x)
			}
			for _, r := range rivals {
				out = append(out, Finding{Kind: Note, RestsOn: rests[r], Certainty: Undecided, Prominence: 0.2,
					Text: fmt.Sprintf("Undecided against %s: %s. More repeats would tell.", r, strings.Join(undecided[r], "; "))})
			}
			return out
		},
	})
}
