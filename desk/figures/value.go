package figures

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/say"
	"durvek/core/value"
	"durvek/desk"
)

// ValueQuestion is what performance per price is asked for: by one measure, or by an index.
type ValueQuestion struct {
	Field   string
	Measure string // or
	Index   *IndexQuestion
	Setup   string
	Subject string
	Pricing catalog.Pricing
	Where   []string // narrows the figures that count
}

// Valued is performance and price of a field.
type Valued struct {
	What     string                   `json:"what" doc:"What counts as performance, in words"`
	Symbol   string                   `json:"symbol"`
	Currency string                   `json:"currency"`
	Values   []value.Value            `json:"values"`
	Steps    []value.Step             `json:"steps" doc:"From one configuration of a model to the next dearer one"`
	Climb    []value.Step             `json:"climb" doc:"Along the frontier"`
	Prices   map[string]catalog.Price `json:"prices" doc:"By variant"`
	Spans    map[string]catalog.Span  `json:"spans" doc:"By model with several configurations"`
	Per      []PerPrice               `json:"per" doc:"Price per GB of the drive and per Wh of the battery"`
	Names    map[string]Called        `json:"names"`
	Without  []string                 `json:"without,omitempty" doc:"Left out: no price, or no figure"`
	Sentence []string                 `json:"sentences"`
	Chart    chart.Scatter            `json:"chart"`
	field    []value.Priced
	measure  *compare.Measure // nil for an index
}

// PerPrice is what a gigabyte or a watt-hour costs in a variant.
type PerPrice struct {
	Variant string  `json:"variant"`
	Of      string  `json:"of" doc:"Key of the spec sheet"`
	Unit    string  `json:"unit"`
	Price   float64 `json:"price" doc:"Per unit"`
}

// ValueOf sets performance against price.
func (f *Figures) ValueOf(ctx context.Context, q ValueQuestion) (Valued, error) {
	q.Field = cmp.Or(q.Field, everything)
	d, err := f.look(ctx)
	if err != nil {
		return Valued{}, err
	}
	in, err := d.field(q.Field)
	if err != nil {
		return Valued{}, err
	}
	if q.Measure == "" && (q.Index == nil || q.Index.Use == "" && len(q.Index.Weights) == 0) {
		return Valued{}, desk.Refuse(desk.Invalid, "value of what? Name a measure, a kind of use, or weights")
	}
	q.Pricing.Currency = cmp.Or(q.Pricing.Currency, d.own(in))
	out := Valued{Currency: q.Pricing.Currency, Prices: map[string]catalog.Price{}, Spans: map[string]catalog.Span{},
		Names: map[string]Called{}, Per: []PerPrice{}, Sentence: []string{}}
	var field []value.Priced
	add := func(x value.Priced) error {
		slug := x.ID
		p, ok, err := d.price(slug, q.Pricing)
		if err != nil {
			return desk.Refuse(desk.Invalid, "value cannot be compared: %s has %v", slug, err)
		}
		v := d.variants[slug]
		out.Names[slug] = Called{v.FullName(), v.Note}
		if !ok || p.Amount == 0 {
			why := ": no price"
			if n := len(d.offers[slug]); n > 0 {
				why = fmt.Sprintf(": %s, none of them %s and with tax, of that region and day", say.Things(n, "price"),
					cmp.Or(q.Pricing.Condition, "new"))
			}
			out.Without = append(out.Without, d.label(slug)+why)
			return nil
		}
		out.Prices[slug] = p
		x.Model, x.Price = v.Model.Slug, p.Value()
		field = append(field, x)
		return nil
	}
	if q.Index != nil {
		q.Index.Field, q.Index.Setup = q.Field, q.Setup
		x, err := d.index(*q.Index)
		if err != nil {
			return Valued{}, err
		}
		out.What = "Index"
		if u, err := d.use(q.Index.Use); err == nil {
			out.What = "Index for " + u.Name
		}
		for _, r := range x.Rows {
			if err := add(value.Priced{ID: r.ID, Worth: r.Value, Lo: r.Lo, Hi: r.Hi, Unsure: len(r.Unknown) > 0,
				Unranked: !r.Ranked}); err != nil {
				return Valued{}, err
			}
		}
	} else {
		if err := d.valueOne(q, &out, add); err != nil {
			return Valued{}, err
		}
	}
	out.field = field
	out.Values, out.Steps, out.Climb = value.Of(field), value.Steps(field), value.Climb(field)
	members, err := d.membersOf(in)
	if err != nil {
		return Valued{}, err
	}
	d.spans(&out, members, q.Pricing)
	out.say(q)
	out.Chart = out.draw(q, in.Name, f.desk.Name())
	return out, nil
}

// valueOne takes one measure's figures for performance.
func (d *sight) valueOne(q ValueQuestion, out *Valued, add func(value.Priced) error) error {
	c, err := d.rank(compare.Question{Field: q.Field, Measure: q.Measure, Setup: q.Setup, Where: q.Where})
	if err != nil {
		return err
	}
	if c.Measure.Scale != quantity.Ratio || c.Measure.Better == quantity.Target {
		return desk.Refuse(desk.Invalid, "%s cannot be divided by a price: it stands on a scale of kind %q or "+
			"is best near a target; choose a rate, a time or an index", c.Measure.InSentence(), c.Measure.Scale)
	}
	out.What, out.Symbol, out.measure = c.Measure.Name, c.Measure.Symbol, &c.Measure
	for _, r := range c.Rows {
		e := r.Estimate
		if r.Differs != "" {
			out.Without = append(
				out.Without,
				fmt.Sprintf("%s, %s: one of several figures, of which none stands for all",
					d.label(r.Variant), r.Differs),
			)
			continue
		}
		if err := add(value.Priced{ID: r.Variant, Worth: e.Centre, Lo: e.Lo, Hi: e.Hi, Unsure: e.Unknown,
			Unranked: e.Bound != "", LowerIs: c.Measure.Better == quantity.Lower}); err != nil {
			return err
		}
	}
	for _, l := range c.LeftOut {
		out.Without = append(out.Without, l.Name+": "+l.Reason)
	}
	return nil
}

// spans gives each model's price span and what a gigabyte and a watt-hour cost.
func (d *sight) spans(out *Valued, members []string, how catalog.Pricing) {
	byModel := map[string][]catalog.Price{}
	for _, slug := range d.order {
		x := d.variants[slug]
		p, ok := out.Prices[slug]
		if !ok {
			if other, has, err := d.price(slug, how); has &&
				err == nil { // siblings that were not measured belong to the span
				byModel[x.Model.Slug] = append(byModel[x.Model.Slug], other)
			}
			continue
		}
		byModel[x.Model.Slug] = append(byModel[x.Model.Slug], p)
		for _, key := range []string{"drive.size", "battery.energy"} {
			k, _ := catalog.SpecKeyOf(key)
			if size, ok := catalog.SpecNumber(x.Spec, key); ok && size > 0 &&
				(key != "drive.size" || x.Model.Kind == "drive") {
				out.Per = append(out.Per, PerPrice{slug, key, quantity.Symbol(k.Unit), p.Value() / size})
			}
		}
	}
	meant := map[string]bool{} // by model: those of the field, measured or not
	for _, slug := range members {
		meant[d.variants[slug].Model.Slug] = true
	}
	for _, model := range slices.Sorted(maps.Keys(byModel)) {
		if s, ok := catalog.SpanOf(byModel[model]); ok && meant[model] && len(byModel[model]) > 1 {
			out.Spans[model] = s
		}
	}
	slices.SortStableFunc(out.Per, func(a, b PerPrice) int {
		return cmp.Or(cmp.Compare(a.Of, b.Of), cmp.Compare(a.Price,
			b.Price))
	})
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
	x.Sentence = append(x.Sentence, fmt.Sprintf("Best value by %s per price: the %s at %s.", compare.LowerFirst(x.What),
		name(best.ID), x.money(best.Price)))
	if len(x.Values) > 1 && !x.Values[1].Unranked && best.BestAt > 0 {
		x.Sentence = append(x.Sentence, fmt.Sprintf("It stays so up to a price of %s.", x.money(best.BestAt)))
	}
	for _, v := range x.Values {
		if v.ID == q.Subject && !v.Unranked && v.ID != best.ID {
			s := fmt.Sprintf("The %s is number %d by value; at %s it would be the best buy", name(v.ID), v.Place,
				x.money(v.BestAt))
			if !v.Frontier {
				s += fmt.Sprintf(
					", and below %s nothing would be as cheap and as good (now the %s is%s)",
					x.money(v.FrontAt),
					name(v.BeatenBy),
					map[bool]string{false: ", though not surely"}[v.SureBeat],
				)
			}
			x.Sentence = append(x.Sentence, s+".")
		}
	}
	for i := range x.Climb {
		x.Climb[i].Says = x.step(x.Climb[i])
	}
	for i := range x.Steps {
		s := &x.Steps[i]
		s.Says = x.step(*s)
		x.Sentence = append(x.Sentence, fmt.Sprintf("From the %s to the %s: %s.", name(s.From), x.Names[s.To].Note, s.Says))
	}
}

// step says what a step up brings, and for how much: "18 % faster (12 to 25) for 350.00 EUR more".
func (x *Valued) step(s value.Step) string {
	how := fmt.Sprintf("%s %% better (%s to %s)", quantity.Number(s.More, 2), quantity.Number(s.Lo, 2),
		quantity.Number(s.Hi, 2))
	switch {
	case !s.Sure:
		how = "no sure gain"
	case x.measure != nil:
		d, lo, hi := math.Log1p(s.More/100), math.Log1p(s.Lo/100), math.Log1p(s.Hi/100)
		if x.measure.Better == quantity.Lower {
			d, lo, hi = -d, -hi, -lo
		}
		how = x.measure.Apart(0, d, lo, hi).Than("")
	case s.More < 0:
		how = fmt.Sprintf("%s %% worse", quantity.Number(-s.More, 2))
	}
	return fmt.Sprintf("%s for %s more", how, x.money(s.Costs))
}

func (x *Valued) draw(q ValueQuestion, field, foot string) chart.Scatter {
	c := chart.Scatter{
		Title: x.What + " against price, " + field,
		Subtitle: "Points on the dashed line: nothing else " +
			"is as cheap and as good. Whiskers 95 %.",
		X:        "Price, " + x.Currency,
		Y:        x.What,
		Frontier: true,
		Points:   []chart.Point{},
		Foot:     foot + ".",
	}
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
		figure := x.field[slices.IndexFunc(x.field, func(p value.Priced) bool { return p.ID == v.ID })]
		lower = figure.LowerIs
		p := chart.Point{ID: v.ID, Name: n.Name, Note: n.Note, X: v.Price, Y: v.Worth, Lo: figure.Lo, Hi: figure.Hi,
			Best: v.Frontier, Subject: v.ID == q.Subject && q.Subject != "", Hollow: v.Unranked || figure.Unsure,
			Label: fmt.Sprintf(
				"%s for %s",
				strings.TrimSpace(quantity.Number(v.Worth, 3)+" "+x.Symbol),
				x.Prices[v.ID].Text,
			)}
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
func (f *Figures) RigCost(ctx context.Context, slug string, how catalog.Pricing) (Cost, error) {
	d, err := f.look(ctx)
	if err != nil {
		return Cost{}, err
	}
	how.Currency = cmp.Or(how.Currency, d.own(ranking.Field{}))
	rigs, err := f.desk.Store.Rigs(ctx, "")
	if err != nil {
		return Cost{}, err
	}
	i := slices.IndexFunc(rigs, func(r catalog.Rig) bool { return r.Slug == slug })
	if i < 0 {
		return Cost{}, unknown("rig", slug)
	}
	r := rigs[i]
	out := Cost{Rig: r.Slug, Name: r.Name, Parts: []CostPart{}}
	for _, part := range r.Parts {
		u, err := f.desk.Store.Unit(ctx, part.Unit)
		if err != nil {
			return out, desk.Missing(err, "unit", part.Unit)
		}
		p, ok, err := d.price(u.Variant, how)
		if !ok && err == nil { // what was bought used, without tax or came with something else was paid all the same
			any := how
			any.Any = true
			p, ok, err = d.price(u.Variant, any)
		}
		if err != nil {
			return out, desk.Refuse(desk.Invalid, "the cost of %s cannot be summed up: %s has %v", slug, part.Unit, err)
		}
		if !ok {
			out.Missing = append(out.Missing, d.label(u.Variant))
			continue
		}
		out.Parts = append(out.Parts, CostPart{part.Unit, part.Role, d.label(u.Variant), p})
		out.Amount += p.Amount
	}
	out.Total = catalog.Money(out.Amount, how.Currency)
	return out, nil
}
