package figures_test

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/ranking"
	"durvek/core/value"
	"durvek/demo/load"
	"durvek/desk"
	"durvek/desk/figures"
	"durvek/desk/results"
	"durvek/internal/testdesk"
)

func TestAnIndexIsAskedForInWords(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 101)
	testdesk.Rates(t, d, "b", "", 200, 201)
	if err := d.Figures.AddField(testdesk.Ctx, ranking.Field{Slug: "one", Name: "one of them", Variants: []string{"a"}},
		"me"); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name  string
		q     figures.IndexQuestion
		kind  desk.Kind
		words []string
	}{
		{"without weights", figures.IndexQuestion{}, desk.Invalid, []string{"an index needs weights", "name a kind of use"}},
		{"weights that sum to zero", figures.IndexQuestion{Weights: []fit.Weight{{Measure: "work/rate"}}}, desk.Invalid,
			[]string{"sum to zero; give at least one"}},
		{"an unknown measure", figures.IndexQuestion{Weights: []fit.Weight{{Measure: "work/rat", Weight: 1}}}, desk.NotFound,
			[]string{`no measure "work/rat"`}},
		{"an unknown group", figures.IndexQuestion{Weights: []fit.Weight{{Group: "chips", Weight: 1}}}, desk.NotFound,
			[]string{`no group of measures "chips"`, "application"}},
		{"an unknown use", figures.IndexQuestion{Use: "galley"}, desk.NotFound, []string{"list of all"}},
		{"an unknown field", figures.IndexQuestion{Field: "boats", Weights: []fit.Weight{{Measure: "work/rate", Weight: 1}}},
			desk.NotFound, []string{"list of all"}},
		{"a reference without figures", figures.IndexQuestion{Reference: "c", Weights: []fit.Weight{{Measure: "work/rate",
			Weight: 1}}}, desk.Invalid, []string{"nothing can be relative to it"}},
	} {
		_, err := d.Figures.IndexOf(testdesk.Ctx, c.q)
		t.Run(c.name, func(t *testing.T) { testdesk.Says(t, err, c.kind, c.words...) })
	}
	x, err := d.Figures.IndexOf(testdesk.Ctx, figures.IndexQuestion{Reference: "a",
		Weights: []fit.Weight{{Group: "application", Weight: 2}}})
	if err != nil || len(x.Rows) != 2 || x.Rows[0].ID != "b" || math.Abs(x.Rows[0].Value-200) > 1 ||
		x.Rows[1].Value != 100 || !slices.Contains(x.Left, "c") {
		t.Errorf("%+v, %v", x.IndexTable, err)
	}
	if !strings.HasPrefix(x.Firmness, "The order of the first two holds for 100 % of plausible weights") {
		t.Errorf("of two it says %q", x.Firmness)
	}
	x, err = d.Figures.IndexOf(testdesk.Ctx, figures.IndexQuestion{Weights: []fit.Weight{{Measure: "work/rate",
		Weight: 1}},
		Field: "one"})
	if err != nil || len(x.Rows) != 1 || x.Firmness != "Fewer than two are complete enough to be put in order." {
		t.Errorf("of one it says %q, %v", x.Firmness, err)
	}
	// Two that share no measure cannot be put in one order.
	testdesk.Typed(t, d, results.Typed{Subject: "c", Readings: map[string]string{"time": "50"}})
	_, err = d.Figures.IndexOf(testdesk.Ctx, figures.IndexQuestion{Weights: []fit.Weight{{Measure: "work/rate", Weight: 1},
		{Measure: "work/time", Weight: 1}}})
	testdesk.Says(t, err, desk.Invalid, "falls into parts that share no measure", "a, b | c")
}

func TestValueNeedsRatesAndSaysWhatWouldBeTheBestBuy(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 100.5)
	testdesk.Rates(t, d, "b", "", 150, 150.5)
	testdesk.Rates(t, d, "c", "", 120, 120.5)
	testdesk.Price(t, d, "a", 50000, "EUR")
	testdesk.Price(t, d, "b", 60000, "EUR")
	testdesk.Price(t, d, "c", 70000, "GBP")
	ask := func(q figures.ValueQuestion) (figures.Valued, error) {
		q.Measure = "work/rate"
		return d.Figures.ValueOf(testdesk.Ctx, q)
	}
	_, err := ask(figures.ValueQuestion{})
	testdesk.Says(t, err, desk.Invalid, "no exchange rate from GBP to EUR", "add one of that day or an earlier one")
	if _, err := d.Books.AddRate(testdesk.Ctx, catalog.Rate{From: "GBP", To: "EUR", Rate: 0.5, Date: "2026-11-01"},
		"me"); err != nil { // a strange day
		t.Fatal(err)
	}
	pounds := ranking.Field{Slug: "pounds", Name: "pounds", Price: &ranking.PriceBand{To: 9000, Currency: "GBP"}}
	if err := d.Figures.AddField(testdesk.Ctx, pounds, "me"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Books.AddRate(testdesk.Ctx, catalog.Rate{From: "EUR", To: "GBP", Rate: 2, Date: "2026-11-01"},
		"me"); err != nil {
		t.Fatal(err)
	}
	// nobody names a currency: that of the field's band, else the one that most offers are in
	for field, want := range map[string]string{"pounds": "GBP", "": "EUR"} {
		if v, err := ask(figures.ValueQuestion{Field: field}); err != nil || v.Currency != want {
			t.Errorf("%q is told in %s, %v", field, v.Currency, err)
		}
	}
	v, err := ask(figures.ValueQuestion{Subject: "a"})
	if err != nil || len(v.Values) != 3 || v.Values[0].ID != "c" || v.Prices["c"].Text != "350.00 EUR" {
		t.Fatalf("%+v, %v", v.Values, err)
	}
	by := map[string]value.Value{}
	for _, x := range v.Values {
		by[x.ID] = x
	}
	// a: 100 for 500; best is c with 120 for 350, so a is the best buy below 100·350/120.
	if a := by["a"]; math.Abs(a.BestAt-291.67) > 0.5 || a.Frontier || a.BeatenBy != "c" || !a.SureBeat ||
		!by["b"].Frontier {
		t.Errorf("%+v", a)
	}
	if all := strings.Join(v.Sentence, " "); !strings.Contains(all, "Best value by work, rate per price: the Maker C") ||
		!strings.Contains(all, "number 3 by value") {
		t.Errorf("%s", all)
	}
	if len(v.Climb) != 1 || v.Climb[0].From != "c" || v.Climb[0].Says != "25 % faster (22 to 28) for 250.00 EUR more" {
		t.Errorf("along the frontier %+v", v.Climb)
	}
	// Of a time the dearer is the lower one, and still the faster.
	for unit, seconds := range map[string]float64{"b": 40, "c": 50} {
		for i := range 4 {
			testdesk.Typed(t, d, results.Typed{Subject: unit, Repeat: i, Sitting: "one",
				Readings: map[string]string{"time": fmt.Sprint(seconds + float64(i)/10)}})
		}
	}
	times, err := d.Figures.ValueOf(testdesk.Ctx, figures.ValueQuestion{Measure: "work/time"})
	if err != nil || len(times.Climb) != 1 || !strings.HasPrefix(times.Climb[0].Says, "takes 20 % less time (") {
		t.Errorf("along the frontier %+v, %v", times.Climb, err)
	}
	used, err := ask(figures.ValueQuestion{Pricing: catalog.Pricing{Condition: "used"}})
	if err != nil || len(used.Values) != 0 || len(used.Without) != 3 || !strings.Contains(used.Without[0],
		"1 price, none of them used") || !strings.Contains(used.Sentence[0], "Nothing in the field has both") {
		t.Errorf("%+v, %v", used, err)
	}
	_, err = d.Books.AddRate(testdesk.Ctx, catalog.Rate{From: "GBP", To: "GBP", Rate: 0, Date: "soon"}, "me")
	testdesk.Says(t, err, desk.Invalid, "between two currencies", "above zero")
}

func TestHeadToHeadRefusesAndFindsTheCurrency(t *testing.T) {
	d := testdesk.Opened(t)
	if _, err := d.Books.AddVariant(testdesk.Ctx, catalog.Variant{Slug: "a-big", Model: "a", Name: "32 GiB"},
		"me"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Books.AddUnit(testdesk.Ctx, catalog.Unit{Slug: "a-big", Variant: "a-big", Origin: "bought"},
		"me"); err != nil {
		t.Fatal(err)
	}
	testdesk.Rates(t, d, "a", "", 100, 100.5, 99.5)
	testdesk.Rates(t, d, "a-big", "", 100.2, 100, 100.3)
	testdesk.Rates(t, d, "b", "", 150, 151, 152)
	testdesk.Price(t, d, "a", 90000, "GBP") // fewer of its offers are in it
	testdesk.Price(t, d, "a", 100000, "EUR")
	testdesk.Price(t, d, "a-big", 130000, "EUR")
	_, err := d.Figures.HeadToHead(testdesk.Ctx, []string{"a"}, "", "")
	testdesk.Says(t, err, desk.Invalid, "between two and four variants, not 1")
	_, err = d.Figures.HeadToHead(testdesk.Ctx, []string{"a", "a"}, "", "")
	testdesk.Says(t, err, desk.Invalid, "a stands twice")
	_, err = d.Figures.HeadToHead(testdesk.Ctx, []string{"a", "q"}, "", "")
	testdesk.Says(t, err, desk.NotFound, `no variant "q"`)
	h, err := d.Figures.HeadToHead(testdesk.Ctx, []string{"a", "a-big", "b"}, "", "")
	if err != nil || len(h.Exchanges) != 2 {
		t.Fatalf("%+v, %v", h, err)
	}
	if h.Sides[0].Price != "1,000.00 EUR" || !strings.Contains(h.Exchanges[0].Advice, "For 300 EUR more") ||
		!strings.Contains(h.Exchanges[1].Advice, "Worth it for an owner of the Maker A") {
		t.Errorf("%q, %q, %q", h.Sides[0].Price, h.Exchanges[0].Advice, h.Exchanges[1].Advice)
	}
	// The cheaper sibling against the dearer, and a dearer one whose price is in another currency: no word of more.
	for _, pair := range [][]string{{"a-big", "a"}, {"a", "a-ins"}} {
		if pair[1] == "a-ins" {
			v := catalog.Variant{Slug: "a-ins", Model: "a", Name: "64 GiB"}
			if _, err := d.Books.AddVariant(testdesk.Ctx, v, "me"); err != nil {
				t.Fatal(err)
			}
			u := catalog.Unit{Slug: "a-ins", Variant: "a-ins", Origin: "bought"}
			if _, err := d.Books.AddUnit(testdesk.Ctx, u, "me"); err != nil {
				t.Fatal(err)
			}
			testdesk.Rates(t, d, "a-ins", "", 130, 131, 132)
			testdesk.Price(t, d, "a-ins", 990000, "JPY")
		}
		h, err := d.Figures.HeadToHead(testdesk.Ctx, pair, "", "")
		if err != nil || strings.Contains(h.Exchanges[0].Advice, "more") {
			t.Errorf("%v: %q, %v", pair, h.Exchanges[0].Advice, err)
		}
	}
	r, err := d.Figures.Rivals(testdesk.Ctx, "b")
	if err != nil || !reflect.DeepEqual(r, figures.Rivals{Siblings: []string{}, Predecessors: []string{"a", "a-big",
		"a-ins"},
		Successors: []string{"c"}}) {
		t.Errorf("%+v, %v", r, err)
	}
}

func TestSuggestionsFollowWhatIsMissing(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 100.5)
	testdesk.Rates(t, d, "b", "", 150, 150.5)
	list, err := d.Figures.Next(testdesk.Ctx, figures.NextQuestion{})
	if err != nil || len(list) != 1 || list[0].Variant != "c" || list[0].Test != "work" || list[0].Unit != "c" ||
		list[0].Repeats != 3 || list[0].Minutes != 0.5 {
		t.Fatalf("%+v, %v", list, err)
	}
	if _, err := d.Books.AddClaim(testdesk.Ctx, catalog.Claim{Variant: "a", Measure: "work/time", Value: 60, Unit: "s",
		Source: "box"}, "me"); err != nil {
		t.Fatal(err)
	}
	if list, err = d.Figures.Next(testdesk.Ctx, figures.NextQuestion{Measure: "work/time"}); err != nil ||
		len(list) != 1 || list[0].Variant != "a" || list[0].Claims != 1 {
		t.Errorf("%+v, %v", list, err)
	}
	_, err = d.Figures.Next(testdesk.Ctx, figures.NextQuestion{Measure: "work/tim"})
	testdesk.Says(t, err, desk.NotFound, "the list of measures")
	testdesk.Rates(t, d, "c", "", 90, 90.5)
	if list, err = d.Figures.Next(testdesk.Ctx, figures.NextQuestion{Measure: "work/rate"}); err != nil || len(list) != 0 {
		t.Errorf("nothing is missing and nothing tied: %+v, %v", list, err)
	}
}

// After one run of each of a test of which nobody knows how much it scatters nothing has a place: any more repeats say.
func TestRepeatsAreSuggestedWhereTheSpreadIsNotKnown(t *testing.T) {
	d := testdesk.Opened(t)
	if _, err := d.Books.ImportTest(testdesk.Ctx, []byte("format: durvek-test/1\nslug: knots\nversion: 1\nname: Knots\n"+
		"group: application\nrepeats: 4\nseconds: 30\nmust_match: [supply]\nmeasures: [{slug: tied, name: knots, "+
		"unit: /min, scale: ratio, better: higher}]\n"), false, "me"); err != nil {
		t.Fatal(err)
	}
	tie := func(unit, value string, repeat int) {
		testdesk.Typed(t, d, results.Typed{Test: "knots", Subject: unit, Repeat: repeat,
			Readings: map[string]string{"tied": value}})
	}
	q := figures.NextQuestion{Measure: "knots/tied"}
	tie("a", "31.7", 0)
	tie("b", "44.2", 0)
	list, err := d.Figures.Next(testdesk.Ctx, q)
	if err != nil || len(list) != 3 {
		t.Fatalf("%+v, %v", list, err)
	}
	for i, why := range []string{"4 more repeats tell how much it scatters in knots, without which it has no place;",
		"4 more repeats tell how", "It is missing in knots;"} {
		if x := list[i]; x.Variant != "abc"[i:i+1] || x.Repeats != 4 || x.Places != 2 || !strings.HasPrefix(x.Why, why) {
			t.Errorf("%+v", x)
		}
	}
	tie("a", "31.9", 1)
	if list, err = d.Figures.Next(testdesk.Ctx, q); err != nil || len(list) != 1 || list[0].Variant != "c" {
		t.Errorf("once it is known: %+v, %v", list, err)
	}
}

func TestFieldsByRuleFollowTheCatalogue(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Price(t, d, "a", 50000, "EUR")
	testdesk.Price(t, d, "b", 90000, "EUR")
	cheap := ranking.Field{Slug: "cheap", Name: "cheap ones", Price: &ranking.PriceBand{To: 600, Currency: "EUR"}}
	if err := d.Figures.AddField(testdesk.Ctx, cheap, "me"); err != nil {
		t.Fatal(err)
	}
	holds := func(slug string) (figures.FieldPage, []string) {
		pages, err := d.Figures.FieldPages(testdesk.Ctx)
		if err != nil {
			t.Fatal(err)
		}
		i := slices.IndexFunc(pages, func(p figures.FieldPage) bool { return p.Slug == slug })
		return pages[i], pages[i].Holds
	}
	if _, got := holds("cheap"); !slices.Equal(got, []string{"a"}) {
		t.Errorf("it holds %v", got)
	}
	testdesk.Price(t, d, "c", 40000, "EUR")
	if _, got := holds("cheap"); !slices.Equal(got, []string{"a", "c"}) {
		t.Errorf("after another offer it holds %v", got)
	}
	testdesk.Price(t, d, "c", 40000, "CHF") // by another seller, without a rate
	if p, _ := holds("cheap"); p.Trouble != "" {
		t.Errorf("an offer in its currency is enough: %s", p.Trouble)
	}
	if err := d.Figures.AddField(testdesk.Ctx, ranking.Field{Slug: "swiss", Name: "Swiss ones",
		Price: &ranking.PriceBand{To: 600, Currency: "CHF"}}, "me"); err != nil {
		t.Fatal(err)
	}
	if p, _ := holds("swiss"); !strings.Contains(p.Trouble, "no exchange rate") {
		t.Errorf("trouble %q", p.Trouble)
	}
	testdesk.Says(t, d.Figures.AddField(testdesk.Ctx, ranking.Field{Slug: "x", Name: "x", FamilyOf: "q"}, "me"),
		desk.NotFound, `"q"`)
	testdesk.Says(t, d.Figures.DropField(testdesk.Ctx, "everything", "me"), desk.Invalid, "stays")
	testdesk.Says(t, d.Figures.DropField(testdesk.Ctx, "nowhere", "me"), desk.NotFound, "list of all")
	if err := d.Figures.DropField(testdesk.Ctx, "swiss", "me"); err != nil {
		t.Error(err)
	}
	family := ranking.Field{Slug: "line", Name: "the line", FamilyOf: "b", Without: []string{"c"}}
	if err := d.Figures.AddField(testdesk.Ctx, family, "me"); err != nil {
		t.Fatal(err)
	}
	if _, got := holds("line"); !slices.Equal(got, []string{"a", "b"}) {
		t.Errorf("predecessors and successors but one: %v", got)
	}
}

func TestAPlaceAmongItsKindAndInAllHistory(t *testing.T) {
	if testing.Short() {
		t.Skip("it fills a desk")
	}
	d := testdesk.Loaded(t, load.Size{Variants: 200, Tests: 15, Readings: 40000})
	c, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "load-003/m0"})
	if err != nil || len(c.Rows) != 200 {
		t.Fatalf("%d rows, %v", len(c.Rows), err)
	}
	for _, at := range []int{0, 99, 199} {
		row := c.Rows[at]
		p, err := d.Figures.PlaceOf(testdesk.Ctx, "load-003/m0", row.Variant, "")
		if err != nil {
			t.Fatal(err)
		}
		if p.History.Of != 200 || p.Class.Of != 40 || p.History.Best > at+1 || p.History.Worst < at+1 {
			t.Errorf("number %d of the order: %+v, among its kind %+v", at+1, p.History, p.Class)
		}
	}
	_, err = d.Figures.PlaceOf(testdesk.Ctx, "load-003/m0", "load-0000", "battery")
	testdesk.Says(t, err, desk.NotFound, "not measured under battery")
	// More is asked for than can be kept; each answer stays right, and what is kept stays within its bound.
	for i := range 60 {
		m := fmt.Sprintf("load-%03d/m%d", i%15, i/15)
		for _, v := range []string{"load-0000", "load-0010", "load-0020", "load-0030", "load-0040", "load-0050",
			"load-0060"} {
			if p, err := d.Figures.PlaceOf(testdesk.Ctx, m, v, ""); err != nil || p.Measure.ID != m || p.Variant != v ||
				p.History.Of != 200 {
				t.Fatalf("%s of %s: %+v, %v", m, v, p, err)
			}
		}
	}
	if n, w := d.Figures.KeptAnswers(), d.Figures.Weight(); w > figures.MostWeight ||
		n != figures.MostWeight/figures.UsualWeight || w != n*figures.UsualWeight {
		t.Errorf("%d answers are kept, reckoned at %d bytes; %d at most", n, w, figures.MostWeight)
	}
}

func TestCellsAsAMatrix(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 101)
	testdesk.Rates(t, d, "b", "", 200, 201)
	testdesk.Typed(t, d, results.Typed{Subject: "c", Conditions: map[string]string{"supply": "battery"},
		Readings: map[string]string{"rate": "300"}})
	m, err := d.Figures.CellsOf(testdesk.Ctx, "", nil, []string{"work/rate", "work/time"}, "")
	if err != nil || len(m.Rows) != 3 || len(m.Rows[0]) != 2 || m.Rows[1][0] == nil ||
		math.Abs(m.Rows[1][0].Centre-200.5) > 0.1 || m.Rows[2][0] != nil || m.Rows[0][1] != nil {
		t.Errorf("%+v, %v: unlike figures and gaps are null", m, err)
	}
	if m, err = d.Figures.CellsOf(testdesk.Ctx, "", []string{"b"}, nil, ""); err != nil || len(m.Measures) != 0 {
		t.Errorf("of one variant no measure is shared: %+v, %v", m, err)
	}
	_, err = d.Figures.CellsOf(testdesk.Ctx, "", []string{"q"}, nil, "")
	testdesk.Says(t, err, desk.NotFound, `no variant "q"`)
	_, err = d.Figures.CellsOf(testdesk.Ctx, "", nil, []string{"q"}, "")
	testdesk.Says(t, err, desk.NotFound, `no measure "q"`)
	_, err = d.Figures.CellsOf(testdesk.Ctx, "", nil, nil, "q")
	testdesk.Says(t, err, desk.NotFound, `no setup "q"`)
}

func TestModesCurvesAndFitOfADesk(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 100.5, 99.6)
	for i, v := range []float64{110, 110.4, 109.8} {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Setup: "fast-mode", Repeat: i,
			Readings: map[string]string{"rate": fmt.Sprint(v)}})
	}
	testdesk.Rates(t, d, "b", "", 150, 150.5)
	m, err := d.Figures.ModesOf(testdesk.Ctx, "work/rate", "", "")
	if err != nil || len(m.Gains) != 1 || m.Gains[0].Variant != "a" || math.Abs(m.Gains[0].Gain.Value-10) > 1 ||
		!m.Gains[0].Gain.Sure || !strings.Contains(m.Gains[0].Text, "was not measured") {
		t.Errorf("%+v, %v", m.Gains, err)
	}
	testdesk.Typed(t, d, results.Typed{Subject: "a", Readings: map[string]string{"time": "60"}, Repeat: 9})
	m, err = d.Figures.ModesOf(testdesk.Ctx, "work/rate", "", "a")
	if err != nil || m.Side == nil || len(m.Gains) != 1 || strings.Join(m.Side.States,
		", ") != "As delivered, Fast mode" ||
		len(m.Side.Panels) != 1 || m.Side.Panels[0].Bars[1].Value < 109 || m.Side.Panels[0].Bars[0].Bare {
		t.Errorf("side by side: %+v, %v", m.Side, err)
	}
	m, err = d.Figures.ModesOf(testdesk.Ctx, "work/rate", "", "c")
	if err != nil || len(m.Side.States) != 1 || !m.Side.Panels[0].Bars[0].Bare ||
		m.Side.Panels[0].Bars[0].Label != "not measured" {
		t.Errorf("of nothing measured: %+v, %v", m.Side, err)
	}
	_, err = d.Figures.ModesOf(testdesk.Ctx, "work/rate", "", "z")
	testdesk.Says(t, err, desk.NotFound, `no variant "z"`)
	_, err = d.Figures.ModesOf(testdesk.Ctx, "work/rat", "", "")
	testdesk.Says(t, err, desk.NotFound, "the list of measures")
	ranked, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "work/rate", Modes: true})
	if err != nil || len(ranked.Rows) != 3 || ranked.Rows[1].Mode != "fast-mode" || ranked.Rows[1].Variant != "a" {
		t.Errorf("the raised mode is no row of its own between b and a: %+v, %v", ranked.Rows, err)
	}
	c, err := d.Figures.Curves(testdesk.Ctx, "work", "", nil, "", "")
	if err != nil || len(c.Lines) != 0 || !strings.HasPrefix(c.Title, "Nothing to draw yet") {
		t.Errorf("typed readings have no series: %+v, %v", c, err)
	}
	for place, v := range map[string]string{"left port": "100", "right port": "40"} { // each place is a line of its own
		testdesk.Typed(t, d, results.Typed{Subject: "c", Place: place, Series: map[string]results.TypedSeries{"rate": {
			Axis: "second", At: []float64{0, 10, 20}, Values: []string{v, v, v}}}})
	}
	c, err = d.Figures.Curves(testdesk.Ctx, "work", "", nil, "", "")
	if err != nil || len(c.Lines) != 2 || c.Lines[0].Note != "16 GiB, left port" ||
		c.Lines[1].Note != "16 GiB, right port" {
		t.Errorf("a line for each place: %+v, %v", c.Lines, err)
	}
	_, err = d.Figures.Curves(testdesk.Ctx, "work", "", []string{"q"}, "", "")
	testdesk.Says(t, err, desk.NotFound, `no variant "q"`)
	least := 120.0
	use := fit.Use{Slug: "galley", Name: "the galley", Needs: []fit.Need{{Measure: "work/rate", Least: &least,
		Unit: "/min"}}, Weights: []fit.Weight{{Measure: "work/rate", Weight: 1}}}
	if _, err := d.Figures.AddUse(testdesk.Ctx, use, "me"); err != nil {
		t.Fatal(err)
	}
	fit, err := d.Figures.FitOf(testdesk.Ctx, "galley", "", "")
	if err != nil || len(fit.Fits) != 2 || fit.Fits[0].Variant != "b" || fit.Fits[0].For != "for" ||
		fit.Fits[1].For != "not for" || math.Abs(fit.Fits[1].Score-66.6) > 0.5 ||
		fit.Fits[1].Needs[0].Text != "Work, rate at least 120 /min" {
		t.Errorf("%+v, %v", fit.Fits, err)
	}
	use.Weights[0].Measure = "work/rat"
	_, err = d.Figures.AddUse(testdesk.Ctx, use, "me")
	testdesk.Says(t, err, desk.Invalid, "no test yields")
}

func TestARigsCostNamesWhatHasNoPrice(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Price(t, d, "a", 50000, "EUR")
	testdesk.Price(t, d, "b", 10000, "GBP")
	if err := d.Books.AddRig(testdesk.Ctx, catalog.Rig{Slug: "build", Name: "Build", Parts: []catalog.RigPart{{Unit: "a",
		Role: "host"}, {Unit: "b", Role: "drive"}, {Unit: "c", Role: "dock"}}}, "me"); err != nil {
		t.Fatal(err)
	}
	_, err := d.Figures.RigCost(testdesk.Ctx, "build", catalog.Pricing{})
	testdesk.Says(t, err, desk.Invalid, "cannot be summed up", "add one of that day or an earlier one")
	if _, err := d.Books.AddRate(testdesk.Ctx, catalog.Rate{From: "GBP", To: "EUR", Rate: 1.15, Date: "2026-11-01"},
		"me"); err != nil {
		t.Fatal(err)
	}
	cost, err := d.Figures.RigCost(testdesk.Ctx, "build", catalog.Pricing{})
	if err != nil || cost.Total != "615.00 EUR" || len(cost.Parts) != 2 || len(cost.Missing) != 1 ||
		!strings.Contains(cost.Missing[0], "Maker C") {
		t.Errorf("%+v, %v", cost, err)
	}
	_, err = d.Figures.RigCost(testdesk.Ctx, "q", catalog.Pricing{})
	testdesk.Says(t, err, desk.NotFound, `"q"`)
}

// Narrowed to a place, an index over many measures keeps those that were measured at no place at all.
func TestANarrowingHoldsForMeasuresThatKnowIt(t *testing.T) {
	d := testdesk.Opened(t)
	for _, unit := range []string{"a", "b"} {
		for repeat, place := range []string{"left", "right"} {
			testdesk.Typed(t, d, results.Typed{Subject: unit, Place: place, Repeat: repeat,
				Readings: map[string]string{"rate": "100"}})
		}
		testdesk.Typed(t, d, results.Typed{Subject: unit, Readings: map[string]string{"time": "60"}, Repeat: 3})
	}
	weights := []fit.Weight{{Measure: "work/rate", Weight: 1}, {Measure: "work/time", Weight: 1}}
	for where, want := range map[string]float64{"": 0.5, "place=left": 1} {
		q := figures.IndexQuestion{Weights: weights}
		if where != "" {
			q.Where = []string{where}
		}
		x, err := d.Figures.IndexOf(testdesk.Ctx, q)
		if err != nil || len(x.Rows) != 2 || x.Rows[0].Completeness != want {
			t.Errorf("%q: %+v, %v, want %g measured", where, x.Rows, err, want)
		}
	}
}
