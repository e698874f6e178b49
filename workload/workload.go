// Package workload is the table of Durvek's own benchmarks and the harness they share. A workload is
// one file in a sub-package that registers itself here: its test definition, and a function that
// runs it. Every workload checks its own output and fails rather than report a wrong answer.
package workload

import (
	"context"
	"errors"
	"fmt"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"durvek/core/method"
	"durvek/core/record"
)

// Env is where and how a workload runs.
type Env struct {
	Dir     string  // folder on the drive that is to be measured
	Seconds float64 // length of each timed part; 0 means 1
	Report  func(record.Sample)
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

// Duration is the length of each timed part.
func (e Env) Duration() time.Duration {
	if e.Seconds <= 0 {
		return time.Second
	}
	return time.Duration(e.Seconds * float64(time.Second))
}

// Workload is one benchmark.
type Workload struct {
	Test method.Test
	Run  func(context.Context, Env) (record.Outcome, error)
}

// ErrWrong marks a run whose output failed its check: the machine computed wrongly.
var ErrWrong = errors.New("the machine computed wrongly")

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
	Series record.Series
}

// warmUp is how long a kernel runs before it is timed, so that clocks and caches settle.
const warmUp = 200 * time.Millisecond

// Rate runs a kernel on so many threads for the environment's duration, after a warm-up, and gives
// its rate in unit. start makes one thread's kernel; each call of the kernel does one piece of work,
// well under a hundredth of the duration, and returns its amount, in the unit's numerator. Each thread's rate is its own work over
// its own time, so that no piece is cut; the threads' rates add up.
func Rate(ctx context.Context, env Env, channel, unit string, threads int, start func(thread int) func() float64) (Rating, error) {
	kernels := make([]func() float64, threads)
	for i := range kernels {
		kernels[i] = start(i)
	}
	runtime.GC()
	if env.Report != nil {
		env.Report(record.Sample{Phase: channel + ", warming up", Channel: channel})
	}
	if _, err := timed(ctx, env, channel, unit, kernels, warmUp, false); err != nil {
		return Rating{}, err
	}
	return timed(ctx, env, channel, unit, kernels, env.Duration(), true)
}

// counter is one thread's work so far, alone on its cache lines.
type counter struct {
	work atomic.Uint64 // bits of a float64
	_    [120]byte
}

func timed(ctx context.Context, env Env, channel, unit string, kernels []func() float64, length time.Duration, show bool) (Rating, error) {
	counters := make([]counter, len(kernels))
	rates := make([]float64, len(kernels))
	var wg sync.WaitGroup
	gate := make(chan struct{})
	var begin time.Time
	for i, kernel := range kernels {
		wg.Add(1)
		go func() {
			defer wg.Done()
			runtime.LockOSThread()
			defer runtime.UnlockOSThread()
			<-gate
			from := time.Now()
			var work float64
			var spent time.Duration
			for spent < length && ctx.Err() == nil {
				work += kernel()
				counters[i].work.Store(math.Float64bits(work))
				spent = time.Since(from)
			}
			rates[i] = work / spent.Seconds()
		}()
	}
	begin = time.Now()
	close(gate)
	out := Rating{Series: record.Series{Channel: channel, Unit: unit}}
	finished := make(chan struct{})
	go func() { wg.Wait(); close(finished) }()
	tick := time.NewTicker(max(length/10, 20*time.Millisecond))
	defer tick.Stop()
	lastWork, lastAt := 0.0, begin
	for {
		select {
		case <-finished:
			if err := ctx.Err(); err != nil {
				return out, fmt.Errorf("stopped: %w", err)
			}
			for _, r := range rates {
				out.Rate += r
			}
			return out, nil
		case now := <-tick.C:
			if now.Sub(begin) > length {
				continue // the last pieces are finishing; a sample of them would be cut
			}
			total := 0.0
			for i := range counters {
				total += math.Float64frombits(counters[i].work.Load())
			}
			rate := (total - lastWork) / now.Sub(lastAt).Seconds()
			lastWork, lastAt = total, now
			if show {
				out.Series.Times = append(out.Series.Times, now.Sub(begin).Seconds())
				out.Series.Values = append(out.Series.Values, rate)
				if env.Report != nil {
					env.Report(record.Sample{Phase: channel, Share: min(1, now.Sub(begin).Seconds()/length.Seconds()), Channel: channel, Unit: unit, Value: rate})
				}
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
