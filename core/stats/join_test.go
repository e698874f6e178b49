package stats

import (
	"math"
	"testing"
)

// Four figures become one: the lowest and the highest as they are, the mean and the sum with the error propagated.
func TestJoin(t *testing.T) {
	one := func(v, se, df float64) Estimate { // on a logarithmic scale se is relative
		return Estimate{Centre: v, Mean: math.Log(v), Median: v, N: 3, Sittings: 1, SE: se, DF: df, Lo: v * (1 - 2*se),
			Hi: v * (1 + 2*se)}
	}
	es := []Estimate{one(100, 0.01, 8), one(300, 0.02, 8)}
	if got := Join(es, Lowest, true); got != es[0] {
		t.Errorf("lowest %+v", got)
	}
	if got := Join(es, Highest, true); got != es[1] {
		t.Errorf("highest %+v", got)
	}
	if got := Join(es[:1], Sum, true); got != es[0] {
		t.Errorf("of one %+v", got)
	}
	sum := Join(es, Sum, true)
	se := math.Hypot(100*0.01, 300*0.02) / 400
	df := math.Pow(1*1+6*6, 2) / (math.Pow(1, 4)/8 + math.Pow(6, 4)/8)
	if math.Abs(sum.Centre-400) > 1e-9 || math.Abs(sum.SE-se) > 1e-12 || math.Abs(sum.DF-df) > 1e-9 || sum.N != 6 ||
		math.Abs(sum.Mean-math.Log(400)) > 1e-12 {
		t.Errorf("sum %+v, want SE %g, DF %g", sum, se, df)
	}
	if half := Quick(0.975, df) * se; math.Abs(math.Log(sum.Hi/sum.Lo)/2-half) > 1e-9 {
		t.Errorf("the sum's interval %g to %g", sum.Lo, sum.Hi)
	}
	mean := Join(es, Mean, true)
	if math.Abs(mean.Centre-200) > 1e-9 || math.Abs(mean.SE-se) > 1e-12 {
		t.Errorf("mean %+v", mean)
	}
	plain := []Estimate{{Centre: 40, Mean: 40, SE: 1, DF: 4, N: 2}, {Centre: 60, Mean: 60, SE: 1, DF: 4, N: 2}}
	if got := Join(plain, Mean, false); got.Centre != 50 || math.Abs(got.SE-math.Sqrt2/2) > 1e-12 || got.DF != 8 ||
		math.Abs(got.Hi-50-Quick(0.975, 8)*got.SE) > 1e-9 {
		t.Errorf("mean on an interval scale %+v", got)
	}
	bound := append([]Estimate{}, es...)
	bound[1].Bound = "at least"
	if got := Join(bound, Sum, true); got.Bound != "at least" || got.Lo != got.Centre || got.Hi != got.Centre {
		t.Errorf("with a bound %+v", got)
	}
	exact := []Estimate{{Centre: 2, Mean: math.Log(2), Exact: true}, {Centre: 4, Mean: math.Log(4), Exact: true}}
	if got := Join(exact, Mean, true); !got.Exact || got.Lo != got.Centre || got.Centre != 3 {
		t.Errorf("of exact ones %+v", got)
	}
	// One of unknown spread makes the whole unknown, rounding adds up, and what is between sittings keeps its freedom.
	some := []Estimate{es[0], es[1]}
	some[1].Unknown = true
	if got := Join(some, Sum, true); !got.Unknown || got.Lo != got.Hi {
		t.Errorf("with one unknown %+v", got)
	}
	some = []Estimate{{Centre: 2, Mean: 2, Within: Part{0.01, 8}, Among: Part{0.02, 3}, Rounding: 0.005},
		{Centre: 3, Mean: 3, Within: Part{0.01, 8}, Among: Part{0.02, 3}, Rounding: 0.005}}
	got := Join(some, Sum, false)
	near(t, "standard error", got.SE, math.Sqrt(0.07), 1e-9)
	if got.Among.DF != 3 || math.Abs(got.Within.DF-16) > 1e-9 || math.Abs(got.Rounding-0.01) > 1e-12 {
		t.Errorf("parts %+v", got)
	}
}

func TestShare(t *testing.T) {
	e := Share(3, 4)
	lo, hi := ClopperPearson(3, 4, 0.95)
	if e.Centre != 0.75 || e.Lo != lo || e.Hi != hi || e.N != 4 {
		t.Errorf("%+v", e)
	}
}

// Fisher's exact test on tables whose chance is counted by hand; intervals hold the difference and shrink with n.
func TestShares(t *testing.T) {
	for _, c := range []struct {
		k1, n1, k2, n2 int
		d, p           float64
	}{{3, 4, 0, 4, -0.75, 10. / 70}, {4, 4, 0, 4, -1, 2. / 70}, {0, 5, 5, 5, 1, 2. / 252}, {2, 4, 2, 4, 0, 1},
		{1, 1, 0, 1, -1, 1}, {1, 9, 11, 12, 11./12 - 1./9, 0.000367}} {
		d, lo, hi, p := Shares(c.k1, c.n1, c.k2, c.n2)
		if math.Abs(d-c.d) > 1e-12 || math.Abs(p-c.p) > 1e-5 || lo > d || hi < d || lo < -1.5 || hi > 1.5 {
			t.Errorf("%+v: d %g (%g to %g), p %g", c, d, lo, hi, p)
		}
	}
	_, lo, hi, _ := Shares(30, 60, 30, 60)
	_, lo2, hi2, _ := Shares(3, 6, 3, 6)
	if hi-lo >= hi2-lo2 {
		t.Error("more tries make no narrower interval")
	}
	if q := TQuantile(0.975, math.Inf(1)); math.Abs(q-1.959964) > 1e-5 {
		t.Errorf("without limit of degrees of freedom t is %g", q)
	}
}

// Of several bounds the one that says most stands: the largest "at least", the smallest "at most".
func TestBoundsOfACell(t *testing.T) {
	at := func(bound string, values ...float64) Cell {
		var list []Value
		for _, v := range values {
			list = append(list, Value{X: v, Bound: bound})
		}
		return NewCell(list, false)
	}
	if c := at("at least", 3, 5, 4); c.BoundAt != 5 || c.Bounds != 3 {
		t.Errorf("%+v", c)
	}
	if c := at("at most", 3, 5, 2, 4); c.BoundAt != 2 || c.Bound != "at most" {
		t.Errorf("%+v", c)
	}
}
