package bench

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"slices"
	"strings"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/store"
)

// How long an agent's token holds after its plan's end: for what is sent again, and where a person ended the plan while
// its agent was silent, for what that agent has made.
const (
	afterEnd  = 15 * time.Minute
	afterStop = 7 * 24 * time.Hour
)

// joinLife is how long a one-time code for an agent holds.
const joinLife = time.Hour

// JoinCode makes a one-time code with which a machine joins for a plan; it holds for an hour.
func (d *Bench) JoinCode(ctx context.Context, plan string) (code string, expires time.Time, err error) {
	p, err := d.desk.Store.Plan(ctx, plan)
	if err != nil {
		return "", expires, desk.Missing(err, "plan", plan)
	}
	if p.State.Over() {
		return "", expires, desk.Refuse(desk.Conflict, "plan %q is %s; add a new plan to measure again", plan, p.State)
	}
	code = randomCode()
	expires = d.desk.Now().Add(joinLife)
	err = d.desk.Write(ctx, func(q *desk.Tx) error {
		return q.AddCode(ctx, desk.Hash(code), "join", plan, d.desk.Now(), expires)
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
func (d *Bench) Join(ctx context.Context, code, token string, m record.Machine) (record.Joined, error) {
	var j record.Joined
	code = strings.ToUpper(strings.TrimSpace(code))
	if m.Boot == "" || m.Name == "" {
		return j, desk.Refuse(desk.Invalid, "the machine did not say its name and boot")
	}
	if token == "" {
		token = desk.RandomToken()
	} else if len(token) < len(desk.RandomToken()) {
		return j, desk.Refuse(desk.Invalid, "an agent's token has %d characters at least", len(desk.RandomToken()))
	}
	if err := d.checkClock(m); err != nil {
		return j, err
	}
	t, err := d.desk.Store.FindToken(ctx, desk.Hash(token), d.desk.Now())
	if known, err := desk.Found(err); err != nil {
		return j, err
	} else if known && t.Plan != "" {
		j, err := d.Rejoin(ctx, t.Plan, m)
		j.Token = token
		return j, err
	}
	if err := d.arrive(ctx, code, m); err != nil {
		return j, err
	}
	err = d.desk.Write(ctx, func(q *desk.Tx) error {
		plan, err := q.UseCode(ctx, desk.Hash(code), "join", d.desk.Now())
		if errors.Is(err, store.ErrNotFound) {
			return desk.Refuse(desk.Denied, "the code %q is unknown, spent or expired; make a new one for the plan", code)
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
		if err := q.AddToken(ctx, store.Token{Hash: desk.Hash(token), Name: m.Name, Kind: "agent", Plan: plan,
			Created: store.Stamp(d.desk.Now()), Expires: store.Stamp(d.desk.Now().Add(30 * 24 * time.Hour))}); err != nil {
			return err
		}
		j.Plan.State, j.Plan.Agent = method.PlanRunning, m.Name
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
func (d *Bench) FinishPlan(ctx context.Context, id string) (method.Plan, error) {
	var p method.Plan
	d.flushLive(ctx) // what is late belongs to runs that are recorded
	err := d.desk.Write(ctx, func(q *desk.Tx) error {
		var err error
		if p, err = q.Plan(ctx, id); err != nil {
			return desk.Missing(err, "plan", id)
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
		p.State = method.PlanDone
		for _, j := range p.Jobs() {
			if !made[j] && !slices.Contains(c.Skip, j.Step) {
				p.State = method.PlanStopped
			}
		}
		if err := q.DropLive(ctx, id); err != nil {
			return err
		}
		// What was answered and not heard may be sent once more; then the token has ended with its plan.
		if err := q.EndPlanTokens(ctx, id, d.desk.Now().Add(afterEnd)); err != nil {
			return err
		}
		return q.PutPlan(ctx, p)
	})
	if err == nil {
		d.live.forget(id)
	}
	d.desk.Events.Send(desk.Event{Name: "bench", Data: map[string]string{"plan": id}})
	return p, err
}

// Rejoin gives an agent that was ended its plan again, and what was received of it. A machine that
// was started anew meanwhile goes on in another sitting; another machine is refused.
func (d *Bench) Rejoin(ctx context.Context, plan string, m record.Machine) (record.Joined, error) {
	var j record.Joined
	if err := d.checkClock(m); err != nil {
		return j, err
	}
	err := d.desk.Write(ctx, func(q *desk.Tx) (err error) {
		if j.Plan, err = q.Plan(ctx, plan); err != nil {
			return desk.Missing(err, "plan", plan)
		}
		if j.Plan.Agent != m.Name {
			return desk.Refuse(desk.Denied, "this plan was joined by %q, not by %q; make a new code for the plan", j.Plan.Agent,
				m.Name)
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
func (d *Bench) seat(ctx context.Context, q *desk.Tx, j *record.Joined, m record.Machine) error {
	m.Clock = nil
	s, err := q.PutSitting(ctx, record.Sitting{ID: desk.NewID(), Unit: j.Plan.Unit, Boot: m.Boot, Started: d.desk.Now(),
		Machine: m})
	if err != nil {
		return err
	}
	j.Sitting = s.ID
	if err := setupsOf(ctx, q.Queries, j); err != nil {
		return err
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

// setupsOf adds the setups that a plan asks for, in order.
func setupsOf(ctx context.Context, q store.Queries, j *record.Joined) error {
	for _, slug := range j.Plan.Setups() {
		x, err := q.Setup(ctx, slug)
		if err != nil {
			return err
		}
		j.Setups = append(j.Setups, x)
	}
	return nil
}

// seated shows on the bench which machine works through a plan.
func (d *Bench) seated(ctx context.Context, j record.Joined, m record.Machine) {
	d.live.mu.Lock()
	d.live.at(j.Plan.ID).machine = &m
	d.live.mu.Unlock()
	d.Heard(ctx, j.Plan.ID)
	d.desk.Events.Send(desk.Event{Name: "bench", Data: map[string]string{"plan": j.Plan.ID}})
}

func (d *Bench) checkClock(m record.Machine) error {
	if m.Clock == nil || m.Simulated {
		return nil
	}
	if off := m.Clock.Sub(d.desk.Now()); off.Abs() > desk.FarOff {
		return desk.Refuse(desk.Invalid, "the machine's clock says %s, the service's %s; set it right, then join",
			m.Clock.UTC().Format("2006-01-02 15:04"), d.desk.Now().UTC().Format("2006-01-02 15:04"))
	}
	return nil
}
