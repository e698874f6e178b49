package reviews

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/verdict"
	"durvek/desk"
	"durvek/publish"
)

// Publish writes the next edition of a signed review: an immutable folder, numbered from 1.
func (d *Reviews) Publish(ctx context.Context, slug, note, by string) (verdict.Edition, error) {
	d.publishing.Lock()
	defer d.publishing.Unlock()
	var e verdict.Edition
	r, err := d.Looked(ctx, slug)
	if err != nil {
		return e, err
	}
	if r.Signed == nil || r.Signed.Revision != r.Revision {
		return e, desk.Refuse(desk.Conflict, "review %q is not signed as it stands; sign it first", slug)
	}
	if len(r.Stale) > 0 {
		return e, desk.Refuse(desk.Conflict, "the verdict of %q is stale: %s; look at it again and sign it anew", slug,
			said(r.Stale))
	}
	if n := len(r.Editions); n > 0 && r.Editions[n-1].Revision == r.Revision && r.Editions[n-1].Note == note {
		return r.Editions[n-1], nil // asked again, as after a lost answer
	}
	r.Stale = nil
	content, err := d.content(ctx, r)
	if err != nil {
		return e, err
	}
	if err := d.invented(ctx, r); err != nil {
		return e, err
	}
	e = verdict.Edition{Review: slug, Number: len(r.Editions) + 1, Published: d.desk.Now().UTC().Format(time.RFC3339),
		Title: r.Title, Note: note, Revision: r.Revision}
	content.Edition = e
	if content.Changed, err = d.changed(r, content); err != nil {
		return e, err
	}
	dir := d.folder(slug)
	if e.Digest, err = publish.Prepare(dir, content); err != nil {
		return e, fmt.Errorf("write edition %d of %s: %w", e.Number, slug, err)
	}
	err = d.desk.Write(ctx, func(q *desk.Tx) error {
		if err := q.AddEdition(ctx, e); err != nil {
			return err
		}
		return q.Note(ctx, d.desk.Now(), by, "publish edition", slug, fmt.Sprint(e.Number))
	})
	if err != nil {
		return e, err // what is prepared waits for another try, or goes at the next start
	}
	// From here it is published: what is cut now is made up for at the next start.
	if err := publish.Place(dir, e.Number, e.Digest); err != nil {
		return e, fmt.Errorf("put edition %d of %s in its place: %w", e.Number, slug, err)
	}
	d.desk.Events.Send(desk.Event{Name: "review", Data: map[string]string{"review": slug}})
	return e, nil
}

// examplesIn counts the made-up rivals that a review is held against, or is about.
func (d *Reviews) examplesIn(ctx context.Context, r verdict.Review) (n int, err error) {
	examples, err := d.desk.Store.Examples(ctx)
	if err != nil || len(examples) == 0 {
		return 0, err
	}
	members, err := d.figures.Members(ctx, r.Field)
	for _, e := range examples {
		if slices.Contains(members, e.Variant) || e.Variant == r.Subject {
			n++
		}
	}
	return n, err
}

// invented refuses a review that is held against examples: what is published is measured, and they are made up.
func (d *Reviews) invented(ctx context.Context, r verdict.Review) error {
	n, err := d.examplesIn(ctx, r)
	if err != nil || n == 0 {
		return err
	}
	return desk.Refuse(desk.Conflict, "the field of %q holds %d of the examples, which are made up: take the examples "+
		"away, "+
		"refresh the findings, then sign it", r.Slug, n)
}

// said names what moved, the first three.
func said(moved []verdict.Moved) string {
	var out []string
	for i, m := range moved {
		if i == 3 {
			out = append(out, fmt.Sprintf("%d more", len(moved)-i))
			break
		}
		number := func(v *float64) string {
			if v == nil {
				return "nothing"
			}
			return quantity.Number(*v, 4)
		}
		text := fmt.Sprintf("%s went from %s to %s", m.Figure, number(m.Was), number(m.Now))
		if len(m.Sentences) > 0 {
			text += fmt.Sprintf(" (“%s”)", m.Sentences[0])
		}
		out = append(out, text)
	}
	return strings.Join(out, "; ")
}

// folder is where a review's editions stand.
func (d *Reviews) folder(review string) string { return filepath.Join(d.desk.Dir, "editions", review) }

func (d *Reviews) editionDir(review string, number int) string {
	return filepath.Join(d.folder(review), fmt.Sprint(number))
}

// tidy brings the folders of editions to what was published.
func (d *Reviews) tidy(ctx context.Context) error {
	list, err := d.desk.Store.Reviews(ctx)
	if err != nil {
		return err
	}
	for _, r := range list {
		digests := map[int]string{}
		editions, err := d.desk.Store.Editions(ctx, r.Slug)
		if err != nil {
			return err
		}
		for _, e := range editions {
			digests[e.Number] = e.Digest
		}
		did, err := publish.Tidy(d.folder(r.Slug), digests, d.desk.Now())
		for _, s := range did {
			slog.Warn(s)
		}
		if err != nil {
			return fmt.Errorf("bring the editions of %s in order: %w", r.Slug, err)
		}
	}
	return nil
}

// EditionDir finds the folder of a published edition.
func (d *Reviews) EditionDir(ctx context.Context, review string, number int) (string, error) {
	r, err := d.Review(ctx, review)
	if err != nil {
		return "", err
	}
	for _, e := range r.Editions {
		if e.Number != number {
			continue
		}
		dir := d.editionDir(review, number)
		if _, err := os.Stat(dir); err != nil { // cut between its row and its place, a moment ago
			if publish.Place(d.folder(review), number, e.Digest) != nil {
				return "", desk.Refuse(desk.NotFound, "the folder of edition %d of %q is gone; restore it from a backup", number,
					review)
			}
		}
		return dir, nil
	}
	return "", desk.Refuse(desk.NotFound, "review %q has no edition %d", review, number)
}

// content gathers all that an edition shows.
func (d *Reviews) content(ctx context.Context, r verdict.Review) (publish.Content, error) {
	subject, err := d.figures.Name(ctx, r.Subject)
	if err != nil {
		return publish.Content{}, err
	}
	x, err := d.books.Variant(ctx, r.Subject)
	if err != nil {
		return publish.Content{}, err
	}
	field, err := d.figures.FieldName(ctx, r.Field)
	if err != nil {
		return publish.Content{}, err
	}
	tests, err := d.figures.Tests(ctx)
	if err != nil {
		return publish.Content{}, err
	}
	self := d.desk.Self()
	c := publish.Content{Desk: self.Name, DeskID: self.ID, Licence: self.Licence, Review: r, Model: subject.Model,
		Variant: x.Variant,
		Sheet:   catalog.SpecSheet(x.Spec), Offers: x.Offers, Field: field}
	if err := d.readers(ctx, r, &c); err != nil {
		return c, err
	}
	if c.Claims, err = d.figures.CheckClaims(ctx, r.Subject); err != nil {
		return c, err
	}
	charts, err := d.charts(ctx, r)
	if err != nil {
		return c, err
	}
	seen, measured := map[string]bool{}, map[string]bool{}
	for _, ranked := range charts {
		if len(ranked.Rows) == 0 {
			continue // a chart of nothing tells readers nothing
		}
		pool, err := d.figures.Pool(ctx, ranked.Measure)
		if err != nil {
			return c, err
		}
		c.Figures = append(c.Figures, publish.Figure{Comparison: ranked, Pool: pool})
		test, _ := method.Split(ranked.Measure.ID)
		if !seen[test] {
			seen[test] = true
			c.Tests = append(c.Tests, tests[test])
		}
		for _, x := range ranked.Rows {
			measured[x.Variant] = measured[x.Variant] || x.Origin == ""
		}
	}
	c.Rivals, err = d.figures.Devices(ctx, measured)
	return c, err
}

// photos is how many of them stand on a page at most.
const photos = 4

// readers adds what readers get beside the figures: facts by area, figures within texts, samples, photos, and what
// changed since the edition before.
func (d *Reviews) readers(ctx context.Context, r verdict.Review, c *publish.Content) (err error) {
	if c.Facts, err = d.facts(ctx, r); err != nil {
		return err
	}
	if c.Texts, err = d.figured(ctx, r); err != nil {
		return err
	}
	if c.Samples, err = d.desk.Store.Units(ctx, r.Subject); err != nil {
		return err
	}
	var units []string
	for _, u := range c.Samples {
		units = append(units, u.Slug)
	}
	if c.Photos, err = d.results.Shown(ctx, units, photos); err != nil {
		return err
	}
	if c.Shown, err = d.results.Pictures(ctx, units); err != nil {
		return err
	}
	return d.courses(ctx, r, c)
}

// courses adds the curve of every lasting load of which the page says something.
func (d *Reviews) courses(ctx context.Context, r verdict.Review, c *publish.Content) error {
	for _, f := range r.Findings {
		if f.Hidden || f.Rule != "lasting" || len(f.RestsOn) == 0 {
			continue
		}
		test, _ := method.Split(f.RestsOn[0])
		lines, err := d.figures.Curves(ctx, test, r.Field, nil, "", r.Subject)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(lines.Lines, func(l chart.Line) bool { return l.Subject }) {
			c.Shown = append(c.Shown, publish.Shown{Area: f.Area, Name: test + "-curve", Picture: lines})
		}
	}
	return nil
}

// changed says what an edition shows otherwise than the one before; nothing where that was made by an older form.
func (d *Reviews) changed(r verdict.Review, c publish.Content) ([]publish.Change, error) {
	if len(r.Editions) == 0 {
		return nil, nil
	}
	before, err := publish.ReadRecord(d.editionDir(r.Slug, r.Editions[len(r.Editions)-1].Number))
	if err != nil {
		return nil, err
	}
	return publish.ChangesFrom(before, c), nil
}

// ReviewCharts answers the comparisons that a review shows.
func (d *Reviews) ReviewCharts(ctx context.Context, slug string) ([]compare.Comparison, error) {
	r, err := d.Review(ctx, slug)
	if err != nil {
		return nil, err
	}
	return d.charts(ctx, r)
}

func (d *Reviews) charts(ctx context.Context, r verdict.Review) ([]compare.Comparison, error) {
	out := []compare.Comparison{}
	for _, shown := range r.Charts {
		q := question(r, shown)
		q.Claims, q.Raised = true, true
		c, err := d.figures.Rank(ctx, q)
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}
