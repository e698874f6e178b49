package desk

import (
	"context"
	"log/slog"
	"maps"
	"math"
	"runtime/debug"
	"slices"
	"sort"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"

	"durvek/core/compare"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/store"
)

// matrix holds every cell in memory, by measure, so that a comparison costs by what it shows. The
// database stays the truth: a column is read from it when it is first asked for, the others behind the start of the
// service one after the other, and each follows every write. Cells are packed without pointers: a desk of ten years has
// hundreds of thousands.
type matrix struct {
	write    sync.Mutex // held by whoever records, so that cells arrive here in the order of writing
	store    store.Queries
	reading  singleflight.Group // columns on their way from the database
	mu       sync.RWMutex
	columns  map[string]*matrixColumn
	missed   map[string]int // changes of columns that are not here yet
	names    []string       // of units and variants
	numbers  map[string]uint32
	basis    []trust.Basis // by number; cells under the same conditions share one
	bases    map[basisID]uint32
	around   []surroundings
	arounds  map[surroundings]uint32
	revision uint64        // of everything that comparisons read, catalogue included
	listed   uint64        // of the catalogue and the tests alone
	doubted  uint64        // of doubts and failures
	loaded   chan struct{} // closed when every column is here, or none will come any more
	pastsMu  sync.Mutex
	pasts    []past // the newest last
}

type basisID struct {
	version    int
	conditions string // as they are written down
}

// surroundings are what many cells have in common.
type surroundings struct {
	host, place, setup, key, limiter, bound string
	basis                                   uint32
	simulated                               bool
}

// packed is a cell with numbers in place of names.
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

type matrixColumn struct {
	cells    []packed // by variant
	sittings []packedSitting
	waste    int // sittings that no cell refers to any more
	revision uint64
	changes  int // cells that changed since the column was made

	mu    sync.Mutex            // guards what is worked out from the cells
	pools map[int]stats.Pool    // by test version
	rough map[int]roughPool     // the same for rules, which may be a little behind
	kin   map[string]*kinColumn // by setup
}

// past is what every variant had under a setup on a basis when the column was at a revision.
type past struct {
	measure, setup, key string
	revision            uint64
	entries             []ranking.Entry
}

// mostPasts is how many are kept: a past of thousands of variants takes a megabyte.
const mostPasts = 12

type packedSitting struct {
	n        int32
	mean, ss float64
}

// roughPool is a pool as it was when the column had changed so often.
type roughPool struct {
	stats.Pool
	changes int
}

// kinColumn holds each variant's figure under one setup, and the variants in order.
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

func newMatrix(q store.Queries) *matrix {
	return &matrix{store: q, columns: map[string]*matrixColumn{}, missed: map[string]int{}, numbers: map[string]uint32{}, bases: map[basisID]uint32{}, arounds: map[surroundings]uint32{}, revision: 1, loaded: make(chan struct{})}
}

// load reads the columns of all measures behind the start of the service.
func (m *matrix) load(measures []string, stop <-chan struct{}) {
	defer close(m.loaded)
	cells := 0
	for _, id := range measures {
		select {
		case <-stop:
			return
		default:
			c := m.open(id)
			m.mu.RLock()
			cells += len(c.cells)
			m.mu.RUnlock()
		}
	}
	if cells > 10000 {
		debug.FreeOSMemory() // what reading took is not needed again
	}
}

// open gives a measure's column, read from the database if it is not here yet.
func (m *matrix) open(measure string) *matrixColumn {
	m.mu.RLock()
	c := m.columns[measure]
	m.mu.RUnlock()
	if c != nil {
		return c
	}
	got, _, _ := m.reading.Do(measure, func() (any, error) { return m.read(measure), nil })
	return got.(*matrixColumn)
}

// read reads a column while others go on. What was written meanwhile may be missing from it: then it is read again, at last with writers
// waiting.
func (m *matrix) read(measure string) *matrixColumn {
	for try := range 3 {
		m.mu.RLock()
		before := m.missed[measure]
		m.mu.RUnlock()
		if try == 2 {
			m.mu.Lock()
		}
		type written struct {
			e          store.Estimate
			conditions string
		}
		var rows []written
		ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
		err := m.store.Column(ctx, measure, func(e store.Estimate, conditions string) { rows = append(rows, written{e, conditions}) })
		cancel()
		if try < 2 {
			m.mu.Lock()
		}
		c := m.columns[measure]
		if c == nil && (err != nil || try == 2 || m.missed[measure] == before) {
			c = &matrixColumn{revision: m.revision, cells: make([]packed, 0, len(rows))}
			for _, r := range rows {
				m.pack(c, r.e, r.conditions)
			}
			sort.SliceStable(c.cells, func(i, j int) bool { return c.cells[i].variant < c.cells[j].variant })
			c.sittings = slices.Clip(c.sittings)
			c.changes = len(c.cells)
			if err == nil {
				m.columns[measure] = c
				delete(m.missed, measure)
			}
		}
		m.mu.Unlock()
		if err != nil {
			slog.Error("the cells of a measure could not be read; asked again with the next question", "measure", measure, "error", err)
		}
		if c != nil {
			return c
		}
	}
	panic("not reached: the third reading stands")
}

func (m *matrix) number(name string) uint32 {
	n, ok := m.numbers[name]
	if !ok {
		n = uint32(len(m.names))
		m.names, m.numbers[name] = append(m.names, name), n
	}
	return n
}

// pack adds a cell to a column's end. conditions is what is written down of them; "" where only e has them.
func (m *matrix) pack(c *matrixColumn, e store.Estimate, conditions string) {
	if conditions == "" {
		conditions = store.Text(e.Conditions)
	}
	id := basisID{e.TestVersion, conditions}
	b, ok := m.bases[id]
	if !ok {
		if e.Conditions == nil {
			e.Conditions = store.Conditions(conditions)
		}
		b = uint32(len(m.basis))
		m.basis, m.bases[id] = append(m.basis, trust.Basis{TestVersion: e.TestVersion, Conditions: e.Conditions}), b
	}
	x := surroundings{e.Host, e.Place, e.Setup, e.Basis, e.Limiter, e.Cell.Bound, b, e.Simulated}
	around, ok := m.arounds[x]
	if !ok {
		around = uint32(len(m.around))
		m.around, m.arounds[x] = append(m.around, x), around
	}
	p := packed{variant: m.number(e.Variant), unit: m.number(e.Unit), around: around, first: uint32(len(c.sittings)), sittings: uint16(len(e.Cell.Sittings)), scatter: uint16(len(e.Cell.Scatter)),
		bounds: uint16(min(e.Cell.Bounds, math.MaxUint16)), more: e.Cell.HalfWidth != 0 || e.Cell.BoundAt != 0, median: e.Cell.Median, low: e.BestLow, high: e.BestHigh}
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

// cell unpacks the sums of a cell.
func (c *matrixColumn) cell(m *matrix, p *packed) stats.Cell {
	out := stats.Cell{Median: p.median, Bound: m.around[p.around].bound, Bounds: int(p.bounds)}
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
func (m *matrix) unpack(measure string, c *matrixColumn, p *packed) store.Estimate {
	x := &m.around[p.around]
	b := m.basis[x.basis]
	return store.Estimate{CellKey: store.CellKey{Measure: measure, Setup: x.setup, Unit: m.names[p.unit], Host: x.host, Place: x.place, Basis: x.key},
		Variant: m.names[p.variant], Cell: c.cell(m, p), Conditions: b.Conditions, TestVersion: b.TestVersion, Simulated: x.simulated, BestLow: p.low, BestHigh: p.high, Limiter: x.limiter}
}

// index finds a cell in a column; below 0 if it is not there.
func (m *matrix) index(c *matrixColumn, k store.CellKey) int {
	unit, ok := m.numbers[k.Unit]
	if !ok {
		return -1
	}
	return slices.IndexFunc(c.cells, func(p packed) bool {
		x := &m.around[p.around]
		return p.unit == unit && x.setup == k.Setup && x.key == k.Basis && x.host == k.Host && x.place == k.Place
	})
}

// put takes in cells that changed and forgets those that hold nothing any more. Columns that are not here yet are read with them later.
func (m *matrix) put(es []store.Estimate, gone []store.CellKey) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.revision++
	if len(es)+len(gone) == 0 {
		m.doubted++
	}
	for _, k := range gone {
		if c := m.columns[k.Measure]; c == nil {
			m.missed[k.Measure]++
		} else {
			if i := m.index(c, k); i >= 0 {
				c.drop(i)
			}
			c.revision, c.pools, c.rough, c.kin = m.revision, nil, nil, nil
		}
	}
	for _, e := range es {
		c := m.columns[e.Measure]
		if c == nil {
			m.missed[e.Measure]++
			continue
		}
		i := m.index(c, e.CellKey)
		known, before := i >= 0, stats.Cell{}
		if known {
			before = c.cell(m, &c.cells[i])
			c.drop(i)
		}
		m.pack(c, e, "")
		// It was put at the end; its place is behind the others of its variant.
		p := c.cells[len(c.cells)-1]
		at := sort.Search(len(c.cells)-1, func(i int) bool { return c.cells[i].variant > p.variant })
		copy(c.cells[at+1:], c.cells[at:len(c.cells)-1])
		c.cells[at] = p
		c.revision, c.pools = m.revision, nil
		c.changes++
		if k := c.kin[e.Setup]; k != nil {
			if e.Cell.Bound != "" || known && (e.Cell.N() < before.N() || before.Bound != "") {
				delete(c.kin, e.Setup) // another cell may say more now
			} else if k.take(e) {
				i, _ := slices.BinarySearch(k.order, e.Variant)
				k.order = slices.Insert(k.order, i, e.Variant)
			}
		}
		c.tidy()
	}
}

// drop takes a cell out.
func (c *matrixColumn) drop(i int) {
	c.waste += int(c.cells[i].width())
	c.cells = slices.Delete(c.cells, i, i+1)
}

// tidy makes the sittings anew when most of them are waste.
func (c *matrixColumn) tidy() {
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

// bump makes everything that was computed from catalogue and cells stale.
func (m *matrix) bump() {
	m.mu.Lock()
	m.revision++
	m.listed++
	m.mu.Unlock()
}

// touch makes what comparisons show stale without a change of figures or catalogue.
func (m *matrix) touch() {
	m.mu.Lock()
	m.revision++
	m.doubted++
	m.mu.Unlock()
}

// catalogued is the revision of the catalogue and the tests.
func (m *matrix) catalogued() uint64 {
	m.mu.RLock()
	defer m.mu.RUnlock()
	return m.listed
}

// state is what an answer about a measure rests on: the revisions of catalogue, doubts and column.
func (m *matrix) state(measure string) [3]uint64 {
	c := m.open(measure)
	m.mu.RLock()
	defer m.mu.RUnlock()
	return [3]uint64{m.listed, m.doubted, c.revision}
}

// whole is what an answer over many measures rests on: any change of figures, doubts or catalogue.
func (m *matrix) whole() uint64 {
	m.mu.RLock()
	defer m.mu.RUnlock()
	return m.revision
}

// has counts which of some variants have a cell of a measure.
func (m *matrix) has(measure string, variants []string) int {
	c := m.open(measure)
	m.mu.RLock()
	defer m.mu.RUnlock()
	n := 0
	for _, v := range variants {
		if id, ok := m.numbers[v]; ok {
			if i := c.from(id); i < len(c.cells) && c.cells[i].variant == id {
				n++
			}
		}
	}
	return n
}

// from is where the cells of a variant begin.
func (c *matrixColumn) from(variant uint32) int {
	return sort.Search(len(c.cells), func(i int) bool { return c.cells[i].variant >= variant })
}

// history gives, of every variant, the cell with most readings that compares with one: of its setup and basis. What was worked out for one
// is kept for the next who asks about the same.
func (m *matrix) history(measure compare.Measure, like compare.Cell) []ranking.Entry {
	c := m.open(measure.ID)
	m.mu.RLock()
	defer m.mu.RUnlock()
	pool := c.pooled(m, measure)
	c.mu.Lock()
	defer c.mu.Unlock()
	m.pastsMu.Lock()
	i := slices.IndexFunc(m.pasts, func(h past) bool {
		return h.measure == measure.ID && h.setup == like.Setup && h.key == like.Key && h.revision == c.revision
	})
	if i >= 0 {
		defer m.pastsMu.Unlock()
		return m.pasts[i].entries
	}
	m.pastsMu.Unlock()
	var out []ranking.Entry
	for i := range c.cells {
		p := &c.cells[i]
		if x := &m.around[p.around]; x.setup != like.Setup || x.key != like.Key {
			continue
		}
		e := toCell(m.unpack(measure.ID, c, p), pool, measure.Scale)
		if n := len(out); n > 0 && out[n-1].ID == e.Variant {
			if e.Estimate.N > out[n-1].Estimate.N {
				out[n-1].Estimate = e.Estimate
			}
			continue
		}
		out = append(out, ranking.Entry{ID: e.Variant, Estimate: e.Estimate})
	}
	m.pastsMu.Lock()
	defer m.pastsMu.Unlock()
	m.pasts = append(m.pasts[max(0, len(m.pasts)+1-mostPasts):], past{measure.ID, like.Setup, like.Key, c.revision, out})
	return out
}

// column gives a measure's cells, estimated, and the pool behind them.
func (m *matrix) column(measure compare.Measure) ([]compare.Cell, stats.Pool) {
	c := m.open(measure.ID)
	m.mu.RLock()
	defer m.mu.RUnlock()
	pool := c.pooled(m, measure)
	out := make([]compare.Cell, 0, len(c.cells))
	for i := range c.cells {
		out = append(out, toCell(m.unpack(measure.ID, c, &c.cells[i]), pool, measure.Scale))
	}
	return out, pool
}

// of gives the cells of some variants alone, by variant, and the pool behind them.
func (m *matrix) of(measure compare.Measure, variants []string) (map[string][]compare.Cell, stats.Pool) {
	c := m.open(measure.ID)
	m.mu.RLock()
	defer m.mu.RUnlock()
	pool := c.pooled(m, measure)
	out := make(map[string][]compare.Cell, len(variants))
	for _, v := range variants {
		n, ok := m.numbers[v]
		if !ok {
			continue
		}
		for i := c.from(n); i < len(c.cells) && c.cells[i].variant == n; i++ {
			out[v] = append(out[v], toCell(m.unpack(measure.ID, c, &c.cells[i]), pool, measure.Scale))
		}
	}
	return out, pool
}

// variants counts the variants with a cell of a measure.
func (m *matrix) variants(measure string) int {
	c := m.open(measure)
	m.mu.RLock()
	defer m.mu.RUnlock()
	n := 0
	for i := range c.cells {
		if i == 0 || c.cells[i].variant != c.cells[i-1].variant {
			n++
		}
	}
	return n
}

// each hands over every cell of a measure as it is kept.
func (m *matrix) each(measure string, tell func(store.Estimate)) {
	c := m.open(measure)
	m.mu.RLock()
	defer m.mu.RUnlock()
	for i := range c.cells {
		tell(m.unpack(measure, c, &c.cells[i]))
	}
}

// pooled is the pool behind a column's estimates of the measure's test version; the caller holds the matrix's lock.
func (c *matrixColumn) pooled(m *matrix, measure compare.Measure) stats.Pool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if p, ok := c.pools[measure.Version]; ok {
		return p
	}
	d := measure.Def()
	var cells []stats.Cell
	var centre, n float64
	for i := range c.cells {
		if p := &c.cells[i]; m.basis[m.around[p.around].basis].TestVersion == measure.Version {
			cells = append(cells, c.cell(m, p))
			centre += p.median
			n++
		}
	}
	resolution := d.Resolution
	if measure.Scale.Logarithmic() && n > 0 && centre > 0 {
		resolution = math.Log1p(resolution / (centre / n))
	}
	p := stats.NewPool(cells, resolution, d.Repeatability)
	if c.pools == nil {
		c.pools = map[int]stats.Pool{}
	}
	c.pools[measure.Version] = p
	return p
}

// pool is the repeatability of a measure.
func (m *matrix) pool(measure compare.Measure) stats.Pool {
	c := m.open(measure.ID)
	m.mu.RLock()
	defer m.mu.RUnlock()
	return c.pooled(m, measure)
}

// roughly is the same, but where a column is large it may be behind by one cell in a hundred: rules that are asked with every
// run must not count thousands of cells anew each time.
func (m *matrix) roughly(measure compare.Measure) stats.Pool {
	c := m.open(measure.ID)
	m.mu.RLock()
	defer m.mu.RUnlock()
	c.mu.Lock()
	r, ok := c.rough[measure.Version]
	c.mu.Unlock()
	if ok && (c.changes-r.changes)*100 <= len(c.cells) {
		return r.Pool
	}
	p := c.pooled(m, measure)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.rough == nil {
		c.rough = map[int]roughPool{}
	}
	c.rough[measure.Version] = roughPool{p, c.changes}
	return p
}

// take lets a cell stand for its variant if it has most readings, and tells whether the variant is new.
func (k *kinColumn) take(e store.Estimate) (fresh bool) {
	n := e.Cell.N()
	if e.Cell.Bound != "" || e.Cell.Median <= 0 {
		return false
	}
	before, ok := k.figures[e.Variant]
	if ok && (before.n > n || before.n == n && before.basis < e.Basis) {
		return false
	}
	k.figures[e.Variant] = kinCell{math.Log(e.Cell.Median), n, e.Basis, e.Conditions}
	return !ok
}

// cell finds one cell.
func (m *matrix) cell(k store.CellKey) (store.Estimate, bool) {
	c := m.open(k.Measure)
	m.mu.RLock()
	defer m.mu.RUnlock()
	i := m.index(c, k)
	if i < 0 {
		return store.Estimate{}, false
	}
	return m.unpack(k.Measure, c, &c.cells[i]), true
}

// nearby finds the cell of another measure of the same unit under the same setup in the same place; of several, the one
// with most readings.
func (m *matrix) nearby(measure string, at store.CellKey) (store.Estimate, bool) {
	return m.most(measure, at, false)
}

// most is the same, bounds among them if wanted.
func (m *matrix) most(measure string, at store.CellKey, bounds bool) (best store.Estimate, ok bool) {
	c := m.open(measure)
	m.mu.RLock()
	defer m.mu.RUnlock()
	unit, known := m.numbers[at.Unit]
	for i := range c.cells {
		p := &c.cells[i]
		if x := &m.around[p.around]; !known || p.unit != unit || x.setup != at.Setup || x.host != at.Host || x.place != at.Place || x.bound != "" && !bounds {
			continue
		}
		if e := m.unpack(measure, c, p); e.Cell.N() > best.Cell.N() {
			best, ok = e, true
		}
	}
	return best, ok
}

// among gives each variant's figure of a measure under a setup; who records holds the lock under which they stay as they are.
func (m *matrix) among(measure, setup string) *kinColumn {
	c := m.open(measure)
	m.mu.RLock()
	defer m.mu.RUnlock()
	c.mu.Lock()
	defer c.mu.Unlock()
	if k := c.kin[setup]; k != nil {
		return k
	}
	k := &kinColumn{figures: map[string]kinCell{}}
	for i := range c.cells {
		if m.around[c.cells[i].around].setup == setup {
			k.take(m.unpack(measure, c, &c.cells[i]))
		}
	}
	k.order = slices.Sorted(maps.Keys(k.figures))
	if c.kin == nil {
		c.kin = map[string]*kinColumn{}
	}
	c.kin[setup] = k
	return k
}

// find gives the estimate of one unit's cell; if it has several bases, the one with most readings.
func (m *matrix) find(id string, measure compare.Measure, setup, unit, host, place string) (stats.Estimate, bool) {
	if measure.ID != id {
		return stats.Estimate{}, false
	}
	e, ok := m.most(id, store.CellKey{Unit: unit, Setup: setup, Host: host, Place: place}, true)
	if !ok {
		return stats.Estimate{}, false
	}
	return toCell(e, m.pool(measure), measure.Scale).Estimate, true
}

// middles gives the median of every cell of a measure under a setup that is no bound, with its variant and unit.
func (m *matrix) middles(measure compare.Measure, setup string, tell func(variant, unit string, median float64)) {
	c := m.open(measure.ID)
	m.mu.RLock()
	defer m.mu.RUnlock()
	for i := range c.cells {
		p := &c.cells[i]
		if x := &m.around[p.around]; x.setup == setup && x.bound == "" && m.basis[x.basis].TestVersion == measure.Version {
			tell(m.names[p.variant], m.names[p.unit], p.median)
		}
	}
}
