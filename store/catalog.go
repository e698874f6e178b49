package store

import (
	"context"

	"durvek/core/catalog"
	"durvek/core/fit"
	"durvek/core/ranking"
)

const modelColumns = `slug, maker, name, kind, released, coalesce(succeeds, ''), also_sold_as, notes`

func scanModel(r row, m *catalog.Model) error {
	return r.Scan(&m.Slug, &m.Maker, &m.Name, &m.Kind, &m.Released, &m.Succeeds, into(&m.AlsoSoldAs), &m.Notes)
}

// PutModel adds or replaces a model.
func (q Queries) PutModel(ctx context.Context, m catalog.Model) error {
	if m.AlsoSoldAs == nil {
		m.AlsoSoldAs = []catalog.Alias{}
	}
	return q.exec(ctx, `insert into model (slug, maker, name, kind, released, succeeds, also_sold_as, notes) values (?,?,?,?,?,?,?,?)
		on conflict (slug) do update set maker=excluded.maker, name=excluded.name, kind=excluded.kind, released=excluded.released,
		succeeds=excluded.succeeds, also_sold_as=excluded.also_sold_as, notes=excluded.notes`,
		m.Slug, m.Maker, m.Name, string(m.Kind), m.Released, nullable(m.Succeeds), JSON(m.AlsoSoldAs), m.Notes)
}

// Models lists all models, by maker and name.
func (q Queries) Models(ctx context.Context) ([]catalog.Model, error) {
	return list(ctx, q, scanModel, `select `+modelColumns+` from model order by maker, name, slug`)
}

// Model finds one model.
func (q Queries) Model(ctx context.Context, slug string) (catalog.Model, error) {
	return one(ctx, q, scanModel, `select `+modelColumns+` from model where slug = ?`, slug)
}

func scanVariant(r row, v *catalog.Variant) error {
	return r.Scan(&v.Slug, &v.Model, &v.Name, into(&v.Spec), &v.Notes)
}

// PutVariant adds or replaces a variant.
func (q Queries) PutVariant(ctx context.Context, v catalog.Variant, position int) error {
	if v.Spec == nil {
		v.Spec = map[string]any{}
	}
	return q.exec(ctx, `insert into variant (slug, model, name, spec, notes, position) values (?,?,?,?,?,?)
		on conflict (slug) do update set model=excluded.model, name=excluded.name, spec=excluded.spec, notes=excluded.notes, position=excluded.position`,
		v.Slug, v.Model, v.Name, JSON(v.Spec), v.Notes, position)
}

// Variants lists the variants of a model, or all of them if model is empty.
func (q Queries) Variants(ctx context.Context, model string) ([]catalog.Variant, error) {
	return list(ctx, q, scanVariant,
		`select slug, model, name, spec, notes from variant where ? in ('', model) order by model, position, slug`, model)
}

// Variant finds one variant.
func (q Queries) Variant(ctx context.Context, slug string) (catalog.Variant, error) {
	return one(ctx, q, scanVariant, `select slug, model, name, spec, notes from variant where slug = ?`, slug)
}

const unitColumns = `slug, variant, origin, serial, received, state, notes`

func scanUnit(r row, u *catalog.Unit) error {
	return r.Scan(&u.Slug, &u.Variant, &u.Origin, &u.Serial, &u.Received, &u.State, &u.Notes)
}

// PutUnit adds or replaces a unit.
func (q Queries) PutUnit(ctx context.Context, u catalog.Unit, position int) error {
	return q.exec(ctx, `insert into unit (slug, variant, origin, serial, received, state, notes, position) values (?,?,?,?,?,?,?,?)
		on conflict (slug) do update set variant=excluded.variant, origin=excluded.origin, serial=excluded.serial,
		received=excluded.received, state=excluded.state, notes=excluded.notes, position=excluded.position`,
		u.Slug, u.Variant, u.Origin, u.Serial, u.Received, u.State, u.Notes, position)
}

// Units lists the units of a variant, or all of them if variant is empty.
func (q Queries) Units(ctx context.Context, variant string) ([]catalog.Unit, error) {
	return list(ctx, q, scanUnit, `select `+unitColumns+
		` from unit where ? in ('', variant) order by variant, position, slug`, variant)
}

// Unit finds one unit.
func (q Queries) Unit(ctx context.Context, slug string) (catalog.Unit, error) {
	return one(ctx, q, scanUnit, `select `+unitColumns+` from unit where slug = ?`, slug)
}

// PutRig adds or replaces a rig; model is the dossier it came in, or "".
func (q Queries) PutRig(ctx context.Context, r catalog.Rig, model string) error {
	if err := q.exec(ctx, `insert into rig (slug, model, name, notes) values (?,?,?,?)
		on conflict (slug) do update set model=excluded.model, name=excluded.name, notes=excluded.notes`, r.Slug, nullable(model), r.Name, r.Notes); err != nil {
		return err
	}
	if err := q.exec(ctx, `delete from rig_part where rig = ?`, r.Slug); err != nil {
		return err
	}
	for i, p := range r.Parts {
		if err := q.exec(ctx, `insert into rig_part (rig, unit, role, position) values (?,?,?,?)`, r.Slug, p.Unit, p.Role,
			i); err != nil {
			return err
		}
	}
	return nil
}

// Rigs lists the rigs that came in with a model's dossier, or all of them if model is empty.
func (q Queries) Rigs(ctx context.Context, model string) ([]catalog.Rig, error) {
	return list(ctx, q, func(r row, x *catalog.Rig) error {
		return r.Scan(&x.Slug, &x.Name, &x.Notes, into(&x.Parts))
	}, `select slug, name, notes, (select coalesce(json_group_array(json_object('unit', unit, 'role', role)), '[]')
		from (select unit, role from rig_part where rig = slug order by position)) from rig where ? in ('', model) order by slug`, model)
}

// HasRig tells whether a rig exists.
func (q Queries) HasRig(ctx context.Context, slug string) (bool, error) {
	n, err := one(ctx, q, func(r row, n *int) error { return r.Scan(n) }, `select count(*) from rig where slug = ?`, slug)
	return n > 0, err
}

// AddClaim adds a claim.
func (q Queries) AddClaim(ctx context.Context, c catalog.Claim, position int) error {
	if c.Conditions == nil {
		c.Conditions = map[string]string{}
	}
	return q.exec(ctx, `insert into claim (id, variant, measure, value, unit, qualifier, conditions, place, link, tolerance, source, date, position)
		values (?,?,?,?,?,?,?,?,?,?,?,?,?)`,
		c.ID, c.Variant, c.Measure, c.Value, c.Unit, string(c.Qualifier), JSON(c.Conditions), c.Place, c.Link, c.Tolerance,
		c.Source, c.Date, position)
}

// Claims lists the claims about a variant, or all of them if variant is empty.
func (q Queries) Claims(ctx context.Context, variant string) ([]catalog.Claim, error) {
	return list(ctx, q, func(r row, c *catalog.Claim) error {
		return r.Scan(&c.ID, &c.Variant, &c.Measure, &c.Value, &c.Unit, &c.Qualifier, into(&c.Conditions), &c.Place, &c.Link,
			&c.Tolerance, &c.Source, &c.Date)
	}, `select id, variant, measure, value, unit, qualifier, conditions, place, link, tolerance, source, date from claim
		where ? in ('', variant) order by variant, position, id`, variant)
}

// DropClaims removes all claims about a variant.
func (q Queries) DropClaims(ctx context.Context, variant string) error {
	return q.exec(ctx, `delete from claim where variant = ?`, variant)
}

// AddOffer adds an offer.
func (q Queries) AddOffer(ctx context.Context, o catalog.Offer, position int) error {
	if o.Contents == nil {
		o.Contents = []string{}
	}
	return q.exec(ctx, `insert into offer (id, variant, amount, currency, region, tax_included, condition, seller, date, voucher, contents, list, position)
		values (?,?,?,?,?,?,?,?,?,?,?,?,?)`,
		o.ID, o.Variant, o.Amount, o.Currency, o.Region, o.TaxIncluded, o.Condition, o.Seller, o.Date, JSON(o.Voucher),
		JSON(o.Contents), o.List, position)
}

// Offers lists the offers of a variant, or all of them if variant is empty.
func (q Queries) Offers(ctx context.Context, variant string) ([]catalog.Offer, error) {
	return list(ctx, q, func(r row, o *catalog.Offer) error {
		return r.Scan(&o.ID, &o.Variant, &o.Amount, &o.Currency, &o.Region, &o.TaxIncluded, &o.Condition, &o.Seller, &o.Date,
			into(&o.Voucher), into(&o.Contents), &o.List)
	}, `select id, variant, amount, currency, region, tax_included, condition, seller, date, voucher, contents, list from offer
		where ? in ('', variant) order by variant, position, id`, variant)
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

// PutRate adds or replaces the exchange rate of two currencies on a day.
func (q Queries) PutRate(ctx context.Context, r catalog.Rate, by string) error {
	return q.exec(ctx, `insert into rate (from_currency, to_currency, date, rate, source, by_whom) values (?,?,?,?,?,?)
		on conflict (from_currency, to_currency, date) do update set rate=excluded.rate, source=excluded.source, by_whom=excluded.by_whom`, r.From, r.To, r.Date, r.Rate, r.Source, by)
}

// Rates lists all exchange rates, the newest first.
func (q Queries) Rates(ctx context.Context) (catalog.Rates, error) {
	return list(ctx, q, func(r row, x *catalog.Rate) error { return r.Scan(&x.From, &x.To, &x.Date, &x.Rate, &x.Source) },
		`select from_currency, to_currency, date, rate, source from rate order by date desc, from_currency, to_currency`)
}

// PutUse adds or replaces a kind of use.
func (q Queries) PutUse(ctx context.Context, u fit.Use) error {
	return q.exec(ctx, `insert into profile (slug, body, position) values (?,?,(select count(*) from profile)) on conflict (slug) do update set body=excluded.body`, u.Slug, JSON(u))
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
