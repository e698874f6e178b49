package say

import (
	"testing"

	"durvek/core/quantity"
)

func ratio(named, unit string, better quantity.Direction, v, lo, hi float64) Difference {
	return Difference{Pair: Of(named, unit, quantity.Ratio, better), Unit: unit, Value: v, Lo: lo, Hi: hi, Ratio: true}
}

func TestWordsThatFitTheMeasure(t *testing.T) {
	rate := ratio("", "MBy/s", quantity.Higher, 118, 116, 120)
	hours := ratio("", "h", quantity.Higher, 114, 113, 115)
	hours.Figure = 9.5
	minutes := hours
	minutes.Figure = 0.02
	level := Difference{Pair: Of("", "dB[A]", quantity.Level, quantity.Lower), Unit: "dB[A]", Value: -4, Lo: -4.4,
		Hi: -3.6}
	warm := Difference{Pair: Of("", "Cel", quantity.Interval, quantity.Lower), Unit: "Cel", Value: 6.2, Lo: 5, Hi: 7}
	white := Difference{Pair: Of("", "K", quantity.Interval, quantity.Target), Unit: "K", Value: -420, Lo: -440, Hi: -400}
	rise := Difference{Pair: Of("", "K", quantity.Interval, quantity.Lower), Unit: "K", Value: 6.2, Lo: 5, Hi: 7}
	share := Difference{Pair: Of("coverage", "%", quantity.Share, quantity.Higher), Unit: "%", Value: 2.5, Lo: 2.4,
		Hi: 2.6}
	for _, c := range []struct {
		d    Difference
		want string
	}{
		{rate, "18 % faster"},
		{ratio("", "{picture}/min", quantity.Higher, 199.9, 199, 200.5), "100 % faster"},
		{ratio("", "{picture}/min", quantity.Higher, 200, 199, 201), "2.0 times as fast"},
		{ratio("", "By/s", quantity.Higher, 1100, 1090, 1110), "11 times as fast"},
		{ratio("", "By/s", quantity.Higher, 1000, 990, 1010), "10 times as fast"},
		{ratio("", "By/s", quantity.Higher, 999, 990, 1010), "10.0 times as fast"},
		{ratio("", "By/s", quantity.Higher, 100.03, 100.01, 100.05), "0.03 % faster"},
		{ratio("", "s", quantity.Lower, 93, 92.5, 93.5), "takes 7 % less time"},
		{ratio("", "s", quantity.Lower, 93, 81, 105), "takes 7 % less time"},
		{ratio("", "ms", quantity.Lower, 88, 87, 89), "answers 12 % sooner"},
		{ratio("", "cd/m2", quantity.Higher, 97.5, 97.4, 97.6), "2.5 % dimmer"},
		{ratio("", "cd/m2", quantity.Higher, 97.5, 96.4, 98.6), "2 % dimmer"},
		{ratio("", "kg", quantity.Lower, 89.55, 89.4, 89.7), "10 % lighter"},
		{ratio("thickness", "mm", quantity.Lower, 110, 109, 111), "10 % thicker"},
		{ratio("", "W", quantity.Lower, 250, 249, 251), "draws 2.5 times as much"},
		{ratio("", "MBy/s", quantity.Higher, 147, 133, 161), "50 % faster"},
		{hours, "lasts 1 h 10 min longer (14 %)"},
		{minutes, "lasts 14 % longer"},
		{level, "4 dB(A) quieter"},
		{warm, "6 °C warmer"},
		{rise, "6 °C warmer"},
		{white, "420 K yellower"},
		{ratio("black", "cd/m2", quantity.Lower, 15, 15, 15), "85 % darker"},
		{share, "covers 2.5 points more"},
		{ratio("", "1", quantity.Higher, 112, 112, 112), "12 % higher"},
		{ratio("", "GBy", quantity.Higher, 88, 88, 88), "12 % smaller"},
		{ratio("", "{job}", quantity.Higher, 120, 120, 120), "has 20 % more"},
		{ratio("", "W.h", quantity.Lower, 80, 80, 80), "uses 20 % less energy"},
		{ratio("", "W.h", quantity.Higher, 80, 80, 80), "20 % smaller"},
	} {
		if got := c.d.Phrase(); got != c.want {
			t.Errorf("%+v: %q, not %q", c.d, got, c.want)
		}
	}
	if a, b := ratio("", "1", quantity.Higher, 200, 199, 201).Beside("it"), ratio("", "1", quantity.Higher, 199, 198,
		199.5).Beside("it"); a != "2.0 times as high as it" || b != "99 % higher than it" {
		t.Error(a, b)
	}
	if d := (Difference{Pair: Of("weight", "kg", quantity.Ratio, quantity.Lower), Ratio: true, Value: 96, Lo: 96,
		Hi: 96}); d.In("weight") != "4 % lighter" ||
		d.In("the case") != "4 % lighter in the case" {
		t.Error(d.In("weight"), d.In("the case"))
	}
	if p := Of("", "K", quantity.Interval, quantity.Target); p.How != InUnit || p.Times != "" {
		t.Errorf("a difference of temperatures is said as %+v", p)
	}
	if p := Of("", "s", quantity.Interval, quantity.Lower); p.How != InUnit {
		t.Errorf("seconds below a floor have a zero that means nothing: %+v", p)
	}
}

func TestEveryPairHasBothWords(t *testing.T) {
	seen := map[Quantity]bool{}
	for _, p := range Pairs {
		if seen[p.Quantity] || p.Of == "" || p.More == p.Less || p.How == Percent && p.Times == "" {
			t.Errorf("%+v", p)
		}
		seen[p.Quantity] = true
	}
	if _, ok := Find("nothing"); ok || len(Quantities()) != len(Pairs) {
		t.Error("what is not in the table was found")
	}
}

func TestSpansOfSeveral(t *testing.T) {
	d := func(v float64) Difference { return Difference{Value: v, Ratio: true} }
	for want, of := range map[string][]Difference{"36 to 44 %": {d(136.4), d(144.2), d(140)}, "9 %": {d(109.2), d(91.1)},
		"0.4 to 2 %": {d(100.4), d(98)}, "7 %": {d(107)}, "3 to 9 %": {d(103), d(109)},
		"up to 2.0 times": {d(110), d(200)}} {
		if got := Spread(of); got != want {
			t.Errorf("%q, not %q", got, want)
		}
	}
}

func TestPlacesAreSaidWhereTheyAreKnown(t *testing.T) {
	for _, c := range []struct {
		best, worst, of int
		want            string
	}{{1, 1, 12, "first of 12"}, {3, 3, 12, "third of 12"}, {3, 6, 12, "third to sixth of 12"},
		{3, 7, 12, "in the middle of 12"}, {1, 7, 12, ""}, {3, 12, 12, ""}, {12, 12, 12, "last of 12"},
		{30, 30, 31, "second to last of 31"}, {3, 3, 4, "third of 4"}, {1, 2, 4, "first to second of 4"}, {1, 2, 3, ""},
		{0, 0, 12, ""}, {1, 1, 1, ""}, {22, 22, 40, "22nd of 40"}, {13, 13, 40, "13th of 40"}, {21, 23, 40,
			"21st to 23rd of 40"}} {
		if got := Place(c.best, c.worst, c.of); got != c.want {
			t.Errorf("%d to %d of %d: %q, not %q", c.best, c.worst, c.of, got, c.want)
		}
	}
}

func TestSmallWords(t *testing.T) {
	for n, want := range map[int]string{0: "0th", 3: "third", 11: "eleventh", 12: "twelfth", 13: "13th", 21: "21st",
		22: "22nd", 23: "23rd", 24: "24th", 101: "101st", 111: "111th", 112: "112th", 113: "113th"} {
		if got := Ordinal(n); got != want {
			t.Errorf("%d is %q", n, got)
		}
	}
	if Count(0) != "none" || Count(12) != "twelve" || Count(13) != "13" || All(2) != "both" || All(3) != "all three" ||
		All(1) != "the one" || List[string](nil) != "" || List([]string{"a", "b", "c"}) != "a, b and c" ||
		Sentence("écluse") != "écluse." || Sentence("is it?") != "Is it?" || Sentence(" ") != "" {
		t.Error("a word is off")
	}
}

func TestThings(t *testing.T) {
	for n, want := range map[int]string{0: "0 runs", 1: "1 run", 2: "2 runs", 21: "21 runs"} {
		if got := Things(n, "run"); got != want {
			t.Errorf("%d: %q", n, got)
		}
	}
}

func TestADifferenceToSomethingWithItsEnds(t *testing.T) {
	hours := ratio("", "h", quantity.Higher, 92, 90, 94)
	hours.Figure = 9.2
	wide := ratio("", "h", quantity.Higher, 133, 119, 147)
	wide.Figure = 12.4
	near := hours
	near.Lo, near.Hi = 91, 93
	level := Difference{Pair: Of("", "dB[A]", quantity.Level, quantity.Lower), Unit: "dB[A]", Value: -2,
		Lo: -2.4, Hi: -1.6}
	for _, c := range []struct {
		d           Difference
		other, want string
	}{
		{ratio("", "MBy/s", quantity.Higher, 92, 90, 94), "promised", "8 % slower than promised (6 to 10)"},
		{ratio("", "MBy/s", quantity.Higher, 92, 92, 92), "promised", "8 % slower than promised"},
		{ratio("", "MBy/s", quantity.Higher, 98, 97.5, 98.5), "promised", "2 % slower than promised (1.5 to 2.5)"},
		{ratio("", "MBy/s", quantity.Higher, 240, 230, 250), "before", "2.4 times as fast as before (2.3 to 2.5)"},
		{ratio("", "MBy/s", quantity.Higher, 92, 90, 94), "", "8 % slower (6 to 10)"},
		{hours, "promised", "lasts 50 min shorter than promised (8 %, 6 to 10)"},
		{near, "promised", "lasts 48 min shorter than promised (8 %, 7 to 9)"},
		{wide, "before", "lasts 3 h longer than before (30 %, 20 to 50)"},
		{level, "the other", "2 dB(A) quieter than the other (1.6 to 2.4)"},
	} {
		if got := c.d.Than(c.other); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
	for phrase, want := range map[string]string{"8 % slower": "is 8 % slower",
		"takes 7 % less time": "takes 7 % less time",
		"":                    ""} {
		if got := Is(phrase); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}
