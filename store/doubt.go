package store

import (
	"context"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
)

// Change is one change of a reading, with what stood before and what stands since.
type Change struct {
	ID      string         `json:"id"`
	Run     string         `json:"run"`
	Measure string         `json:"measure"`
	Kind    string         `json:"kind" enum:"void,restore,correct,merge"`
	Act     string         `json:"act" doc:"What was done at once has one act"`
	Old     record.Reading `json:"old"`
	Now     record.Reading `json:"now"`
	Cause   string         `json:"cause,omitempty"`
	Reason  string         `json:"reason"`
	Doubt   string         `json:"doubt,omitempty" doc:"Doubt that was upheld or reopened"`
	Other   string         `json:"other,omitempty" doc:"Run that it is a duplicate of"`
	By      string         `json:"by"`
	At      time.Time      `json:"at"`
}

var changes = table[Change]{name: "reading_change", parts: func(c *Change) []part {
	return []part{{"id", &c.ID}, {"run", &c.Run}, {"measure", &c.Measure}, {"kind", &c.Kind}, {"reason", &c.Reason},
		{"by_whom", &c.By}, {"at", moment{&c.At}}, {"act", &c.Act}, {"old", into(&c.Old)}, {"now", into(&c.Now)},
		{"cause", &c.Cause}, {"doubt", &c.Doubt}, {"other", &c.Other}}
}}

func readingParts(x *record.Reading) []part {
	return []part{{"measure", &x.Measure}, {"state", &x.State}, {"value", &x.Value}, {"low", &x.Low}, {"high", &x.High},
		{"reason", &x.Reason}}
}

var (
	readings = table[record.Reading]{name: "reading", parts: readingParts}
	standing = table[record.Reading]{name: "reading_now", key: []string{"run", "measure"}, parts: readingParts}
)

// ChangeReading writes a change and how the reading stands since. extreme keeps a void reading in its test's
// repeatability.
func (q Queries) ChangeReading(ctx context.Context, c Change, extreme bool) error {
	if err := changes.insert(ctx, q, &c, part{"value", c.Now.Value}); err != nil {
		return err
	}
	now := c.Now
	now.Measure = c.Measure
	return standing.put(ctx, q, &now, part{"run", c.Run}, part{"extreme", extreme})
}

// Changes lists what was changed in a run, or in all runs, the newest first.
func (q Queries) Changes(ctx context.Context, run string, limit int) ([]Change, error) {
	return changes.list(ctx, q, `where ? in ('', run) and act <> '' order by at desc, id desc limit ?`, run, limit)
}

// Raw gives a run's readings as they were delivered.
func (q Queries) Raw(ctx context.Context, run string) ([]record.Reading, error) {
	return readings.list(ctx, q, `where run = ? order by measure`, run)
}

// Unexamined lists the runs whose rules have not been asked yet.
func (q Queries) Unexamined(ctx context.Context) ([]string, error) {
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select id from run indexed by run_unexamined where examined = 0 order by started, id`)
}

// Examined marks a run as examined.
func (q Queries) Examined(ctx context.Context, run string) error {
	return q.exec(ctx, `update run set examined = 1 where id = ?`, run)
}

// RunIDs lists runs in the order of their start, after the one that is named.
func (q Queries) RunIDs(ctx context.Context, f RunFilter) ([]string, error) {
	where, args := f.where()
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) }, `select id from run `+where+
		` order by started, repeat, id`,
		args...)
}

// doubts keeps a doubt's whole as its body; the columns beside it are what lists ask for.
var doubts = table[trust.Doubt]{name: "doubt", key: []string{"id"},
	kept: []string{"key", "rule", "measure", "test", "setup", "subject", "raised"}, parts: func(d *trust.Doubt) []part {
		return []part{{"id", &d.ID}, {"key", &d.Key}, {"rule", &d.Rule}, {"run", &d.Run}, {"measure", &d.Measure},
			{"severity", &d.Severity}, {"state", &d.State}, {"test", &d.Test}, {"setup", &d.Setup}, {"subject", &d.Subject},
			{"raised", moment{&d.Raised}}, {"body", into(d)}}
	}}

// PutDoubt adds or changes a doubt.
func (q Queries) PutDoubt(ctx context.Context, d trust.Doubt) error {
	if err := doubts.put(ctx, q, &d); err != nil {
		return err
	}
	if err := q.exec(ctx, `delete from doubt_run where doubt = ?`, d.ID); err != nil {
		return err
	}
	for _, run := range append([]string{d.Run}, d.Runs...) {
		if err := q.exec(ctx, `insert into doubt_run (doubt, run) values (?,?) on conflict do nothing`, d.ID,
			run); err != nil {
			return err
		}
	}
	return nil
}

func scanDoubt(r row, d *trust.Doubt) error {
	var key string
	err := r.Scan(&key, into(d))
	d.Key = key
	return err
}

// DoubtFilter narrows a list of doubts; empty fields do not.
type DoubtFilter struct {
	State                          trust.DoubtState
	Severity                       trust.Severity
	Rule, Test, Subject, Run, Plan string
	After                          string // the id of the doubt that the list goes on behind
	Offset, Limit                  int
}

const openFirst = ` order by state <> ` + wordOpen + `, case severity when ` + wordSerious + ` then 0 when ` +
	wordCaution + ` then 1 else 2 end, raised desc, id desc`

// Doubts lists doubts, open ones first, then the gravest and newest, and tells how many there are in all.
func (q Queries) Doubts(ctx context.Context, f DoubtFilter) ([]trust.Doubt, int, error) {
	where := ` from doubt where ? in ('', state) and ? in ('', rule) and ? in ('', subject)
		and ? in ('', severity)`
	args := []any{f.State, f.Rule, f.Subject, f.Severity}
	if f.Test != "" { // one entry may be about runs of several
		where += ` and (test = ? or id in (select doubt from doubt_run join run on run.id = run where run.test = ?))`
		args = append(args, f.Test, f.Test)
	}
	if f.Run != "" {
		where += ` and id in (select doubt from doubt_run where run = ?)`
		args = append(args, f.Run)
	}
	if f.Plan != "" {
		where += ` and id in (select doubt from doubt_run join run on run.id = run where plan = ?)`
		args = append(args, f.Plan)
	}
	if f.Limit == 0 {
		f.Limit = -1
	}
	total, err := q.count(ctx, `select count(*)`+where, args...)
	if err != nil {
		return nil, 0, err
	}
	if f.After != "" {
		behind, err := q.count(ctx, `select n from (select id,
			row_number() over (`+openFirst+`) as n`+where+`) where id = ?`, append(args[:len(args):len(args)], f.After)...)
		if err != nil {
			return nil, 0, err
		}
		f.Offset += behind
	}
	out, err := list(ctx, q, scanDoubt, `select key, body`+where+openFirst+` limit ? offset ?`, append(args, f.Limit,
		f.Offset)...)
	return out, total, err
}

// Doubt finds one doubt.
func (q Queries) Doubt(ctx context.Context, id string) (trust.Doubt, error) {
	return one(ctx, q, scanDoubt, `select key, body from doubt where id = ?`, id)
}

// DoubtByKey finds the doubt about a thing.
func (q Queries) DoubtByKey(ctx context.Context, key string) (trust.Doubt, error) {
	return one(ctx, q, scanDoubt, `select key, body from doubt where key = ?`, key)
}

// CellDoubts lists the doubts of some keys' beginnings: those about a cell as a whole.
func (q Queries) CellDoubts(ctx context.Context, ends []string) ([]trust.Doubt, error) {
	return list(ctx, q, scanDoubt, `select key, body from doubt where key in (select value
		from json_each(?))`, JSON(ends))
}

// OpenDoubt is an open doubt, or one that is shown as a caveat, with the cell that it touches. A caveat says what the
// reviewer wrote of it, where they wrote something.
type OpenDoubt struct {
	ID, Rule, Test, Measure, Setup, Unit, Host, Place, Basis, Sentence string
	Severity                                                           trust.Severity
	Caveat                                                             bool
}

// OpenDoubts lists every open doubt and every caveat, the gravest first.
func (q Queries) OpenDoubts(ctx context.Context) ([]OpenDoubt, error) {
	return list(ctx, q, func(r row, d *OpenDoubt) error {
		return r.Scan(&d.ID, &d.Rule, &d.Test, &d.Measure, &d.Setup, &d.Unit, &d.Host, &d.Place, &d.Basis, &d.Severity,
			&d.Caveat, &d.Sentence)
	}, `select doubt.id, doubt.rule, run.test, doubt.measure, run.setup, run.subject,
		run.host, run.place, run.basis, doubt.severity, doubt.state = `+wordShown+`, iif(doubt.state = `+wordShown+`
		and coalesce(json_extract(doubt.body, '$.reason'), '') <> '', json_extract(doubt.body, '$.reason'),
		json_extract(doubt.body, '$.sentence'))
		from doubt join doubt_run on doubt_run.doubt = doubt.id join run on run.id = doubt_run.run
		where doubt.state in (`+wordOpen+`, `+wordShown+`)
		order by case doubt.severity when `+wordSerious+` then 0 when `+wordCaution+` then 1
		else 2 end, doubt.raised desc, doubt.id desc`)
}

// DoubtAct is one step in a doubt's life.
type DoubtAct struct {
	At       time.Time `json:"at"`
	By       string    `json:"by"`
	Act      string    `json:"act" enum:"raised,raised again,changed,upheld,dismissed,shown with a caveat,reopened"`
	Cause    string    `json:"cause,omitempty"`
	Reason   string    `json:"reason,omitempty"`
	Sentence string    `json:"sentence,omitempty" doc:"What the doubt said then"`
}

var doubtActs = table[DoubtAct]{name: "doubt_act", parts: func(a *DoubtAct) []part {
	return []part{{"at", moment{&a.At}}, {"by_whom", &a.By}, {"act", &a.Act}, {"cause", &a.Cause}, {"reason", &a.Reason},
		{"sentence", &a.Sentence}}
}}

// AddDoubtAct writes a step of a doubt's life.
func (q Queries) AddDoubtAct(ctx context.Context, doubt string, a DoubtAct) error {
	return doubtActs.insert(ctx, q, &a, part{"doubt", doubt})
}

// DoubtActs lists a doubt's life, the oldest first.
func (q Queries) DoubtActs(ctx context.Context, doubt string) ([]DoubtAct, error) {
	return doubtActs.list(ctx, q, `where doubt = ? order by id`, doubt)
}

// DoubtCounts counts doubts by rule and state.
func (q Queries) DoubtCounts(ctx context.Context) (map[string]map[trust.DoubtState]int, error) {
	type counted struct {
		rule  string
		state trust.DoubtState
		n     int
	}
	rows, err := list(ctx, q, func(r row, c *counted) error { return r.Scan(&c.rule, &c.state, &c.n) },
		`select rule, state, count(*) from doubt group by rule, state`)
	out := map[string]map[trust.DoubtState]int{}
	for _, c := range rows {
		if out[c.rule] == nil {
			out[c.rule] = map[trust.DoubtState]int{}
		}
		out[c.rule][c.state] = c.n
	}
	return out, err
}

var tunings = table[trust.Tuning]{name: "tuning", key: []string{"rule", "test"}, parts: func(t *trust.Tuning) []part {
	return []part{{"rule", &t.Rule}, {"test", &t.Test}, {"off", &t.Off}, {"lim", &t.Limit}, {"reason", &t.Reason},
		{"by_whom", &t.By}, {"at", moment{&t.At}}}
}}

// PutTuning keeps how a rule is tuned for a test; one that changes nothing is taken away.
func (q Queries) PutTuning(ctx context.Context, t trust.Tuning) error {
	if !t.Off && t.Limit == 0 {
		return q.exec(ctx, `delete from tuning where rule = ? and test = ?`, t.Rule, t.Test)
	}
	return tunings.put(ctx, q, &t)
}

// Tunings lists how rules are tuned.
func (q Queries) Tunings(ctx context.Context) ([]trust.Tuning, error) {
	return tunings.list(ctx, q, `order by rule, test`)
}

// CellRuns lists the repeats of a cell with what held each back, in order of their start; only readings
// that count.
func (q Queries) CellRuns(ctx context.Context, k CellKey) ([]trust.Repeat, error) {
	test, measure := method.Split(k.Measure)
	return q.repeats(ctx, `run.subject = ? and run.test = ? and run.setup = ? and run.host = ? and run.place = ?
		and run.basis = ?`, measure, k.Unit, test, k.Setup, k.Host, k.Place, k.Basis)
}

// OtherCells lists the readings of a measure of a unit outside one of its cells.
func (q Queries) OtherCells(ctx context.Context, k CellKey) ([]trust.Repeat, error) {
	test, measure := method.Split(k.Measure)
	return q.repeats(ctx, `run.subject = ? and run.test = ? and not (run.setup = ? and run.host = ?
		and run.place = ? and run.basis = ?)`, measure, k.Unit, test, k.Setup, k.Host, k.Place, k.Basis)
}

func (q Queries) repeats(ctx context.Context, where, measure string, args ...any) ([]trust.Repeat, error) {
	return list(ctx, q, func(r row, x *trust.Repeat) error {
		var state record.State
		err := r.Scan(&x.Run, &x.Sitting, moment{&x.Started}, &state, &x.Value, &x.Limiter)
		x.Bound = state.Bound()
		return err
	}, `select run.id, run.sitting, run.started, coalesce(now.state, r.state),
		coalesce(now.value, r.value), coalesce(json_extract(run.course, '$.limiter.label'), '')
		from run join reading r on r.run = run.id left join reading_now now on now.run = r.run and now.measure = r.measure
		where `+where+` and run.outcome = `+wordDone+` and r.measure = ?
		and coalesce(now.state, r.state) in `+counting+` order by run.started, run.repeat, run.id`, append(args, measure)...)
}

// RunCell gives the parts of a run's cells that its readings share.
func (q Queries) RunCell(ctx context.Context, run string) (CellKey, error) {
	return one(ctx, q, func(r row, k *CellKey) error { return r.Scan(&k.Setup, &k.Unit, &k.Host, &k.Place, &k.Basis) },
		`select setup, subject, host, place, basis from run where id = ?`, run)
}

// Twins lists pairs of runs of the same test on the same unit whose readings are the same in every digit, as they
// were delivered, neither of them void; the older first. Repeats of one sitting may agree where figures are
// coarse: those have another number, and count only where figures are long.
func (q Queries) Twins(ctx context.Context, unit string) ([][2]string, error) {
	return list(ctx, q, func(r row, p *[2]string) error { return r.Scan(&p[0], &p[1]) },
		`with told as (select run.id, run.subject, run.test, run.started, run.repeat, run.sitting,
		(select max(length(replace(rtrim(value, '0'), '.', ''))) from reading where run = run.id) as long,
		(select group_concat(measure || '=' || value || state, ' ') from (select measure, value, state from reading
		where run = run.id order by measure)) as figures
			from run where run.outcome = `+wordDone+` and ? in ('', run.subject) and exists (select 1 from reading
		where run = run.id)
			and not exists (select 1 from reading_now n where n.run = run.id and n.state = `+wordVoid+`))
		select a.id, b.id from told a join told b on a.subject = b.subject and a.test = b.test
		and a.figures = b.figures and (a.repeat = b.repeat and a.sitting <> b.sitting or a.long >= 8) and
		(a.started < b.started or a.started = b.started and a.id < b.id)
		order by a.started, a.repeat, a.id`, unit)
}
