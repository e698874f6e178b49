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
