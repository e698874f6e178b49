package bench_test

import (
	"math"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/desk"
	"durvek/desk/bench"
	"durvek/desk/house"
	"durvek/internal/testdesk"
	"durvek/store"
)

var ctx = testdesk.Ctx

// clock is a desk's time, which a test turns.
type clock struct{ at time.Time }

func (c *clock) now() time.Time { return c.at }

func opened(t *testing.T) (*house.House, *clock) {
	t.Helper()
	c := &clock{testdesk.Morning()}
	return testdesk.OpenedIn(t, t.TempDir(), c.now), c
}

func planned(t *testing.T, d *house.House, unit string, steps ...method.PlanStep) method.Plan {
	t.Helper()
	if len(steps) == 0 {
		steps = []method.PlanStep{{Test: "work", Repeats: 2}}
	}
	p, err := d.Bench.AddPlan(ctx, method.Plan{Unit: unit, Steps: steps}, "me")
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func join(t *testing.T, d *house.House, plan string) record.Joined {
	t.Helper()
	code, _, err := d.Bench.JoinCode(ctx, plan)
	if err != nil {
		t.Fatal(err)
	}
	j, err := d.Bench.Join(ctx, code, "", record.Machine{Name: "m-" + plan[:8], Boot: "b"})
	if err != nil {
		t.Fatal(err)
	}
	return j
}

func deliver(t *testing.T, d *house.House, j record.Joined, step, repeat int, outcome record.Ending) {
	t.Helper()
	r := record.Run{ID: uuid.NewString(), Plan: j.Plan.ID, Step: step, Repeat: repeat, Test: j.Plan.Steps[step].Test,
		TestVersion: 1, Sitting: j.Sitting, Outcome: outcome, Started: testdesk.Morning(),
		Ended: testdesk.Morning().Add(10 * time.Second)}
	if outcome == record.Done {
		r.Readings = []record.Reading{{Measure: "rate", State: record.OK, Value: 100 + float64(repeat)}}
	} else {
		r.Failure = "it " + string(outcome)
	}
	if _, err := d.Results.AddRun(ctx, r); err != nil {
		t.Fatal(err)
	}
}

// A plan that cannot be made is refused with every reason at once; on its edges it is taken.
func TestPlansAtTheirEdges(t *testing.T) {
	d, _ := opened(t)
	for _, c := range []struct {
		plan method.Plan
		want []string
	}{
		{method.Plan{Unit: "a"}, []string{"at least one test"}},
		{method.Plan{Unit: "nobody", Setup: "odd", Steps: []method.PlanStep{{Test: "nothing"}}}, []string{`no unit "nobody"`,
			`no setup "odd"`, `no test "nothing"`}},
		{method.Plan{Unit: "a", Steps: []method.PlanStep{{Test: "work", Repeats: 101}, {Test: "work", Repeats: -1}}},
			[]string{"101 repeats", "-1 repeats"}},
		{method.Plan{Unit: "a", Steps: []method.PlanStep{{Test: "weight"}}}, []string{"is entered by the desk"}},
		{method.Plan{Unit: "a", Steps: []method.PlanStep{{Test: "work", Setup: "odd"}}}, []string{`no setup "odd"`}},
	} {
		_, err := d.Bench.AddPlan(ctx, c.plan, "me")
		testdesk.Says(t, err, desk.Invalid, append(c.want, "plan refused")...)
	}
	for n, want := range map[int]int{0: 3, 1: 1, 100: 100} {
		if p := planned(t, d, "a", method.PlanStep{Test: "work", Repeats: n}); p.Steps[0].Repeats != want ||
			p.State != method.PlanWaiting || p.Name != "1 test" {
			t.Errorf("%d repeats asked for: %+v", n, p)
		}
	}
}

// Codes hold for an hour, once; a unit has one agent at a time, for as long as its lease lasts; a clock may be a day
// off.
func TestJoiningAtItsEdges(t *testing.T) {
	d, c := opened(t)
	p, other := planned(t, d, "a"), planned(t, d, "a")
	machine := record.Machine{Name: "m", Boot: "b"}
	code, expires, err := d.Bench.JoinCode(ctx, p.ID)
	if err != nil || !expires.Equal(c.at.Add(time.Hour)) || len(code) != 9 {
		t.Fatalf("%q until %s, %v", code, expires, err)
	}
	_, err = d.Bench.Join(ctx, code, "", record.Machine{Name: "m"})
	testdesk.Says(t, err, desk.Invalid, "name and boot")
	_, err = d.Bench.Join(ctx, code, "short", machine)
	testdesk.Says(t, err, desk.Invalid, "characters at least")
	for off, want := range map[time.Duration]bool{desk.FarOff: true, desk.FarOff + time.Second: false, -desk.FarOff: true,
		-desk.FarOff - time.Second: false} {
		at := c.at.Add(off)
		_, err := d.Bench.Join(ctx, "AAAA-AAAA", "", record.Machine{Name: "m", Boot: "b", Clock: &at})
		if refused := desk.Refused(err, desk.Invalid); refused == want {
			t.Errorf("a clock %s off: %v", off, err)
		}
	}
	late, _, _ := d.Bench.JoinCode(ctx, p.ID)
	c.at = c.at.Add(time.Hour)
	_, err = d.Bench.Join(ctx, late, "", machine)
	testdesk.Says(t, err, desk.Denied, "spent or expired")
	code, _, _ = d.Bench.JoinCode(ctx, p.ID)
	j, err := d.Bench.Join(ctx, " "+strings.ToLower(code)+" ", "", machine) // as a person types it
	if err != nil || j.Plan.State != method.PlanRunning || len(j.Jobs) != 2 || len(j.Setups) != 1 {
		t.Fatalf("%+v, %v", j, err)
	}
	if again, err := d.Bench.Join(ctx, "spent", j.Token, machine); err != nil || again.Plan.ID != p.ID ||
		again.Sitting != j.Sitting {
		t.Errorf("with its own secret it is no second joining: %v", err)
	}
	second, _, _ := d.Bench.JoinCode(ctx, other.ID)
	c.at = c.at.Add(45 * time.Second)
	_, err = d.Bench.Join(ctx, second, "", machine)
	testdesk.Says(t, err, desk.Conflict, "has an agent at work", "45 s")
	c.at = c.at.Add(time.Second)
	if _, err = d.Bench.Join(ctx, second, "", machine); err != nil {
		t.Errorf("its lease has ended: %v", err)
	}
	_, err = d.Bench.Rejoin(ctx, p.ID, record.Machine{Name: "another", Boot: "b"})
	testdesk.Says(t, err, desk.Denied, `was joined by "m", not by "another"`)
	over := planned(t, d, "b")
	if _, err := d.Bench.Direct(ctx, over.ID, bench.PlanStop, "me"); err != nil {
		t.Fatal(err)
	}
	_, _, err = d.Bench.JoinCode(ctx, over.ID)
	testdesk.Says(t, err, desk.Conflict, "is stopped")
}

// What came of a step, by its runs.
func TestWhatCameOfAStep(t *testing.T) {
	for _, c := range []struct {
		name string
		runs []record.Ending
		want record.StepState
		over method.PlanState
	}{
		{"none", nil, record.StepWaits, method.PlanStopped},
		{"one of two", []record.Ending{record.Done}, record.StepWaits, method.PlanStopped},
		{"both", []record.Ending{record.Done, record.Done}, record.StepDone, method.PlanDone},
		{"one failed", []record.Ending{record.Done, record.Failed}, record.StepDone, method.PlanDone},
		{"all failed", []record.Ending{record.Failed, record.Failed}, record.StepFailed, method.PlanDone},
		{"failed and not run", []record.Ending{record.Failed, record.NotRun}, record.StepFailed, method.PlanDone},
		{"none could", []record.Ending{record.NotRun, record.NotRun}, record.StepNotRun, method.PlanDone},
		{"parked", []record.Ending{record.Done, record.Parked}, record.StepParked, method.PlanDone},
	} {
		d, _ := opened(t)
		j := join(t, d, planned(t, d, "a").ID)
		for i, o := range c.runs {
			deliver(t, d, j, 0, i, o)
		}
		b, err := d.Bench.BenchPlan(ctx, j.Plan.ID)
		if err != nil {
			t.Fatal(err)
		}
		if s := b.Steps[0]; s.State != c.want || s.Done != len(c.runs) || b.Done != len(c.runs) || b.Jobs != 2 ||
			b.Title != "Maker A, 16 GiB" {
			t.Errorf("%s: %+v of %d jobs", c.name, s, b.Jobs)
		}
		if p, err := d.Bench.FinishPlan(ctx, j.Plan.ID); err != nil || p.State != c.over {
			t.Errorf("%s: finished as %s, %v; want %s", c.name, p.State, err, c.over)
		}
	}
}

// Telling a plan something: what is not there, is over, or is not asked is refused.
func TestTellingAPlan(t *testing.T) {
	d, _ := opened(t)
	p := planned(t, d, "a")
	_, err := d.Bench.Direct(ctx, p.ID, "dance", "me")
	testdesk.Says(t, err, desk.Invalid, "pause, resume or stop", `"dance"`)
	for _, step := range []int{0, 2} {
		_, err := d.Bench.SkipStep(ctx, p.ID, step, "me")
		testdesk.Says(t, err, desk.Invalid, "steps 1 to 1")
	}
	_, err = d.Bench.Confirm(ctx, p.ID, "", "me")
	testdesk.Says(t, err, desk.Conflict, "asks for nothing now")
	j := join(t, d, p.ID)
	ask := func(a *record.Ask) {
		t.Helper()
		if _, err := d.Bench.Progress(ctx, record.Progress{Plan: p.ID, Ask: a}); err != nil {
			t.Fatal(err)
		}
	}
	ask(&record.Ask{ID: "1", Text: "Unplug it"}) // announced, not asked yet
	_, err = d.Bench.Confirm(ctx, p.ID, "", "me")
	testdesk.Says(t, err, desk.Conflict, "asks for nothing now")
	ask(&record.Ask{ID: "1", Text: "Unplug it", Now: true})
	_, err = d.Bench.Confirm(ctx, p.ID, "0", "me")
	testdesk.Says(t, err, desk.Conflict, "something else by now: Unplug it")
	if _, err := d.Bench.Confirm(ctx, p.ID, "1", "me"); err != nil {
		t.Fatal(err)
	}
	for range 2 { // skipping twice is skipping once
		if _, err := d.Bench.SkipStep(ctx, p.ID, 1, "me"); err != nil {
			t.Fatal(err)
		}
	}
	told, err := d.Bench.Progress(ctx, record.Progress{Plan: p.ID})
	if err != nil || told.Confirmed != "1" || len(told.Skip) != 1 || told.Skip[0] != 0 || told.Pause || told.Stop {
		t.Errorf("%+v, %v", told, err)
	}
	b, err := d.Bench.BenchPlan(ctx, p.ID)
	if err != nil || b.Steps[0].State != record.StepSkipped || b.Jobs != 0 {
		t.Errorf("%+v, %v", b, err)
	}
	if done, err := d.Bench.FinishPlan(ctx, j.Plan.ID); err != nil || done.State != method.PlanDone {
		t.Errorf("what was left out is not missing: %+v, %v", done, err)
	}
	_, err = d.Bench.Direct(ctx, p.ID, bench.PlanPause, "me")
	testdesk.Says(t, err, desk.Conflict, "is done")
}

// An incident counted by hand happened at most as often as it was tried, and at least once where nobody counted tries.
func TestIncidentsAtTheirEdges(t *testing.T) {
	d, c := opened(t)
	for _, x := range []struct {
		times, tries int
		ok           bool
	}{{0, 0, false}, {1, 0, true}, {0, 11, true}, {11, 11, true}, {12, 11, false}, {-1, 11, false}, {1, -1, false}} {
		_, err := d.Bench.NoteIncident(ctx, record.Incident{Unit: "a", Kind: "slow-link", Times: x.times, Tries: x.tries},
			"me")
		if (err == nil) != x.ok {
			t.Errorf("%d of %d: %v", x.times, x.tries, err)
		}
	}
	for _, x := range []struct {
		i    record.Incident
		want string
	}{
		{record.Incident{Unit: "nobody", Kind: "crash", Times: 1}, `no unit "nobody"`},
		{record.Incident{Unit: "a", Host: "nobody", Kind: "crash", Times: 1}, `no unit or rig "nobody"`},
		{record.Incident{Unit: "a", Kind: "it crashed!", Times: 1}, "the kind is a short name"},
		{record.Incident{Unit: "a", Kind: "crash", Times: 1, At: c.at.Add(desk.FarOff + time.Second)}, "in the future"},
	} {
		_, err := d.Bench.NoteIncident(ctx, x.i, "me")
		testdesk.Says(t, err, desk.Invalid, x.want)
	}
	if x, err := d.Bench.NoteIncident(ctx, record.Incident{Unit: "a", Kind: "crash", Times: 1, At: c.at.Add(desk.FarOff)},
		"me"); err != nil || x.By != "me" || x.ID == "" {
		t.Errorf("%+v, %v", x, err)
	}
}

// Rates by hand: what was counted out of tries is a share of those, with Clopper and Pearson's interval; what an agent
// noted is a share of the runs that were begun there, the failed ones and the broken-off one among them.
func TestIncidentRatesByHand(t *testing.T) {
	d, _ := opened(t)
	if _, err := d.Bench.NoteIncident(ctx, record.Incident{Unit: "b", Kind: "slow-link", Times: 3, Tries: 11},
		"me"); err != nil {
		t.Fatal(err)
	}
	j := join(t, d, planned(t, d, "a", method.PlanStep{Test: "work", Repeats: 4}).ID)
	for i, o := range []record.Ending{record.Done, record.Done, record.Failed, record.NotRun} {
		deliver(t, d, j, 0, i, o)
	}
	step := 0
	crash := record.Incident{ID: uuid.NewString(), Plan: j.Plan.ID, Kind: record.Crash, Step: &step,
		At: testdesk.Morning()}
	for range 2 { // sent again it is no second one
		if err := d.Bench.AgentIncident(ctx, crash); err != nil {
			t.Fatal(err)
		}
	}
	rates, err := d.Bench.IncidentRates(ctx, "")
	if err != nil || len(rates) != 2 {
		t.Fatalf("%+v, %v", rates, err)
	}
	for i, want := range []struct {
		unit, of     string
		times, tries int
		sentence     string
	}{{"a", "runs", 1, 4, "crash in 1 of 4 runs (25 %, 95 %: 1–81 %)"}, {"b", "tries", 3, 11,
		"slow link in 3 of 11 tries (27 %, 95 %: 6–61 %)"}} {
		r := rates[i]
		lo, hi := stats.ClopperPearson(want.times, want.tries, 0.95)
		if r.Unit != want.unit || r.Of != want.of || r.Times != want.times || r.Tries != want.tries ||
			math.Abs(r.Low-lo) > 1e-12 || math.Abs(r.High-hi) > 1e-12 || r.Sentence != want.sentence {
			t.Errorf("%+v, want %+v", r, want)
		}
	}
	for _, x := range []record.Incident{{ID: "7"}, {ID: uuid.NewString(), Plan: j.Plan.ID, Kind: "slow-link"},
		{ID: uuid.NewString(), Plan: j.Plan.ID, Kind: record.Crash, Step: func() *int { n := 1; return &n }()}} {
		if err := d.Bench.AgentIncident(ctx, x); !desk.Refused(err, desk.Invalid) {
			t.Errorf("%+v: %v", x, err)
		}
	}
}

// A closed incident stays closed at its moment; one that is open is found by plan and kind.
func TestAnIncidentIsClosedOnce(t *testing.T) {
	d, c := opened(t)
	p := planned(t, d, "a")
	x := record.Incident{ID: uuid.NewString(), Unit: "a", Plan: p.ID, Kind: record.Disconnection, Times: 1, At: c.at}
	err := d.Desk.Write(ctx, func(q *desk.Tx) error {
		if _, err := q.AddIncident(ctx, x); err != nil {
			return err
		}
		if err := q.CloseIncident(ctx, x.ID, c.at.Add(time.Minute)); err != nil {
			return err
		}
		return q.CloseIncident(ctx, x.ID, c.at.Add(time.Hour))
	})
	if err != nil {
		t.Fatal(err)
	}
	list, n, err := d.Bench.Incidents(ctx, store.IncidentFilter{Plan: p.ID})
	if err != nil || n != 1 || list[0].Until == nil || !list[0].Until.Equal(c.at.Add(time.Minute)) {
		t.Errorf("%+v, %v", list, err)
	}
	if _, err := d.Desk.Store.OpenIncident(ctx, p.ID, record.Disconnection); err != store.ErrNotFound {
		t.Errorf("%v", err)
	}
}

// An incident is corrected, withdrawn and restored, with a reason; what it was is kept, and a withdrawn one counts in
// no rate.
func TestIncidentsAreCorrected(t *testing.T) {
	d := testdesk.Opened(t)
	x, err := d.Bench.NoteIncident(ctx, record.Incident{Unit: "a", Kind: record.Hang, Text: "stuck", Times: 1, Tries: 4},
		"Odo")
	if err != nil {
		t.Fatal(err)
	}
	two, five := 2, 5
	for says, c := range map[string]bench.IncidentChange{
		"say why the incident is changed": {Kind: "crash"}, "say what is to be changed": {Reason: "so"},
		"not both": {Withdraw: true, Restore: true, Reason: "so"}, "was not withdrawn": {Restore: true, Reason: "so"},
		"5 times in 4 tries": {Times: &five, Reason: "so"}, "the kind is a short name": {Kind: "A Crash", Reason: "so"},
		`no unit or rig "dock"`: {Host: "dock", Reason: "so"}} {
		if _, err := d.Bench.ChangeIncident(ctx, x.ID, c, "Odo"); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v, want %q", c, err, says)
		}
	}
	change := func(c bench.IncidentChange) {
		t.Helper()
		c.Reason = "because"
		if _, err := d.Bench.ChangeIncident(ctx, x.ID, c, "Ines"); err != nil {
			t.Fatal(err)
		}
	}
	rates := func() (n, times int) {
		rs, err := d.Bench.IncidentRates(ctx, "a")
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range rs {
			times += r.Times
		}
		return len(rs), times
	}
	change(bench.IncidentChange{Kind: record.Interruption, Times: &two})
	if n, times := rates(); n != 1 || times != 2 {
		t.Errorf("%d rates, %d times", n, times)
	}
	change(bench.IncidentChange{Withdraw: true})
	if n, _ := rates(); n != 0 {
		t.Errorf("a withdrawn incident counts: %d", n)
	}
	_, err = d.Bench.ChangeIncident(ctx, x.ID, bench.IncidentChange{Withdraw: true, Reason: "so"}, "Odo")
	testdesk.Says(t, err, desk.Conflict, "withdrawn already")
	change(bench.IncidentChange{Restore: true})
	now, was, err := d.Bench.Incident(ctx, x.ID)
	if err != nil || now.Kind != record.Interruption || now.Times != 2 || now.Withdrawn != nil || now.Corrected != 3 ||
		len(was) != 3 || was[0].Was.Kind != record.Hang || was[0].Was.Times != 1 || was[0].By != "Ines" ||
		was[2].Was.Withdrawn == nil {
		t.Errorf("%+v, %+v, %v", now, was, err)
	}
	_, _, err = d.Bench.Incident(ctx, "none")
	testdesk.Says(t, err, desk.NotFound, "no incident")
}

// A token belongs to one plan and ends with it; what it says of itself is the plan's and its machine's.
func TestAnAgentEndsWithItsPlan(t *testing.T) {
	d, c := opened(t)
	p := planned(t, d, "a")
	j := join(t, d, p.ID)
	deliver(t, d, j, 0, 0, record.Done)
	runs, _, err := d.Desk.Store.Runs(ctx, store.RunFilter{Limit: 5})
	if err != nil || len(runs) != 1 || runs[0].By != j.Plan.Agent || runs[0].Simulated {
		t.Errorf("%+v, %v", runs, err)
	}
	if _, err := d.Bench.FinishPlan(ctx, p.ID); err != nil {
		t.Fatal(err)
	}
	_, err = d.Bench.Progress(ctx, record.Progress{Plan: p.ID})
	testdesk.Says(t, err, desk.Conflict, "nothing more is taken")
	testdesk.Says(t, d.Bench.AgentIncident(ctx, record.Incident{ID: uuid.NewString(), Plan: p.ID, Kind: record.Crash}),
		desk.Conflict, "nothing more is taken")
	c.at = c.at.Add(15*time.Minute - time.Millisecond)
	if who, err := d.Books.Recognise(ctx, j.Token); err != nil || who.Plan != p.ID || who.Role != "" {
		t.Errorf("what is sent again: %+v, %v", who, err)
	}
	c.at = c.at.Add(time.Millisecond)
	_, err = d.Books.Recognise(ctx, j.Token)
	testdesk.Says(t, err, desk.Denied, "expired")
}

// Where a person stops a plan whose agent is silent, the agent may deliver what it has, and is told to stop.
func TestASilentAgentOfAStoppedPlanDeliversWhatItHas(t *testing.T) {
	d, c := opened(t)
	p := planned(t, d, "a")
	j := join(t, d, p.ID)
	if err := d.Desk.Write(ctx, func(q *desk.Tx) error {
		_, err := q.SetPlanState(ctx, p.ID, method.PlanRunning, method.PlanSilent)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Bench.Direct(ctx, p.ID, bench.PlanStop, "me"); err != nil {
		t.Fatal(err)
	}
	c.at = c.at.Add(6 * 24 * time.Hour)
	if want, err := d.Bench.Progress(ctx, record.Progress{Plan: p.ID, Run: "x"}); err != nil || !want.Stop {
		t.Errorf("%+v, %v", want, err)
	}
	if _, err := d.Books.Recognise(ctx, j.Token); err != nil {
		t.Error(err)
	}
	c.at = c.at.Add(25 * time.Hour)
	_, err := d.Books.Recognise(ctx, j.Token)
	testdesk.Says(t, err, desk.Denied, "expired")
}

func TestAnAgentSpeaksOfNoOtherPlansRuns(t *testing.T) {
	d, _ := opened(t)
	one, two := planned(t, d, "a"), planned(t, d, "b")
	deliver(t, d, join(t, d, one.ID), 0, 0, record.Done)
	join(t, d, two.ID)
	runs, _, err := d.Desk.Store.Runs(ctx, store.RunFilter{Limit: 1})
	if err != nil {
		t.Fatal(err)
	}
	at := time.Now()
	x := record.Incident{ID: uuid.NewString(), Plan: two.ID, Kind: record.Crash, Run: runs[0].ID, By: "somebody",
		Withdrawn: &at}
	testdesk.Says(t, d.Bench.AgentIncident(ctx, x), desk.Invalid, "none of this plan's")
	x.Run = ""
	if err := d.Bench.AgentIncident(ctx, x); err != nil {
		t.Fatal(err)
	}
	list, _, err := d.Desk.Store.Incidents(ctx, store.IncidentFilter{Plan: two.ID, Limit: 5})
	if err != nil || len(list) != 1 || list[0].By == "somebody" || list[0].Withdrawn != nil {
		t.Errorf("%+v, %v", list, err)
	}
}
