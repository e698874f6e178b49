package figures_test

import (
	"math"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/desk"
	"durvek/desk/figures"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/store"
)

// derivedDesk has a test whose figures are worked out: work for the money, and work by the minute that it takes.
func derivedDesk(t *testing.T) *house.House {
	t.Helper()
	d := testdesk.Opened(t)
	for _, file := range []string{"slug: money\nname: Money\ngroup: value\nmeasures:\n" +
		"  - {slug: rate, name: work for the money, unit: /min/EUR, better: higher, " +
		"formula: '{{work/rate}} / {{price/EUR}}'}\n" +
		"  - {slug: times, name: jobs while it lasts, unit: '1', better: higher, " +
		"formula: '{{work/rate}} * {{work/time}}'}\n"} {
		if _, err := d.Books.ImportTest(testdesk.Ctx, []byte("format: durvek-test/1\n"+file), false, "me"); err != nil {
			t.Fatal(err)
		}
	}
	testdesk.Rates(t, d, "a", "", 100, 101, 99)
	testdesk.Rates(t, d, "b", "", 150, 151, 152)
	testdesk.Rates(t, d, "b", "fast-mode", 170, 171)
	testdesk.Rates(t, d, "c", "", 101, 103)
	for i, v := range []string{"60", "61", "62"} {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: i, Readings: map[string]string{"time": v}})
		testdesk.Typed(t, d, results.Typed{Subject: "b", Repeat: i, Place: "rear", Readings: map[string]string{"time": v}})
	}
	testdesk.Price(t, d, "a", 50000, "EUR")
	testdesk.Price(t, d, "b", 100000, "EUR")
	return d
}

func TestWhatIsWorkedOutIsComparedLikeWhatIsMeasured(t *testing.T) {
	d, ctx := derivedDesk(t), testdesk.Ctx
	c, err := d.Figures.Rank(ctx, compare.Question{Measure: "money/rate", Raised: true})
	if err != nil || len(c.Rows) != 2 {
		t.Fatalf("%+v, %v", c.Rows, err)
	}
	if r := c.Rows[0]; r.Variant != "a" || math.Abs(r.Estimate.Centre-0.2) > 1e-4 || r.Estimate.Hi <= r.Estimate.Centre ||
		r.Estimate.N != 3 || c.Measure.Symbol != "/min/EUR" {
		t.Errorf("the best for the money: %+v in %s", r, c.Measure.Symbol)
	}
	if r := c.Rows[1]; len(r.Raised) != 1 || math.Abs(r.Raised[0].Estimate.Centre-0.1705) > 1e-4 {
		t.Errorf("in its other mode: %+v", r.Raised)
	}
	if foot := c.Chart.Foot; !strings.Contains(foot, "Worked out: work, rate ÷ price in EUR.") {
		t.Errorf("the chart's foot: %s", foot)
	}
	if len(c.LeftOut) != 1 || c.LeftOut[0].Variant != "c" || c.LeftOut[0].Reason != "not known: price" {
		t.Errorf("left out: %+v", c.LeftOut)
	}
	times, err := d.Figures.Rank(ctx, compare.Question{Measure: "money/times"})
	if err != nil || len(times.Rows) != 2 || times.Rows[0].Variant != "b" ||
		math.Abs(times.Rows[0].Estimate.Centre-153.5) > 1 ||
		len(times.LeftOut) != 1 ||
		times.LeftOut[0].Reason != "not known: work, time" {
		t.Errorf("jobs: %+v, %+v, %v", times.Rows, times.LeftOut, err)
	}
	p, err := d.Figures.PlaceOf(ctx, "money/rate", "b", "")
	if err != nil || p.History.Of != 2 || p.History.Best != 2 {
		t.Errorf("its place: %+v, %v", p, err)
	}
	h, err := d.Figures.HeadToHead(ctx, []string{"a", "b"}, "", "")
	found := 0
	for _, r := range h.Rows {
		if strings.HasPrefix(r.Measure, "money/") && r.Gaps[0] != nil {
			found++
		}
	}
	if err != nil || found != 2 {
		t.Errorf("%d of its figures head to head, %v", found, err)
	}
	m, err := d.Figures.Measure(ctx, "money/times")
	if err != nil || m.Good != "Worked out: work, rate × work, time." || m.Measure.Variants != 2 || len(m.Cells) != 2 {
		t.Errorf("its page: %+v, %v", m, err)
	}
	list, err := d.Figures.Measures(ctx)
	for _, m := range list {
		if m.ID == "money/rate" && (m.Variants != 2 || strings.Join(m.MustMatch, " ") != "supply") {
			t.Errorf("in the list it is %+v, %v", m, err)
		}
	}
	i, err := d.Figures.IndexOf(ctx, figures.IndexQuestion{Weights: []fit.Weight{{Measure: "money/rate", Weight: 1}}})
	if err != nil || len(i.Rows) != 2 {
		t.Errorf("as an index: %+v, %v", i.Rows, err)
	}
	_, err = d.Figures.History(ctx, figures.HistoryAsked{Unit: "a", Measure: "money/times"})
	testdesk.Says(t, err, desk.Invalid, "look at that of work/rate and work/time")
	_, err = d.Figures.IndexOf(ctx, figures.IndexQuestion{Weights: []fit.Weight{{Group: "value", Weight: 1}}})
	testdesk.Says(t, err, desk.Invalid, "none of the weighed measures") // what it is made of counts, and counts once
}

// Answers about what is worked out fall when what it is made of changes: readings, prices, doubts.
func TestWhatIsWorkedOutFollowsItsParts(t *testing.T) {
	d, ctx := derivedDesk(t), testdesk.Ctx
	best := func() compare.Row {
		t.Helper()
		c, err := d.Figures.Rank(ctx, compare.Question{Measure: "money/rate"})
		if err != nil || len(c.Rows) == 0 {
			t.Fatalf("%+v, %v", c, err)
		}
		return c.Rows[0]
	}
	before := best().Estimate.Centre
	testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 3, Readings: map[string]string{"rate": "120"}})
	if now := best().Estimate.Centre; now <= before {
		t.Errorf("after a faster repeat %g, before %g", now, before)
	}
	if _, err := d.Books.AddOffer(ctx, catalog.Offer{Variant: "b", Amount: 10000, Currency: "EUR", Region: "DE",
		TaxIncluded: true, Condition: "new", Seller: "Sale", Date: "2026-11-20"}, "me"); err != nil {
		t.Fatal(err)
	}
	if r := best(); r.Variant != "b" {
		t.Errorf("after a sale %s leads", r.Variant)
	}
	runs, _, err := d.Results.Runs(ctx, store.RunFilter{Subject: "b", Setup: "as-delivered", Limit: 9})
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range runs {
		if r.Place != "" {
			continue
		}
		if _, err := d.Results.Raise(ctx, results.Raising{Run: r.ID, Cell: true,
			Sentence: "The clock was off."}, "me"); err != nil {
			t.Fatal(err)
		}
		break
	}
	if r := best(); len(r.Doubts) != 1 || r.Doubts[0].Sentence != "The clock was off." {
		t.Errorf("its doubts: %+v", r.Doubts)
	}
}
