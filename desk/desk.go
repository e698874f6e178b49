// Package desk is the small core that the rooms of a desk are built around: the store, the clock, live events and the
// one writer. The rooms are its sub-packages, by step of the job: books, bench, results, figures, reviews. They do not
// know each other; package house joins them. It is the only place where store and core meet. An operation takes a
// context and plain values and returns plain values; a refusal is an *Error or *document.Faults with one clear
// sentence; a failed read is an answer, never an empty one, and is never kept.
package desk

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sync/atomic"
	"time"

	"github.com/gofrs/flock"
	"github.com/google/uuid"

	"durvek/store"
)

// Options open a desk. Now is the clock; time.Now if nil.
type Options struct {
	Dir  string
	Name string // "Durvek" if empty
	Imprint
	Now   func() time.Time
	Lease time.Duration // an agent that is silent for longer has left its unit; 0 for 45 s
}

// Imprint is what a desk says of itself where it publishes.
type Imprint struct {
	Licence string // of published data, an SPDX name such as CC-BY-4.0; "" for none
	Imprint string // who answers for what is published, a line or two
}

// Desk is the core of an open desk. All of it may be used by many at once; the fields stay as they are once it is open.
type Desk struct {
	Store  *store.Store // to read from; what is written goes through Write
	Dir    string
	Now    func() time.Time
	Lease  time.Duration
	Events *Hub

	told     Options // what the service was told at its start
	self     atomic.Pointer[Self]
	writing  chan struct{} // holds one while somebody writes
	waiting  atomic.Int64  // who wait to write
	watchers []func()
	lock     *flock.Flock // of the folder, until the desk is closed
}

// Open opens the database kept in a folder, making both if needed.
func Open(ctx context.Context, o Options) (*Desk, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	lock, err := Take(o.Dir)
	if err != nil {
		return nil, err
	}
	if err := whole(o.Dir); err != nil {
		lock.Unlock()
		return nil, err
	}
	s, err := store.Open(ctx, filepath.Join(o.Dir, "durvek.db"))
	if err != nil {
		lock.Unlock()
		return nil, err
	}
	d := &Desk{lock: lock, Store: s, Dir: o.Dir, told: o, Now: o.Now, Lease: cmp.Or(o.Lease, 45*time.Second),
		Events: newHub(), writing: make(chan struct{}, 1)}
	if err := d.recall(ctx); err != nil {
		d.Close()
		return nil, err
	}
	return d, nil
}

// Tx is what is written at once: all of it is kept, or nothing.
type Tx struct {
	store.Queries
	after []func()
}

// After leaves something to be done once the transaction is kept, before anybody else writes. What is held in memory
// beside the database is changed here, so that it always changes in the order of writing. f must not write.
func (t *Tx) After(f func()) { t.after = append(t.after, f) }

// Write runs f in the one writing transaction, then what f left for after it. It waits for its turn until ctx ends.
// f must read through its Tx alone; it may be ended by an error at any time, and then nothing was written.
func (d *Desk) Write(ctx context.Context, f func(*Tx) error) error {
	d.waiting.Add(1)
	defer d.waiting.Add(-1)
	select {
	case d.writing <- struct{}{}:
		defer func() { <-d.writing }()
	case <-ctx.Done():
		return ctx.Err()
	}
	var tx *Tx
	err := d.Store.Write(ctx, func(q store.Queries) error {
		tx = &Tx{Queries: q}
		return f(tx)
	})
	if err != nil {
		return err
	}
	for _, f := range tx.after {
		f()
	}
	return nil
}

// WritersWaiting is how many write or wait to.
func (d *Desk) WritersWaiting() int { return int(d.waiting.Load()) }

// Note writes one change with its note in the journal; it is none of the catalogue's.
func (d *Desk) Note(ctx context.Context, by, act, subject, detail string, f func(*Tx) error) error {
	return d.Write(ctx, func(q *Tx) error {
		if err := f(q); err != nil {
			return err
		}
		return q.Note(ctx, d.Now(), by, act, subject, detail)
	})
}

// Put writes one change of the catalogue with its note in the journal, and tells those who watch it.
func (d *Desk) Put(ctx context.Context, by, act, subject string, f func(*Tx) error) error {
	return d.Note(ctx, by, act, subject, "", func(q *Tx) error {
		q.After(d.CatalogueChanged)
		return f(q)
	})
}

// OnCatalogue has f called after every change of models, variants, units, claims, offers, rates, tests, setups, fields
// or uses. It is for opening a desk, before anybody writes.
func (d *Desk) OnCatalogue(f func()) { d.watchers = append(d.watchers, f) }

// CatalogueChanged tells those who watch the catalogue that it is another.
func (d *Desk) CatalogueChanged() {
	for _, f := range d.watchers {
		f()
	}
	d.Events.Send(Event{Name: "catalogue", Data: struct{}{}})
}

// Close ends live streams and closes the database.
func (d *Desk) Close() error {
	d.Events.Close()
	return errors.Join(d.Store.Close(), d.lock.Unlock())
}

// Restoring begins the name of the folder that a restore unpacks into.
const Restoring = ".restore-"

// whole refuses a folder where a restore was cut: an empty desk would take the place of the one that is on its way.
func whole(dir string) error {
	cut, err := filepath.Glob(filepath.Join(dir, Restoring+"*"))
	if err != nil || len(cut) == 0 {
		return err
	}
	if _, err := os.Stat(filepath.Join(dir, "durvek.db")); err == nil {
		return nil
	}
	return Refuse(Conflict, "a restore into %s was cut; run it again, with --replace if it says so", dir)
}

// Take makes a data folder that its owner alone may read, and takes it for this process: two of them would write over
// each other. The system frees it when the process ends, however it does.
func Take(dir string) (*flock.Flock, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("make data folder: %w", err)
	}
	if i, err := os.Stat(dir); err == nil && i.Mode().Perm()&0o077 != 0 {
		if err := os.Chmod(dir, 0o700); err != nil {
			return nil, fmt.Errorf("keep the data folder to its owner: %w", err)
		}
	}
	lock := flock.New(filepath.Join(dir, "durvek.lock"), flock.SetPermissions(0o600))
	ok, err := lock.TryLock()
	if err != nil {
		return nil, fmt.Errorf("take the data folder %s: %w", dir, err)
	}
	if !ok {
		return nil, Refuse(Conflict, "a service runs on the data folder %s already; end it first, or name another folder",
			dir)
	}
	return lock, nil
}

// FarOff is how far a machine's clock may be from the service's.
const FarOff = 24 * time.Hour

// NewID makes an identifier: a UUID version 7 (RFC 9562), so that later ones sort behind earlier ones.
func NewID() string { return uuid.Must(uuid.NewV7()).String() }

// SortedKeys lists a map's keys in order.
func SortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
