package method

import (
	"fmt"
	"strings"
	"testing"
)

func TestJobsKeepSetupsTogether(t *testing.T) {
	p := Plan{Setup: "a", Steps: []PlanStep{{Test: "x", Repeats: 2}, {Test: "y", Setup: "b", Repeats: 1},
		{Test: "z", Repeats: 3}}}
	say := func() string {
		var out []string
		for _, j := range p.Jobs() {
			out = append(out, fmt.Sprintf("%s%d%s", j.Test, j.Repeat, p.SetupOf(j.Step)))
		}
		return strings.Join(out, " ")
	}
	if got := say(); got != "x0a x1a z0a z1a z2a y0b" {
		t.Errorf("grouped: %s", got)
	}
	p.Order = "interleaved"
	if got := say(); got != "x0a z0a x1a z1a z2a y0b" {
		t.Errorf("interleaved: %s", got)
	}
}

func TestTestsCrossSetups(t *testing.T) {
	got := Cross([]PlanStep{{Test: "x"}, {Test: "y", Setup: "own"}}, []string{"a", "b"})
	if fmt.Sprint(got) != "[{x a 0 map[]} {y own 0 map[]} {x b 0 map[]}]" {
		t.Errorf("%v", got)
	}
	if got := Cross([]PlanStep{{Test: "x"}}, nil); len(got) != 1 || got[0].Setup != "" {
		t.Errorf("%v", got)
	}
}

// Tests that stay keep their repeats, options and setups; new ones come under every setup; under one setup each is made
// once.
func TestAPlanWithOtherSteps(t *testing.T) {
	p := Plan{Setup: "a", Steps: []PlanStep{{Test: "x", Repeats: 2}, {Test: "y", Setup: "b", Repeats: 3,
		Options: map[string]string{"size": "1 MiB"}}, {Test: "x", Setup: "b", Repeats: 4}}}
	for _, c := range []struct {
		tests []string
		setup string
		want  string
	}{
		{nil, "", "[{x a 2 map[]} {x b 4 map[]} {y b 3 map[size:1 MiB]}]"},
		{[]string{"y", "x"}, "", "[{x a 2 map[]} {y b 3 map[size:1 MiB]} {x b 4 map[]}]"},
		{[]string{"x"}, "", "[{x a 2 map[]} {x b 4 map[]}]"},
		{[]string{"z", "y"}, "", "[{z a 0 map[]} {z b 0 map[]} {y b 3 map[size:1 MiB]}]"},
		{nil, "c", "[{x c 2 map[]} {y c 3 map[size:1 MiB]}]"},
		{[]string{"z", "x"}, "c", "[{z c 0 map[]} {x c 2 map[]}]"},
	} {
		if got := fmt.Sprint(p.Instead(c.tests, c.setup)); got != c.want {
			t.Errorf("%v under %q: %s, want %s", c.tests, c.setup, got, c.want)
		}
	}
	if p.Steps[0].Setup != "" {
		t.Error("the plan itself is changed")
	}
}

func TestPrompts(t *testing.T) {
	set := func(supply, mode, hands string) Setup {
		return Setup{Hands: hands, Conditions: map[string]string{"supply": supply, "power.mode": mode}}
	}
	mains, battery := set("mains", "default", ""), set("battery", "default", "")
	for _, c := range []struct {
		name     string
		from, to Setup
		observed map[string]string
		want     string
	}{
		{"the plug", mains, battery, nil, "Unplug the charger"},
		{"and back", battery, mains, nil, "Plug in the charger"},
		{"the machine sees it already", mains, battery, map[string]string{"supply": "battery"}, ""},
		{"nothing to do", mains, mains, map[string]string{"supply": "mains"}, ""},
		{"it stands otherwise than thought", mains, mains, map[string]string{"supply": "battery"}, "Plug in the charger"},
		{"two things", mains, set("battery", "quiet", ""), nil, "Set power mode to quiet, unplug the charger"},
		{"in the desk's own words", mains, set("mains", "fast", "Press the fan key"), nil, "Press the fan key"},
	} {
		if got := Prompt(c.from, c.to, c.observed); got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

func TestTermsAreChecked(t *testing.T) {
	if wrong := (Terms{Order: "interleaved", Cool: &Cool{Seconds: 5, Below: 50}, Ambient: &Band{18, 27}, Failure: "retry",
		Departure: "stop", Sampling: 10}).Check(); len(wrong) != 0 {
		t.Errorf("good terms: %v", wrong)
	}
	wrong := Terms{Order: "random", Cool: &Cool{Seconds: -1, Below: 200}, Ambient: &Band{27, 18}, Failure: "cry",
		Departure: "x", Least: -1, Sampling: 50}.Check()
	for _, says := range []string{"order is one of", "between 0 and 86400 seconds", "not to 200", "band 27 to 18",
		"after_failure is one of", "on_departure", "least run time", "not 50 times"} {
		if !strings.Contains(strings.Join(wrong, "; "), says) {
			t.Errorf("%v does not say %q", wrong, says)
		}
	}
}
