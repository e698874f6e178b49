package verdict

import (
	"fmt"
	"slices"
	"strings"

	"durvek/core/claims"
)

func init() {
	register(Rule{
		Name:     "missing-evidence",
		Sentence: "Rivals were measured, or the maker promises something, and the subject was not.",
		Find: func(f Facts) []Finding {
			lacking := slices.Clone(f.Missing)
			for _, c := range f.Claims {
				if c.Outcome == claims.Untested {
					lacking = append(lacking, Absent{c.Name + ", which is promised as " + c.Claimed, c.Area})
				}
			}
			if len(lacking) == 0 {
				return nil
			}
			return []Finding{{ID: "missing", Kind: Note, Certainty: Undecided, Prominence: 0.15, RestsOn: []string{"missing"},
				Text: fmt.Sprintf("Not tested: %s.", strings.Join(absent(lacking), "; "))}}
		},
	})
}

// named is how many missing measures are named; of more, a group that lacks several is named with their number.
const named = 4

func absent(list []Absent) (out []string) {
	count := map[string]int{}
	for _, a := range list {
		count[a.Group]++
	}
	said := map[string]bool{}
	for _, a := range list {
		switch n := count[a.Group]; {
		case len(list) <= named || n == 1:
			out = append(out, a.Name)
		case !said[a.Group]:
			out = append(out, fmt.Sprintf("%s (%d figures)", a.Group, n))
			said[a.Group] = true
		}
	}
	return out
}
