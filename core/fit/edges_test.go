package fit

import (
	"math"
	"slices"
	"testing"

	"durvek/core/catalog"
	"durvek/core/quantity"
	"durvek/core/stats"
)

func TestUtilityAtItsCorners(t *testing.T) {
	curve := []Worth{{At: 30, Worth: 1}, {At: 40, Worth: 0.4}, {At: 50, Worth: 0}}
	for at, want := range map[float64]float64{20: 1, 30: 1, 35: 0.7, 40: 0.4, 45: 0.2, 50: 0, 60: 0} {
		if got := utility(curve, at); math.Abs(got-want) > 1e-12 {
			t.Errorf("worth at %g is %g, want %g", at, got, want)
		}
	}
}

// one asks how a single variant fits a use by what it has; figures are by measure.
func one(u Use, spec map[string]any, judges map[string]catalog.Judge, figures map[string]stats.Estimate) Fit {
	return All(u, []string{"v"}, func(string) map[string]any { return spec }, judges, nil,
		func(_, m, _ string) (stats.Estimate, bool) {
			e, ok := figures[m]
			return e, ok
		})[0]
}

func TestNeedsAtTheirLimits(t *testing.T) {
	limit := 500.0
	judges := map[string]catalog.Judge{"screen/white": {Name: "white", Unit: "cd/m2", Better: quantity.Higher}}
	e := func(lo, hi float64) stats.Estimate { return stats.Estimate{Centre: (lo + hi) / 2, Lo: lo, Hi: hi} }
	least, most := Need{Measure: "screen/white", Unit: "cd/m2", Least: &limit}, Need{Measure: "screen/white",
		Unit: "cd/m2", Most: &limit}
	for _, c := range []struct {
		name string
		need Need
		e    stats.Estimate
		want Met
		is   Verdict
	}{
		{"lower end on the least", least, e(500, 520), Kept, Right},
		{"lower end just below it", least, e(499.9, 520), Undecided, Open},
		{"upper end on the least", least, e(480, 500), Undecided, Open},
		{"upper end just below it", least, e(480, 499.9), Failed, Wrong},
		{"upper end on the most", most, e(480, 500), Kept, Right},
		{"upper end just above it", most, e(480, 500.1), Undecided, Open},
		{"lower end on the most", most, e(500, 520), Undecided, Open},
		{"lower end just above it", most, e(500.1, 520), Failed, Wrong},
		{"far above the least, its spread unknown", least, stats.Estimate{Centre: 900, Lo: 900, Hi: 900, Unknown: true},
			Undecided, Open},
		{"far below it", least, stats.Estimate{Centre: 100, Lo: 100, Hi: 100, Unknown: true}, Undecided, Open},
		{"a bound above the least", least, stats.Estimate{Centre: 600, Lo: 600, Hi: 600, Bound: "at least"}, Kept, Right},
		{"a bound below the least", least, stats.Estimate{Centre: 400, Lo: 400, Hi: 400, Bound: "at least"}, Undecided, Open},
	} {
		f := one(Use{Needs: []Need{c.need}, Weights: []Weight{{Measure: "screen/white", Weight: 1}}}, nil, judges,
			map[string]stats.Estimate{"screen/white": c.e})
		if f.Needs[0].Met != c.want || f.For != c.is {
			t.Errorf("%s: %s and %q, want %s and %q", c.name, f.Needs[0].Met, f.For, c.want, c.is)
		}
	}
	far := one(Use{Needs: []Need{least}, Weights: []Weight{{Measure: "screen/white", Weight: 1}}}, nil, judges,
		map[string]stats.Estimate{"screen/white": {Centre: 900, Lo: 900, Hi: 900, Unknown: true}})
	if far.Needs[0].Why != "Measured 900.0 cd/m²; how much that scatters is not known." ||
		!slices.Equal(far.Unknown, []string{"screen/white"}) {
		t.Errorf("%+v", far)
	}
	skewed := map[string]stats.Estimate{"screen/white": {Centre: 480, Lo: 470, Hi: 510}}
	if f := one(Use{Needs: []Need{least}}, nil, judges, skewed); f.Needs[0].Why != "Measured 480.0 cd/m²." {
		t.Errorf("an uneven interval's centre: %s", f.Needs[0].Why)
	}
	if f := one(Use{Needs: []Need{least}}, nil, judges, nil); f.Needs[0].Met != Unknown || f.For != Open {
		t.Errorf("nothing measured: %+v", f)
	}
	weight := 2.0
	for kg, want := range map[string]Met{"2 kg": Kept, "2.1 kg": Failed, "1990 g": Kept} {
		f := one(Use{Needs: []Need{{Spec: "body.weight", Unit: "kg", Most: &weight}}}, map[string]any{"body.weight": kg}, nil,
			nil)
		if f.Needs[0].Met != want {
			t.Errorf("%s against at most 2 kg: %s, want %s", kg, f.Needs[0].Met, want)
		}
	}
}

// A need that failed is worse than one that is open, whichever comes first.
func TestTheWorstNeedDecides(t *testing.T) {
	least := 10.0
	judges := map[string]catalog.Judge{"a/x": {Unit: "h", Better: quantity.Higher}, "b/x": {Unit: "h",
		Better: quantity.Higher}}
	figures := map[string]stats.Estimate{"a/x": {Centre: 5, Lo: 4, Hi: 6}}
	failed, unknown := Need{Measure: "a/x", Unit: "h", Least: &least}, Need{Measure: "b/x", Unit: "h", Least: &least}
	for _, needs := range [][]Need{{failed, unknown}, {unknown, failed}} {
		if f := one(Use{Needs: needs}, nil, judges, figures); f.For != Wrong {
			t.Errorf("%+v: %q", needs, f.For)
		}
	}
}

// Score, interval and completeness by hand: two measures of weights 3 and 1, the second missing for one variant.
func TestScoresByHand(t *testing.T) {
	judges := map[string]catalog.Judge{"rate/x": {Unit: "/s", Better: quantity.Higher}, "time/x": {Unit: "s",
		Better: quantity.Lower}}
	has := map[string]map[string]stats.Estimate{
		"fast": {"rate/x": {Centre: 200, Lo: 190, Hi: 210}, "time/x": {Centre: 10, Lo: 9, Hi: 11}},
		"slow": {"rate/x": {Centre: 100, Lo: 90, Hi: 110}, "time/x": {Centre: 20, Lo: 20, Hi: 20}},
		"half": {"time/x": {Centre: 10, Lo: 10, Hi: 10}},
	}
	list := All(Use{Weights: []Weight{{Measure: "rate/x", Weight: 3}, {Measure: "time/x", Weight: 1}}}, []string{"half",
		"slow", "fast"}, func(string) map[string]any { return nil }, judges, nil,
		func(v, m, _ string) (stats.Estimate, bool) { e, ok := has[v][m]; return e, ok })
	by := map[string]Fit{}
	for _, f := range list {
		by[f.Variant] = f
	}
	// slow: (3·100/200 + 1·10/20)/4 = 0.5; its rate moves by ±10/200, weighed 3/4.
	if f := by["slow"]; math.Abs(f.Score-50) > 1e-9 || math.Abs(f.Hi-53.75) > 1e-9 || math.Abs(f.Lo-46.25) > 1e-9 ||
		f.Completeness != 1 || len(f.Parts) != 2 || f.Parts[0].Weight != 0.75 || f.Parts[0].Measure != "rate/x" {
		t.Errorf("slow: %+v", f)
	}
	// fast is best in both: 100, and its interval reaches down alone.
	if f := by["fast"]; f.Score != 100 || f.Hi != 100 || math.Abs(f.Lo-(100-100*math.Hypot(0.75*0.025,
		0.25*(1-10.0/11)/2))) > 1e-9 {
		t.Errorf("fast: %+v", f)
	}
	// half has a quarter of the weight: first by score, last by order.
	if f := by["half"]; f.Score != 100 || f.Completeness != 0.25 || list[2].Variant != "half" ||
		list[0].Variant != "fast" {
		t.Errorf("half: %+v, order %s %s %s", f, list[0].Variant, list[1].Variant, list[2].Variant)
	}
}

// At six tenths of the weight a variant stands with the others, just below it last.
func TestCompletenessAtItsLimit(t *testing.T) {
	judges := map[string]catalog.Judge{"a/x": {Unit: "/s", Better: quantity.Higher}, "b/x": {Unit: "/s",
		Better: quantity.Higher}}
	order := func(weight float64) string {
		list := All(Use{Weights: []Weight{{Measure: "a/x", Weight: weight}, {Measure: "b/x", Weight: 10 - weight}}},
			[]string{"part", "whole"}, func(string) map[string]any { return nil }, judges, nil,
			func(v, m, _ string) (stats.Estimate, bool) {
				if v == "part" {
					return stats.Estimate{Centre: 100, Lo: 100, Hi: 100}, m == "a/x"
				}
				return stats.Estimate{Centre: 50, Lo: 50, Hi: 50}, true
			})
		return list[0].Variant
	}
	if at, below := order(6), order(5.99); at != "part" || below != "whole" {
		t.Errorf("first at 60 %%: %s, below it: %s", at, below)
	}
}
