// Package agent works through a plan on the machine under test. It sees the machine through one small
// interface, so real and simulated machines are worked by the same code. Every finished run is on disk
// before it is sent and stays there until the service has acknowledged it.
package agent

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"time"

	"github.com/google/uuid"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

// Machine is what the agent needs of a machine.
type Machine interface {
	Describe(context.Context) (record.Machine, error)
	Observe(context.Context) map[string]string
	Run(context.Context, record.Order, func(record.Sample)) (record.Outcome, error)
	Now() time.Time
}

// Service is what the agent needs of the service.
type Service interface {
	Join(ctx context.Context, code string, m record.Machine) (record.Joined, error)
	Rejoin(ctx context.Context, token string, m record.Machine) (record.Joined, error)
	SendRun(ctx context.Context, token string, r record.Run) error
	SendProgress(ctx context.Context, token string, p record.Progress) error
	Finish(ctx context.Context, token string) error
}

// ErrRefused marks a run that the service will never take; Temporary errors are tried again.
var ErrRefused = errors.New("refused")

// Options say how an agent works.
type Options struct {
	Service Service
	Machine Machine
	Code    string // one-time code; empty to go on with what Dir holds
	Dir     string // where results and the session are kept
	Server  string // the service's address, kept with the session
	Log     func(format string, args ...any)
	Show    func(record.Progress)
	// Retry is the first pause after a failed delivery; it doubles up to 30 s. 0 means 500 ms.
	Retry time.Duration
}

// session is what lets an agent go on after it was ended.
type session struct {
	Server string `json:"server"`
	Token  string `json:"token"`
}

type worker struct {
	Options
	joined  record.Joined
	machine record.Machine
	outbox  string
	learned map[string]time.Duration // duration of one run per test, as it turned out
	refused []string

	progress chan record.Progress
}

// Result tells how a plan went.
type Result struct {
	Plan    method.Plan
	Runs    int
	Failed  int
	NotRun  int
	Refused []string
}

// Work joins the service, works through the plan and delivers every run. It returns when all is
// delivered, when ctx ends, or when the service refuses the agent; undelivered runs stay in Dir.
func Work(ctx context.Context, o Options) (Result, error) {
	if o.Log == nil {
		o.Log = func(string, ...any) {}
	}
	if o.Retry == 0 {
		o.Retry = 500 * time.Millisecond
	}
	w := &worker{Options: o, learned: map[string]time.Duration{}, outbox: filepath.Join(o.Dir, "outbox"), progress: make(chan record.Progress, 1)}
	if err := os.MkdirAll(w.outbox, 0o700); err != nil {
		return Result{}, fmt.Errorf("make the agent's folder: %w", err)
	}
	if err := w.join(ctx); err != nil {
		return Result{}, err
	}
	result := Result{Plan: w.joined.Plan}
	o.Log("Joined for plan %q: %d runs of %d tests on %s.", w.joined.Plan.Name, len(w.joined.Plan.Jobs()), len(w.joined.Plan.Steps), w.joined.Plan.Unit)

	deliverCtx, stop := context.WithCancel(ctx)
	wake := make(chan struct{}, 1)
	delivered := make(chan error, 1)
	finished := make(chan struct{})
	go func() { delivered <- w.deliver(deliverCtx, wake, finished) }()
	defer stop()
	go func() {
		for {
			select {
			case p := <-w.progress:
				o.Service.SendProgress(deliverCtx, w.joined.Token, p)
			case <-deliverCtx.Done():
				return
			}
		}
	}()

	done := map[method.Job]bool{}
	for _, j := range w.joined.Received {
		done[method.Job{Step: j.Step, Repeat: j.Repeat, Test: j.Test}] = true
	}
	for _, r := range w.kept() {
		done[method.Job{Step: r.Step, Repeat: r.Repeat, Test: r.Test}] = true
	}
	jobs := w.joined.Plan.Jobs()
	for i, j := range jobs {
		if done[j] {
			continue
		}
		r, err := w.job(ctx, i, jobs, j)
		if err != nil {
			return result, err
		}
		result.Runs++
		switch r.Outcome {
		case "failed":
			result.Failed++
			o.Log("%s, repeat %d: failed: %s", r.Test, r.Repeat+1, r.Failure)
		case "not-run":
			result.NotRun++
			o.Log("%s, repeat %d: not run: %s", r.Test, r.Repeat+1, r.Failure)
		}
		if err := w.keep(r); err != nil {
			return result, fmt.Errorf("keep the run on disk: %w", err)
		}
		select {
		case wake <- struct{}{}:
		default:
		}
	}
	close(finished)
	if err := <-delivered; err != nil {
		return result, err
	}
	result.Refused = w.refused
	if err := w.patiently(ctx, func() error { return o.Service.Finish(ctx, w.joined.Token) }); err != nil {
		return result, err
	}
	os.Remove(filepath.Join(o.Dir, "session.json"))
	return result, nil
}

// join spends the code, or goes on with the session on disk.
func (w *worker) join(ctx context.Context) error {
	path := filepath.Join(w.Dir, "session.json")
	m, err := w.Machine.Describe(ctx)
	if err != nil {
		return err
	}
	w.machine = m
	if w.Code != "" {
		if w.joined, err = w.Service.Join(ctx, w.Code, m); err != nil {
			return err
		}
		return writeWhole(path, session{w.Server, w.joined.Token})
	}
	s, err := readSession(path)
	if err != nil {
		return err
	}
	return w.patiently(ctx, func() (err error) {
		w.joined, err = w.Service.Rejoin(ctx, s.Token, m)
		w.joined.Token = s.Token
		return err
	})
}

func readSession(path string) (s session, err error) {
	b, err := os.ReadFile(path)
	if err != nil {
		return s, fmt.Errorf("there is no plan to go on with in %s; give a code from `durvek plan code`", filepath.Dir(path))
	}
	if err := json.Unmarshal(b, &s); err != nil {
		return s, fmt.Errorf("%s is damaged: %w", path, err)
	}
	return s, nil
}

// KeptServer tells which service the plan kept in dir belongs to.
func KeptServer(dir string) (string, error) {
	s, err := readSession(filepath.Join(dir, "session.json"))
	return s.Server, err
}

// job executes one job and makes its run.
func (w *worker) job(ctx context.Context, i int, jobs []method.Job, j method.Job) (record.Run, error) {
	var test method.Test
	for _, t := range w.joined.Tests {
		if t.Slug == j.Test {
			test = t
		}
	}
	p := record.Progress{Plan: w.joined.Plan.ID, Done: i, Jobs: len(jobs), Step: j.Step, Repeat: j.Repeat, Test: test.Name, Phase: "starting"}
	var lastShown time.Time
	show := func(s record.Sample) {
		p.Phase, p.Share = s.Phase, s.Share
		p.Channel, p.Unit, p.Value = s.Channel, quantity.Symbol(s.Unit), s.Value
		if m, ok := test.Measure(s.Channel); ok { // people read names, not slugs
			p.Channel = m.Name
			if rest, ok := strings.CutPrefix(s.Phase, s.Channel); ok && (rest == "" || rest[0] == ',') {
				p.Phase = m.Name + rest
			}
		}
		p.Left = w.left(jobs[i:], p.Share)
		if w.Show != nil {
			w.Show(p)
		}
		if time.Since(lastShown) < 200*time.Millisecond {
			return
		}
		lastShown = time.Now()
		select { // never wait: the machine is measuring, and a lost progress report is no loss
		case w.progress <- p:
		default:
		}
	}
	show(record.Sample{Phase: "starting"})
	observed := w.Machine.Observe(ctx)
	started, wall := w.Machine.Now(), time.Now()
	options := w.joined.Plan.Steps[j.Step].Options
	out, err := w.Machine.Run(ctx, record.Order{Test: test, Options: options, Service: w.Server, Token: w.joined.Token}, show)
	if ctx.Err() != nil {
		return record.Run{}, fmt.Errorf("stopped before %s was done; results so far are kept in %s", test.Name, w.Dir)
	}
	for k, v := range out.Observed {
		observed[k] = v
	}
	w.learned[j.Test] = time.Since(wall)
	r := record.Run{ID: uuid.Must(uuid.NewV7()).String(), Test: test.Slug, TestVersion: test.Version, Subject: w.joined.Plan.Unit, Host: w.joined.Plan.Host,
		Place: w.joined.Plan.Place, Setup: w.joined.Plan.Setup, Sitting: w.joined.Sitting, Plan: w.joined.Plan.ID, Step: j.Step, Repeat: j.Repeat,
		Started: started, Ended: w.Machine.Now(), Source: "agent", By: w.joined.Plan.Agent, Simulated: w.machine.Simulated, Options: options,
		Observed: observed, Negotiated: out.Negotiated, Readings: out.Readings, Series: out.Series}
	r.Close(err)
	return r, nil
}

// left estimates the seconds still to go: what earlier runs of a test took, else what it usually takes.
func (w *worker) left(jobs []method.Job, share float64) float64 {
	sum := 0.0
	for k, j := range jobs {
		s := 5.0
		for _, t := range w.joined.Tests {
			if t.Slug == j.Test && t.Seconds > 0 {
				s = t.SecondsWith(w.joined.Plan.Steps[j.Step].Options)
			}
		}
		if d, ok := w.learned[j.Test]; ok {
			s = d.Seconds()
		}
		if k == 0 {
			s *= 1 - share
		}
		sum += s
	}
	return sum
}

// keep puts a run on disk, flushed, under a name that sorts by its id.
func (w *worker) keep(r record.Run) error {
	return writeWhole(filepath.Join(w.outbox, r.ID+".json"), r)
}

// writeWhole writes a file so that it is there whole or not at all.
func writeWhole(path string, v any) error {
	b, err := json.Marshal(v)
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(path), ".part-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	_, err = f.Write(b)
	if err == nil {
		err = f.Sync()
	}
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	return err
}

// kept lists this plan's runs on disk, the oldest first.
func (w *worker) kept() []record.Run {
	entries, _ := os.ReadDir(w.outbox)
	var out []record.Run
	for _, e := range entries {
		if !strings.HasSuffix(e.Name(), ".json") {
			continue
		}
		b, err := os.ReadFile(filepath.Join(w.outbox, e.Name()))
		var r record.Run
		if err == nil && json.Unmarshal(b, &r) == nil && r.Plan == w.joined.Plan.ID {
			out = append(out, r)
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].ID < out[j].ID })
	return out
}

// deliver sends what is in the outbox until it is empty and no more will come.
func (w *worker) deliver(ctx context.Context, wake <-chan struct{}, finished <-chan struct{}) error {
	for {
		last := false
		select {
		case <-finished:
			last = true
		case <-wake:
		case <-ctx.Done():
			return ctx.Err()
		}
		for _, r := range w.kept() {
			err := w.patiently(ctx, func() error { return w.Service.SendRun(ctx, w.joined.Token, r) })
			path := filepath.Join(w.outbox, r.ID+".json")
			switch {
			case errors.Is(err, ErrRefused):
				w.refused = append(w.refused, fmt.Sprintf("%s, repeat %d: %v", r.Test, r.Repeat+1, err))
				w.Log("The service refused a run, which stays in %s: %v", path, err)
				os.Rename(path, path+".refused")
			case err != nil:
				return err
			default:
				os.Remove(path)
			}
		}
		if last {
			return nil
		}
	}
}

// patiently tries until it works, the service refuses, or ctx ends.
func (w *worker) patiently(ctx context.Context, try func() error) error {
	pause := w.Retry
	told := false
	for {
		err := try()
		if err == nil || errors.Is(err, ErrRefused) {
			if told && err == nil {
				w.Log("The service is back.")
			}
			return err
		}
		if !told {
			w.Log("The service cannot be reached; results are kept and sent when it is back. (%v)", err)
			told = true
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("stopped with undelivered runs in %s: %w", w.outbox, ctx.Err())
		case <-time.After(pause):
		}
		pause = min(2*pause, 30*time.Second)
	}
}
