package method

import (
	"math"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// Writing is how estimates of the measure are written beside each other; bounds have no say in it.
func (m Measure) Writing(es ...stats.Estimate) quantity.Writing {
	var all [][3]float64
	for _, e := range es {
		if e.Bound == "" {
			all = append(all, [3]float64{e.Centre, e.Lo, e.Hi})
		}
	}
	if len(all) == 0 && len(es) > 0 { // nothing but bounds
		all = append(all, [3]float64{es[0].Centre, math.NaN(), math.NaN()})
	}
	return quantity.WritingFor(m.Unit, all...)
}

// Written writes an estimate and how sure it is, without the unit: a bound with its words, one reading that was read as
// a range as that range, else its centre with "± 6" or both ends of its interval; nothing for what is exact.
func (m Measure) Written(w quantity.Writing, e stats.Estimate) (value, spread string) {
	if e.Bound != "" {
		return e.Bound + " " + w.Bound(e.Centre), ""
	}
	if lo, hi, ok := e.Range(m.Scale.Logarithmic()); ok {
		return w.Value(lo) + " to " + w.Value(hi), ""
	}
	value, spread = w.Interval(e.Centre, e.Lo, e.Hi)
	if e.Exact {
		spread = ""
	}
	return value, spread
}
