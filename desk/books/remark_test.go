package books_test

import (
	"strings"
	"testing"
	"time"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/record"
	"durvek/core/verdict"
	"durvek/desk"
	"durvek/desk/figures"
	"durvek/internal/testdesk"
)

// What is said without a figure is attributed, can stand in a review, marked as such, and is withdrawn with a reason.
func TestRemarksAndReports(t *testing.T) {
	d := testdesk.Opened(t)
	today := testdesk.Morning().Format(time.DateOnly)
	for says, x := range map[string]record.Remark{
		`no variant "z"`:             {Variant: "z", Text: "So."},
		"say in a sentence":          {Variant: "a", Text: " "},
		`unknown area "sound"`:       {Variant: "a", Text: "So.", Area: "sound"},
		"not both":                   {Variant: "a", Text: "So.", Area: "display", Measure: "work/rate"},
		"a remark is the desk's own": {Variant: "a", Text: "So.", Who: "crews"},
		"says who says it":           {Variant: "a", Text: "So.", Kind: record.Report, Who: "crews", Dated: today},
		"is no day": {Variant: "a", Text: "So.", Kind: record.Report, Who: "x", Dated: "May",
			Source: "y"},
		"lies in the future": {Variant: "a", Text: "So.", Kind: record.Report, Who: "x", Dated: "2026-11-24",
			Source: "y"},
		`the test "work" has no measure "z"`: {Variant: "a", Text: "So.", Measure: "work/z"},
		`no test "play"`:                     {Variant: "a", Text: "So.", Measure: "play/z"},
	} {
		if _, err := d.Books.AddRemark(testdesk.Ctx, x, "me"); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v, want %q", x, err, says)
		}
	}
	add := func(x record.Remark) record.Remark {
		x.Variant = "a"
		got, err := d.Books.AddRemark(testdesk.Ctx, x, "me")
		if err != nil {
			t.Fatal(err)
		}
		return got
	}
	bright := add(record.Remark{Text: "bright enough in the boat shed", Area: "display"})
	add(record.Remark{Text: "The cover came loose.", Kind: record.Report, Who: "two crews", Dated: today,
		Source: "a letter"})
	said := func() string {
		r, err := d.Reviews.RefreshFindings(testdesk.Ctx, "a", "me")
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, f := range r.Findings {
			if f.Unmeasured() {
				out = append(out, f.Rule+": "+f.Text)
			}
		}
		return strings.Join(out, " | ")
	}
	if _, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "a"}, "me"); err != nil {
		t.Fatal(err)
	}
	report := "report: The cover came loose. (two crews, " + today + "; a letter)"
	if got := said(); got != "remark: Display: bright enough in the boat shed. | "+report {
		t.Error(got)
	}
	_, err := d.Books.WithdrawRemark(testdesk.Ctx, bright.ID, " ", "me")
	testdesk.Says(t, err, desk.Invalid, "say why")
	_, err = d.Books.WithdrawRemark(testdesk.Ctx, "none", "so", "me")
	testdesk.Says(t, err, desk.NotFound, "no remark")
	if _, err = d.Books.WithdrawRemark(testdesk.Ctx, bright.ID, "It was the other one.", "me"); err != nil {
		t.Fatal(err)
	}
	_, err = d.Books.WithdrawRemark(testdesk.Ctx, bright.ID, "so", "me")
	testdesk.Says(t, err, desk.Conflict, "withdrawn already")
	if got := said(); got != report {
		t.Error(got)
	}
	for withdrawn, want := range map[bool]int{false: 1, true: 2} {
		if rs, err := d.Books.Remarks(testdesk.Ctx, "a", withdrawn); err != nil || len(rs) != want {
			t.Errorf("%v: %d, %v", withdrawn, len(rs), err)
		}
	}
}

// A test that is set aside keeps its bars, marked with the reason; an index takes none of it, a head-to-head is not
// sure of it, findings neither, and its claims say so.
func TestATestIsShownAndNotCounted(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 101, 100)
	testdesk.Rates(t, d, "b", "", 130, 131, 130)
	testdesk.Rates(t, d, "c", "", 90, 91, 90)
	if _, err := d.Books.AddClaim(testdesk.Ctx, catalog.Claim{Variant: "b", Measure: "work/rate", Value: 150, Unit: "/min",
		Source: "box"}, "me"); err != nil {
		t.Fatal(err)
	}
	look := func() (rows, caveats, counted, doubts int) {
		c, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "work/rate"})
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range c.Rows {
			if r.Caveat() == "Shown, not counted: It agrees with nothing." {
				caveats++
			}
		}
		x, err := d.Figures.IndexOf(testdesk.Ctx, figures.IndexQuestion{Weights: []fit.Weight{{Measure: "work/rate",
			Weight: 1}}})
		if err == nil {
			counted = len(x.Rows)
		}
		judged, err := d.Figures.CheckClaims(testdesk.Ctx, "b")
		if err != nil || len(judged) != 1 {
			t.Fatal(judged, err)
		}
		return len(c.Rows), caveats, counted, len(judged[0].Doubts)
	}
	if rows, caveats, counted, doubts := look(); rows != 3 || caveats != 0 || counted != 3 || doubts != 0 {
		t.Errorf("%d rows, %d with a caveat, %d in the index, %d doubts", rows, caveats, counted, doubts)
	}
	_, err := d.Books.SetAside(testdesk.Ctx, "play", "so", "me")
	testdesk.Says(t, err, desk.NotFound, "no test")
	if _, err = d.Books.SetAside(testdesk.Ctx, "work", " It agrees with nothing. ", "me"); err != nil {
		t.Fatal(err)
	}
	if rows, caveats, counted, doubts := look(); rows != 3 || caveats != 3 || counted != 0 || doubts != 1 {
		t.Errorf("aside: %d rows, %d with a caveat, %d in the index, %d doubts", rows, caveats, counted, doubts)
	}
	r, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "b"}, "me")
	if err != nil || len(r.Findings) == 0 {
		t.Fatal(r.Findings, err)
	}
	for _, f := range r.Findings {
		if f.Certainty == verdict.Sure {
			t.Errorf("sure of what does not count: %s", f.Text)
		}
	}
	if x, err := d.Books.SetAside(testdesk.Ctx, "work", "", "me"); err != nil || x.Aside != "" {
		t.Fatal(x.Aside, err)
	}
	if _, caveats, counted, _ := look(); caveats != 0 || counted != 3 {
		t.Errorf("counted again: %d with a caveat, %d in the index", caveats, counted)
	}
}
