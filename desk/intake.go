package desk

import (
	"context"
	"embed"
	"fmt"
	"slices"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/document"
	"durvek/store"
)

//go:embed schemas/*.schema.json
var schemaFiles embed.FS

var (
	dossierSchema = mustSchema("dossier")
	testSchema    = mustSchema("test")
	runsSchema    = mustSchema("runs")
	planSchema    = mustSchema("plan")
	sheetSchema   = mustSchema("sheet")
	useSchema     = mustSchema("use")
)

func mustSchema(name string) *document.Schema {
	file := name + ".schema.json"
	source, err := schemaFiles.ReadFile("schemas/" + file)
	if err != nil {
		panic(err) // it is embedded
	}
	return document.MustSchema(file, source)
}

// Schema returns a published JSON Schema by name: dossier, test, runs, plan, sheet or use.
func (d *Desk) Schema(name string) ([]byte, error) {
	source, err := schemaFiles.ReadFile("schemas/" + name + ".schema.json")
	if err != nil {
		return nil, refuse(NotFound, "no schema %q is published; there are dossier, test, plan, sheet, use and runs", name)
	}
	return source, nil
}

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
func (d *Desk) ImportDossier(ctx context.Context, data []byte, checkOnly bool, by string) (Intake, error) {
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
	models, err := d.store.Models(ctx)
	if err != nil {
		return in, err
	}
	known := map[string]bool{}
	for _, m := range models {
		known[m.Slug] = true
	}
	found := dossier.Check(measures, known)
	found = append(found, d.placeProblems(ctx, dossier)...)
	if err := file.Reject(problems(found)); err != nil {
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
	err = d.store.Write(ctx, func(q store.Queries) error {
		if err := q.PutModel(ctx, dossier.Model); err != nil {
			return err
		}
		for i, v := range dossier.Variants {
			v.Variant.Model = dossier.Model.Slug
			if err := putVariant(ctx, q, v, i); err != nil {
				return err
			}
		}
		for _, r := range dossier.Rigs {
			if err := q.PutRig(ctx, r, dossier.Model.Slug); err != nil {
				return err
			}
		}
		return q.Note(ctx, d.now(), by, "import dossier", dossier.Model.Slug, "")
	})
	if err == nil {
		d.catalogChanged()
	}
	return in, err
}

func putVariant(ctx context.Context, q store.Queries, v catalog.DossierVariant, position int) error {
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
		c.ID, c.Variant = newID(), v.Slug
		if err := q.AddClaim(ctx, c, j); err != nil {
			return err
		}
	}
	if err := q.DropOffers(ctx, v.Slug); err != nil {
		return err
	}
	for j, o := range v.Offers {
		o.ID, o.Variant = newID(), v.Slug
		if err := q.AddOffer(ctx, o, j); err != nil {
			return err
		}
	}
	return nil
}

// placeProblems finds slugs that another model's variant or unit holds, and rigs of unknown units.
func (d *Desk) placeProblems(ctx context.Context, x catalog.Dossier) []catalog.Problem {
	var out []catalog.Problem
	here := map[string]bool{}
	for i, v := range x.Variants {
		if old, err := d.store.Variant(ctx, v.Slug); err == nil && old.Model != x.Model.Slug {
			out = append(out, catalog.Problem{Path: []any{"variants", i, "slug"}, Reason: fmt.Sprintf("variant %q belongs to model %q already", v.Slug, old.Model)})
		}
		for j, u := range v.Units {
			here[u.Slug] = true
			if old, err := d.store.Unit(ctx, u.Slug); err == nil && old.Variant != v.Slug {
				out = append(out, catalog.Problem{Path: []any{"variants", i, "units", j, "slug"}, Reason: fmt.Sprintf("unit %q belongs to variant %q already", u.Slug, old.Variant)})
			}
		}
	}
	for i, r := range x.Rigs {
		for j, p := range r.Parts {
			if _, err := d.store.Unit(ctx, p.Unit); err != nil && !here[p.Unit] {
				out = append(out, catalog.Problem{Path: []any{"rigs", i, "parts", j, "unit"}, Reason: fmt.Sprintf("no unit %q is known", p.Unit)})
			}
		}
	}
	return out
}

// ExportDossier gives everything known of a model, in the form that ImportDossier takes in.
func (d *Desk) ExportDossier(ctx context.Context, slug string) (catalog.Dossier, error) {
	x := catalog.Dossier{Format: catalog.DossierFormat}
	var err error
	if x.Model, err = d.store.Model(ctx, slug); err != nil {
		return x, missing(err, "model", slug)
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
	x.Rigs, err = d.store.Rigs(ctx, slug)
	return x, err
}

func (d *Desk) variantsOf(ctx context.Context, model string) ([]catalog.DossierVariant, error) {
	variants, err := d.store.Variants(ctx, model)
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

func (d *Desk) withParts(ctx context.Context, v catalog.Variant) (x catalog.DossierVariant, err error) {
	x.Variant = v
	if x.Units, err = d.store.Units(ctx, v.Slug); err != nil {
		return
	}
	if x.Claims, err = d.store.Claims(ctx, v.Slug); err != nil {
		return
	}
	x.Offers, err = d.store.Offers(ctx, v.Slug)
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
func (d *Desk) ModelPage(ctx context.Context, slug string) (ModelPage, error) {
	p := ModelPage{Lineage: []catalog.Model{}, Successors: []catalog.Model{}, Sheets: [][]catalog.SpecRow{}}
	models, err := d.store.Models(ctx)
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
		return p, refuse(NotFound, "no model %q is known here", slug)
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
	p.Rigs, err = d.store.Rigs(ctx, slug)
	return p, err
}

// Models lists all models.
func (d *Desk) Models(ctx context.Context) ([]catalog.Model, error) { return d.store.Models(ctx) }

// Variants lists the variants of a model, or all.
func (d *Desk) Variants(ctx context.Context, model string) ([]catalog.Variant, error) {
	return d.store.Variants(ctx, model)
}

// Variant finds a variant with its units, claims and offers.
func (d *Desk) Variant(ctx context.Context, slug string) (catalog.DossierVariant, error) {
	v, err := d.store.Variant(ctx, slug)
	if err != nil {
		return catalog.DossierVariant{}, missing(err, "variant", slug)
	}
	return d.withParts(ctx, v)
}

// Units lists the units of a variant, or all.
func (d *Desk) Units(ctx context.Context, variant string) ([]catalog.Unit, error) {
	return d.store.Units(ctx, variant)
}

// Unit finds one unit.
func (d *Desk) Unit(ctx context.Context, slug string) (catalog.Unit, error) {
	u, err := d.store.Unit(ctx, slug)
	return u, missing(err, "unit", slug)
}

// Rigs lists all rigs.
func (d *Desk) Rigs(ctx context.Context) ([]catalog.Rig, error) { return d.store.Rigs(ctx, "") }

// Rig finds one rig.
func (d *Desk) Rig(ctx context.Context, slug string) (catalog.Rig, error) {
	rigs, err := d.store.Rigs(ctx, "")
	if err != nil {
		return catalog.Rig{}, err
	}
	if i := slices.IndexFunc(rigs, func(r catalog.Rig) bool { return r.Slug == slug }); i >= 0 {
		return rigs[i], nil
	}
	return catalog.Rig{}, refuse(NotFound, "no rig %q is known here", slug)
}

// AddModel adds a model, or changes one that is there.
func (d *Desk) AddModel(ctx context.Context, m catalog.Model, by string) error {
	known := map[string]bool{}
	models, err := d.store.Models(ctx)
	if err != nil {
		return err
	}
	for _, x := range models {
		known[x.Slug] = true
	}
	if err := firstProblem("model", catalog.Dossier{Model: m}.Check(nil, known)); err != nil {
		return err
	}
	return d.put(ctx, by, "add model", m.Slug, func(q store.Queries) error { return q.PutModel(ctx, m) })
}

// AddVariant adds a variant to a model, or changes one that is there.
func (d *Desk) AddVariant(ctx context.Context, v catalog.Variant, by string) error {
	if _, err := d.store.Model(ctx, v.Model); err != nil {
		return missing(err, "model", v.Model)
	}
	probe := catalog.Dossier{Model: catalog.Model{Slug: v.Model, Kind: catalog.Kinds[0]}, Variants: []catalog.DossierVariant{{Variant: v}}}
	if err := firstProblem("variant", append(probe.Check(nil, nil), d.placeProblems(ctx, probe)...)); err != nil {
		return err
	}
	siblings, err := d.store.Variants(ctx, v.Model)
	if err != nil {
		return err
	}
	position := len(siblings)
	for i, s := range siblings {
		if s.Slug == v.Slug {
			position = i
		}
	}
	return d.put(ctx, by, "add variant", v.Slug, func(q store.Queries) error { return q.PutVariant(ctx, v, position) })
}

// AddUnit adds a unit of a variant, or changes one that is there.
func (d *Desk) AddUnit(ctx context.Context, u catalog.Unit, by string) error {
	v, err := d.store.Variant(ctx, u.Variant)
	if err != nil {
		return missing(err, "variant", u.Variant)
	}
	probe := catalog.Dossier{Model: catalog.Model{Slug: v.Model, Kind: catalog.Kinds[0]}, Variants: []catalog.DossierVariant{{Variant: v, Units: []catalog.Unit{u}}}}
	if err := firstProblem("unit", append(probe.Check(nil, nil), d.placeProblems(ctx, probe)...)); err != nil {
		return err
	}
	return d.put(ctx, by, "add unit", u.Slug, func(q store.Queries) error { return q.PutUnit(ctx, u, 0) })
}

// AddRig adds a rig, or changes one that is there.
func (d *Desk) AddRig(ctx context.Context, r catalog.Rig, by string) error {
	if len(r.Parts) == 0 {
		return refuse(Invalid, "rig refused: a rig needs at least one part")
	}
	if s := catalog.CheckSlug(r.Slug); s != "" {
		return refuse(Invalid, "rig refused: %s", s)
	}
	if err := firstProblem("rig", d.placeProblems(ctx, catalog.Dossier{Rigs: []catalog.Rig{r}})); err != nil {
		return err
	}
	return d.put(ctx, by, "add rig", r.Slug, func(q store.Queries) error { return q.PutRig(ctx, r, "") })
}

// AddClaim adds a claim about a variant and returns it with its id.
func (d *Desk) AddClaim(ctx context.Context, c catalog.Claim, by string) (catalog.Claim, error) {
	v, err := d.store.Variant(ctx, c.Variant)
	if err != nil {
		return c, missing(err, "variant", c.Variant)
	}
	measures, err := d.judges(ctx)
	if err != nil {
		return c, err
	}
	if err := firstProblem("claim", c.Check(measures, v.Spec)); err != nil {
		return c, err
	}
	c.ID = newID()
	return c, d.put(ctx, by, "add claim", c.Variant, func(q store.Queries) error { return q.AddClaim(ctx, c, 1000) })
}

// AddOffer adds an offer of a variant and returns it with its id.
func (d *Desk) AddOffer(ctx context.Context, o catalog.Offer, by string) (catalog.Offer, error) {
	if _, err := d.store.Variant(ctx, o.Variant); err != nil {
		return o, missing(err, "variant", o.Variant)
	}
	if err := firstProblem("offer", o.Check()); err != nil {
		return o, err
	}
	o.ID = newID()
	return o, d.put(ctx, by, "add offer", o.Variant, func(q store.Queries) error { return q.AddOffer(ctx, o, 1000) })
}

// Offers lists the offers of a variant, or all.
func (d *Desk) Offers(ctx context.Context, variant string) ([]catalog.Offer, error) {
	return d.store.Offers(ctx, variant)
}

// put writes one change with its note in the journal.
func (d *Desk) put(ctx context.Context, by, act, subject string, f func(store.Queries) error) error {
	err := d.store.Write(ctx, func(q store.Queries) error {
		if err := f(q); err != nil {
			return err
		}
		return q.Note(ctx, d.now(), by, act, subject, "")
	})
	if err == nil {
		d.catalogChanged()
	}
	return err
}

// catalogChanged makes cached comparisons forget names and claims.
func (d *Desk) catalogChanged() {
	d.matrix.bump()
	d.Events.Send(Event{Name: "catalogue", Data: struct{}{}})
}

func (d *Desk) judges(ctx context.Context) (map[string]catalog.Judge, error) {
	tests, err := d.store.Tests(ctx)
	if err != nil {
		return nil, err
	}
	out := map[string]catalog.Judge{}
	for _, t := range tests {
		for _, m := range t.Measures {
			out[method.ID(t.Slug, m.Slug)] = catalog.Judge{Unit: m.Unit, Better: m.Better}
		}
	}
	return out, nil
}
