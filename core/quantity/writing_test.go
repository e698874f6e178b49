package quantity

import (
	"math"
	"testing"
)

// one writes a figure as a chart of it alone would.
func one(v, lo, hi float64, unit string) string {
	w := WritingFor(unit, [3]float64{v, lo, hi})
	value, spread := w.Interval(v, lo, hi)
	return w.With(value) + "|" + spread
}

func TestIntervalsAreWrittenToTheSameDecimal(t *testing.T) {
	for _, c := range []struct {
		v, lo, hi float64
		unit, out string
	}{
		{412.37, 409.16, 415.58, "MBy/s", "412 MB/s|± 3"}, {412.37, 402.36, 422.38, "MBy/s", "412 MB/s|± 10"},
		{1.2345, 1.2145, 1.2545, "V", "1.234 V|± 0.020"}, {12345, 12245, 12445, "MBy/s", "12,345 MB/s|± 100"},
		{5, 5, 5, "W", "5.000 W|"}, {5, math.Inf(-1), math.Inf(1), "W", "5.000 W|"},
		// one half a fifth longer than the other: both ends; exactly a fifth is still even
		{100, 90, 112, "W", "100 W|± 11"}, {100, 90, 112.1, "W", "100 W|90 to 112"}, {100, 87.9, 110, "W", "100 W|88 to 110"},
		{100, 100, 110, "W", "100 W|100 to 110"},
		// times of two minutes and more are spans
		{119.9, 118.9, 120.9, "s", "119.9 s|± 1.0"}, {120, 118.9, 121.1, "s", "2 min|± 1 s"},
		{134.2, 131, 137.4, "s", "2 min 14 s|± 3 s"}, {134.2, 134.1, 134.3, "s", "2 min 14 s|± 0.1 s"},
		{3599, 3589, 3609, "s", "59 min 59 s|± 10 s"}, {3600, 3590, 3610, "s", "1 h|± 10 s"},
		{3630, 3530, 3730, "s", "1 h 1 min|± 2 min"}, {1000, 940, 1060, "s", "17 min|± 1 min"},
		{9.2, 8.98, 9.42, "h", "9 h 12 min|± 13 min"}, {0.5, 0.49, 0.51, "h", "30 min|± 36 s"},
		{1.9, 1.8, 2.0, "min", "1.90 min|± 0.10"}, {2, 1.9, 2.1, "min", "2 min|± 6 s"}, {95, 94, 96, "min",
			"1 h 35 min|± 1 min"},
		{0.012, 0.011, 0.013, "h", "0.0120 h|± 0.0010"}, {600, 500, 900, "s", "10 min|8 min to 15 min"},
	} {
		if got := one(c.v, c.lo, c.hi, c.unit); got != c.out {
			t.Errorf("%g (%g to %g) %s is written %q, want %q", c.v, c.lo, c.hi, c.unit, got, c.out)
		}
	}
}

func TestAChartWritesAllItsFiguresAlike(t *testing.T) {
	figures := [][3]float64{{41.3, 41.2, 41.4}, {38.04, 35, 41.08}, {29.96, 29.4, 30.52}}
	w := WritingFor("W", figures...)
	var got []string
	for _, f := range figures {
		v, s := w.Interval(f[0], f[1], f[2])
		got = append(got, v+" "+s)
	}
	for i, want := range []string{"41.3 ± 0.1", "38.0 ± 3.0", "30.0 ± 0.6"} {
		if got[i] != want {
			t.Errorf("row %d is %q, want %q", i, got[i], want)
		}
	}
	times := WritingFor("s", [3]float64{30, 29, 31}, [3]float64{400, 390, 410}, [3]float64{4, 3.9, 4.1})
	for v, want := range map[float64]string{30: "30 s", 400: "6 min 40 s", 4: "4.0 s", -130: "−2 min 10 s",
		math.NaN(): "—"} {
		if got := times.Value(v); got != want {
			t.Errorf("%g s is %q, want %q", v, got, want)
		}
	}
	if !times.Spans() || w.Spans() || WritingFor("1", [3]float64{5000, 4900, 5100}).Spans() {
		t.Error("only times are spans")
	}
	if times.Symbol != "" || w.Symbol != "W" || times.Bound(600) != "10 min" || w.Bound(900) != "900" ||
		w.Bound(0.125) != "0.125" {
		t.Errorf("%+v, %+v, %s, %s", times, w, times.Bound(600), w.Bound(900))
	}
	if v, s := w.Interval(5, 4.99, 5.01); v+s != "5.0± 0.01" { // far surer than the others
		t.Errorf("%s %s", v, s)
	}
	if none := WritingFor("W"); none.Value(3.7) != "4" || none.Symbol != "W" {
		t.Errorf("a chart of nothing writes %q", none.Value(3.7))
	}
	for v, want := range map[float64]string{119: "119.0 s", 134: "2 min 14 s"} {
		if got := Format(v, "s"); got != want {
			t.Errorf("%g s alone is %q, want %q", v, got, want)
		}
	}
}

func TestAFigureAsOneNumber(t *testing.T) {
	for _, c := range []struct {
		v, lo, hi float64
		unit      string
		want      string
	}{{1.286, 1.2859, 1.2861, "kg", "1.286 kg"}, {120, 120, 120, "/min", "120.0 /min"}, {39.23, 38, 40.5, "dB[A]",
		"39.2 dB(A)"},
		{494.6, 480, 509, "cd/m2", "495 cd/m²"}, {11.22, 11.1, 11.3, "h", "11 h 13 min"}} {
		if got := Told(c.v, c.lo, c.hi, c.unit); got != c.want {
			t.Errorf("%g: %q, not %q", c.v, got, c.want)
		}
	}
}
