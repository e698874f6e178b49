package compare

import (
	"cmp"
	"slices"
	"time"
)

// Fact is one time that a part was used with a partner: by a run, a check, or as a person noted it.
type Fact struct {
	Part, Partner, Place, Firmware string
	Works                          bool
	How                            string // the link it came up with, or what went wrong
	At                             time.Time
}

// Pair is what is known of a part with one partner, at one place, under one firmware.
type Pair struct {
	Part     string    `json:"part"`
	Partner  string    `json:"partner"`
	Place    string    `json:"place,omitempty"`
	Firmware string    `json:"firmware,omitempty"`
	Outcome  string    `json:"outcome" enum:"works,fails,both"`
	Works    int       `json:"works" doc:"Times that it worked"`
	Fails    int       `json:"fails" doc:"Times that it did not"`
	How      []string  `json:"how" doc:"Links it came up with and what went wrong, the most frequent first"`
	Last     time.Time `json:"last"`
}

// Partners makes the matrix of what works with what: a row per part, partner, place and firmware, in that order.
func Partners(facts []Fact) []Pair {
	type key struct{ part, partner, place, firmware string }
	pairs, how := map[key]*Pair{}, map[key]map[string]int{}
	for _, f := range facts {
		k := key{f.Part, f.Partner, f.Place, f.Firmware}
		p := pairs[k]
		if p == nil {
			p = &Pair{Part: f.Part, Partner: f.Partner, Place: f.Place, Firmware: f.Firmware}
			pairs[k], how[k] = p, map[string]int{}
		}
		if f.Works {
			p.Works++
		} else {
			p.Fails++
		}
		if f.How != "" {
			how[k][f.How]++
		}
		if f.At.After(p.Last) {
			p.Last = f.At
		}
	}
	out := []Pair{}
	for k, p := range pairs {
		p.Outcome = "works"
		if p.Fails > 0 && p.Works > 0 {
			p.Outcome = "both"
		} else if p.Fails > 0 {
			p.Outcome = "fails"
		}
		p.How = []string{}
		for h := range how[k] {
			p.How = append(p.How, h)
		}
		slices.SortFunc(p.How, func(a, b string) int { return cmp.Or(how[k][b]-how[k][a], cmp.Compare(a, b)) })
		out = append(out, *p)
	}
	slices.SortFunc(out, func(a, b Pair) int {
		return cmp.Or(cmp.Compare(a.Part, b.Part), cmp.Compare(a.Partner, b.Partner), cmp.Compare(a.Place, b.Place),
			cmp.Compare(a.Firmware, b.Firmware))
	})
	return out
}
