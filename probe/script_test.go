package probe_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"durvek/agent"
	"durvek/client"
	"durvek/core/method"
	"durvek/core/policy"
	"durvek/core/record"
	"durvek/internal/tab"
	"durvek/workload"
)

// script is a service that answers what stands in it, and writes down what is asked of it and delivered to it.
type script struct {
	joined  record.Joined
	answers []string // decisions as JSON; "" is an answer that does not come

	mu      sync.Mutex
	did     string // the request that people have done
	next    int
	asked   []string
	brought []string
	ended   bool
}

func (s *script) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	read := func(v any) { json.NewDecoder(r.Body).Decode(v) }
	answer := func(v any) {
		w.Header().Set("Content-Type", "application/json")
		json.NewEncoder(w).Encode(v)
	}
	switch strings.TrimPrefix(r.URL.Path, "/api/agent/") {
	case "join":
		answer(s.joined)
	case "next":
		var a policy.Account
		read(&a)
		waits := a.Asked != nil && a.Did == "" // however often it asks until the person is done
		if waits {
			s.next--
		}
		if s.next >= len(s.answers) {
			http.Error(w, "the script is over", http.StatusConflict)
			return
		}
		text := s.answers[s.next]
		s.next++
		if !waits {
			s.asked = append(s.asked, account(a))
		}
		if text == "" {
			http.Error(w, "away", http.StatusServiceUnavailable)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprint(w, text)
	case "runs":
		var x record.Run
		read(&x)
		s.brought = append(s.brought, fmt.Sprintf("%s %d under %s: %s", x.Test, x.Repeat+1, x.Setup, x.Outcome))
		answer(map[string]bool{"fresh": true})
	case "incidents":
		var x record.Incident
		read(&x)
		s.brought = append(s.brought, fmt.Sprintf("%s of step %d", x.Kind, *x.Step+1))
		answer(struct{}{})
	case "progress":
		var p record.Progress
		read(&p)
		if p.Ask != nil && p.Ask.Now {
			s.did = p.Ask.ID
		}
		answer(record.Directive{Confirmed: s.did})
	case "finish":
		s.ended = true
		answer(s.joined.Plan)
	default:
		http.NotFound(w, r)
	}
}

// account writes what a machine says of itself, without what only one kind of machine observes.
func account(a policy.Account) string {
	out := []string{"in " + a.Setup}
	for _, m := range a.Made {
		out = append(out, fmt.Sprintf("%s %d %s", m.Test, m.Repeat+1, m.Outcome))
	}
	for _, t := range a.Failed {
		out = append(out, fmt.Sprintf("step %d repeat %d failed %d×", t.Step+1, t.Repeat+1, t.Times))
	}
	if a.Asked != nil {
		out = append(out, "asked "+a.Asked.ID)
	}
	if a.Did != "" {
		out = append(out, "did "+a.Did)
	}
	return strings.Join(out, ", ")
}

// plain is a machine that makes every test at once; the graphics driver is gone.
type plain struct{ ran int }

func (*plain) Describe(context.Context) (record.Machine, error) {
	return record.Machine{Name: "plain", Boot: "b"}, nil
}
func (*plain) Observe(context.Context) map[string]string { return nil }
func (*plain) Watch(float64, func(time.Duration, map[string]float64)) func() {
	return func() {}
}
func (*plain) Rest(ctx context.Context, _ time.Duration) error { return ctx.Err() }
func (*plain) Now() time.Time                                  { return time.Now() }
func (m *plain) Clock() time.Duration                          { return time.Duration(m.ran) * time.Second }
func (m *plain) Run(_ context.Context, o record.Order, _ func(record.Sample)) (record.Outcome, error) {
	m.ran++
	if o.Test.Slug == "graphics-arithmetic" {
		return record.Outcome{}, errors.New("the driver is gone")
	}
	return record.Outcome{}, nil
}

// scripted is a script over every kind of answer: to wait, to make runs while the service is away, to ask a person, to
// try again, to keep a failure, to give a step up, to end.
func scripted() *script {
	run := func(step, repeat int, failure policy.OnFailure) string {
		test := []string{"screen-facts", "graphics-arithmetic", "screen-facts"}[step]
		return fmt.Sprintf(`{"do": "run", "step": 0, "on_failure": %q, "job": {"step": %d, "repeat": %d, "test": %q}}`,
			failure,
			step, repeat, test)
	}
	ask := func(id string) string {
		x := record.Ask{ID: id, Setup: "quiet-mode", Text: "Be quiet", Now: true}
		b, _ := json.Marshal(policy.Action{Do: policy.Ask, Ask: &x})
		return string(b)
	}
	told := func(setup string, actions ...string) string {
		return fmt.Sprintf(`{"setup": %q, "actions": [%s]}`, setup, strings.Join(actions, ","))
	}
	giveUp, done := `{"do": "give-up", "step": 2, "text": "broke off 3 times"}`, `{"do": "done", "step": 0}`
	p := method.Plan{ID: "p", Unit: phone, Setup: "as-delivered", Name: "Script", Steps: []method.PlanStep{
		{Test: "screen-facts", Repeats: 2}, {Test: "graphics-arithmetic", Setup: "quiet-mode", Repeats: 2},
		{Test: "screen-facts", Repeats: 2}}}
	j := record.Joined{Token: "t", Plan: p, Jobs: p.Jobs(), Sitting: "s", Received: []method.Job{},
		Learned: map[string]float64{}, Prompts: map[string]string{}, Setups: []method.Setup{{Slug: "as-delivered"},
			{Slug: "quiet-mode"}}}
	for _, slug := range []string{"screen-facts", "graphics-arithmetic"} {
		w, _ := workload.Find(slug)
		j.Tests = append(j.Tests, w.Test)
	}
	return &script{joined: j, answers: []string{
		told("as-delivered", `{"do": "wait", "step": 0, "text": "paused"}`),
		told("as-delivered", run(0, 0, "go-on"), run(0, 1, "go-on"), ask("r1"), run(1, 0, "again"), done),
		"",                              // away after the first run: the second is made all the same
		"",                              // and a person is asked
		told("as-delivered", ask("r2")), // it is done, and not seen
		told("quiet-mode", run(1, 0, "again"), run(1, 1, "go-on"), done),
		"", // away after a failure that is not kept: nothing goes on
		told("quiet-mode", run(1, 0, "tell"), run(1, 1, "go-on"), done),
		"", // nor after one that must be told
		told("quiet-mode", giveUp, done),
		"", // nothing is left to do, and only the service can say so
		told("quiet-mode", `{"do": "done", "step": 0, "stopped": true, "text": "The plan stops"}`),
	}}
}

// What is said and delivered under the script.
var (
	wantAsked = []string{"in ", "in as-delivered",
		"in as-delivered, screen-facts 1 done",
		"in as-delivered, screen-facts 1 done, screen-facts 2 done",
		"in as-delivered, screen-facts 1 done, screen-facts 2 done, asked r1, did r1",
		"in as-delivered, screen-facts 1 done, screen-facts 2 done, asked r2, did r2",
		"in quiet-mode, screen-facts 1 done, screen-facts 2 done, step 2 repeat 1 failed 1×",
		"in quiet-mode, screen-facts 1 done, screen-facts 2 done, step 2 repeat 1 failed 1×",
		"in quiet-mode, screen-facts 1 done, screen-facts 2 done, graphics-arithmetic 1 failed, step 2 repeat 1 failed 1×",
		"in quiet-mode, screen-facts 1 done, screen-facts 2 done, graphics-arithmetic 1 failed, step 2 repeat 1 failed 1×",
		"in quiet-mode, screen-facts 1 done, screen-facts 2 done, graphics-arithmetic 1 failed, screen-facts 1 parked, " +
			"screen-facts 2 parked, step 2 repeat 1 failed 1×",
		"in quiet-mode, screen-facts 1 done, screen-facts 2 done, graphics-arithmetic 1 failed, screen-facts 1 parked, " +
			"screen-facts 2 parked, step 2 repeat 1 failed 1×"}
	wantBrought = []string{"screen-facts 1 under as-delivered: done", "screen-facts 2 under as-delivered: done",
		"failure of step 2", "graphics-arithmetic 1 under quiet-mode: failed", "screen-facts 1 under as-delivered: parked",
		"screen-facts 2 under as-delivered: parked"}
)

// The service decides, agents and pages do: both, given the same answers, make the same runs, say the same of
// themselves and deliver the same, also while the service is away and where a run fails.
func TestAgentAndPageDoWhatTheyAreTold(t *testing.T) {
	check := func(who string, s *script) {
		s.mu.Lock()
		defer s.mu.Unlock()
		if !slices.Equal(s.asked, wantAsked) {
			t.Errorf("%s asked\n%s\nwant\n%s", who, strings.Join(s.asked, "\n"), strings.Join(wantAsked, "\n"))
		}
		if !slices.Equal(s.brought, wantBrought) || !s.ended {
			t.Errorf("%s delivered %q, ended %v; want %q", who, s.brought, s.ended, wantBrought)
		}
	}

	s := scripted()
	served := httptest.NewServer(s)
	defer served.Close()
	r, err := agent.Work(context.Background(), agent.Options{Service: client.New(served.URL, ""), Machine: &plain{},
		Code: "ABCD-EFGH", Dir: t.TempDir(), Server: served.URL, Retry: 10 * time.Millisecond, Report: 10 * time.Millisecond})
	if err != nil || !r.Stopped || r.Runs != 5 {
		t.Errorf("%+v, %v", r, err)
	}
	check("the agent", s)

	s = scripted()
	upstream, _ := url.Parse(bed.server)
	pages := httputil.NewSingleHostReverseProxy(upstream)
	served = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/api/agent/") {
			s.ServeHTTP(w, r)
			return
		}
		pages.ServeHTTP(w, r)
	}))
	defer served.Close()
	p := device{tab.New(t, bed.browser, 5*time.Minute, 412, 800, "503")}
	p.Do(chromedp.Navigate(served.URL + "/probe/#ABCD-EFGH"))
	p.Says("Start")
	tab.Eval[bool](p.Tab,
		`(HTMLCanvasElement.prototype.getContext = () => { throw new Error('the driver is gone') }, true)`)
	p.Press("Start")
	p.Says("Stopped")
	check("the page", s)
}

// Nothing is made in a setup that the device is seen not to be in, if the plan stops at departures.
func TestAWrongSupplyIsAskedForIfThePlanStopsAtDepartures(t *testing.T) {
	p := newDevice(t) // this browser says that it is on mains
	plan, c := planned(t, method.Plan{Setup: "battery", Terms: method.Terms{Departure: "stop"},
		Steps: steps("screen-facts")})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.Says("Unplug the charger")
	p.Press("Done") // though it is not
	p.Says("the machine does not see it yet")
	if got := runs(t, plan.ID); len(got) != 0 {
		t.Errorf("made %+v", got)
	}
	p.Do(chromedp.Navigate("about:blank"))
}

// A report that is under way when the last run is delivered arrives before the plan is ended, however slow it is.
func TestNothingIsToldOfAPlanThatIsOver(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: steps("graphics-arithmetic")})
	p.Do(chromedp.Navigate(c.Link))
	p.Says("Start")
	tab.Eval[bool](p.Tab, `{ const sent = window.fetch
		window.fetch = async (path, how) => {
			if (path.endsWith('progress')) await new Promise((end) => setTimeout(end, 1500))
			return sent(path, how)
		} } true`)
	p.Press("Start")
	p.Says("runs are delivered")
	time.Sleep(2 * time.Second) // for a report that was sent too late; the tab fails on what is answered with an error
	if len(runs(t, plan.ID)) != 1 {
		t.Error("the run is missing")
	}
}
