package agent

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"durvek/core/method"
	"durvek/core/policy"
	"durvek/core/record"
)

// fakeMachine runs any test at once; fail names a test that it cannot run.
type fakeMachine struct {
	fail   string
	notRun string // cannot be run here
	ran    []string
	orders []record.Order
}

func (m *fakeMachine) Describe(context.Context) (record.Machine, error) {
	return record.Machine{Name: "fake", Boot: "b", Simulated: true}, nil
}
func (m *fakeMachine) Observe(context.Context) map[string]string {
	return map[string]string{"supply": "mains", "drive.cache": "unknown"}
}
func (m *fakeMachine) Now() time.Time       { return time.Date(2026, 11, 23, 8, 0, len(m.ran), 0, time.UTC) }
func (m *fakeMachine) Clock() time.Duration { return time.Duration(len(m.ran)) * time.Second }
func (m *fakeMachine) Watch(float64, func(time.Duration, map[string]float64)) func() {
	return func() {}
}
func (m *fakeMachine) Rest(ctx context.Context, _ time.Duration) error { return ctx.Err() }
func (m *fakeMachine) Run(_ context.Context, o record.Order, report func(record.Sample)) (record.Outcome, error) {
	t := o.Test
	m.ran, m.orders = append(m.ran, t.Slug), append(m.orders, o)
	report(record.Sample{Phase: "x, warming up", Channel: "x", Unit: "MiBy/s", Share: 0.5, Value: 3})
	if t.Slug == m.notRun {
		return record.Outcome{Negotiated: map[string]string{"free": "1 MiB"}}, fmt.Errorf("%w: no room", record.ErrNotRun)
	}
	if t.Slug == m.fail {
		return record.Outcome{}, errors.New("the drive vanished")
	}
	return record.Outcome{Readings: []record.Reading{{Measure: "x", State: record.OK, Value: 2}},
		Observed: map[string]string{"drive.cache": "passed"}}, nil
}

// fakeService keeps what it gets; trouble, if set, answers in its place.
type fakeService struct {
	mu        sync.Mutex
	plan      method.Plan
	setups    map[string]method.Setup
	received  []method.Job
	runs      []record.Run
	progress  []record.Progress
	finished  int
	token     string // as the agent made it
	incidents []record.Incident
	directive record.Directive
	asks      int
	trouble   func(call string, n int) error
	calls     map[string]int
}

func (s *fakeService) ask(call string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.calls == nil {
		s.calls = map[string]int{}
	}
	s.calls[call]++
	if s.trouble != nil {
		return s.trouble(call, s.calls[call])
	}
	return nil
}

func (s *fakeService) joined() record.Joined {
	j := record.Joined{Token: "token", Plan: s.plan, Sitting: "sit", Received: s.received}
	for _, setup := range s.plan.Setups() {
		j.Setups = append(j.Setups, s.setups[setup])
	}
	for _, step := range s.plan.Steps {
		j.Tests = append(j.Tests, method.Test{Slug: step.Test, Version: 2, Name: "Test " + step.Test, Seconds: 10,
			Measures: []method.Measure{{Slug: "x", Name: "the x"}}})
	}
	return j
}

func (s *fakeService) Join(_ context.Context, code, token string, m record.Machine) (record.Joined, error) {
	s.token = token
	if code != "GOOD" {
		return record.Joined{}, fmt.Errorf("%w: the code is spent", ErrRefused)
	}
	return s.joined(), s.ask("join")
}
func (s *fakeService) Rejoin(_ context.Context, token string, _ record.Machine) (record.Joined, error) {
	j := s.joined()
	j.Token = ""
	return j, s.ask("rejoin")
}
func (s *fakeService) SendRun(_ context.Context, token string, r record.Run) error {
	if err := s.ask("run"); err != nil {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.runs = append(s.runs, r)
	return nil
}
func (s *fakeService) SendProgress(_ context.Context, _ string, p record.Progress) (record.Directive, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.progress = append(s.progress, p)
	return s.directive, nil
}
func (s *fakeService) SendIncident(_ context.Context, _ string, x record.Incident) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.incidents = append(s.incidents, x)
	return nil
}
func (s *fakeService) Next(_ context.Context, _ string, a policy.Account) (policy.Decision, error) {
	if err := s.ask("next"); err != nil {
		return policy.Decision{}, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, j := range s.received {
		a.Made = append(a.Made, policy.Made{Job: j})
	}
	s.asks++
	return policy.Decide(s.plan, s.joined().Setups, a, s.directive, func() string {
		return fmt.Sprint("sit-",
			s.asks)
	}), nil
}
func (s *fakeService) Finish(context.Context, string) error {
	s.mu.Lock()
	s.finished++
	s.mu.Unlock()
	return s.ask("finish")
}

func planOf(tests ...string) method.Plan {
	p := method.Plan{ID: "p", Unit: "u", Setup: "s", Name: "a plan"}
	for _, t := range tests {
		p.Steps = append(p.Steps, method.PlanStep{Test: t, Repeats: 2})
	}
	return p
}

func work(t *testing.T, s *fakeService, m *fakeMachine, code, dir string) (Result, []string, error) {
	t.Helper()
	var mu sync.Mutex
	var said []string
	r, err := Work(context.Background(), Options{Service: s, Machine: m, Code: code, Dir: dir, Server: "http://desk",
		Retry: time.Millisecond,
		Log: func(f string, v ...any) {
			mu.Lock()
			defer mu.Unlock()
			said = append(said, fmt.Sprintf(f, v...))
		}})
	return r, said, err
}

func TestOptionsReachTheMachineAndWhatCannotBeRunIsNoFailure(t *testing.T) {
	plan := planOf("a", "b")
	plan.Steps[1].Options = map[string]string{"share": "5 %"}
	s, m := &fakeService{plan: plan}, &fakeMachine{notRun: "b"}
	r, said, err := work(t, s, m, "GOOD", t.TempDir())
	if err != nil || r.Runs != 4 || r.Failed != 0 || r.NotRun != 2 {
		t.Fatalf("%+v, %v", r, err)
	}
	if o := m.orders; o[0].Options != nil || o[2].Options["share"] != "5 %" || o[0].Service != "http://desk" ||
		o[0].Token != s.token || len(s.token) < 43 {
		t.Errorf("orders %+v", o)
	}
	if last := s.runs[3]; last.Outcome != "not-run" || last.Failure != "no room" || last.Options["share"] != "5 %" ||
		last.Negotiated["free"] != "1 MiB" || len(last.Readings) != 0 {
		t.Errorf("%+v", last)
	}
	if !strings.Contains(strings.Join(said, "; "), "b, repeat 1: not run: no room") {
		t.Errorf("said %q", said)
	}
}

func TestAPlanIsWorkedThroughInOrderAndDelivered(t *testing.T) {
	s, m, dir := &fakeService{plan: planOf("a", "b")}, &fakeMachine{fail: "b"}, t.TempDir()
	r, said, err := work(t, s, m, "GOOD", dir)
	if err != nil || r.Runs != 4 || r.Failed != 2 || s.finished != 1 {
		t.Fatalf("%+v, finished %d, %v", r, s.finished, err)
	}
	if got := strings.Join(m.ran, ""); got != "aabb" {
		t.Errorf("order %q", got)
	}
	for i, run := range s.runs {
		if run.Step != i/2 || run.Repeat != i%2 || run.TestVersion != 2 || run.Sitting != "sit" || !run.Simulated ||
			run.Observed["drive.cache"] == "unknown" && run.Outcome == "done" {
			t.Errorf("run %d is %+v", i, run)
		}
	}
	if last := s.runs[3]; last.Outcome != "failed" || last.Failure != "the drive vanished" || len(last.Readings) != 0 {
		t.Errorf("the failed run is %+v", last)
	}
	if !strings.Contains(strings.Join(said, "\n"), "failed: the drive vanished") {
		t.Errorf("said %v", said)
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "*", "*")); len(left) != 0 {
		t.Errorf("left behind %v", left)
	}
}

func TestProgressNamesThingsAndLearnsTheTimeLeft(t *testing.T) {
	s, m := &fakeService{plan: planOf("a", "b")}, &fakeMachine{}
	var seen []record.Progress
	_, err := Work(context.Background(), Options{Service: s, Machine: m, Code: "GOOD", Dir: t.TempDir(),
		Show: func(p record.Progress) { seen = append(seen, p) }})
	if err != nil {
		t.Fatal(err)
	}
	first, last := seen[0], seen[len(seen)-1]
	mid := seen[slices.IndexFunc(seen, func(p record.Progress) bool { return p.Share == 0.5 })]
	if first.Left != 40 || mid.Left != 35 || last.Left > 6 || last.Done != 3 || last.Jobs != 4 {
		t.Errorf("time left %g, then %g, at last %g; done %d of %d", first.Left, mid.Left, last.Left, last.Done, last.Jobs)
	}
	if strings.Contains(last.Phase, "the the") || mid.Phase != "the x, warming up" || mid.Channel != "the x" ||
		mid.Unit != "MiB/s" || mid.Test != "Test a" {
		t.Errorf("progress %+v", mid)
	}
}

func TestARefusedRunIsKeptAndSaidAndTheRestGoesOn(t *testing.T) {
	s := &fakeService{plan: planOf("a"), trouble: func(call string, n int) error {
		if call == "run" && n == 1 {
			return fmt.Errorf("%w: no such unit", ErrRefused)
		}
		return nil
	}}
	dir := t.TempDir()
	r, said, err := work(t, s, &fakeMachine{}, "GOOD", dir)
	if err != nil || len(r.Refused) != 1 || len(s.runs) != 1 {
		t.Fatalf("%+v, %d delivered, %v", r, len(s.runs), err)
	}
	if kept, _ := filepath.Glob(filepath.Join(dir, "outbox", "*.refused")); len(kept) != 1 ||
		!strings.Contains(strings.Join(said, "\n"), "refused a, repeat 1, which stays in") {
		t.Errorf("kept %v, said %v", kept, said)
	}
}

func TestTroubleOnTheWayIsTriedAgain(t *testing.T) {
	s := &fakeService{plan: planOf("a", "b"), trouble: func(call string, n int) error {
		if call != "join" && n%3 != 0 { // two of three tries fail
			return errors.New("connection refused")
		}
		return nil
	}}
	r, said, err := work(t, s, &fakeMachine{}, "GOOD", t.TempDir())
	if err != nil || r.Runs != 4 || len(s.runs) != 4 {
		t.Errorf("%+v, %d delivered, %v", r, len(s.runs), err)
	}
	text := strings.Join(said, "\n")
	if !strings.Contains(text, "results are kept") || !strings.Contains(text, "is back") {
		t.Errorf("said %q", text)
	}
}

func TestGoingOnSkipsWhatIsDoneAndDeliversWhatWasKept(t *testing.T) {
	dir := t.TempDir()
	s := &fakeService{plan: planOf("a", "b"), received: []method.Job{{Step: 0, Repeat: 0, Test: "a"}}}
	os.MkdirAll(filepath.Join(dir, "outbox"), 0o700)
	put := func(path string, v any) {
		b, _ := json.Marshal(v)
		if err := os.WriteFile(filepath.Join(dir, path), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	put("session.json", session{"http://desk", "token"})
	put("outbox/0000.json", record.Run{ID: "0000", Plan: "p", Step: 0, Repeat: 1, Test: "a"})
	put("outbox/foreign.json", record.Run{ID: "foreign", Plan: "another", Step: 1, Test: "b"})
	os.WriteFile(filepath.Join(dir, "outbox", "half.json"), []byte(`{"id": "ha`), 0o600)
	if server, err := KeptServer(dir); err != nil || server != "http://desk" {
		t.Errorf("%q, %v", server, err)
	}
	m := &fakeMachine{}
	if _, _, err := work(t, s, m, "", dir); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(m.ran, ""); got != "bb" {
		t.Errorf("ran %q, want only what was not done yet", got)
	}
	if len(s.runs) != 3 || s.runs[0].ID != "0000" {
		t.Errorf("%d runs delivered, first %s", len(s.runs), s.runs[0].ID)
	}
	if _, err := os.Stat(filepath.Join(dir, "outbox", "foreign.json")); err != nil {
		t.Error("another plan's run was touched")
	}
}

func TestWithoutACodeOrASessionNothingStarts(t *testing.T) {
	dir := t.TempDir()
	if _, _, err := work(t, &fakeService{plan: planOf("a")}, &fakeMachine{}, "", dir); err == nil ||
		!strings.Contains(err.Error(), "give a code from `durvek plan code`") {
		t.Error(err)
	}
	if _, _, err := work(t, &fakeService{plan: planOf("a")}, &fakeMachine{}, "SPENT", dir); !errors.Is(err, ErrRefused) {
		t.Error(err)
	}
	os.WriteFile(filepath.Join(dir, "session.json"), []byte("{"), 0o600)
	if _, _, err := work(t, &fakeService{plan: planOf("a")}, &fakeMachine{}, "", dir); err == nil ||
		!strings.Contains(err.Error(), "is damaged") {
		t.Error(err)
	}
	// A service that knows the agent no more ends it instead of being asked for ever.
	os.WriteFile(filepath.Join(dir, "session.json"), []byte(`{"server":"x","token":"old"}`), 0o600)
	gone := &fakeService{plan: planOf("a"), trouble: func(string, int) error {
		return fmt.Errorf("%w: unknown token",
			ErrRefused)
	}}
	if _, _, err := work(t, gone, &fakeMachine{}, "", dir); !errors.Is(err, ErrRefused) {
		t.Error(err)
	}
}

func TestAWrongCodeLeavesAnInterruptedPlanAsItIs(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{"session.json": `{"server":"http://desk","token":"old"}`,
		"journal.jsonl": `{"event":"end"}` + "\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if _, _, err := work(t, &fakeService{plan: planOf("a")}, &fakeMachine{}, "SPENT", dir); !errors.Is(err, ErrRefused) {
		t.Fatal(err)
	}
	journal, _ := os.ReadFile(filepath.Join(dir, "journal.jsonl"))
	if server, err := KeptServer(dir); err != nil || server != "http://desk" || len(journal) == 0 {
		t.Errorf("%q, %v; journal %q", server, err, journal)
	}
	s := &fakeService{plan: planOf("a")}
	if r, _, err := work(t, s, &fakeMachine{}, "", dir); err != nil || r.Runs != 2 {
		t.Errorf("it does not go on: %+v, %v", r, err)
	}
}
