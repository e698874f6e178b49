package analyse

import (
	"math"

	"durvek/core/stats"
)

// Fill is what a drive's rate over the bytes written says.
type Fill struct {
	Before float64 // rate while the cache takes the data, in the unit of the rates
	// After is the rate at the end, once it is full: Before if it never fell, 0 if the last level is too short to tell.
	After  float64
	Cache  float64 // bytes written until the first fall; 0 if it never fell
	AtMost bool    // the cache is shorter than three samples: it is at most so much
	stats.Course
}

// leastFall is the share by which a rate must fall to count as the end of a write cache: drives vary
// by less from one second to the next.
const leastFall = 0.1

// WriteCache reads the rates of a sustained write, at least stats.LeastCourse, over the bytes written at the end of
// each sample. Levels that rise at the beginning are a slow start. The write cache ends at the first level that is a
// tenth lower or more than the one before.
func WriteCache(written, rates []float64) (f Fill, ok bool) {
	n := len(rates)
	if len(written) != n {
		return f, false
	}
	if f.Course, ok = stats.CourseOf(rates, stats.CourseOptions{Matter: leastFall, Dip: 0.1}); !ok {
		return f, false
	}
	levels := f.Levels
	if f.Shape == stats.Gradual { // without a level, a tenth of the run at each end stands for them
		tenth := max(n/10, 3)
		levels = []stats.Segment{{From: 0, To: f.Half, Mean: stats.Average(rates[:tenth])}, {From: f.Half, To: n,
			Mean: stats.Average(rates[n-tenth:])}}
	}
	for len(levels) > 1 && float64(levels[0].To) <= warmShare*float64(n) && levels[1].Mean > levels[0].Mean {
		levels = levels[1:]
	}
	f.Before, f.After = levels[0].Mean, levels[0].Mean
	for i, g := range levels[1:] {
		before := levels[i]
		if g.Mean >= before.Mean*(1-leastFall) {
			continue
		}
		last := levels[len(levels)-1]
		f.Before, f.Cache, f.AtMost, f.After = before.Mean, written[g.From-1], g.From < 3, 0
		if last.To-last.From >= max(5, n/20) {
			f.After = last.Mean
		}
		break
	}
	return f, true
}

// Window of rounds, the number of rounds at most, and the bounds of the SNIA criterion.
const (
	SteadyWindow = 5
	SteadyRounds = 25
	steadyRange  = 0.20
	steadySlope  = 0.10
	steadyMoves  = 0.03
)

// Steady is where a drive's rounds became steady.
type Steady struct {
	Round   int     // the round, counted from 1, with which the window ends; 0 if they never did
	Mean    float64 // mean over the window
	Range   float64 // largest less smallest in the window ÷ mean
	Slope   float64 // excursion of the least-squares line over the window ÷ mean
	Falling bool    // steady, yet the window lies more than a tenth below the first one
}

// SteadyState applies the steady-state criterion of the SNIA Solid State Storage Performance Test Specification to one
// tracking variable, one value per round: over five consecutive rounds the range is at most 20 % of their mean and the
// excursion of their least-squares line, 4·|slope|, at most 10 %. That lets a fall of 2 % a round pass for ever, so the
// mean of the five rounds before must lie within 3 %, too. The first window that fits is taken.
func SteadyState(rounds []float64) Steady {
	var s Steady
	for end := SteadyWindow; end <= len(rounds); end++ {
		w := rounds[end-SteadyWindow : end]
		lo, hi, m, slope := w[0], w[0], stats.Average(w), 0.0
		for i, x := range w {
			lo, hi = math.Min(lo, x), math.Max(hi, x)
			slope += (float64(i) - 2) * x / 10
		}
		s.Mean, s.Range, s.Slope = m, (hi-lo)/m, 4*math.Abs(slope)/m
		moving := end < 2*SteadyWindow
		if !moving {
			before := stats.Average(rounds[end-2*SteadyWindow : end-SteadyWindow])
			moving = math.Abs(m/before-1) > steadyMoves+1e-9
		}
		if s.Range <= steadyRange && s.Slope <= steadySlope && !moving {
			s.Round = end
			s.Falling = m < 0.9*stats.Average(rounds[:SteadyWindow])
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
