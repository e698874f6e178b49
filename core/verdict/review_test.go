package verdict

import (
	"reflect"
	"strings"
	"testing"
)

func TestAReviewBeginsWithTheChartsOfItsFindingsAndOneOfEachOtherArea(t *testing.T) {
	area := func(id string) string { test, _, _ := strings.Cut(id, "/"); return test }
	all := []string{"cpu/a", "cpu/b", "cpu/c", "disk/a", "disk/b", "fan/a"}
	for _, c := range []struct {
		name     string
		findings []Finding
		want     []string
		asked    []string
	}{
		{"nothing was found", nil, []string{"cpu/a", "disk/a", "fan/a"}, nil},
		{"one of an area is asked for", nil, []string{"cpu/c", "disk/a", "fan/a"}, []string{"cpu/c", "cpu/b", "x/y"}},
		{"one beside a finding, before it", []Finding{{RestsOn: []string{"cpu/a"}}}, []string{"cpu/c", "cpu/a", "disk/a",
			"fan/a"}, []string{"cpu/c"}},
		{"in the area that comes last", nil, []string{"cpu/a", "disk/b", "fan/a"}, []string{"fan/a", "disk/b"}},
		{"two in one area", []Finding{{RestsOn: []string{"cpu/c"}}, {RestsOn: []string{"cpu/b", "fan/a"}}},
			[]string{"cpu/b", "cpu/c", "disk/a", "fan/a"}, nil},
		{"three in one area", []Finding{{RestsOn: []string{"cpu/c"}}, {RestsOn: []string{"cpu/b"}},
			{RestsOn: []string{"cpu/a"}}},
			[]string{"cpu/b", "cpu/c", "disk/a", "fan/a"}, nil},
		{"of one of several rows", []Finding{{RestsOn: []string{"disk/b · left port"}}},
			[]string{"cpu/a", "disk/b", "fan/a"}, nil},
		{"hidden", []Finding{{RestsOn: []string{"cpu/b"}, Hidden: true}}, []string{"cpu/a", "disk/a", "fan/a"}, nil},
		{"a claim", []Finding{{RestsOn: []string{"claim disk/b up to 5 GB/s"}}}, []string{"cpu/a", "disk/b", "fan/a"}, nil},
		{"of no measure that it has", []Finding{{RestsOn: []string{"claim x"}}, {}}, []string{"cpu/a", "disk/a", "fan/a"},
			nil},
	} {
		if got := Opening(all, area, c.asked, c.findings); !reflect.DeepEqual(got, ChartsOf(c.want)) {
			t.Errorf("%s: %v", c.name, got)
		}
	}
	if got := Opening(nil, area, nil, nil); got == nil || len(got) != 0 {
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

func TestReferencesInTexts(t *testing.T) {
	r := Review{Summary: "It packs {{a/b}} and {{ c/d }}.", Advice: "{{a/b}} again, {{}} {x}",
		Sections: []Section{{Area: "battery", Text: "{{e/f}}"}}}
	if got := strings.Join(r.References(), " "); got != "a/b c/d  e/f" {
		t.Errorf("%q", got)
	}
	if got := Filled(r.Summary, map[string]string{"a/b": "3 MB/s"}); got != "It packs 3 MB/s and {{ c/d }}." {
		t.Error(got)
	}
}

func TestThePartsOfAVerdictAreChecked(t *testing.T) {
	good := Review{Slug: "r", Title: "R", Fits: []Fitting{{For: "crews", Is: NotFor}}, State: Preliminary,
		StateNote:    "more",
		Alternatives: []Alternative{{Name: "B", Reason: "so"}}, Upgrades: []Upgrade{{Model: "m", Advice: Skip}},
		Sections: []Section{{Area: "battery"}, {Area: "display"}}}
	if p := good.Check(); len(p) != 0 {
		t.Fatalf("%+v", p)
	}
	for want, change := range map[string]func(*Review){
		"say for whom":                    func(r *Review) { r.Fits = []Fitting{{For: " ", Is: For}} },
		"it is for, for some, or not for": func(r *Review) { r.Fits = []Fitting{{For: "x", Is: "never"}} },
		"a name and a reason":             func(r *Review) { r.Alternatives = []Alternative{{Name: "B"}} },
		"say from which model":            func(r *Review) { r.Upgrades = []Upgrade{{Advice: Skip}} },
		"worth it, wait, skip":            func(r *Review) { r.Upgrades = []Upgrade{{Name: "x", Advice: "buy"}} },
		"every area has one section":      func(r *Review) { r.Sections = []Section{{Area: "a"}, {Area: "a"}} },
		"preliminary, complete":           func(r *Review) { r.State = "done" },
		"say what is still to come":       func(r *Review) { r.StateNote = " " },
		"say why it is withdrawn":         func(r *Review) { r.State, r.StateNote = Withdrawn, "" },
	} {
		r := good
		change(&r)
		if p := r.Check(); len(p) != 1 || !strings.Contains(p[0].Reason, want) {
			t.Errorf("%s: %+v", want, p)
		}
	}
}

func TestAreasStandAsTheReviewerPlacedThem(t *testing.T) {
	r := Review{Sections: []Section{{Area: "display"}, {Area: "gone"}, {Area: "own", Text: "Mine."}, {Area: "battery"}}}
	if got := strings.Join(r.Order([]string{"zeal", "body", "battery", "processor", "display"}), " "); got !=
		"display own battery processor body zeal" {
		t.Error(got)
	}
	for group, want := range map[string]string{"CPU": "processor", "application": "applications",
		" Noise ": "noise and heat",
		"network": "wireless and ports", "memory": "memory", "own": "own", " ": "other"} {
		if got := AreaOf(group); got != want {
			t.Errorf("%q is of %q", group, got)
		}
	}
}

func TestTheHeadShowsOneFigureOfEachAreaFirst(t *testing.T) {
	var r Review
	var f Facts
	for i, area := range []string{"a", "a", "b", "c", "d", "e", "f", "g", "a"} {
		s := standing(string(rune('p'+i))+"/rate", "n", middle, 120, 1)
		s.Area, s.Said = area, string(rune('p'+i))
		f.Standings = append(f.Standings, s)
		r.Charts = append(r.Charts, Chart{Measure: s.Figure})
	}
	f.Caveats = map[string]string{"p/rate": "so"}
	var got []string
	for _, k := range Keys(r, f) {
		got = append(got, k.Value+" "+k.Place)
	}
	if all := strings.Join(got, "|"); all != "p |r in the middle of 6|s in the middle of 6|t in the middle of 6|u in "+
		"the middle of 6|"+
		"v in the middle of 6|w in the middle of 6|q in the middle of 6" {
		t.Error(all)
	}
}

// What readers ask for stands for its area, where the area stood.
func TestTheHeadShowsWhatReadersAskFor(t *testing.T) {
	var r Review
	f := Facts{Asked: []string{"r/rate", "s/rate"}}
	for i, area := range []string{"a", "b", "a", "b"} {
		s := standing(string(rune('p'+i))+"/rate", "n", middle, 120, 1)
		s.Area, s.Said = area, string(rune('p'+i))
		f.Standings = append(f.Standings, s)
		r.Charts = append(r.Charts, Chart{Measure: s.Figure})
	}
	var got string
	for _, k := range Keys(r, f) {
		got += k.Value
	}
	if got != "rspq" {
		t.Error(got)
	}
}

// Of more areas than have room, those stay that readers ask for; of more of these, the first.
func TestTheHeadHasRoomForEight(t *testing.T) {
	areas := "abcdefghij"
	head := func(asked string) (got string) {
		var r Review
		var f Facts
		for _, a := range areas {
			s := standing(string(a)+"/rate", "n", middle, 120, 1)
			s.Area, s.Said = string(a), string(a)
			f.Standings = append(f.Standings, s)
			r.Charts = append(r.Charts, Chart{Measure: s.Figure})
		}
		for _, a := range asked {
			f.Asked = append(f.Asked, string(a)+"/rate")
		}
		for _, k := range Keys(r, f) {
			got += k.Value
		}
		return got
	}
	for asked, want := range map[string]string{"": "abcdefgh", "j": "abcdefgj", "ij": "abcdefij", "abcdefghij": "abcdefgh",
		"bcdefghij": "bcdefghi", "cdefghij": "cdefghij"} {
		if got := head(asked); got != want {
			t.Errorf("asked for %q: %s, want %s", asked, got, want)
		}
	}
}

func TestAProfileHasBetterOnTheRight(t *testing.T) {
	rate, time := standing("a/rate", "copying", middle, 125, 1), standing("b/time", "storage, packing", middle, 80, 1)
	time.Better = "lower"
	level := standing("c/level", "noise", middle, 0, 0)
	level.Scale, level.Better, level.Class.Value, level.Class.Lo, level.Class.Hi = "level", "lower", 4, 3, 5
	c, ok := Profile("storage", []Standing{rate, time, level}, map[string]string{"a/rate": "so"}, "Desk")
	if !ok || len(c.Rows) != 2 || c.Rows[0].Value < 24 || c.Rows[1].Value < 24 || c.Rows[1].Name != "Packing" ||
		!c.Rows[0].Doubt || c.Rows[1].Doubt || c.Rows[0].Hollow || len(c.Notes) != 1 {
		t.Errorf("%+v", c)
	}
	if _, ok := Profile("storage", []Standing{rate}, nil, "Desk"); ok {
		t.Error("one dot is a profile")
	}
}
