package figures_test

import (
	"fmt"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/desk/figures"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
)

// An answer falls when a part that it used changes, and only then.
func TestAnAnswerFallsWithWhatItUsed(t *testing.T) {
	d := testdesk.Opened(t)
	ctx := testdesk.Ctx
	testdesk.Rates(t, d, "a", "", 100, 101)
	testdesk.Rates(t, d, "b", "", 120, 121)
	testdesk.Typed(t, d, results.Typed{Subject: "a", Readings: map[string]string{"time": "50"}})
	d.Figures.Large() // a small desk finds its noise anew with every write
	ask := func() *figures.Uses {
		t.Helper()
		watched, uses := figures.Watch(ctx)
		if _, err := d.Figures.Rank(watched, compare.Question{Measure: "work/rate"}); err != nil {
			t.Fatal(err)
		}
		return uses
	}
	holds := func() bool { _, ok := d.Figures.Kept("it"); return ok }
	for _, c := range []struct {
		name   string
		change func()
		falls  bool
	}{
		{"nothing", func() {}, false},
		{"another test's cell", func() {
			testdesk.Typed(t, d, results.Typed{Test: "weight", Subject: "a", Readings: map[string]string{"weight": "1.2 kg"}})
		}, false},
		{"a cell of its own", func() { testdesk.Rates(t, d, "a", "", 102) }, true},
		{"a run of its test that leaves its cells alone", func() {
			testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 7, Readings: map[string]string{"rate": "missing"}})
		}, true}, // how often it failed stands under the chart
		{"a doubt of its test", func() { d.Figures.Doubted("work") }, true},
		{"a doubt of another", func() { d.Figures.Doubted("weight") }, false},
		{"the catalogue", func() { testdesk.Price(t, d, "a", 100, "EUR") }, true},
		{"a photo", func() {
			if err := d.Results.NotePairing(ctx, compare.Pair{Part: "a", Partner: "b", Outcome: "works"}, "me"); err != nil {
				t.Fatal(err)
			}
		}, false},
	} {
		d.Figures.Keep("it", "an answer", 10, ask())
		if !holds() {
			t.Fatalf("%s: it was not kept", c.name)
		}
		c.change()
		if holds() == c.falls {
			t.Errorf("after %s it is kept: %v", c.name, !c.falls)
		}
	}
	// What rests on nothing is not kept: it could never fall.
	_, nothing := figures.Watch(ctx)
	d.Figures.Keep("free", 1, 10, nothing)
	if _, ok := d.Figures.Kept("free"); ok {
		t.Error("an answer to no question is kept")
	}
	d.Figures.Keep("large", 1, figures.MostWeight/4+1, ask())
	if _, ok := d.Figures.Kept("large"); ok {
		t.Error("an answer of a quarter of all room is kept")
	}
}

// Of answers that do not fit, those go first that were not asked for longest.
func TestTheLongestUnaskedAnswerGoesFirst(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100)
	watched, uses := figures.Watch(testdesk.Ctx)
	if _, err := d.Figures.Rank(watched, compare.Question{Measure: "work/rate"}); err != nil {
		t.Fatal(err)
	}
	d.Figures.Rest()
	const size = figures.MostWeight/5 - 512 // five fit, each a fifth of the room
	for i := range 5 {
		d.Figures.Keep(fmt.Sprint(i), i, size, uses)
	}
	if _, ok := d.Figures.Kept("0"); !ok || d.Figures.KeptAnswers() != 5 {
		t.Fatalf("%d of five are kept", d.Figures.KeptAnswers())
	}
	d.Figures.Keep("5", 5, size, uses)
	for key, want := range map[string]bool{"0": true, "1": false, "2": true, "5": true} {
		if _, ok := d.Figures.Kept(key); ok != want {
			t.Errorf("%s is kept: %v", key, ok)
		}
	}
	d.Figures.Keep("5", 55, size, uses) // again under its key: no second one
	if v, _ := d.Figures.Kept("5"); v != 55 || d.Figures.KeptAnswers() != 5 ||
		d.Figures.Weight() != figures.MostWeight/5*5 {
		t.Errorf("%v, %d kept, reckoned at %d", v, d.Figures.KeptAnswers(), d.Figures.Weight())
	}
}

func claim(t *testing.T, d *house.House, c catalog.Claim) claims.Judged {
	t.Helper()
	c.Variant, c.Source = "a", "box"
	if _, err := d.Books.AddClaim(testdesk.Ctx, c, "me"); err != nil {
		t.Fatal(err)
	}
	list, err := d.Figures.CheckClaims(testdesk.Ctx, "a")
	if err != nil {
		t.Fatal(err)
	}
	return list[len(list)-1]
}

// "Up to" takes the best single reading, and the run that gave it proves it.
func TestUpToTakesTheBestReading(t *testing.T) {
	d := testdesk.Opened(t)
	for i, v := range []string{"60", "40", "50"} {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: i, Readings: map[string]string{"rate": v, "time": v}})
	}
	for _, c := range []struct {
		measure, unit string
		value         float64
		want          claims.Outcome
	}{{"work/rate", "/min", 60, claims.Held}, {"work/rate", "/min", 61, claims.Short}} {
		j := claim(t, d, catalog.Claim{Measure: c.measure, Unit: c.unit, Value: c.value, Qualifier: "up to"})
		if j.Verdict.Outcome != c.want || len(j.Runs) != 1 {
			t.Errorf(
				"up to %g of %s: %s, proved by %d runs; want %s by one",
				c.value,
				c.measure,
				j.Verdict.Outcome,
				len(j.Runs),
				c.want,
			)
		}
	}
}

// Figures of an older version of a test judge no claim, and stand in no comparison.
func TestOldVersionsJudgeNothing(t *testing.T) {
	dir := t.TempDir()
	d := testdesk.OpenedIn(t, dir, testdesk.Morning)
	testdesk.Rates(t, d, "a", "", 100, 101)
	testdesk.Rates(t, d, "b", "", 120, 121)
	if j := claim(t, d, catalog.Claim{Measure: "work/rate", Unit: "/min", Value: 50}); j.Verdict.Outcome != claims.Beyond {
		t.Fatalf("%+v", j.Verdict)
	}
	next := testdesk.Work()
	next.Version = 2
	if err := d.Desk.Put(testdesk.Ctx, "me", "new version", "work", func(q *deskTx) error {
		return q.PutTest(testdesk.Ctx,
			next, testdesk.Morning())
	}); err != nil {
		t.Fatal(err)
	}
	list, err := d.Figures.CheckClaims(testdesk.Ctx, "a")
	if err != nil || list[0].Verdict.Outcome != claims.NotComparable {
		t.Errorf("%+v, %v", list[0].Verdict, err)
	}
	if m, err := d.Figures.Measure(testdesk.Ctx, "work/rate"); err != nil || m.Measure.Version != 2 ||
		m.Pool.Own != 0 ||
		len(m.Cells) != 2 {
		t.Errorf("its pool is %+v of %d cells, %v", m.Pool, len(m.Cells), err)
	}
	if _, from, err := d.Figures.Expected(testdesk.Ctx, "work/rate", "c", "c"); err != nil || from != "" {
		t.Errorf("expected by an old version: %q, %v", from, err)
	}
	if _, err := d.Figures.Why(testdesk.Ctx, "work/rate", "a", "b", ""); err == nil {
		t.Error("old figures are explained")
	}
}

// Numbers of spec sheets and prices rank as they are; a currency has three letters.
func TestWhatStandsOnPaperRanks(t *testing.T) {
	d := testdesk.Opened(t)
	for v, kg := range map[string]string{"a": "1.4 kg", "b": "1200 g"} {
		if _, err := d.Books.AddVariant(testdesk.Ctx, catalog.Variant{Slug: v, Model: v, Name: "16 GiB",
			Spec: map[string]any{"body.weight": kg}}, "me"); err != nil {
			t.Fatal(err)
		}
	}
	testdesk.Price(t, d, "a", 90000, "EUR")
	c, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "spec/body.weight"})
	if err != nil || len(c.Rows) != 2 || c.Rows[0].Variant != "b" || !c.Rows[0].Estimate.Exact ||
		c.Measure.Better != quantity.Lower || len(c.LeftOut) != 1 || c.LeftOut[0].Kind != compare.NoFigure {
		t.Errorf("%+v, %v", c.Rows, err)
	}
	if c, err = d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "price/EUR"}); err != nil || len(c.Rows) != 1 ||
		c.Rows[0].Estimate.Centre != 900 || c.Measure.Symbol != "EUR" {
		t.Errorf("%+v, %v", c.Rows, err)
	}
	for _, bad := range []string{"price/EURO", "price/", "spec/cpu.name", "spec/nothing", "work/", ""} {
		if _, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: bad}); err == nil {
			t.Errorf("%q ranks", bad)
		}
	}
}

// The field of everything stays; a field that a review rests on stays, too.
func TestFieldsThatStay(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100)
	if err := d.Figures.AddField(testdesk.Ctx, ranking.Field{Slug: "two", Name: "two of them", Variants: []string{"a",
		"b"}}, "me"); err != nil {
		t.Fatal(err)
	}
	if s, err := d.Figures.Subject(testdesk.Ctx, "a"); err != nil || len(s.Fields) != 2 || s.Fields[0] != "two" ||
		len(s.Measures) != 1 || s.Label() != "Maker A, 16 GiB" {
		t.Errorf("%+v, %v", s, err)
	}
	if s, err := d.Figures.Subject(testdesk.Ctx, "c"); err != nil || len(s.Fields) != 1 || len(s.Measures) != 0 {
		t.Errorf("%+v, %v", s, err)
	}
	for _, f := range []ranking.Field{{Slug: "x", Name: "x", Variants: []string{"nobody"}}, {Slug: "x", Name: "x",
		Kinds: []catalog.Kind{"laptop"}, Without: []string{"nobody"}}} {
		testdesk.Says(t, d.Figures.AddField(testdesk.Ctx, f, "me"), "not found", `"nobody"`)
	}
}

// A cell of another setup, or of a bound where none is wanted, is not nearby.
func TestNearbyIsTheSamePlace(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "fast-mode", 200)
	testdesk.Typed(t, d, results.Typed{Subject: "a", Place: "left port", Readings: map[string]string{"rate": "150"}})
	testdesk.Typed(t, d, results.Typed{Subject: "a", Readings: map[string]string{"time": "more than 600"}})
	at := cellKey{Unit: "a", Setup: method.AsDelivered}
	if _, ok, err := d.Figures.Nearby("work/rate", at, true); ok || err != nil {
		t.Errorf("another setup or place is nearby: %v, %v", ok, err)
	}
	if _, ok, _ := d.Figures.Nearby("work/time", at, false); ok {
		t.Error("a bound stands in for a figure")
	}
	if e, ok, _ := d.Figures.Nearby("work/time", at, true); !ok || e.Cell.BoundAt != 600 {
		t.Errorf("%+v, %v", e, ok)
	}
	testdesk.Rates(t, d, "a", "", 100, 101)
	testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 5, Conditions: map[string]string{"supply": "battery"},
		Readings: map[string]string{"rate": "50"}})
	if e, ok, _ := d.Figures.Nearby("work/rate", at, false); !ok || e.Cell.N() != 2 {
		t.Errorf("of two the one with most readings: %+v", e)
	}
	if _, ok, _ := d.Figures.Nearby("work/rate", cellKey{Unit: "nobody", Setup: method.AsDelivered}, true); ok {
		t.Error("a unit nobody knows has a figure")
	}
}

// Under a chart of the field of everything stand those that nobody ran of kinds that were run at all, and of the
// subject's kind; other kinds are nothing to say there.
func TestNotRunIsSaidOfKindsThatWereRun(t *testing.T) {
	d, ctx := testdesk.Opened(t), testdesk.Ctx
	for _, name := range []string{"pocket", "other-pocket"} {
		if _, err := d.Books.AddDevice(ctx, catalog.Device{Kind: "phone", Maker: "Maker", Name: name}, "me"); err != nil {
			t.Fatal(err)
		}
	}
	missing := func(subject string) string {
		c, err := d.Figures.Rank(ctx, compare.Question{Measure: "work/rate", Subject: subject})
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, x := range c.LeftOut {
			out = append(out, x.Variant)
		}
		return strings.Join(out, " ")
	}
	all := "a b c other-pocket-as-sold pocket-as-sold"
	if got := missing(""); got != all {
		t.Errorf("where nothing was run: %s", got)
	}
	testdesk.Rates(t, d, "a", "", 100, 101, 102)
	if got := missing(""); got != "b c" {
		t.Errorf("where a laptop was run: %s", got)
	}
	if got := missing("pocket-as-sold"); got != "b c other-pocket-as-sold pocket-as-sold" {
		t.Errorf("with a phone as the subject: %s", got)
	}
	testdesk.Rates(t, d, "pocket-as-sold-a", "fast-mode", 50)
	if got := missing(""); got != "b c other-pocket-as-sold pocket-as-sold" {
		t.Errorf("where a phone was run in another mode: %s", got)
	}
}
