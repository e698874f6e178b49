package verdict

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"durvek/core/quantity"
	"durvek/core/say"
)

func init() {
	for _, r := range []struct {
		name, sentence string
		of             Relation
	}{{"predecessor", "What the subject gains and loses against the model that it succeeds.", Predecessor},
		{"before", "What it gains and loses against the model before that.", Before},
		{"sibling", "What another configuration of the model gains and loses.", Sibling}} {
		register(Rule{Name: r.name, Sentence: r.sentence, Find: func(f Facts) []Finding { return kin(f, r.of) }})
	}
}

// Kinship is how the subject stands to one related variant over all that both have.
type Kinship struct {
	Variant, Model, Name string
	Relation             Relation
	Shared               int // measures that both have
	ahead, behind        []relative
	rests                []string
}

type relative struct {
	s Standing
	a Against
}

// KinOf sets the subject against every related variant, in the order in which they are first met.
func KinOf(f Facts) (out []Kinship) {
	at := map[string]int{}
	for _, s := range f.Standings {
		if f.Caveats[s.Figure] != "" || s.Bound != "" || s.Better == quantity.Target || s.Measure == "drop" ||
			s.Measure == "hold" {
			continue
		}
		for _, a := range s.Kin {
			i, ok := at[a.Variant]
			if !ok {
				i = len(out)
				at[a.Variant] = i
				out = append(out, Kinship{Variant: a.Variant, Model: a.Model, Name: a.Name, Relation: a.Relation})
			}
			k := &out[i]
			k.Shared++
			k.rests = append(k.rests, s.Figure)
			switch s.side(a.Relative) {
			case 1:
				k.ahead = append(k.ahead, relative{s, a})
			case -1:
				k.behind = append(k.behind, relative{s, a})
			}
		}
	}
	most := map[Relation]int{} // of several configurations of one predecessor the one that shares most
	for _, k := range out {
		most[k.Relation] = max(most[k.Relation], k.Shared)
	}
	out = slices.DeleteFunc(out, func(k Kinship) bool {
		gone := k.Relation != Sibling && k.Shared < most[k.Relation]
		if k.Relation != Sibling && !gone {
			most[k.Relation]++ // of two that share as many the first
		}
		return gone
	})
	for i := range out {
		for _, l := range [][]relative{out[i].ahead, out[i].behind} {
			slices.SortStableFunc(l, func(x, y relative) int {
				return cmp.Or(cmp.Compare(y.s.effect(y.a.Relative), x.s.effect(x.a.Relative)),
					cmp.Compare(x.s.Figure, y.s.Figure))
			})
		}
	}
	return out
}

// Gain is the middle gain over all shared measures, those that are not surely apart as none: 0.2 is a fifth.
func (k Kinship) Gain() float64 {
	all := make([]float64, k.Shared-len(k.ahead)-len(k.behind))
	for _, r := range k.ahead {
		all = append(all, r.s.effect(r.a.Relative))
	}
	for _, r := range k.behind {
		all = append(all, -r.s.effect(r.a.Relative))
	}
	slices.Sort(all)
	if n := len(all); n%2 == 0 {
		return (all[n/2-1] + all[n/2]) / 2
	}
	return all[len(all)/2]
}

// tops names the measures that are farthest apart, of each area the farthest.
func tops(list []relative, most int) (out []string) {
	had := map[string]bool{}
	for _, r := range list {
		if !had[r.s.Area] && len(out) < most {
			had[r.s.Area] = true
			out = append(out, r.s.difference(r.a.Relative).In(r.s.Name))
		}
	}
	return out
}

// Sentence says it in one sentence.
func (k Kinship) Sentence(f Facts) string {
	n := say.Count(k.Shared)
	switch {
	case k.Relation == Sibling:
		return k.sibling(f)
	case len(k.ahead)+len(k.behind) == 0:
		return fmt.Sprintf("No difference to the %s shown in %s figures.", k.Name, n)
	}
	before := "its predecessor, the "
	if k.Relation == Before {
		before = "the model before its predecessor, the "
	}
	text := "Against " + before + k.Name + ": "
	if k.Shared == 1 {
		return text + strings.Join(tops(append(k.ahead, k.behind...), 1), "") + "."
	}
	var parts []string
	if len(k.ahead) > 0 {
		parts = append(parts, fmt.Sprintf("ahead in %s of %s figures, %s", say.Count(len(k.ahead)), n,
			strings.Join(tops(k.ahead, 2), ", ")))
	}
	if len(k.behind) > 0 {
		parts = append(parts, fmt.Sprintf("behind in %s, %s", say.Count(len(k.behind)), strings.Join(tops(k.behind, 2),
			", ")))
	}
	return text + strings.Join(parts, "; ") + "."
}

// sibling says what the other configuration gains and loses, as its own, and which one to take.
func (k Kinship) sibling(f Facts) string {
	// The words are the subject's; of the sibling the opposite holds.
	turned := func(list []relative) (out []relative) {
		for _, r := range list {
			v := r.a.Relative
			if r.s.Scale.Logarithmic() {
				v.Value, v.Lo, v.Hi = 1e4/v.Value, 1e4/v.Hi, 1e4/v.Lo
			} else {
				v.Value, v.Lo, v.Hi = -v.Value, -v.Hi, -v.Lo
			}
			s := r.s
			if s.Scale.Logarithmic() && r.a.Value > 0 {
				s.Value = r.s.Value * v.Value / 100
			}
			out = append(out, relative{s, Against{Relation: r.a.Relation, Relative: v}})
		}
		return out
	}
	ahead, behind := turned(k.behind), turned(k.ahead)
	costs, priced := f.Prices[k.Variant]
	text := "The sibling with " + k.Name
	if priced {
		word := " cheaper"
		if costs.Dearer {
			word = " dearer"
		}
		text = "The " + costs.More + word + " sibling with " + k.Name
	}
	switch {
	case len(ahead)+len(behind) == 0:
		text += fmt.Sprintf(" shows no difference in %s figures", say.Count(k.Shared))
	case len(ahead) == 0:
		text += " gains nothing, and " + say.List(isAll(tops(behind, 2)))
	default:
		text += ": " + strings.Join(tops(ahead, 2), ", ")
		if len(behind) > 0 {
			text += "; but " + strings.Join(tops(behind, 2), ", ")
		}
	}
	if priced && costs.Dearer && len(ahead) == 0 {
		text += ": take the cheaper"
	}
	return text + "."
}

// isAll gives phrases without a verb one.
func isAll(phrases []string) []string {
	for i, p := range phrases {
		phrases[i] = say.Is(p)
	}
	return phrases
}

func kin(f Facts, of Relation) (out []Finding) {
	for _, k := range KinOf(f) {
		if k.Relation != of || k.Shared < 2 && len(k.ahead)+len(k.behind) == 0 {
			continue
		}
		x := Finding{ID: k.Variant, Kind: Note, Certainty: Sure, RestsOn: k.rests, Text: k.Sentence(f)}
		gain := k.Gain()
		for _, r := range append(slices.Clone(k.ahead), k.behind...) {
			x.Prominence += r.s.effect(r.a.Relative) * f.weight(r.s.Area) / float64(k.Shared)
			x.Folded = append(x.Folded, say.Sentence(r.s.difference(r.a.Relative).In(r.s.Name)))
		}
		x.Prominence = 0.3 + 2*x.Prominence
		switch {
		case of == Sibling:
		case gain > 0.02 || len(k.behind) == 0 && len(k.ahead) > 0:
			x.Kind = Strength
		case gain < -0.02 || len(k.ahead) == 0 && len(k.behind) > 0:
			x.Kind = Weakness
		}
		out = append(out, x)
	}
	return out
}
