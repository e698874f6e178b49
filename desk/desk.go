// Package desk holds the operations of the job, in the order in which people do it: intake, bench,
// record, compare, judge, publish. It is the only place where store and core meet. An operation
// takes a context and plain values and returns plain values; every refusal is an *Error or
// *document.Faults with one clear sentence.
package desk

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/google/uuid"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/document"
	"durvek/store"
)

// Kind says what sort of refusal an Error is.
type Kind string

const (
	Invalid  Kind = "invalid"
	NotFound Kind = "not found"
	Conflict Kind = "conflict"
	Denied   Kind = "denied"
)

// Error is a refusal: what is wrong, where, and what to do.
type Error struct {
	Kind    Kind
	Message string
}

func (e *Error) Error() string { return e.Message }

func refuse(k Kind, format string, args ...any) error {
	return &Error{k, fmt.Sprintf(format, args...)}
}

// missing turns store.ErrNotFound into a refusal that names the thing; other errors pass.
func missing(err error, what, name string) error {
	if errors.Is(err, store.ErrNotFound) {
		return refuse(NotFound, "no %s %q is known here", what, name)
	}
	return err
}

// Options open a desk. Tests are the built-in test definitions; Now is the clock.
type Options struct {
	Dir   string
	Name  string
	Tests []method.Test
	Now   func() time.Time
	Lease time.Duration // an agent that is silent for longer has left its unit; 0 for 45 s
}

// Desk is an open desk.
type Desk struct {
	Events *Hub
	Name   string

	store   *store.Store
	dir     string
	now     func() time.Time
	matrix  *matrix
	ranks   rankCache
	listed  listed
	bench   bench
	lease   time.Duration
	lengths lengths
	stop    chan struct{} // ends what tends the bench
	tended  chan struct{}
	closing sync.Once
	edition sync.Mutex // one publication at a time
}

// Open opens the desk kept in a folder, making it if needed, and registers built-in tests and setups.
func Open(ctx context.Context, o Options) (*Desk, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Name == "" {
		o.Name = "Durvek"
	}
	if err := os.MkdirAll(o.Dir, 0o700); err != nil {
		return nil, fmt.Errorf("make data folder: %w", err)
	}
	s, err := store.Open(ctx, filepath.Join(o.Dir, "durvek.db"))
	if err != nil {
		return nil, err
	}
	d := &Desk{Events: newHub(), Name: o.Name, store: s, dir: o.Dir, now: o.Now, lease: cmp.Or(o.Lease, 45*time.Second), stop: make(chan struct{}), tended: make(chan struct{})}
	d.bench.plans = map[string]*atWork{}
	handmade, err := handsOnTests()
	if err != nil {
		s.Close()
		return nil, err
	}
	err = s.Write(ctx, func(q store.Queries) error {
		for _, t := range append(handmade, o.Tests...) {
			if err := q.PutTest(ctx, t, d.now()); err != nil {
				return err
			}
		}
		for _, x := range builtinSetups {
			if _, err := q.Setup(ctx, x.Slug); err == nil {
				continue
			}
			if err := q.PutSetup(ctx, x); err != nil {
				return err
			}
		}
		fields, err := q.Fields(ctx)
		if err == nil && len(fields) == 0 {
			err = q.PutField(ctx, ranking.Field{Slug: "everything", Name: "measured products"})
		}
		return err
	})
	if err == nil {
		d.matrix = newMatrix(s.Queries)
	}
	if err == nil {
		err = d.remember(ctx)
	}
	if err == nil {
		err = s.RunLengths(ctx, 5000, d.lengths.add)
	}
	if err == nil { // what came in just before the last stop
		var left []string
		if left, err = s.Unexamined(ctx); err == nil {
			if _, failed := d.examineAll(ctx, left); failed != nil { // a later version may do better
				slog.Error("runs of the last time could not be examined", "error", failed)
			}
		}
	}
	if err != nil {
		s.Close()
		return nil, err
	}
	tests, err := s.Tests(ctx)
	if err != nil {
		s.Close()
		return nil, err
	}
	var measures []string
	for _, t := range tests {
		for _, m := range t.Measures {
			measures = append(measures, method.ID(t.Slug, m.Slug))
		}
	}
	go d.matrix.load(measures, d.stop)
	go d.tend(d.stop)
	return d, nil
}

// builtinSetups are the setups that every desk starts with.
var builtinSetups = []method.Setup{
	{Slug: method.AsDelivered, Name: "As delivered", Conditions: map[string]string{"supply": "mains", "power.mode": "default", "memory.profile": "default"}},
	{Slug: "battery", Name: "On battery", Raised: true, Conditions: map[string]string{"supply": "battery", "power.mode": "default", "memory.profile": "default"}},
	{Slug: "fast-mode", Name: "Fast mode", Raised: true, Conditions: map[string]string{"supply": "mains", "power.mode": "fast", "memory.profile": "default"}},
	{Slug: "quiet-mode", Name: "Quiet mode", Raised: true, Conditions: map[string]string{"supply": "mains", "power.mode": "quiet", "memory.profile": "default"}},
}

// Close ends live streams and closes the database.
func (d *Desk) Close() error {
	d.Events.Close()
	d.closing.Do(func() { close(d.stop) })
	<-d.tended
	<-d.matrix.loaded
	return d.store.Close()
}

func newID() string { return uuid.Must(uuid.NewV7()).String() }

// problems turns core's findings about a file into document's.
func problems(ps []catalog.Problem) []document.Problem {
	out := make([]document.Problem, len(ps))
	for i, p := range ps {
		out[i] = document.Problem{Path: p.Path, Reason: p.Reason}
	}
	return out
}

// firstProblem turns findings about a single entry into a refusal that lists them all.
func firstProblem(what string, ps []catalog.Problem) error {
	if len(ps) == 0 {
		return nil
	}
	text := ""
	for i, p := range ps {
		if i > 0 {
			text += "; "
		}
		text += p.Reason
	}
	return refuse(Invalid, "%s refused: %s", what, text)
}
