// Package analyse turns raw series into the figures that a review quotes: what a machine holds under
// lasting load, how a drive's rate changes as it fills, where a latency curve has its knees. Series come
// in as plain numbers with their times; nothing is read or kept here.
package analyse

import (
	"math"

	"durvek/core/stats"
)

// Shape says how a series under lasting load goes.
type Shape string

const (
	Level   Shape = "level" // one level throughout
	Steps   Shape = "steps" // from level to level
	Decay   Shape = "decay" // gradually towards a level
	Erratic Shape = "erratic"
)

// Sustained is what a series of rates under lasting load says.
type Sustained struct {
	Shape     Shape
	Burst     float64 // level at the beginning, in the series' unit
	Sustained float64 // level at the end; meaningful if Reached
	Hold      float64 // Sustained ÷ Burst
	Drop      float64 // time of the first lasting fall, in the unit of the times; 0 if it never fell
	Reached   bool    // a sustained level was reached: it lasts for a quarter of the run or more
	Settled   bool    // what is left beside the levels is noise, not a pattern (lag-one ≤ 0.3)
	Segments  []stats.Segment
}

// The least segment in samples, the change of level that does not matter, and how much of the run the
// last level must last.
const (
	leastSegment = 5
	noMatter     = 0.02
	lastShare    = 0.25
)

// Sustain reads a series of rates, at least ten and all above zero, taken at the given times at even distances.
// Levels are found by change points (stats.Changes, penalty 6·ln n); neighbours that differ by less than
// 2 % are one level. A gradual decay a + b·exp(−t/τ) is tried first and preferred by the Bayesian
// information criterion. It returns ok false for fewer samples.
func Sustain(times, rates []float64) (s Sustained, ok bool) {
	n := len(rates)
	if n < 2*leastSegment || len(times) != n {
		return s, false
	}
	scale := stats.Quantile(rates, 0.5)
	floor := math.Pow(0.002*scale, 2)
	segments := merge(stats.Changes(rates, leastSegment, floor, 6*math.Log(float64(n))), noMatter)
	s.Segments = segments
	begin := times[0] - (times[n-1]-times[0])/float64(n-1)/2 // each sample stands for the time around it
	if a, b, tau, rss := decay(times, rates); b > noMatter*math.Abs(a) && a > 0 {
		steps := 0.0
		for _, g := range segments {
			steps += g.Var * float64(g.To-g.From)
		}
		// Parameters: three for the decay; a level for each segment and a place for each change.
		bic := func(rss, k float64) float64 {
			return float64(n)*math.Log(math.Max(rss/float64(n), floor)) + k*math.Log(float64(n))
		}
		if len(segments) > 1 && bic(rss, 3) < bic(steps, float64(2*len(segments)-1)) {
			end := times[n-1]
			s.Shape, s.Burst = Decay, a+b*math.Exp(-begin/tau)
			last := math.Exp(-end / tau)
			early := math.Exp(-(end - lastShare*(end-begin)) / tau)
			s.Sustained = mean(rates[n-max(int(lastShare*float64(n)), 1):])
			s.Reached = b*(early-last) < noMatter*s.Sustained
			s.Drop = begin + tau*math.Ln2
			s.Settled = stats.LagOne(rest(times, rates, func(t float64) float64 { return a + b*math.Exp(-t/tau) })) <= 0.3
			s.Hold = s.Sustained / s.Burst
			return s, true
		}
	}
	first, last := segments[0], segments[len(segments)-1]
	s.Burst, s.Sustained, s.Hold = first.Mean, last.Mean, last.Mean/first.Mean
	s.Reached = float64(last.To-last.From) >= lastShare*float64(n)
	s.Shape = Level
	if len(segments) > 1 {
		s.Shape = Steps
	}
	for i := 1; i < len(segments); i++ {
		if segments[i].Mean < first.Mean {
			s.Drop = (times[segments[i].From-1] + times[segments[i].From]) / 2
			break
		}
	}
	var left []float64
	for _, g := range segments {
		for _, x := range rates[g.From:g.To] {
			left = append(left, x-g.Mean)
		}
	}
	s.Settled = stats.LagOne(left) <= 0.3
	if !s.Settled && len(segments) > n/(4*leastSegment) {
		s.Shape = Erratic
	}
	return s, true
}

// merge joins neighbours whose means differ by less than a share.
func merge(segments []stats.Segment, share float64) []stats.Segment {
	var out []stats.Segment
	for _, g := range segments {
		if len(out) > 0 {
			p := &out[len(out)-1]
			if math.Abs(g.Mean-p.Mean) < share*math.Abs(p.Mean) {
				a, b := float64(p.To-p.From), float64(g.To-g.From)
				m := (a*p.Mean + b*g.Mean) / (a + b)
				p.Var = (a*(p.Var+(p.Mean-m)*(p.Mean-m)) + b*(g.Var+(g.Mean-m)*(g.Mean-m))) / (a + b)
				p.Mean, p.To = m, g.To
				continue
			}
		}
		out = append(out, g)
	}
	return out
}

// decay fits a + b·exp(−t/τ) by least squares over a geometric ladder of τ; for each the other two
// follow in closed form.
func decay(times, xs []float64) (a, b, tau, rss float64) {
	rss = math.Inf(1)
	length := times[len(times)-1] - times[0]
	for try := length / 60; try <= 2*length; try *= 1.15 {
		var n, se, see, sx, sex float64
		for i, t := range times {
			e := math.Exp(-t / try)
			n, se, see, sx, sex = n+1, se+e, see+e*e, sx+xs[i], sex+e*xs[i]
		}
		d := n*see - se*se
		if d <= 0 {
			continue
		}
		bb := (n*sex - se*sx) / d
		aa := (sx - bb*se) / n
		r := 0.0
		for i, t := range times {
			e := xs[i] - aa - bb*math.Exp(-t/try)
			r += e * e
		}
		if r < rss {
			a, b, tau, rss = aa, bb, try, r
		}
	}
	return a, b, tau, rss
}

func rest(times, xs []float64, model func(float64) float64) []float64 {
	out := make([]float64, len(xs))
	for i, t := range times {
		out[i] = xs[i] - model(t)
	}
	return out
}

func mean(xs []float64) float64 {
	s := 0.0
	for _, x := range xs {
		s += x
	}
	return s / float64(len(xs))
}
