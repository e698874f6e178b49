package books_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"durvek/core/analyse"
	"durvek/desk"
	"durvek/desk/results"
	"durvek/internal/testdesk"
)

// What an analysis calls its figures may change with the program; what it measures may not, under one version.
func TestTestsOfAnalysesAreCalledAsTheyAreNow(t *testing.T) {
	a, _ := analyse.Named("colour")
	called := func(unit string, imports ...string) (names [3]string) {
		t.Helper()
		dir := t.TempDir()
		d := testdesk.OpenedIn(t, dir, time.Now)
		old := a.Test()
		old.Measures = append(old.Measures[:0:0], old.Measures...)
		old.Measures[0].Name, old.Measures[0].Alone, old.Measures[0].Unit = "white of before", false, unit
		if err := d.Desk.Write(testdesk.Ctx, func(q *desk.Tx) error {
			return q.PutTest(testdesk.Ctx, old, time.Now())
		}); err != nil {
			t.Fatal(err)
		}
		for _, slug := range imports {
			file := strings.NewReplacer("SLUG",
				slug).Replace("format: durvek-test/1\nslug: SLUG\nname: Mine\nanalysis: colour\n" +
				"group: display\nmeasures:\n  - {slug: white, name: white of before, unit: cd/m2, better: higher}\n")
			if _, err := d.Books.ImportTest(testdesk.Ctx, []byte(file), false, "me"); err != nil {
				t.Fatal(err)
			}
		}
		if slices.Contains(imports, a.Name) { // just as it was, but for its names
			if err := d.Desk.Write(testdesk.Ctx, func(q *desk.Tx) error {
				return q.PutTest(testdesk.Ctx, old, time.Now())
			}); err != nil {
				t.Fatal(err)
			}
		}
		if err := d.Close(); err != nil {
			t.Fatal(err)
		}
		d = testdesk.OpenedIn(t, dir, time.Now)
		now, err := d.Books.Test(testdesk.Ctx, "colour")
		if err != nil {
			t.Fatal(err)
		}
		m, err := d.Figures.Measure(testdesk.Ctx, "colour/white")
		if err != nil {
			t.Fatal(err)
		}
		_, err = d.Books.Test(testdesk.Ctx, "flicker")
		return [3]string{now.Measures[0].Name, m.Measure.Name, map[bool]string{true: "known"}[err == nil]}
	}
	if got := called("cd/m2"); got != [3]string{"white luminance", "White luminance", ""} {
		t.Errorf("%q", got)
	}
	if got := called("cd/m2", "colour-2"); got[0] != "white luminance" {
		t.Errorf("another test was imported: %q", got)
	}
	if got := called("cd/m2", "colour"); got[0] != "white of before" {
		t.Errorf("what somebody imported is overwritten: %q", got)
	}
	if got := called("1"); got != [3]string{"white of before", "Panel, colours, white of before", ""} {
		t.Errorf("another measure is overwritten: %q", got)
	}
}

// How figures are spoken of may change while a version has runs; what they are may not.
func TestATestsWordsChangeThoughItHasRuns(t *testing.T) {
	d := testdesk.Opened(t)
	sheen := func(more string) error {
		_, err := d.Books.ImportTest(testdesk.Ctx, []byte("format: durvek-test/1\nslug: sheen\nname: Sheen\ngroup: display\n"+
			"measures:\n  - {slug: gloss, name: gloss, unit: '1', better: lower"+more+"}\n"+
			"  - {slug: haze, name: haze, unit: '1', better: lower}\n"), false, "me")
		return err
	}
	if err := sheen(""); err != nil {
		t.Fatal(err)
	}
	testdesk.Typed(t, d, results.Typed{Test: "sheen", Subject: "a", Readings: map[string]string{"gloss": "41"}})
	if err := sheen(", target: 3"); err == nil || !strings.Contains(err.Error(), "raise the version") {
		t.Error(err)
	}
	if err := sheen(", alone: true, words: size"); err != nil {
		t.Error(err)
	}
	m, err := d.Figures.Measure(testdesk.Ctx, "sheen/gloss")
	if err != nil || m.Measure.Name != "Gloss" {
		t.Errorf("%q, %v", m.Measure.Name, err)
	}
}
