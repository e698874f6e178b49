package trust

import (
	"maps"
	"math"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/core/stats"
)

// told gives the marks of a run of some kinds as one sentence each, without those that say the same.
func told(r record.Run, kinds ...record.MarkKind) []string {
	var out []string
	for _, m := range r.Marks {
		for _, k := range kinds {
			if m.Kind == k {
				out = append(out, m.Text)
			}
		}
	}
	return out
}

// working gives the repeats of a cell that are no bounds on the scale that they are judged on: logarithms
// on ratio scales.
func (f Figures) working() (xs []float64, kept []Repeat) {
	log := f.Measure.Scale.Logarithmic()
	for _, r := range f.Repeats {
		if r.Bound != "" || log && r.Value <= 0 {
			continue
		}
		x := r.Value
		if log {
			x = math.Log(x)
		}
		xs, kept = append(xs, x), append(kept, r)
	}
	return xs, kept
}

// several tells whether repeats are of more than one sitting.
func several(rs []Repeat) bool {
	for _, r := range rs {
		if r.Sitting != rs[0].Sitting {
			return true
		}
	}
	return false
}

func squares(xs []float64) float64 {
	m, s := stats.Average(xs), 0.0
	for _, x := range xs {
		s += (x - m) * (x - m)
	}
	return s
}

// value writes a figure of a measure with its unit.
func value(m method.Measure, v float64) string { return quantity.Format(v, m.Unit) }

// natural undoes the working scale.
func natural(m method.Measure, x float64) float64 {
	if m.Scale.Logarithmic() {
		return math.Exp(x)
	}
	return x
}

// apart is a distance on the working scale in the measure's words.
func apart(m method.Measure, d float64) say.Difference { return m.Apart(0, d, d, d) }

// typical says a standard deviation in words.
func typical(m method.Measure, sd float64) string {
	if m.Scale.Logarithmic() {
		return quantity.Number(100*sd, 2) + " %"
	}
	return quantity.Format(sd, m.Unit)
}

// repeats pictures a cell's repeats in order with the band in which they were expected.
func repeats(m method.Measure, rs []Repeat, centre, half float64, marked ...int) *Picture {
	p := &Picture{Kind: "repeats", Unit: m.Unit, Marked: marked, X: []float64{}, Y: []float64{},
		Band: &[2]float64{natural(m, centre-half), natural(m, centre+half)}}
	for i, r := range rs {
		p.X, p.Y = append(p.X, float64(i+1)), append(p.Y, r.Value)
	}
	return p
}

func ids(rs []Repeat) []string {
	out := make([]string, len(rs))
	for i, r := range rs {
		out[i] = r.Run
	}
	return out
}

// list writes values with their unit: "4.1, 4.3 and 9.9 s".
func list(m method.Measure, rs []Repeat) string {
	parts := make([]string, len(rs))
	for i, r := range rs {
		parts[i] = quantity.Number(r.Value, 4)
	}
	text := parts[0]
	if n := len(parts); n > 1 {
		text = strings.Join(parts[:n-1], ", ") + " and " + parts[n-1]
	}
	return strings.TrimSpace(text + " " + quantity.Symbol(m.Unit))
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

// lasting tells whether a test is about what a machine holds, so that falling is its subject.
func lasting(t method.Test) bool {
	if t.Analysis == "sustained" || t.Group == "battery" {
		return true
	}
	for _, m := range t.Measures {
		if m.Slug == "sustained" || m.Slug == "after" || m.Slug == "hold" {
			return true
		}
	}
	return false
}
