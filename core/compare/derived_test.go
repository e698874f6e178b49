package compare

import (
	"math"
	"math/rand/v2"
	"testing"

	"durvek/core/formula"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/core/trust"
)

// referred is a measure that formulas refer to.
func referred(slug, unit string, scale quantity.Scale, must ...string) Measure {
	return NewMeasure(
		method.Test{Slug: slug, Name: slug, Version: 2, MustMatch: must},
		method.Measure{Slug: "m", Unit: unit,
			Scale: scale, Better: quantity.Higher},
	)
}

// made is a measure that is worked out.
func made(t *testing.T, text, unit string, scale quantity.Scale) (Measure, formula.Formula) {
	t.Helper()
	f, err := formula.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return NewMeasure(method.Test{Slug: "made", Name: "made", Version: 1}, method.Measure{Slug: "m", Unit: unit,
		Scale: scale, Better: quantity.Higher, Formula: text}), f
}

// sure is a cell of version 2 with a relative error and degrees of freedom behind it.
func sure(centre, se, df float64) Cell {
	return Cell{Variant: "v", Unit: "u", Setup: "s", Basis: trust.Basis{TestVersion: 2, Conditions: map[string]string{}},
		Estimate: stats.Estimate{Centre: centre, Mean: math.Log(centre), SE: se, DF: df, N: 3, Sittings: 1}}
}

func TestErrorsAreCarriedOn(t *testing.T) {
	rate, watt := referred("a", "MBy/s", quantity.Ratio), referred("b", "W", quantity.Ratio)
	for _, c := range []struct {
		name, text, unit string
		a, b             Cell
		centre, se, df   float64
	}{
		{"a quotient", "{{a/m}} / {{b/m}}", "MB/s/W", sure(600, 0.03, 10), sure(20, 0.04, 10), 30, 0.05,
			0.0025 * 0.0025 / ((0.0009*0.0009 + 0.0016*0.0016) / 10)},
		{"in a smaller unit", "{{a/m}} / {{b/m}}", "kB/s/W", sure(600, 0.03, 10), sure(20, 0, 0), 30000, 0.03, 10},
		{"a square", "{{a/m}}^2 / {{a/m}} * {{b/m}} / {{b/m}}", "MB/s", sure(600, 0.03, 10), sure(20, 0.04, 10), 600, 0.03,
			10},
		{"itself by itself", "{{a/m}} / ({{a/m}} + {{a/m}}) * {{b/m}}", "W", sure(600, 0.03, 10), sure(20, 0.04, 7), 10,
			0.04, 7},
		{"a root", "sqrt({{a/m}} * {{a/m}}) * {{b/m}} / {{b/m}}", "MB/s", sure(600, 0.03, 10), sure(20, 0.1, 2), 600, 0.03,
			10},
	} {
		m, f := made(t, c.text, c.unit, quantity.Ratio)
		cells := Derive(m, f, []Input{{Measure: rate, Cells: []Cell{c.a}}, {Measure: watt, Cells: []Cell{c.b}}})
		if len(cells) != 1 {
			t.Errorf("%s: %d cells", c.name, len(cells))
			continue
		}
		e := cells[0].Estimate
		half := math.Exp(stats.TQuantile(0.975, c.df) * c.se)
		if math.Abs(e.Centre/c.centre-1) > 1e-9 || math.Abs(e.SE-c.se) > 1e-9 || math.Abs(e.DF-c.df) > 1e-6 ||
			math.Abs(e.Hi/(c.centre*half)-1) > 1e-9 || math.Abs(e.Lo/(c.centre/half)-1) > 1e-9 || e.N != 3 {
			t.Errorf("%s: %+v, want %g, error %g, %g degrees of freedom", c.name, e, c.centre, c.se, c.df)
		}
	}
}

func TestASharesErrorIsInPoints(t *testing.T) {
	m, f := made(t, "{{a/m}} / {{b/m}}", "%", quantity.Share)
	x := sure(50, 0.1, 10)
	cells := Derive(m, f, []Input{{Measure: referred("a", "W", quantity.Ratio), Cells: []Cell{x}},
		{Measure: referred("b", "W", quantity.Ratio), Cells: []Cell{sure(200, 0, 0)}}})
	if e := cells[0].Estimate; math.Abs(e.Centre-25) > 1e-9 || math.Abs(e.SE-2.5) > 1e-9 || e.Mean != e.Centre {
		t.Errorf("%+v", e)
	}
}

// What is only known as a bound stays one, on the side that the formula turns it to; what two bounds leave open on both
// sides is no figure.
func TestBoundsAreCarriedOn(t *testing.T) {
	m, f := made(t, "{{a/m}} / {{b/m}}", "MB/s/W", quantity.Ratio)
	bound := func(of string) Cell {
		c := sure(100, 0.01, 5)
		c.Estimate.Bound = of
		return c
	}
	for _, c := range []struct{ a, b, want string }{{"", "", ""}, {"at least", "", "at least"}, {"more than", "",
		"at least"},
		{"at most", "", "at most"}, {"", "at least", "at most"}, {"", "at most", "at least"},
		{"at least", "at most", "at least"}, {"at least", "more than", "none"}, {"at most", "at most", "none"}} {
		got := "none"
		if cells := Derive(m, f, []Input{{Measure: referred("a", "MBy/s", quantity.Ratio), Cells: []Cell{bound(c.a)}},
			{Measure: referred("b", "W", quantity.Ratio), Cells: []Cell{bound(c.b)}}}); len(cells) == 1 {
			got = cells[0].Estimate.Bound
			if e := cells[0].Estimate; got != "" && (e.Lo != e.Hi || e.Lo != e.Centre) {
				t.Errorf("a bound with an interval: %+v", e)
			}
		}
		if got != c.want {
			t.Errorf("%q by %q is %q, want %q", c.a, c.b, got, c.want)
		}
	}
	x, y := sure(100, 0, 0), sure(10, 0.1, 5)
	x.Estimate.Unknown = true
	cells := Derive(m, f, []Input{{Measure: referred("a", "MBy/s", quantity.Ratio), Cells: []Cell{x}},
		{Measure: referred("b", "W", quantity.Ratio), Cells: []Cell{y}}})
	if e := cells[0].Estimate; !e.Unknown || e.Lo != e.Hi {
		t.Errorf("of unknown spread: %+v", e)
	}
}

func TestOnlyWhatWasMeasuredTogetherIsJoined(t *testing.T) {
	m, f := made(t, "{{a/m}} / {{b/m}}", "MB/s/W", quantity.Ratio)
	in := func(setup, host, place string, told ...string) Cell {
		c := sure(100, 0.01, 5)
		c.Setup, c.Host, c.Place = setup, host, place
		for i := 0; i+1 < len(told); i += 2 {
			c.Basis.Conditions[told[i]] = told[i+1]
		}
		return c
	}
	old := in("s", "", "")
	old.Basis.TestVersion = 1
	other := in("s", "", "")
	other.Unit = "w"
	for name, c := range map[string]struct {
		a, b []Cell
		want []string // setup, host and place of each
	}{
		"one setup":  {[]Cell{in("s", "", "")}, []Cell{in("s", "", "")}, []string{"s||"}},
		"two setups": {[]Cell{in("s", "", "")}, []Cell{in("q", "", "")}, nil},
		"both setups": {[]Cell{in("s", "", ""), in("q", "", "")}, []Cell{in("q", "", ""), in("s", "", "")},
			[]string{"s||", "q||"}},
		"a place and none": {[]Cell{in("s", "", "left"), in("s", "", "right")}, []Cell{in("s", "", "")}, []string{"s||left",
			"s||right"}},
		"two places": {[]Cell{in("s", "", "left")}, []Cell{in("s", "", "right")}, nil},
		"a place of both": {[]Cell{in("s", "h", "left")}, []Cell{in("s", "h", "left"), in("s", "", "")},
			[]string{"s|h|left"}},
		"another unit":     {[]Cell{in("s", "", "")}, []Cell{other}, nil},
		"an older version": {[]Cell{in("s", "", "")}, []Cell{old}, nil},
		"several figures":  {[]Cell{in("s", "", ""), in("s", "", "", "k", "2")}, []Cell{in("s", "", "")}, nil},
		"none":             {nil, []Cell{in("s", "", "")}, nil},
	} {
		var got []string
		for _, x := range Derive(m, f, []Input{{Measure: referred("a", "MBy/s", quantity.Ratio, "k"), Cells: c.a},
			{Measure: referred("b", "W", quantity.Ratio), Cells: c.b}}) {
			got = append(got, x.Setup+"|"+x.Host+"|"+x.Place)
		}
		if len(got) != len(c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
			continue
		}
		for i := range got {
			if got[i] != c.want[i] {
				t.Errorf("%s: %v, want %v", name, got, c.want)
			}
		}
	}
	for _, c := range []struct{ a, b, want string }{{"1", "1", "1"}, {"1", "2", "1, 2"}, {"1", "", ""}, {"", "", ""}} {
		cells := Derive(
			m,
			f,
			[]Input{{Measure: referred("a", "MBy/s", quantity.Ratio, "k"), Cells: []Cell{in("s", "", "", "k", c.a)}},
				{Measure: referred("b", "W", quantity.Ratio, "k"), Cells: []Cell{in("s", "", "", "k", c.b)}}},
		)
		if got := cells[0].Basis.Conditions["k"]; got != c.want {
			t.Errorf("conditions %q and %q are %q, want %q", c.a, c.b, got, c.want)
		}
	}
	spec, _ := Paper("spec/cpu.cores")
	g, h := made(t, "{{a/m}} / {{spec/cpu.cores}}", "MB/s", quantity.Ratio)
	cores := Cell{Variant: "v", Setup: "whatever", Estimate: stats.Estimate{Centre: 4, N: 1, Exact: true},
		Basis: trust.Basis{TestVersion: spec.Version}}
	cells := Derive(g, h, []Input{{Measure: referred("a", "MBy/s", quantity.Ratio), Cells: []Cell{in("s", "", "")}},
		{Measure: spec, Cells: []Cell{cores}}})
	if len(cells) != 1 || cells[0].Estimate.Centre != 25 || cells[0].Estimate.Exact || cells[0].Estimate.N != 3 {
		t.Errorf("by a number of the spec sheet: %+v", cells)
	}
}

// Carried-on intervals hold the truth as often as they say.
func TestCarriedOnIntervalsHold(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	rate, watt := referred("a", "MBy/s", quantity.Ratio), referred("b", "W", quantity.Ratio)
	for _, text := range []string{"{{a/m}} / {{b/m}}", "{{a/m}}^2 / {{b/m}} / {{a/m}}",
		"{{a/m}} / (0.2 * {{b/m}} + 0.5 * {{b/m}})"} {
		m, f := made(t, text, "MB/s/W", quantity.Ratio)
		values := []float64{600e6, 20}
		truth, _ := f.At(values)
		truth /= 1e6
		const tries = 4000
		held := 0
		for range tries {
			draw := func(centre, sd float64, n int) Cell {
				sum, squares := 0.0, 0.0
				for range n {
					x := sd * rng.NormFloat64()
					sum, squares = sum+x, squares+x*x
				}
				mean := sum / float64(n)
				s := math.Sqrt((squares - sum*mean) / float64(n-1))
				return sure(centre*math.Exp(mean), s/math.Sqrt(float64(n)), float64(n-1))
			}
			e := Derive(m, f, []Input{{Measure: rate, Cells: []Cell{draw(600, 0.02, 5)}},
				{Measure: watt, Cells: []Cell{draw(20, 0.03, 5)}}})[0].Estimate
			if e.Lo <= truth && truth <= e.Hi {
				held++
			}
		}
		if share := float64(held) / tries; share < 0.94 || share > 0.975 {
			t.Errorf("%s: %.1f %% hold", text, 100*share)
		}
	}
}
