package value

import (
	"math"
	"testing"
)

func near(t *testing.T, what string, got, want float64) {
	t.Helper()
	if math.Abs(got-want) > 1e-9*math.Max(1, math.Abs(want)) {
		t.Errorf("%s is %g, want %g", what, got, want)
	}
}

// A step by hand: 100 (90 to 110) for 500, 150 (140 to 160) for 700.
func TestAStepByHand(t *testing.T) {
	s := Steps([]Priced{{ID: "b", Model: "m", Price: 700, Worth: 150, Lo: 140, Hi: 160}, {ID: "a", Model: "m", Price: 500,
		Worth: 100, Lo: 90, Hi: 110}})
	if len(s) != 1 || s[0].From != "a" || s[0].To != "b" || !s[0].Sure {
		t.Fatalf("%+v", s)
	}
	half := math.Hypot(math.Log(110.0/90)/2, math.Log(160.0/140)/2)
	near(t, "gain", s[0].More, 50)
	near(t, "its lower end", s[0].Lo, 100*(1.5*math.Exp(-half)-1))
	near(t, "its upper end", s[0].Hi, 100*(1.5*math.Exp(half)-1))
	near(t, "cost of one per cent", s[0].Per, 4)
	near(t, "cost", s[0].Costs, 200)
	// Where lower is better the same pair is a loss, and nothing is paid per per cent of it.
	s = Steps([]Priced{{ID: "a", Model: "m", Price: 500, Worth: 100, Lo: 90, Hi: 110, LowerIs: true}, {ID: "b", Model: "m",
		Price: 700, Worth: 150, Lo: 140, Hi: 160, LowerIs: true}})
	near(t, "the loss", s[0].More, 100*(100.0/150-1))
	if s[0].Per != 0 || !s[0].Sure || s[0].Lo >= s[0].Hi {
		t.Errorf("%+v", s[0])
	}
	// As long as the intervals' half-widths reach as far as the gain, it is not sure.
	same := Steps([]Priced{{ID: "a", Model: "m", Price: 1, Worth: 100, Lo: 100, Hi: 100}, {ID: "b", Model: "m", Price: 2,
		Worth: 100, Lo: 100, Hi: 100}})
	if same[0].Sure || same[0].Per != 0 {
		t.Errorf("nothing gained is sure of nothing: %+v", same[0])
	}
}

// The frontier: a dearer one that is no better is beaten, at the same price and the same worth neither beats the other.
func TestTheFrontierAtItsEdges(t *testing.T) {
	by := func(field ...Priced) map[string]Value {
		out := map[string]Value{}
		for _, v := range Of(field) {
			out[v.ID] = v
		}
		return out
	}
	p := func(id string, price, worth float64) Priced {
		return Priced{ID: id, Price: price, Worth: worth, Lo: worth - 1, Hi: worth + 1}
	}
	v := by(p("a", 100, 50), p("b", 100, 50))
	if !v["a"].Frontier || !v["b"].Frontier || v["a"].FrontAt != 0 {
		t.Errorf("twins: %+v", v)
	}
	v = by(p("a", 100, 50), p("b", 101, 50))
	if !v["a"].Frontier || v["b"].Frontier || v["b"].BeatenBy != "a" || v["b"].SureBeat || v["b"].FrontAt != 100 {
		t.Errorf("as good and dearer: %+v", v)
	}
	v = by(p("a", 100, 52), p("b", 100, 50))
	if v["b"].Frontier || v["b"].SureBeat {
		t.Errorf("better at the same price, its interval touching: %+v", v["b"])
	}
	v = by(p("a", 100, 52.001), p("b", 100, 50))
	if !v["b"].SureBeat {
		t.Errorf("wholly above: %+v", v["b"])
	}
	v = by(p("a", 90, 60), p("b", 100, 50), p("c", 80, 55))
	if v["b"].BeatenBy != "c" || v["b"].FrontAt != 80 {
		t.Errorf("the cheapest that beats it is named: %+v", v["b"])
	}
	near(t, "the best buy's lead", v["c"].BestAt, 55/(60.0/90))
	near(t, "another's price to be the best", v["b"].BestAt, 50/(55.0/80))
	near(t, "per price, of the best", v["b"].Per, 100*(50.0/100)/(55.0/80))
	if v["c"].Place != 1 || v["a"].Place != 2 || v["b"].Place != 3 {
		t.Errorf("places %+v", v)
	}
	alone := by(p("a", 100, 50))
	if alone["a"].BestAt != 0 || alone["a"].Place != 1 {
		t.Errorf("alone: %+v", alone["a"])
	}
	listed := by(p("a", 100, 50), Priced{ID: "z", Price: 1, Worth: 900, Lo: 900, Hi: 900, Unranked: true})
	if z := listed["z"]; z.Place != 0 || z.Frontier || !listed["a"].Frontier || listed["a"].BestAt != 0 {
		t.Errorf("one that is only listed beats nobody: %+v", listed)
	}
	times := by(Priced{ID: "a", Price: 100, Worth: 10, Lo: 9, Hi: 11, LowerIs: true}, Priced{ID: "b", Price: 100,
		Worth: 12, Lo: 11.001, Hi: 13, LowerIs: true})
	if times["b"].Frontier || !times["b"].SureBeat || times["a"].Place != 1 {
		t.Errorf("where lower is better: %+v", times)
	}
}

// What is known of one reading alone has no interval, so nothing is surely better than it, nor it than anything.
func TestNothingIsSureOfUnknownSpread(t *testing.T) {
	for _, c := range []struct {
		a, b bool // whose spread is not known
		sure bool
	}{{false, false, true}, {true, false, false}, {false, true, false}, {true, true, false}} {
		field := []Priced{{ID: "a", Model: "m", Price: 200, Worth: 50, Lo: 50, Hi: 50, Unsure: c.a},
			{ID: "b", Model: "m", Price: 100, Worth: 90, Lo: 90, Hi: 90, Unsure: c.b}}
		for _, v := range Of(field) {
			if v.ID == "a" && (v.Frontier || v.SureBeat != c.sure) {
				t.Errorf("%+v: %+v", c, v)
			}
		}
		if s := Steps(field); s[0].Sure != c.sure {
			t.Errorf("%+v: the step is %+v", c, s[0])
		}
	}
}

func TestTheClimbGoesUpTheFrontierAlone(t *testing.T) {
	climb := Climb([]Priced{{ID: "c", Price: 300, Worth: 90, Lo: 89, Hi: 91}, {ID: "x", Price: 250, Worth: 40, Lo: 39,
		Hi: 41}, {ID: "a", Price: 100, Worth: 50, Lo: 49, Hi: 51}, {ID: "b", Price: 200, Worth: 80, Lo: 79, Hi: 81}})
	if len(climb) != 2 || climb[0].From != "a" || climb[0].To != "b" || climb[1].From != "b" || climb[1].To != "c" {
		t.Errorf("%+v", climb)
	}
	if got := Climb([]Priced{{ID: "a", Price: 1, Worth: 1, Lo: 1, Hi: 1}}); got == nil || len(got) != 0 {
		t.Errorf("of one there is no climb: %+v", got)
	}
	two := Steps([]Priced{{ID: "a", Model: "m", Price: 1, Worth: 1, Lo: 1, Hi: 1}, {ID: "b", Model: "n", Price: 2,
		Worth: 2, Lo: 2, Hi: 2}, {ID: "z", Model: "m", Price: 3, Worth: 3, Lo: 3, Hi: 3, Unranked: true}})
	if len(two) != 0 {
		t.Errorf("models of one configuration have no steps: %+v", two)
	}
}
