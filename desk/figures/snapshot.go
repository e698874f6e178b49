package figures

import (
	"context"
	"maps"
	"math"
	"slices"
	"sort"
	"sync"
	"time"

	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/store"
)

func cloned[V any](m map[string]V) map[string]V {
	out := maps.Clone(m)
	if out == nil {
		out = map[string]V{}
	}
	return out
}

// tables hold what many cells have in common, by number. They only grow, so that a column may keep the ones of its day.
type tables struct {
	names  []string // of units and variants
	basis  []trust.Basis
	around []surroundings
}

type basisID struct {
	version    int
	conditions string // as they are written down
}

// surroundings are what many cells have in common.
type surroundings struct {
	host, place, setup, key, bound string
	limiter                        record.LimiterLabel
	basis                          uint32
	simulated                      bool
}

// packed is a cell with numbers in place of names: a desk of ten years has hundreds of thousands of them.
type packed struct {
	variant, unit, around     uint32
	first                     uint32 // where its sittings begin in the column's; behind them those of its scatter, and what few cells have
	sittings, scatter, bounds uint16
	more                      bool // one more entry holds the half-width of its readings' ranges and where its bound is
	median, low, high         float64
}

// width is how many of the column's entries belong to the cell.
func (p *packed) width() uint32 {
	n := uint32(p.sittings) + uint32(p.scatter)
	if p.more {
		n++
	}
	return n
}

type packedSitting struct {
	n        int32
	mean, ss float64
}

// column holds the cells of a measure, by variant. It never changes: the next one is made of it. What is worked out
// from its cells is kept under its lock.
type column struct {
	tables
	measure  string
	cells    []packed
	sittings []packedSitting // the next column goes on behind them
	waste    int             // sittings that no cell refers to any more

	mu     sync.Mutex
	pools  map[int]pooled // by test version
	grains map[int]stats.Grain
}

// column gives a measure's column, read from the database if it is not here yet. A failed read is an error each time.
func (f *Figures) column(measure string) (*column, error) {
	if c := f.now.Load().columns[measure]; c != nil {
		return c, nil
	}
	got, err, _ := f.reading.Do("cells "+measure, func() (any, error) { return f.read(measure) })
	if err != nil {
		return nil, err
	}
	return got.(*column), nil
}

// written is a cell as it was read.
type written struct {
	e          store.Estimate
	conditions string
}

// read reads a column while others go on. What was written meanwhile may be missing from it: then it is read again, at
// last with writers waiting.
func (f *Figures) read(measure string) (*column, error) {
	for try := 0; ; try++ {
		c, err := f.tryRead(measure, try == 2)
		if c != nil || err != nil {
			return c, err
		}
	}
}

// tryRead is one try; nil where something was written meanwhile.
func (f *Figures) tryRead(measure string, waiting bool) (*column, error) {
	if waiting {
		f.mu.Lock()
		defer f.mu.Unlock()
	}
	before := f.missing(measure, waiting)
	var rows []written
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	if err := f.desk.Store.Column(ctx, measure, func(e store.Estimate, conditions string) {
		rows = append(rows,
			written{e, conditions})
	}); err != nil {
		return nil, err
	}
	if !waiting {
		f.mu.Lock()
		defer f.mu.Unlock()
	}
	s := *f.now.Load()
	if c := s.columns[measure]; c != nil {
		return c, nil
	}
	if f.missed[measure] != before {
		return nil, nil
	}
	c := &column{measure: measure, cells: make([]packed, 0, len(rows))}
	for _, r := range rows {
		c.pack(f, &s.told, r.e, r.conditions)
	}
	sort.SliceStable(c.cells, func(i, j int) bool { return c.cells[i].variant < c.cells[j].variant })
	c.sittings, c.tables = slices.Clip(c.sittings), s.told
	s.columns = cloned(s.columns)
	s.columns[measure] = c
	delete(f.missed, measure)
	f.next(s)
	return c, nil
}

func (f *Figures) missing(measure string, held bool) int {
	if !held {
		f.mu.RLock()
		defer f.mu.RUnlock()
	}
	return f.missed[measure]
}

// name gives a name its number; mu is held.
func (f *Figures) name(t *tables, name string) uint32 {
	n, ok := f.numbers[name]
	if !ok {
		n = uint32(len(t.names))
		t.names, f.numbers[name] = append(t.names, name), n
	}
	return n
}

// pack adds a cell to a column's end; mu is held. conditions is what is written down of them; "" where only e has them.
func (c *column) pack(f *Figures, t *tables, e store.Estimate, conditions string) {
	if conditions == "" {
		conditions = store.Text(e.Conditions)
	}
	id := basisID{e.TestVersion, conditions}
	b, ok := f.bases[id]
	if !ok {
		if e.Conditions == nil {
			e.Conditions = store.Conditions(conditions)
		}
		b = uint32(len(t.basis))
		t.basis, f.bases[id] = append(t.basis, trust.Basis{TestVersion: e.TestVersion, Conditions: e.Conditions}), b
	}
	x := surroundings{e.Host, e.Place, e.Setup, e.Basis, e.Cell.Bound, e.Limiter, b, e.Simulated}
	around, ok := f.arounds[x]
	if !ok {
		around = uint32(len(t.around))
		t.around, f.arounds[x] = append(t.around, x), around
	}
	p := packed{variant: f.name(t, e.Variant), unit: f.name(t, e.Unit), around: around, first: uint32(len(c.sittings)),
		sittings: uint16(len(e.Cell.Sittings)), scatter: uint16(len(e.Cell.Scatter)), bounds: uint16(min(e.Cell.Bounds,
			math.MaxUint16)),
		more: e.Cell.HalfWidth != 0 || e.Cell.BoundAt != 0, median: e.Cell.Median, low: e.BestLow, high: e.BestHigh}
	for _, list := range [][]stats.Sitting{e.Cell.Sittings, e.Cell.Scatter} {
		for _, s := range list {
			c.sittings = append(c.sittings, packedSitting{int32(s.N), s.Mean, s.SS})
		}
	}
	if p.more {
		c.sittings = append(c.sittings, packedSitting{0, e.Cell.HalfWidth, e.Cell.BoundAt})
	}
	c.cells = append(c.cells, p)
}

// edit is what changes in a column at once.
type edit struct {
	put  []store.Estimate
	gone []store.CellKey
}

// edited makes the column that follows; was is the noise before. mu is held.
func (f *Figures) edited(old *column, e *edit, t *tables, was *noise) *column {
	c := &column{tables: *t, measure: old.measure, sittings: old.sittings, waste: old.waste}
	c.cells = append(make([]packed, 0, len(old.cells)+len(e.put)), old.cells...)
	var gone, come []packed
	for _, k := range e.gone {
		unit, ok := f.numbers[k.Unit]
		if i := c.find(unit, k); ok && i >= 0 {
			gone = append(gone, c.cells[i])
			c.drop(i)
		}
	}
	for _, x := range e.put {
		unit, ok := f.numbers[x.Unit]
		i := c.find(unit, x.CellKey)
		if ok && i >= 0 {
			gone = append(gone, c.cells[i])
			c.drop(i)
		}
		c.pack(f, t, x, "")
		c.tables = *t
		// It was put at the end; its place is behind the others of its variant.
		p := c.cells[len(c.cells)-1]
		at := sort.Search(len(c.cells)-1, func(i int) bool { return c.cells[i].variant > p.variant })
		copy(c.cells[at+1:], c.cells[at:len(c.cells)-1])
		c.cells[at] = p
		come = append(come, p)
	}
	c.follow(old, was, gone, come)
	c.tidy()
	return c
}

// drop takes a cell out of a column that is being made.
func (c *column) drop(i int) {
	c.waste += int(c.cells[i].width())
	c.cells = slices.Delete(c.cells, i, i+1)
}

// tidy makes the sittings anew when most of them are waste.
func (c *column) tidy() {
	if c.waste < 64 || c.waste*2 < len(c.sittings) {
		return
	}
	fresh := make([]packedSitting, 0, len(c.sittings)-c.waste)
	for i := range c.cells {
		p := &c.cells[i]
		old := c.sittings[p.first : p.first+p.width()]
		p.first = uint32(len(fresh))
		fresh = append(fresh, old...)
	}
	c.sittings, c.waste = fresh, 0
}

// cell unpacks the sums of a cell.
func (c *column) cell(p *packed) stats.Cell {
	out := stats.Cell{Median: p.median, Bound: c.around[p.around].bound, Bounds: int(p.bounds)}
	if p.more {
		last := c.sittings[p.first+p.width()-1]
		out.HalfWidth, out.BoundAt = last.mean, last.ss
	}
	take := func(from uint32, n uint16) []stats.Sitting {
		if n == 0 {
			return nil
		}
		out := make([]stats.Sitting, n)
		for i, s := range c.sittings[from : from+uint32(n)] {
			out[i] = stats.Sitting{N: int(s.n), Mean: s.mean, SS: s.ss}
		}
		return out
	}
	out.Sittings, out.Scatter = take(p.first, p.sittings), take(p.first+uint32(p.sittings), p.scatter)
	return out
}

// unpack gives a cell as the database has it.
func (c *column) unpack(p *packed) store.Estimate {
	x := &c.around[p.around]
	b := c.basis[x.basis]
	return store.Estimate{CellKey: store.CellKey{Measure: c.measure, Setup: x.setup, Unit: c.names[p.unit], Host: x.host,
		Place: x.place, Basis: x.key},
		Variant: c.names[p.variant], Cell: c.cell(p), Conditions: b.Conditions, TestVersion: b.TestVersion,
		Simulated: x.simulated,
		BestLow:   p.low, BestHigh: p.high, Limiter: x.limiter}
}

// find finds a cell of a unit; below 0 if it is not there.
func (c *column) find(unit uint32, k store.CellKey) int {
	return slices.IndexFunc(c.cells, func(p packed) bool {
		x := &c.around[p.around]
		return p.unit == unit && x.setup == k.Setup && x.key == k.Basis && x.host == k.Host && x.place == k.Place
	})
}

// from is where the cells of a variant begin.
func (c *column) from(variant uint32) int {
	return sort.Search(len(c.cells), func(i int) bool { return c.cells[i].variant >= variant })
}

// each hands over every cell as it is kept.
func (c *column) each(tell func(store.Estimate)) {
	for i := range c.cells {
		tell(c.unpack(&c.cells[i]))
	}
}

// variants counts the variants with a cell.
func (c *column) variants() int {
	n := 0
	for i := range c.cells {
		if i == 0 || c.cells[i].variant != c.cells[i-1].variant {
			n++
		}
	}
	return n
}
