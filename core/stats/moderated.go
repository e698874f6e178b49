package stats

import "math"

// Moderated shrinks variances towards their common prior (Smyth, Stat. Appl. Genet. Mol. Biol. 3(1), 2004): each
// becomes (d₀s₀² + νs²)/(d₀ + ν) with d₀ + ν degrees of freedom, d₀ capped at Σν. Variances of zero count as very
// small.
func Moderated(variances, dfs []float64) (moderated, df []float64) {
	var es, half []float64
	var sum, all float64
	for i, v := range variances {
		v = max(v, 1e-18)
		es = append(es, math.Log(v)-digamma(dfs[i]/2)+math.Log(dfs[i]/2))
		half = append(half, dfs[i]/2)
		sum, all = sum+v*dfs[i], all+dfs[i]
	}
	d0, s0 := 0.0, 0.0
	if len(es) >= 3 {
		d0, s0 = prior(es, half, sum/all, all)
	}
	for i, v := range variances {
		moderated = append(moderated, (d0*s0*s0+dfs[i]*v)/(d0+dfs[i]))
		df = append(df, min(d0+dfs[i], all))
	}
	return moderated, df
}

// prior fits d₀ and s₀ by the moments of log s² (Smyth 2004, section 6.2).
func prior(es, half []float64, pooled, limit float64) (d0, s0 float64) {
	var mean, trigammas float64
	for i, e := range es {
		mean += e / float64(len(es))
		trigammas += trigamma(half[i]) / float64(len(es))
	}
	var v float64
	for _, e := range es {
		v += (e - mean) * (e - mean) / float64(len(es)-1)
	}
	excess := v - trigammas
	if excess <= 0 {
		return limit, math.Sqrt(pooled)
	}
	d0 = 2 * trigammaInverse(excess)
	return min(d0, limit), math.Exp((mean + digamma(d0/2) - math.Log(d0/2)) / 2)
}
