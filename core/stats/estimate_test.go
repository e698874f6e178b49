package stats

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"testing/quick"
)

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if math.Abs(got-want) > within || math.IsNaN(got) {
		t.Errorf("%s is %.6g, want %.6g ± %.2g", what, got, want, within)
	}
}

// Reference values: Student's t from the usual printed tables.
func TestQuantilesOfStudentsT(t *testing.T) {
	for df, want := range map[float64]float64{1: 12.706, 2: 4.303, 4: 2.776, 10: 2.228, 30: 2.042, 120: 1.980} {
		near(t, "t(0.975)", TQuantile(0.975, df), want, 0.0006)
	}
}

// trigamma(1) = π²/6 and trigamma(1/2) = π²/2 (Abramowitz and Stegun 6.4.2, 6.4.4).
func TestTrigammaAndItsInverse(t *testing.T) {
	near(t, "trigamma(1)", trigamma(1), math.Pi*math.Pi/6, 1e-9)
	near(t, "trigamma(1/2)", trigamma(0.5), math.Pi*math.Pi/2, 1e-9)
	for _, y := range []float64{0.05, 0.3, 1, 4, 37, 400} {
		near(t, "inverse", trigammaInverse(trigamma(y))/y, 1, 1e-6)
	}
}

func cellOf(log bool, sittings ...[]float64) Cell {
	var vs []Value
	for i, s := range sittings {
		for _, x := range s {
			vs = append(vs, Value{X: x, Sitting: string(rune('a' + i))})
		}
	}
	return NewCell(vs, log)
}

func TestCentreOfRatiosIsTheGeometricMean(t *testing.T) {
	e := NewPool(nil, 0, 0.02).Estimate(cellOf(true, []float64{100, 400}), true)
	near(t, "centre", e.Centre, 200, 1e-9)
	near(t, "median", e.Median, 250, 1e-9)
	if e.Lo >= 200 || e.Hi <= 200 || math.Abs(e.Lo*e.Hi-200*200) > 1e-6 {
		t.Errorf("interval %g…%g is not symmetric on the log scale about 200", e.Lo, e.Hi)
	}
}

func TestResolutionFloorsTheError(t *testing.T) {
	same := cellOf(false, []float64{5, 5, 5, 5})
	e := NewPool([]Cell{same, same, same}, 0.6, 0).Estimate(same, false)
	// The spread cannot lie below that of rounding, and rounding does not average out: variances step²/12 twice, once over
	// n.
	if least := math.Sqrt(0.36/12/4 + 0.36/12); e.SE < least || e.SE > 1.2*least {
		t.Errorf("standard error %g, want %g or little more", e.SE, least)
	}
	fine := NewPool([]Cell{same, same, same}, 0.006, 0).Estimate(same, false)
	near(t, "a hundredth of the step", fine.SE, e.SE/100, e.SE/1000)
}

func TestShippedRepeatabilityServesUntilTheDeskHasItsOwn(t *testing.T) {
	one := cellOf(true, []float64{100})
	p := NewPool([]Cell{one}, 0, 0.03)
	near(t, "a desk scatters 1.3 times as much as was shipped", p.SR, 0.039, 0.0002)
	e := p.Estimate(one, true)
	if !p.Typical || !e.Typical || e.Unknown {
		t.Errorf("pool %+v, estimate %+v", p, e)
	}
	// A first run is good to about 4.9 times what shipped.
	near(t, "half-width of a first run", math.Log(e.Hi/100), 4.9*0.03, 0.02)
	rng := rand.New(rand.NewPCG(1, 1))
	var cells []Cell
	for range 60 {
		var xs []float64
		for range 5 {
			xs = append(xs, 100*math.Exp(0.01*rng.NormFloat64()))
		}
		cells = append(cells, cellOf(true, xs))
	}
	p = NewPool(cells, 0, 0.03)
	if p.Typical {
		t.Error("240 degrees of freedom of its own still count as typical")
	}
	near(t, "s_r", p.SR, 0.01, 0.001)
	none := NewPool([]Cell{one}, 0, 0).Estimate(one, true)
	if !none.Unknown || none.Exact || none.Lo != none.Hi || none.SE != 0 {
		t.Errorf("with no repeatability at all the spread is unknown: %+v", none)
	}
}

func TestANoisyCellKeepsItsOwnVariance(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 2))
	var cells []Cell
	for i := range 40 {
		sd := 0.01
		if i%10 == 0 {
			sd = 0.08
		}
		var xs []float64
		for range 6 {
			xs = append(xs, 100*math.Exp(sd*rng.NormFloat64()))
		}
		cells = append(cells, cellOf(true, xs))
	}
	p := NewPool(cells, 0, 0)
	quiet, noisy := p.Estimate(cells[1], true), p.Estimate(cells[0], true)
	if noisy.SE < 3*quiet.SE || noisy.SE > 12*quiet.SE {
		t.Errorf("noisy cell: SE %.4f; quiet cell: SE %.4f", noisy.SE, quiet.SE)
	}
	calm := NewPool(slices.DeleteFunc(slices.Clone(cells), func(c Cell) bool { return c.Sittings[0].SS > 0.01 }), 0, 0)
	if w := quiet.SE / calm.Estimate(cells[1], true).SE; w > 1.17 {
		t.Errorf("four noisy cells of 40 widen the others by %.2f", w)
	}
}

func TestSittingsAddTheirComponent(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 3))
	var cells []Cell
	for range 80 {
		var sittings [][]float64
		for range 3 {
			day := 0.02 * rng.NormFloat64()
			var xs []float64
			for range 4 {
				xs = append(xs, 100*math.Exp(day+0.01*rng.NormFloat64()))
			}
			sittings = append(sittings, xs)
		}
		cells = append(cells, cellOf(true, sittings...))
	}
	p := NewPool(cells, 0, 0)
	near(t, "between sittings", p.Between, 0.02, 0.004)
	near(t, "repeatability", p.SR, 0.01, 0.001)
	if one, three := p.Estimate(cellOf(true, []float64{100, 100, 100}), true), p.Estimate(cellOf(true, []float64{100},
		[]float64{100}, []float64{100}), true); one.SE <= three.SE {
		t.Errorf("three readings of one sitting (SE %.4f) are no surer than of three (SE %.4f)", one.SE, three.SE)
	}
}

// The interval must cover the truth about as often as it says, for few and for many repeats.
func TestIntervalsCoverTheTruth(t *testing.T) {
	for _, n := range []int{1, 3, 5} {
		rng := rand.New(rand.NewPCG(uint64(n), 9))
		hits, total := 0, 0
		for range 150 {
			var cells []Cell
			var truth []float64
			for range 12 {
				mu := 50 + 100*rng.Float64()
				var xs []float64
				for range max(n, 1) {
					xs = append(xs, mu*math.Exp(0.02*rng.NormFloat64()))
				}
				truth = append(truth, mu)
				cells = append(cells, cellOf(true, xs))
			}
			p := NewPool(cells, 0, 0.02)
			for i, c := range cells {
				if e := p.Estimate(c, true); e.Lo <= truth[i] && truth[i] <= e.Hi {
					hits++
				}
				total++
			}
		}
		if share := float64(hits) / float64(total); share < 0.93 || share > 0.985 &&
			n > 1 { // one run rests on the shipped value alone, and is wide
			t.Errorf("%d repeats: 95 %% intervals cover %.1f %%", n, 100*share)
		}
	}
}

func TestBoundsMakeTheWholeCellABound(t *testing.T) {
	c := NewCell([]Value{{X: 900, Sitting: "a"}, {X: 1000, Sitting: "a", Bound: "at least"}}, true)
	e := NewPool(nil, 0, 0.02).Estimate(c, true)
	if e.Bound != "at least" || e.Centre != 1000 || e.Lo != e.Hi {
		t.Errorf("estimate %+v, want at least 1000 without an interval", e)
	}
	if p := NewPool([]Cell{c, c, c}, 0, 0); p.DF != 0 {
		t.Error("bounded readings entered the pool")
	}
}

func TestARangeWidensTheInterval(t *testing.T) {
	p := NewPool(nil, 0, 0.01)
	exact := p.Estimate(NewCell([]Value{{X: 30}}, true), true)
	ranged := p.Estimate(NewCell([]Value{{X: 30, HalfWidth: 1}}, true), true)
	near(t, "widening", math.Log(ranged.Hi/exact.Hi), math.Log(31.0/30), 1e-9)
}

func TestOrderOfReadingsDoesNotMatter(t *testing.T) {
	check := func(raw []uint16, seed uint64) bool {
		var vs []Value
		for i, r := range raw {
			vs = append(vs, Value{X: 1 + float64(r), Sitting: string(rune('a' + i%3))})
		}
		if len(vs) == 0 {
			return true
		}
		shuffled := slices.Clone(vs)
		rand.New(rand.NewPCG(seed, 0)).Shuffle(len(vs), func(i, j int) {
			shuffled[i], shuffled[j] = shuffled[j],
				shuffled[i]
		})
		a, b := NewCell(vs, true), NewCell(shuffled, true)
		return a.Median == b.Median && slices.Equal(a.Sittings, b.Sittings)
	}
	if err := quick.Check(check, nil); err != nil {
		t.Error(err)
	}
}

// One reading that was read as a range is told as that range; several, or a bound, are not.
func TestRangesAreToldAsRanges(t *testing.T) {
	pool := NewPool([]Cell{NewCell([]Value{{X: 10}, {X: 11}}, true)}, 0, 0.02)
	for _, logarithmic := range []bool{true, false} {
		e := pool.Estimate(NewCell([]Value{{X: 45, HalfWidth: 7}}, logarithmic), logarithmic)
		lo, hi, ok := e.Range(logarithmic)
		if !ok || math.Abs(lo-38) > 1e-9 || math.Abs(hi-52) > 1e-9 {
			t.Errorf("%g to %g, %v", lo, hi, ok)
		}
	}
	for name, values := range map[string][]Value{"a single value": {{X: 45}}, "two ranges": {{X: 45, HalfWidth: 7},
		{X: 46, HalfWidth: 7}}, "a bound": {{X: 45, HalfWidth: 7, Bound: "at least"}}} {
		if _, _, ok := pool.Estimate(NewCell(values, true), true).Range(true); ok {
			t.Errorf("%s is told as a range", name)
		}
	}
}
