package trust

import (
	"strings"
	"testing"

	"durvek/core/record"
)

// A failed run is asked the rules for failed runs alone, a done one all others; runs that were never made are asked
// nothing.
func TestWhichRunsAreAskedWhichRules(t *testing.T) {
	for _, c := range []struct {
		outcome record.Ending
		failure string
		want    string
	}{
		{record.Done, "", "outlier"}, {record.Done, record.WrongAnswer, "outlier"}, {record.Failed, "", ""},
		{record.Failed, "it said: " + record.WrongAnswer, "self-check"},
		{record.NotRun, record.WrongAnswer, ""}, {record.Parked, record.WrongAnswer, ""},
	} {
		x := cellCase(100.12, 101, 150.7)
		x.Run.Outcome, x.Run.Failure = c.outcome, c.failure
		if got := said(x); got != c.want {
			t.Errorf("%s, %q: %q, want %q", c.outcome, c.failure, got, c.want)
		}
	}
}

// Three repeats are enough to scatter or to drift, two are a pair.
func TestHowManyRepeatsARuleNeeds(t *testing.T) {
	for _, c := range []struct {
		values []float64
		want   string
	}{
		{[]float64{100.12, 121.3, 83.45}, "spread"}, {[]float64{100.12, 121.3}, "outlier"}, {[]float64{120.11, 110.2, 100.48},
			"drift"}, {[]float64{120.11, 110.2}, "outlier"}, {[]float64{120.11}, ""},
	} {
		if got := said(cellCase(c.values...)); got != c.want {
			t.Errorf("%v: %q, want %q", c.values, got, c.want)
		}
	}
}

// Every rule has a name of its own, words, and hides only rules that there are.
func TestRulesAreWhole(t *testing.T) {
	seen := map[string]bool{}
	for _, r := range Rules {
		if seen[r.Name] || r.Title == "" || r.Sentence == "" || r.Proposal == "" || r.Severity == "" || r.Find == nil {
			t.Errorf("rule %+v", r.Name)
		}
		seen[r.Name] = true
		if got, ok := RuleOf(r.Name); !ok || got.Title != r.Title {
			t.Errorf("%s is not found by its name", r.Name)
		}
		if (r.Limit > 0) != (r.LimitUnit != "") || r.Least > r.Limit {
			t.Errorf("%s: limit %g %q, least %g", r.Name, r.Limit, r.LimitUnit, r.Least)
		}
		if r.Again != "" && r.Again != "repeat" && r.Again != "cool" {
			t.Errorf("%s proposes %q", r.Name, r.Again)
		}
	}
	for _, r := range Rules {
		for _, h := range r.Hides {
			if !seen[h] {
				t.Errorf("%s hides %q, which there is not", r.Name, h)
			}
		}
	}
	if _, ok := RuleOf("nothing"); ok {
		t.Error("a rule that there is not is found")
	}
	for _, c := range Causes {
		if got, ok := CauseOf(c.Key); !ok || got.Name != c.Name || strings.TrimSpace(c.Name) == "" {
			t.Errorf("cause %+v", c)
		}
	}
}

// What a machine calls itself is held against its dossier: another chip, or other cores, not another way of writing.
func TestAMachineThatCallsItselfOtherwise(t *testing.T) {
	for _, c := range []struct {
		spec    map[string]any
		machine record.Machine
		want    string
	}{
		{map[string]any{"cpu.name": "Skarn Eleven 40"}, record.Machine{Processor: "Lodestow(R) Skarn(TM) Eleven 40 CPU @ " +
			"2.5GHz"}, ""},
		{map[string]any{"cpu.name": "Lodestow Skarn Eleven 40"}, record.Machine{Processor: "Skarn Eleven 40"}, ""},
		{map[string]any{"cpu.name": "Skarn Eleven 40"}, record.Machine{Processor: "Lodestow Sample 0000"}, "other-part"},
		{map[string]any{"cpu.name": "Skarn Eleven 40"}, record.Machine{}, ""},
		{nil, record.Machine{Processor: "Skarn Eleven 40", Cores: 4}, ""},
		{map[string]any{"cpu.cores": 8.0, "cpu.threads": 16.0}, record.Machine{Cores: 8, Threads: 16}, ""},
		{map[string]any{"cpu.cores": 8.0}, record.Machine{Cores: 6}, "other-part"},
		{map[string]any{"cpu.threads": 16.0}, record.Machine{Cores: 8, Threads: 8}, "other-part"},
	} {
		x := cellCase(100)
		x.Spec, x.Machine = c.spec, c.machine
		if got := said(x); got != c.want {
			t.Errorf("%v, called %+v: %q, want %q", c.spec, c.machine, got, c.want)
		}
		x.Run.Simulated = true
		if got := said(x); got != "" {
			t.Errorf("a simulated machine is its dossier: %q", got)
		}
	}
}
