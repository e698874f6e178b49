package stats

import (
	"math"
	"testing"

	"gonum.org/v1/gonum/mathext"
	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// The shipped value weighs five degrees of freedom: from one cell of three readings s_r² = (2·s² + 5·typical²)/7.
func TestTheShippedValueWeighsFive(t *testing.T) {
	xs := []float64{1, 1.02, 1.07}
	p := NewPool([]Cell{cellOf(false, xs)}, 0, 0.01)
	near(t, "s_r", p.SR, math.Sqrt((2*stat.Variance(xs, nil)+5*0.0001)/7), 1e-12)
	near(t, "degrees of freedom", p.DF, 7, 0)
	if !p.Typical {
		t.Error("two of its own count for more than five that shipped")
	}
	six := cellOf(false, []float64{1, 1.02, 1.07, 1.01, 1, 1.03}) // five of its own: as many as shipped
	if p := NewPool([]Cell{six}, 0, 0.01); p.Typical || p.Own != 5 {
		t.Errorf("%+v", p)
	}
	// A pool without one of its cells is the pool of the others.
	a, b := cellOf(false, []float64{1, 1.1, 1.3}), cellOf(false, []float64{2, 2.01, 2.05, 2.02})
	both, alone := NewPool([]Cell{a, b}, 0, 0.02), NewPool([]Cell{a}, 0, 0.02)
	without := both.Without(b)
	near(t, "s_r without a cell", without.SR, alone.SR, 1e-12)
	near(t, "its degrees of freedom", without.DF, alone.DF, 1e-12)
	if got := both.Without(Cell{Bound: "at least"}); got.SR != both.SR {
		t.Error("a bound was taken out of a pool it is not in")
	}
	if got := NewPool([]Cell{b}, 0, 0).Without(b); got.SR != 0 || got.DF != 0 {
		t.Errorf("of one cell nothing is left: %+v", got)
	}
}

// The prior of unequal cells by hand (Smyth 2004): d₀ from the scatter of ln s² beyond what chance gives, and half a
// standard error more of it for comparisons far out.
func TestThePriorByHand(t *testing.T) {
	var cells []Cell
	var es []float64
	trigamma := mathext.Zeta(2, 1) // of two degrees of freedom, ν/2 = 1
	for _, sd := range []float64{0.001, 0.1, 0.004, 0.3, 0.01, 0.05} {
		xs := []float64{1, 1 + sd, 1 + 2*sd}
		cells = append(cells, cellOf(false, xs))
		es = append(es, math.Log(stat.Variance(xs, nil))-mathext.Digamma(1)+math.Log(1))
	}
	v := stat.Variance(es, nil)
	p := NewPool(cells, 0, 0)
	d0 := func(excess float64) float64 { // solves trigamma(d/2) = excess by halving
		lo, hi := 1e-6, 1e6
		for range 200 {
			if mid := math.Sqrt(lo * hi); mathext.Zeta(2, mid/2) > excess {
				lo = mid
			} else {
				hi = mid
			}
		}
		return lo
	}
	near(t, "d0", p.D0, d0(v-trigamma), 1e-6)
	near(t, "s0", p.S0, math.Sqrt(math.Exp(stat.Mean(es, nil)+mathext.Digamma(p.D0/2)-math.Log(p.D0/2))), 1e-9)
	near(t, "d0 with more scatter", p.lowD0, d0(v*(1+caution*math.Sqrt(2.0/5))-trigamma), 1e-6)
	if caution != 0.5 || p.lowD0 >= p.D0 {
		t.Errorf("caution %g, d0 %g, far out %g", caution, p.D0, p.lowD0)
	}
	// Two cells say nothing of how cells differ.
	if few := NewPool(cells[:2], 0, 0); few.D0 != few.DF || few.S0 != few.SR {
		t.Errorf("%+v", few)
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
			// The table may be wider between its steps, never narrower.
			if got := Quick(p, df); got < want*(1-2e-3) || got > want*1.05 {
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

// A difference of two cells on one pool has the pool's degrees of freedom; of two on their own it is Satterthwaite's.
func TestDifferencesByHand(t *testing.T) {
	pooled := Estimate{Pooled: true, SE: 0.03, DF: 12, Within: Part{0.0009, 12}}
	se, df := Difference(pooled, pooled)
	near(t, "se on one pool", se, 0.03*math.Sqrt2, 1e-12)
	near(t, "df on one pool", df, 12, 1e-9)
	a, b := Estimate{Within: Part{0.0009, 4}}, Estimate{Within: Part{0.0001, 9}}
	se, df = Difference(a, b)
	near(t, "se of two", se, math.Sqrt(0.001), 1e-12)
	near(t, "df of two", df, 0.001*0.001/(0.0009*0.0009/4+0.0001*0.0001/9), 1e-9)
	sat := Estimate{Pooled: true, Within: Part{0.0009, 12}, Among: Part{0.0004, 3}}
	se, df = Difference(sat, sat)
	near(t, "se with sittings", se, math.Sqrt(0.0026), 1e-12)
	near(t, "df with sittings", df, 0.0026*0.0026/(0.0018*0.0018/12+0.0008*0.0008/3), 1e-9)
	if _, df := Difference(Estimate{}, Estimate{}); !math.IsInf(df, 1) {
		t.Errorf("of exact ones: %g", df)
	}
}
