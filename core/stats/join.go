package stats

import (
	"math"
	"slices"
)

// Take says how several figures of one thing become one.
type Take string

const (
	Lowest  Take = "lowest"
	Highest Take = "highest"
	Mean    Take = "mean"
	Sum     Take = "sum"
)

// Join makes one estimate of several that do not depend on one another: the lowest or highest as it is, or their mean
// or sum on the natural scale, with the error propagated to first order (JCGM 100:2008, 5.1.2) and Welch–Satterthwaite
// degrees of freedom. One that is a bound makes the mean and the sum a bound. es must hold one at least.
func Join(es []Estimate, take Take, logarithmic bool) Estimate {
	if len(es) == 1 {
		return es[0]
	}
	order := func(a, b Estimate) int {
		switch {
		case a.Centre < b.Centre:
			return -1
		case a.Centre > b.Centre:
			return 1
		}
		return 0
	}
	switch take {
	case Lowest:
		return slices.MinFunc(es, order)
	case Highest:
		return slices.MaxFunc(es, order)
	}
	share := 1.0
	if take == Mean {
		share = 1 / float64(len(es))
	}
	out := Estimate{Exact: true, Sittings: es[0].Sittings}
	var own, among []Part
	var variance, rounding float64
	for _, e := range es {
		slope := share // of the result on the natural scale over the figure on its working scale
		if logarithmic {
			slope *= e.Centre
		}
		w, a, r := e.Parts()
		w.Variance *= slope * slope
		a.Variance *= slope * slope
		own, among = append(own, w), append(among, a)
		rounding += r * slope * slope
		variance += w.Variance + a.Variance + r
		out.Centre += share * e.Centre
		out.Median += share * e.Median
		out.HalfWidth += math.Abs(slope) * e.HalfWidth
		out.N += e.N
		out.Sittings = max(out.Sittings, e.Sittings)
		out.Exact = out.Exact && e.Exact
		out.Unknown = out.Unknown || e.Unknown
		if e.Level > 0 && (out.Level == 0 || e.Level < out.Level) {
			out.Level = e.Level
		}
		out.Typical = out.Typical || e.Typical
		out.Provisional = out.Provisional || e.Provisional
		if e.Bound != "" {
			out.Bound = e.Bound
		}
	}
	slope := 1.0 // of the working scale over the natural one
	out.Mean = out.Centre
	if logarithmic {
		out.Mean, slope = math.Log(out.Centre), 1/out.Centre
	}
	out.HalfWidth *= slope
	out.Within, out.Among = collect(own, slope, false), collect(among, slope, true)
	out.Rounding = rounding * slope * slope
	out.Lo, out.Hi = out.Centre, out.Centre
	if out.Bound != "" || out.Exact || out.Unknown || variance == 0 {
		return out
	}
	out.SE, out.DF = together(out.Within, out.Among, out.Rounding)
	half := Quick(0.975, out.DF)*out.SE + out.HalfWidth
	out.Lo, out.Hi = out.Mean-half, out.Mean+half
	if logarithmic {
		out.Lo, out.Hi = math.Exp(out.Lo), math.Exp(out.Hi)
	}
	return out
}

// collect adds variance components on another scale. Shared ones rest on the same degrees of freedom.
func collect(parts []Part, slope float64, shared bool) Part {
	var out Part
	squares, most := 0.0, 0.0
	for _, p := range parts {
		v := p.Variance * slope * slope
		out.Variance += v
		most = math.Max(most, p.DF)
		if p.DF > 0 {
			squares += v * v / p.DF
		}
	}
	switch out.DF = most; {
	case !shared && squares > 0:
		out.DF = out.Variance * out.Variance / squares
	case !shared:
		out.DF = math.Inf(1)
	}
	return out
}
