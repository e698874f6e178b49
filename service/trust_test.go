package service_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"durvek/client"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk/results"
)

// What a client sees of doubts: lists with filters, a life, problems that name what is wrong.
func TestDoubtsOverHTTP(t *testing.T) {
	r := filled(t)
	type list struct {
		Doubts []trust.Doubt `json:"doubts"`
		Total  int           `json:"total"`
	}
	all := get[list](r, "/api/doubts", "limit", "500")
	open := get[list](r, "/api/doubts", "state", "open", "limit", "500")
	if open.Total == 0 || open.Total >= all.Total || len(all.Doubts) != all.Total {
		t.Fatalf("%d open of %d, %d listed", open.Total, all.Total, len(all.Doubts))
	}
	for i, d := range open.Doubts[1:] {
		weight := map[trust.Severity]int{trust.Serious: 0, trust.Caution: 1, trust.Note: 2}
		if weight[d.Severity] < weight[open.Doubts[i].Severity] {
			t.Errorf("%s %s stands behind %s %s", d.Severity, d.Rule, open.Doubts[i].Severity, open.Doubts[i].Rule)
		}
	}
	one := get[list](r, "/api/doubts", "subject", "petrel-8-256-a", "rule", "ambient")
	if one.Total != 1 || len(one.Doubts[0].Runs) < 10 {
		t.Errorf("the warm room: %+v", one)
	}
	page := get[results.DoubtPage](r, "/api/doubts/"+one.Doubts[0].ID)
	if len(page.Acts) < 2 || page.Acts[0].Act != "raised" || page.Rule.Name != "ambient" {
		t.Errorf("its life: %+v", page)
	}
	runs := get[struct{ Total int }](r, "/api/runs", "state", "doubted", "subject", "petrel-8-256-a")
	if runs.Total < 10 {
		t.Errorf("%d doubted runs of the phone", runs.Total)
	}
	run := get[results.RunPage](r, "/api/runs/"+one.Doubts[0].Run)
	if len(run.Doubts) == 0 || run.Run.Doubts == 0 {
		t.Errorf("the run's own page says nothing of its doubts: %+v", run.Run)
	}
	bench := get[record.BenchPlan](r, "/api/plans/"+one.Doubts[0].Plan)
	if len(bench.Doubts) == 0 || bench.Doubts[0].Proposal == "" {
		t.Errorf("nor does the bench: %+v", bench.Doubts)
	}
	for _, x := range []struct {
		path string
		in   any
		code int
		says string
	}{
		{"/api/doubts/" + one.Doubts[0].ID + "/settlements", map[string]any{"do": "uphold"}, 422, "cause"},
		{"/api/doubts/nothing/settlements", map[string]any{"do": "dismiss", "reason": "x"}, 404, "no doubt"},
		{"/api/runs/" + one.Doubts[0].Run + "/corrections", map[string]any{"do": "void"}, 422, "reason"},
		{"/api/runs/nothing/corrections", map[string]any{"do": "void", "reason": "x"}, 404, "no run"},
	} {
		err := send(r, x.path, x.in)
		var p *client.Problem
		if !errors.As(err, &p) || p.Status != x.code || !strings.Contains(fmt.Sprint(p), x.says) {
			t.Errorf("%s: %v, want %d and %q", x.path, err, x.code, x.says)
		}
	}
	firmware := get[struct{ Total int }](r, "/api/runs", "text", "1.12", "subject", "relay-15-16-512-a")
	whole := get[struct{ Total int }](r, "/api/runs", "subject", "relay-15-16-512-a")
	if firmware.Total == 0 || firmware.Total >= whole.Total {
		t.Errorf("%d of %d runs with that firmware", firmware.Total, whole.Total)
	}
}
