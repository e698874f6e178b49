package house_test

import (
	"testing"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/internal/testdesk"
	_ "durvek/machine" // brings every workload into the table
	"durvek/workload"
)

func TestEveryPlanSheetAndHandmadeTestThatShipsIsWhole(t *testing.T) {
	d, err := house.Open(testdesk.Ctx, house.Options{Options: desk.Options{Dir: t.TempDir()}, Tests: workload.Tests()})
	if err != nil {
		t.Fatal(err)
	}
	defer d.Close()
	tests := map[string]method.Test{}
	all, err := d.Books.Tests(testdesk.Ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range all {
		tests[x.Slug] = x
	}
	library, err := d.Bench.PlanLibrary(testdesk.Ctx, "")
	if err != nil || len(library) < 6 {
		t.Fatalf("%d plans, %v", len(library), err)
	}
	for _, f := range library {
		for _, kind := range f.Subjects {
			for _, s := range f.Tests {
				if x, ok := tests[s.Test]; !ok || !x.Fits(kind) || x.Origin != "workload" {
					t.Errorf("plan %s for a %s asks for %q", f.Slug, kind, s.Test)
				}
			}
		}
		for _, s := range f.Setups {
			if _, err := d.Desk.Store.Setup(testdesk.Ctx, s); err != nil {
				t.Errorf("plan %s asks for setup %q", f.Slug, s)
			}
		}
		if wrong := f.Terms.Check(); len(wrong) > 0 {
			t.Errorf("plan %s: %v", f.Slug, wrong)
		}
	}
	covered := map[catalog.Kind]bool{}
	sheets, err := d.Books.Sheets("")
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range sheets {
		for _, p := range s.Parts {
			for _, slug := range p.Tests {
				if x, ok := tests[slug]; !ok || x.Hands == "" || x.About == "" {
					t.Errorf("sheet %s asks for %q, which is no test by hand", s.Slug, slug)
				}
			}
		}
		for _, k := range s.Subjects {
			covered[k] = true
		}
	}
	for _, k := range catalog.Kinds {
		if !covered[k] {
			t.Errorf("no inspection sheet is for a %s", k)
		}
	}
}
