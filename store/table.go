package store

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"durvek/core/record"
	"durvek/trace"
)

// part is a column with the place of its value: a pointer, or one of the adapters below.
type part struct {
	column string
	at     any
}

// table says once how the values of a type stand in a table: what is read and what is written follow from it.
type table[T any] struct {
	name  string
	key   []string // what makes two rows the same
	kept  []string // columns that a row keeps when it is put again
	parts func(*T) []part
	// read are columns that are worked out when a row is read.
	read func(*T) []part
}

func (t table[T]) all(v *T) []part {
	if t.read == nil {
		return t.parts(v)
	}
	return append(t.parts(v), t.read(v)...)
}

func (t table[T]) scan(r row, v *T) error {
	parts := t.all(v)
	to := make([]any, len(parts))
	for i, p := range parts {
		to[i] = p.at
	}
	return r.Scan(to...)
}

// list reads the rows that rest, all after the table's name, asks for; one reads a single one, or returns ErrNotFound.
func (t table[T]) list(ctx context.Context, q Queries, rest string, args ...any) ([]T, error) {
	return list(ctx, q, t.scan, t.selecting()+rest, args...)
}

func (t table[T]) one(ctx context.Context, q Queries, rest string, args ...any) (T, error) {
	return one(ctx, q, t.scan, t.selecting()+rest, args...)
}

func (t table[T]) selecting() string {
	var v T
	return "select " + names(t.all(&v)) + " from " + t.name + " "
}

// put adds a row, or replaces that of the same key; more are columns that the value does not hold.
func (t table[T]) put(ctx context.Context, q Queries, v *T, more ...part) error {
	_, err := t.write(ctx, q, v, t.replacing(v, more), more)
	return err
}

// insert adds a row, which must be new.
func (t table[T]) insert(ctx context.Context, q Queries, v *T, more ...part) error {
	_, err := t.write(ctx, q, v, "", more)
	return err
}

// add adds a row and tells whether it is new; one of the same key stays as it is.
func (t table[T]) add(ctx context.Context, q Queries, v *T, more ...part) (bool, error) {
	return t.write(ctx, q, v, " on conflict do nothing", more)
}

// replacing is what becomes of a row of the same key.
func (t table[T]) replacing(v *T, more []part) string {
	var sets []string
	for _, p := range append(t.parts(v), more...) {
		if !slices.Contains(t.key, p.column) && !slices.Contains(t.kept, p.column) {
			sets = append(sets, p.column+" = excluded."+p.column)
		}
	}
	return " on conflict (" + strings.Join(t.key, ", ") + ") do update set " + strings.Join(sets, ", ")
}

func (t table[T]) write(ctx context.Context, q Queries, v *T, conflict string, more []part) (bool, error) {
	parts := append(t.parts(v), more...)
	values := make([]any, len(parts))
	for i, p := range parts {
		values[i] = p.at
	}
	return q.changed(ctx, "insert into "+t.name+" ("+names(parts)+") values (?"+strings.Repeat(",?", len(parts)-1)+")"+
		conflict, values...)
}

func names(parts []part) string {
	out := make([]string, len(parts))
	for i, p := range parts {
		out[i] = p.column
	}
	return strings.Join(out, ", ")
}

// column keeps a value as JSON.
type column[T any] struct{ v *T }

func into[T any](v *T) column[T] { return column[T]{v} }

// Scan reads the value back.
func (c column[T]) Scan(src any) error {
	s, _ := src.(string)
	return json.Unmarshal([]byte(s), c.v)
}

// Value is its text.
func (c column[T]) Value() (driver.Value, error) { return JSON(*c.v), nil }

// moment keeps a time as text that sorts as times do.
type moment struct{ t *time.Time }

// Scan reads the time back.
func (m moment) Scan(src any) error {
	s, _ := src.(string)
	t, err := time.Parse(time.RFC3339, s)
	*m.t = t
	return err
}

// Value is its text.
func (m moment) Value() (driver.Value, error) { return Stamp(*m.t), nil }

// maybe is a moment that may not have come yet.
type maybe struct{ t **time.Time }

// Scan reads the time back.
func (m maybe) Scan(src any) error {
	if src == nil {
		return nil
	}
	*m.t = new(time.Time)
	return moment{*m.t}.Scan(src)
}

// Value is its text, or null.
func (m maybe) Value() (driver.Value, error) {
	if *m.t == nil {
		return nil, nil
	}
	return Stamp(**m.t), nil
}

// null keeps an empty text as null, so that it names nothing.
type null struct{ s *string }

// Scan reads the text back.
func (n null) Scan(src any) error {
	*n.s, _ = src.(string)
	return nil
}

// Value is the text, or null.
func (n null) Value() (driver.Value, error) {
	if *n.s == "" {
		return nil, nil
	}
	return *n.s, nil
}

// packed keeps a trace as it is packed.
type packed struct{ t *record.Trace }

// Scan unpacks it.
func (p packed) Scan(src any) (err error) {
	b, ok := src.([]byte)
	if !ok {
		return fmt.Errorf("a trace is kept as %T", src)
	}
	*p.t, err = trace.Unpack(slices.Clone(b))
	return err
}

// Value packs it.
func (p packed) Value() (driver.Value, error) { return trace.Pack(*p.t), nil }
