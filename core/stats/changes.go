package stats

import (
	"math"
	"slices"
)

// Segment is a stretch of a series between two changes: samples From up to, not including, To.
type Segment struct {
	From, To  int
	Mean, Var float64
}

// Changes parts a series into segments of constant mean and variance by PELT (Killick, Fearnhead,
// Eckley, JASA 107, 2012): it minimises the sum over segments of n·ln(variance), which is minus twice
// the Gaussian log-likelihood, plus penalty for each change. A segment has at least least samples; no
// segment's variance counts as smaller than floor, in squared units of xs. The usual penalty is
// 6·ln n. Fewer than 2·least samples make one segment; an empty series makes none.
func Changes(xs []float64, least int, floor, penalty float64) []Segment {
	n := len(xs)
	if n == 0 {
		return nil
	}
	least = max(least, 1)
	// The sums are taken about the mean of all, so that large values do not cancel.
	mid := 0.0
	for _, x := range xs {
		mid += x / float64(n)
	}
	sum, squares := make([]float64, n+1), make([]float64, n+1)
	for i, x := range xs {
		sum[i+1] = sum[i] + (x - mid)
		squares[i+1] = squares[i] + (x-mid)*(x-mid)
	}
	segment := func(from, to int) Segment {
		k := float64(to - from)
		m := (sum[to] - sum[from]) / k
		return Segment{from, to, m + mid, math.Max((squares[to]-squares[from])/k-m*m, 0)}
	}
	cost := func(from, to int) float64 {
		s := segment(from, to)
		return float64(to-from) * math.Log(math.Max(s.Var, math.Max(floor, 1e-300)))
	}
	best, last := make([]float64, n+1), make([]int, n+1)
	best[0] = -penalty
	for i := 1; i <= n; i++ {
		best[i] = math.Inf(1)
	}
	candidates := []int{0}
	for to := least; to <= n; to++ {
		for _, from := range candidates {
			if to-from < least {
				continue
			}
			if c := best[from] + cost(from, to) + penalty; c < best[to] {
				best[to], last[to] = c, from
			}
		}
		keep := candidates[:0]
		for _, from := range candidates {
			if to-from < least || best[from]+cost(from, to) <= best[to] {
				keep = append(keep, from)
			}
		}
		candidates = append(keep, to-least+1)
	}
	if n < 2*least || math.IsInf(best[n], 1) {
		return []Segment{segment(0, n)}
	}
	var out []Segment
	for to := n; to > 0; to = last[to] {
		out = append(out, segment(last[to], to))
	}
	slices.Reverse(out)
	return out
}

// LagOne is the lag-one autocorrelation of a series, between −1 and 1; 0 for fewer than three samples
// or none that vary.
func LagOne(xs []float64) float64 {
	if len(xs) < 3 {
		return 0
	}
	m := 0.0
	for _, x := range xs {
		m += x / float64(len(xs))
	}
	var top, bottom float64
	for i, x := range xs {
		bottom += (x - m) * (x - m)
		if i > 0 {
			top += (x - m) * (xs[i-1] - m)
		}
	}
	if bottom == 0 {
		return 0
	}
	return top / bottom
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
