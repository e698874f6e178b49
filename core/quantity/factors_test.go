package quantity

import (
	"math"
	"testing"
)

// Every unit's size in the first of its dimension, by the definitions of the SI, IEC 80000-13 and the avoirdupois
// system.
func TestEveryUnitIsAsLargeAsItsDefinitionSays(t *testing.T) {
	sizes := []struct {
		of    string
		sizes map[string]float64
	}{
		{"By", map[string]float64{"By": 1, "kBy": 1000, "MBy": 1e6, "GBy": 1e9, "TBy": 1e12, "KiBy": 1024, "MiBy": 1048576,
			"GiBy": 1073741824, "TiBy": 1099511627776}},
		{"By/s", map[string]float64{"By/s": 1, "kBy/s": 1000, "MBy/s": 1e6, "GBy/s": 1e9, "KiBy/s": 1024, "MiBy/s": 1048576,
			"GiBy/s": 1073741824, "Mbit/s": 125000, "Gbit/s": 125000000, "TBy/s": 1e12, "kbit/s": 125,
			"Tbit/s": 1.25e11}},
		{"s", map[string]float64{"ns": 1e-9, "us": 1e-6, "ms": 1e-3, "s": 1, "min": 60, "h": 3600, "d": 86400}},
		{"/s", map[string]float64{"/s": 1, "/min": 1.0 / 60, "/h": 1.0 / 3600, "10*3/s": 1000}},
		{"{flop}/ns", map[string]float64{"{flop}/ns": 1, "{flop}/ps": 1000}},
		{"{picture}/s", map[string]float64{"{picture}/s": 1, "{picture}/min": 1.0 / 60}},
		{"{page}/min", map[string]float64{"{page}/min": 1}}, {"{document}/min", map[string]float64{"{document}/min": 1}},
		{"W", map[string]float64{"mW": 1e-3, "W": 1}}, {"J", map[string]float64{"W.h": 3600, "J": 1, "kW.h": 3.6e6}},
		{"mA.h", map[string]float64{"mA.h": 1, "A.h": 1000}}, {"V", map[string]float64{"V": 1}},
		{"A", map[string]float64{"A": 1}},
		{"kg", map[string]float64{"g": 1e-3, "kg": 1, "[lb_av]": 0.45359237, "[oz_av]": 0.028349523125}},
		{"m", map[string]float64{"mm": 1e-3, "cm": 1e-2, "m": 1, "[in_i]": 0.0254}},
		{"Hz", map[string]float64{"Hz": 1, "kHz": 1e3, "MHz": 1e6, "GHz": 1e9}},
		{"{pixel}", map[string]float64{"{pixel}": 1, "{Mpixel}": 1e6}},
	}
	seen := map[string]bool{}
	for _, d := range sizes {
		for code, want := range d.sizes {
			seen[code] = true
			got, err := Convert(1, code, d.of)
			if err != nil || math.Abs(got/want-1) > 1e-12 {
				t.Errorf("1 %s is %g %s, want %g: %v", code, got, d.of, want, err)
			}
		}
	}
	for f, c := range map[float64]float64{32: 0, 212: 100, -40: -40, 98.6: 37} {
		seen["Cel"], seen["[degF]"] = true, true
		up, err := Convert(f, "[degF]", "Cel")
		down, err2 := Convert(c, "Cel", "[degF]")
		if err != nil || err2 != nil || math.Abs(up-c) > 1e-9 || math.Abs(down-f) > 1e-9 {
			t.Errorf("%g °F is %g °C, %g °C is %g °F: %v, %v", f, up, c, down, err, err2)
		}
	}
	for _, u := range Units() { // the others stand alone
		if seen[u.Code] {
			continue
		}
		for _, other := range Units() {
			if other.Dimension == u.Dimension && other.Code != u.Code {
				t.Errorf("%s and %s measure the same, and nothing says how large they are", u.Code, other.Code)
			}
		}
		if want := map[string]float64{"%": 0.01}[u.Code]; u.Factor != 1 && u.Factor != want {
			t.Errorf("%s alone is %g", u.Code, u.Factor)
		}
	}
	// What is counted by the minute is so of what is counted by the second.
	for code, want := range map[string]float64{"{page}/min": 1.0 / 60, "{document}/min": 1.0 / 60, "mA.h": 3.6} {
		if u, err := LookUp(code); err != nil || math.Abs(u.Factor/want-1) > 1e-12 {
			t.Errorf("%s is %g, want %g: %v", code, u.Factor, want, err)
		}
	}
}

// Which figures are compared by ratio, and of which a bar from zero is an honest picture.
func TestWhatMayBeDoneOnEachScale(t *testing.T) {
	for s, want := range map[Scale][2]bool{Ratio: {true, true}, Interval: {false, false}, Level: {false, false},
		Share: {false, true}, Grade: {false, false}, Pass: {false, false}} {
		if got := [2]bool{s.Logarithmic(), s.Bars()}; got != want {
			t.Errorf("%s: %v, want %v", s, got, want)
		}
	}
}

// The number of digits is that of what is printed, at powers of ten too.
func TestDigitsAreCountedAfterRounding(t *testing.T) {
	for _, c := range []struct {
		v    float64
		n    int
		want string
	}{{0.99994, 4, "0.9999"}, {0.99996, 4, "1.000"}, {9.9996, 4, "10.00"}, {-99.996, 4, "−100.0"}, {999.96, 4, "1000"},
		{1, 1, "1"}, {0.95, 1, "0.9"}, {0.96, 1, "1"}, {12345.6, 3, "12,346"}} {
		if got := Number(c.v, c.n); got != c.want {
			t.Errorf("%g with %d digits: %s, want %s", c.v, c.n, got, c.want)
		}
	}
}
