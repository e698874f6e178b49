package results_test

import (
	"encoding/json"
	"strings"
	"testing"

	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/method"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/desk/figures"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/store"
)

// A doubt that a person raises lives like those of the rules. Shown as a caveat its figure stays in charts, hollow and
// numbered, and decides nothing: no head-to-head is sure of it, no index takes it, no finding is sure.
func TestADoubtByHandAndACaveat(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 101, 100)
	testdesk.Rates(t, d, "b", "", 130, 131, 130)
	testdesk.Rates(t, d, "c", "", 90, 91, 90)
	runs, _, err := d.Results.Runs(ctx, store.RunFilter{Subject: "b", Limit: 9})
	if err != nil || len(runs) != 3 {
		t.Fatal(runs, err)
	}
	raise := func(x results.Raising) (trust.Doubt, error) { return d.Results.Raise(ctx, x, "Odo") }
	for says, x := range map[string]results.Raising{"say in a sentence": {Run: runs[0].ID, Sentence: " "},
		`no run "nothing"`: {Run: "nothing", Sentence: "so"}, "no measure": {Run: runs[0].ID, Sentence: "so", Measure: "q"},
		"not \"grave\"": {Run: runs[0].ID, Sentence: "so", Severity: "grave"}} {
		if _, err := raise(x); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v, want %q", x, err, says)
		}
	}
	x, err := raise(results.Raising{Run: runs[0].ID, Sentence: "The lid was closed.", Cell: true})
	if err != nil || len(x.Runs) != 3 || x.Rule != trust.ByPerson || x.Severity != trust.Caution || x.State != trust.Open {
		t.Fatalf("%+v, %v", x, err)
	}
	chart := func() compare.Row {
		c, err := d.Figures.Rank(ctx, compare.Question{Measure: "work/rate", Subject: "b"})
		if err != nil || len(c.Rows) != 3 || c.Rows[0].Variant != "b" {
			t.Fatal(c.Rows, err)
		}
		if len(c.Rows[0].Doubts) != 1 || c.Chart.Rows[0].Hollow != (c.Rows[0].Caveat() != "") || len(c.Chart.Notes) != 1 {
			t.Errorf("%+v, %q", c.Chart.Rows[0], c.Chart.Notes)
		}
		return c.Rows[0]
	}
	if r := chart(); r.Caveat() != "" || r.Doubts[0].Sentence != "The lid was closed." {
		t.Errorf("open: %+v", r.Doubts)
	}
	settle := func(do, reason string) {
		t.Helper()
		if _, err := d.Results.Settle(ctx, x.ID, results.Settling{Do: do, Reason: reason}, "Odo"); err != nil {
			t.Fatal(err)
		}
	}
	settle("caveat", "With the lid closed.")
	if r := chart(); r.Caveat() != "With the lid closed." {
		t.Errorf("shown: %+v", r.Doubts)
	}
	h, err := d.Figures.HeadToHead(ctx, []string{"a", "b"}, "", "")
	if err != nil || h.Rows[0].Gaps[0].Sure || h.Rows[0].Gaps[0].Tie != "with a caveat" {
		t.Errorf("%+v, %v", h.Rows[0].Gaps[0], err)
	}
	i, err := d.Figures.IndexOf(ctx, figures.IndexQuestion{Weights: []fit.Weight{{Measure: "work/rate", Weight: 1}}})
	if err != nil || len(i.Without) != 1 || i.Without[0].Variant != "b" || !strings.Contains(i.Without[0].Why,
		"with a caveat: With the lid closed.") {
		t.Errorf("%+v, %v", i.Without, err)
	}
	// Rules that look at the cell again leave it.
	testdesk.Rates(t, d, "b", "", 130, 131)
	if _, err := d.Results.Examine(ctx, store.RunFilter{Subject: "b"}, "me"); err != nil {
		t.Fatal(err)
	}
	p, err := d.Results.Doubt(ctx, x.ID)
	if err != nil || p.Doubt.State != trust.Shown || p.Rule.Title != "Raised by hand" || len(p.Acts) != 2 ||
		p.Acts[1].Act != "shown with a caveat" || p.Acts[0].By != "Odo" {
		t.Errorf("%+v, %v", p, err)
	}
	_, err = d.Results.Settle(ctx, x.ID, results.Settling{Do: "caveat"}, "Odo")
	testdesk.Says(t, err, desk.Conflict, "is shown with a caveat already")
	settle("reopen", "looked again")
	settle("caveat", "")
	if r := chart(); r.Caveat() != "The lid was closed." {
		t.Errorf("without words of its own: %+v", r.Doubts)
	}
}

// A doubt about one run alone falls when the run is voided.
func TestAVoidedRunsDoubtsClose(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 101, 100)
	runs, _, _ := d.Results.Runs(ctx, store.RunFilter{Subject: "a", Limit: 9})
	alone, err := d.Results.Raise(ctx, results.Raising{Run: runs[0].ID, Sentence: "The fan stood still."}, "Odo")
	if err != nil {
		t.Fatal(err)
	}
	cell, err := d.Results.Raise(ctx, results.Raising{Run: runs[0].ID, Sentence: "A wrong cable.", Cell: true}, "Odo")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.Results.Correct(ctx, runs[0].ID, results.Correction{Do: "void", Cause: "background", Reason: "update"},
		"Odo"); err != nil {
		t.Fatal(err)
	}
	for id, want := range map[string]trust.DoubtState{alone.ID: trust.Dismissed, cell.ID: trust.Open} {
		if p, err := d.Results.Doubt(ctx, id); err != nil || p.Doubt.State != want {
			t.Errorf("%q is %s, want %s: %v", p.Doubt.Sentence, p.Doubt.State, want, err)
		}
	}
}

// A doubt about a whole setup is about all its runs on the unit, whatever the test, and says so in each; upholding it
// takes the cause that was suspected.
func TestADoubtAboutASetup(t *testing.T) {
	d := testdesk.Opened(t)
	other := testdesk.Work()
	other.Slug, other.Name = "play", "Play"
	b, err := json.Marshal(map[string]any{"format": "durvek-test/1", "slug": "play", "version": 1, "name": "Play",
		"group": "CPU", "measures": other.Measures})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.Books.ImportTest(ctx, b, false, "me"); err != nil {
		t.Fatal(err)
	}
	if err := d.Books.AddSetup(ctx, method.Setup{Slug: "quiet", Name: "Quiet", Conditions: map[string]string{
		"power.mode": "quiet", "supply": "mains"}}, "me"); err != nil {
		t.Fatal(err)
	}
	testdesk.Rates(t, d, "a", "quiet", 80, 81)
	testdesk.Rates(t, d, "a", "", 100, 101)
	testdesk.Rates(t, d, "b", "quiet", 90, 91)
	testdesk.Typed(t, d, results.Typed{Subject: "a", Test: "play", Setup: "quiet",
		Readings: map[string]string{"rate": "70"}})
	runs, _, err := d.Results.Runs(ctx, store.RunFilter{Subject: "a", Setup: "quiet", Limit: 9})
	if err != nil || len(runs) != 3 {
		t.Fatal(runs, err)
	}
	for says, x := range map[string]results.Raising{"not about a cell": {Setup: true, Cell: true},
		"or measure": {Setup: true, Measure: "rate"}, `"rust" is no cause`: {Cause: "rust"}} {
		x.Run, x.Sentence = runs[0].ID, "So."
		if _, err := d.Results.Raise(ctx, x, "Odo"); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v, want %q", x, err, says)
		}
	}
	touched := func(measure, setup string) (n int) {
		c, err := d.Figures.Rank(ctx, compare.Question{Measure: measure, Setup: setup})
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range c.Rows {
			n += len(r.Doubts)
		}
		return n
	}
	if n := touched("work/rate", "quiet") + touched("play/rate", "quiet"); n != 0 {
		t.Errorf("%d doubts before any was raised", n)
	}
	x, err := d.Results.Raise(ctx, results.Raising{Run: runs[0].ID, Setup: true, Sentence: "It was not quiet.",
		Cause: trust.Causes[0].Key}, "Odo")
	if err != nil || len(x.Runs) != 3 {
		t.Fatalf("%+v, %v", x, err)
	}
	if a, b, c := touched("work/rate", "quiet"), touched("play/rate", "quiet"), touched("work/rate", ""); a != 1 ||
		b != 1 ||
		c != 0 {
		t.Errorf("it touches %d figures of its test, %d of the other, %d of another setup", a, b, c)
	}
	x, err = d.Results.Settle(ctx, x.ID, results.Settling{Do: "uphold"}, "Odo")
	if err != nil || x.Cause != trust.Causes[0].Key {
		t.Fatalf("%+v, %v", x, err)
	}
	if c, err := d.Figures.Rank(ctx, compare.Question{Measure: "play/rate", Setup: "quiet"}); err != nil ||
		len(c.Rows) != 0 {
		t.Errorf("%d rows of what no longer counts, %v", len(c.Rows), err)
	}
}
