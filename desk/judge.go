package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/verdict"
	"durvek/store"
)

// AddReview starts a review of a variant: its field is the variant's kind unless named, its measures
// those that the variant has figures for, its findings what the data support.
func (d *Desk) AddReview(ctx context.Context, r verdict.Review, by string) (verdict.Review, error) {
	v, err := d.view(ctx)
	if err != nil {
		return r, err
	}
	x, err := v.variant(r.Subject)
	if err != nil {
		return r, err
	}
	if r.Slug == "" {
		r.Slug = r.Subject
	}
	if r.Title == "" {
		r.Title = x.FullName()
	}
	if r.Field == "" {
		r.Field = "everything"
		for _, f := range v.fields {
			if members, err := v.of(f); f.Slug != "everything" && err == nil && slices.Contains(members, r.Subject) {
				r.Field = f.Slug
				break
			}
		}
	}
	if _, err := v.field(r.Field); err != nil {
		return r, err
	}
	if len(r.Measures) == 0 {
		for _, m := range v.measures {
			cells, _ := d.matrix.of(m, []string{r.Subject})
			if slices.ContainsFunc(cells[r.Subject], func(c compare.Cell) bool { return c.Setup == method.AsDelivered }) {
				r.Measures = append(r.Measures, m.ID)
			}
		}
	}
	if r.Measures == nil {
		r.Measures = []string{}
	}
	if err := d.checkReview(v, r); err != nil {
		return r, err
	}
	fresh, err := d.findings(ctx, v, r)
	if err != nil {
		return r, err
	}
	r.Findings, r.Revision, r.Signed, r.Editions = verdict.Hide(fresh), 1, nil, []verdict.Edition{}
	err = d.store.Write(ctx, func(q store.Queries) error {
		if _, err := q.Review(ctx, r.Slug); err == nil {
			return refuse(Conflict, "a review %q is there already", r.Slug)
		}
		if _, err := q.PutReview(ctx, r, 0); err != nil {
			return err
		}
		return q.Note(ctx, d.now(), by, "start review", r.Slug, "")
	})
	d.Events.Send(Event{"review", map[string]string{"review": r.Slug}})
	return r, err
}

func (d *Desk) checkReview(v *view, r verdict.Review) error {
	if err := firstProblem("review", r.Check()); err != nil {
		return err
	}
	for _, id := range r.Measures {
		if _, ok := v.byID[id]; !ok {
			return refuse(NotFound, "no measure %q is known", id)
		}
	}
	if r.Recommendation != "" && !slices.Contains(verdict.Recommendations, r.Recommendation) {
		return refuse(Invalid, "unknown recommendation %q; it is one of: %s", r.Recommendation, strings.Join(verdict.Recommendations, ", "))
	}
	return nil
}

// Reviews lists all reviews.
func (d *Desk) Reviews(ctx context.Context) ([]verdict.Review, error) { return d.store.Reviews(ctx) }

// Review finds one review.
func (d *Desk) Review(ctx context.Context, slug string) (verdict.Review, error) {
	r, err := d.store.Review(ctx, slug)
	return r, missing(err, "review", slug)
}

// SaveReview writes a reviewer's changes. r.Revision is the one the changes started from; if another
// stands meanwhile the save is refused and nothing is lost on either side. A change ends a signature.
func (d *Desk) SaveReview(ctx context.Context, r verdict.Review, by string) (verdict.Review, error) {
	v, err := d.view(ctx)
	if err != nil {
		return r, err
	}
	old, err := d.Review(ctx, r.Slug)
	if err != nil {
		return r, err
	}
	if err := d.checkReview(v, r); err != nil {
		return r, err
	}
	if _, err := v.field(r.Field); err != nil {
		return r, err
	}
	from := r.Revision
	r.Subject, r.Editions, r.Signed, r.Revision = old.Subject, old.Editions, nil, from+1
	for i, f := range r.Findings {
		if f.ID == "" {
			r.Findings[i].ID, r.Findings[i].Rule = "reviewer:"+newID(), "reviewer"
			if f.Certainty == "" {
				r.Findings[i].Certainty = "sure"
			}
		}
		if f.RestsOn == nil {
			r.Findings[i].RestsOn = []string{}
		}
		was := slices.IndexFunc(old.Findings, func(o verdict.Finding) bool { return o.ID == f.ID })
		if was >= 0 && f.Rule != "reviewer" && (old.Findings[was].Text != f.Text || old.Findings[was].Kind != f.Kind) {
			r.Findings[i].Edited = true
		}
	}
	return d.keepReview(ctx, r, from, by, "change review")
}

func (d *Desk) keepReview(ctx context.Context, r verdict.Review, from int, by, act string) (verdict.Review, error) {
	err := d.store.Write(ctx, func(q store.Queries) error {
		kept, err := q.PutReview(ctx, r, from)
		if err != nil {
			return err
		}
		if !kept {
			return refuse(Conflict, "review %q was changed meanwhile; load it again and repeat the change", r.Slug)
		}
		return q.Note(ctx, d.now(), by, act, r.Slug, "")
	})
	if err == nil {
		d.Events.Send(Event{"review", map[string]string{"review": r.Slug}})
	}
	return r, err
}

// RefreshFindings draws the findings anew from the figures of now and keeps the reviewer's words.
func (d *Desk) RefreshFindings(ctx context.Context, slug, by string) (verdict.Review, error) {
	r, err := d.Review(ctx, slug)
	if err != nil {
		return r, err
	}
	v, err := d.view(ctx)
	if err != nil {
		return r, err
	}
	fresh, err := d.findings(ctx, v, r)
	if err != nil {
		return r, err
	}
	from := r.Revision
	r.Findings, r.Revision, r.Signed = verdict.Merge(r.Findings, fresh), from+1, nil
	return d.keepReview(ctx, r, from, by, "refresh findings")
}

// SignReview signs the verdict as it stands, with the figures it rests on.
func (d *Desk) SignReview(ctx context.Context, slug, name string) (verdict.Review, error) {
	r, err := d.Review(ctx, slug)
	if err != nil {
		return r, err
	}
	switch {
	case strings.TrimSpace(name) == "":
		return r, refuse(Invalid, "a signature needs the reviewer's name")
	case strings.TrimSpace(r.Summary) == "":
		return r, refuse(Invalid, "write the summary before signing: a verdict is more than its findings")
	case r.Recommendation == "":
		return r, refuse(Invalid, "choose a recommendation before signing: %s", strings.Join(verdict.Recommendations, ", "))
	}
	figures := map[string]float64{}
	for _, id := range r.Measures {
		c, err := d.Rank(ctx, Question{Field: r.Field, Measure: id, Subject: r.Subject})
		if err != nil {
			return r, err
		}
		for _, row := range c.Rows {
			if row.Variant == r.Subject {
				figures[id] = row.Estimate.Centre
			}
		}
	}
	from := r.Revision
	r.Revision++
	r.Signed = &verdict.Signature{By: name, At: d.now().UTC().Format(time.RFC3339), Revision: r.Revision, Figures: figures}
	return d.keepReview(ctx, r, from, name, "sign review")
}

// findings runs the finding rules over the subject's standing in each measure of its field.
func (d *Desk) findings(ctx context.Context, v *view, r verdict.Review) ([]verdict.Finding, error) {
	f, err := v.field(r.Field)
	if err != nil {
		return nil, err
	}
	facts := verdict.Facts{Subject: v.variants[r.Subject].FullName()}
	for _, m := range v.measures {
		c, err := d.Rank(ctx, Question{Field: r.Field, Measure: m.ID, Subject: r.Subject})
		if err != nil {
			return nil, err
		}
		i := slices.IndexFunc(c.Rows, func(row compare.Row) bool { return row.Variant == r.Subject })
		if i < 0 {
			if len(c.Rows) >= 3 && slices.ContainsFunc(c.LeftOut, func(l compare.LeftOut) bool { return l.Variant == r.Subject }) {
				facts.Missing = append(facts.Missing, m.InSentence())
			}
			continue
		}
		row := c.Rows[i]
		label := func(other compare.Row) string { // siblings bear the same name
			if v.variants[other.Variant].Model.Slug == v.variants[r.Subject].Model.Slug {
				return "its sibling with " + other.Note
			}
			return "the " + other.Name
		}
		s := verdict.Standing{Measure: m.ID, Name: m.InSentence(), Unit: m.Unit, Scale: m.Scale, Better: m.Better, Value: row.Estimate.Centre,
			Place: row.Standing, Field: len(c.Rows), FieldName: f.Name, Bound: row.Estimate.Bound}
		if c.Mean != nil {
			rel := ranking.RelativeTo(row.Estimate, *c.Mean, m.Scale)
			s.Class = &rel
		}
		for _, other := range c.Rows {
			if before := v.variants[r.Subject].Model.Succeeds; before != "" && v.variants[other.Variant].Model.Slug == before && s.Predecessor == nil {
				s.Predecessor = &verdict.Against{Name: label(other), Relative: ranking.RelativeTo(row.Estimate, other.Estimate, m.Scale)}
			}
		}
		if i > 0 {
			s.Rival = &verdict.Against{Name: label(c.Rows[i-1]), Relative: ranking.RelativeTo(row.Estimate, c.Rows[i-1].Estimate, m.Scale)}
			s.Tie = c.Rows[i-1].Next
		} else if len(c.Rows) > 1 {
			s.Rival = &verdict.Against{Name: label(c.Rows[1]), Relative: ranking.RelativeTo(row.Estimate, c.Rows[1].Estimate, m.Scale)}
			s.Tie = row.Next
		}
		facts.Standings = append(facts.Standings, s)
	}
	judged, err := d.CheckClaims(ctx, r.Subject)
	if err != nil {
		return nil, err
	}
	for _, j := range judged {
		facts.Claims = append(facts.Claims, verdict.ClaimFact{ID: claimKey(j.Claim), Name: compare.LowerFirst(j.Name), Claimed: j.Text, Verdict: j.Verdict})
	}
	return verdict.Findings(facts), nil
}

// claimKey names a claim by what it says, so that a finding survives a dossier's new import.
func claimKey(c catalog.Claim) string {
	return fmt.Sprintf("%s %s %g %s", c.Measure, c.Qualifier, c.Value, c.Unit)
}
