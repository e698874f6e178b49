package results

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// Doubts lists doubts, open ones first, and how many there are in all.
func (d *Results) Doubts(ctx context.Context, f store.DoubtFilter) ([]trust.Doubt, int, error) {
	list, total, err := d.desk.Store.Doubts(ctx, f)
	return list, total, desk.Behind(f.After, err)
}

// DoubtPage is a doubt with its life.
type DoubtPage struct {
	Doubt trust.Doubt      `json:"doubt"`
	Acts  []store.DoubtAct `json:"acts"`
	Rule  trust.Rule       `json:"rule"`
	// Photos are evidence that people added.
	Photos []Attachment `json:"photos"`
}

// Doubt finds a doubt with its life.
func (d *Results) Doubt(ctx context.Context, id string) (DoubtPage, error) {
	x, err := d.desk.Store.Doubt(ctx, id)
	if err != nil {
		return DoubtPage{}, desk.Missing(err, "doubt", id)
	}
	acts, err := d.desk.Store.DoubtActs(ctx, id)
	rule, ok := trust.RuleOf(x.Rule)
	if !ok {
		rule = trust.Rule{Name: x.Rule, Title: x.Title}
	}
	if err != nil {
		return DoubtPage{}, err
	}
	photos, err := d.Attachments(ctx, store.AttachmentFilter{Doubt: id})
	return DoubtPage{x, acts, rule, photos}, err
}

// Settling is what a reviewer makes of a doubt.
type Settling struct {
	Do     string   `json:"do" enum:"uphold,dismiss,caveat,reopen"`
	Cause  string   `json:"cause,omitempty" doc:"For uphold: a key of the list of causes"`
	Reason string   `json:"reason,omitempty" doc:"Why; a dismissal and a reopening need one. Of a caveat it is what readers see, the doubt's own sentence if left out"`
	Runs   []string `json:"runs,omitempty" doc:"For uphold: which of its runs no longer count; all of them if left out"`
}

// Settle upholds a doubt, so that its runs (or its measure in them) no longer count; or dismisses or reopens
// it, so that they count; or has them shown with a caveat: in charts, with what it says, and never as a sure figure.
// What was done before stays in its life.
func (d *Results) Settle(ctx context.Context, id string, s Settling, by string) (trust.Doubt, error) {
	x, changed, err := d.settle(ctx, id, s, by)
	if err != nil || !changed {
		return x, err
	}
	_, err = d.examineAll(ctx, []string{x.Run}) // what else is said of its cells may have fallen with it
	return x, err
}

// settle does it, and tells whether readings count otherwise since.
func (d *Results) settle(ctx context.Context, id string, s Settling, by string) (x trust.Doubt, changed bool,
	err error) {
	d.judging.Lock()
	defer d.judging.Unlock()
	if x, err = d.desk.Store.Doubt(ctx, id); err != nil {
		return x, false, desk.Missing(err, "doubt", id)
	}
	s.Reason = strings.TrimSpace(s.Reason)
	at := d.desk.Now()
	do, err := s.judge(&x)
	if err != nil {
		return x, false, err
	}
	x.Reason, x.By, x.Settled = s.Reason, by, &at
	if x.State == trust.Open {
		x.By, x.Settled = "", nil
	}
	tests, err := d.desk.Store.TestsOf(ctx, x.Runs)
	if err != nil {
		return x, false, err
	}
	act := map[trust.DoubtState]string{trust.Upheld: "upheld", trust.Dismissed: "dismissed",
		trust.Shown: "shown with a caveat", trust.Open: "reopened"}[x.State]
	err = d.edit(ctx, do, by, func(q *desk.Tx) error {
		q.After(func() { d.figures.Doubted(tests...) })
		if err := errors.Join(q.PutDoubt(ctx, x), q.AddDoubtAct(ctx, x.ID, store.DoubtAct{At: at, By: by, Act: act,
			Cause: x.Cause, Reason: s.Reason})); err != nil || x.Severity != trust.Serious {
			return err
		}
		return d.recountRuns(ctx, q, x.Runs, x.Measure) // in doubt they say nothing of the repeatability
	})
	if err == nil {
		d.desk.Events.Send(desk.Event{Name: "doubt", Data: map[string]string{"run": x.Run, "plan": x.Plan}})
	}
	return x, len(do) > 0, err
}

// judge gives a doubt its new state, and says what is to be done to the readings.
func (s Settling) judge(x *trust.Doubt) (do []edit, err error) {
	before := x.State
	switch s.Do {
	case "uphold":
		s.Cause = cmp.Or(s.Cause, x.Cause) // what was suspected when it was raised
		cause, ok := trust.CauseOf(s.Cause)
		if !ok {
			return nil, unknownCause(s.Cause)
		}
		if before != trust.Open {
			return nil, desk.Refuse(desk.Conflict, "the doubt is %s already; reopen it first", before.Words())
		}
		for _, r := range s.Runs {
			if !slices.Contains(x.Runs, r) {
				return nil, desk.Refuse(desk.Invalid, "the doubt is not about run %q", r)
			}
		}
		if len(s.Runs) > 0 {
			x.Runs = s.Runs
		}
		x.State, x.Cause = trust.Upheld, s.Cause
		for _, r := range x.Runs {
			do = append(do, edit{kind: "void", run: r, measure: x.Measure, reason: cmp.Or(s.Reason, cause.Name), cause: s.Cause,
				doubt: x.ID, extreme: !cause.Physical})
		}
	case "dismiss":
		if before != trust.Open {
			return nil, desk.Refuse(desk.Conflict, "the doubt is %s already; reopen it first", before.Words())
		}
		if s.Reason == "" {
			return nil, desk.Refuse(desk.Invalid, "say why the doubt is dismissed")
		}
		x.State, x.Cause = trust.Dismissed, ""
	case "caveat":
		if before != trust.Open {
			return nil, desk.Refuse(desk.Conflict, "the doubt is %s already; reopen it first", before.Words())
		}
		x.State, x.Cause = trust.Shown, ""
	case "reopen":
		if before == trust.Open {
			return nil, desk.Refuse(desk.Conflict, "the doubt is open already")
		}
		if s.Reason == "" {
			return nil, desk.Refuse(desk.Invalid, "say why the doubt is reopened")
		}
		x.State, x.Cause = trust.Open, ""
		if before == trust.Upheld {
			for _, r := range x.Runs {
				do = append(do, edit{kind: "restore", run: r, measure: x.Measure, reason: s.Reason, doubt: x.ID, only: x.ID})
			}
		}
	default:
		return nil, desk.Refuse(desk.Invalid, "a doubt is upheld, dismissed, shown as a caveat or reopened, not %q",
			s.Do)
	}
	return do, nil
}

func unknownCause(key string) error {
	var keys []string
	for _, c := range trust.Causes {
		keys = append(keys, c.Key)
	}
	if key == "" {
		return desk.Refuse(desk.Invalid, "a doubt is upheld with a cause, one of %s", strings.Join(keys, ", "))
	}
	return desk.Refuse(desk.Invalid, "%q is no cause; a cause is one of %s", key, strings.Join(keys, ", "))
}

// RuleState is a rule with how it is tuned and what it has raised.
type RuleState struct {
	trust.Rule
	Tunings []trust.Tuning           `json:"tunings"`
	Counts  map[trust.DoubtState]int `json:"counts" doc:"Doubts by state"`
}

// Rules lists the doubt rules with how each is tuned and what it has raised.
func (d *Results) Rules(ctx context.Context) ([]RuleState, error) {
	tunings, err := d.desk.Store.Tunings(ctx)
	if err != nil {
		return nil, err
	}
	counts, err := d.desk.Store.DoubtCounts(ctx)
	out := []RuleState{}
	for _, r := range trust.Rules {
		s := RuleState{Rule: r, Tunings: []trust.Tuning{}, Counts: map[trust.DoubtState]int{}}
		maps.Copy(s.Counts, counts[r.Name])
		for _, t := range tunings {
			if t.Rule == r.Name {
				s.Tunings = append(s.Tunings, t)
			}
		}
		out = append(out, s)
	}
	return out, err
}

// Tune changes a rule for a test, or for all tests: another limit, or off. Neither takes the change away.
func (d *Results) Tune(ctx context.Context, t trust.Tuning, by string) (trust.Tuning, error) {
	r, ok := trust.RuleOf(t.Rule)
	if !ok {
		return t, desk.Refuse(desk.NotFound, "no rule %q is known; the list of rules names them all", t.Rule)
	}
	if t.Test != "" {
		if _, err := d.desk.Store.Test(ctx, t.Test, 0); err != nil {
			return t, desk.Missing(err, "test", t.Test)
		}
	}
	t.Reason = strings.TrimSpace(t.Reason)
	switch {
	case t.Limit != 0 && r.Limit == 0:
		return t, desk.Refuse(desk.Invalid, "the rule %q knows no limit; it can be switched off", r.Name)
	case t.Limit != 0 && t.Limit < r.Least:
		return t, desk.Refuse(desk.Invalid, "the limit of %q is in %s and may not lie below %g", r.Name, r.LimitUnit, r.Least)
	case t.Reason == "" && (t.Off || t.Limit != 0):
		return t, desk.Refuse(desk.Invalid, "say why the rule %q is changed; the reason stands beside it", r.Name)
	}
	t.By, t.At = by, d.desk.Now()
	return t, d.desk.Put(ctx, by, "tune rule", t.Rule+" "+t.Test, func(q *desk.Tx) error { return q.PutTuning(ctx, t) })
}

// Repeat puts what a doubt is about on the bench once more: the same test and setup on the same unit, after
// cooling down where the doubt asks for it.
func (d *Results) Repeat(ctx context.Context, id string, repeats int, by string) (method.Plan, error) {
	x, err := d.desk.Store.Doubt(ctx, id)
	if err != nil {
		return method.Plan{}, desk.Missing(err, "doubt", id)
	}
	r, err := d.desk.Store.Run(ctx, x.Run)
	if err != nil {
		return method.Plan{}, err
	}
	t, err := d.desk.Store.Test(ctx, x.Test, 0)
	if err != nil {
		return method.Plan{}, err
	}
	if x.Again == "" || t.Origin == "own" {
		return method.Plan{}, desk.Refuse(desk.Invalid, "%q cannot be put on the bench: %s", t.Name,
			strings.ToLower(x.Proposal[:1])+x.Proposal[1:])
	}
	p := method.Plan{Unit: r.Subject, Host: r.Host, Place: r.Place, Setup: r.Setup, Name: "Again: " + t.Name,
		Steps: []method.PlanStep{{Test: r.Test, Repeats: max(repeats, 1), Options: r.Options}}}
	if x.Again == "cool" {
		p.Terms.Cool = &method.Cool{Seconds: 120, Below: 45, Most: 900}
	}
	return d.bench.AddPlan(ctx, p, by)
}
