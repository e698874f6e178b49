package store

import (
	"context"
	"time"
)

// Exchanged is an edition that another desk published, taken in as rivals of one's own. Origin is the slug of the name
// that the desk goes by here. Body is JSON, as the edition was read; lists leave it out.
type Exchanged struct {
	Origin, Review string
	Number         int
	DeskID, Name   string
	Digest, Body   string
	Taken          time.Time
	By             string
}

var exchanged = table[Exchanged]{name: "exchanged", key: []string{"origin", "review"},
	parts: func(x *Exchanged) []part {
		return []part{{"origin", &x.Origin}, {"review", &x.Review}, {"number", &x.Number}, {"desk_id", &x.DeskID},
			{"name", &x.Name}, {"digest", &x.Digest}, {"body", &x.Body}, {"taken", moment{&x.Taken}}, {"by_whom", &x.By}}
	}}

// Exchanged lists what other desks published and is here, by desk and review, without their bodies.
func (q Queries) Exchanged(ctx context.Context) ([]Exchanged, error) {
	return list(ctx, q, exchanged.scan, `select origin, review, number, desk_id, name, digest, '', taken, by_whom
		from exchanged order by origin, review`)
}

// ExchangedBody gives an edition as it was read.
func (q Queries) ExchangedBody(ctx context.Context, origin, review string) (string, error) {
	x, err := exchanged.one(ctx, q, `where origin = ? and review = ?`, origin, review)
	return x.Body, err
}

// PutExchanged takes in an edition, in place of an earlier one of its review.
func (q Queries) PutExchanged(ctx context.Context, x Exchanged) error {
	return exchanged.put(ctx, q, &x)
}

// DropExchanged takes out an edition, or with no review all of its desk, and says whether there was one.
func (q Queries) DropExchanged(ctx context.Context, origin, review string) (bool, error) {
	return q.changed(ctx, `delete from exchanged where origin = ? and ? in ('', review)`, origin, review)
}
