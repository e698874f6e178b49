package figures

import (
	"bytes"
	"context"
	"encoding/gob"

	"durvek/core/stats"
	"durvek/desk"
)

// keptNoise is how a large desk's noise is kept from one start to the next.
type keptNoise struct {
	Noise                    stats.Noise
	Units                    map[string]stats.UnitNoise
	Counted                  map[string]float64
	Cells, Readings, Changes int
}

// keep writes down what would take long to find again; nothing where that is not so or it is written down already.
func (f *Figures) keep(ctx context.Context) error {
	f.mu.RLock()
	s, complete, kept := f.now.Load(), f.complete, f.kept
	f.mu.RUnlock()
	n := s.noise.done.Load()
	if n == nil || n.cells <= f.few || !complete || n == kept {
		return nil
	}
	out := keptNoise{Noise: n.Noise, Units: map[string]stats.UnitNoise{}, Counted: map[string]float64{},
		Changes: n.changes}
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

// wroteDown gives what an earlier start kept; nil where that is nothing, or was not written by this program.
func (f *Figures) wroteDown(ctx context.Context, t *tables) *noise {
	data, err := f.desk.Store.Noise(ctx)
	var in keptNoise
	if err != nil || len(data) == 0 || gob.NewDecoder(bytes.NewReader(data)).Decode(&in) != nil {
		return nil
	}
	out := &noise{Noise: in.Noise, units: map[uint32]unitNoise{}, fit: 1, revision: 1, cells: in.Cells,
		readings: in.Readings, changes: in.Changes}
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
// readings and nothing was written since the start. A small desk's is found when it is asked for.
func (f *Figures) ready(v *view) {
	f.mu.Lock()
	f.complete = v != nil
	s := *f.now.Load()
	cells, readings := s.counts()
	n := s.noise.done.Load()
	large := f.complete && cells > f.few
	if stands := n != nil && cells == n.cells && readings == n.readings && len(f.touched) == 0; large && !stands {
		f.refitting = true
		f.mu.Unlock()
		f.refit()
		return
	}
	defer f.mu.Unlock()
	s.noise = &noiseThen{}
	if large {
		x := *n
		x.measures = v.byID
		s.noise, f.kept = done(&x), &x
	}
	f.next(s, anyNoise)
}
