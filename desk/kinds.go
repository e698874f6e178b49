package desk

import (
	"context"
	"fmt"
	"slices"

	"durvek/core/catalog"
)

// CheckKinds says which of some kinds of product is neither in the list nor of the desk's own; "" if all are known.
func (d *Desk) CheckKinds(ctx context.Context, kinds ...catalog.Kind) (string, error) {
	own, err := d.Store.Kinds(ctx)
	if err != nil {
		return "", err
	}
	for _, k := range kinds {
		if !slices.Contains(catalog.Kinds, k) && !slices.ContainsFunc(own,
			func(o catalog.OwnKind) bool { return o.Kind == k }) {
			known := slices.Clone(catalog.Kinds)
			for _, o := range own {
				known = append(known, o.Kind)
			}
			return fmt.Sprintf("unknown kind %q; known: %v; a kind of your own is added to the desk's kinds first", k,
				known), nil
		}
	}
	return "", nil
}

// AddKind adds a kind of product of the desk's own.
func (d *Desk) AddKind(ctx context.Context, k catalog.OwnKind, by string) (catalog.OwnKind, error) {
	if slices.Contains(catalog.Kinds, k.Kind) {
		return k, Refuse(Conflict, "the kind %q is there already", k.Kind)
	}
	if why := catalog.CheckSlug(string(k.Kind)); why != "" {
		return k, Refuse(Invalid, "%s", why)
	}
	if k.Plural == "" {
		k.Plural = k.Kind.Plural()
	}
	return k, d.Put(ctx, by, "add kind", string(k.Kind), func(q *Tx) error { return q.PutKind(ctx, k) })
}
