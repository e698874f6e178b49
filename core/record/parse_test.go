package record

import (
	"math"
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/internal/mutants"
)

func number(v float64) *float64 { return &v }

var (
	rate    = method.Measure{Slug: "rate", Name: "rate", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	ceiling = method.Measure{Slug: "white", Name: "white", Unit: "cd/m2", Scale: quantity.Ratio, Better: quantity.Higher,
		Ceiling: number(1000)}
	limited = method.Measure{Slug: "time", Name: "time", Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower,
		Limit: number(1800)}
	hours   = method.Measure{Slug: "life", Name: "life", Unit: "h", Scale: quantity.Ratio, Better: quantity.Higher}
	celsius = method.Measure{Slug: "hot", Name: "hot", Unit: "Cel", Scale: quantity.Interval, Better: quantity.Lower}
)

func TestWhatPeopleType(t *testing.T) {
	for _, c := range []struct {
		in    string
		m     method.Measure
		state State
		value float64
		half  float64
	}{
		{"412", rate, OK, 412, 0},
		{"0.5 GB/s", rate, OK, 500, 0},
		{"29 to 31", rate, OK, 30, 1},
		{"29–31 MB/s", rate, OK, 30, 1},
		{"1..1.2 GB/s", rate, OK, 1100, 100},
		{"at least 1000", ceiling, AtCeiling, 1000, 0},
		{">= 900", ceiling, AtCeiling, 900, 0},
		{"1000", ceiling, AtCeiling, 1000, 0},
		{"999", ceiling, OK, 999, 0},
		{"more than 30 min", limited, BeyondLimit, 1800, 0},
		{"> 1800", limited, BeyondLimit, 1800, 0},
		{"1800", limited, BeyondLimit, 1800, 0},
		{"missing", rate, Missing, 0, 0},
		{"-4", celsius, OK, -4, 0},
		{"50 °F", celsius, OK, 10, 0},
		{"2 min 14 s", limited, OK, 134, 0},
		{"12 min 5 s", limited, OK, 725, 0},
		{"2:14", limited, OK, 134, 0},
		{"0:02:14.5", limited, OK, 134.5, 0},
		{"9 h 12 min", hours, OK, 9.2, 0},
		{"7h40", hours, OK, 7 + 40./60, 0},
		{"9:12", hours, OK, 9.2, 0},
		{"9.2", hours, OK, 9.2, 0},
		{"29-31", rate, OK, 30, 1},
		{"29 - 31 MB/s", rate, OK, 30, 1},
		{"about 100", rate, OK, 100, 5},
		{"~0.1 GB/s", rate, OK, 100, 5},
		{"at most 20", rate, AtFloor, 20, 0},
		{"< 20", rate, AtFloor, 20, 0},
		{"<= 20 MB/s", rate, AtFloor, 20, 0},
		{"less than 20", rate, AtFloor, 20, 0},
		{"2 TB/s", rate, OK, 2e6, 0},
		{"Missing: the app lost it", rate, Missing, 0, 0},
	} {
		r, err := ParseReading(c.in, c.m)
		if err != nil || r.State != c.state || math.Abs(r.Value-c.value) > 1e-9 || math.Abs(r.HalfWidth()-c.half) > 1e-9 {
			t.Errorf("%q: %+v, %v", c.in, r, err)
		}
	}
	for in, says := range map[string]string{
		"": "does not start with a number", "fast": "does not start", "0": "above zero", "-3": "above zero",
		"3 W": "cannot be turned", "31 to 29": "a range needs", "1 to": "unknown unit", "NaN": "number", "1e999": "number",
		"2:14":       "unknown unit",
		"about fast": "does not start", "< W": "does not start", "2 s 14 min": "unknown unit", "2:74": "unknown unit",
	} {
		if r, err := ParseReading(in, rate); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %+v, %v; want an error that says %q", in, r, err, says)
		}
	}
	if _, err := ParseReading("1200", ceiling); err == nil || !strings.Contains(err.Error(), "ceiling") {
		t.Errorf("a reading above the ceiling: %v", err)
	}
}

func FuzzParseReading(f *testing.F) {
	for _, s := range []string{"412", "29 to 31", "at least 5 GB/s", "> 1", "missing", "1..2", "to", ">=", "1 to 2 to 3"} {
		mutants.Add(f, s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		r, err := ParseReading(s, rate)
		if err == nil && r.State != Missing && !(r.Value > 0) {
			t.Errorf("%q became %g on a ratio scale", s, r.Value)
		}
		if err == nil && r.Low != nil && *r.Low > *r.High {
			t.Errorf("%q became the range %g to %g", s, *r.Low, *r.High)
		}
	})
}

func TestMarksOfChecksAndGrades(t *testing.T) {
	check := method.Measure{Slug: "there", Name: "there", Unit: "1", Scale: quantity.Pass, Better: quantity.Higher}
	grade := method.Measure{Slug: "feel", Name: "feel", Unit: "1", Scale: quantity.Grade, Better: quantity.Higher,
		Levels: []method.Level{{Mark: 1, Text: "poor"}, {Mark: 3, Text: "fair"}, {Mark: 5, Text: "good"}}}
	for _, c := range []struct {
		in    string
		m     method.Measure
		value float64
		says  string
	}{
		{"pass", check, 1, "pass"}, {"FAIL", check, 0, "fail"}, {"no", check, 0, "fail"}, {"n/a", check, 0, "not applicable"},
		{"3", grade, 3, "3: fair"}, {"Good", grade, 5, "5: good"}, {"not applicable", grade, 0, "not applicable"},
	} {
		r, err := ParseReading(c.in, c.m)
		if err != nil || r.Value != c.value || c.m.Say(r.Value, string(r.State)) != c.says {
			t.Errorf("%q: %+v says %q, %v", c.in, r, c.m.Say(r.Value, string(r.State)), err)
		}
	}
	for in, m := range map[string]method.Measure{"perhaps": check, "2": grade, "NaN": grade, "12": check} {
		if r, err := ParseReading(in, m); err == nil {
			t.Errorf("%q became %+v", in, r)
		}
	}
}

func TestWhyItIsMissingIsKept(t *testing.T) {
	if r, err := ParseReading("missing: trace too noisy", rate); err != nil || r.State != Missing ||
		r.Reason != "trace too noisy" {
		t.Errorf("%+v, %v", r, err)
	}
}

func TestReadingsAreSaidAsTheyWereRead(t *testing.T) {
	speed, check := method.Measure{Slug: "m", Unit: "MBy/s", Scale: quantity.Ratio}, method.Measure{Slug: "m",
		Scale: quantity.Pass}
	span := method.Measure{Slug: "m", Unit: "s", Scale: quantity.Ratio}
	for _, c := range []struct {
		text string
		m    method.Measure
		want string
	}{{"412 MB/s", speed, "412.0 MB/s"}, {"29 to 31", speed, "29 to 31 MB/s"}, {"at least 500", speed,
		"at least 500.0 MB/s"}, {"missing: lost", speed, "missing"}, {"pass", check, "pass"}, {"fail", check, "fail"},
		{"150 to 190", span, "2 min 30 s to 3 min 10 s"}, {"15 to 19.5", span, "15 to 19.5 s"}} {
		r, err := ParseReading(c.text, c.m)
		if got := r.Says(c.m); err != nil || got != c.want {
			t.Errorf("%q is said %q, %v, want %q", c.text, got, err, c.want)
		}
	}
}
