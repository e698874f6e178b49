package desk

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/store"
)

// bench is what runs now; it lives only in memory.
type bench struct {
	mu       sync.Mutex
	progress map[string]record.Progress
	machines map[string]record.Machine
}

// joinLife is how long a one-time code for an agent holds.
const joinLife = time.Hour

// Tests lists the newest version of every test.
func (d *Desk) Tests(ctx context.Context) ([]method.Test, error) { return d.store.Tests(ctx) }

// Test finds the newest version of a test.
func (d *Desk) Test(ctx context.Context, slug string) (method.Test, error) {
	t, err := d.store.Test(ctx, slug, 0)
	return t, missing(err, "test", slug)
}

// Setups lists all setups.
func (d *Desk) Setups(ctx context.Context) ([]method.Setup, error) { return d.store.Setups(ctx) }

// AddSetup adds a setup. Changing the conditions of one that runs were made under is refused.
func (d *Desk) AddSetup(ctx context.Context, s method.Setup, by string) error {
	if err := firstProblem("setup", s.Check()); err != nil {
		return err
	}
	if old, err := d.store.Setup(ctx, s.Slug); err == nil && fmt.Sprint(old.Conditions) != fmt.Sprint(s.Conditions) {
		if _, n, err := d.store.Runs(ctx, store.RunFilter{Setup: s.Slug, Limit: 1}); err != nil || n > 0 {
			return refuse(Conflict, "setup %q has %d runs, so its conditions stay; add a setup of another name", s.Slug, n)
		}
	}
	return d.put(ctx, by, "add setup", s.Slug, func(q store.Queries) error { return q.PutSetup(ctx, s) })
}

// parts are the kinds that are measured in a host, never by themselves.
var parts = []catalog.Kind{"drive", "processor", "board", "memory", "graphics-card", "enclosure", "hub", "dock"}

// checkPlace says what is wrong with a subject, host and setup, all at once.
func (d *Desk) checkPlace(ctx context.Context, unit, host, setup string) (kind catalog.Kind, wrong []string) {
	u, err := d.store.Unit(ctx, unit)
	if err != nil {
		wrong = append(wrong, fmt.Sprintf("no unit %q is known", unit))
	} else if v, err := d.store.Variant(ctx, u.Variant); err == nil {
		if m, err := d.store.Model(ctx, v.Model); err == nil {
			kind = m.Kind
		}
	}
	if host != "" {
		if _, err := d.store.Unit(ctx, host); err != nil {
			if has, err := d.store.HasRig(ctx, host); err != nil || !has {
				wrong = append(wrong, fmt.Sprintf("no unit or rig %q is known to be the host", host))
			}
		}
	} else if slices.Contains(parts, kind) {
		wrong = append(wrong, fmt.Sprintf("a %s is measured in a host: name the unit or rig it sat in", kind))
	}
	if _, err := d.store.Setup(ctx, setup); err != nil {
		wrong = append(wrong, fmt.Sprintf("no setup %q is known", setup))
	}
	return kind, wrong
}

// AddPlan adds a plan for a unit. An impossible plan is refused as a whole, with every reason.
func (d *Desk) AddPlan(ctx context.Context, p method.Plan, by string) (method.Plan, error) {
	if p.Setup == "" {
		p.Setup = method.AsDelivered
	}
	kind, wrong := d.checkPlace(ctx, p.Unit, p.Host, p.Setup)
	if len(p.Steps) == 0 {
		wrong = append(wrong, "a plan needs at least one test")
	}
	for i := range p.Steps {
		s := &p.Steps[i]
		t, err := d.store.Test(ctx, s.Test, 0)
		switch {
		case err != nil:
			wrong = append(wrong, fmt.Sprintf("no test %q is known", s.Test))
			continue
		case t.Origin == "own":
			wrong = append(wrong, fmt.Sprintf("test %q is entered by the desk; an agent cannot run it", s.Test))
		case kind != "" && !t.Fits(kind):
			wrong = append(wrong, fmt.Sprintf("test %q is not meant for a %s", s.Test, kind))
		}
		if s.Repeats == 0 {
			if s.Repeats = t.Repeats; s.Repeats == 0 {
				s.Repeats = 3
			}
		}
		wrong = append(wrong, t.CheckOptions(s.Options)...)
		if s.Repeats < 1 || s.Repeats > 100 {
			wrong = append(wrong, fmt.Sprintf("%d repeats of %q: a step has 1 to 100", s.Repeats, s.Test))
		}
	}
	if len(wrong) > 0 {
		return p, refuse(Invalid, "plan refused: %s", strings.Join(wrong, "; "))
	}
	p.ID, p.State, p.Agent, p.Created = newID(), "waiting", "", d.now().UTC().Format(time.RFC3339)
	if p.Name == "" {
		p.Name = fmt.Sprintf("%d tests", len(p.Steps))
	}
	err := d.store.Write(ctx, func(q store.Queries) error {
		if err := q.PutPlan(ctx, p); err != nil {
			return err
		}
		return q.Note(ctx, d.now(), by, "add plan", p.ID, p.Unit)
	})
	d.Events.Send(Event{"bench", map[string]string{"plan": p.ID}})
	return p, err
}

// JoinCode makes a one-time code with which a machine joins for a plan; it holds for an hour.
func (d *Desk) JoinCode(ctx context.Context, plan string) (code string, expires time.Time, err error) {
	p, err := d.store.Plan(ctx, plan)
	if err != nil {
		return "", expires, missing(err, "plan", plan)
	}
	if p.State == "done" || p.State == "stopped" {
		return "", expires, refuse(Conflict, "plan %q is %s; add a new plan to measure again", plan, p.State)
	}
	code = randomCode()
	expires = d.now().Add(joinLife)
	err = d.store.Write(ctx, func(q store.Queries) error {
		return q.AddCode(ctx, hash(code), "join", plan, d.now(), expires)
	})
	return code, expires, err
}

// randomCode gives eight characters in two groups, from an alphabet without look-alikes (RFC 4648
// base 32, which has neither 0 nor 1).
func randomCode() string {
	b := make([]byte, 5)
	rand.Read(b)
	s := base32.StdEncoding.EncodeToString(b)
	return s[:4] + "-" + s[4:]
}

// Join spends a one-time code: the machine gets its plan, a token that may deliver that plan's runs,
// and what was received before, so that it can resume.
func (d *Desk) Join(ctx context.Context, code string, m record.Machine) (record.Joined, error) {
	var j record.Joined
	code = strings.ToUpper(strings.TrimSpace(code))
	if m.Boot == "" || m.Name == "" {
		return j, refuse(Invalid, "the machine did not say its name and boot")
	}
	token := randomToken()
	err := d.store.Write(ctx, func(q store.Queries) error {
		plan, err := q.UseCode(ctx, hash(code), "join", d.now())
		if err != nil {
			return refuse(Denied, "the code %q is unknown, spent or expired; make a new one with `durvek plan code`", code)
		}
		if j.Plan, err = q.Plan(ctx, plan); err != nil {
			return err
		}
		if err := q.AddToken(ctx, store.Token{Hash: hash(token), Name: m.Name, Role: "agent", Plan: plan,
			Created: d.now().UTC().Format(time.RFC3339), Expires: d.now().UTC().Add(30 * 24 * time.Hour).Format(time.RFC3339)}); err != nil {
			return err
		}
		j.Plan.State, j.Plan.Agent = "running", m.Name
		if err := q.PutPlan(ctx, j.Plan); err != nil {
			return err
		}
		return d.seat(ctx, q, &j, m)
	})
	if err != nil {
		return record.Joined{}, err
	}
	j.Token = token
	d.seated(j, m)
	return j, nil
}

// Progress takes note of where a machine stands and shows it to all who watch.
func (d *Desk) Progress(p record.Progress) {
	d.bench.mu.Lock()
	d.bench.progress[p.Plan] = p
	d.bench.mu.Unlock()
	d.Events.Send(Event{"progress", p})
}

// FinishPlan closes a plan: done if every job has a run, stopped otherwise.
func (d *Desk) FinishPlan(ctx context.Context, id string) (method.Plan, error) {
	var p method.Plan
	err := d.store.Write(ctx, func(q store.Queries) error {
		var err error
		if p, err = q.Plan(ctx, id); err != nil {
			return missing(err, "plan", id)
		}
		got, err := q.Received(ctx, id)
		if err != nil {
			return err
		}
		p.State = "done"
		if len(got) < len(p.Jobs()) {
			p.State = "stopped"
		}
		return q.PutPlan(ctx, p)
	})
	d.bench.mu.Lock()
	delete(d.bench.progress, id)
	d.bench.mu.Unlock()
	d.Events.Send(Event{"bench", map[string]string{"plan": id}})
	return p, err
}

// Bench shows the plans on the bench, those that run first, with what came of each step.
func (d *Desk) Bench(ctx context.Context, limit int) ([]record.BenchPlan, error) {
	plans, err := d.store.Plans(ctx)
	if err != nil {
		return nil, err
	}
	rank := map[string]int{"running": 0, "waiting": 1}
	slices.SortStableFunc(plans, func(a, b method.Plan) int {
		ra, ok := rank[a.State]
		if !ok {
			ra = 2
		}
		rb, ok := rank[b.State]
		if !ok {
			rb = 2
		}
		return ra - rb
	})
	out := []record.BenchPlan{}
	for _, p := range plans[:min(limit, len(plans))] {
		b, err := d.BenchPlan(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		out = append(out, b)
	}
	return out, nil
}

// BenchPlan shows one plan with what came of each step.
func (d *Desk) BenchPlan(ctx context.Context, id string) (record.BenchPlan, error) {
	var b record.BenchPlan
	p, err := d.store.Plan(ctx, id)
	if err != nil {
		return b, missing(err, "plan", id)
	}
	view, err := d.view(ctx)
	if err != nil {
		return b, err
	}
	b.Plan = p
	if u, err := d.store.Unit(ctx, p.Unit); err == nil {
		v := view.variants[u.Variant]
		b.Title, b.Variant = v.FullName()+", "+v.Note, u.Variant
	}
	b.SetupName = view.setupName(p.Setup)
	d.bench.mu.Lock()
	if pr, ok := d.bench.progress[id]; ok && p.State == "running" {
		b.Progress = &pr
	}
	if m, ok := d.bench.machines[id]; ok {
		b.Machine = &m
	}
	d.bench.mu.Unlock()
	runs, _, err := d.store.Runs(ctx, store.RunFilter{Plan: id, Limit: 10000})
	if err != nil {
		return b, err
	}
	for i, s := range p.Steps {
		t := view.tests[s.Test]
		step := record.BenchStep{Test: s.Test, Name: t.Name, Repeats: s.Repeats, State: "waits", Seconds: t.SecondsWith(s.Options) * float64(s.Repeats), Options: s.Options, Figures: []record.BenchFigure{}}
		b.Seconds += step.Seconds
		b.Writes += t.WritesWith(s.Options) * int64(s.Repeats)
		b.Jobs += s.Repeats
		for _, r := range runs {
			if r.Step != i {
				continue
			}
			step.Done++
			switch r.Outcome {
			case "failed":
				step.Failed++
				step.Note = r.Failure
			case "not-run":
				step.NotRun++
				step.Note = r.Failure
			}
		}
		b.Done += step.Done
		switch {
		case step.Done >= s.Repeats && step.NotRun == step.Done:
			step.State = "not-run"
		case step.Done >= s.Repeats && step.Failed+step.NotRun == step.Done:
			step.State = "failed"
		case step.Done >= s.Repeats:
			step.State = "done"
		case b.Progress != nil && b.Progress.Step == i:
			step.State = "running"
		}
		for _, m := range t.Measures {
			mid := method.ID(s.Test, m.Slug)
			if e, ok := d.matrix.find(mid, view.measure(mid), p.Setup, p.Unit, p.Host, p.Place); ok {
				f := record.BenchFigure{Measure: mid, Name: m.Name, Text: quantity.Format(e.Centre, m.Unit)}
				if e.Bound != "" {
					f.Text = e.Bound + " " + f.Text
				} else if v, spread := quantity.PlusMinus(e.Centre, (e.Hi-e.Lo)/2); spread != "" {
					f.Text, f.Spread = v+" "+quantity.Symbol(m.Unit), "± "+spread
				}
				step.Figures = append(step.Figures, f)
			}
		}
		b.Steps = append(b.Steps, step)
	}
	if v, err := d.store.Variant(ctx, b.Variant); err == nil { // the drive is the subject, or the one inside it
		if rated, ok := catalog.SpecNumber(v.Spec, "drive.endurance"); ok && rated > 0 {
			b.Endurance = 100 * float64(b.Writes) / (rated * 1e12)
		}
	}
	return b, nil
}

// Rejoin gives an agent that was ended its plan again, and what was received of it. A machine that
// was started anew meanwhile goes on in another sitting.
func (d *Desk) Rejoin(ctx context.Context, plan string, m record.Machine) (record.Joined, error) {
	var j record.Joined
	err := d.store.Write(ctx, func(q store.Queries) (err error) {
		if j.Plan, err = q.Plan(ctx, plan); err != nil {
			return missing(err, "plan", plan)
		}
		return d.seat(ctx, q, &j, m)
	})
	d.seated(j, m)
	return j, err
}

// seat puts a machine into its sitting and adds to the joined plan all that is needed to work through it.
func (d *Desk) seat(ctx context.Context, q store.Queries, j *record.Joined, m record.Machine) error {
	s, err := q.PutSitting(ctx, record.Sitting{ID: newID(), Unit: j.Plan.Unit, Boot: m.Boot, Started: d.now(), Machine: m})
	if err != nil {
		return err
	}
	j.Sitting = s.ID
	if j.Setup, err = q.Setup(ctx, j.Plan.Setup); err != nil {
		return err
	}
	for _, step := range j.Plan.Steps {
		t, err := q.Test(ctx, step.Test, 0)
		if err != nil {
			return err
		}
		j.Tests = append(j.Tests, t)
	}
	j.Received, err = q.Received(ctx, j.Plan.ID)
	return err
}

// seated shows on the bench which machine works through a plan.
func (d *Desk) seated(j record.Joined, m record.Machine) {
	d.bench.mu.Lock()
	d.bench.machines[j.Plan.ID] = m
	d.bench.mu.Unlock()
	d.Events.Send(Event{"bench", map[string]string{"plan": j.Plan.ID}})
}
