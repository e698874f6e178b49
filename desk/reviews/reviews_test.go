package reviews_test

import (
	"os"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/stats"
	"durvek/core/verdict"
	"durvek/desk"
	"durvek/desk/results"
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
	for _, part := range []string{"strength: Against its predecessor, the Maker A: 30 % faster in work, rate.",
		"strength: Work, rate: 130.0 /min, first to second of 4."} {
		if !strings.Contains(all, part) {
			t.Errorf("nothing says %q:\n%s", part, all)
		}
	}
	if r.Field != "everything" || r.Title != "Maker B" || len(r.Charts) != 1 {
		t.Errorf("the new review is %+v", r)
	}
	if _, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "nobody"}, "me"); err == nil {
		t.Error("a review of nothing was started")
	}
}

// A chart in which the subject stands nowhere is not proposed; one that ranks nobody is not published.
func TestChartsOfNothingAreNeitherProposedNorPublished(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "b", "", 130, 131)
	_, err := d.Books.ImportTest(testdesk.Ctx, []byte(`{"format": "durvek-test/1", "slug": "export", "name": "Export",
		"group": "storage", "must_match": ["program.version"], "measures": [{"slug": "time", "name": "time", "unit": "s",
			"scale": "ratio",
		"better": "lower"}]}`), false, "me")
	if err != nil {
		t.Fatal(err)
	}
	for _, unit := range []string{"a", "b"} { // nobody told the version
		testdesk.Typed(t, d, results.Typed{Test: "export", Subject: unit, Readings: map[string]string{"time": "50"}})
	}
	r, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "b"}, "me")
	if err != nil || len(r.Charts) != 1 || r.Charts[0].Measure != "work/rate" {
		t.Fatalf("%+v, %v", r.Charts, err)
	}
	r.Charts = append(r.Charts, verdict.Chart{Measure: "export/time"})
	r.Summary, r.Recommendation = "Fine.", "recommended"
	if r, err = d.Reviews.SaveReview(testdesk.Ctx, r, "me"); err != nil {
		t.Fatal(err)
	}
	c, err := d.Reviews.Preview(testdesk.Ctx, "b")
	if err != nil || strings.Contains(string(c), "Nothing to rank yet") || !strings.Contains(string(c), "work, rate") {
		t.Errorf("the page holds a chart of nothing: %v", err)
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

// A verdict whose figures moved since it was signed says which, with what was said of them, and is not published; a
// request to publish that comes twice makes one edition.
func TestAVerdictGoesStale(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 101, 100)
	testdesk.Rates(t, d, "b", "", 130, 131, 130)
	testdesk.Rates(t, d, "c", "", 90, 91, 90)
	r, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "b"}, "me")
	if err != nil {
		t.Fatal(err)
	}
	r.Summary, r.Recommendation = "Fine.", "recommended"
	if _, err = d.Reviews.SaveReview(testdesk.Ctx, r, "me"); err != nil {
		t.Fatal(err)
	}
	sign := func() {
		if _, err := d.Reviews.SignReview(testdesk.Ctx, "b", "Me"); err != nil {
			t.Fatal(err)
		}
	}
	publish := func(note string) int {
		e, err := d.Reviews.Publish(testdesk.Ctx, "b", note, "me")
		if err != nil {
			t.Fatal(err)
		}
		return e.Number
	}
	sign()
	if r, err := d.Reviews.Looked(testdesk.Ctx, "b"); err != nil || len(r.Stale) != 0 {
		t.Errorf("just signed and stale: %+v, %v", r.Stale, err)
	}
	if a, b, c := publish(""), publish(""), publish("a note"); a != 1 || b != 1 || c != 2 {
		t.Errorf("published as %d, again %d, with a note %d", a, b, c)
	}
	testdesk.Rates(t, d, "b", "", 160, 161, 162, 160, 161, 160, 161, 160, 161)
	r, err = d.Reviews.Looked(testdesk.Ctx, "b")
	if err != nil || len(r.Stale) != 1 || r.Stale[0].Figure != "work/rate" || *r.Stale[0].Now < 140 ||
		*r.Stale[0].Was > 131 || len(r.Stale[0].Sentences) == 0 {
		t.Fatalf("%+v, %v", r.Stale, err)
	}
	if list, err := d.Reviews.Reviews(testdesk.Ctx); err != nil || len(list) != 1 || len(list[0].Stale) != 1 {
		t.Errorf("the list does not say so: %+v, %v", list, err)
	}
	_, err = d.Reviews.Publish(testdesk.Ctx, "b", "", "me")
	testdesk.Says(t, err, desk.Conflict, "work/rate went from 130")
	sign()
	if n := publish(""); n != 3 {
		t.Errorf("signed anew and published as %d", n)
	}
}

func TestStaleBy(t *testing.T) {
	at := func(v float64) stats.Estimate { return stats.Estimate{Centre: v, Lo: v - 1, Hi: v + 1} }
	r := verdict.Review{Findings: []verdict.Finding{{Text: "Said.", RestsOn: []string{"m"}},
		{Text: "Hidden.", RestsOn: []string{"m"}, Hidden: true}}}
	if r.StaleBy(map[string]stats.Estimate{"m": at(1)}) != nil {
		t.Error("what was never signed is stale")
	}
	r.Signed = &verdict.Signature{Figures: map[string]float64{"m": 10, "m · left": 5, "gone": 3}}
	got := r.StaleBy(map[string]stats.Estimate{"m": at(11), "m · left": at(7), "new": at(1)})
	var said []string
	for _, m := range got {
		said = append(said, m.Figure+" "+strings.Join(m.Sentences, ""))
	}
	if all := strings.Join(said, "|"); all != "gone |m · left Said.|new " || got[0].Now != nil || got[2].Was != nil {
		t.Errorf("%s: %+v", all, got)
	}
}

// A claim is answered in the unit that it is made in.
func TestAClaimIsAnsweredInItsOwnUnit(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 120, 120, 120)
	for _, unit := range []string{"/min", "/s"} {
		if _, err := d.Books.AddClaim(testdesk.Ctx, catalog.Claim{Variant: "a", Measure: "work/rate", Value: 9, Unit: unit,
			Source: "box"}, "me"); err != nil {
			t.Fatal(err)
		}
	}
	r, err := d.Reviews.AddReview(testdesk.Ctx, verdict.Review{Subject: "a"}, "me")
	if err != nil {
		t.Fatal(err)
	}
	var said []string
	for _, f := range r.Findings {
		if f.Rule == "claims" {
			said = append(said, f.Text)
		}
	}
	all := strings.Join(said, "|")
	for _, part := range []string{"promised 9 /min, measured 120.0 /min", "promised 9 /s, measured 2.000 /s"} {
		if !strings.Contains(all, part) {
			t.Errorf("%q is not in %q", part, all)
		}
	}
}
