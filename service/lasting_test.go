package service_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"durvek/client"
	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
)

// A device in a run-down goes off and is not brought back: its silence is no incident, and a person has the run made of
// the heartbeats that came.
func TestARunDownOfADeviceThatStaysOffIsClosedByHand(t *testing.T) {
	r := startWith(t, 150*time.Millisecond)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	ctx := context.Background()
	_, err := client.Post[method.Setup](ctx, r.c, "/api/setups", nil, method.Setup{Slug: "down", Name: "Run-down",
		Conditions: map[string]string{"supply": "battery"}})
	must(t, err)
	code := planCode(r, "down", "rundown-reading")
	j, err := r.c.Join(ctx, code, "", record.Machine{Name: "fen", Boot: "boot-1", Simulated: true})
	must(t, err)
	show := func() record.BenchPlan { return get[record.BenchPlan](r, "/api/plans/"+j.Plan.ID) }
	closed := func() error {
		return r.c.Do(ctx, "POST", "/api/plans/"+j.Plan.ID+"/directives", nil, map[string]string{"do": "close"}, nil)
	}
	refused := func(why string) {
		t.Helper()
		if err := closed(); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("closed, or for another reason than %q: %v", why, err)
		}
	}
	refused("only the run of a device that has gone silent")
	silent := func() {
		t.Helper()
		until(t, "the plan is silent", func() bool { return show().Plan.State == "silent" })
	}
	silent()
	refused("no run-down that told anything")
	run := uuid.Must(uuid.NewV7()).String()
	beat := func(at, charge, done float64) {
		t.Helper()
		_, err := r.c.SendProgress(ctx, j.Token, record.Progress{Run: run, At: at, Test: "Battery, reading",
			Beat: map[string]float64{
				analyse.Charge: charge, analyse.Done: done, analyse.Due: done, analyse.Luminance: 199.6}})
		must(t, err)
	}
	beat(0, 100, 0)
	silent()
	refused("one heartbeat at most")
	for i := 1; i <= 40; i++ {
		beat(float64(i)*900, 100-2.45*float64(i), float64(i)*120)
	}
	if live := get[[]record.Series](r, "/api/plans/"+j.Plan.ID+"/trace"); len(live) != 4 {
		t.Errorf("%d channels are seen live", len(live))
	}
	silent()
	if b := show(); len(b.Incidents) > 1 { // it was silent before it made anything, too
		t.Errorf("a device that goes off in a run-down is no incident: %+v", b.Incidents)
	}
	must(t, closed())
	refused("no run-down that told anything")
	list := get[struct{ Runs []record.Run }](r, "/api/runs?plan="+j.Plan.ID)
	if len(list.Runs) != 1 || list.Runs[0].ID != run {
		t.Fatalf("%+v", list.Runs)
	}
	x := list.Runs[0]
	figures := map[string]record.Reading{}
	for _, f := range x.Readings {
		figures[f.Measure] = f
	}
	if h := figures["hours"]; h.State != record.OK || h.Value != 10 || figures["work"].Value != 4800 ||
		figures["pace"].Value != 100 {
		t.Errorf("%+v", figures)
	}
	if x.Observed["display.luminance"] != "200 cd/m²" || x.Observed["pace"] != "held" ||
		x.Observed["supply"] != "battery" ||
		x.Ended.Sub(x.Started) != 10*time.Hour || x.Negotiated[analyse.HowEnded] != analyse.WentOff {
		t.Errorf("%s to %s, %v, %v", x.Started, x.Ended, x.Observed, x.Negotiated)
	}
	// What the device itself kept comes later: it is known, and changes nothing.
	must(t, r.c.SendRun(ctx, j.Token, record.Run{ID: run, Test: "rundown-reading", TestVersion: 1, Sitting: j.Sitting,
		Started: x.Started, Ended: x.Ended, Outcome: "failed", Failure: "x", Source: "agent", Readings: []record.Reading{}}))
	if again := get[struct{ Runs []record.Run }](r, "/api/runs?plan="+j.Plan.ID); len(again.Runs) != 1 ||
		again.Runs[0].Outcome != "done" {
		t.Errorf("%+v", again.Runs)
	}
}

func TestAReportIsBounded(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	ctx, run := context.Background(), uuid.NewString()
	nine := map[string]float64{}
	for i := range 9 {
		nine[string(rune('a'+i))] = 1
	}
	for _, p := range []record.Progress{{Run: run, Beat: nine}, {Run: run, Picture: make([]byte, 256<<10+1)}} {
		if _, err := r.c.SendProgress(ctx, j.Token, p); err == nil || !strings.Contains(err.Error(), "at most") {
			t.Errorf("a report of any size is taken: %v", err)
		}
	}
	delete(nine, "a")
	_, err := r.c.SendProgress(ctx, j.Token, record.Progress{Run: run, Beat: nine, Picture: make([]byte, 256<<10)})
	must(t, err)
}
