package figures

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/say"
	"durvek/core/verdict"
	"durvek/desk"
)

// Among tells where a variant stands in a measure among everything that the desk ever measured; nil where its figure
// cannot be placed.
func (f *Figures) Among(ctx context.Context, measure, variant, setup string, where ...string) (*ranking.Within, error) {
	p, err := f.PlaceOf(ctx, measure, variant, setup, where...)
	if refused(err) {
		return nil, nil
	}
	return &p.History, err
}

// refused tells whether an answer was refused for what the desk holds: there is nothing to say, and no failure.
func refused(err error) bool {
	var r *desk.Error
	return errors.As(err, &r)
}

// NeedsOf lists the needs of a kind of use that a variant surely does not meet, and how it fits it; nil where nothing
// that the use asks for was measured.
func (f *Figures) NeedsOf(ctx context.Context, use, field, variant string) ([]verdict.Need, *verdict.Fitting, error) {
	u, err := f.FitOf(ctx, use, field, "")
	if err != nil {
		return nil, nil, err
	}
	i := slices.IndexFunc(u.Fits, func(x fit.Fit) bool { return x.Variant == variant })
	if i < 0 {
		return nil, nil, nil
	}
	var out []verdict.Need
	x := u.Fits[i]
	is := &verdict.Fitting{For: u.Use.Name, Use: use, Is: verdict.For}
	var why []string
	for _, n := range x.Needs {
		switch n.Met {
		case fit.Failed:
			need := verdict.Need{Use: u.Use.Name, Text: compare.LowerFirst(n.Text), Why: n.Why}
			out = append(out, need)
			is.Is, why = verdict.NotFor, append(why, say.Sentence("it wants "+need.Text)+" "+need.Why)
		case fit.Undecided, fit.Unknown:
			if is.Is == verdict.For {
				is.Is = verdict.ForSome
			}
			why = append(why, say.Sentence("open: "+compare.LowerFirst(n.Text)))
		}
	}
	place := 1 // by score
	for _, other := range u.Fits {
		if other.Variant != variant && other.Score > x.Score {
			place++
		}
	}
	if is.Is == verdict.For && 2*place > len(u.Fits)+1 {
		is.Is = verdict.ForSome
	}
	best := slices.MaxFunc(u.Fits, func(a, b fit.Fit) int { return cmp.Compare(a.Score, b.Score) })
	score := fmt.Sprintf("Fits by %.0f of 100 (%.0f to %.0f)", x.Score, x.Lo, x.Hi)
	switch {
	case len(u.Fits) > 1 && place == 1:
		score += ", the best of the field"
	case len(u.Fits) > 1:
		score += fmt.Sprintf(", the best in the field by %.0f", best.Score)
	}
	why = append(why, score+".")
	is.Sentence = strings.Join(why, " ")
	return out, is, nil
}

// Asked says what kinds of use ask for: what each area counts, the mean share of weight that its measures have, 1 where
// it has as much as the areas have on average; and the measures that they name, needs first, then what weighs most.
func (f *Figures) Asked(ctx context.Context, uses []string) (areas map[string]float64, named []string, err error) {
	v, err := f.view(ctx)
	if err != nil || len(uses) == 0 {
		return nil, nil, err
	}
	out, all := map[string]float64{}, 0.0
	var weighed []fit.Weight
	for _, slug := range uses {
		u, err := v.use(slug)
		if err != nil {
			return nil, nil, err
		}
		for _, n := range u.Needs {
			if n.Measure != "" {
				named = append(named, n.Measure)
			}
		}
		for _, w := range u.Weights {
			if w.Measure != "" {
				weighed = append(weighed, w)
			}
			group := w.Group
			if m, ok := v.byID[w.Measure]; ok {
				group = m.Group
			}
			out[verdict.AreaOf(group)] += w.Weight
			all += w.Weight
		}
	}
	slices.SortStableFunc(weighed, func(a, b fit.Weight) int { return cmp.Compare(b.Weight, a.Weight) })
	for _, w := range weighed {
		named = append(named, w.Measure)
	}
	if all == 0 {
		return nil, named, nil
	}
	for a := range out {
		out[a] *= float64(len(out)) / all
	}
	for _, m := range v.measures { // what the uses do not ask for matters less, and is not nothing
		if a := verdict.AreaOf(m.Group); out[a] == 0 {
			out[a] = 0.4
		}
	}
	return out, named, nil
}

// WorthOf says what a variant gives for its price in a field: by the first kind of use that is named, else evenly over
// all groups of measures; nil where it has no price, or nothing to be held against.
func (f *Figures) WorthOf(ctx context.Context, field, variant string, uses []string) (*verdict.Worth, error) {
	q := ValueQuestion{Field: field, Subject: variant, Index: &IndexQuestion{}}
	if len(uses) > 0 {
		q.Index.Use = uses[0]
	} else if err := f.evenly(ctx, field, q.Index); err != nil {
		return nil, err
	}
	x, err := f.ValueOf(ctx, q)
	if refused(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	for _, v := range x.Values {
		if v.ID != variant || v.Unranked || len(x.Values) < 3 {
			continue
		}
		money := func(v float64) string { return whole(x.money(v)) }
		out := &verdict.Worth{Price: money(v.Price), Best: v.Place == 1, Frontier: v.Frontier, Surely: v.SureBeat}
		if v.BestAt > 0 {
			out.BestAt = money(math.Round(v.BestAt))
		}
		if v.BeatenBy != "" {
			out.Beater = v.BeatenBy
			out.BeatenBy = fmt.Sprintf("%s (%s)", x.Names[v.BeatenBy].Name, whole(x.Prices[v.BeatenBy].Text))
		}
		return out, nil
	}
	return nil, nil
}

// evenly gives every group of measures that a field has figures of the same weight.
func (f *Figures) evenly(ctx context.Context, field string, q *IndexQuestion) error {
	d, err := f.look(ctx)
	if err != nil {
		return err
	}
	in, err := d.field(field)
	if err != nil {
		return err
	}
	members, err := d.membersOf(in)
	if err != nil {
		return err
	}
	for _, group := range d.groupNames() {
		got, err := d.inGroup(group, members, func(m compare.Measure) bool {
			return m.Scale == quantity.Ratio && m.Better != quantity.Target
		})
		if err != nil {
			return err
		}
		if len(got) > 0 {
			q.Weights = append(q.Weights, fit.Weight{Group: group, Weight: 1})
		}
	}
	return nil
}

// whole writes money without minor units where there are none.
func whole(money string) string { return strings.Replace(money, ".00 ", " ", 1) }

// PricesOf says by how much other variants are dearer or cheaper than one; those without a price are left out.
func (f *Figures) PricesOf(ctx context.Context, field, variant string, others []string) (map[string]verdict.Costs,
	error) {
	d, err := f.look(ctx)
	if err != nil {
		return nil, err
	}
	in, err := d.field(field)
	if err != nil {
		return nil, err
	}
	x := &Valued{Currency: d.own(in)}
	how := catalog.Pricing{Currency: x.Currency}
	own, ok, err := d.price(variant, how)
	if err != nil || !ok {
		return nil, nil // without a rate or an offer there is nothing to say
	}
	out := map[string]verdict.Costs{}
	for _, o := range others {
		if p, ok, err := d.price(o, how); ok && err == nil && p.Amount != own.Amount {
			apart := p.Value() - own.Value()
			out[o] = verdict.Costs{More: whole(x.money(max(apart, -apart))), Dearer: apart > 0}
		}
	}
	return out, nil
}
