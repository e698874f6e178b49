package store

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/klauspost/compress/zstd"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
)

// PutTest adds a test definition; a version that is there already is replaced.
func (q Queries) PutTest(ctx context.Context, t method.Test, at time.Time) error {
	t.Aside = "" // stands by itself, for all versions
	return q.exec(ctx, `insert into test (slug, version, origin, definition, added) values (?,?,?,?,?)
		on conflict (slug, version) do update set definition=excluded.definition,
		origin=excluded.origin`, t.Slug, t.Version,
		t.Origin, JSON(t), Stamp(at))
}

func scanTest(r row, t *method.Test) error { return r.Scan(into(t), &t.Aside) }

const selectTest = `select definition, coalesce((select reason from aside a where a.test = t.slug), '') from test t `

// SetAside has a test's figures shown and not counted, for a reason; counted again with none.
func (q Queries) SetAside(ctx context.Context, test, reason, by string, at time.Time) error {
	if reason == "" {
		return q.exec(ctx, `delete from aside where test = ?`, test)
	}
	return q.exec(ctx, `insert or replace into aside (test, reason, at, by_whom) values (?,?,?,?)`, test, reason,
		Stamp(at),
		by)
}

// Tests lists the newest version of every test.
func (q Queries) Tests(ctx context.Context) ([]method.Test, error) {
	return list(ctx, q, scanTest, selectTest+`where version = (select max(version) from test
		where slug = t.slug) order by origin desc, slug`)
}

// Test finds a version of a test; 0 means the newest.
func (q Queries) Test(ctx context.Context, slug string, version int) (method.Test, error) {
	return one(ctx, q, scanTest, selectTest+`where slug = ? and ? in (0, version)
		order by version desc limit 1`, slug, version)
}

var setups = table[method.Setup]{name: "setup", key: []string{"slug"}, parts: func(s *method.Setup) []part {
	return []part{{"slug", &s.Slug}, {"name", &s.Name}, {"raised", &s.Raised}, {"conditions", into(&s.Conditions)},
		{"hands", &s.Hands}}
}}

// PutSetup adds or replaces a setup.
func (q Queries) PutSetup(ctx context.Context, s method.Setup) error { return setups.put(ctx, q, &s) }

// Setups lists all setups, default modes first.
func (q Queries) Setups(ctx context.Context) ([]method.Setup, error) {
	return setups.list(ctx, q, `order by raised, slug`)
}

// Setup finds one setup.
func (q Queries) Setup(ctx context.Context, slug string) (method.Setup, error) {
	return setups.one(ctx, q, `where slug = ?`, slug)
}

var plans = table[method.Plan]{name: "plan", key: []string{"id"}, kept: []string{"unit", "created"},
	parts: func(p *method.Plan) []part {
		return []part{{"id", &p.ID}, {"unit", &p.Unit}, {"host", &p.Host}, {"place", &p.Place}, {"setup", &p.Setup},
			{"name", &p.Name}, {"steps", into(&p.Steps)}, {"state", &p.State}, {"agent", &p.Agent}, {"created", &p.Created},
			{"terms", into(&p.Terms)}}
	}}

// PutPlan adds a plan, or changes all but its unit and when it was made.
func (q Queries) PutPlan(ctx context.Context, p method.Plan) error { return plans.put(ctx, q, &p) }

// PlanControl is what people told a plan while it was at work.
func (q Queries) PlanControl(ctx context.Context, id string) (d record.Directive, err error) {
	return one(ctx, q, func(r row, d *record.Directive) error { return r.Scan(into(d)) },
		`select control from plan where id = ?`, id)
}

// SetPlanControl keeps it.
func (q Queries) SetPlanControl(ctx context.Context, id string, d record.Directive) error {
	return q.exec(ctx, `update plan set control = ? where id = ?`, JSON(d), id)
}

// SetPlanState changes a plan's state and tells whether it was another one.
func (q Queries) SetPlanState(ctx context.Context, id string, from, to method.PlanState) (bool, error) {
	return q.changed(ctx, `update plan set state = ? where id = ? and state = ?`, to, id, from)
}

// PlansAtWork lists the plans that have an agent.
func (q Queries) PlansAtWork(ctx context.Context) ([]method.Plan, error) {
	return plans.list(ctx, q, `where state in (`+wordRunning+`, `+wordSilent+`)`)
}

// RunLengths tells what the latest runs of plans took, the oldest of them first.
func (q Queries) RunLengths(ctx context.Context, most int, tell func(test, unit string, seconds float64)) error {
	type length struct {
		test, unit string
		seconds    float64
	}
	latest, err := list(ctx, q, func(r row, x *length) error { return r.Scan(&x.test, &x.unit, &x.seconds) },
		`select test, subject, (julianday(ended) - julianday(started)) * 86400.0 from run indexed by run_planned
		where outcome = `+wordDone+` and plan is not null order by started desc limit ?`, most)
	for i := len(latest) - 1; i >= 0; i-- {
		tell(latest[i].test, latest[i].unit, latest[i].seconds)
	}
	return err
}

// PlanCount tells how many runs a plan has, and how many of them are marked.
type PlanCount struct{ Done, Marked int }

// PlanCounts counts the runs of plans.
func (q Queries) PlanCounts(ctx context.Context, plans []string) (map[string]PlanCount, error) {
	type counted struct {
		plan string
		PlanCount
	}
	rows, err := list(ctx, q, func(r row, c *counted) error { return r.Scan(&c.plan, &c.Done, &c.Marked) },
		`select plan, count(*), sum(marks not in ('[]', 'null')) from run where plan in (select value
		from json_each(?)) group by plan`, JSON(plans))
	out := map[string]PlanCount{}
	for _, c := range rows {
		out[c.plan] = c.PlanCount
	}
	return out, err
}

// Plans lists plans, the newest first.
func (q Queries) Plans(ctx context.Context) ([]method.Plan, error) {
	return plans.list(ctx, q, `order by id desc`)
}

// Plan finds one plan.
func (q Queries) Plan(ctx context.Context, id string) (method.Plan, error) {
	return plans.one(ctx, q, `where id = ?`, id)
}

var sittings = table[record.Sitting]{name: "sitting", parts: func(s *record.Sitting) []part {
	return []part{{"id", &s.ID}, {"unit", &s.Unit}, {"boot", &s.Boot}, {"started", moment{&s.Started}},
		{"machine", into(&s.Machine)}}
}}

// PutSitting adds a sitting if its unit has none for that boot, and returns the one that stands.
func (q Queries) PutSitting(ctx context.Context, s record.Sitting) (record.Sitting, error) {
	if _, err := sittings.add(ctx, q, &s); err != nil {
		return s, err
	}
	return sittings.one(ctx, q, `where unit = ? and boot = ?`, s.Unit, s.Boot)
}

// Sitting finds one sitting.
func (q Queries) Sitting(ctx context.Context, id string) (record.Sitting, error) {
	return sittings.one(ctx, q, `where id = ?`, id)
}

// LastSitting is a unit's latest.
func (q Queries) LastSitting(ctx context.Context, unit string) (record.Sitting, error) {
	return sittings.one(ctx, q, `where unit = ? order by started desc, id desc limit 1`, unit)
}

var runs = table[record.Run]{name: "run", key: []string{"id"}, parts: func(x *record.Run) []part {
	return []part{{"id", &x.ID}, {"test", &x.Test}, {"test_version", &x.TestVersion}, {"subject", &x.Subject},
		{"host", &x.Host}, {"place", &x.Place}, {"setup", &x.Setup}, {"sitting", &x.Sitting}, {"plan", null{&x.Plan}},
		{"step", &x.Step}, {"repeat", &x.Repeat}, {"started", moment{&x.Started}}, {"ended", moment{&x.Ended}},
		{"outcome", &x.Outcome}, {"failure", &x.Failure}, {"source", &x.Source}, {"simulated", &x.Simulated},
		{"by_whom", &x.By}, {"observed", into(&x.Observed)}, {"negotiated", into(&x.Negotiated)},
		{"options", into(&x.Options)}, {"marks", into(&x.Marks)}, {"course", into(&x.Course)}}
}, read: func(x *record.Run) []part {
	return []part{{`(select json_group_array(json_object('measure', r.measure, 'state', coalesce(now.state, r.state),
		'value', coalesce(now.value, r.value), 'low', iif(now.run is null, r.low, now.low),
		'high', iif(now.run is null, r.high, now.high), 'reason', coalesce(now.reason, r.reason)))
		from reading r left join reading_now now on now.run = r.run and now.measure = r.measure where r.run = run.id)`,
		into(&x.Readings)},
		{`(select count(*) from doubt_run join doubt on doubt.id = doubt_run.doubt and doubt.state = ` + wordOpen + `
			where doubt_run.run = run.id)`, &x.Doubts}}
}}

// AddRun writes a run with its readings and series. It returns false, and changes nothing, if a run
// of that id is there already.
func (q Queries) AddRun(ctx context.Context, r record.Run, basis string) (bool, error) {
	fresh, err := runs.write(ctx, q, &r, " on conflict (id) do nothing", []part{{"basis", basis}, {"examined", 0}})
	if err != nil || !fresh {
		return false, err
	}
	for _, x := range r.Readings {
		if err := readings.insert(ctx, q, &x, part{"run", r.ID}); err != nil {
			return false, err
		}
	}
	return true, q.AddSeries(ctx, r.ID, r.Series)
}

// AddSeries adds series to a run, of channels that it does not have.
func (q Queries) AddSeries(ctx context.Context, run string, list []record.Series) error {
	for _, s := range list {
		if err := q.addSeries(ctx, run, s); err != nil {
			return err
		}
	}
	return nil
}

// chunkLength is how many samples one stored chunk of a series holds.
const chunkLength = 600

var (
	encoder, _ = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	decoder, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(64<<20))
)

func (q Queries) addSeries(ctx context.Context, run string, s record.Series) error {
	if len(s.Times) != len(s.Values) {
		return fmt.Errorf("series %s has %d times and %d values", s.Channel, len(s.Times), len(s.Values))
	}
	for chunk, from := 0, 0; from < len(s.Values); chunk, from = chunk+1, from+chunkLength {
		to := min(from+chunkLength, len(s.Values))
		buf := make([]byte, 0, 16*(to-from))
		for _, column := range [][]float64{s.Times[from:to], s.Values[from:to]} {
			for _, v := range column {
				buf = binary.LittleEndian.AppendUint64(buf, math.Float64bits(v))
			}
		}
		if err := q.exec(ctx, `insert into series (run, channel, chunk, unit, axis, along, count, data)
		values (?,?,?,?,?,?,?,?)`,
			run, s.Channel, chunk, s.Unit, s.Axis, s.Along, to-from, encoder.EncodeAll(buf, nil)); err != nil {
			return err
		}
	}
	return nil
}

// Series reads a run's raw samples.
func (q Queries) Series(ctx context.Context, run string) ([]record.Series, error) {
	type part struct {
		record.Series
		count int
		data  []byte
	}
	parts, err := list(ctx, q, func(r row, p *part) error {
		return r.Scan(&p.Channel, &p.Unit, &p.Axis, &p.Along, &p.count,
			&p.data)
	},
		`select channel, unit, axis, along, count, data from series where run = ? order by channel, chunk`, run)
	if err != nil {
		return nil, err
	}
	out := []record.Series{}
	for _, p := range parts {
		raw, err := decoder.DecodeAll(p.data, nil)
		if err != nil || len(raw) != 16*p.count {
			return nil, fmt.Errorf("samples of run %s, channel %s, are damaged: %v", run, p.Channel, err)
		}
		if len(out) == 0 || out[len(out)-1].Channel != p.Channel {
			out = append(out, p.Series)
		}
		s := &out[len(out)-1]
		for i := range p.count {
			s.Times = append(s.Times, math.Float64frombits(binary.LittleEndian.Uint64(raw[8*i:])))
			s.Values = append(s.Values, math.Float64frombits(binary.LittleEndian.Uint64(raw[8*(p.count+i):])))
		}
	}
	return out, nil
}

// Run finds one run, without its series.
func (q Queries) Run(ctx context.Context, id string) (record.Run, error) {
	return runs.one(ctx, q, `where id = ?`, id)
}

// Received lists which jobs of a plan have a run, as step and repeat.
func (q Queries) Received(ctx context.Context, plan string) ([]method.Job, error) {
	return list(ctx, q, func(r row, j *method.Job) error { return r.Scan(&j.Step, &j.Repeat, &j.Test) },
		`select step, repeat, test from run where plan = ? order by step, repeat`, plan)
}

// JobRun finds the run that a job of a plan has already.
func (q Queries) JobRun(ctx context.Context, plan string, step, repeat int) (id string, err error) {
	return one(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select id from run where plan = ? and step = ? and repeat = ?`, plan, step, repeat)
}

// CellKey names a cell: what was measured, under which setup, on what, in what and where, on which basis.
type CellKey struct {
	Measure, Setup, Unit, Host, Place, Basis string
}

// CellValue is a reading on its way into a cell.
type CellValue struct {
	record.Reading
	Sitting string
	Extreme bool // void for being extreme: it tells of the repeatability alone
	Doubted bool // in open serious doubt: it tells nothing of the repeatability
	Limiter record.LimiterLabel
}

// CellReadings lists the readings of a cell that count, and those that tell of the repeatability alone, in order of
// their runs' start.
func (q Queries) CellReadings(ctx context.Context, k CellKey) ([]CellValue, error) {
	test, measure := method.Split(k.Measure)
	return list(ctx, q, func(r row, v *CellValue) error {
		return r.Scan(&v.Measure, &v.State, &v.Value, &v.Low, &v.High, &v.Extreme, &v.Sitting, &v.Limiter, &v.Doubted)
	}, `select r.measure, iif(now.extreme, r.state, coalesce(now.state, r.state)),
		coalesce(now.value, r.value), iif(now.run is null, r.low, now.low), iif(now.run is null,
		r.high, now.high), coalesce(now.extreme, 0),
		run.sitting, coalesce(json_extract(run.course, '$.limiter.label'), ''),
		exists (select 1 from doubt_run join doubt on doubt.id = doubt_run.doubt where doubt_run.run = run.id
			and doubt.state = `+wordOpen+` and doubt.severity = `+wordSerious+` and doubt.measure in ('', r.measure))
		from run join reading r on r.run = run.id left join reading_now now on now.run = r.run and now.measure = r.measure
		where run.subject = ? and run.test = ? and run.setup = ? and run.host = ? and run.place = ?
		and run.basis = ? and run.outcome = `+wordDone+`
		and r.measure = ? and (coalesce(now.state, r.state) in `+counting+` or now.extreme = 1
		and r.state = `+wordOK+`) order by run.started, run.repeat, run.id`,
		k.Unit, test, k.Setup, k.Host, k.Place, k.Basis, measure)
}

// Estimate is a stored cell with what it rests on.
type Estimate struct {
	CellKey
	Variant           string
	Cell              stats.Cell
	Conditions        map[string]string
	TestVersion       int
	Simulated         bool
	BestLow, BestHigh float64             // smallest and largest single reading
	Limiter           record.LimiterLabel // what held most of its runs back; "" where that is not known
	Updated           time.Time
}

// cellParts are a cell's columns with the place of its conditions.
func cellParts(e *Estimate, conditions any) []part {
	return []part{{"measure", &e.Measure}, {"setup", &e.Setup}, {"unit", &e.Unit}, {"host", &e.Host}, {"place", &e.Place},
		{"basis", &e.Basis}, {"variant", &e.Variant}, {"cell", into(&e.Cell)}, {"conditions", conditions},
		{"test_version", &e.TestVersion}, {"simulated", &e.Simulated}, {"best_low", &e.BestLow},
		{"best_high", &e.BestHigh}, {"limiter", &e.Limiter}}
}

var estimates = table[Estimate]{name: "estimate", key: []string{"measure", "setup", "unit", "host", "place", "basis"},
	kept: []string{"variant", "test_version"}, parts: func(e *Estimate) []part {
		return append(cellParts(e, into(&e.Conditions)), part{"updated", moment{&e.Updated}})
	}}

// written is a cell whose conditions stay as they are written down.
type written struct {
	Estimate
	text string
}

var columns = table[written]{name: "estimate", parts: func(w *written) []part {
	return cellParts(&w.Estimate,
		&w.text)
}}

// PutEstimate adds or replaces a cell.
func (q Queries) PutEstimate(ctx context.Context, e Estimate) error { return estimates.put(ctx, q, &e) }

// DropEstimate removes a cell that no reading counts for any more.
func (q Queries) DropEstimate(ctx context.Context, k CellKey) error {
	return q.exec(ctx, `delete from estimate where measure=? and setup=? and unit=? and host=? and place=? and basis=?`,
		k.Measure, k.Setup, k.Unit, k.Host, k.Place, k.Basis)
}

// Column hands over every cell of a measure. Its conditions come as they are written down: most cells share theirs with
// others, and who reads all need not read them again and again.
func (q Queries) Column(ctx context.Context, measure string, tell func(e Estimate, conditions string)) error {
	rows, err := q.db.QueryContext(ctx, columns.selecting()+`where measure = ? order by variant`, measure)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var w written
		if err := columns.scan(rows, &w); err != nil {
			return err
		}
		tell(w.Estimate, w.text)
	}
	return rows.Err()
}

// MeasuresRead lists the measures that have cells.
func (q Queries) MeasuresRead(ctx context.Context) ([]string, error) {
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select distinct measure from estimate order by measure`)
}

// Conditions reads conditions as they are written down.
func Conditions(text string) map[string]string {
	out := map[string]string{}
	_ = json.Unmarshal([]byte(text), &out) // what the database holds was written by Text
	return out
}

// Text is how conditions are written down.
func Text(conditions map[string]string) string { return JSON(conditions) }

// Estimates lists every cell.
func (q Queries) Estimates(ctx context.Context) ([]Estimate, error) {
	return estimates.list(ctx, q, `order by measure, setup, variant, unit, host, place, basis`)
}

// ProofRuns lists the done runs of a cell, the newest first, with what each read of a measure: its id and value.
func (q Queries) ProofRuns(ctx context.Context, k CellKey) (ids []string, values []float64, err error) {
	type proof struct {
		id    string
		value float64
	}
	test, measure, _ := strings.Cut(k.Measure, "/")
	got, err := list(ctx, q, func(r row, p *proof) error { return r.Scan(&p.id, &p.value) },
		`select run.id, coalesce(reading_now.value, reading.value)
		from run join reading on reading.run = run.id and reading.measure = ?
		left join reading_now on reading_now.run = run.id and reading_now.measure = reading.measure
		where run.subject = ? and run.test = ? and run.setup = ? and run.host = ? and run.place = ?
		and run.basis = ? and run.outcome = `+wordDone+`
		and coalesce(reading_now.state, reading.state) not in (`+wordVoid+`, `+wordMissing+`)
		order by run.started desc`, measure, k.Unit, test, k.Setup, k.Host, k.Place, k.Basis)
	for _, p := range got {
		ids, values = append(ids, p.id), append(values, p.value)
	}
	return ids, values, err
}

// Newest is a variant's newest done run in a host and at a place.
type Newest struct{ Variant, Host, Place, Run string }

// NewestRuns gives each variant's newest done run of a test under a setup, in each host and at each place.
func (q Queries) NewestRuns(ctx context.Context, test, setup string) (map[string][]Newest, error) {
	got, err := list(ctx, q, func(r row, n *Newest) error {
		var at string
		return r.Scan(&n.Variant, &n.Host, &n.Place, &n.Run, &at)
	}, `select unit.variant, run.host, run.place, run.id, max(run.started) from run join unit on unit.slug = run.subject
		where run.test = ? and run.setup = ? and run.outcome = `+wordDone+` group by unit.variant, run.host, run.place
		order by unit.variant, run.host, run.place`, test, setup)
	out := map[string][]Newest{}
	for _, n := range got {
		out[n.Variant] = append(out[n.Variant], n)
	}
	return out, err
}
