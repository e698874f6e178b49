package agent

import (
	"errors"
	"fmt"
	"slices"

	"durvek/core/method"
	"durvek/core/policy"
	"durvek/core/record"
)

// What an agent takes from a service at most. It came by a code that somebody typed; what it sends decides how long
// this machine works, and at what.
const (
	mostJobs    = 20_000
	mostRepeats = 1000
	mostSeconds = 30 * 86400 // of one run
	mostAgain   = 100        // times that one run is asked for
)

// sound says why a plan that a service sent cannot be worked through; nil where it can.
func sound(j record.Joined) error {
	p := j.Plan
	if len(p.Steps) == 0 || len(p.Steps) > mostJobs {
		return fmt.Errorf("it has %d steps", len(p.Steps))
	}
	jobs := 0
	for i, s := range p.Steps {
		if s.Repeats < 1 || s.Repeats > mostRepeats {
			return fmt.Errorf("step %d is to be made %d times", i+1, s.Repeats)
		}
		if jobs += s.Repeats; jobs > mostJobs {
			return fmt.Errorf("it has more than %d runs", mostJobs)
		}
		at := slices.IndexFunc(j.Tests, func(t method.Test) bool { return t.Slug == s.Test })
		if at < 0 {
			return fmt.Errorf("step %d is of a test %q that did not come with it", i+1, s.Test)
		}
		t := j.Tests[at]
		if c := t.Command; !(t.Seconds >= 0 && t.Seconds <= mostSeconds) || c != nil && !(c.Limit > 0 && c.Limit <= 86400) {
			return fmt.Errorf("a run of %q is to take longer than anything takes, or less than nothing", t.Slug)
		}
	}
	for test, s := range j.Learned {
		if !(s >= 0 && s <= mostSeconds) {
			return fmt.Errorf("a run of %q is said to have taken %g s", test, s)
		}
	}
	if wrong := p.Terms.Check(); len(wrong) > 0 {
		return errors.New(wrong[0])
	}
	return nil
}

// sane says why what a service wants done next cannot be done; nil where it can.
func (w *worker) sane(d policy.Decision) error {
	if len(d.Actions) > 2*mostJobs {
		return fmt.Errorf("%d things are to be done", len(d.Actions))
	}
	for _, x := range d.Actions {
		switch {
		case x.Do == policy.Run && (x.Job == nil || !slices.Contains(w.jobs, *x.Job)):
			return errors.New("a run is to be made that is none of the plan's")
		case x.Do == policy.Ask && x.Ask == nil:
			return errors.New("a hand is asked for, and not what for")
		case x.Do == policy.GiveUp && (x.Step < 0 || x.Step >= len(w.joined.Plan.Steps)):
			return fmt.Errorf("step %d is to be given up, which the plan has not", x.Step+1)
		}
		if x.Cool != nil {
			if wrong := (method.Terms{Cool: x.Cool}).Check(); len(wrong) > 0 {
				return errors.New(wrong[0])
			}
		}
	}
	return nil
}

// endless counts how often something is to be done, and says when that has no end.
func (w *worker) endless(x policy.Action) error {
	key := fmt.Sprint(x.Do, x.Step)
	switch x.Do {
	case policy.Run:
		key = fmt.Sprint(*x.Job)
	case policy.GiveUp:
	default:
		return nil // these wait for somebody
	}
	if w.asks == nil {
		w.asks = map[string]int{}
	}
	if w.asks[key]++; w.asks[key] > mostAgain {
		return fmt.Errorf("the service asks for the same thing for the %dth time (%s); this agent stops", w.asks[key], x.Do)
	}
	return nil
}
