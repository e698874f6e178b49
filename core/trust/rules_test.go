package trust

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

var ratio = method.Measure{Slug: "rate", Name: "rate", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}

// cellCase is a case whose last value arrives now; the pool says that one run scatters by 1 %.
func cellCase(values ...float64) Case {
	var vs []stats.Value
	var rs []Repeat
	for i, v := range values {
		vs = append(vs, stats.Value{X: v, Sitting: "s"})
		rs = append(rs, Repeat{Run: fmt.Sprint("r", i), Sitting: "s", Value: v})
	}
	cell := stats.NewCell(vs, true)
	var pool []stats.Cell
	for range 20 {
		pool = append(pool, stats.NewCell([]stats.Value{{X: 100, Sitting: "s"}, {X: 101, Sitting: "s"},
			{X: 102, Sitting: "s"}}, true))
	}
	last := len(values) - 1
	return Case{Run: record.Run{ID: fmt.Sprint("r", last), Test: "t", TestVersion: 1, Sitting: "s", Outcome: "done",
		Source: "agent", Readings: []record.Reading{{Measure: "rate", State: record.OK, Value: values[last]}}},
		Test: method.Test{Slug: "t", Version: 1, Measures: []method.Measure{ratio}}, Newest: 1, Beside: map[string]float64{},
		Figures: []Figures{{Measure: ratio, Repeats: rs, Cell: cell, Pool: stats.NewPool(pool, 0, 0)}}}
}

func said(c Case, ts ...Tuning) string {
	var out []string
	for _, d := range Examine(c, ts, func(m string) string { return m }) {
		out = append(out, d.Rule)
	}
	return strings.Join(out, " ")
}

func TestRulesOverRepeats(t *testing.T) {
	for _, x := range []struct {
		name   string
		values []float64
		want   string
	}{
		{"alone", []float64{100.12}, ""},
		{"agree", []float64{100.12, 101.3, 99.48, 100.71}, ""},
		{"a pair apart", []float64{100.12, 120.31}, "outlier"},
		{"one of four", []float64{100.12, 120.3, 100.9, 99.66}, "outlier"},
		{"steadily down", []float64{120.11, 113.32, 107.98, 101.87, 95.4}, "drift"},
		{"three that fall", []float64{120.11, 110.2, 100.48}, "drift"},
		{"a last one that is off", []float64{100.12, 100.87, 120.3}, "outlier"},
		{"all over the place", []float64{100.12, 121.3, 83.45, 130.4, 90.38}, "spread"},
		{"two levels", []float64{100.12, 120.31, 100.9, 119.66, 99.71, 120.84, 100.22, 119.98}, "two-modes"},
		{"the same digits", []float64{100.1234567, 100.1234567, 100.1234567}, "same-digits"},
		{"twice the same digits", []float64{100.1234567, 100.1234567}, ""},
		{"the same, converted", []float64{3400, 3399.999999999999, 3400}, ""},
		{"the same coarse digits", []float64{100, 100, 101, 100}, ""},
	} {
		if got := said(cellCase(x.values...)); got != x.want {
			t.Errorf("%s: %q, want %q", x.name, got, x.want)
		}
	}
	c := cellCase(100.12, 120.3, 100.9, 99.66)
	if got := said(c, Tuning{Rule: "outlier", Off: true}); strings.Contains(got, "outlier") {
		t.Errorf("switched off, and yet %q", got)
	}
	if got := said(c, Tuning{Rule: "outlier", Off: true}, Tuning{Rule: "outlier", Test: "t",
		Limit: 100}); got != "outlier" {
		t.Errorf("off for all but on for this test: %q", got)
	}
	if got := said(c, Tuning{Rule: "outlier", Test: "t", Limit: 1e12}); strings.Contains(got, "outlier") {
		t.Errorf("one in 10¹²: %q", got)
	}
}

func TestAPoolThatKnowsLittleDoubtsLittle(t *testing.T) {
	c := cellCase(100.12, 120.3, 100.9, 99.66)
	c.Figures[0].Pool = stats.NewPool(nil, 0, 0)
	if got := said(c); got != "" {
		t.Errorf("a cell without others doubts itself: %q", got)
	}
}

// With three degrees of freedom limits are endless on the scale of logarithms; a doubt must be kept all the same.
func TestWhatIsDoubtedCanBeKept(t *testing.T) {
	c := cellCase(100.12, 1e300, 101)
	c.Figures[0].Pool = stats.NewPool([]stats.Cell{c.Figures[0].Cell, stats.NewCell([]stats.Value{{X: 1, Sitting: "s"},
		{X: 1000, Sitting: "s"}, {X: 90, Sitting: "s"}, {X: 5, Sitting: "s"}}, true)}, 0, 0)
	for _, d := range Examine(c, nil, func(m string) string { return m }) {
		if _, err := json.Marshal(d); err != nil {
			t.Errorf("%s: %v", d.Rule, err)
		}
	}
	if p := (&Picture{X: []float64{1}, Y: []float64{2}, Band: &[2]float64{0, math.Inf(1)}}).tidy(); p == nil ||
		p.Band != nil {
		t.Errorf("a picture keeps its points without its band: %+v", p)
	}
	if p := (&Picture{X: []float64{1}, Y: []float64{math.Inf(1)}}).tidy(); p != nil {
		t.Errorf("%+v", p)
	}
	if finite(math.Inf(1)) > 1e9 || finite(math.NaN()) != 0 {
		t.Error("endless")
	}
}

func TestATrendWithinARun(t *testing.T) {
	c := cellCase(100.12)
	s := record.Series{Channel: "rate", Unit: "MBy/s"}
	for i := range 40 {
		s.Times, s.Values = append(s.Times, float64(i)), append(s.Values, 100-0.4*float64(i)+math.Sin(float64(i*i)))
	}
	c.Run.Series = []record.Series{s}
	if got := said(c); got != "trend" {
		t.Errorf("%q", got)
	}
	c.Test.Analysis = "sustained"
	if got := said(c); got != "" {
		t.Errorf("falling is what it is about: %q", got)
	}
}

func TestAHeadlineThatNoCopyReaches(t *testing.T) {
	c := cellCase(3000.12)
	c.Run.Test, c.Test.Slug = "drive-sequential", "drive-sequential"
	c.Test.Measures[0].Slug = "read"
	c.Run.Readings[0].Measure = "read"
	for _, x := range []struct {
		rate, copied, own, other float64
		want                     string
	}{{3000, 800, 97, 20, "headline"}, {3000, 800, 97, 96, ""}, {3000, 800, 60, 20, ""}, {3000, 2500, 97, 20, ""},
		{0, 800, 97, 20, ""}} {
		c.Beside = map[string]float64{"drive-sequential/read": x.rate, "folder-copy/rate": x.copied,
			"folder-copy/reading-busy": x.own, "folder-copy/writing-busy": x.other}
		if got := said(c); got != x.want {
			t.Errorf("%+v: %q", x, got)
		}
	}
}

func TestKinOfAVariantLikeThem(t *testing.T) {
	var kin [][]float64
	for v := range 14 {
		a := 0.1 * float64(v)
		row := make([]float64, 5)
		for m := range row {
			row[m] = a + float64(m) + 0.02*math.Sin(float64(7*v+3*m))
		}
		kin = append(kin, row)
	}
	own := []float64{math.NaN(), 3.1, 4.1, 5.1, 6.1} // 2.1 above the first of the kin in all that it has
	k := KinOf(own, kin, 0)
	if k.N != 14 || math.Abs(k.Expected-2.1) > 0.03 || k.SD > 0.05 || k.DF < 13 {
		t.Errorf("%+v, want 2.1", k)
	}
	alone := KinOf([]float64{math.NaN(), math.NaN()}, [][]float64{{1, 2}, {1.2, 2}, {0.8, 2}}, 0)
	if alone.N != 3 || math.Abs(alone.Expected-1) > 1e-9 || math.Abs(alone.SD-0.2) > 1e-9 {
		t.Errorf("without other figures: %+v", alone)
	}
	if k := KinOf(own, kin[:2], 0); k.N != 0 {
		t.Errorf("two are no kin: %+v", k)
	}
}

func TestLimitsGrowWhereLittleIsKnown(t *testing.T) {
	for _, df := range []float64{30, 31.5, 80, 5000} {
		if want := stats.TQuantile(0.9995, df) / stats.TQuantile(0.9995, 1e9); math.Abs(widen(df)/want-1) > 1e-3 {
			t.Errorf("%g degrees of freedom: %g, want %g", df, widen(df), want)
		}
	}
	if widen(3) < 3 || !math.IsInf(widen(0), 1) {
		t.Errorf("three degrees of freedom widen by %g, none by %g", widen(3), widen(0))
	}
}
