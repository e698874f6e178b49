package figures

import (
	"context"
	"maps"
	"math"
	"slices"
	"strings"

	"durvek/core/compare"
	"durvek/core/trust"
	"durvek/store"
)

// mostKin and mostBeside bound what is expected of a figure: so many other variants, so many other measures.
const (
	mostKin    = 120
	mostBeside = 16
)

// kinColumn holds each variant's figure under one setup, and the variants in order. It never changes.
type kinColumn struct {
	figures map[string]kinCell
	order   []string
}

// kinCell is a variant's figure as rules see it: the cell with most readings.
type kinCell struct {
	mean       float64 // logarithm
	n          int
	basis      string
	conditions map[string]string
}

// among gives each variant's figure under a setup.
func (c *column) among(setup string) *kinColumn {
	c.mu.Lock()
	defer c.mu.Unlock()
	if k := c.kin[setup]; k != nil {
		return k
	}
	k := &kinColumn{figures: map[string]kinCell{}}
	for i := range c.cells {
		if c.around[c.cells[i].around].setup == setup {
			k.take(c.unpack(&c.cells[i]))
		}
	}
	k.order = slices.Sorted(maps.Keys(k.figures))
	if c.kin == nil {
		c.kin = map[string]*kinColumn{}
	}
	c.kin[setup] = k
	return k
}

// take lets a cell stand for its variant if it has most readings, and tells whether it changed anything.
func (k *kinColumn) take(e store.Estimate) bool {
	n := e.Cell.N()
	if e.Cell.Bound != "" || e.Cell.Median <= 0 {
		return false
	}
	before, ok := k.figures[e.Variant]
	if ok && (before.n > n || before.n == n && before.basis < e.Basis) {
		return false
	}
	k.figures[e.Variant] = kinCell{math.Log(e.Cell.Median), n, e.Basis, e.Conditions}
	return true
}

// with is the same with a cell that changed.
func (k *kinColumn) with(e store.Estimate) *kinColumn {
	out := &kinColumn{figures: maps.Clone(k.figures), order: k.order}
	if !out.take(e) {
		return k
	}
	if len(out.figures) > len(k.figures) {
		i, _ := slices.BinarySearch(k.order, e.Variant)
		out.order = slices.Insert(slices.Clone(k.order), i, e.Variant)
	}
	return out
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
	target := c.among(at.Setup)
	columns := []map[string]kinCell{target.figures}
	own := []float64{math.NaN()}
	bases := []string{at.Basis}
	for _, other := range v.measures {
		if other.Group != m.Group || !other.Scale.Logarithmic() || other.ID == m.ID || len(columns) > mostBeside {
			continue
		}
		c, err := f.column(other.ID)
		if err != nil {
			return trust.Kin{}, err
		}
		column := c.among(at.Setup).figures
		if x, ok := column[variant]; ok {
			columns, own, bases = append(columns, column), append(own, x.mean), append(bases, x.basis)
		}
	}
	// Other figures tell a phone from a desktop; without them only products of the same kind can be kin.
	alike := len(columns) < 3
	kind := v.variants[variant].Model.Kind
	var names []string
	for _, name := range target.order {
		if name != variant && target.figures[name].basis == at.Basis && (!alike || v.variants[name].Model.Kind == kind) {
			names = append(names, name)
		}
		if len(names) == mostKin {
			break
		}
	}
	if len(names) < 3 {
		return trust.Kin{}, nil
	}
	rows := make([][]float64, len(names))
	for i, name := range names {
		rows[i] = make([]float64, len(columns))
		for k, column := range columns {
			rows[i][k] = math.NaN()
			if x, ok := column[name]; ok && x.basis == bases[k] {
				rows[i][k] = x.mean
			}
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
	out := map[string]map[string]int{}
	for _, k := range m.MustMatch {
		if !strings.ContainsAny(conditions[k], "0123456789") || strings.HasPrefix(k, "option.") {
			continue
		}
		out[k] = map[string]int{}
		for v, x := range c.among(setup).figures {
			if v != variant && x.conditions[k] != "" {
				out[k][x.conditions[k]]++
			}
		}
	}
	return out, nil
}
