package service_test

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"durvek/client"
	"durvek/core/compare"
	"durvek/core/record"
)

const flight = `format: durvek-test/1
slug: harbour-flight
version: 1
name: Harbour flight
group: graphics
analysis: frames
must_match: [content]
measures:
  - {slug: mean, name: mean rate, unit: "{frame}/s", scale: ratio, better: higher}
  - {slug: low, name: 1 % low, unit: "{frame}/s", scale: ratio, better: higher}
  - {slug: frame-time-99, name: 99th percentile frame time, unit: ms, scale: ratio, better: lower}
`

func TestFrameTimesFromAFileAreLikeAnyOther(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	must(t, send(r, "/api/tests", []byte(flight)))
	var table strings.Builder
	table.WriteString("n,frame (ms),made\n")
	for i := range 1200 {
		ms := 10.0
		if i%100 == 50 {
			ms = 40
		}
		fmt.Fprintf(&table, "%d,%g,0\n", i, ms)
	}
	add := func(data string, pairs ...string) (record.Run, error) {
		return client.Post[record.Run](context.Background(), r.c, "/api/frames",
			client.Query(append([]string{"test", "harbour-flight", "unit", "fen-14-16-a"}, pairs...)...), []byte(data))
	}
	run, err := add(table.String(), "column", "frame (ms)", "conditions", "content=harbour replay")
	must(t, err)
	got := map[string]float64{}
	for _, x := range run.Readings {
		got[x.Measure] = x.Value
	}
	if math.Abs(got["mean"]-1200/12.36) > 1e-6 || math.Abs(got["low"]-25) > 1e-9 ||
		math.Abs(got["frame-time-99"]-10.3) > 1e-6 || run.Source != "file" || run.Observed["content"] != "harbour replay" ||
		!strings.Contains(run.Negotiated["frames"], "1200 in 12.4 s, 12 stutters") {
		t.Errorf("%v, %v", got, run.Negotiated)
	}
	// With every second frame marked as generated, the rendered rate is what counts.
	marked := strings.NewReplacer(",10,0\n", ",10,1\n").Replace(table.String())
	if run, err = add(marked, "column", "frame (ms)", "generated", "made", "conditions",
		"content=harbour replay"); err != nil || !strings.Contains(run.Negotiated["frames.generated"], "1188 of 1200") {
		t.Errorf("%v, %v", run.Negotiated, err)
	}
	out, err := client.Get[compare.Comparison](context.Background(), r.c, "/api/ranking", client.Query("measure",
		"harbour-flight/mean"))
	if err != nil || len(out.Rows) != 1 || out.Rows[0].Estimate.N != 2 {
		t.Errorf("%+v, %v", out.Rows, err)
	}

	before := runsOf(r)
	for says, try := range map[string]func() (record.Run, error){
		"there are n, frame (ms), made": func() (record.Run, error) { return add(table.String(), "column", "fps") },
		"line 3":                        func() (record.Run, error) { return add("ms\n10\n-3\n") },
		"no unit":                       func() (record.Run, error) { return add("ms\n10\n", "unit", "nobody") },
		"does not read frame times":     func() (record.Run, error) { return add("ms\n10\n", "test", "hashing") },
		"KEY=VALUE":                     func() (record.Run, error) { return add("ms\n10\n", "conditions", "content") },
		"unknown condition":             func() (record.Run, error) { return add("ms\n10\n", "conditions", "mood=good") },
	} {
		_, err := try()
		refused(t, err, 422, says)
	}
	if after := runsOf(r); after != before {
		t.Errorf("%d runs became %d by files that were refused", before, after)
	}
}

func runsOf(r *running) int { return get[struct{ Total int }](r, "/api/runs").Total }
