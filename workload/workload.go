// Package workload is the table of Durvek's own benchmarks and the harness they share. A workload is
// one file in a sub-package that registers itself here: its test definition, and a function that
// runs it. Every workload checks its own output and fails rather than report a wrong answer.
package workload

import (
	"context"
	"errors"
	"fmt"
	"math"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
)

// Env is where and how a workload runs.
type Env struct {
	Test    method.Test       // the test that runs
	Options map[string]string // those that are not at their usual value
	Dir     string            // folder on the drive that is to be measured
	Folders []string          // further ones that options may name
	Seconds float64           // length of each timed part; 0 means 1
	Memory  uint64            // bytes that the workload may take; 0 where the system does not tell
	Service string            // address of the service, for the network; empty where there is none
	Token   string
	// Conditions are those of the setup, for what is asked of a person.
	Conditions map[string]string

	Browser []string // program that opens the probe, with its arguments; none where its owner allowed none
	Report  func(record.Sample)
}

// Folder is a folder that an option names, without links. It lies in one of those that the machine's owner gave, or the
// run is none: a plan comes from elsewhere.
func (e Env) Folder(named string) (string, error) {
	at, err := filepath.EvalSymlinks(named)
	if err != nil {
		return "", NotRun("there is no folder %s on this machine", named)
	}
	for _, given := range append([]string{e.Dir}, e.Folders...) {
		if given == "" {
			continue
		}
		root, err := filepath.EvalSymlinks(given)
		if err != nil {
			continue
		}
		if rel, err := filepath.Rel(absolute(root), absolute(at)); err == nil && filepath.IsLocal(rel) {
			return at, nil
		}
	}
	return "", NotRun("%s lies outside the folders that this machine's owner gave its agent; a further --path there "+
		"allows it",
		named)
}

func absolute(path string) string {
	if abs, err := filepath.Abs(path); err == nil {
		return abs
	}
	return path
}

// Part is the environment of the i-th of n parts of a run: the shares that it reports are the run's.
func (e Env) Part(i, n int) Env {
	whole := e.Report
	if whole != nil {
		e.Report = func(s record.Sample) {
			s.Share = (float64(i) + s.Share) / float64(n)
			whole(s)
		}
	}
	return e
}

// Show reports what happens now and which share of the run is done.
func (e Env) Show(phase string, share float64) {
	if e.Report != nil {
		e.Report(record.Sample{Phase: phase, Share: share})
	}
}

// Duration is the length of each timed part.
func (e Env) Duration() time.Duration {
	if e.Seconds <= 0 {
		return time.Second
	}
	return time.Duration(e.Seconds * float64(time.Second))
}

// Number is an option's value in its unit.
func (e Env) Number(option string) float64 { return e.Test.Number(option, e.Options) }

// Text is an option's value as it is written.
func (e Env) Text(option string) string { return e.Test.Values(e.Options)[option] }

// Length is the option "duration".
func (e Env) Length() time.Duration {
	return time.Duration(e.Number("duration") * float64(time.Second))
}

// Workload is one benchmark.
type Workload struct {
	Test method.Test
	Run  func(context.Context, Env) (record.Outcome, error)
}

// Execute runs a workload after checking its options, and takes down the options that must match as
// observed conditions, unless the workload itself observed that it had to depart from them. What was
// gathered before an error comes back beside it.
func (w Workload) Execute(ctx context.Context, env Env) (record.Outcome, error) {
	if wrong := w.Test.CheckOptions(env.Options); len(wrong) > 0 {
		return record.Outcome{}, NotRun("%s", strings.Join(wrong, "; "))
	}
	env.Test = w.Test
	out, err := w.Run(ctx, env)
	if out.Observed == nil {
		out.Observed = map[string]string{}
	}
	for _, o := range w.Test.Options {
		if key := method.OptionCondition(o.Slug); o.Match && out.Observed[key] == "" {
			out.Observed[key] = env.Text(o.Slug)
		}
	}
	return out, err
}

// NotRun says why a test cannot be run here; it is found out before the test begins.
func NotRun(format string, args ...any) error {
	return fmt.Errorf("%w: %w", record.ErrNotRun, fmt.Errorf(format, args...))
}

// Fit scales a size down by halves until it fits into what there is, but not below least. It returns
// the size and, if that is not the size wanted, a note that says so. ok is false if even least is too much.
func Fit(wanted, least, there uint64) (size uint64, note string, ok bool) {
	size = wanted
	for size > there && size/2 >= least {
		size /= 2
	}
	if size != wanted {
		note = fmt.Sprintf("%d MiB instead of %d MiB, for there are %d MiB", size>>20, wanted>>20, there>>20)
	}
	return size, note, size <= there
}

// ErrWrong marks a run whose output failed its check: the machine computed wrongly.
var ErrWrong = errors.New("the machine " + record.WrongAnswer)

var table = map[string]Workload{}

// Register adds a workload to the table; each workload's file calls it once.
func Register(w Workload) {
	if _, twice := table[w.Test.Slug]; twice {
		panic("workload " + w.Test.Slug + " is registered twice")
	}
	w.Test.Origin = "workload"
	table[w.Test.Slug] = w
}

// Find gives a workload by its test's slug.
func Find(slug string) (Workload, bool) {
	w, ok := table[slug]
	return w, ok
}

// Tests lists the test definitions of all workloads, by slug.
func Tests() []method.Test {
	out := make([]method.Test, 0, len(table))
	for _, w := range table {
		out = append(out, w.Test)
	}
	slices.SortFunc(out, func(a, b method.Test) int { return strings.Compare(a.Slug, b.Slug) })
	return out
}

// Rating is one rate measured over a fixed time.
type Rating struct {
	Rate   float64 // work per second, over all threads
	Share  float64 // share of the time that the threads had a processor, at most 1; 0 where the system does not tell
	Series record.Series
}

// hindered is the share of a processor below which a run says that others took it away.
const hindered = 0.98

// Hindrance says in words that the threads had to wait for a processor, or "" if they hardly did.
func (r Rating) Hindrance() string {
	if r.Share == 0 || r.Share >= hindered {
		return ""
	}
	return fmt.Sprintf("had a processor for %.0f %% of the time; other programs or the host of a virtual machine took "+
		"the rest", 100*r.Share)
}

// Timing says how a kernel is timed.
type Timing struct {
	Channel string
	Unit    string                 // of the rate
	Threads int                    // 0 for one
	Length  time.Duration          // 0 for the environment's
	Every   time.Duration          // between samples; 0 for a tenth of the length
	Pin     func(thread int) error // binds a thread to a core, on that thread; nil leaves it free
}

// Work is one thread's share of a kernel. Do does one piece of work, well under a hundredth of the
// length, and returns its amount, in the unit's numerator. Check, called when the timing is over,
// returns ErrWrong if what the thread computed last is wrong.
type Work struct {
	Do    func() float64
	Check func() error
}

// warmUp is how long a kernel runs before it is timed, so that clocks and caches settle.
const warmUp = 200 * time.Millisecond

// Rate times a kernel after a warm-up and gives its rate. start makes one thread's work. Each thread's
// rate is its own work over its own time, so that no piece is cut; the threads' rates add up. If ctx
// ends, the samples so far come back with the error.
func Rate(ctx context.Context, env Env, t Timing, start func(thread int) (Work, error)) (Rating, error) {
	t.Threads = max(t.Threads, 1)
	if t.Length == 0 {
		t.Length = env.Duration()
	}
	if t.Every == 0 {
		t.Every = max(t.Length/10, 20*time.Millisecond)
	}
	works := make([]Work, t.Threads)
	for i := range works {
		var err error
		if works[i], err = start(i); err != nil {
			return Rating{}, err
		}
	}
	if before := runtime.GOMAXPROCS(0); before < t.Threads { // a quota may have set fewer than there are
		runtime.GOMAXPROCS(t.Threads)
		defer runtime.GOMAXPROCS(before)
	}
	runtime.GC()
	if env.Report != nil {
		env.Report(record.Sample{Phase: t.Channel + ", warming up", Channel: t.Channel})
	}
	warm := t
	warm.Length = min(warmUp, t.Length)
	if _, err := timed(ctx, Env{}, warm, works); err != nil {
		return Rating{}, err
	}
	out, err := timed(ctx, env, t, works)
	if err != nil {
		return out, err
	}
	for _, w := range works {
		if err := w.Check(); err != nil {
			return out, fmt.Errorf("%s, %s: %w", strings.ToLower(env.Test.Name), t.Channel, err)
		}
	}
	return out, nil
}

// counter is one thread's work so far, alone on its cache lines.
type counter struct {
	work atomic.Uint64 // bits of a float64
	_    [120]byte
}

func timed(ctx context.Context, env Env, t Timing, works []Work) (Rating, error) {
	counters := make([]counter, len(works))
	rates := make([]float64, len(works))
	shares := make([]float64, len(works))
	faults := make([]error, len(works))
	var wg sync.WaitGroup
	gate := make(chan struct{})
	for i, w := range works {
		wg.Add(1)
		go func() {
			defer wg.Done()
			runtime.LockOSThread() // for good where it is pinned: the thread ends with its core
			if t.Pin == nil {
				defer runtime.UnlockOSThread()
			} else if faults[i] = t.Pin(i); faults[i] != nil {
				return
			}
			<-gate
			had, from := threadTime(), time.Now()
			var work float64
			var spent time.Duration
			for spent < t.Length && ctx.Err() == nil {
				work += w.Do()
				counters[i].work.Store(math.Float64bits(work))
				spent = time.Since(from)
			}
			rates[i] = work / spent.Seconds()
			shares[i] = min(1, (threadTime()-had).Seconds()/spent.Seconds())
		}()
	}
	begin := time.Now()
	close(gate)
	out := Rating{Series: record.Series{Channel: t.Channel, Unit: t.Unit}}
	finished := make(chan struct{})
	go func() { wg.Wait(); close(finished) }()
	tick := time.NewTicker(t.Every)
	defer tick.Stop()
	lastWork, lastAt := 0.0, begin
	for {
		select {
		case <-finished:
			if err := ctx.Err(); err != nil {
				return out, fmt.Errorf("stopped: %w", err)
			}
			for i, r := range rates {
				out.Rate += r
				out.Share += shares[i] / float64(len(shares))
			}
			return out, errors.Join(faults...)
		case <-tick.C:
			now := time.Now() // a tick may be seen long after it was made
			if now.Sub(begin) > t.Length || now.Sub(lastAt) < t.Every/2 {
				continue // the last pieces are finishing, or the look before was late; a sample of it would be cut
			}
			total := 0.0
			for i := range counters {
				total += math.Float64frombits(counters[i].work.Load())
			}
			rate := (total - lastWork) / now.Sub(lastAt).Seconds()
			lastWork, lastAt = total, now
			out.Series.Times = append(out.Series.Times, now.Sub(begin).Seconds())
			out.Series.Values = append(out.Series.Values, rate)
			if env.Report != nil {
				env.Report(record.Sample{Phase: t.Channel, Share: min(1, now.Sub(begin).Seconds()/t.Length.Seconds()),
					Channel: t.Channel, Unit: t.Unit, Value: rate})
			}
		}
	}
}

// Reading is an ok reading of a measure.
func Reading(measure string, v float64) record.Reading {
	return record.Reading{Measure: measure, State: record.OK, Value: v}
}

// MiB is a mebibyte, for kernels whose work is counted in it.
const MiB = 1 << 20

// Curve is a series over another axis than time.
func Curve(channel, unit, axis, along string) record.Series {
	return record.Series{Channel: channel, Unit: unit, Axis: axis, Along: along}
}

// Rows gathers measures that differ in slug and name only.
func Rows(base method.Measure, slugsAndNames ...string) []method.Measure {
	var out []method.Measure
	for i := 0; i+1 < len(slugsAndNames); i += 2 {
		m := base
		m.Slug, m.Name = slugsAndNames[i], slugsAndNames[i+1]
		out = append(out, m)
	}
	return out
}

// Portable are the kinds with a battery.
var Portable = []catalog.Kind{"laptop", "tablet", "phone"}

// Devices are the kinds that have a processor and a system of their own.
var Devices = []catalog.Kind{"laptop", "desktop", "mini-pc", "tablet", "phone"}
