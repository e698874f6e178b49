package desk

import (
	"context"
	"maps"
	"math"
	"slices"
	"sync"

	"durvek/core/compare"
	"durvek/core/stats"
	"durvek/store"
)

// matrix holds every cell in memory, by measure, so that a comparison costs by what it shows. The
// database stays the truth: the matrix is loaded from it and follows each write.
type matrix struct {
	write    sync.Mutex // held by whoever records, so that cells arrive here in the order of writing
	mu       sync.RWMutex
	columns  map[string]*matrixColumn
	revision uint64 // of everything that comparisons read, catalogue included
	listed   uint64 // of the catalogue and the tests alone
}

type matrixColumn struct {
	cells    map[store.CellKey]store.Estimate
	revision uint64
	pools    map[int]stats.Pool // by test version
	rough    map[int]roughPool  // the same for rules, which may be a little behind
	changes  int                // cells that changed since the column was made
	kin      map[string]*kinColumn
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

func loadMatrix(ctx context.Context, q store.Queries) (*matrix, error) {
	m := &matrix{columns: map[string]*matrixColumn{}, revision: 1}
	all, err := q.Estimates(ctx)
	if err != nil {
		return nil, err
	}
	m.put(all, nil)
	return m, nil
}

// put takes in cells that changed and forgets those that hold nothing any more.
func (m *matrix) put(es []store.Estimate, gone []store.CellKey) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.revision++
	for _, k := range gone {
		if c := m.columns[k.Measure]; c != nil {
			delete(c.cells, k)
			c.revision, c.pools, c.rough, c.kin = m.revision, nil, nil, nil
		}
	}
	for _, e := range es {
		c := m.columns[e.Measure]
		if c == nil {
			c = &matrixColumn{cells: map[store.CellKey]store.Estimate{}}
			m.columns[e.Measure] = c
		}
		before, known := c.cells[e.CellKey]
		c.cells[e.CellKey] = e
		c.revision, c.pools = m.revision, nil
		c.changes++
		if k := c.kin[e.Setup]; k != nil {
			if e.Cell.Bound != "" || known && (e.Cell.N() < before.Cell.N() || before.Cell.Bound != "") {
				delete(c.kin, e.Setup) // another cell may say more now
			} else if k.take(e) {
				i, _ := slices.BinarySearch(k.order, e.Variant)
				k.order = slices.Insert(k.order, i, e.Variant)
			}
		}
	}
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
	m.mu.Unlock()
}

// catalogued is the revision of the catalogue and the tests.
func (m *matrix) catalogued() uint64 {
	m.mu.RLock()
	defer m.mu.RUnlock()
	return m.listed
}

// at is the revision of all that comparisons read.
func (m *matrix) at() uint64 {
	m.mu.RLock()
	defer m.mu.RUnlock()
	return m.revision
}

// column gives a measure's cells of its newest test version, estimated, and the pool behind them.
func (m *matrix) column(measure compare.Measure) ([]compare.Cell, stats.Pool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	c := m.columns[measure.ID]
	if c == nil {
		return nil, stats.Pool{}
	}
	out := make([]compare.Cell, 0, len(c.cells))
	pool := c.pooled(measure)
	for _, e := range c.cells {
		out = append(out, toCell(e, pool, measure.Scale.Logarithmic()))
	}
	return out, pool
}

// pooled is the pool behind a column's estimates of the measure's test version; the caller holds the lock.
func (c *matrixColumn) pooled(measure compare.Measure) stats.Pool {
	if p, ok := c.pools[measure.Version]; ok {
		return p
	}
	d := measure.Def()
	var cells []stats.Cell
	var centre, n float64
	for _, e := range c.cells {
		if e.TestVersion == measure.Version {
			cells = append(cells, e.Cell)
			centre += e.Cell.Median
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
	m.mu.Lock()
	defer m.mu.Unlock()
	c := m.columns[measure.ID]
	if c == nil {
		return stats.NewPool(nil, 0, measure.Def().Repeatability)
	}
	return c.pooled(measure)
}

// roughly is the same, but where a column is large it may be behind by one cell in a hundred: rules that are asked with every
// run must not count thousands of cells anew each time.
func (m *matrix) roughly(measure compare.Measure) stats.Pool {
	m.mu.Lock()
	defer m.mu.Unlock()
	c := m.columns[measure.ID]
	if c == nil {
		return stats.NewPool(nil, 0, measure.Def().Repeatability)
	}
	if p, ok := c.rough[measure.Version]; ok && (c.changes-p.changes)*100 < len(c.cells) {
		return p.Pool
	}
	if c.rough == nil {
		c.rough = map[int]roughPool{}
	}
	c.rough[measure.Version] = roughPool{c.pooled(measure), c.changes}
	return c.rough[measure.Version].Pool
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
	m.mu.RLock()
	defer m.mu.RUnlock()
	c := m.columns[k.Measure]
	if c == nil {
		return store.Estimate{}, false
	}
	e, ok := c.cells[k]
	return e, ok
}

// nearby finds the cell of another measure of the same unit under the same setup in the same place; of several, the one
// with most readings.
func (m *matrix) nearby(measure string, at store.CellKey) (best store.Estimate, ok bool) {
	m.mu.RLock()
	defer m.mu.RUnlock()
	if c := m.columns[measure]; c != nil {
		for k, e := range c.cells {
			if k.Unit == at.Unit && k.Setup == at.Setup && k.Host == at.Host && k.Place == at.Place && e.Cell.Bound == "" && e.Cell.N() > best.Cell.N() {
				best, ok = e, true
			}
		}
	}
	return best, ok
}

// among gives each variant's figure of a measure under a setup; who records holds the lock under which they stay as they are.
func (m *matrix) among(measure, setup string) *kinColumn {
	m.mu.Lock()
	defer m.mu.Unlock()
	c := m.columns[measure]
	if c == nil {
		return &kinColumn{}
	}
	if k := c.kin[setup]; k != nil {
		return k
	}
	k := &kinColumn{figures: map[string]kinCell{}}
	for key, e := range c.cells {
		if key.Setup == setup {
			k.take(e)
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
	m.mu.Lock()
	defer m.mu.Unlock()
	var best stats.Estimate
	c := m.columns[id]
	if c == nil {
		return best, false
	}
	for k, e := range c.cells {
		if k.Setup == setup && k.Unit == unit && k.Host == host && k.Place == place {
			if x := toCell(e, c.pooled(measure), measure.Scale.Logarithmic()).Estimate; x.N > best.N {
				best = x
			}
		}
	}
	return best, best.N > 0
}

// middles gives the median of every cell of a measure under a setup that is no bound, with its variant and unit.
func (m *matrix) middles(measure compare.Measure, setup string, tell func(variant, unit string, median float64)) {
	m.mu.RLock()
	defer m.mu.RUnlock()
	if c := m.columns[measure.ID]; c != nil {
		for k, e := range c.cells {
			if k.Setup == setup && e.Cell.Bound == "" && e.TestVersion == measure.Version {
				tell(e.Variant, k.Unit, e.Cell.Median)
			}
		}
	}
}
