package stats

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

// The variances of six cells of one test, one of them noisy, and their degrees of freedom, as another program has them.
func TestSpreadsOfATestsCells(t *testing.T) {
	ns, sums := []int{1, 2, 3, 4, 5, 3}, []float64{0, .0002, .0008, .0012, .0016, .05}
	var cells []Cell
	for i, n := range ns {
		cells = append(cells, Cell{Median: 1, Sittings: []Sitting{{N: n, SS: sums[i]}}})
	}
	p := NewPool(cells, 0, 0)
	for i, want := range [][2]float64{{.01913, 2.35}, {.01911, 3.72}, {.01995, 4.71}, {.02002, 5.67}, {.02005, 6.55},
		{.14438, 2.13}} {
		e := p.Estimate(cells[i], false)
		near(t, fmt.Sprint("spread of ", ns[i]), e.SE*math.Sqrt(float64(ns[i]))/want[0], 1, 0.015)
		near(t, "its degrees of freedom", e.DF/want[1], 1, 0.005)
	}
}

// deskOf is a desk of some units in some tests, three runs each; loud is how many times noisier the first unit is.
func deskOf(rng *rand.Rand, units, tests int, loud float64) (map[string]Scatters, [][]Cell) {
	out, cells := map[string]Scatters{}, make([][]Cell, tests)
	for k := range tests {
		s := Scatters{}
		for u := range units {
			sd := 0.01
			if u == 0 {
				sd *= loud
			}
			var xs []float64
			for range 3 {
				xs = append(xs, 100*math.Exp(sd*rng.NormFloat64()))
			}
			c := cellOf(true, xs)
			cells[k] = append(cells[k], c)
			nu, y, _ := ScatterOf(c, Grain{}, true)
			s.Cells = append(s.Cells, Scatter{uint32(u), nu, y})
		}
		out[fmt.Sprint(k)] = s
	}
	return out, cells
}

func TestANoisyMachineIsKnownByItsOtherTests(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 3))
	tests, cells := deskOf(rng, 8, 10, 8)
	n, units := FitNoise(tests, 8)
	loud, quiet := n.Effect(&units[0], nil), n.Effect(&units[3], nil)
	near(t, "effect of the noisy one, ln 64", loud.Mean, math.Log(64), 0.8)
	near(t, "effect of another", quiet.Mean, 0, 0.5)
	if math.Abs(loud.Counted-loud.Mean) > 0.051 || math.Abs(math.Mod(loud.Counted+1e-9, 0.1)) > 1e-6 {
		t.Errorf("counted with %g of %g", loud.Counted, loud.Mean)
	}
	// Of one test, what its other nine say; what a test says itself does not count twice.
	var own UnitNoise
	nu, y, _ := ScatterOf(cells[0][0], Grain{}, true)
	n.Count(&own, "0", nu, y)
	others := n.Effect(&units[0], &own)
	if others.Variance <= loud.Variance {
		t.Errorf("nine tests say more (%g) than ten (%g)", others.Variance, loud.Variance)
	}
	var samples []Sample
	for u, c := range cells[0] {
		samples = append(samples, Sample{c, n.Effect(&units[u], nil).Counted})
	}
	p := PoolOf(samples, Grain{}, true, n.Prior("0", 0))
	once := cellOf(true, []float64{100})
	if a, b := p.For(others).Estimate(once, true), p.For(Effect{}).Estimate(once, true); a.SE < 4*b.SE {
		t.Errorf("one run of the noisy machine is good to %g, of any to %g", a.SE, b.SE)
	}
	sum := own
	if n.Count(&sum, "never fitted", nu, y); sum != own {
		t.Error("a test that was not fitted says something")
	}
}

// With one unit, or in one test, what a machine adds cannot be told from what a test has.
func TestUnitsCannotAlwaysBeToldFromTests(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	for _, x := range [][2]int{{1, 5}, {5, 1}} {
		tests, _ := deskOf(rng, x[0], x[1], 8)
		n, units := FitNoise(tests, x[0])
		if e := n.Effect(&units[0], nil); e != (Effect{}) {
			t.Errorf("%d units in %d tests: %+v", x[0], x[1], e)
		}
	}
	tests, _ := deskOf(rng, 2, 2, 1)
	n, units := FitNoise(tests, 2)
	if e := n.Effect(&units[0], nil); e.Variance == 0 {
		t.Error("two units in two tests say nothing")
	}
	if e := n.Effect(nil, nil); e != (Effect{}) {
		t.Errorf("of a unit without runs: %+v", e)
	}
	none, _ := FitNoise(nil, 0)
	if p := PoolOf(nil, Grain{}, true, none.Prior("t", 0.02)); !p.Known() || !p.Typical {
		t.Errorf("a desk without runs: %+v", p)
	}
}

// What other tests ship too small, this one does, too.
func TestADesksFactorIsLearntFromOtherTests(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 5))
	tests, _ := deskOf(rng, 10, 12, 1)
	for k, s := range tests {
		s.Typical = 0.004 // 2.5 times too small
		tests[k] = s
	}
	n, _ := FitNoise(tests, 10)
	p := PoolOf(nil, Grain{}, true, n.Prior("new", 0.004))
	near(t, "a new test's repeatability", p.SR, 0.01, 0.0015)
	// A test's own runs do not enter its own prior twice.
	if a, b := n.Prior("0", 0.004).level, n.Prior("new", 0.004).level; a.Precision >= b.Precision {
		t.Errorf("%+v, %+v", a, b)
	}
}

// Bits of the tables: they hold densities, which sum to one, and beyond their ends nothing breaks.
func TestDensitiesSumToOne(t *testing.T) {
	for _, nu := range []float64{1, 2, 5, 40} {
		d := densityOf(nu)
		for k := range taus {
			sum := 0.0
			for i := range densities {
				sum += d.f[k][i] * gridStep
			}
			near(t, fmt.Sprintf("ν %g, τ %g", nu, taus[k]), sum, 1, 0.01)
		}
	}
	same := cellOf(true, []float64{100, 100, 100, 100})
	apart := cellOf(true, []float64{1, 1e6})
	p := NewPool([]Cell{same, apart, cellOf(true, []float64{100, 101})}, 0, 0)
	for _, c := range []Cell{same, apart} {
		if e := p.Estimate(c, true); math.IsNaN(e.SE) || math.IsInf(e.SE, 0) || e.SE <= 0 || math.IsNaN(e.Lo) {
			t.Errorf("%+v", e)
		}
	}
	if got := densityOf(1000); got.nu < 950 || got.nu > 1050 {
		t.Errorf("of a thousand: %g", got.nu)
	}
}

// What runs and sittings scatter cannot be told apart while every sitting holds one reading: the first that holds two
// changes what all the others say, and so does the last that goes.
func TestAPoolThatChangedStandsWhileSittingsSayTheSame(t *testing.T) {
	alone := Cell{Sittings: []Sitting{{N: 1, Mean: 4.60}, {N: 1, Mean: 4.62}}, Median: 100}
	pair := Cell{Sittings: []Sitting{{N: 2, Mean: 4.61, SS: 1e-4}}, Median: 100}
	once := Cell{Sittings: []Sitting{{N: 1, Mean: 4.61}}, Median: 100}
	bound := Cell{Sittings: pair.Sittings, Median: 100, Bound: ">", BoundAt: 100}
	pool := func(cells ...Cell) Pool { return NewPool(cells, 0, 0) }
	list := func(cells ...Cell) (out []Sample) {
		for _, c := range cells {
			out = append(out, Sample{Cell: c})
		}
		return out
	}
	for what, x := range map[string]struct {
		was     Pool
		out, in []Sample
		stands  bool
	}{
		"one more of single readings": {pool(alone, alone), nil, list(alone), true},
		"one reading more":            {pool(alone, alone), nil, list(once), true},
		"the first pair":              {pool(alone, alone), nil, list(pair), false},
		"a pair at a bound":           {pool(alone, alone), nil, list(bound), true},
		"a second pair":               {pool(alone, pair), nil, list(pair), true},
		"one of two pairs gone":       {pool(alone, pair, pair), list(pair), nil, true},
		"the last pair gone":          {pool(alone, pair), list(pair), nil, false},
		"the first of several":        {pool(once, once), nil, list(alone), false},
		"the last of several gone":    {pool(once, alone), list(alone), nil, false},
		"a pair gone among single":    {pool(once, pair), list(pair), nil, true},
	} {
		if got := x.was.Changed(x.out, x.in).Stands(); got != x.stands {
			t.Errorf("%s: stands %v", what, got)
		}
	}
}

// A desk is fitted again and again while runs come in, one turns out noisy, and a test comes and goes.
func TestFittingAgainFindsTheSame(t *testing.T) {
	rng := rand.New(rand.NewPCG(17, 3))
	tests, _ := deskOf(rng, 8, 10, 1)
	loud, _ := deskOf(rng, 8, 10, 8)
	var f NoiseFitter
	for step := range 40 {
		k := fmt.Sprint(rng.IntN(10))
		s := tests[k]
		s.Cells = slices.Clone(s.Cells)
		switch {
		case step%10 == 9:
			delete(tests, k)
		case len(s.Cells) == 0 || step%10 == 4:
			s = Scatters{Cells: loud[k].Cells, Typical: 0.01 * float64(step%3)}
		case step > 20:
			s.Cells[0] = loud[k].Cells[0]
		default:
			s.Cells[rng.IntN(len(s.Cells))].Y += rng.NormFloat64()
		}
		if step%10 != 9 {
			tests[k] = s
		}
		n, units := f.Fit(tests, 8)
		anew, same := FitNoise(tests, 8)
		if !reflect.DeepEqual(n, anew) {
			t.Fatalf("step %d: another noise than a fit anew finds", step)
		}
		for u := range units {
			if a, b := n.Effect(&units[u], nil), n.Effect(&same[u], nil); a != b {
				t.Fatalf("step %d, unit %d: %v, anew %v", step, u, a, b)
			}
		}
	}
}

// One run of the last of 3,000 cells, 150 tests of 20 machines.
func BenchmarkNoiseFollows(b *testing.B) {
	rng := rand.New(rand.NewPCG(5, 5))
	tests, _ := deskOf(rng, 20, 150, 4)
	var f NoiseFitter
	f.Fit(tests, 20)
	for b.Loop() {
		s := tests["7"]
		s.Cells = slices.Clone(s.Cells)
		s.Cells[3].Y += 0.1 * rng.NormFloat64()
		tests["7"] = s
		f.Fit(tests, 20)
	}
}

func BenchmarkNoiseAnew(b *testing.B) {
	rng := rand.New(rand.NewPCG(5, 5))
	tests, _ := deskOf(rng, 20, 150, 4)
	for b.Loop() {
		FitNoise(tests, 20)
	}
}
