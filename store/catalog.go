package store

import (
	"context"

	"durvek/core/catalog"
	"durvek/core/fit"
	"durvek/core/ranking"
)

var models = table[catalog.Model]{name: "model", key: []string{"slug"}, parts: func(m *catalog.Model) []part {
	return []part{{"slug", &m.Slug}, {"maker", &m.Maker}, {"name", &m.Name}, {"kind", &m.Kind}, {"released", &m.Released},
		{"succeeds", null{&m.Succeeds}}, {"also_sold_as", into(&m.AlsoSoldAs)}, {"notes", &m.Notes}}
}}

// PutModel adds or replaces a model.
func (q Queries) PutModel(ctx context.Context, m catalog.Model) error {
	if m.AlsoSoldAs == nil {
		m.AlsoSoldAs = []catalog.Alias{}
	}
	return models.put(ctx, q, &m)
}

// Models lists all models, by maker and name.
func (q Queries) Models(ctx context.Context) ([]catalog.Model, error) {
	return models.list(ctx, q, `order by maker, name, slug`)
}

// Model finds one model.
func (q Queries) Model(ctx context.Context, slug string) (catalog.Model, error) {
	return models.one(ctx, q, `where slug = ?`, slug)
}

var variants = table[catalog.Variant]{name: "variant", key: []string{"slug"}, parts: func(v *catalog.Variant) []part {
	return []part{{"slug", &v.Slug}, {"model", &v.Model}, {"name", &v.Name}, {"spec", into(&v.Spec)}, {"notes", &v.Notes}}
}}

// PutVariant adds or replaces a variant.
func (q Queries) PutVariant(ctx context.Context, v catalog.Variant, position int) error {
	if v.Spec == nil {
		v.Spec = map[string]any{}
	}
	return variants.put(ctx, q, &v, part{"position", position})
}

// Variants lists the variants of a model, or all of them if model is empty.
func (q Queries) Variants(ctx context.Context, model string) ([]catalog.Variant, error) {
	return variants.list(ctx, q, `where ? in ('', model) order by model, position, slug`, model)
}

// Variant finds one variant.
func (q Queries) Variant(ctx context.Context, slug string) (catalog.Variant, error) {
	return variants.one(ctx, q, `where slug = ?`, slug)
}

var units = table[catalog.Unit]{name: "unit", key: []string{"slug"}, parts: func(u *catalog.Unit) []part {
	return []part{{"slug", &u.Slug}, {"variant", &u.Variant}, {"origin", &u.Origin}, {"serial", &u.Serial},
		{"received", &u.Received}, {"state", &u.State}, {"notes", &u.Notes}}
}}

// PutUnit adds or replaces a unit.
func (q Queries) PutUnit(ctx context.Context, u catalog.Unit, position int) error {
	return units.put(ctx, q, &u, part{"position", position})
}

// Units lists the units of a variant, or all of them if variant is empty.
func (q Queries) Units(ctx context.Context, variant string) ([]catalog.Unit, error) {
	return units.list(ctx, q, `where ? in ('', variant) order by variant, position, slug`, variant)
}

// Unit finds one unit.
func (q Queries) Unit(ctx context.Context, slug string) (catalog.Unit, error) {
	return units.one(ctx, q, `where slug = ?`, slug)
}

var rigs = table[catalog.Rig]{name: "rig", key: []string{"slug"}, parts: func(r *catalog.Rig) []part {
	return []part{{"slug", &r.Slug}, {"name", &r.Name}, {"notes", &r.Notes}}
}, read: func(r *catalog.Rig) []part {
	return []part{{`(select coalesce(json_group_array(json_object('unit', unit, 'role', role)), '[]')
		from (select unit, role from rig_part where rig = slug order by position))`, into(&r.Parts)}}
}}

var rigParts = table[catalog.RigPart]{name: "rig_part", parts: func(p *catalog.RigPart) []part {
	return []part{{"unit", &p.Unit}, {"role", &p.Role}}
}}

// PutRig adds or replaces a rig; model is the dossier it came in, or "".
func (q Queries) PutRig(ctx context.Context, r catalog.Rig, model string) error {
	if err := rigs.put(ctx, q, &r, part{"model", null{&model}}); err != nil {
		return err
	}
	if err := q.exec(ctx, `delete from rig_part where rig = ?`, r.Slug); err != nil {
		return err
	}
	for i, p := range r.Parts {
		if _, err := rigParts.write(ctx, q, &p, "", []part{{"rig", r.Slug}, {"position", i}}); err != nil {
			return err
		}
	}
	return nil
}

// Rigs lists the rigs that came in with a model's dossier, or all of them if model is empty.
func (q Queries) Rigs(ctx context.Context, model string) ([]catalog.Rig, error) {
	return rigs.list(ctx, q, `where ? in ('', model) order by slug`, model)
}

// HasRig tells whether a rig exists.
func (q Queries) HasRig(ctx context.Context, slug string) (bool, error) {
	n, err := q.count(ctx, `select count(*) from rig where slug = ?`, slug)
	return n > 0, err
}

var claims = table[catalog.Claim]{name: "claim", parts: func(c *catalog.Claim) []part {
	return []part{{"id", &c.ID}, {"variant", &c.Variant}, {"measure", &c.Measure}, {"value", &c.Value}, {"unit", &c.Unit},
		{"qualifier", &c.Qualifier}, {"conditions", into(&c.Conditions)}, {"place", &c.Place}, {"link", &c.Link},
		{"tolerance", &c.Tolerance}, {"source", &c.Source}, {"date", &c.Date}}
}}

// AddClaim adds a claim.
func (q Queries) AddClaim(ctx context.Context, c catalog.Claim, position int) error {
	if c.Conditions == nil {
		c.Conditions = map[string]string{}
	}
	return claims.insert(ctx, q, &c, part{"position", position})
}

// Claims lists the claims about a variant, or all of them if variant is empty.
func (q Queries) Claims(ctx context.Context, variant string) ([]catalog.Claim, error) {
	return claims.list(ctx, q, `where ? in ('', variant) order by variant, position, id`, variant)
}

// DropClaims removes all claims about a variant.
func (q Queries) DropClaims(ctx context.Context, variant string) error {
	return q.exec(ctx, `delete from claim where variant = ?`, variant)
}

var offers = table[catalog.Offer]{name: "offer", parts: func(o *catalog.Offer) []part {
	return []part{{"id", &o.ID}, {"variant", &o.Variant}, {"amount", &o.Amount}, {"currency", &o.Currency},
		{"region", &o.Region}, {"tax_included", &o.TaxIncluded}, {"condition", &o.Condition}, {"seller", &o.Seller},
		{"date", &o.Date}, {"voucher", into(&o.Voucher)}, {"contents", into(&o.Contents)}, {"list", &o.List}}
}}

// AddOffer adds an offer.
func (q Queries) AddOffer(ctx context.Context, o catalog.Offer, position int) error {
	if o.Contents == nil {
		o.Contents = []string{}
	}
	return offers.insert(ctx, q, &o, part{"position", position})
}

// Offers lists the offers of a variant, or all of them if variant is empty.
func (q Queries) Offers(ctx context.Context, variant string) ([]catalog.Offer, error) {
	return offers.list(ctx, q, `where ? in ('', variant) order by variant, position, id`, variant)
}

// DropOffers removes all offers of a variant.
func (q Queries) DropOffers(ctx context.Context, variant string) error {
	return q.exec(ctx, `delete from offer where variant = ?`, variant)
}

// PutField adds or replaces a field.
func (q Queries) PutField(ctx context.Context, f ranking.Field) error {
	return q.exec(ctx, `insert into field (slug, name, rule, position) values (?,?,?,(select count(*) from field))
		on conflict (slug) do update set name=excluded.name, rule=excluded.rule`, f.Slug, f.Name, JSON(f))
}

// Fields lists all fields in the order they were made.
func (q Queries) Fields(ctx context.Context) ([]ranking.Field, error) {
	return list(ctx, q, func(r row, f *ranking.Field) error { return r.Scan(into(f)) },
		`select rule from field order by position, slug`)
}

var rates = table[catalog.Rate]{name: "rate", key: []string{"from_currency", "to_currency", "date"},
	parts: func(r *catalog.Rate) []part {
		return []part{{"from_currency", &r.From}, {"to_currency", &r.To}, {"date", &r.Date}, {"rate", &r.Rate},
			{"source", &r.Source}}
	}}

// PutRate adds or replaces the exchange rate of two currencies on a day.
func (q Queries) PutRate(ctx context.Context, r catalog.Rate, by string) error {
	return rates.put(ctx, q, &r, part{"by_whom", by})
}

// Rates lists all exchange rates, the newest first.
func (q Queries) Rates(ctx context.Context) (catalog.Rates, error) {
	return rates.list(ctx, q, `order by date desc, from_currency, to_currency`)
}

// PutUse adds or replaces a kind of use.
func (q Queries) PutUse(ctx context.Context, u fit.Use) error {
	return q.exec(ctx, `insert into profile (slug, body, position) values (?,?,(select count(*) from profile))
		on conflict (slug) do update set body=excluded.body`, u.Slug, JSON(u))
}

// Uses lists all kinds of use in the order they were made.
func (q Queries) Uses(ctx context.Context) ([]fit.Use, error) {
	return list(ctx, q, func(r row, u *fit.Use) error { return r.Scan(into(u)) },
		`select body from profile order by position, slug`)
}

// DropField removes a field; false if there is none.
func (q Queries) DropField(ctx context.Context, slug string) (bool, error) {
	return q.changed(ctx, `delete from field where slug = ?`, slug)
}
