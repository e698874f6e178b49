package desk

import (
	"cmp"
	"context"
	"slices"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/store"
)

// Between tells what differs between two runs.
func (d *Desk) Between(ctx context.Context, a, b string) (trust.Changed, error) {
	x, err := d.facts(ctx, a)
	if err != nil {
		return trust.Changed{}, err
	}
	y, err := d.facts(ctx, b)
	if err != nil {
		return trust.Changed{}, err
	}
	return trust.Between(x, y), nil
}

func (d *Desk) facts(ctx context.Context, id string) (f trust.Facts, err error) {
	if f.Run, err = d.store.Run(ctx, id); err != nil {
		return f, missing(err, "run", id)
	}
	if f.Test, err = d.store.Test(ctx, f.Run.Test, f.Run.TestVersion); err != nil {
		return f, err
	}
	if f.Setup, err = d.store.Setup(ctx, f.Run.Setup); err != nil {
		return f, err
	}
	if s, err := d.store.Sitting(ctx, f.Run.Sitting); err == nil {
		f.Machine = s.Machine
	}
	f.Pools = map[string]stats.Pool{}
	for _, m := range f.Test.Measures {
		f.Pools[m.Slug] = d.matrix.pool(compare.NewMeasure(f.Test, m))
		if k, err := d.store.RunCell(ctx, id); err == nil { // its own ups and downs are what is asked about
			k.Measure = method.ID(f.Run.Test, m.Slug)
			if e, ok := d.matrix.cell(k); ok {
				f.Pools[m.Slug] = f.Pools[m.Slug].Without(e.Cell)
			}
		}
	}
	f.Trace, err = d.store.Trace(ctx, id, 0, 0)
	return f, err
}

// UnitHistory is how a measure of one unit went over time.
type UnitHistory struct {
	Unit    string          `json:"unit"`
	Title   string          `json:"title"`
	Measure compare.Measure `json:"measure"`
	Setup   string          `json:"setup"`
	Host    string          `json:"host,omitempty"`
	Place   string          `json:"place,omitempty"`
	trust.History
}

// HistoryAsked says whose history is wanted; the setup is as delivered if empty.
type HistoryAsked struct{ Unit, Measure, Setup, Host, Place string }

// History tells how a measure of a unit went over its sittings, with lasting changes and what was observed otherwise
// since. Readings that do not count are left out.
func (d *Desk) History(ctx context.Context, q HistoryAsked) (UnitHistory, error) {
	var out UnitHistory
	v, err := d.view(ctx)
	if err != nil {
		return out, err
	}
	m, ok := v.byID[q.Measure]
	if !ok {
		return out, refuse(NotFound, "no measure %q is known; `durvek measure list` shows them", q.Measure)
	}
	u, err := d.store.Unit(ctx, q.Unit)
	if err != nil {
		return out, missing(err, "unit", q.Unit)
	}
	q.Setup = cmp.Or(q.Setup, method.AsDelivered)
	test, slug := method.Split(q.Measure)
	runs, _, err := d.store.Runs(ctx, store.RunFilter{Subject: q.Unit, Test: test, Setup: q.Setup, Outcome: "done", Limit: -1})
	if err != nil {
		return out, err
	}
	slices.Reverse(runs)
	out = UnitHistory{Unit: q.Unit, Title: v.variants[u.Variant].FullName(), Measure: m, Setup: q.Setup, Host: q.Host, Place: q.Place}
	at := map[string]int{}
	moments := []trust.Moment{}
	var cells []store.CellKey
	for _, r := range runs {
		if r.Host != q.Host || r.Place != q.Place || r.TestVersion != m.Version {
			continue
		}
		i := slices.IndexFunc(r.Readings, func(x record.Reading) bool { return x.Measure == slug && x.State == record.OK })
		if i < 0 || m.Scale.Logarithmic() && r.Readings[i].Value <= 0 {
			continue
		}
		cell, err := d.store.RunCell(ctx, r.ID)
		if err != nil {
			return out, err
		}
		if cell.Measure = q.Measure; !slices.Contains(cells, cell) {
			cells = append(cells, cell)
		}
		k, seen := at[r.Sitting]
		if !seen {
			k = len(moments)
			at[r.Sitting] = k
			conditions := map[string]string{}
			for _, told := range []map[string]string{r.Negotiated, r.Observed} {
				for key, value := range told {
					conditions[key] = value
				}
			}
			moments = append(moments, trust.Moment{Sitting: r.Sitting, At: r.Started, Conditions: conditions, Runs: []string{}, Values: []float64{}})
		}
		moments[k].Runs = append(moments[k].Runs, r.ID)
		moments[k].Values = append(moments[k].Values, r.Readings[i].Value)
	}
	pool := d.matrix.pool(m)
	for _, k := range cells {
		if e, ok := d.matrix.cell(k); ok { // its own ups and downs are what is asked about
			pool = pool.Without(e.Cell)
		}
	}
	out.History = trust.HistoryOf(m.Def(), moments, pool)
	return out, nil
}

// Worth tells what single conditions, and single entries of spec sheets, are worth in a measure.
func (d *Desk) Worth(ctx context.Context, measure string, kind catalog.Kind) (compare.Controlled, error) {
	v, err := d.view(ctx)
	if err != nil {
		return compare.Controlled{}, err
	}
	m, ok := v.byID[measure]
	if !ok {
		return compare.Controlled{}, refuse(NotFound, "no measure %q is known; `durvek measure list` shows them", measure)
	}
	cells, _ := d.matrix.column(m)
	subjects, raised := map[string]compare.Subject{}, map[string]bool{}
	cells = slices.DeleteFunc(cells, func(c compare.Cell) bool { return kind != "" && v.variants[c.Variant].Model.Kind != kind })
	for _, c := range cells {
		subjects[c.Variant] = v.variants[c.Variant].subject()
	}
	for _, s := range v.setups {
		raised[s.Slug] = s.Raised
	}
	return compare.ControlledOf(m, cells, subjects, raised), nil
}

// Why explains the difference between two variants' figures as far as the data carry.
func (d *Desk) Why(ctx context.Context, measure, a, b, setup string) (compare.Why, error) {
	v, err := d.view(ctx)
	if err != nil {
		return compare.Why{}, err
	}
	m, ok := v.byID[measure]
	if !ok {
		return compare.Why{}, refuse(NotFound, "no measure %q is known; `durvek measure list` shows them", measure)
	}
	setup = cmp.Or(setup, method.AsDelivered)
	cells, _ := d.matrix.column(m)
	find := func(variant string) (best compare.Cell, told map[string]string, err error) {
		x, ok := v.variants[variant]
		if !ok {
			return best, nil, refuse(NotFound, "no variant %q is known", variant)
		}
		for _, c := range cells {
			if c.Variant == variant && c.Setup == setup && c.Basis.TestVersion == m.Version && c.Estimate.N > best.Estimate.N {
				best = c
			}
		}
		if best.Estimate.N == 0 {
			return best, nil, refuse(Invalid, "the %s (%s) has no figure in %s under %q", x.FullName(), x.Note, m.InSentence(), setup)
		}
		test, _ := method.Split(measure)
		runs, _, err := d.store.Runs(ctx, store.RunFilter{Subject: best.Unit, Test: test, Setup: setup, Outcome: "done", Limit: 1})
		if err == nil && len(runs) > 0 {
			told = runs[0].Negotiated
		}
		return best, told, err
	}
	x, toldX, err := find(a)
	if err != nil {
		return compare.Why{}, err
	}
	y, toldY, err := find(b)
	if err != nil {
		return compare.Why{}, err
	}
	return compare.WhyOf(m, x, y, v.variants[a].subject(), v.variants[b].subject(), [2]map[string]string{toldX, toldY}), nil
}
