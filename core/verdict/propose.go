package verdict

import (
	"fmt"
	"slices"
	"strings"

	"durvek/core/chart"
	"durvek/core/quantity"
	"durvek/core/say"
)

// Gains from which an upgrade is worth it, and below which it is skipped, in the middle over all that both models have.
const (
	worthIt = 0.20
	skipped = 0.03
)

// Propose fills the parts of a verdict that nobody wrote yet with what the facts support; a reviewer edits them.
func Propose(r Review, f Facts) Review {
	kin := KinOf(f)
	if len(r.Upgrades) == 0 {
		for _, k := range kin {
			if k.Relation != Predecessor && k.Relation != Before {
				continue
			}
			u := Upgrade{Model: k.Model, Name: k.Name, Advice: Wait}
			switch gain := k.Gain(); {
			case gain >= worthIt:
				u.Advice = WorthIt
			case gain < skipped:
				u.Advice = Skip
			}
			u.Sentence = strings.Join(tops(k.ahead, 2), ", ")
			if lost := strings.Join(tops(k.behind, 1), ""); lost != "" {
				u.Sentence = strings.TrimPrefix(u.Sentence+", but "+lost, ", but ")
			}
			u.Sentence = say.Sentence(u.Sentence)
			r.Upgrades = append(r.Upgrades, u)
		}
	}
	if r.Take == "" {
		for _, k := range kin {
			if k.Relation == Sibling {
				r.Take = k.Sentence(f)
				break
			}
		}
	}
	if w := f.Worth; r.Turns == "" && w != nil && w.BestAt != "" {
		r.Turns = fmt.Sprintf("It becomes the best buy of its class at %s; seen at %s.", w.BestAt, w.Price)
		if w.Best {
			r.Turns = fmt.Sprintf("The best buy of its class up to %s; seen at %s.", w.BestAt, w.Price)
		}
	}
	if w := f.Worth; len(r.Alternatives) == 0 && w != nil && w.BeatenBy != "" {
		name, price, _ := strings.Cut(w.BeatenBy, " (")
		r.Alternatives = []Alternative{{Variant: w.Beater, Name: name,
			Reason: fmt.Sprintf("As much or more for %s.", strings.TrimSuffix(price, ")"))}}
	}
	if len(r.Fits) == 0 {
		r.Fits = append(r.Fits, f.Uses...)
	}
	return r
}

// Key is one of the figures at the head of a page.
type Key struct {
	Name  string `json:"name"`
	Value string `json:"value"`
	Place string `json:"place,omitempty" doc:"In its class, in words; none where it is not known"`
	Area  string `json:"area"`
}

// keys is how many figures stand at the head of a page at most.
const keys = 8

// Keys chooses the figures at the head of a page: of each area, in the order of its charts, the first that is charted
// and that readers ask for, or else the first, then second ones.
func Keys(r Review, f Facts) (out []Key) {
	at := map[string]Standing{}
	for _, s := range f.Standings {
		if _, known := at[s.Figure]; !known {
			at[s.Figure] = s
		}
	}
	had, taken := map[string]int{}, map[string]bool{}
	charts := askedFirst(r.Charts, func(c Chart) string { return at[c.Key()].Area }, f.Asked)
	for round := range 2 {
		var shown []Chart
		for _, c := range charts {
			if s, ok := at[c.Key()]; ok && !taken[c.Key()] && had[s.Area] <= round {
				taken[c.Key()] = true
				had[s.Area]++
				shown = append(shown, c)
			}
		}
		for _, c := range foremost(shown, f.Asked, keys-len(out)) {
			s := at[c.Key()]
			k := Key{Name: s.Name, Value: s.Said, Area: s.Area}
			if f.Caveats[s.Figure] == "" {
				k.Place = s.Placed()
			}
			out = append(out, k)
		}
	}
	return out
}

// foremost leaves out of charts, where there are more than so many, the last ones that nobody asks for.
func foremost(charts []Chart, asked []string, most int) []Chart {
	for _, whatever := range []bool{false, true} {
		for i := len(charts) - 1; i >= 0 && len(charts) > most; i-- {
			if whatever || !slices.Contains(asked, charts[i].Measure) {
				charts = slices.Delete(charts, i, i+1)
			}
		}
	}
	return charts
}

// Profile draws every measure of an area that can be set against the class in per cent as a dot on one axis, better on
// the right; what cannot stands in notes. ok is false where there is nothing to draw.
func Profile(area string, list []Standing, caveats map[string]string, foot string) (c chart.Forest, ok bool) {
	c = chart.Forest{Title: fmt.Sprintf("%s against the average of the class", say.Capital(area)),
		Subtitle: "In per cent of the class's average; right is better. Whiskers 95 %; hollow: not surely apart.",
		Axis:     "better", Symbol: "%", Unit: "Per cent from the class", Log: true, Foot: foot + ".",
		Rows: []chart.ForestRow{}}
	var beside []string
	for _, s := range list {
		if !s.compares() {
			continue
		}
		if !s.Scale.Logarithmic() {
			if s.side(*s.Class) != 0 {
				beside = append(beside, s.here()+": "+s.difference(*s.Class).Phrase())
			}
			continue
		}
		v, lo, hi := s.Class.Value, s.Class.Lo, s.Class.Hi
		if s.Better == quantity.Lower {
			v, lo, hi = 1e4/v, 1e4/hi, 1e4/lo
		}
		c.Rows = append(c.Rows, chart.ForestRow{Name: say.Capital(s.here()), Value: v - 100, Lo: lo - 100, Hi: hi - 100,
			Hollow: s.side(*s.Class) == 0 || s.Class.Unknown, Label: s.Said, Doubt: caveats[s.Figure] != ""})
	}
	if len(beside) > 0 {
		c.Notes = append(c.Notes, "Not in per cent: "+strings.Join(beside, "; ")+".")
	}
	c.Text = c.Describe()
	return c, len(c.Rows) > 1
}
