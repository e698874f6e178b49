package books

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"durvek/core/catalog"
	"durvek/desk"
)

func (d *Books) variantsOf(ctx context.Context, model string) ([]catalog.DossierVariant, error) {
	variants, err := d.desk.Store.Variants(ctx, model)
	if err != nil {
		return nil, err
	}
	out := []catalog.DossierVariant{}
	for _, v := range variants {
		x, err := d.withParts(ctx, v)
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

func (d *Books) withParts(ctx context.Context, v catalog.Variant) (x catalog.DossierVariant, err error) {
	x.Variant = v
	if x.Units, err = d.desk.Store.Units(ctx, v.Slug); err != nil {
		return
	}
	if x.Claims, err = d.desk.Store.Claims(ctx, v.Slug); err != nil {
		return
	}
	x.Offers, err = d.desk.Store.Offers(ctx, v.Slug)
	return
}

// ModelPage is all that a desk knows of a model.
type ModelPage struct {
	Model      catalog.Model            `json:"model"`
	Variants   []catalog.DossierVariant `json:"variants"`
	Sheets     [][]catalog.SpecRow      `json:"sheets" doc:"Readable spec sheet per variant"`
	Lineage    []catalog.Model          `json:"lineage" doc:"Predecessors, the latest first"`
	Successors []catalog.Model          `json:"successors"`
	Rigs       []catalog.Rig            `json:"rigs"`
}

// ModelPage finds a model with its variants, units, claims, offers, predecessors and successors.
func (d *Books) ModelPage(ctx context.Context, slug string) (ModelPage, error) {
	p := ModelPage{Lineage: []catalog.Model{}, Successors: []catalog.Model{}, Sheets: [][]catalog.SpecRow{}}
	models, err := d.desk.Store.Models(ctx)
	if err != nil {
		return p, err
	}
	bySlug := map[string]catalog.Model{}
	for _, m := range models {
		bySlug[m.Slug] = m
		if m.Succeeds == slug {
			p.Successors = append(p.Successors, m)
		}
	}
	var ok bool
	if p.Model, ok = bySlug[slug]; !ok {
		return p, desk.Refuse(desk.NotFound, "no model %q is known here", slug)
	}
	for at := p.Model.Succeeds; at != "" && len(p.Lineage) < len(models); at = bySlug[at].Succeeds {
		p.Lineage = append(p.Lineage, bySlug[at])
	}
	if p.Variants, err = d.variantsOf(ctx, slug); err != nil {
		return p, err
	}
	for _, v := range p.Variants {
		p.Sheets = append(p.Sheets, catalog.SpecSheet(v.Spec))
	}
	p.Rigs, err = d.desk.Store.Rigs(ctx, slug)
	return p, err
}

// Models lists all models.
func (d *Books) Models(ctx context.Context) ([]catalog.Model, error) { return d.desk.Store.Models(ctx) }

// Variants lists the variants of a model, or all.
func (d *Books) Variants(ctx context.Context, model string) ([]catalog.Variant, error) {
	return d.desk.Store.Variants(ctx, model)
}

// Variant finds a variant with its units, claims and offers.
func (d *Books) Variant(ctx context.Context, slug string) (catalog.DossierVariant, error) {
	v, err := d.desk.Store.Variant(ctx, slug)
	if err != nil {
		return catalog.DossierVariant{}, desk.Missing(err, "variant", slug)
	}
	return d.withParts(ctx, v)
}

// Units lists the units of a variant, or all.
func (d *Books) Units(ctx context.Context, variant string) ([]catalog.Unit, error) {
	return d.desk.Store.Units(ctx, variant)
}

// Unit finds one unit.
func (d *Books) Unit(ctx context.Context, slug string) (catalog.Unit, error) {
	u, err := d.desk.Store.Unit(ctx, slug)
	return u, desk.Missing(err, "unit", slug)
}

// Rigs lists all rigs.
func (d *Books) Rigs(ctx context.Context) ([]catalog.Rig, error) { return d.desk.Store.Rigs(ctx, "") }

// Rig finds one rig.
func (d *Books) Rig(ctx context.Context, slug string) (catalog.Rig, error) {
	rigs, err := d.desk.Store.Rigs(ctx, "")
	if err != nil {
		return catalog.Rig{}, err
	}
	if i := slices.IndexFunc(rigs, func(r catalog.Rig) bool { return r.Slug == slug }); i >= 0 {
		return rigs[i], nil
	}
	return catalog.Rig{}, desk.Refuse(desk.NotFound, "no rig %q is known here", slug)
}

// AddModel adds a model, or changes what is named of one that is there; it returns what stands then.
func (d *Books) AddModel(ctx context.Context, m catalog.Model, by string) (_ catalog.Model, err error) {
	if m.Slug == "" {
		if m.Slug, err = d.freeModel(ctx, m); err != nil {
			return m, err
		}
	}
	old, err := d.desk.Store.Model(ctx, m.Slug)
	if known, err := desk.Found(err); err != nil {
		return m, err
	} else if known {
		m = overlay(old, m)
	}
	return m, d.putModel(ctx, m, by)
}

func (d *Books) putModel(ctx context.Context, m catalog.Model, by string) error {
	known := map[string]bool{}
	models, err := d.desk.Store.Models(ctx)
	if err != nil {
		return err
	}
	for _, x := range models {
		known[x.Slug] = true
	}
	if err := desk.FirstProblem("model", catalog.Dossier{Model: m}.Check(nil, known)); err != nil {
		return err
	}
	if why, err := d.desk.CheckKinds(ctx, m.Kind); err != nil || why != "" {
		return cmp.Or(err, desk.Refuse(desk.Invalid, "model refused: %s", why))
	}
	return d.desk.Put(ctx, by, "add model", m.Slug, func(q *desk.Tx) error { return q.PutModel(ctx, m) })
}

// AddVariant adds a variant to a model, or changes what is named of one that is there; it returns what stands then.
func (d *Books) AddVariant(ctx context.Context, v catalog.Variant, by string) (_ catalog.Variant, err error) {
	if v.Slug == "" {
		if v.Slug, err = d.freeVariant(ctx, v); err != nil {
			return v, err
		}
	}
	old, err := d.desk.Store.Variant(ctx, v.Slug)
	if known, err := desk.Found(err); err != nil {
		return v, err
	} else if known {
		v = overlay(old, v)
	}
	if _, err := d.desk.Store.Model(ctx, v.Model); err != nil {
		return v, desk.Missing(err, "model", v.Model)
	}
	probe := catalog.Dossier{Model: catalog.Model{Slug: v.Model, Kind: catalog.Kinds[0]},
		Variants: []catalog.DossierVariant{{Variant: v}}}
	if err := d.refused(ctx, "variant", probe, probe.Check(nil, nil)...); err != nil {
		return v, err
	}
	at, err := d.positionOf(ctx, v)
	if err != nil {
		return v, err
	}
	return v, d.desk.Put(ctx, by, "add variant", v.Slug, func(q *desk.Tx) error { return q.PutVariant(ctx, v, at) })
}

// AddUnit adds a unit of a variant, or changes what is named of one that is there; it returns what stands then.
func (d *Books) AddUnit(ctx context.Context, u catalog.Unit, by string) (_ catalog.Unit, err error) {
	if u.Slug == "" {
		if u.Slug, err = d.freeUnit(ctx, u); err != nil {
			return u, err
		}
	}
	old, err := d.desk.Store.Unit(ctx, u.Slug)
	if known, err := desk.Found(err); err != nil {
		return u, err
	} else if known {
		u = overlay(old, u)
	} else {
		u.Origin, u.State = cmp.Or(u.Origin, "bought"), cmp.Or(u.State, "on desk")
	}
	v, err := d.desk.Store.Variant(ctx, u.Variant)
	if err != nil {
		return u, desk.Missing(err, "variant", u.Variant)
	}
	probe := catalog.Dossier{Model: catalog.Model{Slug: v.Model, Kind: catalog.Kinds[0]},
		Variants: []catalog.DossierVariant{{Variant: v, Units: []catalog.Unit{u}}}}
	if err := d.refused(ctx, "unit", probe, probe.Check(nil, nil)...); err != nil {
		return u, err
	}
	return u, d.desk.Put(ctx, by, "add unit", u.Slug, func(q *desk.Tx) error { return q.PutUnit(ctx, u, 0) })
}

// AddRig adds a rig, or changes one that is there.
func (d *Books) AddRig(ctx context.Context, r catalog.Rig, by string) error {
	if len(r.Parts) == 0 {
		return desk.Refuse(desk.Invalid, "rig refused: a rig needs at least one part")
	}
	if s := catalog.CheckSlug(r.Slug); s != "" {
		return desk.Refuse(desk.Invalid, "rig refused: %s", s)
	}
	if err := d.refused(ctx, "rig", catalog.Dossier{Rigs: []catalog.Rig{r}}); err != nil {
		return err
	}
	return d.desk.Put(ctx, by, "add rig", r.Slug, func(q *desk.Tx) error { return q.PutRig(ctx, r, "") })
}

// AddClaim adds a claim about a variant and returns it with its id.
func (d *Books) AddClaim(ctx context.Context, c catalog.Claim, by string) (catalog.Claim, error) {
	v, err := d.desk.Store.Variant(ctx, c.Variant)
	if err != nil {
		return c, desk.Missing(err, "variant", c.Variant)
	}
	measures, err := d.judges(ctx)
	if err != nil {
		return c, err
	}
	if err := desk.FirstProblem("claim", c.Check(measures, v.Spec)); err != nil {
		return c, err
	}
	c.ID = desk.NewID()
	return c, d.desk.Put(ctx, by, "add claim", c.Variant, func(q *desk.Tx) error {
		return errors.Join(d.brings(ctx, q, c.Measure), q.AddClaim(ctx, c, 1000))
	})
}

// AddOffer adds an offer of a variant and returns it with its id.
func (d *Books) AddOffer(ctx context.Context, o catalog.Offer, by string) (catalog.Offer, error) {
	if _, err := d.desk.Store.Variant(ctx, o.Variant); err != nil {
		return o, desk.Missing(err, "variant", o.Variant)
	}
	if err := desk.FirstProblem("offer", o.Check()); err != nil {
		return o, err
	}
	o.ID = desk.NewID()
	return o, d.desk.Put(ctx, by, "add offer", o.Variant, func(q *desk.Tx) error { return q.AddOffer(ctx, o, 1000) })
}

// Offers lists the offers of a variant, or all.
func (d *Books) Offers(ctx context.Context, variant string) ([]catalog.Offer, error) {
	return d.desk.Store.Offers(ctx, variant)
}

// Rates lists all exchange rates.
func (d *Books) Rates(ctx context.Context) (catalog.Rates, error) { return d.desk.Store.Rates(ctx) }

// AddRate adds an exchange rate, or corrects that of the day.
func (d *Books) AddRate(ctx context.Context, r catalog.Rate, by string) (catalog.Rate, error) {
	if err := desk.FirstProblem("rate", r.Check()); err != nil {
		return r, err
	}
	return r, d.desk.Put(ctx, by, "add rate", r.From+" "+r.To, func(q *desk.Tx) error { return q.PutRate(ctx, r, by) })
}
