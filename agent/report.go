package agent

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"durvek/core/method"
	"durvek/core/record"
)

// show changes what people see of the plan and says so.
func (w *worker) show(change func(*record.Progress)) {
	w.mu.Lock()
	if w.progress.Plan == "" {
		w.progress.Plan, w.progress.Jobs, w.progress.State = w.joined.Plan.ID, len(w.jobs), record.Working
	}
	change(&w.progress)
	var x record.Progress
	if w.Show != nil {
		x = w.snapshot()
	}
	w.mu.Unlock()
	if w.Show != nil {
		w.Show(x)
	}
	select {
	case w.poke <- struct{}{}:
	default:
	}
}

// snapshot is the progress as it stands; the caller holds the lock.
func (w *worker) snapshot() record.Progress {
	w.progress.Done, w.progress.Last = len(w.done), w.latest
	w.progress.Left = w.left(w.progress.Share)
	return w.progress
}

// left estimates the seconds still to go: what earlier runs of a test took, else what it usually takes.
func (w *worker) left(share float64) float64 {
	sum, first := 0.0, true
	for _, j := range w.jobs {
		if w.done[j] || slices.Contains(w.directive.Skip, j.Step) {
			continue
		}
		s := w.usual(j)
		if c := w.joined.Plan.Cool; c != nil {
			s += c.Seconds
		}
		if first {
			s *= 1 - share
			first = false
		}
		sum += s
	}
	return sum
}

// usual is how long a job takes: as earlier runs of its test did, else as the test says.
func (w *worker) usual(j method.Job) float64 {
	options := w.joined.Plan.Steps[j.Step].Options
	if s, ok := w.learned[j.Test]; ok && len(options) == 0 {
		return s
	}
	if s := w.test(j.Test).SecondsWith(options); s > 0 {
		return s
	}
	return 5
}

// report tells the service where the plan stands, at least every so often, and hears what people want of it.
func (w *worker) report(ctx context.Context) {
	tick := time.NewTicker(w.Report)
	defer tick.Stop()
	var last time.Time
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		case <-w.poke:
			if pause := 200*time.Millisecond - time.Since(last); pause > 0 {
				continue // the next tick says it
			}
		}
		last = time.Now()
		p := w.reportNow()
		if p.Plan == "" {
			continue
		}
		d, err := w.Service.SendProgress(ctx, w.joined.Token, p)
		switch {
		case err == nil:
			w.mu.Lock()
			w.directive = d
			w.mu.Unlock()
		case errors.Is(err, ErrRefused):
			w.dismiss(err)
		}
	}
}

// dismiss takes note that the service has no place for this agent.
func (w *worker) dismiss(err error) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.gone == nil {
		w.gone = fmt.Errorf("the service has no place for this agent any more; results so far are kept in %s: %w", w.Dir, err)
	}
	return w.gone
}
