package analyse

import (
	"math"

	"durvek/core/stats"
)

// Fill is what a drive's rate over the bytes written says.
type Fill struct {
	Before float64 // rate while the cache takes the data, in the unit of the rates
	After  float64 // rate once it is full; equals Before if it never fell
	Cache  float64 // bytes written until the first fall; 0 if it never fell
}

// leastFall is the share by which a rate must fall to count as the end of a write cache: drives vary
// by less from one second to the next.
const leastFall = 0.1

// WriteCache reads the rates of a sustained write, at least ten, over the bytes written at the end of
// each sample. The write cache ends at the first change point after which the rate is lower by a tenth
// or more.
func WriteCache(written, rates []float64) (f Fill, ok bool) {
	n := len(rates)
	if n < 2*leastSegment || len(written) != n {
		return f, false
	}
	floor := math.Pow(0.005*stats.Quantile(rates, 0.5), 2)
	segments := merge(stats.Changes(rates, leastSegment, floor, 6*math.Log(float64(n))), leastFall)
	f.Before, f.After = segments[0].Mean, segments[0].Mean
	for _, g := range segments[1:] {
		if g.Mean < f.Before*(1-leastFall) {
			f.Cache = written[g.From-1]
			f.After = mean(rates[g.From:])
			break
		}
	}
	return f, true
}

// Window of rounds, the number of rounds at most, and the bounds of the SNIA criterion.
const (
	SteadyWindow = 5
	SteadyRounds = 25
	steadyRange  = 0.20
	steadySlope  = 0.10
)

// Steady is where a drive's rounds became steady.
type Steady struct {
	Round   int     // the round, counted from 1, with which the window ends; 0 if they never did
	Mean    float64 // mean over the window
	Range   float64 // largest less smallest in the window ÷ mean
	Slope   float64 // excursion of the least-squares line over the window ÷ mean
	Falling bool    // steady by the criterion, yet the window lies more than a tenth below the first one
}

// SteadyState applies the steady-state criterion of the SNIA Solid State Storage Performance Test
// Specification to one tracking variable, one value per round: over five consecutive rounds the range
// is at most 20 % of their mean and the excursion of their least-squares line, 4·|slope|, at most 10 %.
// The first window that fits is taken.
func SteadyState(rounds []float64) Steady {
	var s Steady
	for end := SteadyWindow; end <= len(rounds); end++ {
		w := rounds[end-SteadyWindow : end]
		lo, hi, m, slope := w[0], w[0], mean(w), 0.0
		for i, x := range w {
			lo, hi = math.Min(lo, x), math.Max(hi, x)
			slope += (float64(i) - 2) * x / 10
		}
		s.Mean, s.Range, s.Slope = m, (hi-lo)/m, 4*math.Abs(slope)/m
		if s.Range <= steadyRange && s.Slope <= steadySlope {
			s.Round = end
			s.Falling = m < 0.9*mean(rounds[:SteadyWindow])
			return s
		}
	}
	return s
}

// Below is how long a rate lay below a floor, in the unit of each, the time that one sample stands for.
func Below(rates []float64, floor, each float64) float64 {
	n := 0
	for _, r := range rates {
		if r < floor {
			n++
		}
	}
	return float64(n) * each
}
