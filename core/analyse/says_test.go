package analyse

import (
	"math"
	"math/rand/v2"
	"testing"

	"durvek/internal/golden"
)

// What is read out of rates over time, in full: flat, with steps, decaying, alternating, rising, and at the least
// length.
func TestWhatLastingLoadsSay(t *testing.T) {
	series := func(n int, f func(x float64) float64) (times, rates []float64) {
		rng := rand.New(rand.NewPCG(3, 9))
		for i := range n {
			x := float64(i) + 0.5
			times, rates = append(times, x), append(rates, f(x)*(1+0.004*rng.NormFloat64()))
		}
		return times, rates
	}
	out := map[string]any{}
	for name, f := range map[string]struct {
		n int
		f func(float64) float64
	}{
		"flat": {300, func(float64) float64 { return 400 }},
		"one step": {300, func(x float64) float64 {
			if x > 90 {
				return 310
			}
			return 400
		}},
		"a step that hardly matters": {300, func(x float64) float64 {
			if x > 90 {
				return 393
			}
			return 400
		}},
		"a late step": {300, func(x float64) float64 {
			if x > 240 {
				return 310
			}
			return 400
		}},
		"decay":      {300, func(x float64) float64 { return 300 + 100*math.Exp(-x/40) }},
		"slow decay": {300, func(x float64) float64 { return 300 + 100*math.Exp(-x/200) }},
		"to and fro": {300, func(x float64) float64 {
			if int(x)/12%2 == 0 {
				return 400
			}
			return 300
		}},
		"rising": {300, func(x float64) float64 {
			if x > 60 {
				return 440
			}
			return 400
		}},
		"twenty": {20, func(float64) float64 { return 400 }},
	} {
		times, rates := series(f.n, f.f)
		s, ok := Sustain(times, rates)
		if !ok {
			t.Errorf("%s: nothing is read", name)
		}
		s.Fit = nil
		out[name] = map[string]any{"says": s.Says("s"), "what": s}
	}
	golden.JSON(t, "lasting.json", out)
	if _, ok := Sustain(series(19, func(float64) float64 { return 400 })); ok {
		t.Error("nineteen samples are enough")
	}
}

// Frame times by hand: the mean is frames by time, the slowest hundredth is rounded up, a stutter is longer than two
// and a half medians of its neighbours, and a generated frame belongs to the next rendered one.
func TestFrameTimesByHand(t *testing.T) {
	ms := make([]float64, 3000)
	for i := range ms {
		ms[i] = 8
	}
	for i := range 30 {
		ms[100*i+50] = 40 // the slowest hundredth, all stutters
	}
	ms[1000], ms[1001] = 20, 20.1 // at two and a half medians, and above
	x, err := FrameTimes(ms, nil)
	if err != nil {
		t.Fatal(err)
	}
	seconds := (2968*8 + 30*40 + 40.1) / 1000.0
	for what, v := range map[string][2]float64{"seconds": {x.Seconds, seconds}, "mean": {x.Mean, 3000 / seconds},
		"low": {x.Low, 1000.0 / 40}, "stutters": {float64(x.Stutters), 31}, "share": {x.Share, 3100.0 / 3000},
		"shown": {x.Shown, 0}} {
		if math.Abs(v[0]-v[1]) > 1e-9*math.Max(1, v[1]) {
			t.Errorf("%s is %g, want %g", what, v[0], v[1])
		}
	}
	generated := make([]bool, 3000)
	for i := range generated {
		generated[i] = i%2 == 0
	}
	flat := make([]float64, 3000)
	for i := range flat {
		flat[i] = 5
	}
	x, err = FrameTimes(flat, generated)
	if err != nil || math.Abs(x.Mean-100) > 1e-9 || math.Abs(x.Shown-200) > 1e-9 || x.Generated != 1500 ||
		math.Abs(x.P99-10) > 1e-9 {
		t.Errorf("%+v, %v", x, err)
	}
}
