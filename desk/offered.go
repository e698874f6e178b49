package desk

import (
	"context"
	"fmt"
	"slices"

	"durvek/core/catalog"
	"durvek/core/record"
	"durvek/core/say"
)

// CheckKinds says which of some kinds of product is neither in the list nor of the desk's own; "" if all are known.
func (d *Desk) CheckKinds(ctx context.Context, kinds ...catalog.Kind) (string, error) {
	own, err := d.Store.Kinds(ctx)
	if err != nil {
		return "", err
	}
	known := slices.Clone(catalog.Kinds)
	for _, o := range own {
		known = append(known, o.Kind)
	}
	for _, k := range kinds {
		if !slices.Contains(known, k) {
			return fmt.Sprintf("unknown kind %q; known: %s; a kind of your own is added to the desk's kinds first", k,
				say.List(known)), nil
		}
	}
	return "", nil
}

// Offered leaves out of a list what is archived.
func Offered[T any](ctx context.Context, d *Desk, kind string, list []T, slug func(T) string) ([]T, error) {
	gone, err := d.Store.ArchivedOf(ctx, kind)
	return slices.DeleteFunc(list, func(v T) bool {
		return slices.ContainsFunc(gone, func(a record.Archived) bool { return a.Slug == slug(v) })
	}), err
}
