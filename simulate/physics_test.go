package simulate_test

import (
	"context"
	"errors"
	"math"
	"reflect"
	"strings"
	"testing"
	"time"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/simulate"
	"durvek/workload"
)

// watched runs a test on a machine and keeps what its sensors said, in seconds from the run's start.
func watched(t *testing.T, m *simulate.Machine, slug string) (record.Trace, record.Outcome, error) {
	t.Helper()
	w, ok := workload.Find(slug)
	if !ok {
		t.Fatalf("no workload %s", slug)
	}
	var x record.Trace
	began := m.Clock()
	stop := m.Watch(1, func(at time.Duration, v map[string]float64) { x.Add((at - began).Seconds(), v, nil) })
	defer stop()
	out, err := m.Run(context.Background(), record.Order{Test: w.Test}, nil)
	return x, out, err
}

func last(x record.Trace, channel string) float64 {
	c := x.Column(channel)
	return c[len(c)-1]
}

func mean(x []float64) float64 {
	sum := 0.0
	for _, v := range x {
		sum += v
	}
	return sum / float64(len(x))
}

func mains(mode string) method.Setup {
	return method.Setup{Conditions: map[string]string{"supply": "mains", "power.mode": mode}}
}

func laptop(change ...func(*simulate.Machine)) *simulate.Machine {
	sheet := map[string]any{"battery.energy": "60 Wh"}
	for k, v := range spec {
		sheet[k] = v
	}
	m := &simulate.Machine{Name: "sample", Spec: sheet, Seed: 5, Setup: mains("default"), Start: time.Date(2026, 11, 1, 8,
		0, 0, 0, time.UTC)}
	for _, f := range change {
		f(m)
	}
	return m
}

func TestALastingLoadFallsFromTheShortPowerLimitToTheLongOne(t *testing.T) {
	m := laptop()
	x, out, err := watched(t, m, "grid-solve-sustained")
	if err != nil {
		t.Fatal(err)
	}
	drop := 0.0
	for _, r := range out.Readings {
		if r.Measure == "drop" {
			drop = r.Value
		}
	}
	power, clock := x.Column("power.package"), x.Column("clock.mean")
	at := int(drop)
	if before, after := mean(power[5:at-2]), mean(power[at+2:]); before < 60 || math.Abs(after-45) > 2 {
		t.Errorf("power %.1f W before the drop at %d s, %.1f W after; limits 67.5 and 45 W", before, at, after)
	}
	if mean(clock[5:at-2]) < 1.05*mean(clock[at+2:]) {
		t.Errorf("the clock does not fall with the power: %.0f, %.0f MHz", mean(clock[5:at-2]), mean(clock[at+2:]))
	}
	if l := analyse.Limiter(x, out.Negotiated, "CPU"); l.Label != "power limit" {
		t.Errorf("held back by %+v", l)
	}
}

func TestItWarmsUpAndCoolsDown(t *testing.T) {
	m := laptop()
	x, _, err := watched(t, m, "grid-solve-sustained")
	if err != nil {
		t.Fatal(err)
	}
	hot := last(x, "temperature.package")
	if first := x.Column("temperature.package")[0]; first > 50 || hot < first+20 || hot > 97 {
		t.Errorf("from %.1f to %.1f °C", first, hot)
	}
	if x.Column("fan.speed")[0] > 500 || last(x, "fan.speed") < 1000 || last(x, "noise") < 23 {
		t.Errorf("fan from %.0f to %.0f /min, %.1f dB(A)", x.Column("fan.speed")[0], last(x, "fan.speed"), last(x, "noise"))
	}
	var cooled record.Trace
	stop := m.Watch(1, func(at time.Duration, v map[string]float64) { cooled.Add(at.Seconds(), v, nil) })
	defer stop()
	before := m.Now()
	if err := m.Rest(context.Background(), 20*time.Minute); err != nil {
		t.Fatal(err)
	}
	if end := last(cooled, "temperature.package"); end > 35 || m.Now().Sub(before) != 20*time.Minute {
		t.Errorf("after %s of rest it is at %.1f °C", m.Now().Sub(before), end)
	}
}

func TestHeatHoldsAMachineDown(t *testing.T) {
	rate := func(m *simulate.Machine) (float64, record.Limiter) {
		var out record.Outcome
		for range 40 { // until it is warm through
			var err error
			if _, out, err = watched(t, m, "hashing"); err != nil {
				t.Fatal(err)
			}
		}
		for _, r := range out.Readings {
			if r.Measure == "all" {
				long, whole, err := watched(t, m, "grid-solve-sustained") // long enough to tell
				if err != nil {
					t.Fatal(err)
				}
				return r.Value, analyse.Limiter(long, whole.Negotiated, "CPU")
			}
		}
		return 0, record.Limiter{}
	}
	cool, _ := rate(laptop())
	hot, l := rate(laptop(func(m *simulate.Machine) {
		m.Faults = []simulate.Fault{{Kind: simulate.Throttling,
			Size: 50}}
	}))
	if hot > 0.95*cool || hot < 0.4*cool {
		t.Errorf("with a limit 50 K lower it does %.2f of its rate", hot/cool)
	}
	if l.Label != "heat" {
		t.Errorf("held back by %+v", l)
	}
	warm, _ := rate(laptop(func(m *simulate.Machine) { m.Faults = []simulate.Fault{{Kind: simulate.WarmRoom}} }))
	if math.Abs(math.Log(warm/cool)) > 0.05 {
		t.Errorf("nine kelvin more in the room make %.2f of its rate, with fans", warm/cool)
	}
}

func TestTheBatteryDrains(t *testing.T) {
	m := laptop(func(m *simulate.Machine) {
		m.Setup = method.Setup{Conditions: map[string]string{"supply": "battery", "power.mode": "default"}}
	})
	var took float64
	var x record.Trace
	for range 6 {
		var err error
		if x, _, err = watched(t, m, "grid-solve-sustained"); err != nil {
			t.Fatal(err)
		}
		took += last(x, "power.package") + 5.5 // watts for ten minutes each, and what the rest draws
	}
	charge := last(x, "battery.charge")
	if want := 100 * (1 - took/6/60); math.Abs(charge-want) > 8 {
		t.Errorf("after an hour at about %.0f W the battery of 60 Wh is at %.0f %%, by the energy it should be at %.0f %%",
			took/6, charge, want)
	}
	if got := m.Observe(context.Background()); got["supply"] != "battery" || !strings.HasSuffix(got["battery.charge"],
		" %") {
		t.Errorf("observed %v", got)
	}
	m.Hand(mains("default"))
	m.Rest(context.Background(), 3*time.Hour)
	if got := m.Observe(context.Background()); got["supply"] != "mains" || got["battery.charge"] != "100 %" {
		t.Errorf("after three hours on mains %v", got)
	}
}

func TestModesSetTheirPower(t *testing.T) {
	power := map[string]float64{}
	for _, mode := range []string{"quiet", "default", "fast"} {
		m := laptop(func(m *simulate.Machine) { m.Setup = mains(mode) })
		var x record.Trace
		for range 30 {
			x, _, _ = watched(t, m, "hashing")
		}
		all := x.Column("power.package")
		power[mode] = mean(all[len(all)/2:])
	}
	if !(power["quiet"] < 0.8*power["default"] && power["default"] < 0.9*power["fast"]) {
		t.Errorf("power by mode %v", power)
	}
}

func TestDrivesTellWhatTheyMove(t *testing.T) {
	m := laptop()
	x, out, err := watched(t, m, "drive-fill")
	if err != nil {
		t.Fatal(err)
	}
	moved := x.Column("throughput.write")
	n := len(moved)
	if n < 20 || moved[1] < 1.5*moved[n-2] || last(x, "temperature.drive") < x.Column("temperature.drive")[0]+5 ||
		mean(x.Column("load.drive")) < 90 {
		t.Errorf("from %.0f to %.0f MB/s, drive from %.0f to %.0f °C", moved[1], moved[n-2], x.Column("temperature.drive")[0],
			last(x, "temperature.drive"))
	}
	if out.Negotiated["drive.firmware"] == "" {
		t.Errorf("negotiated %v", out.Negotiated)
	}
}

func TestEveryFaultIsSeen(t *testing.T) {
	with := func(f simulate.Fault) *simulate.Machine {
		return laptop(func(m *simulate.Machine) { m.Faults = []simulate.Fault{f} })
	}
	plain, _, _ := watched(t, laptop(), "hashing")
	_, clean, err := watched(t, laptop(), "hashing")
	if err != nil {
		t.Fatal(err)
	}
	value := func(out record.Outcome) float64 { return out.Readings[len(out.Readings)-1].Value }
	for _, c := range []struct {
		fault simulate.Fault
		low   float64 // share of the clean figure
		high  float64
	}{
		{simulate.Fault{Kind: simulate.Background}, 0.7, 0.8}, {simulate.Fault{Kind: simulate.Background, Size: 80}, 0.4,
			0.5},
		{simulate.Fault{Kind: simulate.WrongMode, Test: "hashing"}, 0.8, 0.84}, {simulate.Fault{Kind: simulate.UnitSlip}, 999,
			1001}, {simulate.Fault{Kind: simulate.Background, Test: "archive"}, 1, 1},
		{simulate.Fault{Kind: simulate.Background, Repeats: []int{3}}, 1, 1},
	} {
		_, out, err := watched(t, with(c.fault), "hashing")
		if share := value(out) / value(clean); err != nil || share < c.low-1e-9 || share > c.high+1e-9 {
			t.Errorf("%+v: %.3f of the clean figure, %v", c.fault, share, err)
		}
	}
	x, _, _ := watched(t, with(simulate.Fault{Kind: simulate.Dropout}), "hashing")
	if x.Column("temperature.package") != nil || plain.Column("temperature.package") == nil {
		t.Error("the sensor did not drop out")
	}
	m := with(simulate.Fault{Kind: simulate.ClockStep, Size: -7200, Times: 1})
	before, steady := m.Now(), m.Clock()
	watched(t, m, "hashing")
	if wall := m.Now().Sub(before); wall > -time.Hour || m.Clock() <= steady {
		t.Errorf("the wall clock went by %s, the steady one by %s", wall, m.Clock()-steady)
	}
	m = with(simulate.Fault{Kind: simulate.Crash, At: 1})
	if _, _, err := watched(t, m, "hashing"); !errors.Is(err, record.ErrCrashed) {
		t.Errorf("a crash: %v", err)
	}
	if _, _, err := watched(t, m, "hashing"); err != nil {
		t.Errorf("it crashes once: %v", err)
	}
	ctx, stop := context.WithTimeout(context.Background(), 20*time.Millisecond)
	defer stop()
	w, _ := workload.Find("hashing")
	if _, err := with(simulate.Fault{Kind: simulate.Hang}).Run(ctx, record.Order{Test: w.Test}, nil); !errors.Is(err,
		context.DeadlineExceeded) {
		t.Errorf("a hang: %v", err)
	}
	stuck := with(simulate.Fault{Kind: simulate.WrongMode})
	if got := stuck.Observe(context.Background())["power.mode"]; got != "quiet" {
		t.Errorf("stands in mode %q", got)
	}
}

func TestTheSameSeedGivesTheSameTraceWhateverThePace(t *testing.T) {
	a, outA, _ := watched(t, laptop(), "hashing")
	b, outB, _ := watched(t, laptop(func(m *simulate.Machine) { m.Pace = 1e-4 }), "hashing")
	if !reflect.DeepEqual(a, b) || !reflect.DeepEqual(outA, outB) {
		t.Error("one seed, two traces")
	}
	c, _, _ := watched(t, laptop(func(m *simulate.Machine) { m.Seed = 6 }), "hashing")
	if reflect.DeepEqual(a, c) {
		t.Error("two seeds, one trace")
	}
}
