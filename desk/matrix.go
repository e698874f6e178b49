package desk

import (
	"context"
	"math"
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
}

type matrixColumn struct {
	cells    map[store.CellKey]store.Estimate
	revision uint64
	pool     *stats.Pool
}

func loadMatrix(ctx context.Context, q store.Queries) (*matrix, error) {
	m := &matrix{columns: map[string]*matrixColumn{}, revision: 1}
	all, err := q.Estimates(ctx)
	if err != nil {
		return nil, err
	}
	m.put(all)
	return m, nil
}

func (m *matrix) put(es []store.Estimate) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.revision++
	for _, e := range es {
		c := m.columns[e.Measure]
		if c == nil {
			c = &matrixColumn{cells: map[store.CellKey]store.Estimate{}}
			m.columns[e.Measure] = c
		}
		c.cells[e.CellKey] = e
		c.revision = m.revision
		c.pool = nil
	}
}

// bump makes everything that was computed from catalogue and cells stale.
func (m *matrix) bump() {
	m.mu.Lock()
	m.revision++
	m.mu.Unlock()
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

// pooled is the pool behind a column's estimates; the caller holds the lock.
func (c *matrixColumn) pooled(measure compare.Measure) stats.Pool {
	log := measure.Scale.Logarithmic()
	if c.pool == nil {
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
		if log && n > 0 && centre > 0 {
			resolution = math.Log1p(resolution / (centre / n))
		}
		p := stats.NewPool(cells, resolution, d.Repeatability)
		c.pool = &p
	}
	return *c.pool
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
