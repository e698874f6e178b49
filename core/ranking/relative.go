package ranking

import (
	"math"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// Relative is a value normalised to a reference: percent of it on ratio scales (reference = 100),
// the difference in the measure's unit on interval, level and share scales.
type Relative struct {
	Value float64 `json:"value"`
	Lo    float64 `json:"lo"`
	Hi    float64 `json:"hi"`
	// Unknown tells that nothing is known of how much one of both scatters: there is no interval, and nothing is sure.
	Unknown bool `json:"unknown,omitempty"`
}

// RelativeTo normalises e to ref, with a 95 % interval for the two estimates' difference: the
// variances add, the degrees of freedom are Welch's.
// A bound stays without an interval.
func RelativeTo(e, ref stats.Estimate, scale quantity.Scale) Relative {
	diff := e.Mean - ref.Mean
	half := 0.0
	if e.Bound == "" && ref.Bound == "" {
		if se, df := stats.Difference(e, ref, 1); se > 0 {
			half = stats.Quick(0.975, df) * se
		}
		half += e.HalfWidth + ref.HalfWidth
	}
	unknown := e.Unknown || ref.Unknown
	if scale.Logarithmic() {
		return Relative{100 * math.Exp(diff), 100 * math.Exp(diff-half), 100 * math.Exp(diff+half), unknown}
	}
	return Relative{diff, diff - half, diff + half, unknown}
}

// FieldMean is the field's class average as an exact estimate: the geometric mean on ratio scales,
// the arithmetic mean otherwise. Bounds, and figures of unknown spread, do not enter. ok is false for an empty field.
func FieldMean(entries []Entry, scale quantity.Scale) (mean stats.Estimate, ok bool) {
	n := 0
	for _, e := range entries {
		if e.Estimate.Bound == "" && !e.Estimate.Unknown {
			mean.Mean += e.Estimate.Mean
			n++
		}
	}
	if n == 0 {
		return mean, false
	}
	mean.Mean /= float64(n)
	mean.Centre, mean.N, mean.Exact = mean.Mean, n, true
	if scale.Logarithmic() {
		mean.Centre = math.Exp(mean.Mean)
	}
	mean.Lo, mean.Hi = mean.Centre, mean.Centre
	return mean, true
}
