// Package app holds workloads of whole applications: what a person waits for. They use the file system
// and the libraries that such programs use, with their costs.
package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

// register adds an application test, with what all share.
func register(t method.Test, run func(context.Context, workload.Env) (record.Outcome, error)) {
	t.Version, t.Group, t.Usual = 1, "application", true
	if t.Subjects == nil {
		t.Subjects = workload.Devices
	}
	if t.MustMatch == nil {
		t.MustMatch = []string{"supply", "power.mode", "runtime"}
	}
	workload.Register(workload.Workload{Test: t, Run: run})
}

// seconds are measures of time, rates of tasks per minute or second.
func seconds(repeatability float64, slugsAndNames ...string) []method.Measure {
	return workload.Rows(method.Measure{Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower,
		Repeatability: repeatability}, slugsAndNames...)
}

func rates(unit string, repeatability float64, slugsAndNames ...string) []method.Measure {
	return workload.Rows(method.Measure{Unit: unit, Scale: quantity.Ratio, Better: quantity.Higher,
		Repeatability: repeatability}, slugsAndNames...)
}

// timed does a task again and again for a test's timed length, at least least times, and returns the mean
// time of one. The collector's debt is paid before each, so that no task pays for the one before. Each
// task's time is a sample.
func timed(ctx context.Context, env workload.Env, channel string, least int, task func() error) (mean float64,
	s record.Series, err error) {
	s = record.Series{Channel: channel, Unit: "s"}
	var sum time.Duration
	begin := time.Now()
	for n := 0; n < least || sum < env.Duration(); n++ {
		runtime.GC()
		from := time.Now()
		if err := task(); err != nil {
			return 0, s, err
		}
		if err := ctx.Err(); err != nil {
			return 0, s, fmt.Errorf("stopped: %w", err)
		}
		spent := time.Since(from)
		sum += spent
		s.Times, s.Values = append(s.Times, time.Since(begin).Seconds()), append(s.Values, spent.Seconds())
		if env.Report != nil {
			env.Report(record.Sample{Phase: channel, Share: min(1, max(sum.Seconds()/env.Duration().Seconds(),
				float64(n+1)/float64(least))), Channel: channel, Unit: "s", Value: spent.Seconds()})
		}
	}
	return sum.Seconds() / float64(len(s.Values)), s, nil
}

// together does n pieces of work on so many threads and waits for all.
func together(threads, n int, do func(i int) error) error {
	var next atomic.Int64
	errs := make([]error, threads)
	var wg sync.WaitGroup
	for t := range threads {
		wg.Go(func() {
			for i := int(next.Add(1)) - 1; i < n && errs[t] == nil; i = int(next.Add(1)) - 1 {
				errs[t] = do(i)
			}
		})
	}
	wg.Wait()
	return errors.Join(errs...)
}

// sum is a digest over pieces that may have been made in any order.
func sum(pieces [][32]byte) string {
	h := sha256.New()
	for _, p := range pieces {
		h.Write(p[:])
	}
	return hex.EncodeToString(h.Sum(nil)[:4])
}

// right compares a digest with the right one.
func right(got, want string) error {
	if got != want {
		return fmt.Errorf("digest %s instead of %s: %w", got, want, workload.ErrWrong)
	}
	return nil
}
