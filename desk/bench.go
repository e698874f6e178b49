package desk

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/store"
)

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
	for k := range s.Conditions {
		if err := d.knownOwn(ctx, k); err != nil {
			return err
		}
	}
	if old, err := d.store.Setup(ctx, s.Slug); err == nil && fmt.Sprint(old.Conditions) != fmt.Sprint(s.Conditions) {
		if _, n, err := d.store.Runs(ctx, store.RunFilter{Setup: s.Slug, Limit: 1}); err != nil || n > 0 {
			return refuse(Conflict, "setup %q has %d runs, so its conditions stay; add a setup of another name", s.Slug, n)
		}
	}
	return d.put(ctx, by, "add setup", s.Slug, func(q store.Queries) error { return q.PutSetup(ctx, s) })
}

// Conditions lists the conditions of the desk's own.
func (d *Desk) Conditions(ctx context.Context) ([]method.ConditionKey, error) {
	return d.store.Conditions(ctx)
}

// AddCondition adds a condition of the desk's own to the vocabulary, or changes its words.
func (d *Desk) AddCondition(ctx context.Context, c method.ConditionKey, by string) error {
	slug, ok := strings.CutPrefix(c.Key, method.OwnCondition)
	if !ok {
		return refuse(Invalid, "the key of a condition of your own begins with %q, such as %q", method.OwnCondition, method.OwnCondition+"table-fan")
	}
	if why := catalog.CheckSlug(slug); why != "" {
		return refuse(Invalid, "%s", why)
	}
	if c.Name == "" || c.Meaning == "" {
		return refuse(Invalid, "a condition needs a name and a meaning, so that others use it alike")
	}
	return d.put(ctx, by, "add condition", c.Key, func(q store.Queries) error { return q.PutCondition(ctx, c) })
}

// knownOwn refuses a condition of the desk's own that nobody has added.
func (d *Desk) knownOwn(ctx context.Context, key string) error {
	if !strings.HasPrefix(key, method.OwnCondition) {
		return nil
	}
	own, err := d.store.Conditions(ctx)
	if err != nil || slices.ContainsFunc(own, func(c method.ConditionKey) bool { return c.Key == key }) {
		return err
	}
	return refuse(Invalid, "no condition %q is known; add it with `durvek condition add %s --name NAME --meaning MEANING`", key, key)
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

// Join spends a one-time code: the machine gets its plan and what was received before, so that it can resume.
// The token is the agent's own secret, made before it asked, so that asking again after a lost answer is
// no second joining; without one the desk makes it. Joining is refused while another agent is at work
// on the unit or its host, and when the machine's clock is days off.
func (d *Desk) Join(ctx context.Context, code, token string, m record.Machine) (record.Joined, error) {
	var j record.Joined
	code = strings.ToUpper(strings.TrimSpace(code))
	if m.Boot == "" || m.Name == "" {
		return j, refuse(Invalid, "the machine did not say its name and boot")
	}
	if token == "" {
		token = randomToken()
	} else if len(token) < len(randomToken()) {
		return j, refuse(Invalid, "an agent's token has %d characters at least", len(randomToken()))
	}
	if err := d.checkClock(m); err != nil {
		return j, err
	}
	if t, err := d.store.FindToken(ctx, hash(token), d.now()); err == nil && t.Role == "agent" {
		j, err := d.Rejoin(ctx, t.Plan, m)
		j.Token = token
		return j, err
	}
	err := d.store.Write(ctx, func(q store.Queries) error {
		plan, err := q.UseCode(ctx, hash(code), "join", d.now())
		if errors.Is(err, store.ErrNotFound) {
			return refuse(Denied, "the code %q is unknown, spent or expired; make a new one with `durvek plan code`", code)
		}
		if err != nil {
			return err
		}
		if j.Plan, err = q.Plan(ctx, plan); err != nil {
			return err
		}
		if err := d.free(ctx, q, j.Plan); err != nil {
			return err
		}
		if err := q.DropPlanTokens(ctx, plan); err != nil { // whoever had this plan before has it no more
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
	d.seated(ctx, j, m)
	return j, nil
}

// FinishPlan closes a plan: done if every job has a run, stopped otherwise.
func (d *Desk) FinishPlan(ctx context.Context, id string) (method.Plan, error) {
	var p method.Plan
	d.flushLive(ctx) // what is late belongs to runs that are recorded
	err := d.store.Write(ctx, func(q store.Queries) error {
		var err error
		if p, err = q.Plan(ctx, id); err != nil {
			return missing(err, "plan", id)
		}
		got, err := q.Received(ctx, id)
		if err != nil {
			return err
		}
		c, err := q.PlanControl(ctx, id)
		if err != nil {
			return err
		}
		made := map[method.Job]bool{}
		for _, j := range got {
			made[j] = true
		}
		p.State = "done"
		for _, j := range p.Jobs() {
			if !made[j] && !slices.Contains(c.Skip, j.Step) {
				p.State = "stopped"
			}
		}
		if err := q.DropLive(ctx, id); err != nil {
			return err
		}
		return q.PutPlan(ctx, p)
	})
	if err == nil {
		d.bench.forget(id)
	}
	d.Events.Send(Event{"bench", map[string]string{"plan": id}})
	return p, err
}

// Bench lists the plans on the bench, those at work first, then those that wait, then the others from the newest on,
// with how far each is. What came of each step is told plan by plan.
func (d *Desk) Bench(ctx context.Context, limit int) ([]record.BenchPlan, error) {
	plans, err := d.store.Plans(ctx)
	if err != nil {
		return nil, err
	}
	rank := func(p method.Plan) int {
		return slices.Index([]string{"done", "stopped", "waiting", "silent", "running"}, p.State) / 2
	}
	slices.SortStableFunc(plans, func(a, b method.Plan) int { return rank(b) - rank(a) })
	plans = plans[:min(limit, len(plans))]
	view, err := d.view(ctx)
	if err != nil {
		return nil, err
	}
	var ids []string
	for _, p := range plans {
		ids = append(ids, p.ID)
	}
	counts, err := d.store.PlanCounts(ctx, ids)
	if err != nil {
		return nil, err
	}
	out := []record.BenchPlan{}
	for _, p := range plans {
		b := record.BenchPlan{Steps: []record.BenchStep{}, Incidents: []record.Incident{}, Doubts: []record.BenchDoubt{}, Jobs: len(p.Jobs()), Done: counts[p.ID].Done, Marked: counts[p.ID].Marked}
		d.introduce(ctx, view, p, &b)
		out = append(out, b)
	}
	return out, nil
}

// introduce fills in what a plan's view says before its steps.
func (d *Desk) introduce(ctx context.Context, view *view, p method.Plan, b *record.BenchPlan) {
	b.Plan = p
	if u, err := d.store.Unit(ctx, p.Unit); err == nil {
		v := view.variants[u.Variant]
		b.Title, b.Variant = v.FullName()+", "+v.Note, u.Variant
	}
	b.SetupName = p.Setup
	if x, err := view.setup(p.Setup); err == nil {
		b.SetupName = x.Name
	}
	if n := len(p.Setups()); n > 1 {
		b.SetupName = fmt.Sprintf("%d setups", n)
	}
	d.bench.show(b)
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
	d.introduce(ctx, view, p, &b)
	control, err := d.store.PlanControl(ctx, id)
	if err != nil {
		return b, err
	}
	b.Paused = control.Pause
	runs, _, err := d.store.Runs(ctx, store.RunFilter{Plan: id, Limit: 10000})
	if err != nil {
		return b, err
	}
	if b.Incidents, _, err = d.store.Incidents(ctx, store.IncidentFilter{Plan: id, Limit: 20}); err != nil {
		return b, err
	}
	doubts, _, err := d.store.Doubts(ctx, store.DoubtFilter{Plan: id, State: trust.Open, Limit: 20})
	if err != nil {
		return b, err
	}
	b.Doubts = []record.BenchDoubt{}
	for _, x := range doubts {
		b.Doubts = append(b.Doubts, record.BenchDoubt{ID: x.ID, Run: x.Run, Test: x.Test, TestName: x.TestName, Title: x.Title, Severity: string(x.Severity), Sentence: x.Sentence, Proposal: x.Proposal, Again: x.Again})
	}
	learned := d.lengths.of(p.Unit, testsOf(p))
	setups := map[string]method.Setup{}
	for i, s := range p.Steps {
		t := view.tests[s.Test]
		seconds := t.SecondsWith(s.Options)
		if x, ok := learned[s.Test]; ok && len(s.Options) == 0 {
			seconds = x
		}
		if p.Cool != nil {
			seconds += p.Cool.Seconds
		}
		step := record.BenchStep{Test: s.Test, Name: t.Name, Repeats: s.Repeats, State: "waits", Seconds: seconds * float64(s.Repeats), Options: s.Options,
			Setup: p.SetupOf(i), Figures: []record.BenchFigure{}}
		if setups[step.Setup], err = d.store.Setup(ctx, step.Setup); err != nil {
			return b, missing(err, "setup", step.Setup)
		}
		if i > 0 && step.Setup != p.SetupOf(i-1) {
			step.Prompt = method.Prompt(setups[p.SetupOf(i-1)], setups[step.Setup], nil)
		}
		b.Seconds += step.Seconds
		b.Writes += t.WritesWith(s.Options) * int64(s.Repeats)
		b.Jobs += s.Repeats
		var last *record.Run
		parked := 0
		for k, r := range runs {
			if r.Step != i {
				continue
			}
			step.Done++
			if len(r.Marks) > 0 {
				b.Marked++
				step.Marks = append(step.Marks, r.Marks...)
			}
			switch r.Outcome {
			case "done":
				if last == nil { // the newest comes first
					last = &runs[k]
				}
				continue
			case "failed":
				step.Failed++
			case "not-run":
				step.NotRun++
			case "parked":
				parked++
			}
			step.Note = r.Failure
		}
		b.Done += step.Done
		switch {
		case step.Done >= s.Repeats && step.NotRun == step.Done:
			step.State = "not-run"
		case step.Done >= s.Repeats && parked > 0:
			step.State = "parked"
		case step.Done >= s.Repeats && step.Failed+step.NotRun == step.Done:
			step.State = "failed"
		case step.Done >= s.Repeats:
			step.State = "done"
		case slices.Contains(control.Skip, i):
			step.State = "skipped"
			b.Jobs -= s.Repeats - step.Done
		case b.Progress != nil && b.Progress.Step == i:
			step.State = "running"
		}
		for _, m := range t.Measures {
			if f, ok := d.benchFigure(view, p, step.Setup, b.Variant, t, m, last); ok {
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

func testsOf(p method.Plan) []string {
	var out []string
	for _, s := range p.Steps {
		if !slices.Contains(out, s.Test) {
			out = append(out, s.Test)
		}
	}
	return out
}

// benchFigure is one measure's figure so far, the last reading and what was expected; false if none of
// them is known.
func (d *Desk) benchFigure(view *view, p method.Plan, setup, variant string, t method.Test, m method.Measure, last *record.Run) (record.BenchFigure, bool) {
	mid := method.ID(t.Slug, m.Slug)
	f := record.BenchFigure{Measure: mid, Name: m.Name}
	if e, ok := d.matrix.find(mid, view.measure(mid), setup, p.Unit, p.Host, p.Place); ok {
		f.Text = quantity.Format(e.Centre, m.Unit)
		if e.Bound != "" {
			f.Text = e.Bound + " " + f.Text
		} else if v, spread := quantity.PlusMinus(e.Centre, (e.Hi-e.Lo)/2); spread != "" {
			f.Text, f.Spread = v+" "+quantity.Symbol(m.Unit), "± "+spread
		}
	}
	if last != nil {
		for _, r := range last.Readings {
			if r.Measure == m.Slug && r.State != record.Missing {
				f.Last = quantity.Format(r.Value, m.Unit)
			}
		}
	}
	if v, from := d.expected(view, p.Unit, variant, mid); from != "" {
		f.Expect, f.From = quantity.Format(v, m.Unit), from
	}
	return f, f.Text != "" || f.Expect != ""
}

// expected is what the desk's history leads one to expect of a measure on a unit: the middle of other
// units of its variant, else of its model's other variants, else of its kind. from says which.
func (d *Desk) expected(view *view, unit, variant, measure string) (v float64, from string) {
	var same, siblings, kin []float64
	own := view.variants[variant].Model
	d.matrix.middles(view.measure(measure), method.AsDelivered, func(v, u string, median float64) {
		other := view.variants[v].Model
		switch {
		case u == unit:
		case v == variant:
			same = append(same, median)
		case other.Slug == own.Slug && own.Slug != "":
			siblings = append(siblings, median)
		case other.Kind == own.Kind:
			kin = append(kin, median)
		}
	})
	for _, x := range []struct {
		values []float64
		from   string
	}{{same, "its variant elsewhere"}, {siblings, "its sibling"}, {kin, fmt.Sprintf("middle of %d of its kind", len(kin))}} {
		if len(x.values) > 0 {
			return stats.Quantile(x.values, 0.5), x.from
		}
	}
	return 0, ""
}

// Rejoin gives an agent that was ended its plan again, and what was received of it. A machine that
// was started anew meanwhile goes on in another sitting; another machine is refused.
func (d *Desk) Rejoin(ctx context.Context, plan string, m record.Machine) (record.Joined, error) {
	var j record.Joined
	if err := d.checkClock(m); err != nil {
		return j, err
	}
	err := d.store.Write(ctx, func(q store.Queries) (err error) {
		if j.Plan, err = q.Plan(ctx, plan); err != nil {
			return missing(err, "plan", plan)
		}
		if j.Plan.Agent != m.Name {
			return refuse(Denied, "this plan was joined by %q, not by %q; make a new code with `durvek plan code`", j.Plan.Agent, m.Name)
		}
		return d.seat(ctx, q, &j, m)
	})
	if err != nil {
		return record.Joined{}, err
	}
	d.seated(ctx, j, m)
	return j, nil
}

// seat puts a machine into its sitting and adds to the joined plan all that is needed to work through it.
func (d *Desk) seat(ctx context.Context, q store.Queries, j *record.Joined, m record.Machine) error {
	m.Clock = nil
	s, err := q.PutSitting(ctx, record.Sitting{ID: newID(), Unit: j.Plan.Unit, Boot: m.Boot, Started: d.now(), Machine: m})
	if err != nil {
		return err
	}
	j.Sitting = s.ID
	for _, slug := range j.Plan.Setups() {
		x, err := q.Setup(ctx, slug)
		if err != nil {
			return err
		}
		j.Setups = append(j.Setups, x)
	}
	for _, slug := range testsOf(j.Plan) {
		t, err := q.Test(ctx, slug, 0)
		if err != nil {
			return err
		}
		j.Tests = append(j.Tests, t)
	}
	j.Learned = d.lengths.of(j.Plan.Unit, testsOf(j.Plan))
	j.Jobs, j.Prompts = j.Plan.Jobs(), map[string]string{}
	before := method.Setup{Conditions: map[string]string{}} // a device that comes as it is stands at its defaults
	for _, x := range j.Setups {
		for k, v := range x.Conditions {
			if v == "default" && before.Slug == "" {
				before.Conditions[k] = v
			}
		}
		j.Prompts[x.Slug] = method.Prompt(before, x, nil)
		before = x
	}
	j.Received, err = q.Received(ctx, j.Plan.ID)
	return err
}

// seated shows on the bench which machine works through a plan.
func (d *Desk) seated(ctx context.Context, j record.Joined, m record.Machine) {
	d.bench.mu.Lock()
	d.bench.at(j.Plan.ID).machine = &m
	d.bench.mu.Unlock()
	d.heard(ctx, j.Plan.ID)
	d.Events.Send(Event{"bench", map[string]string{"plan": j.Plan.ID}})
}

// farOff is how far a machine's clock may be from the service's.
const farOff = 24 * time.Hour

func (d *Desk) checkClock(m record.Machine) error {
	if m.Clock == nil || m.Simulated {
		return nil
	}
	if off := m.Clock.Sub(d.now()); off.Abs() > farOff {
		return refuse(Invalid, "the machine's clock says %s, the service's %s; set it right, then join", m.Clock.UTC().Format("2006-01-02 15:04"), d.now().UTC().Format("2006-01-02 15:04"))
	}
	return nil
}

// lengths remembers how long runs took, by test and unit, the latest few of each.
type lengths struct {
	mu   sync.Mutex
	took map[string]map[string][]float64
}

// mostLengths is how many runs of a test on a unit are remembered.
const mostLengths = 9

func (l *lengths) add(test, unit string, seconds float64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.took == nil {
		l.took = map[string]map[string][]float64{}
	}
	if l.took[test] == nil {
		l.took[test] = map[string][]float64{}
	}
	xs := append(l.took[test][unit], seconds)
	l.took[test][unit] = xs[max(0, len(xs)-mostLengths):]
}

// of gives the middle of what one run of each test took on a unit, or on any where it never ran.
func (l *lengths) of(unit string, tests []string) map[string]float64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	out := map[string]float64{}
	for _, t := range tests {
		xs := l.took[t][unit]
		if len(xs) == 0 {
			for _, other := range l.took[t] {
				xs = append(xs, other...)
			}
		}
		if s := stats.Quantile(xs, 0.5); len(xs) > 0 && s > 0 {
			out[t] = s
		}
	}
	return out
}
