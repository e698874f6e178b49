package reviews_test

import (
	"fmt"
	"testing"

	"durvek/core/catalog"
	"durvek/core/fit"
	"durvek/core/verdict"
	"durvek/desk/results"
	"durvek/internal/testdesk"
)

// A review begins with what its kinds of use name, needs before weights and the heaviest first, then with what its
// maker promises and what was measured of it.
func TestAReviewBeginsWithWhatIsAskedFor(t *testing.T) {
	d, ctx := testdesk.Opened(t), testdesk.Ctx
	for _, unit := range []string{"a", "b", "c"} {
		testdesk.Typed(t, d, results.Typed{Subject: unit, Readings: map[string]string{"rate": "100", "time": "9"}})
	}
	first := func(of, slug string, uses ...string) string {
		t.Helper()
		r, err := d.Reviews.AddReview(ctx, verdict.Review{Subject: of, Slug: slug, Uses: uses}, "me")
		if err != nil {
			t.Fatal(err)
		}
		return r.Charts[0].Measure
	}
	claim := func(variant, measure, unit string) {
		t.Helper()
		if _, err := d.Books.AddClaim(ctx, catalog.Claim{Variant: variant, Measure: measure, Value: 9, Unit: unit,
			Source: "box"}, "me"); err != nil {
			t.Fatal(err)
		}
	}
	if got := first("a", "plain"); got != "work/rate" {
		t.Errorf("of nothing asked for: %s", got)
	}
	claim("b", "work/time", "s")
	if got := first("b", "promised"); got != "work/time" {
		t.Errorf("of a promise about the time: %s", got)
	}
	claim("c", "weight/weight", "kg") // nothing was measured of it
	if got := first("c", "untested"); got != "work/rate" {
		t.Errorf("of a promise that nobody tried: %s", got)
	}
	most := 20.0
	for slug, use := range map[string]fit.Use{
		"needs": {Needs: []fit.Need{{Measure: "work/time", Most: &most, Unit: "s"}},
			Weights: []fit.Weight{{Measure: "work/rate", Weight: 1}}},
		"weighs": {Weights: []fit.Weight{{Measure: "work/rate", Weight: 1}, {Measure: "work/time", Weight: 2}}},
		"light":  {Weights: []fit.Weight{{Measure: "work/time", Weight: 1}, {Measure: "work/rate", Weight: 2}}},
	} {
		use.Slug, use.Name = slug, slug
		if _, err := d.Figures.AddUse(ctx, use, "me"); err != nil {
			t.Fatal(err)
		}
		want := map[string]string{"needs": "[work/time work/rate]", "weighs": "[work/time work/rate]",
			"light": "[work/rate work/time]"}[slug]
		if _, got, err := d.Figures.Asked(ctx, []string{slug}); err != nil || fmt.Sprint(got) != want {
			t.Errorf("%s asks for %v, %v; want %s", slug, got, err, want)
		}
	}
	if got := first("a", "for-weighs", "weighs"); got != "work/time" {
		t.Errorf("for who weighs the time: %s", got)
	}
}
