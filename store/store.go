// Package store keeps everything in one SQLite file. It holds every SQL statement of the program;
// its methods take and return plain values of core. One connection writes, a few read.
package store

import (
	"context"
	"database/sql"
	"durvek/internal/durable"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
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
	writing     *prepared
}

// Queries are statements over one connection, a pool or a transaction.
type Queries struct{ db querier }

type querier interface {
	ExecContext(context.Context, string, ...any) (sql.Result, error)
	QueryContext(context.Context, string, ...any) (*sql.Rows, error)
	QueryRowContext(context.Context, string, ...any) *sql.Row
}

// Open opens or creates the database file and brings its schema up to date. Before it changes a database of an older
// program it keeps a copy in the folder "backups" beside it. One of a newer program is refused, and so is an empty
// file: something was there.
func Open(ctx context.Context, path string) (*Store, error) {
	if i, err := os.Stat(path); err == nil && i.Size() == 0 {
		return nil, fmt.Errorf("%s is empty, and an empty file is no desk: restore it from a backup, or remove it to "+
			"start anew",
			path)
	}
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
	if err = bringUp(ctx, p, w, path); err == nil {
		err = private(path)
	}
	if err != nil {
		w.Close()
		return nil, err
	}
	// Comparisons read from memory, so readers need little of it.
	r, err := sql.Open("sqlite", dsn("&_pragma=cache_size(-6144)&_pragma=query_only(1)"))
	if err != nil {
		w.Close()
		return nil, err
	}
	r.SetMaxOpenConns(readers)
	return &Store{Queries: Queries{prepare(r)}, write: w, read: r, writing: prepare(w)}, nil
}

// bringUp runs what migrations are missing, after a copy where there is something to lose.
func bringUp(ctx context.Context, p *goose.Provider, db *sql.DB, path string) error {
	current, newest, err := p.GetVersions(ctx)
	switch {
	case err != nil:
		return fmt.Errorf("open database %s: %w", path, err)
	case current > newest:
		return fmt.Errorf("database %s is of version %d, and this program knows up to %d: run the newer program that made "+
			"it, "+
			"or restore a backup of before", path, current, newest)
	case current == newest:
		return nil
	case current > 0:
		if err := keepCopy(ctx, db, filepath.Join(filepath.Dir(path), "backups"),
			fmt.Sprintf("before-version-%d.db", newest)); err != nil {
			return fmt.Errorf("keep a copy of %s before it is brought from version %d to %d: %w", path, current, newest, err)
		}
	}
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("bring database %s up to date: %w", path, err)
	}
	return nil
}

// keepCopy writes a copy of the database as it stands into a folder, readable by the owner alone.
func keepCopy(ctx context.Context, db *sql.DB, dir, name string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	part := filepath.Join(dir, ".part-"+name)
	defer os.Remove(part)
	os.Remove(part)
	if _, err := db.ExecContext(ctx, `vacuum into ?`, part); err != nil {
		return err
	}
	if err := os.Chmod(part, 0o600); err != nil {
		return err
	}
	return durable.Rename(part, filepath.Join(dir, name))
}

// Peek opens a database to look at it and to copy it: no schema is brought up to date.
func Peek(ctx context.Context, path string) (*Store, error) {
	if _, err := os.Stat(path); err != nil {
		return nil, fmt.Errorf("there is no desk: %w", err)
	}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: filepath.ToSlash(path)}).EscapedPath()+
		"?_pragma=busy_timeout(5000)")
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(1)
	if err := db.PingContext(ctx); err != nil {
		return nil, errors.Join(err, db.Close())
	}
	return &Store{Queries: Queries{db}, write: db, read: db}, nil
}

// Damage lists what is wrong within the database file itself; none where it is whole.
func (q Queries) Damage(ctx context.Context) ([]string, error) {
	out := []string{}
	said, err := list(ctx, q, func(r row, s *string) error { return r.Scan(s) }, `pragma integrity_check`)
	if err != nil {
		return []string{fmt.Sprintf("the database cannot be read: %v", err)}, nil
	}
	for _, s := range said {
		if s != "ok" {
			out = append(out, "the database: "+s)
		}
	}
	lost, err := list(ctx, q, func(r row, s *string) error {
		var table, parent string
		var id, key sql.NullInt64
		err := r.Scan(&table, &id, &parent, &key)
		*s = fmt.Sprintf("the database: a row of %s speaks of a %s that is not there", table, parent)
		return err
	}, `pragma foreign_key_check`)
	return append(out, lost...), err
}

// Copy writes a consistent copy of the database into a file while it is used.
func (s *Store) Copy(ctx context.Context, to string) error {
	return keepCopy(ctx, s.read, filepath.Dir(to), filepath.Base(to))
}

// private takes the database's files from others than the owner.
func private(path string) error {
	for _, name := range []string{path, path + "-wal", path + "-shm"} {
		if err := os.Chmod(name, 0o600); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("keep %s to its owner: %w", name, err)
		}
	}
	return nil
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
	w := within{tx, s.writing, map[string]*sql.Stmt{}}
	if err := f(Queries{w}); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	w.learn(ctx)
	return nil
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

// count reads a single number, or returns ErrNotFound.
func (q Queries) count(ctx context.Context, query string, args ...any) (int, error) {
	return one(ctx, q, func(r row, n *int) error { return r.Scan(n) }, query, args...)
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
