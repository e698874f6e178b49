package results

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// edit is one change of a run's readings; measure "" means all of them.
type edit struct {
	kind    string // void, restore, correct, merge, or remake of what a file gives
	run     string
	measure string
	to      record.Reading // for correct and remake
	reason  string
	cause   string
	doubt   string
	other   string
	only    string // restore only what this doubt took out
	extreme bool
}

// edit changes readings, brings their cells up to date, and does what comes with it, all in one transaction. What
// stood before is kept.
func (d *Results) edit(ctx context.Context, edits []edit, by string, with func(*desk.Tx) error) error {
	at, act := d.desk.Now(), desk.NewID()
	err := d.desk.Write(ctx, func(q *desk.Tx) error {
		c := tally{tests: map[string]bool{}}
		for _, e := range edits {
			r, err := q.Run(ctx, e.run)
			if err != nil {
				return desk.Missing(err, "run", e.run)
			}
			c.tests[r.Test] = true
			t, err := q.Test(ctx, r.Test, r.TestVersion)
			if err != nil {
				return err
			}
			raw, err := q.Raw(ctx, e.run)
			if err != nil {
				return err
			}
			before, err := q.Changes(ctx, e.run, 1_000_000)
			if err != nil {
				return err
			}
			touched := 0
			for _, x := range r.Readings {
				if e.measure != "" && x.Measure != e.measure {
					continue
				}
				now, ok := e.apply(x, raw, before)
				if !ok {
					continue
				}
				touched++
				change := store.Change{ID: desk.NewID(), Run: r.ID, Measure: x.Measure, Kind: e.kind, Act: act, Old: x, Now: now,
					Cause: e.cause, Reason: e.reason, Doubt: e.doubt, Other: e.other, By: by, At: at}
				if err := q.ChangeReading(ctx, change, e.extreme && e.kind == "void"); err != nil {
					return err
				}
				if err := c.cell(ctx, d, q, r, t, x.Measure); err != nil {
					return err
				}
			}
			if touched == 0 && e.only == "" && e.doubt == "" {
				return desk.Refuse(desk.Conflict, "nothing to change: %s", e.nothing(r))
			}
		}
		q.After(func() { c.put(d) })
		if with != nil {
			return with(q)
		}
		return nil
	})
	if err == nil {
		d.desk.Events.Send(desk.Event{Name: "run", Data: map[string]string{}})
	}
	return err
}

// tally gathers the cells that a transaction made anew.
type tally struct {
	changed []store.Estimate
	gone    []store.CellKey
	tests   map[string]bool
}

// cell makes the cell of one reading of a run anew.
func (c *tally) cell(ctx context.Context, d *Results, q *desk.Tx, r record.Run, t method.Test, measure string) error {
	m, ok := t.Measure(measure)
	if !ok {
		return nil
	}
	e, err := d.cellOf(ctx, q, r, t, measure)
	if err != nil {
		return err
	}
	return c.recount(ctx, q, e, m)
}

// recount makes a cell anew and notes whether it is still there.
func (c *tally) recount(ctx context.Context, q *desk.Tx, e store.Estimate, m method.Measure) error {
	kept, err := recount(ctx, q, &e, m)
	switch {
	case err != nil:
	case kept:
		c.changed = append(c.changed, e)
	default:
		c.gone = append(c.gone, e.CellKey)
	}
	return err
}

// put hands over what was gathered. A cell may have been dropped and made again: the last word counts.
func (c *tally) put(d *Results) {
	c.gone = slices.DeleteFunc(c.gone, func(k store.CellKey) bool {
		return slices.ContainsFunc(c.changed, func(e store.Estimate) bool { return e.CellKey == k })
	})
	d.changes.Add(1)
	d.figures.Put(c.changed, c.gone, desk.SortedKeys(c.tests)...)
}

// recountRuns makes the cells of runs anew where what counts in them is another: of one measure, or of all.
func (d *Results) recountRuns(ctx context.Context, q *desk.Tx, runs []string, measure string) error {
	c := tally{tests: map[string]bool{}}
	for _, id := range runs {
		r, err := q.Run(ctx, id)
		if err != nil {
			return err
		}
		t, err := q.Test(ctx, r.Test, r.TestVersion)
		if err != nil {
			return err
		}
		c.tests[r.Test] = true
		for _, x := range r.Readings {
			if measure != "" && x.Measure != measure {
				continue
			}
			if err := c.cell(ctx, d, q, r, t, x.Measure); err != nil {
				return err
			}
		}
	}
	if len(runs) > 0 {
		q.After(func() { c.put(d) })
	}
	return nil
}

// apply gives the reading after an edit; false where it changes nothing.
func (e edit) apply(x record.Reading, raw []record.Reading, before []store.Change) (record.Reading, bool) {
	now := x
	switch e.kind {
	case "void", "merge":
		if x.State == record.Void || x.State == record.Missing {
			return x, false
		}
		now.State, now.Reason = record.Void, e.reason
	case "correct", "remake":
		now = e.to
		now.Reason = e.reason
	case "restore": // to what stood before it was taken out, corrections kept
		if x.State != record.Void {
			return x, false
		}
		i := slices.IndexFunc(before, func(c store.Change) bool {
			return c.Measure == x.Measure && c.Now.State == record.Void && c.Old.State != record.Void
		})
		if i >= 0 {
			if e.only != "" && before[i].Doubt != e.only {
				return x, false // something else took it out
			}
			return before[i].Old, true
		}
		for _, r := range raw {
			if r.Measure == x.Measure {
				now = r
			}
		}
		if now.State == record.Void {
			return x, false
		}
	}
	return now, true
}

func (e edit) nothing(r record.Run) string {
	switch {
	case len(r.Readings) == 0:
		return "the run has no readings"
	case e.kind == "restore":
		return "all of it counts"
	case e.measure != "" && !slices.ContainsFunc(r.Readings,
		func(x record.Reading) bool { return x.Measure == e.measure }):
		return fmt.Sprintf("the run has no reading of %q", e.measure)
	}
	return "it counts no longer already"
}

// cellOf is the cell that a run's reading stands in, as it is now or as it will be made.
func (d *Results) cellOf(ctx context.Context, q *desk.Tx, r record.Run, t method.Test, measure string) (store.Estimate,
	error) {
	k, err := q.RunCell(ctx, r.ID)
	if err != nil {
		return store.Estimate{}, err
	}
	k.Measure = method.ID(r.Test, measure)
	e, ok, err := d.figures.Cell(k)
	if err != nil {
		return e, err
	}
	if ok {
		e.Updated = d.desk.Now()
		return e, nil
	}
	setup, err := q.Setup(ctx, r.Setup)
	if err != nil {
		return store.Estimate{}, err
	}
	u, err := q.Unit(ctx, r.Subject)
	return store.Estimate{CellKey: k, Variant: u.Variant, Conditions: trust.Effective(setup.Conditions, r.Observed),
		TestVersion: t.Version, Simulated: r.Simulated, Updated: d.desk.Now()}, err
}

// Correction says what is to be changed in a run.
type Correction struct {
	Do      string `json:"do" enum:"void,restore,correct,merge" doc:"void: no longer counts; restore: counts again; correct: another value; merge: it is a duplicate of another run"`
	Measure string `json:"measure,omitempty" doc:"Slug; all readings of the run if left out"`
	Value   string `json:"value,omitempty" doc:"For correct: what was read, as it is entered by hand"`
	Into    string `json:"into,omitempty" doc:"For merge: the run that stays"`
	Cause   string `json:"cause,omitempty" doc:"For void: a key of the list of causes"`
	Reason  string `json:"reason" doc:"Why; it stays beside the reading"`
}

// Correct changes readings of a run; what stood before, who changed it, when and why are kept.
func (d *Results) Correct(ctx context.Context, id string, c Correction, by string) (RunPage, error) {
	c.Reason = strings.TrimSpace(c.Reason)
	if c.Reason == "" {
		return RunPage{}, desk.Refuse(desk.Invalid, "say why; the reason stays beside the reading")
	}
	r, err := d.desk.Store.Run(ctx, id)
	if err != nil {
		return RunPage{}, desk.Missing(err, "run", id)
	}
	e := edit{kind: c.Do, run: id, measure: c.Measure, reason: c.Reason, cause: c.Cause}
	switch c.Do {
	case "void":
		cause, ok := trust.CauseOf(c.Cause)
		if c.Cause != "" && !ok {
			return RunPage{}, desk.Refuse(desk.Invalid, "%q is no known cause", c.Cause)
		}
		e.extreme = ok && !cause.Physical
	case "restore":
	case "correct":
		if c.Measure == "" {
			return RunPage{}, desk.Refuse(desk.Invalid, "say which measure is corrected")
		}
		t, err := d.desk.Store.Test(ctx, r.Test, r.TestVersion)
		if err != nil {
			return RunPage{}, err
		}
		m, ok := t.Measure(c.Measure)
		if !ok {
			return RunPage{}, desk.Refuse(desk.Invalid, "test %q has no measure %q", r.Test, c.Measure)
		}
		if e.to, err = record.ParseReading(c.Value, m); err != nil {
			return RunPage{}, desk.Refuse(desk.Invalid, "%s: %v", c.Measure, err)
		}
		e.to = e.to.Settle(m)
		e.to.Measure = m.Slug
		if why := e.to.Check(m); why != "" {
			return RunPage{}, desk.Refuse(desk.Invalid, "%s", why)
		}
	case "merge":
		if err := d.duplicate(ctx, r, c.Into); err != nil {
			return RunPage{}, err
		}
		e.other = c.Into
	default:
		return RunPage{}, desk.Refuse(desk.Invalid, "a run is voided, restored, corrected or merged, not %q", c.Do)
	}
	err = d.edit(ctx, []edit{e}, by, func(q *desk.Tx) error {
		return q.Note(ctx, d.desk.Now(), by, c.Do+" run", id, c.Reason)
	})
	if err != nil {
		return RunPage{}, err
	}
	if _, err := d.examineAll(ctx, []string{id}); err != nil {
		return RunPage{}, err
	}
	return d.Run(ctx, id)
}

// duplicate refuses a merge of runs that are not the same measurement.
func (d *Results) duplicate(ctx context.Context, r record.Run, into string) error {
	other, err := d.desk.Store.Run(ctx, into)
	if err != nil {
		return desk.Missing(err, "run", into)
	}
	switch {
	case into == r.ID:
		return desk.Refuse(desk.Invalid, "a run is no duplicate of itself")
	case other.Subject != r.Subject || other.Test != r.Test:
		return desk.Refuse(desk.Invalid, "a duplicate has the same unit and test: %s of %s here, %s of %s there", r.Test,
			r.Subject, other.Test, other.Subject)
	case slices.ContainsFunc(other.Readings, func(x record.Reading) bool { return x.State == record.Void }):
		return desk.Refuse(desk.Conflict, "the run that is to stay does not count itself; restore it, or merge the other "+
			"way round")
	}
	return nil
}

// Twin is a pair of runs that look like the same measurement taken in twice.
type Twin struct {
	Keep record.Run `json:"keep" doc:"The older one"`
	Drop record.Run `json:"drop"`
}

// Twins lists runs of the same test on the same unit whose figures are the same in every digit; of one unit, or
// of all.
func (d *Results) Twins(ctx context.Context, unit string) ([]Twin, error) {
	pairs, err := d.desk.Store.Twins(ctx, unit)
	out := []Twin{}
	for _, p := range pairs {
		a, err1 := d.desk.Store.Run(ctx, p[0])
		b, err2 := d.desk.Store.Run(ctx, p[1])
		if err := errors.Join(err1, err2); err != nil {
			return nil, err
		}
		t, err := d.desk.Store.Test(ctx, a.Test, a.TestVersion)
		if err != nil {
			return nil, err
		}
		if t.Hands != "" && t.Hands != "stopwatch" { // marks and passes are alike by their nature
			continue
		}
		out = append(out, Twin{a, b})
	}
	return out, err
}

// Recounted tells how the kept estimates compare with ones made anew.
type Recounted struct {
	Cells  int      `json:"cells"`
	Differ []string `json:"differ" doc:"Cells that did not agree, and were made anew"`
	Moved  []string `json:"moved" doc:"Figures of files that a newer version of their analysis made another"`
}

// Recount makes figures of files anew where their analysis is newer, then every cell from its readings, and says which
// did not agree with what was kept. Others write in
// between.
func (d *Results) Recount(ctx context.Context) (Recounted, error) {
	out := Recounted{Differ: []string{}, Moved: []string{}}
	if err := d.remake(ctx, &out); err != nil {
		return out, err
	}
	measures, err := d.desk.Store.MeasuresRead(ctx)
	if err != nil {
		return out, err
	}
	for _, m := range measures {
		if err := d.recountMeasure(ctx, m, &out); err != nil {
			return out, err
		}
	}
	return out, nil
}

func (d *Results) recountMeasure(ctx context.Context, id string, out *Recounted) error {
	return d.desk.Write(ctx, func(q *desk.Tx) error {
		c := tally{tests: map[string]bool{}}
		var kept []store.Estimate
		if err := q.Column(ctx, id, func(e store.Estimate, conditions string) {
			e.Conditions = store.Conditions(conditions)
			kept = append(kept, e)
		}); err != nil {
			return err
		}
		for _, e := range kept {
			out.Cells++
			test, measure := method.Split(e.Measure)
			t, err := q.Test(ctx, test, e.TestVersion)
			if err != nil {
				return err
			}
			m, ok := t.Measure(measure)
			if !ok {
				continue
			}
			before := fmt.Sprintf("%+v %s %g %g", e.Cell, e.Limiter, e.BestLow, e.BestHigh)
			held, inMemory, err := d.figures.Cell(e.CellKey)
			if err != nil {
				return err
			}
			there, err := recount(ctx, q, &e, m)
			if err != nil {
				return err
			}
			if there && inMemory && before == fmt.Sprintf("%+v %s %g %g", e.Cell, e.Limiter, e.BestLow, e.BestHigh) &&
				fmt.Sprintf("%+v", held.Cell) == fmt.Sprintf("%+v", e.Cell) {
				continue
			}
			out.Differ = append(out.Differ, cellText(e.CellKey))
			c.tests[test] = true
			if there {
				c.changed = append(c.changed, e)
			} else {
				c.gone = append(c.gone, e.CellKey)
			}
		}
		if len(c.changed)+len(c.gone) > 0 {
			q.After(func() { c.put(d) })
		}
		return nil
	})
}
