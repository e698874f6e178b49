package load_test

import (
	"reflect"
	"testing"

	"durvek/core/compare"
	"durvek/demo/load"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/internal/testdesk"
	"durvek/store"
)

func TestMadeUpDataAreWholeAndTheSameForASeed(t *testing.T) {
	if testing.Short() {
		t.Skip("it fills two desks")
	}
	want := load.Size{Variants: 120, Tests: 40, Readings: 20000}
	d := testdesk.Loaded(t, want)
	var n, fails int
	got, err := d.Results.Recount(testdesk.Ctx)
	if err != nil || got.Cells == 0 || len(got.Differ) != 0 {
		t.Errorf("counted anew: %+v, %v", got, err)
	}
	vs, _ := d.Desk.Store.Variants(testdesk.Ctx, "")
	for _, slug := range []string{"load-0000", "load-0077"} {
		runs, total, _ := d.Desk.Store.Runs(testdesk.Ctx, store.RunFilter{Subject: slug + "-a", Limit: 500})
		n += total
		for _, r := range runs {
			if r.Outcome != "done" || !r.Simulated || len(r.Readings) != 4 {
				fails++
			}
		}
	}
	if len(vs) != 120 || n < 40 || fails > 0 {
		t.Errorf("%d variants, %d runs of two units, %d of them odd", len(vs), n, fails)
	}
	other := testdesk.Loaded(t, want)
	ask := func(d *house.House) compare.Comparison {
		c, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Field: "load-50", Measure: "load-001/m2"})
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	if a, b := ask(d), ask(other); len(a.Rows) != 12 || !reflect.DeepEqual(a.Chart.Rows, b.Chart.Rows) {
		t.Errorf("%d rows; two desks of one seed differ", len(a.Rows)) // of 120 variants 12 are of the field's class
	}
	_, err = load.Generate(testdesk.Ctx, d.Desk, want, 1, func(int, int) {})
	testdesk.Says(t, err, desk.Conflict, "60 models already", "empty data folder")
	_, err = load.Generate(testdesk.Ctx, d.Desk, load.Size{Variants: 3, Tests: 3}, 1, func(int, int) {})
	testdesk.Says(t, err, desk.Invalid, "at least 50 variants and 15 tests")
}
