package analyse

import (
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

// ranDown is a run of heartbeats every 15 s: the charge falls from one level to another over so many hours, a screen is
// due every 10 s, and a share of them is done.
func ranDown(hours, from, to, share float64) (method.Test, *record.Run) {
	n := int(hours*240) + 1
	times := evenTimes(n, 15)
	level := of(n, func(i int) float64 { return from + (to-from)*float64(i)/float64(n-1) })
	due := of(n, func(i int) float64 { return 1.5 * float64(i) })
	done := of(n, func(i int) float64 { return 1.5 * float64(i) * share })
	t := method.Test{Slug: "r", Analysis: "rundown", Measures: RundownMeasures("{screen}", "screens read", true),
		Options: []method.Option{{Slug: "capacity", Unit: "W.h"}}}
	return t, &record.Run{Test: "r", Outcome: record.Done, Negotiated: map[string]string{HowEnded: WentOff},
		Series: []record.Series{{Channel: Charge, Times: times, Values: level}, {Channel: Due, Times: times, Values: due},
			{Channel: Done, Times: times, Values: done}}}
}

func figuresOf(t *testing.T, test method.Test, r *record.Run) map[string]record.Reading {
	t.Helper()
	if err := Figures(test, r); err != nil {
		t.Fatal(err)
	}
	out := map[string]record.Reading{}
	for _, x := range r.Readings {
		out[x.Measure] = x
	}
	return out
}

func TestARunDownTellsHoursWorkDrawAndPace(t *testing.T) {
	test, r := ranDown(8, 100, 2, 1)
	r.Negotiated[FullEnergy] = "60 Wh"
	got := figuresOf(t, test, r)
	near(t, "hours", got["hours"], 8, 1e-9)
	near(t, "draw", got["draw"], 7.5, 1e-9)
	near(t, "frugality", got["frugality"], 8, 1e-9)
	near(t, "work", got["work"], 2880, 1e-9)
	near(t, "pace", got["pace"], 100, 1e-9)
	if r.Observed[PaceCondition] != Held {
		t.Errorf("pace %q", r.Observed[PaceCondition])
	}
	if last := r.Series[len(r.Series)-1]; last.Channel != Pace || len(last.Values) != 8*240 || last.Values[0] != 100 {
		t.Errorf("no pace over time: %s, %d", last.Channel, len(last.Values))
	}
	// An option says better than the spec sheet what the battery holds.
	test, r = ranDown(8, 100, 2, 1)
	r.Negotiated[FullEnergy], r.Options = "60 Wh", map[string]string{"capacity": "40 Wh"}
	near(t, "draw by the option", figuresOf(t, test, r)["draw"], 5, 1e-9)
	test, r = ranDown(8, 100, 2, 1)
	got = figuresOf(t, test, r)
	without(t, got["draw"], "spec sheet's battery.energy")
	without(t, got["frugality"], "capacity")
	near(t, "hours without an energy", got["hours"], 8, 1e-9)
}

func TestAPaceThatWasNotHeldIsOtherWork(t *testing.T) {
	for _, c := range []struct {
		share float64
		want  string
	}{{0.98, Held}, {0.979, "5.9 of 6.0 screens/min"}, {0.5, "3.0 of 6.0 screens/min"}, {1.02, Held}} {
		test, r := ranDown(3, 100, 2, c.share)
		got := figuresOf(t, test, r)
		if r.Observed[PaceCondition] != c.want {
			t.Errorf("at %g of the pace: %q, want %q", c.share, r.Observed[PaceCondition], c.want)
		}
		near(t, "pace", got["pace"], min(100*c.share, 100), 1e-6)
	}
	// Where much is due a second, it is said a second.
	test, r := ranDown(3, 100, 2, 17.0/24)
	test.Measures = RundownMeasures("{frame}", "frames shown", true)
	for i := range r.Series[1:] {
		for k := range r.Series[1+i].Values {
			r.Series[1+i].Values[k] *= 240
		}
	}
	if figuresOf(t, test, r); r.Observed[PaceCondition] != "17 of 24 frames/s" {
		t.Error(r.Observed[PaceCondition])
	}
	// A load without a pace has none to hold.
	test, r = ranDown(3, 100, 2, 1)
	test.Measures = RundownMeasures("{round}", "rounds", false)
	r.Series = append(r.Series[:1], r.Series[2])
	got := figuresOf(t, test, r)
	if _, there := got["pace"]; there || r.Observed[PaceCondition] != Unpaced {
		t.Errorf("%v, pace %q", got["pace"], r.Observed[PaceCondition])
	}
}

func TestHowARunDownEndsDecidesWhatItIsWorth(t *testing.T) {
	// It went off although it claimed a fifth of its charge: that was all there is.
	test, r := ranDown(4, 100, 20, 1)
	got := figuresOf(t, test, r)
	near(t, "went off early", got["hours"], 4, 1e-9)
	if r.Negotiated["battery.extrapolated"] != "" {
		t.Error("a device that went off is continued")
	}
	// It was plugged in at 40 %: continued along the straight part, and said so.
	test, r = ranDown(6, 100, 40, 1)
	r.Negotiated[HowEnded] = PluggedIn
	got = figuresOf(t, test, r)
	near(t, "plugged in", got["hours"], 10, 0.02)
	near(t, "work of the whole charge", got["work"], 6*360/0.6, 10)
	if r.Negotiated["battery.extrapolated"] != "yes" || r.Negotiated["battery.logged"] != "100 to 40 %" {
		t.Error(r.Negotiated)
	}
	// At 60 % too little was seen of it; the pace is known all the same.
	test, r = ranDown(4, 100, 60, 0.9)
	r.Negotiated[HowEnded] = PluggedIn
	got = figuresOf(t, test, r)
	for _, m := range []string{"hours", "draw", "frugality", "work"} {
		without(t, got[m], "less than half")
	}
	near(t, "pace", got["pace"], 90, 1e-9)
	// A browser that tells no charge: only a device that went off tells how long it lasts.
	test, r = ranDown(5, 100, 2, 1)
	r.Series = r.Series[1:]
	near(t, "without a level", figuresOf(t, test, r)["hours"], 5, 1e-9)
	test, r = ranDown(5, 100, 2, 1)
	r.Series, r.Negotiated[HowEnded] = r.Series[1:], Ended
	without(t, figuresOf(t, test, r)["hours"], "less than half")
	// A level that cannot be is not used: a device that went off tells its hours all the same, another one tells none.
	for words, spoil := range map[string]func(*record.Run){
		"it was charged":        func(r *record.Run) { r.Series[0].Values[100] = 99.9; r.Series[0].Values[99] = 20 },
		"level of 140 % cannot": func(r *record.Run) { r.Series[0].Values[3] = 140 },
	} {
		test, r := ranDown(2, 100, 2, 1)
		spoil(r)
		near(t, words, figuresOf(t, test, r)["hours"], 2, 1e-9)
		if !strings.Contains(r.Negotiated["battery.nonsense"], words) {
			t.Errorf("%s: %v", words, r.Negotiated)
		}
		test, r = ranDown(2, 100, 2, 1)
		spoil(r)
		r.Negotiated[HowEnded] = PluggedIn
		got := figuresOf(t, test, r)
		without(t, got["hours"], "less than half")
		near(t, "pace", got["pace"], 100, 1e-9)
	}
	test, r = ranDown(2, 100, 2, 1)
	r.Series = r.Series[:1]
	if err := Figures(test, r); err == nil || !strings.Contains(err.Error(), "two heartbeats at least") {
		t.Error(err)
	}
}

func TestAChargeTellsWhenItsLevelsWereReached(t *testing.T) {
	test := method.Test{Slug: "c", Analysis: "charging", Measures: ChargingMeasures()}
	run := func(from, to float64) map[string]record.Reading {
		r := &record.Run{Test: "c", Outcome: record.Done, Series: []record.Series{{Channel: Charge,
			Times: evenTimes(101, 60), Values: of(101, func(i int) float64 { return from + (to-from)*float64(i)/100 })}}}
		return figuresOf(t, test, r)
	}
	got := run(0, 100)
	near(t, "to 50", got["to-50"], 50, 1e-9)
	near(t, "to 80", got["to-80"], 80, 1e-9)
	near(t, "to 100", got["to-100"], 100, 1e-9)
	near(t, "from 10", run(10, 100)["to-80"], 100*70.0/90, 1e-9)
	without(t, run(11, 100)["to-50"], "began at 11 %")
	got = run(5, 79.9)
	near(t, "to 50 of a charge that ended", got["to-50"], 100*45/74.9, 1e-9)
	without(t, got["to-80"], "watched up to 79.9 %")
	if err := Figures(test, &record.Run{Test: "c", Outcome: record.Done}); err == nil {
		t.Error("a charge without a level was taken")
	}
}

func TestRundownMeasuresAreInKnownUnits(t *testing.T) {
	for _, m := range append(RundownMeasures("{action}", "x", true), ChargingMeasures()...) {
		if quantity.Symbol(m.Unit) == m.Unit && m.Unit != "h" && m.Unit != "W" && m.Unit != "%" && m.Unit != "min" {
			t.Errorf("%s is in %q, which no screen can show", m.Slug, m.Unit)
		}
	}
}
