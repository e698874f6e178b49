package stats

import (
	"math"
	"testing"
)

func TestClopperPearson(t *testing.T) {
	for _, c := range []struct {
		k, n      int
		low, high float64
	}{
		{3, 11, 0.0602, 0.6097}, {0, 10, 0, 0.3085}, {10, 10, 0.6915, 1}, {5, 10, 0.1871, 0.8129}, {1, 100, 0.000253,
			0.05446}, {0, 0, 0, 1}, {9, 3, 0.2924, 1},
	} {
		low, high := ClopperPearson(c.k, c.n, 0.95)
		if math.Abs(low-c.low) > 1e-4 || math.Abs(high-c.high) > 1e-4 {
			t.Errorf("%d of %d: %.4f to %.4f, want %.4f to %.4f", c.k, c.n, low, high, c.low, c.high)
		}
	}
	// It is exact: at the lower end, k or more have a probability of exactly half of what is left out.
	low, _ := ClopperPearson(3, 11, 0.95)
	tail := 0.0
	for k := 3; k <= 11; k++ {
		tail += choose(11, k) * math.Pow(low, float64(k)) * math.Pow(1-low, float64(11-k))
	}
	if math.Abs(tail-0.025) > 1e-9 {
		t.Errorf("P(3 or more) at the lower end is %g", tail)
	}
}

func choose(n, k int) float64 {
	x := 1.0
	for i := range k {
		x = x * float64(n-i) / float64(i+1)
	}
	return x
}
