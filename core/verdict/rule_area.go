package verdict

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"durvek/core/quantity"
	"durvek/core/say"
)

func init() {
	register(Rule{Name: "area", Sentence: "What all measures of an area say of the subject in its class, in one sentence.",
		Find: func(f Facts) (out []Finding) {
			by := map[string][]Standing{}
			for _, s := range f.Standings {
				if f.Caveats[s.Figure] == "" && s.Scale != quantity.Pass && s.Scale != quantity.Grade {
					by[s.Area] = append(by[s.Area], s)
				}
			}
			for _, area := range slices.SortedFunc(maps.Keys(by), InOrder) {
				if x, ok := areaFinding(f, area, by[area]); ok {
					out = append(out, x)
				}
			}
			return out
		}})
	register(Rule{Name: "overall", Sentence: "The subject lies below, or above, the average of its class in nearly " +
		"every area.",
		Find: overall})
}

// tally is an area's measures by the side on which the subject surely is, the farthest apart first.
type tally struct {
	good, bad, open []Standing
	all             []Standing
}

func tallyOf(list []Standing) (t tally) {
	for _, s := range list {
		if !s.compares() {
			continue
		}
		t.all = append(t.all, s)
		switch s.side(*s.Class) {
		case 1:
			t.good = append(t.good, s)
		case -1:
			t.bad = append(t.bad, s)
		default:
			t.open = append(t.open, s)
		}
	}
	for _, l := range [][]Standing{t.good, t.bad, t.open} {
		slices.SortStableFunc(l, func(a, b Standing) int {
			return cmp.Or(cmp.Compare(b.effect(*b.Class), a.effect(*a.Class)), cmp.Compare(a.Figure, b.Figure))
		})
	}
	return t
}

// areaFinding is an area in one sentence: the first that holds.
func areaFinding(f Facts, area string, list []Standing) (Finding, bool) {
	t := tallyOf(list)
	x := Finding{ID: area, Area: area, Kind: Note, Certainty: Sure}
	n := len(t.all)
	leading := slices.Concat(t.good, t.bad, t.open)
	switch {
	case n == 0:
		return x, false
	case n <= 2:
		var each []string
		for _, s := range leading {
			each = append(each, s.alone())
		}
		x.Text = strings.Join(each, " ")
	default:
		x.Text = say.Sentence(area + ": " + t.sentence(class(t.all)))
		for _, s := range leading {
			x.Folded = append(x.Folded, s.folded())
		}
	}
	var effect float64
	for _, s := range slices.Concat(t.good, t.bad) {
		effect += s.effect(*s.Class) / float64(n)
	}
	switch {
	case len(t.good) > 0 && 4*len(t.good) >= 3*n, len(t.good) > 0 && len(t.bad) == 0 && n <= 2,
		len(t.good) >= 2 && len(t.bad) == 0:
		x.Kind = Strength
	case len(t.bad) > 0 && 4*len(t.bad) >= 3*n, len(t.bad) > 0 && len(t.good) == 0 && n <= 2,
		len(t.bad) >= 2 && len(t.good) == 0:
		x.Kind = Weakness
	}
	if len(t.good)+len(t.bad) == 0 {
		x.Certainty, effect = Likely, 0.02
	}
	if x.Kind == Weakness { // the one that it speaks of most comes first
		leading = slices.Concat(t.bad, t.good, t.open)
	}
	for _, s := range leading {
		x.RestsOn = append(x.RestsOn, s.Figure)
	}
	x.Prominence = 4 * effect * f.weight(area)
	return x, true
}

// class is what the subject is held against: its class, or in a field of two the other one.
func class(list []Standing) string {
	rival := list[0].Rival
	for _, s := range list {
		if s.Rival != rival {
			return "the class"
		}
	}
	if rival != "" {
		return "the " + rival
	}
	return "the class"
}

// sentence says where the subject stands over several measures.
func (t tally) sentence(of string) string {
	n := len(t.all)
	tests := noun(t.all)
	switch good, bad := len(t.good), len(t.bad); {
	case good == n:
		return fmt.Sprintf("ahead of %s in %s %s%s", of, say.All(n), tests, spread(t.good))
	case bad == n:
		return fmt.Sprintf("behind %s in %s %s%s", of, say.All(n), tests, spread(t.bad))
	case 4*good >= 3*n:
		return fmt.Sprintf("ahead of %s in %s of %s, %s%s", of, say.Count(good), say.Count(n), most(t.good), but(t.bad,
			t.good, "behind"))
	case 4*bad >= 3*n:
		return fmt.Sprintf("behind %s in %s of %s, %s%s", of, say.Count(bad), say.Count(n), most(t.bad), but(t.good, t.bad,
			"ahead"))
	case good >= 2 && bad >= 2:
		return fmt.Sprintf("strong %s, weak %s", group(t.good, t.bad), group(t.bad, t.good))
	case good+bad == 0:
		return fmt.Sprintf("like %s: %s", of, within(t.open))
	}
	text := ""
	if len(t.good) > 0 {
		text = fmt.Sprintf("ahead of %s in %s of %s, %s", of, say.Count(len(t.good)), say.Count(n), most(t.good))
	}
	if len(t.bad) > 0 {
		if text == "" {
			text = fmt.Sprintf("behind %s in %s of %s, %s", of, say.Count(len(t.bad)), say.Count(n), most(t.bad))
		} else {
			text += but(t.bad, t.good, "behind")
		}
	}
	return text + "; otherwise not told apart from it"
}

// noun is "tests" where every figure is of a test of its own, else "figures".
func noun(list []Standing) string {
	seen := map[string]bool{}
	for _, s := range list {
		if seen[s.Test] {
			return "figures"
		}
		seen[s.Test] = true
	}
	return "tests"
}

// spread is ", by 36 to 44 %" of differences that are all in per cent.
func spread(list []Standing) string {
	var of []say.Difference
	for _, s := range list {
		if !s.Scale.Logarithmic() {
			return ""
		}
		of = append(of, s.difference(*s.Class))
	}
	text := say.Spread(of)
	if strings.HasPrefix(text, "up to") {
		return ", " + text
	}
	return ", by " + text
}

// most names the measure in which the subject is farthest from its class.
func most(list []Standing) string {
	text := fmt.Sprintf("%s (%s)", list[0].here(), list[0].difference(*list[0].Class).Amount())
	if len(list) == 1 {
		return text
	}
	return "most in " + text
}

// here is a measure's name where its area is named already.
func (s Standing) here() string { return strings.TrimPrefix(s.Name, s.Area+", ") }

func but(list, other []Standing, how string) string {
	if len(list) == 0 {
		return ""
	}
	return fmt.Sprintf("; %s in %s", how, named2(list, other))
}

// named2 names the two tests, or single measures of one, that are farthest apart, with by how much.
func named2(list, other []Standing) string {
	var tests []string
	of := map[string][]Standing{}
	for _, s := range list {
		if of[s.Test] == nil {
			tests = append(tests, s.Test)
		}
		of[s.Test] = append(of[s.Test], s)
	}
	var out []string
	for _, t := range tests[:min(2, len(tests))] {
		first := of[t][0]
		text := fmt.Sprintf("%s (%s)", first.here(), first.difference(*first.Class).Amount())
		// Where all of a test's figures stand on this side, it is the test.
		if len(of[t]) > 1 && !slices.ContainsFunc(other, func(o Standing) bool { return o.Test == t }) {
			text = strings.TrimPrefix(strings.ToLower(first.Short[:1])+first.Short[1:], first.Area+", ")
			if by := strings.TrimPrefix(spread(of[t]), ", "); by != "" {
				text += " (" + by + ")"
			}
		}
		out = append(out, text)
	}
	if n := len(tests) - 2; n > 0 {
		out = append(out, fmt.Sprintf("%d more", n))
	}
	return say.List(out)
}

// group names one side of an area: by what its measures share and those of the other side lack ("with all threads"), or
// by the two that are farthest apart.
func group(side, other []Standing) string {
	tail := func(s Standing) string {
		parts := strings.Split(s.Name, ", ")
		return parts[len(parts)-1]
	}
	shared := tail(side[0])
	if shared == side[0].Name || slices.ContainsFunc(side, func(s Standing) bool { return tail(s) != shared }) ||
		slices.ContainsFunc(other, func(s Standing) bool { return tail(s) == shared }) {
		return "in " + named2(side, other)
	}
	of := make([]say.Difference, len(side))
	for i, s := range side {
		of[i] = s.difference(*s.Class)
	}
	return fmt.Sprintf("with %s (%s)", shared, say.Spread(of))
}

// within says how close together measures are of which none is surely apart.
func within(list []Standing) string {
	far, n := 0.0, 0
	for _, s := range list {
		if s.Scale.Logarithmic() {
			far, n = math.Max(far, math.Abs(s.Class.Value-100)), n+1
		}
	}
	text := fmt.Sprintf("%s %s", say.Count(len(list)), noun(list))
	if n == len(list) {
		return text + " within " + say.PerCent(far, far, far)
	}
	return text + ", none surely apart"
}

// alone is one measure as a sentence: "Battery life, reading: 9 h 12 min, fourth of 11."
func (s Standing) alone() string {
	text := s.Name + ": " + s.Said
	if place := s.Placed(); place != "" {
		text += ", " + place
	} else if s.Against() != "" {
		text += ", " + s.difference(*s.Class).Beside(class([]Standing{s}))
	}
	return say.Sentence(text)
}

// Against says how the subject stands to its class: "18 % faster"; "" where that is not sure.
func (s Standing) Against() string {
	if s.Class == nil || s.Others == 0 || s.side(*s.Class) == 0 {
		return ""
	}
	return s.difference(*s.Class).Phrase()
}

// Placed says where the subject stands in its class; "" where that is not known, or where there is but one other.
func (s Standing) Placed() string {
	if s.Field < 3 {
		return ""
	}
	return say.Place(s.Place.Best, s.Place.Worst, s.Field)
}

// folded is one measure's part in a longer sentence.
func (s Standing) folded() string {
	text := s.Name + ": " + s.Said
	if s.Against() != "" {
		text += ", " + s.difference(*s.Class).Beside(class([]Standing{s}))
	}
	if place := s.Placed(); place != "" {
		text += "; " + place
	}
	return text
}

// overall says that nearly all areas lie on one side of the class's average, with the best and the worst of them.
func overall(f Facts) []Finding {
	sum, n := map[string]float64{}, map[string]int{}
	var rests []string
	for _, s := range f.Standings {
		if !s.compares() || s.Others < 2 || !s.Scale.Logarithmic() || f.Caveats[s.Figure] != "" {
			continue
		}
		merit := math.Log(s.Class.Value / 100)
		if s.Better == quantity.Lower {
			merit = -merit
		}
		sum[s.Area] += merit
		n[s.Area]++
		rests = append(rests, s.Figure)
	}
	var areas []string
	below := 0
	for a := range sum {
		sum[a] /= float64(n[a])
		areas = append(areas, a)
		if sum[a] < 0 {
			below++
		}
	}
	if len(areas) < 4 {
		return nil
	}
	slices.SortFunc(areas, func(a, b string) int { return cmp.Or(cmp.Compare(sum[b], sum[a]), cmp.Compare(a, b)) })
	x := Finding{ID: "areas", RestsOn: rests, Certainty: Likely}
	mean := 0.0
	for _, a := range areas {
		mean += math.Abs(sum[a]) / float64(len(areas))
	}
	x.Prominence = 6 * math.Min(mean, 1)
	best, worst := areas[0], areas[len(areas)-1]
	switch {
	case len(areas)-below <= 1:
		x.Kind = Weakness
		x.Text = fmt.Sprintf("Below the average of its class in %s areas; best in %s, worst in %s.", of(below, len(areas)),
			best, worst)
	case below <= 1:
		x.Kind = Strength
		x.Text = fmt.Sprintf("Above the average of its class in %s areas; best in %s, worst in %s.",
			of(len(areas)-below, len(areas)), best, worst)
	default:
		return nil
	}
	return []Finding{x}
}

func of(n, all int) string {
	if n == all {
		return say.All(n)
	}
	return say.Count(n) + " of " + say.Count(all)
}
