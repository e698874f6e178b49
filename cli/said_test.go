package cli_test

import (
	"os"
	"path/filepath"
	"regexp"
	"testing"
)

// From an empty desk: what is said, set aside, corrected and archived, and a table as somebody kept it.
func TestAnEmptyDeskIsCorrected(t *testing.T) {
	whole(t)
	home, data := t.TempDir(), t.TempDir()
	serve(t, data)
	do := func(words ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", data}, words...)...)
	}
	file := func(name, text string) string {
		path := filepath.Join(home, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	test := file("t.yaml", "format: durvek-test/1\nslug: export\nversion: 1\nname: Chart export\ngroup: application\n"+
		"hands: form\nsubjects: [laptop, antenna]\nmeasures:\n  - "+
		"{slug: time, name: time, unit: s, scale: ratio, better: lower, repeatability: 0.02}\n")
	do("test", "import", test).want(t, 1, `unknown kind "antenna"`)
	do("kind", "add", "antenna").want(t, 0, "antennas")
	do("kind", "list").want(t, 0, "laptops", "antennas")
	do("test", "import", test).want(t, 0, "is known")
	for _, m := range []string{"reed", "sedge", "fern"} {
		do("model", "add", m, "--maker", "Hythebrook", "--name", m, "--kind", "laptop").want(t, 0, "")
		do("variant", "add", m+"-8", "--model", m, "--name", "8 GiB").want(t, 0, "")
		do("unit", "add", m+"-8-a", "--variant", m+"-8").want(t, 0, "")
	}
	do("table", "import", file("w.tsv", "unit\tdate\ttime\trepeat\texport/time\tnote\n"+
		"reed-8-a\t2026-11-20\t09:10\t1\t134,2\t3,5 m of cable\nreed-8-a\t2026-11-20\t09:20\t2\t2 min 12 s\t\n"+
		"sedge-8-a\t2026-11-20\t10:00\t1\t3:05\t\nfern-8-a\t2026-11-20\t11:00\t1\t150–190\t\n")).want(t, 0, "Taken in")
	do("rank", "show", "export/time").want(t, 0, "2 min 13 s", "2 min 30 s to 3 min 10 s", "Time")
	do("run", "list", "--unit", "fern-8-a").want(t, 0, "time 150 to 190")
	fern := id(t, do("run", "list", "--unit", "fern-8-a", "--json"))
	do("run", "show", fern).want(t, 0, "2 min 30 s to 3 min 10 s")
	do("run", "show", id(t, do("run", "list", "--unit", "reed-8-a", "--json"))).want(t, 0, "2 min 12 s")

	doubted(t, fern, do)
	remarked(t, do)
	shelved(t, do)
}

// doubted doubts a whole setup, and shows a test without counting it.
func doubted(t *testing.T, fern string, do func(...string) result) {
	t.Helper()
	do("doubt", "raise", fern, "--sentence", "The lid was shut.", "--setup", "--cause", "rust").want(t, 1,
		`"rust" is no cause`)
	do("doubt", "raise", fern, "--sentence", "The lid was shut.", "--setup", "--cause", "handling").want(t, 0, "1 run")
	doubt := id(t, do("doubt", "list", "--json"))
	do("doubt", "show", doubt).want(t, 0, "read, typed or handled wrongly: The lid was shut.")
	do("doubt", "uphold", doubt).want(t, 0, "1 run left out")
	do("rank", "show", "export/time").want(t, 0, "void")

	do("test", "aside", "export").want(t, 2, "reason")
	do("test", "aside", "export", "--reason", "The clock was wrong").want(t, 0, "shown, not counted")
	do("test", "show", "export").want(t, 0, "Shown, not counted: The clock was wrong")
	do("rank", "show", "export/time").want(t, 0, "With a caveat: Shown, not counted: The clock was wrong")
	do("test", "count", "export").want(t, 0, "counts again")
}

// remarked notes what is said without a figure, and corrects an incident.
func remarked(t *testing.T, do func(...string) result) {
	t.Helper()
	do("remark", "add", "reed-8", "Quick to open", "--area", "lid").want(t, 1, "unknown area", "display")
	do("remark", "add", "reed-8", "Quick to open", "--area", "display").want(t, 0, "not measured")
	do("report", "add", "reed-8", "Came loose", "--who", "crews").want(t, 1, "a report says who says it")
	do("report", "add", "reed-8", "Came loose", "--who", "crews", "--dated", "2026-10-02", "--source", "letter").want(t,
		0, "")
	do("report", "list").want(t, 0, "Came loose (crews, 2026-10-02; letter)")
	do("review", "add", "reed-8").want(t, 0, "remark, not measured", "report, not measured")
	do("remark", "withdraw", id(t, do("remark", "list", "--json")), "--reason", "of another").want(t, 0, "Withdrawn")
	do("remark", "list").want(t, 0, "Variant")
	do("remark", "list", "--withdrawn").want(t, 0, "withdrawn: of another")

	do("incident", "add", "reed-8-a", "--kind", "hang", "--text", "Stuck", "--times", "1", "--tries", "4").want(t, 0, "")
	hang := id(t, do("incident", "list", "--json"))
	do("incident", "change", hang, "--kind", "interruption", "--tries", "5", "--reason", "updating").want(t, 0,
		"interruption")
	do("incident", "rate").want(t, 0, "interruption in 1 of 5 tries")
	do("incident", "withdraw", hang, "--reason", "ours").want(t, 0, "Withdrawn")
	do("incident", "rate").want(t, 0, "No incident counts")
	do("incident", "show", hang).want(t, 0, "Withdrawn on", "hang", "updating", "ours")
	do("incident", "restore", hang, "--reason", "it was").want(t, 0, "Restored")
}

// shelved archives and removes.
func shelved(t *testing.T, do func(...string) result) {
	t.Helper()
	do("model", "archive", "fern", "--reason", "sold").want(t, 0, "is archived")
	if r := do("model", "list"); regexp.MustCompile(`(?m)^fern`).MatchString(r.out) {
		t.Errorf("what is archived is listed:\n%s", r.out)
	}
	do("model", "list", "--archived").want(t, 0, "fern")
	do("model", "unarchive", "fern").want(t, 0, "is offered again")
	do("model", "list").want(t, 0, "fern")
	do("plan", "add", "reed-8-a", "--tests", "hashing").want(t, 0, "on the bench")
	plan := id(t, do("plan", "list", "--json"))
	do("plan", "archive", plan).want(t, 0, "is archived")
	do("plan", "drop", plan).want(t, 0, "is removed")
	do("mode", "show", "export/time").want(t, 0, "No other mode of the same work")
	do("mode", "show", "export/time", "--subject", "reed-8").want(t, 0, "As delivered", "2 min 13 s")
	do("review", "drop", "reed-8").want(t, 0, "is removed")
}

// id is the first identifier in an answer.
func id(t *testing.T, r result) string {
	t.Helper()
	found := regexp.MustCompile(`"id":\s*"([^"]+)"`).FindStringSubmatch(r.out)
	if found == nil {
		t.Fatalf("no identifier in %s%s", r.out, r.err)
	}
	return found[1]
}
