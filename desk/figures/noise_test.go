package figures_test

import (
	"fmt"
	"math"
	"testing"

	"durvek/core/compare"
	"durvek/desk/figures"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
)

func widths(t *testing.T, d *house.House, measure string) map[string]float64 {
	t.Helper()
	r, err := d.Figures.Rank(testdesk.Ctx, compare.Question{Measure: measure})
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]float64{}
	for _, x := range r.Rows {
		out[x.Variant] = x.Estimate.SE
	}
	return out
}

// noisyDesk has c scatter ten times as much as a and b in one test, and one run of each in the other.
func noisyDesk(t *testing.T, d *house.House) {
	t.Helper()
	for i, by := range []float64{0, 1, -1, 0.5} {
		for unit, sd := range map[string]float64{"a": 0.003, "b": 0.003, "c": 0.03} {
			testdesk.Typed(t, d, results.Typed{Subject: unit, Repeat: i, Readings: map[string]string{
				"rate": fmt.Sprintf("%.6f", 100*math.Exp(by*sd))}})
		}
	}
	for unit, times := range map[string][]string{"a": {"50.1234", "50.2861", "50.0413"}, "b": {"51.3391", "51.1987",
		"51.2204"}, "c": {"50.1234"}} {
		for i, x := range times {
			testdesk.Typed(t, d, results.Typed{Subject: unit, Repeat: 9 + i, Readings: map[string]string{"time": x}})
		}
	}
}

func TestANoisyMachineIsWideInItsOtherTests(t *testing.T) {
	d := testdesk.Opened(t)
	noisyDesk(t, d)
	rate, time := widths(t, d, "work/rate"), widths(t, d, "work/time")
	if rate["c"] < 3*rate["a"] || math.Abs(rate["a"]/rate["b"]-1) > 0.15 {
		t.Errorf("rates are good to %v", rate)
	}
	if time["c"] < 2.5*time["a"] { // √3 for two repeats fewer
		t.Errorf("one run of the noisy machine is as good as another's: %v", time)
	}
}

// A large desk brings its noise up to date unit by unit; fitted anew it says much the same, even where every second
// cell changed meanwhile.
func TestALargeDesksNoiseAgreesWithAFitAnew(t *testing.T) {
	d := testdesk.Opened(t)
	noisyDesk(t, d)
	widths(t, d, "work/rate")
	d.Figures.Large()
	for i, x := range []string{"100.2113", "99.8041", "100.1327", "99.9518"} {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 20 + i, Readings: map[string]string{"rate": x}})
		testdesk.Typed(t, d, results.Typed{Subject: "b", Repeat: 20 + i,
			Readings: map[string]string{"time": []string{"51.2861",
				"51.3104", "51.2219", "51.2533"}[i]}})
	}
	before := []map[string]float64{widths(t, d, "work/rate"), widths(t, d, "work/time")}
	d.Figures.Refit()
	after := []map[string]float64{widths(t, d, "work/rate"), widths(t, d, "work/time")}
	for i := range before {
		for v, x := range before[i] {
			if r := x / after[i][v]; r < 0.75 || r > 1.33 {
				t.Errorf("%s in test %d: %.5f, fitted anew %.5f", v, i, x, after[i][v])
			}
		}
	}
}

// A large desk is not fitted anew because somebody gave a product its price between two readings.
func TestALargeDesksNoiseOutlivesAChangedCatalogue(t *testing.T) {
	d := testdesk.Opened(t)
	noisyDesk(t, d)
	widths(t, d, "work/rate")
	d.Figures.Large()
	fit := d.Figures.Fit()
	testdesk.Price(t, d, "a", 99900, "EUR")
	testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 20, Readings: map[string]string{"rate": "100.2113"}})
	if got := d.Figures.Fit(); got != fit || fit == 0 {
		t.Errorf("the fit is number %d after it, %d before", got, fit)
	}
}

// What is kept of a large desk's noise stands at the next start, unless what it was fitted to is another by then.
func TestALargeDesksNoiseIsKeptForTheNextStart(t *testing.T) {
	d := testdesk.Opened(t)
	noisyDesk(t, d)
	want := widths(t, d, "work/rate")
	again := func() *figures.Figures {
		t.Helper()
		f, err := figures.OpenLarge(testdesk.Ctx, d.Desk)
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	f := again()
	f.Wait()
	if f.Fit() < 2 {
		t.Errorf("number %d stands before anything was kept", f.Fit())
	}
	f.Close()
	again().Close() // maybe before all cells were here: what was kept stays whole
	f = again()
	f.Wait()
	r, err := f.Rank(testdesk.Ctx, compare.Question{Measure: "work/rate"})
	if err != nil || f.Fit() != 1 {
		t.Errorf("number %d stands at the next start, %v", f.Fit(), err)
	}
	for _, x := range r.Rows {
		if math.Abs(x.Estimate.SE/want[x.Variant]-1) > 0.01 {
			t.Errorf("%s is good to %.5f, before the start to %.5f", x.Variant, x.Estimate.SE, want[x.Variant])
		}
	}
	for i, x := range []string{"30", "90", "45", "80"} {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 30 + i, Readings: map[string]string{"time": x}})
	}
	f.Large()
	f.Put(d.Figures.InMemory(), nil)
	if r, err = f.Rank(testdesk.Ctx, compare.Question{Measure: "work/rate"}); err != nil {
		t.Fatal(err)
	}
	for _, x := range r.Rows {
		if x.Variant == "a" && x.Estimate.SE < 1.5*want["a"] {
			t.Errorf("a machine that turned out noisy since is good to %.5f, before to %.5f", x.Estimate.SE, want["a"])
		}
	}
	later := again()
	defer later.Close()
	later.Wait()
	if later.Fit() < 2 {
		t.Error("what was kept stands though there are more readings")
	}
	f.Close()
}

// What a unit's other test says of it moves its figure, so an answer with that falls, and one without it stays.
func TestAnAnswerFallsWhenAMachineTurnsOutNoisy(t *testing.T) {
	d := testdesk.Opened(t)
	noisyDesk(t, d)
	widths(t, d, "work/rate")
	d.Figures.Large()
	watched, uses := figures.Watch(testdesk.Ctx)
	if _, err := d.Figures.Rank(watched, compare.Question{Measure: "work/rate"}); err != nil {
		t.Fatal(err)
	}
	d.Figures.Keep("it", 1, 10, uses)
	for i, x := range []string{"30", "90", "45", "80"} {
		testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 30 + i, Readings: map[string]string{"time": x}})
	}
	if _, ok := d.Figures.Kept("it"); ok {
		t.Error("a kept answer holds though one of its machines is noisier than was known")
	}
}
