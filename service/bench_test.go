package service_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"durvek/agent"
	"durvek/client"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk/bench"
	"durvek/desk/results"
	"durvek/trace"
)

// until waits for a condition.
func until(t testing.TB, what string, holds func() bool) {
	t.Helper()
	for end := time.Now().Add(20 * time.Second); !holds(); time.Sleep(5 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("never came: %s", what)
		}
	}
}

func call(r *running, verb, path string, in any) error {
	return r.c.Do(context.Background(), verb, path, nil, in, nil)
}

// warming is a trace of n seconds in which the processor warms up and the power has steps.
func warming(n int) record.Trace {
	var x record.Trace
	for i := range n {
		power := 12.0
		if (i*i/700)%2 == 1 { // ever shorter steps, so that no other offset fits as well
			power = 30 + float64(i%3)
		}
		x.Add(float64(i+1), map[string]float64{"temperature.package": 40 + float64(i)/100, "power.package": power}, nil)
	}
	return x
}

func TestAnAgentThatGoesSilentLosesItsLeaseAndMayComeBack(t *testing.T) {
	r := startWith(t, 150*time.Millisecond)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	ctx := context.Background()
	part := warming(3)
	_, err := r.c.SendProgress(ctx, j.Token, record.Progress{Step: 0, Test: "Hashing", Run: uuid.NewString(),
		Last: map[string]float64{"power.package": 31}, Trace: trace.Pack(part)})
	must(t, err)
	show := func() record.BenchPlan { return get[record.BenchPlan](r, "/api/plans/"+j.Plan.ID) }
	if live := get[[]record.Series](r, "/api/plans/"+j.Plan.ID+"/trace"); len(live) != 2 || len(live[0].Values) != 3 {
		t.Errorf("live trace %+v", live)
	}
	until(t, "the plan is silent", func() bool { return show().Plan.State == "silent" })
	b := show()
	if len(b.Incidents) != 1 || b.Incidents[0].Kind != "disconnection" || b.Incidents[0].Last["power.package"] != 31 ||
		*b.Incidents[0].Step != 0 || b.Incidents[0].Until != nil || b.Progress != nil {
		t.Errorf("%+v", b.Incidents)
	}
	_, err = r.c.SendProgress(ctx, j.Token, record.Progress{Step: 0, Test: "Hashing"})
	must(t, err)
	if b := show(); b.Plan.State != "running" || b.Incidents[0].Until == nil || b.Heard == nil {
		t.Errorf("it came back: %s, %+v", b.Plan.State, b.Incidents)
	}
	// Silent once more, it loses the plan to another agent; its own token is worth nothing then.
	until(t, "the plan is silent again", func() bool { return show().Plan.State == "silent" })
	code, err := client.Post[struct{ Code string }](ctx, r.c, "/api/plans/"+j.Plan.ID+"/codes", nil, nil)
	must(t, err)
	other, err := r.c.Join(ctx, code.Code, "", record.Machine{Name: "fen", Boot: "boot-2", Simulated: true})
	must(t, err)
	if other.Plan.ID != j.Plan.ID || other.Sitting == j.Sitting {
		t.Errorf("another boot is another sitting: %+v", other)
	}
	if err := r.c.SendRun(ctx, j.Token, runFor(j, 0, 12000)); !errors.Is(err, agent.ErrRefused) {
		t.Errorf("the agent that lost its plan still delivers: %v", err)
	}
	must(t, r.c.SendRun(ctx, other.Token, runFor(other, 0, 12000)))
}

func TestALostAnswerToJoiningAndAStolenSession(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	ctx := context.Background()
	code, secret := planCode(r, "", "hashing"), strings.Repeat("s", 43)
	m := record.Machine{Name: "fen", Boot: "boot-1"}
	first, err := r.c.Join(ctx, code, secret, m)
	must(t, err)
	again, err := r.c.Join(ctx, code, secret, m) // the answer was lost on the way
	must(t, err)
	if first.Token != secret || again.Token != secret || first.Plan.ID != again.Plan.ID || first.Sitting != again.Sitting {
		t.Errorf("joined %+v and %+v", first, again)
	}
	_, err = r.c.Rejoin(ctx, secret, record.Machine{Name: "stranger", Boot: "x"})
	refused(t, err, 401, `joined by "fen", not by "stranger"`)
	_, err = r.c.Join(ctx, planCode(r, "", "archive"), "short", m)
	refused(t, err, 422, "43 characters")
	wrong := time.Now().Add(-90 * 24 * time.Hour)
	_, err = r.c.Join(ctx, planCode(r, "", "archive"), "", record.Machine{Name: "late", Boot: "b", Clock: &wrong})
	refused(t, err, 422, "the machine's clock says", "set it right")
	odd := runFor(first, 0, 12000)
	odd.Ended = odd.Started.Add(-time.Hour)
	refused(t, r.c.SendRun(ctx, secret, odd), 422, "which cannot be")
}

func TestPlansAreDirectedAndPromptsConfirmed(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing", "archive")
	ctx := context.Background()
	path := "/api/plans/" + j.Plan.ID
	report := func(p record.Progress) record.Directive {
		d, err := r.c.SendProgress(ctx, j.Token, p)
		must(t, err)
		return d
	}
	direct := func(in map[string]any) error { return send(r, path+"/directives", in) }
	must(t, direct(map[string]any{"do": "pause"}))
	if d := report(record.Progress{}); !d.Pause || d.Stop {
		t.Errorf("told %+v", d)
	}
	must(t, direct(map[string]any{"do": "resume"}))
	must(t, direct(map[string]any{"do": "skip", "step": 2}))
	refused(t, direct(map[string]any{"do": "skip", "step": 3}), 422, "steps 1 to 2")
	if d := report(record.Progress{}); d.Pause || len(d.Skip) != 1 || d.Skip[0] != 1 {
		t.Errorf("told %+v", d)
	}
	refused(t, send(r, path+"/confirmations", map[string]any{}), 409, "asks for nothing now")
	report(record.Progress{State: record.Asking, Ask: &record.Ask{ID: "a-1", Setup: "battery", Text: "Unplug the charger",
		Now: true}})
	refused(t, send(r, path+"/confirmations", map[string]any{"ask": "a-0"}), 409,
		"something else by now: Unplug the charger")
	must(t, send(r, path+"/confirmations", map[string]any{"ask": "a-1"}))
	if d := report(record.Progress{}); d.Confirmed != "a-1" {
		t.Errorf("told %+v", d)
	}
	// What people said outlives the service.
	r.down()
	r.up()
	if d := report(record.Progress{}); d.Confirmed != "a-1" || len(d.Skip) != 1 {
		t.Errorf("after a restart it is told %+v", d)
	}
	must(t, direct(map[string]any{"do": "stop"}))
	if d := report(record.Progress{}); !d.Stop {
		t.Errorf("told %+v", d)
	}
	must(t, r.c.Finish(ctx, j.Token))
	refused(t, direct(map[string]any{"do": "resume"}), 409, "is stopped")
	if b := get[record.BenchPlan](r, path); b.Plan.State != "stopped" || b.Steps[1].State != "skipped" {
		t.Errorf("%s, %+v", b.Plan.State, b.Steps[1])
	}
}

func TestPlansFromTheLibraryAndFromFiles(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	ctx := context.Background()
	library := get[[]bench.PlanFile](r, "/api/plan-library", "kind", "laptop")
	if len(library) < 3 {
		t.Fatalf("%d plans for a laptop", len(library))
	}
	for _, f := range get[[]bench.PlanFile](r, "/api/plan-library") {
		if f.Estimate.Runs == 0 || f.Estimate.Seconds == 0 || f.About == "" {
			t.Errorf("%s: %+v", f.Slug, f)
		}
	}
	take := func(q url.Values, data []byte) (method.Plan, error) {
		return client.Post[method.Plan](ctx, r.c, "/api/plan-files", q, data)
	}
	p, err := take(client.Query("library", "laptop-full", "unit", "fen-14-16-a", "repeats", "2"), nil)
	must(t, err)
	if got := p.Setups(); fmt.Sprint(got) != "[as-delivered fast-mode quiet-mode battery]" || p.Order != "interleaved" ||
		p.Cool == nil || p.Steps[0].Repeats != 2 {
		t.Errorf("%v, %+v", got, p.Terms)
	}
	b := get[record.BenchPlan](r, "/api/plans/"+p.ID)
	prompts := ""
	for _, s := range b.Steps {
		if s.Prompt != "" {
			prompts += s.Prompt + ". "
		}
	}
	if prompts != "Set power mode to fast. Set power mode to quiet. Set power mode to default, unplug the charger. " &&
		prompts != "Set power mode to fast. Set power mode to quiet. Unplug the charger, set power mode to default. " {
		t.Errorf("prompts %q", prompts)
	}
	var file []byte
	must(t, r.c.Do(ctx, http.MethodGet, "/api/plan-files/"+p.ID, nil, nil, &file))
	same, err := take(client.Query("unit", "fen-14-16-a"), file)
	must(t, err)
	if fmt.Sprint(same.Steps) != fmt.Sprint(p.Steps) || fmt.Sprint(same.Terms.Cool) != fmt.Sprint(p.Terms.Cool) ||
		same.Name != p.Name {
		t.Errorf("a plan comes back as another: %+v", same)
	}
	_, err = take(client.Query("library", "drive", "unit", "fen-14-16-a"), nil)
	refused(t, err, 422, "is meant for [drive enclosure], not for a laptop")
	_, err = take(client.Query("library", "nothing", "unit", "fen-14-16-a"), nil)
	refused(t, err, 404, "no plan \"nothing\"")
	_, err = take(client.Query("unit", "fen-14-16-a"), []byte("format: durvek-plan/1\nname: x\ntests: [{test: hashing, "+
		"repeats: 200}]\nterms: {order: sideways}\n"))
	refused(t, err, 422, "line 3", "line 4")
	_, err = take(client.Query("unit", "fen-14-16-a"), []byte("format: durvek-plan/1\nname: x\nsetups: "+
		"[upside-down]\ntests: [{test: no-such}]\n"))
	refused(t, err, 422, `no setup "upside-down"`, `no test "no-such"`)
}

func TestImpossibleTermsAndSetupsAreRefusedWithEveryReason(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	must(t, send(r, "/api/dossiers", []byte("format: durvek-dossier/1\nmodel: {slug: tower, maker: Wexcombe, name: "+
		"Tower, kind: desktop}\nvariants: [{slug: tower-1, name: one, spec: {cpu.cores: 4}, units: [{slug: tower-1-a, "+
		"origin: bought}]}]\n")))
	must(t, send(r, "/api/tests", []byte("format: durvek-test/1\nslug: run-down\nversion: 1\nname: Run-down\ngroup: "+
		"battery\nneeds: {supply: battery}\ncommand: {run: [\"run-down\"], limit: 60, figures: [{measure: hours, text: "+
		"'hours=([0-9.]+)'}]}\nmeasures: [{slug: hours, name: hours, unit: h, scale: ratio, better: higher}]\n")))
	plan := func(in map[string]any) error { return send(r, "/api/plans", in) }
	one := []method.PlanStep{{Test: "hashing", Repeats: 1}}
	refused(t, plan(map[string]any{"unit": "fen-14-16-a", "steps": one, "cool": map[string]float64{"below": 5,
		"seconds": 90, "most": 10}, "ambient": map[string]float64{"low": 30, "high": 20}}), 422,
		"cools to between 20 and 90", "cannot end after 10 s", "band 30 to 20")
	refused(t, plan(map[string]any{"unit": "tower-1-a", "setup": "battery", "steps": one}), 422,
		"runs on battery, and a desktop has none")
	refused(t, plan(map[string]any{"unit": "fen-14-16-a", "steps": []method.PlanStep{{Test: "run-down", Repeats: 1},
		{Test: "run-down", Setup: "battery", Repeats: 1}}}), 422,
		`test "run-down" needs supply=battery, and setup "as-delivered" says mains`)
	must(t, plan(map[string]any{"unit": "fen-14-16-a", "setup": "battery", "steps": []method.PlanStep{{Test: "run-down",
		Repeats: 1}}}))
	// A desk's own conditions must be known before a setup names them.
	own := method.Setup{Slug: "with-fan", Name: "Under the table fan", Conditions: map[string]string{"supply": "mains",
		"own.table-fan": "step 2"}}
	refused(t, send(r, "/api/setups", own), 422, `no condition "own.table-fan" is known`,
		"add it to the desk's own conditions")
	refused(t, send(r, "/api/conditions", method.ConditionKey{Key: "table-fan", Name: "x", Meaning: "y"}), 422,
		`begins with "own."`)
	refused(t, send(r, "/api/conditions", method.ConditionKey{Key: "own.table-fan", Name: "Table fan"}), 422,
		"a name and a meaning")
	must(t, send(r, "/api/conditions", method.ConditionKey{Key: "own.table-fan", Name: "Table fan",
		Meaning: "off, or its step"}))
	must(t, send(r, "/api/setups", own))
	if cs := get[[]method.ConditionKey](r, "/api/conditions"); len(cs) != 1 || cs[0].Meaning != "off, or its step" {
		t.Errorf("%+v", cs)
	}
}

func TestTracesAreKeptThinnedAndGivenWhole(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	ctx := context.Background()
	run := runFor(j, 0, 12000)
	whole := warming(5000)
	whole.Values[1][3210] = 99.5 // one peak
	run.Trace, run.Ended = trace.Pack(whole), run.Started.Add(5000*time.Second)
	run.Course.Phases = []record.Phase{{At: 0, Name: "all threads"}}
	run.Negotiated = map[string]string{"limit.power.long": "28.0 W"}
	must(t, r.c.SendRun(ctx, j.Token, run))
	path := "/api/runs/" + run.ID
	v := get[results.TraceView](r, path+"/trace", "points", "200")
	if len(v.Series) != 2 || v.Samples != 10000 || len(v.Series[0].Values) > 200 || v.From != 1 || v.To != 5000 ||
		len(v.Phases) != 1 {
		t.Fatalf("%d series, %d samples, %g to %g", len(v.Series), v.Samples, v.From, v.To)
	}
	for _, s := range v.Series {
		if s.Channel == "power.package" {
			peak := 0.0
			for _, x := range s.Values {
				peak = math.Max(peak, x)
			}
			if peak != 99.5 {
				t.Errorf("the peak was thinned away: highest %g", peak)
			}
		}
	}
	if v := get[results.TraceView](r, path+"/trace", "from", "1200", "to", "1260"); len(v.Series[0].Values) != 61 ||
		v.From != 1200 || v.To != 1260 {
		t.Errorf("a stretch has %d samples from %g to %g", len(v.Series[0].Values), v.From, v.To)
	}
	var table []byte
	must(t, r.c.Do(ctx, http.MethodGet, path+"/trace.csv", nil, nil, &table))
	rows, err := csv.NewReader(bytes.NewReader(table)).ReadAll()
	if err != nil || len(rows) != 5001 || strings.Join(rows[0], ",") != "seconds,temperature.package "+
		"[Cel],power.package [W]" || rows[3211][2] != "99.50" {
		t.Errorf("%d rows, first %v, %v", len(rows), rows[0], err)
	}
	page := get[results.RunPage](r, path)
	if len(page.Sensors) != 2 || page.Run.Course.Limiter.Label == "" || page.Run.Trace != nil {
		t.Errorf("%+v, %+v", page.Sensors, page.Run.Course)
	}
	damaged := runFor(j, 1, 12000)
	damaged.Trace = []byte("nothing of the kind")
	refused(t, r.c.SendRun(ctx, j.Token, damaged), 422, "packed trace is damaged")
	refused(t, call(r, http.MethodGet, "/api/runs/"+uuid.NewString()+"/trace", nil), 404, "no run")
}

func TestAnOutsideLogIsLaidBesideARun(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	ctx := context.Background()
	run := runFor(j, 0, 12000)
	own := warming(400)
	run.Trace = trace.Pack(own)
	must(t, r.c.SendRun(ctx, j.Token, run))
	path := "/api/runs/" + run.ID
	// The wall meter's clock began 83 s before the run and counts from its own start.
	log := "seconds,power.wall [W]\n"
	for i, at := range own.Times {
		log += fmt.Sprintf("%.1f,%.2f\n", at+83, 9+1.2*own.Values[1][i])
	}
	lay := func(q url.Values, text string) (results.OutsideLog, error) {
		return client.Post[results.OutsideLog](ctx, r.c, path+"/logs", q, []byte(text))
	}
	o, err := lay(client.Query("name", "wall meter"), log)
	must(t, err)
	if math.Abs(o.Shift+83) > 0.5 || o.Correlation == nil || *o.Correlation < 0.95 || o.Samples != 400 {
		t.Errorf("%+v", o)
	}
	v := get[results.TraceView](r, path+"/trace", "points", "2000")
	if n := len(v.Series); n != 3 || v.Series[2].Channel != "power.wall" || math.Abs(v.Series[2].Times[0]-1) > 0.5 {
		t.Errorf("%d series, the log begins at %g", n, v.Series[n-1].Times[0])
	}
	must(t, call(r, http.MethodPut, path+"/logs/"+o.ID, map[string]float64{"shift": -80}))
	if page := get[results.RunPage](r, path); len(page.Outside) != 1 || page.Outside[0].Shift != -80 ||
		page.Outside[0].Found == nil {
		t.Errorf("%+v", page.Outside)
	}
	byHand, err := lay(client.Query("name", "flat", "shift", "5"), "time,noise [dB(A)]\n"+
		run.Started.UTC().Format(time.RFC3339)+",31\n"+run.Started.Add(10*time.Second).UTC().Format(time.RFC3339)+",31\n")
	must(t, err)
	if byHand.Shift != 5 || byHand.Found != nil || !strings.Contains(byHand.Note, "set the shift by hand") {
		t.Errorf("%+v", byHand)
	}
	must(t, call(r, http.MethodDelete, path+"/logs/"+byHand.ID, nil))
	for text, says := range map[string]string{
		"seconds\n1\n":                      "line 1",
		"seconds,power [parsecs]\n1,2\n":    "unknown unit",
		"seconds,a,a\n1,2,3\n":              "stands twice",
		"seconds,power.wall\n1,2\n1,3\n":    "line 3",
		"seconds,power.wall\n1,2\n2,much\n": "not a number",
		"seconds,power.wall\nsoon,2\n":      "neither seconds nor a moment",
		"seconds,power.wall\n1,2\n":         "needs two at least",
	} {
		_, err := lay(nil, text)
		refused(t, err, 422, says)
	}
	refused(t, call(r, http.MethodPut, path+"/logs/no-such", map[string]float64{"shift": 1}), 404, "has no log")
}

func TestIncidentsAndTheirRates(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	hub := "format: durvek-dossier/1\nmodel: {slug: hub, maker: Lodestow, name: Hub, kind: hub}\nvariants: [{slug: " +
		"hub-4, name: four ports, units: [{slug: hub-4-a, origin: bought}]}]\n"
	must(t, send(r, "/api/dossiers", []byte(hub)))
	tower := strings.NewReplacer("hub-4", "tower-1", "slug: hub", "slug: tower", "kind: hub", "kind: desktop").Replace(hub)
	must(t, send(r, "/api/dossiers", []byte(tower)))
	note := func(host string, times, tries int) error {
		return send(r, "/api/incidents", map[string]any{"unit": "hub-4-a", "host": host, "place": "left port",
			"kind": "slow-link", "times": times, "tries": tries, "text": "woke on 5 Gbit/s"})
	}
	must(t, note("fen-14-16-a", 3, 7))
	must(t, note("tower-4-a", 0, 4))
	rates := get[[]record.IncidentRate](r, "/api/incident-rates", "unit", "hub-4-a")
	if len(rates) != 3 || rates[0].Sentence != "slow link in 3 of 11 tries (27 %, 95 %: 6–61 %), on one of two hosts" ||
		rates[1].Host != "fen-14-16-a" || rates[2].Times != 0 {
		t.Errorf("%+v", rates)
	}
	refused(t, note("nowhere", 5, 4), 422, `"nowhere" is known to be the host`, "5 times in 4 tries")
	refused(t, send(r, "/api/incidents", map[string]any{"unit": "nobody", "kind": "Slow link!", "times": 1}), 422,
		`no unit "nobody"`, "the kind is a short name")
	// What an agent notes is a share of the runs that were begun.
	j := joined(r, "hashing")
	ctx := context.Background()
	for i := range 3 {
		must(t, r.c.SendRun(ctx, j.Token, runFor(j, i, 12000)))
	}
	step := 0
	x := record.Incident{ID: uuid.Must(uuid.NewV7()).String(), Kind: "crash", Step: &step, Run: uuid.NewString(),
		At: time.Now(), Text: "The machine was started anew."}
	for range 2 {
		must(t, r.c.SendIncident(ctx, j.Token, x))
	}
	rates = get[[]record.IncidentRate](r, "/api/incident-rates", "unit", "fen-14-16-a")
	if len(rates) != 1 || rates[0].Times != 1 || rates[0].Tries != 4 || !strings.Contains(rates[0].Sentence,
		"crash in 1 of 4 runs") {
		t.Errorf("%+v", rates)
	}
	x.ID, x.Kind = uuid.Must(uuid.NewV7()).String(), "sulking"
	refused(t, r.c.SendIncident(ctx, j.Token, x), 422, "an agent notes")
}

func TestHandsOnWork(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	type readings = map[string]string
	enter := func(test string, more map[string]any) error {
		in := map[string]any{"test": test, "subject": "fen-14-16-a"}
		for k, v := range more {
			in[k] = v
		}
		return send(r, "/api/readings", in)
	}
	must(t, enter("ports", map[string]any{"readings": readings{"data": "pass", "display": "fail",
		"power": "not applicable"}, "notes": readings{"display": "the left one stays dark"}}))
	must(t, enter("keyboard", map[string]any{"readings": readings{"typing": "4"}}))
	must(t, enter("keyboard", map[string]any{"repeat": 1,
		"readings": readings{"typing": "good: even, firm, clear travel"}}))
	must(t, enter("start-up-time", map[string]any{"laps": []float64{11.8, 11.4, 12.1}}))
	refused(t, enter("ports", map[string]any{"readings": readings{"data": "perhaps"}}), 422,
		"pass, fail or not applicable")
	refused(t, enter("keyboard", map[string]any{"readings": readings{"typing": "9"}}), 422, "no mark of the rubric",
		"1: unfit")
	refused(t, enter("ports", map[string]any{"laps": []float64{3}}), 422, "not timed with a stopwatch")
	refused(t, enter("start-up-time", map[string]any{"laps": []float64{11, -2}}), 422, "above zero")
	x := get[results.Inspection](r, "/api/inspections/fen-14-16-a")
	if x.Sheet.Slug != "laptop" || x.Done != 3 || x.All < 8 {
		t.Errorf("%s, %d of %d", x.Sheet.Slug, x.Done, x.All)
	}
	found := map[string]string{}
	runs := map[string]int{}
	for _, p := range x.Parts {
		for _, e := range p.Tests {
			runs[e.Test.Slug] = e.Runs
			for _, f := range e.Found {
				found[e.Test.Slug+"/"+f.Measure] = strings.TrimSpace(f.Text + " " + f.Note)
			}
		}
	}
	for k, want := range (readings{"ports/data": "pass", "ports/display": "fail the left one stays dark",
		"ports/power": "not applicable", "keyboard/typing": "4: good: even, firm, clear travel"}) {
		if found[k] != want {
			t.Errorf("%s is %q, want %q", k, found[k], want)
		}
	}
	if runs["start-up-time"] != 3 || runs["keyboard"] != 2 {
		t.Errorf("runs %v", runs)
	}
	bad := "format: durvek-test/1\nslug: feel\nversion: 1\nname: Feel\ngroup: body\nhands: grade\nmeasures: [{slug: a, " +
		"name: a, unit: \"1\", scale: grade, better: higher}]\n"
	refused(t, send(r, "/api/tests", []byte(bad)), 422, "two levels or more")
	if sheets := get[[]method.Sheet](r, "/api/sheets"); len(sheets) < 4 {
		t.Errorf("%d sheets", len(sheets))
	}
}

// withOrientation puts an Exif segment into a JPEG file: it is held turned, and was taken somewhere.
func withOrientation(picture []byte, orientation byte) []byte {
	exif := append([]byte("Exif\x00\x00MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00"),
		orientation, 0, 0, 0, 0, 0, 0)
	exif = append(exif, "GPS 54.1 N 7.9 E, camera of Ines"...)
	segment := append([]byte{0xFF, 0xE1, byte((len(exif) + 2) >> 8), byte(len(exif) + 2)}, exif...)
	return append(append(append([]byte{}, picture[:2]...), segment...), picture[2:]...)
}

func TestPhotosKeepThePictureAlone(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	ctx := context.Background()
	img := image.NewRGBA(image.Rect(0, 0, 40, 20)) // left half dark, right half light
	for y := range 20 {
		for x := range 40 {
			c := color.RGBA{20, 20, 20, 255}
			if x >= 20 {
				c = color.RGBA{230, 230, 230, 255}
			}
			img.Set(x, y, c)
		}
	}
	var plain, flat bytes.Buffer
	must(t, jpeg.Encode(&plain, img, nil))
	must(t, png.Encode(&flat, img))
	add := func(q url.Values, data []byte) (results.Attachment, error) {
		return client.Post[results.Attachment](ctx, r.c, "/api/photos", q, data)
	}
	// Where the dark half lies once the picture is upright: left, top, right or below.
	for orientation, at := range map[byte]image.Point{1: {2, 10}, 2: {37, 10}, 3: {37, 10}, 4: {2, 10}, 5: {10, 2},
		6: {10, 2}, 7: {10, 37}, 8: {10, 37}} {
		a, err := add(client.Query("unit", "fen-14-16-a", "name", "C:\\photos\\port.jpg", "caption", "the port"),
			withOrientation(plain.Bytes(), orientation))
		must(t, err)
		var data []byte
		must(t, r.c.Do(ctx, http.MethodGet, "/api/photos/"+a.ID, nil, nil, &data))
		if bytes.Contains(data, []byte("GPS")) || bytes.Contains(data, []byte("Exif")) || a.Name != "port.jpg" {
			t.Errorf("orientation %d: what the camera wrote is still there, or the name is %q", orientation, a.Name)
		}
		got, err := jpeg.Decode(bytes.NewReader(data))
		must(t, err)
		if red, _, _, _ := got.At(at.X, at.Y).RGBA(); red > 0x6000 {
			t.Errorf("orientation %d: the picture is not upright", orientation)
		}
	}
	a, err := add(client.Query("unit", "fen-14-16-a", "measure", "ports/display"), flat.Bytes())
	must(t, err)
	b, err := add(client.Query("unit", "fen-14-16-a"), flat.Bytes())
	must(t, err)
	files, _ := filepath.Glob(filepath.Join(r.dir, "attachments", "*", "*"))
	if a.ID == b.ID || a.Media != "image/png" {
		t.Errorf("%+v, %+v", a, b)
	}
	var digests []string
	for _, f := range files {
		digests = append(digests, filepath.Base(f))
	}
	if list := get[[]results.Attachment](r, "/api/photos", "unit", "fen-14-16-a"); len(list) != 10 || len(digests) >= 10 {
		t.Errorf("%d photos in %d files", len(list), len(digests))
	}
	_, err = add(client.Query("unit", "fen-14-16-a"), []byte("a poem"))
	refused(t, err, 422, "JPEG or PNG")
	_, err = add(client.Query("unit", "nobody"), flat.Bytes())
	refused(t, err, 404, "nobody")
	must(t, os.RemoveAll(filepath.Join(r.dir, "attachments")))
	refused(t, call(r, http.MethodGet, "/api/photos/"+a.ID, nil), 404, "is gone")
}

func TestWhatWorksWithWhatFillsItself(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	drive := "format: durvek-dossier/1\nmodel: {slug: wrack, maker: Ferrow, name: Wrack, kind: drive}\nvariants: " +
		"[{slug: wrack-1, name: 1 TB, units: [{slug: wrack-1-a, origin: bought}]}]\n"
	must(t, send(r, "/api/dossiers", []byte(drive)))
	ctx := context.Background()
	p, err := client.Post[method.Plan](ctx, r.c, "/api/plans", nil, map[string]any{"unit": "wrack-1-a",
		"host": "fen-14-16-a", "place": "left port", "steps": []method.PlanStep{{Test: "drive-sequential", Repeats: 3}}})
	must(t, err)
	code, err := client.Post[struct{ Code string }](ctx, r.c, "/api/plans/"+p.ID+"/codes", nil, nil)
	must(t, err)
	j, err := r.c.Join(ctx, code.Code, "", record.Machine{Name: "fen", Boot: "b"})
	must(t, err)
	for i, link := range []string{"USB 10 Gbit/s", "USB 5 Gbit/s", "USB 10 Gbit/s"} {
		run := runFor(j, i, 400)
		run.Test, run.TestVersion, run.Negotiated, run.Readings, run.Series = "drive-sequential", 2,
			map[string]string{"link.usb": link, "drive.firmware": "F11"}, []record.Reading{}, nil
		if i == 1 {
			run.Outcome, run.Failure = "failed", "the drive vanished"
		}
		must(t, r.c.SendRun(ctx, j.Token, run))
	}
	must(t, send(r, "/api/partners", map[string]any{"part": "wrack-1-a", "partner": "a navigation computer",
		"outcome": "fails", "how": "not seen"}))
	must(t, send(r, "/api/readings", map[string]any{"test": "recognised", "subject": "wrack-1-a", "host": "fen-14-16-a",
		"place": "right port", "readings": map[string]string{"there": "pass", "full-link": "fail"}}))
	refused(t, send(r, "/api/partners", map[string]any{"part": "nobody", "partner": "", "outcome": "works"}), 422,
		`no unit "nobody"`, "name the partner")
	got := get[[]compare.Pair](r, "/api/partners", "part", "wrack-1-a")
	text := ""
	for _, x := range got {
		text += fmt.Sprintf("%s %s %s: %s %d/%d %v; ", x.Partner, x.Place, x.Firmware, x.Outcome, x.Works, x.Fails, x.How)
	}
	want := "a navigation computer  : fails 0/1 [not seen]; fen-14-16-a left port F11: both 2/1 [USB 10 Gbit/s " +
		"drive-sequential: the drive vanished]; fen-14-16-a right port : fails 0/1 [recognised did not pass]; "
	if text != want {
		t.Errorf("%s\nwant %s", text, want)
	}
}
