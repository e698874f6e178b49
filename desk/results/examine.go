package results

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// cellText names a cell for doubts about it as a whole.
func cellText(k store.CellKey) string {
	return strings.Join([]string{k.Measure, k.Setup, k.Unit, k.Host, k.Place, k.Basis}, "|")
}

// caseOf gathers what rules read of a run. With figures that no longer count it is examined as it stands.
func (d *Results) caseOf(ctx context.Context, a arrived, p *pass) (trust.Case, func(string) store.CellKey, string,
	error) {
	r := a.run
	c := trust.Case{Run: r, Trace: a.sensed, Beside: map[string]float64{}}
	var err error
	if c.Test, err = d.desk.Store.Test(ctx, r.Test, r.TestVersion); err != nil {
		return c, nil, "", err
	}
	newest, err := d.desk.Store.Test(ctx, r.Test, 0)
	if err != nil {
		return c, nil, "", err
	}
	c.Newest = newest.Version
	if c.Setup, err = d.desk.Store.Setup(ctx, r.Setup); err != nil {
		return c, nil, "", err
	}
	u, err := d.desk.Store.Unit(ctx, r.Subject)
	if err != nil {
		return c, nil, "", err
	}
	v, err := d.desk.Store.Variant(ctx, u.Variant)
	if err != nil {
		return c, nil, "", err
	}
	c.Spec = v.Spec
	sitting, err := d.desk.Store.Sitting(ctx, r.Sitting)
	if err != nil {
		return c, nil, "", err
	}
	c.Machine = sitting.Machine
	shared, err := d.desk.Store.RunCell(ctx, r.ID)
	if err != nil {
		return c, nil, "", err
	}
	key := func(measure string) store.CellKey {
		k := shared
		k.Measure = method.ID(r.Test, measure)
		return k
	}
	conditions := trust.Effective(c.Setup.Conditions, r.Observed)
	for i, x := range r.Readings {
		m, ok := c.Test.Measure(x.Measure)
		if !ok || x.State == record.Missing {
			continue
		}
		measure := compare.NewMeasure(c.Test, m)
		f := trust.Figures{Measure: m}
		if f.Pool, err = d.figures.PoolFor(ctx, measure, key(m.Slug)); err != nil {
			return c, nil, "", err
		}
		if f.Repeats, f.Copied, err = p.repeats(ctx, key(m.Slug), r.ID); err != nil {
			return c, nil, "", err
		}
		e, ok, err := d.figures.Cell(key(m.Slug))
		if err != nil {
			return c, nil, "", err
		}
		if ok {
			f.Cell = e.Cell
		}
		if m.Scale.Logarithmic() {
			if f.Kin, err = d.figures.Kin(ctx, measure, shared, u.Variant, conditions); err != nil {
				return c, nil, "", err
			}
		}
		if i == 0 {
			if f.Versions, err = d.figures.Versions(measure, r.Setup, u.Variant, conditions); err != nil {
				return c, nil, "", err
			}
		}
		c.Figures = append(c.Figures, f)
	}
	for _, h := range [][]string{{"drive-sequential", "read", "write"}, {"folder-copy", "rate", "reading-busy",
		"writing-busy"}} {
		if c.Test.Group != "storage" {
			break
		}
		for _, slug := range h[1:] {
			id := method.ID(h[0], slug)
			x, ok, err := d.figures.Nearby(id, shared, false)
			if err != nil {
				return c, nil, "", err
			}
			if ok {
				c.Beside[id] = x.Cell.Median
			}
		}
	}
	return c, key, u.Variant, nil
}

// pass is one asking of the rules about many runs: what their cells hold is read once, until a run comes in or is
// corrected. Doubts that are raised meanwhile change nothing of it.
type pass struct {
	of            *Results
	at            int64 // d.changes when it was read
	cells, others map[store.CellKey][]trust.Repeat
}

// mostRepeats is how many repeats the rules look at: those around a run, half of them before it. A rule sees no more in
// a thousand than in these, and looking at all for each of a thousand would take a million looks.
const mostRepeats = 200

// repeats gives the repeats of a run's cell and the same measure's outside it.
func (p *pass) repeats(ctx context.Context, k store.CellKey, run string) (within, outside []trust.Repeat, err error) {
	if now := p.of.changes.Load(); p.cells == nil || p.at != now || len(p.cells) > 1000 {
		p.at, p.cells, p.others = now, map[store.CellKey][]trust.Repeat{}, map[store.CellKey][]trust.Repeat{}
	}
	within, known := p.cells[k]
	if !known {
		if within, err = p.of.desk.Store.CellRuns(ctx, k); err != nil {
			return nil, nil, err
		}
		if outside, err = p.of.desk.Store.OtherCells(ctx, k); err != nil {
			return nil, nil, err
		}
		p.cells[k], p.others[k] = within, outside
	}
	at := slices.IndexFunc(within, func(x trust.Repeat) bool { return x.Run == run })
	return around(within, at), around(p.others[k], len(p.others[k])-1), nil
}

// around is what stands nearest to a place of a list, mostRepeats at most.
func around(list []trust.Repeat, at int) []trust.Repeat {
	from := min(max(0, at-mostRepeats/2), max(0, len(list)-mostRepeats))
	return list[from:min(len(list), from+mostRepeats)]
}

// examine asks the rules about runs that came in.
func (d *Results) examine(ctx context.Context, runs []arrived) error {
	d.judging.Lock()
	defer d.judging.Unlock()
	tunings, err := d.desk.Store.Tunings(ctx)
	if err != nil {
		return err
	}
	changed := 0
	p := &pass{of: d}
	for _, a := range runs {
		n, err := d.examineOne(ctx, a, tunings, p)
		if err != nil {
			return err
		}
		changed += n
	}
	if changed > 0 {
		d.desk.Events.Send(desk.Event{Name: "doubt", Data: map[string]string{"run": runs[0].run.ID,
			"plan": runs[0].run.Plan}})
	}
	return nil
}

// grown is by how much a dismissed doubt must have grown before it is raised again.
const grown = 1.5

// byRule signs what no person did.
const byRule = "the rule"

// examineOne asks the rules about one run and writes what they say. judging is held, so that what is said of a cell
// follows from all that was said before.
func (d *Results) examineOne(ctx context.Context, a arrived, tunings []trust.Tuning, p *pass) (changed int, err error) {
	defer func() { // a fault of a rule must cost neither the run nor the service
		if r := recover(); r != nil {
			err = fmt.Errorf("the rules failed on run %s: %v", a.run.ID, r)
		}
	}()
	c, key, variant, err := d.caseOf(ctx, a, p)
	if err != nil {
		return 0, err
	}
	cell := func(measure string) string { return cellText(key(measure)) }
	found := trust.Examine(c, tunings, cell)
	void := a.run.Outcome == record.Done && !slices.ContainsFunc(a.run.Readings,
		func(x record.Reading) bool { return x.State != record.Void })
	if void {
		// It does not count any more.
		found = slices.DeleteFunc(found, func(x trust.Doubt) bool { return x.Run == a.run.ID })
	}
	at := d.desk.Now()
	err = d.desk.Write(ctx, func(q *desk.Tx) error {
		changed = 0
		var serious []string
		q.After(func() {
			if changed > 0 {
				d.figures.Doubted(a.run.Test)
			}
		})
		held := map[string]bool{}
		for _, x := range found {
			held[x.Key] = true
			x.Variant, x.Plan, x.Started, x.Raised = variant, a.run.Plan, a.run.Started, at
			told, runs, err := tell(ctx, q, x, at)
			if err != nil {
				return err
			}
			if told {
				changed++
			}
			serious = append(serious, runs...)
		}
		lifted, err := liftDoubts(ctx, q, a.run.ID, fallen(c, held, cell), void, at)
		if err != nil {
			return err
		}
		changed += len(lifted)
		for _, x := range lifted {
			if x.Severity == trust.Serious {
				serious = append(serious, x.Runs...)
			}
		}
		if err := d.recountRuns(ctx, q, serious, ""); err != nil { // in doubt they say nothing of the repeatability
			return err
		}
		return q.Examined(ctx, a.run.ID)
	})
	return changed, err
}

// tell writes what a rule found, as something new or as more of what is known, and tells whether that is worth a word
// and which runs are in serious doubt since.
func tell(ctx context.Context, q *desk.Tx, x trust.Doubt, at time.Time) (told bool, serious []string, err error) {
	if told, err := toldAlready(ctx, q, x); err != nil || told {
		return false, nil, err
	}
	old, err := q.DoubtByKey(ctx, x.Key)
	for err == nil && old.State == trust.Upheld && x.Run != old.Run && !slices.Contains(old.Runs, x.Run) {
		x.Key += "|" + old.ID // the same thing, of runs that still count: what follows the upheld one
		old, err = q.DoubtByKey(ctx, x.Key)
	}
	act := store.DoubtAct{At: at, By: byRule, Sentence: x.Sentence}
	switch {
	case errors.Is(err, store.ErrNotFound):
		x.ID, act.Act = desk.NewID(), "raised"
	case err != nil:
		return false, nil, err
	case old.State == trust.Open:
		x.ID, x.Raised = old.ID, old.Raised
		if x.Run != old.Run {
			act.Act = "changed"
		}
		if x.Grouped {
			if slices.Contains(old.Runs, x.Run) {
				return false, nil, nil
			}
			x, act.Act, act.Sentence = joined(x, old), "changed", "also of run "+x.Run
		}
	case old.State == trust.Dismissed && (old.By == byRule || x.Size > grown*old.Size && old.Size > 0):
		x.ID, act.Act = old.ID, "raised again"
	default:
		return false, nil, nil
	}
	if x.Severity == trust.Serious {
		serious = slices.DeleteFunc(slices.Clone(x.Runs), func(r string) bool {
			return old.State == trust.Open && slices.Contains(old.Runs, r)
		})
	}
	if err = q.PutDoubt(ctx, x); err == nil && act.Act != "" {
		err = q.AddDoubtAct(ctx, x.ID, act)
	}
	return act.Act != "", serious, err
}

// joined makes one entry of a new finding and the open one about the same thing: their runs, and no more than both have
// in common.
func joined(x, old trust.Doubt) trust.Doubt {
	x.Runs = append(old.Runs, x.Run)
	if old.Measure != x.Measure {
		x.Measure = ""
	}
	if old.TestName != x.TestName {
		x.Test, x.TestName = old.Test, "several tests"
	}
	return x
}

// fallen lists the keys of what rules could say of the cells as a whole and do not say any more.
func fallen(c trust.Case, held map[string]bool, cell func(string) string) (keys []string) {
	for _, r := range trust.Rules {
		for _, f := range c.Figures {
			if k := r.Name + "|" + cell(f.Measure.Slug); r.Whole && !held[k] {
				keys = append(keys, k)
			}
		}
	}
	return keys
}

// liftDoubts closes open doubts that have fallen: those about whole cells that later repeats lifted, and those about
// one run alone where it is void. It tells which.
func liftDoubts(ctx context.Context, q *desk.Tx, run string, keys []string, void bool, at time.Time) (out []trust.Doubt,
	err error) {
	lifted, err := q.CellDoubts(ctx, keys)
	if err != nil {
		return nil, err
	}
	for i := range lifted {
		lifted[i].Reason = "the repeats since then agree"
	}
	if void {
		alone, _, err := q.Doubts(ctx, store.DoubtFilter{Run: run, State: trust.Open})
		if err != nil {
			return nil, err
		}
		for _, x := range alone {
			if len(x.Runs) < 2 && x.Run == run {
				x.Reason = "its run does not count any more"
				lifted = append(lifted, x)
			}
		}
	}
	for _, x := range lifted {
		if x.State != trust.Open {
			continue
		}
		x.State, x.By, x.Settled = trust.Dismissed, byRule, &at
		out = append(out, x)
		if err := errors.Join(q.PutDoubt(ctx, x), q.AddDoubtAct(ctx, x.ID, store.DoubtAct{At: at, By: byRule,
			Act: "dismissed", Reason: x.Reason})); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// toldAlready tells whether an open doubt about the same figure says more than a new one would.
func toldAlready(ctx context.Context, q *desk.Tx, x trust.Doubt) (bool, error) {
	open, _, err := q.Doubts(ctx, store.DoubtFilter{Run: x.Run, State: trust.Open})
	return slices.ContainsFunc(open, func(o trust.Doubt) bool {
		r, _ := trust.RuleOf(o.Rule)
		return o.Run == x.Run && o.Measure == x.Measure && slices.Contains(r.Hides, x.Rule)
	}), err
}

// stored makes a recorded run ready for the rules.
func (d *Results) stored(ctx context.Context, id string) (arrived, error) {
	r, err := d.desk.Store.Run(ctx, id)
	if err != nil {
		return arrived{}, desk.Missing(err, "run", id)
	}
	if r.Series, err = d.desk.Store.Series(ctx, id); err != nil {
		return arrived{}, err
	}
	t, err := d.desk.Store.Trace(ctx, id, 0, 0)
	return arrived{r, t}, err
}

// Reexamined tells what asking the rules about the desk's history brought.
type Reexamined struct {
	Runs   int `json:"runs"`
	Doubts int `json:"doubts" doc:"Raised anew, raised again, or lifted"`
	Open   int `json:"open" doc:"Open doubts now"`
}

// Examine asks the rules about runs that are there already: the desk's whole history, or a part of it.
func (d *Results) Examine(ctx context.Context, f store.RunFilter, by string) (Reexamined, error) {
	ids, err := d.desk.Store.RunIDs(ctx, f)
	if err != nil {
		return Reexamined{}, err
	}
	n, err := d.examineAll(ctx, ids)
	out := Reexamined{Runs: len(ids), Doubts: n}
	if err != nil {
		return out, err
	}
	_, out.Open, err = d.desk.Store.Doubts(ctx, store.DoubtFilter{State: trust.Open, Limit: 1})
	return out, errors.Join(err, d.desk.Write(ctx, func(q *desk.Tx) error {
		return q.Note(ctx, d.desk.Now(), by, "examine history", "", fmt.Sprintf("%d runs, %d doubts", out.Runs, out.Doubts))
	}))
}

func (d *Results) examineAll(ctx context.Context, ids []string) (changed int, err error) {
	tunings, err := d.desk.Store.Tunings(ctx)
	if err != nil {
		return 0, err
	}
	p := &pass{of: d}
	for _, id := range ids {
		if err := ctx.Err(); err != nil {
			return changed, err
		}
		a, err := d.stored(ctx, id)
		if err != nil {
			return changed, err
		}
		d.judging.Lock()
		n, err := d.examineOne(ctx, a, tunings, p)
		d.judging.Unlock()
		if err != nil {
			return changed, err
		}
		changed += n
	}
	if changed > 0 {
		d.desk.Events.Send(desk.Event{Name: "doubt", Data: struct{}{}})
	}
	return changed, nil
}
