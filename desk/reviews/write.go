package reviews

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"durvek/core/compare"
	"durvek/core/stats"
	"durvek/core/verdict"
	"durvek/desk"
)

// AddReview starts a review of a variant: its field is the variant's kind unless named, its findings what the data
// support, its charts those that its findings rest on and one of each other group.
func (d *Reviews) AddReview(ctx context.Context, r verdict.Review, by string) (verdict.Review, error) {
	x, err := d.figures.Subject(ctx, r.Subject)
	if err != nil {
		return r, err
	}
	if named, err := d.figures.Name(ctx, r.Subject); err != nil || named.Origin != "" {
		return r, cmp.Or(err, desk.Refuse(desk.Invalid,
			"%s was measured by another desk; a review is of what this one measured",
			named.Name))
	}
	r.Slug, r.Title, r.Field = cmp.Or(r.Slug, r.Subject), cmp.Or(r.Title, x.Name), cmp.Or(r.Field, x.Fields[0])
	if err := d.checkReview(ctx, r); err != nil {
		return r, err
	}
	facts, err := d.facts(ctx, r)
	if err != nil {
		return r, err
	}
	r.Findings, r.Revision, r.Signed, r.Editions = verdict.Hide(verdict.Findings(facts)), 1, nil, []verdict.Edition{}
	r = verdict.Propose(r, facts)
	if len(r.Charts) == 0 {
		known, err := d.figures.Known(ctx)
		if err != nil {
			return r, err
		}
		areas := map[string]string{}
		for _, m := range known {
			areas[m.ID] = verdict.AreaOf(m.Group)
		}
		stands, err := d.stands(ctx, r, x.Measures)
		if err != nil {
			return r, err
		}
		r.Charts = verdict.Opening(stands, func(id string) string { return areas[id] }, facts.Asked,
			r.Findings)
	}
	err = d.desk.Write(ctx, func(q *desk.Tx) error {
		_, err := q.Review(ctx, r.Slug)
		if known, err := desk.Found(err); err != nil {
			return err
		} else if known {
			return desk.Refuse(desk.Conflict, "a review %q is there already", r.Slug)
		}
		if _, err := q.PutReview(ctx, r, 0); err != nil {
			return err
		}
		return q.Note(ctx, d.desk.Now(), by, "start review", r.Slug, "")
	})
	d.desk.Events.Send(desk.Event{Name: "review", Data: map[string]string{"review": r.Slug}})
	return r, err
}

// checkReview refuses what a review cannot rest on.
func (d *Reviews) checkReview(ctx context.Context, r verdict.Review) error {
	if err := desk.FirstProblem("review", r.Check()); err != nil {
		return err
	}
	if _, err := d.figures.FieldName(ctx, r.Field); err != nil {
		return err
	}
	known, err := d.figures.Known(ctx)
	if err != nil {
		return err
	}
	for _, shown := range r.Charts {
		if !slices.ContainsFunc(known, func(m compare.Measure) bool { return m.ID == shown.Measure }) {
			return desk.Refuse(desk.NotFound, "no measure %q is known", shown.Measure)
		}
		if shown.Setup == "" && len(shown.Where) == 0 {
			continue
		}
		if _, err := d.figures.Rank(ctx, question(r, shown)); err != nil {
			return err // no such setup, or nothing that could be narrowed like that
		}
	}
	for _, use := range r.Uses {
		if _, _, err := d.figures.Asked(ctx, []string{use}); err != nil {
			return err
		}
	}
	for _, a := range r.Alternatives {
		if a.Variant == "" {
			continue
		}
		if _, err := d.books.Variant(ctx, a.Variant); err != nil {
			return err
		}
	}
	for _, id := range r.References() {
		if !slices.ContainsFunc(known, func(m compare.Measure) bool { return m.ID == id }) {
			return desk.Refuse(desk.Invalid, "the text refers to {{%s}}, and no measure of that name is known; the list of "+
				"measures names them all", id)
		}
	}
	if r.Recommendation != "" && !slices.Contains(verdict.Recommendations, r.Recommendation) {
		return desk.Refuse(desk.Invalid, "unknown recommendation %q; it is one of: %s", r.Recommendation, verdict.Listed())
	}
	return nil
}

// looked is of how many reviews a list says which figures moved, those that were signed last: each asks for all its
// charts.
const looked = 40

// Reviews lists all reviews, with what moved since they were signed.
func (d *Reviews) Reviews(ctx context.Context) ([]verdict.Review, error) {
	list, err := d.desk.Store.Reviews(ctx)
	if err != nil {
		return nil, err
	}
	var signed []int
	for i, r := range list {
		if r.Signed != nil {
			signed = append(signed, i)
		}
	}
	slices.SortFunc(signed, func(a, b int) int { return cmp.Compare(list[b].Signed.At, list[a].Signed.At) })
	ctx = d.figures.Together(ctx)
	for _, i := range signed[:min(looked, len(signed))] {
		now, err := d.subjects(ctx, list[i])
		var refusal *desk.Error
		if errors.As(err, &refusal) {
			continue // its field or a measure is gone: it says so itself when it is opened
		}
		if err != nil {
			return nil, err
		}
		list[i].Stale = list[i].StaleBy(now)
	}
	return list, nil
}

// Review finds one review.
func (d *Reviews) Review(ctx context.Context, slug string) (verdict.Review, error) {
	r, err := d.desk.Store.Review(ctx, slug)
	return r, desk.Missing(err, "review", slug)
}

// SaveReview writes a reviewer's changes. r.Revision is the one the changes started from; if another
// stands meanwhile the save is refused and nothing is lost on either side. A change ends a signature.
func (d *Reviews) SaveReview(ctx context.Context, r verdict.Review, by string) (verdict.Review, error) {
	old, err := d.Review(ctx, r.Slug)
	if err != nil {
		return r, err
	}
	if err := d.checkReview(ctx, r); err != nil {
		return r, err
	}
	from := r.Revision
	r.Stale = nil
	r.Subject, r.Editions, r.Signed, r.Revision = old.Subject, old.Editions, nil, from+1
	for i, f := range r.Findings {
		if f.ID == "" {
			r.Findings[i].ID, r.Findings[i].Rule = verdict.Reviewer+":"+desk.NewID(), verdict.Reviewer
			if f.Certainty == "" {
				r.Findings[i].Certainty = verdict.Sure
			}
		}
		if f.RestsOn == nil {
			r.Findings[i].RestsOn = []string{}
		}
		was := slices.IndexFunc(old.Findings, func(o verdict.Finding) bool { return o.ID == f.ID })
		if was >= 0 && f.Rule != verdict.Reviewer && (old.Findings[was].Text != f.Text || old.Findings[was].Kind != f.Kind) {
			r.Findings[i].Edited = true
		}
	}
	return d.keepReview(ctx, r, from, by, "change review")
}

func (d *Reviews) keepReview(ctx context.Context, r verdict.Review, from int, by, act string) (verdict.Review, error) {
	err := d.desk.Write(ctx, func(q *desk.Tx) error {
		kept, err := q.PutReview(ctx, r, from)
		if err != nil {
			return err
		}
		if !kept {
			return desk.Refuse(desk.Conflict, "review %q was changed meanwhile; load it again and repeat the change", r.Slug)
		}
		return q.Note(ctx, d.desk.Now(), by, act, r.Slug, "")
	})
	if err == nil {
		d.desk.Events.Send(desk.Event{Name: "review", Data: map[string]string{"review": r.Slug}})
	}
	return r, err
}

// RefreshFindings draws the findings anew from the figures of now and keeps the reviewer's words.
func (d *Reviews) RefreshFindings(ctx context.Context, slug, by string) (verdict.Review, error) {
	r, err := d.Review(ctx, slug)
	if err != nil {
		return r, err
	}
	facts, err := d.facts(ctx, r)
	if err != nil {
		return r, err
	}
	from := r.Revision
	r.Findings, r.Revision, r.Signed = verdict.Merge(r.Findings, verdict.Hide(verdict.Findings(facts))), from+1, nil
	r = verdict.Propose(r, facts)
	return d.keepReview(ctx, r, from, by, "refresh findings")
}

// SignReview signs the verdict as it stands, with the figures it rests on.
func (d *Reviews) SignReview(ctx context.Context, slug, name string) (verdict.Review, error) {
	r, err := d.Review(ctx, slug)
	if err != nil {
		return r, err
	}
	switch {
	case strings.TrimSpace(name) == "":
		return r, desk.Refuse(desk.Invalid, "a signature needs the reviewer's name")
	case strings.TrimSpace(r.Summary) == "":
		return r, desk.Refuse(desk.Invalid, "write the summary before signing: a verdict is more than its findings")
	case r.Recommendation == "" && r.State != verdict.Withdrawn:
		return r, desk.Refuse(desk.Invalid, "choose a recommendation before signing: %s", verdict.Listed())
	}
	if err := d.invented(ctx, r); err != nil {
		return r, err
	}
	if _, err := d.figured(ctx, r); err != nil {
		return r, err
	}
	now, err := d.subjects(ctx, r)
	if err != nil {
		return r, err
	}
	figures := map[string]float64{}
	for k, e := range now {
		figures[k] = e.Centre
	}
	from := r.Revision
	r.Revision++
	r.Signed = &verdict.Signature{By: name, At: d.desk.Now().UTC().Format(time.RFC3339), Revision: r.Revision,
		Figures: figures}
	return d.keepReview(ctx, r, from, name, "sign review")
}

// subjects gives the subject's figures in a review's measures, by chart and what sets one of several apart.
func (d *Reviews) subjects(ctx context.Context, r verdict.Review) (map[string]stats.Estimate, error) {
	out := map[string]stats.Estimate{}
	for _, shown := range r.Charts {
		c, err := d.figures.Rank(ctx, question(r, shown))
		if err != nil {
			return nil, err
		}
		for _, row := range c.Rows {
			if row.Variant == r.Subject {
				out[figure(shown, row)] = row.Estimate
			}
		}
	}
	return out, nil
}

// figured gives the figures that the reviewer's texts refer to, in words. One that the subject lacks is refused.
func (d *Reviews) figured(ctx context.Context, r verdict.Review) (map[string]string, error) {
	out := map[string]string{}
	for _, id := range r.References() {
		c, err := d.figures.Rank(ctx, question(r, verdict.Chart{Measure: id}))
		if err != nil {
			return nil, err
		}
		i := slices.IndexFunc(c.Rows, func(row compare.Row) bool { return row.Variant == r.Subject })
		if i < 0 {
			return nil, desk.Refuse(desk.Invalid, "the text refers to {{%s}}, and there is no figure of it; measure it, or "+
				"leave "+
				"the reference out", id)
		}
		out[id] = c.Figured(i)
	}
	return out, nil
}

// question is what a review's chart asks.
func question(r verdict.Review, c verdict.Chart) compare.Question {
	return compare.Question{Field: r.Field, Measure: c.Measure, Setup: c.Setup, Where: c.Where, Subject: r.Subject}
}

// stands are those of some measures in whose ranking the subject of a review stands.
func (d *Reviews) stands(ctx context.Context, r verdict.Review, measures []string) (out []string, err error) {
	for _, id := range measures {
		c, err := d.figures.Rank(ctx, question(r, verdict.Chart{Measure: id}))
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(c.Rows, func(row compare.Row) bool { return row.Variant == r.Subject }) {
			out = append(out, id)
		}
	}
	return out, nil
}

// Looked finds a review and says which of its figures moved since it was signed.
func (d *Reviews) Looked(ctx context.Context, slug string) (verdict.Review, error) {
	r, err := d.Review(ctx, slug)
	if err != nil || r.Signed == nil {
		return r, err
	}
	now, err := d.subjects(ctx, r)
	r.Stale = r.StaleBy(now)
	return r, err
}
