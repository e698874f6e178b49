package books

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/desk"
)

// AddDevice puts a sample on the books, with its model and variant where they are not there yet: all of it or nothing.
func (d *Books) AddDevice(ctx context.Context, x catalog.Device, by string) (catalog.Sample, error) {
	s, at, err := d.sample(ctx, x)
	if err != nil {
		return s, err
	}
	probe := catalog.Dossier{Model: s.Model, Variants: []catalog.DossierVariant{{Variant: s.Variant,
		Units: []catalog.Unit{s.Unit}}}}
	known := map[string]bool{}
	if s.Model.Succeeds != "" {
		if _, err := d.desk.Store.Model(ctx, s.Model.Succeeds); err != nil {
			return s, desk.Missing(err, "model", s.Model.Succeeds)
		}
		known[s.Model.Succeeds] = true
	}
	if err := d.refused(ctx, "device", probe, probe.Check(nil, known)...); err != nil {
		return s, err
	}
	if why, err := d.desk.CheckKinds(ctx, x.Kind); err != nil || why != "" {
		return s, cmp.Or(err, desk.Refuse(desk.Invalid, "device refused: %s", why))
	}
	return s, d.desk.Put(ctx, by, "add device", s.Unit.Slug, func(q *desk.Tx) error { return putSample(ctx, q, s, at) })
}

func putSample(ctx context.Context, q *desk.Tx, s catalog.Sample, at int) error {
	if err := q.PutModel(ctx, s.Model); err != nil {
		return err
	}
	if err := q.PutVariant(ctx, s.Variant, at); err != nil {
		return err
	}
	return q.PutUnit(ctx, s.Unit, 0)
}

// sample finds what of a device is there already and names what is not; at is the variant's place among its siblings.
func (d *Books) sample(ctx context.Context, x catalog.Device) (s catalog.Sample, at int, err error) {
	x.Maker, x.Name = strings.TrimSpace(x.Maker), strings.TrimSpace(x.Name)
	models, err := d.desk.Store.Models(ctx)
	if err != nil {
		return s, 0, err
	}
	same := strings.EqualFold
	if i := slices.IndexFunc(models, func(m catalog.Model) bool {
		return m.Kind == x.Kind && same(m.Maker, x.Maker) && same(m.Name, x.Name)
	}); i >= 0 {
		s.Model = models[i]
	} else {
		s.Model = catalog.Model{Maker: x.Maker, Name: x.Name, Kind: x.Kind}
		if s.Model.Slug, err = d.freeModel(ctx, s.Model); err != nil {
			return s, 0, err
		}
	}
	s.Model = overlay(s.Model, catalog.Model{Released: x.Released, Succeeds: x.Succeeds})
	siblings, err := d.desk.Store.Variants(ctx, s.Model.Slug)
	if err != nil {
		return s, 0, err
	}
	name := cmp.Or(strings.TrimSpace(x.Configuration), catalog.Configured(x.Spec))
	at = len(siblings)
	if i := slices.IndexFunc(siblings, func(v catalog.Variant) bool { return same(v.Name, name) }); i >= 0 {
		s.Variant, at = overlay(siblings[i], catalog.Variant{Spec: x.Spec}), i
	} else {
		s.Variant = catalog.Variant{Model: s.Model.Slug, Name: name, Spec: x.Spec}
		if s.Variant.Slug, err = d.freeVariant(ctx, s.Variant); err != nil {
			return s, 0, err
		}
	}
	s.Unit = catalog.Unit{Variant: s.Variant.Slug, Origin: cmp.Or(x.Origin, "bought"), State: "on desk", Serial: x.Serial,
		Received: x.Received, Notes: x.Notes}
	s.Unit.Slug, err = d.freeUnit(ctx, s.Unit)
	return s, at, err
}

// The free identifiers of a model, a variant and a unit that bear none yet.
func (d *Books) freeModel(ctx context.Context, m catalog.Model) (string, error) {
	find := func(ctx context.Context, s string) error { _, err := d.desk.Store.Model(ctx, s); return err }
	short := desk.Slug("model", m.Name)
	if known, err := desk.Found(find(ctx, short)); err != nil || !known {
		return short, err
	}
	return desk.Free(ctx, desk.Slug("model", m.Maker, m.Name), find)
}

func (d *Books) freeVariant(ctx context.Context, v catalog.Variant) (string, error) {
	return desk.Free(ctx, desk.Slug("variant", v.Model, v.Name), func(ctx context.Context, s string) error {
		_, err := d.desk.Store.Variant(ctx, s)
		return err
	})
}

// freeUnit is the variant's identifier with the next letter behind it.
func (d *Books) freeUnit(ctx context.Context, u catalog.Unit) (string, error) {
	find := func(ctx context.Context, s string) error { _, err := d.desk.Store.Unit(ctx, s); return err }
	for letter := 'a'; letter <= 'z'; letter++ {
		s := fmt.Sprintf("%s-%c", u.Variant, letter)
		if known, err := desk.Found(find(ctx, s)); err != nil || !known {
			return s, err
		}
	}
	return desk.Free(ctx, u.Variant+"-z", find)
}
