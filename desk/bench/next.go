package bench

import (
	"context"

	"durvek/core/policy"
	"durvek/core/record"
	"durvek/desk"
)

// Next decides what a machine does next of its plan, from its own account and from what was received.
func (d *Bench) Next(ctx context.Context, plan string, a policy.Account) (policy.Decision, error) {
	q := d.desk.Store.Queries
	p, err := q.Plan(ctx, plan)
	if err != nil {
		return policy.Decision{}, desk.Missing(err, "plan", plan)
	}
	for _, t := range a.Made {
		if t.Step < 0 || t.Step >= len(p.Steps) {
			return policy.Decision{}, desk.Refuse(desk.Invalid, "plan %q has %d steps and no step %d", p.Name, len(p.Steps),
				t.Step+1)
		}
	}
	j := record.Joined{Plan: p}
	if err := setupsOf(ctx, q, &j); err != nil {
		return policy.Decision{}, err
	}
	got, err := q.Received(ctx, plan)
	if err != nil {
		return policy.Decision{}, err
	}
	for _, job := range got {
		a.Made = append(a.Made, policy.Made{Job: job})
	}
	want, err := d.wanted(ctx, plan)
	if err != nil {
		return policy.Decision{}, err
	}
	d.Heard(ctx, plan)
	return policy.Decide(p, j.Setups, a, want, desk.NewID), nil
}

// wanted is what people want of a plan.
func (d *Bench) wanted(ctx context.Context, plan string) (record.Directive, error) {
	d.live.mu.Lock()
	w := d.live.at(plan)
	directive, known := w.directive, w.known
	d.live.mu.Unlock()
	if known {
		return directive, nil
	}
	c, err := d.desk.Store.PlanControl(ctx, plan)
	if err != nil {
		return c, desk.Missing(err, "plan", plan)
	}
	d.live.direct(plan, c)
	return c, nil
}
