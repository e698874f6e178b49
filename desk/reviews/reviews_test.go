package reviews_test

import (
	"os"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/verdict"
	"durvek/internal/testdesk"
)

func TestFindingsNameRivalsSiblingsAndPredecessors(t *testing.T) {
	d := testdesk.Opened(t)
	if _, err := d.Books.AddVariant(testdesk.Ctx, catalog.Variant{Slug: "b2", Model: "b", Name: "32 GiB"},
		"me"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Books.AddUnit(testdesk.Ctx, catalog.Unit{Slug: "b2", Variant: "b2", Origin: "bought"},
		"me"); err != nil {
		t.Fatal(err)
	}
	testdesk.Rates(t, d, "a", "", 100, 101, 99, 100, 100)
	testdesk.Rates(t, d, "b", "", 130, 131, 129, 130, 130)
	testdesk.Rates(t, d, "b2", "", 132, 131, 130, 131, 132)
	testdesk.Rates(t, d, "c", "", 90, 91, 89, 90, 90)
	r, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "b"}, "me")
	if err != nil {
		t.Fatal(err)
	}
	var text []string
	for _, f := range r.Findings {
		text = append(text, string(f.Kind)+": "+f.Text)
	}
	all := strings.Join(text, "\n")
	for _, part := range []string{"than its predecessor, the Maker A, in work, rate.", "its sibling with 32 GiB",
		"16.8 ± 1.2 % more than the average of 4 measured products"} {
		if !strings.Contains(all, part) {
			t.Errorf("nothing says %q:\n%s", part, all)
		}
	}
	if r.Field != "everything" || r.Title != "Maker B" || len(r.Measures) != 1 {
		t.Errorf("the new review is %+v", r)
	}
	if _, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "nobody"}, "me"); err == nil {
		t.Error("a review of nothing was started")
	}
}

func TestAnEditionThatCannotBeWrittenNeverCameToBe(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 101)
	r, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "a"}, "me")
	if err != nil {
		t.Fatal(err)
	}
	r.Summary, r.Recommendation = "Fine.", "recommended"
	if r, err = d.Reviews.SaveReview(testdesk.Ctx, r, "me"); err != nil {
		t.Fatal(err)
	}
	if r, err = d.Reviews.SignReview(testdesk.Ctx, "a", "Me"); err != nil || r.Signed.Figures["work/rate"] == 0 {
		t.Fatal(err, r.Signed)
	}
	if err := os.WriteFile(d.Desk.Dir+"/editions", []byte("a file in the way"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Reviews.Publish(testdesk.Ctx, "a", "", "me"); err == nil {
		t.Fatal("published into a file")
	}
	if r, _ = d.Reviews.Review(testdesk.Ctx, "a"); len(r.Editions) != 0 {
		t.Error("an edition that was not written is listed")
	}
	os.Remove(d.Desk.Dir + "/editions")
	e, err := d.Reviews.Publish(testdesk.Ctx, "a", "", "me")
	if err != nil || e.Number != 1 || len(e.Digest) != 64 {
		t.Errorf("%+v, %v", e, err)
	}
}
