// Package front is the room that people enter first: what goes on today and what waits for them, and where what they
// look for is. It decides nothing and writes nothing.
package front

import (
	"cmp"
	"context"
	"slices"
	"time"

	"durvek/core/claims"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// Bench is what this room asks of the one where things run.
type Bench interface {
	Bench(ctx context.Context, limit int, archived bool) ([]record.BenchPlan, error)
}

// Figures is what this room asks of the one that compares.
type Figures interface {
	Name(ctx context.Context, variant string) (desk.Named, error)
	CheckClaims(ctx context.Context, variant string, where ...string) ([]claims.Judged, error)
	Names(ctx context.Context) (desk.Names, error)
}

// Front is the room. All of it may be used by many at once.
type Front struct {
	desk    *desk.Desk
	bench   Bench
	figures Figures
}

// Open makes the room.
func Open(d *desk.Desk, b Bench, f Figures) *Front { return &Front{d, b, f} }

// Today is what goes on at the desk and what waits for a person.
type Today struct {
	Measuring []record.BenchPlan `json:"measuring" doc:"Plans at work, and those whose machine is silent"`
	Waiting   []record.BenchPlan `json:"waiting" doc:"Plans that wait for their machine"`
	Asks      int                `json:"asks" doc:"Plans that wait for a hand now"`
	Doubts    []Cause            `json:"doubts" doc:"Open doubts by what they have in common, the gravest first"`
	Open      int                `json:"open" doc:"Open doubts in all"`
	Decided   []Decided          `json:"decided" doc:"Claims that runs of the last two weeks decided, the newest first"`
	Holds     store.Holds        `json:"holds" doc:"How much there is of everything"`
	Backup    *time.Time         `json:"backup,omitempty" doc:"When the last backup was made"`
}

// Cause is open doubts of one rule about one unit: what has one reason is one entry.
type Cause struct {
	Rule     string         `json:"rule"`
	Title    string         `json:"title"`
	Unit     string         `json:"unit"`
	Name     string         `json:"name" doc:"Model and variant of the unit"`
	Severity trust.Severity `json:"severity" enum:"note,caution,serious"`
	Count    int            `json:"count" doc:"Doubts"`
	Runs     int            `json:"runs" doc:"Runs that they are about"`
	Since    time.Time      `json:"since"`
	Sentence string         `json:"sentence" doc:"What the gravest of them says"`
	Doubt    string         `json:"doubt" doc:"The gravest of them"`
}

// Decided is a claim that can be judged since lately.
type Decided struct {
	Variant string         `json:"variant"`
	Name    string         `json:"name" doc:"Model and variant"`
	Claim   string         `json:"claim" doc:"Measure and value as claimed"`
	Outcome claims.Outcome `json:"outcome"`
	Why     string         `json:"why"`
	At      time.Time      `json:"at" doc:"When the run was made that decided it"`
}

// Bounds of what is told at once.
const (
	mostPlans   = 40
	mostDoubts  = 400
	mostCauses  = 12
	mostDecided = 8
	lately      = 14 * 24 * time.Hour
)

// Today tells what goes on.
func (f *Front) Today(ctx context.Context) (Today, error) {
	t := Today{Measuring: []record.BenchPlan{}, Waiting: []record.BenchPlan{}, Doubts: []Cause{}, Decided: []Decided{}}
	plans, err := f.bench.Bench(ctx, mostPlans, false)
	if err != nil {
		return t, err
	}
	for _, b := range plans {
		switch b.Plan.State {
		case method.PlanRunning, method.PlanSilent:
			t.Measuring = append(t.Measuring, b)
			if b.Progress != nil && b.Progress.Ask != nil && b.Progress.Ask.Now {
				t.Asks++
			}
		case method.PlanWaiting:
			t.Waiting = append(t.Waiting, b)
		}
	}
	open, total, err := f.desk.Store.Doubts(ctx, store.DoubtFilter{State: trust.Open, Limit: mostDoubts})
	if err != nil {
		return t, err
	}
	t.Open = total
	if t.Doubts, err = f.causes(ctx, open); err != nil {
		return t, err
	}
	if t.Decided, err = f.decided(ctx); err != nil {
		return t, err
	}
	t.Holds, err = f.desk.Store.Holds(ctx)
	return t, err
}

// causes puts together what one rule says of one unit; open ones come the gravest first.
func (f *Front) causes(ctx context.Context, open []trust.Doubt) ([]Cause, error) {
	out := []Cause{}
	runs := []map[string]bool{}
	for _, x := range open {
		i := slices.IndexFunc(out, func(c Cause) bool { return c.Rule == x.Rule && c.Unit == x.Subject })
		if i < 0 {
			name, err := f.figures.Name(ctx, x.Variant)
			if err != nil {
				return nil, err
			}
			i = len(out)
			out = append(out, Cause{Rule: x.Rule, Title: x.Title, Unit: x.Subject, Name: name.Label(), Severity: x.Severity,
				Since: x.Raised, Sentence: x.Sentence, Doubt: x.ID})
			runs = append(runs, map[string]bool{})
		}
		c := &out[i]
		c.Count++
		if x.Raised.Before(c.Since) {
			c.Since = x.Raised
		}
		for _, r := range x.Runs {
			runs[i][r] = true
		}
		c.Runs = len(runs[i])
	}
	return out[:min(len(out), mostCauses)], nil
}

// decided lists the claims that runs of the last two weeks decided.
func (f *Front) decided(ctx context.Context) ([]Decided, error) {
	since := f.desk.Now().Add(-lately)
	variants, err := f.desk.Store.MeasuredSince(ctx, since, 20)
	if err != nil {
		return nil, err
	}
	out := []Decided{}
	for _, v := range variants {
		judged, err := f.figures.CheckClaims(ctx, v)
		if err != nil {
			return nil, err
		}
		for _, c := range judged {
			if !c.Verdict.Outcome.Decided() || len(c.Runs) == 0 {
				continue
			}
			at, err := f.desk.Store.LastOf(ctx, c.Runs)
			if err != nil {
				return nil, err
			}
			if at.Before(since) {
				continue
			}
			name, err := f.figures.Name(ctx, v)
			if err != nil {
				return nil, err
			}
			out = append(out, Decided{v, name.Label(), c.Name + ", " + c.Text, c.Verdict.Outcome, c.Verdict.Why, at})
		}
	}
	slices.SortStableFunc(out, func(a, b Decided) int { return cmp.Or(b.At.Compare(a.At), cmp.Compare(a.Claim, b.Claim)) })
	return out[:min(len(out), mostDecided)], nil
}
