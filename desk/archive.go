package desk

import (
	"context"
	"slices"
	"strings"

	"durvek/core/record"
)

// Archivable lists what can be archived: it is kept with all that rests on it, and no longer offered.
var Archivable = []string{"model", "variant", "unit", "setup", "plan", "review"}

// Archive keeps something and has it no longer offered: lists leave it out, and fields by rule do. What was measured
// stays in the desk's history and in the tests' repeatability.
func (d *Desk) Archive(ctx context.Context, kind, slug, reason, by string) error {
	if !slices.Contains(Archivable, kind) {
		return Refuse(Invalid, "a %s cannot be archived; one of these can: %s", kind, strings.Join(Archivable, ", "))
	}
	known, err := d.Store.Known(ctx, kind, slug)
	if err != nil {
		return err
	}
	if !known {
		return Refuse(NotFound, "no %s %q is known; the list of all names them", kind, slug)
	}
	return d.Put(ctx, by, "archive "+kind, slug, func(q *Tx) error {
		return q.Archive(ctx, record.Archived{Kind: kind, Slug: slug, By: by, Reason: reason, At: d.Now()})
	})
}

// Unarchive has something offered again.
func (d *Desk) Unarchive(ctx context.Context, kind, slug, by string) error {
	return d.Put(ctx, by, "take "+kind+" out of the archive", slug, func(q *Tx) error {
		was, err := q.Unarchive(ctx, kind, slug)
		if err == nil && !was {
			return Refuse(NotFound, "no %s %q is archived", kind, slug)
		}
		return err
	})
}

// Offered leaves out of a list what is archived.
func Offered[T any](ctx context.Context, d *Desk, kind string, list []T, slug func(T) string) ([]T, error) {
	gone, err := d.Store.ArchivedOf(ctx, kind)
	return slices.DeleteFunc(list, func(v T) bool {
		return slices.ContainsFunc(gone, func(a record.Archived) bool { return a.Slug == slug(v) })
	}), err
}
