package simulate_test

import (
	"context"
	"errors"
	"maps"
	"math"
	"reflect"
	"strings"
	"testing"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	_ "durvek/machine" // brings every workload into the table
	"durvek/simulate"
	"durvek/workload"
)

var spec = map[string]any{"cpu.cores": 10, "cpu.threads": 16, "cpu.boost_clock": "4.7 GHz", "cpu.power_limit": "45 W",
	"memory.channels": 2, "memory.speed": "5600 MT/s",
	"drive.sequential_read": "5000 MB/s", "drive.sequential_write": "3900 MB/s", "drive.size": "1000 GB",
	"cooling.fans": 1, "battery.energy": "60 Wh", "display.diagonal": "14 in",
	"graphics.name": "Lodestow Reed", "graphics.units": 12, "graphics.clock": "2200 MHz", "display.refresh": "60 Hz",
	"display.resolution": "1920 × 1200"}

func run(t *testing.T, m *simulate.Machine, test method.Test) record.Outcome {
	t.Helper()
	out, err := m.Run(context.Background(), record.Order{Test: test}, nil)
	if err != nil {
		t.Fatalf("%s: %v", test.Slug, err)
	}
	return out
}

func TestEveryWorkloadHasASimulatedFigureThatFollowsFromSeedAndSpec(t *testing.T) {
	for _, test := range workload.Tests() {
		a, b := run(t, &simulate.Machine{Spec: spec, Seed: 1}, test), run(t, &simulate.Machine{Spec: spec, Seed: 1}, test)
		if !reflect.DeepEqual(a, b) {
			t.Errorf("%s: one seed, two outcomes", test.Slug)
		}
		c := run(t, &simulate.Machine{Spec: spec, Seed: 2}, test)
		for i, r := range a.Readings {
			m, _ := test.Measure(r.Measure)
			if r.Check(m) != "" {
				t.Errorf("%s: %s", test.Slug, r.Check(m))
			}
			if d := math.Abs(math.Log(r.Value / c.Readings[i].Value)); d == 0 && m.Scale != quantity.Share &&
				test.Slug != "graphics-hold" && test.Slug != "screen-facts" || d > math.Max(0.6, 6*m.Repeatability) {
				t.Errorf("%s/%s: two samples of one variant differ by %.3f", test.Slug, r.Measure, d)
			}
		}
	}
}

func TestModesAndQuirks(t *testing.T) {
	w, _ := workload.Find("hashing")
	plain := run(t, &simulate.Machine{Spec: spec, Seed: 1}, w.Test).Readings[0].Value
	fast := run(t, &simulate.Machine{Spec: spec, Seed: 1,
		Setup: method.Setup{Conditions: map[string]string{"power.mode": "fast"}}}, w.Test).Readings[0].Value
	if math.Abs(fast/plain-1.07) > 1e-9 {
		t.Errorf("fast mode is worth ×%.4f", fast/plain)
	}
	m := &simulate.Machine{Spec: spec, Seed: 1, Quirks: []simulate.Quirk{{Measure: "hashing", Fail: "out of memory",
		Repeats: []int{1}}, {Measure: "hashing/single", Factor: 2}}}
	if got := run(t, m, w.Test).Readings[0].Value; math.Abs(got/plain-2) > 1e-9 {
		t.Errorf("a quirk of ×2 gave ×%.3f", got/plain)
	}
	if _, err := m.Run(context.Background(), record.Order{Test: w.Test}, nil); err == nil ||
		err.Error() != "out of memory" {
		t.Errorf("the second repeat: %v", err)
	}
	if _, err := (&simulate.Machine{Spec: map[string]any{}, Name: "bare"}).Run(context.Background(),
		record.Order{Test: w.Test}, nil); err == nil {
		t.Error("a machine without a spec sheet gave a figure")
	}
}

// A test that is known by a curve gets one whose course agrees with its figures.
func TestSimulatedCurvesAgreeWithTheirFigures(t *testing.T) {
	for _, c := range []struct {
		test, axis, first, last string // measures that the curve begins and ends with
	}{
		{"hashing-sustained", "", "burst", "sustained"},
		{"memory-latency", "working set", "nearest", "main"},
		{"drive-fill", "bytes written", "before", "after"},
	} {
		w, _ := workload.Find(c.test)
		out := run(t, &simulate.Machine{Spec: spec, Seed: 3}, w.Test)
		if len(out.Series) != 1 || out.Series[0].Axis != c.axis || len(out.Series[0].Times) != len(out.Series[0].Values) {
			t.Errorf("%s: %d series", c.test, len(out.Series))
			continue
		}
		values := map[string]float64{}
		for _, r := range out.Readings {
			values[r.Measure] = r.Value
		}
		got := out.Series[0].Values
		if a, b := got[0]/values[c.first], got[len(got)-1]/values[c.last]; math.Abs(a-1) > 0.05 || math.Abs(b-1) > 0.05 {
			t.Errorf("%s begins at %.3f and ends at %.3f of its figures", c.test, a, b)
		}
	}
	w, _ := workload.Find("route-search-scaling")
	out := run(t, &simulate.Machine{Spec: spec, Seed: 3}, w.Test)
	s := out.Series[0]
	last := len(s.Times) - 1
	if s.Unit != "{node}/s" || s.Times[0] != 1 || s.Times[last] != 16 ||
		math.Abs(s.Values[last]/s.Values[0]/out.Readings[0].Value-1) > 0.1 {
		t.Errorf("scaling from %g to %g threads by %.2f beside %.2f", s.Times[0], s.Times[last], s.Values[last]/s.Values[0],
			out.Readings[0].Value)
	}
}

func TestASimulatedMachineTakesOptionsAndMayBeUnableToRun(t *testing.T) {
	w, _ := workload.Find("drive-fill")
	m := &simulate.Machine{Spec: spec, Seed: 1, Quirks: []simulate.Quirk{{Measure: "drive-fill",
		NotRun: "too little free space", Repeats: []int{1}}}}
	order := record.Order{Test: w.Test, Options: map[string]string{"share": "40 %"}}
	out, err := m.Run(context.Background(), order, nil)
	if err != nil || out.Observed["option.share"] != "40 %" || out.Observed["option.writes"] != "100 GB" {
		t.Errorf("%v, %v", out.Observed, err)
	}
	if _, err := m.Run(context.Background(), order, nil); !errors.Is(err, record.ErrNotRun) ||
		!strings.Contains(err.Error(), "too little free space") {
		t.Errorf("%v", err)
	}
}

func TestASimulatedScreenLimitsItsChip(t *testing.T) {
	w, _ := workload.Find("graphics-scene")
	mean := func(change map[string]any, options map[string]string) analyse.Frames {
		t.Helper()
		s := maps.Clone(spec)
		maps.Copy(s, change)
		out, err := (&simulate.Machine{Spec: s, Seed: 1}).Run(context.Background(), record.Order{Test: w.Test,
			Options: options}, nil)
		if err != nil || len(out.Readings) != 0 || out.Observed["runtime"] != simulate.BrowserRuntime ||
			out.Observed["graphics.chip"] != "Lodestow Reed" {
			t.Fatalf("%v %v %v", err, out.Readings, out.Observed)
		}
		f, err := analyse.FrameTimes(out.Series[0].Values, nil)
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	if f := mean(nil, nil); math.Abs(f.Mean-60) > 1 || f.Low >= f.Mean || f.Stutters == 0 {
		t.Errorf("at 60 Hz: %+v", f)
	}
	if f := mean(map[string]any{"display.refresh": "240 Hz"}, map[string]string{"size": "640x360",
		"quality": "low"}); f.Mean < 200 || f.Mean > 240 {
		t.Errorf("at 240 Hz: %+v", f)
	}
	if f := mean(map[string]any{"graphics.units": 2}, nil); f.Mean > 40 || f.Count < 1000 || f.Seconds < 60 {
		t.Errorf("a small chip: %+v", f)
	}
	k, _ := workload.Find("hashing")
	native, inside := &simulate.Machine{Spec: spec, Seed: 1, Runtime: "native"}, &simulate.Machine{Spec: spec, Seed: 1,
		Runtime: "native", Browser: true}
	if a, b := run(t, native, k.Test), run(t, inside, k.Test); b.Readings[0].Value > 0.5*a.Readings[0].Value ||
		b.Observed["runtime"] != simulate.BrowserRuntime {
		t.Errorf("in a browser: %v, %v", b.Readings, b.Observed)
	}
}
