package figures_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"strings"
	"sync"
	"testing"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/demo/load"
	"durvek/desk/figures"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/store"
)

// inDatabase gives every cell that the database keeps.
func inDatabase(t *testing.T, d *house.House) map[store.CellKey]stats.Cell {
	kept := map[store.CellKey]stats.Cell{}
	list, err := d.Desk.Store.Estimates(testdesk.Ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range list {
		kept[e.CellKey] = e.Cell
	}
	return kept
}

// seriously names the runs, with the measure, that are in open serious doubt: they say nothing of the repeatability.
func seriously(t *testing.T, d *house.House) map[string]bool {
	out := map[string]bool{}
	for _, x := range testdesk.Doubts(t, d, store.DoubtFilter{State: trust.Open, Severity: trust.Serious}) {
		for _, r := range x.Runs {
			out[r+x.Measure] = true
		}
	}
	return out
}

// Whatever arrives in whatever order, the cells in memory and in the database are those that all
// readings give when they are counted from scratch.
func TestEstimatesEqualRecomputingFromScratch(t *testing.T) {
	d := testdesk.Opened(t)
	rng := rand.New(rand.NewPCG(5, 5))
	var wg sync.WaitGroup
	for w := range 4 { // several at once, as agents do
		seed := rng.Uint64()
		wg.Add(1)
		go func() {
			defer wg.Done()
			rng := rand.New(rand.NewPCG(seed, uint64(w)))
			for range 25 {
				x := results.Typed{Test: "work", Subject: string("abc"[rng.IntN(3)]), Setup: []string{"as-delivered",
					"fast-mode"}[rng.IntN(2)], Sitting: fmt.Sprint("boot ", rng.IntN(3)),
					Readings: map[string]string{"rate": fmt.Sprintf("%.3f", 100+10*rng.Float64())}}
				switch rng.IntN(5) {
				case 0:
					x.Readings["time"] = "more than 600"
				case 1:
					x.Readings["time"] = fmt.Sprintf("%d to %d", 100+rng.IntN(5), 110+rng.IntN(5))
				case 2:
					x.Readings["rate"] = "missing"
				case 3:
					x.Conditions = map[string]string{"supply": "battery"}
				}
				if _, err := d.Results.TypeReadings(testdesk.Ctx, x, "me"); err != nil {
					t.Error(err)
				}
			}
		}()
	}
	wg.Wait()
	runs, total, err := d.Results.Runs(testdesk.Ctx, store.RunFilter{Limit: 1000})
	if err != nil || total != 100 {
		t.Fatalf("%d runs, %v", total, err)
	}
	setups := map[string]map[string]string{}
	all, _ := d.Books.Setups(testdesk.Ctx)
	for _, s := range all {
		setups[s.Slug] = s.Conditions
	}
	doubted := seriously(t, d)
	if len(doubted) == 0 || len(doubted) == len(runs) {
		t.Errorf("%d of %d runs are in doubt", len(doubted), len(runs))
	}
	want := map[store.CellKey][]stats.Value{}
	for _, r := range runs {
		for _, x := range r.Readings {
			if x.State == record.Missing {
				continue
			}
			k := store.CellKey{Measure: "work/" + x.Measure, Setup: r.Setup, Unit: r.Subject,
				Basis: trust.BasisKey(testdesk.Work(), trust.Effective(setups[r.Setup], r.Observed))}
			want[k] = append(want[k], stats.Value{X: x.Value, HalfWidth: x.HalfWidth(), Sitting: r.Sitting,
				Bound: x.State.Bound(), Doubted: doubted[r.ID] || doubted[r.ID+x.Measure]})
		}
	}
	check := func(where string, got map[store.CellKey]stats.Cell) {
		t.Helper()
		if len(got) != len(want) {
			t.Errorf("%s: %d cells, want %d", where, len(got), len(want))
		}
		for k, values := range want {
			if c := stats.NewCell(values, true); !reflect.DeepEqual(got[k], c) {
				t.Errorf("%s: %v holds %+v, want %+v", where, k, got[k], c)
			}
		}
	}
	kept := inDatabase(t, d)
	check("database", kept)
	held := map[store.CellKey]stats.Cell{}
	for _, e := range d.Figures.InMemory() {
		held[e.CellKey] = e.Cell
	}
	check("memory", held)
}

// Whatever is voided, restored, corrected, merged, upheld and reopened in whatever order, the cells that are kept are
// those that all readings give from scratch, in memory and in the database.
func TestEstimatesEqualRecomputingWhateverIsChanged(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	rng := rand.New(rand.NewPCG(11, 4))
	var ids []string
	add := func() {
		x := results.Typed{Test: "work", Subject: "a", Setup: []string{"as-delivered", "fast-mode"}[rng.IntN(2)],
			Sitting: fmt.Sprint("boot ", rng.IntN(3)), Repeat: len(ids), Readings: map[string]string{"rate": fmt.Sprintf("%.3f",
				100*[]float64{1, 1, 1, 1.4}[rng.IntN(4)]+rng.Float64())}}
		if rng.IntN(4) == 0 {
			x.Readings["time"] = "more than 600"
		}
		r, err := d.Results.TypeReadings(testdesk.Ctx, x, "me")
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
			all := testdesk.Doubts(t, d, store.DoubtFilter{Subject: "a"})
			if len(all) == 0 {
				continue
			}
			x := all[rng.IntN(len(all))]
			s := results.Settling{Do: "reopen", Reason: "again"}
			if x.State == trust.Open {
				s = results.Settling{Do: []string{"uphold", "uphold", "dismiss"}[rng.IntN(3)], Cause: []string{"heat",
					"unexplained"}[rng.IntN(2)], Reason: "so"}
			}
			_, err = d.Results.Settle(testdesk.Ctx, x.ID, s, "me")
		default:
			c := results.Correction{Do: do, Measure: []string{"", "rate"}[rng.IntN(2)], Value: fmt.Sprintf("%.2f",
				99+2*rng.Float64()), Into: ids[rng.IntN(len(ids))], Cause: []string{"", "unexplained", "heat"}[rng.IntN(3)],
				Reason: "so"}
			_, err = d.Results.Correct(testdesk.Ctx, id, c, "me")
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
	for _, e := range d.Figures.InMemory() {
		memory[e.CellKey] = e.Cell
	}
	kept := inDatabase(t, d)
	if !reflect.DeepEqual(memory, kept) {
		t.Errorf("memory and database differ:\n%+v\n%+v", memory, kept)
	}
	r, err := d.Results.Recount(testdesk.Ctx)
	if err != nil || r.Cells != len(kept) || len(r.Differ) > 0 {
		t.Errorf("made anew: %+v, %v", r, err)
	}
	// From scratch, by the runs as they stand.
	want := map[store.CellKey]int{}
	runs, _, err := d.Results.Runs(testdesk.Ctx, store.RunFilter{Limit: 10000})
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range runs {
		k, err := d.Desk.Store.RunCell(testdesk.Ctx, x.ID)
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

// Columns are read while others write. Whatever the order, what is in memory in the end is what the database holds.
func TestColumnsThatAreReadWhileOthersWriteMissNothing(t *testing.T) {
	if testing.Short() {
		t.Skip("it fills a desk")
	}
	d := testdesk.Loaded(t, load.Size{Variants: 400, Tests: 15,
		Readings: 80000}) // a column takes about as long to read as a run to write
	for round := range 40 {
		d.Figures.Forget() // as after a start
		var wg sync.WaitGroup
		for w := range 2 {
			wg.Add(1)
			go func() {
				defer wg.Done()
				if w == 0 {
					if err := d.Figures.Each("load-000/m0", func(store.Estimate) {}); err != nil {
						t.Error(err)
					}
					return
				}
				x := results.Typed{Test: "load-000", Subject: fmt.Sprintf("load-%04d", 399-round) + "-a", Repeat: 10,
					Readings: map[string]string{"m0": "123", "m1": "123", "m2": "123", "m3": "123"}}
				if _, err := d.Results.TypeReadings(testdesk.Ctx, x, "me"); err != nil {
					t.Error(err)
				}
			}()
		}
		wg.Wait()
		n := 0
		if err := d.Figures.Each("load-000/m0", func(e store.Estimate) {
			if e.Variant == fmt.Sprintf("load-%04d", 399-round) {
				n += e.Cell.N()
			}
		}); err != nil {
			t.Fatal(err)
		}
		kept := 0
		if err := d.Desk.Store.Column(testdesk.Ctx, "load-000/m0", func(e store.Estimate, _ string) {
			if e.Variant == fmt.Sprintf("load-%04d", 399-round) {
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
	d := testdesk.Opened(t)
	testdesk.Typed(t, d, results.Typed{Subject: "a", Readings: map[string]string{"rate": "29 to 31"}})
	testdesk.Typed(t, d, results.Typed{Subject: "b", Readings: map[string]string{"time": "more than 600"}})
	for range 2 { // once as written through, once as read anew
		for measure, want := range map[string]stats.Cell{"work/rate": {HalfWidth: math.Log(31.0 / 30), Median: 30},
			"work/time": {Bound: "more than", BoundAt: 600, Bounds: 1}} {
			err := d.Figures.Each(measure, func(e store.Estimate) {
				if c := e.Cell; math.Abs(c.HalfWidth-want.HalfWidth) > 1e-9 || c.Bound != want.Bound || c.BoundAt != want.BoundAt ||
					c.Bounds != want.Bounds {
					t.Errorf("%s: %+v, want %+v", measure, c, want)
				}
			})
			if err != nil {
				t.Fatal(err)
			}
		}
		d.Figures.Forget()
	}
}

func TestAnAnswerIsKeptUntilSomethingItRestsOnChanges(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 101, 99)
	testdesk.Rates(t, d, "b", "", 120, 121, 119)
	q := compare.Question{Measure: "work/rate", Subject: "a", Claims: true}
	ask := func() compare.Comparison {
		t.Helper()
		c, err := d.Figures.Rank(testdesk.Ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	before := ask()
	n := d.Figures.KeptAnswers()
	if again := ask(); n != 1 || d.Figures.KeptAnswers() != 1 || !reflect.DeepEqual(before, again) {
		t.Errorf("%d answers are kept", n)
	}
	testdesk.Rates(t, d, "a", "", 150)
	if c := ask(); c.Rows[1].Estimate.N == before.Rows[1].Estimate.N && c.Rows[0].Estimate.N == before.Rows[0].Estimate.N {
		t.Error("a new reading does not show")
	}
	if _, err := d.Books.AddClaim(testdesk.Ctx, catalog.Claim{Variant: "a", Measure: "work/rate", Value: 2, Unit: "/s",
		Source: "box"}, "me"); err != nil {
		t.Fatal(err)
	}
	if c := ask(); c.Rows[0].Claim == nil && c.Rows[1].Claim == nil {
		t.Error("a new claim does not show")
	} else if i := c.Rows; i[0].Claim != nil && *i[0].Claim != 120 || i[1].Claim != nil && *i[1].Claim != 120 {
		t.Error("2 /s is not 120 /min")
	}
	if _, err := d.Books.AddModel(testdesk.Ctx, catalog.Model{Slug: "a", Maker: "Maker", Name: "Anew", Kind: "laptop"},
		"me"); err != nil {
		t.Fatal(err)
	}
	if c := ask(); !strings.Contains(c.Chart.Text, "Maker Anew") {
		t.Error("a changed name does not show")
	}
}

// What was worked out before a rest is worked out again after it, to the same answer.
func TestARestForgetsNothingThatMatters(t *testing.T) {
	d := testdesk.Loaded(t, load.Size{Variants: 60, Tests: 15, Readings: 12000})
	ask := func() (compare.Comparison, figures.Place) {
		c, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Field: "load-50", Measure: "load-001/m0"})
		p, err2 := d.Figures.PlaceOf(testdesk.Ctx, "load-001/m0", "load-0000", "")
		if err != nil || err2 != nil {
			t.Fatal(err, err2)
		}
		return c, p
	}
	c, p := ask()
	d.Figures.Rest()
	if d.Figures.KeptAnswers() != 0 {
		t.Error("it keeps what it worked out")
	}
	if again, place := ask(); !reflect.DeepEqual(again.Rows, c.Rows) || !reflect.DeepEqual(place, p) {
		t.Error("after a rest the same question has another answer")
	}
}

// What is expected of a figure is the middle of its variant's other units, else of its siblings, else of its kind.
func TestWhatWasExpectedOfAFigure(t *testing.T) {
	d := testdesk.Opened(t)
	add := func(model, kind string, variants ...string) {
		t.Helper()
		if _, err := d.Books.AddModel(testdesk.Ctx, catalog.Model{Slug: model, Maker: "Maker", Name: model,
			Kind: catalog.Kind(kind)}, "me"); err != nil {
			t.Fatal(err)
		}
		for _, v := range variants {
			if _, err := d.Books.AddVariant(testdesk.Ctx, catalog.Variant{Slug: v, Model: model, Name: v}, "me"); err != nil {
				t.Fatal(err)
			}
			for _, unit := range []string{v + "-a", v + "-b"} {
				if _, err := d.Books.AddUnit(testdesk.Ctx, catalog.Unit{Slug: unit, Variant: v, Origin: "bought"},
					"me"); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	add("fen-14", "laptop", "fen-14-16", "fen-14-32")
	add("skiff", "laptop", "skiff")
	add("tower", "desktop", "tower")
	expect := func(value float64, from string) {
		t.Helper()
		got, why, err := d.Figures.Expected(testdesk.Ctx, "work/rate", "fen-14-16-a", "fen-14-16")
		if err != nil || got != value || !strings.Contains(why, from) || (why == "") != (from == "") {
			t.Errorf("%g, %q, %v; want %g, %q", got, why, err, value, from)
		}
	}
	expect(0, "")
	testdesk.Rates(t, d, "tower-a", "", 900)
	expect(0, "")
	testdesk.Rates(t, d, "skiff-a", "", 100)
	testdesk.Rates(t, d, "skiff-b", "", 120)
	expect(110, "middle of 2 of its kind")
	testdesk.Rates(t, d, "skiff-a", "battery", 10) // another setup says nothing of this one
	expect(110, "middle of 2 of its kind")
	testdesk.Rates(t, d, "fen-14-32-a", "", 140)
	expect(140, "its sibling")
	testdesk.Rates(t, d, "fen-14-16-b", "", 130)
	expect(130, "its variant elsewhere")
	testdesk.Rates(t, d, "fen-14-16-a", "", 1) // its own figures are not what was expected of it
	expect(130, "its variant elsewhere")
}
