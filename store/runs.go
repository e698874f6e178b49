package store

import (
	"context"

	"durvek/core/record"
)

// RunFilter narrows a list of runs; empty fields do not.
type RunFilter struct {
	Subject, Test, Setup, Plan string
	Outcome                    record.Ending
	Source                     record.Source
	State                      string // doubted, void or changed, as api.RunsAsked says
	From, Until                string // days, YYYY-MM-DD, both included
	Text                       string // part of unit, test, firmware or any other observed condition
	After                      string // the id of the run that the list goes on behind
	Offset, Limit              int
}

// where is the filter as a condition.
func (f RunFilter) where() (string, []any) {
	where, args := `where 1`, []any{}
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
	add(f.Text, `(instr(lower(subject), lower(?)) or instr(lower(test), lower(?))
		or instr(lower(observed), lower(?)) or instr(lower(negotiated), lower(?)))`, 4)
	switch f.State {
	case "doubted":
		where += ` and id in (select doubt_run.run from doubt_run join doubt on doubt.id = doubt_run.doubt
		where doubt.state = ` + wordOpen + `)`
	case "void":
		where += ` and id in (select run from reading_now where state = ` + wordVoid + `)`
	case "changed":
		where += ` and id in (select run from reading_now where state <> ` + wordVoid + `)`
	}
	return where, args
}

// Runs lists runs without their series, the newest first, and tells how many there are in all.
func (q Queries) Runs(ctx context.Context, f RunFilter) ([]record.Run, int, error) {
	where, args := f.where()
	total, err := q.count(ctx, `select count(*) from run `+where, args...)
	if err != nil {
		return nil, 0, err
	}
	if f.After != "" {
		from, err := q.Run(ctx, f.After)
		if err != nil {
			return nil, 0, err
		}
		where, args = where+` and (started, id) < (?, ?)`, append(args, Stamp(from.Started), from.ID)
	}
	out, err := runs.list(ctx, q, where+` order by started desc, id desc limit ? offset ?`, append(args, f.Limit,
		f.Offset)...)
	return out, total, err
}
