package figures

import (
	"context"
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
)

// noise is how noisy tests and units are, as fitted to a snapshot's cells. It does not change.
type noise struct {
	stats.Noise
	measures map[string]compare.Measure // of the catalogue, when it was fitted
	units    map[uint32]unitNoise
	moved    uint64 // the revision in which any unit's effect last was another
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
const fewCells = 3000

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
	x := f.fitted(v, s.revision, columns)
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

// fitted fits everything anew; few is how many cells a desk may have whose tests are looked at again only where they
// changed.
func (f *Figures) fitted(v *view, revision uint64, columns map[string]*column) *noise {
	tests := map[string]stats.Scatters{}
	out := &noise{measures: v.byID, units: map[uint32]unitNoise{}, fit: revision, revision: revision}
	count := uint32(0)
	for _, id := range slices.Sorted(maps.Keys(columns)) {
		c := columns[id]
		out.cells += len(c.cells)
		m, ok := v.byID[id]
		if !ok || !noisy(m) {
			continue
		}
		type of struct {
			grain stats.Grain
			stats.Scatters
		}
		versions := map[int]*of{}
		for i := range c.cells {
			p := &c.cells[i]
			version := c.version(p)
			t := versions[version]
			if t == nil {
				t = &of{c.grain(m, version), stats.Scatters{Typical: m.Def().Repeatability}}
				versions[version] = t
			}
			if nu, y, ok := stats.ScatterOf(c.cell(p), t.grain, m.Scale.Logarithmic()); ok {
				t.Cells = append(t.Cells, stats.Scatter{Unit: p.unit, Nu: nu, Y: y})
				count = max(count, p.unit+1)
			}
		}
		for version, t := range versions {
			tests[testKey(id, version)] = t.Scatters
		}
	}
	var sums []stats.UnitNoise
	if out.cells <= f.few {
		f.fitting.Lock()
		out.Noise, sums = f.fitter.Fit(tests, int(count))
		f.fitting.Unlock()
	} else {
		out.Noise, sums = stats.FitNoise(tests, int(count))
	}
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
func (n *noise) touch(revision uint64, columns map[string]*column, touched map[uint32]uint32) (next *noise,
	moves []uint32) {
	out := *n
	out.revision = revision
	out.units = maps.Clone(n.units)
	for unit, variant := range touched {
		sum, said := stats.UnitNoise{}, false
		for id, c := range columns {
			m, ok := n.measures[id]
			if !ok || !noisy(m) {
				continue
			}
			for i := c.from(variant); i < len(c.cells) && c.cells[i].variant == variant; i++ {
				if p := &c.cells[i]; p.unit == unit {
					said = c.tell(p, m, &out.Noise, &sum) || said
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
func (c *column) tell(p *packed, m compare.Measure, n *stats.Noise, sum *stats.UnitNoise) bool {
	version := c.version(p)
	nu, y, ok := stats.ScatterOf(c.cell(p), c.grain(m, version), m.Scale.Logarithmic())
	if ok {
		n.Count(sum, testKey(c.measure, version), nu, y)
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
// anew. Until all cells are here the one that was kept stands as it is. mu is held.
func (f *Figures) settle(s *snapshot, touched map[uint32]uint32, changes int) []string {
	n := s.noise.done.Load()
	if f.refitting || !f.complete {
		maps.Copy(f.touched, touched)
	}
	if n == nil || n.cells <= f.few {
		s.noise = &noiseThen{}
		return []string{anyNoise}
	}
	if n.measures == nil {
		return nil
	}
	next, moves := n.touch(f.now.Load().revision+1, s.columns, touched)
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
		n = f.fitted(v, s.revision, columns)
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.refitting = false
	if err != nil {
		slog.Error("how noisy tests and machines are could not be found anew; the last stands", "error", err)
		return
	}
	next := *f.now.Load()
	n, _ = n.touch(next.revision+1, next.columns, f.touched)
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
