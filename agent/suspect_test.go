package agent

import (
	"math"
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/policy"
	"durvek/core/record"
)

// joinedTo is a plan of two steps that nothing is wrong with.
func joinedTo() record.Joined {
	return record.Joined{Plan: method.Plan{Steps: []method.PlanStep{{Test: "a", Repeats: 2}, {Test: "b", Repeats: 1}}},
		Tests: []method.Test{{Slug: "a", Seconds: 5}, {Slug: "b", Command: &method.Command{Limit: 60}}}}
}

func TestAnAgentTakesNoPlanThatCannotBe(t *testing.T) {
	for says, spoil := range map[string]func(*record.Joined){
		"":              func(*record.Joined) {},
		"it has 0 st":   func(j *record.Joined) { j.Plan.Steps = nil },
		"made 0 times":  func(j *record.Joined) { j.Plan.Steps[1].Repeats = 0 },
		"made 1001":     func(j *record.Joined) { j.Plan.Steps[1].Repeats = 1001 },
		"did not come":  func(j *record.Joined) { j.Tests = j.Tests[:1] },
		"less than not": func(j *record.Joined) { j.Tests[0].Seconds = -1 },
		"longer than":   func(j *record.Joined) { j.Tests[0].Seconds = math.Inf(1) },
		`run of "b"`:    func(j *record.Joined) { j.Tests[1].Command.Limit = 86401 },
		"taken NaN s":   func(j *record.Joined) { j.Learned = map[string]float64{"a": math.NaN()} },
		"taken 1e+300":  func(j *record.Joined) { j.Learned = map[string]float64{"a": 1e300} },
		"cool-down":     func(j *record.Joined) { j.Plan.Terms.Cool = &method.Cool{Seconds: 1e9} },
		"more than 20000 runs": func(j *record.Joined) {
			for range 20 {
				j.Plan.Steps = append(j.Plan.Steps, method.PlanStep{Test: "a", Repeats: 1000})
			}
		},
	} {
		j := joinedTo()
		spoil(&j)
		if err := sound(j); (err == nil) != (says == "") || err != nil && !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", says, err)
		}
	}
	for _, most := range []func(*record.Joined){
		func(j *record.Joined) { j.Plan.Steps[1].Repeats = 1000 },
		func(j *record.Joined) { j.Tests[1].Command.Limit = 86400 },
		func(j *record.Joined) { j.Tests[0].Seconds = 30 * 86400 },
	} {
		j := joinedTo()
		most(&j)
		if err := sound(j); err != nil {
			t.Errorf("the most that is taken: %v", err)
		}
	}
}

func TestAnAgentDoesNothingThatIsNoneOfItsPlan(t *testing.T) {
	j := joinedTo()
	w := &worker{joined: j, jobs: j.Plan.Jobs()}
	own, other := j.Plan.Jobs()[0], method.Job{Step: 2, Test: "a"}
	for says, x := range map[string]policy.Action{
		"":                 {Do: policy.Run, Job: &own, Cool: &method.Cool{Seconds: 86400}},
		"none of the plan": {Do: policy.Run, Job: &other},
		"a run is":         {Do: policy.Run},
		"not what for":     {Do: policy.Ask},
		"step 3":           {Do: policy.GiveUp, Step: 2},
		"step 0":           {Do: policy.GiveUp, Step: -1},
		"cool-down":        {Do: policy.Run, Job: &own, Cool: &method.Cool{Seconds: 86401}},
	} {
		err := w.sane(policy.Decision{Actions: []policy.Action{{Do: policy.Wait}, x}})
		if (err == nil) != (says == "") || err != nil && !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", says, err)
		}
	}
	if w.sane(policy.Decision{Actions: make([]policy.Action, 2*mostJobs+1)}) == nil {
		t.Error("more is to be done than any plan has")
	}
	for i := range 2 * mostAgain {
		if err := w.endless(policy.Action{Do: policy.Run, Job: &own}); (err != nil) != (i >= mostAgain) {
			t.Fatalf("asked for the %dth time: %v", i+1, err)
		}
		if err := w.endless(policy.Action{Do: policy.Wait}); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.endless(policy.Action{Do: policy.GiveUp, Step: 1}); err != nil {
		t.Errorf("something else: %v", err)
	}
}
