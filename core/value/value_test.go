package value

import (
	"math"
	"testing"
)

func TestValuesFrontierAndBestPrices(t *testing.T) {
	p := func(id, model string, price, worth float64) Priced {
		return Priced{ID: id, Model: model, Price: price, Worth: worth, Lo: worth * 0.98, Hi: worth * 1.02}
	}
	field := []Priced{p("cheap", "x", 500, 100), p("dear", "x", 1000, 150), p("poor", "y", 900, 90), p("top", "z", 1500,
		160)}
	byID := map[string]Value{}
	for _, v := range Of(field) {
		byID[v.ID] = v
	}
	if v := byID["cheap"]; v.Place != 1 || v.Per != 100 || !v.Frontier || math.Abs(v.BestAt-100/0.15) > 1e-9 {
		t.Errorf("cheap: %+v; it stays the best up to 666.67", v)
	}
	if v := byID["poor"]; v.Frontier || v.BeatenBy != "cheap" || !v.SureBeat || v.BestAt != 450 || v.FrontAt != 500 {
		t.Errorf("poor: %+v; best buy at 450, on the frontier below 500", v)
	}
	if v := byID["dear"]; !v.Frontier || v.BestAt != 750 || v.FrontAt != 1500 {
		t.Errorf("dear: %+v", v)
	}
	steps := Steps(field)
	if len(steps) != 1 || steps[0].Costs != 500 || math.Abs(steps[0].More-50) > 1e-9 || !steps[0].Sure ||
		steps[0].Per != 10 {
		t.Errorf("steps %+v", steps)
	}
	if c := Climb(field); len(c) != 2 || c[1].To != "top" {
		t.Errorf("frontier %+v", c)
	}
	// Times: half the time is twice as good.
	slow, fast := p("slow", "", 100, 60), p("fast", "", 150, 30)
	slow.LowerIs, fast.LowerIs = true, true
	if v := Of([]Priced{slow, fast}); v[0].ID != "fast" || math.Abs(v[1].Per-75) > 1e-9 {
		t.Errorf("by time: %+v", v)
	}
	bound := p("bound", "", 10, 1000)
	bound.Unranked = true
	if v := Of([]Priced{bound, slow}); v[0].ID != "slow" || v[1].Place != 0 || !v[0].Frontier {
		t.Errorf("what is not ranked beats nobody: %+v", v)
	}
}

// Nothing on the frontier is beaten, and everything off it is.
func TestTheFrontierIsWhatNothingBeats(t *testing.T) {
	field := []Priced{}
	for i := range 60 {
		x := float64(i*7919%61) + 1
		field = append(field, Priced{ID: string(rune('A' + i)), Price: 100 + 10*x, Worth: 10 + float64(i*104729%97), Lo: 1,
			Hi: 1000})
	}
	byID := map[string]Priced{}
	for _, p := range field {
		byID[p.ID] = p
	}
	for _, v := range Of(field) {
		p, beaten := byID[v.ID], false
		for _, o := range field {
			beaten = beaten || o.ID != p.ID && o.Price <= p.Price && o.Worth >= p.Worth && (o.Price < p.Price ||
				o.Worth > p.Worth)
		}
		if beaten == v.Frontier {
			t.Errorf("%s at %g for %g: frontier %v, beaten %v", v.ID, p.Worth, p.Price, v.Frontier, beaten)
		}
	}
}
