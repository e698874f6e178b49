package stats

import (
	"math"
	"math/rand/v2"
	"testing"
)

func TestChangesAgainstKnownSteps(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for _, c := range []struct {
		name   string
		levels []float64 // fifty samples each
		spread []float64
		want   int
	}{
		{"no change", []float64{100, 100, 100}, []float64{1, 1, 1}, 1},
		{"one step", []float64{100, 100, 90}, []float64{1, 1, 1}, 2},
		{"up and down", []float64{100, 110, 95}, []float64{1, 1, 1}, 3},
		{"the variance alone", []float64{100, 100}, []float64{0.5, 6}, 2},
	} {
		wrong := 0
		for range 40 {
			var xs []float64
			for i, l := range c.levels {
				for range 50 {
					xs = append(xs, l+c.spread[i]*rng.NormFloat64())
				}
			}
			got := Changes(xs, 5, 1e-4, 6*math.Log(float64(len(xs))))
			if len(got) != c.want {
				wrong++
				continue
			}
			at := 0
			for _, s := range got { // the segments cover the series without a gap
				if s.From != at || s.To <= s.From {
					t.Fatalf("%s: %+v", c.name, got)
				}
				at = s.To
			}
			if at != len(xs) {
				t.Fatalf("%s: the segments end at %d of %d", c.name, at, len(xs))
			}
		}
		if wrong > 2 {
			t.Errorf("%s: %d of 40 series are parted wrongly", c.name, wrong)
		}
	}
}

// The fast way finds what trying every parting finds.
func TestChangesAreOptimal(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	const least, floor, penalty = 3, 0.01, 8.0
	cost := func(xs []float64) float64 {
		m, v := 0.0, 0.0
		for _, x := range xs {
			m += x / float64(len(xs))
		}
		for _, x := range xs {
			v += (x - m) * (x - m) / float64(len(xs))
		}
		return float64(len(xs)) * math.Log(math.Max(v, floor))
	}
	for range 30 {
		n := 8 + rng.IntN(14)
		xs := make([]float64, n)
		for i := range xs {
			xs[i] = float64(rng.IntN(3)*(i/6)) + rng.NormFloat64()
		}
		best := make([]float64, n+1) // without pruning
		best[0] = -penalty
		for to := 1; to <= n; to++ {
			best[to] = math.Inf(1)
			for from := 0; from+least <= to; from++ {
				best[to] = math.Min(best[to], best[from]+cost(xs[from:to])+penalty)
			}
		}
		got := -penalty
		for _, s := range Changes(xs, least, floor, penalty) {
			got += cost(xs[s.From:s.To]) + penalty
		}
		if math.Abs(got-best[n]) > 1e-6 {
			t.Errorf("cost %g instead of %g for %v", got, best[n], xs)
		}
	}
	if Changes(nil, 5, 1, 1) != nil || len(Changes([]float64{1, 2}, 5, 1, 1)) != 1 {
		t.Error("too short a series is parted")
	}
}

func TestQuantilesAndLagOne(t *testing.T) {
	xs := []float64{4, 1, 3, 2}
	for q, want := range map[float64]float64{0: 1, 0.5: 2.5, 1: 4, 0.25: 1.75} {
		if got := Quantile(xs, q); math.Abs(got-want) > 1e-12 {
			t.Errorf("the %g quantile is %g, want %g", q, got, want)
		}
	}
	if xs[0] != 4 || !math.IsNaN(Quantile(nil, 0.5)) {
		t.Error("the values were sorted in place, or none have a quantile")
	}
	if got := LagOne([]float64{1, -1, 1, -1, 1, -1}); got > -0.8 {
		t.Errorf("alternating values have %g", got)
	}
	if got := LagOne([]float64{1, 2, 3, 4, 5, 6, 7, 8, 9, 10}); got < 0.6 {
		t.Errorf("rising values have %g", got)
	}
	if LagOne([]float64{3, 3, 3}) != 0 || LagOne(nil) != 0 {
		t.Error("values that do not vary have an autocorrelation")
	}
}
