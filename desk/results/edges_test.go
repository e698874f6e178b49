package results_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/store"
)

var ctx = testdesk.Ctx

// joined is a desk with a plan of the test "work" on unit a, and the run of its first job.
func joined(t *testing.T) (*house.House, record.Run) {
	t.Helper()
	d := testdesk.Opened(t)
	p, err := d.Bench.AddPlan(ctx, method.Plan{Unit: "a", Steps: []method.PlanStep{{Test: "work", Repeats: 3}}}, "me")
	if err != nil {
		t.Fatal(err)
	}
	code, _, err := d.Bench.JoinCode(ctx, p.ID)
	if err != nil {
		t.Fatal(err)
	}
	j, err := d.Bench.Join(ctx, code, "", record.Machine{Name: "m", Boot: "b"})
	if err != nil {
		t.Fatal(err)
	}
	return d, record.Run{ID: uuid.NewString(), Plan: p.ID, Test: "work", TestVersion: 1, Sitting: j.Sitting,
		Outcome: record.Done, Started: testdesk.Morning(), Ended: testdesk.Morning().Add(time.Minute),
		Readings: []record.Reading{{Measure: "rate", State: record.OK, Value: 100}}}
}

// A run belongs to its plan's step and repeat, to a sitting of its unit, and to a time that can be.
func TestARunThatDoesNotFitItsPlanIsRefused(t *testing.T) {
	d, good := joined(t)
	far := testdesk.Morning().Add(desk.FarOff)
	for _, c := range []struct {
		name   string
		change func(*record.Run)
		want   string
	}{
		{"no id", func(r *record.Run) { r.ID = "7" }, "is not a UUID"},
		{"no plan", func(r *record.Run) { r.Plan = "q" }, `no plan "q"`},
		{"another test", func(r *record.Run) { r.Test = "other" }, "is not step 1"},
		{"step below", func(r *record.Run) { r.Step = -1 }, "is not step"},
		{"step beyond", func(r *record.Run) { r.Step = 1 }, "is not step 2"},
		{"repeat below", func(r *record.Run) { r.Repeat = -1 }, "is not step"},
		{"repeat beyond", func(r *record.Run) { r.Repeat = 3 }, "repeat 4"},
		{"no sitting", func(r *record.Run) { r.Sitting = "q" }, `sitting "q" is not one of unit "a"`},
		{"ends before it begins", func(r *record.Run) { r.Ended = r.Started.Add(-time.Second) }, "which cannot be"},
		{"from the future", func(r *record.Run) { r.Started, r.Ended = far.Add(time.Second), far.Add(time.Minute) },
			"which cannot be"},
		{"an unknown measure", func(r *record.Run) { r.Readings[0].Measure = "q" }, `no measure "q"`},
		{"a reading that cannot be", func(r *record.Run) { r.Readings[0].Value = -1 }, "above zero"},
		{"a trace that is none", func(r *record.Run) { r.Trace = []byte("x") }, "refused"},
		{"an unknown version", func(r *record.Run) { r.TestVersion = 9 }, "version 9"},
	} {
		r := good
		r.Readings = append([]record.Reading(nil), good.Readings...)
		c.change(&r)
		if _, err := d.Results.AddRun(ctx, r); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", c.name, err, c.want)
		}
	}
	if _, n, _ := d.Results.Runs(ctx, store.RunFilter{Limit: 1}); n != 0 {
		t.Fatalf("%d refused runs were kept", n)
	}
	// On each edge it is taken: a day ahead by its clock, no length at all, the last repeat.
	good.Started, good.Ended, good.Repeat = far, far, 2
	if fresh, err := d.Results.AddRun(ctx, good); err != nil || !fresh {
		t.Errorf("%v, %v", fresh, err)
	}
	if fresh, err := d.Results.AddRun(ctx, good); err != nil || fresh {
		t.Errorf("sent again: %v, %v", fresh, err)
	}
	twin := good
	twin.ID = uuid.NewString()
	_, err := d.Results.AddRun(ctx, twin)
	testdesk.Says(t, err, desk.Conflict, "repeat 3", "has a run already")
}

// The day named by until is part of it, the one after is not; the same for from.
func TestDaysAreWhole(t *testing.T) {
	d := testdesk.Opened(t)
	for i, day := range []string{"2026-11-01", "2026-11-02", "2026-11-03"} {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Date: day, Repeat: i,
			Readings: map[string]string{"rate": fmt.Sprint(100 + i)}})
	}
	for _, c := range []struct {
		from, until string
		want        int
	}{{"", "2026-11-02", 2}, {"2026-11-02", "", 2}, {"2026-11-02", "2026-11-02", 1}, {"2026-11-04", "", 0},
		{"", "2026-10-31", 0}} {
		if _, n, err := d.Results.Runs(ctx, store.RunFilter{From: c.from, Until: c.until, Limit: 10}); err != nil ||
			n != c.want {
			t.Errorf("from %q until %q: %d runs, %v, want %d", c.from, c.until, n, err, c.want)
		}
	}
	_, err := d.Results.TypeReadings(ctx, results.Typed{Test: "work", Subject: "a", Date: "2026-11-24",
		Readings: map[string]string{"rate": "1"}}, "me")
	testdesk.Says(t, err, desk.Invalid, "lies in the future")
	_, err = d.Results.TypeReadings(ctx, results.Typed{Test: "work", Subject: "a", Date: "yesterday",
		Readings: map[string]string{"rate": "1"}}, "me")
	testdesk.Says(t, err, desk.Invalid, "is not a date")
}

// Upholding some runs of a doubt leaves the others counting, and so does restoring: only what that doubt took out comes
// back.
func TestOnlyTheRunsThatAreNamedStopCounting(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	for i := range 4 {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: i, Readings: map[string]string{"rate": fmt.Sprint(100 + i)},
			Conditions: map[string]string{"supply": "battery"}})
	}
	x := one(t, d, "departure", trust.Open)
	if len(x.Runs) != 4 {
		t.Fatalf("%d runs", len(x.Runs))
	}
	void := func() (out []string) {
		runs, _, err := d.Results.Runs(ctx, store.RunFilter{State: "void", Limit: 10})
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range runs {
			out = append(out, r.ID)
		}
		return out
	}
	if _, err := d.Results.Correct(ctx, x.Runs[0], results.Correction{Do: "void", Reason: "by hand"}, "me"); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Results.Settle(ctx, x.ID, results.Settling{Do: "uphold", Cause: "conditions", Runs: x.Runs[:2]},
		"me"); err != nil {
		t.Fatal(err)
	}
	if got := void(); len(got) != 2 {
		t.Fatalf("%d runs are void, want the two that were named", len(got))
	}
	if _, err := d.Results.Settle(ctx, x.ID, results.Settling{Do: "reopen", Reason: "wrong"}, "me"); err != nil {
		t.Fatal(err)
	}
	if got := void(); len(got) != 1 || got[0] != x.Runs[0] {
		t.Errorf("void are %v; what was taken out by hand stays out", got)
	}
}

// A doubt that was dismissed comes back when it has grown by half, not before.
func TestADismissedDoubtComesBackWhenItHasGrown(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	testdesk.Rates(t, d, "a", "", 100, 101, 130)
	x := one(t, d, "outlier", trust.Open)
	if _, err := d.Results.Settle(ctx, x.ID, results.Settling{Do: "dismiss", Reason: "it is so"}, "me"); err != nil {
		t.Fatal(err)
	}
	correct := func(value string) {
		t.Helper()
		if _, err := d.Results.Correct(ctx, x.Run, results.Correction{Do: "correct", Measure: "rate", Value: value,
			Reason: "read again"}, "me"); err != nil {
			t.Fatal(err)
		}
	}
	correct("137") // a fifth more
	if list := testdesk.Doubts(t, d, store.DoubtFilter{Rule: "outlier", State: trust.Open}); len(list) != 0 {
		t.Errorf("it came back though it hardly grew: %+v", list)
	}
	correct("190")
	if y := one(t, d, "outlier", trust.Open); y.ID != x.ID {
		t.Errorf("another doubt of the same thing: %s, %s", y.ID, x.ID)
	}
}

// What held back more than half of a cell's runs is its limiter; half is not more.
func TestALimiterNeedsAMajority(t *testing.T) {
	d, r := joined(t)
	held := map[string]string{"link.drive": "SATA 6 Gbit/s"}
	limiter := func() record.LimiterLabel {
		e, ok, err := d.Figures.Nearby("work/rate", store.CellKey{Unit: "a", Setup: method.AsDelivered}, false)
		if err != nil || !ok {
			t.Fatal(err, ok)
		}
		return e.Limiter
	}
	for i, c := range []struct {
		limited bool
		want    record.LimiterLabel
	}{{true, record.ByProcessor}, {false, ""}, {true, record.ByProcessor}} {
		x := r
		x.ID, x.Repeat, x.Negotiated = uuid.NewString(), i, held
		x.Readings = []record.Reading{{Measure: "rate", State: record.OK, Value: 100 + float64(i)}}
		if c.limited {
			x.Trace = busy(t)
		}
		if _, err := d.Results.AddRun(ctx, x); err != nil {
			t.Fatal(err)
		}
		if got := limiter(); got != c.want {
			t.Errorf("after %d runs: %q, want %q", i+1, got, c.want)
		}
	}
}

// Laps of a stopwatch are runs of their own; they are no readings, and readings no laps.
func TestLapsAndReadingsAreOneOrTheOther(t *testing.T) {
	d := testdesk.Opened(t)
	tests, err := d.Books.Tests(ctx)
	if err != nil {
		t.Fatal(err)
	}
	var watch method.Test
	for _, x := range tests {
		if x.Hands == "stopwatch" && x.Fits("laptop") {
			watch = x
			break
		}
	}
	_, err = d.Results.TypeReadings(ctx, results.Typed{Test: "work", Subject: "a", Laps: []float64{1}}, "me")
	testdesk.Says(t, err, desk.Invalid, "not timed with a stopwatch")
	_, err = d.Results.TypeReadings(ctx, results.Typed{Test: watch.Slug, Subject: "a", Laps: []float64{1},
		Readings: map[string]string{watch.Measures[0].Slug: "1"}}, "me")
	testdesk.Says(t, err, desk.Invalid, "not both")
	_, err = d.Results.TypeReadings(ctx, results.Typed{Test: watch.Slug, Subject: "a"}, "me")
	testdesk.Says(t, err, desk.Invalid, "no reading was given")
	_, err = d.Results.TypeReadings(ctx, results.Typed{Test: watch.Slug, Subject: "a", Repeat: 2, Laps: []float64{31.5,
		32.25}}, "me")
	if err != nil {
		t.Fatal(err)
	}
	runs, n, err := d.Results.Runs(ctx, store.RunFilter{Test: watch.Slug, Limit: 5})
	if err != nil || n != 2 || runs[0].Repeat+runs[1].Repeat != 5 || runs[0].Readings[0].Value+
		runs[1].Readings[0].Value != 63.75 || runs[0].Source != record.Typed {
		t.Errorf("%+v, %v", runs, err)
	}
}

// A table is taken in whole or not at all, rows of one run together; what stands twice, misses a column or cannot be is
// named by its line.
func TestATableByItsLines(t *testing.T) {
	d := testdesk.Opened(t)
	take := func(text string, checkOnly bool) (results.Table, error) {
		return d.Results.ImportTable(ctx, []byte(text), checkOnly, "me")
	}
	for _, c := range []struct{ text, want string }{
		{"", "the table is empty"}, {"unit,test,measure\n", `needs a column "value"`}, {"unit,test,measure,value,odd\n",
			`column "odd" is unknown`}, {"unit,unit,test,measure,value\n", "stands twice"},
	} {
		_, err := take(c.text, false)
		testdesk.Says(t, err, desk.Invalid, c.want)
	}
	bad := "unit,test,measure,value,repeat,condition:supply\na,work,rate,100,0,mains\na,work,rate,101,0,mains\na,work,rate\na,work,rate,1,x,mains\nq,work,rate,1,1,mains\na,work,rate,fast,2,mains\n"
	got, err := take(bad, false)
	if err != nil || got.Written || len(got.Refused) != 5 {
		t.Fatalf("%+v, %v", got, err)
	}
	for i, want := range []struct {
		line int
		text string
	}{{3, "stands twice"}, {4, "has 3 columns, the first line has 6"}, {5, `repeat "x"`}, {6, `no unit "q"`},
		{7, "rate"}} {
		if r := got.Refused[i]; r.Line != want.line || !strings.Contains(r.Reason, want.text) {
			t.Errorf("refused %+v, want line %d with %q", r, want.line, want.text)
		}
	}
	good := "\ufeffUnit, Test ,measure,value,repeat\na,work,rate,100,0\na,work,time,\"29 to 31\",0\na,work,rate,102,1\n"
	if got, err = take(good, true); err != nil || got.Written || got.Rows != 3 || got.Runs != 2 || got.Known != 0 ||
		len(got.Sample) != 2 || got.Sample[0].Line != 2 || got.Sample[1].Line != 4 || len(got.Sample[0].Readings) != 2 {
		t.Errorf("checked: %+v, %v", got, err)
	}
	if got, err = take(good, false); err != nil || !got.Written || got.Runs != 2 {
		t.Errorf("written: %+v, %v", got, err)
	}
	if got, err = take(good+"a,work,rate,103,2\n", false); err != nil || !got.Written || got.Runs != 1 || got.Known != 2 {
		t.Errorf("with one more: %+v, %v", got, err)
	}
	if _, n, _ := d.Results.Runs(ctx, store.RunFilter{Subject: "a", Source: record.FromTable, Limit: 1}); n != 3 {
		t.Errorf("%d runs", n)
	}
}

// A file of runs is taken in once; what does not fit is refused with every reason, and nothing is kept.
func TestAFileOfRunsIsTakenInOnce(t *testing.T) {
	d := testdesk.Opened(t)
	id := uuid.NewString()
	file := func(id, test string) []byte {
		return []byte(fmt.Sprintf(`{"format":"durvek-runs/1","machine":{"name":"m","system":"Linux","boot":"b","simulated":true},"runs":[{"id":%q,"test":%q,"test_version":1,"repeat":0,"started":"2026-11-20T10:00:00Z","ended":"2026-11-20T10:00:10Z","outcome":"done","readings":[{"measure":"rate","state":"ok","value":100}]}]}`, id, test))
	}
	_, err := d.Results.ImportRuns(ctx, file("7", "nothing"), results.Target{Unit: "nobody", Setup: "odd"}, "me")
	testdesk.Says(t, err, desk.Invalid, `the id "7"`, `test "nothing"`, `no unit "nobody"`, `no setup "odd"`)
	for i, want := range []results.Imported{{Runs: 1}, {Known: 1}} {
		if got, err := d.Results.ImportRuns(ctx, file(id, "work"), results.Target{Unit: "a"}, "me"); err != nil ||
			got != want {
			t.Errorf("%d: %+v, %v", i, got, err)
		}
	}
	if p, err := d.Results.Run(ctx, id); err != nil || p.Run.Source != record.FromFile || !p.Run.Simulated ||
		p.Run.Setup != method.AsDelivered || p.Machine.Name != "m" || p.Title != "Maker A" {
		t.Errorf("%+v, %v", p, err)
	}
}

// A part is measured in a host, and a test on what it is meant for.
func TestPartsNeedAHost(t *testing.T) {
	d := testdesk.Opened(t)
	for _, err := range []error{testdesk.Err(d.Books.AddModel(ctx, catalog.Model{Slug: "drive", Maker: "M", Name: "Drive",
		Kind: "drive"}, "me")), testdesk.Err(d.Books.AddVariant(ctx, catalog.Variant{Slug: "drive", Model: "drive",
		Name: "1 TB"}, "me")),
		testdesk.Err(d.Books.AddUnit(ctx, catalog.Unit{Slug: "drive", Variant: "drive", Origin: "bought"}, "me"))} {
		if err != nil {
			t.Fatal(err)
		}
	}
	enter := func(host string) error {
		_, err := d.Results.TypeReadings(ctx, results.Typed{Test: "work", Subject: "drive", Host: host,
			Readings: map[string]string{"rate": "100"}}, "me")
		return err
	}
	testdesk.Says(t, enter(""), desk.Invalid, "a drive is measured in a host")
	testdesk.Says(t, enter("nobody"), desk.Invalid, `no unit or rig "nobody"`)
	if err := enter("a"); err != nil {
		t.Error(err)
	}
	if err := d.Books.AddRig(ctx, catalog.Rig{Slug: "tower", Name: "Tower", Parts: []catalog.RigPart{{Unit: "a",
		Role: "host"}}}, "me"); err != nil {
		t.Fatal(err)
	}
	if err := enter("tower"); err != nil {
		t.Error(err)
	}
	pairs, err := d.Results.Partners(ctx, "drive")
	if err != nil || len(pairs) != 2 {
		t.Errorf("%+v, %v", pairs, err)
	}
}
