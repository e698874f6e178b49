package figures

import "durvek/store"

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
