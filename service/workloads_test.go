package service_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk/books"
	"durvek/desk/figures"
	"durvek/desk/results"
	"durvek/workload"
)

func TestOptionsAreCheckedAnnouncedAndKeepFiguresApart(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(strings.Replace(dossier, "system.name: Strand",
		"drive.endurance: 300 TB, system.name: Strand", 1))))
	plan := func(options map[string]string) error {
		return send(r, "/api/plans", map[string]any{"unit": "fen-14-16-a", "steps": []method.PlanStep{{Test: "drive-fill",
			Repeats: 1, Options: options}}})
	}
	refused(t, plan(map[string]string{"share": "200 %", "depth": "3"}), 422, "at most 95 %",
		`no option "depth"; it has share, writes`)
	must(t, plan(map[string]string{"share": "5 %", "writes": "30 GB"}))
	b := get[record.BenchPlan](r, "/api/plans/"+get[[]record.BenchPlan](r, "/api/bench", "limit", "1")[0].Plan.ID)
	if b.Writes != 30e9 || b.Endurance != 0.01 || b.Steps[0].Options["share"] != "5 %" {
		t.Errorf("announced: %d bytes, %g %% of the endurance, %v", b.Writes, b.Endurance, b.Steps[0].Options)
	}
	// Two runs with unlike options make two cells.
	j := joined(r, "hashing-sustained")
	for i, duration := range []string{"60 s", "10 min", "10 min"} {
		run := runFor(j, i, 1000)
		run.Test, run.Options = "hashing-sustained", map[string]string{"duration": duration}
		run.Observed["option.duration"] = duration
		run.Readings = []record.Reading{{Measure: "burst", State: record.OK, Value: 100}, {Measure: "drop",
			State: record.BeyondLimit, Value: 60}}
		run.Series = []record.Series{{Channel: "rate", Unit: "MiBy/s", Axis: "threads", Along: "{thread}", Times: []float64{1,
			2}, Values: []float64{3, 4}}}
		must(t, r.c.SendRun(context.Background(), j.Token, run))
		if p := get[results.RunPage](r, "/api/runs/"+run.ID); p.Run.Options["duration"] != duration ||
			p.Run.Series[0].Axis != "threads" || p.Run.Series[0].Along != "{thread}" {
			t.Errorf("the run came back as %+v", p.Run)
		}
	}
	page := get[figures.MeasurePage](r, "/api/measures/hashing-sustained/burst")
	if len(page.Cells) != 2 || page.Cells[0].Estimate.N+page.Cells[1].Estimate.N != 3 {
		t.Errorf("cells %+v", page.Cells)
	}
}

func TestWhatCannotBeRunStandsUnderTheChartWithItsReason(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	for i := range 3 {
		run := runFor(j, i, 1)
		run.Close(fmt.Errorf("%w: 3 arrays do not fit; take some out", record.ErrNotRun))
		must(t, r.c.SendRun(context.Background(), j.Token, run))
	}
	c := get[compare.Comparison](r, "/api/ranking", "measure", "hashing/all")
	if len(c.LeftOut) != 1 || c.LeftOut[0].Kind != compare.CannotRun ||
		c.LeftOut[0].Reason != "cannot run it: 3 arrays do not fit" {
		t.Errorf("%+v", c.LeftOut)
	}
	if s := get[record.BenchPlan](r, "/api/plans/"+j.Plan.ID).Steps[0]; s.State != "not-run" || s.NotRun != 3 ||
		s.Failed != 0 || !strings.HasPrefix(s.Note, "3 arrays") {
		t.Errorf("%+v", s)
	}
}

func TestAFileOfRunsIsTakenInOnceAndWhole(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	file := func(change func(map[string]any)) []byte {
		var runs []any
		for i := range 2 {
			run := runFor(j, i, 5000)
			runs = append(runs, map[string]any{"id": run.ID, "test": run.Test, "test_version": 1, "repeat": i,
				"started": run.Started, "ended": run.Ended, "outcome": "done", "readings": run.Readings, "observed": run.Observed})
		}
		f := map[string]any{"format": "durvek-runs/1", "machine": map[string]any{"name": "m", "boot": "b7", "system": "S"},
			"runs": runs}
		if change != nil {
			change(f)
		}
		b, err := json.Marshal(f)
		must(t, err)
		return b
	}
	first := func(f map[string]any) map[string]any { return f["runs"].([]any)[0].(map[string]any) }
	take := func(data []byte, unit string) (results.Imported, error) {
		var out results.Imported
		err := r.c.Do(context.Background(), http.MethodPost, "/api/runs", map[string][]string{"unit": {unit}}, data, &out)
		return out, err
	}
	for want, change := range map[string]func(map[string]any){
		"which is no UUID":       func(f map[string]any) { first(f)["id"] = "7" },
		"no version 9 of a test": func(f map[string]any) { first(f)["test_version"] = 9 },
		"must be above zero": func(f map[string]any) {
			first(f)["readings"] = []any{map[string]any{"measure": "all", "state": "ok", "value": -1}}
		},
		"has no measure": func(f map[string]any) {
			first(f)["readings"] = []any{map[string]any{"measure": "some", "state": "ok", "value": 1}}
		},
		"line 1": func(f map[string]any) { first(f)["colour"] = "red" },
		"one of": func(f map[string]any) { first(f)["outcome"] = "perhaps" },
	} {
		_, err := take(file(change), "fen-14-16-a")
		refused(t, err, 422, want)
	}
	if n := get2(r).Total; n != 0 {
		t.Errorf("refused files left %d runs", n)
	}
	data := file(nil)
	if got, err := take(data, "fen-14-16-a"); err != nil || got.Runs != 2 || got.Known != 0 {
		t.Errorf("%+v, %v", got, err)
	}
	if got, err := take(data, "fen-14-16-a"); err != nil || got.Runs != 0 || got.Known != 2 {
		t.Errorf("again: %+v, %v", got, err)
	}
	if _, err := take(data, "nobody"); err == nil {
		t.Error("an unknown unit was taken")
	}
	if n := get2(r).Total; n != 2 {
		t.Errorf("%d runs", n)
	}
}

func TestAMappingIsTriedWithoutBeingKept(t *testing.T) {
	r := start(t)
	const mapped = `format: durvek-test/1
slug: mapped
version: 1
name: Mapped
group: application
command:
  run: [prog]
  limit: 5
  figures: [{measure: rate, column: rate, where: {pass: "2"}}]
measures: [{slug: rate, name: rate, unit: /s, scale: ratio, better: higher}]
`
	var tried books.Tried
	try := func(x books.Trial) error {
		tried = books.Tried{}
		return r.c.Do(context.Background(), http.MethodPost, "/api/trials", nil, x, &tried)
	}
	must(t, try(books.Trial{Definition: mapped, Output: "pass,rate\n1,10\n2,20\n"}))
	if !tried.Whole || tried.Found[0].Value != 20 || tried.Found[0].Raw != "20" {
		t.Errorf("%+v", tried)
	}
	must(t, try(books.Trial{Definition: mapped, Output: "pass,rate\n1,10\n"}))
	if tried.Whole || tried.Found[0].Fault != "no row fits" {
		t.Errorf("%+v", tried)
	}
	refused(t, try(books.Trial{Test: "mapped"}), 404, `"mapped"`)
	refused(t, try(books.Trial{Test: "hashing"}), 422, "runs no command")
	refused(t, try(books.Trial{Definition: strings.Replace(mapped, "limit: 5", "limit: 0", 1)}), 422, "line 8")
	must(t, send(r, "/api/tests", []byte(mapped)))
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	must(t, send(r, "/api/plans", map[string]any{"unit": "fen-14-16-a", "steps": []method.PlanStep{{Test: "mapped",
		Repeats: 1}}}))
}

func TestTheNetworkIsMeasuredAgainstTheService(t *testing.T) {
	if testing.Short() {
		t.Skip("it fills a whole demo, or measures for seconds")
	}
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "network")
	w, _ := workload.Find("network")
	env := workload.Env{Service: "http://" + r.addr, Token: j.Token, Seconds: 0.1}
	out, err := w.Execute(context.Background(), env)
	must(t, err)
	if len(out.Readings) != len(w.Test.Measures) || out.Observed["network.link"] != "loopback" {
		t.Errorf("%+v", out)
	}
	for _, x := range out.Readings {
		if m, _ := w.Test.Measure(x.Measure); x.Check(m) != "" {
			t.Errorf("%+v", x)
		}
	}
	for _, bad := range []workload.Env{{}, {Service: env.Service, Token: "wrong"}, {Service: "http://127.0.0.1:1",
		Token: j.Token}} {
		if _, err := w.Execute(context.Background(), bad); !errors.Is(err, record.ErrNotRun) {
			t.Errorf("%+v: %v", bad, err)
		}
	}
	ctx, stop := context.WithCancel(context.Background())
	env.Seconds, env.Report = 30, func(s record.Sample) {
		if s.Value > 0 {
			stop()
		}
	}
	if _, err := w.Execute(ctx, env); err == nil {
		t.Error("an interrupted run gave figures")
	}
	// What the addresses refuse.
	for path, status := range map[string]int{"down?seconds=0": 422, "down?seconds=900": 422, "down": 422, "echo": 204} {
		req, _ := http.NewRequest(http.MethodGet, "http://"+r.addr+"/api/agent/link/"+path, nil)
		req.Header.Set("Authorization", "Bearer "+j.Token)
		resp, err := http.DefaultClient.Do(req)
		must(t, err)
		resp.Body.Close()
		if resp.StatusCode != status {
			t.Errorf("%s answers %d", path, resp.StatusCode)
		}
	}
	req, _ := http.NewRequest(http.MethodPost, "http://"+r.addr+"/api/agent/link/up", bytes.NewReader(make([]byte, 3<<20)))
	req.Header.Set("Authorization", "Bearer "+j.Token)
	resp, err := http.DefaultClient.Do(req)
	must(t, err)
	defer resp.Body.Close()
	if b, _ := io.ReadAll(resp.Body); string(b) != fmt.Sprint(3<<20) {
		t.Errorf("3 MiB were counted as %s", b)
	}
	if resp, err := http.Get("http://" + r.addr + "/api/agent/link/echo"); err != nil || resp.StatusCode != 401 {
		t.Errorf("without a token: %v", err)
	}
}
