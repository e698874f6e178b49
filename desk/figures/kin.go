package figures

import (
	"cmp"
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
	mean            float64 // logarithm
}

// among gives the figure of each variant under a setup, by the variants' numbers. It is found anew each time: a pass
// over a column costs less than keeping what it finds in step with every write.
func (c *column) among(setup string) []kinCell {
	var out []kinCell
	for i := range c.cells {
		out = c.take(out, i, setup)
	}
	return out
}

// own gives the figure of one variant under a setup.
func (c *column) own(variant uint32, setup string) (kinCell, bool) {
	var out []kinCell
	for i := c.from(variant); i < len(c.cells) && c.cells[i].variant == variant; i++ {
		out = c.take(out, i, setup)
	}
	if len(out) == 0 {
		return kinCell{}, false
	}
	return out[0], true
}

// take adds a cell, or puts it in place of the last of the same variant if it says more: more readings, or as many on
// an earlier basis.
func (c *column) take(out []kinCell, i int, setup string) []kinCell {
	p := &c.cells[i]
	around := &c.around[p.around]
	if around.setup != setup || around.bound != "" || !(p.median > 0) {
		return out
	}
	x := kinCell{variant: p.variant, around: p.around, mean: math.Log(p.median)}
	for _, s := range c.sittings[p.first : p.first+uint32(p.sittings)] {
		x.n += int(s.n)
	}
	k := len(out) - 1
	if k < 0 || out[k].variant != x.variant {
		return append(out, x)
	}
	if x.n > out[k].n || x.n == out[k].n && around.key < c.around[out[k].around].key {
		out[k] = x
	}
	return out
}

// kinColumn is what one measure says of variants on one basis.
type kinColumn struct {
	cells []kinCell
	c     *column
	basis string
}

// mean is a variant's figure, NaN where it has none on the basis.
func (k kinColumn) mean(variant uint32) float64 {
	i, ok := slices.BinarySearchFunc(k.cells, variant, func(x kinCell, v uint32) int { return cmp.Compare(x.variant, v) })
	if !ok || k.c.around[k.cells[i].around].key != k.basis {
		return math.NaN()
	}
	return k.cells[i].mean
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
	target := kinColumn{c.among(at.Setup), c, at.Basis}
	columns, own := []kinColumn{target}, []float64{math.NaN()}
	for _, other := range v.measures {
		if other.Group != m.Group || !other.Scale.Logarithmic() || other.ID == m.ID || len(columns) > mostBeside {
			continue
		}
		c, err := f.column(other.ID)
		if err != nil {
			return trust.Kin{}, err
		}
		if x, ok := c.own(number, at.Setup); ok {
			columns, own = append(columns, kinColumn{c.among(at.Setup), c, c.around[x.around].key}), append(own, x.mean)
		}
	}
	// Other figures tell a phone from a desktop; without them only products of the same kind can be kin.
	alike := len(columns) < 3
	kind := v.variants[variant].Model.Kind
	var kin []uint32
	for _, x := range target.cells {
		if x.variant != number && c.around[x.around].key == at.Basis &&
			(!alike || v.variants[c.names[x.variant]].Model.Kind == kind) {
			kin = append(kin, x.variant)
		}
	}
	if len(kin) < 3 {
		return trust.Kin{}, nil
	}
	slices.SortFunc(kin, func(a, b uint32) int { return strings.Compare(c.names[a], c.names[b]) })
	rows := make([][]float64, min(len(kin), mostKin))
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
