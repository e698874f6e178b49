package analyse

import (
	"errors"
	"math"
)

// ErrUnrelated marks two series in which no common course can be found.
var ErrUnrelated = errors.New("the two series have no course in common")

// Alignment says how far a log's clock is off.
type Alignment struct {
	Offset      float64 // seconds to add to the log's times to get the run's
	Correlation float64 // of the two over the stretch that they share, at that offset: 1 is alike
	Rival       float64 // highest correlation at offsets away from the best; near Correlation, the answer is doubtful
}

// Align finds the offset between two series of times in seconds, rising, and values: a log whose clock is
// unknown, and what a run recorded itself. Both are put on one grid and their correlation is taken
// at every shift at which they share a third of the shorter one or more (normalised cross-correlation);
// the best shift is refined by a parabola through its neighbours. It returns ErrUnrelated if nothing
// varies or no shift correlates above 0.3.
func Align(logTimes, logValues, runTimes, runValues []float64) (Alignment, error) {
	if len(logTimes) < 8 || len(runTimes) < 8 {
		return Alignment{}, ErrUnrelated
	}
	span := math.Max(logTimes[len(logTimes)-1]-logTimes[0], runTimes[len(runTimes)-1]-runTimes[0])
	step := math.Max(span/3000, math.Max(typicalStep(logTimes), typicalStep(runTimes)))
	if !(step > 0) {
		return Alignment{}, ErrUnrelated
	}
	a, b := grid(logTimes, logValues, step), grid(runTimes, runValues, step)
	least := max(8, min(len(a), len(b))/3)
	best, at := math.Inf(-1), 0
	scores := make([]float64, len(a)+len(b))
	for k := range scores { // a[i] meets b[i+shift]
		shift := k - len(a)
		from, to := max(0, -shift), min(len(a), len(b)-shift)
		scores[k] = math.Inf(-1)
		if to-from < least {
			continue
		}
		scores[k] = correlation(a[from:to], b[from+shift:to+shift])
		if scores[k] > best {
			best, at = scores[k], k
		}
	}
	if !(best > 0.3) {
		return Alignment{}, ErrUnrelated
	}
	fine := 0.0
	if at > 0 && at+1 < len(scores) && !math.IsInf(scores[at-1], 0) && !math.IsInf(scores[at+1], 0) {
		if bend := scores[at-1] - 2*scores[at] + scores[at+1]; bend < 0 {
			fine = 0.5 * (scores[at-1] - scores[at+1]) / bend
		}
	}
	rival, fell := 0.0, [2]bool{}
	for d := 1; d < len(scores); d++ { // on either side, what comes after the peak's own flank
		for side, k := range []int{at - d, at + d} {
			if k < 0 || k >= len(scores) || math.IsInf(scores[k], 0) {
				continue
			}
			if scores[k] < best/2 {
				fell[side] = true
			}
			if fell[side] {
				rival = math.Max(rival, scores[k])
			}
		}
	}
	return Alignment{Offset: runTimes[0] - logTimes[0] + (float64(at-len(a))+fine)*step, Correlation: best,
		Rival: rival}, nil
}

func typicalStep(t []float64) float64 { return (t[len(t)-1] - t[0]) / float64(len(t)-1) }

// grid gives a series' values at even steps, between samples on the straight line.
func grid(t, v []float64, step float64) []float64 {
	n := int((t[len(t)-1]-t[0])/step) + 1
	out := make([]float64, n)
	k := 0
	for i := range out {
		at := t[0] + float64(i)*step
		for k+2 < len(t) && t[k+1] < at {
			k++
		}
		share := 0.0
		if w := t[k+1] - t[k]; w > 0 {
			share = math.Min(1, math.Max(0, (at-t[k])/w))
		}
		out[i] = v[k] + share*(v[k+1]-v[k])
	}
	return out
}

// correlation is Pearson's; minus infinity where one side does not vary.
func correlation(a, b []float64) float64 {
	var sa, sb, saa, sbb, sab float64
	for i := range a {
		sa += a[i]
		sb += b[i]
	}
	n := float64(len(a))
	ma, mb := sa/n, sb/n
	for i := range a {
		x, y := a[i]-ma, b[i]-mb
		saa += x * x
		sbb += y * y
		sab += x * y
	}
	if saa <= 1e-12*n*(1+ma*ma) || sbb <= 1e-12*n*(1+mb*mb) {
		return math.Inf(-1)
	}
	return sab / math.Sqrt(saa*sbb)
}
