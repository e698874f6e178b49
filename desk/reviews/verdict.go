package reviews

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/say"
	"durvek/core/verdict"
	"durvek/desk"
)

// facts gathers what rules may read.
func (d *Reviews) facts(ctx context.Context, r verdict.Review) (verdict.Facts, error) {
	facts := verdict.Facts{Caveats: map[string]string{}}
	ctx = d.figures.Together(ctx)
	g := gathered{Reviews: d, review: r}
	var err error
	if g.subject, err = d.figures.Name(ctx, r.Subject); err != nil {
		return facts, err
	}
	if err := g.line(ctx); err != nil {
		return facts, err
	}
	known, err := d.figures.Known(ctx)
	if err != nil {
		return facts, err
	}
	measures := slices.Clone(known)
	charts := map[string][]verdict.Chart{} // a measure is spoken of as it is charted
	for _, c := range r.Charts {
		charts[c.Measure] = append(charts[c.Measure], c)
	}
	// What is charted comes first: of a mode the first measure speaks.
	slices.SortStableFunc(measures, func(a, b compare.Measure) int {
		return cmp.Compare(min(len(charts[b.ID]), 1), min(len(charts[a.ID]), 1))
	})
	for _, m := range measures {
		if len(charts[m.ID]) == 0 && m.Derived() {
			continue // what it is made of speaks already
		}
		if len(charts[m.ID]) == 0 {
			charts[m.ID] = []verdict.Chart{{Measure: m.ID}}
		}
		for _, c := range charts[m.ID] {
			if err := g.measure(ctx, m, c, &facts); err != nil {
				return facts, err
			}
		}
	}
	return facts, d.told(ctx, r, &facts)
}

// gathered is a review whose facts are being gathered: its subject, and the models before it.
type gathered struct {
	*Reviews
	review  verdict.Review
	subject desk.Named
	before  map[string]verdict.Relation // models that it succeeds
	modes   map[string]bool             // that are spoken of
}

// line finds the models that the subject's one succeeds.
func (g *gathered) line(ctx context.Context) error {
	g.before, g.modes = map[string]verdict.Relation{}, map[string]bool{}
	first := g.subject.Model.Succeeds
	if first == "" {
		return nil
	}
	g.before[first] = verdict.Predecessor
	models, err := g.desk.Store.Models(ctx)
	i := slices.IndexFunc(models, func(m catalog.Model) bool { return m.Slug == first })
	if err == nil && i >= 0 && models[i].Succeeds != "" {
		g.before[models[i].Succeeds] = verdict.Before
	}
	return err
}

// measure adds what one measure, narrowed as it is charted, says of the subject.
func (g *gathered) measure(ctx context.Context, m compare.Measure, chart verdict.Chart, facts *verdict.Facts) error {
	r := g.review
	q := question(r, chart)
	q.Raised = true
	c, err := g.figures.Rank(ctx, q)
	if err != nil {
		return err
	}
	narrowed, err := g.narrowed(ctx, chart)
	if err != nil {
		return err
	}
	own := func(row compare.Row) bool { return row.Variant == r.Subject }
	if !slices.ContainsFunc(c.Rows, own) {
		if len(c.Rows) >= 3 && slices.ContainsFunc(c.LeftOut,
			func(l compare.LeftOut) bool { return l.Variant == r.Subject }) {
			facts.Missing = append(facts.Missing, verdict.Absent{Name: m.InSentence() + narrowed, Group: m.Group})
		}
		return nil
	}
	for i, row := range c.Rows {
		if !own(row) || !row.Standing.Known() { // of unknown order nothing can be said
			continue
		}
		s, err := g.standing(ctx, c, i)
		if err != nil {
			return err
		}
		s.Figure = figure(chart, row)
		s.Name += narrowed
		if c := row.Caveat(); c != "" {
			facts.Caveats[s.Figure] = c
		} else if row.Differs == "" && s.Others > 1 && (s.Place.Worst <= 2 || s.Place.Best >= s.Field-1) {
			// Only what is surely near an end of its class can be near an end of everything.
			if s.History, err = g.figures.Among(ctx, m.ID, r.Subject, row.Setup, chart.Where...); err != nil {
				return err
			}
		}
		facts.Standings = append(facts.Standings, s)
		if err := g.mode(ctx, m, row, s, facts); err != nil {
			return err
		}
	}
	return nil
}

// mode adds what other modes gain in a measure and cost, each once, where it is first met.
func (g *gathered) mode(ctx context.Context, m compare.Measure, row compare.Row, s verdict.Standing,
	facts *verdict.Facts) error {
	for _, x := range row.Raised {
		rel := ranking.RelativeTo(x.Estimate, row.Estimate, m.Scale)
		if g.modes[x.Setup] || m.Scale != quantity.Ratio || rel.Unknown {
			continue
		}
		modes, err := g.figures.ModesOf(ctx, m.ID, g.review.Field, g.review.Subject)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(modes.Gains, func(gain compare.ModeGain) bool { return gain.Setup == x.Setup })
		if i < 0 {
			continue
		}
		g.modes[x.Setup] = true
		d := say.Difference{Pair: s.Words, Unit: s.Unit, Value: rel.Value, Lo: rel.Lo, Hi: rel.Hi, Ratio: true,
			Figure: x.Estimate.Centre}
		gain := d.In(s.Name)
		if rel.Lo <= 100 && rel.Hi >= 100 {
			gain = "no gain shown in " + s.Name
		}
		var costs []string
		for _, c := range modes.Gains[i].Costs {
			costs = append(costs, c.Phrase())
		}
		facts.Modes = append(facts.Modes, verdict.Mode{Name: x.Name, Gain: gain, Costs: say.List(costs), Figure: s.Figure})
	}
	return nil
}

// told adds what became of the claims, what happened, what it works with, what it costs, and what people said.
func (d *Reviews) told(ctx context.Context, r verdict.Review, facts *verdict.Facts) error {
	judged, err := d.figures.CheckClaims(ctx, r.Subject)
	if err != nil {
		return err
	}
	tests, err := d.figures.Tests(ctx)
	if err != nil {
		return err
	}
	if facts.Remarks, err = d.desk.Store.Remarks(ctx, r.Subject, false); err != nil {
		return err
	}
	for _, j := range judged {
		test, measure := method.Split(j.Measure)
		if tests[test].Aside != "" {
			facts.Caveats["claim "+claimKey(j.Claim)] = tests[test].Aside
		}
		m, _ := tests[test].Measure(measure)
		facts.Claims = append(facts.Claims, verdict.ClaimFact{ID: claimKey(j.Claim), Name: j.Name,
			Area: verdict.AreaOf(tests[test].Group), Claimed: j.Text, Measured: measured(j, m.Unit), Verdict: j.Verdict,
			Lower: m.Better == quantity.Lower})
	}
	if err := d.lived(ctx, r.Subject, facts); err != nil {
		return err
	}
	for _, use := range r.Uses {
		needs, is, err := d.figures.NeedsOf(ctx, use, r.Field, r.Subject)
		if err != nil {
			return err
		}
		facts.Needs = append(facts.Needs, needs...)
		if is != nil {
			facts.Uses = append(facts.Uses, *is)
		}
	}
	if facts.Weights, facts.Asked, err = d.figures.Asked(ctx, r.Uses); err != nil {
		return err
	}
	for _, j := range judged {
		if j.Verdict.Outcome != claims.Untested {
			facts.Asked = append(facts.Asked, j.Measure)
		}
	}
	if n, err := d.examplesIn(ctx, r); err != nil || n > 0 { // made-up prices say nothing of what it is worth
		return err
	}
	if facts.Worth, err = d.figures.WorthOf(ctx, r.Field, r.Subject, r.Uses); err != nil {
		return err
	}
	var kin []string
	for _, k := range verdict.KinOf(*facts) {
		kin = append(kin, k.Variant)
	}
	facts.Prices, err = d.figures.PricesOf(ctx, r.Field, r.Subject, kin)
	return err
}

// measured is a figure without its interval, since a sentence has room for one number, in the claim's unit: who
// promises 12 GB/s is not answered in MiB/s.
func measured(j claims.Judged, unit string) string {
	e := j.Verdict.Estimate
	if e == nil || e.Bound != "" {
		return j.Measured
	}
	if by, err := quantity.Convert(1, unit, j.Unit); err == nil && by > 0 {
		if zero, err := quantity.Convert(0, unit, j.Unit); err == nil && zero == 0 {
			return quantity.Told(by*e.Centre, by*e.Lo, by*e.Hi, j.Unit)
		}
	}
	return quantity.Told(e.Centre, e.Lo, e.Hi, unit) // of another kind, such as a charge for an energy
}

// lived adds what happened to the subject's units, and what they worked with.
func (d *Reviews) lived(ctx context.Context, variant string, facts *verdict.Facts) error {
	units, err := d.desk.Store.Units(ctx, variant)
	if err != nil {
		return err
	}
	names := map[string]bool{}
	works := map[string]bool{}
	for _, u := range units {
		rates, err := d.bench.IncidentRates(ctx, u.Slug)
		if err != nil {
			return err
		}
		facts.Incidents = append(facts.Incidents, rates...)
		pairs, err := d.results.Partners(ctx, u.Slug)
		if err != nil {
			return err
		}
		for _, p := range pairs {
			if p.Works == 0 {
				names[p.Partner] = true
			} else {
				works[p.Partner] = true
			}
		}
	}
	for _, n := range desk.SortedKeys(names) {
		if works[n] {
			continue // at another port, or with another firmware, it did
		}
		u, err := d.desk.Store.Unit(ctx, n)
		unit, err := desk.Found(err)
		if err != nil {
			return err
		}
		if unit {
			x, err := d.figures.Name(ctx, u.Variant)
			if err != nil {
				return err
			}
			n = "the " + x.Name
		}
		facts.Fails = append(facts.Fails, n)
	}
	facts.Works = len(works)
	return nil
}

// figure names one figure of a review: its chart, with what sets one of several rows apart.
func figure(c verdict.Chart, row compare.Row) string {
	if row.Differs == "" {
		return c.Key()
	}
	return c.Key() + " · " + row.Differs
}

// narrowed says what a chart is narrowed to, as it follows a measure's name.
func (d *Reviews) narrowed(ctx context.Context, c verdict.Chart) (text string, err error) {
	if c.Setup != "" {
		s, err := d.desk.Store.Setup(ctx, c.Setup)
		if err != nil {
			return "", err
		}
		text = ", " + compare.LowerFirst(s.Name)
	}
	for _, x := range c.Where {
		w, err := compare.ParseWhere(x)
		if err != nil {
			return "", err
		}
		text += ", " + w.Says()
	}
	return text, nil
}

// standing is how the subject in row i of a comparison stands to its class and its kin.
func (g *gathered) standing(ctx context.Context, c compare.Comparison, i int) (verdict.Standing, error) {
	m, row := c.Measure, c.Rows[i]
	def := m.Def()
	test, slug := method.Split(m.ID)
	short, _, _ := strings.Cut(m.Name, ", "+def.Name)
	s := verdict.Standing{Test: test, Measure: slug, Name: m.InSentence(), Short: short, Area: verdict.AreaOf(m.Group),
		Words: def.Pair(), Unit: m.Unit, Scale: m.Scale, Better: m.Better,
		Margin: def.Margin, Value: row.Estimate.Centre, Said: quantity.Told(row.Estimate.Centre, row.Estimate.Lo,
			row.Estimate.Hi, m.Unit), Place: row.Standing,
		Field: c.Ordered(), Bound: row.Estimate.Bound, Limiter: row.Limiter, Levels: len(def.Levels)}
	s.Level = slices.IndexFunc(def.Levels, func(l method.Level) bool { return l.Mark == row.Estimate.Centre })
	switch {
	case s.Level >= 0:
		s.Said = def.Levels[s.Level].Text
	case m.Scale == quantity.Pass || m.Scale == quantity.Grade || s.Bound != "":
		s.Said = c.Chart.Rows[i].Label
	}
	if row.Differs != "" {
		s.Name += ", " + row.Differs
	}
	var others []ranking.Entry // the class average does not hold the subject
	for _, other := range c.Rows {
		if other.Variant == row.Variant {
			continue
		}
		others = append(others, ranking.Entry{ID: other.ID, Estimate: other.Estimate})
		s.Rival = other.Name
		name, err := g.figures.Name(ctx, other.Variant)
		if err != nil {
			return s, err
		}
		relation := g.before[name.Model.Slug]
		if name.Model.Slug == g.subject.Model.Slug {
			relation, name.Name = verdict.Sibling, name.Note
		}
		if relation == "" || other.Differs != row.Differs ||
			slices.ContainsFunc(s.Kin, func(a verdict.Against) bool { return a.Variant == other.Variant }) {
			continue
		}
		s.Kin = append(s.Kin, verdict.Against{Variant: other.Variant, Model: name.Model.Slug, Name: name.Name,
			Relation: relation,
			Relative: ranking.RelativeTo(row.Estimate, other.Estimate, m.Scale)})
	}
	if len(others) != 1 {
		s.Rival = ""
	}
	if mean, ok := ranking.FieldMean(others, m.Scale); ok && c.Mean != nil {
		rel := ranking.RelativeTo(row.Estimate, mean, m.Scale)
		if len(others) == 1 { // against one the other one's noise counts, too
			rel = ranking.RelativeTo(row.Estimate, others[0].Estimate, m.Scale)
		}
		s.Class, s.Others = &rel, len(others)
	}
	return s, nil
}

// claimKey names a claim by what it says, so that a finding survives a dossier's new import.
func claimKey(c catalog.Claim) string {
	return fmt.Sprintf("%s %s %g %s", c.Measure, c.Qualifier, c.Value, c.Unit)
}
