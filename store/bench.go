package store

import (
	"context"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/trace"
)

// traceChunk is how many samples one stored chunk of a trace holds.
const traceChunk = 600

// PutTrace keeps a run's trace in packed chunks, in place of what came in while the run went on.
func (q Queries) PutTrace(ctx context.Context, run string, t record.Trace) error {
	if err := q.exec(ctx, `delete from live_trace where run = ?`, run); err != nil {
		return err
	}
	for chunk, from := 0, 0; from < len(t.Times); chunk, from = chunk+1, from+traceChunk {
		part := t.Slice(from, min(from+traceChunk, len(t.Times)))
		n := len(part.Times)
		if err := q.exec(ctx, `insert into trace (run, chunk, samples, began, ended, data) values (?,?,?,?,?,?)
		on conflict (run, chunk) do nothing`,
			run, chunk, n, part.Times[0], part.Times[n-1], trace.Pack(part)); err != nil {
			return err
		}
	}
	return nil
}

// Trace reads what sensors said during a run, or of one that was broken off, between two moments in
// seconds; to 0 means the end. It is empty where nothing is known.
func (q Queries) Trace(ctx context.Context, run string, from, to float64) (record.Trace, error) {
	bytes := func(r row, b *[]byte) error { return r.Scan(b) }
	parts, err := list(ctx, q, bytes,
		`select data from trace where run = ? and ended >= ? and (? = 0 or began <= ?) order by chunk`, run, from, to, to)
	if err == nil && len(parts) == 0 {
		parts, err = list(ctx, q, bytes, `select data from live_trace where run = ? order by seq`, run)
	}
	var out record.Trace
	if err != nil {
		return out, err
	}
	for i, p := range parts {
		t, err := trace.Unpack(p)
		if err != nil {
			return out, err
		}
		if i == 0 {
			out = t
			continue
		}
		out.Append(t)
	}
	return out, nil
}

// TraceChannels lists the channels that a run's trace begins with.
func (q Queries) TraceChannels(ctx context.Context, run string) ([]record.Channel, error) {
	first, err := list(ctx, q, func(r row, b *[]byte) error { return r.Scan(b) },
		`select data from trace where run = ? order by chunk limit 1`, run)
	if err != nil || len(first) == 0 {
		return []record.Channel{}, err
	}
	t, err := trace.Unpack(first[0])
	return t.Channels, err
}

// LiveTrace is one report of a run that goes on.
type LiveTrace struct {
	Plan, Run string
	Seq       int64
	Data      []byte
}

// AddLive keeps reports, all in one transaction of the caller's.
func (q Queries) AddLive(ctx context.Context, reports []LiveTrace) error {
	for _, x := range reports {
		if err := q.exec(ctx, `insert into live_trace (run, seq, plan, data) values (?,?,?,?) on conflict
		(run, seq) do nothing`, x.Run, x.Seq, x.Plan, x.Data); err != nil {
			return err
		}
	}
	return nil
}

// OpenRun is the latest run of a plan that told of itself and was not delivered; identifiers sort by when they were
// made.
func (q Queries) OpenRun(ctx context.Context, plan string) (string, error) {
	return one(ctx, q, func(r row, id *string) error { return r.Scan(id) }, `select run from live_trace where plan = ?
		and run not in (select id from run where plan = ?) order by run desc limit 1`, plan, plan)
}

// DropLive forgets the reports of a plan's runs that are recorded: their whole traces are kept.
func (q Queries) DropLive(ctx context.Context, plan string) error {
	return q.exec(ctx, `delete from live_trace where plan = ? and run in (select id from run
		where plan = ?)`, plan, plan)
}

// Outside is a log of an outside sensor beside a run.
type Outside struct {
	ID, Run, Name, By string
	Added             time.Time
	Shift             float64  // seconds added to the log's times
	Found             *float64 // the shift that correlation found
	Correlation       *float64
	Trace             record.Trace // times as the log has them
}

var outsides = table[Outside]{name: "outside", key: []string{"id"}, kept: []string{"run", "name", "added", "by_whom",
	"found", "correlation", "data"}, parts: func(o *Outside) []part {
	return []part{{"id", &o.ID}, {"run", &o.Run}, {"name", &o.Name}, {"added", moment{&o.Added}}, {"by_whom", &o.By},
		{"shift", &o.Shift}, {"found", &o.Found}, {"correlation", &o.Correlation}, {"data", packed{&o.Trace}}}
}}

// PutOutside adds a log, or changes its shift.
func (q Queries) PutOutside(ctx context.Context, o Outside) error { return outsides.put(ctx, q, &o) }

// Outsides lists the logs beside a run.
func (q Queries) Outsides(ctx context.Context, run string) ([]Outside, error) {
	return outsides.list(ctx, q, `where run = ? order by added, id`, run)
}

// DropOutside takes a log away from a run.
func (q Queries) DropOutside(ctx context.Context, run, id string) (bool, error) {
	return q.changed(ctx, `delete from outside where run = ? and id = ?`, run, id)
}

var incidents = table[record.Incident]{name: "incident", key: []string{"id"}, parts: func(x *record.Incident) []part {
	return []part{{"id", &x.ID}, {"unit", &x.Unit}, {"host", &x.Host}, {"place", &x.Place}, {"plan", null{&x.Plan}},
		{"broken", &x.Run}, {"step", &x.Step}, {"test", &x.Test}, {"at", moment{&x.At}}, {"until", maybe{&x.Until}},
		{"kind", &x.Kind}, {"text", &x.Text}, {"by_whom", &x.By}, {"last", into(&x.Last)}, {"times", &x.Times},
		{"tries", &x.Tries}, {"withdrawn", maybe{&x.Withdrawn}}}
}, read: func(x *record.Incident) []part {
	return []part{{"(select count(*) from incident_change c where c.incident = incident.id)", &x.Corrected}}
}}

// AddIncident adds an incident; false, and nothing changed, if it is there already.
func (q Queries) AddIncident(ctx context.Context, x record.Incident) (bool, error) {
	return incidents.add(ctx, q, &x)
}

// CloseIncident says when an incident was over.
func (q Queries) CloseIncident(ctx context.Context, id string, at time.Time) error {
	return q.exec(ctx, `update incident set until = ? where id = ? and until is null`, Stamp(at), id)
}

// IncidentFilter narrows a list of incidents; empty fields do not.
type IncidentFilter struct {
	Unit, Plan    string
	Kind          record.IncidentKind
	After         string // the id of the incident that the list goes on behind
	Offset, Limit int
}

// Incidents lists incidents, the newest first, and tells how many there are in all.
func (q Queries) Incidents(ctx context.Context, f IncidentFilter) ([]record.Incident, int, error) {
	where := `where ? in ('', unit) and ? in ('', coalesce(plan, '')) and ? in ('', kind)`
	if f.Limit == 0 {
		f.Limit = -1
	}
	total, err := q.count(ctx, `select count(*) from incident `+where,
		f.Unit, f.Plan, f.Kind)
	if err != nil {
		return nil, 0, err
	}
	args := []any{f.Unit, f.Plan, f.Kind}
	if f.After != "" {
		from, err := q.Incident(ctx, f.After)
		if err != nil {
			return nil, 0, err
		}
		where, args = where+` and (at, id) < (?, ?)`, append(args, Stamp(from.At), from.ID)
	}
	out, err := incidents.list(ctx, q, where+` order by at desc, id desc limit ? offset ?`, append(args, f.Limit,
		f.Offset)...)
	return out, total, err
}

// OpenIncident finds the last incident of a kind of a plan that is not over.
func (q Queries) OpenIncident(ctx context.Context, plan string, kind record.IncidentKind) (string, error) {
	return one(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select id from incident where plan = ? and kind = ? and until is null order by at desc limit 1`, plan, kind)
}

// Attempts counts how often runs were made on a unit in each host and place.
type Attempts struct {
	Host, Place string
	Runs        int
}

// RunsByPlace counts a unit's runs by host and place.
func (q Queries) RunsByPlace(ctx context.Context, unit string) ([]Attempts, error) {
	return list(ctx, q, func(r row, a *Attempts) error { return r.Scan(&a.Host, &a.Place, &a.Runs) },
		`select host, place, count(*) from run where subject = ? and outcome in (`+wordDone+`, `+wordFailed+
			`) group by host, place order by host, place`, unit)
}

var conditions = table[method.ConditionKey]{name: "condition", key: []string{"key"},
	parts: func(c *method.ConditionKey) []part {
		return []part{{"key", &c.Key}, {"name", &c.Name}, {"meaning", &c.Meaning}}
	}}

// PutCondition adds or changes a condition of the desk's own.
func (q Queries) PutCondition(ctx context.Context, c method.ConditionKey) error {
	return conditions.put(ctx, q, &c)
}

// Conditions lists the conditions of the desk's own.
func (q Queries) Conditions(ctx context.Context) ([]method.ConditionKey, error) {
	return conditions.list(ctx, q, `order by key`)
}
