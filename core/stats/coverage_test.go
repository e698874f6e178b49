package stats_test

import (
	"testing"

	"durvek/internal/trials"
)

// The short form of the trial that docs/trust.md shows in full: how often the interval of a cell holds the truth.
func TestIntervalsHoldTheTruthWhateverTheCellsDifferBy(t *testing.T) {
	for _, n := range []int{1, 2, 5, 10} {
		for _, tau := range []float64{0, 0.4} {
			c := trials.Cover(5, trials.World{Tau: tau}, n, 1200)
			if s := c.Share(); s < 0.93 || s > 0.985 {
				t.Errorf("%d repeats, τ %.1f: the interval holds the truth in %.1f %%", n, tau, 100*s)
			}
			if tau > 0 && float64(c.Noisy) < 0.75*float64(c.NoisyAll) {
				t.Errorf("%d repeats: in %d of %d noisy cells", n, c.Noisy, c.NoisyAll)
			}
		}
	}
	for _, x := range [][2]int{{10, 5}, {20, 10}, {10, 10}} { // of the last, every reading has a sitting of its own
		if c := trials.Cover(6, trials.World{Sitting: 0.5, Sittings: x[1]}, x[0], 1200); c.Share() < 0.92 {
			t.Errorf("%d repeats in %d sittings: the unit's mean lies inside in %.1f %%", x[0], x[1], 100*c.Share())
		}
	}
}
