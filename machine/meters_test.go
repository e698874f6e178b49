package machine

import (
	"net"
	"slices"
	"testing"
	"time"

	"durvek/instrument"
)

// meter serves a simulated instrument and describes it.
func meter(t *testing.T, kind string, f instrument.Faults, rate float64,
	r ...instrument.Reading) (instrument.Definition,
	*instrument.Simulated) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	s := instrument.Simulate(l, instrument.Kinds[kind], f, 1)
	t.Cleanup(s.Close)
	return instrument.Definition{Format: instrument.Format, Slug: kind, Name: kind, Address: l.Addr().String(), Rate: rate,
		Timeout: 0.5, Read: r}, s
}

func TestInstrumentsAreReadBesideTheSensors(t *testing.T) {
	wall, serving := meter(t, "power-analyser", instrument.Faults{}, 100,
		instrument.Reading{Channel: "power.wall", Unit: "mW", Query: "MEAS:POW?", Scale: 1000},
		instrument.Reading{Channel: "phase", Unit: "1", Query: "MEAS:POW?"},
		instrument.Reading{Channel: "noise", Unit: "W", Query: "MEAS:POW?"})
	slow, _ := meter(t, "multimeter", instrument.Faults{}, 1, instrument.Reading{Channel: "temperature.case", Unit: "Cel",
		Query: "MEAS:TEMP?"})
	if got := Unkept([]instrument.Definition{wall, slow}); !slices.Equal(got, []string{"phase", "noise"}) {
		t.Errorf("a run has no channel for %v", got)
	}
	told := make(chan map[string]float64, 1000)
	stop := Local{Dir: ".", Instruments: []instrument.Definition{wall, slow}}.Watch(20,
		func(_ time.Duration, v map[string]float64) { told <- v })
	defer stop()
	both := 0
	for begin := time.Now(); both < 8; { // of the slow one the last holds from one reading to the next
		if time.Since(begin) > time.Minute {
			t.Fatal("they were not read beside the sensors")
		}
		v := <-told
		watts, power := v["power.wall"]
		celsius, heat := v["temperature.case"]
		_, phase := v["phase"]
		_, noise := v["noise"]
		if phase || noise || power && (watts < 1 || watts > 500) || heat && (celsius < 0 || celsius > 120) {
			t.Fatalf("they told %v", v)
		}
		if both++; !power || !heat {
			both = 0
		}
	}
	serving.Close() // and one that is away says nothing
	for begin := time.Now(); ; {
		v := <-told
		if _, power := v["power.wall"]; !power {
			break
		}
		if time.Since(begin) > time.Minute {
			t.Fatal("a meter that is away still shows something")
		}
	}
}

// Of what was shown between two looks the mean counts; what is old counts no more.
func TestAMetersMeanIsTaken(t *testing.T) {
	m := &meters{shown: map[string]*shown{}}
	d := instrument.Definition{Rate: 0.5, Read: []instrument.Reading{{Channel: "power.wall", Unit: "mW"}}}
	at := time.Unix(1000, 0)
	look := func(after time.Duration) (float64, bool) {
		values := map[string]float64{}
		m.into(values, at.Add(after))
		v, ok := values["power.wall"]
		return v, ok
	}
	if _, ok := look(0); ok {
		t.Error("nothing was shown yet")
	}
	for _, v := range []float64{10e3, 20e3, 60e3} {
		m.take(d, instrument.Sample{At: at, Values: []float64{v}})
	}
	if v, _ := look(0); v != 30 {
		t.Errorf("the mean of 10, 20 and 60 W is %v", v)
	}
	if v, _ := look(4 * time.Second); v != 60 { // twice what lies between two readings
		t.Errorf("the last is held as %v", v)
	}
	if v, ok := look(4*time.Second + 1); ok {
		t.Errorf("what is too old counts as %v", v)
	}
}
