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
	return q.exec(ctx, `insert into test (slug, version, origin, definition, added) values (?,?,?,?,?)
		on conflict (slug, version) do update set definition=excluded.definition, origin=excluded.origin`, t.Slug, t.Version, t.Origin, JSON(t), Stamp(at))
}

func scanTest(r row, t *method.Test) error { return r.Scan(into(t)) }

// Tests lists the newest version of every test.
func (q Queries) Tests(ctx context.Context) ([]method.Test, error) {
	return list(ctx, q, scanTest, `select definition from test t where version = (select max(version) from test where slug = t.slug) order by origin desc, slug`)
}

// Test finds a version of a test; 0 means the newest.
func (q Queries) Test(ctx context.Context, slug string, version int) (method.Test, error) {
	return one(ctx, q, scanTest, `select definition from test where slug = ? and ? in (0, version) order by version desc limit 1`, slug, version)
}

// PutSetup adds or replaces a setup.
func (q Queries) PutSetup(ctx context.Context, s method.Setup) error {
	return q.exec(ctx, `insert into setup (slug, name, raised, conditions, hands) values (?,?,?,?,?)
		on conflict (slug) do update set name=excluded.name, raised=excluded.raised, conditions=excluded.conditions, hands=excluded.hands`, s.Slug, s.Name, s.Raised, JSON(s.Conditions), s.Hands)
}

func scanSetup(r row, s *method.Setup) error {
	return r.Scan(&s.Slug, &s.Name, &s.Raised, into(&s.Conditions), &s.Hands)
}

// Setups lists all setups, default modes first.
func (q Queries) Setups(ctx context.Context) ([]method.Setup, error) {
	return list(ctx, q, scanSetup, `select slug, name, raised, conditions, hands from setup order by raised, slug`)
}

// Setup finds one setup.
func (q Queries) Setup(ctx context.Context, slug string) (method.Setup, error) {
	return one(ctx, q, scanSetup, `select slug, name, raised, conditions, hands from setup where slug = ?`, slug)
}

const planColumns = `id, unit, host, place, setup, name, steps, state, agent, created, terms`

func scanPlan(r row, p *method.Plan) error {
	return r.Scan(&p.ID, &p.Unit, &p.Host, &p.Place, &p.Setup, &p.Name, into(&p.Steps), &p.State, &p.Agent, &p.Created,
		into(&p.Terms))
}

// PutPlan adds or replaces a plan.
func (q Queries) PutPlan(ctx context.Context, p method.Plan) error {
	return q.exec(ctx, `insert into plan (`+planColumns+`) values (?,?,?,?,?,?,?,?,?,?,?)
		on conflict (id) do update set state=excluded.state, agent=excluded.agent, steps=excluded.steps`,
		p.ID, p.Unit, p.Host, p.Place, p.Setup, p.Name, JSON(p.Steps), p.State, p.Agent, p.Created, JSON(p.Terms))
}

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
	return list(ctx, q, scanPlan, `select `+planColumns+` from plan where state in ('running', 'silent')`)
}

// RunLengths tells what the latest runs of plans took, the oldest of them first.
func (q Queries) RunLengths(ctx context.Context, most int, tell func(test, unit string, seconds float64)) error {
	type length struct {
		test, unit string
		seconds    float64
	}
	latest, err := list(ctx, q, func(r row, x *length) error { return r.Scan(&x.test, &x.unit, &x.seconds) },
		`select test, subject, (julianday(ended) - julianday(started)) * 86400.0 from run indexed by run_planned where outcome = 'done' and plan is not null order by started desc limit ?`, most)
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
		`select plan, count(*), sum(marks not in ('[]', 'null')) from run where plan in (select value from json_each(?)) group by plan`, JSON(plans))
	out := map[string]PlanCount{}
	for _, c := range rows {
		out[c.plan] = c.PlanCount
	}
	return out, err
}

// Plans lists plans, the newest first.
func (q Queries) Plans(ctx context.Context) ([]method.Plan, error) {
	return list(ctx, q, scanPlan, `select `+planColumns+` from plan order by id desc`)
}

// Plan finds one plan.
func (q Queries) Plan(ctx context.Context, id string) (method.Plan, error) {
	return one(ctx, q, scanPlan, `select `+planColumns+` from plan where id = ?`, id)
}

// PutSitting adds a sitting if its unit has none for that boot, and returns the one that stands.
func (q Queries) PutSitting(ctx context.Context, s record.Sitting) (record.Sitting, error) {
	if err := q.exec(ctx, `insert into sitting (id, unit, boot, started, machine) values (?,?,?,?,?) on conflict (unit, boot) do nothing`,
		s.ID, s.Unit, s.Boot, Stamp(s.Started), JSON(s.Machine)); err != nil {
		return s, err
	}
	return one(ctx, q, scanSitting, `select id, unit, boot, started, machine from sitting where unit = ? and boot = ?`,
		s.Unit, s.Boot)
}

func scanSitting(r row, s *record.Sitting) error {
	return r.Scan(&s.ID, &s.Unit, &s.Boot, moment{&s.Started}, into(&s.Machine))
}

// Sitting finds one sitting.
func (q Queries) Sitting(ctx context.Context, id string) (record.Sitting, error) {
	return one(ctx, q, scanSitting, `select id, unit, boot, started, machine from sitting where id = ?`, id)
}

// AddRun writes a run with its readings and series. It returns false, and changes nothing, if a run
// of that id is there already.
func (q Queries) AddRun(ctx context.Context, r record.Run, basis string) (bool, error) {
	fresh, err := q.changed(ctx, `insert into run (id, test, test_version, subject, host, place, setup, sitting, plan, step, repeat, started, ended,
		outcome, failure, source, simulated, by_whom, observed, negotiated, basis, options, marks, course, examined) values (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,0) on conflict (id) do nothing`,
		r.ID, r.Test, r.TestVersion, r.Subject, r.Host, r.Place, r.Setup, r.Sitting, nullable(r.Plan), r.Step, r.Repeat,
		Stamp(r.Started), Stamp(r.Ended),
		r.Outcome, r.Failure, r.Source, r.Simulated, r.By, JSON(r.Observed), JSON(r.Negotiated), basis, JSON(r.Options),
		JSON(r.Marks), JSON(r.Course))
	if err != nil || !fresh {
		return false, err
	}
	for _, x := range r.Readings {
		if err := q.exec(ctx, `insert into reading (run, measure, state, value, low, high, reason) values (?,?,?,?,?,?,?)`,
			r.ID, x.Measure, string(x.State), x.Value, x.Low, x.High, x.Reason); err != nil {
			return false, err
		}
	}
	for _, s := range r.Series {
		if err := q.addSeries(ctx, r.ID, s); err != nil {
			return false, err
		}
	}
	return true, nil
}

// chunkLength is how many samples one stored chunk of a series holds.
const chunkLength = 600

var (
	encoder, _ = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	decoder, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1))
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
		if err := q.exec(ctx, `insert into series (run, channel, chunk, unit, axis, along, count, data) values (?,?,?,?,?,?,?,?)`,
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

const runColumns = `id, test, test_version, subject, host, place, setup, sitting, coalesce(plan, ''), step, repeat, started, ended, outcome, failure,
	source, simulated, by_whom, observed, negotiated, options, marks, course,
	(select json_group_array(json_object('measure', r.measure, 'state', coalesce(now.state, r.state), 'value', coalesce(now.value, r.value), 'low', iif(now.run is null, r.low, now.low), 'high', iif(now.run is null, r.high, now.high),
		'reason', coalesce(now.reason, r.reason))) from reading r left join reading_now now on now.run = r.run and now.measure = r.measure where r.run = run.id),
	(select count(*) from doubt_run join doubt on doubt.id = doubt_run.doubt and doubt.state = 'open' where doubt_run.run = run.id)`

func scanRun(r row, x *record.Run) error {
	return r.Scan(&x.ID, &x.Test, &x.TestVersion, &x.Subject, &x.Host, &x.Place, &x.Setup, &x.Sitting, &x.Plan, &x.Step,
		&x.Repeat,
		moment{&x.Started}, moment{&x.Ended}, &x.Outcome, &x.Failure, &x.Source, &x.Simulated, &x.By, into(&x.Observed),
		into(&x.Negotiated), into(&x.Options), into(&x.Marks), into(&x.Course), into(&x.Readings), &x.Doubts)
}

// RunFilter narrows a list of runs; empty fields do not.
type RunFilter struct {
	Subject, Test, Setup, Plan string
	Outcome                    record.Ending
	Source                     record.Source
	State                      string // doubted: under an open doubt; void: with a reading that no longer counts; changed: with one that was corrected
	From, Until                string // days, YYYY-MM-DD, both included
	Text                       string // part of unit, test, firmware or any other observed condition
	Offset, Limit              int
}

// where is the filter as a condition, from the table on.
func (f RunFilter) where() (string, []any) {
	where, args := ` from run where 1`, []any{}
	add := func(value, condition string, times int) {
		if value != "" {
			where += " and " + condition
			for range times {
				args = append(args, value)
			}
		}
	}
	add(f.Subject, `subject = ?`, 1)
	add(f.Test, `test = ?`, 1)
	add(f.Setup, `setup = ?`, 1)
	add(f.Plan, `plan = ?`, 1)
	add(string(f.Outcome), `outcome = ?`, 1)
	add(string(f.Source), `source = ?`, 1)
	add(f.From, `started >= ?`, 1)
	add(f.Until, `started < date(?, '+1 day')`, 1)
	add(f.Text, `(instr(lower(subject), lower(?)) or instr(lower(test), lower(?)) or instr(lower(observed), lower(?)) or instr(lower(negotiated), lower(?)))`, 4)
	switch f.State {
	case "doubted":
		where += ` and id in (select doubt_run.run from doubt_run join doubt on doubt.id = doubt_run.doubt where doubt.state = 'open')`
	case "void":
		where += ` and id in (select run from reading_now where state = 'void')`
	case "changed":
		where += ` and id in (select run from reading_now where state <> 'void')`
	}
	return where, args
}

// Runs lists runs without their series, the newest first, and tells how many there are in all.
func (q Queries) Runs(ctx context.Context, f RunFilter) ([]record.Run, int, error) {
	where, args := f.where()
	total, err := one(ctx, q, func(r row, n *int) error { return r.Scan(n) }, `select count(*)`+where, args...)
	if err != nil {
		return nil, 0, err
	}
	runs, err := list(ctx, q, scanRun, `select `+runColumns+where+` order by started desc, id desc limit ? offset ?`,
		append(args, f.Limit, f.Offset)...)
	return runs, total, err
}

// Run finds one run, without its series.
func (q Queries) Run(ctx context.Context, id string) (record.Run, error) {
	return one(ctx, q, scanRun, `select `+runColumns+` from run where id = ?`, id)
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
	Limiter record.LimiterLabel
}

// CellReadings lists the readings of a cell that count, and those that tell of the repeatability alone, in order of
// their runs' start.
func (q Queries) CellReadings(ctx context.Context, k CellKey) ([]CellValue, error) {
	test, measure := method.Split(k.Measure)
	return list(ctx, q, func(r row, v *CellValue) error {
		return r.Scan(&v.Measure, &v.State, &v.Value, &v.Low, &v.High, &v.Extreme, &v.Sitting, &v.Limiter)
	}, `select r.measure, iif(now.extreme, r.state, coalesce(now.state, r.state)), coalesce(now.value, r.value), iif(now.run is null, r.low, now.low), iif(now.run is null, r.high, now.high), coalesce(now.extreme, 0),
		run.sitting, coalesce(json_extract(run.course, '$.limiter.label'), '')
		from run join reading r on r.run = run.id left join reading_now now on now.run = r.run and now.measure = r.measure
		where run.subject = ? and run.test = ? and run.setup = ? and run.host = ? and run.place = ? and run.basis = ? and run.outcome = 'done'
		and r.measure = ? and (coalesce(now.state, r.state) in ('ok', 'at-ceiling', 'beyond-limit') or now.extreme = 1 and r.state = 'ok') order by run.started, run.id`,
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

// PutEstimate adds or replaces a cell.
func (q Queries) PutEstimate(ctx context.Context, e Estimate) error {
	return q.exec(ctx, `insert into estimate (measure, setup, unit, host, place, basis, variant, cell, conditions, test_version, simulated, best_low, best_high, updated, limiter)
		values (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?) on conflict (measure, setup, unit, host, place, basis) do update set cell=excluded.cell,
		conditions=excluded.conditions, limiter=excluded.limiter, simulated=excluded.simulated, best_low=excluded.best_low, best_high=excluded.best_high, updated=excluded.updated`,
		e.Measure, e.Setup, e.Unit, e.Host, e.Place, e.Basis, e.Variant, JSON(e.Cell), JSON(e.Conditions), e.TestVersion,
		e.Simulated, e.BestLow, e.BestHigh, Stamp(e.Updated), e.Limiter)
}

// DropEstimate removes a cell that no reading counts for any more.
func (q Queries) DropEstimate(ctx context.Context, k CellKey) error {
	return q.exec(ctx, `delete from estimate where measure=? and setup=? and unit=? and host=? and place=? and basis=?`,
		k.Measure, k.Setup, k.Unit, k.Host, k.Place, k.Basis)
}

// Column hands over every cell of a measure. Its conditions come as they are written down: most cells share theirs with
// others, and who reads all need not read them again and again.
func (q Queries) Column(ctx context.Context, measure string, tell func(e Estimate, conditions string)) error {
	rows, err := q.db.QueryContext(ctx,
		`select setup, unit, host, place, basis, variant, cell, conditions, test_version, simulated, best_low, best_high, limiter from estimate
		where measure = ? order by variant`, measure)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		e := Estimate{CellKey: CellKey{Measure: measure}}
		var conditions string
		if err := rows.Scan(&e.Setup, &e.Unit, &e.Host, &e.Place, &e.Basis, &e.Variant, into(&e.Cell), &conditions,
			&e.TestVersion, &e.Simulated, &e.BestLow, &e.BestHigh, &e.Limiter); err != nil {
			return err
		}
		tell(e, conditions)
	}
	return rows.Err()
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
	return list(ctx, q, func(r row, e *Estimate) error {
		return r.Scan(&e.Measure, &e.Setup, &e.Unit, &e.Host, &e.Place, &e.Basis, &e.Variant, into(&e.Cell),
			into(&e.Conditions), &e.TestVersion,
			&e.Simulated, &e.BestLow, &e.BestHigh, moment{&e.Updated}, &e.Limiter)
	}, `select measure, setup, unit, host, place, basis, variant, cell, conditions, test_version, simulated, best_low, best_high, updated, limiter from estimate
		order by measure, setup, variant, unit, host, place, basis`)
}

// Failure tells how often a test failed or could not be run on a variant under a setup, how often it was
// asked for, and the last reason why it could not.
type Failure struct {
	Variant, Test, Setup string
	Failed, NotRun, Runs int
	Why                  string
}

// Failures counts runs without figures per variant for a test under a setup.
func (q Queries) Failures(ctx context.Context, test, setup string) ([]Failure, error) {
	return list(ctx, q, func(r row, f *Failure) error {
		return r.Scan(&f.Variant, &f.Test, &f.Setup, &f.Failed, &f.NotRun, &f.Runs, &f.Why)
	}, `with failing as (select distinct unit.variant from run join unit on unit.slug = run.subject where run.test = ? and run.setup = ? and run.outcome <> 'done')
		select unit.variant, run.test, run.setup, sum(run.outcome in ('failed', 'parked')), sum(run.outcome = 'not-run'), count(*), coalesce(max(iif(run.outcome = 'not-run', run.failure, null)), '')
		from failing join unit on unit.variant = failing.variant join run on run.test = ? and run.setup = ? and run.subject = unit.slug group by unit.variant`, test, setup, test, setup)
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
		from run join reading on reading.run = run.id and reading.measure = ? left join reading_now on reading_now.run = run.id and reading_now.measure = reading.measure
		where run.subject = ? and run.test = ? and run.setup = ? and run.host = ? and run.place = ? and run.basis = ? and run.outcome = 'done'
		and coalesce(reading_now.state, reading.state) not in ('void', 'missing') order by run.started desc`, measure, k.Unit, test, k.Setup, k.Host, k.Place, k.Basis)
	for _, p := range got {
		ids, values = append(ids, p.id), append(values, p.value)
	}
	return ids, values, err
}

// NewestRuns gives each variant's newest done run of a test under a setup.
func (q Queries) NewestRuns(ctx context.Context, test, setup string) (map[string]string, error) {
	type newest struct{ variant, run string }
	got, err := list(ctx, q, func(r row, n *newest) error { var at string; return r.Scan(&n.variant, &n.run, &at) },
		`select unit.variant, run.id, max(run.started) from run join unit on unit.slug = run.subject where run.test = ? and run.setup = ? and run.outcome = 'done' group by unit.variant`, test, setup)
	out := map[string]string{}
	for _, n := range got {
		out[n.variant] = n.run
	}
	return out, err
}
