package figures

import (
	"context"
	"math"
	"slices"
	"strings"

	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/trust"
	"durvek/store"
)

// mostKin and mostBeside bound what is expected of a figure: so many other variants, so many other measures.
const (
	mostKin    = 120
	mostBeside = 16
)

// kinCell is a variant's figure as rules see it: its cell with most readings.
type kinCell struct {
	variant, around uint32
	n               int
	median          float64
}

// among gives the figure of each variant under a setup, by the variants' numbers. It is found anew each time: a pass
// over a column costs less than keeping what it finds in step with every write.
func (c *column) among(setup string) (out []kinCell) {
	var best kinCell
	for i := range c.cells {
		if c.cells[i].variant != best.variant && best.n > 0 {
			out, best = append(out, best), kinCell{}
		}
		c.take(&best, i, setup)
	}
	if best.n > 0 {
		out = append(out, best)
	}
	return out
}

// own gives the figure of one variant under a setup; n is 0 where it has none.
func (c *column) own(variant uint32, setup string) (best kinCell) {
	for i := c.from(variant); i < len(c.cells) && c.cells[i].variant == variant; i++ {
		c.take(&best, i, setup)
	}
	return best
}

// take puts a cell in place of another of its variant if it says more: more readings, or as many on an earlier basis.
func (c *column) take(best *kinCell, i int, setup string) {
	p := &c.cells[i]
	around := &c.around[p.around]
	if around.setup != setup || around.bound != "" || !(p.median > 0) {
		return
	}
	n := c.readings(p)
	if n > best.n || n == best.n && n > 0 && around.key < c.around[best.around].key {
		*best = kinCell{p.variant, p.around, n, p.median}
	}
}

// kinColumn is what one measure says of variants under a setup, on one basis.
type kinColumn struct {
	*column
	setup, basis string
}

// mean is the logarithm of a variant's figure, NaN where it has none on the basis.
func (k kinColumn) mean(variant uint32) float64 {
	x := k.own(variant, k.setup)
	if x.n == 0 || k.around[x.around].key != k.basis {
		return math.NaN()
	}
	return math.Log(x.median)
}

// Kin tells what a variant's kin let expect of one of its figures: variants under the same setup, on the same basis. It
// says nothing of a figure that is comparable with none, or that has fewer than three kin.
func (f *Figures) Kin(ctx context.Context, m compare.Measure, at store.CellKey, variant string,
	conditions map[string]string) (trust.Kin, error) {
	basis := trust.Basis{TestVersion: m.Version, Conditions: conditions}
	if len(trust.Comparable(basis, basis, m.MustMatch)) > 0 {
		return trust.Kin{}, nil // it is comparable with nothing
	}
	v, err := f.view(ctx)
	if err != nil {
		return trust.Kin{}, err
	}
	c, err := f.column(m.ID)
	if err != nil {
		return trust.Kin{}, err
	}
	number, _ := f.number(variant)
	columns, own := []kinColumn{{c, at.Setup, at.Basis}}, []float64{math.NaN()}
	for _, other := range v.measures {
		if other.Group != m.Group || !other.Scale.Logarithmic() || other.ID == m.ID || len(columns) > mostBeside {
			continue
		}
		c, err := f.column(other.ID)
		if err != nil {
			return trust.Kin{}, err
		}
		if x := c.own(number, at.Setup); x.n > 0 {
			columns = append(columns, kinColumn{c, at.Setup, c.around[x.around].key})
			own = append(own, math.Log(x.median))
		}
	}
	// Other figures tell a phone from a desktop; without them only products of the same kind can be kin.
	alike := len(columns) < 3
	kind := v.variants[variant].Model.Kind
	var kin []uint32 // the first by name, in that order
	byName := func(x, y uint32) int { return strings.Compare(c.names[x], c.names[y]) }
	for _, x := range c.among(at.Setup) {
		if x.variant == number || c.around[x.around].key != at.Basis ||
			alike && v.variants[c.names[x.variant]].Model.Kind != kind ||
			len(kin) == mostKin && byName(x.variant, kin[mostKin-1]) > 0 {
			continue
		}
		i, _ := slices.BinarySearchFunc(kin, x.variant, byName)
		kin = slices.Insert(kin, i, x.variant)
		kin = kin[:min(len(kin), mostKin)]
	}
	if len(kin) < 3 {
		return trust.Kin{}, nil
	}
	rows := make([][]float64, len(kin))
	for i := range rows {
		rows[i] = make([]float64, len(columns))
		for k, column := range columns {
			rows[i][k] = column.mean(kin[i])
		}
	}
	return trust.KinOf(own, rows, 0), nil
}

// Versions counts, for every condition that must match and that holds a version, how many other variants were
// measured with which.
func (f *Figures) Versions(m compare.Measure, setup, variant string,
	conditions map[string]string) (map[string]map[string]int, error) {
	c, err := f.column(m.ID)
	if err != nil {
		return nil, err
	}
	out, figures := map[string]map[string]int{}, c.among(setup)
	for _, k := range m.MustMatch {
		if !strings.ContainsAny(conditions[k], "0123456789") || !method.IsVersion(k) {
			continue
		}
		out[k] = map[string]int{}
		for _, x := range figures {
			if value := c.basis[c.around[x.around].basis].Conditions[k]; value != "" && c.names[x.variant] != variant {
				out[k][value]++
			}
		}
	}
	return out, nil
}
