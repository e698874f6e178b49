package analyse

import (
	"errors"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/record"
)

func steady(n int, ms float64) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = ms
	}
	return out
}

func TestFramesByTheirDefinitions(t *testing.T) {
	// 1,000 frames of 10 ms, ten of which take 100 ms: every figure by hand.
	ms := steady(1000, 10)
	for i := range 10 {
		ms[50+100*i] = 100
	}
	f, err := FrameTimes(ms, nil)
	if err != nil {
		t.Fatal(err)
	}
	near := func(name string, got, want float64) {
		t.Helper()
		if math.Abs(got-want) > 1e-9*math.Max(1, want) {
			t.Errorf("%s %.9g, want %.9g", name, got, want)
		}
	}
	near("seconds", f.Seconds, 10.9)
	near("mean rate is frames ÷ time, not the mean of rates", f.Mean, 1000/10.9)
	near("1 % low", f.Low, 10) // the ten slowest took 100 ms each
	near("p99", f.P99, 10.9)   // type 7: between the 990th of 10 ms and the 991st of 100 ms, at 0.01
	near("stutters", float64(f.Stutters), 10)
	near("share", f.Share, 1)
	if !strings.Contains(f.Warning, "6000") {
		t.Errorf("1,000 frames pass without a warning: %q", f.Warning)
	}
	if f, _ := FrameTimes(ms[:999], nil); f.Low != 0 || f.P99 != 0 || f.Mean == 0 || !strings.Contains(f.Warning,
		"1000 are needed") {
		t.Errorf("999 frames: %+v", f)
	}
	if f, _ := FrameTimes(steady(6000, 10), nil); f.Warning != "" || f.Stutters != 0 {
		t.Errorf("6,000 steady frames: %+v", f)
	}
	// A slow half is no stutter: the median of the 21 around it is as slow.
	if f, _ := FrameTimes(append(steady(600, 5), steady(600, 50)...), nil); f.Stutters > 10 {
		t.Errorf("a change of pace gives %d stutters", f.Stutters)
	}
}

func TestGeneratedFramesAreCountedApart(t *testing.T) {
	var ms []float64
	var generated []bool
	for range 1500 {
		ms, generated = append(ms, 5, 5), append(generated, true, false)
	}
	f, err := FrameTimes(ms, generated)
	if err != nil || f.Generated != 1500 || math.Abs(f.Mean-100) > 1e-9 || math.Abs(f.Shown-200) > 1e-9 || f.P99 != 10 {
		t.Errorf("%+v, %v", f, err)
	}
}

func TestFrameTimesThatAreNone(t *testing.T) {
	for _, ms := range [][]float64{nil, {10, 0}, {10, -1}, {math.NaN()}, {math.Inf(1)}} {
		if _, err := FrameTimes(ms, nil); !errors.Is(err, ErrFrames) {
			t.Errorf("%v: %v", ms, err)
		}
	}
	if _, err := FrameTimes([]float64{1, 2}, []bool{true}); !errors.Is(err, ErrFrames) {
		t.Errorf("marks for half of the frames: %v", err)
	}
}

func TestFrameFilesAreReadByTheirLayout(t *testing.T) {
	for _, c := range []struct {
		name, table string
		file        FrameFile
		want        []float64
		fault       string
	}{
		{"one column", "ms\n10\n12.5\n", FrameFile{}, []float64{10, 12.5}, ""},
		{"of many, in seconds", "frame,t (s),gpu\n1,0.01,5\n2,0.02,6\n", FrameFile{Column: "t (s)", Unit: "s"},
			[]float64{10, 20}, ""},
		{"moments", "\ufeffat\n100\n110\n125\n", FrameFile{Moments: true}, []float64{10, 15}, ""},
		{"which column?", "a,b\n1,2\n", FrameFile{}, nil, "say which column"},
		{"no such column", "a,b\n1,2\n", FrameFile{Column: "c"}, nil, "there are a, b"},
		{"no such mark", "a\n1\n", FrameFile{Generated: "g"}, nil, `no column "g"`},
		{"no number", "a\n1\nx\n", FrameFile{}, nil, "line 3"},
		{"a clock that goes back", "a\n5\n4\n", FrameFile{Moments: true}, nil, "cannot be"},
		{"a short row", "a,b\n1\n", FrameFile{Column: "b"}, nil, "line 2"},
		{"not a time", "a\n1\n", FrameFile{Unit: "kg"}, nil, "kg"},
		{"nothing", "", FrameFile{}, nil, "no table"},
		{"a header alone", "a\n", FrameFile{}, nil, "no frames"},
	} {
		ms, _, err := c.file.Read(strings.NewReader(c.table))
		switch {
		case c.fault != "" && (!errors.Is(err, ErrFrames) || !strings.Contains(err.Error(), c.fault)):
			t.Errorf("%s: %v", c.name, err)
		case c.fault == "" && err != nil:
			t.Errorf("%s: %v", c.name, err)
		case c.fault == "" && len(ms) != len(c.want):
			t.Errorf("%s: %v", c.name, ms)
		}
		for i := range c.want {
			if i < len(ms) && math.Abs(ms[i]-c.want[i]) > 1e-9 {
				t.Errorf("%s: %v", c.name, ms)
			}
		}
	}
	_, marks, err := FrameFile{Column: "a", Generated: "g"}.Read(strings.NewReader("a,g\n1,1\n2,no\n3,TRUE\n"))
	if err != nil || len(marks) != 3 || !marks[0] || marks[1] || !marks[2] {
		t.Errorf("%v, %v", marks, err)
	}
}

func FuzzFrameFile(f *testing.F) {
	f.Add("a,g\n1,1\n2,0\n", "a", "g", true)
	f.Fuzz(func(t *testing.T, table, column, generated string, moments bool) {
		ms, marks, err := FrameFile{Column: column, Generated: generated, Moments: moments}.Read(strings.NewReader(table))
		if err == nil && marks != nil && len(marks) != len(ms) {
			t.Errorf("%d frames, %d marks", len(ms), len(marks))
		}
		if err == nil {
			if _, err := FrameTimes(ms, marks); err != nil && !errors.Is(err, ErrFrames) {
				t.Error(err)
			}
		}
	})
}

func TestADesksFiguresAreMadeOfRawSeries(t *testing.T) {
	test := method.Test{Slug: "flight", Analysis: "frames", Measures: FrameMeasures()}
	run := func(ms []float64, change ...func(*record.Run)) record.Run {
		r := record.Run{Outcome: "done", Series: []record.Series{{Channel: "frame", Unit: "ms", Values: ms,
			Times: make([]float64, len(ms))}}}
		for _, f := range change {
			f(&r)
		}
		return r
	}
	states := func(r record.Run) string {
		var out []string
		for _, x := range r.Readings {
			out = append(out, x.Measure+" "+string(x.State))
		}
		return strings.Join(out, ", ")
	}
	for _, c := range []struct {
		name string
		run  record.Run
		want string
	}{
		{"enough frames", run(steady(1200, 10)), "mean ok, low ok, frame-time-99 ok, stutters ok"},
		{"too few for the slow ones", run(steady(50, 10)), "mean ok, low missing, frame-time-99 missing, stutters missing"},
		{"at the screen's own rate", run(steady(1200, 1000./60),
			func(r *record.Run) { r.Negotiated = map[string]string{"screen.refresh": "60 Hz"} }),
			"mean at-ceiling, low ok, frame-time-99 ok, stutters ok"},
		{"what a run brings stays", run(steady(1200, 10),
			func(r *record.Run) { r.Readings = []record.Reading{{Measure: "mean", State: record.OK, Value: 7}} }),
			"mean ok, low ok, frame-time-99 ok, stutters ok"},
		{"a failed run has no figures", run(steady(1200, 10), func(r *record.Run) { r.Outcome = "failed" }), ""},
	} {
		if err := Figures(test, &c.run); err != nil || states(c.run) != c.want {
			t.Errorf("%s: %s (%v)", c.name, states(c.run), err)
		}
	}
	if r := run(nil); !errors.Is(Figures(test, &r), ErrFrames) {
		t.Error("a run without frames has figures")
	}
	if r := run(steady(5, 1)); Figures(method.Test{Analysis: "tea", Measures: FrameMeasures()}, &r) == nil {
		t.Error("an unknown analysis was made")
	}
	rng := rand.New(rand.NewPCG(3, 3))
	long := record.Run{Outcome: "done", Series: []record.Series{{Channel: "rate", Unit: "{frame}/s"}}}
	for i := range 200 {
		level := 60.0
		if i > 80 {
			level = 42
		}
		s := &long.Series[0]
		s.Times, s.Values = append(s.Times, float64(i+1)), append(s.Values, level*(1+0.01*rng.NormFloat64()))
	}
	lasting := method.Test{Analysis: "sustained", Measures: []method.Measure{{Slug: "burst"}, {Slug: "sustained"},
		{Slug: "hold"}, {Slug: "drop"}}}
	if err := Figures(lasting, &long); err != nil || len(long.Readings) != 4 || math.Abs(long.Readings[2].Value-70) > 1.5 {
		t.Errorf("under lasting load: %+v, %v", long.Readings, err)
	}
	if Figures(lasting, &record.Run{Outcome: "done"}) == nil {
		t.Error("a run without a rate was under lasting load")
	}
}

func BenchmarkTenMillionFrames(b *testing.B) {
	ms := make([]float64, 10_000_000)
	for i := range ms {
		ms[i] = 16 + float64(i*7919%997)/100
	}
	b.ReportAllocs()
	for b.Loop() {
		if f, err := FrameTimes(ms, nil); err != nil || f.Count != len(ms) {
			b.Fatal(err)
		}
	}
}
