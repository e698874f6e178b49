package stats

import (
	"math"

	"gonum.org/v1/gonum/stat/combin"
)

// Shares compares two shares, k1 of n1 and k2 of n2: the difference of the second from the first, its 95 % interval
// from those of each (Newcombe, Statistics in Medicine 17, 1998, method 10, here with the intervals of Clopper and
// Pearson), and the chance of so large a difference between equals (Fisher's exact test, two-sided).
func Shares(k1, n1, k2, n2 int) (d, lo, hi, p float64) {
	p1, p2 := float64(k1)/float64(n1), float64(k2)/float64(n2)
	l1, u1 := ClopperPearson(k1, n1, 0.95)
	l2, u2 := ClopperPearson(k2, n2, 0.95)
	d = p2 - p1
	lo = d - math.Hypot(p2-l2, u1-p1)
	hi = d + math.Hypot(u2-p2, p1-l1)
	chance := func(x int) float64 { // of x passes of the first, all sums held
		return math.Exp(combin.LogGeneralizedBinomial(float64(n1), float64(x)) +
			combin.LogGeneralizedBinomial(float64(n2), float64(k1+k2-x)) -
			combin.LogGeneralizedBinomial(float64(n1+n2), float64(k1+k2)))
	}
	seen := chance(k1)
	for x := max(0, k1+k2-n2); x <= min(n1, k1+k2); x++ {
		if c := chance(x); c <= seen*(1+1e-9) {
			p += c
		}
	}
	return d, lo, hi, math.Min(1, p)
}
