package stats

import (
	"math"
	"sync"

	"gonum.org/v1/gonum/mathext"
)

func trigamma(x float64) float64 { return mathext.Zeta(2, x) }

func digamma(x float64) float64 { return mathext.Digamma(x) }

// trigammaInverse solves trigamma(y) = x for x > 0 by Newton steps on 1/trigamma (Smyth 2004, appendix).
func trigammaInverse(x float64) float64 {
	if x > 1e7 {
		return 1 / math.Sqrt(x)
	}
	if x < 1e-6 {
		return 1 / x
	}
	y := 0.5 + 1/x
	for range 50 {
		t := trigamma(y)
		step := t * (1 - t/x) / (-2 * mathext.Zeta(3, y))
		y += step
		if -step/y < 1e-8 {
			break
		}
	}
	return y
}

// quickInverse is trigammaInverse between the places of a table, good to 1e-4.
func quickInverse(x float64) float64 {
	const from, step, n = -14.0, 0.02, 1000
	if x <= 1e-6 || x >= 400 {
		return trigammaInverse(x)
	}
	t := inverses()
	i, part := math.Modf((math.Log(x) - from) / step)
	return math.Exp(t[int(i)] + part*(t[int(i)+1]-t[int(i)]))
}

var inverses = sync.OnceValue(func() (t [1001]float64) {
	for i := range t {
		t[i] = math.Log(trigammaInverse(math.Exp(-14 + 0.02*float64(i))))
	}
	return t
})
