package trials

import (
	"math"
	"testing"
)

// In short what docs/methods.md has for 10,000 fields each: all rank sets at once hold the true places, and step-down
// over the bootstrap is narrower than testing every pair by itself.
func TestStandings(t *testing.T) {
	for _, c := range []struct {
		Field
		fields           int
		covers, narrower float64
	}{
		{Field{Size: 5, Truth: "tied"}, 400, 0.93, -0.5},
		{Field{Size: 5, Truth: "tied", Own: true}, 400, 0.93, -0.5},
		{Field{Size: 5, Truth: "tied", Tau: 0.4}, 400, 0.92, -0.5},
		{Field{Size: 15, Truth: "tied", Tau: 0.4}, 150, 0.91, -0.5},
		{Field{Size: 15, Truth: "spread"}, 60, 0.99, 3},
		{Field{Size: 15, Truth: "blocked", Own: true}, 60, 0.95, 4},
	} {
		c.Draws = 500
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
		{Interaction: 0.05}} {
		x := TryIndex(21, w, 60)
		if x.Share() < 0.925 || x.Share() > 0.985 || math.Abs(x.Bias) > 4*x.SE {
			t.Errorf("%s: %.1f %% of intervals hold the complete index, bias %.2f ± %.2f %%", w, 100*x.Share(), x.Bias, x.SE)
		}
	}
}
