package claims

import (
	"math"
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
		{"well above", catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(5200, 5400)}, Beyond,
			"6 % faster than promised (4 to 8)"},
		{"just there", catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4960, 5040)}, Held,
			"within 1.0 %"},
		{"well below", catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4400, 4600)}, Short,
			"10 % slower than promised (8 to 12)"},
		{"open", catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4800, 5100)}, Open,
			"leaves it open"},
		{"other prefix", catalog.Claim{Value: 40, Unit: "Gbit/s"}, rate, &Evidence{Estimate: between(4960, 5040)}, Held, ""},
		{"binary prefix", catalog.Claim{Value: 5, Unit: "GiBy/s"}, rate, &Evidence{Estimate: between(4960, 5040)}, Short, ""},
		{"lower is better, faster", catalog.Claim{Value: 2, Unit: "min"}, time, &Evidence{Estimate: between(100, 110)},
			Beyond, ""},
		{"lower is better, slower", catalog.Claim{Value: 2, Unit: "min"}, time, &Evidence{Estimate: between(130, 140)}, Short,
			"12 %"},
		{"lower is better, met", catalog.Claim{Value: 120, Unit: "s"}, time, &Evidence{Estimate: between(119, 121)}, Held,
			""},
		{"wider tolerance of its own", catalog.Claim{Value: 5000, Unit: "MBy/s", Tolerance: 0.2}, rate,
			&Evidence{Estimate: between(4400, 4600)}, Held, "within 20 %"},
		{"up to, best reading reaches it", catalog.Claim{Value: 5000, Unit: "MBy/s", Qualifier: "up to"}, rate,
			&Evidence{Estimate: between(4400, 4600), Best: 4990}, Held, "best of 5"},
		{"up to, none reaches it", catalog.Claim{Value: 5000, Unit: "MBy/s", Qualifier: "up to"}, rate,
			&Evidence{Estimate: between(4400, 4600), Best: 4700}, Short, "6 % slower than “up to” 5000 MB/s"},
		{"decibels by difference", catalog.Claim{Value: 36, Unit: "dB[A]"}, noise, &Evidence{Estimate: between(39.5, 40.5)},
			Short, "4 dB(A) louder than promised"},
		{"decibels within the margin", catalog.Claim{Value: 36, Unit: "dB[A]"}, noise, &Evidence{Estimate: between(36.1,
			36.9)}, Held, "within 1.0 dB(A)"},
		{"a bound that proves it", catalog.Claim{Value: 1000, Unit: "MBy/s"}, rate,
			&Evidence{Estimate: stats.Estimate{Centre: 1000, Lo: 1000, Hi: 1000, Bound: "at least"}}, Held, "at least 1000"},
		{"a bound that proves nothing", catalog.Claim{Value: 1200, Unit: "MBy/s"}, rate,
			&Evidence{Estimate: stats.Estimate{Centre: 1000, Lo: 1000, Hi: 1000, Bound: "at least"}}, Open, ""},
		{"stopped at the limit", catalog.Claim{Value: 20, Unit: "min"}, time, &Evidence{Estimate: stats.Estimate{Centre: 1800,
			Lo: 1800, Hi: 1800, Bound: "more than"}}, Short, "more than 30 min"},
		{"nothing measured", catalog.Claim{Value: 1, Unit: "s"}, time, nil, Untested, "Nothing has been measured"},
		{"other conditions", catalog.Claim{Value: 1, Unit: "s"}, time, &Evidence{Unlike: "supply battery, not mains"},
			NotComparable, "supply battery, not mains"},
	} {
		v, err := Check(c.claim, c.measure, c.e, nil)
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
	_, err := Check(catalog.Claim{Value: 3, Unit: "W.h"}, method.Measure{Unit: "h"}, nil, nil)
	if err == nil || !strings.Contains(err.Error(), "Wh stands for energy and cannot be turned into h, which stands "+
		"for time") {
		t.Errorf("got %v", err)
	}
}

func TestUndecidedSaysHowManyRepeatsWouldDecide(t *testing.T) {
	rate := method.Measure{Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	v, _ := Check(catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4700, 5000)}, nil)
	if v.More < 1 || v.More > 30 || !strings.Contains(v.Why, "more repeats should decide") {
		t.Errorf("%+v", v)
	}
	v, _ = Check(catalog.Claim{Value: 5000, Unit: "MBy/s"}, rate, &Evidence{Estimate: between(4851, 5049)}, nil)
	if v.Outcome != Open || v.More != 0 || !strings.Contains(v.Why, "hardly decide") {
		t.Errorf("met almost exactly: %+v", v)
	}
}

func TestImpossibleClaims(t *testing.T) {
	rate := method.Measure{Slug: "read", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	spec := map[string]any{"drive.link": "USB 10 Gbit/s"}
	for _, c := range []struct {
		name  string
		claim catalog.Claim
		want  Outcome
	}{
		{"more than the drive's own link carries", catalog.Claim{Measure: "drive-sequential/read", Value: 1250,
			Unit: "MBy/s"}, Impossible},
		{"as much as it carries", catalog.Claim{Measure: "drive-sequential/read", Value: 1210, Unit: "MBy/s"}, Untested},
		{"more than the link that it names", catalog.Claim{Measure: "transfer/rate", Value: 8, Unit: "Gbit/s",
			Link: "USB 5 Gbit/s"}, Impossible},
		{"memory has no such link", catalog.Claim{Measure: "memory-bandwidth/read", Value: 50, Unit: "GBy/s"}, Untested},
	} {
		v, err := Check(c.claim, rate, nil, spec)
		if err != nil || v.Outcome != c.want || c.want == Impossible && !strings.Contains(v.Why, "carries at most") {
			t.Errorf("%s: %s, %q (%v), want %s", c.name, v.Outcome, v.Why, err, c.want)
		}
	}
	v, _ := Check(catalog.Claim{Measure: "drive-sequential/read", Value: 1250, Unit: "MBy/s"}, rate,
		&Evidence{Estimate: between(900, 910)}, spec)
	if v.Outcome != Impossible || !strings.Contains(v.Why, "Measured 905.0 MB/s") {
		t.Errorf("measured or not, it is impossible: %+v", v)
	}
}

func TestUnitsOfClaimsConvert(t *testing.T) {
	for _, c := range []struct {
		value    float64
		unit, to string
		want     float64
	}{{3, "[lb_av]", "kg", 1.36077711}, {14, "[in_i]", "cm", 35.56}, {90, "min", "h", 1.5}, {40, "Gbit/s", "MBy/s", 5000},
		{1, "GiBy/s", "MBy/s", 1073.741824}, {5000, "mA.h", "W.h", 19.25}} {
		m := method.Measure{Unit: c.to, Scale: quantity.Ratio, Better: quantity.Higher}
		v, err := Check(catalog.Claim{Value: c.value, Unit: c.unit}, m, nil, map[string]any{"battery.voltage": "3.85 V"})
		if err != nil || v.Claimed < c.want*(1-1e-9) || v.Claimed > c.want*(1+1e-9) {
			t.Errorf("%g %s is %g %s, want %g (%v)", c.value, c.unit, v.Claimed, c.to, c.want, err)
		}
	}
	if _, err := Check(catalog.Claim{Value: 5000, Unit: "mA.h"}, method.Measure{Unit: "W.h"}, nil, nil); err == nil ||
		!strings.Contains(err.Error(), "battery.voltage") {
		t.Errorf("mAh without a voltage: %v", err)
	}
}

func TestTallies(t *testing.T) {
	of := func(maker, year string, o Outcome) Judged {
		return Judged{Maker: maker, Year: year, Verdict: Verdict{Outcome: o}}
	}
	// the makers of most claims first, of as many by name
	few := Tallies([]Judged{of("B", "", Held), of("C", "", Held), of("C", "", Short), of("A", "", Held), of("C", "",
		Open)},
		"maker")
	if len(few) != 3 || few[0].Of != "C" || few[1].Of != "A" || few[2].Of != "B" {
		t.Errorf("in the order of %+v", few)
	}
	js := []Judged{of("Selvane", "2025", Held), of("Selvane", "2026", Beyond), of("Selvane", "2026", Short),
		of("Selvane", "2026", Untested), of("Ardnoe", "2026", Impossible)}
	makers := Tallies(js, "maker")
	if len(makers) != 2 || makers[0].Of != "Selvane" || makers[0].Kept != 2 || makers[0].Broken != 1 ||
		makers[0].Sentence != "Of 3 claims by Selvane that are decided 2 held and 1 did not (kept: 9 to 99 %); "+
			"1 more is not decided or not tested." || math.Abs(makers[0].Share[1]-0.0943) > 1e-3 ||
		makers[1].Sentence != "Of 1 claim by Ardnoe that is decided 0 held and 1 did not." {
		t.Errorf("%+v", makers)
	}
	none := Tallies([]Judged{of("Selvane", "2026", Open), of("Selvane", "2026", NotComparable)}, "maker")
	if none[0].Share != nil || none[0].Sentence != "None of 2 claims by Selvane is decided." {
		t.Errorf("%+v", none)
	}
	one := func(measure string, o Outcome) Judged {
		j := of("Selvane", "2026", o)
		j.Model, j.Measure, j.Verdict.Estimate = "Selvane Fen 14", measure, &stats.Estimate{N: 3}
		return j
	}
	same := Tallies([]Judged{one("drive/read", Held), one("drive/write", Short), one("weight/weight", Held),
		one("drive/read", Open)}, "maker")[0]
	if len(same.Together) != 1 || !strings.HasSuffix(same.Sentence, "On the same runs rest 2 about the Selvane Fen 14 "+
		"in drive.") {
		t.Errorf("%+v", same)
	}
	if years := Tallies(js, "year"); len(years) != 2 || years[0].Of != "2025" || years[1].Claims != 4 {
		t.Errorf("%+v", years)
	}
	if both := Tallies(js, "maker-year"); len(both) != 3 || both[1].Year != "2025" {
		t.Errorf("%+v", both)
	}
}

// In the picture better is to the right, and what is "up to" by its best reading says why it stands below.
func TestClaimsAsDrawn(t *testing.T) {
	at := func(qualifier catalog.Qualifier, claimed, centre float64, by float64, o Outcome) Judged {
		j := Judged{Verdict: Verdict{Outcome: o, Claimed: claimed, By: by, Estimate: &stats.Estimate{N: 5, Centre: centre,
			Lo: centre - 2, Hi: centre + 1}}}
		j.Name, j.Text, j.Qualifier, j.Scale = "read", "up to 100 MB/s", qualifier, quantity.Ratio
		j.Unit, j.Symbol = "MBy/s", "MB/s"
		return j
	}
	for _, c := range []struct {
		j             Judged
		value, lo, hi float64
		label         string
	}{
		{at("", 100, 110, 0.1, Beyond), 10, 8, 11, "beyond: up to 100 MB/s, measured 110"},
		{at("", 100, 110, -0.1, Short), -10, -11, -8, "short: up to 100 MB/s, measured 110"}, // lower is better
		{at("up to", 100, 98, -0.02, Held), -2, -4, -1, "held: up to 100 MB/s, measured 98.0, best reaches it"},
		{at("up to", 100, 99.01, -0.01, Held), -0.99, -2.99, 0.01, "held: up to 100 MB/s, measured 99.0"},
		{at("typical", 100, 98, -0.02, Held), -2, -4, -1, "held: up to 100 MB/s, measured 98.0"},
		{at("up to", 100, 98, -0.02, Short), -2, -4, -1, "short: up to 100 MB/s, measured 98.0"},
	} {
		r := Draw("Fen 14", []Judged{c.j}, "").Rows[0]
		near := func(a, b float64) bool { return math.Abs(a-b) < 1e-9 }
		if r.Label != c.label || !near(r.Value, c.value) || !near(r.Lo, c.lo) || !near(r.Hi, c.hi) || r.Bare ||
			r.Warn != (c.j.Verdict.Outcome == Short) {
			t.Errorf("%s: %+v", c.label, r)
		}
	}
}
