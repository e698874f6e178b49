// Package results is the room of what was measured: runs from agents, files, tables and hands, their traces and other
// raw series, photos, corrections, and doubts with what a person makes of them. A run is written once; what is changed
// of it later is written beside it. Every change brings the cells that it touches up to date in the same transaction.
package results

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// Figures is what this room asks of the one that compares.
type Figures interface {
	// Put and Doubted are told of what was written, in the order of writing.
	Put(changed []store.Estimate, gone []store.CellKey, tests ...string)
	Doubted(tests ...string)
	// The others answer as of all that was written before.
	Cell(store.CellKey) (store.Estimate, bool, error)
	Nearby(measure string, at store.CellKey, bounds bool) (store.Estimate, bool, error)
	PoolFor(context.Context, compare.Measure, store.CellKey) (stats.Pool, error)
	Kin(ctx context.Context, m compare.Measure, at store.CellKey, variant string, conditions map[string]string) (trust.Kin,
		error)
	Versions(m compare.Measure, setup, variant string, conditions map[string]string) (map[string]map[string]int, error)
	Name(ctx context.Context, variant string) (desk.Named, error)
	Tests(ctx context.Context) (map[string]method.Test, error)
}

// Bench is what this room asks of the one that runs plans.
type Bench interface {
	Heard(ctx context.Context, plan string)
	Took(test, unit string, seconds float64)
	AddPlan(ctx context.Context, p method.Plan, by string) (method.Plan, error)
}

// Books is what this room asks of the one that keeps definitions.
type Books interface {
	Sheets(kind catalog.Kind) ([]method.Sheet, error)
	TakeExample(ctx context.Context, x catalog.Dossier, by string) error
}

// Results is the room. All of it may be used by many at once; judging is held while doubts are raised or settled, so
// that what is said of a cell follows from all that was said before.
type Results struct {
	desk    *desk.Desk
	figures Figures
	bench   Bench
	books   Books
	judging sync.Mutex
	// drawing holds one while a photo or a file of raw measurements is worked on.
	drawing chan struct{}
	taking  sync.Mutex   // held while runs come in by parts
	changes atomic.Int64 // how often runs came in or were corrected
}

// Open makes the room and examines the runs that came in just before the last stop.
func Open(ctx context.Context, d *desk.Desk, f Figures, b Bench, k Books) (*Results, error) {
	r := &Results{desk: d, figures: f, bench: b, books: k, drawing: make(chan struct{}, 1)}
	if err := errors.Join(r.putAway(ctx), r.takeBackLeft(ctx)); err != nil {
		return nil, err
	}
	left, err := d.Store.Unexamined(ctx)
	if err != nil {
		return nil, err
	}
	if _, err := r.examineAll(ctx, left); err != nil { // a later version may do better
		slog.Error("runs of the last time could not be examined", "error", err)
	}
	return r, nil
}
