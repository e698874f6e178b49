package compare

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/formula"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/core/trust"
)

// Derived tells whether a measure is worked out from others by a formula.
func (m Measure) Derived() bool { return m.def.Formula != "" }

// Input is what a formula refers to: a measure, or a number of spec sheets or offers, with a variant's cells of it.
type Input struct {
	Measure Measure
	Unit    string // in place of the measure's: the currency of a price
	Cells   []Cell
}

// Inputs finds what a formula refers to, without figures. find gives a measure; its errors come back.
func Inputs(f formula.Formula, find func(ref string) (Measure, error)) ([]Input, error) {
	out := make([]Input, len(f.Refs))
	for i, ref := range f.Refs {
		m, err := find(ref)
		if err != nil {
			return nil, err
		}
		if m.Derived() {
			return nil, fmt.Errorf("%s is worked out itself; write its own formula in its place", ref)
		}
		out[i].Measure = m
		if currency, ok := strings.CutPrefix(ref, "price/"); ok {
			out[i].Unit = currency
		}
	}
	return out, nil
}

// unit is what the input's figures are in.
func (in Input) unit() string { return cmp.Or(in.Unit, in.Measure.Unit) }

// Fitting checks that a formula over inputs gives figures in a measure's unit, and how much of the unit one of the base
// units' is. The error says which parts do not fit.
func Fitting(m method.Measure, f formula.Formula, inputs []Input) (factor float64, err error) {
	units := make([]quantity.Exponents, len(inputs))
	for i, in := range inputs {
		if s := in.Measure.Scale; s != quantity.Ratio && s != quantity.Share {
			return 0, fmt.Errorf("%s is a figure of scale %s, which a formula cannot work with", in.Measure.ID, s)
		}
		if units[i], _, err = quantity.Dims(in.unit()); err != nil {
			return 0, fmt.Errorf("%s: %w", in.Measure.ID, err)
		}
	}
	has, err := f.Dims(units)
	if err != nil {
		return 0, err
	}
	want, size, err := quantity.Dims(m.Unit)
	if err != nil {
		return 0, err
	}
	if has.String() != want.String() {
		return 0, fmt.Errorf("the formula gives %s, and %s is %s", has, quantity.Symbol(m.Unit), want)
	}
	return 1 / size, nil
}

// spot is where an input was measured.
type spot struct{ unit, setup, host, place string }

// Derive works out a derived measure's cells of one variant. Inputs are joined where unit and setup are the same, and
// host and place, or one has none; a figure on paper goes with each. Where an input has several figures at one such
// place, or figures of an older version of its test, there is none. A cell's conditions are those of all its inputs,
// each of which must match where its measure wants it. Errors of inputs are carried on to first order, each input once
// whatever its place in the formula; the degrees of freedom are Satterthwaite's (Biometrics Bulletin 2(6), 1946).
func Derive(m Measure, f formula.Formula, inputs []Input) []Cell {
	factor, err := Fitting(m.def, f, inputs)
	if err != nil {
		return nil
	}
	var wheres []spot
	for i, in := range inputs {
		inputs[i].Cells = slices.DeleteFunc(slices.Clone(in.Cells), func(c Cell) bool {
			return c.Basis.TestVersion != in.Measure.Version
		})
		for _, c := range inputs[i].Cells {
			if w := (spot{c.Unit, c.Setup, c.Host, c.Place}); !in.Measure.OnPaper() && !slices.Contains(wheres, w) {
				wheres = append(wheres, w)
			}
		}
	}
	var out []Cell
	for _, w := range wheres {
		cells := make([]Cell, len(inputs))
		whole, all := true, false // all: an input was made just here, in this host and place
		for i, in := range inputs {
			c, exact, ok := in.there(w)
			cells[i], whole, all = c, whole && ok, all || exact
		}
		if !whole || !all || w.host+w.place == "" && elsewhere(inputs, wheres, w) {
			continue
		}
		if c, ok := join(m, f, factor, inputs, cells, w); ok {
			out = append(out, c)
		}
	}
	return out
}

// elsewhere tells whether a figure without host and place would stand beside one that has them, made of the same
// inputs.
func elsewhere(inputs []Input, wheres []spot, w spot) bool {
	return slices.ContainsFunc(wheres, func(o spot) bool {
		return o != w && o.unit == w.unit && o.setup == w.setup && !slices.ContainsFunc(inputs, func(in Input) bool {
			_, _, ok := in.there(o)
			return !ok
		})
	})
}

// there finds an input's one figure at a place; exact tells that it was made there and not in no place at all.
func (in Input) there(w spot) (c Cell, exact, ok bool) {
	if in.Measure.OnPaper() {
		if len(in.Cells) != 1 {
			return c, false, false
		}
		return in.Cells[0], false, true
	}
	n, bare := 0, 0
	for _, x := range in.Cells {
		switch (spot{x.Unit, x.Setup, x.Host, x.Place}) {
		case w:
			c, exact = x, true
			n++
		case spot{w.unit, w.setup, "", ""}:
			if !exact {
				c = x
			}
			bare++
		}
	}
	return c, exact, n == 1 || n == 0 && bare == 1
}

// join makes one figure of those of its inputs.
func join(m Measure, f formula.Formula, factor float64, inputs []Input, cells []Cell, w spot) (Cell, bool) {
	out := Cell{Variant: cells[0].Variant, Unit: w.unit, Host: w.host, Place: w.place, Setup: w.setup,
		Basis: trust.Basis{TestVersion: m.Version, Conditions: map[string]string{}}}
	values, sizes := make([]float64, len(cells)), make([]float64, len(cells))
	for i, c := range cells {
		_, sizes[i], _ = quantity.Dims(inputs[i].unit())
		values[i] = c.Estimate.Centre * sizes[i]
		out.Simulated = out.Simulated || c.Simulated
		if c.Host == w.host {
			out.HostName = cmp.Or(out.HostName, c.HostName)
		}
		if out.Limiter == "" || inputs[i].Measure.OnPaper() {
			out.Limiter = cmp.Or(out.Limiter, c.Limiter)
		}
		for _, k := range inputs[i].Measure.MustMatch {
			told, had := out.Basis.Conditions[k]
			v := c.Basis.Conditions[k]
			switch {
			case !had || told == v:
				out.Basis.Conditions[k] = v
			case told == "" || v == "": // unknown of one is unknown of the whole
				out.Basis.Conditions[k] = ""
			case !slices.Contains(strings.Split(told, ", "), v):
				out.Basis.Conditions[k] = told + ", " + v
			}
		}
	}
	e, ok := propagated(m, f, factor, inputs, cells, values, sizes)
	out.Estimate, out.Best = e, [2]float64{e.Centre, e.Centre}
	out.Key = fmt.Sprint(out.Basis.Conditions)
	return out, ok
}

// propagated is the estimate that a formula makes of its inputs' ones: values are their centres in base units, sizes
// how large one of their units is.
func propagated(m Measure, f formula.Formula, factor float64, inputs []Input, cells []Cell, values, sizes []float64) (
	stats.Estimate, bool) {
	v, slopes := f.At(values)
	v *= factor
	if math.IsNaN(v) || !quantity.Sound(v) || m.Scale.Logarithmic() && v < quantity.Smallest {
		return stats.Estimate{}, false
	}
	e := stats.Estimate{Centre: v, Median: v, Mean: v, N: math.MaxInt, Sittings: math.MaxInt, Exact: true}
	variance, squares := 0.0, 0.0
	upward, downward := false, false
	for i, c := range cells {
		x := c.Estimate
		if !inputs[i].Measure.OnPaper() {
			e.N, e.Sittings = min(e.N, x.N), min(e.Sittings, x.Sittings)
		}
		e.Exact, e.Unknown = e.Exact && x.Exact, e.Unknown || x.Unknown
		e.Provisional, e.Typical = e.Provisional || x.Provisional, e.Typical || x.Typical
		slope := slopes[i] * sizes[i] * factor // by one of the input's unit
		if x.Bound != "" {
			rises := (slope > 0) == stats.Upward(x.Bound)
			upward, downward = upward || rises, downward || !rises
		}
		if inputs[i].Measure.Scale.Logarithmic() {
			slope *= x.Centre
		}
		part := slope * slope * x.SE * x.SE
		variance += part
		if x.DF > 0 {
			squares += part * part / x.DF
		}
		e.HalfWidth += math.Abs(slope) * x.HalfWidth
	}
	switch {
	case upward && downward:
		return e, false // nothing is known of it
	case upward:
		e.Bound = "at least"
	case downward:
		e.Bound = "at most"
	}
	if m.Scale.Logarithmic() {
		e.Mean, variance, squares, e.HalfWidth = math.Log(v), variance/(v*v), squares/(v*v*v*v), e.HalfWidth/v
	}
	e.SE = math.Sqrt(variance)
	half := e.HalfWidth
	if squares > 0 {
		e.DF = variance * variance / squares
		half += stats.TQuantile(0.975, e.DF) * e.SE
	}
	if e.Bound != "" || e.Unknown {
		half = 0
	}
	e.Lo, e.Hi = e.Mean-half, e.Mean+half
	if m.Scale.Logarithmic() {
		e.Lo, e.Hi = math.Exp(e.Lo), math.Exp(e.Hi)
	}
	return e, true
}
