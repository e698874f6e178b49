package analyse

import (
	"cmp"
	"fmt"

	"durvek/core/quantity"
	"durvek/core/record"
)

// axes are those of pictures that other runs of the same test can be laid over: what each is called, its UCUM code and
// how much of it one on the picture is. Time in seconds is the axis without a name.
var axes = map[string]struct {
	name, unit string
	each       float64
}{
	"s": {"", "", 1}, "h": {"", "", 3600}, "GB": {"bytes written", "GBy", 1}, "m": {"distance", "m", 1},
	"round": {"round", "1", 1}, "Hz": {"frequency", "Hz", 1}, "% of all": {"share of all", "%", 1},
}

// mostSeries bounds the points of a series that is made of a picture.
const mostSeries = 1200

// Series are the curves of a picture as series of a run, so that several runs can be laid over each other; none where
// its axis says nothing of others. A picture's unit that is none of the vocabulary leaves its values without one.
func (p Picture) Series() (out []record.Series) {
	axis, known := axes[p.X]
	if p.Kind != Curves || !known {
		return nil
	}
	unit := "1"
	for _, u := range quantity.Units() {
		if u.Symbol == p.Y {
			unit = u.Code
			break
		}
	}
	seen := map[string]int{}
	for _, c := range p.Curves {
		name := cmp.Or(c.Name, "value")
		if seen[name]++; seen[name] > 1 { // a channel of a run stands once
			name = fmt.Sprintf("%s %d", name, seen[name])
		}
		s := record.Series{Channel: name, Unit: unit, Axis: axis.name, Along: axis.unit}
		for i, x := range c.X {
			if n := len(s.Times); n > 0 && x*axis.each <= s.Times[n-1] {
				continue // a series goes on
			}
			s.Times, s.Values = append(s.Times, x*axis.each), append(s.Values, c.Y[i])
		}
		out = append(out, Thin(s, mostSeries))
	}
	return out
}
