package method

import (
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/quantity"
)

func TestATestDefinitionsFaults(t *testing.T) {
	good := Test{Slug: "t", Version: 1, Name: "T", Measures: []Measure{{Slug: "x", Unit: "s", Scale: quantity.Ratio,
		Better: quantity.Lower}}, MustMatch: []string{"supply"}, Subjects: nil}
	if found := good.Check(); len(found) > 0 {
		t.Errorf("a good test: %v", found)
	}
	bad := Test{Slug: "T t", Version: 0, Subjects: good.Subjects, MustMatch: []string{"mood"},
		Measures: []Measure{{Slug: "x", Unit: "parsec", Scale: "loud", Better: "up", Margin: -1}, {Slug: "x", Unit: "s",
			Scale: "ratio", Better: "lower"}}}
	bad.Subjects = append(bad.Subjects, "A boat")
	var all []string
	for _, p := range bad.Check() {
		all = append(all, p.Reason)
	}
	text := strings.Join(all, "\n")
	for _, part := range []string{"not an identifier", "counts from 1", `unknown kind "A boat"`,
		`unknown condition "mood"`,
		`unknown unit "parsec"`, `unknown scale "loud"`, "better is one of", "cannot be negative", "stands twice"} {
		if !strings.Contains(text, part) {
			t.Errorf("nothing says %q in:\n%s", part, text)
		}
	}
	if found := (Test{Slug: "t", Version: 1}).Check(); len(found) != 1 || !strings.Contains(found[0].Reason,
		"at least one measure") {
		t.Errorf("a test without measures: %v", found)
	}
}

func TestJobsAreGroupedByStep(t *testing.T) {
	jobs := Plan{Steps: []PlanStep{{Test: "a", Repeats: 2}, {Test: "b", Repeats: 1}}}.Jobs()
	want := []Job{{0, 0, "a"}, {0, 1, "a"}, {1, 0, "b"}}
	if len(jobs) != 3 || jobs[0] != want[0] || jobs[1] != want[1] || jobs[2] != want[2] {
		t.Errorf("%v", jobs)
	}
	if test, measure := Split(ID("drive-random", "p99")); test != "drive-random" || measure != "p99" {
		t.Errorf("%s %s", test, measure)
	}
	if !(Test{}).Fits("phone") || (Test{Subjects: []catalog.Kind{"laptop"}}).Fits("phone") {
		t.Error("a test fits the kinds that it names, or all if it names none")
	}
	if f := (Setup{Slug: "x", Conditions: map[string]string{"mood": "good"}}).Check(); len(f) != 1 {
		t.Errorf("%v", f)
	}
}

func TestWhichConditionsHoldVersions(t *testing.T) {
	for key, want := range map[string]bool{"program.version": true, "firmware": true, "system.kernel": true,
		"own.mapper-version": true, "display.resolution": false, "content": false, "option.size": false, "versions": false} {
		if IsVersion(key) != want {
			t.Errorf("%s: %v", key, !want)
		}
	}
}
