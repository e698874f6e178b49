package figures

import (
	"cmp"
	"context"
	"fmt"
	"hash/fnv"
	"math"
	"slices"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/desk"
)

// Rank answers a ranked comparison of a field.
func (f *Figures) Rank(ctx context.Context, q compare.Question) (compare.Comparison, error) {
	d, err := f.look(ctx)
	if err != nil {
		return compare.Comparison{}, err
	}
	return d.rank(q)
}

func (d *sight) rank(q compare.Question) (compare.Comparison, error) {
	q.Field, q.Setup = cmp.Or(q.Field, everything), cmp.Or(q.Setup, method.AsDelivered)
	return kept(d, func(d *sight) (compare.Comparison, error) { return d.ranked(q) }, "rank", q)
}

func (d *sight) ranked(q compare.Question) (compare.Comparison, error) {
	var none compare.Comparison
	f, err := d.field(q.Field)
	if err != nil {
		return none, err
	}
	m, err := d.find(q.Measure)
	if err != nil {
		return none, err
	}
	setup, err := d.setup(q.Setup)
	if err != nil {
		return none, err
	}
	for _, known := range append(slices.Clone(q.Allow), q.Subject) {
		if known == "" {
			continue
		}
		if _, err := d.variant(known); err != nil {
			return none, err
		}
	}
	members, err := d.membersOf(f)
	if err != nil {
		return none, err
	}
	if q.Subject != "" && !slices.Contains(members, q.Subject) {
		members = append(slices.Clone(members), q.Subject)
	}
	field, pool, err := d.competitors(m, setup, members, f.Modes || q.Modes)
	if err != nil {
		return none, err
	}
	if q.Reference == "predecessor" {
		q.Reference, err = d.predecessor(q.Subject, field)
		if err != nil {
			return none, err
		}
	}
	h := fnv.New64a()
	fmt.Fprint(h, m.ID)
	out, err := compare.Ranked(compare.Query{Measure: m, FieldName: f.Name, SetupName: setup.Name, Subject: q.Subject,
		Reference: q.Reference,
		Claims:    q.Claims, Raised: q.Raised && !f.Modes && !q.Modes, Allow: q.Allow, Carried: q.Carried,
		DeskName: d.f.desk.Name, Repeat: pool.SR, Seed: h.Sum64()}, field)
	if err != nil {
		return out, desk.Refuse(desk.Invalid, "%v", err)
	}
	return out, nil
}

// competitors gathers what variants have in a measure under a setup. A test that is not meant for a kind is no gap of
// its variants. With modes set every raised mode that was measured competes by itself.
func (d *sight) competitors(m compare.Measure, setup method.Setup, variants []string, modes bool) ([]compare.Competitor,
	stats.Pool, error) {
	if m.OnPaper() {
		group, key := method.Split(m.ID)
		field, err := d.onPaper(m, group, key, setup, variants)
		return field, stats.Pool{}, err
	}
	byVariant, pool, err := d.of(m, variants...)
	if err != nil {
		return nil, pool, err
	}
	test, slug := method.Split(m.ID)
	doubts, err := d.openDoubts(test)
	if err != nil {
		return nil, pool, err
	}
	byUnit := map[string][]compare.Doubted{}
	for _, x := range doubts {
		if (x.Measure != "" && x.Measure != slug) || x.Rule == "ceiling" { // the bound itself says so
			continue
		}
		byUnit[x.Unit] = append(byUnit[x.Unit], compare.Doubted{ID: x.ID, Severity: x.Severity, Sentence: x.Sentence,
			Cell: compare.Cell{Unit: x.Unit, Host: x.Host, Place: x.Place, Setup: x.Setup, Key: x.Basis}})
	}
	failures, err := d.failures(test, setup.Slug)
	if err != nil {
		return nil, pool, err
	}
	t := d.tests[test]
	var field []compare.Competitor
	for _, slug := range variants {
		x := d.variants[slug]
		mine := byVariant[slug]
		if len(mine) == 0 && !t.Fits(x.Model.Kind) {
			continue
		}
		c := compare.Competitor{Variant: slug, Name: x.FullName(), Note: x.Note, Subject: x.subject()}
		raised, units := map[string][]compare.Cell{}, map[string]bool{}
		for _, cell := range mine {
			if !units[cell.Unit] {
				units[cell.Unit] = true
				c.Doubts = append(c.Doubts, byUnit[cell.Unit]...)
			}
			if cell.Setup == setup.Slug {
				c.Cells = append(c.Cells, cell)
			} else {
				raised[cell.Setup] = append(raised[cell.Setup], cell)
			}
		}
		for _, s := range d.setups {
			if s.Raised && len(raised[s.Slug]) > 0 {
				c.Raised = append(c.Raised, compare.RaisedCells{Setup: s.Slug, Name: s.Name, Sets: desk.SortedKeys(s.Conditions),
					Cells: raised[s.Slug]})
			}
		}
		f := failures[slug]
		c.Failed, c.Runs, c.NotRun = f.Failed, f.Runs, f.Why
		for _, claim := range d.claims[slug] {
			if claim.Measure != m.ID || len(claim.Conditions) > 0 && setup.Slug == method.AsDelivered {
				continue
			}
			if value, err := claim.In(m.Unit, x.Spec); err == nil {
				c.Claim = &value
			}
		}
		sortCells(c.Cells)
		field = append(field, c)
		if modes {
			for _, r := range c.Raised {
				field = append(field, compare.Competitor{Variant: slug, Mode: r.Setup, ModeName: r.Name, Sets: r.Sets, Name: c.Name,
					Note: c.Note, Cells: r.Cells, Subject: c.Subject, Doubts: c.Doubts})
			}
		}
	}
	return field, pool, nil
}

// onPaper gathers what spec sheets or offers say: figures without an interval.
func (d *sight) onPaper(m compare.Measure, group, key string, setup method.Setup,
	variants []string) ([]compare.Competitor, error) {
	var field []compare.Competitor
	for _, slug := range variants {
		x := d.variants[slug]
		c := compare.Competitor{Variant: slug, Name: x.FullName(), Note: x.Note, Subject: x.subject()}
		value, ok := catalog.SpecNumber(x.Spec, key)
		if group == "price" {
			p, has, err := d.price(slug, catalog.Pricing{Currency: key})
			if err != nil {
				return nil, desk.Refuse(desk.Invalid, "prices cannot be compared: %s has %v", slug, err)
			}
			value, ok = p.Value(), has
		}
		if ok && value > 0 {
			c.Cells = []compare.Cell{{Variant: slug, Setup: setup.Slug, Basis: trust.Basis{TestVersion: m.Version},
				Estimate: stats.Estimate{Centre: value, Lo: value, Hi: value, Median: value, Mean: math.Log(value), N: 1,
					Exact: true}}}
		}
		field = append(field, c)
	}
	return field, nil
}

// predecessor finds the variant of the subject's predecessor that has a figure.
func (d *sight) predecessor(subject string, field []compare.Competitor) (string, error) {
	before := d.variants[subject].Model.Succeeds
	if before == "" {
		return "", desk.Refuse(desk.Invalid, "there is no predecessor to relate to; choose a subject that has one")
	}
	for _, c := range field {
		if d.variants[c.Variant].Model.Slug == before && len(c.Cells) > 0 {
			return c.Variant, nil
		}
	}
	return "", desk.Refuse(desk.Invalid, "the predecessor %q has no figure in this field", before)
}
