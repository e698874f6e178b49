package simulate_test

import (
	"context"
	"errors"
	"maps"
	"testing"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/simulate"
	"durvek/workload"
)

// wornDown makes a lasting load on a simulated machine and the figures of what it told.
func wornDown(t *testing.T, m *simulate.Machine, slug string) (map[string]float64, record.Run) {
	t.Helper()
	w, ok := workload.Find(slug)
	if !ok {
		t.Fatal(slug)
	}
	out, err := m.Run(context.Background(), record.Order{Test: w.Test, Options: map[string]string{"heartbeat": "60 s"}},
		nil)
	if err != nil {
		t.Fatalf("%s: %v", slug, err)
	}
	r := record.Run{Test: slug, Outcome: record.Done, Observed: out.Observed, Negotiated: out.Negotiated,
		Series: out.Series}
	r.Negotiated[analyse.FullEnergy] = "60 Wh"
	if err := analyse.Figures(w.Test, &r); err != nil {
		t.Fatalf("%s: %v", slug, err)
	}
	got := map[string]float64{}
	for _, x := range r.Readings {
		if x.State == record.OK {
			got[x.Measure] = x.Value
		}
	}
	return got, r
}

func TestSimulatedBatteriesRunDownAndAreCharged(t *testing.T) {
	on := method.Setup{Slug: "battery", Conditions: map[string]string{"supply": "battery"}}
	last := 1e9
	for _, slug := range []string{"rundown-reading", "rundown-video", "rundown-office", "rundown-graphics",
		"rundown-heavy"} {
		got, r := wornDown(t, &simulate.Machine{Spec: spec, Seed: 1, Setup: on}, slug)
		if !(got["hours"] > 0 && got["hours"] < last) || got["draw"] <= 0 || got["work"] <= 0 {
			t.Errorf("%s: %v, after one of %.2f h", slug, got, last)
		}
		if r.Negotiated[analyse.HowEnded] != analyse.WentOff || r.Observed["display.luminance"] != "200 cd/m²" {
			t.Errorf("%s: %v, %v", slug, r.Negotiated, r.Observed)
		}
		if want := map[bool]string{true: analyse.Unpaced,
			false: analyse.Held}[slug == "rundown-heavy"]; r.Observed["pace"] != want {
			t.Errorf("%s: pace %q, want %q", slug, r.Observed["pace"], want)
		}
		last = got["hours"]
	}
	got, r := wornDown(t, &simulate.Machine{Spec: spec, Seed: 1, Setup: on,
		Faults: []simulate.Fault{{Kind: simulate.Plugged,
			At: 7200}}}, "rundown-graphics")
	if r.Negotiated[analyse.HowEnded] != analyse.PluggedIn || r.Series[0].Times[len(r.Series[0].Times)-1] != 7200 {
		t.Errorf("%v, %v", got, r.Negotiated)
	}
	// A weak chip draws fewer frames than are due, and says so.
	weak := maps.Clone(spec)
	weak["graphics.units"] = 1
	weak["graphics.clock"] = "500 MHz"
	if got, r := wornDown(t, &simulate.Machine{Spec: weak, Seed: 1, Setup: on}, "rundown-graphics"); got["pace"] > 97 ||
		r.Observed["pace"] == analyse.Held {
		t.Errorf("%v, pace %s", got, r.Observed["pace"])
	}
	got, _ = wornDown(t, &simulate.Machine{Spec: spec, Seed: 1}, "charging")
	if !(got["to-50"] > 20 && got["to-80"] > got["to-50"]+5 && got["to-100"] > got["to-80"]+10) {
		t.Errorf("%v", got)
	}
	none := maps.Clone(spec)
	delete(none, "battery.energy")
	w, _ := workload.Find("charging")
	if _, err := (&simulate.Machine{Spec: none}).Run(context.Background(), record.Order{Test: w.Test},
		nil); !errors.Is(err,
		record.ErrNotRun) {
		t.Errorf("a machine without a battery: %v", err)
	}
}
