package stats

import (
	"math"
	"testing"

	"gonum.org/v1/gonum/mathext"
	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// A pool without one of its cells is the pool of the others, and one with a cell more is that of all.
func TestPoolsAreKeptInStep(t *testing.T) {
	a, b := cellOf(false, []float64{1, 1.1, 1.3}), cellOf(false, []float64{2, 2.01, 2.05, 2.02})
	two := cellOf(false, []float64{3, 3.1}, []float64{3.3, 3.4})
	for _, typical := range []float64{0, 0.02} {
		all, rest := NewPool([]Cell{a, b, two}, 0.001, typical), NewPool([]Cell{a, two}, 0.001, typical)
		for _, c := range []Cell{a, b, two} {
			want, got := rest.Estimate(c, false), all.Without(b).Estimate(c, false)
			near(t, "standard error without a cell", got.SE/want.SE, 1, 0.005)
			near(t, "its degrees of freedom", got.DF/want.DF, 1, 0.02)
			got = rest.Changed(nil, []Sample{{Cell: b}}).Estimate(c, false)
			near(t, "standard error with one more", got.SE/all.Estimate(c, false).SE, 1, 0.005)
		}
		near(t, "degrees of freedom", all.Without(b).DF, rest.DF, 1e-9)
		near(t, "between sittings", all.Without(b).Between, rest.Between, 0.01*rest.Between)
		if got := all.Without(Cell{Bound: "at least"}); got.SR != all.SR {
			t.Error("a bound was taken out of a pool it is not in")
		}
	}
	if got := NewPool([]Cell{b}, 0, 0).Without(b); got.SR != 0 || got.DF != 0 || got.Known() {
		t.Errorf("of one cell nothing is left: %+v", got)
	}
	six := cellOf(false, []float64{1, 1.02, 1.07, 1.01, 1, 1.03}) // five of its own: as many as shipped
	if p := NewPool([]Cell{six}, 0, 0.01); p.Typical || p.Own != 5 || p.DF != 10 {
		t.Errorf("%+v", p)
	}
	if p := NewPool([]Cell{cellOf(false, []float64{1, 1.02, 1.07, 1.01, 1})}, 0, 0.01); !p.Typical || p.Own != 4 {
		t.Errorf("%+v", p)
	}
}

// What is in serious doubt counts for the figure and not for its spread; what was taken out for being extreme, the
// other way round.
func TestDoubtedReadingsTellNothingOfTheSpread(t *testing.T) {
	calm := []Value{{X: 100, Sitting: "s"}, {X: 101, Sitting: "s"}, {X: 99, Sitting: "s"}}
	far := func(v Value) Cell { return NewCell(append(append([]Value(nil), calm...), v), true) }
	doubted, extreme := far(Value{X: 150, Sitting: "s", Doubted: true}), far(Value{X: 150, Sitting: "s", Extreme: true})
	plain := NewCell(calm, true)
	if doubted.N() != 4 || extreme.N() != 3 {
		t.Errorf("%d and %d readings count", doubted.N(), extreme.N())
	}
	a, b, c := NewPool([]Cell{plain}, 0, 0.01), NewPool([]Cell{doubted}, 0, 0.01), NewPool([]Cell{extreme}, 0, 0.01)
	if a.SR != b.SR || b.Own != 2 || c.Own != 3 || c.SR < 1.3*a.SR {
		t.Errorf("repeatability %g, with a doubted one %g, with an extreme one %g", a.SR, b.SR, c.SR)
	}
	near(t, "spread of the doubted cell", a.Estimate(doubted, true).SE*2, a.Estimate(plain, true).SE*math.Sqrt(3), 1e-9)
	near(t, "spread beside an extreme one", a.Estimate(extreme, true).SE, a.Estimate(plain, true).SE, 1e-12)
	all := NewCell([]Value{{X: 100, Sitting: "s", Doubted: true}, {X: 140, Sitting: "s", Doubted: true}}, true)
	if p := NewPool([]Cell{all}, 0, 0); p.Own != 0 || p.Known() || !p.Estimate(all, true).Unknown {
		t.Errorf("of doubted readings alone something is known: %+v", p)
	}
}

// Where every sitting holds one reading, what they scatter is all that there is to know.
func TestOneReadingASitting(t *testing.T) {
	cells := []Cell{cellOf(false, []float64{10}, []float64{11}, []float64{12}), cellOf(false, []float64{20},
		[]float64{20.8}, []float64{22})}
	p := NewPool(cells, 0, 0)
	e := p.Estimate(cells[0], false)
	if !p.Known() || p.Own != 4 || e.Among.Variance != 0 || e.SE < 0.4 || e.SE > 0.8 {
		t.Errorf("%+v, %+v", p, e)
	}
	if one := p.Estimate(cellOf(false, []float64{10}), false); one.SE < 1.5*e.SE {
		t.Errorf("one of them is as sure as three: %g, %g", one.SE, e.SE)
	}
}

// Variances are drawn together as Smyth (2004) has it: d₀ from the scatter of ln s² beyond what chance gives.
func TestThePriorByHand(t *testing.T) {
	var es, vs, dfs []float64
	for _, v := range []float64{0.001, 0.1, 0.004, 0.3, 0.01, 0.05} {
		vs, dfs = append(vs, v), append(dfs, 2)
		es = append(es, math.Log(v)-mathext.Digamma(1))
	}
	excess := stat.Variance(es, nil) - mathext.Zeta(2, 1)
	lo, hi := 1e-6, 1e6 // solves trigamma(d/2) = excess by halving
	for range 200 {
		if mid := math.Sqrt(lo * hi); mathext.Zeta(2, mid/2) > excess {
			lo = mid
		} else {
			hi = mid
		}
	}
	s0 := math.Exp(stat.Mean(es, nil) + mathext.Digamma(lo/2) - math.Log(lo/2))
	got, df := Moderated(vs, dfs)
	for i, v := range vs {
		near(t, "moderated", got[i], (lo*s0+2*v)/(lo+2), 1e-6)
		near(t, "degrees of freedom", df[i], lo+2, 1e-5)
	}
	if got, df := Moderated(vs[:2], dfs[:2]); got[0] != vs[0] || df[0] != 2 { // two say nothing of how they differ
		t.Errorf("%v, %v", got, df)
	}
}

// Quantiles against a library of its own, through the whole table and beyond it.
func TestQuantilesAgainstAnotherLibrary(t *testing.T) {
	for _, df := range []float64{1, 1.5, 2, 3, 4.7, 5, 10, 30, 61.3, 120, 1000} {
		for _, p := range []float64{0.6, 0.9, 0.975, 0.995, 0.9995} {
			want := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: df}.Quantile(p)
			if got := TQuantile(p, df); math.Abs(got-want) > 1e-6*math.Max(1, want) {
				t.Errorf("t(%g, %g) is %g, want %g", p, df, got, want)
			}
			if got := Quick(p, df); math.Abs(got/want-1) > 3e-3 {
				t.Errorf("t(%g, %g) by table is %g, want %g", p, df, got, want)
			}
		}
	}
	n := distuv.Normal{Mu: 0, Sigma: 1}
	if got, want := TQuantile(0.975, math.Inf(1)), n.Quantile(0.975); math.Abs(got-want) > 1e-6 {
		t.Errorf("without end it is the normal's: %g, want %g", got, want)
	}
	for _, x := range []float64{0.3, 1, 2.5, 8} {
		for _, df := range []float64{1, 4, 30} {
			want := 2 * distuv.StudentsT{Mu: 0, Sigma: 1, Nu: df}.Survival(x)
			if got := TwoSided(x, df); math.Abs(got-want) > 1e-9 {
				t.Errorf("two-sided p of %g at %g is %g, want %g", x, df, got, want)
			}
		}
	}
}

// Clopper and Pearson's ends are where the tail of the binomial is 2.5 %; of none and of all one end is the edge.
func TestClopperPearsonByItsDefinition(t *testing.T) {
	for _, c := range [][2]int{{3, 11}, {9, 31}, {1, 1}, {0, 7}, {7, 7}, {50, 100}} {
		k, n := c[0], c[1]
		lo, hi := ClopperPearson(k, n, 0.95)
		above := func(p float64) float64 { return 1 - distuv.Binomial{N: float64(n), P: p}.CDF(float64(k-1)) }
		below := func(p float64) float64 { return distuv.Binomial{N: float64(n), P: p}.CDF(float64(k)) }
		if k == 0 && lo != 0 || k == n && hi != 1 {
			t.Errorf("%d of %d: %g to %g", k, n, lo, hi)
		}
		if k > 0 && math.Abs(above(lo)-0.025) > 1e-6 {
			t.Errorf("%d of %d: at its lower end %g the tail is %g", k, n, lo, above(lo))
		}
		if k < n && math.Abs(below(hi)-0.025) > 1e-6 {
			t.Errorf("%d of %d: at its upper end %g the tail is %g", k, n, hi, below(hi))
		}
	}
}

// Benjamini and Hochberg by hand: the largest i with p(i) ≤ i·q/m takes all before it, though one of those lies above
// its own line.
func TestFalseDiscoveryByHand(t *testing.T) {
	for _, c := range []struct {
		ps   []float64
		want float64 // the largest p that is found; below 0 for none
	}{{[]float64{0.039, 0.001, 0.2, 0.027, 0.0374}, 0.039}, {[]float64{0.05}, 0.05}, {[]float64{0.0501}, -1},
		{[]float64{0.6, 0.026, 0.7}, -1}} {
		limit := FalseDiscovery(c.ps, 0.05)
		for _, p := range c.ps {
			if found := p <= limit; found != (p <= c.want) {
				t.Errorf("%v: the limit is %g, and %g is found: %v", c.ps, limit, p, found)
			}
		}
	}
}

// Each cell's part has its own degrees of freedom; what is between sittings is the same for both.
func TestDifferencesByHand(t *testing.T) {
	a, b := Estimate{Within: Part{0.0009, 4}}, Estimate{Within: Part{0.0001, 9}}
	se, df := Difference(a, b, 1)
	near(t, "se of two", se, math.Sqrt(0.001), 1e-12)
	near(t, "df of two", df, 0.001*0.001/(0.0009*0.0009/4+0.0001*0.0001/9), 1e-9)
	_, df = Difference(a, b, 0.75)
	near(t, "df of two in the tails", df, 0.001*0.001/(0.0009*0.0009/3+0.0001*0.0001/6.75), 1e-9)
	one := Estimate{Within: Part{0.0004, 1.2}}
	_, df = Difference(one, one, 0.75)
	near(t, "never below one each", df, 2, 1e-9)
	sat := Estimate{Within: Part{0.0009, 12}, Among: Part{0.0004, 3}, Rounding: 0.0002}
	se, df = Difference(sat, sat, 1)
	near(t, "se with sittings and rounding", se, math.Sqrt(0.003), 1e-12)
	near(t, "df with sittings and rounding", df, 0.003*0.003/(2*0.0009*0.0009/12+0.0008*0.0008/3), 1e-9)
	if _, df := Difference(Estimate{}, Estimate{}, 1); !math.IsInf(df, 1) {
		t.Errorf("of exact ones: %g", df)
	}
	se, df = Difference(Estimate{SE: 0.1, DF: 7}, Estimate{}, 1) // a standard error alone is one part
	if se != 0.1 || df != 7 {
		t.Errorf("%g, %g", se, df)
	}
	for _, x := range []struct{ diff, se, df, want float64 }{{0, 1, 5, 1}, {-2, 1, 5, 1}, {2, 0, 5, 0}, {0, 0, 5, 1},
		{2.571, 1, 5, 0.025}, {1.96, 1, math.Inf(1), 0.025}} {
		near(t, "tail", Tail(x.diff, x.se, x.df), x.want, 1e-4)
	}
}

// What is typed tells how finely it was read.
func TestTheGrainOfReadings(t *testing.T) {
	for name, x := range map[string]struct {
		readings []float64
		declared float64
		want     Grain
	}{
		"two are too few":      {[]float64{1.5, 2.5}, 0, Grain{}},
		"declared":             {[]float64{1.5, 2.5}, 0.2, Grain{Step: 0.2}},
		"a decimal":            {[]float64{1.5, 2.4, 3.1}, 0, Grain{Step: 0.1, Digits: 2}},
		"declared is coarser":  {[]float64{1.5, 2.4, 3.1}, 0.5, Grain{Step: 0.5, Digits: 2}},
		"whole tens":           {[]float64{12340, 50, 12460}, 0, Grain{Step: 10, Digits: 4}},
		"halves":               {[]float64{1.5, 2, 3.5, 12.5}, 0, Grain{Step: 0.5, Digits: 3}},
		"three of them no 5":   {[]float64{1.5, 2, 3.5}, 0, Grain{Step: 0.1, Digits: 2}},
		"even":                 {[]float64{12, 14, 18, 16.0, 24}, 0, Grain{Step: 2, Digits: 2}},
		"five digits":          {[]float64{12345, 10001, 33333}, 0, Grain{Step: 1}},
		"converted":            {[]float64{3399.999999999999, 3400, 4100.0000000000005}, 0, Grain{Step: 10, Digits: 2}},
		"zeros say nothing":    {[]float64{0, 0, 0}, 0, Grain{}},
		"small":                {[]float64{0.0012, 0.0015, 0.0017}, 0, Grain{Step: 0.0001, Digits: 2}},
		"not a number of them": {[]float64{math.NaN(), 1.5, 2.5}, 0, Grain{Step: 0.1, Digits: 2}},
	} {
		got := GrainOf(x.readings, x.declared)
		if math.Abs(got.Step-x.want.Step) > 1e-9 || got.Digits != x.want.Digits {
			t.Errorf("%s: %+v, want %+v", name, got, x.want)
		}
	}
	var ticks []float64
	for _, k := range []float64{20, 21, 23, 19, 21, 24, 22, 20, 27, 25} {
		ticks = append(ticks, 1000/(k/64))
	}
	g := GrainOf(ticks, 0)
	near(t, "ticks", g.Ticks, 1.0/64/1000, 1e-12)
	near(t, "their step at 3200", g.At(3200, false), 3200*3200/64000.0, 1e-6)
	near(t, "on logarithms", g.At(3200, true), math.Log1p(3200/64000.0), 1e-6)
	if x := (Grain{Step: 0.1, Digits: 3}); !x.Fits(12.3) || x.Fits(12.34) || x.Fits(123.4) || !x.Fits(0) {
		t.Error("what fits a grain")
	}
	scatters := func(resolution float64) Pool {
		return NewPool([]Cell{cellOf(false, []float64{10, 10.1, 9.9}), cellOf(false, []float64{20, 20.1, 20.2})},
			resolution, 0)
	}
	if sr := scatters(0).SR; !scatters(0.09*sr).Fine(10) || scatters(0.12*sr).Fine(10) || (Pool{}).Fine(10) {
		t.Error("a grain is fine below a tenth of the scatter")
	}
	near(t, "by digits", Grain{Digits: 2}.At(3456, false), 100, 1e-9)
	near(t, "by digits, below one", Grain{Digits: 2}.At(0.0345, false), 0.001, 1e-12)
	if x := (Grain{Step: 1}).At(0, true); x != 0 {
		t.Errorf("at zero on logarithms: %g", x)
	}
}
