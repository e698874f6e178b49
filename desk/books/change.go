package books

import (
	"context"
	"maps"
	"reflect"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/say"
	"durvek/desk"
)

// overlay changes what fresh names in what stands: empty parts are kept as they are, entries of maps are joined. To
// empty a part is said explicitly, by Clear.
func overlay[T any](old, fresh T) T {
	out := old
	o, f := reflect.ValueOf(&out).Elem(), reflect.ValueOf(fresh)
	for i := range f.NumField() {
		switch x := f.Field(i); {
		case x.Kind() == reflect.Map && x.Len() > 0 && o.Field(i).Len() > 0:
			joined := reflect.MakeMap(x.Type())
			for _, m := range []reflect.Value{o.Field(i), x} {
				for it := m.MapRange(); it.Next(); {
					joined.SetMapIndex(it.Key(), it.Value())
				}
			}
			o.Field(i).Set(joined)
		case !x.IsZero():
			o.Field(i).Set(x)
		}
	}
	return out
}

// emptied clears parts of a value by their names in JSON; spec.KEY and conditions.KEY take one entry out.
func emptied[T any](v T, parts []string, may ...string) (T, error) {
	out := reflect.ValueOf(&v).Elem()
	for _, part := range parts {
		name, entry, _ := strings.Cut(part, ".")
		if !slices.Contains(may, name) {
			return v, desk.Refuse(desk.Invalid, "%q cannot be cleared; %s can", part, strings.Join(may, ", "))
		}
		for i := range out.NumField() {
			if tag, _, _ := strings.Cut(out.Type().Field(i).Tag.Get("json"), ","); tag != name {
				continue
			}
			f := out.Field(i)
			if entry == "" || f.Kind() != reflect.Map {
				f.SetZero()
				continue
			}
			if !f.MapIndex(reflect.ValueOf(entry)).IsValid() {
				return v, desk.Refuse(desk.NotFound, "there is no entry %q to clear", entry)
			}
			kept := reflect.MakeMap(f.Type())
			for it := f.MapRange(); it.Next(); {
				if it.Key().String() != entry {
					kept.SetMapIndex(it.Key(), it.Value())
				}
			}
			f.Set(kept)
		}
	}
	return v, nil
}

// Clear empties parts of a model, variant or unit.
func (d *Books) Clear(ctx context.Context, kind, slug string, parts []string, by string) error {
	if len(parts) == 0 {
		return desk.Refuse(desk.Invalid, "say what is to be cleared")
	}
	put := func(f func(*desk.Tx) error) error { return d.desk.Put(ctx, by, "clear "+kind, slug, f) }
	switch kind {
	case "model":
		m, err := d.desk.Store.Model(ctx, slug)
		if err != nil {
			return desk.Missing(err, kind, slug)
		}
		if m, err = emptied(m, parts, "released", "succeeds", "also_sold_as", "notes"); err != nil {
			return err
		}
		return put(func(q *desk.Tx) error { return q.PutModel(ctx, m) })
	case "variant":
		v, err := d.desk.Store.Variant(ctx, slug)
		if err != nil {
			return desk.Missing(err, kind, slug)
		}
		if v, err = emptied(v, parts, "spec", "notes"); err != nil {
			return err
		}
		at, err := d.positionOf(ctx, v)
		if err != nil {
			return err
		}
		return put(func(q *desk.Tx) error { return q.PutVariant(ctx, v, at) })
	case "unit":
		u, err := d.desk.Store.Unit(ctx, slug)
		if err != nil {
			return desk.Missing(err, kind, slug)
		}
		if u, err = emptied(u, parts, "serial", "received", "notes"); err != nil {
			return err
		}
		return put(func(q *desk.Tx) error { return q.PutUnit(ctx, u, 0) })
	}
	return desk.Refuse(desk.Invalid, "parts of a %s cannot be cleared", kind)
}

// positionOf is a variant's place among its siblings; behind them if it is new.
func (d *Books) positionOf(ctx context.Context, v catalog.Variant) (int, error) {
	siblings, err := d.desk.Store.Variants(ctx, v.Model)
	if i := slices.IndexFunc(siblings, func(s catalog.Variant) bool { return s.Slug == v.Slug }); i >= 0 {
		return i, err
	}
	return len(siblings), err
}

// Removable lists what can be removed while nothing hangs on it.
var Removable = []string{"model", "variant", "unit", "rig", "setup", "claim", "offer", "plan", "review"}

// Remove takes something off the books on which nothing rests; else it says what does.
func (d *Books) Remove(ctx context.Context, kind, id, by string) error {
	if !slices.Contains(Removable, kind) {
		return desk.Refuse(desk.Invalid, "a %s cannot be removed", kind)
	}
	if kind == "setup" && id == method.AsDelivered {
		return desk.Refuse(desk.Invalid, "the setup as delivered stays: everything is compared under it")
	}
	if err := d.atRest(ctx, kind, id); err != nil {
		return err
	}
	return d.desk.Put(ctx, by, "remove "+kind, id, func(q *desk.Tx) error {
		hangs, err := q.Hanging(ctx, kind, id)
		if err != nil {
			return err
		}
		if len(hangs) > 0 {
			var said []string
			for _, what := range slices.Sorted(maps.Keys(hangs)) {
				said = append(said, say.Things(hangs[what], what))
			}
			rest := "rest on it; remove those first"
			if len(said) == 1 && strings.HasPrefix(said[0], "1 ") {
				rest = "rests on it; remove that first"
			}
			return desk.Refuse(desk.Conflict, "the %s %q stays: %s %s", kind, id, strings.Join(said, ", "), rest)
		}
		gone, err := q.Remove(ctx, kind, id)
		if err == nil && !gone {
			return desk.Refuse(desk.NotFound, "no %s %q is known; the list of all names them", kind, id)
		}
		return err
	})
}
