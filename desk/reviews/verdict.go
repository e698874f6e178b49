package reviews

import (
	"context"
	"fmt"
	"slices"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/verdict"
	"durvek/desk"
)

// findings runs the finding rules over the subject's standing in each measure of its field.
func (d *Reviews) findings(ctx context.Context, r verdict.Review) ([]verdict.Finding, error) {
	field, err := d.figures.FieldName(ctx, r.Field)
	if err != nil {
		return nil, err
	}
	x, err := d.figures.Name(ctx, r.Subject)
	if err != nil {
		return nil, err
	}
	measures, err := d.figures.Known(ctx)
	if err != nil {
		return nil, err
	}
	facts := verdict.Facts{Subject: x.Name, Caveats: map[string]string{}}
	charts := map[string][]verdict.Chart{} // a measure is spoken of as it is charted
	for _, c := range r.Charts {
		charts[c.Measure] = append(charts[c.Measure], c)
	}
	type asked struct {
		m compare.Measure
		verdict.Chart
	}
	var all []asked
	for _, m := range measures {
		if len(charts[m.ID]) == 0 {
			charts[m.ID] = []verdict.Chart{{Measure: m.ID}}
		}
		for _, c := range charts[m.ID] {
			all = append(all, asked{m, c})
		}
	}
	for _, a := range all {
		m := a.m
		c, err := d.figures.Rank(ctx, question(r, a.Chart))
		if err != nil {
			return nil, err
		}
		narrowed, err := d.narrowed(ctx, a.Chart)
		if err != nil {
			return nil, err
		}
		own := func(row compare.Row) bool { return row.Variant == r.Subject }
		if !slices.ContainsFunc(c.Rows, own) {
			if len(c.Rows) >= 3 && slices.ContainsFunc(c.LeftOut,
				func(l compare.LeftOut) bool { return l.Variant == r.Subject }) {
				facts.Missing = append(facts.Missing, verdict.Absent{Name: m.InSentence() + narrowed, Group: m.Group})
			}
			continue
		}
		for i, row := range c.Rows {
			if !own(row) || !row.Standing.Known() { // of unknown order nothing can be said
				continue
			}
			s, err := d.standing(ctx, x, c, i)
			if err != nil {
				return nil, err
			}
			s.FieldName, s.Figure = field, figure(a.Chart, row)
			s.Name += narrowed
			if c := row.Caveat(); c != "" {
				facts.Caveats[s.Figure] = c
			}
			facts.Standings = append(facts.Standings, s)
		}
	}
	if err := d.told(ctx, r, &facts); err != nil {
		return nil, err
	}
	return verdict.Findings(facts), nil
}

// told adds what became of the claims, and what people said.
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
		if test, _ := method.Split(j.Measure); tests[test].Aside != "" {
			facts.Caveats["claim "+claimKey(j.Claim)] = tests[test].Aside
		}
		facts.Claims = append(facts.Claims, verdict.ClaimFact{ID: claimKey(j.Claim), Name: compare.LowerFirst(j.Name),
			Claimed: j.Text, Verdict: j.Verdict})
	}
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

// standing is how the subject in row i of a comparison stands to class, predecessor and nearest rival.
func (d *Reviews) standing(ctx context.Context, subject desk.Named, c compare.Comparison, i int) (verdict.Standing,
	error) {
	m, row := c.Measure, c.Rows[i]
	against := func(other compare.Row, name desk.Named) *verdict.Against {
		label := "the " + other.Name
		if name.Model.Slug == subject.Model.Slug { // siblings bear the same name
			label = "its sibling with " + other.Note
		}
		return &verdict.Against{Name: label, Relative: ranking.RelativeTo(row.Estimate, other.Estimate, m.Scale)}
	}
	s := verdict.Standing{Name: m.InSentence(), Unit: m.Unit, Scale: m.Scale, Better: m.Better,
		Value: row.Estimate.Centre,
		Place: row.Standing, Field: c.Ordered(), Bound: row.Estimate.Bound}
	if row.Differs != "" {
		s.Name += ", " + row.Differs
	}
	var others []ranking.Entry // the class average does not hold the subject
	for _, r := range c.Rows {
		if r.Variant != row.Variant {
			others = append(others, ranking.Entry{ID: r.ID, Estimate: r.Estimate})
		}
	}
	if mean, ok := ranking.FieldMean(others, m.Scale); ok && c.Mean != nil {
		rel := ranking.RelativeTo(row.Estimate, mean, m.Scale)
		s.Class, s.Others = &rel, len(others)
	}
	rival := i - 1 // the one before it, or the one behind the first; never a row of its own
	for rival >= 0 && c.Rows[rival].Variant == row.Variant {
		rival--
	}
	if rival < 0 {
		rival = i + 1
		for rival < len(c.Rows) && c.Rows[rival].Variant == row.Variant {
			rival++
		}
	}
	for k, other := range c.Rows {
		name, err := d.figures.Name(ctx, other.Variant)
		if err != nil {
			return s, err
		}
		if before := subject.Model.Succeeds; before != "" && name.Model.Slug == before && (s.Predecessor == nil ||
			other.Differs == row.Differs) {
			s.Predecessor = against(other, name)
		}
		if k == rival {
			s.Rival, s.Tie = against(other, name), c.Rows[min(i, k)].Next
		}
	}
	return s, nil
}

// claimKey names a claim by what it says, so that a finding survives a dossier's new import.
func claimKey(c catalog.Claim) string {
	return fmt.Sprintf("%s %s %g %s", c.Measure, c.Qualifier, c.Value, c.Unit)
}
