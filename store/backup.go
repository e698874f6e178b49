package store

import "context"

// Published is an edition with the digest over its files.
type Published struct {
	Review string
	Number int
	Digest string
}

// AllEditions lists every edition of every review.
func (q Queries) AllEditions(ctx context.Context) ([]Published, error) {
	return list(ctx, q, func(r row, p *Published) error { return r.Scan(&p.Review, &p.Number, &p.Digest) },
		`select review, number, digest from edition order by review, number`)
}

// AttachmentDigests lists the digest of every photo's file and of every file of raw measurements, once each.
func (q Queries) AttachmentDigests(ctx context.Context) ([]string, error) {
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select digest from attachment union select digest from source order by digest`)
}

// Answers tells whether the database can be read.
func (q Queries) Answers(ctx context.Context) error { return q.exec(ctx, `select 1`) }

// CountRuns is how many runs there are.
func (q Queries) CountRuns(ctx context.Context) (int, error) {
	return q.count(ctx, `select count(*) from run`)
}
