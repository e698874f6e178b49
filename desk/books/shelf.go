package books

import (
	"context"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
)

// Archivable lists what can be archived: it is kept with all that rests on it, and no longer offered.
var Archivable = []string{"model", "variant", "unit", "setup", "plan", "review"}

// Archived lists what is kept and no longer offered.
func (d *Books) Archived(ctx context.Context) ([]record.Archived, error) {
	return d.desk.Store.ArchivedOf(ctx, "")
}

// Archive keeps something and has it no longer offered: lists leave it out, and fields by rule do. What was measured
// stays in the desk's history and in the tests' repeatability.
func (d *Books) Archive(ctx context.Context, kind, slug, reason, by string) error {
	if !slices.Contains(Archivable, kind) {
		return desk.Refuse(desk.Invalid, "a %s cannot be archived; one of these can: %s", kind, strings.Join(Archivable,
			", "))
	}
	known, err := d.desk.Store.Known(ctx, kind, slug)
	if err != nil {
		return err
	}
	if !known {
		return desk.Refuse(desk.NotFound, "no %s %q is known; the list of all names them", kind, slug)
	}
	if err := d.atRest(ctx, kind, slug); err != nil {
		return err
	}
	return d.desk.Put(ctx, by, "archive "+kind, slug, func(q *desk.Tx) error {
		return q.Archive(ctx, record.Archived{Kind: kind, Slug: slug, By: by, Reason: reason, At: d.desk.Now()})
	})
}

// atRest refuses a plan that a machine is working through.
func (d *Books) atRest(ctx context.Context, kind, id string) error {
	if kind != "plan" {
		return nil
	}
	plans, err := d.desk.Store.PlansAtWork(ctx)
	if err != nil || !slices.ContainsFunc(plans, func(p method.Plan) bool { return p.ID == id }) {
		return err
	}
	return desk.Refuse(desk.Conflict, "the plan %q is at work; stop it first", id)
}

// Unarchive has something offered again.
func (d *Books) Unarchive(ctx context.Context, kind, slug, by string) error {
	return d.desk.Put(ctx, by, "take "+kind+" out of the archive", slug, func(q *desk.Tx) error {
		was, err := q.Unarchive(ctx, kind, slug)
		if err == nil && !was {
			return desk.Refuse(desk.NotFound, "no %s %q is archived", kind, slug)
		}
		return err
	})
}

// Kinds lists the kinds of product: those that ship, then those of the desk's own.
func (d *Books) Kinds(ctx context.Context) ([]catalog.OwnKind, error) {
	var out []catalog.OwnKind
	for _, k := range catalog.Kinds {
		out = append(out, catalog.OwnKind{Kind: k, Plural: k.Plural()})
	}
	own, err := d.desk.Store.Kinds(ctx)
	return append(out, own...), err
}

// AddKind adds a kind of product of the desk's own.
func (d *Books) AddKind(ctx context.Context, k catalog.OwnKind, by string) (catalog.OwnKind, error) {
	if slices.Contains(catalog.Kinds, k.Kind) {
		return k, desk.Refuse(desk.Conflict, "the kind %q is there already", k.Kind)
	}
	if why := catalog.CheckSlug(string(k.Kind)); why != "" {
		return k, desk.Refuse(desk.Invalid, "%s", why)
	}
	if k.Plural == "" {
		k.Plural = k.Kind.Plural()
	}
	return k, d.desk.Put(ctx, by, "add kind", string(k.Kind), func(q *desk.Tx) error { return q.PutKind(ctx, k) })
}
