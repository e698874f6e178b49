// Package store keeps everything in one SQLite file. It holds every SQL statement of the program;
// its methods take and return plain values of core. One connection writes, a few read.
package store

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"path/filepath"
	"time"

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver registers itself
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is returned where a single wanted row is missing.
var ErrNotFound = errors.New("not found")

// readers is how many connections read at once: more of them wait on each other on two cores.
const readers = 3

// Store is an open database.
type Store struct {
	Queries
	write, read *sql.DB
}

// Queries are statements over one connection, a pool or a transaction.
type Queries struct{ db querier }

type querier interface {
	ExecContext(context.Context, string, ...any) (sql.Result, error)
	QueryContext(context.Context, string, ...any) (*sql.Rows, error)
	QueryRowContext(context.Context, string, ...any) *sql.Row
}

// Open opens or creates the database file and brings its schema up to date.
func Open(ctx context.Context, path string) (*Store, error) {
	dsn := func(extra string) string {
		return "file:" + (&url.URL{Path: filepath.ToSlash(path)}).EscapedPath() +
			"?_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)&_pragma=busy_timeout(5000)&_pragma=synchronous(FULL)" + extra
	}
	w, err := sql.Open("sqlite", dsn("&_pragma=cache_size(-16384)&_txlock=immediate"))
	if err != nil {
		return nil, err
	}
	w.SetMaxOpenConns(1)
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, w, files)
	if err != nil {
		w.Close()
		return nil, fmt.Errorf("open database %s: %w", path, err)
	}
	if _, err := p.Up(ctx); err != nil {
		w.Close()
		return nil, fmt.Errorf("bring database %s up to date: %w", path, err)
	}
	// Comparisons read from memory, so readers need little of it.
	r, err := sql.Open("sqlite", dsn("&_pragma=cache_size(-6144)&_pragma=query_only(1)"))
	if err != nil {
		w.Close()
		return nil, err
	}
	r.SetMaxOpenConns(readers)
	return &Store{Queries: Queries{r}, write: w, read: r}, nil
}

// Close closes both pools.
func (s *Store) Close() error { return errors.Join(s.read.Close(), s.write.Close()) }

// Write runs f in one writing transaction: all of it is kept, or nothing.
func (s *Store) Write(ctx context.Context, f func(Queries) error) error {
	tx, err := s.write.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback() // whatever f does, a panic too, the one writing connection is free again
	if err := f(Queries{tx}); err != nil {
		return err
	}
	return tx.Commit()
}

func (q Queries) exec(ctx context.Context, query string, args ...any) error {
	_, err := q.db.ExecContext(ctx, query, args...)
	return err
}

// changed runs a statement and tells whether it touched a row.
func (q Queries) changed(ctx context.Context, query string, args ...any) (bool, error) {
	r, err := q.db.ExecContext(ctx, query, args...)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// list collects rows through scan; the result is never nil.
func list[T any](ctx context.Context, q Queries, scan func(row, *T) error, query string, args ...any) ([]T, error) {
	rows, err := q.db.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := []T{}
	for rows.Next() {
		var t T
		if err := scan(rows, &t); err != nil {
			return nil, err
		}
		out = append(out, t)
	}
	return out, rows.Err()
}

// one reads a single row through scan, or returns ErrNotFound.
func one[T any](ctx context.Context, q Queries, scan func(row, *T) error, query string, args ...any) (T, error) {
	var t T
	err := scan(q.db.QueryRowContext(ctx, query, args...), &t)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNotFound
	}
	return t, err
}

type row interface{ Scan(...any) error }

// JSON is how values are kept in a column of text; it panics on what JSON cannot hold.
func JSON(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic(fmt.Sprintf("store: %T does not turn into JSON: %v", v, err))
	}
	return string(b)
}

func nullable(s string) any {
	if s == "" {
		return nil
	}
	return s
}

// Stamp writes a time as UTC RFC 3339 with fixed milliseconds, so that texts sort as times do.
func Stamp(t time.Time) string { return t.UTC().Format("2006-01-02T15:04:05.000Z") }
