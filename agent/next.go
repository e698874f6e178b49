package agent

import (
	"context"
	"durvek/core/method"
	"durvek/core/policy"
	"errors"
	"fmt"
	"slices"
)

// next is what is to be done, as the service says. While it cannot be reached, what it said last goes on, down to what
// only the service can decide.
func (w *worker) next(ctx context.Context) (policy.Action, error) {
	var x policy.Action
	err := w.patiently(ctx, away, func() error {
		if ctx.Err() != nil {
			return w.broken(ctx)
		}
		d, err := w.Service.Next(ctx, w.joined.Token, w.account(ctx))
		switch {
		case err == nil && len(d.Actions) == 0:
			return errors.New("the service does not say what is next")
		case err == nil && w.sane(d) != nil:
			return fmt.Errorf("%w: %s says what cannot be done: %w", ErrRefused, w.Server, w.sane(d))
		case err == nil:
			w.ahead, w.setup, w.did = d.Actions, d.Setup, ""
		case errors.Is(err, ErrRefused):
			return w.dismiss(err)
		case !w.goesOn():
			return err
		}
		x = w.ahead[0]
		return nil
	})
	if ctx.Err() != nil && err != nil {
		err = w.broken(ctx)
	}
	return x, err
}

// goesOn tells whether what the service said last can be done without it; what is done of it is taken away.
func (w *worker) goesOn() bool {
	d, _ := w.told()
	for !d.Stop && !d.Pause && len(w.ahead) > 0 {
		x := w.ahead[0]
		switch {
		case x.Do == policy.Run && (w.done[*x.Job] || slices.Contains(d.Skip, x.Job.Step)),
			x.Do == policy.GiveUp && !slices.ContainsFunc(w.jobs, func(j method.Job) bool {
				return j.Step == x.Step && !w.done[j]
			}):
		case x.Do == policy.Ask && w.did == x.Ask.ID:
			w.setup = x.Ask.Setup
		case x.Do == policy.Run:
			w.setup = w.joined.Plan.SetupOf(x.Job.Step)
			return true
		default:
			return x.Do == policy.Ask || x.Do == policy.GiveUp
		}
		w.ahead = w.ahead[1:]
	}
	return false
}

// account is what the agent says of its work.
func (w *worker) account(ctx context.Context) policy.Account {
	a := policy.Account{Setup: w.setup, Observed: w.Machine.Observe(ctx), Made: w.made, Did: w.did}
	for step, n := range w.crashes {
		a.Broken = append(a.Broken, policy.Tries{Step: step, Times: n})
	}
	for j, n := range w.failed {
		a.Failed = append(a.Failed, policy.Tries{Step: j.Step, Repeat: j.Repeat, Times: n})
	}
	if w.asked.ID != "" {
		a.Asked = &w.asked
	}
	return a
}
