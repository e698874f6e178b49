package desk

import (
	"context"
	"fmt"
	"math"
	"sync"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/store"
	"durvek/trace"
)

// bench is what runs now; it lives only in memory. What must outlast the service is in the store.
type bench struct {
	mu      sync.Mutex
	plans   map[string]*atWork
	pending []store.LiveTrace // reports on their way into the store
}

// atWork is a plan with an agent.
type atWork struct {
	machine   *record.Machine
	progress  *record.Progress
	heard     time.Time
	live      record.Trace // of the run that is being made
	run       string
	directive record.Directive
	known     bool // directive was read from the store
}

// liveSamples bounds the trace of a running test that is held for those who watch.
const liveSamples = 36000

// at finds or makes a plan's entry; the caller holds the lock.
func (b *bench) at(plan string) *atWork {
	if b.plans[plan] == nil {
		b.plans[plan] = &atWork{}
	}
	return b.plans[plan]
}

func (b *bench) forget(plan string) {
	b.mu.Lock()
	delete(b.plans, plan)
	b.mu.Unlock()
}

// show adds to a plan's view what is known of it now.
func (b *bench) show(p *record.BenchPlan) {
	b.mu.Lock()
	defer b.mu.Unlock()
	w := b.plans[p.Plan.ID]
	if w == nil {
		return
	}
	if w.progress != nil && p.Plan.State == "running" {
		x := *w.progress
		x.Trace = nil
		p.Progress = &x
	}
	if !w.heard.IsZero() {
		t := w.heard
		p.Heard = &t
	}
	p.Machine = w.machine
}

// asked is what a plan asks a person to do; nil if nothing.
func (b *bench) asked(plan string) *record.Ask {
	b.mu.Lock()
	defer b.mu.Unlock()
	if w := b.plans[plan]; w != nil && w.progress != nil {
		return w.progress.Ask
	}
	return nil
}

func (b *bench) direct(plan string, d record.Directive) {
	b.mu.Lock()
	w := b.at(plan)
	w.directive, w.known = d, true
	b.mu.Unlock()
}

// Progress takes note of where a machine stands, shows it to all who watch, and answers with what people
// want of the plan. The trace that comes with it is acknowledged before it is on disk: the agent keeps
// it until the run itself is acknowledged.
func (d *Desk) Progress(ctx context.Context, p record.Progress) (record.Directive, error) {
	var fresh record.Trace
	if len(p.Trace) > 0 {
		var err error
		if fresh, err = trace.Unpack(p.Trace); err != nil {
			return record.Directive{}, refuse(Invalid, "%v", err)
		}
	}
	d.bench.mu.Lock()
	w := d.bench.at(p.Plan)
	if p.Run != w.run {
		w.run, w.live = p.Run, record.Trace{}
	}
	if len(fresh.Times) > 0 && p.Run != "" {
		if n := len(w.live.Times); n > liveSamples {
			w.live = w.live.Slice(n/2, n)
		}
		w.live.Append(fresh)
		seq := int64(math.Round(fresh.Times[0] * 1000))
		d.bench.pending = append(d.bench.pending, store.LiveTrace{Plan: p.Plan, Run: p.Run, Seq: seq, Data: p.Trace})
	}
	old := w.progress
	x := p
	x.Trace = nil
	w.progress = &x
	directive, known := w.directive, w.known
	d.bench.mu.Unlock()
	d.heard(ctx, p.Plan)
	if !known {
		c, err := d.store.PlanControl(ctx, p.Plan)
		if err != nil {
			return c, missing(err, "plan", p.Plan)
		}
		d.bench.direct(p.Plan, c)
		directive = c
	}
	d.Events.Send(Event{"progress", x})
	if old == nil || old.State != p.State || len(old.Marks) != len(p.Marks) || (old.Ask == nil) != (p.Ask == nil) {
		d.Events.Send(Event{"bench", map[string]string{"plan": p.Plan}})
	}
	return directive, nil
}

// LiveTrace gives what the sensors of a plan at work told of the run that is being made.
func (d *Desk) LiveTrace(plan string) record.Trace {
	d.bench.mu.Lock()
	defer d.bench.mu.Unlock()
	if w := d.bench.plans[plan]; w != nil {
		return w.live.Slice(0, len(w.live.Times))
	}
	return record.Trace{}
}

// heard renews a plan's lease; a plan that had gone silent is at work again.
func (d *Desk) heard(ctx context.Context, plan string) {
	d.bench.mu.Lock()
	w := d.bench.at(plan)
	silent := d.now().Sub(w.heard) > d.lease // also where it was never heard since the service began
	w.heard = d.now()
	d.bench.mu.Unlock()
	if silent {
		d.cameBack(ctx, plan)
	}
}

func (d *Desk) cameBack(ctx context.Context, plan string) {
	changed := false
	d.store.Write(ctx, func(q store.Queries) (err error) {
		if changed, err = q.SetPlanState(ctx, plan, "silent", "running"); err != nil || !changed {
			return err
		}
		id, err := q.OpenIncident(ctx, plan, "disconnection")
		if err != nil {
			return nil // nothing to close
		}
		return q.CloseIncident(ctx, id, d.now())
	})
	if changed {
		d.Events.Send(Event{"bench", map[string]string{"plan": plan}})
	}
}

// free refuses while an agent is at work on a plan's unit or in its host.
func (d *Desk) free(ctx context.Context, q store.Queries, p method.Plan) error {
	others, err := q.PlansAtWork(ctx)
	if err != nil {
		return err
	}
	machines := func(p method.Plan) []string {
		if p.Host == "" {
			return []string{p.Unit}
		}
		return []string{p.Unit, p.Host}
	}
	d.bench.mu.Lock()
	defer d.bench.mu.Unlock()
	for _, o := range others {
		w := d.bench.plans[o.ID]
		if w == nil || d.now().Sub(w.heard) > d.lease {
			continue // its lease has ended
		}
		for _, a := range machines(o) {
			for _, b := range machines(p) {
				if a == b {
					return refuse(Conflict, "%s has an agent at work, %q, heard %.0f s ago; a unit has one at a time: wait until it is done, stop its plan, or end it and wait %.0f s",
						a, o.Agent, d.now().Sub(w.heard).Seconds(), d.lease.Seconds())
				}
			}
		}
	}
	return nil
}

// tend runs until stop is closed: it writes down what came in of traces, and ends the leases of agents that
// have gone silent.
func (d *Desk) tend(stop <-chan struct{}) {
	defer close(d.tended)
	tick := time.NewTicker(500 * time.Millisecond)
	defer tick.Stop()
	for last := false; !last; {
		select {
		case <-tick.C:
		case <-stop:
			last = true
		}
		d.flushLive(context.Background())
		if !last {
			d.endLeases(context.Background())
		}
	}
}

// flushLive writes all pending reports in one transaction. If that fails they wait for the next time, as
// many as there is room for.
func (d *Desk) flushLive(ctx context.Context) {
	d.bench.mu.Lock()
	batch := d.bench.pending
	d.bench.pending = nil
	d.bench.mu.Unlock()
	if len(batch) == 0 {
		return
	}
	if err := d.store.Write(ctx, func(q store.Queries) error { return q.AddLive(ctx, batch) }); err != nil {
		d.bench.mu.Lock()
		if len(d.bench.pending) < 10000 {
			d.bench.pending = append(batch, d.bench.pending...)
		}
		d.bench.mu.Unlock()
	}
}

// endLeases marks plans whose agent has gone silent, and keeps an incident of it.
func (d *Desk) endLeases(ctx context.Context) {
	d.bench.mu.Lock()
	var silent []string
	for id, w := range d.bench.plans {
		if !w.heard.IsZero() && d.now().Sub(w.heard) > d.lease {
			silent = append(silent, id)
		}
	}
	d.bench.mu.Unlock()
	for _, id := range silent {
		ended := false
		d.store.Write(ctx, func(q store.Queries) error {
			var err error
			if ended, err = q.SetPlanState(ctx, id, "running", "silent"); err != nil || !ended {
				return err
			}
			p, err := q.Plan(ctx, id)
			if err != nil {
				return err
			}
			x := record.Incident{ID: newID(), Unit: p.Unit, Host: p.Host, Place: p.Place, Plan: id, Kind: "disconnection", Times: 1, By: "service",
				Text: fmt.Sprintf("%s went silent; its lease ended after %.0f s.", p.Agent, d.lease.Seconds())}
			d.bench.mu.Lock()
			w := d.bench.at(id)
			x.At = w.heard
			if pr := w.progress; pr != nil {
				step := pr.Step
				x.Step, x.Run, x.Last = &step, pr.Run, pr.Last
				if step < len(p.Steps) {
					x.Test = p.Steps[step].Test
				}
			}
			d.bench.mu.Unlock()
			_, err = q.AddIncident(ctx, x)
			return err
		})
		if ended {
			d.Events.Send(Event{"bench", map[string]string{"plan": id}})
		}
	}
}

// remember renews the leases of plans that were at work when the service was ended, so that their agents
// have time to come back before anybody takes over.
func (d *Desk) remember(ctx context.Context) error {
	plans, err := d.store.PlansAtWork(ctx)
	for _, p := range plans {
		if p.State == "running" {
			d.bench.at(p.ID).heard = d.now()
		}
	}
	return err
}
