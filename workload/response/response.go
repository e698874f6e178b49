// Package response holds the workloads of responsiveness: how late a thread wakes up, and how long a
// short task in the foreground takes while others work.
package response

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"sync"
	"time"

	"github.com/HdrHistogram/hdrhistogram-go"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/workload"
	"durvek/workload/cpu"
)

const (
	nap = time.Millisecond
	// audioDeadline is the time of 128 samples at 44.1 kHz: who wakes up later lets sound break off.
	audioDeadline = 2900 * time.Microsecond
	// instant is the time up to which a person takes an answer for immediate, in milliseconds.
	instant = 100
)

func init() {
	lower := func(unit string, repeatability float64, slugsAndNames ...string) []method.Measure {
		return workload.Rows(method.Measure{Unit: unit, Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: repeatability}, slugsAndNames...)
	}
	share := workload.Rows(method.Measure{Unit: "%", Scale: quantity.Share, Better: quantity.Lower, Margin: 0.1,
		Repeatability: 0.1}, "idle-late", "beyond 2.9 ms, idle", "load-late", "beyond 2.9 ms, under load")
	workload.Register(workload.Workload{Run: runWake, Test: method.Test{
		Slug: "wake-up", Version: 2, Name: "Wake-up delay", Group: "response", Subjects: workload.Devices, Repeats: 5,
		Seconds: 10, Usual: true,
		About: "A thread sleeps for one millisecond, again and again, and notes how late it wakes: while the machine " +
			"is idle, and while every core computes. Beside median, 99.9 % and worst stands the share beyond 2.9 ms, the " +
			"time in which 128 sound samples at 44.1 kHz are played.",
		StandsFor: "Sound without breaks, smooth pointers, games' input.", LimitedBy: "The system's scheduler, power " +
			"saving states that take time to leave, drivers that keep a core to themselves.",
		Input: "None.", Checked: "No sleep ends before its time.", MustMatch: []string{"supply", "power.mode", "timer"},
		Measures: append(append(lower("us", 0.1, "idle-median", "median, idle", "load-median", "median, under load",
			"idle-999", "99.9 %, idle", "load-999", "99.9 %, under load"), lower("us", 0.5, "idle-worst", "worst, idle",
			"load-worst", "worst, under load")...), share...),
	}})
	workload.Register(workload.Workload{Run: runForeground, Test: method.Test{
		Slug: "foreground", Version: 1, Name: "Foreground response", Group: "response", Subjects: workload.Devices,
		Repeats: 3, Seconds: 24, Usual: true,
		About: "A short task (indexing 1 MiB of log, as a search would) is done every few milliseconds while 0, 1, 2, " +
			"4 … jobs compute in the background, up to four for each thread, and fill up to half of the free memory. The " +
			"response is the time from the wish to the answer; the machine counts as sluggish from the number of jobs on at " +
			"which one answer in twenty takes longer than 100 ms.",
		StandsFor: "Working on while the machine exports, copies or updates.",
		LimitedBy: "The number of cores, the system's scheduler, caches and memory that the jobs share.",
		Input:     "Survey log; background jobs from the roster of kernels.", Checked: "Digest of the task's output.",
		MustMatch: []string{"supply", "power.mode", "runtime"},
		Measures: append(append(lower("ms", 0.02, "quiet", "median, no jobs"), lower("ms", 0.1, "full",
			"95 %, a job for each thread", "double", "95 %, two jobs for each thread")...),
			method.Measure{Slug: "sluggish", Name: "jobs until sluggish", Unit: "{job}", Scale: quantity.Ratio,
				Better: quantity.Higher, Repeatability: 0.2}),
	}})
}

// kernel is a kernel's first part, ready to make work for threads.
func kernel(slug string) (func(int) (workload.Work, error), error) {
	for _, k := range cpu.Kernels {
		if k.Slug == slug {
			return k.Parts[0].Prepare()
		}
	}
	return nil, fmt.Errorf("there is no kernel %q", slug)
}

// background keeps n threads busy with a kernel, each holding so many bytes, until stop is called.
func background(n int, slug string, bytes int) (stop func(), err error) {
	start, err := kernel(slug)
	if err != nil {
		return nil, err
	}
	quit := make(chan struct{})
	var wg sync.WaitGroup
	for i := range n {
		w, err := start(i)
		if err != nil {
			close(quit)
			wg.Wait()
			return nil, err
		}
		wg.Go(func() {
			runtime.LockOSThread()
			defer runtime.UnlockOSThread()
			held := make([]byte, bytes)
			for k := 0; k < len(held); k += 4096 {
				held[k] = 1
			}
			for {
				select {
				case <-quit:
					runtime.KeepAlive(held)
					return
				default:
					w.Do()
				}
			}
		})
	}
	return func() { close(quit); wg.Wait() }, nil
}

// room gives Go's scheduler a processor for each of n threads, so that the system's scheduler decides
// who runs, not Go's.
func room(n int) (restore func()) {
	before := runtime.GOMAXPROCS(0)
	runtime.GOMAXPROCS(max(before, n+2))
	return func() { runtime.GOMAXPROCS(before) }
}

func runWake(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	out.Observed = map[string]string{"timer": timer}
	threads := runtime.NumCPU()
	defer room(threads)()
	for i, name := range []string{"idle", "load"} {
		stop := func() {}
		if name == "load" {
			if stop, err = background(threads, "log-indexing", 0); err != nil {
				return out, err
			}
		}
		h, s, err := sleeps(ctx, env.Part(i, 2), name, 5*env.Duration())
		stop()
		out.Series = append(out.Series, s)
		if err != nil {
			return out, err
		}
		late := 0.0
		for _, b := range h.Distribution() {
			if b.From > int64(audioDeadline-nap) {
				late += float64(b.Count)
			}
		}
		us := func(q float64) float64 { return max(float64(h.ValueAtQuantile(q))/1e3, 0.1) }
		out.Readings = append(out.Readings, workload.Reading(name+"-median", us(50)), workload.Reading(name+"-999", us(99.9)),
			workload.Reading(name+"-worst", us(100)),
			workload.Reading(name+"-late", 100*late/float64(h.TotalCount())))
	}
	return out, nil
}

// sleeps naps for so long and gathers how late each nap ended, in nanoseconds; the series holds the
// worst of each twentieth of the time.
func sleeps(ctx context.Context, env workload.Env, name string, length time.Duration) (*hdrhistogram.Histogram,
	record.Series, error) {
	h := hdrhistogram.New(1, int64(time.Minute), 3)
	s := record.Series{Channel: "worst delay, " + name, Unit: "us"}
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	begin := time.Now()
	worst, shown := time.Duration(0), begin
	for n := 0; ; n++ {
		from := time.Now()
		sleep(nap)
		now := time.Now()
		late := now.Sub(from) - nap
		if late < -nap/10 {
			return h, s, fmt.Errorf("a sleep of %v ended after %v: %w", nap, now.Sub(from), workload.ErrWrong)
		}
		h.RecordValue(int64(max(late, 1)))
		worst = max(worst, late)
		if now.Sub(shown) >= length/20 {
			s.Times, s.Values = append(s.Times, now.Sub(begin).Seconds()), append(s.Values, float64(worst)/1e3)
			if env.Report != nil {
				env.Report(record.Sample{Phase: name, Share: min(1, now.Sub(begin).Seconds()/length.Seconds()), Channel: s.Channel,
					Unit: "us", Value: float64(worst) / 1e3})
			}
			worst, shown = 0, now
			if err := ctx.Err(); err != nil {
				return h, s, fmt.Errorf("stopped: %w", err)
			}
		}
		if now.Sub(begin) >= length {
			return h, s, nil
		}
	}
}

// levels are the numbers of background jobs: 0, then doubling up to four for each thread.
func levels(threads int) []int {
	out := []int{0, threads, 2 * threads, 4 * threads}
	for n := 1; n < 4*threads; n *= 2 {
		out = append(out, n)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func runForeground(ctx context.Context, env workload.Env) (out record.Outcome, err error) {
	threads := runtime.NumCPU()
	most := 4 * threads
	defer room(most)()
	start, err := kernel("log-indexing")
	if err != nil {
		return out, err
	}
	task, err := start(0)
	if err != nil {
		return out, err
	}
	curve, middle := workload.Curve("95 % response", "ms", "background jobs", "{job}"), workload.Curve("median response",
		"ms", "background jobs", "{job}")
	got := map[int]float64{}
	list := levels(threads)
	quiet, sluggish := 0.0, 0
	for i, jobs := range list {
		stop, err := background(jobs, "compression", int(env.Memory/2)/most)
		if err != nil {
			return out, err
		}
		times, err := respond(ctx, env.Part(i, len(list)), fmt.Sprintf("%d jobs", jobs), task, 2*env.Duration())
		stop()
		if err != nil {
			out.Series = []record.Series{curve, middle}
			return out, err
		}
		p95, median := stats.Quantile(times, 0.95), stats.Quantile(times, 0.5)
		if jobs == 0 {
			quiet = median
		}
		got[jobs] = p95
		if p95 > instant && sluggish == 0 && jobs > 0 {
			sluggish = jobs
		}
		curve.Times, curve.Values = append(curve.Times, float64(jobs)), append(curve.Values, p95)
		middle.Times, middle.Values = append(middle.Times, float64(jobs)), append(middle.Values, median)
	}
	if err := task.Check(); err != nil {
		return out, err
	}
	out.Series = []record.Series{curve, middle}
	out.Readings = []record.Reading{workload.Reading("quiet", quiet), workload.Reading("full", got[threads]),
		workload.Reading("double", got[2*threads])}
	last := record.Reading{Measure: "sluggish", State: record.BeyondLimit, Value: float64(most)}
	if sluggish > 0 {
		last = workload.Reading("sluggish", float64(sluggish))
	}
	out.Readings = append(out.Readings, last)
	return out, nil
}

// respond does the task again and again with short pauses and returns the times from wish to answer,
// in milliseconds.
func respond(ctx context.Context, env workload.Env, name string, task workload.Work, length time.Duration) ([]float64,
	error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	const pieces = 16 // of 64 KiB
	var times []float64
	begin := time.Now()
	for n := 0; n < 5 || time.Since(begin) < length; n++ {
		due := time.Now().Add(10 * time.Millisecond)
		sleep(time.Until(due))
		for range pieces {
			task.Do()
		}
		times = append(times, 1e3*time.Since(due).Seconds())
		if err := ctx.Err(); err != nil {
			return nil, fmt.Errorf("stopped: %w", err)
		}
		if env.Report != nil && n%8 == 0 {
			env.Report(record.Sample{Phase: name, Share: min(1, time.Since(begin).Seconds()/length.Seconds()),
				Channel: "response", Unit: "ms", Value: times[n]})
		}
	}
	return times, nil
}
