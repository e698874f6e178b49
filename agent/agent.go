// Package agent works through a plan on the machine under test. It sees the machine through one
// interface, so real and simulated machines are worked by the same code. A journal says what was begun;
// every finished run is on disk before it is sent and stays there until the service has acknowledged
// it: whatever is killed at whatever moment, nothing is lost and nothing is counted twice.
package agent

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"durvek/core/method"
	"durvek/core/policy"
	"durvek/core/record"
	"durvek/core/say"
)

// Machine is what the agent needs of a machine.
type Machine interface {
	Describe(context.Context) (record.Machine, error)
	// Observe tells conditions as they are now.
	Observe(context.Context) map[string]string
	// Run executes a test. It returns soon after ctx ends; a machine that does not is left to itself.
	Run(context.Context, record.Order, func(record.Sample)) (record.Outcome, error)
	// Watch begins to read the sensors so many times a second and tells them, at the machine's steady
	// clock, until stop is called.
	Watch(rate float64, tell func(at time.Duration, values map[string]float64)) (stop func())
	// Rest lets so much of the machine's time pass, or less if ctx ends.
	Rest(ctx context.Context, d time.Duration) error
	Now() time.Time       // the wall clock, which may be stepped
	Clock() time.Duration // a clock that is never stepped
}

// Service is what the agent needs of the service.
type Service interface {
	Join(ctx context.Context, code, token string, m record.Machine) (record.Joined, error)
	Rejoin(ctx context.Context, token string, m record.Machine) (record.Joined, error)
	SendRun(ctx context.Context, token string, r record.Run) error
	SendIncident(ctx context.Context, token string, x record.Incident) error
	SendProgress(ctx context.Context, token string, p record.Progress) (record.Directive, error)
	Next(ctx context.Context, token string, a policy.Account) (policy.Decision, error)
	Finish(ctx context.Context, token string) error
}

// ErrRefused marks a run that the service will never take; other errors are tried again.
var ErrRefused = errors.New("refused")

// Options say how an agent works.
type Options struct {
	Service Service
	Machine Machine
	Code    string // one-time code; empty to go on with what Dir holds
	Dir     string // where results, the journal and the session are kept
	Server  string // the service's address, kept with the session
	Log     func(format string, args ...any)
	Show    func(record.Progress)
	Confirm <-chan struct{} // a person at the machine has done what was asked; nil where nobody can

	Retry  time.Duration // first pause after a failed delivery; it doubles up to 30 s. 0 means 500 ms
	Wait   time.Duration // how long a service that is not up yet is waited for when joining. 0 means 10 min
	Report time.Duration // time between reports; 0 means 1 s
	Grace  time.Duration // how long an ended step may take to be gone; 0 means 10 s
	Limit  time.Duration // how long a run may take; 0 means ten times the usual and half an hour
	Quiet  time.Duration // how long a run may say nothing; 0 means the usual time of a run and two minutes
}

type worker struct {
	Options
	joined  record.Joined
	machine record.Machine
	outbox  string
	journal journal
	jobs    []method.Job
	done    map[method.Job]bool
	asks    map[string]int     // how often the service asked for the same thing
	learned map[string]float64 // seconds of one run per test, as it turned out
	setup   string             // the setup that the machine is in
	crashes map[int]int        // how often each step broke off
	failed  map[method.Job]int // how often each job failed and was not kept
	made    []policy.Made      // since this agent joined, and what it had kept before
	ahead   []policy.Action    // what the service said last
	asked   record.Ask         // of a person, last
	did     string             // the request that is done, as a person says
	refused []string
	result  Result
	wake    chan struct{} // something waits to be delivered
	poke    chan struct{} // something changed that people should see at once
	rested  time.Duration // machine's clock when the last run ended

	mu        sync.Mutex
	progress  record.Progress
	pending   record.Trace // of the run that is being made, not reported yet
	directive record.Directive
	gone      error // the service refuses this agent for good
	latest    map[string]float64
	current   *making
}

// Result tells how a plan went.
type Result struct {
	Plan      method.Plan
	Runs      int
	Failed    int
	NotRun    int
	Parked    int
	Incidents int
	Stopped   bool
	Refused   []string
}

// Work joins the service, works through the plan and delivers every run. It returns when all is
// delivered, when ctx ends, or when the service refuses the agent; undelivered runs stay in Dir.
func Work(ctx context.Context, o Options) (Result, error) {
	if o.Log == nil {
		o.Log = func(string, ...any) {}
	}
	for _, x := range []struct {
		d     *time.Duration
		usual time.Duration
	}{{&o.Retry, 500 * time.Millisecond}, {&o.Wait, 10 * time.Minute}, {&o.Report, time.Second},
		{&o.Grace, 10 * time.Second}} {
		if *x.d == 0 {
			*x.d = x.usual
		}
	}
	w := &worker{Options: o, learned: map[string]float64{}, outbox: filepath.Join(o.Dir, "outbox"),
		done: map[method.Job]bool{}, failed: map[method.Job]int{},
		wake: make(chan struct{}, 1), poke: make(chan struct{}, 1), rested: -1}
	if err := os.MkdirAll(w.outbox, 0o700); err != nil {
		return Result{}, fmt.Errorf("make the agent's folder: %w", err)
	}
	if err := w.join(ctx); err != nil {
		return Result{}, err
	}
	if err := sound(w.joined); err != nil {
		return Result{}, fmt.Errorf("%s sends a plan that cannot be worked through: %w", w.Server, err)
	}
	w.result = Result{Plan: w.joined.Plan}
	w.jobs = w.joined.Plan.Jobs()
	o.Log("Joined for plan %q: %s of %s on %s.", w.joined.Plan.Name, say.Things(len(w.jobs), "run"),
		say.Things(len(w.joined.Tests), "test"),
		w.joined.Plan.Unit)
	for k, s := range w.joined.Learned {
		w.learned[k] = s
	}
	for _, j := range w.joined.Received {
		w.done[method.Job{Step: j.Step, Repeat: j.Repeat, Test: j.Test}] = true
	}
	for _, r := range w.kept() {
		w.count(r)
	}
	if err := w.recover(ctx); err != nil {
		return w.result, err
	}

	working, stop := context.WithCancel(ctx)
	defer stop()
	var helpers sync.WaitGroup
	help := func(f func()) {
		helpers.Add(1)
		go func() { defer helpers.Done(); f() }()
	}
	delivered, finished := make(chan error, 1), make(chan struct{})
	help(func() { delivered <- w.deliver(working, finished) })
	help(func() { w.report(working) })
	rest := w.Machine.Watch(w.joined.Plan.Rate(), w.sensed)
	err := w.work(working)
	rest()
	if err == nil {
		close(finished)
		err = <-delivered
	}
	stop()
	helpers.Wait()
	w.result.Refused = w.refused
	if err != nil {
		return w.result, err
	}
	if err := w.patiently(ctx, away, func() error { return o.Service.Finish(ctx, w.joined.Token) }); err != nil {
		return w.result, err
	}
	w.journal.close()
	for _, name := range []string{"session.json", "journal.jsonl", "last.json"} {
		os.Remove(filepath.Join(o.Dir, name))
	}
	return w.result, nil
}

// work does what the service says is next until that is the end.
func (w *worker) work(ctx context.Context) error {
	for {
		x, err := w.next(ctx)
		if err != nil {
			return err
		}
		if err := w.endless(x); err != nil {
			return err
		}
		switch x.Do {
		case policy.End:
			if w.result.Stopped = x.Stopped; x.Stopped {
				w.Log("%s.", x.Text)
			}
			return nil
		case policy.Wait:
			w.show(func(p *record.Progress) { p.State, p.Phase, p.Ask = record.Paused, x.Text, nil })
			err = w.pause(ctx)
		case policy.Ask:
			err = w.ask(ctx, *x.Ask)
		case policy.GiveUp:
			err = w.park(ctx, x.Step, x.Text)
		case policy.Run:
			err = w.make(ctx, x)
		default:
			err = fmt.Errorf("the service says %q, which this agent does not know; take a newer one", x.Do)
		}
		if err != nil && !errors.Is(err, errAgain) {
			return err
		}
	}
}

// errAgain says that what was begun does not count; the service is asked what is next.
var errAgain = errors.New("again")

// make rests the machine, makes a run and keeps it.
func (w *worker) make(ctx context.Context, x policy.Action) error {
	if w.asked.ID != "" {
		w.asked = record.Ask{}
		w.Log("Goes on: %s.", w.setupOf(w.setup).Name)
	}
	w.show(func(p *record.Progress) { p.State, p.Ask = record.Working, x.Ask })
	if err := w.prepare(ctx, *x.Job, x.Cool); err != nil {
		return err
	}
	r, err := w.run(ctx, *x.Job, x.Failure == policy.Again)
	if err != nil {
		return err
	}
	if r.Outcome == record.Failed && x.Failure != policy.GoOn {
		w.ahead = nil
	}
	return w.finish(ctx, r)
}

func (w *worker) setupOf(slug string) method.Setup {
	for _, s := range w.joined.Setups {
		if s.Slug == slug {
			return s
		}
	}
	return method.Setup{Slug: slug}
}

// ask shows what a person is to do, and waits a moment for it.
func (w *worker) ask(ctx context.Context, a record.Ask) error {
	if w.asked.ID != a.ID {
		w.asked = a
		w.Log("A hand is needed: %s. Then say so on the bench, with `durvek plan confirm`, or press Enter here.", a.Text)
	}
	w.show(func(p *record.Progress) { p.State, p.Phase, p.Ask = record.Asking, a.Text, &a })
	d, err := w.told()
	if err != nil {
		return err
	}
	done := d.Confirmed == a.ID
	select {
	case <-w.Confirm:
		done = true
	default:
	}
	if !done || w.did == a.ID {
		return w.pause(ctx)
	}
	w.did = a.ID
	if h, ok := w.Machine.(interface{ Hand(method.Setup) }); ok {
		h.Hand(w.setupOf(a.Setup)) // who confirms to a simulated machine has acted on it
	}
	return nil
}

// pause lets a moment of the machine's time pass, and of ours.
func (w *worker) pause(ctx context.Context) error {
	began, moment := time.Now(), min(w.Report, time.Second)
	if w.Machine.Rest(ctx, moment) != nil {
		return w.broken(ctx)
	}
	select {
	case <-ctx.Done():
		return w.broken(ctx)
	case <-time.After(moment - time.Since(began)):
		return nil
	}
}

// broken says why the work ends before the plan does.
func (w *worker) broken(ctx context.Context) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.gone != nil {
		return w.gone
	}
	return fmt.Errorf("stopped before the plan was done; results so far are kept in %s: %w", w.Dir, context.Cause(ctx))
}

// told is what people want of the plan, as of the last report; an error if the service refuses this agent.
func (w *worker) told() (record.Directive, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.directive, w.gone
}

// prepare lets the machine cool down and the room come back into its band, as the plan says.
func (w *worker) prepare(ctx context.Context, j method.Job, c *method.Cool) error {
	p := w.joined.Plan
	test := w.test(j.Test)
	w.show(func(x *record.Progress) {
		x.Test, x.Step, x.Repeat, x.Share, x.Setup = test.Name, j.Step, j.Repeat, 0, w.setup
	})
	if c != nil && w.rested >= 0 {
		most := c.Most
		if most == 0 {
			most = max(600, c.Seconds)
		}
		for {
			waited := (w.Machine.Clock() - w.rested).Seconds()
			hot, told := w.sensor("temperature.package")
			cool := c.Below == 0 || told && hot <= c.Below || !told
			if waited >= c.Seconds && cool || waited >= most {
				if waited >= most && c.Below > 0 && !cool {
					w.Log("%s begins at %.0f °C: it did not cool to %.0f °C within %.0f s.", test.Name, hot, c.Below, most)
				}
				break
			}
			w.show(func(x *record.Progress) {
				x.State, x.Phase = record.Cooling, fmt.Sprintf("cooling down, %.0f s", waited)
				if told && c.Below > 0 {
					x.Phase = fmt.Sprintf("cooling down, %.0f °C to %.0f °C", hot, c.Below)
				}
			})
			if d, err := w.told(); err != nil || d.Stop || d.Pause {
				return errAgain
			}
			if err := w.Machine.Rest(ctx, time.Second); err != nil {
				return w.broken(ctx)
			}
		}
	}
	for p.Ambient != nil && p.Departure == "stop" {
		room, told := w.sensor("temperature.ambient")
		if !told || p.Ambient.Holds(room) {
			break
		}
		w.show(func(x *record.Progress) {
			x.State, x.Phase = record.Ambient, fmt.Sprintf("waits for the room: %.1f °C, the plan says %g to %g °C", room,
				p.Ambient.Low, p.Ambient.High)
		})
		if d, err := w.told(); err != nil || d.Stop || d.Pause || slices.Contains(d.Skip, j.Step) {
			return errAgain
		}
		if err := w.Machine.Rest(ctx, 5*time.Second); err != nil {
			return w.broken(ctx)
		}
	}
	return nil
}

// sensor is what a channel told last.
func (w *worker) sensor(channel string) (float64, bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	v, ok := w.latest[channel]
	return v, ok
}

func (w *worker) test(slug string) method.Test {
	for _, t := range w.joined.Tests {
		if t.Slug == slug {
			return t
		}
	}
	return method.Test{Slug: slug, Name: slug}
}

// finish keeps a run on disk, takes note of it in the journal and wakes who delivers.
func (w *worker) finish(ctx context.Context, r record.Run) error {
	w.result.Runs++
	switch r.Outcome {
	case record.Failed:
		w.result.Failed++
		w.Log("%s, repeat %d: failed: %s", r.Test, r.Repeat+1, r.Failure)
	case record.NotRun:
		w.result.NotRun++
		w.Log("%s, repeat %d: not run: %s", r.Test, r.Repeat+1, r.Failure)
	case record.Parked:
		w.result.Parked++
	}
	for _, m := range r.Marks {
		w.Log("%s, repeat %d: %s", r.Test, r.Repeat+1, m.Text)
	}
	if err := w.keep(ctx, r.ID+".json", r); err != nil {
		return err
	}
	w.mu.Lock()
	w.count(r)
	w.mu.Unlock()
	w.rested = w.Machine.Clock()
	return w.onDisk(ctx, func() error {
		return w.journal.write(entry{Event: "end", Step: r.Step, Repeat: r.Repeat,
			Run: r.ID})
	})
}

// count takes note that a job has its run.
func (w *worker) count(r record.Run) {
	j := method.Job{Step: r.Step, Repeat: r.Repeat, Test: r.Test}
	w.done[j] = true
	w.made = append(w.made, policy.Made{Job: j, Outcome: r.Outcome})
}

// park gives every repeat of a step that is not made yet up, with the reason.
func (w *worker) park(ctx context.Context, step int, why string) error {
	w.Log("%s is parked: %s.", w.test(w.joined.Plan.Steps[step].Test).Name, why)
	for _, j := range w.jobs {
		if j.Step != step || w.done[j] {
			continue
		}
		r := w.newRun(j, w.Machine.Now())
		r.Ended, r.Outcome, r.Failure, r.Readings = r.Started, record.Parked, why, []record.Reading{}
		if err := w.finish(ctx, r); err != nil {
			return err
		}
	}
	return nil
}
