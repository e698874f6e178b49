package claims

import (
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
)

// What is not known accuses nobody: a bound, one reading of "up to", a figure on the other side of a target.
func TestWhatIsNotKnownAccusesNobody(t *testing.T) {
	rate := method.Measure{Slug: "r", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	noise := method.Measure{Slug: "n", Unit: "dB[A]", Scale: quantity.Level, Better: quantity.Lower, Margin: 1}
	heat := method.Measure{Slug: "h", Unit: "Cel", Scale: quantity.Interval, Better: quantity.Lower}
	refresh := method.Measure{Slug: "f", Unit: "Hz", Scale: quantity.Ratio, Better: quantity.Target, Target: 60}
	of := func(v, half float64, n int, bound string) Evidence {
		return Evidence{Estimate: stats.Estimate{Centre: v, Lo: v - half, Hi: v + half, N: n, Bound: bound}, Best: v}
	}
	claim := func(v float64, unit string, q catalog.Qualifier) catalog.Claim {
		return catalog.Claim{Value: v, Unit: unit, Qualifier: q}
	}
	for name, c := range map[string]struct {
		c    catalog.Claim
		m    method.Measure
		e    Evidence
		want Outcome
		says string
	}{
		"at least 500 of up to 600": {claim(600, "MBy/s", "up to"), rate, of(500, 0, 3, "at least"), Open,
			"at least 500.0 MB/s"},
		"at least 600 of up to 600": {claim(600, "MBy/s", "up to"), rate, of(600, 0, 3, "at least"), Held, "asks for one"},
		"two readings of up to": {claim(600, "MBy/s", "up to"), rate, of(500, 1, 2, ""), Open,
			"1 reading more will decide"},
		"one reading of up to": {claim(600, "MBy/s", "up to"), rate, of(500, 1, 1, ""), Open,
			"2 readings more will decide"},
		"three readings of up to": {claim(600, "MBy/s", "up to"), rate, of(500, 1, 3, ""), Short,
			"17 % slower than “up to” 600 MB/s"},
		"one good reading of up to": {claim(600, "MBy/s", "up to"), rate, of(599, 1, 1, ""), Held,
			"The one reading is 599.0 MB/s"},
		"at least 500 of 600": {claim(600, "MBy/s", ""), rate, of(500, 0, 3, "at least"), Open, "stays open"},
		"72 Hz of 60": {claim(60, "Hz", ""), refresh, of(72, 0.1, 3, ""), Short,
			"20 % higher than promised"},
		"48 Hz of 60": {claim(60, "Hz", ""), refresh, of(48, 0.1, 3, ""), Short,
			"20 % lower than promised"},
		"60 Hz of 60":               {claim(60, "Hz", ""), refresh, of(60, 0.1, 3, ""), Held, "kept, to within 1.0 %."},
		"60 Hz or a little more":    {claim(60, "Hz", ""), refresh, of(60.5, 0.3, 3, ""), Open, "leaves it open"},
		"a level within its margin": {claim(38, "dB[A]", ""), noise, of(38.9, 0.1, 3, ""), Held, "within 1.0 dB(A)"},
		"a level beyond its margin": {claim(38, "dB[A]", ""), noise, of(39.2, 0.1, 3, ""), Short,
			"1.2 dB(A) louder than promised (1.1 to 1.3)"},
		"a tolerance of 5 % of 40 °C": {catalog.Claim{Value: 40, Unit: "Cel", Tolerance: 0.05}, heat, of(41.9, 0.05, 3, ""),
			Held, "within 2.0 °C"},
		"and a little more": {catalog.Claim{Value: 40, Unit: "Cel", Tolerance: 0.05}, heat, of(42.1, 0.05, 3, ""), Short,
			"2.1 °C warmer than promised"},
	} {
		v, err := Check(c.c, c.m, &c.e, nil)
		if err != nil || v.Outcome != c.want || !strings.Contains(v.Why, c.says) {
			t.Errorf("%s: %s, %q, %v; want %s, %q", name, v.Outcome, v.Why, err, c.want, c.says)
		}
	}
	e := of(500, 1, 3, "")
	e.Where = "left port, where it does worst of 2"
	if v, _ := Check(claim(400, "MBy/s", ""), rate, &e, nil); !strings.HasSuffix(v.Why,
		" Judged at left port, where it does worst of 2.") {
		t.Errorf("%q", v.Why)
	}
}

// A port's own rate is no rate of data: it is judged by the share of its payload that was reached, and less accuses
// nobody.
func TestALinksOwnRateIsJudgedAsALink(t *testing.T) {
	rate := method.Measure{Slug: "r", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	c := catalog.Claim{Measure: "wire/rate", Value: 2.5, Unit: "Gbit/s", Link: "Ethernet 2500 Mbit/s"}
	for v, want := range map[float64]struct {
		outcome Outcome
		says    string
	}{294: {Held, "99 % of the 296.7 MB/s"}, 150: {Open, "51 % of the 296.7 MB/s that it carries in usual framing was " +
		"reached. Whether the link"}, 262: {Open, "88 %"}} {
		got, err := Check(c, rate, &Evidence{Estimate: between(v-1, v+1)}, nil)
		if err != nil || got.Outcome != want.outcome || !strings.Contains(got.Why, want.says) {
			t.Errorf("%g MB/s: %s, %q, %v", v, got.Outcome, got.Why, err)
		}
	}
	if got, _ := Check(c, rate, nil, nil); got.Outcome != Untested {
		t.Errorf("%+v", got)
	}
	if got, _ := Check(c, rate, &Evidence{Unlike: "so"}, nil); got.Outcome != NotComparable {
		t.Errorf("%+v", got)
	}
	c.Value, c.Unit = 312.5, "MBy/s"
	if got, _ := Check(c, rate, nil, nil); got.Outcome != Impossible {
		t.Errorf("the same as a rate of data: %+v", got)
	}
	c.Value = 300 // within jumbo frames
	if got, _ := Check(c, rate, nil, nil); got.Outcome != Untested {
		t.Errorf("what large frames carry: %+v", got)
	}
}

// "At most" is the other way round: it proves a claim of noise, and leaves one of speed open or short.
func TestAtMost(t *testing.T) {
	rate := method.Measure{Slug: "r", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	noise := method.Measure{Slug: "n", Unit: "dB[A]", Scale: quantity.Level, Better: quantity.Lower, Margin: 1}
	at := func(v float64) *Evidence {
		return &Evidence{Estimate: stats.Estimate{Centre: v, Lo: v, Hi: v, N: 3, Bound: "at most"}, Best: v}
	}
	for _, c := range []struct {
		m    method.Measure
		unit string
		v    float64
		of   float64
		want Outcome
	}{{noise, "dB[A]", 20, 22, Beyond}, {noise, "dB[A]", 22, 22, Held}, {noise, "dB[A]", 25, 22, Open},
		{rate, "MBy/s", 80, 100, Short}, {rate, "MBy/s", 120, 100, Open}} {
		v, err := Check(catalog.Claim{Value: c.of, Unit: c.unit}, c.m, at(c.v), nil)
		if err != nil || v.Outcome != c.want {
			t.Errorf("at most %g of %g %s: %s, %q, %v; want %s", c.v, c.of, c.unit, v.Outcome, v.Why, err, c.want)
		}
	}
	if v, _ := Check(catalog.Claim{Value: 100, Unit: "MBy/s", Qualifier: "up to"}, rate, at(80), nil); v.Outcome != Short {
		t.Errorf("at most 80 of up to 100: %s", v.Outcome)
	}
}
