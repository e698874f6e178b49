package quantity

import (
	"math"
	"slices"
	"strings"
)

// Writing is how figures of one chart or table are written: all with as many decimals, times in hours, minutes and
// seconds where they read better so.
type Writing struct {
	Symbol   string // what stands behind a value; "" where the value holds its units
	Decimals int
	scale    float64 // seconds of a unit of time, where times are written as spans
	step     float64 // seconds to which they are rounded
}

// secondsOf holds the units of time whose values are written as spans, in seconds.
var secondsOf = map[string]float64{"s": 1, "min": 60, "h": 3600}

// WritingFor chooses how figures of a unit, each with the ends of its interval, are written: the decimals are those of
// the interval in the middle, and times of two minutes and more become spans.
func WritingFor(unit string, figures ...[3]float64) Writing {
	w := Writing{Symbol: Symbol(unit)}
	var places []int
	var halves []float64
	largest := 0.0
	for _, f := range figures {
		largest = math.Max(largest, math.Abs(f[0]))
		if half := (f[2] - f[1]) / 2; half > 0 && !math.IsInf(half, 0) {
			halves = append(halves, half)
			places = append(places, decimals(half))
		} else {
			places = append(places, written(f[0]))
		}
	}
	if len(places) > 0 {
		slices.Sort(places)
		w.Decimals = places[len(places)/2]
	}
	scale, least := secondsOf[unit], 120.0
	if unit == "h" { // hours with decimals are hard to read from the first minute on
		least = 60
	}
	if scale > 0 && largest*scale >= least && !math.IsInf(largest, 0) {
		w.Symbol, w.scale, w.step = "", scale, 1
		slices.Sort(halves)
		if largest*scale >= 3600 || len(halves) > 0 && halves[len(halves)/2]*scale >= 60 {
			w.step = 60
		}
	}
	return w
}

// Told writes a figure as one number with its unit's symbol: no digit that its interval does not know, four at most.
func Told(v, lo, hi float64, unit string) string {
	w := WritingFor(unit, [3]float64{v, lo, hi})
	w.Decimals = min(w.Decimals, written(v))
	return w.With(w.Value(v))
}

// written is how many decimals a number has to four significant digits.
func written(v float64) int {
	_, frac, _ := strings.Cut(Number(v, 4), ".")
	return len(frac)
}

// decimals is how many the half-width of an interval leaves: two significant digits below 3 of its first, else one;
// none above 10.
func decimals(half float64) int {
	out := 0
	if half < 10 {
		out = int(math.Ceil(-math.Log10(half)))
		if half*math.Pow(10, float64(out)) < 3 {
			out++
		}
	}
	return min(max(out, 0), 6)
}

// Value writes a value without its symbol.
func (w Writing) Value(v float64) string {
	if w.scale > 0 {
		return spanText(v*w.scale, w.step)
	}
	return Fixed(v, w.Decimals)
}

// uneven is by how much one half of an interval is longer than the other before both ends are written.
const uneven = 1.2

// Interval writes a value and how sure it is: "± 6", or "380 to 470" where one half is a fifth longer than the other;
// nothing where the interval has no width.
func (w Writing) Interval(v, lo, hi float64) (value, spread string) {
	value = w.Value(v)
	below, above := v-lo, hi-v
	switch half := (hi - lo) / 2; {
	case !(half > 0) || math.IsInf(half, 0):
		return value, ""
	case math.Max(below, above) > uneven*math.Min(below, above):
		return value, w.Value(lo) + " to " + w.Value(hi)
	case w.scale > 0 && half*w.scale >= 10 && half*w.scale >= w.step/2:
		return value, "± " + spanText(half*w.scale, w.step)
	case w.scale > 0:
		return value, "± " + Number(half*w.scale, 1) + " s"
	case strings.Trim(Fixed(half, w.Decimals), "0.") == "": // far surer than the others
		return value, "± " + Number(half, 1)
	default:
		return value, "± " + Fixed(half, w.Decimals)
	}
}

// Bound writes a bound as somebody gave it, 900 as 900; a time among spans as a span.
func (w Writing) Bound(v float64) string {
	if w.scale > 0 {
		return spanText(v*w.scale, 1)
	}
	return Given(v, "1")
}

// Spans tells whether values are times in hours, minutes and seconds, which hold their units.
func (w Writing) Spans() bool { return w.scale > 0 }

// With writes a value with what stands behind it.
func (w Writing) With(value string) string { return strings.TrimSpace(value + " " + w.Symbol) }

// spanText writes seconds as hours and minutes, or minutes and seconds, rounded to a step.
func spanText(seconds, step float64) string {
	if math.IsNaN(seconds) || math.IsInf(seconds, 0) {
		return "—"
	}
	if seconds < 0 {
		return "−" + spanText(-seconds, step)
	}
	if seconds < step/2 || step == 1 && seconds < 10 {
		return Number(seconds, 2) + " s"
	}
	n := int64(math.Round(seconds/step) * step)
	var out []string
	for _, x := range []struct {
		of   int64
		name string
	}{{3600, "h"}, {60, "min"}, {1, "s"}} {
		if n >= x.of {
			out = append(out, Fixed(float64(n/x.of), 0)+" "+x.name)
			n %= x.of
		}
	}
	return strings.Join(out, " ")
}
