package figures

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/stats"
	"durvek/desk"
	"durvek/store"
)

// What the other rooms ask of this one.

// Name tells what a variant is called; the zero Named where it is not known.
func (f *Figures) Name(ctx context.Context, variant string) (desk.Named, error) {
	v, err := f.view(ctx)
	if err != nil {
		return desk.Named{}, err
	}
	x, ok := v.variants[variant]
	if !ok {
		return desk.Named{}, nil
	}
	return desk.Named{Model: x.Model, Name: x.FullName(), Note: x.Note, Origin: x.Origin}, nil
}

// Names tells what everything is called, variants in the catalogue's order, the rest by name. Nothing in it is to be
// changed.
func (f *Figures) Names(ctx context.Context) (desk.Names, error) {
	v, err := f.view(ctx)
	if err != nil {
		return desk.Names{}, err
	}
	out := desk.Names{Setups: v.setups, Fields: v.fields, Variants: make([]desk.Variant, 0, len(v.order))}
	for _, slug := range v.order {
		x := v.variants[slug]
		out.Variants = append(out.Variants, desk.Variant{Slug: slug, Named: desk.Named{Model: x.Model, Name: x.FullName(),
			Note: x.Note, Origin: x.Origin}})
	}
	for _, slug := range desk.SortedKeys(v.tests) {
		out.Tests = append(out.Tests, v.tests[slug])
	}
	return out, nil
}

// Title says what units are called: by their variant, and by their own slug's end where several are of one.
func (f *Figures) Title(ctx context.Context, units []catalog.Unit) error {
	v, err := f.view(ctx)
	if err != nil {
		return err
	}
	of := map[string]int{}
	for _, u := range units {
		of[u.Variant]++
	}
	for i, u := range units {
		x, ok := v.variants[u.Variant]
		if !ok {
			continue
		}
		units[i].Title = x.FullName() + ", " + x.Note
		if of[u.Variant] > 1 {
			units[i].Title += ", unit " + strings.TrimPrefix(u.Slug, u.Variant+"-")
		}
	}
	return nil
}

// Tests gives the newest version of every test, by slug. The map is not to be changed.
func (f *Figures) Tests(ctx context.Context) (map[string]method.Test, error) {
	v, err := f.view(ctx)
	if err != nil {
		return nil, err
	}
	return v.tests, nil
}

// Cell finds one cell as it is kept.
func (f *Figures) Cell(k store.CellKey) (store.Estimate, bool, error) {
	c, err := f.column(k.Measure)
	if err != nil {
		return store.Estimate{}, false, err
	}
	unit, ok := f.number(k.Unit)
	if i := c.find(unit, k); ok && i >= 0 {
		return c.unpack(&c.cells[i]), true, nil
	}
	return store.Estimate{}, false, nil
}

// Nearby finds the cell of another measure of the same unit under the same setup in the same place, with bounds only if
// they are wanted; of several, the one with most readings.
func (f *Figures) Nearby(measure string, at store.CellKey, bounds bool) (best store.Estimate, ok bool, err error) {
	c, err := f.column(measure)
	if err != nil {
		return best, false, err
	}
	unit, known := f.number(at.Unit)
	for i := range c.cells {
		p := &c.cells[i]
		if x := &c.around[p.around]; !known || p.unit != unit || x.setup != at.Setup || x.host != at.Host ||
			x.place != at.Place || x.bound != "" && !bounds {
			continue
		}
		if e := c.unpack(p); e.Cell.N() > best.Cell.N() {
			best, ok = e, true
		}
	}
	return best, ok, nil
}

// Pool is what is known of a measure's noise.
func (f *Figures) Pool(ctx context.Context, m compare.Measure) (stats.Pool, error) {
	e, err := f.estimator(ctx, m)
	if err != nil {
		return stats.Pool{}, err
	}
	return e.pool, nil
}

// PoolFor is the same as it stands for one cell, without what that says itself.
func (f *Figures) PoolFor(ctx context.Context, m compare.Measure, k store.CellKey) (stats.Pool, error) {
	e, err := f.estimator(ctx, m)
	if err != nil {
		return stats.Pool{}, err
	}
	unit, ok := f.number(k.Unit)
	if i := e.c.find(unit, k); ok && i >= 0 {
		return e.pool.For(e.effect(&e.c.cells[i])).Without(e.c.cell(&e.c.cells[i])), nil
	}
	return e.pool, nil
}

func (f *Figures) estimator(ctx context.Context, m compare.Measure) (*estimator, error) {
	s := f.now.Load()
	n, err := f.noise(ctx, s)
	if err != nil {
		return nil, err
	}
	c := s.columns[m.ID]
	if c == nil {
		if c, err = f.column(m.ID); err != nil {
			return nil, err
		}
	}
	return c.estimator(m, n), nil
}

// SoFar gives the estimate of one unit's cell; if it has several bases, the one with most readings.
func (f *Figures) SoFar(ctx context.Context, measure string, at store.CellKey) (stats.Estimate, bool, error) {
	v, err := f.view(ctx)
	if err != nil {
		return stats.Estimate{}, false, err
	}
	m, ok := v.byID[measure]
	if !ok {
		return stats.Estimate{}, false, nil
	}
	e, ok, err := f.Nearby(measure, at, true)
	if !ok || err != nil {
		return stats.Estimate{}, false, err
	}
	d, err := f.look(ctx)
	if err != nil {
		return stats.Estimate{}, false, err
	}
	cells, _, err := d.of(m, e.Variant)
	if err != nil {
		return stats.Estimate{}, false, err
	}
	i := slices.IndexFunc(cells[e.Variant], func(c compare.Cell) bool {
		return c.Unit == e.Unit && c.Host == e.Host && c.Place == e.Place && c.Setup == e.Setup && c.Key == e.Basis
	})
	if i < 0 {
		return stats.Estimate{}, false, nil
	}
	return cells[e.Variant][i].Estimate, true, nil
}

// Expected is what the desk's history leads one to expect of a measure on a unit as delivered: the middle of other
// units of its variant, else of its model's other variants, else of its kind. from says which; "" where there is none.
func (f *Figures) Expected(ctx context.Context, measure, unit, variant string) (value float64, from string, err error) {
	v, err := f.view(ctx)
	if err != nil {
		return 0, "", err
	}
	m, ok := v.byID[measure]
	if !ok {
		return 0, "", nil
	}
	c, err := f.column(measure)
	if err != nil {
		return 0, "", err
	}
	var same, siblings, kin []float64
	own := v.variants[variant].Model
	for i := range c.cells {
		p := &c.cells[i]
		if x := &c.around[p.around]; x.setup != method.AsDelivered || x.bound != "" ||
			c.basis[x.basis].TestVersion != m.Version {
			continue
		}
		name := c.names[p.variant]
		switch other := v.variants[name].Model; {
		case c.names[p.unit] == unit:
		case name == variant:
			same = append(same, p.median)
		case other.Slug == own.Slug && own.Slug != "":
			siblings = append(siblings, p.median)
		case other.Kind == own.Kind:
			kin = append(kin, p.median)
		}
	}
	for _, x := range []struct {
		values []float64
		from   string
	}{{same, "its variant elsewhere"}, {siblings, "its sibling"}, {kin, fmt.Sprintf("middle of %d of its kind",
		len(kin))}} {
		if len(x.values) > 0 {
			return stats.Quantile(x.values, 0.5), x.from, nil
		}
	}
	return 0, "", nil
}

// least is how many a field holds at least before it is a class: the narrowest of those is what a review starts with.
const least = 4

// Subject finds what a review of a variant starts from.
func (f *Figures) Subject(ctx context.Context, variant string) (desk.Subject, error) {
	d, err := f.look(ctx)
	if err != nil {
		return desk.Subject{}, err
	}
	x, err := d.variant(variant)
	if err != nil {
		return desk.Subject{}, err
	}
	out := desk.Subject{Named: desk.Named{Model: x.Model, Name: x.FullName(), Note: x.Note}, Measures: []string{}}
	size := map[string]int{}
	for _, in := range d.fields {
		if in.Slug == everything {
			continue
		}
		// A field that cannot be told, for want of an exchange rate, holds nothing for this purpose.
		if members, err := d.membersOf(in); err == nil && slices.Contains(members, variant) {
			out.Fields = append(out.Fields, in.Slug)
			size[in.Slug] = len(members)
			if !in.ByKind() {
				size[in.Slug] += len(d.order) // those by price, age or chip come behind
			}
			if len(members) < least {
				size[in.Slug] = math.MaxInt
			}
		}
	}
	slices.SortStableFunc(out.Fields, func(a, b string) int { return cmp.Compare(size[a], size[b]) })
	out.Fields = append(out.Fields, everything)
	for _, m := range d.measures {
		cells, _, err := d.of(m, variant)
		if err != nil {
			return out, err
		}
		if slices.ContainsFunc(cells[variant], func(c compare.Cell) bool { return c.Setup == method.AsDelivered }) {
			out.Measures = append(out.Measures, m.ID)
		}
	}
	return out, nil
}

// FieldName is a field's name.
func (f *Figures) FieldName(ctx context.Context, slug string) (string, error) {
	v, err := f.view(ctx)
	if err != nil {
		return "", err
	}
	in, err := v.field(slug)
	return in.Name, err
}

// Known lists every measure.
func (f *Figures) Known(ctx context.Context) ([]compare.Measure, error) {
	v, err := f.view(ctx)
	if err != nil {
		return nil, err
	}
	return v.measures, nil
}
