package books

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"durvek/core/analyse"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/desk"
	"durvek/document"
	"durvek/store"
)

var dossierSchema = desk.Schema("dossier")

// Intake tells what a dossier brought.
type Intake struct {
	Model    string `json:"model"`
	Variants int    `json:"variants"`
	Units    int    `json:"units"`
	Claims   int    `json:"claims"`
	Offers   int    `json:"offers"`
	Rigs     int    `json:"rigs"`
	Checked  bool   `json:"checked_only" doc:"Nothing was written: this was a check"`
}

// ImportDossier takes in everything a dossier says, or nothing: faults come back all at once as
// *document.Faults. What a dossier says of a variant's claims and offers replaces what was there.
// With checkOnly set nothing is written.
func (d *Books) ImportDossier(ctx context.Context, data []byte, checkOnly bool, by string) (Intake, error) {
	in := Intake{Checked: checkOnly}
	file, err := document.Read("dossier", data)
	if err != nil {
		return in, err
	}
	var dossier catalog.Dossier
	if err := file.Decode(dossierSchema, &dossier); err != nil {
		return in, err
	}
	measures, err := d.judges(ctx)
	if err != nil {
		return in, err
	}
	models, err := d.desk.Store.Models(ctx)
	if err != nil {
		return in, err
	}
	known := map[string]bool{}
	for _, m := range models {
		known[m.Slug] = true
	}
	found := dossier.Check(measures, known)
	elsewhere, err := d.placeProblems(ctx, dossier)
	if err != nil {
		return in, err
	}
	found = append(found, elsewhere...)
	if why, err := d.desk.CheckKinds(ctx, dossier.Model.Kind); err != nil {
		return in, err
	} else if why != "" {
		found = append(found, catalog.Problem{Path: []any{"model", "kind"}, Reason: why})
	}
	if err := file.Reject(desk.Problems(found)); err != nil {
		return in, err
	}
	in.Model, in.Variants, in.Rigs = dossier.Model.Slug, len(dossier.Variants), len(dossier.Rigs)
	for _, v := range dossier.Variants {
		in.Units += len(v.Units)
		in.Claims += len(v.Claims)
		in.Offers += len(v.Offers)
	}
	if checkOnly {
		return in, nil
	}
	return in, d.takeIn(ctx, dossier, by, "import dossier")
}

// TakeExample takes in the dossier of a made-up rival, whose units are marked as such.
func (d *Books) TakeExample(ctx context.Context, x catalog.Dossier, by string) error {
	return d.takeIn(ctx, x, by, "load example", func(q *desk.Tx) error {
		for _, v := range x.Variants {
			for _, u := range v.Units {
				if err := q.PutExample(ctx, u.Slug); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// takeIn writes everything that a dossier says, with what else is to be written with it.
func (d *Books) takeIn(ctx context.Context, x catalog.Dossier, by, act string, with ...func(*desk.Tx) error) error {
	return d.desk.Put(ctx, by, act, x.Model.Slug, func(q *desk.Tx) error {
		if err := q.PutModel(ctx, x.Model); err != nil {
			return err
		}
		for i, v := range x.Variants {
			v.Variant.Model = x.Model.Slug
			if err := d.putVariant(ctx, q, v, i); err != nil {
				return err
			}
		}
		for _, r := range x.Rigs {
			if err := q.PutRig(ctx, r, x.Model.Slug); err != nil {
				return err
			}
		}
		for _, f := range with {
			if err := f(q); err != nil {
				return err
			}
		}
		return nil
	})
}

func (d *Books) putVariant(ctx context.Context, q *desk.Tx, v catalog.DossierVariant, position int) error {
	if err := q.PutVariant(ctx, v.Variant, position); err != nil {
		return err
	}
	for j, u := range v.Units {
		u.Variant = v.Slug
		if err := q.PutUnit(ctx, u, j); err != nil {
			return err
		}
	}
	if err := q.DropClaims(ctx, v.Slug); err != nil {
		return err
	}
	for j, c := range v.Claims {
		c.ID, c.Variant = desk.NewID(), v.Slug
		if err := errors.Join(d.brings(ctx, q, c.Measure), q.AddClaim(ctx, c, j)); err != nil {
			return err
		}
	}
	if err := q.DropOffers(ctx, v.Slug); err != nil {
		return err
	}
	for j, o := range v.Offers {
		o.ID, o.Variant = desk.NewID(), v.Slug
		if err := q.AddOffer(ctx, o, j); err != nil {
			return err
		}
	}
	return nil
}

// placeProblems finds slugs that another model's variant or unit holds, and rigs of unknown units.
func (d *Books) placeProblems(ctx context.Context, x catalog.Dossier) (out []catalog.Problem, err error) {
	here := map[string]bool{}
	for i, v := range x.Variants {
		old, err := d.desk.Store.Variant(ctx, v.Slug)
		known, err := desk.Found(err)
		if err != nil {
			return nil, err
		}
		if known && old.Model != x.Model.Slug {
			out = append(out, catalog.Problem{Path: []any{"variants", i, "slug"},
				Reason: fmt.Sprintf("variant %q belongs to model %q already", v.Slug, old.Model)})
		}
		for j, u := range v.Units {
			here[u.Slug] = true
			old, err := d.desk.Store.Unit(ctx, u.Slug)
			known, err := desk.Found(err)
			if err != nil {
				return nil, err
			}
			if known && old.Variant != v.Slug {
				out = append(out, catalog.Problem{Path: []any{"variants", i, "units", j, "slug"},
					Reason: fmt.Sprintf("unit %q belongs to variant %q already", u.Slug, old.Variant)})
			}
		}
	}
	for i, r := range x.Rigs {
		for j, p := range r.Parts {
			_, err := d.desk.Store.Unit(ctx, p.Unit)
			known, err := desk.Found(err)
			if err != nil {
				return nil, err
			}
			if !known && !here[p.Unit] {
				out = append(out, catalog.Problem{Path: []any{"rigs", i, "parts", j, "unit"},
					Reason: fmt.Sprintf("no unit %q is known", p.Unit)})
			}
		}
	}
	return out, nil
}

// refused says everything that is wrong with one entry, by itself and beside what is there.
func (d *Books) refused(ctx context.Context, what string, x catalog.Dossier, own ...catalog.Problem) error {
	elsewhere, err := d.placeProblems(ctx, x)
	if err != nil {
		return err
	}
	return desk.FirstProblem(what, append(own, elsewhere...))
}

// ExportDossier gives everything known of a model, in the form that ImportDossier takes in.
func (d *Books) ExportDossier(ctx context.Context, slug string) (catalog.Dossier, error) {
	x := catalog.Dossier{Format: catalog.DossierFormat}
	var err error
	if x.Model, err = d.desk.Store.Model(ctx, slug); err != nil {
		return x, desk.Missing(err, "model", slug)
	}
	page, err := d.variantsOf(ctx, slug)
	if err != nil {
		return x, err
	}
	for _, v := range page {
		v.Variant.Model = ""
		for i := range v.Units {
			v.Units[i].Variant = ""
		}
		for i := range v.Claims {
			v.Claims[i].ID, v.Claims[i].Variant = "", ""
		}
		for i := range v.Offers {
			v.Offers[i].ID, v.Offers[i].Variant = "", ""
		}
		x.Variants = append(x.Variants, v)
	}
	x.Rigs, err = d.desk.Store.Rigs(ctx, slug)
	return x, err
}

// brings adds the test of an analysis to the desk where a claim is the first to speak of it.
func (d *Books) brings(ctx context.Context, q *desk.Tx, measure string) error {
	name, _ := method.Split(measure)
	a, ok := analyse.Named(name)
	if _, err := q.Test(ctx, name, 0); !ok || !errors.Is(err, store.ErrNotFound) {
		return nil
	}
	return q.PutTest(ctx, a.Test(), d.desk.Now())
}

func (d *Books) judges(ctx context.Context) (map[string]catalog.Judge, error) {
	tests, err := d.desk.Store.Tests(ctx)
	if err != nil {
		return nil, err
	}
	out := map[string]catalog.Judge{}
	for _, a := range analyse.Analyses() { // they come with their first file, or claim
		tests = append(tests, a.Test())
	}
	slices.Reverse(tests) // what the desk has itself says how
	for _, t := range tests {
		for _, m := range t.Measures {
			out[method.ID(t.Slug, m.Slug)] = catalog.Judge{Unit: m.Unit, Better: m.Better}
		}
	}
	return out, nil
}
