package store

import (
	"context"

	"durvek/core/record"
)

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
	}, `with failing as (select distinct unit.variant from run join unit on unit.slug = run.subject
		where run.test = ? and run.setup = ? and run.outcome <> `+wordDone+`)
		select unit.variant, run.test, run.setup, sum(run.outcome in (`+wordFailed+`,
		`+wordParked+`)), sum(run.outcome = `+wordNotRun+`), count(*), coalesce(max(iif(run.outcome = `+wordNotRun+`,
		run.failure, null)), '')
		from failing join unit on unit.variant = failing.variant join run on run.test = ? and run.setup = ?
		and run.subject = unit.slug group by unit.variant`, test, setup, test, setup)
}

// Lost is a reading that gives no figure: void, or missing from its run, with what was said of it.
type Lost struct {
	Variant string
	State   record.State
	Reason  string
}

// Lost lists the void and missing readings of a measure under a setup, the oldest run first. They are few: the cross
// join has them come first, and no run of the test is looked at beside theirs.
func (q Queries) Lost(ctx context.Context, test, measure, setup string) ([]Lost, error) {
	return list(ctx, q, func(r row, l *Lost) error { return r.Scan(&l.Variant, &l.State, &l.Reason) }, selectLost, measure,
		test, setup)
}

const selectLost = `select unit.variant, lost.state, lost.reason from (
		select run, state, reason from reading_now where measure = ?1 and state = ` + wordVoid + `
		union all select run, state, reason from reading where measure = ?1 and state = ` + wordMissing + `
		and not exists (select 1 from reading_now n where n.run = reading.run and n.measure = ?1)) lost
		cross join run on run.id = lost.run join unit on unit.slug = run.subject
		where run.test = ?2 and run.setup = ?3 order by run.started, run.repeat, run.id`

// RunsOfCell lists the done runs of a cell, the oldest first.
func (q Queries) RunsOfCell(ctx context.Context, test string, k CellKey) ([]string, error) {
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select id from run where subject = ? and test = ? and setup = ? and host = ? and place = ? and basis = ?
		and outcome = `+wordDone+` order by started, repeat, id`, k.Unit, test, k.Setup, k.Host, k.Place, k.Basis)
}

// RunsUnder lists the done runs of a unit under a setup, the oldest first.
func (q Queries) RunsUnder(ctx context.Context, unit, setup string) ([]string, error) {
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select id from run where subject = ? and setup = ? and outcome = `+wordDone+` order by started, repeat, id`, unit,
		setup)
}

// TestsOf lists the tests that runs are of.
func (q Queries) TestsOf(ctx context.Context, runs []string) ([]string, error) {
	return list(ctx, q, func(r row, s *string) error { return r.Scan(s) },
		`select distinct test from run where id in (select value from json_each(?)) order by test`, JSON(runs))
}
