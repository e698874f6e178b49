package cli_test

import (
	"encoding/json"
	"regexp"
	"strings"
	"testing"

	"durvek/core/trust"
)

// doubtOf is the newest doubt of a rule about a unit.
func doubtOf(t *testing.T, home, rule, unit, state string) trust.Doubt {
	t.Helper()
	var l struct{ Doubts []trust.Doubt }
	r := call(t, home, "--data", bed.data, "--json", "doubt", "list", "--rule", rule, "--unit", unit, "--state", state)
	if err := json.Unmarshal([]byte(r.out), &l); err != nil || len(l.Doubts) == 0 {
		t.Fatalf("no %s doubt of %s about %s: %v %s", state, rule, unit, err, r.out)
	}
	return l.Doubts[0]
}

func TestDoubtsFromTheCommandLine(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	do("doubt", "list", "--unit", "relay-desk-32-1000-a").want(t, 0, "near a factor of 8", "open", "serious")
	do("doubt", "rules").want(t, 0, "outlier", "drive-appends: limit 100000 (Single slow flushes", "Cause", "stays in it")
	upheld := doubtOf(t, home, "departure", "relay-15-16-512-a", "upheld")
	do("doubt", "show", upheld.ID).want(t, 0, "mains planned, battery observed", "raised", "upheld",
		"The plug had slipped out")
	do("run", "show", upheld.Run).want(t, 0, "void: The plug had slipped out", "Before", "Taken under other conditions")
	do("run", "list", "--state", "void", "--unit", "relay-15-16-512-a").want(t, 0, "(void)", "1 of 1 runs")

	x := doubtOf(t, home, "unit-slip", "relay-desk-32-1000-a", "open")
	do("doubt", "show", x.ID).want(t, 0, "◆", "durvek doubt uphold", "as when a unit is mixed up")
	do("doubt", "uphold", x.ID).want(t, 1, "upheld with a cause")
	do("doubt", "uphold", x.ID, "--cause", "moonlight").want(t, 1, "one of conditions, background")
	do("doubt", "uphold", x.ID, "--cause", "handling", "--reason", "bits for bytes").want(t, 0,
		"1 run left out of "+x.Measure)
	do("doubt", "dismiss", x.ID, "--reason", "no").want(t, 1, "is upheld already; reopen it first")
	do("doubt", "reopen", x.ID, "--reason", "to be sure").want(t, 0, "Open again")
	do("doubt", "dismiss", x.ID, "--reason", "it is so").want(t, 0, "counts as before")
	do("doubt", "reopen", x.ID, "--reason", "as it was").want(t, 0, "Open again")
	do("doubt", "show", "nothing").want(t, 1, `no doubt "nothing"`)
	r := do("doubt", "repeat", x.ID, "--repeats", "2")
	r.want(t, 0, "is on the bench: Again: Log indexing")
	do("plan", "stop", planID.FindStringSubmatch(r.out)[1]).want(t, 0, "")
	do("doubt", "tune", "spread", "--test", "foreground", "--limit", "60", "--reason", "jumpy").want(t, 0, "limit 60")
	do("doubt", "tune", "spread", "--test", "foreground").want(t, 0, "as it was")
	do("doubt", "tune", "spread", "--limit", "0.5", "--reason", "x").want(t, 1, "may not lie below 2")
	do("doubt", "examine", "--unit", "tern-mini-32-1000-a", "--test", "archive").want(t, 0, "5 runs were examined")

	do("run", "duplicates").want(t, 0, "pairs")
	id := newest(t, home, "tern-mini-32-1000-a", "archive")
	do("run", "void", id).want(t, 2, "say --reason")
	do("run", "void", id, "--cause", "disturbed", "--reason", "the door slammed").want(t, 0, "pack: void, before")
	do("run", "restore", id, "--reason", "it did not").want(t, 0, "before void")
	do("run", "correct", id, "pack", "--reason", "x").want(t, 2, "MEASURE=VALUE")
	do("run", "correct", id, "pack=never", "--reason", "x").want(t, 1, "pack")
	do("run", "merge", id, id, "--reason", "x").want(t, 1, "no duplicate of itself")
	do("run", "recount").want(t, 0, "0 of them did not agree")
}

func TestExplanationsFromTheCommandLine(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	do("unit", "history", "relay-15-16-512-a", "small-files/create").want(t, 0, "with firmware 1.12, not 1.08",
		"Sitting (UTC)")
	do("unit", "history", "relay-15-16-512-a", "no/measure").want(t, 1, "no measure")
	do("measure", "worth", "hashing/all").want(t, 0, "Power mode", "default → fast", "Supply", "mains → battery",
		"Not attributed: Selvane Fen 14")
	do("measure", "why", "hashing/all", "sound-14-16-512", "sound-12-16-512").want(t, 0,
		"processor: Skarn Nine and Skarn Seven", "Held back by")
	do("measure", "show", "hashing/all").want(t, 0, "One run of this test is good to ±", "this desk's own")
	out := call(t, home, "--data", bed.data, "--json", "run", "list", "--unit", "relay-15-16-512-a", "--test",
		"hashing").out
	ids := regexp.MustCompile(`"id":"([^"]+)"`).FindAllStringSubmatch(out, 2)
	do("run", "changed", ids[0][1], ids[1][1]).want(t, 0, "cannot be compared: supply mains, not battery",
		"more than two runs scatter", "supply *")
	do("run", "changed", ids[0][1], "nothing").want(t, 1, `no run "nothing"`)
	do("rank", "show", "survey-export/time", "--field", "machines").want(t, 0,
		"Hythebrook Sound 12: not comparable: program version 2.9, not 3.2")
	r := do("rank", "show", "survey-export/time", "--field", "machines", "--allow", "sound-12-16-512")
	r.want(t, 0, "Compared though unlike: program version 2.9, not 3.2", "Hythebrook Sound 12 [1]")
	if strings.Contains(r.out, "not comparable") {
		t.Errorf("allowed, and yet %s", r.out)
	}
	do("rank", "show", "survey-export/time", "--allow", "nobody").want(t, 1, `no variant "nobody"`)
}
