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
	Doubt                   string
	Caption, By             string
	Added                   time.Time
}

// AttachmentFilter narrows a list of attachments; empty fields do not.
type AttachmentFilter struct{ Unit, Run, Doubt string }

var attachments = table[Attachment]{name: "attachment", parts: func(a *Attachment) []part {
	return []part{{"id", &a.ID}, {"digest", &a.Digest}, {"name", &a.Name}, {"media", &a.Media}, {"size", &a.Size},
		{"unit", &a.Unit}, {"run", null{&a.Run}}, {"measure", &a.Measure}, {"doubt", &a.Doubt}, {"caption", &a.Caption},
		{"added", moment{&a.Added}}, {"by_whom", &a.By}}
}}

// AddAttachment adds one.
func (q Queries) AddAttachment(ctx context.Context, a Attachment) error {
	return attachments.insert(ctx, q, &a)
}

// Attachments lists them, the oldest first.
func (q Queries) Attachments(ctx context.Context, f AttachmentFilter) ([]Attachment, error) {
	return attachments.list(ctx, q, `where ? in ('', unit) and ? in ('', coalesce(run, '')) and ? in ('', doubt)
		order by added, id`, f.Unit, f.Run, f.Doubt)
}

// Attachment finds one.
func (q Queries) Attachment(ctx context.Context, id string) (Attachment, error) {
	return attachments.one(ctx, q, `where id = ?`, id)
}

// Pairing is what a person found of a part and a partner.
type Pairing struct {
	ID, Part, Partner, Place, Firmware, Outcome, How, By string
	At                                                   time.Time
}

var pairings = table[Pairing]{name: "pairing", parts: func(p *Pairing) []part {
	return []part{{"id", &p.ID}, {"part", &p.Part}, {"partner", &p.Partner}, {"place", &p.Place},
		{"firmware", &p.Firmware}, {"outcome", &p.Outcome}, {"how", &p.How}, {"at", moment{&p.At}}, {"by_whom", &p.By}}
}}

// AddPairing adds one.
func (q Queries) AddPairing(ctx context.Context, p Pairing) error { return pairings.insert(ctx, q, &p) }

// Pairings lists what people found, of one part or of all.
func (q Queries) Pairings(ctx context.Context, part string) ([]Pairing, error) {
	return pairings.list(ctx, q, `where ? in ('', part) order by at`, part)
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
		exists (select 1 from test t, json_each(t.definition, '$.measures') m join reading on reading.run = run.id
		and reading.measure = m.value ->> 'slug'
			where t.slug = run.test and t.version = run.test_version and m.value ->> 'scale' = 'pass'
		and reading.state = `+wordOK+` and reading.value < 0.5),
		started from run where host <> '' and ? in ('', subject) order by started`, part)
}
