package quantity

import (
	"errors"
	"math"
	"strings"
	"testing"

	"durvek/internal/mutants"
)

func TestParse(t *testing.T) {
	for in, want := range map[string]Quantity{
		"16 GiB": {16, "GiBy"}, "1.4kg": {1.4, "kg"}, "85 %": {85, "%"}, "12 400 MB/s": {12400, "MBy/s"}, "20 Gbit/s": {20,
			"Gbit/s"},
		"5_600 MT/s": {5600, "{transfer}/us"}, "-3 °C": {-3, "Cel"}, "1e3 ms": {1000, "ms"}, "42": {42, "1"},
		"400 cd/m²": {400, "cd/m2"}, "31 dB(A)": {31, "dB[A]"},
		"14 in": {14, "[in_i]"}, "60 fps": {60, "{frame}/s"},
	} {
		got, err := Parse(in)
		if err != nil || got != want {
			t.Errorf("%q: %v, %v; want %v", in, got, err, want)
		}
	}
	for in, says := range map[string]string{
		"": "does not start with a number", "fast": "does not start with a number", "1,400 MB": "no comma",
		"5 furlongs": "unknown unit", "3 mib": "did you mean MiB",
	} {
		if _, err := Parse(in); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want an error that says %q", in, err, says)
		}
	}
}

func TestConvert(t *testing.T) {
	for _, c := range []struct {
		v        float64
		from, to string
		want     float64
	}{{1, "GiBy", "MBy", 1073.741824}, {10, "Gbit/s", "MBy/s", 1250}, {90, "min", "h", 1.5}, {2.4, "[lb_av]", "kg",
		1.088621688}, {14, "[in_i]", "mm", 355.6}, {60, "W.h", "J", 216000}} {
		got, err := Convert(c.v, c.from, c.to)
		if err != nil || math.Abs(got-c.want) > 1e-9*c.want {
			t.Errorf("%g %s = %g %s (%v), want %g", c.v, c.from, got, c.to, err, c.want)
		}
	}
	if _, err := Convert(1, "W", "h"); !errors.Is(err, ErrUnit) {
		t.Errorf("watts turned into hours: %v", err)
	}
}

func TestEveryUnitStandsOnceAndReadsBack(t *testing.T) {
	seen := map[string]bool{}
	for _, u := range Units() {
		if seen[u.Code] {
			t.Errorf("%s stands twice", u.Code)
		}
		seen[u.Code] = true
		if u.Code == "1" {
			continue
		}
		q, err := Parse("2 " + u.Symbol)
		if err != nil {
			t.Errorf("%s does not read back: %v", u.Symbol, err)
		} else if v, err := q.In(u.Code); err != nil || math.Abs(v-2) > 1e-12 {
			t.Errorf("2 %s reads back as %g %s (%v)", u.Symbol, v, u.Code, err)
		}
	}
}

func TestPrinting(t *testing.T) {
	for _, c := range []struct{ got, want string }{
		{Number(0, 4), "0"}, {Number(1234.5, 4), "1234"}, {Number(12345.6, 4), "12,346"}, {Number(0.012345, 3), "0.0123"},
		{Number(-4.25, 3), "−4.25"},
		{Number(math.NaN(), 3), "—"}, {Fixed(-0.0001, 2), "0.00"}, {Fixed(1234567, 0), "1,234,567"}, {Plain(13, "h"), "13 h"},
		{Plain(1.29, "kg"), "1.29 kg"}, {Plain(12000, "1"), "12,000"},
		{Format(512, "GBy"), "512.0 GB"},
	} {
		if c.got != c.want {
			t.Errorf("%q, want %q", c.got, c.want)
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"16 GiB", "1 000 000 B", "-1e9 s", "29 to 31", "°C", "9e999 W", "1__2 g"} {
		mutants.Add(f, s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		q, err := Parse(s)
		if err == nil && (math.IsNaN(q.Value) || math.IsInf(q.Value, 0)) {
			t.Errorf("%q became %g", s, q.Value)
		}
		if err == nil {
			if _, err := LookUp(q.Unit); err != nil {
				t.Errorf("%q has the unknown unit %q", s, q.Unit)
			}
		}
	})
}

func TestGivenStaysAsItWas(t *testing.T) {
	for v, want := range map[float64]string{900: "900 MB/s", 0.5: "0.5 MB/s", 12345: "12,345 MB/s",
		1073.741824: "1074 MB/s"} {
		if got := Given(v, "MBy/s"); got != want {
			t.Errorf("%g: %q, want %q", v, got, want)
		}
	}
}

// What somebody gave in up to five digits stands as it was given, beyond that as a figure.
func TestWhatWasGivenStandsAsGiven(t *testing.T) {
	for v, want := range map[float64]string{900: "900 MB/s", 12345: "12,345 MB/s", 1.2345: "1.2345 MB/s",
		1.23456: "1.235 MB/s", 123456: "123,456 MB/s", 123.456: "123.5 MB/s", -1.5: "−1.5 MB/s"} {
		if got := Given(v, "MBy/s"); got != want {
			t.Errorf("%g: %q, want %q", v, got, want)
		}
	}
}
