package fit

import (
	"math"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/quantity"
	"durvek/core/stats"
)

func ptr(v float64) *float64 { return &v }

var judges = map[string]catalog.Judge{
	"screen/white": {Name: "Screen luminance", Unit: "cd/m2", Better: quantity.Higher},
	"run/hours":    {Name: "Battery life", Unit: "h", Better: quantity.Higher},
	"fan/load":     {Name: "Noise", Unit: "dB[A]", Better: quantity.Lower},
	"export/time":  {Name: "Export", Unit: "s", Better: quantity.Lower},
}

// figures answers from a table of centres with a relative half-width.
func figures(half float64, table map[string]float64) Figure {
	return func(variant, measure, _ string) (stats.Estimate, bool) {
		v, ok := table[variant+" "+measure]
		return stats.Estimate{Centre: v, Lo: v * (1 - half), Hi: v * (1 + half), N: 3}, ok
	}
}

func TestAUseSaysWhatIsWrongWithIt(t *testing.T) {
	good := Use{Slug: "deck", Name: "the deck", Weights: []Weight{{Measure: "run/hours", Weight: 1}}}
	if s := good.Check(judges, []string{"CPU"}); s != "" {
		t.Fatal(s)
	}
	curved := good
	curved.Weights = []Weight{{Measure: "run/hours", Weight: 1, Curve: []Worth{{0, 0}, {4, 0.5}, {8, 1}}}}
	if s := curved.Check(judges, []string{"CPU"}); s != "" {
		t.Errorf("a curve from 0 to 1: %s", s)
	}
	for _, c := range [][]Worth{{{1, -0.01}}, {{1, 1.01}}, {{1, 0}, {1, 1}}} {
		curved.Weights[0].Curve = c
		if s := curved.Check(judges, []string{"CPU"}); !strings.Contains(s, "rise from corner to corner") {
			t.Errorf("%v: %q", c, s)
		}
	}
	for says, change := range map[string]func(*Use){
		"not an identifier":             func(u *Use) { u.Slug = "The Deck" },
		"needs a name":                  func(u *Use) { u.Name = " " },
		"sum to zero":                   func(u *Use) { u.Weights[0].Weight = 0 },
		"weights are numbers from 0 up": func(u *Use) { u.Weights[0].Weight = -1 },
		"either a measure or a group":   func(u *Use) { u.Weights[0].Group = "CPU" },
		"no test belongs to a group":    func(u *Use) { u.Weights[0] = Weight{Group: "Chips", Weight: 1} },
		"no test yields":                func(u *Use) { u.Weights[0].Measure = "run/days" },
		"a curve belongs to one measure": func(u *Use) {
			u.Weights[0] = Weight{Group: "CPU", Weight: 1,
				Curve: []Worth{{1, 1}}}
		},
		"rise from corner to corner":  func(u *Use) { u.Weights[0].Curve = []Worth{{2, 0}, {1, 1}} },
		"cannot be turned into h":     func(u *Use) { u.Weights[0].Unit = "kg" },
		"says neither least nor most": func(u *Use) { u.Needs = []Need{{Measure: "run/hours"}} },
		"asks for more than it allows": func(u *Use) {
			u.Needs = []Need{{Measure: "run/hours", Least: ptr(3),
				Most: ptr(2)}}
		},
		"either a measure or an entry": func(u *Use) { u.Needs = []Need{{Least: ptr(1)}} },
		"no spec sheet has":            func(u *Use) { u.Needs = []Need{{Spec: "body.colour", Least: ptr(1)}} },
		"need 1: unit W stands for power": func(u *Use) {
			u.Needs = []Need{{Measure: "run/hours", Least: ptr(1),
				Unit: "W"}}
		},
	} {
		u := good
		u.Weights = []Weight{good.Weights[0]}
		change(&u)
		if got := u.Check(judges, []string{"CPU"}); !strings.Contains(got, says) {
			t.Errorf("it says %q, want %q", got, says)
		}
	}
}

func TestNeedsDecideAndCurvesWeigh(t *testing.T) {
	u := Use{Slug: "deck", Name: "the deck", Needs: []Need{{Measure: "screen/white", Least: ptr(500), Unit: "cd/m2"},
		{Spec: "body.weight", Most: ptr(1500), Unit: "g"}},
		Weights: []Weight{{Measure: "run/hours", Weight: 3}, {Measure: "fan/load", Weight: 1, Unit: "dB[A]",
			Curve: []Worth{{30, 1}, {45, 0}}}, {Measure: "export/time", Weight: 2}}}
	table := map[string]float64{
		"a screen/white": 600, "a run/hours": 10, "a fan/load": 36, "a export/time": 200,
		"b screen/white": 400, "b run/hours": 20, "b fan/load": 30, "b export/time": 100, // the best, but dim
		"c screen/white": 502, "c run/hours": 10, "c fan/load": 50, "c export/time": 100, // on the edge
		"d run/hours":    15, // little is known
		"e screen/white": 900, "e run/hours": 5, "e fan/load": 45, "e export/time": 400,
	}
	weights := map[string]string{"a": "1.2 kg", "b": "1.2 kg", "c": "1.2 kg", "d": "1.2 kg", "e": "1.2 kg"}
	spec := func(v string) map[string]any { return map[string]any{"body.weight": weights[v]} }
	fits := All(u, []string{"a", "b", "c", "d", "e"}, spec, judges, nil, figures(0.02, table))
	by := map[string]Fit{}
	order := ""
	for _, f := range fits {
		by[f.Variant] = f
		order += f.Variant
	}
	if order != "aecdb" {
		t.Errorf("the order is %s, want those that fit, those that are open with most measured first, and last the one "+
			"whose need fails though it scores best", order)
	}
	if by["a"].For != "for" || by["b"].For != "not for" || by["c"].For != "open" || by["d"].For != "open" {
		t.Errorf("a %s, b %s, c %s, d %s", by["a"].For, by["b"].For, by["c"].For, by["d"].For)
	}
	// By hand for a: hours 10 of 20 → 0.5 × 3; noise 36 on 30…45 → 0.6 × 1; export 100 of 200 → 0.5 × 2; over 6.
	if want := 100 * (1.5 + 0.6 + 1) / 6; math.Abs(by["a"].Score-want) > 1e-9 || !(by["a"].Lo < want &&
		want < by["a"].Hi) {
		t.Errorf("a fits %g in %g to %g, want %g", by["a"].Score, by["a"].Lo, by["a"].Hi, want)
	}
	if d := by["d"]; math.Abs(d.Completeness-0.5) > 1e-9 || math.Abs(d.Score-75) > 1e-9 {
		t.Errorf("d is %g complete and fits %g, want half and 75 of what was measured", d.Completeness, d.Score)
	}
	if n := by["b"].Needs[0]; n.Met != "failed" || n.Text != "Screen luminance at least 500 cd/m²" ||
		!strings.Contains(n.Why, "Measured 400") {
		t.Errorf("%+v", n)
	}
	if n := by["c"].Needs; n[0].Met != "undecided" || n[1].Met != "met" || !strings.Contains(n[1].Why,
		"spec sheet says 1200 g") {
		t.Errorf("%+v", n)
	}
	if n := by["d"].Needs[0]; n.Met != "unknown" {
		t.Errorf("%+v", n)
	}
	delete(weights, "a")
	if f := All(u, []string{"a"}, func(string) map[string]any { return nil }, judges, nil,
		figures(0, table))[0]; f.Needs[1].Met != "unknown" || f.For != "open" {
		t.Errorf("a spec sheet that is silent: %+v", f)
	}
}

func TestABoundMeetsANeedFromBelowOnly(t *testing.T) {
	u := Use{Needs: []Need{{Measure: "run/hours", Least: ptr(9), Unit: "h"}, {Measure: "run/hours", Most: ptr(12),
		Unit: "h"}}, Weights: []Weight{{Measure: "run/hours", Weight: 1}}}
	f := All(u, []string{"a"}, func(string) map[string]any { return nil }, judges, nil, func(string, string,
		string) (stats.Estimate, bool) {
		return stats.Estimate{Centre: 10, Lo: 10, Hi: 10, Bound: "at least", N: 1}, true
	})[0]
	if f.Needs[0].Met != "met" || f.Needs[1].Met != "undecided" {
		t.Errorf("at least 10 h against at least 9 h is %s, against at most 12 h %s", f.Needs[0].Met, f.Needs[1].Met)
	}
}

func TestAGroupCountsEvenlyOverItsMeasures(t *testing.T) {
	u := Use{Weights: []Weight{{Group: "power", Weight: 4}, {Measure: "fan/load", Weight: 4, Curve: []Worth{{0, 1},
		{1, 1}}}}}
	f := All(u, []string{"a"}, func(string) map[string]any { return nil }, judges,
		map[string][]string{"power": {"run/hours", "export/time"}}, figures(0, map[string]float64{"a run/hours": 1,
			"a export/time": 1, "a fan/load": 20}))[0]
	for _, p := range f.Parts {
		if want := map[string]float64{"run/hours": 0.25, "export/time": 0.25,
			"fan/load": 0.5}[p.Measure]; math.Abs(p.Weight-want) > 1e-9 {
			t.Errorf("%s weighs %g, want %g", p.Measure, p.Weight, want)
		}
	}
}
