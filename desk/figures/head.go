package figures

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/desk"
)

// HeadToHead compares two to four variants over all measures in which they can be compared, against the first. currency
// says in which prices are given; "" takes the one that most of their offers are in. where narrows what counts.
func (f *Figures) HeadToHead(ctx context.Context, variants []string, setup, currency string,
	where ...string) (compare.Head, error) {
	setup = cmp.Or(setup, method.AsDelivered)
	var none compare.Head
	d, err := f.look(ctx)
	if err != nil {
		return none, err
	}
	if len(variants) < 2 || len(variants) > 4 {
		return none, desk.Refuse(desk.Invalid, "a head-to-head is between two and four variants, not %d", len(variants))
	}
	for i, slug := range variants {
		if _, err := d.variant(slug); err != nil {
			return none, err
		}
		if slices.Contains(variants[:i], slug) {
			return none, desk.Refuse(
				desk.Invalid,
				"%s stands twice; a head-to-head is between different variants",
				slug,
			)
		}
	}
	s, err := d.setup(setup)
	if err != nil {
		return none, err
	}
	by, err := narrowed(where)
	if err != nil {
		return none, err
	}
	return kept(
		d,
		func(d *sight) (compare.Head, error) { return d.headToHead(variants, s, currency, by) },
		"head",
		variants,
		setup,
		currency,
		where,
	)
}

func (d *sight) headToHead(variants []string, setup method.Setup, currency string, by narrowing) (compare.Head, error) {
	var sides []compare.Side
	var prices []catalog.Price
	asked := currency != ""
	if !asked {
		currency = d.usualCurrency(variants)
	}
	for _, slug := range variants {
		x := d.variants[slug]
		p, ok, err := d.price(slug, catalog.Pricing{Currency: currency})
		if err != nil && asked {
			return compare.Head{}, desk.Refuse(desk.Invalid, "the price of %s cannot be given: %v", slug, err)
		}
		side := compare.Side{Variant: slug, Name: x.FullName(), Note: x.Note}
		if ok {
			side.Price = p.Text
		}
		sides, prices = append(sides, side), append(prices, p)
	}
	var measures []compare.HeadMeasure
	shared, err := d.shared(variants, 2)
	if err != nil {
		return compare.Head{}, err
	}
	for _, m := range shared {
		field, _, err := d.competitors(m, setup, variants, false, by)
		if err != nil {
			return compare.Head{}, err
		}
		hm := compare.HeadMeasure{Measure: m}
		for _, slug := range variants {
			i := slices.IndexFunc(field, func(c compare.Competitor) bool { return c.Variant == slug })
			if i < 0 {
				hm.Sides = append(hm.Sides, compare.Competitor{Variant: slug})
				continue
			}
			hm.Sides = append(hm.Sides, field[i])
		}
		measures = append(measures, hm)
	}
	relations, extras := make([]compare.Relation, len(variants)-1), make([]string, len(variants)-1)
	first := d.variants[variants[0]]
	for i, slug := range variants[1:] {
		x := d.variants[slug]
		switch {
		case x.Model.Succeeds == first.Model.Slug:
			relations[i] = compare.Successor
		case x.Model.Slug == first.Model.Slug && prices[0].Currency == prices[i+1].Currency &&
			prices[i+1].Amount > prices[0].Amount:
			relations[i] = compare.Dearer
			extras[i] = whole(catalog.Money(prices[i+1].Amount-prices[0].Amount, prices[0].Currency))
		}
	}
	return compare.HeadToHead(sides, measures, relations, extras), nil
}

// own is the currency of a field where nobody names one: that of its price band, else the one that most of the desk's
// offers are in.
func (v *view) own(f ranking.Field) string {
	if f.Price != nil {
		return f.Price.Currency
	}
	return cmp.Or(v.usualCurrency(v.order), "EUR")
}

// usualCurrency is the one that most offers of some variants are in.
func (v *view) usualCurrency(variants []string) (usual string) {
	seen := map[string]int{}
	for _, slug := range variants {
		for _, o := range v.offers[slug] {
			seen[o.Currency]++
		}
	}
	for _, c := range desk.SortedKeys(seen) {
		if seen[c] > seen[usual] {
			usual = c
		}
	}
	return usual
}

// Rivals are those that a variant is naturally held against: its siblings, its predecessors and successors.
type Rivals struct {
	Siblings     []string `json:"siblings"`
	Predecessors []string `json:"predecessors" doc:"Variants of models that it follows, the nearest first"`
	Successors   []string `json:"successors"`
}

// Rivals finds a variant's natural rivals.
func (f *Figures) Rivals(ctx context.Context, variant string) (Rivals, error) {
	out := Rivals{Siblings: []string{}, Predecessors: []string{}, Successors: []string{}}
	d, err := f.look(ctx)
	if err != nil {
		return out, err
	}
	x, err := d.variant(variant)
	if err != nil {
		return out, err
	}
	of := func(model string) (list []string) {
		for _, slug := range d.order {
			if d.variants[slug].Model.Slug == model && slug != variant {
				list = append(list, slug)
			}
		}
		return list
	}
	out.Siblings = append(out.Siblings, of(x.Model.Slug)...)
	byModel := map[string]catalog.Model{}
	for _, m := range d.models {
		byModel[m.Slug] = m
		if m.Succeeds == x.Model.Slug {
			out.Successors = append(out.Successors, of(m.Slug)...)
		}
	}
	for m, seen := x.Model, 0; m.Succeeds != "" && seen < 20; m, seen = byModel[m.Succeeds], seen+1 {
		out.Predecessors = append(out.Predecessors, of(m.Succeeds)...)
	}
	return out, nil
}

// profiles gathers the figures of variants over all measures, each from the cell with most readings that compares with
// most others.
func (d *sight) profiles(setup string, variants []string) ([]compare.Profile, error) {
	out := make([]compare.Profile, len(variants))
	at := map[string]int{}
	for i, slug := range variants {
		x := d.variants[slug]
		out[i] = compare.Profile{Variant: slug, Name: x.FullName(), Note: x.Note, Figures: map[string]stats.Estimate{}}
		at[slug] = i
	}
	for _, m := range d.measures {
		figures, err := d.figures(m, setup, variants, narrowing{})
		if err != nil {
			return nil, err
		}
		for slug, f := range figures {
			if f.Line != nil {
				out[at[slug]].Figures[m.ID] = f.Line.Estimate
			}
		}
	}
	return out, nil
}

// Alike lists the variants of its kind nearest to a variant over all measures.
func (f *Figures) Alike(ctx context.Context, variant string, most int) ([]compare.Likeness, error) {
	d, err := f.look(ctx)
	if err != nil {
		return nil, err
	}
	x, err := d.variant(variant)
	if err != nil {
		return nil, err
	}
	return kept(d, func(d *sight) ([]compare.Likeness, error) {
		var kin []string
		for _, slug := range d.order {
			if d.variants[slug].Model.Kind == x.Model.Kind {
				kin = append(kin, slug)
			}
		}
		field, err := d.profiles(method.AsDelivered, kin)
		if err != nil {
			return nil, err
		}
		subject := field[slices.Index(kin, variant)]
		return compare.Alike(subject, field, d.byID, most), nil
	}, "alike", variant, most)
}

// Place is where a variant stands in a measure among its kind and among everything that the desk ever measured.
type Place struct {
	Measure  compare.Measure `json:"measure"`
	Variant  string          `json:"variant"`
	Setup    string          `json:"setup"`
	Estimate stats.Estimate  `json:"estimate"`
	Class    ranking.Within  `json:"class" doc:"Among its kind"`
	History  ranking.Within  `json:"history" doc:"Among everything"`
	Sentence string          `json:"sentence"`
}

// PlaceOf tells where a variant stands in a measure within its kind and in all history.
func (f *Figures) PlaceOf(ctx context.Context, measure, variant, setup string, where ...string) (Place, error) {
	setup = cmp.Or(setup, method.AsDelivered)
	d, err := f.look(ctx)
	if err != nil {
		return Place{}, err
	}
	return kept(d, func(d *sight) (Place, error) { return d.placeOf(measure, variant, setup, where) }, "place", measure,
		variant, setup, where)
}

func (d *sight) placeOf(measure, variant, setup string, where []string) (Place, error) {
	out := Place{Variant: variant, Setup: setup}
	x, err := d.variant(variant)
	if err != nil {
		return out, err
	}
	m, ok := d.byID[measure]
	if !ok {
		return out, unknownMeasure(measure)
	}
	if _, err := d.setup(setup); err != nil {
		return out, err
	}
	out.Measure = m
	mine, _, err := d.of(m, variant)
	if err != nil {
		return out, err
	}
	by, err := d.narrowedIn(m, where)
	if err != nil {
		return out, err
	}
	by.apply(mine)
	figure := compare.Own(m, under(mine[variant], setup))
	own := figure.Line
	if own == nil {
		return out, desk.Refuse(
			desk.NotFound,
			"%s, %s, has no figure in %s that can be placed: %s",
			x.FullName(),
			x.Note,
			m.InSentence(),
			cmp.Or(figure.Why, "not measured under "+setup),
		)
	}
	out.Estimate = own.Estimate
	all, err := d.history(m, own.Cell)
	if err != nil {
		return out, err
	}
	o := ranking.Options{Scale: m.Scale, Better: m.Better, Target: m.Def().Target}
	out.History = ranking.PlaceAmong(all, variant, o, nil)
	out.Class = ranking.PlaceAmong(all, variant, o,
		func(id string) bool { return d.variants[id].Model.Kind == x.Model.Kind })
	out.Sentence = fmt.Sprintf("%s is %s in %s, and %s.", x.FullName(), out.Class.Among(x.Model.Kind.Plural()),
		m.InSentence(), out.History.Among("ever measured alike"))
	return out, nil
}
