package results

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"durvek/core/analyse"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
)

// fullEnergy takes from the spec sheet what the full battery holds, for a run-down that nobody told it.
func fullEnergy(r *record.Run, spec map[string]any) {
	if r.Negotiated[analyse.FullEnergy] != "" {
		return
	}
	if e, ok := catalog.SpecNumber(spec, "battery.energy"); ok && e > 0 {
		if r.Negotiated == nil {
			r.Negotiated = map[string]string{}
		}
		r.Negotiated[analyse.FullEnergy] = fmt.Sprintf("%g Wh", e)
	}
}

// CloseRun makes the run of a load that ran until its device went off, and that nobody brought back, of the heartbeats
// that the service has. It ends with the last one.
func (d *Results) CloseRun(ctx context.Context, plan, by string) (method.Plan, error) {
	p, err := d.desk.Store.Plan(ctx, plan)
	if err != nil {
		return p, desk.Missing(err, "plan", plan)
	}
	if p.State != method.PlanSilent {
		return p, desk.Refuse(desk.Conflict, "plan %q is %s: only the run of a device that has gone silent is closed by hand",
			plan, p.State)
	}
	got, err := d.desk.Store.Received(ctx, plan)
	if err != nil {
		return p, err
	}
	var test method.Test
	jobs := p.Jobs()
	i := slices.IndexFunc(jobs, func(j method.Job) bool {
		if slices.Contains(got, j) || err != nil {
			return false
		}
		test, err = d.desk.Store.Test(ctx, j.Test, 0)
		return test.Lasting()
	})
	if err != nil {
		return p, err
	}
	id, err := d.desk.Store.OpenRun(ctx, plan)
	if known, err := desk.Found(err); err != nil {
		return p, err
	} else if i < 0 || !known {
		return p, desk.Refuse(desk.Conflict, "plan %q has no run-down that told anything and was not delivered", plan)
	}
	t, err := d.desk.Store.Trace(ctx, id, 0, 0)
	if err != nil {
		return p, err
	}
	s, err := d.desk.Store.LastSitting(ctx, p.Unit)
	if err != nil {
		return p, err
	}
	key, err := uuid.Parse(id)
	if err != nil || len(t.Times) < 2 {
		return p, desk.Refuse(desk.Conflict, "the run told one heartbeat at most; no figure can be made of it")
	}
	began := time.Unix(key.Time().UnixTime()).UTC() // an identifier of version 7 tells when it was made
	j := jobs[i]
	setup, err := d.desk.Store.Setup(ctx, p.SetupOf(j.Step))
	if err != nil {
		return p, err
	}
	r := record.Run{ID: id, Test: j.Test, TestVersion: test.Version, Subject: p.Unit, Host: p.Host, Place: p.Place,
		Setup: setup.Slug, Sitting: s.ID, Plan: plan, Step: j.Step, Repeat: j.Repeat, Started: began,
		Ended:   began.Add(time.Duration(t.Times[len(t.Times)-1] * float64(time.Second))),
		Outcome: record.Done, Source: record.FromAgent, By: by, Simulated: s.Machine.Simulated,
		Options: p.Steps[j.Step].Options, Series: t.Series(), Observed: map[string]string{"supply": "battery"},
		Negotiated: map[string]string{analyse.HowEnded: analyse.WentOff}, Readings: []record.Reading{}}
	for _, o := range test.Options {
		if o.Match {
			r.Observed[method.OptionCondition(o.Slug)] = test.Values(r.Options)[o.Slug]
		}
	}
	if lit := t.Column(analyse.Luminance); len(lit) > 0 {
		r.Observed[analyse.Luminance] = fmt.Sprintf("%.0f cd/m²", lit[0])
	}
	if _, err := d.record(ctx, []record.Run{r}); err != nil {
		return p, err
	}
	return d.desk.Store.Plan(ctx, plan)
}
