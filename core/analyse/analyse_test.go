package analyse

import (
	"math"
	"math/rand/v2"
	"testing"
)

func noisy(rng *rand.Rand, n int, sd float64, level func(i int) float64) (times, xs []float64) {
	for i := range n {
		times = append(times, float64(i)+1)
		xs = append(xs, level(i)*(1+sd*rng.NormFloat64()))
	}
	return times, xs
}

func TestSustainedAgainstKnownTruth(t *testing.T) {
	const n, tries = 600, 20
	step := func(at int, a, b float64) func(int) float64 {
		return func(i int) float64 {
			if i < at {
				return a
			}
			return b
		}
	}
	for _, c := range []struct {
		name        string
		level       func(int) float64
		shape       Shape
		burst, last float64
		drop        float64
		reached     bool
	}{
		{"one level", step(n, 100, 100), Level, 100, 100, 0, true},
		{"a fall after 95 s", step(95, 100, 70), Steps, 100, 70, 95.5, true},
		{"a fall of 4 %", step(200, 100, 96), Steps, 100, 96, 200.5, true},
		{"two falls", func(i int) float64 { return step(60, 100, step(250, 80, 65)(i))(i) }, Steps, 100, 65, 60.5, true},
		{"a fall near the end", step(520, 100, 70), Steps, 100, 70, 520.5, false},
		{"a decay with τ = 60 s", func(i int) float64 { return 70 + 30*math.Exp(-float64(i+1)/60) }, Decay, 100, 70, 42,
			true},
		{"a decay that goes on", func(i int) float64 { return 40 + 60*math.Exp(-float64(i+1)/400) }, Decay, 100, 56, 277,
			false},
	} {
		rng := rand.New(rand.NewPCG(1, 2))
		wrong := 0
		for range tries {
			times, xs := noisy(rng, n, 0.01, c.level)
			s, ok := Sustain(times, xs)
			if !ok || s.Shape != c.shape || s.Reached != c.reached || math.Abs(s.Burst/c.burst-1) > 0.03 ||
				math.Abs(s.Drop-c.drop) > 0.1*c.drop+1 ||
				c.reached && math.Abs(s.Hold/(c.last/c.burst)-1) > 0.03 {
				wrong++
				t.Logf("%s: %+v", c.name, s)
			}
		}
		if wrong > tries/20 {
			t.Errorf("%s: %d of %d are wrong", c.name, wrong, tries)
		}
	}
	if _, ok := Sustain([]float64{1, 2}, []float64{1, 1}); ok {
		t.Error("two samples made a level")
	}
	// A wave is no noise around a level.
	times, xs := noisy(rand.New(rand.NewPCG(3, 4)), n, 0.002,
		func(i int) float64 { return 100 + 1.5*math.Sin(float64(i)/9) })
	if s, _ := Sustain(times, xs); s.Settled {
		t.Errorf("a wave counts as settled: %+v", s)
	}
}

func TestWriteCache(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for _, c := range []struct {
		name                 string
		before, after, cache float64
	}{{"a cache of 24 GB", 3000, 900, 24e9}, {"no cache to see", 500, 500, 0}, {"a small fall is none", 500, 480, 0}} {
		wrong := 0
		for range 40 {
			var written, rates []float64
			sum := 0.0
			for sum < 60e9 {
				rate := c.before
				if sum >= 24e9 {
					rate = c.after
				}
				rate *= 1 + 0.03*rng.NormFloat64()
				sum += 2.5e8
				written, rates = append(written, sum), append(rates, rate)
			}
			f, ok := WriteCache(written, rates)
			if !ok || math.Abs(f.Cache-c.cache) > 0.03*c.cache || math.Abs(f.Before/c.before-1) > 0.03 || c.cache > 0 &&
				math.Abs(f.After/c.after-1) > 0.03 {
				wrong++
			}
		}
		if wrong > 2 {
			t.Errorf("%s: %d of 40 are wrong", c.name, wrong)
		}
	}
}

func TestSteadyState(t *testing.T) {
	for _, c := range []struct {
		name    string
		rounds  []float64
		round   int
		falling bool
	}{
		{"steady from the start", []float64{100, 101, 99, 100, 100, 100}, 5, false},
		{"after a fall", []float64{400, 300, 220, 160, 120, 104, 101, 99, 100, 101}, 10, true},
		{"too steep: 4 × 3 of 100 is 12 %", []float64{106, 103, 100, 97, 94}, 0, false},
		{"range of 22 %", []float64{100, 111, 89, 100, 100}, 0, false},
		{"just within: 4 × 2.5 of 100 is 10 %", []float64{105, 102.5, 100, 97.5, 95}, 5, false},
		{"four rounds are none", []float64{100, 100, 100, 100}, 0, false},
	} {
		s := SteadyState(c.rounds)
		if s.Round != c.round || s.Falling != c.falling {
			t.Errorf("%s: %+v", c.name, s)
		}
	}
	if got := Below([]float64{10, 4, 3, 12}, 5, 0.5); got != 1 {
		t.Errorf("below the floor for %g s, want 1", got)
	}
}

func TestKneesOfAKnownCurve(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	caches := []float64{48 << 10, 1 << 20, 24 << 20}
	levels := []float64{1.2, 4, 16, 90}
	wrong := 0
	for range 50 {
		var sizes, latency []float64
		for s := 4096.0; s <= 1<<30; s *= math.Sqrt2 {
			l := levels[0]
			for i, c := range caches { // beyond a cache, the share that does not fit costs the next level
				if s > c {
					l += (levels[i+1] - levels[i]) * math.Min(1, math.Log2(s/c))
				}
			}
			sizes, latency = append(sizes, s), append(latency, l*(1+0.02*rng.NormFloat64()))
		}
		knees := Knees(sizes, latency)
		ok := len(knees) == len(caches)
		for i := 0; ok && i < len(knees); i++ {
			ok = knees[i].Size <= caches[i]*1.01 && knees[i].Size >= caches[i]*0.6 &&
				math.Abs(knees[i].Latency/levels[i]-1) < 0.1
		}
		if !ok {
			wrong++
			t.Log(knees)
		}
	}
	if wrong > 2 {
		t.Errorf("%d of 50 curves are read wrongly", wrong)
	}
}
