package stats

import "gonum.org/v1/gonum/mathext"

// ClopperPearson returns the interval, as shares between 0 and 1, that holds the true share with at least
// the given confidence when something happened k times in n tries (Clopper and Pearson, Biometrika 26,
// 1934). With no tries the interval is everything.
func ClopperPearson(k, n int, confidence float64) (low, high float64) {
	if n <= 0 {
		return 0, 1
	}
	k = min(max(k, 0), n)
	tail, high := (1-confidence)/2, 1.0
	if k > 0 {
		low = mathext.InvRegIncBeta(float64(k), float64(n-k+1), tail)
	}
	if k < n {
		high = mathext.InvRegIncBeta(float64(k+1), float64(n-k), 1-tail)
	}
	return low, high
}
