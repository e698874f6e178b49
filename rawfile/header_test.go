package rawfile

import (
	"strings"
	"testing"
)

func TestHeadersArePartedIntoNameAndUnit(t *testing.T) {
	for text, want := range map[string]string{
		"time [s]": "time|s", "Power (W)": "Power|W", "level in %": "level|%", "latency_ms": "latency|ms",
		"LAeq dB(A)": "LAeq|dB[A]", "LAeq_dB(A)": "LAeq|dB[A]", "LAeq dB (A)": "LAeq|dB[A]", "LAeq (dB(A))": "LAeq|dB[A]",
		"LAeq [dBA]": "LAeq|dB[A]", "noise dBA": "noise|dB[A]", "Current (A)": "Current|A",
		"s": "s|s", "ms": "ms|ms", "W": "W|W", "°C": "°C|Cel", "%": "%|%", "dB(A)": "dB(A)|dB[A]", "fps": "fps|{frame}/s",
		"A": "A|", "B": "B|", "C": "C|", "c": "c|", "m": "m|", "x": "x|", "RGB_B": "RGB_B|", "channel A": "channel A|",
		"Zeit":             "Zeit|",
		"rate (best of 3)": "rate (best of 3)|", "f (x)": "f (x)|", "": "|",
	} {
		if name, unit := titled(text); name+"|"+unit != want {
			t.Errorf("%q is %q, want %q", text, name+"|"+unit, want)
		}
	}
	s, err := Read([]byte("s;cpu °C;skin °C\n" + strings.Repeat("1;40,5;30\n", 1) + "2;41;30,5\n3;42;31\n"))
	if err != nil {
		t.Fatal(err)
	}
	if ps := Recognise(s, nil); len(ps) == 0 || ps[0].Mapping.Analysis != "temperature" ||
		ps[0].Mapping.Columns["time"].Column != "s" || ps[0].Mapping.Columns["temperature"].Column != "cpu" ||
		len(ps[0].Mapping.Columns) != 2 { // the skin is not the room
		t.Errorf("%+v", ps)
	}
	s, err = Read([]byte("Time,LAeq dB(A)\n0,38.1\n1,38.4\n2,38.2\n3,38.6\n"))
	if err != nil {
		t.Fatal(err)
	}
	if ps := Recognise(s, nil); len(ps) == 0 || ps[0].Mapping.Analysis != "sound-level" {
		t.Errorf("%+v", ps)
	}
	row := "\n1,31.5,32,31,33,30,32"
	s, err = Read([]byte("spot,A,B,C,D,V,W" + row + row + row + "\n"))
	if err != nil {
		t.Fatal(err)
	}
	if ps := Recognise(s, nil); len(ps) == 0 || ps[0].Mapping.Analysis != "surface" || !ps[0].Mapping.Grid {
		t.Errorf("a grid of columns A to W is %+v", ps)
	}
}
