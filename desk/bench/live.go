package bench

import (
	"context"
	"fmt"
	"log/slog"
	"math"
	"sync"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/store"
	"durvek/trace"
)

// live is what runs now; it lives only in memory. What must outlast the service is in the store.
type live struct {
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

// What a report may bring beside what the sensors said.
const (
	mostBeat    = 8
	mostPicture = 256 << 10
)

// at finds or makes a plan's entry; the caller holds the lock.
func (b *live) at(plan string) *atWork {
	if b.plans[plan] == nil {
		b.plans[plan] = &atWork{}
	}
	return b.plans[plan]
}

func (b *live) forget(plan string) {
	b.mu.Lock()
	delete(b.plans, plan)
	b.mu.Unlock()
}

// show adds to a plan's view what is known of it now.
func (b *live) show(p *record.BenchPlan) {
	b.mu.Lock()
	defer b.mu.Unlock()
	w := b.plans[p.Plan.ID]
	if w == nil {
		return
	}
	if w.progress != nil && p.Plan.State == method.PlanRunning {
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
func (b *live) asked(plan string) *record.Ask {
	b.mu.Lock()
	defer b.mu.Unlock()
	if w := b.plans[plan]; w != nil && w.progress != nil {
		return w.progress.Ask
	}
	return nil
}

func (b *live) direct(plan string, d record.Directive) {
	b.mu.Lock()
	w := b.at(plan)
	w.directive, w.known = d, true
	b.mu.Unlock()
}

// Progress takes note of where a machine stands, shows it to all who watch, and answers with what people
// want of the plan. The trace that comes with it is acknowledged before it is on disk: the agent keeps
// it until the run itself is acknowledged.
func (d *Bench) Progress(ctx context.Context, p record.Progress) (record.Directive, error) {
	if stop, err := d.over(ctx, p.Plan); err != nil || stop.Stop {
		return stop, err
	}
	if len(p.Beat) > mostBeat || len(p.Picture) > mostPicture {
		return record.Directive{}, desk.Refuse(desk.Invalid, "a report has %d channels of a heartbeat at most and a "+
			"picture of "+
			"%d KiB", mostBeat, mostPicture>>10)
	}
	var fresh record.Trace
	if len(p.Trace) > 0 {
		var err error
		if fresh, err = trace.Unpack(p.Trace); err != nil {
			return record.Directive{}, desk.Refuse(desk.Invalid, "%v", err)
		}
	}
	d.live.mu.Lock()
	w := d.live.at(p.Plan)
	if p.Run != w.run {
		w.run, w.live = p.Run, record.Trace{}
	}
	if len(fresh.Times) > 0 && p.Run != "" {
		if n := len(w.live.Times); n > liveSamples {
			w.live = w.live.Slice(n/2, n)
		}
		w.live.Append(fresh)
		seq := int64(math.Round(fresh.Times[0] * 1000))
		d.live.pending = append(d.live.pending, store.LiveTrace{Plan: p.Plan, Run: p.Run, Seq: seq, Data: p.Trace})
	}
	if len(p.Beat) > 0 && p.Run != "" {
		// Beside what sensors tell, and a millisecond later than what they may have told in the same report.
		var beat record.Trace
		beat.Add(p.At, p.Beat, nil)
		w.live.Append(beat)
		d.live.pending = append(d.live.pending, store.LiveTrace{Plan: p.Plan, Run: p.Run,
			Seq: int64(math.Round(p.At*1000)) + 1, Data: trace.Pack(beat)})
	}
	old := w.progress
	x := p
	x.Trace, x.Beat = nil, nil
	kept := x // who comes later sees the last picture, too
	if old != nil && old.Run == x.Run && x.Picture == nil {
		kept.Picture = old.Picture
	}
	w.progress = &kept
	d.live.mu.Unlock()
	d.Heard(ctx, p.Plan)
	directive, err := d.wanted(ctx, p.Plan)
	if err != nil {
		return directive, err
	}
	d.desk.Events.Send(desk.Event{Name: "progress", Data: x})
	if old == nil || old.State != p.State || len(old.Marks) != len(p.Marks) || (old.Ask == nil) != (p.Ask == nil) {
		d.desk.Events.Send(desk.Event{Name: "bench", Data: map[string]string{"plan": p.Plan}})
	}
	return directive, nil
}

// over refuses what is said of a plan that is over. Where a person stopped it while its agent was silent, the agent is
// told to stop.
func (d *Bench) over(ctx context.Context, plan string) (record.Directive, error) {
	p, err := d.desk.Store.Plan(ctx, plan)
	if err != nil || !p.State.Over() {
		return record.Directive{}, desk.Missing(err, "plan", plan)
	}
	want, err := d.wanted(ctx, plan)
	if err == nil && !want.Stop {
		err = desk.Refuse(desk.Conflict, "plan %q is %s; nothing more is taken for it", plan, p.State)
	}
	return want, err
}

// AtWork is how many plans have been heard of within their lease.
func (d *Bench) AtWork() (n int) {
	d.live.mu.Lock()
	defer d.live.mu.Unlock()
	for _, w := range d.live.plans {
		if !w.heard.IsZero() && d.desk.Now().Sub(w.heard) <= d.desk.Lease {
			n++
		}
	}
	return n
}

// Waiting is how many reports of sensors wait to be written down.
func (d *Bench) Waiting() int {
	d.live.mu.Lock()
	defer d.live.mu.Unlock()
	return len(d.live.pending)
}

// LiveTrace gives what the sensors of a plan at work told of the run that is being made.
func (d *Bench) LiveTrace(plan string) record.Trace {
	d.live.mu.Lock()
	defer d.live.mu.Unlock()
	if w := d.live.plans[plan]; w != nil {
		return w.live.Slice(0, len(w.live.Times))
	}
	return record.Trace{}
}

// Heard renews a plan's lease; a plan that had gone silent is at work again.
func (d *Bench) Heard(ctx context.Context, plan string) {
	d.live.mu.Lock()
	w := d.live.at(plan)
	silent := d.desk.Now().Sub(w.heard) > d.desk.Lease // also where it was never heard since the service began
	w.heard = d.desk.Now()
	d.live.mu.Unlock()
	if silent {
		d.cameBack(ctx, plan)
	}
}

func (d *Bench) cameBack(ctx context.Context, plan string) {
	changed := false
	err := d.desk.Write(ctx, func(q *desk.Tx) (err error) {
		if changed, err = q.SetPlanState(ctx, plan, method.PlanSilent, method.PlanRunning); err != nil || !changed {
			return err
		}
		id, err := q.OpenIncident(ctx, plan, record.Disconnection)
		if known, err := desk.Found(err); err != nil || !known {
			return err // nothing to close
		}
		return q.CloseIncident(ctx, id, d.desk.Now())
	})
	if err != nil {
		slog.Error("a plan that is heard of again could not be marked", "plan", plan, "error", err)
	} else if changed {
		d.desk.Events.Send(desk.Event{Name: "bench", Data: map[string]string{"plan": plan}})
	}
}

// free refuses while an agent is at work on a plan's unit or in its host.
func (d *Bench) free(ctx context.Context, q *desk.Tx, p method.Plan) error {
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
	d.live.mu.Lock()
	defer d.live.mu.Unlock()
	for _, o := range others {
		w := d.live.plans[o.ID]
		if w == nil || d.desk.Now().Sub(w.heard) > d.desk.Lease {
			continue // its lease has ended
		}
		for _, a := range machines(o) {
			for _, b := range machines(p) {
				if a == b {
					return desk.Refuse(desk.Conflict, "%s has an agent at work, %q, heard %.0f s ago; a unit has one at a time: "+
						"wait until it is done, stop its plan, or end it and wait %.0f s",
						a, o.Agent, d.desk.Now().Sub(w.heard).Seconds(), d.desk.Lease.Seconds())
				}
			}
		}
	}
	return nil
}

// tend runs until stop is closed: it writes down what came in of traces, and ends the leases of agents that
// have gone silent.
func (d *Bench) tend(stop <-chan struct{}) {
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
func (d *Bench) flushLive(ctx context.Context) {
	d.live.mu.Lock()
	batch := d.live.pending
	d.live.pending = nil
	d.live.mu.Unlock()
	if len(batch) == 0 {
		return
	}
	if err := d.desk.Write(ctx, func(q *desk.Tx) error { return q.AddLive(ctx, batch) }); err != nil {
		d.live.mu.Lock()
		if len(d.live.pending) < 10000 {
			d.live.pending = append(batch, d.live.pending...)
		}
		d.live.mu.Unlock()
	}
}

// endLeases marks plans whose agent has gone silent, and keeps an incident of it.
func (d *Bench) endLeases(ctx context.Context) {
	d.live.mu.Lock()
	var silent []string
	for id, w := range d.live.plans {
		if !w.heard.IsZero() && d.desk.Now().Sub(w.heard) > d.desk.Lease {
			silent = append(silent, id)
		}
	}
	d.live.mu.Unlock()
	for _, id := range silent {
		ended := false
		err := d.desk.Write(ctx, func(q *desk.Tx) error {
			var err error
			if ended, err = q.SetPlanState(ctx, id, method.PlanRunning, method.PlanSilent); err != nil || !ended {
				return err
			}
			p, err := q.Plan(ctx, id)
			if err != nil {
				return err
			}
			if ends, err := d.endsSilent(ctx, q, p); err != nil || ends {
				return err
			}
			x := record.Incident{ID: desk.NewID(), Unit: p.Unit, Host: p.Host, Place: p.Place, Plan: id,
				Kind: record.Disconnection, Times: 1, By: "service",
				Text: fmt.Sprintf("%s went silent; its lease ended after %.0f s.", p.Agent, d.desk.Lease.Seconds())}
			d.live.mu.Lock()
			w := d.live.at(id)
			x.At = w.heard
			if pr := w.progress; pr != nil {
				step := pr.Step
				x.Step, x.Run, x.Last = &step, pr.Run, pr.Last
				if step < len(p.Steps) {
					x.Test = p.Steps[step].Test
				}
			}
			d.live.mu.Unlock()
			_, err = q.AddIncident(ctx, x)
			return err
		})
		if err != nil {
			slog.Error("a plan whose agent is silent could not be marked; tried again", "plan", id, "error", err)
		} else if ended {
			d.desk.Events.Send(desk.Event{Name: "bench", Data: map[string]string{"plan": id}})
		}
	}
}

// endsSilent tells whether what a plan's machine is making ends with the machine itself: a load that runs a battery
// down.
// Its silence is no incident.
func (d *Bench) endsSilent(ctx context.Context, q *desk.Tx, p method.Plan) (bool, error) {
	d.live.mu.Lock()
	step := -1
	if w := d.live.at(p.ID); w.progress != nil && w.progress.Run != "" {
		step = w.progress.Step
	}
	d.live.mu.Unlock()
	if step < 0 || step >= len(p.Steps) {
		return false, nil
	}
	t, err := q.Test(ctx, p.Steps[step].Test, 0)
	return t.Lasting(), err
}

// remember renews the leases of plans that were at work when the service was ended, so that their agents
// have time to come back before anybody takes over.
func (d *Bench) remember(ctx context.Context) error {
	plans, err := d.desk.Store.PlansAtWork(ctx)
	for _, p := range plans {
		if p.State == method.PlanRunning {
			d.live.at(p.ID).heard = d.desk.Now()
		}
	}
	return err
}
