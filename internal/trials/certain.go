package trials

import (
	"fmt"
	"math"
	"math/rand/v2"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
)

// Certain is a kind of trouble that needs no statistics: it must always be found, and what comes near it never.
type Certain struct {
	Rule  string
	Plant func(rng *rand.Rand, c *trust.Case)
	Near  func(rng *rand.Rand, c *trust.Case) // like it, but all right
}

func pick[T any](rng *rand.Rand, list ...T) T { return list[rng.IntN(len(list))] }

func between(rng *rand.Rand, lo, hi float64) float64 { return lo + (hi-lo)*rng.Float64() }

// plain is a case with nothing wrong: a drive or a processor test on a laptop, alone.
func plain(rng *rand.Rand) trust.Case {
	group := pick(rng, "CPU", "storage", "memory", "graphics")
	ceiling := 1e6
	t := method.Test{Slug: "certain", Version: 3, Name: "Certain", Group: group, Origin: "workload", Seconds: 4,
		MustMatch: []string{"supply", "program.version"}, Measures: []method.Measure{
			{Slug: "rate", Name: "rate", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Ceiling: &ceiling},
			{Slug: "median", Name: "median latency", Unit: "us", Scale: quantity.Ratio, Better: quantity.Lower},
			{Slug: "latency-99", Name: "99 % latency", Unit: "us", Scale: quantity.Ratio, Better: quantity.Lower},
			{Slug: "worst", Name: "worst latency", Unit: "us", Scale: quantity.Ratio, Better: quantity.Lower},
		}}
	median := between(rng, 20, 200)
	rate := between(rng, 300, 1800)
	c := trust.Case{Test: t, Newest: 3,
		Setup: method.Setup{Slug: method.AsDelivered, Conditions: map[string]string{"supply": "mains",
			"power.mode": "default", "ambient": "18 to 27 °C"}},
		Spec: map[string]any{"memory.speed": "4800 MT/s", "memory.channels": 2, "cpu.power_limit": "28 W",
			"drive.link": "PCIe 16 GT/s x4", "drive.name": "Skerry drive", "graphics.name": "Lodestow Reed"},
		Run: record.Run{ID: "run-0", Test: "certain", TestVersion: 3, Subject: "unit", Setup: method.AsDelivered,
			Sitting: "s", Started: day, Ended: day.Add(4 * time.Second), Outcome: "done", Source: "agent",
			Observed: map[string]string{"supply": "mains", "power.mode": "default", "program.version": "3.2",
				"ambient": fmt.Sprintf("%.1f °C", between(rng, 18.5, 26.5)), "load.background": fmt.Sprintf("%.0f %%",
					between(rng, 0, 9))},
			Negotiated: map[string]string{"link.drive": "PCIe 16 GT/s x4", "memory.speed": "4800 MT/s",
				"limit.power.long": "28.0 W", "drive.identity": "Skerry drive 512", "graphics.chip": "Lodestow Reed"},
			Readings: []record.Reading{{Measure: "rate", State: record.OK, Value: rate}, {Measure: "median", State: record.OK,
				Value: median}, {Measure: "latency-99", State: record.OK, Value: median * between(rng, 1.1, 3)},
				{Measure: "worst", State: record.OK, Value: median * between(rng, 3.1, 9)}},
			Course: record.Course{Limiter: record.Limiter{Label: pick(rng, record.ByProcessor, record.ByUnknown, record.ByDrive),
				Why: "as usual"}}},
		Beside: map[string]float64{}}
	for _, m := range t.Measures {
		f := trust.Figures{Measure: m}
		if m.Slug == "rate" {
			f.Versions = map[string]map[string]int{"program.version": {"3.2": 9}}
			f.Pool = stats.NewPool(nil, 0, 0.02)
			for i := range 3 {
				f.Repeats = append(f.Repeats, trust.Repeat{Run: runID(i), Sitting: "s", Value: rate * (1 + 0.001*float64(i)),
					Limiter: c.Run.Course.Limiter.Label})
			}
		}
		c.Figures = append(c.Figures, f)
	}
	return c
}

// swapReadings gives the first two measures one unit and three repeats each, of which the last may have changed places.
func swapReadings(rng *rand.Rand, c *trust.Case, swapped bool) {
	rate := c.Run.Readings[0].Value
	values := [2]float64{rate, rate * between(rng, 1.6, 3)}
	for i := range values {
		f := &c.Figures[i]
		f.Measure.Unit, c.Test.Measures[i].Unit = "MBy/s", "MBy/s"
		f.Pool, f.Repeats = stats.NewPool(nil, 0, 0.02), nil
		now := values[i] * between(rng, 0.99, 1.01)
		if swapped {
			now = values[1-i] * between(rng, 0.99, 1.01)
		}
		for k := range 3 {
			f.Repeats = append(f.Repeats, trust.Repeat{Run: runID(2 - k), Sitting: "s", Value: values[i] * between(rng, 0.99,
				1.01)})
		}
		f.Repeats[2].Value, c.Run.Readings[i].Value = now, now
	}
}

func mark(c *trust.Case, kind record.MarkKind, text string) {
	c.Run.Marks = append(c.Run.Marks, record.Mark{Kind: kind, Text: text, At: 2})
}

// kinAt is kin of which so many stand at one value and the others elsewhere, between half and twice it.
func kinAt(rng *rand.Rand, value float64, at, others int) trust.Kin {
	k := trust.Kin{N: at + others, Expected: math.Log(value), SD: 0.3, SE: 0.1, DF: 10, Largest: 0.6}
	for range at {
		k.Values = append(k.Values, math.Log(value*between(rng, 0.998, 1.002)))
	}
	for i := range others {
		k.Values = append(k.Values, math.Log(value*between(rng, 1.2, 2)*math.Pow(0.3, float64(i%2))))
	}
	return k
}

// Certains are the deterministic kinds.
var Certains = []Certain{
	{"plateau", func(rng *rand.Rand, c *trust.Case) {
		if rng.IntN(2) == 0 {
			c.Test.Group = "network"
			c.Run.Negotiated["link.ethernet"] = "Ethernet 1 Gbit/s"
			c.Figures[0].Measure.Ceiling = nil
			c.Run.Readings[0].Value = between(rng, 115.5, 117.5)
		} else {
			c.Figures[0].Measure.Ceiling = nil
			c.Run.Readings[0].Value = pick(rng, 300.0, 500, 1000, 1500)
			c.Figures[0].Kin = kinAt(rng, c.Run.Readings[0].Value, 3+rng.IntN(3), 4)
		}
		c.Figures[0].Repeats = nil
	}, func(rng *rand.Rand, c *trust.Case) {
		c.Figures[0].Measure.Ceiling = nil
		c.Figures[0].Repeats = nil
		if rng.IntN(2) == 0 {
			c.Test.Group = "network"
			c.Run.Negotiated["link.ethernet"] = "Ethernet 1 Gbit/s"
			c.Run.Readings[0].Value = between(rng, 90, 111)
		} else {
			c.Run.Readings[0].Value = pick(rng, 300.0, 310, 1130)
			at := 2
			if c.Run.Readings[0].Value != 300 { // as many as at a limit, but not at a round figure
				at = 4
			}
			c.Figures[0].Kin = kinAt(rng, c.Run.Readings[0].Value, at, 4+rng.IntN(3))
		}
	}},
	{"swapped", func(rng *rand.Rand, c *trust.Case) {
		swapReadings(rng, c, true)
	}, func(rng *rand.Rand, c *trust.Case) {
		swapReadings(rng, c, false)
	}},
	{"departure", func(rng *rand.Rand, c *trust.Case) {
		switch rng.IntN(3) {
		case 0:
			c.Run.Observed["supply"] = "battery"
		case 1:
			c.Run.Observed["power.mode"] = pick(rng, "fast", "quiet")
		case 2:
			mark(c, "departure", "supply battery, not mains")
		}
	}, func(rng *rand.Rand, c *trust.Case) { // the test itself asks for the battery, or the setup does
		c.Run.Observed["supply"] = "battery"
		if rng.IntN(2) == 0 {
			c.Test.Needs = map[string]string{"supply": "battery"}
		} else {
			c.Setup.Conditions["supply"] = "battery"
		}
	}},
	{"other-part", func(rng *rand.Rand, c *trust.Case) {
		switch rng.IntN(4) {
		case 0:
			c.Test.Group = "storage"
			c.Run.Negotiated["link.drive"] = pick(rng, "PCIe 8 GT/s x4", "PCIe 16 GT/s x2", "PCIe 5 GT/s x4")
			c.Run.Readings[0].Value = 200
		case 1:
			c.Run.Negotiated["memory.speed"] = pick(rng, "4400 MT/s", "3200 MT/s")
		case 2:
			c.Run.Negotiated["limit.power.long"] = pick(rng, "20.0 W", "15.0 W")
		case 3:
			c.Test.Group = "graphics"
			c.Run.Negotiated["graphics.chip"] = "Skarn Eyot"
		}
	}, func(rng *rand.Rand, c *trust.Case) {
		switch rng.IntN(4) {
		case 0:
			c.Run.Negotiated["memory.speed"] = pick(rng, "4790 MT/s", "5600 MT/s")
		case 1:
			c.Test.Group = "CPU" // the drive's link is no matter of a processor test
			c.Run.Negotiated["link.drive"] = "PCIe 8 GT/s x4"
		case 2:
			c.Test.Group = "graphics"
			c.Run.Negotiated["graphics.chip"] = "Maker's LODESTOW REED (driver 12)"
		case 3:
			delete(c.Spec, "cpu.power_limit")
			c.Run.Negotiated["limit.power.long"] = "9.0 W"
		}
	}},
	{"ambient", func(rng *rand.Rand, c *trust.Case) {
		if rng.IntN(2) == 0 {
			c.Run.Observed["ambient"] = pick(rng, "27.6 °C", "31 °C", "17.4 °C")
		} else {
			mark(c, "ambient", "the room is at 31.5 °C, the plan says 18 to 27 °C")
		}
	}, func(rng *rand.Rand, c *trust.Case) {
		c.Run.Observed["ambient"] = pick(rng, "18 °C", "27 °C", "26.9 °C")
	}},
	{"background", func(rng *rand.Rand, c *trust.Case) {
		c.Run.Observed["load.background"] = fmt.Sprintf("%.0f %%", between(rng, 10.6, 80))
	}, func(rng *rand.Rand, c *trust.Case) {
		c.Run.Observed["load.background"] = pick(rng, "9 %", "0 %", "9.9 %")
	}},
	{"limited", func(rng *rand.Rand, c *trust.Case) {
		if rng.IntN(2) == 0 {
			c.Run.Course.Limiter = record.Limiter{Label: "heat", Why: "97 °C, 0 below its limit"}
			return
		}
		c.Run.Course.Limiter = record.Limiter{Label: "power limit", Why: "28.0 W of 28.0 W allowed"}
		c.Run.Readings[0].Value *= between(rng, 0.7, 0.9)
		c.Figures[0].Repeats[0].Value = c.Run.Readings[0].Value
		for i := range c.Figures[0].Repeats[1:] {
			c.Figures[0].Repeats[i+1].Limiter = "processor"
		}
		c.Figures[0].Repeats[0].Limiter = "power limit"
	}, func(rng *rand.Rand, c *trust.Case) {
		if rng.IntN(2) == 0 { // lasting load is the subject
			c.Run.Course.Limiter = record.Limiter{Label: "heat", Why: "97 °C"}
			c.Test.Analysis = "sustained"
			return
		}
		c.Run.Course.Limiter = record.Limiter{Label: "power limit",
			Why: "28.0 W of 28.0 W allowed"} // as always with this product
		for i := range c.Figures[0].Repeats {
			c.Figures[0].Repeats[i].Limiter = "power limit"
		}
	}},
	{"ceiling", func(rng *rand.Rand, c *trust.Case) {
		c.Test.Group = "CPU"
		c.Run.Readings[0].State, c.Run.Readings[0].Value = record.AtCeiling, 1e6
	}, func(rng *rand.Rand, c *trust.Case) {
		c.Test.Group = "CPU"
		c.Run.Readings[0].Value = between(rng, 9e5, 9.99e5)
	}},
	{"beyond-link", func(rng *rand.Rand, c *trust.Case) {
		c.Test.Group = "storage"
		c.Run.Negotiated["link.drive"] = pick(rng, "SATA 6 Gbit/s", "USB 5 Gbit/s", "PCIe 2.5 GT/s x2")
		c.Spec["drive.link"] = c.Run.Negotiated["link.drive"]
		c.Run.Readings[0].Value = between(rng, 604, 4000)
	}, func(rng *rand.Rand, c *trust.Case) {
		c.Test.Group = "storage"
		c.Run.Negotiated["link.drive"] = "SATA 6 Gbit/s"
		c.Spec["drive.link"] = "SATA 6 Gbit/s"
		c.Run.Readings[0].Value = between(rng, 500, 599)
	}},
	{"too-short", func(rng *rand.Rand, c *trust.Case) {
		if rng.IntN(2) == 0 {
			c.Run.Ended = c.Run.Started.Add(time.Duration(between(rng, 1, 190)) * time.Millisecond)
		} else {
			mark(c, "too-short", "it took 1.2 s; the plan says at least 2 s")
		}
	}, func(rng *rand.Rand, c *trust.Case) {
		c.Run.Ended = c.Run.Started.Add(time.Duration(between(rng, 210, 9000)) * time.Millisecond)
	}},
	{"self-check", func(rng *rand.Rand, c *trust.Case) {
		c.Run.Outcome, c.Run.Readings = "failed", nil
		c.Run.Failure = fmt.Sprintf("digest %08x instead of %08x: the machine computed wrongly", rng.Uint32(), rng.Uint32())
	}, func(rng *rand.Rand, c *trust.Case) {
		c.Run.Outcome, c.Run.Readings = "failed", nil
		c.Run.Failure = pick(rng, "the system ended the program for want of memory", "stopped: told to stop")
	}},
	{"clock-stepped", func(rng *rand.Rand, c *trust.Case) {
		mark(c, "clock-stepped", fmt.Sprintf("the machine's clock was stepped by %+.0f s while it ran", between(rng, -4000,
			4000)))
	}, func(rng *rand.Rand, c *trust.Case) {
		mark(c, "dropout", "fan.speed said nothing any more from here on")
	}},
	{"versions-mixed", func(rng *rand.Rand, c *trust.Case) {
		if rng.IntN(2) == 0 {
			c.Run.TestVersion = 1 + rng.IntN(2)
		} else {
			c.Run.Observed["program.version"] = pick(rng, "2.9", "3.1", "3.3")
		}
	}, func(rng *rand.Rand, c *trust.Case) { // as many have the one as the other, or others are another program altogether
		if rng.IntN(2) == 0 {
			c.Run.Observed["program.version"] = "3.1"
			c.Figures[0].Versions["program.version"] = map[string]int{"3.2": 4, "3.1": 4}
		} else {
			c.Figures[0].Versions["program.version"] = map[string]int{"in browser, engine 12": 9}
		}
	}},
	{"order", func(rng *rand.Rand, c *trust.Case) {
		i := 1 + rng.IntN(2)
		c.Run.Readings[i].Value = c.Run.Readings[i+1].Value * between(rng, 1.001, 5)
		if i == 1 {
			c.Run.Readings[3].Value = c.Run.Readings[1].Value * 9
		}
	}, func(rng *rand.Rand, c *trust.Case) { c.Run.Readings[2].Value = c.Run.Readings[3].Value }},
	{"hidden", func(rng *rand.Rand, c *trust.Case) {
		if rng.IntN(2) == 0 {
			mark(c, pick(rng, record.Hidden, record.Dimmed), "the page was hidden")
		} else {
			c.Run.Course.Changes = []record.Change{{At: 1, Condition: "display.luminance", From: "200 cd/m²",
				To: pick(rng, "120 cd/m²", "185 cd/m²")}}
		}
	}, func(rng *rand.Rand, c *trust.Case) {
		c.Run.Course.Changes = []record.Change{{At: 1, Condition: "display.luminance", From: "200 cd/m²",
			To: pick(rng, "198 cd/m²", "230 cd/m²")}, {At: 2, Condition: "system.updates", From: "none", To: "held back"}}
	}},
	{"continued", func(rng *rand.Rand, c *trust.Case) {
		c.Run.Negotiated = map[string]string{"battery.extrapolated": "yes", "battery.logged": pick(rng, "100 to 40 %",
			"81 to 3 %"), "battery.end": "plugged in"}
	}, func(rng *rand.Rand, c *trust.Case) {
		c.Run.Negotiated = map[string]string{"battery.end": pick(rng, "went off", "at charge level")}
	}},
}

// Try plants a kind so often and lets what comes near it stand so often; it counts how often the first is found, and
// which rules spoke of the second, or of the first beside its own.
func (k Certain) Try(seed uint64, times int) (found int, falsely map[string]int) {
	rng := rand.New(rand.NewPCG(seed, uint64(len(k.Rule))))
	falsely = map[string]int{}
	examine := func(c trust.Case) map[string]bool {
		out := map[string]bool{}
		for _, d := range trust.Examine(c, nil, func(string) string { return "cell" }) {
			if r, _ := trust.RuleOf(d.Rule); !r.Statistical { // those have trials of their own
				out[d.Rule] = true
			}
		}
		return out
	}
	for range times {
		c := plain(rng)
		k.Plant(rng, &c)
		said := examine(c)
		if said[k.Rule] {
			found++
		}
		delete(said, k.Rule)
		c = plain(rng)
		k.Near(rng, &c)
		for _, more := range []map[string]bool{said, examine(c)} {
			for r := range more {
				falsely[r]++
			}
		}
	}
	return found, falsely
}
