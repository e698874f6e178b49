package books_test

import (
	"testing"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/desk"
	"durvek/internal/testdesk"
)

// A kind that nobody ships is added once, and then models, fields and tests may name it; a misspelt one is refused.
func TestADeskAddsKindsOfItsOwn(t *testing.T) {
	d := testdesk.Opened(t)
	antenna := catalog.Model{Slug: "whip", Maker: "Maker", Name: "Whip", Kind: "antenna"}
	_, err := d.Books.AddModel(testdesk.Ctx, antenna, "me")
	testdesk.Says(t, err, desk.Invalid, `unknown kind "antenna"`, "laptop", "added to the desk's kinds first")
	err = d.Figures.AddField(testdesk.Ctx, ranking.Field{Slug: "f", Name: "f", Kinds: []catalog.Kind{"antenna"}}, "me")
	testdesk.Says(t, err, desk.Invalid, `unknown kind "antenna"`)
	_, err = d.Books.AddKind(testdesk.Ctx, catalog.OwnKind{Kind: "An antenna"}, "me")
	testdesk.Says(t, err, desk.Invalid, "is not an identifier")
	_, err = d.Books.AddKind(testdesk.Ctx, catalog.OwnKind{Kind: "cooler"}, "me")
	testdesk.Says(t, err, desk.Conflict, "there already")
	k, err := d.Books.AddKind(testdesk.Ctx, catalog.OwnKind{Kind: "antenna"}, "me")
	if err != nil || k.Plural != "antennas" {
		t.Fatal(k, err)
	}
	if _, err = d.Books.AddModel(testdesk.Ctx, antenna, "me"); err != nil {
		t.Error(err)
	}
	f := ranking.Field{Slug: "f", Name: "f", Kinds: []catalog.Kind{"antenna"}}
	if err := d.Figures.AddField(testdesk.Ctx, f, "me"); err != nil || f.Rule() != "antennas" {
		t.Error(f.Rule(), err)
	}
	for spec, says := range map[string]string{"own.gain": "", "own.Gain": "is not an identifier", "gain": "own."} {
		_, err := d.Books.AddVariant(testdesk.Ctx, catalog.Variant{Slug: "whip-a", Model: "whip", Name: "A",
			Spec: map[string]any{spec: "6 dBi"}}, "me")
		if says == "" && err != nil {
			t.Errorf("%s: %v", spec, err)
		} else if says != "" {
			testdesk.Says(t, err, desk.Invalid, says)
		}
	}
	v, err := d.Books.Variant(testdesk.Ctx, "whip-a")
	if rows := catalog.SpecSheet(v.Spec); err != nil || len(rows) != 1 || rows[0].Name != "Gain" ||
		rows[0].Value != "6 dBi" {
		t.Errorf("%+v, %v", rows, err)
	}
}

// What is archived is kept, and no longer in lists and fields by rule; its history stays.
func TestArchived(t *testing.T) {
	d := testdesk.Opened(t)
	for _, unit := range []string{"a", "b", "c"} {
		testdesk.Rates(t, d, unit, "", 100, 101, 100)
	}
	rows := func() int {
		c, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "work/rate"})
		if err != nil {
			t.Fatal(err)
		}
		return len(c.Rows)
	}
	testdesk.Says(t, d.Books.Archive(testdesk.Ctx, "claim", "x", "", "me"), desk.Invalid, "cannot be archived")
	testdesk.Says(t, d.Books.Archive(testdesk.Ctx, "model", "z", "", "me"), desk.NotFound, `no model "z"`)
	testdesk.Says(t, d.Books.Unarchive(testdesk.Ctx, "model", "c", "me"), desk.NotFound, "is archived")
	if err := d.Books.Archive(testdesk.Ctx, "model", "c", "Sold.", "me"); err != nil {
		t.Fatal(err)
	}
	if err := d.Books.Archive(testdesk.Ctx, "variant", "b", "", "me"); err != nil {
		t.Fatal(err)
	}
	if n := rows(); n != 1 {
		t.Errorf("%d rows with two of three archived", n)
	}
	models, err := d.Books.Models(testdesk.Ctx)
	if err != nil {
		t.Fatal(err)
	}
	models, err = desk.Offered(testdesk.Ctx, d.Desk, "model", models, func(m catalog.Model) string { return m.Slug })
	if err != nil || len(models) != 2 {
		t.Errorf("%d models are offered, %v", len(models), err)
	}
	place, err := d.Figures.PlaceOf(testdesk.Ctx, "work/rate", "a", "")
	if err != nil || place.History.Of != 3 {
		t.Errorf("history holds %+v, %v", place.History, err)
	}
	for _, x := range [][2]string{{"model", "c"}, {"variant", "b"}} {
		if err := d.Books.Unarchive(testdesk.Ctx, x[0], x[1], "me"); err != nil {
			t.Fatal(err)
		}
	}
	if n := rows(); n != 3 {
		t.Errorf("%d rows with none archived", n)
	}
}

// A plan that a machine works through is neither removed nor archived; one that waits goes with its codes.
func TestAPlanAtWorkStays(t *testing.T) {
	d := testdesk.Opened(t)
	p, err := d.Bench.AddPlan(testdesk.Ctx, method.Plan{Unit: "a", Steps: []method.PlanStep{{Test: "work", Repeats: 2}}},
		"me")
	if err != nil {
		t.Fatal(err)
	}
	state := func(s method.PlanState) {
		p.State = s
		if err := d.Desk.Write(testdesk.Ctx, func(q *desk.Tx) error { return q.PutPlan(testdesk.Ctx, p) }); err != nil {
			t.Fatal(err)
		}
	}
	state(method.PlanRunning)
	testdesk.Says(t, d.Books.Remove(testdesk.Ctx, "plan", p.ID, "me"), desk.Conflict, "is at work; stop it first")
	testdesk.Says(t, d.Books.Archive(testdesk.Ctx, "plan", p.ID, "", "me"), desk.Conflict, "is at work; stop it first")
	bench := func(archived bool) int {
		t.Helper()
		plans, err := d.Bench.Bench(testdesk.Ctx, 9, archived)
		if err != nil {
			t.Fatal(err)
		}
		return len(plans)
	}
	state(method.PlanWaiting)
	if err := d.Books.Archive(testdesk.Ctx, "plan", p.ID, "", "me"); err != nil {
		t.Fatal(err)
	}
	if without, with := bench(false), bench(true); without != 0 || with != 1 {
		t.Errorf("%d plans on the bench, %d with the archived", without, with)
	}
	if err := d.Books.Remove(testdesk.Ctx, "plan", p.ID, "me"); err != nil {
		t.Fatal(err)
	}
	if gone, err := d.Books.Archived(testdesk.Ctx); err != nil || len(gone) != 0 || bench(true) != 0 {
		t.Errorf("what was removed is archived still: %+v, %v", gone, err)
	}
}
