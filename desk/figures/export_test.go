package figures

import (
	"context"

	"durvek/desk"
	"durvek/store"
)

// Forget drops every column, as after a start.
func (f *Figures) Forget() {
	f.mu.Lock()
	defer f.mu.Unlock()
	s := *f.now.Load()
	s.columns = map[string]*column{}
	f.next(s)
}

// Each hands over every cell of a measure as it is in memory.
func (f *Figures) Each(measure string, tell func(store.Estimate)) error {
	c, err := f.column(measure)
	if err == nil {
		c.each(tell)
	}
	return err
}

// InMemory gives every cell that is in memory, once all were read.
func (f *Figures) InMemory() (out []store.Estimate) {
	<-f.loaded
	for _, c := range f.now.Load().columns {
		c.each(func(e store.Estimate) { out = append(out, e) })
	}
	return out
}

// KeptAnswers counts the answers that are kept; Weight is what they are reckoned at.
func (f *Figures) KeptAnswers() int { return f.answers.len() }

func (f *Figures) Weight() int { return f.answers.weight }

// MostWeight and UsualWeight are the bounds of keeping.
const (
	MostWeight  = mostWeight
	UsualWeight = usualWeight
)

// Large makes a desk of any size work as a large one does, that is never fitted anew while it works.
func (f *Figures) Large() {
	<-f.loaded
	f.mu.Lock()
	defer f.mu.Unlock()
	f.few, f.refitting, f.touched = 0, true, map[uint32]uint32{}
}

// Refit fits everything anew, as behind a large desk's work.
func (f *Figures) Refit() { f.refit() }

// Keeps writes down the noise as at the end.
func (f *Figures) Keeps(ctx context.Context) error { return f.keep(ctx) }

// OpenLarge makes another room of the same desk, which takes a desk of any size for a large one.
func OpenLarge(ctx context.Context, d *desk.Desk) (*Figures, error) { return open(ctx, d, 0) }

// Fit tells the noise's fits apart: 0 where none stands, 1 for one that was kept.
func (f *Figures) Fit() uint64 {
	if n := f.now.Load().noise.done.Load(); n != nil {
		return n.fit
	}
	return 0
}
