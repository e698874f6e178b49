package figures_test

import (
	"encoding/json"
	"fmt"
	"regexp"
	"testing"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/desk/figures"
	"durvek/desk/results"
	"durvek/internal/golden"
	"durvek/internal/testdesk"
)

var ids = regexp.MustCompile(`"[0-9a-f]{8}-[0-9a-f]{4}-7[0-9a-f]{3}-[0-9a-f]{4}-[0-9a-f]{12}"`)

// Every way of comparing, on a small desk with two places, a mode, claims, prices and a gap, as somebody read it.
func TestEveryWayOfComparingASmallDesk(t *testing.T) {
	d, ctx := testdesk.Opened(t), testdesk.Ctx
	testdesk.Rates(t, d, "a", "", 100, 101, 99)
	testdesk.Rates(t, d, "b", "", 150, 151, 152)
	testdesk.Rates(t, d, "b", "fast-mode", 170, 171)
	testdesk.Rates(t, d, "c", "", 101)
	for i, v := range []string{"60", "61", "62"} {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: i, Readings: map[string]string{"time": v}})
		testdesk.Typed(t, d, results.Typed{Subject: "b", Repeat: i, Place: "rear", Readings: map[string]string{"time": v}})
		testdesk.Typed(t, d, results.Typed{Subject: "b", Repeat: i, Place: "side", Readings: map[string]string{"time": "9" +
			v}})
	}
	for _, c := range []catalog.Claim{{Measure: "work/rate", Value: 99, Unit: "/min", Qualifier: "at least"},
		{Measure: "work/time", Value: 50, Unit: "s", Qualifier: "at most", Place: "rear"},
		{Measure: "work/time", Value: 100, Unit: "s", Qualifier: "at most"}} {
		for _, v := range []string{"a", "b"} {
			c.Variant, c.Source = v, "box"
			if _, err := d.Books.AddClaim(ctx, c, "me"); err != nil {
				t.Fatal(err)
			}
		}
	}
	testdesk.Price(t, d, "a", 50000, "EUR")
	testdesk.Price(t, d, "b", 90000, "EUR")
	weights := []fit.Weight{{Measure: "work/rate", Weight: 2}, {Measure: "work/time", Weight: 1}}
	f := d.Figures
	answers := map[string]any{}
	note := func(name string, v any, err error) {
		if err != nil {
			v = err.Error()
		}
		b, _ := json.Marshal(v)
		var plain any
		if err := json.Unmarshal(ids.ReplaceAll(b, []byte(`"an id"`)), &plain); err != nil {
			t.Fatal(err)
		}
		answers[name] = plain
	}
	for _, q := range []compare.Question{{Measure: "work/rate", Raised: true, Claims: true, Subject: "b"},
		{Measure: "work/time", Claims: true}, {Measure: "work/time", Where: []string{"place=rear"}}, {Measure: "work/rate",
			Modes: true, Reference: "mean"}, {Measure: "price/EUR"}} {
		x, err := f.Rank(ctx, q)
		note(fmt.Sprintf("rank %s %v %v", q.Measure, q.Where, q.Modes), x, err)
	}
	head, err := f.HeadToHead(ctx, []string{"a", "b", "c"}, "", "")
	note("head", head, err)
	index, err := f.IndexOf(ctx, figures.IndexQuestion{Weights: weights, Subject: "a"})
	index.Firm, index.Firmness = 0, ""
	note("index", index, err)
	value, err := f.ValueOf(ctx, figures.ValueQuestion{Measure: "work/rate", Subject: "a"})
	note("value", value, err)
	ledger, err := f.Ledger(ctx, "", "", "model")
	note("ledger", ledger, err)
	modes, err := f.ModesOf(ctx, "work/rate", "everything", "")
	note("modes", modes, err)
	next, err := f.Next(ctx, figures.NextQuestion{Field: "everything", Most: 9})
	note("next", next, err)
	for _, v := range []string{"a", "b"} {
		for _, m := range []string{"work/rate", "work/time"} {
			place, err := f.PlaceOf(ctx, m, v, "")
			note("place "+m+" "+v, place, err)
		}
	}
	cells, err := f.CellsOf(ctx, "", nil, nil, "")
	note("cells", cells, err)
	measure, err := f.Measure(ctx, "work/rate")
	note("measure", measure, err)
	golden.JSON(t, "comparisons.json", answers)
}
