// Package figures is the room of everything that compares. It holds one immutable snapshot of all cells and of the
// catalogue, with one revision. A question is answered from one snapshot and takes note of the parts that it used; its
// answer is kept until one of them changes. What goes in are cells as they are recorded; what comes out are
// comparisons. It never writes a reading.
//
// There are two caches, the snapshot and the kept answers. The database stays the truth of both.
package figures

import (
	"context"
	"log/slog"
	"runtime/debug"
	"slices"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/singleflight"

	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/desk"
	"durvek/store"
)

// Figures answers comparisons. All of it may be used by many at once. Its one lock, mu, is held while the next snapshot
// is made of the last, and for as short a time by those who look up a name or whether an answer still holds.
type Figures struct {
	desk    *desk.Desk
	now     atomic.Pointer[snapshot]
	reading singleflight.Group // columns and catalogues on their way from the database
	flight  singleflight.Group // answers that are being worked out
	answers answers
	others  editions // that other desks published

	mu      sync.RWMutex
	numbers map[string]uint32 // of units and variants
	bases   map[basisID]uint32
	arounds map[surroundings]uint32
	missed  map[string]int    // changes of columns that are not here yet
	changed map[string]uint64 // the revision in which a part last changed

	few       int               // fewCells
	fitting   sync.Mutex        // held while fitter is used
	fitter    stats.NoiseFitter // of a desk with few cells
	complete  bool              // all cells are here
	refitting bool              // a large desk's noise is being found anew
	touched   map[uint32]uint32 // units that a write touched meanwhile, with their variants
	kept      *noise            // as it was written down last

	stop    chan struct{}
	closing sync.Once
	loaded  chan struct{} // closed when every column is here, or none will come any more
}

// snapshot is all cells and the catalogue at one moment. Nothing in it changes but for what is worked out from it when
// first asked for.
type snapshot struct {
	revision  uint64
	columns   map[string]*column // by measure; one that is not here yet is read when it is asked for
	catalogue *view              // nil where nobody has asked since it changed
	told      tables
	noise     *noiseThen
}

// Columns is how many measures have their cells in memory.
func (f *Figures) Columns() int { return len(f.now.Load().columns) }

// Revision is how often cells changed since the start.
func (f *Figures) Revision() int { return int(f.now.Load().revision) }

// Loaded tells whether all cells are in memory.
func (f *Figures) Loaded() bool {
	select {
	case <-f.loaded:
		return true
	default:
		return false
	}
}

// Parts that an answer may rest on, beside the cells of a measure.
const catalogue = "catalogue"

func cellsOf(measure string) string { return "cells " + measure }
func runsOf(test string) string     { return "runs " + test }
func doubtsOf(test string) string   { return "doubts " + test }

// Open makes the room of an open desk and begins to read all cells behind the start of the service.
func Open(ctx context.Context, d *desk.Desk) (*Figures, error) { return open(ctx, d, fewCells) }

func open(ctx context.Context, d *desk.Desk, few int) (*Figures, error) {
	f := &Figures{desk: d, numbers: map[string]uint32{}, bases: map[basisID]uint32{}, arounds: map[surroundings]uint32{},
		missed: map[string]int{}, changed: map[string]uint64{}, stop: make(chan struct{}), loaded: make(chan struct{}),
		few:     few,
		touched: map[uint32]uint32{}}
	first := snapshot{revision: 1, columns: map[string]*column{}, noise: &noiseThen{}}
	if n := f.wroteDown(ctx, &first.told); n != nil {
		first.noise = done(n)
	}
	f.now.Store(&first)
	fields, err := d.Store.Fields(ctx)
	if err == nil && len(fields) == 0 {
		err = d.Write(ctx, func(q *desk.Tx) error {
			return q.PutField(ctx, ranking.Field{Slug: everything, Name: "measured products"})
		})
	}
	if err != nil {
		return nil, err
	}
	tests, err := d.Store.Tests(ctx)
	if err != nil {
		return nil, err
	}
	var measures []string
	for _, t := range tests {
		for _, m := range t.Measures {
			measures = append(measures, method.ID(t.Slug, m.Slug))
		}
	}
	d.OnCatalogue(f.relist)
	go f.load(measures)
	return f, nil
}

// Close ends what reads behind the start; it waits until nobody uses the database for that any more.
func (f *Figures) Close() {
	f.closing.Do(func() { close(f.stop) })
	<-f.loaded
	if err := f.keep(context.Background()); err != nil {
		slog.Warn("how noisy tests and machines are was not kept; the next start finds it anew", "error", err)
	}
}

// load reads the catalogue, then the columns of all measures, one after the other.
func (f *Figures) load(measures []string) {
	defer close(f.loaded)
	v, err := f.view(context.Background())
	if err != nil { // every question waits for it
		slog.Error("the catalogue could not be read; asked again with the next question", "error", err)
	}
	cells := 0
	for _, id := range measures {
		select {
		case <-f.stop:
			return
		default:
			c, err := f.column(id)
			if err != nil {
				slog.Error("the cells of a measure could not be read; asked again with the next question", "measure", id, "error",
					err)
				continue
			}
			cells += len(c.cells)
		}
	}
	f.ready(v)
	if cells > 10000 {
		debug.FreeOSMemory() // what reading took is not needed again
	}
}

// Rest forgets the kept answers: all of them can be worked out again.
func (f *Figures) Rest() {
	f.answers.clear()
	debug.FreeOSMemory()
}

// next publishes a snapshot that follows the one that stands; mu is held. parts are what changed.
func (f *Figures) next(s snapshot, parts ...string) {
	s.revision = f.now.Load().revision + 1
	for _, p := range parts {
		f.changed[p] = s.revision
	}
	f.now.Store(&s)
}

// relist makes the catalogue to be read anew.
func (f *Figures) relist() {
	f.mu.Lock()
	defer f.mu.Unlock()
	s := *f.now.Load()
	s.catalogue = nil
	if n := s.noise.done.Load(); n == nil || n.cells <= f.few {
		s.noise = &noiseThen{}
	}
	f.next(s, catalogue)
}

// Doubted takes note that doubts about tests are others now.
func (f *Figures) Doubted(tests ...string) {
	f.mu.Lock()
	defer f.mu.Unlock()
	var parts []string
	for _, t := range tests {
		parts = append(parts, doubtsOf(t))
	}
	f.next(*f.now.Load(), parts...)
}

// holds tells whether none of the parts has changed since a revision.
func (f *Figures) holds(parts []string, revision uint64) bool {
	f.mu.RLock()
	defer f.mu.RUnlock()
	for _, p := range parts {
		if f.changed[p] > revision {
			return false
		}
	}
	return true
}

// Put takes in cells that changed and forgets those that hold nothing any more, of runs of some tests. It is called
// after the transaction that wrote them, in the order of writing. Columns that are not here yet are read with them
// later.
func (f *Figures) Put(changed []store.Estimate, gone []store.CellKey, tests ...string) {
	f.mu.Lock()
	defer f.mu.Unlock()
	edits := map[string]*edit{}
	of := func(measure string) *edit {
		if edits[measure] == nil {
			edits[measure] = &edit{}
		}
		return edits[measure]
	}
	for _, k := range gone {
		of(k.Measure).gone = append(of(k.Measure).gone, k)
	}
	for _, e := range changed {
		of(e.Measure).put = append(of(e.Measure).put, e)
	}
	s := *f.now.Load()
	s.columns = cloned(s.columns)
	was, touched := s.noise.done.Load(), map[uint32]uint32{}
	var parts []string
	for _, t := range tests {
		parts = append(parts, runsOf(t))
	}
	for measure, e := range edits {
		parts = append(parts, cellsOf(measure))
		if c := s.columns[measure]; c != nil {
			s.columns[measure] = f.edited(c, e, &s.told, was)
		} else {
			f.missed[measure]++
		}
	}
	for _, e := range changed {
		touched[f.name(&s.told, e.Unit)] = f.name(&s.told, e.Variant)
	}
	for _, k := range gone { // its variant is that of its other cells; without any, nothing is left to say
		if unit, ok := f.numbers[k.Unit]; ok {
			for _, c := range s.columns {
				if i := slices.IndexFunc(c.cells, func(p packed) bool { return p.unit == unit }); i >= 0 {
					touched[unit] = c.cells[i].variant
					break
				}
			}
		}
	}
	parts = append(parts, f.settle(&s, touched, len(changed)+len(gone))...)
	f.next(s, parts...)
}

// number finds the number of a unit's or variant's name.
func (f *Figures) number(name string) (uint32, bool) {
	f.mu.RLock()
	defer f.mu.RUnlock()
	n, ok := f.numbers[name]
	return n, ok
}
