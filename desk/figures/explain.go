package figures

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/say"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// Between tells what differs between two runs.
func (f *Figures) Between(ctx context.Context, a, b string) (trust.Changed, error) {
	x, err := f.facts(ctx, a)
	if err != nil {
		return trust.Changed{}, err
	}
	y, err := f.facts(ctx, b)
	if err != nil {
		return trust.Changed{}, err
	}
	return trust.Between(x, y), nil
}

func (f *Figures) facts(ctx context.Context, id string) (x trust.Facts, err error) {
	if x.Run, err = f.desk.Store.Run(ctx, id); err != nil {
		return x, desk.Missing(err, "run", id)
	}
	if x.Test, err = f.desk.Store.Test(ctx, x.Run.Test, x.Run.TestVersion); err != nil {
		return x, err
	}
	if x.Setup, err = f.desk.Store.Setup(ctx, x.Run.Setup); err != nil {
		return x, err
	}
	s, err := f.desk.Store.Sitting(ctx, x.Run.Sitting)
	if err != nil {
		return x, err
	}
	x.Machine = s.Machine
	k, err := f.desk.Store.RunCell(ctx, id)
	if err != nil {
		return x, err
	}
	x.Pools = map[string]stats.Pool{}
	for _, m := range x.Test.Measures {
		k.Measure = method.ID(x.Run.Test, m.Slug)
		if x.Pools[m.Slug], err = f.PoolFor(ctx, compare.NewMeasure(x.Test, m), k); err != nil {
			return x, err
		}
	}
	x.Trace, err = f.desk.Store.Trace(ctx, id, 0, 0)
	return x, err
}

// UnitHistory is how a measure of one unit went over time.
type UnitHistory struct {
	Unit    string          `json:"unit"`
	Title   string          `json:"title"`
	Measure compare.Measure `json:"measure"`
	Setup   string          `json:"setup"`
	Lines   []HistoryLine   `json:"lines" doc:"One for each place, host and set of conditions that must match: they are never averaged"`
}

// HistoryLine is how one of a unit's figures went.
type HistoryLine struct {
	Differs string `json:"differs,omitempty" doc:"What sets it apart from the other lines; empty where there are none"`
	Host    string `json:"host,omitempty"`
	Place   string `json:"place,omitempty"`
	trust.History
}

// HistoryAsked says whose history is wanted; the setup is as delivered if empty. Where narrows it.
type HistoryAsked struct {
	Unit, Measure, Setup string
	Where                []string
}

// History tells how a measure of a unit went over its sittings, with lasting changes and what was observed otherwise
// since. Readings that do not count are left out.
func (f *Figures) History(ctx context.Context, q HistoryAsked) (UnitHistory, error) {
	var out UnitHistory
	d, err := f.look(ctx)
	if err != nil {
		return out, err
	}
	m, err := d.measured(q.Measure)
	if err != nil {
		return out, err
	}
	if m.Derived() {
		return out, desk.Refuse(desk.Invalid, "%s is worked out and has no history of its own; look at that of %s",
			m.InSentence(), say.List(d.refs(m)))
	}
	by, err := d.narrowedIn(m, q.Where)
	if err != nil {
		return out, err
	}
	u, err := f.desk.Store.Unit(ctx, q.Unit)
	if err != nil {
		return out, desk.Missing(err, "unit", q.Unit)
	}
	q.Setup = cmp.Or(q.Setup, method.AsDelivered)
	test, slug := method.Split(q.Measure)
	runs, _, err := f.desk.Store.Runs(ctx, store.RunFilter{Subject: q.Unit, Test: test, Setup: q.Setup,
		Outcome: record.Done, Limit: -1})
	if err != nil {
		return out, err
	}
	slices.Reverse(runs)
	out = UnitHistory{Unit: q.Unit, Title: d.variants[u.Variant].FullName(), Measure: m, Setup: q.Setup,
		Lines: []HistoryLine{}}
	mine, pool, err := d.of(m, u.Variant)
	if err != nil {
		return out, err
	}
	mine[u.Variant] = slices.DeleteFunc(under(mine[u.Variant], q.Setup), func(c compare.Cell) bool {
		return c.Unit != q.Unit || c.Basis.TestVersion != m.Version
	})
	by.apply(mine)
	var cells []compare.Cell // in the order of their lines
	for _, l := range compare.Apart(m, mine[u.Variant]) {
		cells = append(cells, l.Cell)
		out.Lines = append(out.Lines, HistoryLine{Differs: l.Differs, Host: l.Host, Place: l.Place})
	}
	moments, err := f.moments(ctx, m, slug, runs, cells)
	if err != nil {
		return out, err
	}
	for i, c := range cells {
		own, err := f.PoolFor(ctx, m, store.CellKey{Measure: m.ID, Setup: c.Setup, Unit: c.Unit, Host: c.Host, Place: c.Place,
			Basis: c.Key})
		if err != nil {
			return out, err
		}
		out.Lines[i].History = trust.HistoryOf(m.Def(), moments[i], own)
	}
	if len(cells) == 0 {
		out.Lines = append(out.Lines, HistoryLine{History: trust.HistoryOf(m.Def(), []trust.Moment{}, pool)})
	}
	return out, nil
}

// moments gathers the sittings of some cells of a unit from its runs, the oldest first.
func (f *Figures) moments(ctx context.Context, m compare.Measure, slug string, runs []record.Run,
	cells []compare.Cell) ([][]trust.Moment, error) {
	out, at := make([][]trust.Moment, len(cells)), make([]map[string]int, len(cells))
	for i := range out {
		out[i], at[i] = []trust.Moment{}, map[string]int{}
	}
	for _, r := range runs {
		x := slices.IndexFunc(r.Readings, func(x record.Reading) bool { return x.Measure == slug && x.State == record.OK })
		if x < 0 || m.Scale.Logarithmic() && r.Readings[x].Value <= 0 || r.TestVersion != m.Version {
			continue
		}
		k, err := f.desk.Store.RunCell(ctx, r.ID)
		if err != nil {
			return nil, err
		}
		i := slices.IndexFunc(cells, func(c compare.Cell) bool {
			return c.Host == k.Host && c.Place == k.Place && c.Key == k.Basis
		})
		if i < 0 {
			continue
		}
		n, seen := at[i][r.Sitting]
		if !seen {
			n = len(out[i])
			at[i][r.Sitting] = n
			conditions := maps.Clone(r.Negotiated)
			if conditions == nil {
				conditions = map[string]string{}
			}
			maps.Copy(conditions, r.Observed)
			out[i] = append(out[i], trust.Moment{Sitting: r.Sitting, At: r.Started, Conditions: conditions, Runs: []string{},
				Values: []float64{}})
		}
		out[i][n].Runs = append(out[i][n].Runs, r.ID)
		out[i][n].Values = append(out[i][n].Values, r.Readings[x].Value)
	}
	return out, nil
}

// Worth tells what single conditions, and single entries of spec sheets, are worth in a measure.
func (f *Figures) Worth(ctx context.Context, measure string, kind catalog.Kind) (compare.Controlled, error) {
	d, err := f.look(ctx)
	if err != nil {
		return compare.Controlled{}, err
	}
	m, ok := d.byID[measure]
	if !ok {
		return compare.Controlled{}, unknownMeasure(measure)
	}
	cells, _, err := d.all(m)
	if err != nil {
		return compare.Controlled{}, err
	}
	subjects, raised := map[string]compare.Subject{}, map[string]bool{}
	cells = slices.DeleteFunc(cells, func(c compare.Cell) bool {
		return kind != "" &&
			d.variants[c.Variant].Model.Kind != kind
	})
	for _, c := range cells {
		subjects[c.Variant] = d.variants[c.Variant].subject()
	}
	for _, s := range d.setups {
		raised[s.Slug] = s.Raised
	}
	return compare.ControlledOf(m, cells, subjects, raised), nil
}

// Why explains the difference between two variants' figures as far as the data carry.
func (f *Figures) Why(ctx context.Context, measure, a, b, setup string) (compare.Why, error) {
	d, err := f.look(ctx)
	if err != nil {
		return compare.Why{}, err
	}
	m, ok := d.byID[measure]
	if !ok {
		return compare.Why{}, unknownMeasure(measure)
	}
	setup = cmp.Or(setup, method.AsDelivered)
	cells, _, err := d.all(m)
	if err != nil {
		return compare.Why{}, err
	}
	find := func(variant string) (best compare.Cell, told map[string]string, err error) {
		x, ok := d.variants[variant]
		if !ok {
			return best, nil, unknown("variant", variant)
		}
		for _, c := range cells {
			if c.Variant == variant && c.Setup == setup && c.Basis.TestVersion == m.Version && c.Estimate.N > best.Estimate.N {
				best = c
			}
		}
		if best.Estimate.N == 0 {
			return best, nil, desk.Refuse(desk.Invalid, "the %s (%s) has no figure in %s under %q", x.FullName(), x.Note,
				m.InSentence(), setup)
		}
		test, _ := method.Split(measure)
		runs, _, err := f.desk.Store.Runs(ctx, store.RunFilter{Subject: best.Unit, Test: test, Setup: setup,
			Outcome: record.Done, Limit: 1})
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
	return compare.WhyOf(m, x, y, d.variants[a].subject(), d.variants[b].subject(), [2]map[string]string{toldX,
		toldY}), nil
}
