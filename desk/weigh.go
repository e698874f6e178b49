package desk

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"maps"
	"math"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/document"
	"durvek/store"
)

// IndexQuestion is what an index is asked for: a field, and weights from a kind of use, or given here.
type IndexQuestion struct {
	Field     string
	Setup     string
	Use       string // a kind of use; its weights
	Weights   []ranking.Weight
	Reference string // variant; "" for the field's mean
	Subject   string
}

// Index is a field's index with its groups and its picture.
type Index struct {
	ranking.IndexTable
	Field    string            `json:"field"`
	Measures []ranking.Weighed `json:"measures"`
	Names    map[string]Called `json:"names" doc:"What each variant is called"`
	ByGroup  []GroupIndex      `json:"group_indices" doc:"The index of each group of measures by itself"`
	Refused  []string          `json:"refused,omitempty" doc:"Groups without an index, and why"`
	Firmness string            `json:"firmness" doc:"How firm the order of the first is, in a sentence"`
	Chart    chart.Ranked      `json:"chart"`
}

// Called is a variant's name and what sets it apart.
type Called struct {
	Name string `json:"name"`
	Note string `json:"note"`
}

// GroupIndex is the index of one group of measures.
type GroupIndex struct {
	Group  string             `json:"group"`
	Weight float64            `json:"weight" doc:"Share of all weight"`
	Values map[string]float64 `json:"values" doc:"By variant; 100 is the same reference"`
}

// weigh spreads weights over measures: those of a group evenly over its measures that somebody in the field has a figure for. Measures that cannot enter
// an index are left out where a group names them, and refused where they are named themselves.
func (d *Desk) weigh(v *view, weights []ranking.Weight, members []string) ([]ranking.Weighed, error) {
	var out []ranking.Weighed
	add := func(m compare.Measure, w float64) {
		if i := slices.IndexFunc(out, func(x ranking.Weighed) bool { return x.Measure == m.ID }); i >= 0 {
			out[i].Weight += w
			return
		}
		out = append(out, ranking.Weighed{Measure: m.ID, Name: m.Name, Group: m.Group, Weight: w, Better: m.Better})
	}
	fits := func(m compare.Measure) bool { return m.Scale == quantity.Ratio && m.Better != quantity.Target }
	for _, w := range weights {
		if w.Measure != "" {
			m, ok := v.byID[w.Measure]
			if !ok {
				return nil, refuse(NotFound, "no measure %q is known; `durvek measure list` shows them", w.Measure)
			}
			if !fits(m) {
				if len(w.Curve) > 0 {
					continue // it counts for the fit alone
				}
				return nil, refuse(Invalid, "%s cannot enter an index: it stands on a scale of kind %q or is best near a target; leave it out, or give it a curve in a kind of use, where it counts for the fit", m.InSentence(), m.Scale)
			}
			add(m, w.Weight)
			continue
		}
		if !slices.Contains(v.groups(), w.Group) {
			return nil, refuse(NotFound, "there is no group of measures %q; there are %s. A measure is written with its test: hashing/all", w.Group, strings.Join(v.groups(), ", "))
		}
		var in []compare.Measure
		for _, m := range v.measures {
			if m.Group == w.Group && fits(m) && d.matrix.has(m.ID, members) > 1 {
				in = append(in, m)
			}
		}
		for _, m := range in {
			add(m, w.Weight/float64(len(in)))
		}
	}
	return out, nil
}

// IndexOf makes an index of a field.
func (d *Desk) IndexOf(ctx context.Context, q IndexQuestion) (Index, error) {
	q.Setup, q.Field = cmp.Or(q.Setup, method.AsDelivered), cmp.Or(q.Field, "everything")
	v, err := d.view(ctx)
	if err != nil {
		return Index{}, err
	}
	return kept(d, fmt.Sprint("index", d.matrix.whole(), q), func() (Index, error) { return d.indexOf(context.WithoutCancel(ctx), v, q) })
}

func (d *Desk) indexOf(ctx context.Context, v *view, q IndexQuestion) (Index, error) {
	var none Index
	f, err := v.field(q.Field)
	if err != nil {
		return none, err
	}
	members, err := v.of(f)
	if err != nil {
		return none, err
	}
	if q.Use != "" {
		u, err := v.use(q.Use)
		if err != nil {
			return none, err
		}
		q.Weights = append(slices.Clone(u.Weights), q.Weights...)
	}
	if len(q.Weights) == 0 {
		return none, refuse(Invalid, "an index needs weights: name a kind of use (`durvek use list`), or measures or groups with their weights")
	}
	sum := 0.0
	for _, w := range q.Weights {
		sum += w.Weight
	}
	if sum == 0 {
		return none, refuse(Invalid, "the weights sum to zero; give at least one measure a weight above zero")
	}
	measures, err := d.weigh(v, q.Weights, members)
	if err != nil {
		return none, err
	}
	if len(measures) == 0 {
		return none, refuse(Invalid, "none of the weighed measures has figures in the field %q that can enter an index", f.Name)
	}
	setup, err := v.setup(q.Setup)
	if err != nil {
		return none, err
	}
	contenders := make([]ranking.Contender, len(members))
	at := map[string]int{}
	for i, slug := range members {
		contenders[i] = ranking.Contender{ID: slug, Figures: make([]ranking.Figure, len(measures))}
		at[slug] = i
	}
	for k, w := range measures {
		m := v.byID[w.Measure]
		field, _, err := d.competitors(ctx, v, m, setup, members, false)
		if err != nil {
			return none, err
		}
		figures := compare.Figures(m, field)
		for _, c := range field {
			fig := &contenders[at[c.Variant]].Figures[k]
			if e, ok := figures[c.Variant]; ok {
				fig.Estimate = &e
			} else {
				fig.Cannot = c.NotRun != "" && len(c.Cells) == 0
			}
		}
		test, _ := method.Split(m.ID)
		for _, slug := range members { // a test that is not meant for its kind is one that it cannot run
			if fig := &contenders[at[slug]].Figures[k]; fig.Estimate == nil && !v.tests[test].Fits(v.variants[slug].Model.Kind) {
				fig.Cannot = true
			}
		}
	}
	h := fnv.New64a()
	fmt.Fprint(h, q.Field, q.Use)
	o := ranking.IndexOptions{Reference: q.Reference, Seed: h.Sum64()}
	table, err := ranking.Index(contenders, measures, o)
	if err != nil {
		return none, inWords(err)
	}
	out := Index{IndexTable: table, Field: f.Name, Measures: measures, Names: map[string]Called{}, ByGroup: []GroupIndex{}}
	for _, r := range table.Rows {
		x := v.variants[r.ID]
		out.Names[r.ID] = Called{x.FullName(), x.Note}
	}
	d.groups(&out, contenders, o)
	ranked := 0
	for _, r := range table.Rows {
		if r.Ranked {
			ranked++
		}
	}
	switch {
	case ranked < 2:
		out.Firmness = "Fewer than two are complete enough to be put in order."
	default:
		out.Firmness = fmt.Sprintf("The order of the first %s holds for %.0f %% of plausible weights (each between half and double).", map[int]string{2: "two", 3: "three"}[table.First], 100*table.Firm)
	}
	out.Chart = out.draw(q, v, d.Name)
	return out, nil
}

// inWords turns core's refusals into the desk's.
func inWords(err error) error {
	if errors.Is(err, ranking.ErrIndex) {
		return refuse(Invalid, "%v", err)
	}
	return err
}

// groups makes each group's index by itself; one that falls into parts says so.
func (d *Desk) groups(out *Index, field []ranking.Contender, o ranking.IndexOptions) {
	o.Plain = true
	var names []string
	total := 0.0
	for _, m := range out.Measures {
		total += m.Weight
		if !slices.Contains(names, m.Group) {
			names = append(names, m.Group)
		}
	}
	if len(names) < 2 {
		return
	}
	for _, name := range names {
		g := GroupIndex{Group: name, Values: map[string]float64{}}
		var ms []ranking.Weighed
		sub := make([]ranking.Contender, len(field))
		for i, c := range field {
			sub[i].ID = c.ID
		}
		for k, m := range out.Measures {
			if m.Group != name {
				continue
			}
			g.Weight += m.Weight / total
			ms = append(ms, m)
			for i, c := range field {
				sub[i].Figures = append(sub[i].Figures, c.Figures[k])
			}
		}
		table, err := ranking.Index(sub, ms, o)
		if err != nil {
			out.Refused = append(out.Refused, name+": "+err.Error())
			continue
		}
		for _, r := range table.Rows {
			g.Values[r.ID] = r.Value
		}
		out.ByGroup = append(out.ByGroup, g)
	}
}

// draw makes the ranked chart of an index.
func (x *Index) draw(q IndexQuestion, v *view, foot string) chart.Ranked {
	c := chart.Ranked{Measure: "Index", Unit: "", Rows: []chart.Row{}}
	hundred := 100.0
	c.Reference = &hundred
	against := "the field’s geometric mean"
	if q.Reference != "" {
		against = v.label(q.Reference)
	}
	what := "by the weights given"
	if q.Use != "" {
		if u, err := v.use(q.Use); err == nil {
			what = "for " + u.Name
		}
	}
	c.Title = "Index " + what + ", " + x.Field
	c.Subtitle = fmt.Sprintf("Weighted geometric mean of %d measures; 100 is %s, higher is better. Whiskers 95 %%: noise, and what missing cells leave open. In per cent: the share of the weight that was measured.", len(x.Measures), against)
	var listed []string
	for _, r := range x.Rows {
		n := x.Names[r.ID]
		note := n.Note
		if r.Completeness < 0.995 {
			note = strings.TrimPrefix(fmt.Sprintf("%s, %.0f %%", note, 100*r.Completeness), ", ")
		}
		if !r.Ranked {
			listed = append(listed, fmt.Sprintf("%s, %s: %s, %.0f %% measured", n.Name, n.Note, quantity.Number(r.Value, 3), 100*r.Completeness))
			continue
		}
		label, spread := quantity.PlusMinus(r.Value, (r.Hi-r.Lo)/2)
		c.Rows = append(c.Rows, chart.Row{ID: r.ID, Name: n.Name, Note: note, Place: chart.PlaceText(r.Place.Best, r.Place.Worst), Value: r.Value, Lo: r.Lo, Hi: r.Hi, Label: label, Spread: spread,
			N: len(r.Moves), Subject: r.ID == q.Subject && q.Subject != ""})
	}
	for _, g := range x.Groups {
		c.Groups = append(c.Groups, chart.Group{From: g.From, To: g.To, Kind: string(g.Kind)})
	}
	for _, slug := range x.Left {
		listed = append(listed, v.label(slug)+": nothing measured")
	}
	if len(listed) > 8 {
		listed = append(listed[:7], fmt.Sprintf("%d more", len(listed)-7))
	}
	c.NotRanked = listed
	c.Foot = fmt.Sprintf("%s Variants depart from themselves by ± %s %% from measure to measure. %s.", x.Firmness, quantity.Number(x.Interaction, 2), foot)
	c.Text = c.Describe()
	return c
}

// use finds a kind of use.
func (v *view) use(slug string) (ranking.Use, error) {
	i := slices.IndexFunc(v.uses, func(u ranking.Use) bool { return u.Slug == slug })
	if i < 0 {
		return ranking.Use{}, refuse(NotFound, "no kind of use %q is known; `durvek use list` shows them", slug)
	}
	return v.uses[i], nil
}

// Uses lists all kinds of use.
func (d *Desk) Uses(ctx context.Context) ([]ranking.Use, error) { return d.store.Uses(ctx) }

// ImportUse takes in a kind of use from a file.
func (d *Desk) ImportUse(ctx context.Context, data []byte, checkOnly bool, by string) (ranking.Use, error) {
	var u ranking.Use
	file, err := document.Read("use", data)
	if err != nil {
		return u, err
	}
	if err := file.Decode(useSchema, &u); err != nil {
		return u, err
	}
	return u, d.putUse(ctx, u, checkOnly, by)
}

// AddUse adds a kind of use, or changes one.
func (d *Desk) AddUse(ctx context.Context, u ranking.Use, by string) (ranking.Use, error) {
	return u, d.putUse(ctx, u, false, by)
}

func (d *Desk) putUse(ctx context.Context, u ranking.Use, checkOnly bool, by string) error {
	v, err := d.view(ctx)
	if err != nil {
		return err
	}
	if s := u.Check(v.judges, v.groups()); s != "" {
		return refuse(Invalid, "kind of use refused: %s", s)
	}
	if checkOnly {
		return nil
	}
	u.Format = ""
	return d.put(ctx, by, "add kind of use", u.Slug, func(q store.Queries) error { return q.PutUse(ctx, u) })
}

// groups lists the groups of tests.
func (v *view) groups() (out []string) {
	for _, m := range v.measures {
		if !slices.Contains(out, m.Group) {
			out = append(out, m.Group)
		}
	}
	return out
}

// UseFit is how a field fits a kind of use.
type UseFit struct {
	Use   ranking.Use       `json:"use"`
	Field string            `json:"field"`
	Fits  []ranking.Fit     `json:"fits"`
	Names map[string]Called `json:"names"`
}

// FitOf tells how the variants of a field fit a kind of use.
func (d *Desk) FitOf(ctx context.Context, use, field, setup string) (UseFit, error) {
	setup = cmp.Or(setup, method.AsDelivered)
	v, err := d.view(ctx)
	if err != nil {
		return UseFit{}, err
	}
	u, err := v.use(use)
	if err != nil {
		return UseFit{}, err
	}
	f, err := v.field(field)
	if err != nil {
		return UseFit{}, err
	}
	members, err := v.of(f)
	if err != nil {
		return UseFit{}, err
	}
	out := UseFit{Use: u, Field: f.Name, Names: map[string]Called{}}
	groups := map[string][]string{}
	for _, w := range u.Weights {
		for _, m := range v.measures {
			if w.Group == m.Group && m.Scale == quantity.Ratio && d.matrix.has(m.ID, members) > 1 {
				groups[m.Group] = append(groups[m.Group], m.ID)
			}
		}
	}
	type key struct{ measure, setup string }
	got := map[key]map[string]stats.Estimate{}
	figure := func(variant, measure, under string) (stats.Estimate, bool) {
		k := key{measure, cmp.Or(under, setup)}
		if got[k] == nil {
			got[k] = d.figures(v.byID[measure], k.setup, members)
		}
		e, ok := got[k][variant]
		return e, ok
	}
	out.Fits = ranking.Fits(u, members, func(slug string) map[string]any { return v.variants[slug].Spec }, v.judges, groups, figure)
	out.Fits = slices.DeleteFunc(out.Fits, func(f ranking.Fit) bool { return f.Completeness == 0 })
	for _, f := range out.Fits {
		x := v.variants[f.Variant]
		out.Names[f.Variant] = Called{x.FullName(), x.Note}
	}
	return out, nil
}

// Rates lists all exchange rates.
func (d *Desk) Rates(ctx context.Context) (catalog.Rates, error) { return d.store.Rates(ctx) }

// AddRate adds an exchange rate, or corrects that of the day.
func (d *Desk) AddRate(ctx context.Context, r catalog.Rate, by string) (catalog.Rate, error) {
	if err := firstProblem("rate", r.Check()); err != nil {
		return r, err
	}
	return r, d.put(ctx, by, "add rate", r.From+" "+r.To, func(q store.Queries) error { return q.PutRate(ctx, r, by) })
}

// ValueQuestion is what performance per price is asked for: by one measure, or by an index.
type ValueQuestion struct {
	Field   string
	Measure string // or
	Index   *IndexQuestion
	Setup   string
	Subject string
	Pricing catalog.Pricing
}

// Valued is performance and price of a field.
type Valued struct {
	What     string                   `json:"what" doc:"What counts as performance, in words"`
	Symbol   string                   `json:"symbol"`
	Currency string                   `json:"currency"`
	Values   []ranking.Value          `json:"values"`
	Steps    []ranking.Step           `json:"steps" doc:"From one configuration of a model to the next dearer one"`
	Climb    []ranking.Step           `json:"climb" doc:"Along the frontier"`
	Prices   map[string]catalog.Price `json:"prices" doc:"By variant"`
	Spans    map[string]catalog.Span  `json:"spans" doc:"By model with several configurations"`
	Per      []PerPrice               `json:"per" doc:"Price per GB of the drive and per Wh of the battery"`
	Names    map[string]Called        `json:"names"`
	Without  []string                 `json:"without,omitempty" doc:"Left out: no price, or no figure"`
	Sentence []string                 `json:"sentences"`
	Chart    chart.Scatter            `json:"chart"`
	field    []ranking.Priced
}

// PerPrice is what a gigabyte or a watt-hour costs in a variant.
type PerPrice struct {
	Variant string  `json:"variant"`
	Of      string  `json:"of" doc:"Key of the spec sheet"`
	Unit    string  `json:"unit"`
	Price   float64 `json:"price" doc:"Per unit"`
}

// ValueOf sets performance against price.
func (d *Desk) ValueOf(ctx context.Context, q ValueQuestion) (Valued, error) {
	q.Field = cmp.Or(q.Field, "everything")
	q.Pricing.Currency = cmp.Or(q.Pricing.Currency, "EUR")
	v, err := d.view(ctx)
	if err != nil {
		return Valued{}, err
	}
	f, err := v.field(q.Field)
	if err != nil {
		return Valued{}, err
	}
	out := Valued{Currency: q.Pricing.Currency, Prices: map[string]catalog.Price{}, Spans: map[string]catalog.Span{}, Names: map[string]Called{}, Per: []PerPrice{}, Sentence: []string{}}
	var field []ranking.Priced
	add := func(slug string, worth, lo, hi float64, unranked, lower bool) error {
		p, ok, err := v.price(slug, q.Pricing)
		if err != nil {
			return refuse(Invalid, "value cannot be compared: %s has %v", slug, err)
		}
		x := v.variants[slug]
		out.Names[slug] = Called{x.FullName(), x.Note}
		if !ok || p.Amount == 0 {
			why := ": no price"
			if n := len(v.offers[slug]); n > 0 {
				why = fmt.Sprintf(": none of its %d prices is %s and with tax, of that region and day", n, cmp.Or(q.Pricing.Condition, "new"))
			}
			out.Without = append(out.Without, v.label(slug)+why)
			return nil
		}
		out.Prices[slug] = p
		field = append(field, ranking.Priced{ID: slug, Model: x.Model.Slug, Price: p.Value(), Worth: worth, Lo: lo, Hi: hi, LowerIs: lower, Unranked: unranked})
		return nil
	}
	if q.Index != nil {
		q.Index.Field, q.Index.Setup = q.Field, q.Setup
		x, err := d.IndexOf(ctx, *q.Index)
		if err != nil {
			return Valued{}, err
		}
		out.What = "Index"
		if u, err := v.use(q.Index.Use); err == nil {
			out.What = "Index for " + u.Name
		}
		for _, r := range x.Rows {
			if err := add(r.ID, r.Value, r.Lo, r.Hi, !r.Ranked, false); err != nil {
				return Valued{}, err
			}
		}
	} else {
		c, err := d.Rank(ctx, Question{Field: q.Field, Measure: q.Measure, Setup: q.Setup})
		if err != nil {
			return Valued{}, err
		}
		if c.Measure.Scale != quantity.Ratio || c.Measure.Better == quantity.Target {
			return Valued{}, refuse(Invalid, "%s cannot be divided by a price: it stands on a scale of kind %q or is best near a target; choose a rate, a time or an index", c.Measure.InSentence(), c.Measure.Scale)
		}
		out.What, out.Symbol = c.Measure.Name, c.Measure.Symbol
		for _, r := range c.Rows {
			e := r.Estimate
			if err := add(r.Variant, e.Centre, e.Lo, e.Hi, e.Bound != "", c.Measure.Better == quantity.Lower); err != nil {
				return Valued{}, err
			}
		}
		for _, l := range c.LeftOut {
			out.Without = append(out.Without, l.Name+": "+l.Reason)
		}
	}
	out.field = field
	out.Values, out.Steps, out.Climb = ranking.Values(field), ranking.Steps(field), ranking.Climb(field)
	d.spans(&out, v, q.Pricing)
	out.say(q)
	out.Chart = out.draw(q, f.Name, d.Name)
	return out, nil
}

// spans gives each model's price span and what a gigabyte and a watt-hour cost.
func (d *Desk) spans(out *Valued, v *view, how catalog.Pricing) {
	byModel := map[string][]catalog.Price{}
	for _, slug := range v.order {
		x := v.variants[slug]
		p, ok := out.Prices[slug]
		if !ok {
			if other, has, err := v.price(slug, how); has && err == nil { // siblings that were not measured belong to the span
				byModel[x.Model.Slug] = append(byModel[x.Model.Slug], other)
			}
			continue
		}
		byModel[x.Model.Slug] = append(byModel[x.Model.Slug], p)
		for _, key := range []string{"drive.size", "battery.energy"} {
			k, _ := catalog.SpecKeyOf(key)
			if size, ok := catalog.SpecNumber(x.Spec, key); ok && size > 0 && (key != "drive.size" || x.Model.Kind == "drive") {
				out.Per = append(out.Per, PerPrice{slug, key, quantity.Symbol(k.Unit), p.Value() / size})
			}
		}
	}
	measured := map[string]bool{}
	for slug := range out.Prices {
		measured[v.variants[slug].Model.Slug] = true
	}
	for _, model := range slices.Sorted(maps.Keys(byModel)) {
		if s, ok := catalog.SpanOf(byModel[model]); ok && measured[model] && len(byModel[model]) > 1 {
			out.Spans[model] = s
		}
	}
	slices.SortStableFunc(out.Per, func(a, b PerPrice) int { return cmp.Or(cmp.Compare(a.Of, b.Of), cmp.Compare(a.Price, b.Price)) })
}

func (x *Valued) money(v float64) string {
	return catalog.Money(int64(math.Round(v*math.Pow10(catalog.MinorDigits(x.Currency)))), x.Currency)
}

// say puts the most telling of it in sentences.
func (x *Valued) say(q ValueQuestion) {
	name := func(id string) string { return x.Names[id].Name + ", " + x.Names[id].Note }
	if len(x.Values) == 0 || x.Values[0].Unranked {
		x.Sentence = append(x.Sentence, "Nothing in the field has both a price and a figure.")
		return
	}
	best := x.Values[0]
	x.Sentence = append(x.Sentence, fmt.Sprintf("Best value by %s per price: the %s at %s.", compare.LowerFirst(x.What), name(best.ID), x.money(best.Price)))
	if len(x.Values) > 1 && !x.Values[1].Unranked && best.BestAt > 0 {
		x.Sentence = append(x.Sentence, fmt.Sprintf("It stays so up to a price of %s.", x.money(best.BestAt)))
	}
	for _, v := range x.Values {
		if v.ID == q.Subject && !v.Unranked && v.ID != best.ID {
			s := fmt.Sprintf("The %s is number %d by value; at %s it would be the best buy", name(v.ID), v.Place, x.money(v.BestAt))
			if !v.Frontier {
				s += fmt.Sprintf(", and below %s nothing would be as cheap and as good (now the %s is%s)", x.money(v.FrontAt), name(v.BeatenBy), map[bool]string{false: ", though not surely"}[v.SureBeat])
			}
			x.Sentence = append(x.Sentence, s+".")
		}
	}
	for _, s := range x.Steps {
		how := fmt.Sprintf("%s %% better (%s to %s)", quantity.Number(s.More, 2), quantity.Number(s.Lo, 2), quantity.Number(s.Hi, 2))
		if !s.Sure {
			how = "no sure gain"
		} else if s.More < 0 {
			how = fmt.Sprintf("%s %% worse", quantity.Number(-s.More, 2))
		}
		x.Sentence = append(x.Sentence, fmt.Sprintf("From the %s to the %s: %s for %s more.", name(s.From), x.Names[s.To].Note, how, x.money(s.Costs)))
	}
}

func (x *Valued) draw(q ValueQuestion, field, foot string) chart.Scatter {
	c := chart.Scatter{Title: x.What + " against price, " + field, Subtitle: "Points on the dashed line: nothing else is as cheap and as good. Whiskers 95 %.", X: "Price, " + x.Currency, Y: x.What, Frontier: true, Points: []chart.Point{}, Foot: foot + "."}
	if x.Symbol != "" {
		c.Y += ", " + x.Symbol
	}
	lower := false
	least, most := math.Inf(1), 0.0
	for _, v := range x.Values {
		least, most = min(least, v.Worth), max(most, v.Worth)
	}
	c.FromZero = least < most/3 // points need no zero; where it is near, it helps
	for _, v := range x.Values {
		n := x.Names[v.ID]
		figure := x.field[slices.IndexFunc(x.field, func(p ranking.Priced) bool { return p.ID == v.ID })]
		lower = figure.LowerIs
		p := chart.Point{ID: v.ID, Name: n.Name, Note: n.Note, X: v.Price, Y: v.Worth, Lo: figure.Lo, Hi: figure.Hi, Best: v.Frontier, Subject: v.ID == q.Subject && q.Subject != "", Hollow: v.Unranked,
			Label: fmt.Sprintf("%s for %s", strings.TrimSpace(quantity.Number(v.Worth, 3)+" "+x.Symbol), x.Prices[v.ID].Text)}
		c.Points = append(c.Points, p)
	}
	if c.LowBest = lower; lower {
		c.Y += " (lower is better)"
	}
	var notes []string
	for _, v := range x.Values {
		if p := x.Prices[v.ID]; p.Rate != nil || p.Offer.Voucher != nil || p.Offer.List {
			notes = append(notes, x.Names[v.ID].Name+": "+strings.Join(p.Notes[min(1, len(p.Notes)):], ", "))
		}
	}
	if len(notes) > 0 {
		c.Notes = append(c.Notes, "Prices: "+strings.Join(notes, "; ")+".")
	}
	if n := len(x.Without); n > 0 {
		c.Notes = append(c.Notes, fmt.Sprintf("%d left out: %s.", n, strings.Join(x.Without[:min(n, 4)], "; ")))
	}
	c.Text = c.Describe()
	return c
}

// Cost is what a rig costs to a working system, part by part.
type Cost struct {
	Rig     string     `json:"rig"`
	Name    string     `json:"name"`
	Parts   []CostPart `json:"parts"`
	Total   string     `json:"total"`
	Amount  int64      `json:"amount"`
	Missing []string   `json:"missing,omitempty" doc:"Parts without a price: the total is without them"`
}

// CostPart is one part of a rig and its price.
type CostPart struct {
	Unit  string        `json:"unit"`
	Role  string        `json:"role"`
	Name  string        `json:"name"`
	Price catalog.Price `json:"price"`
}

// RigCost sums up what the parts of a rig cost.
func (d *Desk) RigCost(ctx context.Context, slug string, how catalog.Pricing) (Cost, error) {
	how.Currency = cmp.Or(how.Currency, "EUR")
	r, err := d.Rig(ctx, slug)
	if err != nil {
		return Cost{}, err
	}
	v, err := d.view(ctx)
	if err != nil {
		return Cost{}, err
	}
	out := Cost{Rig: r.Slug, Name: r.Name, Parts: []CostPart{}}
	for _, part := range r.Parts {
		u, err := d.store.Unit(ctx, part.Unit)
		if err != nil {
			return out, missing(err, "unit", part.Unit)
		}
		p, ok, err := v.price(u.Variant, how)
		if err != nil {
			return out, refuse(Invalid, "the cost of %s cannot be summed up: %s has %v", slug, part.Unit, err)
		}
		if !ok {
			out.Missing = append(out.Missing, v.label(u.Variant))
			continue
		}
		out.Parts = append(out.Parts, CostPart{part.Unit, part.Role, v.label(u.Variant), p})
		out.Amount += p.Amount
	}
	out.Total = catalog.Money(out.Amount, how.Currency)
	return out, nil
}
