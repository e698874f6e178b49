package agent_test

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"durvek/agent"
	"durvek/core/method"
	"durvek/core/policy"
	"durvek/core/record"
	"durvek/simulate"
	"durvek/trace"
	"durvek/workload"

	"github.com/google/uuid"
)

// bench is a service in memory that hands out one plan; told, if set, is called with every report.
type bench struct {
	mu        sync.Mutex
	plan      method.Plan
	learned   map[string]float64
	runs      []record.Run
	incidents []record.Incident
	reports   []record.Progress
	shown     []record.Progress // what people at the machine saw, nothing left out
	directive record.Directive
	told      func(record.Progress, *record.Directive)
}

var setups = map[string]method.Setup{
	"as-delivered": {Slug: "as-delivered", Name: "As delivered", Conditions: map[string]string{"supply": "mains",
		"power.mode": "default"}},
	"battery": {Slug: "battery", Name: "On battery", Conditions: map[string]string{"supply": "battery",
		"power.mode": "default"}},
	"fast-mode": {Slug: "fast-mode", Name: "Fast mode", Hands: "Press the fan key twice",
		Conditions: map[string]string{"supply": "mains", "power.mode": "fast"}},
}

func (b *bench) Join(context.Context, string, string, record.Machine) (record.Joined, error) {
	j := record.Joined{Plan: b.plan, Sitting: "sitting", Learned: b.learned}
	for _, s := range b.plan.Setups() {
		j.Setups = append(j.Setups, setups[s])
	}
	for _, s := range b.plan.Steps {
		w, _ := workload.Find(s.Test)
		j.Tests = append(j.Tests, w.Test)
	}
	return j, nil
}
func (b *bench) Rejoin(ctx context.Context, _ string, m record.Machine) (record.Joined, error) {
	j, err := b.Join(ctx, "", "", m)
	for _, r := range b.runs {
		j.Received = append(j.Received, method.Job{Step: r.Step, Repeat: r.Repeat, Test: r.Test})
	}
	return j, err
}
func (b *bench) SendRun(_ context.Context, _ string, r record.Run) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.runs = append(b.runs, r)
	return nil
}
func (b *bench) SendIncident(_ context.Context, _ string, x record.Incident) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.incidents = append(b.incidents, x)
	return nil
}
func (b *bench) SendProgress(_ context.Context, _ string, p record.Progress) (record.Directive, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.reports = append(b.reports, p)
	if b.told != nil {
		b.told(p, &b.directive)
	}
	return b.directive, nil
}
func (b *bench) Next(_ context.Context, _ string, a policy.Account) (policy.Decision, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	j, _ := b.Join(context.Background(), "", "", record.Machine{})
	for _, r := range b.runs {
		a.Made = append(a.Made, policy.Made{Job: method.Job{Step: r.Step, Repeat: r.Repeat, Test: r.Test}})
	}
	return policy.Decide(b.plan, j.Setups, a, b.directive, uuid.NewString), nil
}
func (b *bench) Finish(context.Context, string) error { return nil }

// states lists the states that were shown, each once in a row.
func (b *bench) states() []record.Activity {
	var out []record.Activity
	for _, p := range b.shown {
		out = append(out, p.State)
	}
	return slices.Compact(out)
}

func steps(tests ...string) []method.PlanStep {
	var out []method.PlanStep
	for _, t := range tests {
		name, setup, _ := strings.Cut(t, "@")
		out = append(out, method.PlanStep{Test: name, Setup: setup, Repeats: 2})
	}
	return out
}

func run(t *testing.T, b *bench, m *simulate.Machine, change ...func(*agent.Options)) (agent.Result, string) {
	t.Helper()
	b.plan.ID, b.plan.Unit, b.plan.Name, b.plan.Agent = "p", "u", "a plan", "sample"
	if b.plan.Setup == "" {
		b.plan.Setup = "as-delivered"
	}
	m.Name, m.Spec, m.Seed, m.Runtime, m.Start = "sample", sheet, 3, "native", time.Date(2026, 11, 21, 8, 0, 0, 0,
		time.UTC)
	if m.Setup.Slug == "" {
		m.Setup = setups[b.plan.SetupOf(0)]
	}
	var said []string
	o := agent.Options{Service: b, Machine: m, Code: "any", Dir: t.TempDir(), Report: 2 * time.Millisecond,
		Retry: time.Millisecond, Grace: 20 * time.Millisecond,
		Log: func(f string, v ...any) { said = append(said, fmt.Sprintf(f, v...)) },
		Show: func(p record.Progress) {
			b.mu.Lock()
			defer b.mu.Unlock()
			b.shown = append(b.shown, p)
		}}
	for _, f := range change {
		f(&o)
	}
	ctx, stop := context.WithTimeout(context.Background(), 20*time.Second)
	defer stop()
	r, err := agent.Work(ctx, o)
	if err != nil {
		t.Fatalf("%v; said %q", err, said)
	}
	return r, strings.Join(said, "\n")
}

// order writes the runs as test and repeat.
func order(runs []record.Run) string {
	var out []string
	for _, r := range runs {
		out = append(out, fmt.Sprintf("%s%d@%s", r.Test[:3], r.Repeat, r.Setup))
	}
	return strings.Join(out, " ")
}

func TestAHandIsAskedForAndTheRestGoesOnMeanwhile(t *testing.T) {
	var asked []record.Ask
	b := &bench{plan: method.Plan{Steps: steps("hashing@as-delivered", "hashing@battery", "archive@as-delivered",
		"hashing@fast-mode"), Terms: method.Terms{Order: "interleaved"}}}
	b.told = func(p record.Progress, d *record.Directive) {
		if p.Ask != nil && p.Ask.Now && d.Confirmed != p.Ask.ID {
			asked = append(asked, *p.Ask)
			d.Confirmed = p.Ask.ID
		}
	}
	r, said := run(t, b, &simulate.Machine{})
	want := "has0@as-delivered arc0@as-delivered has1@as-delivered arc1@as-delivered has0@battery has1@battery " +
		"has0@fast-mode has1@fast-mode"
	if got := order(b.runs); got != want || r.Runs != 8 {
		t.Errorf("made %s\nwant %s", got, want)
	}
	if len(asked) != 2 || asked[0].Text != "Unplug the charger" || asked[1].Text != "Press the fan key twice" {
		t.Fatalf("asked %+v", asked)
	}
	announced := slices.ContainsFunc(b.shown, func(p record.Progress) bool {
		return p.Ask != nil && !p.Ask.Now &&
			p.Ask.Setup == "battery"
	})
	if !announced || !strings.Contains(said, "A hand is needed: Unplug the charger") {
		t.Errorf("the change was not announced beforehand; said %s", said)
	}
	for _, x := range b.runs {
		if want := setups[x.Setup].Conditions["supply"]; x.Observed["supply"] != want || len(x.Marks) > 0 {
			t.Errorf("%s under %s observed %v, marked %v", x.Test, x.Setup, x.Observed, x.Marks)
		}
	}
}

func TestWhoConfirmsWithoutActingIsAskedAgain(t *testing.T) {
	b := &bench{plan: method.Plan{Steps: steps("hashing@as-delivered", "hashing@battery")}}
	var texts []string
	b.told = func(p record.Progress, d *record.Directive) {
		if p.Ask != nil && p.Ask.Now && d.Confirmed != p.Ask.ID {
			texts = append(texts, p.Ask.Text)
			d.Confirmed = p.Ask.ID
		}
	}
	run(t, b, &simulate.Machine{Faults: []simulate.Fault{{Kind: simulate.Fumble}}})
	if len(texts) != 2 || !strings.Contains(texts[1], "the machine does not see it yet") ||
		b.runs[3].Observed["supply"] != "battery" {
		t.Errorf("asked %q", texts)
	}
}

func TestARunThatDepartsFromItsSetupIsMarkedOrStopped(t *testing.T) {
	fault := simulate.Fault{Kind: simulate.Unplugged, Test: "hashing-sustained", Repeats: []int{0}, At: 30}
	b := &bench{plan: method.Plan{Steps: steps("hashing-sustained")}}
	run(t, b, &simulate.Machine{Faults: []simulate.Fault{fault}})
	first, second := b.runs[0], b.runs[1]
	if len(first.Marks) != 1 || first.Marks[0].Kind != "departure" || first.Marks[0].Text != "supply battery, not mains" ||
		first.Marks[0].At < 30 || first.Marks[0].At > 45 || first.Outcome != "done" {
		t.Errorf("marked %+v, %s", first.Marks, first.Outcome)
	}
	if len(first.Course.Changes) != 2 || first.Course.Changes[0].From != "mains" ||
		first.Course.Changes[0].To != "battery" || len(second.Marks) != 0 {
		t.Errorf("changes %+v; the other run is marked %+v", first.Course.Changes, second.Marks)
	}
	if !slices.ContainsFunc(b.shown, func(p record.Progress) bool { return len(p.Marks) > 0 }) {
		t.Error("nobody saw the mark while the run went on")
	}

	// The plug stays out after the run was stopped, so a hand is asked for before the next.
	b = &bench{plan: method.Plan{Steps: steps("hashing-sustained"), Terms: method.Terms{Departure: "stop"}}}
	b.told = func(p record.Progress, d *record.Directive) {
		if p.Ask != nil && p.Ask.Now && p.Ask.Text == "Plug in the charger" {
			d.Confirmed = p.Ask.ID
		}
	}
	run(t, b, &simulate.Machine{Faults: []simulate.Fault{fault}})
	first = b.runs[0]
	if b.runs[1].Outcome != "done" || b.runs[1].Observed["supply"] != "mains" {
		t.Errorf("the run after it: %s on %s", b.runs[1].Outcome, b.runs[1].Observed["supply"])
	}
	if took := first.Ended.Sub(first.Started); first.Outcome != "failed" || !strings.Contains(first.Failure,
		"stopped early: supply battery, not mains") || took > time.Minute || len(first.Readings) != 0 {
		t.Errorf("after %s: %s, %s", took, first.Outcome, first.Failure)
	}
}

func TestInAWrongModeFromTheBeginningAHandIsAskedForIfThePlanSaysStop(t *testing.T) {
	b := &bench{plan: method.Plan{Steps: steps("hashing"), Terms: method.Terms{Departure: "stop"}}}
	b.told = func(p record.Progress, d *record.Directive) {
		if p.Ask != nil && p.Ask.Now {
			d.Confirmed = p.Ask.ID
		}
	}
	quiet := method.Setup{Slug: "quiet", Conditions: map[string]string{"supply": "mains", "power.mode": "quiet"}}
	_, said := run(t, b, &simulate.Machine{Setup: quiet})
	if !strings.Contains(said, "Set power mode to default") || b.runs[0].Observed["power.mode"] != "default" {
		t.Errorf("observed %v; said %s", b.runs[0].Observed, said)
	}
}

func TestCoolDownByTimeAndTemperature(t *testing.T) {
	b := &bench{plan: method.Plan{Steps: steps("grid-solve-sustained"), Terms: method.Terms{Cool: &method.Cool{Seconds: 30,
		Below: 48, Most: 900}}}}
	run(t, b, &simulate.Machine{})
	gap := b.runs[1].Started.Sub(b.runs[0].Ended)
	first, err := trace.Unpack(b.runs[1].Trace)
	if err != nil || gap < 30*time.Second || gap > 15*time.Minute || first.Column("temperature.package")[0] > 60 {
		t.Errorf("rested %s, began at %.1f °C, %v", gap, first.Column("temperature.package")[0], err)
	}
	if !slices.Contains(b.states(), record.Cooling) {
		t.Errorf("states %v", b.states())
	}
	hot := &bench{plan: method.Plan{Steps: steps("grid-solve-sustained"), Terms: method.Terms{Cool: &method.Cool{Below: 21,
		Most: 60}}}}
	_, said := run(t, hot, &simulate.Machine{})
	if gap := hot.runs[1].Started.Sub(hot.runs[0].Ended); gap < 55*time.Second || gap > 80*time.Second ||
		!strings.Contains(said, "did not cool to 21 °C within 60 s") {
		t.Errorf("rested %s; said %s", gap, said)
	}
}

func TestTracesHoldTheSensorsOnTheRunsClock(t *testing.T) {
	b := &bench{plan: method.Plan{Steps: steps("hashing-sustained"), Terms: method.Terms{Sampling: 2}}}
	run(t, b, &simulate.Machine{})
	x, err := trace.Unpack(b.runs[0].Trace)
	if err != nil {
		t.Fatal(err)
	}
	if n := len(x.Times); n < 1190 || n > 1210 || x.Times[0] > 0.6 || x.Times[n-1] < 599 {
		t.Errorf("%d samples from %.1f to %.1f s", len(x.Times), x.Times[0], x.Times[len(x.Times)-1])
	}
	for _, c := range []string{"temperature.package", "power.package", "clock.mean", "load.processor", "memory.used",
		"fan.speed", "rate.burst"} {
		if x.Column(c) == nil {
			t.Errorf("no %s among %v", c, x.Channels)
		}
	}
	if p := b.runs[0].Course.Phases; len(p) == 0 || p[0].Name == "" {
		t.Errorf("phases %v", p)
	}
	live := 0
	for _, p := range b.reports {
		part, err := trace.Unpack(p.Trace)
		if err != nil {
			t.Fatal(err)
		}
		if p.Run == b.runs[0].ID {
			live += len(part.Times)
		}
	}
	if live < len(x.Times)/2 || live > len(x.Times) {
		t.Errorf("%d of %d samples were reported live", live, len(x.Times))
	}
}

func TestACrashingStepIsTriedThriceAndParked(t *testing.T) {
	b := &bench{plan: method.Plan{Steps: steps("hashing", "archive", "route-search")}}
	r, said := run(t, b, &simulate.Machine{Faults: []simulate.Fault{{Kind: simulate.Crash, Test: "archive", Times: 9},
		{Kind: simulate.Crash, Test: "route-search"}}})
	if got := order(b.runs); got != "has0@as-delivered has1@as-delivered arc0@as-delivered arc1@as-delivered "+
		"rou0@as-delivered rou1@as-delivered" {
		t.Errorf("made %s", got)
	}
	if r.Parked != 2 || b.runs[2].Outcome != "parked" || !strings.Contains(b.runs[2].Failure, "broke off 3 times") ||
		b.runs[4].Outcome != "done" || b.runs[4].Course.Attempt != 1 {
		t.Errorf("%+v; %s: %s; attempt %d", r, b.runs[2].Outcome, b.runs[2].Failure, b.runs[4].Course.Attempt)
	}
	if len(b.incidents) != 4 || b.incidents[0].Kind != "crash" || b.incidents[0].Last["power.package"] == 0 ||
		*b.incidents[0].Step != 1 || !strings.Contains(said, "is parked") {
		t.Errorf("incidents %+v", b.incidents)
	}
}

func TestTheWatchdogEndsAHungStep(t *testing.T) {
	b := &bench{plan: method.Plan{Steps: steps("hashing", "archive")}}
	r, _ := run(t, b, &simulate.Machine{Faults: []simulate.Fault{{Kind: simulate.Hang, Test: "hashing", At: 1}}},
		func(o *agent.Options) { o.Quiet = 200 * time.Millisecond })
	if r.Runs != 4 || r.Failed+r.Parked != 0 || len(b.incidents) != 1 || b.incidents[0].Kind != "hang" ||
		!strings.Contains(b.incidents[0].Text, "ended by the watchdog: nothing heard of it") {
		t.Errorf("%+v, incidents %+v", r, b.incidents)
	}
	slow := &bench{plan: method.Plan{Steps: steps("hashing")}}
	_, said := run(t, slow, &simulate.Machine{Faults: []simulate.Fault{{Kind: simulate.Hang, Times: 9}}},
		func(o *agent.Options) { o.Limit = 10 * time.Millisecond; o.Quiet = time.Hour })
	if len(slow.incidents) != 3 || slow.runs[0].Outcome != "parked" || !strings.Contains(said, "it took more than") {
		t.Errorf("%d incidents; said %s", len(slow.incidents), said)
	}
}

// stuck is a machine on which a run cannot be ended at all.
type stuck struct{ *simulate.Machine }

func (s stuck) Run(ctx context.Context, o record.Order, report func(record.Sample)) (record.Outcome, error) {
	if o.Test.Slug == "hashing" {
		select {}
	}
	return s.Machine.Run(ctx, o, report)
}

func TestAStepThatCannotBeEndedIsLeftBehind(t *testing.T) {
	b := &bench{plan: method.Plan{Steps: steps("hashing", "archive")}}
	r, _ := run(t, b, &simulate.Machine{}, func(o *agent.Options) {
		o.Machine, o.Quiet, o.Grace = stuck{o.Machine.(*simulate.Machine)}, 200*time.Millisecond, 20*time.Millisecond
	})
	if r.Parked != 2 || len(b.incidents) != 3 || b.runs[3].Outcome != "done" {
		t.Errorf("%+v, incidents %+v", r, b.incidents)
	}
}

func TestAfterAFailure(t *testing.T) {
	plan := func(policy string) *bench {
		return &bench{plan: method.Plan{Steps: steps("hashing", "archive"), Terms: method.Terms{Failure: policy}}}
	}
	broken := func() *simulate.Machine {
		return &simulate.Machine{Quirks: []simulate.Quirk{{Measure: "hashing", Fail: "the sum is wrong", Repeats: []int{0,
			1}}}}
	}
	for _, c := range []struct {
		policy                  string
		runs, failed, incidents int
		says                    string
	}{
		{"", 4, 2, 0, "failed: the sum is wrong"},
		{"retry", 4, 0, 2, "failed and is tried again"},
		{"skip", 4, 1, 0, "left out after a failure"},
		{"stop", 1, 1, 0, "The plan stops after a failure"},
	} {
		b := plan(c.policy)
		r, said := run(t, b, broken())
		if r.Runs != c.runs || r.Failed != c.failed || len(b.incidents) != c.incidents || !strings.Contains(said, c.says) ||
			r.Stopped != (c.policy == "stop") {
			t.Errorf("%q: %+v, %d incidents; said %s", c.policy, r, len(b.incidents), said)
		}
	}
}

func TestPeoplePauseSkipAndStop(t *testing.T) {
	b := &bench{plan: method.Plan{Steps: steps("hashing", "archive", "route-search", "wake-up")}}
	paused := 0
	b.told = func(p record.Progress, d *record.Directive) {
		d.Skip = []int{1}
		switch {
		case p.State == record.Paused:
			paused++
			d.Pause = paused < 5
		case p.Done == 1 && paused == 0:
			d.Pause = true
		}
		d.Stop = p.Done >= 3 && p.Test == "Wake-up latency" || d.Stop
	}
	r, said := run(t, b, &simulate.Machine{Pace: 0.001})
	for _, x := range b.runs {
		if x.Test == "archive" {
			t.Errorf("a step that was skipped was made: %s", order(b.runs))
		}
	}
	if paused < 5 || r.Runs < 3 {
		t.Errorf("paused %d reports; %+v; said %s", paused, r, said)
	}
	stopped := &bench{plan: method.Plan{Steps: steps("hashing-sustained")}, directive: record.Directive{}}
	stopped.told = func(p record.Progress, d *record.Directive) { d.Stop = p.Share > 0.01 }
	if r, _ := run(t, stopped, &simulate.Machine{Pace: 0.001}); !r.Stopped || r.Runs != 0 || len(stopped.incidents) != 0 {
		t.Errorf("%+v, %+v", r, stopped.incidents)
	}
}

func TestTheRoomTheClockAndOtherWork(t *testing.T) {
	kinds := func(faults []simulate.Fault, terms method.Terms) (out []string, b *bench) {
		b = &bench{plan: method.Plan{Steps: steps("hashing-sustained"), Terms: terms}}
		run(t, b, &simulate.Machine{Faults: faults})
		for _, m := range b.runs[0].Marks {
			out = append(out, string(m.Kind))
		}
		return out, b
	}
	room := &method.Band{Low: 18, High: 27}
	for _, c := range []struct {
		faults []simulate.Fault
		terms  method.Terms
		want   []string
	}{
		{nil, method.Terms{Ambient: room, Least: 60}, nil},
		{[]simulate.Fault{{Kind: simulate.WarmRoom}}, method.Terms{Ambient: room}, []string{"ambient"}},
		{[]simulate.Fault{{Kind: simulate.ClockStep, At: 100, Times: 1}}, method.Terms{}, []string{"clock-stepped"}},
		{[]simulate.Fault{{Kind: simulate.Dropout, At: 60}}, method.Terms{}, []string{"dropout"}},
		{nil, method.Terms{Least: 3600}, []string{"too-short"}},
	} {
		got, b := kinds(c.faults, c.terms)
		if !slices.Equal(got, c.want) {
			t.Errorf("%v under %+v: marked %v", c.faults, c.terms, b.runs[0].Marks)
		}
		if took := b.runs[0].Ended.Sub(b.runs[0].Started).Seconds(); math.Abs(took-600) > 30 {
			t.Errorf("%v: took %g s by the steady clock", c.faults, took)
		}
	}
	// With the policy to stop, runs wait until the room is back; here somebody skips the step.
	b := &bench{plan: method.Plan{Steps: steps("hashing"), Terms: method.Terms{Ambient: room, Departure: "stop"}}}
	b.told = func(p record.Progress, d *record.Directive) {
		if p.State == record.Ambient {
			d.Skip = []int{0}
		}
	}
	if r, _ := run(t, b, &simulate.Machine{Pace: 0.001, Faults: []simulate.Fault{{Kind: simulate.WarmRoom}}}); r.Runs > 1 {
		t.Errorf("%+v; states %v", r, b.states())
	}
}

func TestAnAgentThatIsEndedInGoodOrderLeavesNoIncident(t *testing.T) {
	b := &bench{plan: method.Plan{Steps: steps("hashing-sustained")}}
	dir := t.TempDir()
	ctx, stop := context.WithCancel(context.Background())
	b.told = func(p record.Progress, _ *record.Directive) {
		if p.Share > 0.01 {
			stop() // as by Ctrl-C
		}
	}
	b.plan.ID, b.plan.Setup = "p", "as-delivered"
	m := &simulate.Machine{Name: "sample", Spec: sheet, Pace: 0.001, Setup: setups["as-delivered"]}
	o := agent.Options{Service: b, Machine: m, Code: "any", Dir: dir, Report: 2 * time.Millisecond}
	if _, err := agent.Work(ctx, o); err == nil || !strings.Contains(err.Error(), "stopped before the plan was done") {
		t.Fatal(err)
	}
	o.Code, m.Pace, b.told = "", 0, nil
	r, err := agent.Work(context.Background(), o)
	if err != nil || r.Runs != 2 || len(b.incidents) != 0 || b.runs[0].Course.Attempt != 0 {
		t.Errorf("%+v, %+v, %v", r, b.incidents, err)
	}
}
