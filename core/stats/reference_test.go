package stats

import (
	"math"
	"testing"
)

// The univariate data sets of the Statistical Reference Datasets (NIST) that try a sum of squares hardest: values that
// differ in their last digits. Certified means and standard deviations to as many digits as the sets ask for.
func TestMeansAndScatterOfReferenceData(t *testing.T) {
	alternating := func(first, low, high float64) []float64 {
		out := []float64{first}
		for range 500 {
			out = append(out, low, high)
		}
		return out
	}
	for _, c := range []struct {
		name     string
		values   []float64
		mean, sd float64
		digits   float64
	}{
		{"NumAcc1", []float64{10000001, 10000003, 10000002}, 10000002, 1, 10},
		{"NumAcc2", alternating(1.2, 1.1, 1.3), 1.2, 0.1, 10},
		{"NumAcc3", alternating(1000000.2, 1000000.1, 1000000.3), 1000000.2, 0.1, 9},
		{"NumAcc4", alternating(10000000.2, 10000000.1, 10000000.3), 10000000.2, 0.1, 8},
	} {
		var values []Value
		for _, x := range c.values {
			values = append(values, Value{X: x, Sitting: "one"})
		}
		s := NewCell(values, false).Sittings[0]
		agree := func(got, want float64) float64 {
			return math.Min(16, -math.Log10(math.Max(math.Abs(got/want-1), 1e-16)))
		}
		sd := math.Sqrt(s.SS / float64(s.N-1))
		if agree(s.Mean, c.mean) < 13 || agree(sd, c.sd) < c.digits {
			t.Errorf("%s: mean %.15g to %.1f digits, standard deviation %.15g to %.1f of %g", c.name, s.Mean,
				agree(s.Mean, c.mean), sd, agree(sd, c.sd), c.digits)
		}
	}
}
