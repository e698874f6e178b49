package store

import (
	"context"
	"fmt"
	"time"

	"durvek/core/catalog"
	"durvek/core/record"
)

var remarks = table[record.Remark]{name: "remark", key: []string{"id"}, parts: func(x *record.Remark) []part {
	return []part{{"id", &x.ID}, {"kind", &x.Kind}, {"variant", &x.Variant}, {"area", &x.Area}, {"measure", &x.Measure},
		{"text", &x.Text}, {"who", &x.Who}, {"dated", &x.Dated}, {"source", &x.Source}, {"added", moment{&x.Added}},
		{"by_whom", &x.By}, {"withdrawn", maybe{&x.Withdrawn}}, {"reason", &x.Reason}}
}}

// PutRemark adds or changes a remark or report.
func (q Queries) PutRemark(ctx context.Context, x record.Remark) error {
	return remarks.put(ctx, q, &x)
}

// Remark finds a remark or report.
func (q Queries) Remark(ctx context.Context, id string) (record.Remark, error) {
	return remarks.one(ctx, q, `where id = ?`, id)
}

// Remarks lists what is said of a variant, or of all, the oldest first; withdrawn ones only where they are wanted.
func (q Queries) Remarks(ctx context.Context, variant string, withdrawn bool) ([]record.Remark, error) {
	return remarks.list(ctx, q, `where ? in ('', variant) and (withdrawn is null or ?) order by added, id`, variant,
		withdrawn)
}

// ChangeIncident replaces an incident and keeps what it was.
func (q Queries) ChangeIncident(ctx context.Context, was, now record.Incident, by, reason string, at time.Time) error {
	was.Corrected, now.Corrected = 0, 0
	if err := q.exec(ctx, `insert into incident_change (incident, at, by_whom, was, reason) values (?,?,?,?,?)`, was.ID,
		Stamp(at), by, JSON(was), reason); err != nil {
		return err
	}
	return incidents.put(ctx, q, &now)
}

// Incident finds an incident.
func (q Queries) Incident(ctx context.Context, id string) (record.Incident, error) {
	return incidents.one(ctx, q, `where id = ?`, id)
}

// IncidentChanges lists what an incident was before, the first state first.
func (q Queries) IncidentChanges(ctx context.Context, id string) ([]record.IncidentChange, error) {
	return list(ctx, q, func(r row, x *record.IncidentChange) error {
		return r.Scan(moment{&x.At}, &x.By, into(&x.Was), &x.Reason)
	}, `select at, by_whom, was, reason from incident_change where incident = ? order by id`, id)
}

var archived = table[record.Archived]{name: "archived", key: []string{"kind", "slug"},
	parts: func(x *record.Archived) []part {
		return []part{{"kind", &x.Kind}, {"slug", &x.Slug}, {"at", moment{&x.At}}, {"by_whom", &x.By}, {"reason", &x.Reason}}
	}}

// Known tells whether there is something of a kind that can be archived.
func (q Queries) Known(ctx context.Context, kind, slug string) (bool, error) {
	key := "slug"
	if kind == "plan" {
		key = "id"
	}
	n, err := q.count(ctx, fmt.Sprintf(`select count(*) from %s where %s = ?`, kind, key), slug)
	return n > 0, err
}

var ownKinds = table[catalog.OwnKind]{name: "own_kind", key: []string{"kind"},
	parts: func(k *catalog.OwnKind) []part { return []part{{"kind", &k.Kind}, {"plural", &k.Plural}} }}

// PutKind adds a kind of product of the desk's own, or changes what many of them are called.
func (q Queries) PutKind(ctx context.Context, k catalog.OwnKind) error {
	return ownKinds.put(ctx, q, &k)
}

// Kinds lists the kinds of product of the desk's own.
func (q Queries) Kinds(ctx context.Context) ([]catalog.OwnKind, error) {
	return ownKinds.list(ctx, q, `order by kind`)
}

// Archive keeps something and has it no longer offered.
func (q Queries) Archive(ctx context.Context, x record.Archived) error {
	return archived.put(ctx, q, &x)
}

// Unarchive has it offered again; false if it was not archived.
func (q Queries) Unarchive(ctx context.Context, kind, slug string) (bool, error) {
	return q.changed(ctx, `delete from archived where kind = ? and slug = ?`, kind, slug)
}

// ArchivedOf lists what is archived of a kind, or of all.
func (q Queries) ArchivedOf(ctx context.Context, kind string) ([]record.Archived, error) {
	return archived.list(ctx, q, `where ? in ('', kind) order by kind, slug`, kind)
}
