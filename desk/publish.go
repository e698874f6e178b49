package desk

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/verdict"
	"durvek/publish"
	"durvek/store"
)

// Publish writes the next edition of a signed review: an immutable folder, numbered from 1.
func (d *Desk) Publish(ctx context.Context, slug, note, by string) (verdict.Edition, error) {
	d.edition.Lock()
	defer d.edition.Unlock()
	var e verdict.Edition
	r, err := d.Review(ctx, slug)
	if err != nil {
		return e, err
	}
	if r.Signed == nil || r.Signed.Revision != r.Revision {
		return e, refuse(Conflict, "review %q is not signed as it stands; sign it first with `durvek review sign %s`", slug, slug)
	}
	content, err := d.content(ctx, r)
	if err != nil {
		return e, err
	}
	e = verdict.Edition{Review: slug, Number: len(r.Editions) + 1, Published: d.now().UTC().Format(time.RFC3339), Title: r.Title, Note: note}
	content.Edition = e
	dir := d.editionDir(slug, e.Number)
	if e.Digest, err = publish.Write(dir, content); err != nil {
		return e, fmt.Errorf("write edition %d of %s: %w", e.Number, slug, err)
	}
	err = d.store.Write(ctx, func(q store.Queries) error {
		if err := q.AddEdition(ctx, e); err != nil {
			return err
		}
		return q.Note(ctx, d.now(), by, "publish edition", slug, fmt.Sprint(e.Number))
	})
	if err != nil {
		os.RemoveAll(dir) // it never came to be
		return e, err
	}
	d.Events.Send(Event{"review", map[string]string{"review": slug}})
	return e, nil
}

func (d *Desk) editionDir(review string, number int) string {
	return filepath.Join(d.dir, "editions", review, fmt.Sprint(number))
}

// EditionDir finds the folder of a published edition.
func (d *Desk) EditionDir(ctx context.Context, review string, number int) (string, error) {
	r, err := d.Review(ctx, review)
	if err != nil {
		return "", err
	}
	for _, e := range r.Editions {
		if e.Number == number {
			return d.editionDir(review, number), nil
		}
	}
	return "", refuse(NotFound, "review %q has no edition %d", review, number)
}

// content gathers all that an edition shows.
func (d *Desk) content(ctx context.Context, r verdict.Review) (publish.Content, error) {
	v, err := d.view(ctx)
	if err != nil {
		return publish.Content{}, err
	}
	x, err := d.Variant(ctx, r.Subject)
	if err != nil {
		return publish.Content{}, err
	}
	field, _ := v.field(r.Field)
	c := publish.Content{Desk: d.Name, Review: r, Model: v.variants[r.Subject].Model, Variant: x.Variant, Sheet: catalog.SpecSheet(x.Spec), Offers: x.Offers, Field: field.Name}
	if c.Claims, err = d.CheckClaims(ctx, r.Subject); err != nil {
		return c, err
	}
	seen := map[string]bool{}
	for _, id := range r.Measures {
		cmp, err := d.Rank(ctx, Question{Field: r.Field, Measure: id, Subject: r.Subject, Claims: true, Raised: true})
		if err != nil {
			return c, err
		}
		page, err := d.Measure(ctx, id)
		if err != nil {
			return c, err
		}
		c.Figures = append(c.Figures, publish.Figure{Comparison: cmp, Pool: page.Pool})
		test, _ := method.Split(id)
		if !seen[test] {
			seen[test] = true
			c.Tests = append(c.Tests, v.tests[test])
		}
	}
	return c, nil
}

// ReviewCharts answers the comparisons that a review shows.
func (d *Desk) ReviewCharts(ctx context.Context, slug string) ([]compare.Comparison, error) {
	r, err := d.Review(ctx, slug)
	if err != nil {
		return nil, err
	}
	out := []compare.Comparison{}
	for _, id := range r.Measures {
		c, err := d.Rank(ctx, Question{Field: r.Field, Measure: id, Subject: r.Subject, Claims: true, Raised: true})
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}
