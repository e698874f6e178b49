package figures_test

import (
	"testing"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/desk/results"
	"durvek/internal/testdesk"
)

// A host is told by its model; by its configuration, too, where the desk has several of the model; by the unit where
// two are alike; a rig by its name.
func TestHostsAreCalledByWhatTellsThemApart(t *testing.T) {
	d := testdesk.Opened(t)
	rows := func() map[string]string {
		t.Helper()
		r, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "work/rate", Subject: "c"})
		if err != nil {
			t.Fatal(err)
		}
		out := map[string]string{}
		for _, row := range r.Rows {
			out[row.Variant+" "+row.Host] = row.HostName + "|" + row.Differs
		}
		return out
	}
	typed := func(host string) {
		t.Helper()
		testdesk.Typed(t, d, results.Typed{Subject: "c", Host: host, Readings: map[string]string{"rate": "100"}})
	}
	typed("a")
	if got := rows()["c a"]; got != "A|" {
		t.Errorf("the only one of its model is called %q", got)
	}
	add := func(variant, name, unit string) {
		t.Helper()
		if variant != "a" {
			if _, err := d.Books.AddVariant(testdesk.Ctx, catalog.Variant{Slug: variant, Model: "a", Name: name},
				"me"); err != nil {
				t.Fatal(err)
			}
		}
		if _, err := d.Books.AddUnit(testdesk.Ctx, catalog.Unit{Slug: unit, Variant: variant, Origin: "bought"},
			"me"); err != nil {
			t.Fatal(err)
		}
	}
	add("a-big", "32 GiB, 1 TB", "big")
	typed("big")
	got := rows()
	if got["c big"] != "A with 32 GiB|in A with 32 GiB" {
		t.Errorf("the one of its configuration is called %q", got["c big"])
	}
	add("a-wide", "32 GiB, 2 TB", "wide")
	if got := rows()["c big"]; got != "A with 32 GiB, 1 TB|in A with 32 GiB, 1 TB" {
		t.Errorf("where the first part is not enough it is called %q", got)
	}
	add("a", "", "a-two")
	if got := rows(); got["c a"] != "|in a" || got["c big"] != "A with 32 GiB, 1 TB|in A with 32 GiB, 1 TB" {
		t.Errorf("two that are alike are called %q and %q", got["c a"], got["c big"])
	}
	rig := catalog.Rig{Slug: "till", Name: "The till machine", Parts: []catalog.RigPart{{Unit: "a-two", Role: "machine"}}}
	if err := d.Books.AddRig(testdesk.Ctx, rig, "me"); err != nil {
		t.Fatal(err)
	}
	typed("till")
	if got := rows()["c till"]; got != "The till machine|in The till machine" {
		t.Errorf("a rig is called %q", got)
	}
}
