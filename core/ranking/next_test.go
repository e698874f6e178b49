package ranking

import (
	"math"
	"strings"
	"testing"

	"durvek/core/stats"
)

// ranked makes rows of which each has a standing, a step of d apart.
func rankedRows(se, d float64, n int) []Row {
	var means []float64
	for i := range n {
		means = append(means, 5-d*float64(i))
	}
	return Rank(field(se, means...), higher).Rows
}

func TestWhatIsMissingNarrowsMost(t *testing.T) {
	clear, tied := rankedRows(0.001, 0.1, 6), rankedRows(0.02, 0.001, 6)
	out := Next([]Gap{
		{Variant: "x", Unit: "x-a", Name: "X", Test: "t", Measure: "t/one", What: "one", Setup: "s", Rows: clear, Seconds: 60,
			Repeats: 3},
		{Variant: "x", Unit: "x-a", Name: "X", Test: "t", Measure: "t/two", What: "two", Setup: "s", Rows: tied, Seconds: 60,
			Repeats: 5},
		{Variant: "y", Name: "Y", Test: "t", Measure: "t/one", What: "one", Setup: "s", Rows: clear, Seconds: 1, Repeats: 1},
		{Variant: "z", Unit: "z-a", Name: "Z", Test: "t", Measure: "t/one", What: "one", Setup: "s", Rows: clear, Seconds: 1,
			Repeats: 1, Carried: true},
		{Variant: "w", Unit: "w-a", Name: "W", Test: "long", Measure: "long/one", What: "long one", Setup: "s", Rows: clear,
			Seconds: 3600, Repeats: 3, Claims: 1},
	}, 0)
	order := ""
	for _, s := range out {
		order += s.Variant
	}
	if order != "xwzy" {
		t.Fatalf("the order is %s, want by what an hour settles, then what a sibling can stand in for, then what is not "+
			"on the desk", order)
	}
	x := out[0]
	// Six are ranked one by one, so a seventh would narrow by six places; where all six are tied, by nothing.
	if math.Abs(x.Places-7) > 1e-9 || x.Repeats != 5 || x.Minutes != 5 || len(x.Measures) != 2 || !strings.Contains(x.Why,
		"missing in 2 measures, one among them; standings narrow by about 7.0 places") {
		t.Errorf("%+v", x)
	}
	if w := out[1]; w.Claims != 1 || !strings.Contains(w.Why, "one claim could be decided") ||
		math.Abs(w.PerHour-60*(w.Places+1)/180) > 1e-9 {
		t.Errorf("%+v", w)
	}
	if !strings.Contains(out[2].Why, "a sibling's figure can stand in") || !strings.Contains(out[3].Why,
		"no unit of it is on the desk") {
		t.Errorf("%q, %q", out[2].Why, out[3].Why)
	}
	if got := Next([]Gap{{Variant: "x", Rows: clear[:1], Seconds: 1, Repeats: 1}}, 0); len(got) != 0 {
		t.Errorf("a field of one was worth a run: %+v", got)
	}
}

func TestMoreRepeatsPayWhereTheyPartNeighbours(t *testing.T) {
	weak := func(d, se float64) float64 {
		rows := Rank(field(se, 5, 5-d), higher).Rows
		return Gap{Variant: "a", Rows: rows, Weak: true, Repeats: 5, Measure: "t/m"}.narrowing()
	}
	if near := weak(0.025, 0.01); near != 1 {
		t.Errorf("a difference just inside the interval of five repeats narrows by %g, want 1", near)
	}
	if equal := weak(0.0001, 0.01); equal != 0 {
		t.Errorf("equals narrow by %g: more repeats would not part them", equal)
	}
	if clear := weak(1, 0.01); clear != 0 {
		t.Errorf("what is parted already narrows by %g", clear)
	}
}

// Of a field in which some have a place and some have none, those alone tell how wide a place is.
func TestAnUnknownSpreadNarrowsAsWhatIsMissing(t *testing.T) {
	rows := Rank(field(0.02, 5, 4.999, 3), higher).Rows // two tied, one alone: 2/3 of a place wide
	unknown := Row{Entry: Entry{ID: "x", Estimate: stats.Estimate{Centre: 9, Mean: 2, N: 1, Unknown: true}}}
	rows = append(rows, unknown)
	for what, g := range map[string]Gap{"missing": {Variant: "y"}, "of unknown spread": {Variant: "x", Weak: true}} {
		g.Rows = rows
		if got := g.narrowing(); math.Abs(got-(4-2.0/3)) > 1e-9 {
			t.Errorf("what is %s narrows by %g", what, got)
		}
	}
	if got := (Gap{Variant: "x", Weak: true, Rows: rows[3:]}).narrowing(); got != 0 {
		t.Errorf("alone in its field it narrows by %g", got)
	}
}
