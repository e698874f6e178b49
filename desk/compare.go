package desk

import (
	"cmp"
	"context"
	"fmt"
	"hash/fnv"
	"math"
	"runtime/debug"
	"slices"
	"sort"
	"sync"

	"golang.org/x/sync/singleflight"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/store"
)

func toCell(e store.Estimate, p stats.Pool, scale quantity.Scale) compare.Cell {
	c := compare.Cell{Variant: e.Variant, Unit: e.Unit, Host: e.Host, Place: e.Place, Setup: e.Setup,
		Basis: trust.Basis{TestVersion: e.TestVersion, Conditions: e.Conditions}, Best: [2]float64{e.BestLow, e.BestHigh}, Simulated: e.Simulated,
		Limiter: e.Limiter, Key: e.Basis}
	switch scale {
	case quantity.Grade:
		c.Estimate = stats.Graded(e.Cell)
	case quantity.Pass:
		c.Estimate = stats.Passed(e.Cell)
	default:
		c.Estimate = p.Estimate(e.Cell, scale.Logarithmic())
	}
	return c
}

// view is what comparisons need of the catalogue, kept until something in it changes.
type view struct {
	revision uint64
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
	uses     []ranking.Use

	mu      sync.Mutex
	members map[string][]string // variants of a field
}

type variantView struct {
	Slug  string
	Model catalog.Model
	Note  string
	Spec  map[string]any
}

func (v variantView) subject() compare.Subject {
	return compare.Subject{Variant: v.Slug, Model: v.Model.Slug, Name: v.FullName(), Note: v.Note, Spec: v.Spec}
}

func (v variantView) FullName() string { return v.Model.FullName() }

func (v *view) measure(id string) compare.Measure { return v.byID[id] }

// find is a measure of a test, or a number of the spec sheets ("spec/body.weight"), or the price in a currency ("price/EUR").
func (v *view) find(id string) (compare.Measure, error) {
	if m, ok := v.byID[id]; ok {
		return m, nil
	}
	group, key := method.Split(id)
	switch k, ok := catalog.SpecKeyOf(key); {
	case group == "spec" && ok && (k.Type == "count" || k.Type == "quantity"):
		return compare.NewMeasure(method.Test{Slug: "spec", Name: k.Name + " on the spec sheet", Group: "Spec sheet"}, method.Measure{Slug: key, Name: k.Name, Unit: cmp.Or(k.Unit, "1"), Scale: quantity.Ratio, Better: k.Better()}), nil
	case group == "price" && len(key) == 3:
		m := compare.NewMeasure(method.Test{Slug: "price", Name: "Price", Group: "Price"}, method.Measure{Slug: key, Name: "Price", Unit: "1", Scale: quantity.Ratio, Better: quantity.Lower})
		m.Symbol = key
		return m, nil
	}
	return compare.Measure{}, refuse(NotFound, "no measure %q is known; `durvek measure list` shows them; numbers of the spec sheet are spec/KEY, prices price/EUR", id)
}

func (v *view) setup(slug string) (method.Setup, error) {
	i := slices.IndexFunc(v.setups, func(s method.Setup) bool { return s.Slug == slug })
	if i < 0 {
		return method.Setup{}, refuse(NotFound, "no setup %q is known; `durvek setup list` shows them", slug)
	}
	return v.setups[i], nil
}

func (v *view) variant(slug string) (variantView, error) {
	x, ok := v.variants[slug]
	if !ok {
		return x, refuse(NotFound, "no variant %q is known; `durvek variant list` shows them", slug)
	}
	return x, nil
}

func (v *view) field(slug string) (ranking.Field, error) {
	slug = cmp.Or(slug, "everything")
	i := slices.IndexFunc(v.fields, func(f ranking.Field) bool { return f.Slug == slug })
	if i < 0 {
		return ranking.Field{}, refuse(NotFound, "no field %q is known; `durvek field list` shows them", slug)
	}
	return v.fields[i], nil
}

// price is what a variant costs.
func (v *view) price(slug string, how catalog.Pricing) (catalog.Price, bool, error) {
	return how.Price(v.offers[slug], v.rates)
}

// of lists the variants of a field, in the catalogue's order. It is found once for each state of the catalogue.
func (v *view) of(f ranking.Field) ([]string, error) {
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
		in, err := f.Holds(ranking.Candidate{Variant: slug, Model: x.Model, Spec: x.Spec, Price: func(how catalog.Pricing) (catalog.Price, bool, error) { return v.price(slug, how) }}, family)
		if err != nil {
			return nil, refuse(Invalid, "the field %q goes by price, and %s has %v", f.Name, slug, err)
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

// rankCache keeps answers until what they rest on changes; equal questions share one computation.
type rankCache struct {
	mu      sync.Mutex
	view    *view
	doubts  map[string][]store.OpenDoubt // open ones, by test
	doubted uint64
	asked   bool
	answers map[string]any
	flight  singleflight.Group
}

// cacheLimit bounds the kept answers; all of them go when it is reached.
const cacheLimit = 150

// kept answers a question from what was worked out before, or works it out once for all who ask meanwhile.
func kept[T any](d *Desk, key string, work func() (T, error)) (T, error) {
	d.ranks.mu.Lock()
	got, ok := d.ranks.answers[key]
	d.ranks.mu.Unlock()
	if ok {
		return got.(T), nil
	}
	fresh, err, _ := d.ranks.flight.Do(key, func() (any, error) { return work() })
	if err != nil {
		var none T
		return none, err
	}
	d.ranks.mu.Lock()
	if len(d.ranks.answers) >= cacheLimit || d.ranks.answers == nil {
		d.ranks.answers = map[string]any{}
	}
	d.ranks.answers[key] = fresh
	d.ranks.mu.Unlock()
	return fresh.(T), nil
}

// Rest forgets what was worked out and can be worked out again.
func (d *Desk) Rest() {
	d.ranks.mu.Lock()
	d.ranks.answers = nil
	d.ranks.mu.Unlock()
	d.matrix.pastsMu.Lock()
	d.matrix.pasts = nil
	d.matrix.pastsMu.Unlock()
	debug.FreeOSMemory()
}

// State is another number whenever anything has changed that a comparison can rest on.
func (d *Desk) State() uint64 { return d.matrix.whole() }

func (d *Desk) view(ctx context.Context) (*view, error) {
	now := d.matrix.catalogued()
	d.ranks.mu.Lock()
	v := d.ranks.view
	d.ranks.mu.Unlock()
	if v != nil && v.revision == now {
		return v, nil
	}
	got, err, _ := d.ranks.flight.Do(fmt.Sprint("view ", now), func() (any, error) { return d.loadView(ctx, now) })
	if err != nil {
		return nil, err
	}
	v = got.(*view)
	d.ranks.mu.Lock()
	d.ranks.view, d.ranks.answers = v, nil
	d.ranks.mu.Unlock()
	return v, nil
}

// openDoubts gives the open doubts by test.
func (d *Desk) openDoubts(ctx context.Context) (map[string][]store.OpenDoubt, error) {
	d.matrix.mu.RLock()
	now := d.matrix.doubted
	d.matrix.mu.RUnlock()
	d.ranks.mu.Lock()
	defer d.ranks.mu.Unlock()
	if d.ranks.asked && d.ranks.doubted == now {
		return d.ranks.doubts, nil
	}
	open, err := d.store.OpenDoubts(ctx)
	if err != nil {
		return nil, err
	}
	d.ranks.doubts, d.ranks.doubted, d.ranks.asked = map[string][]store.OpenDoubt{}, now, true
	for _, x := range open {
		d.ranks.doubts[x.Test] = append(d.ranks.doubts[x.Test], x)
	}
	return d.ranks.doubts, nil
}

func (d *Desk) loadView(ctx context.Context, revision uint64) (*view, error) {
	v := &view{revision: revision, variants: map[string]variantView{}, byID: map[string]compare.Measure{}, tests: map[string]method.Test{}, claims: map[string][]catalog.Claim{},
		offers: map[string][]catalog.Offer{}, members: map[string][]string{}, judges: map[string]catalog.Judge{}}
	var err error
	if v.models, err = d.store.Models(ctx); err != nil {
		return nil, err
	}
	byModel := map[string]catalog.Model{}
	for _, m := range v.models {
		byModel[m.Slug] = m
	}
	variants, err := d.store.Variants(ctx, "")
	if err != nil {
		return nil, err
	}
	for _, x := range variants {
		v.variants[x.Slug] = variantView{x.Slug, byModel[x.Model], x.Name, x.Spec}
		v.order = append(v.order, x.Slug)
	}
	tests, err := d.store.Tests(ctx)
	if err != nil {
		return nil, err
	}
	for _, t := range tests {
		v.tests[t.Slug] = t
		for _, def := range t.Measures {
			m := compare.NewMeasure(t, def)
			v.byID[m.ID] = m
			v.measures = append(v.measures, m)
			v.judges[m.ID] = catalog.Judge{Name: m.Name, Unit: m.Unit, Better: m.Better}
		}
	}
	if v.setups, err = d.store.Setups(ctx); err != nil {
		return nil, err
	}
	if v.fields, err = d.store.Fields(ctx); err != nil {
		return nil, err
	}
	if v.rates, err = d.store.Rates(ctx); err != nil {
		return nil, err
	}
	if v.uses, err = d.store.Uses(ctx); err != nil {
		return nil, err
	}
	offers, err := d.store.Offers(ctx, "")
	if err != nil {
		return nil, err
	}
	for _, o := range offers {
		v.offers[o.Variant] = append(v.offers[o.Variant], o)
	}
	claims, err := d.store.Claims(ctx, "")
	for _, c := range claims {
		v.claims[c.Variant] = append(v.claims[c.Variant], c)
	}
	return v, err
}

// FieldPage is a field with its rule in words and what it holds.
type FieldPage struct {
	ranking.Field
	Rule    string   `json:"rule" doc:"Which variants it holds, in words"`
	Holds   []string `json:"holds" doc:"Variants"`
	Trouble string   `json:"trouble,omitempty" doc:"Why it cannot be told what it holds"`
}

// FieldPages lists all fields with what they hold.
func (d *Desk) FieldPages(ctx context.Context) ([]FieldPage, error) {
	v, err := d.view(ctx)
	if err != nil {
		return nil, err
	}
	out := []FieldPage{}
	for _, f := range v.fields {
		p := FieldPage{Field: f, Rule: f.Rule(), Holds: []string{}}
		if members, err := v.of(f); err != nil {
			p.Trouble = err.Error()
		} else {
			p.Holds = members
		}
		out = append(out, p)
	}
	return out, nil
}

// DropField removes a field that no review rests on.
func (d *Desk) DropField(ctx context.Context, slug, by string) error {
	if slug == "everything" {
		return refuse(Invalid, "the field \"everything\" stays: comparisons without a field are made within it")
	}
	reviews, err := d.store.Reviews(ctx)
	if err != nil {
		return err
	}
	for _, r := range reviews {
		if r.Field == slug {
			return refuse(Conflict, "the review %q rests on the field %q; give it another field first", r.Slug, slug)
		}
	}
	return d.put(ctx, by, "drop field", slug, func(q store.Queries) error {
		gone, err := q.DropField(ctx, slug)
		if err == nil && !gone {
			return refuse(NotFound, "no field %q is known; `durvek field list` shows them", slug)
		}
		return err
	})
}

// Cells is a matrix of figures: variants by measures.
type Cells struct {
	Variants []string            `json:"variants"`
	Measures []compare.Measure   `json:"measures"`
	Rows     [][]*stats.Estimate `json:"rows" doc:"By variant, then by measure; null where nothing comparable was measured"`
}

// CellsOf gives the comparable figures of variants, or of a field, in measures, or in all that two of them have.
func (d *Desk) CellsOf(ctx context.Context, field string, variants, measures []string, setup string) (Cells, error) {
	setup = cmp.Or(setup, method.AsDelivered)
	v, err := d.view(ctx)
	if err != nil {
		return Cells{}, err
	}
	return kept(d, fmt.Sprint("cells", d.matrix.whole(), field, variants, measures, setup), func() (Cells, error) { return d.cellsOf(v, field, variants, measures, setup) })
}

func (d *Desk) cellsOf(v *view, field string, variants, measures []string, setup string) (out Cells, err error) {
	out = Cells{Variants: variants, Measures: []compare.Measure{}, Rows: [][]*stats.Estimate{}}
	if _, err := v.setup(setup); err != nil {
		return out, err
	}
	if len(variants) == 0 {
		f, err := v.field(field)
		if err != nil {
			return out, err
		}
		if out.Variants, err = v.of(f); err != nil {
			return out, err
		}
	}
	for _, slug := range variants {
		if _, err := v.variant(slug); err != nil {
			return out, err
		}
	}
	for _, id := range measures {
		m, ok := v.byID[id]
		if !ok {
			return out, refuse(NotFound, "no measure %q is known; `durvek measure list` shows them", id)
		}
		out.Measures = append(out.Measures, m)
	}
	if len(measures) == 0 {
		for _, m := range v.measures {
			if d.matrix.has(m.ID, out.Variants) > 1 {
				out.Measures = append(out.Measures, m)
			}
		}
	}
	out.Rows = make([][]*stats.Estimate, len(out.Variants))
	for i := range out.Rows {
		out.Rows[i] = make([]*stats.Estimate, len(out.Measures))
	}
	for k, m := range out.Measures {
		figures := d.figures(m, setup, out.Variants)
		for i, slug := range out.Variants {
			if e, ok := figures[slug]; ok {
				out.Rows[i][k] = &e
			}
		}
	}
	return out, nil
}

// AddField adds a field, or changes one.
func (d *Desk) AddField(ctx context.Context, f ranking.Field, by string) error {
	if s := f.Check(); s != "" {
		return refuse(Invalid, "field refused: %s", s)
	}
	if f.FamilyOf != "" {
		if _, err := d.store.Model(ctx, f.FamilyOf); err != nil {
			return missing(err, "model", f.FamilyOf)
		}
	}
	for _, v := range slices.Concat(f.Variants, f.Without) {
		if _, err := d.store.Variant(ctx, v); err != nil {
			return missing(err, "variant", v)
		}
	}
	return d.put(ctx, by, "add field", f.Slug, func(q store.Queries) error { return q.PutField(ctx, f) })
}

// Measures lists every measure with how many variants have a figure.
func (d *Desk) Measures(ctx context.Context) ([]compare.Measure, error) {
	v, err := d.view(ctx)
	if err != nil {
		return nil, err
	}
	out := slices.Clone(v.measures)
	for i := range out {
		out[i].Variants = d.matrix.variants(out[i].ID)
	}
	return out, nil
}

// Question is what a comparison is asked for.
type Question struct {
	Field     string
	Measure   string // test/measure, spec/KEY or price/CURRENCY
	Setup     string
	Subject   string // variant
	Reference string // "", mean, claim, predecessor or a variant
	Claims    bool
	Raised    bool
	Modes     bool     // raised modes stand as rows of their own
	Allow     []string // variants that are compared though unlike
	Carried   bool     // figures of siblings with the same limiting part
}

// Rank answers a ranked comparison of a field.
func (d *Desk) Rank(ctx context.Context, q Question) (compare.Comparison, error) {
	q.Field, q.Setup = cmp.Or(q.Field, "everything"), cmp.Or(q.Setup, method.AsDelivered)
	v, err := d.view(ctx)
	if err != nil {
		return compare.Comparison{}, err
	}
	return kept(d, fmt.Sprint("rank", d.matrix.state(q.Measure), q), func() (compare.Comparison, error) { return d.rank(context.WithoutCancel(ctx), v, q) })
}

func (d *Desk) rank(ctx context.Context, v *view, q Question) (compare.Comparison, error) {
	var none compare.Comparison
	f, err := v.field(q.Field)
	if err != nil {
		return none, err
	}
	m, err := v.find(q.Measure)
	if err != nil {
		return none, err
	}
	setup, err := v.setup(q.Setup)
	if err != nil {
		return none, err
	}
	for _, known := range append(slices.Clone(q.Allow), q.Subject) {
		if known == "" {
			continue
		}
		if _, err := v.variant(known); err != nil {
			return none, err
		}
	}
	members, err := v.of(f)
	if err != nil {
		return none, err
	}
	if q.Subject != "" && !slices.Contains(members, q.Subject) {
		members = append(slices.Clone(members), q.Subject)
	}
	field, pool, err := d.competitors(ctx, v, m, setup, members, f.Modes || q.Modes)
	if err != nil {
		return none, err
	}
	if q.Reference == "predecessor" {
		q.Reference, err = d.predecessor(v, q.Subject, field)
		if err != nil {
			return none, err
		}
	}
	h := fnv.New64a()
	fmt.Fprint(h, m.ID)
	out, err := compare.Ranked(compare.Query{Measure: m, FieldName: f.Name, SetupName: setup.Name, Subject: q.Subject, Reference: q.Reference,
		Claims: q.Claims, Raised: q.Raised && !f.Modes && !q.Modes, Allow: q.Allow, Carried: q.Carried, DeskName: d.Name, Repeat: pool.SR, Seed: h.Sum64()}, field)
	if err != nil {
		return out, refuse(Invalid, "%v", err)
	}
	return out, nil
}

// competitors gathers what variants have in a measure under a setup. A test that is not meant for a kind is no gap of its variants. With modes
// set every raised mode that was measured competes by itself.
func (d *Desk) competitors(ctx context.Context, v *view, m compare.Measure, setup method.Setup, variants []string, modes bool) ([]compare.Competitor, stats.Pool, error) {
	if m.OnPaper() {
		group, key := method.Split(m.ID)
		field, err := d.onPaper(v, m, group, key, setup, variants)
		return field, stats.Pool{}, err
	}
	byVariant, pool := d.matrix.of(m, variants)
	test, slug := method.Split(m.ID)
	doubts, err := d.openDoubts(ctx)
	if err != nil {
		return nil, pool, err
	}
	byUnit := map[string][]compare.Doubted{}
	for _, x := range doubts[test] {
		if (x.Measure != "" && x.Measure != slug) || x.Rule == "ceiling" { // the bound itself says so
			continue
		}
		byUnit[x.Unit] = append(byUnit[x.Unit], compare.Doubted{ID: x.ID, Severity: x.Severity, Sentence: x.Sentence,
			Cell: compare.Cell{Unit: x.Unit, Host: x.Host, Place: x.Place, Setup: x.Setup, Key: x.Basis}})
	}
	failures := map[string]store.Failure{}
	list, err := d.store.Failures(ctx, test, setup.Slug)
	if err != nil {
		return nil, pool, err
	}
	for _, f := range list {
		failures[f.Variant] = f
	}
	t := v.tests[test]
	var field []compare.Competitor
	for _, slug := range variants {
		x := v.variants[slug]
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
		for _, s := range v.setups {
			if s.Raised && len(raised[s.Slug]) > 0 {
				c.Raised = append(c.Raised, compare.RaisedCells{Setup: s.Slug, Name: s.Name, Sets: sortedKeys(s.Conditions), Cells: raised[s.Slug]})
			}
		}
		f := failures[slug]
		c.Failed, c.Runs, c.NotRun = f.Failed, f.Runs, f.Why
		for _, claim := range v.claims[slug] {
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
				field = append(field, compare.Competitor{Variant: slug, Mode: r.Setup, ModeName: r.Name, Sets: r.Sets, Name: c.Name, Note: c.Note, Cells: r.Cells, Subject: c.Subject, Doubts: c.Doubts})
			}
		}
	}
	return field, pool, nil
}

// onPaper gathers what spec sheets or offers say: figures without an interval.
func (d *Desk) onPaper(v *view, m compare.Measure, group, key string, setup method.Setup, variants []string) ([]compare.Competitor, error) {
	var field []compare.Competitor
	for _, slug := range variants {
		x := v.variants[slug]
		c := compare.Competitor{Variant: slug, Name: x.FullName(), Note: x.Note, Subject: x.subject()}
		value, ok := catalog.SpecNumber(x.Spec, key)
		if group == "price" {
			p, has, err := v.price(slug, catalog.Pricing{Currency: key})
			if err != nil {
				return nil, refuse(Invalid, "prices cannot be compared: %s has %v", slug, err)
			}
			value, ok = p.Value(), has
		}
		if ok && value > 0 {
			c.Cells = []compare.Cell{{Variant: slug, Setup: setup.Slug, Basis: trust.Basis{TestVersion: m.Version},
				Estimate: stats.Estimate{Centre: value, Lo: value, Hi: value, Median: value, Mean: math.Log(value), N: 1, Exact: true}}}
		}
		field = append(field, c)
	}
	return field, nil
}

func sortCells(cells []compare.Cell) {
	sort.Slice(cells, func(i, j int) bool {
		a, b := cells[i], cells[j]
		return a.Unit+"\x00"+a.Host+"\x00"+a.Place < b.Unit+"\x00"+b.Host+"\x00"+b.Place
	})
}

// predecessor finds the variant of the subject's predecessor that has a figure.
func (d *Desk) predecessor(v *view, subject string, field []compare.Competitor) (string, error) {
	before := v.variants[subject].Model.Succeeds
	if before == "" {
		return "", refuse(Invalid, "there is no predecessor to relate to; choose a subject that has one")
	}
	for _, c := range field {
		if v.variants[c.Variant].Model.Slug == before && len(c.Cells) > 0 {
			return c.Variant, nil
		}
	}
	return "", refuse(Invalid, "the predecessor %q has no figure in this field", before)
}

// MeasurePage is a measure with its repeatability at this desk.
type MeasurePage struct {
	Measure compare.Measure `json:"measure"`
	Pool    stats.Pool      `json:"pool"`
	Good    string          `json:"good" doc:"What one run is good to, in a sentence"`
	Tunings []trust.Tuning  `json:"tunings" doc:"Doubt rules that are changed for its test"`
	Cells   []compare.Cell  `json:"cells"`
}

// Measure finds a measure with its pool and every cell.
func (d *Desk) Measure(ctx context.Context, id string) (MeasurePage, error) {
	v, err := d.view(ctx)
	if err != nil {
		return MeasurePage{}, err
	}
	m, ok := v.byID[id]
	if !ok {
		return MeasurePage{}, refuse(NotFound, "no measure %q is known", id)
	}
	m.Variants = d.matrix.variants(id)
	cells, pool := d.matrix.column(m)
	sort.Slice(cells, func(i, j int) bool {
		return cells[i].Variant+cells[i].Setup+cells[i].Unit+cells[i].Host < cells[j].Variant+cells[j].Setup+cells[j].Unit+cells[j].Host
	})
	if cells == nil {
		cells = []compare.Cell{}
	}
	p := MeasurePage{Measure: m, Pool: pool, Good: good(m, pool), Cells: cells, Tunings: []trust.Tuning{}}
	tunings, err := d.store.Tunings(ctx)
	test, _ := method.Split(id)
	for _, t := range tunings {
		if t.Test == "" || t.Test == test {
			p.Tunings = append(p.Tunings, t)
		}
	}
	return p, err
}

// good says what one run of a measure is good to.
func good(m compare.Measure, p stats.Pool) string {
	if p.DF == 0 || p.SR == 0 {
		return "Nothing is known of how it repeats yet: two repeats on any machine tell more."
	}
	half := stats.TQuantile(0.975, p.DF) * p.SR
	text := quantity.Format(half, m.Unit)
	if m.Scale.Logarithmic() {
		text = quantity.Number(100*half, 2) + " %"
	}
	out := fmt.Sprintf("One run of this test is good to ± %s", text)
	switch {
	case p.Typical:
		out += ", by the value that ships with it; the desk's own runs say little yet"
	default:
		out += fmt.Sprintf(", by %.0f degrees of freedom, %.0f of them this desk's own", p.DF, p.Own)
	}
	if p.Own >= 20 && p.D0 < 15 && p.D0 > 0 {
		out += "; machines differ in how noisy they are, so single cells may be wider"
	}
	if p.Between > 0 {
		between := quantity.Format(p.Between, m.Unit)
		if m.Scale.Logarithmic() {
			between = quantity.Number(100*p.Between, 2) + " %"
		}
		out += fmt.Sprintf("; from one sitting to the next it moves by a standard deviation of %s", between)
	}
	return out + "."
}
