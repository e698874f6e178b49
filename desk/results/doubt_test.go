package results_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"durvek/core/compare"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/store"
)

func one(t *testing.T, d *house.House, rule string, state trust.DoubtState) trust.Doubt {
	t.Helper()
	list := testdesk.Doubts(t, d, store.DoubtFilter{Rule: rule, State: state})
	if len(list) != 1 {
		t.Fatalf("%d %s doubts of the rule %s, want one: %+v", len(list), state, rule, list)
	}
	return list[0]
}

func centre(t *testing.T, d *house.House, unit string) (float64, int) {
	t.Helper()
	p, err := d.Figures.Measure(testdesk.Ctx, "work/rate")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range p.Cells {
		if c.Unit == unit && c.Setup == "as-delivered" {
			return c.Estimate.Centre, c.Estimate.N
		}
	}
	return 0, 0
}

func TestADoubtIsRaisedUpheldReopenedAndDismissed(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	events, stop := d.Desk.Events.Listen()
	defer stop()
	testdesk.Rates(t, d, "a", "", 100, 101, 150)
	x := one(t, d, "outlier", trust.Open)
	if !strings.Contains(x.Sentence, "150") || x.Measure != "rate" || x.Subject != "a" || x.Picture == nil ||
		len(x.Picture.Marked) != 1 {
		t.Errorf("doubt %+v", x)
	}
	heard := false
	for len(events) > 0 {
		heard = (<-events).Name == "doubt" || heard
	}
	if !heard {
		t.Error("nobody was told of the doubt")
	}
	if v, n := centre(t, d, "a"); n != 3 || v < 110 {
		t.Errorf("an open doubt changes nothing: %g of %d", v, n)
	}
	c, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: "work/rate", Field: "everything"})
	if err != nil || len(c.Chart.Notes) != 1 || !strings.Contains(c.Chart.Notes[0], "In doubt: ") ||
		!strings.Contains(c.Chart.Text, "(note 1)") {
		t.Errorf("the chart says nothing of the doubt: %v %v", c.Chart.Notes, err)
	}
	for _, s := range []struct {
		results.Settling
		want string
	}{
		{results.Settling{Do: "uphold"}, "is upheld with a cause"}, {results.Settling{Do: "uphold", Cause: "moon"},
			"one of conditions"}, {results.Settling{Do: "uphold", Cause: "heat", Runs: []string{"x"}}, "is not about run"},
		{results.Settling{Do: "dismiss", Reason: " "}, "say why"}, {results.Settling{Do: "reopen", Reason: "so"},
			"is open already"}, {results.Settling{Do: "forget"}, "not \"forget\""},
	} {
		if _, err := d.Results.Settle(testdesk.Ctx, x.ID, s.Settling, "me"); err == nil || !strings.Contains(err.Error(),
			s.want) {
			t.Errorf("%+v: %v, want %q", s.Settling, err, s.want)
		}
	}
	if _, err := d.Results.Settle(testdesk.Ctx, x.ID, results.Settling{Do: "uphold", Cause: "background",
		Reason: "an update ran"}, "Odo"); err != nil {
		t.Fatal(err)
	}
	if v, n := centre(t, d, "a"); n != 2 || v > 101 {
		t.Errorf("upheld, and yet %g of %d readings", v, n)
	}
	p, err := d.Results.Run(testdesk.Ctx, x.Run)
	if err != nil || p.Run.Readings[0].State != record.Void || p.Run.Readings[0].Value != 150 ||
		p.Run.Readings[0].Reason != "an update ran" || len(p.Changes) != 1 || p.Changes[0].By != "Odo" ||
		p.Changes[0].Old.State != record.OK {
		t.Errorf("run %+v, changes %+v, %v", p.Run.Readings, p.Changes, err)
	}
	if _, err := d.Results.Settle(testdesk.Ctx, x.ID, results.Settling{Do: "dismiss", Reason: "no"}, "me"); err == nil ||
		!strings.Contains(err.Error(), "upheld already") {
		t.Errorf("dismissed what is upheld: %v", err)
	}
	if _, err := d.Results.Settle(testdesk.Ctx, x.ID, results.Settling{Do: "reopen", Reason: "the log says otherwise"},
		"Odo"); err != nil {
		t.Fatal(err)
	}
	if _, n := centre(t, d, "a"); n != 3 {
		t.Errorf("reopened, and %d readings count", n)
	}
	if _, err := d.Results.Settle(testdesk.Ctx, x.ID, results.Settling{Do: "dismiss", Reason: "it is that fast"},
		"Odo"); err != nil {
		t.Fatal(err)
	}
	page, err := d.Results.Doubt(testdesk.Ctx, x.ID)
	if err != nil {
		t.Fatal(err)
	}
	var acts []string
	for _, a := range page.Acts {
		acts = append(acts, a.By+" "+a.Act)
	}
	if got, want := strings.Join(acts, ", "), "the rule raised, Odo upheld, Odo reopened, Odo dismissed"; got != want {
		t.Errorf("its life is %s; want %s", got, want)
	}
	// Dismissed stays dismissed when the rules look again, until it has grown.
	if r, err := d.Results.Examine(testdesk.Ctx, store.RunFilter{Subject: "a"}, "me"); err != nil || r.Runs != 3 ||
		r.Open != 0 {
		t.Errorf("examined anew: %+v %v", r, err)
	}
}

func TestAnExtremeRunStaysInTheRepeatability(t *testing.T) {
	pool := func(cause string) stats.Pool {
		d := testdesk.Opened(t)
		testdesk.Quiet(t, d)
		testdesk.Rates(t, d, "a", "", 100, 101, 150)
		if _, err := d.Results.Settle(testdesk.Ctx, one(t, d, "outlier", trust.Open).ID, results.Settling{Do: "uphold",
			Cause: cause}, "me"); err != nil {
			t.Fatal(err)
		}
		p, err := d.Figures.Measure(testdesk.Ctx, "work/rate")
		if err != nil {
			t.Fatal(err)
		}
		if _, n := centre(t, d, "a"); n != 2 {
			t.Errorf("%s: %d readings count", cause, n)
		}
		return p.Pool
	}
	physical, extreme := pool("heat"), pool("unexplained")
	if physical.SR > 0.02 || extreme.SR < 1.2*physical.SR || extreme.Unlike < 1.3*physical.Unlike ||
		extreme.Own != physical.Own+1 {
		t.Errorf("repeatability with a physical cause %g, with none %g", physical.SR, extreme.SR)
	}
}

func TestLaterRepeatsLiftADoubt(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	testdesk.Rates(t, d, "a", "", 100, 125)
	x := one(t, d, "outlier", trust.Open)
	if len(x.Runs) != 2 || !strings.Contains(x.Sentence, "one of them is wrong") {
		t.Errorf("of two nobody can say which: %+v", x)
	}
	for i, v := range []string{"101", "100.4"} {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 2 + i, Readings: map[string]string{"rate": v}})
	}
	if x = one(t, d, "outlier", trust.Open); len(x.Runs) != 1 || !strings.Contains(x.Sentence, "125") {
		t.Errorf("of four it is plain which: %+v", x)
	}
	// The bad run is corrected: it had been mistyped.
	if _, err := d.Results.Correct(testdesk.Ctx, x.Run, results.Correction{Do: "correct", Measure: "rate", Value: "100.6",
		Reason: "typed 125 for 100.6"}, "me"); err != nil {
		t.Fatal(err)
	}
	x = one(t, d, "outlier", trust.Dismissed)
	if x.By != "the rule" || x.Reason == "" {
		t.Errorf("lifted by %q: %q", x.By, x.Reason)
	}
}

func TestOneDoubtForARoomThatWasTooWarm(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	for i := range 4 {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: i, Readings: map[string]string{"rate": fmt.Sprint(100 + i)},
			Conditions: map[string]string{"supply": "battery"}})
	}
	x := one(t, d, "departure", trust.Open)
	if len(x.Runs) != 4 {
		t.Fatalf("%d runs under it, want 4", len(x.Runs))
	}
	if _, err := d.Results.Settle(testdesk.Ctx, x.ID, results.Settling{Do: "uphold", Cause: "conditions",
		Runs: x.Runs[1:3]}, "me"); err != nil {
		t.Fatal(err)
	}
	for i := range 3 { // it goes on under the same conditions: one more doubt, not three
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 4 + i, Readings: map[string]string{"rate": fmt.Sprint(100 +
			i)}, Conditions: map[string]string{"supply": "battery"}})
	}
	if next := one(t, d, "departure", trust.Open); len(next.Runs) != 3 {
		t.Errorf("%d runs under the next one", len(next.Runs))
	} else if _, err := d.Results.Settle(testdesk.Ctx, next.ID, results.Settling{Do: "dismiss", Reason: "as it is"},
		"me"); err != nil {
		t.Fatal(err)
	}
	runs, n, err := d.Results.Runs(testdesk.Ctx, store.RunFilter{State: "void", Limit: 10})
	if err != nil || n != 2 || runs[0].Subject != "a" {
		t.Errorf("%d runs are void, %v", n, err)
	}
	if _, n, _ := d.Results.Runs(testdesk.Ctx, store.RunFilter{State: "doubted", Limit: 10}); n != 0 {
		t.Errorf("%d runs are still in doubt", n)
	}
}

func TestRulesAreTunedInTheOpen(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	for _, c := range []struct {
		x    trust.Tuning
		want string
	}{
		{trust.Tuning{Rule: "nonsense"}, "no rule"}, {trust.Tuning{Rule: "outlier", Test: "nothing", Off: true, Reason: "x"},
			"no test"}, {trust.Tuning{Rule: "outlier", Limit: 1, Reason: "x"}, "may not lie below 20"},
		{trust.Tuning{Rule: "outlier", Limit: 90}, "say why"}, {trust.Tuning{Rule: "ambient", Limit: 9, Reason: "x"},
			"knows no limit"},
	} {
		if _, err := d.Results.Tune(testdesk.Ctx, c.x, "me"); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: %v, want %q", c.x, err, c.want)
		}
	}
	if _, err := d.Results.Tune(testdesk.Ctx, trust.Tuning{Rule: "outlier", Test: "work", Off: true,
		Reason: "for this once"}, "Odo"); err != nil {
		t.Fatal(err)
	}
	testdesk.Rates(t, d, "a", "", 100, 101, 150)
	if l := testdesk.Doubts(t, d, store.DoubtFilter{Rule: "outlier"}); len(l) != 0 {
		t.Errorf("a rule that is off raised %+v", l)
	}
	rules, err := d.Results.Rules(testdesk.Ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range rules {
		if want := map[bool]int{true: 1}[r.Name == "outlier"]; len(r.Tunings) != want {
			t.Errorf("%s is listed with %d changes, want %d", r.Name, len(r.Tunings), want)
		}
	}
	p, err := d.Figures.Measure(testdesk.Ctx, "work/rate")
	if err != nil || len(p.Tunings) != 1 || p.Tunings[0].By != "Odo" || !strings.HasPrefix(p.Good,
		"One run of this test is good to ± ") {
		t.Errorf("the test's page says %q, %+v, %v", p.Good, p.Tunings, err)
	}
	if _, err := d.Results.Tune(testdesk.Ctx, trust.Tuning{Rule: "outlier", Test: "work"}, "me"); err != nil {
		t.Fatal(err)
	}
	if r, err := d.Results.Examine(testdesk.Ctx, store.RunFilter{}, "me"); err != nil || r.Open == 0 {
		t.Errorf("as it was, and the history brings %+v, %v", r, err)
	}
	rules, err = d.Results.Rules(testdesk.Ctx)
	if err != nil || len(rules) != len(trust.Rules) || !slices.ContainsFunc(rules, func(r results.RuleState) bool {
		return r.Name == "outlier" && r.Counts[trust.Open] == 1 && len(r.Tunings) == 0
	}) {
		t.Errorf("rules %+v, %v", rules, err)
	}
}

func TestWhatCameInBeforeAStopIsExaminedAtTheStart(t *testing.T) {
	dir := t.TempDir()
	now := func() time.Time { return time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC) }
	d := testdesk.OpenedIn(t, dir, now)
	testdesk.Quiet(t, d)
	testdesk.Rates(t, d, "a", "", 100, 101)
	runs, _, _ := d.Results.Runs(testdesk.Ctx, store.RunFilter{Subject: "a", Limit: 1})
	key, err := d.Desk.Store.RunCell(testdesk.Ctx, runs[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	late := runs[0]
	late.ID, late.Readings = desk.NewID(), []record.Reading{{Measure: "rate", State: record.OK, Value: 150}}
	if err := d.Desk.Write(testdesk.Ctx, func(q *desk.Tx) error { // it stopped between the run and the rules
		_, err := q.AddRun(testdesk.Ctx, late, key.Basis)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	d.Close()
	d = testdesk.OpenedIn(t, dir, now)
	if x := one(t, d, "outlier", trust.Open); !strings.Contains(x.Sentence, "150") {
		t.Errorf("doubt %+v", x)
	}
}

// A fault inside a transaction must leave the one writing connection free.
func TestAFaultWhileWritingLeavesTheDeskAtWork(t *testing.T) {
	d := testdesk.Opened(t)
	func() {
		defer func() {
			if recover() == nil {
				t.Error("the fault was swallowed")
			}
		}()
		_ = d.Desk.Write(testdesk.Ctx, func(*desk.Tx) error { panic("a rule divides by nothing") })
	}()
	testdesk.Rates(t, d, "a", "", 100, 101)
	if _, n := centre(t, d, "a"); n != 2 {
		t.Errorf("%d readings after the fault", n)
	}
}

func TestARunThatNoLongerCountsIsDoubtedNoMore(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	testdesk.Typed(t, d, results.Typed{Subject: "a", Readings: map[string]string{"rate": "100"}})
	runs, _, _ := d.Results.Runs(testdesk.Ctx, store.RunFilter{Subject: "a", Limit: 1})
	if _, err := d.Results.Correct(testdesk.Ctx, runs[0].ID, results.Correction{Do: "void", Reason: "the wrong cable"},
		"me"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Results.Examine(testdesk.Ctx, store.RunFilter{Subject: "a"}, "me"); err != nil {
		t.Fatal(err)
	}
	testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 1, Readings: map[string]string{"rate": "100"},
		Conditions: map[string]string{"supply": "battery"}})
	x := one(t, d, "departure", trust.Open)
	if _, err := d.Results.Correct(testdesk.Ctx, x.Run, results.Correction{Do: "void", Reason: "so it is"},
		"me"); err != nil {
		t.Fatal(err)
	}
	if l := testdesk.Doubts(t, d, store.DoubtFilter{Subject: "a"}); len(l) != 1 {
		t.Errorf("void runs are doubted anew: %+v", l)
	}
}
