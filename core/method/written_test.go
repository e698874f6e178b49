package method

import (
	"testing"

	"durvek/core/quantity"
	"durvek/core/stats"
)

func TestEstimatesAreWritten(t *testing.T) {
	rate, time := Measure{Unit: "MBy/s", Scale: quantity.Ratio}, Measure{Unit: "s", Scale: quantity.Ratio}
	temperature := Measure{Unit: "Cel", Scale: quantity.Interval}
	for _, c := range []struct {
		m    Measure
		e    stats.Estimate
		want string
	}{
		{rate, stats.Estimate{Centre: 412.4, Lo: 406.4, Hi: 418.4, N: 3}, "412 MB/s|± 6"},
		{rate, stats.Estimate{Centre: 412.4, Lo: 392, Hi: 460, N: 3}, "412 MB/s|392 to 460"},
		{rate, stats.Estimate{Centre: 412, Lo: 412, Hi: 412, N: 1, Exact: true}, "412.0 MB/s|"},
		{rate, stats.Estimate{Centre: 500, Lo: 500, Hi: 500, N: 3, Bound: "at least"}, "at least 500 MB/s|"},
		{time, stats.Estimate{Centre: 1800, Lo: 1800, Hi: 1800, N: 1, Bound: "more than"}, "more than 30 min|"},
		{temperature, stats.Estimate{Centre: 45, Mean: 45, HalfWidth: 7, Lo: 36, Hi: 54, N: 1}, "38 to 52 °C|"},
		{temperature, stats.Estimate{Centre: 45, Mean: 45, HalfWidth: 7, Lo: 36, Hi: 54, N: 2}, "45 °C|± 9"},
	} {
		w := c.m.Writing(c.e)
		value, spread := c.m.Written(w, c.e)
		if got := w.With(value) + "|" + spread; got != c.want {
			t.Errorf("%+v is written %q, want %q", c.e, got, c.want)
		}
	}
	w := rate.Writing(stats.Estimate{Centre: 9999.123, Bound: "at least"}, stats.Estimate{Centre: 3, Lo: 2.96, Hi: 3.04})
	if w.Decimals != 2 {
		t.Errorf("a bound decides over decimals: %d", w.Decimals)
	}
	if w := rate.Writing(); w.Value(3) != "3" {
		t.Errorf("nothing is written with %d decimals", w.Decimals)
	}
}
