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
		way         Way
		burst, last float64
		drop        float64
		reached     bool
	}{
		{"one level", step(n, 100, 100), HeldOut, 100, 100, 0, true},
		{"a fall after 95 s", step(95, 100, 70), Fell, 100, 70, 95.5, true},
		{"a fall of 4 %", step(200, 100, 96), Fell, 100, 96, 200.5, true},
		{"two falls", func(i int) float64 { return step(60, 100, step(250, 80, 65)(i))(i) }, Fell, 100, 65, 60.5, true},
		{"a fall near the end", step(520, 100, 70), Fell, 100, 70, 520.5, false},
		{"a decay with τ = 60 s", func(i int) float64 { return 70 + 30*math.Exp(-float64(i+1)/60) }, Falling, 100, 70, 42,
			true},
		{"a decay that goes on", func(i int) float64 { return 40 + 60*math.Exp(-float64(i+1)/400) }, Falling, 100, 56, 197,
			false},
		{"a fall that is made up for", func(i int) float64 { return step(200, 100, step(350, 70, 100)(i))(i) }, Recovered,
			100,
			100, 0, true},
		{"to and fro", func(i int) float64 { return []float64{100, 70}[i/75%2] }, Again, 100, 85, 0, true},
		{"warming up", step(20, 80, 100), HeldOut, 100, 100, 0, true},
		{"a second wind", step(120, 100, 112), HeldOut, 100, 112, 0, true},
	} {
		rng := rand.New(rand.NewPCG(1, 2))
		wrong := 0
		for range tries {
			times, xs := noisy(rng, n, 0.01, c.level)
			s, ok := Sustain(times, xs)
			if !ok || s.Way != c.way || s.Reached != c.reached || math.Abs(s.Burst/c.burst-1) > 0.03 ||
				math.Abs(s.Drop-c.drop) > 0.1*c.drop+1 || s.Drop > times[n-1] || (s.Warm > 0) != (c.name == "warming up") ||
				c.reached && math.Abs(s.Hold/(c.last/c.burst)-1) > 0.03 {
				wrong++
				t.Logf("%s: burst %g, drop %g, hold %g, %s", c.name, s.Burst, s.Drop, s.Hold, s.Says("s"))
			}
		}
		if wrong > tries/20 {
			t.Errorf("%s: %d of %d are wrong", c.name, wrong, tries)
		}
	}
	if _, ok := Sustain([]float64{1, 2}, []float64{1, 1}); ok {
		t.Error("two samples made a level")
	}
}

func TestWriteCache(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for _, c := range []struct {
		name                 string
		before, after, cache float64
	}{{"a cache of 24 GB", 3000, 900, 24e9}, {"no cache to see", 500, 500, 0}, {"a small fall is none", 500, 480, 0},
		{"a dip of six samples is none", 2000, 2000, 0}, {"a slow start is none", 1500, 1500, 0}} {
		wrong := 0
		for range 40 {
			var written, rates []float64
			sum := 0.0
			for sum < 60e9 {
				rate := c.before
				if sum >= 24e9 {
					rate = c.after
				}
				if c.name == "a dip of six samples is none" && len(rates) >= 60 && len(rates) < 66 || c.name ==
					"a slow start is none" && len(rates) < 10 {
					rate *= 0.6
				}
				rate *= 1 + 0.03*rng.NormFloat64()
				sum += 2.5e8
				written, rates = append(written, sum), append(rates, rate)
			}
			f, ok := WriteCache(written, rates)
			if f.AtMost {
				wrong++
			}
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

func flat(n int, v float64) (out []float64) {
	for range n {
		out = append(out, v)
	}
	return out
}

func falling(n int, by float64) (out []float64) {
	for i := range n {
		out = append(out, 100*math.Pow(by, float64(i)))
	}
	return out
}

// A cache that is shorter than three samples is at most so much, and a last level of a few samples is none.
func TestCachesThatAreHardToTell(t *testing.T) {
	written := make([]float64, 100)
	short, late := flat(100, 500), flat(100, 2000)
	for i := range written {
		written[i] = float64(i + 1)
		short[i] *= 1 + 0.004*math.Sin(float64(i*i))
		late[i] *= 1 + 0.004*math.Sin(float64(i*i))
	}
	short[0], short[1], short[2] = 2000, 2010, 1990
	if f, ok := WriteCache(written, short); !ok || f.AtMost || math.Abs(f.Cache-3) > 1 || math.Abs(f.After/500-1) > 0.02 {
		t.Errorf("three fast samples: %+v", f)
	}
	for i := 96; i < 100; i++ {
		late[i] = 600
	}
	if f, ok := WriteCache(written, late); !ok || f.Cache != 96 || f.After != 0 || math.Abs(f.Before/2000-1) > 0.02 {
		t.Errorf("four slow samples at the end: %+v", f)
	}
	three := append(append(flat(30, 2000), flat(30, 1200)...), flat(40, 500)...)
	for i := range three {
		three[i] *= 1 + 0.004*math.Sin(float64(i*i))
	}
	if f, _ := WriteCache(written, three); f.Cache != 30 || math.Abs(f.After/500-1) > 0.02 || len(f.Levels) != 3 {
		t.Errorf("of three levels: %+v", f)
	}
}

func TestSteadyState(t *testing.T) {
	for _, c := range []struct {
		name    string
		rounds  []float64
		round   int
		falling bool
	}{
		{"steady from the start", []float64{100, 101, 99, 100, 100, 100, 99, 101, 100, 100, 100}, 10, false},
		{"after a fall", []float64{400, 300, 220, 160, 120, 104, 101, 99, 100, 101, 100, 100, 101, 99, 100, 100}, 15, true},
		{"2 % a round, for ever", falling(25, 0.98), 0, false},
		{"half a per cent a round", falling(25, 0.995), 10, false},
		{"too steep: 4 × 3 of 100 is 12 %", append(flat(5, 100), 106, 103, 100, 97, 94), 0, false},
		{"range of 22 %", append(flat(5, 100), 100, 111, 89, 100, 100), 0, false},
		{"just within: 4 × 2.5 of 100 is 10 %", append(flat(5, 100), 105, 102.5, 100, 97.5, 95), 10, false},
		{"3 % apart", append(flat(5, 100), flat(5, 103)...), 10, false},
		{"3.1 % apart", append(flat(5, 100), flat(5, 103.1)...), 0, false},
		{"nine rounds are none", flat(9, 100), 0, false},
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
