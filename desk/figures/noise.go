package figures

import (
	"bytes"
	"context"
	"encoding/gob"
	"fmt"
	"log/slog"
	"maps"
	"math"
	"slices"
	"sync"
	"sync/atomic"

	"durvek/core/compare"
	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/desk"
)

// noise is how noisy tests and units are, as fitted to a snapshot's cells. It does not change.
type noise struct {
	stats.Noise
	units map[uint32]unitNoise
	moved uint64 // the revision in which any unit's effect last was another
	// fit tells fits apart; within one, a unit's effect may have moved since, in the revision that it has.
	fit      uint64
	revision uint64
	cells    int // that it was fitted to, when that was
	readings int // that there were when it was kept
	changes  int // since the fit
}

type unitNoise struct {
	sum     *stats.UnitNoise
	counted float64 // the effect under which its cells stand in their tests' pools
	moved   uint64  // the revision in which that was last another
	earlier []moved // what it was before, the newest last
}

// moved is an effect as it was until a revision.
type moved struct {
	until   uint64
	counted float64
}

// mostMoves bounds how many earlier effects of a unit are kept.
const mostMoves = 8

// at gives the effect as it was in a revision; false where that is not known any more.
func (u unitNoise) at(revision uint64) (float64, bool) {
	if u.moved <= revision {
		return u.counted, true
	}
	for i := len(u.earlier) - 1; i >= 0; i-- {
		if i == 0 || u.earlier[i-1].until <= revision {
			return u.earlier[i].counted, i > 0 || len(u.earlier) < mostMoves
		}
	}
	return 0, false
}

// fewCells is how large a desk may be that is fitted anew after each write: that takes some milliseconds. On a larger
// one only the units that a write touches are, and everything again when one cell in a hundred has changed.
const fewCells = 1000

// noiseThen is the noise of a snapshot, worked out when it is first asked for.
type noiseThen struct {
	mu   sync.Mutex // held while it is worked out
	done atomic.Pointer[noise]
}

func done(n *noise) *noiseThen {
	out := &noiseThen{}
	out.done.Store(n)
	return out
}

// noise gives the noise of a snapshot. Before all cells are here it is the one that was kept, if there is one.
func (f *Figures) noise(ctx context.Context, s *snapshot) (*noise, error) {
	n := s.noise
	if x := n.done.Load(); x != nil {
		return x, nil
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	if x := n.done.Load(); x != nil {
		return x, nil
	}
	select {
	case <-f.loaded:
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	v, err := f.view(ctx)
	if err != nil {
		return nil, err
	}
	columns, err := f.all(v, s)
	if err != nil {
		return nil, err
	}
	x := fitted(v, s.revision, columns)
	n.done.Store(x)
	return x, nil
}

// all gives every column that a measure of the catalogue has, those that nobody asked for yet among them.
func (f *Figures) all(v *view, s *snapshot) (map[string]*column, error) {
	columns := cloned(s.columns)
	for id := range v.byID {
		if columns[id] != nil {
			continue
		}
		c, err := f.column(id)
		if err != nil {
			return nil, err
		}
		columns[id] = c
	}
	return columns, nil
}

// testKey names a measure of a version of its test.
func testKey(measure string, version int) string { return fmt.Sprintf("%s@%d", measure, version) }

// noisy tells whether a measure's readings scatter at all; marks and checks do not.
func noisy(m compare.Measure) bool { return m.Scale != quantity.Grade && m.Scale != quantity.Pass }

// fitted fits everything anew.
func fitted(v *view, revision uint64, columns map[string]*column) *noise {
	tests := map[string]stats.Scatters{}
	out := &noise{units: map[uint32]unitNoise{}, fit: revision, revision: revision}
	count := uint32(0)
	for _, id := range slices.Sorted(maps.Keys(columns)) {
		c := columns[id]
		out.cells += len(c.cells)
		m, ok := v.byID[id]
		if !ok || !noisy(m) {
			continue
		}
		grains := map[int]stats.Grain{}
		for i := range c.cells {
			p := &c.cells[i]
			version := c.version(p)
			g, ok := grains[version]
			if !ok {
				g = c.grain(m, version)
				grains[version] = g
			}
			key := testKey(id, version)
			t, ok := tests[key]
			if !ok {
				t.Typical = m.Def().Repeatability
			}
			if nu, y, ok := stats.ScatterOf(c.cell(p), g, m.Scale.Logarithmic()); ok {
				t.Cells = append(t.Cells, stats.Scatter{Unit: p.unit, Nu: nu, Y: y})
				count = max(count, p.unit+1)
			}
			tests[key] = t
		}
	}
	var sums []stats.UnitNoise
	out.Noise, sums = stats.FitNoise(tests, int(count))
	for _, t := range tests {
		for _, c := range t.Cells {
			if _, ok := out.units[c.Unit]; !ok {
				sum := sums[c.Unit]
				out.units[c.Unit] = unitNoise{sum: &sum, counted: out.Effect(&sum, nil).Counted, moved: revision}
			}
		}
	}
	return out
}

// touch fits some units anew, the tests as they were, and tells which of them moved. touched names them with their
// variants.
func (n *noise) touch(v *view, revision uint64, columns map[string]*column, touched map[uint32]uint32) (*noise,
	[]uint32) {
	var moves []uint32
	out := *n
	out.revision = revision
	out.units = maps.Clone(n.units)
	for unit, variant := range touched {
		sum, said := stats.UnitNoise{}, false
		for id, c := range columns {
			m, ok := v.byID[id]
			if !ok || !noisy(m) {
				continue
			}
			for i := c.from(variant); i < len(c.cells) && c.cells[i].variant == variant; i++ {
				if p := &c.cells[i]; p.unit == unit {
					said = c.tell(p, m, &out.Noise, &sum, 1) || said
				}
			}
		}
		was, known := out.units[unit]
		if !said {
			delete(out.units, unit)
			continue
		}
		now := was
		now.sum = &sum
		if e := out.Effect(&sum, nil); !known || math.Abs(e.Counted-was.counted) > 0.05 {
			now.counted, now.moved, out.moved = e.Counted, revision, revision
			now.earlier = append(slices.Clone(was.earlier), moved{revision, was.counted})
			now.earlier = now.earlier[max(0, len(now.earlier)-mostMoves):]
			moves = append(moves, unit)
		}
		out.units[unit] = now
	}
	return &out, moves
}

// tell counts a cell in what its unit's cells say; false if it says nothing.
func (c *column) tell(p *packed, m compare.Measure, n *stats.Noise, sum *stats.UnitNoise, times float64) bool {
	version := c.version(p)
	nu, y, ok := stats.ScatterOf(c.cell(p), c.grain(m, version), m.Scale.Logarithmic())
	if ok {
		n.Count(sum, testKey(c.measure, version), nu, y, times)
	}
	return ok
}

func (c *column) version(p *packed) int { return c.basis[c.around[p.around].basis].TestVersion }

func (c *column) readings(p *packed) (n int) {
	for _, s := range c.sittings[p.first : p.first+uint32(p.sittings)] {
		n += int(s.n)
	}
	return n
}

// settle says what a write does to the noise: parts that changed, and the noise that follows, which a small desk finds
// anew. mu is held.
func (f *Figures) settle(s *snapshot, touched map[uint32]uint32, changes int) []string {
	n := s.noise.done.Load()
	if f.refitting {
		maps.Copy(f.touched, touched)
	}
	if n == nil || n.cells <= f.few || s.catalogue == nil {
		s.noise = &noiseThen{}
		return []string{anyNoise}
	}
	next, moves := n.touch(s.catalogue, f.now.Load().revision+1, s.columns, touched)
	next.changes += changes
	s.noise = done(next)
	if next.changes*100 > next.cells && !f.refitting {
		f.refitting, f.touched = true, map[uint32]uint32{}
		go f.refit()
	}
	var parts []string
	for _, u := range moves {
		parts = append(parts, noiseOf(s.told.names[u]))
	}
	if len(moves) > 0 {
		parts = append(parts, unitNoises)
	}
	return parts
}

// refit fits everything anew behind a large desk's work.
func (f *Figures) refit() {
	s := f.now.Load()
	v, err := f.view(context.Background())
	var columns map[string]*column
	if err == nil {
		columns, err = f.all(v, s)
	}
	var n *noise
	if err == nil {
		n = fitted(v, s.revision, columns)
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.refitting = false
	if err != nil {
		slog.Error("how noisy tests and machines are could not be found anew; the last stands", "error", err)
		return
	}
	next := *f.now.Load()
	n, _ = n.touch(v, next.revision+1, next.columns, f.touched)
	next.noise = done(n)
	f.next(next, anyNoise)
}

// Parts of answers that rest on how noisy machines are: anyNoise changes with a new fit, noiseOf with one unit's effect
// and unitNoises with any unit's.
const (
	anyNoise   = "noise"
	unitNoises = "noise of units"
)

func noiseOf(unit string) string { return "noise of " + unit }

// pooled is a pool as it was made from a column under a noise.
type pooled struct {
	stats.Pool
	grain    stats.Grain
	fit      uint64
	revision uint64 // of the noise
}

// moving brings a pool over to a later noise of the same fit, in which some units of the column stand otherwise; false
// where it must be made anew.
func (p pooled) moving(c *column, version int, n *noise) (pooled, bool) {
	if p.fit != n.fit || p.revision > n.revision {
		return p, false
	}
	if n.moved > p.revision {
		var out, in []stats.Sample
		for i := range c.cells {
			x := &c.cells[i]
			u := n.units[x.unit]
			if u.moved <= p.revision || c.version(x) != version {
				continue
			}
			was, ok := u.at(p.revision)
			if !ok {
				return p, false
			}
			cell := c.cell(x)
			out, in = append(out, stats.Sample{Cell: cell, Unit: was}), append(in, stats.Sample{Cell: cell, Unit: u.counted})
		}
		if 4*len(in) > len(c.cells) {
			return p, false
		}
		if len(in) > 0 {
			p.Pool = p.Changed(out, in)
		}
	}
	p.revision = n.revision
	return p, true
}

// follow brings pools and grains over to the column that follows, where that costs less than making them anew; was is
// the noise that they were made under. gone and come are the cells that differ.
func (c *column) follow(old *column, was *noise, gone, come []packed) {
	old.mu.Lock()
	defer old.mu.Unlock()
	fits := func(version int, g stats.Grain) bool {
		pool, known := old.pools[version]
		return !slices.ContainsFunc(come, func(p packed) bool {
			return c.version(&p) == version && !(g.Fits(p.low) && g.Fits(p.high)) && !(known && pool.Fine(p.median))
		})
	}
	c.grains = map[int]stats.Grain{}
	for version, g := range old.grains {
		if fits(version, g) {
			c.grains[version] = g
		}
	}
	c.pools = map[int]pooled{}
	for version, p := range old.pools {
		if was == nil || !fits(version, p.grain) {
			continue
		}
		p, ok := p.moving(old, version, was)
		if !ok {
			continue
		}
		samples := func(cells []packed) (out []stats.Sample) {
			for _, x := range cells {
				if c.version(&x) == version {
					out = append(out, stats.Sample{Cell: c.cell(&x), Unit: was.units[x.unit].counted})
				}
			}
			return out
		}
		p.Pool = p.Changed(samples(gone), samples(come))
		c.pools[version] = p
	}
}

// pool is what is known of the noise of a measure's test version.
func (c *column) pool(m compare.Measure, n *noise) stats.Pool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if p, ok := c.pools[m.Version]; ok {
		if p, ok = p.moving(c, m.Version, n); ok {
			c.pools[m.Version] = p
			return p.Pool
		}
	}
	d := m.Def()
	p := pooled{grain: c.grainOf(m, m.Version), fit: n.fit, revision: n.revision}
	var cells []stats.Sample
	for i := range c.cells {
		if x := &c.cells[i]; c.version(x) == m.Version {
			cells = append(cells, stats.Sample{Cell: c.cell(x), Unit: n.units[x.unit].counted})
		}
	}
	p.Pool = stats.PoolOf(cells, p.grain, m.Scale.Logarithmic(), n.Prior(testKey(m.ID, m.Version), d.Repeatability))
	if c.pools == nil {
		c.pools = map[int]pooled{}
	}
	c.pools[m.Version] = p
	return p.Pool
}

// grain is how finely the readings of a test version are told.
func (c *column) grain(m compare.Measure, version int) stats.Grain {
	c.mu.Lock()
	defer c.mu.Unlock()
	if g, ok := c.grains[version]; ok {
		return g
	}
	g := c.grainOf(m, version)
	if c.grains == nil {
		c.grains = map[int]stats.Grain{}
	}
	c.grains[version] = g
	return g
}

// grainOf finds it from each cell's lowest and highest reading; mu is held.
func (c *column) grainOf(m compare.Measure, version int) stats.Grain {
	var readings []float64
	for i := range c.cells {
		p := &c.cells[i]
		if c.version(p) != version || c.around[p.around].bound != "" {
			continue
		}
		readings = append(readings, p.low)
		if c.readings(p) > 1 {
			readings = append(readings, p.high)
		}
	}
	return stats.GrainOf(readings, m.Def().Resolution)
}

// estimator makes the cells of a column into figures.
type estimator struct {
	c       *column
	m       compare.Measure
	n       *noise
	pool    stats.Pool
	effects map[uint32]stats.Effect
}

func (c *column) estimator(m compare.Measure, n *noise) *estimator {
	return &estimator{c, m, n, c.pool(m, n), map[uint32]stats.Effect{}}
}

// effect is how noisy a unit is by its other tests.
func (e *estimator) effect(p *packed) stats.Effect {
	out, ok := e.effects[p.unit]
	if u := e.n.units[p.unit]; !ok && noisy(e.m) {
		var own stats.UnitNoise
		for i := e.c.from(p.variant); i < len(e.c.cells) && e.c.cells[i].variant == p.variant; i++ {
			if x := &e.c.cells[i]; x.unit == p.unit && u.sum != nil {
				e.c.tell(x, e.m, &e.n.Noise, &own, 1)
			}
		}
		sum := u.sum
		if sum == nil {
			sum = &stats.UnitNoise{}
		}
		out = e.n.Effect(sum, &own)
		out.Counted = u.counted
		e.effects[p.unit] = out
	}
	return out
}

// figure estimates a cell on its measure's scale.
func (e *estimator) figure(p *packed) compare.Cell {
	x := e.c.unpack(p)
	out := compare.Cell{Variant: x.Variant, Unit: x.Unit, Host: x.Host, Place: x.Place, Setup: x.Setup,
		Basis: e.c.basis[e.c.around[p.around].basis], Best: [2]float64{x.BestLow, x.BestHigh}, Simulated: x.Simulated,
		Limiter: x.Limiter, Key: x.Basis}
	switch e.m.Scale {
	case quantity.Grade:
		out.Estimate = stats.Graded(x.Cell)
	case quantity.Pass:
		out.Estimate = stats.Passed(x.Cell)
	default:
		out.Estimate = e.pool.For(e.effect(p)).Estimate(x.Cell, e.m.Scale.Logarithmic())
	}
	return out
}

// keptNoise is how a large desk's noise is kept from one start to the next.
type keptNoise struct {
	Noise           stats.Noise
	Units           map[string]stats.UnitNoise
	Counted         map[string]float64
	Cells, Readings int
}

// keep writes down what would take long to find again; nothing where that is not so.
func (f *Figures) keep(ctx context.Context) error {
	s := f.now.Load()
	n := s.noise.done.Load()
	if n == nil || n.cells <= f.few {
		return nil
	}
	out := keptNoise{Noise: n.Noise, Units: map[string]stats.UnitNoise{}, Counted: map[string]float64{}}
	out.Cells, out.Readings = s.counts()
	for u, x := range n.units {
		out.Units[s.told.names[u]], out.Counted[s.told.names[u]] = *x.sum, x.counted
	}
	var b bytes.Buffer
	if err := gob.NewEncoder(&b).Encode(out); err != nil {
		return err
	}
	return f.desk.Write(ctx, func(q *desk.Tx) error { return q.PutNoise(ctx, b.Bytes()) })
}

// kept gives what an earlier start wrote down; nil where that is nothing, or was not written by this program.
func (f *Figures) kept(ctx context.Context, t *tables) *noise {
	data, err := f.desk.Store.Noise(ctx)
	var in keptNoise
	if err != nil || len(data) == 0 || gob.NewDecoder(bytes.NewReader(data)).Decode(&in) != nil {
		return nil
	}
	out := &noise{Noise: in.Noise, units: map[uint32]unitNoise{}, fit: 1, revision: 1, cells: in.Cells,
		readings: in.Readings}
	for unit, sum := range in.Units {
		out.units[f.name(t, unit)] = unitNoise{sum: &sum, counted: in.Counted[unit], moved: 1}
	}
	return out
}

// counts tells how many cells and readings a snapshot holds.
func (s *snapshot) counts() (cells, readings int) {
	for _, c := range s.columns {
		cells += len(c.cells)
		for i := range c.cells {
			readings += c.readings(&c.cells[i])
		}
	}
	return cells, readings
}

// Wait waits until all cells are here, and with a large desk how noisy they are.
func (f *Figures) Wait() { <-f.loaded }

// ready puts in the noise when all cells are here: the one that was kept if it was fitted to as many cells and
// readings. A small desk's is found when it is asked for.
func (f *Figures) ready() {
	s := f.now.Load()
	cells, readings := s.counts()
	if n := s.noise.done.Load(); n != nil && cells == n.cells && readings == n.readings {
		return
	}
	f.mu.Lock()
	if cells <= f.few {
		next := *f.now.Load()
		next.noise = &noiseThen{}
		f.next(next, anyNoise)
		f.mu.Unlock()
		return
	}
	f.refitting, f.touched = true, map[uint32]uint32{}
	f.mu.Unlock()
	f.refit()
}
