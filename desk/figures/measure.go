package figures

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/core/stats"
	"durvek/core/trust"
)

// Measures lists every measure with how many variants have a figure.
func (f *Figures) Measures(ctx context.Context) ([]compare.Measure, error) {
	d, err := f.look(ctx)
	if err != nil {
		return nil, err
	}
	out := slices.Clone(d.measures)
	for i := range out {
		if out[i].Variants, err = d.variantsIn(out[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// variantsIn counts the variants with a figure in a measure.
func (d *sight) variantsIn(m compare.Measure) (int, error) {
	if m.Derived() {
		return d.has(m.ID, d.order)
	}
	c, err := d.column(m.ID)
	if err != nil {
		return 0, err
	}
	return c.variants() + len(d.foreign[m.ID]), nil
}

// MeasurePage is a measure with its repeatability at this desk.
type MeasurePage struct {
	Measure compare.Measure `json:"measure"`
	Pool    stats.Pool      `json:"pool"`
	Good    string          `json:"good" doc:"What one run is good to, in a sentence"`
	Tunings []trust.Tuning  `json:"tunings" doc:"Doubt rules that are changed for its test"`
	Cells   []compare.Cell  `json:"cells"`
}

// Measure finds a measure with its pool and every cell.
func (f *Figures) Measure(ctx context.Context, id string) (MeasurePage, error) {
	d, err := f.look(ctx)
	if err != nil {
		return MeasurePage{}, err
	}
	m, err := d.measured(id)
	if err != nil {
		return MeasurePage{}, err
	}
	if m.Variants, err = d.variantsIn(m); err != nil {
		return MeasurePage{}, err
	}
	cells, pool, err := d.all(m)
	if err != nil {
		return MeasurePage{}, err
	}
	slices.SortFunc(cells, func(a, b compare.Cell) int {
		return cmp.Or(cmp.Compare(a.Variant, b.Variant), cmp.Compare(a.Setup, b.Setup), cmp.Compare(a.Unit, b.Unit),
			cmp.Compare(a.Host, b.Host), cmp.Compare(a.Place, b.Place), cmp.Compare(a.Key, b.Key))
	})
	said := good(m, pool)
	if m.Derived() {
		said = say.Sentence("Worked out: " + d.madeOf(m))
	}
	p := MeasurePage{Measure: m, Pool: pool, Good: said, Cells: cells, Tunings: []trust.Tuning{}}
	tunings, err := f.desk.Store.Tunings(ctx)
	test, _ := method.Split(id)
	for _, t := range tunings {
		if t.Test == "" || t.Test == test {
			p.Tunings = append(p.Tunings, t)
		}
	}
	return p, err
}

// good says what one run of a measure is good to.
func good(m compare.Measure, p stats.Pool) string {
	if !p.Known() {
		return "Nothing is known of how it repeats yet: two repeats on any machine tell more."
	}
	half := p.First()
	text := quantity.Format(half, m.Unit)
	if m.Scale.Logarithmic() {
		text = quantity.Number(100*half, 2) + " %"
	}
	out := fmt.Sprintf("One run of this test is good to ± %s", text)
	switch {
	case p.Typical:
		out += ", by the value that ships with it; the desk's own runs say little yet"
	default:
		out += fmt.Sprintf(", by %.0f degrees of freedom, %.0f of them this desk's own", p.DF, p.Own)
	}
	if p.Own >= 20 && p.Unlike > 0.35 {
		out += "; cells differ in how noisy they are, so single ones may be wider"
	}
	if p.Between > 0 {
		between := quantity.Format(p.Between, m.Unit)
		if m.Scale.Logarithmic() {
			between = quantity.Number(100*p.Between, 2) + " %"
		}
		out += fmt.Sprintf("; from one sitting to the next it moves by a standard deviation of %s", between)
	}
	return out + "."
}
