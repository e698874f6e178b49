package agent_test

import (
	"context"
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"durvek/agent"
	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/simulate"
)

// ranDown has a simulated laptop run down, ended at a share of its charge, and its agent lose power in mid-sentence:
// the journal does not say that it left. Then the machine is started anew.
func ranDown(t *testing.T, share float64, boot string) (*bench, string) {
	t.Helper()
	b := &bench{plan: method.Plan{ID: "p", Setup: "battery", Steps: []method.PlanStep{{Test: "rundown-reading",
		Repeats: 1, Options: map[string]string{"heartbeat": "60 s"}}}}}
	dir := t.TempDir()
	ctx, stop := context.WithCancel(context.Background())
	b.told = func(p record.Progress, _ *record.Directive) {
		if p.Share > share {
			stop()
		}
	}
	m := &simulate.Machine{Name: "sample", Spec: sheet, Pace: 0.002, Setup: setups["battery"]}
	o := agent.Options{Service: b, Machine: m, Code: "any", Dir: dir, Report: 2 * time.Millisecond}
	if _, err := agent.Work(ctx, o); err == nil {
		t.Fatal("it was not ended")
	}
	journal := filepath.Join(dir, "journal.jsonl")
	text, err := os.ReadFile(journal)
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.SplitAfter(string(text), "\n")
	if err := os.WriteFile(journal, []byte(strings.Join(lines[:len(lines)-2], "")), 0o600); err != nil {
		t.Fatal(err)
	}
	beats := 0
	for _, p := range b.reports {
		if len(p.Beat) == 3 {
			beats++
		}
	}
	if beats < 3 {
		t.Errorf("the service heard %d heartbeats", beats)
	}
	b.told = nil
	o.Code, o.Machine = "", &simulate.Machine{Name: "sample", Spec: sheet, Setup: setups["battery"], Boot: boot}
	if _, err := agent.Work(context.Background(), o); err != nil {
		t.Fatal(err)
	}
	return b, dir
}

func TestARunDownEndsWithItsLastHeartbeatWhereTheMachineWentOff(t *testing.T) {
	b, dir := ranDown(t, 0.93, "another")
	if len(b.runs) != 1 || len(b.incidents) != 0 {
		t.Fatalf("%d runs, %+v", len(b.runs), b.incidents)
	}
	r := b.runs[0]
	if r.Outcome != record.Done || r.Negotiated[analyse.HowEnded] != analyse.WentOff ||
		r.Observed["supply"] != "battery" ||
		r.Observed[analyse.Luminance] != "200 cd/m²" || len(r.Series) != 3 {
		t.Errorf("%+v", r)
	}
	for _, s := range r.Series {
		n := len(s.Times)
		if s.Channel == analyse.Charge && (s.Unit != "%" || s.Values[0] != 100 || s.Values[n-1] > 10 ||
			math.Abs(s.Times[n-1]-r.Ended.Sub(r.Started).Seconds()) > 60) {
			t.Errorf("%s from %g to %g %s over %g s; the run took %s", s.Channel, s.Values[0], s.Values[n-1], s.Unit,
				s.Times[n-1], r.Ended.Sub(r.Started))
		}
	}
	if again, err := os.ReadFile(filepath.Join(dir, "beats.jsonl")); err != nil || !json.Valid(again[:strings.IndexByte(
		string(again), '\n')]) {
		t.Errorf("heartbeats are kept a line each: %v", err)
	}
}

func TestARunDownThatWasBrokenOffSaysSo(t *testing.T) {
	b, _ := ranDown(t, 0.3, "another") // it was started anew with much of its charge left
	if len(b.runs) != 1 || b.runs[0].Negotiated[analyse.HowEnded] != analyse.Ended || len(b.incidents) != 0 {
		t.Errorf("%+v, %+v", b.runs, b.incidents)
	}
	b, _ = ranDown(t, 0.93, "") // the same boot: the agent alone was ended
	if len(b.runs) != 1 || b.runs[0].Negotiated[analyse.HowEnded] != analyse.Ended {
		t.Errorf("%+v", b.runs)
	}
	// One that crashes before it told anything twice is tried thrice and parked, as any other.
	early := &bench{plan: method.Plan{Steps: []method.PlanStep{{Test: "rundown-video", Repeats: 1}}, Setup: "battery"}}
	run(t, early, &simulate.Machine{Pace: 0.001, Faults: []simulate.Fault{{Kind: simulate.Crash, Times: 9}}})
	if len(early.runs) != 1 || early.runs[0].Outcome != record.Parked || len(early.incidents) != 3 {
		t.Errorf("%+v, %d incidents", early.runs, len(early.incidents))
	}
	// One whose page crashed is made of what it told; a person who stops it has that much.
	for _, f := range []simulate.Fault{{Kind: simulate.Crash, At: 9000}, {Kind: simulate.Plugged, At: 9000}} {
		b := &bench{plan: method.Plan{Steps: []method.PlanStep{{Test: "rundown-video", Repeats: 1,
			Options: map[string]string{"heartbeat": "60 s"}}}, Setup: "battery"}}
		r, _ := run(t, b, &simulate.Machine{Pace: 0.001, Faults: []simulate.Fault{f}})
		want := map[string]string{simulate.Crash: analyse.Ended, simulate.Plugged: analyse.PluggedIn}[f.Kind]
		if r.Runs != 1 || b.runs[0].Negotiated[analyse.HowEnded] != want {
			t.Errorf("%s: %+v", f.Kind, r)
		}
	}
}
