package desk

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"durvek/core/catalog"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/store"
)

// doubts lists what is doubted in a state, as "rule run-number measure".
func doubts(t *testing.T, d *Desk, f store.DoubtFilter) []trust.Doubt {
	t.Helper()
	list, n, err := d.Doubts(ctx, f)
	if err != nil || n != len(list) {
		t.Fatalf("%d doubts of %d, %v", len(list), n, err)
	}
	return list
}

func one(t *testing.T, d *Desk, rule, state string) trust.Doubt {
	t.Helper()
	list := doubts(t, d, store.DoubtFilter{Rule: rule, State: state})
	if len(list) != 1 {
		t.Fatalf("%d %s doubts of the rule %s, want one: %+v", len(list), state, rule, list)
	}
	return list[0]
}

// quiet gives the test a repeatability of its own: two other units with repeats that agree to a per cent.
func quiet(t *testing.T, d *Desk) {
	t.Helper()
	rates(t, d, "b", "", 100, 101, 100, 99, 100.5, 100.2)
	rates(t, d, "c", "", 200, 202, 199, 200, 201, 200.4)
}

func centre(t *testing.T, d *Desk, unit string) (float64, int) {
	t.Helper()
	p, err := d.Measure(ctx, "work/rate")
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
	d := opened(t)
	quiet(t, d)
	events, stop := d.Events.Listen()
	defer stop()
	rates(t, d, "a", "", 100, 101, 150)
	x := one(t, d, "outlier", trust.Open)
	if !strings.Contains(x.Sentence, "150") || x.Measure != "rate" || x.Subject != "a" || x.Picture == nil || len(x.Picture.Marked) != 1 {
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
	c, err := d.Rank(ctx, Question{Measure: "work/rate", Field: "everything"})
	if err != nil || len(c.Chart.Notes) != 1 || !strings.Contains(c.Chart.Notes[0], "In doubt: ") || !strings.Contains(c.Chart.Text, "(note 1)") {
		t.Errorf("the chart says nothing of the doubt: %v %v", c.Chart.Notes, err)
	}
	for _, s := range []struct {
		Settling
		want string
	}{
		{Settling{Do: "uphold"}, "is upheld with a cause"}, {Settling{Do: "uphold", Cause: "moon"}, "none of conditions"}, {Settling{Do: "uphold", Cause: "heat", Runs: []string{"x"}}, "is not about run"},
		{Settling{Do: "dismiss", Reason: " "}, "say why"}, {Settling{Do: "reopen", Reason: "so"}, "is open already"}, {Settling{Do: "forget"}, "not \"forget\""},
	} {
		if _, err := d.Settle(ctx, x.ID, s.Settling, "me"); err == nil || !strings.Contains(err.Error(), s.want) {
			t.Errorf("%+v: %v, want %q", s.Settling, err, s.want)
		}
	}
	if _, err := d.Settle(ctx, x.ID, Settling{Do: "uphold", Cause: "background", Reason: "an update ran"}, "Odo"); err != nil {
		t.Fatal(err)
	}
	if v, n := centre(t, d, "a"); n != 2 || v > 101 {
		t.Errorf("upheld, and yet %g of %d readings", v, n)
	}
	p, err := d.Run(ctx, x.Run)
	if err != nil || p.Run.Readings[0].State != record.Void || p.Run.Readings[0].Value != 150 || p.Run.Readings[0].Reason != "an update ran" || len(p.Changes) != 1 || p.Changes[0].By != "Odo" || p.Changes[0].Old.State != record.OK {
		t.Errorf("run %+v, changes %+v, %v", p.Run.Readings, p.Changes, err)
	}
	if _, err := d.Settle(ctx, x.ID, Settling{Do: "dismiss", Reason: "no"}, "me"); err == nil || !strings.Contains(err.Error(), "upheld already") {
		t.Errorf("dismissed what is upheld: %v", err)
	}
	if _, err := d.Settle(ctx, x.ID, Settling{Do: "reopen", Reason: "the log says otherwise"}, "Odo"); err != nil {
		t.Fatal(err)
	}
	if _, n := centre(t, d, "a"); n != 3 {
		t.Errorf("reopened, and %d readings count", n)
	}
	if _, err := d.Settle(ctx, x.ID, Settling{Do: "dismiss", Reason: "it is that fast"}, "Odo"); err != nil {
		t.Fatal(err)
	}
	page, err := d.Doubt(ctx, x.ID)
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
	if r, err := d.Examine(ctx, store.RunFilter{Subject: "a"}, "me"); err != nil || r.Runs != 3 || r.Open != 0 {
		t.Errorf("examined anew: %+v %v", r, err)
	}
}

func TestAnExtremeRunStaysInTheRepeatability(t *testing.T) {
	pool := func(cause string) stats.Pool {
		d := opened(t)
		quiet(t, d)
		rates(t, d, "a", "", 100, 101, 150)
		if _, err := d.Settle(ctx, one(t, d, "outlier", trust.Open).ID, Settling{Do: "uphold", Cause: cause}, "me"); err != nil {
			t.Fatal(err)
		}
		p, err := d.Measure(ctx, "work/rate")
		if err != nil {
			t.Fatal(err)
		}
		if _, n := centre(t, d, "a"); n != 2 {
			t.Errorf("%s: %d readings count", cause, n)
		}
		return p.Pool
	}
	physical, extreme := pool("heat"), pool("unexplained")
	if physical.SR > 0.02 || extreme.SR < 3*physical.SR || extreme.Own != physical.Own+1 {
		t.Errorf("pool with a physical cause %+v, with none %+v", physical, extreme)
	}
}

func TestLaterRepeatsLiftADoubt(t *testing.T) {
	d := opened(t)
	quiet(t, d)
	rates(t, d, "a", "", 100, 125)
	x := one(t, d, "outlier", trust.Open)
	if len(x.Runs) != 2 || !strings.Contains(x.Sentence, "one of them is wrong") {
		t.Errorf("of two nobody can say which: %+v", x)
	}
	for i, v := range []string{"101", "100.4"} {
		typed(t, d, Typed{Subject: "a", Repeat: 2 + i, Readings: map[string]string{"rate": v}})
	}
	if x = one(t, d, "outlier", trust.Open); len(x.Runs) != 1 || !strings.Contains(x.Sentence, "125") {
		t.Errorf("of four it is plain which: %+v", x)
	}
	// The bad run is corrected: it had been mistyped.
	if _, err := d.Correct(ctx, x.Run, Correction{Do: "correct", Measure: "rate", Value: "100.6", Reason: "typed 125 for 100.6"}, "me"); err != nil {
		t.Fatal(err)
	}
	x = one(t, d, "outlier", trust.Dismissed)
	if x.By != byRule || x.Reason == "" {
		t.Errorf("lifted by %q: %q", x.By, x.Reason)
	}
}

func TestOneDoubtForARoomThatWasTooWarm(t *testing.T) {
	d := opened(t)
	quiet(t, d)
	for i := range 4 {
		typed(t, d, Typed{Subject: "a", Repeat: i, Readings: map[string]string{"rate": fmt.Sprint(100 + i)}, Conditions: map[string]string{"supply": "battery"}})
	}
	x := one(t, d, "departure", trust.Open)
	if len(x.Runs) != 4 {
		t.Fatalf("%d runs under it, want 4", len(x.Runs))
	}
	if _, err := d.Settle(ctx, x.ID, Settling{Do: "uphold", Cause: "conditions", Runs: x.Runs[1:3]}, "me"); err != nil {
		t.Fatal(err)
	}
	for i := range 3 { // it goes on under the same conditions: one more doubt, not three
		typed(t, d, Typed{Subject: "a", Repeat: 4 + i, Readings: map[string]string{"rate": fmt.Sprint(100 + i)}, Conditions: map[string]string{"supply": "battery"}})
	}
	if next := one(t, d, "departure", trust.Open); len(next.Runs) != 3 {
		t.Errorf("%d runs under the next one", len(next.Runs))
	} else if _, err := d.Settle(ctx, next.ID, Settling{Do: "dismiss", Reason: "as it is"}, "me"); err != nil {
		t.Fatal(err)
	}
	runs, n, err := d.Runs(ctx, store.RunFilter{State: "void", Limit: 10})
	if err != nil || n != 2 || runs[0].Subject != "a" {
		t.Errorf("%d runs are void, %v", n, err)
	}
	if _, n, _ := d.Runs(ctx, store.RunFilter{State: "doubted", Limit: 10}); n != 0 {
		t.Errorf("%d runs are still in doubt", n)
	}
}

func TestRulesAreTunedInTheOpen(t *testing.T) {
	d := opened(t)
	quiet(t, d)
	for _, c := range []struct {
		x    trust.Tuning
		want string
	}{
		{trust.Tuning{Rule: "nonsense"}, "no rule"}, {trust.Tuning{Rule: "outlier", Test: "nothing", Off: true, Reason: "x"}, "no test"}, {trust.Tuning{Rule: "outlier", Limit: 1, Reason: "x"}, "may not lie below 3"},
		{trust.Tuning{Rule: "outlier", Limit: 9}, "say why"}, {trust.Tuning{Rule: "ambient", Limit: 9, Reason: "x"}, "knows no limit"},
	} {
		if _, err := d.Tune(ctx, c.x, "me"); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: %v, want %q", c.x, err, c.want)
		}
	}
	if _, err := d.Tune(ctx, trust.Tuning{Rule: "outlier", Test: "work", Off: true, Reason: "for this once"}, "Odo"); err != nil {
		t.Fatal(err)
	}
	rates(t, d, "a", "", 100, 101, 150)
	if l := doubts(t, d, store.DoubtFilter{Rule: "outlier"}); len(l) != 0 {
		t.Errorf("a rule that is off raised %+v", l)
	}
	p, err := d.Measure(ctx, "work/rate")
	if err != nil || len(p.Tunings) != 1 || p.Tunings[0].By != "Odo" || !strings.HasPrefix(p.Good, "One run of this test is good to ± ") {
		t.Errorf("the test's page says %q, %+v, %v", p.Good, p.Tunings, err)
	}
	if _, err := d.Tune(ctx, trust.Tuning{Rule: "outlier", Test: "work"}, "me"); err != nil {
		t.Fatal(err)
	}
	if r, err := d.Examine(ctx, store.RunFilter{}, "me"); err != nil || r.Open == 0 {
		t.Errorf("as it was, and the history brings %+v, %v", r, err)
	}
	rules, err := d.Rules(ctx)
	if err != nil || len(rules) != len(trust.Rules) || !slices.ContainsFunc(rules, func(r RuleState) bool { return r.Name == "outlier" && r.Counts[trust.Open] == 1 && len(r.Tunings) == 0 }) {
		t.Errorf("rules %+v, %v", rules, err)
	}
}

func TestWhatCameInBeforeAStopIsExaminedAtTheStart(t *testing.T) {
	dir := t.TempDir()
	now := func() time.Time { return time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC) }
	d := openedIn(t, dir, now)
	quiet(t, d)
	rates(t, d, "a", "", 100, 101)
	runs, _, _ := d.Runs(ctx, store.RunFilter{Subject: "a", Limit: 1})
	key, err := d.store.RunCell(ctx, runs[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	late := runs[0]
	late.ID, late.Readings = newID(), []record.Reading{{Measure: "rate", State: record.OK, Value: 150}}
	if err := d.store.Write(ctx, func(q store.Queries) error { // it stopped between the run and the rules
		_, err := q.AddRun(ctx, late, key.Basis)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	d.Close()
	d = openedIn(t, dir, now)
	if x := one(t, d, "outlier", trust.Open); !strings.Contains(x.Sentence, "150") {
		t.Errorf("doubt %+v", x)
	}
}

// Whatever is voided, restored, corrected, merged, upheld and reopened in whatever order, the cells that are kept are those
// that all readings give from scratch, in memory and in the database.
func TestEstimatesEqualRecomputingWhateverIsChanged(t *testing.T) {
	d := opened(t)
	quiet(t, d)
	rng := rand.New(rand.NewPCG(11, 4))
	var ids []string
	add := func() {
		x := Typed{Test: "work", Subject: "a", Setup: []string{"as-delivered", "fast-mode"}[rng.IntN(2)], Sitting: fmt.Sprint("boot ", rng.IntN(3)), Repeat: len(ids), Readings: map[string]string{"rate": fmt.Sprintf("%.3f", 100*[]float64{1, 1, 1, 1.4}[rng.IntN(4)]+rng.Float64())}}
		if rng.IntN(4) == 0 {
			x.Readings["time"] = "more than 600"
		}
		r, err := d.TypeReadings(ctx, x, "me")
		if err != nil {
			t.Fatal(err)
		}
		ids = append(ids, r.ID)
	}
	for range 6 {
		add()
	}
	did := map[string]int{}
	for range 160 {
		id := ids[rng.IntN(len(ids))]
		var err error
		do := []string{"add", "void", "restore", "correct", "merge", "settle", "settle"}[rng.IntN(7)]
		switch do {
		case "add":
			add()
		case "settle":
			all := doubts(t, d, store.DoubtFilter{Subject: "a"})
			if len(all) == 0 {
				continue
			}
			x := all[rng.IntN(len(all))]
			s := Settling{Do: "reopen", Reason: "again"}
			if x.State == trust.Open {
				s = Settling{Do: []string{"uphold", "uphold", "dismiss"}[rng.IntN(3)], Cause: []string{"heat", "unexplained"}[rng.IntN(2)], Reason: "so"}
			}
			_, err = d.Settle(ctx, x.ID, s, "me")
		default:
			c := Correction{Do: do, Measure: []string{"", "rate"}[rng.IntN(2)], Value: fmt.Sprintf("%.2f", 99+2*rng.Float64()), Into: ids[rng.IntN(len(ids))], Cause: []string{"", "unexplained", "heat"}[rng.IntN(3)], Reason: "so"}
			_, err = d.Correct(ctx, id, c, "me")
		}
		if err == nil {
			did[do]++
		}
	}
	for _, k := range []string{"add", "void", "restore", "correct", "merge", "settle"} {
		if did[k] < 3 {
			t.Errorf("%s happened %d times only", k, did[k])
		}
	}
	memory := map[store.CellKey]stats.Cell{}
	<-d.matrix.loaded
	for id := range d.matrix.columns {
		d.matrix.each(id, func(e store.Estimate) { memory[e.CellKey] = e.Cell })
	}
	kept := map[store.CellKey]stats.Cell{}
	list, err := d.store.Estimates(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range list {
		kept[e.CellKey] = e.Cell
	}
	if !reflect.DeepEqual(memory, kept) {
		t.Errorf("memory and database differ:\n%+v\n%+v", memory, kept)
	}
	r, err := d.Recount(ctx)
	if err != nil || r.Cells != len(kept) || len(r.Differ) > 0 {
		t.Errorf("made anew: %+v, %v", r, err)
	}
	// From scratch, by the runs as they stand.
	want := map[store.CellKey]int{}
	runs, _, err := d.Runs(ctx, store.RunFilter{Limit: 10000})
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range runs {
		k, err := d.store.RunCell(ctx, x.ID)
		if err != nil {
			t.Fatal(err)
		}
		for _, reading := range x.Readings {
			if k.Measure = "work/" + reading.Measure; reading.State == record.OK || reading.State.Bound() != "" {
				want[k]++
			}
		}
	}
	if len(want) != len(kept) {
		t.Errorf("%d cells are kept, %d hold readings", len(kept), len(want))
	}
	for k, n := range want {
		if c := kept[k]; c.N() != n {
			t.Errorf("%v counts %d readings, want %d", k, c.N(), n)
		}
	}
}

func TestCorrectionsKeepWhatStoodBefore(t *testing.T) {
	d := opened(t)
	rates(t, d, "a", "", 100, 110)
	runs, _, _ := d.Runs(ctx, store.RunFilter{Subject: "a", Limit: 5})
	id := runs[0].ID
	for _, c := range []struct {
		Correction
		want string
	}{
		{Correction{Do: "void"}, "say why"}, {Correction{Do: "correct", Reason: "x", Value: "3"}, "which measure"}, {Correction{Do: "correct", Reason: "x", Measure: "nothing", Value: "3"}, "no measure"},
		{Correction{Do: "correct", Reason: "x", Measure: "rate", Value: "fast"}, "rate"}, {Correction{Do: "correct", Reason: "x", Measure: "rate", Value: "-3"}, "above zero"}, {Correction{Do: "restore", Reason: "x"}, "all of it counts"},
		{Correction{Do: "merge", Reason: "x", Into: id}, "no duplicate of itself"}, {Correction{Do: "void", Reason: "x", Cause: "moon"}, "no known cause"}, {Correction{Do: "burn", Reason: "x"}, "not \"burn\""}, {Correction{Do: "void", Reason: "x", Measure: "time"}, "has no reading"},
	} {
		if _, err := d.Correct(ctx, id, c.Correction, "me"); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: %v, want %q", c.Correction, err, c.want)
		}
	}
	steps := []Correction{{Do: "correct", Measure: "rate", Value: "105", Reason: "read upside down"}, {Do: "void", Reason: "wrong cable"}, {Do: "restore", Reason: "right after all"}}
	var p RunPage
	var err error
	for _, c := range steps {
		if p, err = d.Correct(ctx, id, c, "Odo"); err != nil {
			t.Fatal(err)
		}
	}
	if x := p.Run.Readings[0]; x.State != record.OK || x.Value != 105 || len(p.Changes) != 3 || p.Changes[2].Old.Value != runs[0].Readings[0].Value {
		t.Errorf("reading %+v, changes %+v", x, p.Changes)
	}
	if raw, err := d.store.Raw(ctx, id); err != nil || raw[0].Value == 105 {
		t.Errorf("what was delivered is overwritten: %+v %v", raw, err)
	}
	if v, n := centre(t, d, "a"); n != 2 || v < 102 || v > 103 && runs[0].Readings[0].Value == 110 {
		t.Errorf("centre %g of %d", v, n)
	}
}

func TestTheSameTableTakenInTwiceIsMerged(t *testing.T) {
	d := opened(t)
	for _, day := range []string{"2026-10-01", "2026-10-02"} {
		table := "unit,date,test,repeat,measure,value\na," + day + ",work,0,rate,101.25\na," + day + ",work,1,rate,101.25\na," + day + ",work,2,rate,99\n"
		if x, err := d.ImportTable(ctx, []byte(table), false, "me"); err != nil || !x.Written {
			t.Fatalf("%+v %v", x, err)
		}
	}
	twins, err := d.Twins(ctx, "a")
	if err != nil || len(twins) != 3 {
		t.Fatalf("%d pairs, want the three repeats of both days and no repeats of one: %v", len(twins), err)
	}
	for _, p := range twins {
		if !p.Keep.Started.Before(p.Drop.Started) {
			t.Errorf("%s should stay, not %s", p.Drop.ID, p.Keep.ID)
		}
		if _, err := d.Correct(ctx, p.Drop.ID, Correction{Do: "merge", Into: p.Keep.ID, Reason: "taken in twice"}, "me"); err != nil {
			t.Fatal(err)
		}
	}
	if _, n := centre(t, d, "a"); n != 3 {
		t.Errorf("%d readings count after merging", n)
	}
	if left, err := d.Twins(ctx, ""); err != nil || len(left) != 0 {
		t.Errorf("%d pairs are left, %v", len(left), err)
	}
	if _, err := d.Correct(ctx, twins[0].Keep.ID, Correction{Do: "merge", Into: twins[0].Drop.ID, Reason: "x"}, "me"); err == nil || !strings.Contains(err.Error(), "does not count itself") {
		t.Errorf("merged into a void run: %v", err)
	}
	rates(t, d, "b", "", 101.25)
	other, _, _ := d.Runs(ctx, store.RunFilter{Subject: "b", Limit: 1})
	if _, err := d.Correct(ctx, other[0].ID, Correction{Do: "merge", Into: twins[0].Keep.ID, Reason: "x"}, "me"); err == nil || !strings.Contains(err.Error(), "the same unit and test") {
		t.Errorf("merged two units: %v", err)
	}
}

func TestWhatChangedBetweenRunsAndOverTime(t *testing.T) {
	d := opened(t)
	quiet(t, d)
	base := []float64{100, 101, 99.5, 100.4, 118, 119, 117.6}
	for i, v := range base {
		firmware := "1.2"
		if i >= 4 {
			firmware = "1.3"
		}
		for k := range 2 {
			typed(t, d, Typed{Subject: "a", Date: fmt.Sprintf("2026-%02d-05", i+2), Repeat: k, Readings: map[string]string{"rate": fmt.Sprintf("%.2f", v+0.3*float64(k))}, Conditions: map[string]string{"firmware": firmware}})
		}
	}
	h, err := d.History(ctx, HistoryAsked{Unit: "a", Measure: "work/rate"})
	if err != nil || len(h.Moments) != 7 || len(h.Shifts) != 1 || h.Shifts[0].At != 4 {
		t.Fatalf("history %+v, %v", h.History, err)
	}
	if s := h.Shifts[0]; len(s.Changed) != 1 || s.Changed[0].B != "1.3" || !strings.Contains(h.Sentence, "Since 2026-06-05") || !strings.Contains(h.Sentence, "firmware 1.3, not 1.2") {
		t.Errorf("shift %+v: %s", s, h.Sentence)
	}
	c, err := d.Between(ctx, h.Moments[3].Runs[0], h.Moments[4].Runs[0])
	if err != nil || !c.Comparable || !strings.Contains(c.Sentence, "1 of 1 figures differ") {
		t.Fatalf("%+v %v", c, err)
	}
	found := false
	for _, p := range c.Parts {
		for _, r := range p.Rows {
			found = found || r.Name == "firmware" && r.A == "1.2" && r.B == "1.3"
		}
	}
	if !found {
		t.Errorf("the firmware is not named: %+v", c.Parts)
	}
	typed(t, d, Typed{Subject: "a", Setup: "battery", Date: "2026-09-05", Readings: map[string]string{"rate": "80"}, Conditions: map[string]string{"firmware": "1.3"}})
	runs, _, _ := d.Runs(ctx, store.RunFilter{Subject: "a", Setup: "battery", Limit: 1})
	if c, err = d.Between(ctx, h.Moments[4].Runs[0], runs[0].ID); err != nil || c.Comparable || !strings.Contains(c.Sentence, "cannot be compared: supply battery, not mains") {
		t.Errorf("%+v %v", c, err)
	}
	if _, err := d.Between(ctx, "nothing", runs[0].ID); err == nil || !strings.Contains(err.Error(), "no run") {
		t.Errorf("%v", err)
	}
	for _, q := range []HistoryAsked{{Unit: "a", Measure: "no/thing"}, {Unit: "nobody", Measure: "work/rate"}} {
		if _, err := d.History(ctx, q); err == nil {
			t.Errorf("%+v has a history", q)
		}
	}
}

func TestWhatASingleThingIsWorth(t *testing.T) {
	d := opened(t)
	quiet(t, d)
	rates(t, d, "b", "battery", 80, 80.8, 79.5)
	rates(t, d, "c", "battery", 162, 160, 159)
	rates(t, d, "a", "", 100, 101, 100)
	w, err := d.Worth(ctx, "work/rate", "")
	if err != nil || len(w.Worth) != 1 {
		t.Fatalf("%+v %v", w, err)
	}
	if x := w.Worth[0]; x.Key != "supply" || x.From != "mains" || x.To != "battery" || len(x.Pairs) != 2 || x.Effect.Value > -18 || x.Effect.Value < -22 || !x.Effect.Sure {
		t.Errorf("%+v", x)
	}
	// Siblings: one differs in its memory alone, another in two things.
	for _, v := range []struct {
		slug string
		spec map[string]any
		rate float64
	}{{"a", map[string]any{"memory.size": "16 GiB", "cpu.cores": 8}, 0}, {"a32", map[string]any{"memory.size": "32 GiB", "cpu.cores": 8}, 120}, {"a64", map[string]any{"memory.size": "64 GiB", "cpu.cores": 12}, 150}} {
		if err := d.AddVariant(ctx, catalog.Variant{Slug: v.slug, Model: "a", Name: v.slug, Spec: v.spec}, "me"); err != nil {
			t.Fatal(err)
		}
		if v.rate > 0 {
			if err := d.AddUnit(ctx, catalog.Unit{Slug: v.slug, Variant: v.slug, Origin: "bought"}, "me"); err != nil {
				t.Fatal(err)
			}
			rates(t, d, v.slug, "", v.rate, v.rate*1.01)
		}
	}
	if w, err = d.Worth(ctx, "work/rate", ""); err != nil || len(w.Worth) != 2 || w.Worth[0].Key != "memory.size" || len(w.Confounded) != 2 || len(w.Confounded[0].Differs) != 2 {
		t.Fatalf("%+v %v", w, err)
	}
	y, err := d.Why(ctx, "work/rate", "a", "a32", "")
	if err != nil || y.Firm != "attributed" || !strings.Contains(y.Answer, "memory: 16 GiB and 32 GiB") {
		t.Errorf("%+v %v", y, err)
	}
	if y, err = d.Why(ctx, "work/rate", "a", "a64", ""); err != nil || y.Firm != "open" || len(y.Differs) != 2 {
		t.Errorf("%+v %v", y, err)
	}
	if _, err = d.Why(ctx, "work/time", "a", "a64", ""); err == nil || !strings.Contains(err.Error(), "has no figure") {
		t.Errorf("%v", err)
	}
}

// A fault inside a transaction must leave the one writing connection free.
func TestAFaultWhileWritingLeavesTheDeskAtWork(t *testing.T) {
	d := opened(t)
	func() {
		defer func() {
			if recover() == nil {
				t.Error("the fault was swallowed")
			}
		}()
		_ = d.store.Write(ctx, func(store.Queries) error { panic("a rule divides by nothing") })
	}()
	rates(t, d, "a", "", 100, 101)
	if _, n := centre(t, d, "a"); n != 2 {
		t.Errorf("%d readings after the fault", n)
	}
}

func TestARunThatNoLongerCountsIsDoubtedNoMore(t *testing.T) {
	d := opened(t)
	quiet(t, d)
	typed(t, d, Typed{Subject: "a", Readings: map[string]string{"rate": "100"}})
	runs, _, _ := d.Runs(ctx, store.RunFilter{Subject: "a", Limit: 1})
	if _, err := d.Correct(ctx, runs[0].ID, Correction{Do: "void", Reason: "the wrong cable"}, "me"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Examine(ctx, store.RunFilter{Subject: "a"}, "me"); err != nil {
		t.Fatal(err)
	}
	typed(t, d, Typed{Subject: "a", Repeat: 1, Readings: map[string]string{"rate": "100"}, Conditions: map[string]string{"supply": "battery"}})
	x := one(t, d, "departure", trust.Open)
	if _, err := d.Correct(ctx, x.Run, Correction{Do: "void", Reason: "so it is"}, "me"); err != nil {
		t.Fatal(err)
	}
	if l := doubts(t, d, store.DoubtFilter{Subject: "a"}); len(l) != 1 {
		t.Errorf("void runs are doubted anew: %+v", l)
	}
}
