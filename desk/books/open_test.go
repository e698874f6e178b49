package books_test

import (
	"testing"
	"time"

	"durvek/core/analyse"
	"durvek/desk"
	"durvek/internal/testdesk"
)

// What an analysis calls its figures may change with the program; what it measures may not, under one version.
func TestTestsOfAnalysesAreCalledAsTheyAreNow(t *testing.T) {
	a, _ := analyse.Named("colour")
	called := func(unit string) (names [3]string) {
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
	if got := called("1"); got != [3]string{"white of before", "Panel, colours, white of before", ""} {
		t.Errorf("another measure is overwritten: %q", got)
	}
}
