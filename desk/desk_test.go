package desk

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"math/rand/v2"
	"os"
	"reflect"
	"strings"
	"sync"
	"testing"
	"time"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/core/verdict"
	_ "durvek/machine" // brings every workload into the table
	"durvek/store"
	"durvek/workload"
)

var ctx = context.Background()

// work is a built-in test with a rate and a time that may be stopped.
func work() method.Test {
	limit := 600.0
	return method.Test{Slug: "work", Version: 1, Name: "Work", Group: "application", Origin: "workload", MustMatch: []string{"supply"}, Repeats: 3, Seconds: 10, Writes: 1 << 20, Measures: []method.Measure{
		{Slug: "rate", Name: "rate", Unit: "/min", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.02},
		{Slug: "time", Name: "time", Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower, Limit: &limit, Repeatability: 0.02}}}
}

// opened is a desk with models a, b and c, each with a variant and a unit of the same name.
func opened(t *testing.T) *Desk {
	t.Helper()
	return openedIn(t, t.TempDir(), func() time.Time { return time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC) })
}

// openedIn opens a desk that may be there already.
func openedIn(t *testing.T, dir string, now func() time.Time) *Desk {
	t.Helper()
	d, err := Open(ctx, Options{Dir: dir, Name: "Desk", Tests: []method.Test{work()}, Now: now})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { d.Close() })
	for i, name := range []string{"a", "b", "c"} {
		m := catalog.Model{Slug: name, Maker: "Maker", Name: strings.ToUpper(name), Kind: "laptop"}
		if i > 0 {
			m.Succeeds = string("abc"[i-1])
		}
		for _, err := range []error{d.AddModel(ctx, m, "me"), d.AddVariant(ctx, catalog.Variant{Slug: name, Model: name, Name: "16 GiB"}, "me"), d.AddUnit(ctx, catalog.Unit{Slug: name, Variant: name, Origin: "bought"}, "me")} {
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	return d
}

func typed(t *testing.T, d *Desk, x Typed) {
	t.Helper()
	if x.Test == "" {
		x.Test = "work"
	}
	if _, err := d.TypeReadings(ctx, x, "me"); err != nil {
		t.Fatal(err)
	}
}

func rates(t *testing.T, d *Desk, unit, setup string, values ...float64) {
	t.Helper()
	for i, v := range values {
		typed(t, d, Typed{Subject: unit, Setup: setup, Repeat: i, Readings: map[string]string{"rate": fmt.Sprint(v)}})
	}
}

// Whatever arrives in whatever order, the cells in memory and in the database are those that all
// readings give when they are counted from scratch.
func TestEstimatesEqualRecomputingFromScratch(t *testing.T) {
	d := opened(t)
	rng := rand.New(rand.NewPCG(5, 5))
	var wg sync.WaitGroup
	for w := range 4 { // several at once, as agents do
		seed := rng.Uint64()
		wg.Add(1)
		go func() {
			defer wg.Done()
			rng := rand.New(rand.NewPCG(seed, uint64(w)))
			for range 25 {
				x := Typed{Test: "work", Subject: string("abc"[rng.IntN(3)]), Setup: []string{"as-delivered", "fast-mode"}[rng.IntN(2)], Sitting: fmt.Sprint("boot ", rng.IntN(3)),
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
				if _, err := d.TypeReadings(ctx, x, "me"); err != nil {
					t.Error(err)
				}
			}
		}()
	}
	wg.Wait()
	runs, total, err := d.Runs(ctx, store.RunFilter{Limit: 1000})
	if err != nil || total != 100 {
		t.Fatalf("%d runs, %v", total, err)
	}
	setups := map[string]map[string]string{}
	all, _ := d.Setups(ctx)
	for _, s := range all {
		setups[s.Slug] = s.Conditions
	}
	want := map[store.CellKey][]stats.Value{}
	for _, r := range runs {
		for _, x := range r.Readings {
			if x.State == record.Missing {
				continue
			}
			k := store.CellKey{Measure: "work/" + x.Measure, Setup: r.Setup, Unit: r.Subject, Basis: basisKey(work(), trust.Effective(setups[r.Setup], r.Observed))}
			want[k] = append(want[k], stats.Value{X: x.Value, HalfWidth: x.HalfWidth(), Sitting: r.Sitting, Bound: x.State.Bound()})
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
	kept := map[store.CellKey]stats.Cell{}
	list, err := d.store.Estimates(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range list {
		kept[e.CellKey] = e.Cell
	}
	check("database", kept)
	held := map[store.CellKey]stats.Cell{}
	<-d.matrix.loaded
	for id := range d.matrix.columns {
		d.matrix.each(id, func(e store.Estimate) { held[e.CellKey] = e.Cell })
	}
	check("memory", held)
}

func TestAnAnswerIsKeptUntilSomethingItRestsOnChanges(t *testing.T) {
	d := opened(t)
	rates(t, d, "a", "", 100, 101, 99)
	rates(t, d, "b", "", 120, 121, 119)
	q := Question{Measure: "work/rate", Subject: "a", Claims: true}
	ask := func() compare.Comparison {
		t.Helper()
		c, err := d.Rank(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	before := ask()
	d.ranks.mu.Lock()
	n := len(d.ranks.answers)
	d.ranks.mu.Unlock()
	if again := ask(); n != 1 || !reflect.DeepEqual(before, again) {
		t.Errorf("%d answers are kept", n)
	}
	rates(t, d, "a", "", 150)
	if c := ask(); c.Rows[1].Estimate.N == before.Rows[1].Estimate.N && c.Rows[0].Estimate.N == before.Rows[0].Estimate.N {
		t.Error("a new reading does not show")
	}
	if _, err := d.AddClaim(ctx, catalog.Claim{Variant: "a", Measure: "work/rate", Value: 2, Unit: "/s", Source: "box"}, "me"); err != nil {
		t.Fatal(err)
	}
	if c := ask(); c.Rows[0].Claim == nil && c.Rows[1].Claim == nil {
		t.Error("a new claim does not show")
	} else if i := c.Rows; i[0].Claim != nil && *i[0].Claim != 120 || i[1].Claim != nil && *i[1].Claim != 120 {
		t.Error("2 /s is not 120 /min")
	}
	if err := d.AddModel(ctx, catalog.Model{Slug: "a", Maker: "Maker", Name: "Anew", Kind: "laptop"}, "me"); err != nil {
		t.Fatal(err)
	}
	if c := ask(); !strings.Contains(c.Chart.Text, "Maker Anew") {
		t.Error("a changed name does not show")
	}
}

func TestAClaimIsJudgedByTheCellItSpeaksOf(t *testing.T) {
	d := opened(t)
	add := func(c catalog.Claim) {
		t.Helper()
		c.Variant, c.Measure, c.Unit, c.Source = "a", "work/rate", "/min", "box"
		if _, err := d.AddClaim(ctx, c, "me"); err != nil {
			t.Fatal(err)
		}
	}
	add(catalog.Claim{Value: 1})                                                          // plain
	add(catalog.Claim{Value: 2, Conditions: map[string]string{"supply": "battery"}})      // on battery
	add(catalog.Claim{Value: 3, Conditions: map[string]string{"power.mode": "nonsense"}}) // nowhere
	add(catalog.Claim{Value: 4, Place: "left port"})                                      // elsewhere
	outcomes := func() (out []claims.Outcome) {
		t.Helper()
		list, err := d.CheckClaims(ctx, "a")
		if err != nil {
			t.Fatal(err)
		}
		for _, j := range list {
			out = append(out, j.Verdict.Outcome)
		}
		return out
	}
	if got := fmt.Sprint(outcomes()); got != "[untested untested untested untested]" {
		t.Errorf("with nothing measured: %s", got)
	}
	rates(t, d, "a", "battery", 2.4, 2.4)
	if got := fmt.Sprint(outcomes()); got != "[not comparable beyond not comparable untested]" {
		t.Errorf("measured on battery only: %s", got)
	}
	rates(t, d, "a", "", 0.5, 0.5)
	if got := fmt.Sprint(outcomes()); got != "[short beyond not comparable untested]" {
		t.Errorf("measured as delivered too: %s", got)
	}
}

func TestFindingsNameRivalsSiblingsAndPredecessors(t *testing.T) {
	d := opened(t)
	if err := d.AddVariant(ctx, catalog.Variant{Slug: "b2", Model: "b", Name: "32 GiB"}, "me"); err != nil {
		t.Fatal(err)
	}
	if err := d.AddUnit(ctx, catalog.Unit{Slug: "b2", Variant: "b2", Origin: "bought"}, "me"); err != nil {
		t.Fatal(err)
	}
	rates(t, d, "a", "", 100, 101, 99, 100, 100)
	rates(t, d, "b", "", 130, 131, 129, 130, 130)
	rates(t, d, "b2", "", 132, 131, 130, 131, 132)
	rates(t, d, "c", "", 90, 91, 89, 90, 90)
	r, err := d.AddReview(ctx, verdict.Review{Subject: "b"}, "me")
	if err != nil {
		t.Fatal(err)
	}
	var text []string
	for _, f := range r.Findings {
		text = append(text, f.Kind+": "+f.Text)
	}
	all := strings.Join(text, "\n")
	for _, part := range []string{"than its predecessor, the Maker A, in work, rate.", "its sibling with 32 GiB", "16.8 ± 1.2 % more than the average of 4 measured products"} {
		if !strings.Contains(all, part) {
			t.Errorf("nothing says %q:\n%s", part, all)
		}
	}
	if r.Field != "everything" || r.Title != "Maker B" || len(r.Measures) != 1 {
		t.Errorf("the new review is %+v", r)
	}
	if _, err := d.AddReview(ctx, verdict.Review{Subject: "nobody"}, "me"); err == nil {
		t.Error("a review of nothing was started")
	}
}

func TestListenersThatSleepLoseTheOldestNotTheService(t *testing.T) {
	h := newHub()
	slow, end := h.Listen()
	for i := range 500 {
		h.Send(Event{"n", i})
	}
	first := (<-slow).Data.(int)
	if first < 400 {
		t.Errorf("the first kept event is %d, want one of the newest", first)
	}
	end()
	end() // twice is no harm
	for range slow {
	}
	other, _ := h.Listen()
	h.Close()
	if _, open := <-other; open {
		t.Error("a closed hub still sends")
	}
	if late, _ := h.Listen(); late == nil {
		t.Error("no channel from a closed hub")
	} else if _, open := <-late; open {
		t.Error("a closed hub takes listeners")
	}
}

func TestAnEditionThatCannotBeWrittenNeverCameToBe(t *testing.T) {
	d := opened(t)
	rates(t, d, "a", "", 100, 101)
	r, err := d.AddReview(ctx, verdict.Review{Subject: "a"}, "me")
	if err != nil {
		t.Fatal(err)
	}
	r.Summary, r.Recommendation = "Fine.", "recommended"
	if r, err = d.SaveReview(ctx, r, "me"); err != nil {
		t.Fatal(err)
	}
	if r, err = d.SignReview(ctx, "a", "Me"); err != nil || r.Signed.Figures["work/rate"] == 0 {
		t.Fatal(err, r.Signed)
	}
	if err := os.WriteFile(d.dir+"/editions", []byte("a file in the way"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Publish(ctx, "a", "", "me"); err == nil {
		t.Fatal("published into a file")
	}
	if r, _ = d.Review(ctx, "a"); len(r.Editions) != 0 {
		t.Error("an edition that was not written is listed")
	}
	os.Remove(d.dir + "/editions")
	e, err := d.Publish(ctx, "a", "", "me")
	if err != nil || e.Number != 1 || len(e.Digest) != 64 {
		t.Errorf("%+v, %v", e, err)
	}
}

func TestEveryPlanSheetAndHandmadeTestThatShipsIsWhole(t *testing.T) {
	d, err := Open(ctx, Options{Dir: t.TempDir(), Tests: workload.Tests()})
	if err != nil {
		t.Fatal(err)
	}
	defer d.Close()
	tests := map[string]method.Test{}
	all, err := d.Tests(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range all {
		tests[x.Slug] = x
	}
	library, err := d.PlanLibrary(ctx, "")
	if err != nil || len(library) < 6 {
		t.Fatalf("%d plans, %v", len(library), err)
	}
	for _, f := range library {
		for _, kind := range f.Subjects {
			for _, s := range f.Tests {
				if x, ok := tests[s.Test]; !ok || !x.Fits(kind) || x.Origin != "workload" {
					t.Errorf("plan %s for a %s asks for %q", f.Slug, kind, s.Test)
				}
			}
		}
		for _, s := range f.Setups {
			if _, err := d.store.Setup(ctx, s); err != nil {
				t.Errorf("plan %s asks for setup %q", f.Slug, s)
			}
		}
		if wrong := f.Terms.Check(); len(wrong) > 0 {
			t.Errorf("plan %s: %v", f.Slug, wrong)
		}
	}
	covered := map[catalog.Kind]bool{}
	sheets, err := d.Sheets("")
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range sheets {
		for _, p := range s.Parts {
			for _, slug := range p.Tests {
				if x, ok := tests[slug]; !ok || x.Hands == "" || x.About == "" {
					t.Errorf("sheet %s asks for %q, which is no test by hand", s.Slug, slug)
				}
			}
		}
		for _, k := range s.Subjects {
			covered[k] = true
		}
	}
	for _, k := range catalog.Kinds {
		if !covered[k] {
			t.Errorf("no inspection sheet is for a %s", k)
		}
	}
}

func TestLengthsAreLearnedPerUnitAndTest(t *testing.T) {
	var l lengths
	for i := range 20 {
		l.add("hashing", "a", float64(i))
	}
	l.add("hashing", "b", 100)
	l.add("archive", "b", 7)
	got := l.of("a", []string{"hashing", "archive", "unknown"})
	if got["hashing"] != 15 || got["archive"] != 7 || len(got) != 2 {
		t.Errorf("%v", got)
	}
}

func FuzzReadLog(f *testing.F) {
	for _, s := range []string{"seconds,power.wall [W]\n1,2\n2,3\n", "time;noise [dB(A)]\n2026-11-23T10:00:00Z;31\n2026-11-23T10:00:01Z;\n", "seconds,a,b\n1,\n", "seconds\n", "seconds,a\n\"x\n", "seconds,a\n1,\"2\"3\n", "\ufeffseconds,x\n-1,1e300\n0,NaN\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		x, err := readLog(data, time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC))
		if err != nil {
			return
		}
		for i, at := range x.Times {
			if i > 0 && at <= x.Times[i-1] {
				t.Fatal("times do not rise")
			}
		}
		if len(x.Times) < 2 || len(x.Values) != len(x.Channels) {
			t.Fatalf("%d moments, %d channels, %d columns", len(x.Times), len(x.Channels), len(x.Values))
		}
	})
}

func FuzzCleanPhoto(f *testing.F) {
	var picture bytes.Buffer
	if err := jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 9, 5)), nil); err != nil {
		f.Fatal(err)
	}
	b := picture.Bytes()
	f.Add(b)
	f.Add(b[:len(b)/2])
	exif := append([]byte{0xFF, 0xD8, 0xFF, 0xE1, 0, 34}, "Exif\x00\x00II\x2a\x00\x08\x00\x00\x00\x01\x00\x12\x01\x03\x00\x01\x00\x00\x00\x06\x00\x00\x00"...)
	f.Add(append(exif, b[2:]...))
	f.Fuzz(func(t *testing.T, data []byte) {
		clean, media, err := cleanPhoto(data)
		if err == nil && (len(clean) == 0 || media == "" || bytes.Contains(clean, []byte("Exif\x00"))) {
			t.Fatalf("%d bytes of %q", len(clean), media)
		}
	})
}

func TestWhatWasExpectedOfAFigure(t *testing.T) {
	d := opened(t)
	v := &view{variants: map[string]variantView{"fen-14-16": {Model: catalog.Model{Slug: "fen-14", Kind: "laptop"}}, "fen-14-32": {Model: catalog.Model{Slug: "fen-14", Kind: "laptop"}},
		"skiff": {Model: catalog.Model{Slug: "skiff", Kind: "laptop"}}, "tower": {Model: catalog.Model{Slug: "tower", Kind: "desktop"}}}, byID: map[string]compare.Measure{"m/x": {ID: "m/x", Version: 1}}}
	d.matrix.open("m/x")
	put := func(variant, unit string, value float64) {
		d.matrix.put([]store.Estimate{{CellKey: store.CellKey{Measure: "m/x", Setup: method.AsDelivered, Unit: unit}, Variant: variant, TestVersion: 1, Cell: stats.Cell{Median: value}}}, nil)
	}
	expect := func(value float64, from string) {
		t.Helper()
		if got, why := d.expected(v, "fen-a", "fen-14-16", "m/x"); got != value || !strings.Contains(why, from) {
			t.Errorf("%g, %q; want %g, %q", got, why, value, from)
		}
	}
	expect(0, "")
	put("tower", "tower-a", 900)
	expect(0, "")
	put("skiff", "skiff-a", 100)
	put("skiff", "skiff-b", 120)
	expect(110, "middle of 2 of its kind")
	put("fen-14-32", "fen-c", 140)
	expect(140, "its sibling")
	put("fen-14-16", "fen-b", 130)
	expect(130, "its variant elsewhere")
	put("fen-14-16", "fen-a", 1) // its own figures are not what was expected of it
	expect(130, "its variant elsewhere")
}
