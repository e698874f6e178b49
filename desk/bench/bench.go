// Package bench is the room of what runs: plans, the agents that work through them, their leases, what they report
// while they work, and incidents. What goes in are plans and reports; what comes out are directives and the view of the
// bench. Results of runs belong to another room.
package bench

import (
	"context"
	"sync"

	"durvek/core/method"
	"durvek/core/schedule"
	"durvek/core/stats"
	"durvek/desk"
	"durvek/store"
)

// Figures is what this room asks of the one that compares.
type Figures interface {
	Name(ctx context.Context, variant string) (desk.Named, error)
	Tests(ctx context.Context) (map[string]method.Test, error)
	SoFar(ctx context.Context, measure string, at store.CellKey) (stats.Estimate, bool, error)
	Expected(ctx context.Context, measure, unit, variant string) (value float64, from string, err error)
	ToSchedule(ctx context.Context, q schedule.Question) (schedule.Desk, map[string]float64, error)
}

// Bench is the room. All of it may be used by many at once; what runs now and what runs took have a lock each, held for
// moments and never while the database is asked.
type Bench struct {
	desk    *desk.Desk
	figures Figures
	books   Books
	live    live
	lengths lengths
	stop    chan struct{} // ends what tends the bench
	tended  chan struct{}
	closing sync.Once

	arriving sync.Mutex // held while a machine is put on the books, so that a code puts one there
}

// Open makes the room: it learns how long runs take, renews the leases of plans that were at work when the service
// ended, and begins to tend the bench.
func Open(ctx context.Context, d *desk.Desk, f Figures, books Books) (*Bench, error) {
	b := &Bench{desk: d, figures: f, books: books, live: live{plans: map[string]*atWork{}}, stop: make(chan struct{}),
		tended: make(chan struct{})}
	if err := b.remember(ctx); err != nil {
		return nil, err
	}
	if err := d.Store.RunLengths(ctx, 5000, b.Took); err != nil {
		return nil, err
	}
	go b.tend(b.stop)
	return b, nil
}

// Close writes down what came in last and ends the tending.
func (d *Bench) Close() {
	d.closing.Do(func() { close(d.stop) })
	<-d.tended
}

// Took takes note of how long a run of a test took on a unit.
func (d *Bench) Took(test, unit string, seconds float64) { d.lengths.add(test, unit, seconds) }
