package desk

import (
	"context"
	"fmt"
	"hash/fnv"
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

func toCell(e store.Estimate, p stats.Pool, log bool) compare.Cell {
	return compare.Cell{Variant: e.Variant, Unit: e.Unit, Host: e.Host, Place: e.Place, Setup: e.Setup, Estimate: p.Estimate(e.Cell, log),
		Basis: trust.Basis{TestVersion: e.TestVersion, Conditions: e.Conditions}, Best: [2]float64{e.BestLow, e.BestHigh}, Simulated: e.Simulated,
		Limiter: e.Limiter, Key: e.Basis}
}

// view is what comparisons need of the catalogue, kept until something in it changes.
type view struct {
	revision uint64
	order    []string // variants, by model and position
	variants map[string]variantView
	measures []compare.Measure
	byID     map[string]compare.Measure
	tests    map[string]method.Test
	setups   []method.Setup
	fields   []ranking.Field
	claims   map[string][]catalog.Claim   // by variant
	doubts   map[string][]store.OpenDoubt // open ones, by test
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

func (v *view) setupName(slug string) string {
	for _, s := range v.setups {
		if s.Slug == slug {
			return s.Name
		}
	}
	return slug
}

func (v *view) field(slug string) (ranking.Field, bool) {
	i := slices.IndexFunc(v.fields, func(f ranking.Field) bool { return f.Slug == slug })
	if i < 0 {
		return ranking.Field{}, false
	}
	return v.fields[i], true
}

// rankCache keeps answers until what they rest on changes; equal questions share one computation.
type rankCache struct {
	mu      sync.Mutex
	view    *view
	answers map[string]compare.Comparison
	flight  singleflight.Group
}

// cacheLimit bounds the kept answers; all of them go when it is reached.
const cacheLimit = 2000

func (d *Desk) view(ctx context.Context) (*view, error) {
	now := d.matrix.at()
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
	d.ranks.view, d.ranks.answers = v, map[string]compare.Comparison{}
	d.ranks.mu.Unlock()
	return v, nil
}

func (d *Desk) loadView(ctx context.Context, revision uint64) (*view, error) {
	v := &view{revision: revision, variants: map[string]variantView{}, byID: map[string]compare.Measure{}, tests: map[string]method.Test{}, claims: map[string][]catalog.Claim{}}
	models, err := d.store.Models(ctx)
	if err != nil {
		return nil, err
	}
	byModel := map[string]catalog.Model{}
	for _, m := range models {
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
			cells, _ := d.matrix.column(m)
			seen := map[string]bool{}
			for _, c := range cells {
				seen[c.Variant] = true
			}
			m.Variants = len(seen)
			v.byID[m.ID] = m
			v.measures = append(v.measures, m)
		}
	}
	if v.setups, err = d.store.Setups(ctx); err != nil {
		return nil, err
	}
	if v.fields, err = d.store.Fields(ctx); err != nil {
		return nil, err
	}
	open, err := d.store.OpenDoubts(ctx)
	if err != nil {
		return nil, err
	}
	v.doubts = map[string][]store.OpenDoubt{}
	for _, x := range open {
		v.doubts[x.Test] = append(v.doubts[x.Test], x)
	}
	claims, err := d.store.Claims(ctx, "")
	for _, c := range claims {
		v.claims[c.Variant] = append(v.claims[c.Variant], c)
	}
	return v, err
}

// Fields lists all fields.
func (d *Desk) Fields(ctx context.Context) ([]ranking.Field, error) { return d.store.Fields(ctx) }

// AddField adds a field, or changes one.
func (d *Desk) AddField(ctx context.Context, f ranking.Field, by string) error {
	if s := catalog.CheckSlug(f.Slug); s != "" {
		return refuse(Invalid, "field refused: %s", s)
	}
	if f.Name == "" {
		return refuse(Invalid, "field refused: it needs a name such as \"crew laptops\"")
	}
	for _, k := range f.Kinds {
		if !slices.Contains(catalog.Kinds, k) {
			return refuse(Invalid, "field refused: unknown kind %q; known: %v", k, catalog.Kinds)
		}
	}
	for _, v := range f.Variants {
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
	return v.measures, nil
}

// Question is what a comparison is asked for.
type Question struct {
	Field     string
	Measure   string
	Setup     string
	Subject   string // variant
	Reference string // "", mean, claim, predecessor or a variant
	Claims    bool
	Raised    bool
	Allow     []string // variants that are compared though unlike
	Carried   bool     // figures of siblings with the same limiting part
}

// Rank answers a ranked comparison of a field.
func (d *Desk) Rank(ctx context.Context, q Question) (compare.Comparison, error) {
	if q.Field == "" {
		q.Field = "everything"
	}
	if q.Setup == "" {
		q.Setup = method.AsDelivered
	}
	v, err := d.view(ctx)
	if err != nil {
		return compare.Comparison{}, err
	}
	key := fmt.Sprint(v.revision, q)
	d.ranks.mu.Lock()
	c, ok := d.ranks.answers[key]
	d.ranks.mu.Unlock()
	if ok {
		return c, nil
	}
	got, err, _ := d.ranks.flight.Do(key, func() (any, error) { return d.rank(v, q) })
	if err != nil {
		return compare.Comparison{}, err
	}
	c = got.(compare.Comparison)
	d.ranks.mu.Lock()
	if len(d.ranks.answers) >= cacheLimit {
		d.ranks.answers = map[string]compare.Comparison{}
	}
	d.ranks.answers[key] = c
	d.ranks.mu.Unlock()
	return c, nil
}

func (d *Desk) rank(v *view, q Question) (compare.Comparison, error) {
	var none compare.Comparison
	f, ok := v.field(q.Field)
	if !ok {
		return none, refuse(NotFound, "no field %q is known; `durvek field list` shows them", q.Field)
	}
	m, ok := v.byID[q.Measure]
	if !ok {
		return none, refuse(NotFound, "no measure %q is known; `durvek test list` shows them", q.Measure)
	}
	setup := slices.IndexFunc(v.setups, func(s method.Setup) bool { return s.Slug == q.Setup })
	if setup < 0 {
		return none, refuse(NotFound, "no setup %q is known; `durvek setup list` shows them", q.Setup)
	}
	if q.Subject != "" {
		if _, ok := v.variants[q.Subject]; !ok {
			return none, refuse(NotFound, "no variant %q is known", q.Subject)
		}
	}
	cells, pool := d.matrix.column(m)
	byVariant := map[string][]compare.Cell{}
	for _, c := range cells {
		byVariant[c.Variant] = append(byVariant[c.Variant], c)
	}
	test, slug := method.Split(m.ID)
	doubts := slices.DeleteFunc(slices.Clone(v.doubts[test]), func(x store.OpenDoubt) bool { return x.Measure != "" && x.Measure != slug })
	for _, a := range q.Allow {
		if _, ok := v.variants[a]; !ok {
			return none, refuse(NotFound, "no variant %q is known to be compared all the same", a)
		}
	}
	failures, err := d.store.Failures(context.Background(), test, q.Setup)
	if err != nil {
		return none, err
	}
	t := v.tests[test]
	var field []compare.Competitor
	for _, slug := range v.order {
		x := v.variants[slug]
		if !f.Holds(slug, x.Model.Kind) && slug != q.Subject {
			continue
		}
		mine := byVariant[slug]
		if len(mine) == 0 && !t.Fits(x.Model.Kind) {
			continue // a test that is not meant for its kind is no gap
		}
		c := compare.Competitor{Variant: slug, Name: x.FullName(), Note: x.Note, Subject: x.subject()}
		for _, doubt := range doubts {
			if doubt.Rule == "ceiling" {
				continue // the bound itself says so
			}
			c.Doubts = append(c.Doubts, compare.Doubted{ID: doubt.ID, Severity: doubt.Severity, Sentence: doubt.Sentence,
				Cell: compare.Cell{Unit: doubt.Unit, Host: doubt.Host, Place: doubt.Place, Setup: doubt.Setup, Key: doubt.Basis}})
		}
		raised := map[string][]compare.Cell{}
		for _, cell := range mine {
			if cell.Setup == q.Setup {
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
		for _, f := range failures {
			if f.Variant == slug {
				c.Failed, c.Runs, c.NotRun = f.Failed, f.Runs, f.Why
			}
		}
		for _, claim := range v.claims[slug] {
			if claim.Measure != m.ID || len(claim.Conditions) > 0 && q.Setup == method.AsDelivered {
				continue
			}
			if value, err := quantity.Convert(claim.Value, claim.Unit, m.Unit); err == nil {
				c.Claim = &value
			}
		}
		sortCells(c.Cells)
		field = append(field, c)
	}
	if q.Reference == "predecessor" {
		q.Reference, err = d.predecessor(v, q.Subject, field)
		if err != nil {
			return none, err
		}
	}
	h := fnv.New64a()
	fmt.Fprint(h, m.ID)
	out, err := compare.Ranked(compare.Query{Measure: m, FieldName: f.Name, SetupName: v.setups[setup].Name, Subject: q.Subject, Reference: q.Reference,
		Claims: q.Claims, Raised: q.Raised, Allow: q.Allow, Carried: q.Carried, DeskName: d.Name, Repeat: pool.SR, Seed: h.Sum64()}, field)
	if err != nil {
		return out, refuse(Invalid, "%v", err)
	}
	return out, nil
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
