package results

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"github.com/google/uuid"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
	"durvek/trace"
)

// AddRun records a run that an agent sends. Sending it again changes nothing and is no error; fresh
// tells which it was. A run that does not fit its plan is refused.
func (d *Results) AddRun(ctx context.Context, r record.Run) (fresh bool, err error) {
	if _, err := uuid.Parse(r.ID); err != nil {
		return false, desk.Refuse(desk.Invalid, "run id %q is not a UUID", r.ID)
	}
	p, err := d.desk.Store.Plan(ctx, r.Plan)
	if err != nil {
		return false, desk.Missing(err, "plan", r.Plan)
	}
	if r.Step < 0 || r.Step >= len(p.Steps) || p.Steps[r.Step].Test != r.Test || r.Repeat < 0 ||
		r.Repeat >= p.Steps[r.Step].Repeats {
		return false, desk.Refuse(desk.Invalid, "run of %q is not step %d, repeat %d, of its plan", r.Test, r.Step+1,
			r.Repeat+1)
	}
	s, err := d.desk.Store.Sitting(ctx, r.Sitting)
	if known, err := desk.Found(err); err != nil {
		return false, err
	} else if !known || s.Unit != p.Unit {
		return false, desk.Refuse(desk.Invalid, "sitting %q is not one of unit %q", r.Sitting, p.Unit)
	}
	if r.Ended.Before(r.Started) || r.Started.After(d.desk.Now().Add(desk.FarOff)) {
		return false, desk.Refuse(desk.Invalid, "run of %q lasts from %s to %s by its machine's clock, which cannot be",
			r.Test, r.Started.UTC().Format(time.RFC3339), r.Ended.UTC().Format(time.RFC3339))
	}
	d.bench.Heard(ctx, p.ID)
	r.Subject, r.Host, r.Place, r.Setup, r.Source = p.Unit, p.Host, p.Place, p.SetupOf(r.Step), record.FromAgent
	r.By, r.Simulated = p.Agent, s.Machine.Simulated
	fresh, err = d.record(ctx, []record.Run{r})
	return fresh, err
}

// record writes runs, all of them or none, with what else is to be written with a few of them, then asks the rules. It
// returns whether any run was new.
func (d *Results) record(ctx context.Context, runs []record.Run, with ...func(*desk.Tx) error) (bool, error) {
	fresh, err := d.keep(ctx, runs, with...)
	if err != nil {
		return false, err
	}
	for _, a := range fresh {
		if r := a.run; r.Plan != "" && r.Outcome == record.Done {
			d.bench.Took(r.Test, r.Subject, r.Ended.Sub(r.Started).Seconds())
		}
	}
	if len(fresh) > 0 {
		if err := d.examine(ctx, fresh); err != nil { // the runs are safe; what was not examined is at the next start
			slog.Error("the rules could not be asked", "run", fresh[0].run.ID, "error", err)
		}
		last := runs[len(runs)-1]
		d.desk.Events.Send(desk.Event{Name: "run", Data: map[string]string{"run": last.ID, "plan": last.Plan,
			"subject": last.Subject, "test": last.Test}})
	}
	return len(fresh) > 0, nil
}

// write writes runs and brings their cells' estimates up to date in one transaction, with whatever more is to be
// written in it. It returns those that were new.
func (d *Results) write(ctx context.Context, runs []record.Run, more func(*desk.Tx) error) (fresh []arrived,
	err error) {
	return fresh, d.desk.Write(ctx, func(q *desk.Tx) error {
		if err := more(q); err != nil {
			return err
		}
		fresh = nil
		var changed []store.Estimate
		tests := map[string]bool{}
		cells := map[store.CellKey]touched{}
		for _, r := range runs {
			a, err := d.recordOne(ctx, q, r, cells)
			if err != nil {
				return err
			}
			if a != nil {
				fresh = append(fresh, *a)
				tests[r.Test] = true
			}
		}
		for _, c := range cells { // once each, however many of the runs they hold
			if kept, err := recount(ctx, q, &c.Estimate, c.measure); err != nil {
				return err
			} else if kept {
				changed = append(changed, c.Estimate)
			}
		}
		q.After(func() {
			d.changes.Add(1)
			d.figures.Put(changed, nil, desk.SortedKeys(tests)...)
		})
		return nil
	})
}

// touched is a cell that runs came into.
type touched struct {
	store.Estimate
	measure method.Measure
}

// recordOne writes one run and adds its cells to those that are to be recounted; nil where the run is there already.
func (d *Results) recordOne(ctx context.Context, q *desk.Tx, r record.Run, cells map[store.CellKey]touched) (*arrived,
	error) {
	t, err := q.Test(ctx, r.Test, r.TestVersion)
	if err != nil {
		return nil, desk.Missing(err, "test", fmt.Sprintf("%s version %d", r.Test, r.TestVersion))
	}
	setup, err := q.Setup(ctx, r.Setup)
	if err != nil {
		return nil, desk.Missing(err, "setup", r.Setup)
	}
	u, err := q.Unit(ctx, r.Subject)
	if err != nil {
		return nil, desk.Missing(err, "unit", r.Subject)
	}
	if t.Analysis == "rundown" {
		v, err := q.Variant(ctx, u.Variant)
		if err != nil {
			return nil, err
		}
		fullEnergy(&r, v.Spec)
	}
	if err := settle(t, &r); err != nil {
		return nil, err
	}
	if r.Plan != "" {
		other, err := q.JobRun(ctx, r.Plan, r.Step, r.Repeat)
		if known, err := desk.Found(err); err != nil {
			return nil, err
		} else if known && other != r.ID {
			return nil, desk.Refuse(desk.Conflict, "repeat %d of %q has a run already, from another agent", r.Repeat+1,
				r.Test)
		}
	}
	sensed, err := trace.Unpack(r.Trace)
	if err != nil {
		return nil, desk.Refuse(desk.Invalid, "run of %q refused: %v", r.Test, err)
	}
	if r.Outcome == record.Done && (len(sensed.Times) > 0 || len(r.Negotiated) > 0) {
		var ok bool
		if r.Course.Limiter, ok = analyse.Crowded(r.Observed); !ok {
			r.Course.Limiter = analyse.Limiter(sensed, r.Negotiated, t.Group)
		}
	}
	conditions := trust.Effective(setup.Conditions, r.Observed)
	basis := trust.BasisKey(t, conditions)
	isNew, err := q.AddRun(ctx, r, basis)
	if err != nil || !isNew {
		return nil, err
	}
	if err := q.PutTrace(ctx, r.ID, sensed); err != nil {
		return nil, err
	}
	for _, x := range r.Readings {
		e := store.Estimate{CellKey: store.CellKey{Measure: method.ID(r.Test, x.Measure), Setup: r.Setup, Unit: r.Subject,
			Host: r.Host, Place: r.Place, Basis: basis},
			Variant: u.Variant, Conditions: conditions, TestVersion: r.TestVersion, Simulated: r.Simulated,
			Updated: d.desk.Now()}
		m, _ := t.Measure(x.Measure)
		cells[e.CellKey] = touched{e, m}
	}
	return &arrived{r, sensed}, nil
}

// settle makes a run's figures and brings its readings to their measures' units and states; a run that its test cannot
// have is refused.
func settle(t method.Test, r *record.Run) error {
	if err := analyse.Figures(t, r); err != nil {
		return desk.Refuse(desk.Invalid, "run of %q refused: %v", r.Test, err)
	}
	for i, x := range r.Readings {
		m, ok := t.Measure(x.Measure)
		if !ok {
			return desk.Refuse(desk.Invalid, "test %q has no measure %q", r.Test, x.Measure)
		}
		x = x.Settle(m)
		if why := x.Check(m); why != "" {
			return desk.Refuse(desk.Invalid, "run of %q refused: %s", r.Test, why)
		}
		r.Readings[i] = x
	}
	return nil
}

// recount makes a cell anew from its readings and keeps it; false if none counts.
func recount(ctx context.Context, q *desk.Tx, e *store.Estimate, m method.Measure) (bool, error) {
	readings, err := q.CellReadings(ctx, e.CellKey)
	if err != nil {
		return false, err
	}
	values := make([]stats.Value, len(readings))
	limiters := map[record.LimiterLabel]int{}
	counting := 0
	for i, r := range readings {
		values[i] = stats.Value{X: r.Value, HalfWidth: r.HalfWidth(), Sitting: r.Sitting, Bound: r.State.Bound(),
			Extreme: r.Extreme, Doubted: r.Doubted}
		if r.Extreme {
			continue
		}
		if counting == 0 {
			e.BestLow, e.BestHigh = r.Value, r.Value
		}
		e.BestLow, e.BestHigh = min(e.BestLow, r.Value), max(e.BestHigh, r.Value)
		limiters[r.Limiter]++
		counting++
	}
	if counting == 0 {
		return false, q.DropEstimate(ctx, e.CellKey)
	}
	e.Limiter = ""
	for l, n := range limiters {
		if 2*n > counting && l != record.ByUnknown {
			e.Limiter = l
		}
	}
	e.Cell = stats.NewCell(values, m.Scale.Logarithmic())
	return true, q.PutEstimate(ctx, *e)
}
