package verdict

import "fmt"

func init() {
	register(Rule{
		Name:     "against-class",
		Sentence: "The subject lies surely above or below its field's average.",
		Find: func(f Facts) []Finding {
			var out []Finding
			for _, s := range f.Standings {
				if s.Class == nil || s.Field < 3 || !sure(*s.Class, s.Scale) || s.Bound != "" {
					continue
				}
				if s.Place.Best == s.Place.Worst && (s.Place.Best == 1 || s.Place.Best == s.Field) {
					continue // said already, and better, by first-or-last
				}
				kind := Weakness
				if good(*s.Class, s) {
					kind = Strength
				}
				out = append(out, Finding{Kind: kind, Certainty: Sure, RestsOn: []string{s.Figure},
					Text: fmt.Sprintf("%s than the average of the %s in %s.", upper(differs(*s.Class, s)), s.others(),
						s.Name),
					Prominence: 2 * effect(*s.Class, s.Scale)})
			}
			return out
		},
	})
}

func upper(s string) string {
	if s == "" {
		return s
	}
	r := []rune(s)
	if r[0] >= 'a' && r[0] <= 'z' {
		r[0] -= 'a' - 'A'
	}
	return string(r)
}
