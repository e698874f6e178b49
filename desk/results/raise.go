package results

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"

	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// Raising is a doubt that a person raises.
type Raising struct {
	Run      string         `json:"run"`
	Measure  string         `json:"measure,omitempty" doc:"Slug; all readings of the run if left out"`
	Cell     bool           `json:"cell,omitempty" doc:"About all runs of the same unit, test, setup, place and conditions"`
	Setup    bool           `json:"setup,omitempty" doc:"About all runs of the same unit under the same setup, whatever the test"`
	Cause    string         `json:"cause,omitempty" doc:"What is suspected: a key of the list of causes; upholding takes it where none is said"`
	Sentence string         `json:"sentence" doc:"What is wrong, as readers may see it"`
	Severity trust.Severity `json:"severity,omitempty" enum:"note,caution,serious"`
}

// Raise raises a doubt by hand. It lives like those of the rules: it is upheld, dismissed, shown as a caveat, reopened.
func (d *Results) Raise(ctx context.Context, x Raising, by string) (trust.Doubt, error) {
	var none trust.Doubt
	if x.Sentence = strings.TrimSpace(x.Sentence); x.Sentence == "" {
		return none, desk.Refuse(desk.Invalid, "say in a sentence what is wrong; it stands beside the figure")
	}
	if !slices.Contains([]trust.Severity{"", trust.Note, trust.Caution, trust.Serious}, x.Severity) {
		return none, desk.Refuse(desk.Invalid, "a doubt is a note, a caution or serious, not %q", x.Severity)
	}
	if _, ok := trust.CauseOf(x.Cause); x.Cause != "" && !ok {
		return none, unknownCause(x.Cause)
	}
	if x.Setup && (x.Cell || x.Measure != "") {
		return none, desk.Refuse(desk.Invalid, "a doubt about a whole setup is about all its runs, not about a cell or "+
			"measure")
	}
	r, err := d.desk.Store.Run(ctx, x.Run)
	if err != nil {
		return none, desk.Missing(err, "run", x.Run)
	}
	t, err := d.desk.Store.Test(ctx, r.Test, r.TestVersion)
	if err != nil {
		return none, err
	}
	if _, ok := t.Measure(x.Measure); x.Measure != "" && !ok {
		return none, desk.Refuse(desk.Invalid, "the test %q has no measure %q", r.Test, x.Measure)
	}
	u, err := d.desk.Store.Unit(ctx, r.Subject)
	if err != nil {
		return none, err
	}
	out := trust.Doubt{ID: desk.NewID(), Rule: trust.ByPerson, Title: "Raised by hand", Run: r.ID, Runs: []string{r.ID},
		Measure: x.Measure, Severity: cmp.Or(x.Severity, trust.Caution), Sentence: x.Sentence, Evidence: []trust.Evidence{},
		Proposal: "Look at it, then uphold it, dismiss it or show it as a caveat", Again: "repeat", State: trust.Open,
		Raised: d.desk.Now(), Cause: x.Cause, Subject: r.Subject, Variant: u.Variant, Test: r.Test, TestName: t.Name,
		Setup: r.Setup,
		Plan:  r.Plan, Started: r.Started}
	out.Key = trust.ByPerson + "|" + out.ID
	if x.Setup {
		if out.Runs, err = d.desk.Store.RunsUnder(ctx, r.Subject, r.Setup); err != nil {
			return none, err
		}
	}
	if x.Cell {
		k, err := d.desk.Store.RunCell(ctx, r.ID)
		if err != nil {
			return none, err
		}
		if out.Runs, err = d.desk.Store.RunsOfCell(ctx, r.Test, k); err != nil {
			return none, err
		}
	}
	tests, err := d.desk.Store.TestsOf(ctx, out.Runs)
	if err != nil {
		return none, err
	}
	err = d.desk.Write(ctx, func(q *desk.Tx) error {
		q.After(func() { d.figures.Doubted(tests...) })
		return errors.Join(q.PutDoubt(ctx, out), q.AddDoubtAct(ctx, out.ID, store.DoubtAct{At: out.Raised, By: by,
			Act: "raised", Cause: x.Cause, Sentence: x.Sentence}), d.recountRuns(ctx, q, out.Runs, out.Measure))
	})
	if err == nil {
		d.desk.Events.Send(desk.Event{Name: "doubt", Data: map[string]string{"run": out.Run, "plan": out.Plan}})
	}
	return out, err
}
