package figures

import (
	"container/list"
	"context"
	"fmt"
	"maps"
	"slices"
	"sync"
)

// mostWeight bounds the kept answers, in bytes as they are reckoned; the ones that were not asked for longest go first.
const mostWeight = 24 << 20

// usualWeight is what an answer is reckoned at whose size is not known.
const usualWeight = 64 << 10

// answers are kept by their question until a part that they used changes. The zero value is empty and ready.
type answers struct {
	mu     sync.Mutex
	order  list.List // of *answer, the latest asked for first
	byKey  map[string]*list.Element
	weight int
}

type answer struct {
	key      string
	value    any
	weight   int
	parts    []string
	revision uint64 // of the snapshot that it was made from
}

func (a *answers) find(key string) *answer {
	a.mu.Lock()
	defer a.mu.Unlock()
	e := a.byKey[key]
	if e == nil {
		return nil
	}
	a.order.MoveToFront(e)
	return e.Value.(*answer)
}

func (a *answers) put(x *answer) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if x.weight > mostWeight/4 {
		return
	}
	a.drop(a.byKey[x.key])
	if a.byKey == nil {
		a.byKey = map[string]*list.Element{}
	}
	a.byKey[x.key] = a.order.PushFront(x)
	for a.weight += x.weight; a.weight > mostWeight; {
		a.drop(a.order.Back())
	}
}

// drop forgets one; mu is held.
func (a *answers) drop(e *list.Element) {
	if e == nil {
		return
	}
	x := a.order.Remove(e).(*answer)
	delete(a.byKey, x.key)
	a.weight -= x.weight
}

func (a *answers) clear() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.order.Init()
	a.byKey, a.weight = nil, 0
}

func (a *answers) len() int {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.order.Len()
}

// Uses takes note of what questions rest on. It may be used by many at once.
type Uses struct {
	mu       sync.Mutex
	parts    map[string]bool
	revision uint64 // the earliest that was looked at; 0 for none
}

func (u *Uses) note(parts ...string) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.parts == nil {
		u.parts = map[string]bool{}
	}
	for _, p := range parts {
		u.parts[p] = true
	}
}

func (u *Uses) from(revision uint64) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.revision == 0 || revision < u.revision {
		u.revision = revision
	}
}

func (u *Uses) list() []string {
	u.mu.Lock()
	defer u.mu.Unlock()
	return slices.Collect(maps.Keys(u.parts))
}

type usesKey struct{}

// Watch has every question that is asked under the context take note of what it uses.
func Watch(ctx context.Context) (context.Context, *Uses) {
	u := &Uses{}
	return context.WithValue(ctx, usesKey{}, u), u
}

// Kept gives what was kept under a key, if nothing that it rests on has changed.
func (f *Figures) Kept(key string) (any, bool) {
	a := f.answers.find(key)
	if a == nil || !f.holds(a.parts, a.revision) {
		return nil, false
	}
	return a.value, true
}

// Keep keeps something of so many bytes that rests on what was used. What was made without a question is not kept.
func (f *Figures) Keep(key string, value any, bytes int, u *Uses) {
	if parts := u.list(); len(parts) > 0 {
		f.answers.put(&answer{key, value, bytes + 512, parts, u.revision})
	}
}

// sight is what one question sees: one snapshot with its catalogue, and note of what it used.
type sight struct {
	*view
	f    *Figures
	ctx  context.Context
	snap *snapshot
	uses *Uses
	read *read
}

type togetherKey struct{}

// together is what many questions of one asker have read of the database, as long as nothing is written between them.
type together struct {
	mu       sync.Mutex
	revision uint64
	read     *read
}

// Together lets many questions share what they read, as those of one review do.
func (f *Figures) Together(ctx context.Context) context.Context {
	return context.WithValue(ctx, togetherKey{}, &together{})
}

// at is what was read at a revision.
func (t *together) at(revision uint64) *read {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.read == nil || t.revision != revision {
		t.read, t.revision = &read{}, revision
	}
	return t.read
}

// look begins a question.
func (f *Figures) look(ctx context.Context) (*sight, error) {
	u, ok := ctx.Value(usesKey{}).(*Uses)
	if !ok {
		u = &Uses{}
	}
	s := f.now.Load()
	v := s.catalogue
	if v == nil {
		var err error
		if v, err = f.view(ctx); err != nil {
			return nil, err
		}
	}
	u.note(catalogue)
	u.from(s.revision)
	r := &read{}
	if t, ok := ctx.Value(togetherKey{}).(*together); ok {
		r = t.at(s.revision)
	}
	return &sight{view: v, f: f, ctx: ctx, snap: s, uses: u, read: r}, nil
}

// kept answers a question from what was worked out before, or works it out once for all who ask meanwhile. An answer
// that failed is not kept.
func kept[T any](s *sight, work func(*sight) (T, error), question ...any) (T, error) {
	f, key := s.f, fmt.Sprintf("%q", question)
	if a := f.answers.find(key); a != nil && f.holds(a.parts, a.revision) {
		s.uses.note(a.parts...)
		return a.value.(T), nil
	}
	got, err, _ := f.flight.Do(fmt.Sprint(s.snap.revision, key), func() (any, error) {
		inner := *s
		inner.ctx, inner.uses = context.WithoutCancel(s.ctx), &Uses{parts: map[string]bool{catalogue: true}}
		value, err := work(&inner)
		if err != nil {
			return nil, err
		}
		a := &answer{key, value, usualWeight, inner.uses.list(), s.snap.revision}
		f.answers.put(a)
		return a, nil
	})
	if err != nil {
		var none T
		return none, err
	}
	a := got.(*answer)
	s.uses.note(a.parts...)
	return a.value.(T), nil
}
