package trace

import (
	"bytes"
	"math"
	"math/rand/v2"
	"testing"

	"durvek/core/record"
	"durvek/internal/mutants"
)

// course makes a trace of six ordinary channels: slow drift, noise, steps, a counter-like fan, and gaps.
func course(n int, rate float64, seed uint64) record.Trace {
	rng := rand.New(rand.NewPCG(seed, 1))
	var t record.Trace
	hot, fan := 45.0, 2100.0
	for i := range n {
		at := float64(i+1) / rate
		hot += 0.002*(82-hot) + 0.1*rng.NormFloat64()
		if i%50 == 0 {
			fan += 20 * rng.NormFloat64()
		}
		values := map[string]float64{"temperature.package": hot, "power.package": 42 + 0.3*rng.NormFloat64(),
			"clock.mean":     3800 + 12*rng.NormFloat64(),
			"load.processor": min(100, 99+rng.NormFloat64()), "memory.used": 5120 + float64(i/500), "fan.speed": math.Round(fan)}
		if i%97 == 5 {
			delete(values, "fan.speed")
		}
		t.Add(at+0.0004*rng.Float64(), values, nil)
	}
	return t
}

func TestWhatIsPackedComesBackAtItsScaleAndIsSmall(t *testing.T) {
	x := course(6000, 10, 1)
	packed := Pack(x)
	y, err := Unpack(packed)
	if err != nil || len(y.Times) != len(x.Times) || len(y.Channels) != 6 {
		t.Fatalf("%d of %d samples, %d channels, %v", len(y.Times), len(x.Times), len(y.Channels), err)
	}
	for i := range x.Times {
		if math.Abs(x.Times[i]-y.Times[i]) > 0.0005001 {
			t.Fatalf("time %d: %g became %g", i, x.Times[i], y.Times[i])
		}
	}
	for k, c := range x.Channels {
		for i, v := range x.Values[k] {
			w := y.Column(c.Name)[i]
			if math.IsNaN(v) != math.IsNaN(w) || math.Abs(v-w) > 0.5001/math.Pow10(c.Decimals) {
				t.Fatalf("%s at %d: %g became %g", c.Name, i, v, w)
			}
		}
	}
	if per := float64(len(packed)) / float64(6*len(x.Times)); per > 2 {
		t.Errorf("%.2f bytes per value", per)
	}
	// Chunks of 600, as they are stored, stay under two bytes as well.
	sum := 0
	for from := 0; from < 6000; from += 600 {
		part := x.Slice(from, from+600)
		sum += len(Pack(part))
	}
	if per := float64(sum) / 36000; per > 2 {
		t.Errorf("%.2f bytes per value in chunks", per)
	}
}

func TestStrangeValuesAreNotInvented(t *testing.T) {
	var x record.Trace
	x.Add(1, map[string]float64{"a": math.Inf(1), "power.package": math.NaN(), "clock.mean": 1e300},
		map[string]string{"a": "W"})
	x.Add(2, map[string]float64{"a": -3.25, "power.package": -0.01}, nil)
	x.Add(2, map[string]float64{"a": 9}, nil) // not later than the last
	x.Add(3, nil, nil)
	y, err := Unpack(Pack(x))
	if err != nil || len(y.Times) != 2 || !math.IsNaN(y.Column("a")[0]) || y.Column("a")[1] != -3.25 ||
		!math.IsNaN(y.Column("clock.mean")[0]) || y.Column("power.package")[1] != -0.01 {
		t.Errorf("%+v, %v", y, err)
	}
	if empty, err := Unpack(Pack(record.Trace{})); err != nil || len(empty.Times) != 0 {
		t.Errorf("%+v, %v", empty, err)
	}
}

func TestPartsJoinToTheWhole(t *testing.T) {
	x := course(1000, 2, 3)
	var joined record.Trace
	for from := 0; from < 1000; from += 130 {
		joined.Append(x.Slice(from, min(from+130, 1000)))
	}
	if !bytes.Equal(Pack(joined), Pack(x)) {
		t.Error("parts do not join to the whole")
	}
	joined.Append(x.Slice(900, 1000)) // said twice counts once
	var other record.Trace
	other.Add(600, map[string]float64{"noise": 31}, nil)
	joined.Append(other)
	if n := len(joined.Times); n != 1001 || joined.Column("noise")[1000] != 31 || !math.IsNaN(joined.Column("noise")[0]) {
		t.Errorf("%d samples", n)
	}
}

func FuzzUnpack(f *testing.F) {
	mutants.Add(f, Pack(course(40, 1, 2)))
	mutants.Add(f, []byte("nothing"))
	whole := Pack(course(5, 1, 2))
	mutants.Add(f, whole[:len(whole)-3])
	f.Fuzz(func(t *testing.T, data []byte) {
		x, err := Unpack(data)
		if err != nil {
			return
		}
		for _, v := range x.Values {
			if len(v) != len(x.Times) {
				t.Fatalf("a column of %d for %d times", len(v), len(x.Times))
			}
		}
	})
}
