package store

import (
	"context"
	"time"

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

// Token is a bearer's right, kept only as a hash.
type Token struct {
	Hash, Name, Role, Plan string
	Created, Expires       string
}

var tokens = table[Token]{name: "token", parts: func(t *Token) []part {
	return []part{{"hash", &t.Hash}, {"name", &t.Name}, {"role", &t.Role}, {"plan", null{&t.Plan}},
		{"created", &t.Created}, {"expires", null{&t.Expires}}}
}}

// AddToken adds a token.
func (q Queries) AddToken(ctx context.Context, t Token) error { return tokens.insert(ctx, q, &t) }

// FindToken finds a token that has not expired.
func (q Queries) FindToken(ctx context.Context, hash string, now time.Time) (Token, error) {
	return tokens.one(ctx, q, `where hash = ? and coalesce(expires, '9999') > ?`, hash, Stamp(now))
}

// Tokens lists all tokens that were made by name, not the console's sessions.
func (q Queries) Tokens(ctx context.Context) ([]Token, error) {
	return tokens.list(ctx, q, `where role <> 'session' order by created desc, name`)
}

// DropToken removes a token by hash or by name; it returns false if there is none.
func (q Queries) DropToken(ctx context.Context, hashOrName string) (bool, error) {
	return q.changed(ctx, `delete from token where hash = ? or name = ?`, hashOrName, hashOrName)
}

// AddCode adds a one-time code.
func (q Queries) AddCode(ctx context.Context, hash, purpose, plan string, now, expires time.Time) error {
	return q.exec(ctx, `insert into code (hash, purpose, plan, created, expires) values (?,?,?,?,?)`, hash, purpose,
		nullable(plan), Stamp(now), Stamp(expires))
}

// UseCode spends a one-time code and returns its plan. It returns ErrNotFound if the code is
// unknown, spent or expired.
func (q Queries) UseCode(ctx context.Context, hash, purpose string, now time.Time) (plan string, err error) {
	fresh, err := q.changed(ctx, `update code set used = ? where hash = ? and purpose = ? and used is null
		and expires > ?`, Stamp(now), hash, purpose, Stamp(now))
	if err != nil {
		return "", err
	}
	if !fresh {
		return "", ErrNotFound
	}
	return one(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select coalesce(plan, '') from code where hash = ?`, hash)
}

// Note writes who did what to the journal.
func (q Queries) Note(ctx context.Context, at time.Time, by, act, subject, detail string) error {
	return q.exec(ctx, `insert into journal (at, by_whom, act, subject, detail) values (?,?,?,?,?)`, Stamp(at), by, act,
		subject, detail)
}
