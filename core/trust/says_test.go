package trust

import (
	"fmt"
	"math"
	"testing"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/internal/golden"
)

// What every rule over repeats says, how grave it is and what it shows, in full.
func TestWhatRulesOverRepeatsSay(t *testing.T) {
	out := map[string][]Doubt{}
	for name, values := range map[string][]float64{
		"a pair":              {100.12, 121.3},
		"one of three":        {100.12, 101, 150.7},
		"one of six, below":   {100.1, 100.9, 99.3, 80.2, 101.4, 100.6},
		"scatter":             {100.12, 121.3, 83.45, 112.9, 91.03},
		"drift of three":      {120.11, 110.2, 100.48},
		"drift of five":       {100.2, 104.1, 107.7, 112.4, 116.3},
		"two levels":          {100.1, 130.4, 100.7, 99.6, 131.2, 129.9, 100.4, 130.8},
		"two levels, one odd": {100.1, 130.4, 100.7, 99.6, 100.2, 99.9, 131.1, 130.8},
		"the same digits":     {100.123456, 100.123456, 100.123456},
		"a slip of the unit":  {100.12, 101.3, 0.1009},
		"nothing":             {100.1, 100.9, 101.4},
	} {
		x := cellCase(values...)
		out[name] = Examine(x, nil, func(m string) string { return m })
	}
	golden.JSON(t, "repeats.json", out)
}

// A history of sittings: flat, with one lasting change, with too few to tell, on a scale of differences.
func TestWhatHistoriesSay(t *testing.T) {
	day := time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC)
	moments := func(firmware int, means ...float64) (out []Moment) {
		for i, m := range means {
			version := "1.2"
			if i >= firmware {
				version = "1.3"
			}
			out = append(out, Moment{At: day.AddDate(0, 0, i), Values: []float64{m, 1.004 * m, 0.996 * m},
				Conditions: map[string]string{"firmware": version}})
		}
		return out
	}
	pool := cellCase(100, 101, 102).Figures[0].Pool
	level := method.Measure{Slug: "noise", Name: "noise", Unit: "dB[A]", Scale: quantity.Level, Better: quantity.Lower}
	plain := stats.NewPool([]stats.Cell{stats.NewCell([]stats.Value{{X: 31, Sitting: "a"}, {X: 31.3, Sitting: "a"},
		{X: 30.9, Sitting: "a"}, {X: 31.1, Sitting: "a"}, {X: 31, Sitting: "a"}}, false)}, 0.1, 0.2)
	out := map[string]History{
		"none":            HistoryOf(ratio, nil, pool),
		"one":             HistoryOf(ratio, moments(9, 100), pool),
		"flat":            HistoryOf(ratio, moments(9, 100, 100.3, 99.8, 100.1, 100), pool),
		"lower since":     HistoryOf(ratio, moments(4, 100, 100.4, 99.7, 100.2, 80.3, 80.1, 79.9, 80.4), pool),
		"one day apart":   HistoryOf(ratio, moments(9, 100, 112, 100.2, 99.8, 100.1, 100.3), pool),
		"higher at once":  HistoryOf(ratio, moments(1, 100, 130, 130.4), pool),
		"noise, louder":   HistoryOf(level, moments(2, 31, 31.1, 35.2, 35, 35.1), plain),
		"noise, as quiet": HistoryOf(level, moments(9, 31, 31.1, 31.2, 31, 31.1), plain),
	}
	golden.JSON(t, "histories.json", out)
}

// What two runs have apart, in full: what bars comparison, what differs by more than scatter, what does not.
func TestWhatTwoRunsHaveApart(t *testing.T) {
	test := method.Test{Slug: "t", Version: 2, Name: "T", MustMatch: []string{"supply"},
		Measures: []method.Measure{ratio, {Slug: "wait", Name: "wait", Unit: "ms", Scale: quantity.Ratio,
			Better: quantity.Lower}}}
	run := func(id string, rate, wait float64, version int, observed map[string]string) Facts {
		trace := record.Trace{}
		for i := range 4 {
			trace.Add(float64(i), map[string]float64{"temperature.package": 60 + rate/20, "clock.mean": 3000 + rate,
				"power.package": 20}, map[string]string{"temperature.package": "Cel", "clock.mean": "MHz",
				"power.package": "W"})
		}
		begun := time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC)
		return Facts{Run: record.Run{ID: id, Test: "t", TestVersion: version, Subject: "u", Setup: "as-delivered",
			Sitting: id, Started: begun, Ended: begun.Add(time.Duration(rate) * time.Second), Outcome: record.Done,
			Observed: observed, Negotiated: map[string]string{"link.drive": fmt.Sprintf("PCIe %.0f GT/s x4",
				math.Ceil(rate/100)*8)},
			Options: map[string]string{"size": "2 MiB"},
			Readings: []record.Reading{{Measure: "rate", State: record.OK, Value: rate}, {Measure: "wait", State: record.OK,
				Value: wait}}, Course: record.Course{Limiter: record.Limiter{Label: record.ByDrive}}},
			Test: test, Setup: method.Setup{Slug: "as-delivered", Name: "As delivered",
				Conditions: map[string]string{"supply": "mains"}},
			Machine: record.Machine{System: "S 5", Kernel: "5.1", Processor: "P", Cores: version, Threads: 8, Memory: 16 << 30,
				Facts: map[string]string{"board": "B"}}, Trace: trace}
	}
	mains, battery := map[string]string{"supply": "mains", "firmware": "1.2"}, map[string]string{"supply": "battery"}
	a := run("a", 100, 5, 2, mains)
	golden.JSON(t, "apart.json", map[string]Changed{
		"itself":          Between(a, a),
		"much the same":   Between(a, run("b", 101, 5.01, 2, mains)),
		"other figures":   Between(a, run("c", 240, 9, 2, mains)),
		"on battery":      Between(a, run("d", 100, 5, 2, battery)),
		"another version": Between(a, run("e", 100, 5, 1, mains)),
	})
}
