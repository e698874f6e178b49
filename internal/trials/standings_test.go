package trials

import (
	"math"
	"testing"
)

// In short what docs/trust.md has for 10,000 fields each: all rank sets at once hold the true places, and steps are
// never wider than testing every pair by itself.
func TestStandings(t *testing.T) {
	for _, c := range []struct {
		Field
		fields           int
		covers, narrower float64
	}{
		{Field{Size: 5, Truth: "tied", Repeats: 3}, 400, 0.94, -0.1},
		{Field{Size: 5, Truth: "tied", Own: true, Repeats: 5}, 400, 0.93, -0.1},
		{Field{Size: 5, Truth: "tied", Tau: 0.4}, 400, 0.93, -0.1},
		{Field{Size: 15, Truth: "tied", Tau: 0.4, Repeats: 3}, 200, 0.94, -0.1},
		{Field{Size: 15, Truth: "tied", Tau: 0.4}, 200, 0.94, -0.1},
		{Field{Size: 15, Truth: "spread", Repeats: 3}, 60, 0.99, 3},
		{Field{Size: 15, Truth: "blocked", Repeats: 3}, 60, 0.95, 2},
	} {
		s := Stand(11, c.Field, c.fields)
		if s.Share() < c.covers || s.Narrower() < c.narrower {
			t.Errorf("%s: %.1f %% of fields held, sets %.2f %% narrower than single-step Bonferroni; want %.0f %% and %.1f %%",
				c.Field, 100*s.Share(), s.Narrower(), 100*c.covers, c.narrower)
		}
	}
}

// In short what docs/methods.md has for 4,000 fields each: intervals hold the complete index though cells are missing.
func TestIndexIntervals(t *testing.T) {
	for _, w := range []IndexWorld{{Interaction: 0.05, Missing: 0.3}, {Interaction: 0.12, Missing: 0.3},
		{Interaction: 0.05}, {Interaction: 0.05, Missing: 0.3, Law: "t3"}, {Interaction: 0.05, Missing: 0.3, Special: true}} {
		x := TryIndex(21, w, 60)
		if x.Share() < 0.925 || x.Share() > 0.985 || math.Abs(x.Bias) > 4*x.SE {
			t.Errorf("%s: %.1f %% of intervals hold the complete index, bias %.2f ± %.2f %%", w, 100*x.Share(), x.Bias, x.SE)
		}
	}
	// What is missing where it is weak is beyond the interval, and within what is said beside it.
	x := TryIndex(22, IndexWorld{Interaction: 0.05, Missing: 0.3, Weak: true}, 60)
	if held := Share(x.Within, x.Missing); held < 96 || x.Missing == 0 || x.Bias < 0.5 {
		t.Errorf("missing where weak: %.1f %% within what is said, bias %.2f %%", held, x.Bias)
	}
	// One special cell leaves the others' intervals as they are.
	plain, special := TryIndex(23, IndexWorld{Interaction: 0.05, Missing: 0.3}, 60),
		TryIndex(23, IndexWorld{Interaction: 0.05,
			Missing: 0.3, Special: true}, 60)
	if special.Width > 1.15*plain.Width {
		t.Errorf("one special cell widens the intervals from %.2f to %.2f %%", plain.Width, special.Width)
	}
}

// In short what docs/trust.md has for desks of known noise: cells hold their truth, one noisy machine does not widen
// the others, and is wide itself where its other tests show it.
func TestNoise(t *testing.T) {
	for _, c := range []struct {
		NoiseWorld
		desks             int
		clean, loud, once float64 // least shares that hold, %
		widest            float64 // of clean cells beside one who knows each σ
	}{
		{NoiseWorld{Units: 12, Tests: 1}, 300, 94, 0, 0, 1.15},
		{NoiseWorld{Units: 12, Tests: 1, Noisy: 1}, 300, 94, 83, 0, 1.2},
		{NoiseWorld{Units: 6, Tests: 1, Tau: 0.4, Noisy: 1}, 300, 94, 82, 0, 1.4},
		{NoiseWorld{Units: 12, Tests: 20, Tau: 0.4, Noisy: 1}, 12, 92.5, 88, 88, 1.3},
		{NoiseWorld{Units: 12, Tests: 8, Tau: 0.4, Noisy: 2}, 20, 92.5, 86, 80, 1.35},
		{NoiseWorld{Units: 3, Tests: 1, Tau: 0.4}, 500, 92, 0, 0, 1.35},
		{NoiseWorld{Units: 3, Tests: 8, Tau: 0.4, Typical: 1 / 2.0}, 60, 92.5, 0, 0, 1.3},
		{NoiseWorld{Units: 1, Tests: 8, Tau: 0.4, Typical: 1 / 2.0, Repeats: 1}, 200, 93, 0, 0, 9},
		{NoiseWorld{Units: 12, Tests: 8, Tau: 0.4, Step: 2}, 12, 94, 0, 0, 1.8},
	} {
		x := Noise(31, c.NoiseWorld, c.desks)
		clean, loud, once := Share(x.CleanHeld, x.Clean), Share(x.LoudHeld, x.Loud), Share(x.OnceHeld, x.Once)
		if clean < c.clean || x.Loud > 0 && loud < c.loud || x.Once > 0 && once < c.once || x.Width > c.widest {
			t.Errorf("%s: clean %.1f %%, noisy %.1f %%, of one run %.1f %%, width %.2f", c.NoiseWorld, clean, loud, once,
				x.Width)
		}
	}
	calm, with := Noise(32, NoiseWorld{Units: 12, Tests: 4, Tau: 0.4}, 30), Noise(32, NoiseWorld{Units: 12, Tests: 4,
		Tau:   0.4,
		Noisy: 1}, 30)
	if w := with.Width / calm.Width; w > 7.0/6 {
		t.Errorf("a noisy machine widens the others by %.2f", w)
	}
}

// In short what docs/trust.md has for runs of several measures: clean ones are hardly ever doubted, whatever they are
// rounded to and however young the desk is, and trouble is found.
func TestRunsOfSeveralMeasures(t *testing.T) {
	for _, m := range []Measures{{Count: 1, Tau: 0.4, Cells: 40}, {Count: 8, Tau: 0.4, Cells: 5}, {Count: 3, Tau: 0.4,
		Cells: 8, Law: "skewed"}, {Count: 8, Tau: 0.4, Cells: 40, Sittings: 1}} {
		for _, r := range Roundings {
			m.Round = r
			if c := m.Clean(13, 250); float64(c.Doubted) >= 0.02*float64(c.Runs) {
				t.Errorf("%s: %d of %d doubted, by %v", m, c.Doubted, c.Runs, c.ByRule)
			}
		}
	}
	for _, x := range []struct {
		m     Measures
		kind  string
		size  float64
		least int // of 40
	}{{Measures{Count: 1, Repeats: 2}, "bad", 10, 34}, {Measures{Count: 8, Repeats: 3}, "bad", 15, 37},
		{Measures{Count: 1, Repeats: 3}, "drift", 10, 35}, {Measures{Count: 8, Repeats: 5}, "drift", 15, 37},
		{Measures{Count: 1, Repeats: 3}, "copied", 0, 36}, {Measures{Count: 8, Repeats: 5}, "copied", 0, 39}} {
		x.m.Tau, x.m.Cells, x.m.Round = 0.4, 40, Roundings[0]
		if n := x.m.Find(14, x.kind, x.size, 40); n < x.least {
			t.Errorf("%s, %s of %g: found in %d of 40", x.m, x.kind, x.size, n)
		}
	}
}
