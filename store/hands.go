package store

import (
	"context"
	"time"

	"durvek/core/record"
)

// Attachment is a photo, kept by its digest beside the database.
type Attachment struct {
	ID, Digest, Name, Media string
	Size                    int64
	Unit, Run, Measure      string
	Caption, By             string
	Added                   time.Time
}

// AttachmentFilter narrows a list of attachments; empty fields do not.
type AttachmentFilter struct{ Unit, Run string }

func scanAttachment(r row, a *Attachment) error {
	return r.Scan(&a.ID, &a.Digest, &a.Name, &a.Media, &a.Size, &a.Unit, &a.Run, &a.Measure, &a.Caption, moment{&a.Added},
		&a.By)
}

const attachmentColumns = `id, digest, name, media, size, unit, coalesce(run, ''), measure, caption, added, by_whom`

// AddAttachment adds one.
func (q Queries) AddAttachment(ctx context.Context, a Attachment) error {
	return q.exec(ctx, `insert into attachment (id, digest, name, media, size, unit, run, measure, caption, added, by_whom) values (?,?,?,?,?,?,?,?,?,?,?)`,
		a.ID, a.Digest, a.Name, a.Media, a.Size, a.Unit, nullable(a.Run), a.Measure, a.Caption, Stamp(a.Added), a.By)
}

// Attachments lists them, the oldest first.
func (q Queries) Attachments(ctx context.Context, f AttachmentFilter) ([]Attachment, error) {
	return list(ctx, q, scanAttachment, `select `+attachmentColumns+
		` from attachment where ? in ('', unit) and ? in ('', coalesce(run, '')) order by added, id`, f.Unit, f.Run)
}

// Attachment finds one.
func (q Queries) Attachment(ctx context.Context, id string) (Attachment, error) {
	return one(ctx, q, scanAttachment, `select `+attachmentColumns+` from attachment where id = ?`, id)
}

// Pairing is what a person found of a part and a partner.
type Pairing struct {
	ID, Part, Partner, Place, Firmware, Outcome, How, By string
	At                                                   time.Time
}

// AddPairing adds one.
func (q Queries) AddPairing(ctx context.Context, p Pairing) error {
	return q.exec(ctx, `insert into pairing (id, part, partner, place, firmware, outcome, how, at, by_whom) values (?,?,?,?,?,?,?,?,?)`,
		p.ID, p.Part, p.Partner, p.Place, p.Firmware, p.Outcome, p.How, Stamp(p.At), p.By)
}

// Pairings lists what people found, of one part or of all.
func (q Queries) Pairings(ctx context.Context, part string) ([]Pairing, error) {
	return list(ctx, q, func(r row, p *Pairing) error {
		return r.Scan(&p.ID, &p.Part, &p.Partner, &p.Place, &p.Firmware, &p.Outcome, &p.How, moment{&p.At}, &p.By)
	}, `select id, part, partner, place, firmware, outcome, how, at, by_whom from pairing where ? in ('', part) order by at`, part)
}

// HostedRun is a run of a part in a host, as far as the two getting on goes.
type HostedRun struct {
	Part, Partner, Place, Test, Failure string
	Outcome                             record.Ending
	Observed, Negotiated                map[string]string
	Failed                              bool // a check whose reading is a fail
	At                                  time.Time
}

// HostedRuns lists the runs of parts in hosts, of one part or of all.
func (q Queries) HostedRuns(ctx context.Context, part string) ([]HostedRun, error) {
	return list(ctx, q, func(r row, x *HostedRun) error {
		return r.Scan(&x.Part, &x.Partner, &x.Place, &x.Test, &x.Outcome, &x.Failure, into(&x.Observed), into(&x.Negotiated),
			&x.Failed, moment{&x.At})
	}, `select subject, host, place, test, outcome, failure, observed, negotiated,
		exists (select 1 from test t, json_each(t.definition, '$.measures') m join reading on reading.run = run.id and reading.measure = m.value ->> 'slug'
			where t.slug = run.test and t.version = run.test_version and m.value ->> 'scale' = 'pass' and reading.state = 'ok' and reading.value < 0.5),
		started from run where host <> '' and ? in ('', subject) order by started`, part)
}
