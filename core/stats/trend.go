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

// MannKendall tests a series for a monotone trend: z is the standard normal score of Kendall's S, its
// variance corrected for ties and for autocorrelation (Hamed and Rao, Journal of Hydrology 204, 1998, with
// every lag up to a quarter of the series whose rank correlation is positive and significant at 5 %);
// slope is Sen's, per sample. The correction never shrinks the variance. Both are 0 for fewer than four values.
// The work grows with the square of the length.
func MannKendall(xs []float64) (z, slope float64) {
	n := len(xs)
	if n < 4 {
		return 0, 0
	}
	s := 0.0
	slopes := make([]float64, 0, n*(n-1)/2)
	for i := range n {
		for j := i + 1; j < n; j++ {
			d := xs[j] - xs[i]
			if d > 0 {
				s++
			} else if d < 0 {
				s--
			}
			slopes = append(slopes, d/float64(j-i))
		}
	}
	slope = Quantile(slopes, 0.5)
	m := float64(n)
	variance := m * (m - 1) * (2*m + 5)
	sorted := slices.Sorted(slices.Values(xs))
	for i := 0; i < n; {
		j := i
		for j < n && sorted[j] == sorted[i] {
			j++
		}
		t := float64(j - i)
		variance -= t * (t - 1) * (2*t + 5)
		i = j
	}
	variance /= 18
	if variance <= 0 {
		return 0, slope
	}
	rest := make([]float64, n)
	for i, x := range xs {
		rest[i] = x - slope*float64(i)
	}
	ranks := rank(rest)
	more := 0.0
	for lag := 1; lag <= n/4; lag++ {
		if r := correlation(ranks, lag); r > 1.645/math.Sqrt(m) {
			l := float64(lag)
			more += (m - l) * (m - l - 1) * (m - l - 2) * r
		}
	}
	variance *= 1 + 2*more/(m*(m-1)*(m-2))
	switch {
	case s > 0:
		s--
	case s < 0:
		s++
	}
	return s / math.Sqrt(variance), slope
}

func rank(xs []float64) []float64 {
	order := make([]int, len(xs))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		if xs[a] < xs[b] {
			return -1
		}
		if xs[a] > xs[b] {
			return 1
		}
		return 0
	})
	out := make([]float64, len(xs))
	for r, i := range order {
		out[i] = float64(r)
	}
	return out
}

// correlation is a series' autocorrelation at a lag.
func correlation(xs []float64, lag int) float64 {
	m := 0.0
	for _, x := range xs {
		m += x / float64(len(xs))
	}
	var top, bottom float64
	for i, x := range xs {
		bottom += (x - m) * (x - m)
		if i >= lag {
			top += (x - m) * (xs[i-lag] - m)
		}
	}
	if bottom == 0 {
		return 0
	}
	return top / bottom
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
