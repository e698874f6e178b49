package figures

import (
	"cmp"
	"context"

	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/stats"
)

// Cells is a matrix of figures: variants by measures.
type Cells struct {
	Variants []string            `json:"variants"`
	Measures []compare.Measure   `json:"measures"`
	Rows     [][]*stats.Estimate `json:"rows" doc:"By variant, then by measure; null where nothing comparable was measured"`
}

// CellsOf gives the comparable figures of variants, or of a field, in measures, or in all that two of them have.
func (f *Figures) CellsOf(ctx context.Context, field string, variants, measures []string, setup string) (Cells, error) {
	d, err := f.look(ctx)
	if err != nil {
		return Cells{}, err
	}
	setup = cmp.Or(setup, method.AsDelivered)
	return kept(d, func(d *sight) (Cells, error) { return d.cellsOf(field, variants, measures, setup) }, "cells", field,
		variants, measures, setup)
}

func (d *sight) cellsOf(field string, variants, measures []string, setup string) (out Cells, err error) {
	out = Cells{Variants: variants, Measures: []compare.Measure{}, Rows: [][]*stats.Estimate{}}
	if _, err := d.setup(setup); err != nil {
		return out, err
	}
	if len(variants) == 0 {
		f, err := d.field(field)
		if err != nil {
			return out, err
		}
		if out.Variants, err = d.membersOf(f); err != nil {
			return out, err
		}
	}
	for _, slug := range variants {
		if _, err := d.variant(slug); err != nil {
			return out, err
		}
	}
	for _, id := range measures {
		m, err := d.measured(id)
		if err != nil {
			return out, err
		}
		out.Measures = append(out.Measures, m)
	}
	if len(measures) == 0 {
		shared, err := d.shared(out.Variants, 2)
		if err != nil {
			return out, err
		}
		out.Measures = append(out.Measures, shared...)
	}
	out.Rows = make([][]*stats.Estimate, len(out.Variants))
	for i := range out.Rows {
		out.Rows[i] = make([]*stats.Estimate, len(out.Measures))
	}
	for k, m := range out.Measures {
		figures, err := d.figures(m, setup, out.Variants)
		if err != nil {
			return out, err
		}
		for i, slug := range out.Variants {
			if e, ok := figures[slug]; ok {
				out.Rows[i][k] = &e
			}
		}
	}
	return out, nil
}
