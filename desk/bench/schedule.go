package bench

import (
	"context"
	"maps"
	"slices"

	"durvek/core/method"
	"durvek/core/schedule"
)

// thriceUpTo is for how many machines it is also told what three repeats of everything would cost.
const thriceUpTo = 128

// Schedule chooses what to put on the bench in the minutes at hand. What a run takes is what it took here; what waits
// on the bench, or is at work, counts as measured.
func (d *Bench) Schedule(ctx context.Context, q schedule.Question, t schedule.Terms) (schedule.Schedule, error) {
	on, weights, err := d.figures.ToSchedule(ctx, q)
	if err != nil {
		return schedule.Schedule{}, err
	}
	for test, seconds := range d.lengths.of("", slices.Collect(maps.Keys(on.Tests))) {
		x := on.Tests[test]
		x.Seconds = seconds
		on.Tests[test] = x
	}
	if on.Waiting, err = d.waiting(ctx, on.Machines); err != nil {
		return schedule.Schedule{}, err
	}
	t.Weights = weights
	out := schedule.Make(on, t)
	if t.Least < 3 && len(on.Machines) <= thriceUpTo {
		t.Least = 3
		out.Against(schedule.Make(on, t))
	}
	return out, nil
}

// waiting lists the tests of plans that are not over yet, by the number of the machine.
func (d *Bench) waiting(ctx context.Context, machines []schedule.Machine) (out []schedule.Waiting, err error) {
	plans, err := d.desk.Store.Plans(ctx)
	if err != nil {
		return nil, err
	}
	units, err := d.desk.Store.Units(ctx, "")
	if err != nil {
		return nil, err
	}
	variant := map[string]string{}
	for _, u := range units {
		variant[u.Slug] = u.Variant
	}
	number := map[string]int{}
	for i, m := range machines {
		number[m.Variant] = i
	}
	for _, p := range plans {
		i, ok := number[variant[p.Unit]]
		if !ok || p.State == method.PlanDone || p.State == method.PlanStopped || p.Host != "" || p.Place != "" {
			continue
		}
		for _, s := range p.Steps {
			out = append(out, schedule.Waiting{Machine: i, Test: s.Test, Repeats: max(s.Repeats, 1)})
		}
	}
	return out, nil
}
