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
	"durvek/core/record"
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
	learned map[string]float64 // seconds of one run per test, as it turned out
	setup   string             // the setup that the machine is in
	crashes map[int]int        // how often each step broke off
	retried map[method.Job]int // how often each job failed and was tried again
	asks    int
	asked   record.Ask
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
		done: map[method.Job]bool{}, retried: map[method.Job]int{},
		wake: make(chan struct{}, 1), poke: make(chan struct{}, 1), rested: -1}
	if err := os.MkdirAll(w.outbox, 0o700); err != nil {
		return Result{}, fmt.Errorf("make the agent's folder: %w", err)
	}
	if err := w.join(ctx); err != nil {
		return Result{}, err
	}
	w.result = Result{Plan: w.joined.Plan}
	w.jobs = w.joined.Plan.Jobs()
	o.Log("Joined for plan %q: %d runs of %d tests on %s.", w.joined.Plan.Name, len(w.jobs), len(w.joined.Tests),
		w.joined.Plan.Unit)
	for k, s := range w.joined.Learned {
		w.learned[k] = s
	}
	for _, j := range w.joined.Received {
		w.done[method.Job{Step: j.Step, Repeat: j.Repeat, Test: j.Test}] = true
	}
	for _, r := range w.kept() {
		w.done[method.Job{Step: r.Step, Repeat: r.Repeat, Test: r.Test}] = true
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

// work makes one run after the other until none is left or people stop the plan.
func (w *worker) work(ctx context.Context) error {
	failed := map[int]bool{} // steps of which no more is made after a failure
	for {
		d, err := w.told()
		switch {
		case err != nil:
			return err
		case ctx.Err() != nil:
			return w.broken(ctx)
		case d.Stop:
			w.Log("The plan was stopped.")
			w.result.Stopped = true
			return nil
		case d.Pause:
			w.show(func(p *record.Progress) { p.State, p.Phase, p.Ask = record.Paused, "paused", nil })
			if err := w.pause(ctx); err != nil {
				return err
			}
			continue
		}
		i, ask := w.next(ctx, d)
		switch {
		case i < 0 && ask == nil:
			return nil
		case i < 0:
			if err := w.ask(ctx, ask, d); err != nil {
				return err
			}
			continue
		}
		j := w.jobs[i]
		w.show(func(p *record.Progress) { p.Ask = ask })
		if err := w.prepare(ctx, j); err != nil {
			if errors.Is(err, errAgain) {
				continue
			}
			return err
		}
		r, err := w.run(ctx, i)
		if errors.Is(err, errAgain) {
			continue
		}
		if err != nil {
			return err
		}
		if err := w.finish(ctx, r); err != nil {
			return err
		}
		if r.Outcome != record.Failed || failed[j.Step] {
			continue
		}
		switch w.joined.Plan.Failure {
		case "skip":
			failed[j.Step] = true
			if err := w.park(ctx, j.Step, "left out after a failure"); err != nil {
				return err
			}
		case "stop":
			w.Log("The plan stops after a failure, as it says.")
			w.result.Stopped = true
			return nil
		}
	}
}

// errAgain sends the loop around once more.
var errAgain = errors.New("again")

// next chooses the job to make: the first in order whose setup the machine is in, else the first whose
// setup needs no hand. Where a hand is needed it returns what is to be asked, Now if nothing else is left.
func (w *worker) next(ctx context.Context, d record.Directive) (int, *record.Ask) {
	first := -1
	var others []int // the first job of every other setup
	seen := map[string]bool{}
	for i, j := range w.jobs {
		if w.done[j] || slices.Contains(d.Skip, j.Step) {
			continue
		}
		setup := w.joined.Plan.SetupOf(j.Step)
		if w.setup == "" { // as it stands: what departs from it is asked for below
			w.setup = setup
		}
		if seen[setup] {
			continue
		}
		seen[setup] = true
		if setup == w.setup {
			first = i
		} else {
			others = append(others, i)
		}
	}
	stops := w.joined.Plan.Departure == "stop"
	if first >= 0 && len(others) == 0 && !stops {
		return first, nil
	}
	observed := w.Machine.Observe(ctx)
	need := func(i int) (setup, text string) { // what a person must do before a job
		setup = w.joined.Plan.SetupOf(w.jobs[i].Step)
		return setup, method.Prompt(w.setupOf(w.setup), w.setupOf(setup), observed)
	}
	if first >= 0 {
		// Under the policy to stop, a run in another setup would be ended at once: a hand first, or other work meanwhile.
		if _, text := need(first); text == "" || !stops {
			if len(others) > 0 {
				if setup, text := need(others[0]); text != "" {
					return first, &record.Ask{Setup: setup, Text: text}
				}
			}
			return first, nil
		}
	}
	for _, i := range others {
		if setup, text := need(i); text == "" {
			w.setup = setup
			return i, nil
		}
	}
	switch {
	case first >= 0:
		return -1, w.request(need(first))
	case len(others) > 0:
		return -1, w.request(need(others[0]))
	}
	return -1, nil
}

func (w *worker) setupOf(slug string) method.Setup {
	for _, s := range w.joined.Setups {
		if s.Slug == slug {
			return s
		}
	}
	return method.Setup{Slug: slug}
}

// request is what is asked now; asking the same thing again keeps its id.
func (w *worker) request(setup, text string) *record.Ask {
	if w.asked.Setup != setup || w.asked.Text != text {
		w.asks++
		w.asked = record.Ask{ID: fmt.Sprintf("%s-%d", w.joined.Sitting, w.asks), Setup: setup, Text: text, Now: true}
	}
	a := w.asked
	return &a
}

// ask waits until a person has done what is needed, or people want something else of the plan.
func (w *worker) ask(ctx context.Context, a *record.Ask, before record.Directive) error {
	w.Log("A hand is needed: %s. Then say so on the bench, with `durvek plan confirm`, or press Enter here.", a.Text)
	w.show(func(p *record.Progress) { p.State, p.Phase, p.Ask = record.Asking, a.Text, a })
	for {
		d, err := w.told()
		if err != nil {
			return err
		}
		if d.Stop || d.Pause != before.Pause || len(d.Skip) != len(before.Skip) {
			return nil
		}
		confirmed := d.Confirmed == a.ID
		select {
		case <-w.Confirm:
			confirmed = true
		default:
		}
		to := w.setupOf(a.Setup)
		if h, ok := w.Machine.(interface{ Hand(method.Setup) }); ok && confirmed {
			h.Hand(to) // who confirms to a simulated machine has acted on it
		}
		observed := w.Machine.Observe(ctx)
		if settled := a.Setup != w.setup && method.Prompt(w.setupOf(w.setup), to, observed) == ""; confirmed || settled {
			if still := method.Prompt(to, to, observed); still != "" && !settled {
				w.asks++
				w.asked = record.Ask{ID: fmt.Sprintf("%s-%d", w.joined.Sitting, w.asks), Setup: a.Setup, Now: true,
					Text: a.Text + ": the machine does not see it yet (" + still + ")"}
				x := w.asked
				return w.ask(ctx, &x, d)
			}
			w.setup, w.asked = a.Setup, record.Ask{}
			w.Log("Goes on: %s.", to.Name)
			w.show(func(p *record.Progress) { p.State, p.Ask = record.Working, nil })
			return nil
		}
		if err := w.pause(ctx); err != nil {
			return err
		}
	}
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
func (w *worker) prepare(ctx context.Context, j method.Job) error {
	p := w.joined.Plan
	test := w.test(j.Test)
	w.show(func(x *record.Progress) {
		x.Test, x.Step, x.Repeat, x.Share, x.Setup = test.Name, j.Step, j.Repeat, 0, w.setup
	})
	if c := p.Cool; c != nil && w.rested >= 0 {
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
	w.done[method.Job{Step: r.Step, Repeat: r.Repeat, Test: r.Test}] = true
	w.mu.Unlock()
	w.rested = w.Machine.Clock()
	return w.onDisk(ctx, func() error {
		return w.journal.write(entry{Event: "end", Step: r.Step, Repeat: r.Repeat,
			Run: r.ID})
	})
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
