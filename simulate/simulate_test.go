package simulate_test

import (
	"context"
	"math"
	"reflect"
	"testing"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	_ "durvek/machine" // brings every workload into the table
	"durvek/simulate"
	"durvek/workload"
)

var spec = map[string]any{"cpu.cores": 10, "cpu.threads": 16, "cpu.boost_clock": "4.7 GHz", "cpu.power_limit": "45 W", "memory.channels": 2, "memory.speed": "5600 MT/s",
	"drive.sequential_read": "5000 MB/s", "drive.sequential_write": "3900 MB/s", "drive.size": "1000 GB", "cooling.fans": 1}

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
			if d := math.Abs(math.Log(r.Value / c.Readings[i].Value)); d == 0 && m.Scale != quantity.Share || d > math.Max(0.6, 6*m.Repeatability) {
				t.Errorf("%s/%s: two samples of one variant differ by %.3f", test.Slug, r.Measure, d)
			}
		}
	}
}

func TestModesAndQuirks(t *testing.T) {
	w, _ := workload.Find("hashing")
	plain := run(t, &simulate.Machine{Spec: spec, Seed: 1}, w.Test).Readings[0].Value
	fast := run(t, &simulate.Machine{Spec: spec, Seed: 1, Setup: method.Setup{Conditions: map[string]string{"power.mode": "fast"}}}, w.Test).Readings[0].Value
	if math.Abs(fast/plain-1.07) > 1e-9 {
		t.Errorf("fast mode is worth ×%.4f", fast/plain)
	}
	m := &simulate.Machine{Spec: spec, Seed: 1, Quirks: []simulate.Quirk{{Measure: "hashing", Fail: "out of memory", Repeats: []int{1}}, {Measure: "hashing/single", Factor: 2}}}
	if got := run(t, m, w.Test).Readings[0].Value; math.Abs(got/plain-2) > 1e-9 {
		t.Errorf("a quirk of ×2 gave ×%.3f", got/plain)
	}
	if _, err := m.Run(context.Background(), record.Order{Test: w.Test}, nil); err == nil || err.Error() != "out of memory" {
		t.Errorf("the second repeat: %v", err)
	}
	if _, err := (&simulate.Machine{Spec: map[string]any{}, Name: "bare"}).Run(context.Background(), record.Order{Test: w.Test}, nil); err == nil {
		t.Error("a machine without a spec sheet gave a figure")
	}
}
