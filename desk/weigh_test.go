package desk

import (
	"errors"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/ranking"
	"durvek/core/stats"
	"durvek/store"
)

// loaded is a desk with made-up data of a size.
func loaded(t *testing.T, l Load) *Desk {
	t.Helper()
	d, err := Open(ctx, Options{Dir: t.TempDir(), Name: "Desk"})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { d.Close() })
	if _, err := d.Generate(ctx, l, 1, func(int, int) {}); err != nil {
		t.Fatal(err)
	}
	return d
}

// says fails unless an error is a refusal of a kind with all of some words.
func says(t *testing.T, err error, kind Kind, words ...string) {
	t.Helper()
	var e *Error
	if !errors.As(err, &e) || e.Kind != kind {
		t.Errorf("%v, want a refusal that is %s", err, kind)
		return
	}
	for _, w := range words {
		if !strings.Contains(e.Message, w) {
			t.Errorf("the refusal %q does not say %q", e.Message, w)
		}
	}
}

func price(t *testing.T, d *Desk, variant string, amount int64, currency string) {
	t.Helper()
	if _, err := d.AddOffer(ctx, catalog.Offer{Variant: variant, Amount: amount, Currency: currency, Region: "DE", TaxIncluded: true, Condition: "new", Seller: "Shop " + currency, Date: "2026-11-02"}, "me"); err != nil {
		t.Fatal(err)
	}
}

func TestMadeUpDataAreWholeAndTheSameForASeed(t *testing.T) {
	want := Load{Variants: 120, Tests: 40, Readings: 20000}
	d := loaded(t, want)
	var n, fails int
	got, err := d.Recount(ctx)
	if err != nil || got.Cells == 0 || len(got.Differ) != 0 {
		t.Errorf("counted anew: %+v, %v", got, err)
	}
	vs, _ := d.store.Variants(ctx, "")
	for _, slug := range []string{"load-0000", "load-0077"} {
		runs, total, _ := d.store.Runs(ctx, store.RunFilter{Subject: slug + "-a", Limit: 500})
		n += total
		for _, r := range runs {
			if r.Outcome != "done" || !r.Simulated || len(r.Readings) != loadMeasures {
				fails++
			}
		}
	}
	if len(vs) != 120 || n < 40 || fails > 0 {
		t.Errorf("%d variants, %d runs of two units, %d of them odd", len(vs), n, fails)
	}
	other := loaded(t, want)
	ask := func(d *Desk) compare.Comparison {
		c, err := d.Rank(ctx, Question{Field: "load-50", Measure: "load-001/m2"})
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	if a, b := ask(d), ask(other); len(a.Rows) != 12 || !reflect.DeepEqual(a.Chart.Rows, b.Chart.Rows) {
		t.Errorf("%d rows; two desks of one seed differ", len(a.Rows)) // of 120 variants 12 are of the field's class
	}
	_, err = d.Generate(ctx, want, 1, func(int, int) {})
	says(t, err, Conflict, "60 models already", "empty data folder")
	_, err = d.Generate(ctx, Load{Variants: 3, Tests: 3}, 1, func(int, int) {})
	says(t, err, Invalid, "at least 50 variants and 15 tests")
}

// Columns are read while others write. Whatever the order, what is in memory in the end is what the database holds.
func TestColumnsThatAreReadWhileOthersWriteMissNothing(t *testing.T) {
	d := loaded(t, Load{Variants: 400, Tests: 15, Readings: 80000}) // a column takes about as long to read as a run to write
	for round := range 40 {
		d.matrix.mu.Lock()
		clear(d.matrix.columns) // as after a start
		d.matrix.mu.Unlock()
		var wg sync.WaitGroup
		for w := range 2 {
			wg.Add(1)
			go func() {
				defer wg.Done()
				if w == 0 {
					d.matrix.open("load-000/m0")
					return
				}
				x := Typed{Test: "load-000", Subject: loadVariant(399-round) + "-a", Repeat: 10, Readings: map[string]string{"m0": "123", "m1": "123", "m2": "123", "m3": "123"}}
				if _, err := d.TypeReadings(ctx, x, "me"); err != nil {
					t.Error(err)
				}
			}()
		}
		wg.Wait()
		n := 0
		d.matrix.each("load-000/m0", func(e store.Estimate) {
			if e.Variant == loadVariant(399-round) {
				n += e.Cell.N()
			}
		})
		kept := 0
		if err := d.store.Column(ctx, "load-000/m0", func(e store.Estimate, _ string) {
			if e.Variant == loadVariant(399-round) {
				kept += e.Cell.N()
			}
		}); err != nil {
			t.Fatal(err)
		}
		if n != kept || n < 3 {
			t.Fatalf("round %d: %d readings in memory, %d in the database", round, n, kept)
		}
	}
}

func TestPackedCellsKeepRangesAndBounds(t *testing.T) {
	d := opened(t)
	typed(t, d, Typed{Subject: "a", Readings: map[string]string{"rate": "29 to 31"}})
	typed(t, d, Typed{Subject: "b", Readings: map[string]string{"time": "more than 600"}})
	for range 2 { // once as written through, once as read anew
		for measure, want := range map[string]stats.Cell{"work/rate": {HalfWidth: math.Log(31.0 / 30), Median: 30}, "work/time": {Bound: "more than", BoundAt: 600, Bounds: 1}} {
			d.matrix.each(measure, func(e store.Estimate) {
				if c := e.Cell; math.Abs(c.HalfWidth-want.HalfWidth) > 1e-9 || c.Bound != want.Bound || c.BoundAt != want.BoundAt || c.Bounds != want.Bounds {
					t.Errorf("%s: %+v, want %+v", measure, c, want)
				}
			})
		}
		d.matrix.mu.Lock()
		clear(d.matrix.columns)
		d.matrix.mu.Unlock()
	}
}

func TestAnIndexIsAskedForInWords(t *testing.T) {
	d := opened(t)
	rates(t, d, "a", "", 100, 101)
	rates(t, d, "b", "", 200, 201)
	for _, c := range []struct {
		name  string
		q     IndexQuestion
		kind  Kind
		words []string
	}{
		{"without weights", IndexQuestion{}, Invalid, []string{"an index needs weights", "use list"}},
		{"weights that sum to zero", IndexQuestion{Weights: []ranking.Weight{{Measure: "work/rate"}}}, Invalid, []string{"sum to zero; give at least one"}},
		{"an unknown measure", IndexQuestion{Weights: []ranking.Weight{{Measure: "work/rat", Weight: 1}}}, NotFound, []string{`no measure "work/rat"`}},
		{"an unknown group", IndexQuestion{Weights: []ranking.Weight{{Group: "chips", Weight: 1}}}, NotFound, []string{`no group of measures "chips"`, "application"}},
		{"an unknown use", IndexQuestion{Use: "galley"}, NotFound, []string{"use list"}},
		{"an unknown field", IndexQuestion{Field: "boats", Weights: []ranking.Weight{{Measure: "work/rate", Weight: 1}}}, NotFound, []string{"field list"}},
		{"a reference without figures", IndexQuestion{Reference: "c", Weights: []ranking.Weight{{Measure: "work/rate", Weight: 1}}}, Invalid, []string{"nothing can be relative to it"}},
	} {
		_, err := d.IndexOf(ctx, c.q)
		t.Run(c.name, func(t *testing.T) { says(t, err, c.kind, c.words...) })
	}
	x, err := d.IndexOf(ctx, IndexQuestion{Reference: "a", Weights: []ranking.Weight{{Group: "application", Weight: 2}}})
	if err != nil || len(x.Rows) != 2 || x.Rows[0].ID != "b" || math.Abs(x.Rows[0].Value-200) > 1 || x.Rows[1].Value != 100 || !slices.Contains(x.Left, "c") {
		t.Errorf("%+v, %v", x.IndexTable, err)
	}
	// Two that share no measure cannot be put in one order.
	typed(t, d, Typed{Subject: "c", Readings: map[string]string{"time": "50"}})
	_, err = d.IndexOf(ctx, IndexQuestion{Weights: []ranking.Weight{{Measure: "work/rate", Weight: 1}, {Measure: "work/time", Weight: 1}}})
	says(t, err, Invalid, "falls into parts that share no measure", "a, b | c")
}

func TestValueNeedsRatesAndSaysWhatWouldBeTheBestBuy(t *testing.T) {
	d := opened(t)
	rates(t, d, "a", "", 100, 100.5)
	rates(t, d, "b", "", 150, 150.5)
	rates(t, d, "c", "", 120, 120.5)
	price(t, d, "a", 50000, "EUR")
	price(t, d, "b", 60000, "EUR")
	price(t, d, "c", 70000, "GBP")
	ask := func(q ValueQuestion) (Valued, error) {
		q.Measure = "work/rate"
		return d.ValueOf(ctx, q)
	}
	_, err := ask(ValueQuestion{})
	says(t, err, Invalid, "no exchange rate from GBP to EUR", "durvek rate add GBP EUR")
	if _, err := d.AddRate(ctx, catalog.Rate{From: "GBP", To: "EUR", Rate: 0.5, Date: "2026-11-01"}, "me"); err != nil { // a strange day
		t.Fatal(err)
	}
	v, err := ask(ValueQuestion{Subject: "a"})
	if err != nil || len(v.Values) != 3 || v.Values[0].ID != "c" || v.Prices["c"].Text != "350.00 EUR" {
		t.Fatalf("%+v, %v", v.Values, err)
	}
	by := map[string]ranking.Value{}
	for _, x := range v.Values {
		by[x.ID] = x
	}
	// a: 100 for 500; best is c with 120 for 350, so a is the best buy below 100·350/120.
	if a := by["a"]; math.Abs(a.BestAt-291.67) > 0.5 || a.Frontier || a.BeatenBy != "c" || !a.SureBeat || !by["b"].Frontier {
		t.Errorf("%+v", a)
	}
	if all := strings.Join(v.Sentence, " "); !strings.Contains(all, "Best value by work, rate per price: the Maker C") || !strings.Contains(all, "number 3 by value") {
		t.Errorf("%s", all)
	}
	used, err := ask(ValueQuestion{Pricing: catalog.Pricing{Condition: "used"}})
	if err != nil || len(used.Values) != 0 || len(used.Without) != 3 || !strings.Contains(used.Without[0], "none of its 1 prices is used") || !strings.Contains(used.Sentence[0], "Nothing in the field has both") {
		t.Errorf("%+v, %v", used, err)
	}
	_, err = d.AddRate(ctx, catalog.Rate{From: "GBP", To: "GBP", Rate: 0, Date: "soon"}, "me")
	says(t, err, Invalid, "between two currencies", "above zero")
}

func TestHeadToHeadRefusesAndFindsTheCurrency(t *testing.T) {
	d := opened(t)
	if err := d.AddVariant(ctx, catalog.Variant{Slug: "a-big", Model: "a", Name: "32 GiB"}, "me"); err != nil {
		t.Fatal(err)
	}
	if err := d.AddUnit(ctx, catalog.Unit{Slug: "a-big", Variant: "a-big", Origin: "bought"}, "me"); err != nil {
		t.Fatal(err)
	}
	rates(t, d, "a", "", 100, 100.5, 99.5)
	rates(t, d, "a-big", "", 100.2, 100, 100.3)
	rates(t, d, "b", "", 150, 151, 152)
	price(t, d, "a", 90000, "GBP") // fewer of its offers are in it
	price(t, d, "a", 100000, "EUR")
	price(t, d, "a-big", 130000, "EUR")
	_, err := d.HeadToHead(ctx, []string{"a"}, "", "")
	says(t, err, Invalid, "between two and four variants, not 1")
	_, err = d.HeadToHead(ctx, []string{"a", "a"}, "", "")
	says(t, err, Invalid, "a stands twice")
	_, err = d.HeadToHead(ctx, []string{"a", "q"}, "", "")
	says(t, err, NotFound, `no variant "q"`)
	h, err := d.HeadToHead(ctx, []string{"a", "a-big", "b"}, "", "")
	if err != nil || len(h.Exchanges) != 2 {
		t.Fatalf("%+v, %v", h, err)
	}
	if h.Sides[0].Price != "1,000.00 EUR" || !strings.Contains(h.Exchanges[0].Advice, "For 300.00 EUR more") || !strings.Contains(h.Exchanges[1].Advice, "Worth it for an owner of the Maker A") {
		t.Errorf("%q, %q, %q", h.Sides[0].Price, h.Exchanges[0].Advice, h.Exchanges[1].Advice)
	}
	r, err := d.Rivals(ctx, "b")
	if err != nil || !reflect.DeepEqual(r, Rivals{Siblings: []string{}, Predecessors: []string{"a", "a-big"}, Successors: []string{"c"}}) {
		t.Errorf("%+v, %v", r, err)
	}
}

func TestSuggestionsFollowWhatIsMissing(t *testing.T) {
	d := opened(t)
	rates(t, d, "a", "", 100, 100.5)
	rates(t, d, "b", "", 150, 150.5)
	list, err := d.Next(ctx, NextQuestion{})
	if err != nil || len(list) != 1 || list[0].Variant != "c" || list[0].Test != "work" || list[0].Unit != "c" || list[0].Repeats != 3 || list[0].Minutes != 0.5 {
		t.Fatalf("%+v, %v", list, err)
	}
	if _, err := d.AddClaim(ctx, catalog.Claim{Variant: "a", Measure: "work/time", Value: 60, Unit: "s", Source: "box"}, "me"); err != nil {
		t.Fatal(err)
	}
	if list, err = d.Next(ctx, NextQuestion{Measure: "work/time"}); err != nil || len(list) != 1 || list[0].Variant != "a" || list[0].Claims != 1 {
		t.Errorf("%+v, %v", list, err)
	}
	_, err = d.Next(ctx, NextQuestion{Measure: "work/tim"})
	says(t, err, NotFound, "measure list")
	rates(t, d, "c", "", 90, 90.5)
	if list, err = d.Next(ctx, NextQuestion{Measure: "work/rate"}); err != nil || len(list) != 0 {
		t.Errorf("nothing is missing and nothing tied: %+v, %v", list, err)
	}
}

func TestTheLedgerTalliesAndRefuses(t *testing.T) {
	d := opened(t)
	rates(t, d, "a", "", 100, 100.5, 99.8)
	for _, c := range []catalog.Claim{{Value: 90, Source: "box, 2025"}, {Value: 120, Source: "box", Date: "2026-02-01"}} {
		c.Variant, c.Measure, c.Unit = "a", "work/rate", "/min"
		if _, err := d.AddClaim(ctx, c, "me"); err != nil {
			t.Fatal(err)
		}
	}
	l, err := d.Ledger(ctx, "", "", "year")
	if err != nil || len(l.Tallies) != 2 || l.Tallies[0].Kept+l.Tallies[1].Kept != 1 {
		t.Fatalf("%+v, %v", l.Tallies, err)
	}
	l, err = d.Ledger(ctx, "a", "", "")
	if err != nil || len(l.Claims) != 2 || len(l.Claims[0].Runs) != 3 || l.Claims[0].Verdict.Outcome != claims.Beyond || l.Claims[1].Verdict.Outcome != claims.Short {
		t.Fatalf("%+v, %v", l.Claims, err)
	}
	_, err = d.Ledger(ctx, "", "", "moon")
	says(t, err, Invalid, `not by "moon"`)
	_, err = d.Ledger(ctx, "", "Nobody", "")
	says(t, err, NotFound, `no claim by a maker "Nobody"`)
}

func TestFieldsByRuleFollowTheCatalogue(t *testing.T) {
	d := opened(t)
	price(t, d, "a", 50000, "EUR")
	price(t, d, "b", 90000, "EUR")
	cheap := ranking.Field{Slug: "cheap", Name: "cheap ones", Price: &ranking.PriceBand{To: 600, Currency: "EUR"}}
	if err := d.AddField(ctx, cheap, "me"); err != nil {
		t.Fatal(err)
	}
	holds := func(slug string) (FieldPage, []string) {
		pages, err := d.FieldPages(ctx)
		if err != nil {
			t.Fatal(err)
		}
		i := slices.IndexFunc(pages, func(p FieldPage) bool { return p.Slug == slug })
		return pages[i], pages[i].Holds
	}
	if _, got := holds("cheap"); !slices.Equal(got, []string{"a"}) {
		t.Errorf("it holds %v", got)
	}
	price(t, d, "c", 40000, "EUR")
	if _, got := holds("cheap"); !slices.Equal(got, []string{"a", "c"}) {
		t.Errorf("after another offer it holds %v", got)
	}
	price(t, d, "c", 40000, "CHF") // by another seller, without a rate
	if p, _ := holds("cheap"); p.Trouble != "" {
		t.Errorf("an offer in its currency is enough: %s", p.Trouble)
	}
	if err := d.AddField(ctx, ranking.Field{Slug: "swiss", Name: "Swiss ones", Price: &ranking.PriceBand{To: 600, Currency: "CHF"}}, "me"); err != nil {
		t.Fatal(err)
	}
	if p, _ := holds("swiss"); !strings.Contains(p.Trouble, "no exchange rate") {
		t.Errorf("trouble %q", p.Trouble)
	}
	says(t, d.AddField(ctx, ranking.Field{Slug: "x", Name: "x", FamilyOf: "q"}, "me"), NotFound, `"q"`)
	says(t, d.DropField(ctx, "everything", "me"), Invalid, "stays")
	says(t, d.DropField(ctx, "nowhere", "me"), NotFound, "field list")
	if err := d.DropField(ctx, "swiss", "me"); err != nil {
		t.Error(err)
	}
	family := ranking.Field{Slug: "line", Name: "the line", FamilyOf: "b", Without: []string{"c"}}
	if err := d.AddField(ctx, family, "me"); err != nil {
		t.Fatal(err)
	}
	if _, got := holds("line"); !slices.Equal(got, []string{"a", "b"}) {
		t.Errorf("predecessors and successors but one: %v", got)
	}
}

func TestAPlaceAmongItsKindAndInAllHistory(t *testing.T) {
	d := loaded(t, Load{Variants: 200, Tests: 15, Readings: 40000})
	c, err := d.Rank(ctx, Question{Measure: "load-003/m0"})
	if err != nil || len(c.Rows) != 200 {
		t.Fatalf("%d rows, %v", len(c.Rows), err)
	}
	for _, at := range []int{0, 99, 199} {
		row := c.Rows[at]
		p, err := d.PlaceOf(ctx, "load-003/m0", row.Variant, "")
		if err != nil {
			t.Fatal(err)
		}
		if p.History.Of != 200 || p.Class.Of != 40 || p.History.Best > at+1 || p.History.Worst < at+1 {
			t.Errorf("number %d of the order: %+v, among its kind %+v", at+1, p.History, p.Class)
		}
	}
	_, err = d.PlaceOf(ctx, "load-003/m0", "load-0000", "battery")
	says(t, err, NotFound, "not measured under battery")
	// More histories are asked for than are kept; each stays right.
	for i := range 2 * mostPasts {
		m := fmt.Sprintf("load-%03d/m%d", i%15, i/15)
		if p, err := d.PlaceOf(ctx, m, "load-0000", ""); err != nil || p.Measure.ID != m || p.History.Of != 200 {
			t.Errorf("%s: %+v, %v", m, p, err)
		}
	}
	if len(d.matrix.pasts) > mostPasts {
		t.Errorf("%d histories are kept", len(d.matrix.pasts))
	}
}

func TestCellsAsAMatrix(t *testing.T) {
	d := opened(t)
	rates(t, d, "a", "", 100, 101)
	rates(t, d, "b", "", 200, 201)
	typed(t, d, Typed{Subject: "c", Conditions: map[string]string{"supply": "battery"}, Readings: map[string]string{"rate": "300"}})
	m, err := d.CellsOf(ctx, "", nil, []string{"work/rate", "work/time"}, "")
	if err != nil || len(m.Rows) != 3 || len(m.Rows[0]) != 2 || m.Rows[1][0] == nil || math.Abs(m.Rows[1][0].Centre-200.5) > 0.1 || m.Rows[2][0] != nil || m.Rows[0][1] != nil {
		t.Errorf("%+v, %v: unlike figures and gaps are null", m, err)
	}
	if m, err = d.CellsOf(ctx, "", []string{"b"}, nil, ""); err != nil || len(m.Measures) != 0 {
		t.Errorf("of one variant no measure is shared: %+v, %v", m, err)
	}
	_, err = d.CellsOf(ctx, "", []string{"q"}, nil, "")
	says(t, err, NotFound, `no variant "q"`)
	_, err = d.CellsOf(ctx, "", nil, []string{"q"}, "")
	says(t, err, NotFound, `no measure "q"`)
	_, err = d.CellsOf(ctx, "", nil, nil, "q")
	says(t, err, NotFound, `no setup "q"`)
}

func TestModesCurvesAndFitOfADesk(t *testing.T) {
	d := opened(t)
	rates(t, d, "a", "", 100, 100.5, 99.6)
	for i, v := range []float64{110, 110.4, 109.8} {
		typed(t, d, Typed{Subject: "a", Setup: "fast-mode", Repeat: i, Readings: map[string]string{"rate": fmt.Sprint(v)}})
	}
	rates(t, d, "b", "", 150, 150.5)
	m, err := d.ModesOf(ctx, "work/rate", "")
	if err != nil || len(m.Gains) != 1 || m.Gains[0].Variant != "a" || math.Abs(m.Gains[0].Gain.Value-10) > 1 || !m.Gains[0].Gain.Sure || !strings.Contains(m.Gains[0].Text, "was not measured") {
		t.Errorf("%+v, %v", m.Gains, err)
	}
	_, err = d.ModesOf(ctx, "work/rat", "")
	says(t, err, NotFound, "measure list")
	ranked, err := d.Rank(ctx, Question{Measure: "work/rate", Modes: true})
	if err != nil || len(ranked.Rows) != 3 || ranked.Rows[1].Mode != "fast-mode" || ranked.Rows[1].Variant != "a" {
		t.Errorf("the raised mode is no row of its own between b and a: %+v, %v", ranked.Rows, err)
	}
	c, err := d.Curves(ctx, "work", "", nil, "", "")
	if err != nil || len(c.Lines) != 0 || !strings.HasPrefix(c.Title, "Nothing to draw yet") {
		t.Errorf("typed readings have no series: %+v, %v", c, err)
	}
	_, err = d.Curves(ctx, "work", "", []string{"q"}, "", "")
	says(t, err, NotFound, `no variant "q"`)
	least := 120.0
	use := ranking.Use{Slug: "galley", Name: "the galley", Needs: []ranking.Need{{Measure: "work/rate", Least: &least, Unit: "/min"}}, Weights: []ranking.Weight{{Measure: "work/rate", Weight: 1}}}
	if _, err := d.AddUse(ctx, use, "me"); err != nil {
		t.Fatal(err)
	}
	fit, err := d.FitOf(ctx, "galley", "", "")
	if err != nil || len(fit.Fits) != 2 || fit.Fits[0].Variant != "b" || fit.Fits[0].For != "for" || fit.Fits[1].For != "not for" || math.Abs(fit.Fits[1].Score-66.6) > 0.5 || fit.Fits[1].Needs[0].Text != "Work, rate at least 120 /min" {
		t.Errorf("%+v, %v", fit.Fits, err)
	}
	use.Weights[0].Measure = "work/rat"
	_, err = d.AddUse(ctx, use, "me")
	says(t, err, Invalid, "no test yields")
}

func TestARigsCostNamesWhatHasNoPrice(t *testing.T) {
	d := opened(t)
	price(t, d, "a", 50000, "EUR")
	price(t, d, "b", 10000, "GBP")
	if err := d.AddRig(ctx, catalog.Rig{Slug: "build", Name: "Build", Parts: []catalog.RigPart{{Unit: "a", Role: "host"}, {Unit: "b", Role: "drive"}, {Unit: "c", Role: "dock"}}}, "me"); err != nil {
		t.Fatal(err)
	}
	_, err := d.RigCost(ctx, "build", catalog.Pricing{})
	says(t, err, Invalid, "cannot be summed up", "durvek rate add GBP EUR")
	if _, err := d.AddRate(ctx, catalog.Rate{From: "GBP", To: "EUR", Rate: 1.15, Date: "2026-11-01"}, "me"); err != nil {
		t.Fatal(err)
	}
	cost, err := d.RigCost(ctx, "build", catalog.Pricing{})
	if err != nil || cost.Total != "615.00 EUR" || len(cost.Parts) != 2 || len(cost.Missing) != 1 || !strings.Contains(cost.Missing[0], "Maker C") {
		t.Errorf("%+v, %v", cost, err)
	}
	_, err = d.RigCost(ctx, "q", catalog.Pricing{})
	says(t, err, NotFound, `"q"`)
}

// What was worked out before a rest is worked out again after it, to the same answer.
func TestARestForgetsNothingThatMatters(t *testing.T) {
	d := loaded(t, Load{Variants: 60, Tests: 15, Readings: 12000})
	ask := func() (compare.Comparison, Place) {
		c, err := d.Rank(ctx, Question{Field: "load-50", Measure: "load-001/m0"})
		p, err2 := d.PlaceOf(ctx, "load-001/m0", "load-0000", "")
		if err != nil || err2 != nil {
			t.Fatal(err, err2)
		}
		return c, p
	}
	state := d.State()
	c, p := ask()
	d.Rest()
	if len(d.ranks.answers) != 0 || len(d.matrix.pasts) != 0 {
		t.Error("it keeps what it worked out")
	}
	if again, place := ask(); !reflect.DeepEqual(again.Rows, c.Rows) || !reflect.DeepEqual(place, p) {
		t.Error("after a rest the same question has another answer")
	}
	if d.State() != state {
		t.Error("a rest changed the desk's state, so that every answer that was sent is lost")
	}
}
