package claims

import (
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
)

func between(lo, hi float64) stats.Estimate {
	return stats.Estimate{Centre: (lo + hi) / 2, Lo: lo, Hi: hi, N: 5}
}

func TestOutcomes(t *testing.T) {
	rate := method.Measure{Slug: "read", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	time := method.Measure{Slug: "time", Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower}
	noise := method.Measure{Slug: "noise", Unit: "dB[A]", Scale: quantity.Level, Better: quantity.Lower, Margin: 1}
	for _, c := range []struct {
		name    string
		claim   catalog.Claim
		measure method.Measure
		e       *Evidence
		want    Outcome
		says    string
	}{
		{"well above", catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(5200, 5400)}, Beyond, "better than claimed"},
		{"just there", catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4960, 5040)}, Held, "within 1.0 %"},
		{"well below", catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4400, 4600)}, Short, "short by 10 % ± 2.0"},
		{"open", catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4800, 5100)}, Open, "leaves open"},
		{"other prefix", catalog.Claim{Value: 40, Unit: "Gbit/s"}, rate, &Evidence{Estimate: between(4960, 5040)}, Held, ""},
		{"binary prefix", catalog.Claim{Value: 5, Unit: "GiBy/s"}, rate, &Evidence{Estimate: between(4960, 5040)}, Short, ""},
		{"lower is better, faster", catalog.Claim{Value: 2, Unit: "min"}, time, &Evidence{Estimate: between(100, 110)}, Beyond, ""},
		{"lower is better, slower", catalog.Claim{Value: 2, Unit: "min"}, time, &Evidence{Estimate: between(130, 140)}, Short, "12 %"},
		{"lower is better, met", catalog.Claim{Value: 120, Unit: "s"}, time, &Evidence{Estimate: between(119, 121)}, Held, ""},
		{"wider tolerance of its own", catalog.Claim{Value: 5000, Unit: "MBy/s", Tolerance: 0.2}, rate, &Evidence{Estimate: between(4400, 4600)}, Held, "within 20 %"},
		{"up to, best reading reaches it", catalog.Claim{Value: 5000, Unit: "MBy/s", Qualifier: "up to"}, rate, &Evidence{Estimate: between(4400, 4600), Best: 4990}, Held, "Best of 5"},
		{"up to, none reaches it", catalog.Claim{Value: 5000, Unit: "MBy/s", Qualifier: "up to"}, rate, &Evidence{Estimate: between(4400, 4600), Best: 4700}, Short, "6.0 % short"},
		{"decibels by difference", catalog.Claim{Value: 36, Unit: "dB[A]"}, noise, &Evidence{Estimate: between(39.5, 40.5)}, Short, "short by 4.0 dB(A) ± 0.50"},
		{"decibels within the margin", catalog.Claim{Value: 36, Unit: "dB[A]"}, noise, &Evidence{Estimate: between(36.1, 36.9)}, Held, "within 1.0 dB(A)"},
		{"a bound that proves it", catalog.Claim{Value: 1000, Unit: "MBy/s"}, rate, &Evidence{Estimate: stats.Estimate{Centre: 1000, Lo: 1000, Hi: 1000, Bound: "at least"}}, Held, "at least 1000"},
		{"a bound that proves nothing", catalog.Claim{Value: 1200, Unit: "MBy/s"}, rate, &Evidence{Estimate: stats.Estimate{Centre: 1000, Lo: 1000, Hi: 1000, Bound: "at least"}}, Open, ""},
		{"stopped at the limit", catalog.Claim{Value: 20, Unit: "min"}, time, &Evidence{Estimate: stats.Estimate{Centre: 1800, Lo: 1800, Hi: 1800, Bound: "more than"}}, Short, "more than 1800"},
		{"nothing measured", catalog.Claim{Value: 1, Unit: "s"}, time, nil, Untested, "Nothing has been measured"},
		{"other conditions", catalog.Claim{Value: 1, Unit: "s"}, time, &Evidence{Unlike: "supply battery, not mains"}, NotComparable, "supply battery, not mains"},
	} {
		v, err := Check(c.claim, c.measure, c.e)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		if v.Outcome != c.want || !strings.Contains(v.Why, c.says) {
			t.Errorf("%s: %s (%s), want %s saying %q", c.name, v.Outcome, v.Why, c.want, c.says)
		}
		if strings.Contains(v.Why, "%") && c.measure.Scale == quantity.Level {
			t.Errorf("%s: a percentage of decibels: %s", c.name, v.Why)
		}
	}
}

func TestAnUnfitUnitIsRefused(t *testing.T) {
	_, err := Check(catalog.Claim{Value: 3, Unit: "W.h"}, method.Measure{Unit: "h"}, nil)
	if err == nil || !strings.Contains(err.Error(), "Wh stands for energy and cannot be turned into h, which stands for time") {
		t.Errorf("got %v", err)
	}
}

func TestUndecidedSaysHowManyRepeatsWouldDecide(t *testing.T) {
	rate := method.Measure{Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	v, _ := Check(catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4700, 5000)})
	if v.More < 1 || v.More > 30 || !strings.Contains(v.Why, "more repeats should decide") {
		t.Errorf("%+v", v)
	}
	v, _ = Check(catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4851, 5049)})
	if v.Outcome != Open || v.More != 0 || !strings.Contains(v.Why, "hardly decide") {
		t.Errorf("met almost exactly: %+v", v)
	}
}
