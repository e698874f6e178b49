package agent

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/trace"
)

// making is a run that is being made.
type making struct {
	run    record.Run
	setup  method.Setup
	began  time.Duration // the machine's steady clock
	trace  record.Trace
	sample record.Sample      // the workload's latest
	told   map[string]float64 // what the sensors said last
	before map[string]string  // conditions as observed when it began
	now    map[string]string  // as observed last
	looked time.Duration
	spoke  time.Time
	kept   time.Time // last words were written
	beaten time.Time // the first heartbeat of a lasting load, by the machine's clock
	beat   time.Time // the last one that was kept, by this one's
	shown  int       // marks that people saw
	stop   context.CancelCauseFunc
}

// observeEvery is how often conditions are observed while a run goes on, in the machine's time.
const observeEvery = 5 * time.Second

// mostPhases bounds the phases that one run keeps.
const mostPhases = 400

func (w *worker) newRun(j method.Job, at time.Time) record.Run {
	p, test := w.joined.Plan, w.test(j.Test)
	return record.Run{ID: uuid.Must(uuid.NewV7()).String(), Test: test.Slug, TestVersion: test.Version, Subject: p.Unit,
		Host:  p.Host,
		Place: p.Place, Setup: p.SetupOf(j.Step), Sitting: w.joined.Sitting, Plan: p.ID, Step: j.Step, Repeat: j.Repeat,
		Started: at, Source: "agent", By: p.Agent, Simulated: w.machine.Simulated, Options: p.Steps[j.Step].Options,
		Course: record.Course{Attempt: w.crashes[j.Step]}}
}

// run makes one run under the eyes of the watchdog. It returns errAgain where the attempt does not count: it was told
// to stop, broke off, or failed where a failure is not kept.
func (w *worker) run(ctx context.Context, j method.Job, failing bool) (record.Run, error) {
	plan, test := w.joined.Plan, w.test(j.Test)
	m := &making{run: w.newRun(j, w.Machine.Now()), setup: w.setupOf(plan.SetupOf(j.Step)), before: w.Machine.Observe(ctx),
		spoke: time.Now()}
	m.now = m.before
	if err := w.onDisk(ctx, func() error {
		return w.journal.write(entry{Event: "begin", Step: j.Step, Repeat: j.Repeat, Run: m.run.ID, Boot: w.machine.Boot})
	}); err != nil {
		return m.run, err
	}
	running, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	m.stop, m.began = stop, w.Machine.Clock()
	w.mu.Lock()
	w.current, w.pending = m, record.Trace{}
	w.mu.Unlock()
	w.show(func(p *record.Progress) {
		p.State, p.Phase, p.Share, p.Run, p.At, p.Marks = record.Working, "starting", 0, m.run.ID, 0, nil
		p.Channel, p.Unit, p.Value = "", "", 0
	})
	w.look(m, m.before, 0)

	type answer struct {
		out record.Outcome
		err error
	}
	answered := make(chan answer, 1)
	order := record.Order{Test: test, Options: m.run.Options, Service: w.Server, Token: w.joined.Token, Setup: m.setup}
	go func() {
		out, err := w.Machine.Run(running, order, func(s record.Sample) { w.spoke(m, test, s) })
		answered <- answer{out, err}
	}()
	limit, quiet := w.Limit, w.Quiet
	usual := time.Duration(w.usual(j) * float64(time.Second))
	if limit == 0 {
		limit = 10*usual + 30*time.Minute // a slow drive takes its time; one that hangs says nothing
	}
	if quiet == 0 {
		quiet = usual + 2*time.Minute
	}
	if c := test.Command; c != nil { // it has its own limit and says nothing until it ends
		limit = time.Duration(c.Limit*float64(time.Second)) + time.Minute
		quiet = limit
	}
	began := time.Now()
	tick := time.NewTicker(min(w.Report, time.Second))
	defer tick.Stop()
	var a answer
	hung := ""
	var ended <-chan time.Time // the grace after which a step that does not end is left to itself
	for waiting := true; waiting; {
		select {
		case a = <-answered:
			waiting = false
		case <-ended:
			waiting = false
			a.err = fmt.Errorf("hung, and could not be ended: %s", hung)
		case <-tick.C:
			w.mu.Lock()
			silent := time.Since(m.spoke)
			w.mu.Unlock()
			d, gone := w.told()
			switch {
			case ended != nil:
			case gone != nil:
				stop(gone)
				ended = time.After(w.Grace)
				hung = "the service refused the agent"
			case d.Stop || slices.Contains(d.Skip, j.Step):
				stop(errLeft)
				ended = time.After(w.Grace)
				hung = "it was told to stop"
			case time.Since(began) > limit, silent > quiet:
				hung = fmt.Sprintf("nothing heard of it for %.0f s", silent.Seconds())
				if silent <= quiet {
					hung = fmt.Sprintf("it took more than %.0f s", limit.Seconds())
				}
				stop(errHung)
				ended = time.After(w.Grace)
			}
		}
	}
	cause := context.Cause(running)
	w.mu.Lock()
	w.current = nil
	last := w.latest
	w.mu.Unlock()
	switch {
	case ctx.Err() != nil:
		w.journal.write(entry{Event: "left", Step: j.Step, Repeat: j.Repeat, Run: m.run.ID}) // ended in good order: no crash
		return m.run, w.broken(ctx)
	case errors.Is(cause, errLeft):
		return m.run, w.revived(ctx, m, j, func(e entry) error { w.journal.write(e); return errAgain })
	case errors.Is(cause, errHung):
		text := fmt.Sprintf("%s, repeat %d, was ended by the watchdog: %s.", test.Name, j.Repeat+1, hung)
		return m.run, w.again(ctx, m, j, record.Hang, text, last)
	case errors.Is(a.err, record.ErrCrashed):
		return m.run, w.revived(ctx, m, j, func(entry) error {
			return w.again(ctx, m, j, record.Crash, fmt.Sprintf("%s, repeat %d: %v.", test.Name, j.Repeat+1, a.err), last)
		})
	}
	if told := (departed{}); errors.As(cause, &told) {
		a.err = told
	}
	r := w.close(ctx, m, test, a.out, a.err)
	if r.Outcome == record.Failed && failing && !errors.As(a.err, new(departed)) {
		w.failed[j]++
		w.ahead = nil
		text := fmt.Sprintf("%s, repeat %d, failed and is tried again: %s.", test.Name, j.Repeat+1, r.Failure)
		w.Log("%s", text)
		if err := w.incident(ctx, record.Failure, text, j.Step, r.ID, w.Machine.Now(), last); err != nil {
			return r, err
		}
		w.rested = w.Machine.Clock()
		return r, errors.Join(errAgain, w.onDisk(ctx, func() error {
			return w.journal.write(entry{Event: "end", Step: j.Step, Repeat: j.Repeat, Run: r.ID})
		}))
	}
	if r.Outcome == record.Done && r.Options == nil {
		w.mu.Lock()
		w.learned[j.Test] = (w.Machine.Clock() - m.began).Seconds()
		w.mu.Unlock()
	}
	return r, nil
}

var (
	errLeft = errors.New("told to stop")
	errHung = errors.New("hung")
)

// departed ends a run whose conditions are not those of its setup.
type departed struct{ text string }

func (d departed) Error() string { return "stopped early: " + d.text }

// again takes note of an attempt that broke off.
func (w *worker) again(ctx context.Context, m *making, j method.Job, kind record.IncidentKind, text string,
	last map[string]float64) error {
	w.Log("%s", text)
	w.crashes[j.Step]++
	w.ahead = nil
	if err := w.incident(ctx, kind, text, j.Step, m.run.ID, w.Machine.Now(), last); err != nil {
		return err
	}
	if err := w.onDisk(ctx, func() error {
		return w.journal.write(entry{Event: "broken", Step: j.Step, Repeat: j.Repeat, Run: m.run.ID})
	}); err != nil {
		return err
	}
	w.rested = w.Machine.Clock()
	return errAgain
}

// close makes the run of what came out of it.
func (w *worker) close(ctx context.Context, m *making, test method.Test, out record.Outcome, failure error) record.Run {
	after := w.Machine.Observe(ctx)
	took := w.Machine.Clock() - m.began
	wall := w.Machine.Now().Sub(m.run.Started)
	w.mu.Lock()
	defer w.mu.Unlock()
	r := &m.run
	r.Observed = map[string]string{}
	for _, from := range []map[string]string{m.before, out.Observed} {
		for k, v := range from {
			r.Observed[k] = v
		}
	}
	m.note(after, took.Seconds())
	for k, v := range out.Observed { // what the workload alone can tell
		if want := m.setup.Conditions[k]; want != "" && m.before[k] != v {
			for _, d := range trust.Departures(map[string]string{k: want}, map[string]string{k: v}) {
				m.mark(record.Departure, d.String(), took.Seconds())
			}
		}
	}
	r.Negotiated, r.Readings, r.Series = out.Negotiated, out.Readings, out.Series
	r.Marks = append(r.Marks, out.Marks...)
	r.Ended = r.Started.Add(took)
	if step := wall - took; step.Abs() > 2*time.Second {
		m.mark(record.ClockStepped, fmt.Sprintf("the machine's clock was stepped by %+.0f s while it ran; its length is "+
			"by the steady clock", step.Seconds()), took.Seconds())
	}
	if least := w.joined.Plan.Least; failure == nil && least > 0 && took.Seconds() < least {
		m.mark(record.TooShort, fmt.Sprintf("it took %.1f s; the plan says at least %g s", took.Seconds(), least), 0)
	}
	r.Trace = trace.Pack(m.trace)
	r.Close(failure)
	return *r
}

// mostMarks bounds the marks of one run.
const mostMarks = 50

// mark adds a mark that the run does not have yet. Of what a sensor says time and again, the first is enough.
func (m *making) mark(kind record.MarkKind, text string, at float64) {
	for _, x := range m.run.Marks {
		if x.Kind == kind && (x.Text == text || kind == record.OutOfBand) {
			return
		}
	}
	if len(m.run.Marks) < mostMarks {
		m.run.Marks = append(m.run.Marks, record.Mark{Kind: kind, Text: text, At: at})
	}
}

// note keeps which conditions changed since they were looked at last. The load of the machine is its work.
func (m *making) note(observed map[string]string, at float64) {
	for _, k := range sorted(observed, m.now) {
		if from, to := m.now[k], observed[k]; from != to && k != "load.background" && k != "battery.charge" &&
			len(m.run.Course.Changes) < 200 {
			m.run.Course.Changes = append(m.run.Course.Changes, record.Change{At: at, Condition: k, From: from, To: to})
		}
	}
	m.now = observed
}

func sorted(maps ...map[string]string) []string {
	var keys []string
	for _, m := range maps {
		for k := range m {
			if !slices.Contains(keys, k) {
				keys = append(keys, k)
			}
		}
	}
	slices.Sort(keys)
	return keys
}

// busyBefore is the background load in per cent from which a run is marked.
const busyBefore = 10

// look holds observed conditions against the setup: what departs is marked, shown at once, and ends the run if
// the plan says so.
func (w *worker) look(m *making, observed map[string]string, at float64) {
	w.mu.Lock()
	m.note(observed, at)
	found := trust.Departures(m.setup.Conditions, observed)
	for _, d := range found {
		m.mark(record.Departure, d.String(), at)
	}
	if b := w.joined.Plan.Ambient; b != nil {
		if room, ok := w.latest["temperature.ambient"]; ok && !b.Holds(room) {
			m.mark(record.OutOfBand, fmt.Sprintf("the room is at %.1f °C, the plan says %g to %g °C", room, b.Low, b.High), at)
		}
	}
	if q, err := quantity.Parse(observed["load.background"]); at == 0 && err == nil && q.Value >= busyBefore {
		m.mark(record.Background, fmt.Sprintf("other work used %s of the processor just before",
			observed["load.background"]), 0)
	}
	marks := slices.Clone(m.run.Marks)
	fresh := len(marks) > m.shown
	m.shown = len(marks)
	w.mu.Unlock()
	if !fresh {
		return
	}
	w.show(func(p *record.Progress) { p.Marks = marks })
	if len(found) > 0 && w.joined.Plan.Departure == "stop" {
		m.stop(departed{trust.Sentence(found)})
	}
}

// spoke takes in what a workload says of itself.
func (w *worker) spoke(m *making, test method.Test, s record.Sample) {
	at := (w.Machine.Clock() - m.began).Seconds()
	w.mu.Lock()
	if w.current != m { // a step that was given up goes on talking
		w.mu.Unlock()
		return
	}
	m.spoke = time.Now()
	if n := len(m.run.Course.Phases); s.Phase != "" && n < mostPhases &&
		(n == 0 || m.run.Course.Phases[n-1].Name != s.Phase) {
		m.run.Course.Phases = append(m.run.Course.Phases, record.Phase{At: at, Name: s.Phase})
	}
	if s.Channel != "" && s.Unit != "" && s.Value != 0 { // while it warms up it has no rate yet
		m.sample = s
	}
	w.mu.Unlock()
	if len(s.Beat) > 0 {
		w.keepBeat(m, s)
	}
	w.show(func(p *record.Progress) {
		p.Phase, p.Share, p.At = s.Phase, s.Share, at
		p.Channel, p.Unit, p.Value = s.Channel, quantity.Symbol(s.Unit), s.Value
		if len(s.Beat) > 0 {
			p.Beat = s.Beat
		}
		if s.Picture != nil {
			p.Picture = s.Picture
		}
		if x, ok := test.Measure(s.Channel); ok { // people read names, not slugs
			p.Channel = x.Name
			if rest, ok := strings.CutPrefix(s.Phase, s.Channel); ok && (rest == "" || rest[0] == ',') {
				p.Phase = x.Name + rest
			}
		}
	})
}

// sensed takes in what the sensors say, with the workload's own rate, at the machine's steady clock.
func (w *worker) sensed(at time.Duration, values map[string]float64) {
	w.mu.Lock()
	m := w.current
	if m != nil {
		for k := range m.told {
			if _, told := values[k]; !told {
				m.mark(record.Dropout, k+" said nothing any more from here on", (at - m.began).Seconds())
			}
		}
		m.told = values
	}
	w.latest = values
	var due bool
	if m != nil && at >= m.began {
		seconds := (at - m.began).Seconds()
		all, units := values, map[string]string(nil)
		if s := m.sample; s.Channel != "" {
			all = make(map[string]float64, len(values)+1)
			for k, v := range values {
				all[k] = v
			}
			all["rate."+s.Channel], units = s.Value, map[string]string{"rate." + s.Channel: s.Unit}
		}
		m.trace.Add(seconds, all, units)
		w.pending.Add(seconds, all, units)
		w.progress.At = seconds
		due = at-m.looked >= observeEvery
		if due {
			m.looked = at
		}
		if time.Since(m.kept) >= time.Second {
			m.kept = time.Now()
			if b, err := json.Marshal(lastWords{m.run.ID, w.Machine.Now(), values}); err == nil {
				os.WriteFile(filepath.Join(w.Dir, "last.json"), b, 0o600) // a help, not a promise
			}
		}
	}
	w.mu.Unlock()
	if due {
		w.look(m, w.Machine.Observe(context.Background()), (at - m.began).Seconds())
	}
}

// reportNow is the progress with what the sensors said since the last report.
func (w *worker) reportNow() record.Progress {
	w.mu.Lock()
	defer w.mu.Unlock()
	p := w.snapshot()
	p.Trace = trace.Pack(w.pending)
	w.pending, w.progress.Beat, w.progress.Picture = record.Trace{}, nil, nil
	return p
}
