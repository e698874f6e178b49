package store

import (
	"context"
	"strings"

	"durvek/core/record"
)

// mostValues bounds the values of one statement; the database takes some 30,000.
const mostValues = 2000

// insert adds many rows by few statements.
func (q Queries) insert(ctx context.Context, into string, rows [][]any) error {
	for len(rows) > 0 {
		n := min(len(rows), max(1, mostValues/len(rows[0])))
		one := "(?" + strings.Repeat(",?", len(rows[0])-1) + ")"
		var values []any
		for _, r := range rows[:n] {
			values = append(values, r...)
		}
		if err := q.exec(ctx, "insert into "+into+" values "+one+strings.Repeat(","+one, n-1), values...); err != nil {
			return err
		}
		rows = rows[n:]
	}
	return nil
}

// AddCells writes new cells of one basis with the runs behind them, which count as examined: it serves data that are made up in large amounts.
func (q Queries) AddCells(ctx context.Context, runs []record.Run, basis string, es []Estimate) error {
	var rows, readings, cells [][]any
	for _, r := range runs {
		rows = append(rows, []any{r.ID, r.Test, r.TestVersion, r.Subject, r.Setup, r.Sitting, r.Repeat, stamp(r.Started), stamp(r.Ended), r.Outcome, r.Source, r.Simulated, text(r.Observed), basis, "[]"})
		for _, x := range r.Readings {
			readings = append(readings, []any{r.ID, x.Measure, string(x.State), x.Value})
		}
	}
	for _, e := range es {
		cells = append(cells, []any{e.Measure, e.Setup, e.Unit, e.Host, e.Place, basis, e.Variant, text(e.Cell), text(e.Conditions), e.TestVersion, e.Simulated, e.BestLow, e.BestHigh, stamp(e.Updated), e.Limiter})
	}
	if err := q.insert(ctx, `run (id, test, test_version, subject, setup, sitting, repeat, started, ended, outcome, source, simulated, observed, basis, marks)`, rows); err != nil {
		return err
	}
	if err := q.insert(ctx, `reading (run, measure, state, value)`, readings); err != nil {
		return err
	}
	return q.insert(ctx, `estimate (measure, setup, unit, host, place, basis, variant, cell, conditions, test_version, simulated, best_low, best_high, updated, limiter)`, cells)
}
