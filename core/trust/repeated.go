package trust

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"

	"durvek/core/stats"
)

// Rules over repeats share one budget in each run: over all its measures and all that is tried, one clean run in 500
// may be doubted. Its shares:
const (
	cleanRuns    = 500.0
	outlierShare = 0.5
	driftShare   = 0.3
	spreadShare  = 0.2
)

// deviation is what a rule over repeats looked at, in one sitting or over the means of several.
type deviation struct {
	chance float64 // of something as far from clean, as the run's budget counts it
	xs     []float64
	rs     []Repeat
	at     int     // what deviates most: a repeat, or a sitting
	d      float64 // by how much, on the working scale
}

// sitting is the repeats of one sitting.
type sitting struct {
	name string
	xs   []float64
	rs   []Repeat
}

func (f Figures) sittings() (out []sitting) {
	xs, rs := f.working()
	for i, r := range rs {
		k := len(out) - 1
		for k >= 0 && out[k].name != r.Sitting {
			k--
		}
		if k < 0 {
			out, k = append(out, sitting{name: r.Sitting}), len(out)
		}
		out[k].xs, out[k].rs = append(out[k].xs, xs[i]), append(out[k].rs, r)
	}
	return out
}

// held is the standard deviation that repeats are held against and its degrees of freedom; 0 where too little is known.
func (f Figures) held() (sd, df float64) {
	if f.Pool.DF < 3 {
		return 0, 0
	}
	return f.Pool.Held(f.Cell)
}

// worst asks one question of every sitting with so many repeats or more and gives the least likely answer. The chance
// is that of the share of the budget, over as many questions as were asked.
func (f Figures) worst(least int, share float64, ask func(xs []float64) (p float64, at int,
	d float64)) (out deviation) {
	out.chance = 1
	asked := 0.0
	for _, s := range f.sittings() {
		if len(s.xs) < least {
			continue
		}
		asked++
		if p, at, d := ask(s.xs); p < out.chance {
			out = deviation{p, s.xs, s.rs, at, d}
		}
	}
	out.chance = math.Min(1, out.chance/share*math.Max(asked, 1))
	return out
}

// outlier is how unlikely the farthest of a sitting's repeats is: of two their difference, of more each beside the
// others, whose own scatter counts as much as it has to say.
func outlier(s0, d0 float64) func(xs []float64) (p float64, at int, d float64) {
	return func(xs []float64) (p float64, at int, d float64) {
		n := float64(len(xs))
		if len(xs) == 2 {
			d = xs[1] - xs[0]
			return stats.TwoSided(d/(math.Sqrt2*s0), d0), 1, d
		}
		p = 1
		for i, x := range xs {
			rest := append(append([]float64(nil), xs[:i]...), xs[i+1:]...)
			df := d0 + n - 2
			v := (d0*s0*s0 + squares(rest)) / df
			off := x - stats.Average(rest)
			if q := stats.TwoSided(off/math.Sqrt(v*n/(n-1)), df); q < p {
				p, at, d = q, i, off
			}
		}
		return math.Min(1, p*n), at, d
	}
}

// drift is how unlikely the slope of a sitting's repeats is, over their order; d is what it makes from first to last.
func drift(s0, d0 float64) func(xs []float64) (p float64, at int, d float64) {
	return func(xs []float64) (p float64, at int, d float64) {
		n := float64(len(xs))
		slope, sxx := line(xs)
		rest := math.Max(0, squares(xs)-slope*slope*sxx)
		df := d0 + n - 2
		v := (d0*s0*s0 + rest) / df
		return stats.TwoSided(slope*math.Sqrt(sxx/v), df), len(xs) - 1, slope * (n - 1)
	}
}

// scatter is how unlikely the variance of a sitting's repeats is; d is their standard deviation.
func scatter(s0, d0 float64) func(xs []float64) (p float64, at int, d float64) {
	return func(xs []float64) (p float64, at int, d float64) {
		nu := float64(len(xs) - 1)
		v := squares(xs) / nu
		f := distuv.F{D1: nu, D2: d0}
		return 1 - f.CDF(v/(s0*s0)), len(xs) - 1, math.Sqrt(v)
	}
}

// sittingsApart is how unlikely the farthest of the sittings' means is; at is its place among the cell's sittings.
func (f Figures) sittingsApart(s0, d0 float64) (out deviation, all []sitting) {
	all = f.sittings()
	out.chance = 1
	k := len(all)
	if k < 2 {
		return out, all
	}
	b, bdf := f.Pool.SittingSpread()
	means, own := make([]float64, k), make([]float64, k)
	for i, s := range all {
		means[i], own[i] = stats.Average(s.xs), s0*s0/float64(len(s.xs))
	}
	for i := range all {
		rest, restOwn := 0.0, 0.0
		for j := range all {
			if j != i {
				rest += means[j] / float64(k-1)
				restOwn += own[j] / float64(k-1) / float64(k-1)
			}
		}
		among, within := b*b*(1+1/float64(k-1)), own[i]+restOwn
		v := among + within
		df := v * v / (among*among/bdf + within*within/d0)
		off := means[i] - rest
		if p := stats.TwoSided(off/math.Sqrt(v), df); p < out.chance {
			out.chance, out.at, out.d = p, i, off
		}
		if k == 2 { // the same difference twice
			out.at, out.d = 1, means[1]-means[0]
			break
		}
	}
	times := float64(k)
	if k == 2 {
		times = 1
	}
	out.chance = math.Min(1, out.chance*times/outlierShare)
	return out, all
}

// line is the least-squares slope of values in order, per step, and the sum of squares of the steps.
func line(xs []float64) (slope, sxx float64) {
	mid, m := float64(len(xs)-1)/2, stats.Average(xs)
	for i, x := range xs {
		sxx += (float64(i) - mid) * (float64(i) - mid)
		slope += (float64(i) - mid) * (x - m)
	}
	return slope / sxx, sxx
}

// budget keeps of what rules over repeats found what the run's budget allows: of each measure the least likely, and
// those by Holm's steps over all measures that have repeats (Scandinavian Journal of Statistics 6, 1979).
func (c Case) budget(all []finding) []finding {
	measures := 0
	for _, f := range c.Figures {
		if _, rs := f.working(); len(rs) > 1 && f.Pool.DF >= 3 {
			measures++
		}
	}
	var tried []finding
	out := all[:0]
	for _, f := range all {
		if f.Chance == 0 {
			out = append(out, f)
			continue
		}
		k := 0
		for k < len(tried) && tried[k].Measure != f.Measure {
			k++
		}
		switch {
		case k == len(tried):
			tried = append(tried, f)
		case f.Chance < tried[k].Chance:
			tried[k] = f
		}
	}
	slices.SortStableFunc(tried, func(a, b finding) int { return cmp.Compare(a.Chance, b.Chance) })
	for i, f := range tried {
		if f.Chance > 1/cleanRuns/float64(measures-i) {
			break
		}
		out = append(out, f)
	}
	return out
}

// farther is how far something lies beyond its limit: 1 is at it.
func farther(chance float64) float64 {
	return math.Min(math.Log(math.Max(chance, 1e-300))/math.Log(1/cleanRuns), 100)
}
