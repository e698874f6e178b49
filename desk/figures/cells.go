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
	Without  []Without           `json:"without,omitempty" doc:"Where something was measured and no one figure compares"`
}

// Without says why a variant that was measured has no one figure in a measure.
type Without struct {
	Variant string `json:"variant"`
	Measure string `json:"measure"`
	Why     string `json:"why"`
}

// CellsOf gives the comparable figures of variants, or of a field, in measures, or in all that two of them have.
func (f *Figures) CellsOf(ctx context.Context, field string, variants, measures []string, setup string,
	where ...string) (Cells, error) {
	d, err := f.look(ctx)
	if err != nil {
		return Cells{}, err
	}
	setup = cmp.Or(setup, method.AsDelivered)
	by, err := narrowed(where)
	if err != nil {
		return Cells{}, err
	}
	return kept(
		d,
		func(d *sight) (Cells, error) { return d.cellsOf(field, variants, measures, setup, by) },
		"cells",
		field,
		variants,
		measures,
		setup,
		where,
	)
}

func (d *sight) cellsOf(field string, variants, measures []string, setup string, by narrowing) (out Cells, err error) {
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
		figures, err := d.figures(m, setup, out.Variants, by)
		if err != nil {
			return out, err
		}
		for i, slug := range out.Variants {
			switch f := figures[slug]; {
			case f.Line != nil:
				out.Rows[i][k] = &f.Line.Estimate
			case f.Why != "":
				out.Without = append(out.Without, Without{slug, m.ID, f.Why})
			}
		}
	}
	return out, nil
}
