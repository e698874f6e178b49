package analyse

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"durvek/core/record"
)

// evenTimes are n times at a distance.
func evenTimes(n int, step float64) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = float64(i) * step
	}
	return out
}

func of(n int, f func(i int) float64) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = f(i)
	}
	return out
}

func TestADischargeFromFullToEmpty(t *testing.T) {
	times := evenTimes(601, 60) // ten hours
	level := of(601, func(i int) float64 { return math.Round(100 - float64(i)/6) })
	watts := of(601, func(int) float64 { return 5 })
	work := of(601, func(i int) float64 { return 12 * float64(i) })
	m, got := made(t, "discharge", Raw{Columns: map[string][]float64{"time": times, "level": level, "power": watts,
		"work": work}})
	near(t, "hours", got["hours"], 10, 1e-9)
	near(t, "draw", got["draw"], 5, 1e-9)
	near(t, "energy", got["energy"], 50, 1e-9)
	near(t, "work", got["work"], 7200, 1e-9)
	if m.Said["battery.extrapolated"] != "" {
		t.Error("a whole discharge is called extrapolated")
	}
	// Without a level it is taken to be whole; with a capacity the draw is known without a meter.
	_, got = made(t, "discharge", Raw{Columns: map[string][]float64{"time": times, "charge": of(601, func(i int) float64 {
		return 4000 - float64(i)*4000/600
	})}, Options: map[string]string{"capacity": "60 Wh"}})
	near(t, "hours from charge", got["hours"], 10, 1e-9)
	near(t, "draw from capacity", got["draw"], 6, 1e-9)
	without(t, got["energy"], "no power")
	m, got = made(t, "discharge", Raw{Columns: map[string][]float64{"time": times, "power": watts}})
	near(t, "hours without a level", got["hours"], 10, 1e-9)
	if len(m.Notes) != 1 {
		t.Error(m.Notes)
	}
}

// A battery that falls faster at first and at the end, as batteries do; logged to some level in whole points.
func TestADischargeThatEndsEarlyIsContinued(t *testing.T) {
	off := 0
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 5))
		hours := 6 + 8*r.Float64()
		truth := func(s float64) float64 { // of 0 to 1
			return 100 * (1 - s - 0.01*math.Sin(2*math.Pi*s)*r.Float64())
		}
		for _, end := range []float64{48, 30, 10} {
			var times, level []float64
			for s := 0.0; ; s += 1 / (hours * 60) {
				l := math.Round(truth(s))
				if len(level) > 0 {
					l = min(l, level[len(level)-1])
				}
				times, level = append(times, s*hours*3600), append(level, l)
				if l <= end {
					break
				}
			}
			m, got := made(t, "discharge", Raw{Columns: map[string][]float64{"time": times, "level": level}})
			if math.Abs(got["hours"].Value/hours-1) > 0.03 {
				off++
			}
			if m.Said["battery.extrapolated"] != "yes" {
				t.Error("a log that ends early is not called so")
			}
		}
	}
	if off > 0 {
		t.Errorf("%d of 60 run times are off by more than 3 %%", off)
	}
	short := Raw{Columns: map[string][]float64{"time": evenTimes(50, 60), "level": of(50, func(i int) float64 {
		return 100 - float64(i)
	})}}
	_, got := made(t, "discharge", short) // 49 points
	without(t, got["hours"], "half")
	short.Columns["time"], short.Columns["level"] = evenTimes(51, 60), of(51,
		func(i int) float64 { return 100 - float64(i) })
	_, got = made(t, "discharge", short) // 50 points
	near(t, "hours from half a discharge", got["hours"], 100.0/60, 0.01)
	short.Columns["level"][20] = 95
	refusal(t, "discharge", short, "row 21: the charge rises")
	short.Columns["level"][20] = 120
	refusal(t, "discharge", short, "120 % cannot be")
	short.Columns["time"][3] = 60
	refusal(t, "discharge", short, "row 4")
}

func TestSoundLevelsByEnergy(t *testing.T) {
	_, got := made(t, "sound-level", Raw{Columns: map[string][]float64{"level": {30, 40}, "time": {0, 1}}})
	near(t, "level", got["level"], 10*math.Log10((1e3+1e4)/2), 1e-9)
	near(t, "loudest", got["loudest"], 40, 0)
	without(t, got["audible"], "room")
	// Uneven times count as long as they last.
	_, got = made(t, "sound-level", Raw{Columns: map[string][]float64{"level": {30, 40, 40}, "time": {0, 9, 10}}})
	near(t, "level", got["level"], 10*math.Log10((9*1e3+2*1e4)/11), 1e-9)
	// Two sources of 30 dB make 33; less one of them it is 30.
	for room, want := range map[float64]struct {
		level float64
		state record.State
		grade string
	}{30: {30, record.OK, "survey grade"}, 27.02: {31.75, record.OK, "survey grade"}, 20: {32.79, record.OK, "good"},
		30.02: {33.01, record.AtFloor, "upper bound"}} {
		m, got := made(t, "sound-level", Raw{Columns: map[string][]float64{"level": of(10,
			func(int) float64 { return 33.0103 })},
			Options: map[string]string{"background": fmt.Sprint(room)}})
		near(t, "level", got["level"], want.level, 0.01)
		if got["level"].State != want.state || m.Said["sound.grade"] != want.grade {
			t.Errorf("in a room of %g dB(A) the level is %s, %v", room, got["level"].State, m.Said)
		}
	}
	levels := of(100, func(i int) float64 { return 20 + 0.2*float64(i) })
	_, got = made(t, "sound-level", Raw{Columns: map[string][]float64{"level": levels, "time": evenTimes(100, 2)},
		Options: map[string]string{"background": "20"}})
	near(t, "audible", got["audible"], 30, 1e-9)
	levels[0] = 25
	_, got = made(t, "sound-level", Raw{Columns: map[string][]float64{"level": levels},
		Options: map[string]string{"background": "20"}})
	without(t, got["audible"], "from the start")
	refusal(t, "sound-level", Raw{Columns: map[string][]float64{"level": {200, 20}}}, "row 1")
}

func TestARecordingOfATone(t *testing.T) {
	const rate = 48000
	for _, c := range []struct{ hz, level, noise float64 }{{1000, 0.1, 0.01}, {440.4, 0.05, 0.01}, {4123.7, 0.02, 0.005},
		{2500.25, 0.01, 0.01}} {
		r := rand.New(rand.NewPCG(1, uint64(c.hz)))
		xs := of(10*rate, func(i int) float64 {
			return c.level*math.Sin(2*math.Pi*c.hz*float64(i)/rate) + c.noise*r.NormFloat64()
		})
		m, got := made(t, "sound-recording", Raw{Columns: map[string][]float64{"signal": xs},
			Options: map[string]string{"rate": "48000 Hz", "full-scale": "100 dB"}})
		near(t, "tone", got["tone"], c.hz, 1)
		// white noise has its power spread evenly up to half the rate
		want := 10 * math.Log10(c.level*c.level/2/(c.noise*c.noise*critical(c.hz)/(rate/2)))
		near(t, "prominence", got["prominence"], want, 1)
		if c.level == 0.1 { // the tone alone makes the level: 1 kHz is not weighted
			near(t, "level", got["level"], 100+20*math.Log10(0.1), 0.2)
		}
		if m.Picture.Kind != Curves || len(m.Picture.Curves[0].X) < 25 {
			t.Errorf("the spectrum has %d bands", len(m.Picture.Curves[0].X))
		}
	}
	r := rand.New(rand.NewPCG(1, 1))
	noise := of(5*rate, func(int) float64 { return 0.01 * r.NormFloat64() })
	_, got := made(t, "sound-recording", Raw{Columns: map[string][]float64{"signal": noise},
		Options: map[string]string{"rate": "48000"}})
	if got["prominence"].State != record.Missing && got["prominence"].Value > 3 {
		t.Errorf("noise has a tone %g dB out of it", got["prominence"].Value)
	}
	without(t, got["level"], "full scale")
	refusal(t, "sound-recording", Raw{Columns: map[string][]float64{"signal": noise}}, "rate")
	refusal(t, "sound-recording", Raw{Columns: map[string][]float64{"signal": noise},
		Options: map[string]string{"rate": "4000"}}, "too few")
}

func TestWeightingOfKnownFrequencies(t *testing.T) { // IEC 61672-1, table 3
	for f, want := range map[float64]float64{31.5: -39.4, 63: -26.2, 125: -16.1, 250: -8.6, 500: -3.2, 1000: 0, 2000: 1.2,
		4000: 1.0, 8000: -1.1, 16000: -6.6} {
		if got := AWeight(f); math.Abs(got-want) > 0.15 {
			t.Errorf("%g Hz is weighted by %.2f dB, want %.1f", f, got, want)
		}
	}
	for _, c := range []struct {
		hz, ratio float64
		want      bool
	}{{1000, 8, true}, {1000, 7.99, false}, {100, 16.33, true}, {100, 16.32, false}, {89, 40, false}} {
		if got := (Tone{c.hz, c.ratio}).Prominent(); got != c.want {
			t.Errorf("a tone of %g dB at %g Hz is prominent: %t", c.ratio, c.hz, got)
		}
	}
}

// A speaker that is a high-pass of first order: its response is known at every frequency.
func TestTheResponseOfAKnownSpeaker(t *testing.T) {
	const rate, corner = 48000, 250.0
	played := swept(20, 20000, 5, rate)
	r := rand.New(rand.NewPCG(4, 4))
	a := 1 / (1 + 2*math.Pi*corner/rate)
	xs := make([]float64, len(played)+rate)
	last, out := 0.0, 0.0
	for i := range xs {
		in := 0.0
		if k := i - 7000; k >= 0 && k < len(played) { // it begins somewhere in the recording
			in = played[k] + 0.02*math.Pow(played[k], 3)
		}
		out = a * (out + in - last)
		last = in
		xs[i] = 0.2*out + 1e-4*r.NormFloat64()
	}
	bands, err := Response(xs, rate, 20, 20000, 5)
	if err != nil {
		t.Fatal(err)
	}
	// the digital filter's own curve, not that of its pattern
	gain := func(f float64) float64 {
		w := 2 * math.Pi * f / rate
		num := math.Hypot(1-math.Cos(w), math.Sin(w))
		den := math.Hypot(1-a*math.Cos(w), a*math.Sin(w))
		return 20 * math.Log10(a*num/den)
	}
	ref, n := 0.0, 0.0
	for _, m := range Thirds() {
		if m > 490 && m < 4100 {
			ref, n = ref+gain(m), n+1
		}
	}
	for i, m := range Thirds() {
		if m < 95 || m > 10500 {
			continue
		}
		if want := gain(m) - ref/n; math.Abs(bands[i]-want) > 1 {
			t.Errorf("at %.0f Hz it is %.2f dB, want %.2f", m, bands[i], want)
		}
	}
	_, got := made(t, "speaker-response", Raw{Columns: map[string][]float64{"signal": xs},
		Options: map[string]string{"rate": "48000", "sweep": "5 s"}})
	want := 20.0 // where it is 10 dB below its reference
	for gain(want)-ref/n < -10 {
		want += 0.1
	}
	near(t, "low end", got["low-end"], want, 0.05*want)
	refusal(t, "speaker-response", Raw{Columns: map[string][]float64{"signal": xs[:rate]},
		Options: map[string]string{"rate": "48000", "sweep": "5 s"}}, "alone")
	refusal(t, "speaker-response", Raw{Columns: map[string][]float64{"signal": make([]float64, 6*rate)},
		Options: map[string]string{"rate": "48000", "sweep": "5 s"}}, "silent")
}

func TestALogOfTemperature(t *testing.T) {
	times := evenTimes(1200, 1)
	temps := of(1200, func(i int) float64 { return 90 - 60*math.Exp(-float64(i)/100) })
	held := of(1200, func(i int) float64 { return float64(i / 900) })
	_, got := made(t, "temperature", Raw{Columns: map[string][]float64{"time": times, "temperature": temps,
		"limited": held}, Options: map[string]string{"ambient": "21 °C"}})
	near(t, "peak", got["peak"], temps[1199], 1e-9)
	near(t, "mean", got["mean"], 90-60*100/1199.0*(1-math.Exp(-11.99)), 0.01)
	near(t, "above", got["above-ambient"], temps[1199]-21, 1e-9)
	near(t, "time to 95 %", got["time-95"], 100*math.Log(20), 2)
	near(t, "limited", got["limited"], 25, 0.1)
	_, got = made(t, "temperature", Raw{Columns: map[string][]float64{"time": times[:100], "temperature": temps[:100],
		"ambient": of(100, func(int) float64 { return 20 })}})
	without(t, got["time-95"], "still rises")
	without(t, got["limited"], "held back")
	near(t, "above", got["above-ambient"], temps[99]-20, 1e-9)
	refusal(t, "temperature", Raw{Columns: map[string][]float64{"time": {0, 1, 2}, "temperature": {20, 251, 20}}}, "row 2")
	refusal(t, "temperature", Raw{Columns: map[string][]float64{"time": {0, 1, 1}, "temperature": {20, 21, 20}}}, "row 3")
	refusal(t, "temperature", Raw{Columns: map[string][]float64{"time": {0, 1, 2}, "temperature": {20, math.NaN(), 20}}},
		"row 2 has no temperature")
}

func TestTheHottestSpotOfASurface(t *testing.T) {
	m, got := made(t, "surface", Raw{Columns: map[string][]float64{"temperature": {44, 38, 33, 41, math.NaN()}},
		Words:   map[string][]string{"place": {"hinge", "Keys, middle", "palm rest left", "underside rear", "lid"}},
		Options: map[string]string{"ambient": "21"}})
	near(t, "hottest", got["hottest"], 44, 0)
	near(t, "mean", got["mean"], 39, 0)
	near(t, "touched", got["touched"], 41, 0)
	near(t, "above", got["above-ambient"], 23, 0)
	if m.Said["surface.hottest"] != "hinge" {
		t.Error(m.Said)
	}
	m, got = made(t, "surface", Raw{Columns: map[string][]float64{"temperature": {30, 31, 35, 32}},
		Words: map[string][]string{"row": {"A", "A", "B", "B"}, "column": {"1", "2", "1", "2"}}})
	without(t, got["touched"], "no spot")
	if m.Said["surface.hottest"] != "row B, column 1" || m.Picture.Cells[1][0] != 35 || m.Picture.Cells[0][1] != 31 {
		t.Errorf("%v %v", m.Said, m.Picture.Cells)
	}
	refusal(t, "surface", Raw{Columns: map[string][]float64{"temperature": {30, 31}}}, "place")
}

func TestALogOfPower(t *testing.T) {
	times := evenTimes(301, 0.5)
	watts := of(301, func(i int) float64 { // 10 W, 50 W from 50 to 100 s, 10 W
		if i > 100 && i <= 200 {
			return 50
		}
		return 10
	})
	_, got := made(t, "power-log", Raw{Columns: map[string][]float64{"time": times, "power": watts},
		Options: map[string]string{"tasks": "7"}})
	joules := 10*100 + 50*50.0
	near(t, "mean", got["mean"], joules/150, 0.01)
	near(t, "energy", got["energy"], joules/3600, 0.01)
	near(t, "idle", got["idle"], 10, 1e-9)
	near(t, "peak", got["peak"], 50, 1e-9)
	near(t, "per task", got["per-task"], joules/7, 1)
	_, got = made(t, "power-log", Raw{Columns: map[string][]float64{"time": times[:20], "power": watts[:20]}})
	without(t, got["idle"], "10 s")
	without(t, got["per-task"], "counted")
	_, got = made(t, "power-log", Raw{Columns: map[string][]float64{"time": times[:21], "power": watts[:21]}})
	near(t, "idle over ten seconds exactly", got["idle"], 10, 1e-9)
	m, _ := made(t, "power-log", Raw{Columns: map[string][]float64{"time": {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 200},
		"power": of(13, func(int) float64 { return 5 })}})
	if len(m.Notes) != 1 || !strings.Contains(m.Notes[0], "gap of 189 s") {
		t.Error(m.Notes)
	}
}

func TestListsOfLatenciesRatesAndRounds(t *testing.T) {
	xs := of(1000, func(i int) float64 { return float64(1000 - i) })
	_, got := made(t, "latency-list", Raw{Columns: map[string][]float64{"latency": xs}})
	near(t, "median", got["median"], 500.5, 1e-9)
	near(t, "p99", got["p99"], 990.01, 1e-6)
	near(t, "p999", got["p999"], 999.001, 1e-6)
	near(t, "worst", got["worst"], 1000, 0)
	_, got = made(t, "latency-list", Raw{Columns: map[string][]float64{"latency": xs[:999]}})
	without(t, got["p999"], "it takes 1000")
	refusal(t, "latency-list", Raw{Columns: map[string][]float64{"latency": {1, 0}}}, "row 2")

	rates := of(100, func(i int) float64 { return 100 })
	rates[3], rates[4] = 0, 0.5
	_, got = made(t, "link-rate", Raw{Columns: map[string][]float64{"rate": rates}})
	near(t, "dropouts", got["dropouts"], 2, 1e-9)
	near(t, "evenness", got["evenness"], 100, 1e-9)
	without(t, got["reach"], "distances")
	far := of(100, func(i int) float64 { return float64(1 + i/25*4) }) // 1, 5, 9, 13 m
	rates = of(100, func(i int) float64 { return []float64{800, 600, 300, 100}[i/25] })
	_, got = made(t, "link-rate", Raw{Columns: map[string][]float64{"rate": rates, "distance": far}})
	near(t, "reach", got["reach"], 5+4*200/300.0, 1e-9)
	_, got = made(t, "link-rate", Raw{Columns: map[string][]float64{"rate": rates[:50], "distance": far[:50]}})
	if r := got["reach"]; r.State != record.BeyondLimit || r.Value != 5 {
		t.Errorf("a link that holds to 5 m reaches %v", r)
	}

	n := 200
	course := of(n, func(i int) float64 {
		v := 3000.0
		if i >= 80 {
			v = 900
		}
		return v * (1 + 0.01*math.Sin(float64(i)))
	})
	written := evenTimes(n, 2)
	for i := range written {
		written[i] += 2
	}
	_, got = made(t, "fill-log", Raw{Columns: map[string][]float64{"rate": course, "written": written}})
	near(t, "cache", got["cache"], 160, 8)
	near(t, "before", got["before"], 3000, 30)
	near(t, "after", got["after"], 900, 10)
	near(t, "lowest", got["lowest"], slices.Min(course), 0)
	times, at := make([]float64, n), 0.0 // the same over time
	for i := range times {
		at += 2000 / course[i]
		times[i] = at
	}
	_, got = made(t, "fill-log", Raw{Columns: map[string][]float64{"rate": course, "time": times}})
	near(t, "cache over time", got["cache"], 160, 8)
	_, got = made(t, "fill-log", Raw{Columns: map[string][]float64{"rate": course[:80], "written": written[:80]}})
	if r := got["cache"]; r.State != record.BeyondLimit || r.Value != 160 {
		t.Errorf("a cache that never filled is %v", r)
	}
	refusal(t, "fill-log", Raw{Columns: map[string][]float64{"rate": course}}, "over time")
	refusal(t, "fill-log", Raw{Columns: map[string][]float64{"rate": course[:19], "written": written[:19]}},
		"19 samples")

	_, got = made(t, "loops", Raw{Columns: map[string][]float64{"score": {1000, 1010, 990, 900, 900, 900, 900, 900, 900,
		900}}})
	near(t, "first", got["first"], 1000, 0)
	near(t, "last", got["last"], 900, 0)
	near(t, "hold", got["hold"], 100*900/1010.0, 1e-9)
	without(t, got["drop"], "10 rounds")
	_, got = made(t, "loops", Raw{Columns: map[string][]float64{"score": of(40, func(i int) float64 {
		return 1000 - 200*float64(i/10-i/20*2+i/20)/float64(1+i/20) // 1000, then 800 from the eleventh on
	})}})
	if got["drop"].State == record.Missing {
		t.Errorf("no drop: %s", got["drop"].Reason)
	}
}

func TestFilesOfFramesAndRates(t *testing.T) {
	ms := of(2000, func(i int) float64 { return 10 + float64(i/1980)*40 })
	_, got := made(t, "frames", Raw{Columns: map[string][]float64{"frame": ms}})
	near(t, "mean", got["mean"], 2000/(19.8+1), 1e-9)
	near(t, "low", got["low"], 20, 1e-9)
	at, sum := []float64{100}, 100.0
	for _, x := range ms {
		sum += x
		at = append(at, sum)
	}
	_, also := made(t, "frames", Raw{Columns: map[string][]float64{"frame": at},
		Options: map[string]string{"moments": "yes"}})
	for measure, r := range got {
		near(t, measure+" from moments", also[measure], r.Value, 1e-9)
	}
	_, got = made(t, "frames", Raw{Columns: map[string][]float64{"frame": ms[:999]}})
	without(t, got["low"], "too few")
	refusal(t, "frames", Raw{Columns: map[string][]float64{"frame": {10, 0}}}, "frame 2")
	times := evenTimes(300, 2)
	rates := of(300, func(i int) float64 { return 100 - 40*float64(min(1, i/100)) })
	_, got = made(t, "sustained", Raw{Columns: map[string][]float64{"time": times, "rate": rates}})
	near(t, "burst", got["burst"], 100, 1)
	near(t, "sustained", got["sustained"], 60, 1)
	near(t, "hold", got["hold"], 60, 1)
	near(t, "drop", got["drop"], 200, 4)
	rates[7] = 0
	refusal(t, "sustained", Raw{Columns: map[string][]float64{"time": times, "rate": rates}}, "row 8")
}

// The slowest of many are found without sorting all.
func TestTheLargestOfALongSeries(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	xs := of(200_000, func(int) float64 { return r.ExpFloat64() })
	all := slices.Sorted(slices.Values(xs))
	for _, n := range []int{1, 2, 2001, 200_000} {
		if got := largest(xs, n); !slices.Equal(got, all[len(all)-n:]) {
			t.Errorf("the %d largest are others", n)
		}
	}
	same := of(100_000, func(int) float64 { return 5 })
	if got := largest(same, 1001); len(got) != 1001 || got[0] != 5 {
		t.Errorf("%d of the same", len(got))
	}
}
