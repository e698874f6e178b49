package instrument

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math"
	"net"
	"strings"
	"testing"
	"time"
)

// at serves a simulated instrument, or what a function makes of each line, and describes it.
func at(t *testing.T, kind string, f Faults) Definition {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	s := Simulate(l, Kinds[kind], f, 1)
	t.Cleanup(s.Close)
	q := map[string]string{"power-analyser": "MEAS:POW?", "multimeter": "MEAS:TEMP?", "sound-level-meter": "MEAS:LAF?",
		"photometer": "MEAS:LUM?"}[kind]
	unit := map[string]string{"power-analyser": "W", "multimeter": "Cel", "sound-level-meter": "dB[A]",
		"photometer": "cd/m2"}[kind]
	return Definition{Format: Format, Slug: "x", Name: "X", Address: l.Addr().String(), Rate: 100, Timeout: 0.15,
		Read: []Reading{{Channel: "a", Unit: unit, Query: q}}}
}

// odd serves one answer to each line.
func odd(t *testing.T, answer func(line string) string) Definition {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				in := bufio.NewScanner(c)
				for in.Scan() {
					fmt.Fprint(c, answer(in.Text()))
				}
			}()
		}
	}()
	return Definition{Name: "odd", Address: l.Addr().String(), Timeout: 0.2, Read: []Reading{{Channel: "a", Unit: "W",
		Query: "Q?"}}}
}

func fails(t *testing.T, err error, says string) {
	t.Helper()
	if !errors.Is(err, ErrInstrument) || !strings.Contains(err.Error(), says) {
		t.Errorf("%v, want an instrument's error with %q", err, says)
	}
}

func TestEverySimulatedInstrumentIsRead(t *testing.T) {
	for _, kind := range Names() {
		s, err := Open(t.Context(), at(t, kind, Faults{}))
		if err != nil {
			t.Errorf("%s: %v", kind, err)
			continue
		}
		x, err := s.Take()
		if err != nil || math.IsNaN(x.Values[0]) || time.Since(x.At) > time.Second || !strings.Contains(s.ID, "SIM") {
			t.Errorf("%s: %v %v", kind, x, err)
		}
		s.Close()
	}
	if len(Names()) < 4 {
		t.Error(Names())
	}
}

func TestAHundredReadingsASecondWithoutAGap(t *testing.T) {
	var times []time.Time
	r, err := Record(t.Context(), at(t, "power-analyser", Faults{}), 2*time.Second, func(s Sample) error {
		times = append(times, s.At)
		return nil
	})
	if err != nil || r.Samples+r.Missed != 200 || r.Lost != 0 || r.Empty != 0 ||
		r.Missed > 20 { // a busy computer misses some
		t.Errorf("%+v %v", r, err)
	}
	for i := range times {
		if i > 0 && !times[i].After(times[i-1]) {
			t.Errorf("reading %d is not after the one before", i)
		}
	}
}

// An instrument that is late, silent, hangs up or talks nonsense costs its own readings: no answer is taken for that of
// another question.
func TestFaultyInstrumentsCostReadingsAndInventNone(t *testing.T) {
	d := at(t, "multimeter", Faults{Late: 0.05, Nonsense: 0.1, Silent: 0.05, Hangup: 0.05})
	d.Rate = 50
	r, err := Record(t.Context(), d, 4*time.Second, func(s Sample) error {
		if v := s.Values[0]; !math.IsNaN(v) && (v < 20 || v > 90) {
			t.Errorf("the case is %g °C warm", v)
		}
		return nil
	})
	if err != nil || r.Samples == 0 || r.Missed == 0 || r.Lost == 0 || r.Empty == 0 || r.Samples+r.Missed != 200 {
		t.Errorf("%+v %v", r, err)
	}
}

func TestWhatAnInstrumentMustNotDo(t *testing.T) {
	open := func(d Definition) error {
		s, err := Open(t.Context(), d)
		if err == nil {
			_, err = s.Take()
			s.Close()
		}
		return err
	}
	other := at(t, "photometer", Faults{})
	other.Identity = "POWER"
	fails(t, open(other), "not POWER")
	refusing := at(t, "photometer", Faults{})
	refusing.Setup = []string{"CONF:LUM", "LIGHT ON"}
	fails(t, open(refusing), "refuses its set-up")
	fine := at(t, "photometer", Faults{})
	fine.Setup = []string{"CONF:LUM"}
	if err := open(fine); err != nil {
		t.Error(err)
	}
	fails(t, open(odd(t, func(string) string { return strings.Repeat("x", 3*mostLine) })), "more than 4096")
	fails(t, open(odd(t, func(string) string { return "" })), "does not answer")
	fails(t, open(odd(t, func(string) string { return "no end" })), "does not answer")
	fails(t, open(Definition{Name: "nobody", Address: "127.0.0.1:1", Timeout: 0.2}), "127.0.0.1:1")
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := Record(ctx, at(t, "photometer", Faults{}), time.Second, func(Sample) error { return nil }); err == nil {
		t.Error("a recording that was ended goes on")
	}
	stop := errors.New("enough")
	if _, err := Record(t.Context(), at(t, "photometer", Faults{}), time.Second, func(Sample) error {
		return stop
	}); !errors.Is(err, stop) {
		t.Error(err)
	}
}

func TestAnswersThatAreNoNumbers(t *testing.T) {
	lo, hi := 0.0, 100.0
	r := Reading{Channel: "a", Unit: "W", Field: 1, Scale: 1000, Least: &lo, Most: &hi}
	for said, want := range map[string]float64{"7,0.05": 50, "7, 0.05 ,9": 50, "7,0": 0, "7,0.1": 100,
		"7,0.1001": math.NaN(),
		"7,-0.001": math.NaN(), "7": math.NaN(), "": math.NaN(), "7,x": math.NaN(), "7,9.9E37": math.NaN(),
		"7,NAN": math.NaN(), "7,INF": math.NaN(), "7,-9.9E37": math.NaN()} {
		if got := r.value(said); got != want && !(math.IsNaN(got) && math.IsNaN(want)) {
			t.Errorf("%q is %g, want %g", said, got, want)
		}
	}
	if v := (Reading{}).value("5"); v != 5 {
		t.Errorf("without a scale 5 is %g", v)
	}
}

func TestDescriptionsThatAreNone(t *testing.T) {
	good := Definition{Address: "meter:5025", Read: []Reading{{Channel: "a", Unit: "W", Query: "Q?"}}}
	if bad := good.Check(); len(bad) > 0 {
		t.Error(bad)
	}
	for says, change := range map[string]func(*Definition){
		"host:port":      func(d *Definition) { d.Address = "meter" },
		"200":            func(d *Definition) { d.Rate = 201 },
		"60 s":           func(d *Definition) { d.Timeout = 61 },
		"nothing":        func(d *Definition) { d.Read = nil },
		"unknown unit":   func(d *Definition) { d.Read[0].Unit = "parsec" },
		"asks nothing":   func(d *Definition) { d.Read[0].Query = "Q" },
		"stands twice":   func(d *Definition) { d.Read = append(d.Read, d.Read[0]) },
		"field -1":       func(d *Definition) { d.Read[0].Field = -1 },
		"no single line": func(d *Definition) { d.Setup = []string{"A\nB"} },
	} {
		d := good
		d.Read = []Reading{good.Read[0]}
		change(&d)
		if bad := strings.Join(d.Check(), "; "); !strings.Contains(bad, says) {
			t.Errorf("%q, want %q", bad, says)
		}
	}
	for rate, fine := range map[float64]bool{200: true, 200.1: false, -1: false, 0: true} {
		d := good
		if d.Rate = rate; (len(d.Check()) == 0) != fine {
			t.Errorf("a rate of %g: %v", rate, d.Check())
		}
	}
}
