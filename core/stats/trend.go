package stats

import (
	"math"
	"slices"
)

// Blocks averages a series in blocks of equal length so that at most count values remain; a shorter series
// stays as it is.
func Blocks(xs []float64, count int) []float64 {
	n := len(xs)
	if n <= count || count < 1 {
		return slices.Clone(xs)
	}
	out := make([]float64, count)
	for i := range out {
		from, to := i*n/count, (i+1)*n/count
		for _, x := range xs[from:to] {
			out[i] += x / float64(to-from)
		}
	}
	return out
}

// Shifts parts a series of means of known variances into stretches of one level each: least squares weighted
// by the variances, plus penalty for every change, minimised by dynamic programming (optimal
// partitioning: Jackson et al., IEEE Signal Processing Letters 12, 2005). It returns where each stretch begins,
// the first at 0; variances must be above zero. A change costs penalty in units of squared standard errors: 12
// finds one in no more than a few of a thousand series of ten without a change.
func Shifts(means, variances []float64, penalty float64) []int {
	n := len(means)
	if n == 0 {
		return nil
	}
	w, wx, wxx := make([]float64, n+1), make([]float64, n+1), make([]float64, n+1)
	for i, x := range means {
		k := 1 / variances[i]
		x -= means[0]
		w[i+1], wx[i+1], wxx[i+1] = w[i]+k, wx[i]+k*x, wxx[i]+k*x*x
	}
	cost := func(from, to int) float64 {
		k, kx := w[to]-w[from], wx[to]-wx[from]
		return wxx[to] - wxx[from] - kx*kx/k
	}
	best, last := make([]float64, n+1), make([]int, n+1)
	best[0] = -penalty
	for to := 1; to <= n; to++ {
		best[to] = math.Inf(1)
		for from := range to {
			if c := best[from] + cost(from, to) + penalty; c < best[to] {
				best[to], last[to] = c, from
			}
		}
	}
	var out []int
	for to := n; to > 0; to = last[to] {
		out = append(out, last[to])
	}
	slices.Reverse(out)
	return out
}
