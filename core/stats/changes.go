package stats

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"
)

// Average is the arithmetic mean of values; 0 for none.
func Average(xs []float64) float64 {
	if len(xs) == 0 {
		return 0
	}
	return stat.Mean(xs, nil)
}

// Quantile is the type-7 quantile (Hyndman and Fan, American Statistician 50, 1996) of values that
// need not be sorted, for 0 ≤ q ≤ 1; NaN for none.
func Quantile(xs []float64, q float64) float64 {
	if len(xs) == 0 {
		return math.NaN()
	}
	s := slices.Sorted(slices.Values(xs))
	at := q * float64(len(s)-1)
	i := int(at)
	if i+1 >= len(s) {
		return s[len(s)-1]
	}
	return s[i] + (at-float64(i))*(s[i+1]-s[i])
}
