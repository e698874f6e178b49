package analyse

import (
	"errors"
	"math"
	"math/rand/v2"
	"testing"

	"durvek/core/record"
)

// course is a load of steps with noise, sampled every step seconds from start on.
func course(start, length, step, noise float64, seed uint64) (times, values []float64) {
	rng := rand.New(rand.NewPCG(seed, 5))
	for at := start; at < start+length; at += step {
		v := 20.0
		for _, s := range []struct{ from, to, by float64 }{{30, 90, 40}, {140, 150, 25}, {200, 330, 55}, {400, 405, 30}} {
			if at >= s.from && at < s.to {
				v += s.by
			}
		}
		times, values = append(times, at), append(values, v+noise*rng.NormFloat64())
	}
	return times, values
}

func TestALogsClockIsFoundByCorrelation(t *testing.T) {
	runTimes, runValues := course(0, 500, 1, 1, 1)
	for _, c := range []struct {
		name               string
		offset, step       float64
		from, length, gain float64
	}{
		{"the same clock", 0, 1, 0, 500, 1},
		{"an hour behind, finer, in other units", 3600, 0.2, 0, 500, 1.18},
		{"ahead, coarser", -71.5, 2, 0, 500, 0.9},
		{"a part of the run", 12.25, 0.5, 150, 300, 1},
		{"begun before the run", 40, 1, -100, 650, 1},
	} {
		times, values := course(c.from, c.length, c.step, 2, 9)
		for i := range times {
			times[i] -= c.offset // as the log's own clock said
			values[i] = c.gain*values[i] + 7
		}
		a, err := Align(times, values, runTimes, runValues)
		if err != nil || math.Abs(a.Offset-c.offset) > 1 || a.Correlation < 0.9 {
			t.Errorf("%s: %+v, %v; want %g", c.name, a, err, c.offset)
		}
	}
}

func TestWhatHasNothingInCommonIsNotAligned(t *testing.T) {
	times, values := course(0, 500, 1, 1, 1)
	flat := make([]float64, len(times))
	if a, err := Align(times, flat, times, values); !errors.Is(err, ErrUnrelated) {
		t.Errorf("a flat line: %+v, %v", a, err)
	}
	if a, err := Align(times[:3], values[:3], times, values); !errors.Is(err, ErrUnrelated) {
		t.Errorf("three samples: %+v, %v", a, err)
	}
	// A course that repeats itself fits in several places, and says so.
	var beat []float64
	for _, at := range times {
		beat = append(beat, math.Sin(at/8))
	}
	if a, err := Align(times, beat, times, beat); err != nil || a.Rival < 0.9*a.Correlation {
		t.Errorf("a steady beat: %+v, %v", a, err)
	}
}

func TestThinningKeepsEveryPeak(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 8))
	s := record.Series{Channel: "x"}
	for i := range 100000 {
		s.Times, s.Values = append(s.Times, float64(i)), append(s.Values, rng.NormFloat64())
	}
	s.Values[31415], s.Values[71828] = 99, -99
	x := Thin(s, 1000)
	if len(x.Values) > 1000 || len(x.Values) < 700 || x.Times[0] != 0 || x.Times[len(x.Times)-1] != 99999 {
		t.Fatalf("%d points from %g to %g", len(x.Values), x.Times[0], x.Times[len(x.Times)-1])
	}
	high, low := false, false
	for i, v := range x.Values {
		high, low = high || v == 99 && x.Times[i] == 31415, low || v == -99 && x.Times[i] == 71828
		if i > 0 && x.Times[i] <= x.Times[i-1] {
			t.Fatal("times do not rise")
		}
	}
	if !high || !low {
		t.Error("a peak was thinned away")
	}
	if short := Thin(Between(s, 10, 30), 1000); len(short.Times) != 21 || short.Times[0] != 10 {
		t.Errorf("a short stretch: %v", short.Times)
	}
}

func TestLimiters(t *testing.T) {
	// make builds a trace of 60 s: each channel with its value in the first and in the second half.
	type half map[string][2]float64
	build := func(h half) record.Trace {
		var x record.Trace
		for i := range 60 {
			values := map[string]float64{}
			for k, v := range h {
				values[k] = v[i/30]
			}
			x.Add(float64(i+1), values, nil)
		}
		return x
	}
	cpu := half{"load.processor": {100, 100}, "load.busiest": {100, 100}, "clock.mean": {4200, 4200}, "power.package": {30,
		30}, "temperature.package": {60, 70}}
	with := func(base half, k string, v [2]float64) half {
		out := half{k: v}
		for x, y := range base {
			if x != k {
				out[x] = y
			}
		}
		return out
	}
	limits := map[string]string{"limit.temperature": "97 °C", "limit.power.long": "45.0 W", "clock.highest": "4200 MHz"}
	for _, c := range []struct {
		name       string
		trace      record.Trace
		negotiated map[string]string
		group      string
		want       record.LimiterLabel
	}{
		{"all threads at full clock", build(cpu), limits, "CPU", "processor"},
		{"one thread", build(with(cpu, "load.processor", [2]float64{13, 13})), limits, "CPU", "processor"},
		{"clocks fell at the temperature limit", build(with(with(cpu, "temperature.package", [2]float64{70, 96}),
			"clock.mean", [2]float64{4200, 3100})), limits, "CPU", "heat"},
		{"the processor says that it was too hot", build(with(with(cpu, "temperature.package", [2]float64{70, 88}),
			"clock.mean", [2]float64{4200, 3100})), map[string]string{"throttled": "12"}, "CPU", "heat"},
		{"clocks fell with the power", build(with(with(cpu, "power.package", [2]float64{64, 45}), "clock.mean",
			[2]float64{4200, 3500})), limits, "CPU", "power limit"},
		{"power at its limit, clocks still full", build(with(cpu, "power.package", [2]float64{45, 45})), limits, "CPU",
			"processor"},
		{"the drive is busy", build(half{"load.drive": {97, 98}, "throughput.read": {2100, 2100}, "load.processor": {6, 6}}),
			map[string]string{"link.drive": "PCIe 16 GT/s x4"}, "storage", "drive"},
		{"the link is full", build(half{"load.drive": {97, 98}, "throughput.read": {452, 452}, "load.processor": {6, 6}}),
			map[string]string{"link.usb": "USB 5 Gbit/s"}, "storage", "link"},
		{"the graphics chip", build(half{"load.graphics": {99, 99}, "load.processor": {20, 20}, "load.busiest": {50, 50}}),
			nil, "graphics", "graphics"},
		{"memory", build(half{"load.processor": {80, 80}}), nil, "memory", "memory"},
		{"nothing is at its limit", build(half{"load.processor": {20, 20}, "load.busiest": {40, 40}}), nil, "response",
			"unknown"},
		{"no trace", record.Trace{}, nil, "CPU", "unknown"},
	} {
		if l := Limiter(c.trace, c.negotiated, c.group); l.Label != c.want || l.Why == "" {
			t.Errorf("%s: %+v, want %s", c.name, l, c.want)
		}
	}
}
