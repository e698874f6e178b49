package figures

import (
	"context"
	"slices"
	"sort"
	"sync"

	"durvek/core/compare"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/store"
)

// read holds what a question, with all that it asks in turn, has read of the database once.
type read struct {
	mu     sync.Mutex
	doubts map[string][]store.OpenDoubt // open ones, by test; nil before they were read
}

// column gives a measure's column, unless nobody waits for the answer any more: a question that reads many ends here.
func (d *sight) column(measure string) (*column, error) {
	if d.ctx.Err() != nil {
		return nil, context.Cause(d.ctx)
	}
	d.uses.note(cellsOf(measure))
	if c := d.snap.columns[measure]; c != nil {
		return c, nil
	}
	return d.f.column(measure)
}

// of gives the cells of some variants, estimated, and the pool behind them.
func (d *sight) of(measure compare.Measure, variants ...string) (map[string][]compare.Cell, stats.Pool, error) {
	if measure.Derived() {
		out, err := d.derived(measure, variants)
		return out, noNoise, err
	}
	c, err := d.column(measure.ID)
	if err != nil {
		return nil, stats.Pool{}, err
	}
	e, err := d.estimator(c, measure)
	if err != nil {
		return nil, stats.Pool{}, err
	}
	out := make(map[string][]compare.Cell, len(variants))
	for _, v := range variants {
		if d.variants[v].Origin != "" {
			if cells := d.cells(measure.ID, v); cells != nil {
				out[v] = cells
			}
			continue
		}
		n, ok := d.f.number(v)
		if !ok {
			continue
		}
		for i := c.from(n); i < len(c.cells) && c.cells[i].variant == n; i++ {
			out[v] = append(out[v], e.figure(&c.cells[i]))
			d.uses.note(noiseOf(c.names[c.cells[i].unit]))
		}
	}
	return out, e.pool, nil
}

// estimator begins to make a column's cells into figures.
func (d *sight) estimator(c *column, m compare.Measure) (*estimator, error) {
	d.uses.note(anyNoise)
	n, err := d.f.noise(d.ctx, d.snap)
	if err != nil {
		return nil, err
	}
	e := c.estimator(m, n)
	e.hosts = d.hosts
	return e, nil
}

// all gives a measure's cells, estimated, and the pool behind them.
func (d *sight) all(measure compare.Measure) ([]compare.Cell, stats.Pool, error) {
	if measure.Derived() {
		out, err := d.derivedAll(measure)
		return out, noNoise, err
	}
	c, err := d.column(measure.ID)
	if err != nil {
		return nil, stats.Pool{}, err
	}
	e, err := d.estimator(c, measure)
	if err != nil {
		return nil, stats.Pool{}, err
	}
	d.uses.note(unitNoises)
	out := make([]compare.Cell, 0, len(c.cells))
	for i := range c.cells {
		out = append(out, e.figure(&c.cells[i]))
	}
	return out, e.pool, nil
}

// has counts which of some variants have a cell of a measure.
func (d *sight) has(measure string, variants []string) (int, error) {
	if m := d.byID[measure]; m.Derived() {
		by, err := d.derived(m, variants)
		return len(by), err
	}
	c, err := d.column(measure)
	if err != nil {
		return 0, err
	}
	n := 0
	for _, v := range variants {
		if len(d.foreign[measure][v]) > 0 {
			n++
		} else if id, ok := d.f.number(v); ok {
			if i := c.from(id); i < len(c.cells) && c.cells[i].variant == id {
				n++
			}
		}
	}
	return n, nil
}

// shared lists the measures that at least so many of some variants have a cell of.
func (d *sight) shared(variants []string, least int) ([]compare.Measure, error) {
	var out []compare.Measure
	for _, m := range d.measures {
		n, err := d.has(m.ID, variants)
		if err != nil {
			return nil, err
		}
		if n >= least {
			out = append(out, m)
		}
	}
	return out, nil
}

// openDoubts gives the open doubts about a test.
func (d *sight) openDoubts(test string) ([]store.OpenDoubt, error) {
	d.uses.note(doubtsOf(test))
	d.read.mu.Lock()
	defer d.read.mu.Unlock()
	if d.read.doubts == nil {
		open, err := d.f.desk.Store.OpenDoubts(d.ctx)
		if err != nil {
			return nil, err
		}
		d.read.doubts = map[string][]store.OpenDoubt{}
		for _, x := range open {
			d.read.doubts[x.Test] = append(d.read.doubts[x.Test], x)
		}
	}
	return d.read.doubts[test], nil
}

// failures tells by variant how often a test failed or could not be run under a setup.
func (d *sight) failures(test, setup string) (map[string]store.Failure, error) {
	d.uses.note(runsOf(test))
	list, err := d.f.desk.Store.Failures(d.ctx, test, setup)
	out := map[string]store.Failure{}
	for _, f := range list {
		out[f.Variant] = f
	}
	return out, err
}

// lost tells by variant why readings of a measure under a setup are no figures: the newest that is void, else missing.
func (d *sight) lost(test, measure, setup string) (map[string]store.Lost, error) {
	d.uses.note(runsOf(test))
	list, err := d.f.desk.Store.Lost(d.ctx, test, measure, setup)
	out := map[string]store.Lost{}
	for _, l := range list {
		if l.State == record.Void || out[l.Variant].State != record.Void {
			out[l.Variant] = l
		}
	}
	return out, err
}

// history gives, of every variant, the figure that compares with one: of its setup and basis, at its place and in its
// host where the variant has that, else each that it has.
func (d *sight) history(measure compare.Measure, like compare.Cell) ([]ranking.Entry, error) {
	return kept(d, func(d *sight) ([]ranking.Entry, error) {
		var out []ranking.Entry
		var mine []compare.Cell
		flush := func() {
			rows := compare.Lines(measure, mine)
			if i := slices.IndexFunc(rows, func(l compare.Line) bool {
				return l.Place == like.Place &&
					l.Host == like.Host
			}); i >= 0 {
				rows = rows[i : i+1]
			}
			for _, l := range rows {
				id := l.Variant
				if len(rows) > 1 {
					id += " · " + l.Differs
				}
				out = append(out, ranking.Entry{ID: id, Estimate: l.Estimate})
			}
			mine = mine[:0]
		}
		err := d.alike(measure, like, func(c compare.Cell) {
			if len(mine) > 0 && mine[0].Variant != c.Variant {
				flush()
			}
			mine = append(mine, c)
		})
		flush()
		return out, err
	}, "history", measure.ID, like.Setup, like.Key, like.Place, like.Host)
}

// alike goes through a measure's cells of the setup and basis of one, variant by variant.
func (d *sight) alike(measure compare.Measure, like compare.Cell, take func(compare.Cell)) error {
	if measure.Derived() {
		cells, err := d.derivedAll(measure)
		for _, c := range cells {
			if c.Setup == like.Setup && c.Key == like.Key {
				take(c)
			}
		}
		return err
	}
	c, err := d.column(measure.ID)
	if err != nil {
		return err
	}
	make, err := d.estimator(c, measure)
	if err != nil {
		return err
	}
	d.uses.note(unitNoises)
	for i := range c.cells {
		p := &c.cells[i]
		if x := &c.around[p.around]; x.setup == like.Setup && x.key == like.Key {
			take(make.figure(p))
		}
	}
	return nil
}

// figures gives the comparable figures of variants in a measure under a setup, one each, or why there is none.
func (d *sight) figures(m compare.Measure, setup string, variants []string, by narrowing) (map[string]compare.Figure,
	error) {
	byVariant, _, err := d.of(m, variants...)
	if err != nil {
		return nil, err
	}
	by.apply(byVariant)
	var field []compare.Competitor
	for _, slug := range variants {
		field = append(field, compare.Competitor{Variant: slug, Cells: under(byVariant[slug], setup)})
	}
	return compare.Figures(m, field), nil
}

// under keeps the cells of a setup, in order.
func under(cells []compare.Cell, setup string) []compare.Cell {
	out := slices.DeleteFunc(slices.Clone(cells), func(c compare.Cell) bool { return c.Setup != setup })
	sortCells(out)
	return out
}

func sortCells(cells []compare.Cell) {
	sort.Slice(cells, func(i, j int) bool {
		a, b := cells[i], cells[j]
		return a.Unit+"\x00"+a.Host+"\x00"+a.Place < b.Unit+"\x00"+b.Host+"\x00"+b.Place
	})
}

// measured finds a measure of a test.
func (v *view) measured(id string) (compare.Measure, error) {
	m, ok := v.byID[id]
	if !ok {
		return m, unknownMeasure(id)
	}
	return m, nil
}
