package results

import (
	"context"
	"log/slog"
	"slices"

	"durvek/core/record"
	"durvek/desk"
	"durvek/store"
)

// part is how many runs are written at once: others who write wait for no more.
const part = 250

// keep writes runs and returns those that were new. More than a part of them are written part by part; where that ends
// before all are in, by an error or a kill, those that came in are taken back, at once or at the next start.
func (d *Results) keep(ctx context.Context, runs []record.Run, with ...func(*desk.Tx) error) ([]arrived, error) {
	if len(runs) <= part {
		return d.write(ctx, runs, func(q *desk.Tx) error {
			for _, f := range with {
				if err := f(q); err != nil {
					return err
				}
			}
			return nil
		})
	}
	d.taking.Lock()
	defer d.taking.Unlock()
	fresh := slices.Clone(runs)
	fresh = slices.DeleteFunc(fresh, func(r record.Run) bool {
		_, err := d.desk.Store.Run(ctx, r.ID)
		return err == nil // it was there before, and stays
	})
	x := store.Intake{ID: desk.NewID(), Started: d.desk.Now()}
	for _, r := range fresh {
		x.Runs = append(x.Runs, r.ID)
	}
	var out []arrived
	for from := 0; from < len(fresh); from += part {
		some, err := d.write(ctx, fresh[from:min(from+part, len(fresh))], func(q *desk.Tx) error {
			switch {
			case from == 0 && from+part < len(fresh):
				return q.BeginIntake(ctx, x)
			case from > 0 && from+part >= len(fresh):
				return q.EndIntake(ctx, x.ID)
			}
			return nil
		})
		if err != nil {
			if back := d.takeBack(context.WithoutCancel(ctx), x); back != nil {
				slog.Error("what came in of a table could not be taken back; tried again at the next start", "error", back)
			}
			return nil, err
		}
		out = append(out, some...)
	}
	return out, nil
}

// takeBack removes the runs of what was not taken in whole.
func (d *Results) takeBack(ctx context.Context, x store.Intake) error {
	return d.desk.Write(ctx, func(q *desk.Tx) error {
		c := tally{tests: map[string]bool{}}
		cells := map[store.CellKey]touched{}
		for _, id := range x.Runs {
			r, err := q.Run(ctx, id)
			if there, err := desk.Found(err); err != nil {
				return err
			} else if !there {
				continue
			}
			t, err := q.Test(ctx, r.Test, r.TestVersion)
			if err != nil {
				return err
			}
			c.tests[r.Test] = true
			for _, reading := range r.Readings {
				m, ok := t.Measure(reading.Measure)
				if !ok {
					continue
				}
				e, err := d.cellOf(ctx, q, r, t, reading.Measure)
				if err != nil {
					return err
				}
				cells[e.CellKey] = touched{e, m}
			}
		}
		if err := q.DropRuns(ctx, x.Runs); err != nil {
			return err
		}
		for _, cell := range cells {
			if err := c.recount(ctx, q, cell.Estimate, cell.measure); err != nil {
				return err
			}
		}
		q.After(func() { c.put(d) })
		return q.EndIntake(ctx, x.ID)
	})
}

// takeBackLeft removes what was being taken in when the service ended.
func (d *Results) takeBackLeft(ctx context.Context) error {
	left, err := d.desk.Store.Intakes(ctx)
	if err != nil {
		return err
	}
	for _, x := range left {
		if err := d.takeBack(ctx, x); err != nil { // a desk opens with a part of a table sooner than not at all
			slog.Error("a table that was being taken in when the service ended could not be taken back; tried again at the "+
				"next start", "error", err)
			continue
		}
		slog.Warn("a table that was being taken in when the service ended was taken back; take it in again", "runs",
			len(x.Runs))
	}
	return nil
}
