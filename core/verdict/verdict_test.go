package verdict

import (
	"reflect"
	"strings"
	"testing"

	"durvek/core/claims"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/internal/golden"
)

func standing(place ranking.Place, class ranking.Relative, better quantity.Direction) Standing {
	return Standing{Figure: "t/m", Name: "packing", Unit: "s", Scale: quantity.Ratio, Better: better, Value: 2,
		Place: place, Field: 6, FieldName: "laptops", Class: &class}
}

func kinds(list []Finding) map[string]string {
	out := map[string]string{}
	for _, f := range list {
		out[f.Rule] = string(f.Kind) + ": " + f.Text
	}
	return out
}

func TestRulesSayWhatTheFiguresSupportAndNoMore(t *testing.T) {
	sureLess := ranking.Relative{Value: 80, Lo: 77, Hi: 83}
	vague := ranking.Relative{Value: 97, Lo: 92, Hi: 103}
	for _, c := range []struct {
		name  string
		facts Facts
		rule  string
		want  string // "" for no finding of the rule
	}{
		{"surely first", Facts{Standings: []Standing{standing(ranking.Place{Best: 1, Worst: 1}, sureLess, quantity.Lower)}},
			"first-or-last", "strength: Best of 6 laptops in packing: 2.000 s."},
		{"first, but shared", Facts{Standings: []Standing{standing(ranking.Place{Best: 1, Worst: 2}, sureLess,
			quantity.Lower)}}, "first-or-last", ""},
		{"surely last", Facts{Standings: []Standing{standing(ranking.Place{Best: 6, Worst: 6}, sureLess, quantity.Higher)}},
			"first-or-last", "weakness: Last of 6"},
		{"less time is a strength", Facts{Standings: []Standing{standing(ranking.Place{Best: 2, Worst: 3}, sureLess,
			quantity.Lower)}}, "against-class", "strength: 20 ± 3 % less than the average of the 5 other laptops"},
		{"less rate is a weakness", Facts{Standings: []Standing{standing(ranking.Place{Best: 4, Worst: 5}, sureLess,
			quantity.Higher)}}, "against-class", "weakness: 20 ± 3 % less"},
		{"not sure", Facts{Standings: []Standing{standing(ranking.Place{Best: 2, Worst: 5}, vague, quantity.Lower)}},
			"against-class", ""},
		{"missing", Facts{Missing: []Absent{{"noise", "noise"}, {"weight", "body"}}}, "missing-evidence",
			"note: Not measured here, though rivals were: noise; weight."},
		{"short claim", Facts{Claims: []ClaimFact{{ID: "x", Name: "battery life", Claimed: "up to 13 h",
			Verdict: claims.Verdict{Outcome: claims.Short, Amount: "12 %", By: -0.12}}}}, "claims",
			"weakness: Short of the claimed up to 13 h in battery life, by 12 %."},
		{"claim kept", Facts{Claims: []ClaimFact{{ID: "x", Name: "weight", Claimed: "1.29 kg",
			Verdict: claims.Verdict{Outcome: claims.Held}}}}, "claims", "note: Keeps its promise in weight: 1.29 kg."},
		{"untested claim", Facts{Claims: []ClaimFact{{ID: "x", Name: "noise", Claimed: "0 dB(A)",
			Verdict: claims.Verdict{Outcome: claims.Untested}}}}, "claims", "note: The claimed 0 dB(A) in noise could not be " +
			"judged: untested."},
	} {
		got := kinds(Findings(c.facts))[c.rule]
		if c.want == "" && got != "" || !strings.HasPrefix(got, c.want) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
	pre := standing(ranking.Place{Best: 2, Worst: 3}, vague, quantity.Higher)
	pre.Predecessor = &Against{"the Old One", ranking.Relative{Value: 131, Lo: 127, Hi: 135}}
	if got := kinds(Findings(Facts{Standings: []Standing{
		pre}}))["against-predecessor"]; got != "strength: 31 ± 4 % more than its predecessor, the Old One, in packing." {
		t.Errorf("predecessor: %q", got)
	}
	open := standing(ranking.Place{Best: 2, Worst: 3}, vague, quantity.Higher)
	open.Rival, open.Tie = &Against{Name: "the Rival"}, ranking.Undecided
	if got := kinds(Findings(Facts{Standings: []Standing{open,
		open}}))["tie-with-rival"]; got != "note: Undecided against the Rival: packing; packing. More repeats would tell." {
		t.Errorf("tie: %q", got)
	}
}

func TestTheMostTellingComesFirstAndTheRestStartsHidden(t *testing.T) {
	var facts Facts
	for i := range 9 {
		s := standing(ranking.Place{Best: 2, Worst: 3}, ranking.Relative{Value: 110 + 10*float64(i), Lo: 105 + 10*float64(i),
			Hi: 115 + 10*float64(i)}, quantity.Higher)
		s.Figure = string(rune('a'+i)) + "/m"
		facts.Standings = append(facts.Standings, s)
	}
	list := Hide(Findings(facts))
	for i, f := range list {
		if i > 0 && f.Prominence > list[i-1].Prominence {
			t.Errorf("finding %d is more telling than the one before", i)
		}
		if f.Hidden != (i >= Telling) {
			t.Errorf("finding %d hidden %v", i, f.Hidden)
		}
	}
}

func TestFreshFindingsKeepTheReviewersWords(t *testing.T) {
	kept := []Finding{
		{ID: "a", Rule: "r", Kind: "strength", Text: "my words", Edited: true},
		{ID: "b", Rule: "r", Kind: "note", Text: "old", Hidden: true},
		{ID: "gone", Rule: "r", Kind: "note", Text: "vanished"},
		{ID: "gone-edited", Rule: "r", Kind: "note", Text: "vanished but edited", Edited: true},
		{ID: "mine", Rule: "reviewer", Kind: "weakness", Text: "sharp edges"},
	}
	merged := Merge(kept, []Finding{{ID: "a", Rule: "r", Kind: "weakness", Text: "new"}, {ID: "b", Rule: "r", Kind: "note",
		Text: "new"}, {ID: "c", Rule: "r", Kind: "note", Text: "fresh"}})
	got := map[string]Finding{}
	for _, f := range merged {
		got[f.ID] = f
	}
	if got["a"].Text != "my words" || got["a"].Kind != "strength" || got["b"].Text != "new" || !got["b"].Hidden ||
		got["c"].Text != "fresh" || got["mine"].Text != "sharp edges" || got["gone-edited"].Text == "" {
		t.Errorf("merged %+v", merged)
	}
	if _, there := got["gone"]; there {
		t.Error("a vanished finding stayed")
	}
}

// A field's name is a plural in a sentence, or stands behind "in"; a difference without an interval has no more digits
// than one reads; a difference of shares is in points.
func TestFieldsAndDifferencesInSentences(t *testing.T) {
	s := Standing{Field: 12, FieldName: "light laptops", Scale: quantity.Ratio}
	if got := s.among(); got != "12 light laptops" {
		t.Error(got)
	}
	s.FieldName = "The pool"
	if got := s.among(); got != "12 in The pool" {
		t.Error(got)
	}
	for _, c := range []struct {
		s    Standing
		r    ranking.Relative
		want string
	}{{s, ranking.Relative{Value: 105.25, Lo: 105.25, Hi: 105.25}, "5.2 % more"},
		{s, ranking.Relative{Value: 80, Lo: 78, Hi: 82}, "20.0 ± 2.0 % less"},
		{Standing{Scale: quantity.Share, Unit: "%"}, ranking.Relative{Value: -3.4, Lo: -4, Hi: -3}, "3.4 points less"},
		{Standing{Scale: quantity.Level, Unit: "dB[A]"}, ranking.Relative{Value: 4}, "4.000 dB(A) more"}} {
		if got := differs(c.r, c.s); got != c.want {
			t.Errorf("%+v: %q, want %q", c.r, got, c.want)
		}
	}
}

// What is shown with a caveat is never sure.
func TestACaveatTakesTheCertainty(t *testing.T) {
	better := ranking.Relative{Value: 150, Lo: 148, Hi: 152}
	f := Facts{Subject: "Maker A", Standings: []Standing{{Figure: "m", Name: "m", Scale: quantity.Ratio,
		Better: quantity.Higher, Field: 5, FieldName: "laptops", Class: &better, Place: ranking.Place{Best: 1, Worst: 1}}}}
	certainties := func() map[Certainty]int {
		out := map[Certainty]int{}
		for _, x := range Findings(f) {
			out[x.Certainty]++
		}
		return out
	}
	if got := certainties(); got[Sure] == 0 {
		t.Fatal(got)
	}
	f.Caveats = map[string]string{"m": "A longer cable."}
	if got := certainties(); got[Sure] != 0 || got[Likely] == 0 {
		t.Error(got)
	}
}

// Every rule's findings of a full sheet of facts, with texts, kinds, certainty and weight, as somebody read them.
func TestTheFindingsOfAFullSheet(t *testing.T) {
	sure, vague := ranking.Relative{Value: 140, Lo: 135, Hi: 145}, ranking.Relative{Value: 101, Lo: 97, Hi: 105}
	full := standing(ranking.Place{Best: 1, Worst: 1}, sure, quantity.Higher)
	full.Figure, full.Name = "a/first", "first"
	full.Predecessor = &Against{"the Old One", ranking.Relative{Value: 160, Lo: 155, Hi: 165}}
	full.Rival, full.Tie = &Against{"the Rival", ranking.Relative{Value: 101, Lo: 99, Hi: 103}}, ranking.Small
	last := standing(ranking.Place{Best: 6, Worst: 6}, sure, quantity.Lower)
	last.Figure, last.Name = "b/last", "last"
	last.Predecessor = &Against{"the Old One", ranking.Relative{Value: 103, Lo: 101, Hi: 105}}
	equal := standing(ranking.Place{Best: 2, Worst: 4}, vague, quantity.Higher)
	equal.Figure, equal.Name, equal.Rival, equal.Tie = "c/equal", "equal", &Against{Name: "the Rival"}, ranking.Equal
	open := standing(ranking.Place{Best: 2, Worst: 5}, vague, quantity.Higher)
	open.Figure, open.Name, open.Rival, open.Tie = "d/open", "open", &Against{Name: "the Other"}, ranking.Undecided
	level := standing(ranking.Place{Best: 3, Worst: 3}, ranking.Relative{Value: 4, Lo: 3, Hi: 5}, quantity.Lower)
	level.Figure, level.Name, level.Unit, level.Scale = "e/level", "noise", "dB[A]", quantity.Level
	bound := standing(ranking.Place{Best: 1, Worst: 1}, sure, quantity.Higher)
	bound.Figure, bound.Bound = "f/bound", "at least"
	few := standing(ranking.Place{Best: 1, Worst: 1}, sure, quantity.Higher)
	few.Figure, few.Field = "g/few", 2
	var judged []ClaimFact
	for i, o := range []claims.Outcome{claims.Short, claims.Beyond, claims.Held, claims.Open, claims.Untested,
		claims.NotComparable, claims.Impossible} {
		judged = append(judged, ClaimFact{ID: string(o), Name: "claim " + string(o), Claimed: "10 h",
			Verdict: claims.Verdict{Outcome: o, Amount: "12 %", By: 0.12 * float64(i%2*2-1), Effect: 0.12, Why: "So."}})
	}
	golden.JSON(t, "findings.json", Findings(Facts{Subject: "Maker A", Missing: []Absent{{"weight", "body"}},
		Claims:    judged,
		Standings: []Standing{full, last, equal, open, level, bound, few}}))
}

func TestAReviewBeginsWithTheChartsOfItsFindingsAndOneOfEachOtherGroup(t *testing.T) {
	group := func(id string) string { test, _, _ := strings.Cut(id, "/"); return test }
	all := []string{"cpu/a", "cpu/b", "cpu/c", "disk/a", "disk/b", "fan/a"}
	for _, c := range []struct {
		name     string
		findings []Finding
		want     []string
	}{
		{"nothing was found", nil, []string{"cpu/a", "disk/a", "fan/a"}},
		{"two in one group", []Finding{{RestsOn: []string{"cpu/c"}}, {RestsOn: []string{"cpu/b", "fan/a"}}},
			[]string{"cpu/b", "cpu/c", "disk/a", "fan/a"}},
		{"of one of several rows", []Finding{{RestsOn: []string{"disk/b · left port"}}},
			[]string{"cpu/a", "disk/b", "fan/a"}},
		{"hidden", []Finding{{RestsOn: []string{"cpu/b"}, Hidden: true}}, []string{"cpu/a", "disk/a", "fan/a"}},
		{"hidden, and told by another", []Finding{{RestsOn: []string{"cpu/b"}}, {RestsOn: []string{"cpu/b"}, Hidden: true}},
			[]string{"cpu/b", "disk/a", "fan/a"}},
		{"of no measure that it has", []Finding{{RestsOn: []string{"claim x"}}}, []string{"cpu/a", "disk/a", "fan/a"}},
	} {
		if got := Opening(all, group, c.findings); !reflect.DeepEqual(got, ChartsOf(c.want)) {
			t.Errorf("%s: %v", c.name, got)
		}
	}
	if got := Opening(nil, group, nil); got == nil || len(got) != 0 {
		t.Errorf("of nothing: %v", got)
	}
}

func TestManyMissingFiguresAreSaidByGroup(t *testing.T) {
	a := func(names ...string) (out []Absent) {
		for _, n := range names {
			group, _, _ := strings.Cut(n, " ")
			out = append(out, Absent{n, group})
		}
		return out
	}
	for _, c := range []struct {
		missing []Absent
		want    string
	}{
		{a("disk read", "disk write", "disk fill", "noise"), "disk read; disk write; disk fill; noise"},
		{a("disk read", "disk write", "disk fill", "noise", "weight"), "disk (3 figures); noise; weight"},
		{a("disk read", "gpu a", "gpu b", "disk write", "gpu c"), "disk (2 figures); gpu (3 figures)"},
		{a("a", "b", "c", "d", "e"), "a; b; c; d; e"},
	} {
		if got := strings.Join(absent(c.missing), "; "); got != c.want {
			t.Errorf("%q, not %q", got, c.want)
		}
	}
}
