package store

import (
	"context"
	"time"

	"durvek/core/record"
	"durvek/core/verdict"
)

func scanReview(r row, v *verdict.Review) error {
	if err := r.Scan(into(v), &v.Revision); err != nil {
		return err
	}
	if v.Editions == nil {
		v.Editions = []verdict.Edition{}
	}
	if v.Charts == nil {
		v.Charts = []verdict.Chart{}
	}
	return nil
}

// PutReview adds a review, or replaces the revision that the caller started from. It returns false
// if another revision stands meanwhile.
func (q Queries) PutReview(ctx context.Context, r verdict.Review, from int) (bool, error) {
	r.Editions = nil
	return q.changed(ctx, `insert into review (slug, subject, field, body, revision) values (?,?,?,?,?)
		on conflict (slug) do update set subject=excluded.subject, field=excluded.field,
		body=excluded.body, revision=excluded.revision where review.revision = ?`,
		r.Slug, r.Subject, r.Field, JSON(r), r.Revision, from)
}

// Reviews lists all reviews with their editions.
func (q Queries) Reviews(ctx context.Context) ([]verdict.Review, error) {
	reviews, err := list(ctx, q, scanReview, `select body, revision from review order by slug`)
	if err != nil {
		return nil, err
	}
	for i := range reviews {
		if reviews[i].Editions, err = q.Editions(ctx, reviews[i].Slug); err != nil {
			return nil, err
		}
	}
	return reviews, nil
}

// Review finds one review with its editions.
func (q Queries) Review(ctx context.Context, slug string) (verdict.Review, error) {
	r, err := one(ctx, q, scanReview, `select body, revision from review where slug = ?`, slug)
	if err == nil {
		r.Editions, err = q.Editions(ctx, slug)
	}
	return r, err
}

var editions = table[verdict.Edition]{name: "edition", parts: func(e *verdict.Edition) []part {
	return []part{{"review", &e.Review}, {"number", &e.Number}, {"published", &e.Published}, {"title", &e.Title},
		{"digest", &e.Digest}, {"note", &e.Note}, {"revision", &e.Revision}}
}}

// Editions lists a review's editions, the oldest first.
func (q Queries) Editions(ctx context.Context, review string) ([]verdict.Edition, error) {
	return editions.list(ctx, q, `where review = ? order by number`, review)
}

// AddEdition adds an edition; its number must be new.
func (q Queries) AddEdition(ctx context.Context, e verdict.Edition) error {
	return editions.insert(ctx, q, &e)
}

// Journal reads the journal, the newest first, with how many lines it has. text narrows it to lines that hold it.
// It goes on behind a line; math.MaxInt64 for the first.
func (q Queries) Journal(ctx context.Context, text string, behind int64, offset, limit int) ([]record.Noted, int,
	error) {
	const where = ` from journal where instr(lower(by_whom || ' ' || act || ' ' || subject), lower(?)) > 0`
	total, err := q.count(ctx, `select count(*)`+where, text)
	if err != nil {
		return nil, 0, err
	}
	lines, err := list(ctx, q, func(r row, n *record.Noted) error {
		return r.Scan(&n.ID, moment{&n.At}, &n.By, &n.Act, &n.Subject, &n.Detail)
	}, `select id, at, by_whom, act, subject, detail`+where+` and id < ? order by id desc limit ? offset ?`, text, behind,
		limit, offset)
	return lines, total, err
}

// Note writes who did what to the journal.
func (q Queries) Note(ctx context.Context, at time.Time, by, act, subject, detail string) error {
	return q.exec(ctx, `insert into journal (at, by_whom, act, subject, detail) values (?,?,?,?,?)`, Stamp(at), by, act,
		subject, detail)
}
