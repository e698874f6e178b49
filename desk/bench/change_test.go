package bench_test

import (
	"testing"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/internal/testdesk"
)

// A plan is changed as long as nobody joined it: its identifier, unit and code stay, what it measures is other.
func TestAWaitingPlanIsChanged(t *testing.T) {
	d := testdesk.Opened(t)
	p, err := d.Bench.AddPlan(ctx, method.Plan{Unit: "a", Name: "First", Steps: []method.PlanStep{{Test: "work",
		Repeats: 2},
		{Test: "work", Repeats: 1}}}, "me")
	fine(t, err)
	code, _, err := d.Bench.JoinCode(ctx, p.ID)
	fine(t, err)
	if _, err = d.Bench.SkipStep(ctx, p.ID, 2, "me"); err != nil {
		t.Fatal(err)
	}
	change := func(id string, c method.Plan) (method.Plan, error) { return d.Bench.ChangePlan(ctx, id, c, "me") }
	_, err = change("nothing", method.Plan{})
	testdesk.Says(t, err, desk.NotFound, `"nothing"`)
	_, err = change(p.ID, method.Plan{})
	testdesk.Says(t, err, desk.Invalid, "a plan needs at least one test")
	_, err = change(p.ID, method.Plan{Steps: []method.PlanStep{{Test: "rest"}}})
	testdesk.Says(t, err, desk.Invalid, `no test "rest"`)
	got, err := change(p.ID, method.Plan{Unit: "b", Steps: []method.PlanStep{{Test: "work"}, {Test: "work", Repeats: 4}},
		Terms: method.Terms{Order: "interleaved"}})
	fine(t, err)
	b, err := d.Bench.BenchPlan(ctx, p.ID)
	fine(t, err)
	for _, x := range []method.Plan{got, b.Plan} {
		if x.ID != p.ID || x.Unit != "a" || x.Name != "First" || x.State != method.PlanWaiting || x.Created != p.Created ||
			len(x.Steps) != 2 || x.Steps[0].Repeats != 3 || x.Steps[1].Repeats != 4 || x.Order != "interleaved" {
			t.Errorf("%+v", x)
		}
	}
	if b.Steps[1].State != "waits" {
		t.Errorf("the step that was left out of the plan of before is %s", b.Steps[1].State)
	}
	if got, err = change(p.ID, method.Plan{Name: "Second", Steps: got.Steps}); err != nil || got.Name != "Second" {
		t.Errorf("%+v %v", got, err)
	}
	j, err := d.Bench.Join(ctx, code, "", record.Machine{Name: "m", Boot: "b"})
	fine(t, err)
	if len(j.Plan.Steps) != 2 {
		t.Errorf("who joins by the code of before measures %+v", j.Plan.Steps)
	}
	_, err = change(p.ID, method.Plan{Steps: got.Steps})
	testdesk.Says(t, err, desk.Conflict, `plan "Second" has begun`)
	_, err = d.Bench.Direct(ctx, p.ID, "stop", "me")
	fine(t, err)
	_, err = change(p.ID, method.Plan{Steps: got.Steps})
	if err == nil {
		t.Error("a plan that is stopped is changed")
	}
}

// A step that is left out halfway counts with what it has.
func TestAStepLeftOutHalfway(t *testing.T) {
	d := testdesk.Opened(t)
	p := planned(t, d, "a", method.PlanStep{Test: "work", Repeats: 3}, method.PlanStep{Test: "work", Repeats: 2})
	j := join(t, d, p.ID)
	deliver(t, d, j, 0, 0, record.Done)
	for step, jobs := range []int{5, 3, 1} {
		if step > 0 {
			_, err := d.Bench.SkipStep(ctx, p.ID, step, "me")
			fine(t, err)
		}
		b, err := d.Bench.BenchPlan(ctx, p.ID)
		fine(t, err)
		if b.Done != 1 || b.Jobs != jobs {
			t.Errorf("after step %d is left out %d of %d, want 1 of %d", step, b.Done, b.Jobs, jobs)
		}
	}
}

func fine(t *testing.T, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}
