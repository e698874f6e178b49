package figures

import (
	"cmp"
	"context"
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
	q.Field = cmp.Or(q.Field, everything)
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
	if q.Setup == "" {
		if q.Setup, err = d.usualSetup(m, members, q.Subject); err != nil {
			return none, err
		}
	}
	setup, err := d.setup(q.Setup)
	if err != nil {
		return none, err
	}
	by, err := d.narrowedIn(m, q.Where)
	if err != nil {
		return none, err
	}
	field, pool, err := d.competitors(m, setup, members, f.Modes || q.Modes, by)
	if err != nil {
		return none, err
	}
	if f.Slug == everything {
		field = d.kindred(field, q.Subject)
	}
	if q.Reference == "predecessor" {
		q.Reference, err = d.predecessor(q.Subject, field)
		if err != nil {
			return none, err
		}
	}
	out, err := compare.Ranked(compare.Query{Measure: m, FieldName: f.Name, SetupName: setup.Name, Subject: q.Subject,
		Reference: q.Reference,
		Claims:    q.Claims, Raised: q.Raised && !f.Modes && !q.Modes, Allow: q.Allow, Carried: q.Carried,
		Made: d.madeOf(m), Where: by.where, DeskName: d.f.desk.Name(), Repeat: pool.First()}, field)
	if err != nil {
		return out, desk.Refuse(desk.Invalid, "%v", err)
	}
	return out, nil
}

// kindred leaves out of a field of every kind what nobody tried on a kind of which nothing has a figure: that no phone
// was weighed is nothing to say under a chart of drives.
func (d *sight) kindred(field []compare.Competitor, subject string) []compare.Competitor {
	kinds := map[catalog.Kind]bool{d.variants[subject].Model.Kind: true}
	told := func(c compare.Competitor) bool {
		return len(c.Cells)+len(c.Raised)+len(c.Elsewhere)+c.Runs > 0 || c.NotRun != "" || c.Lost != "" || c.Narrowed != ""
	}
	for _, c := range field {
		if told(c) {
			kinds[d.variants[c.Variant].Model.Kind] = true
		}
	}
	return slices.DeleteFunc(field, func(c compare.Competitor) bool {
		return len(kinds) > 1 && !told(c) && !kinds[d.variants[c.Variant].Model.Kind]
	})
}

// usualSetup is the setup that a measure is compared under where none is named: as delivered, or where the subject
// (without one, everybody) has no figure there, the one that most have figures under; a run-down is made on battery.
func (d *sight) usualSetup(m compare.Measure, members []string, subject string) (string, error) {
	if m.OnPaper() {
		return method.AsDelivered, nil
	}
	c, err := d.column(m.ID)
	if err != nil {
		return "", err
	}
	var made map[string][]compare.Cell
	if m.Derived() {
		if made, err = d.derived(m, members); err != nil {
			return "", err
		}
	}
	count := func(variants []string) map[string]int {
		out := map[string]int{}
		for _, v := range variants {
			for _, c := range made[v] {
				out[c.Setup]++
			}
		}
		for _, v := range variants {
			for _, x := range d.cells(m.ID, v) {
				out[x.Setup]++
			}
			n, ok := d.f.number(v)
			for i := c.from(n); ok && i < len(c.cells) && c.cells[i].variant == n; i++ {
				out[c.around[c.cells[i].around].setup]++
			}
		}
		return out
	}
	of := count([]string{subject})
	if len(of) == 0 {
		of = count(members)
	} else if of[method.AsDelivered] == 0 {
		for s, n := range count(members) { // of those that the subject has, the one that most others have
			if of[s] > 0 {
				of[s] = n
			}
		}
	}
	return usual(of), nil
}

// usual is the setup as delivered if it counts for anything, else the one that counts most.
func usual(count map[string]int) string {
	best := method.AsDelivered
	if count[best] > 0 {
		return best
	}
	for _, s := range desk.SortedKeys(count) {
		if count[s] > count[best] {
			best = s
		}
	}
	return best
}

// plain tells whether figures under a setup are those that are meant where none is named: as delivered, or where the
// test needs what that has not (a run-down needs the battery), any setup that has it.
func (d *sight) plain(test, setup string) bool {
	needs := d.tests[test].Needs
	has := func(slug string) bool {
		i := slices.IndexFunc(d.setups, func(s method.Setup) bool { return s.Slug == slug })
		for k, v := range needs {
			if i < 0 || d.setups[i].Conditions[k] != v {
				return false
			}
		}
		return true
	}
	return setup == method.AsDelivered || len(needs) > 0 && !has(method.AsDelivered) && has(setup)
}

// competitors gathers what variants have in a measure under a setup. A test that is not meant for a kind is no gap of
// its variants. With modes set every mode that was measured competes by itself.
func (d *sight) competitors(m compare.Measure, setup method.Setup, variants []string, modes bool,
	by narrowing) ([]compare.Competitor, stats.Pool, error) {
	if m.OnPaper() {
		group, key := method.Split(m.ID)
		field, err := d.onPaper(m, group, key, setup, variants)
		return field, stats.Pool{}, err
	}
	byVariant, pool, err := d.of(m, variants...)
	if err != nil {
		return nil, pool, err
	}
	dropped := by.apply(byVariant)
	test, slug := method.Split(m.ID)
	byUnit, err := d.doubted(m, byVariant)
	if err != nil {
		return nil, pool, err
	}
	failures, err := d.failures(test, setup.Slug)
	if err != nil {
		return nil, pool, err
	}
	lost, err := d.lost(test, slug, setup.Slug)
	if err != nil {
		return nil, pool, err
	}
	t := d.tests[test]
	g := gathering{d: d, m: m, setup: setup, doubts: byUnit, aside: aside(t)}
	var field []compare.Competitor
	for _, slug := range variants {
		mine := byVariant[slug]
		foreign := d.variants[slug].Origin != ""
		if len(mine) == 0 && !dropped[slug] && (foreign || !t.Fits(d.variants[slug].Model.Kind)) {
			continue // what another desk does not tell of is no gap of this one
		}
		c := g.competitor(slug, mine)
		if len(mine) == 0 && m.Derived() {
			if c.NoFigure, err = d.lacking(m, slug); err != nil {
				return nil, pool, err
			}
		}
		if c.Lost, c.Reason = lost[slug].State, lost[slug].Reason; dropped[slug] {
			c.Narrowed = by.String()
		}
		f := failures[slug]
		c.Failed, c.Runs, c.NotRun = f.Failed, f.Runs, f.Why
		field = append(field, c)
		if modes {
			for _, r := range c.Raised {
				field = append(
					field,
					compare.Competitor{Variant: slug, Mode: r.Setup, ModeName: r.Name, Sets: r.Sets, Name: c.Name,
						Note: c.Note, Origin: c.Origin, Cells: r.Cells, Subject: c.Subject, Doubts: c.Doubts},
				)
			}
		}
	}
	return field, pool, nil
}

// doubted gives the open doubts about a measure's cells, by unit. What is worked out is in doubt where an input is.
func (d *sight) doubted(m compare.Measure, cells map[string][]compare.Cell) (map[string][]compare.Doubted, error) {
	ids := []string{m.ID}
	if m.Derived() {
		ids = d.refs(m)
	}
	out := map[string][]compare.Doubted{}
	for _, id := range ids {
		d.caveats(out, id, cells)
		test, slug := method.Split(id)
		doubts, err := d.openDoubts(test)
		if err != nil {
			return nil, err
		}
		for _, x := range doubts {
			if x.Measure != "" && x.Measure != slug || x.Rule == "ceiling" { // the bound itself says so
				continue
			}
			about := compare.Doubted{ID: x.ID, Severity: x.Severity, Sentence: x.Sentence, Caveat: x.Caveat,
				Cell: compare.Cell{Unit: x.Unit, Host: x.Host, Place: x.Place, Setup: x.Setup, Key: x.Basis}}
			if !m.Derived() {
				out[x.Unit] = append(out[x.Unit], about)
				continue
			}
			for _, c := range cells[d.owner(cells, x.Unit)] {
				if c.Unit == x.Unit && c.Setup == x.Setup {
					about.Cell = c
					out[x.Unit] = append(out[x.Unit], about)
				}
			}
		}
	}
	return out, nil
}

// gathering makes competitors of a measure's cells under a setup.
type gathering struct {
	d      *sight
	m      compare.Measure
	setup  method.Setup
	doubts map[string][]compare.Doubted // open ones, by unit
	aside  string                       // why the test is shown and not counted
}

// aside says why a test's figures are shown and not counted; "" where they count.
func aside(t method.Test) string {
	if t.Aside == "" {
		return ""
	}
	return "Shown, not counted: " + t.Aside
}

// competitor is a variant with its cells, its modes, its claim and the doubts about it.
func (g gathering) competitor(slug string, mine []compare.Cell) compare.Competitor {
	x := g.d.variants[slug]
	c := compare.Competitor{Variant: slug, Name: x.FullName(), Note: x.Note, Subject: x.subject(), Origin: x.Origin}
	others, units := map[string][]compare.Cell{}, map[string]bool{}
	for _, cell := range mine {
		if !units[cell.Unit] {
			units[cell.Unit] = true
			c.Doubts = append(c.Doubts, g.doubts[cell.Unit]...)
		}
		if g.aside != "" {
			c.Doubts = append(c.Doubts, compare.Doubted{ID: "aside", Severity: trust.Note, Sentence: g.aside, Caveat: true,
				Cell: cell})
		}
		if cell.Setup == g.setup.Slug {
			c.Cells = append(c.Cells, cell)
		} else {
			others[cell.Setup] = append(others[cell.Setup], cell)
		}
	}
	for _, s := range g.d.setups {
		if len(others[s.Slug]) == 0 {
			continue
		}
		c.Elsewhere = append(c.Elsewhere, s.Name)
		if sets := s.Modes(g.setup, g.m.MustMatch); len(sets) > 0 {
			c.Raised = append(
				c.Raised,
				compare.RaisedCells{Setup: s.Slug, Name: s.Name, Sets: sets, Cells: others[s.Slug]},
			)
		}
	}
	test, _ := method.Split(g.m.ID)
	for _, claim := range g.d.claims[slug] {
		if claim.Measure != g.m.ID || len(claim.Conditions) > 0 && g.d.plain(test, g.setup.Slug) {
			continue
		}
		if value, err := claim.In(g.m.Unit, x.Spec); err == nil {
			c.Claim = &value
		}
	}
	sortCells(c.Cells)
	return c
}

// onPaper gathers what spec sheets or offers say: figures without an interval.
func (d *sight) onPaper(m compare.Measure, group, key string, setup method.Setup,
	variants []string) ([]compare.Competitor, error) {
	var field []compare.Competitor
	for _, slug := range variants {
		x := d.variants[slug]
		c := compare.Competitor{Variant: slug, Name: x.FullName(), Note: x.Note, Subject: x.subject(), Origin: x.Origin}
		value, ok := catalog.SpecNumber(x.Spec, key)
		c.NoFigure = "not on its spec sheet"
		if group == "price" {
			c.NoFigure = "no price"
			if len(d.offers[slug]) > 0 {
				c.NoFigure = "no price that is new and with tax"
			}
			p, has, err := d.price(slug, catalog.Pricing{Currency: key})
			if err != nil {
				return nil, desk.Refuse(desk.Invalid, "prices cannot be compared: %s has %v", slug, err)
			}
			value, ok = p.Value(), has
		}
		if !ok && x.Origin != "" {
			continue
		}
		if ok && value > 0 {
			c.Cells = []compare.Cell{{Variant: slug, Setup: setup.Slug, Basis: trust.Basis{TestVersion: m.Version},
				Estimate: stats.Estimate{
					Centre: value,
					Lo:     value,
					Hi:     value,
					Median: value,
					Mean:   math.Log(value),
					N:      1,
					Exact:  true,
				}}}
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
