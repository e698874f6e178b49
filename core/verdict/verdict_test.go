package verdict

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"durvek/core/claims"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/internal/golden"
)

// standing is a rate that stands so against the average of five others.
func standing(figure, name string, place ranking.Place, value, half float64) Standing {
	test, measure, _ := strings.Cut(figure, "/")
	return Standing{Figure: figure, Test: test, Measure: measure, Name: name, Short: name, Area: "storage", Unit: "MBy/s",
		Scale: quantity.Ratio, Better: quantity.Higher, Words: say.Of("", "MBy/s", quantity.Ratio, quantity.Higher),
		Value: 500, Said: "500 MB/s", Place: place, Field: 6, Others: 5,
		Class: &ranking.Relative{Value: value, Lo: value - half, Hi: value + half}}
}

var middle = ranking.Place{Best: 2, Worst: 4}

// several makes one area's standings of their values against the class, each surely so.
func several(values ...float64) (out []Standing) {
	for i, v := range values {
		out = append(out, standing(fmt.Sprintf("t%d/rate", i), fmt.Sprintf("work %c", 'a'+i), middle, v, 1))
	}
	return out
}

// text gives the text of a rule's first finding, with its kind.
func text(f Facts, rule string) string {
	for _, x := range Findings(f) {
		if x.Rule == rule {
			return string(x.Kind) + ": " + x.Text
		}
	}
	return ""
}

func TestAnAreaInOneSentence(t *testing.T) {
	duel := several(136, 144, 140)
	for i := range duel {
		duel[i].Rival, duel[i].Others, duel[i].Field = "Relay 15", 1, 2
	}
	threads := several(112, 118, 91, 91)
	for i, n := range []string{"packing, all threads", "sealing, all threads", "packing, one", "sealing, one"} {
		threads[i].Name = n
	}
	oneTest := several(110, 120, 130)
	for i := range oneTest {
		oneTest[i].Test = "same"
	}
	bound := several(140, 140, 140)
	bound[2].Bound = "at least"
	caught := several(136, 144, 140)
	worse := several(80, 85, 90)
	for i := range worse {
		worse[i].Better = quantity.Lower
	}
	first := standing("a/rate", "copying", ranking.Place{Best: 1, Worst: 1}, 120, 1)
	vague := standing("a/rate", "copying", ranking.Place{Best: 1, Worst: 6}, 101, 4)
	for _, c := range []struct {
		name string
		list []Standing
		want string
	}{
		{"nothing", nil, ""},
		{"all on one side", several(136.4, 144.2, 140), "strength: Storage: ahead of the class in all three tests, by 36 " +
			"to 44 %."},
		{"all on the other", several(80, 85, 90), "weakness: Storage: behind the class in all three tests, by 10 to 20 %."},
		{"where lower is better", worse, "strength: Storage: ahead of the class in all three tests, by 10 to 20 %."},
		{"in a field of two", duel, "strength: Storage: ahead of the Relay 15 in all three tests, by 36 to 44 %."},
		{"three quarters", several(143, 120, 110, 80), "strength: Storage: ahead of the class in three of four, most in " +
			"work a (43 %); behind in work d (20 %)."},
		{"just below three quarters", several(143, 120, 80, 100.5), "note: Storage: ahead of the class in two of four, " +
			"most in work a (43 %); behind in work c (20 %); otherwise not told apart from it."},
		{"both sides", several(143, 120, 80, 90), "note: Storage: strong in work a (43 %) and work b (20 %), weak in work " +
			"c (20 %) and work d (10 %)."},
		{"both sides, each of its own", threads, "note: Storage: strong with all threads (12 to 18 %), weak with one (9 %)."},
		{"none apart", several(101, 100.2, 98.5), "note: Storage: like the class: three tests within 1.5 %."},
		{"several figures of one test", oneTest, "strength: Storage: ahead of the class in all three figures, by 10 to 30 " +
			"%."},
		{"a bound is not counted", bound, "strength: Work a: 500 MB/s, in the middle of 6. Work b: 500 MB/s, in the " +
			"middle of 6."},
		{"one", []Standing{first}, "strength: Copying: 500 MB/s, first of 6."},
		{"one of which nothing is sure", []Standing{vague}, "note: Copying: 500 MB/s."},
		{"what falls in time is told elsewhere", []Standing{standing("a/hold", "held", middle, 80, 1)}, ""},
	} {
		if got := text(Facts{Standings: c.list}, "area"); got != c.want {
			t.Errorf("%s: %q, not %q", c.name, got, c.want)
		}
	}
	aside := Facts{Standings: caught, Caveats: map[string]string{"t0/rate": "A longer cable."}}
	if got := text(aside, "area"); !strings.Contains(got, "Work b") || strings.Contains(got, "Work a") {
		t.Errorf("what is shown with a caveat is counted: %q", got)
	}
	if got := text(aside, "distrust"); got != "note: Work a, with a caveat. A longer cable." {
		t.Error(got)
	}
}

func TestSidesAtTheMargin(t *testing.T) {
	s := standing("a/b", "n", middle, 100, 1)
	for _, c := range []struct {
		lo, hi float64
		want   int
	}{{102.001, 104, 1}, {101.999, 104, 0}, {96, 98, -1}, {96, 98.04, 0}, {99, 101, 0}} {
		if got := s.side(ranking.Relative{Value: (c.lo + c.hi) / 2, Lo: c.lo, Hi: c.hi}); got != c.want {
			t.Errorf("%g to %g: %d, not %d", c.lo, c.hi, got, c.want)
		}
	}
	if s.side(ranking.Relative{Value: 200, Lo: 199, Hi: 201, Unknown: true}) != 0 {
		t.Error("sure of what nothing is known of")
	}
	level := s
	level.Scale, level.Better, level.Margin = quantity.Level, quantity.Lower, 1
	if level.side(ranking.Relative{Value: -3, Lo: -4, Hi: -1}) != 0 || level.side(ranking.Relative{Value: -3, Lo: -4,
		Hi: -1.1}) != 1 ||
		level.side(ranking.Relative{Value: 3, Lo: 1.1, Hi: 5}) != -1 {
		t.Error("a level's margin is off")
	}
	for _, scale := range []quantity.Scale{quantity.Pass, quantity.Grade} {
		if level.Scale = scale; level.side(ranking.Relative{Value: 3, Lo: 2, Hi: 4}) != 0 {
			t.Errorf("a %s has a side", scale)
		}
	}
}

func TestWhatFallsUnderLastingLoad(t *testing.T) {
	hold := standing("enc-sustained/hold", "encode, held", middle, 0, 0)
	hold.Short, hold.Unit, hold.Scale, hold.Value, hold.Said, hold.Class = "Encode, sustained", "%", quantity.Share, 80,
		"80 %", nil
	hold.Limiter = record.ByPower
	drop := hold
	drop.Figure, drop.Measure, drop.Said, drop.Unit = "enc-sustained/drop", "drop", "94 s", "s"
	if got := text(Facts{Standings: []Standing{hold, drop}}, "lasting"); got !=
		"weakness: Encode, sustained: falls to 80 % after 94 s and stays there; held back by its power limit." {
		t.Error(got)
	}
	for value, want := range map[float64]string{94.9: "note", 95: "", 90: "note", 89.9: "weakness"} {
		h := hold
		h.Value = value
		if got, _, _ := strings.Cut(text(Facts{Standings: []Standing{h}}, "lasting"), ":"); got != want {
			t.Errorf("of a fall to %g: %q", value, got)
		}
	}
	fill := func(measure, said string, value float64, place ranking.Place) Standing {
		s := standing("fill/"+measure, measure, place, 100, 1)
		s.Short, s.Value, s.Said = "Filling the drive", value, said
		return s
	}
	drive := []Standing{fill("before", "5483 MB/s", 5483, middle), fill("after", "240 MB/s", 240, ranking.Place{Best: 5,
		Worst: 6}),
		fill("cache", "41 GB", 41, middle)}
	if got := text(Facts{Standings: drive}, "lasting"); got !=
		"weakness: Filling the drive: 5483 MB/s until 41 GB are written, then 240 MB/s: fifth to sixth of 6." {
		t.Error(got)
	}
	load := hold
	load.Limiter = record.ByDrive
	if got := Findings(Facts{Standings: append([]Standing{load}, drive...)}); len(got) != 1 {
		t.Errorf("one cause is told twice: %+v", got)
	}
	drive[1].Place = ranking.Place{Best: 1, Worst: 1}
	if got := text(Facts{Standings: drive}, "lasting"); !strings.HasPrefix(got, "note") {
		t.Errorf("the best of its class is weak: %s", got)
	}
}

func TestExtremesOfHistory(t *testing.T) {
	s := standing("a/rate", "copying", ranking.Place{Best: 1, Worst: 1}, 140, 1)
	for _, c := range []struct {
		best, worst, of int
		better          quantity.Direction
		want            string
	}{
		{1, 1, 58, quantity.Higher, "strength: Copying: the fastest of 58 that this desk has measured, 500 MB/s."},
		{2, 2, 58, quantity.Higher, "strength: Copying: the second fastest of 58"},
		{57, 57, 58, quantity.Higher, "weakness: Copying: the second slowest of 58"},
		{58, 58, 58, quantity.Higher, "weakness: Copying: the slowest of 58"},
		{1, 1, 12, quantity.Lower, "strength: Copying: the slowest of 12"},
		{1, 1, 12, quantity.Target, ""}, {1, 1, 11, quantity.Higher, ""}, {1, 2, 58, quantity.Higher, ""}, {3, 3, 58,
			quantity.Higher, ""},
	} {
		s.Better, s.History = c.better, &ranking.Within{Place: ranking.Place{Best: c.best, Worst: c.worst}, Of: c.of}
		if got := text(Facts{Standings: []Standing{s}}, "history"); c.want == "" && got != "" || !strings.HasPrefix(got,
			c.want) {
			t.Errorf("%+v: %q", c, got)
		}
	}
	s.Better, s.History = quantity.Higher, &ranking.Within{Place: ranking.Place{Best: 1, Worst: 1}, Of: 58}
	if got := text(Facts{Standings: []Standing{s}, Caveats: map[string]string{s.Figure: "in doubt"}},
		"history"); got != "" {
		t.Errorf("of a figure in doubt: %q", got)
	}
}

// related gives a standing one relative.
func related(s Standing, r Relation, value float64) Standing {
	s.Kin = []Against{{Variant: "v " + string(r), Model: "m", Name: "Old One", Relation: r,
		Relative: ranking.Relative{Value: value, Lo: value - 1, Hi: value + 1}}}
	return s
}

func TestKin(t *testing.T) {
	a, b := standing("a/rate", "copying", middle, 100, 1), standing("b/rate", "reading", middle, 100, 1)
	b.Area = "memory"
	for _, c := range []struct {
		name   string
		of     Relation
		values [2]float64
		prices map[string]Costs
		want   string
	}{
		{"gains", Predecessor, [2]float64{130, 112}, nil,
			"strength: Against its predecessor, the Old One: ahead in two of two figures, 30 % faster in copying, 12 % " +
				"faster in reading."},
		{"both ways", Before, [2]float64{130, 80}, nil,
			"note: Against the model before its predecessor, the Old One: ahead in one of two figures, 30 % faster in " +
				"copying; behind in one, 20 % slower in reading."},
		{"no difference", Predecessor, [2]float64{101, 100}, nil, "note: No difference to the Old One shown in two figures."},
		{"a dearer sibling that gains nothing", Sibling, [2]float64{100, 125}, map[string]Costs{"v sibling": {"350 EUR",
			true}},
			"note: The 350 EUR dearer sibling with Old One gains nothing, and is 20 % slower in reading: take the cheaper."},
		{"a cheaper one", Sibling, [2]float64{80, 125}, map[string]Costs{"v sibling": {"20 EUR", false}},
			"note: The 20 EUR cheaper sibling with Old One: 25 % faster in copying; but 20 % slower in reading."},
		{"one of unknown price", Sibling, [2]float64{100, 100}, nil,
			"note: The sibling with Old One shows no difference in two figures."},
	} {
		f := Facts{Standings: []Standing{related(a, c.of, c.values[0]), related(b, c.of, c.values[1])}, Prices: c.prices}
		if got := text(f, map[Relation]string{Predecessor: "predecessor", Before: "before",
			Sibling: "sibling"}[c.of]); got != c.want {
			t.Errorf("%s: %q, not %q", c.name, got, c.want)
		}
	}
	// Of several configurations of one predecessor the one that shares most speaks.
	two := related(a, Predecessor, 130)
	two.Kin = append(two.Kin, Against{Variant: "other", Name: "Other", Relation: Predecessor,
		Relative: two.Kin[0].Relative})
	if k := KinOf(Facts{Standings: []Standing{two, related(b, Predecessor, 112)}}); len(k) != 1 || k[0].Shared != 2 {
		t.Errorf("%+v", k)
	}
}

func TestAnUpgradeIsWorthItFromAFifthOn(t *testing.T) {
	for value, want := range map[float64]UpgradeWord{122.2: WorthIt, 122: Wait, 103.2: Wait, 103: Skip, 90: Skip} {
		f := Facts{Standings: []Standing{related(standing("a/rate", "copying", middle, 100, 1), Predecessor, value)}}
		r := Propose(Review{}, f)
		if len(r.Upgrades) != 1 || r.Upgrades[0].Advice != want || r.Upgrades[0].Model != "m" {
			t.Errorf("%g: %+v", value, r.Upgrades)
		}
	}
	mine := []Upgrade{{Name: "mine", Advice: Skip}}
	r := Propose(Review{Upgrades: mine, Take: "this", Turns: "never"}, Facts{Worth: &Worth{Price: "9 EUR", BestAt: "8 EUR",
		Beater: "b", BeatenBy: "Boat (7 EUR)"}})
	if !reflect.DeepEqual(r.Upgrades, mine) || r.Take != "this" || r.Turns != "never" || len(r.Alternatives) != 1 ||
		r.Alternatives[0].Name != "Boat" || r.Alternatives[0].Reason != "As much or more for 7 EUR." {
		t.Errorf("%+v", r)
	}
}

func TestClaimsInWords(t *testing.T) {
	for _, c := range []struct {
		outcome claims.Outcome
		lower   bool
		want    string
	}{{claims.Short, false, "weakness: Battery: promised 13 h, measured 11 h: 12 % short."},
		{claims.Short, true, "weakness: Battery: promised 13 h, measured 11 h: 12 % over."},
		{claims.Beyond, false, "strength: Battery: promised 13 h, measured 11 h: 12 % beyond."},
		{claims.Held, false, "note: Battery: promised 13 h, measured 11 h: kept."},
		{claims.Open, false, "note: Battery: promised 13 h, measured 11 h: not decided; four more runs would."},
		{claims.Impossible, false, "weakness: Battery: promises 13 h: So."},
		{claims.NotComparable, false, "note: Battery: promised 13 h; nothing comparable was measured."},
		{claims.Untested, false, ""}} {
		f := Facts{Claims: []ClaimFact{{ID: "x", Name: "Battery", Claimed: "13 h", Measured: "11 h", Lower: c.lower,
			Verdict: claims.Verdict{Outcome: c.outcome, Amount: "12.4 %", By: -0.124, Effect: 0.124, More: 4, Why: "So."}}}}
		if got := text(f, "claims"); got != c.want {
			t.Errorf("%s: %q, not %q", c.outcome, got, c.want)
		}
		if got := text(f, "missing-evidence"); (got != "") != (c.outcome == claims.Untested) {
			t.Errorf("%s: %q", c.outcome, got)
		}
	}
}

func TestTroubleIsAWeakness(t *testing.T) {
	f := Facts{Incidents: []record.IncidentRate{{Unit: "u", Kind: record.Disconnection, Times: 9, Tries: 31, Of: "tries",
		Low: 0.14, High: 0.48, Hosts: 3, HostsAll: 3}, {Unit: "u", Kind: record.Disconnection, Host: "h", Times: 9, Tries: 9},
		{Unit: "u", Kind: record.Interruption, Times: 2, Tries: 4}, {Unit: "u", Kind: "slow-link", Times: 0, Tries: 4}},
		Fails: []string{"the Kit A", "the Kit B"}, Works: 1,
		Needs: []Need{{"the wheelhouse", "noise at most 35 dB(A)", "Measured 40 dB(A)."}}}
	got := Findings(f)
	if len(got) != 3 || got[0].Text != "Not for the wheelhouse, which wants noise at most 35 dB(A). Measured 40 dB(A)." {
		t.Fatalf("%+v", got)
	}
	if text(f, "incident") != "weakness: Lost its connection in 9 of 31 tries (29 %; 14 to 48 %), on all three hosts." ||
		text(f, "partner") != "weakness: Did not work with the Kit A and the Kit B; it worked with one other." {
		t.Error(text(f, "incident"), text(f, "partner"))
	}
	f.Incidents[0].Hosts, f.Incidents[0].HostsAll = 1, 1
	if got := text(f, "incident"); got != "weakness: Lost its connection in 9 of 31 tries (29 %; 14 to 48 %)." {
		t.Errorf("with one host there is: %s", got)
	}
	f.Incidents[0].HostsAll, f.Incidents[0].Kind, f.Works = 3, "slow-link", 0
	if text(f, "incident") != "weakness: Slow link in 9 of 31 tries (29 %; 14 to 48 %), on one of three hosts." ||
		text(f, "partner") != "weakness: Did not work with the Kit A and the Kit B." {
		t.Error(text(f, "incident"), text(f, "partner"))
	}
}

func TestChecksAndMarks(t *testing.T) {
	check := standing("ports/power", "ports, power", middle, 0, 0)
	check.Scale, check.Class = quantity.Pass, nil
	for value, want := range map[float64]string{1: "note: Checked, and works: ports, power.",
		0.5: "weakness: Ports, power: works in 1 of 2.", 0: "weakness: Ports, power: does not work (0 of 1)."} {
		check.Value, check.Said = value, map[float64]string{0: "0 of 1", 0.5: "1 of 2", 1: "1 of 1"}[value]
		if got := text(Facts{Standings: []Standing{check}}, "check"); got != want {
			t.Errorf("%g: %q", value, got)
		}
	}
	grade := check
	grade.Scale, grade.Levels, grade.Said, grade.Better = quantity.Grade, 4, "even, firm", quantity.Higher
	for _, c := range []struct {
		level, best int
		better      quantity.Direction
		kind        Kind
	}{{3, 1, quantity.Higher, Strength}, {3, 2, quantity.Higher, Note}, {1, 3, quantity.Higher, Note},
		{0, 4, quantity.Higher, Weakness}, {0, 1, quantity.Lower, Strength}, {3, 4, quantity.Lower, Weakness}} {
		grade.Level, grade.Place.Best, grade.Better = c.level, c.best, c.better
		if got := text(Facts{Standings: []Standing{grade}}, "check"); got != string(c.kind)+": Ports, power: even, firm." {
			t.Errorf("%+v: %q", c, got)
		}
	}
}

func TestWhatItGivesForItsPrice(t *testing.T) {
	for _, c := range []struct {
		w    Worth
		want string
	}{{Worth{Price: "89 EUR", Best: true, BestAt: "181 EUR", Frontier: true},
		"strength: The best buy of its class at 89 EUR, and up to 181 EUR."},
		{Worth{Price: "9 EUR", BestAt: "8 EUR", Frontier: true},
			"note: At 9 EUR nothing in its class is as cheap and as good; at 8 EUR it would be the best buy."},
		{Worth{Price: "9 EUR", BeatenBy: "Boat (8 EUR)", BestAt: "7 EUR"},
			"note: At 9 EUR the Boat (8 EUR) gives as much or more; the best buy of its class it would be at 7 EUR."},
		{Worth{Price: "9 EUR", BeatenBy: "Boat (8 EUR)", Surely: true},
			"weakness: At 9 EUR the Boat (8 EUR) gives as much or more."}} {
		if got := text(Facts{Worth: &c.w}, "worth"); got != c.want {
			t.Errorf("%q, not %q", got, c.want)
		}
	}
	if text(Facts{Worth: &Worth{Price: "1 EUR"}}, "worth") != "" || text(Facts{}, "worth") != "" {
		t.Error("something is said of nothing")
	}
}

func TestOverallNeedsFourAreasOnOneSide(t *testing.T) {
	areas := func(values ...float64) Facts {
		list := several(values...)
		for i, a := range []string{"processor", "storage", "memory", "graphics", "display"}[:len(list)] {
			list[i].Area = a
		}
		return Facts{Standings: list}
	}
	for _, c := range []struct {
		f    Facts
		want string
	}{{areas(80, 90, 85), ""},
		{areas(80, 90, 85, 95), "weakness: Below the average of its class in all four areas; best in graphics, worst in " +
			"processor."},
		{areas(80, 90, 85, 105, 95), "weakness: Below the average of its class in four of five areas; best in graphics, " +
			"worst in processor."},
		{areas(80, 90, 104, 105, 95), ""},
		{areas(120, 110, 115, 95, 105), "strength: Above the average of its class in four of five areas; best in " +
			"processor, worst in graphics."}} {
		if got := text(c.f, "overall"); got != c.want {
			t.Errorf("%q, not %q", got, c.want)
		}
	}
}

func TestOneOfEachAreaComesBeforeASecondOfAny(t *testing.T) {
	var list []Finding
	for i, area := range []string{"a", "a", "a", "b", "c", "d", "e", "f"} {
		list = append(list, Finding{ID: fmt.Sprint(i), Kind: Strength, Area: area, Prominence: float64(10 - i)})
	}
	list = append(list, Finding{Kind: Weakness, Rule: "r", Prominence: 1}, Finding{Kind: Weakness, Rule: "s",
		Prominence: 0},
		Finding{Kind: Note, Rule: RemarkRule})
	var shown []string
	for i, f := range Hide(list) {
		if !f.Hidden {
			shown = append(shown, fmt.Sprint(i))
		}
	}
	if got := strings.Join(shown, " "); got != "0 3 4 5 6 8 10" {
		t.Errorf("shown are %s", got)
	}
	var few []string
	for i, f := range Hide([]Finding{{Kind: Note, Area: "a", Prominence: 3}, {Kind: Note, Area: "a", Prominence: 2},
		{Kind: Note, Area: "a", Prominence: 1}, {Kind: Note, Area: "b", Prominence: 1}}) {
		if !f.Hidden {
			few = append(few, fmt.Sprint(i))
		}
	}
	if got := strings.Join(few, " "); got != "0 1 3" {
		t.Errorf("where there is room a second follows, no third: %s", got)
	}
}

func TestWeightsOfUsesMove(t *testing.T) {
	list := append(several(130, 130, 130), several(130, 130, 130)...)
	for i := range 3 {
		list[3+i].Area, list[3+i].Figure, list[3+i].Test = "memory", fmt.Sprintf("m%d/rate", i), fmt.Sprintf("m%d", i)
	}
	for area, w := range map[string]float64{"storage": 2, "memory": 2} {
		got := Findings(Facts{Standings: list, Weights: map[string]float64{area: w}})
		if got[0].Area != area {
			t.Errorf("%s weighs more, and %s comes first", area, got[0].Area)
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

// Every rule's findings of a full sheet of facts, with texts, kinds, certainty and weight, as somebody read them.
func TestTheFindingsOfAFullSheet(t *testing.T) {
	list := several(140, 120, 90, 101)
	list[0].History = &ranking.Within{Place: ranking.Place{Best: 1, Worst: 1}, Of: 40}
	list[1] = related(list[1], Predecessor, 130)
	level := standing("fan/load", "noise", ranking.Place{Best: 3, Worst: 3}, 0, 0)
	level.Area, level.Unit, level.Scale, level.Better, level.Said = "noise and heat", "dB[A]", quantity.Level,
		quantity.Lower, "40 dB(A)"
	level.Words, level.Class = say.Of("", "dB[A]", quantity.Level, quantity.Lower), &ranking.Relative{Value: 4, Lo: 3,
		Hi: 5}
	golden.JSON(t, "findings.json", Findings(Facts{Missing: []Absent{{"weight", "body"}},
		Claims: []ClaimFact{{ID: "x", Name: "Battery", Area: "battery", Claimed: "10 h", Measured: "8 h",
			Verdict: claims.Verdict{Outcome: claims.Short, Amount: "20 %", By: -0.2, Effect: 0.2}}},
		Modes:   []Mode{{"Fast mode", "10 % faster in copying", "4 dB(A) more", "t0/rate"}},
		Remarks: []record.Remark{{ID: "r", Kind: record.Impression, Area: "body", Text: "Firm"}},
		Worth:   &Worth{Price: "9 EUR", BestAt: "8 EUR", Frontier: true}, Standings: append(list, level)}))
}

// Figures with one caveat are named once: three by name, more with a count of the rest.
func TestACaveatIsSaidOnceOfAllThatItIsAbout(t *testing.T) {
	for n, want := range map[int]string{1: "A0, with a caveat. Cold.", 3: "A0, a1 and a2, with a caveat. Cold.",
		4: "A0, a1 and 2 more, with a caveat. Cold."} {
		f := Facts{Caveats: map[string]string{}}
		for i := range n {
			s := standing(fmt.Sprintf("t%d/m", i), "CPU", ranking.Place{Best: 1, Worst: 1}, 0, 0)
			s.Name, s.Figure = fmt.Sprintf("a%d", i), fmt.Sprintf("t%d/m", i)
			f.Standings, f.Caveats[s.Figure] = append(f.Standings, s), "cold"
		}
		found := distrusted(f)
		if len(found) != 1 || found[0].Text != want || len(found[0].RestsOn) != n {
			t.Errorf("%d figures: %+v, want %q", n, found, want)
		}
	}
}
