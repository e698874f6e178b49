package bench

import (
	"context"
	"fmt"
	"slices"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// order is how plans stand on the bench: those at work first, then those that wait, then the others.
func order(p method.Plan) int {
	return slices.Index([]method.PlanState{method.PlanDone, method.PlanStopped, method.PlanWaiting, method.PlanSilent,
		method.PlanRunning}, p.State) / 2
}

// Bench lists the plans on the bench, those at work first, then those that wait, then the others from the newest on,
// with how far each is. What came of each step is told plan by plan.
func (d *Bench) Bench(ctx context.Context, limit int, archived bool) ([]record.BenchPlan, error) {
	plans, err := d.desk.Store.Plans(ctx)
	if err == nil && !archived {
		plans, err = desk.Offered(ctx, d.desk, "plan", plans, func(p method.Plan) string { return p.ID })
	}
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(plans, func(a, b method.Plan) int { return order(b) - order(a) })
	plans = plans[:min(limit, len(plans))]
	var ids []string
	for _, p := range plans {
		ids = append(ids, p.ID)
	}
	counts, err := d.desk.Store.PlanCounts(ctx, ids)
	if err != nil {
		return nil, err
	}
	out := []record.BenchPlan{}
	for _, p := range plans {
		b := record.BenchPlan{Steps: []record.BenchStep{}, Incidents: []record.Incident{}, Doubts: []record.BenchDoubt{},
			Jobs: len(p.Jobs()), Done: counts[p.ID].Done, Marked: counts[p.ID].Marked}
		if err := d.introduce(ctx, p, &b); err != nil {
			return nil, err
		}
		out = append(out, b)
	}
	return out, nil
}

// introduce fills in what a plan's view says before its steps.
func (d *Bench) introduce(ctx context.Context, p method.Plan, b *record.BenchPlan) error {
	b.Plan = p
	u, err := d.desk.Store.Unit(ctx, p.Unit)
	if known, err := desk.Found(err); err != nil {
		return err
	} else if known {
		name, err := d.figures.Name(ctx, u.Variant)
		if err != nil {
			return err
		}
		b.Title, b.Variant = name.Label(), u.Variant
	}
	b.SetupName = p.Setup
	x, err := d.desk.Store.Setup(ctx, p.Setup)
	if known, err := desk.Found(err); err != nil {
		return err
	} else if known {
		b.SetupName = x.Name
	}
	if n := len(p.Setups()); n > 1 {
		b.SetupName = fmt.Sprintf("%d setups", n)
	}
	d.live.show(b)
	return nil
}

// BenchPlan shows one plan with what came of each step.
func (d *Bench) BenchPlan(ctx context.Context, id string) (record.BenchPlan, error) {
	var b record.BenchPlan
	p, err := d.desk.Store.Plan(ctx, id)
	if err != nil {
		return b, desk.Missing(err, "plan", id)
	}
	if err := d.introduce(ctx, p, &b); err != nil {
		return b, err
	}
	control, err := d.desk.Store.PlanControl(ctx, id)
	if err != nil {
		return b, err
	}
	b.Paused = control.Pause
	runs, _, err := d.desk.Store.Runs(ctx, store.RunFilter{Plan: id, Limit: 10000})
	if err != nil {
		return b, err
	}
	if b.Incidents, _, err = d.desk.Store.Incidents(ctx, store.IncidentFilter{Plan: id, Limit: 20}); err != nil {
		return b, err
	}
	if b.Doubts, err = d.planDoubts(ctx, id); err != nil {
		return b, err
	}
	if err := d.steps(ctx, &b, runs, control.Skip); err != nil {
		return b, err
	}
	v, err := d.desk.Store.Variant(ctx, b.Variant) // the drive is the subject, or the one inside it
	known, err := desk.Found(err)
	if rated, ok := catalog.SpecNumber(v.Spec, "drive.endurance"); known && ok && rated > 0 {
		b.Endurance = 100 * float64(b.Writes) / (rated * 1e12)
	}
	return b, err
}

// planDoubts lists the open doubts about runs of a plan, as the bench shows them.
func (d *Bench) planDoubts(ctx context.Context, id string) ([]record.BenchDoubt, error) {
	doubts, _, err := d.desk.Store.Doubts(ctx, store.DoubtFilter{Plan: id, State: trust.Open, Limit: 20})
	out := []record.BenchDoubt{}
	for _, x := range doubts {
		out = append(out, record.BenchDoubt{ID: x.ID, Run: x.Run, Test: x.Test, TestName: x.TestName, Title: x.Title,
			Severity: string(x.Severity), Sentence: x.Sentence, Proposal: x.Proposal, Again: x.Again})
	}
	return out, err
}

// steps adds every step of a plan with what came of it; runs are those of the plan, the newest first.
func (d *Bench) steps(ctx context.Context, b *record.BenchPlan, runs []record.Run, skip []int) error {
	p := b.Plan
	tests, err := d.figures.Tests(ctx)
	if err != nil {
		return err
	}
	learned := d.lengths.of(p.Unit, testsOf(p))
	setups := map[string]method.Setup{}
	for i, s := range p.Steps {
		t := tests[s.Test]
		seconds := t.SecondsWith(s.Options)
		if x, ok := learned[s.Test]; ok && len(s.Options) == 0 {
			seconds = x
		}
		if p.Cool != nil {
			seconds += p.Cool.Seconds
		}
		step := record.BenchStep{Test: s.Test, Name: t.Name, Repeats: s.Repeats, State: record.StepWaits,
			Seconds: seconds * float64(s.Repeats), Options: s.Options, Lasting: t.Lasting(),
			Setup: p.SetupOf(i), Figures: []record.BenchFigure{}}
		if setups[step.Setup], err = d.desk.Store.Setup(ctx, step.Setup); err != nil {
			return desk.Missing(err, "setup", step.Setup)
		}
		if i > 0 && step.Setup != p.SetupOf(i-1) {
			step.Prompt = method.Prompt(setups[p.SetupOf(i-1)], setups[step.Setup], nil)
		}
		b.Seconds += step.Seconds
		b.Writes += t.WritesWith(s.Options) * int64(s.Repeats)
		b.Jobs += s.Repeats
		last := tally(&step, i, runs)
		for _, r := range runs {
			if r.Step == i && len(r.Marks) > 0 {
				b.Marked++
			}
		}
		b.Done += step.Done
		switch {
		case step.State != record.StepWaits:
		case slices.Contains(skip, i):
			step.State = record.StepSkipped
			b.Jobs -= s.Repeats - step.Done
		case b.Progress != nil && b.Progress.Step == i:
			step.State = record.StepRunning
		}
		for _, m := range t.Measures {
			f, ok, err := d.figure(ctx, b, step.Setup, t, m, last)
			if err != nil {
				return err
			}
			if ok {
				step.Figures = append(step.Figures, f)
			}
		}
		b.Steps = append(b.Steps, step)
	}
	return nil
}

// tally counts what came of a step's runs and gives its newest done run; a step with all of them is over.
func tally(step *record.BenchStep, i int, runs []record.Run) (last *record.Run) {
	parked := 0
	for k, r := range runs {
		if r.Step != i {
			continue
		}
		step.Done++
		step.Marks = append(step.Marks, r.Marks...)
		switch r.Outcome {
		case record.Done:
			if last == nil { // the newest comes first
				last = &runs[k]
			}
			continue
		case record.Failed:
			step.Failed++
		case record.NotRun:
			step.NotRun++
		case record.Parked:
			parked++
		}
		step.Note = r.Failure
	}
	switch {
	case step.Done < step.Repeats:
	case step.NotRun == step.Done:
		step.State = record.StepNotRun
	case parked > 0:
		step.State = record.StepParked
	case step.Failed+step.NotRun == step.Done:
		step.State = record.StepFailed
	default:
		step.State = record.StepDone
	}
	return last
}

func testsOf(p method.Plan) []string {
	var out []string
	for _, s := range p.Steps {
		if !slices.Contains(out, s.Test) {
			out = append(out, s.Test)
		}
	}
	return out
}

// figure is one measure's figure so far, the last reading and what was expected; false if none of them is known.
func (d *Bench) figure(ctx context.Context, b *record.BenchPlan, setup string, t method.Test, m method.Measure,
	last *record.Run) (record.BenchFigure, bool, error) {
	id, p := method.ID(t.Slug, m.Slug), b.Plan
	f := record.BenchFigure{Measure: id, Name: m.Name}
	e, ok, err := d.figures.SoFar(ctx, id, store.CellKey{Setup: setup, Unit: p.Unit, Host: p.Host, Place: p.Place})
	if err != nil {
		return f, false, err
	}
	if ok {
		w := m.Writing(e)
		f.Text, f.Spread = m.Written(w, e)
		f.Text = w.With(f.Text)
	}
	if last != nil {
		for _, r := range last.Readings {
			if r.Measure == m.Slug && r.State != record.Missing {
				f.Last = quantity.Format(r.Value, m.Unit)
			}
		}
	}
	v, from, err := d.figures.Expected(ctx, id, p.Unit, b.Variant)
	if from != "" {
		f.Expect, f.From = quantity.Format(v, m.Unit), from
	}
	return f, f.Text != "" || f.Expect != "", err
}
