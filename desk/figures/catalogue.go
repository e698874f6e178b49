package figures

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/desk"
	"durvek/store"
)

// view is what comparisons need of the catalogue. It never changes; the members of fields are found when first asked
// for.
type view struct {
	order    []string // variants, by model and position
	variants map[string]variantView
	models   []catalog.Model
	measures []compare.Measure
	byID     map[string]compare.Measure
	judges   map[string]catalog.Judge
	tests    map[string]method.Test
	setups   []method.Setup
	fields   []ranking.Field
	claims   map[string][]catalog.Claim // by variant
	offers   map[string][]catalog.Offer // by variant
	rates    catalog.Rates
	kinds    []fit.Use                       // kinds of use
	hosts    map[string]string               // what units and rigs are called, where that tells them from others
	foreign  map[string]map[string][]foreign // what other desks measured, by measure and variant

	mu      sync.Mutex
	members map[string][]string // variants of a field
}

type variantView struct {
	Slug  string
	Model catalog.Model
	Note  string
	Spec  map[string]any
	// Archived ones, or of an archived model, are in no field by rule.
	Archived bool
	Origin   string // desk that measured it, where that was another: nothing of it is on the books
	Twin     bool   // another desk's, and this one has a unit of the same: it is in fields that name it alone
}

func (v variantView) subject() compare.Subject {
	return compare.Subject{Variant: v.Slug, Model: v.Model.Slug, Name: v.FullName(), Note: v.Note, Spec: v.Spec}
}

func (v variantView) FullName() string { return v.Model.FullName() }

// find is a measure of a test, or a number of the spec sheets ("spec/body.weight"), or the price in a currency
// ("price/EUR").
func (v *view) find(id string) (compare.Measure, error) {
	if m, ok := v.byID[id]; ok {
		return m, nil
	}
	if m, ok := compare.Paper(id); ok {
		return m, nil
	}
	return compare.Measure{}, desk.Refuse(desk.NotFound, "no measure %q is known; the list of measures names them all; "+
		"numbers of the spec sheet are spec/KEY, prices price/EUR", id)
}

func (v *view) setup(slug string) (method.Setup, error) {
	i := slices.IndexFunc(v.setups, func(s method.Setup) bool { return s.Slug == slug })
	if i < 0 {
		return method.Setup{}, unknown("setup", slug)
	}
	return v.setups[i], nil
}

func (v *view) variant(slug string) (variantView, error) {
	x, ok := v.variants[slug]
	if !ok {
		return x, unknown("variant", slug)
	}
	return x, nil
}

func (v *view) field(slug string) (ranking.Field, error) {
	slug = cmp.Or(slug, everything)
	i := slices.IndexFunc(v.fields, func(f ranking.Field) bool { return f.Slug == slug })
	if i < 0 {
		return ranking.Field{}, unknown("field", slug)
	}
	return v.fields[i], nil
}

// price is what a variant costs.
func (v *view) price(slug string, how catalog.Pricing) (catalog.Price, bool, error) {
	return how.Price(v.offers[slug], v.rates)
}

// of lists the variants of a field, in the catalogue's order. It is found once for each state of the catalogue.
func (v *view) membersOf(f ranking.Field) ([]string, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if got, ok := v.members[f.Slug]; ok && f.Slug != "" {
		return got, nil
	}
	var family map[string]bool
	if f.FamilyOf != "" {
		family = ranking.Family(v.models, f.FamilyOf)
	}
	out := []string{}
	for _, slug := range v.order {
		x := v.variants[slug]
		if x.Twin && !slices.Contains(f.Variants, slug) {
			continue
		}
		in, err := f.Holds(ranking.Candidate{Variant: slug, Model: x.Model, Spec: x.Spec, Archived: x.Archived,
			Price: func(how catalog.Pricing) (catalog.Price, bool, error) { return v.price(slug, how) }}, family)
		if err != nil {
			return nil, desk.Refuse(desk.Invalid, "the field %q goes by price, and %s has %v", f.Name, slug, err)
		}
		if in {
			out = append(out, slug)
		}
	}
	if f.Slug != "" {
		v.members[f.Slug] = out
	}
	return out, nil
}

// label names a variant, with what sets it apart.
func (v *view) label(slug string) string {
	x := v.variants[slug]
	return x.FullName() + ", " + x.Note
}

// view gives the catalogue, read anew if it changed since somebody last asked. A failed read is an error each time.
func (d *Figures) view(ctx context.Context) (*view, error) {
	s := d.now.Load()
	if s.catalogue != nil {
		return s.catalogue, nil
	}
	d.mu.RLock()
	since := d.changed[catalogue]
	d.mu.RUnlock()
	got, err, _ := d.reading.Do(fmt.Sprint(catalogue, since),
		func() (any, error) { return d.loadView(context.WithoutCancel(ctx)) })
	if err != nil {
		return nil, err
	}
	v := got.(*view)
	d.mu.Lock()
	defer d.mu.Unlock()
	if s := *d.now.Load(); s.catalogue == nil && d.changed[catalogue] == since {
		s.catalogue = v
		d.next(s)
	}
	return v, nil
}

func (d *Figures) loadView(ctx context.Context) (*view, error) {
	v := &view{variants: map[string]variantView{}, byID: map[string]compare.Measure{}, tests: map[string]method.Test{},
		claims: map[string][]catalog.Claim{},
		offers: map[string][]catalog.Offer{}, members: map[string][]string{}, judges: map[string]catalog.Judge{},
		foreign: map[string]map[string][]foreign{}}
	q := d.desk.Store
	var (
		variants []catalog.Variant
		units    []catalog.Unit
		rigs     []catalog.Rig
		tests    []method.Test
		offers   []catalog.Offer
		claims   []catalog.Claim
		gone     []record.Archived
		others   []store.Exchanged
	)
	g, each := errgroup.WithContext(ctx)
	for _, read := range []func() error{ // the longest first
		func() (err error) { variants, err = q.Variants(each, ""); return err },
		func() (err error) { claims, err = q.Claims(each, ""); return err },
		func() (err error) { offers, err = q.Offers(each, ""); return err },
		func() (err error) { units, err = q.Units(each, ""); return err },
		func() (err error) { rigs, err = q.Rigs(each, ""); return err },
		func() (err error) { v.models, err = q.Models(each); return err },
		func() (err error) { tests, err = q.Tests(each); return err },
		func() (err error) { gone, err = q.ArchivedOf(each, ""); return err },
		func() (err error) { others, err = q.Exchanged(each); return err },
		func() (err error) { v.setups, err = q.Setups(each); return err },
		func() (err error) { v.fields, err = q.Fields(each); return err },
		func() (err error) { v.rates, err = q.Rates(each); return err },
		func() (err error) { v.kinds, err = q.Uses(each); return err },
	} {
		g.Go(read)
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	byModel := map[string]catalog.Model{}
	for _, m := range v.models {
		byModel[m.Slug] = m
	}
	for _, x := range variants {
		v.variants[x.Slug] = variantView{Slug: x.Slug, Model: byModel[x.Model], Note: x.Name, Spec: x.Spec,
			Archived: slices.ContainsFunc(gone, func(a record.Archived) bool {
				return a.Kind == "variant" && a.Slug == x.Slug || a.Kind == "model" && a.Slug == x.Model
			})}
		v.order = append(v.order, x.Slug)
	}
	v.hosts = v.called(units, rigs)
	for _, t := range tests {
		v.tests[t.Slug] = t
		for _, def := range t.Measures {
			m := compare.NewMeasure(t, def)
			v.byID[m.ID] = m
			v.measures = append(v.measures, m)
			v.judges[m.ID] = catalog.Judge{Name: m.Name, Unit: m.Unit, Better: m.Better}
		}
	}
	for i, m := range v.measures { // all are known now that formulas may refer to
		if m.Derived() {
			m.MustMatch = v.wants(m)
			v.measures[i], v.byID[m.ID] = m, m
		}
	}
	for _, o := range offers {
		v.offers[o.Variant] = append(v.offers[o.Variant], o)
	}
	for _, c := range claims {
		v.claims[c.Variant] = append(v.claims[c.Variant], c)
	}
	published, err := d.others.all(ctx, q, others)
	have, sampled := map[string]bool{}, map[string]bool{}
	for _, u := range units {
		sampled[u.Variant] = true
	}
	for _, e := range published {
		v.take(e, have, sampled)
	}
	return v, err
}

// called says what units and rigs are called as hosts of others: by model, with the configuration where the desk has
// several of the model, or its first part where that is enough. A unit that shares its configuration with another has
// no name of its own here.
func (v *view) called(units []catalog.Unit, rigs []catalog.Rig) map[string]string {
	ofVariant, ofModel, alike := map[string]int{}, map[string]int{}, map[string]int{}
	first := func(x variantView) string { return x.Model.Slug + "\x00" + strings.SplitN(x.Note, ", ", 2)[0] }
	for _, u := range units {
		x := v.variants[u.Variant]
		ofVariant[u.Variant]++
		ofModel[x.Model.Slug]++
		alike[first(x)]++
	}
	out := map[string]string{}
	for _, r := range rigs {
		out[r.Slug] = r.Name
	}
	for _, u := range units {
		switch x := v.variants[u.Variant]; {
		case ofModel[x.Model.Slug] == 1:
			out[u.Slug] = x.Model.Name
		case alike[first(x)] == 1:
			out[u.Slug] = x.Model.Name + " with " + strings.SplitN(x.Note, ", ", 2)[0]
		case ofVariant[u.Variant] == 1:
			out[u.Slug] = x.Model.Name + " with " + x.Note
		}
	}
	return out
}

// everything is the field that every desk starts with.
const everything = "everything"

// unknown refuses a name that nothing bears.
func unknown(what, name string) error {
	return desk.Refuse(desk.NotFound, "no %s %q is known; the list of all names them", what, name)
}

func unknownMeasure(id string) error {
	return desk.Refuse(desk.NotFound, "no measure %q is known; the list of measures names them all", id)
}
