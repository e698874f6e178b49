// Package analyse turns raw series into the figures that a review quotes: what a machine holds under
// lasting load, how a drive's rate changes as it fills, where a latency curve has its knees. Series come
// in as plain numbers with their times; nothing is read or kept here.
package analyse

import (
	"fmt"
	"math"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// Way is how a rate under lasting load went, as a reviewer would say it.
type Way string

const (
	HeldOut   Way = "held to the end"
	Fell      Way = "fell"
	Recovered Way = "fell and recovered"
	Again     Way = "fell again and again"
	Falling   Way = "fell gradually"
)

// Sustained is what a series of rates under lasting load says.
type Sustained struct {
	Way       Way
	Burst     float64 // level at the beginning, once it is warm, in the series' unit
	Sustained float64 // level at the end; meaningful if Reached
	Hold      float64 // Sustained ÷ Burst
	Drop      float64 // when it fell, or by when half of a gradual fall was done; 0 for no such time
	Reached   bool    // a sustained level was reached: it lasts for a quarter of the run or more
	Warm      float64 // when it was warm; 0 if it began so
	stats.Course
}

// noMatter is the share of a change of level that does not matter under lasting load, lastShare how much of the run the
// last level must last, warmShare how much of it warming up may take.
const (
	noMatter  = 0.02
	lastShare = 0.25
	warmShare = 0.1
)

// Sustain reads a series of rates above zero, at least stats.LeastCourse, taken at the given times at even distances.
// Its course says how it went (stats.CourseOf); levels that rise at the beginning are warming up. No time lies outside
// the data. It returns ok false for fewer samples.
func Sustain(times, rates []float64) (s Sustained, ok bool) {
	n := len(rates)
	if len(times) != n {
		return s, false
	}
	if s.Course, ok = stats.CourseOf(rates, stats.CourseOptions{Matter: noMatter, Dip: 0.05}); !ok {
		return s, false
	}
	levels := s.Levels
	for len(levels) > 1 && float64(levels[0].To) <= warmShare*float64(n) && levels[1].Mean > levels[0].Mean {
		s.Warm = between(times, levels[0].To)
		levels = levels[1:]
	}
	first, last := levels[0], levels[len(levels)-1]
	s.Burst, s.Sustained = first.Mean, last.Mean
	s.Reached = float64(last.To-last.From) >= lastShare*float64(n)
	s.Way = HeldOut
	falls, below := 0, false // below: under what the beginning held, less what does not matter
	for _, g := range levels[1:] {
		now := g.Mean < s.Burst*(1-noMatter)
		if now && !below {
			if falls++; falls == 1 {
				s.Drop = between(times, g.From)
			}
		}
		below = now
	}
	switch {
	case s.Shape == stats.Gradual && s.Change < 0:
		tail := s.Fit[n-1-int(lastShare*float64(n))]
		s.Way, s.Burst, s.Sustained = Falling, s.Fit[0], stats.Average(rates[n-max(int(lastShare*float64(n)), 1):])
		s.Drop, s.Reached = times[s.Half], tail/s.Fit[n-1]-1 < noMatter
	case s.Shape == stats.Gradual:
		s.Burst, s.Sustained, s.Reached = stats.Average(rates[:max(n/10, 1)]), stats.Average(rates[3*n/4:]), true
	case s.Shape == stats.Recurrent || falls > 1:
		s.Way, s.Drop, s.Sustained, s.Reached = Again, 0, stats.Average(rates[n/2:]), true
	case falls == 1 && below:
		s.Way = Fell
	case falls == 1:
		s.Way, s.Drop = Recovered, 0
	}
	s.Hold = s.Sustained / s.Burst
	return s, true
}

// between is the time between a sample and the one before.
func between(times []float64, at int) float64 { return (times[at-1] + times[at]) / 2 }

// Says tells in words how it went; unit is that of the times.
func (s Sustained) Says(unit string) string {
	at := func(v float64) string {
		if v >= 10 {
			v = math.Round(v)
		}
		return quantity.Given(v, unit)
	}
	out := string(s.Way)
	switch s.Way {
	case Fell:
		out += fmt.Sprintf(" to %.0f %% at %s", 100*s.Hold, at(s.Drop))
	case Falling:
		out += fmt.Sprintf(" to %.0f %%, half of it by %s", 100*s.Hold, at(s.Drop))
	case Again:
		out += fmt.Sprintf(", %.0f %% on average in the second half", 100*s.Hold)
	}
	if !s.Reached {
		out += ", and reached no sustained level"
	}
	if s.Warm > 0 {
		out += "; warm after " + at(s.Warm)
	}
	if n := len(s.Dips); n > 0 && s.Way != Again {
		out += fmt.Sprintf("; %d short dip", n)
		if n > 1 {
			out += "s"
		}
	}
	return out
}
