package workload

import (
	"context"
	"errors"
	"reflect"
	"strings"
	"testing"
	"time"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
)

func TestExecuteChecksOptionsAndTakesDownThoseThatMustMatch(t *testing.T) {
	w := Workload{
		Test: method.Test{Slug: "x", Options: []method.Option{{Slug: "size", Default: "8 MiB", Unit: "MiBy", Least: 1,
			Match: true}, {Slug: "length", Default: "2 s", Unit: "s", Match: true}, {Slug: "note", Default: "none"}}},
		Run: func(_ context.Context, env Env) (record.Outcome, error) {
			if env.Number("size") != 4 || env.Text("note") != "none" {
				t.Errorf("size %g, note %q", env.Number("size"), env.Text("note"))
			}
			// It had to depart from one option, and fails half-way with samples in hand.
			return record.Outcome{Observed: map[string]string{"option.length": "1 s"},
				Series: []record.Series{{Channel: "rate"}}}, ErrWrong
		},
	}
	out, err := w.Execute(context.Background(), Env{Options: map[string]string{"size": "4 MiB"}})
	if !errors.Is(err, ErrWrong) || len(out.Series) != 1 || !reflect.DeepEqual(out.Observed,
		map[string]string{"option.size": "4 MiB", "option.length": "1 s"}) {
		t.Errorf("%+v, %v", out, err)
	}
	if _, err := w.Execute(context.Background(), Env{Options: map[string]string{"size": "0.5 MiB",
		"colour": "red"}}); !errors.Is(err, record.ErrNotRun) || !strings.Contains(err.Error(), `no option "colour"`) ||
		!strings.Contains(err.Error(), "at least 1 MiB") {
		t.Errorf("%v", err)
	}
}

func TestPartsShareARunsProgress(t *testing.T) {
	var shares []float64
	env := Env{Report: func(s record.Sample) { shares = append(shares, s.Share) }}
	env.Part(1, 4).Show("x", 0.5)
	env.Part(3, 4).Part(1, 2).Show("x", 1)
	if !reflect.DeepEqual(shares, []float64{0.375, 1}) {
		t.Errorf("%v", shares)
	}
	Env{}.Part(0, 2).Show("nobody looks", 1)
}

func TestRateReportsWhatGoesWrongBeforeAndDuringTheTiming(t *testing.T) {
	ctx := context.Background()
	broken := errors.New("no memory")
	if _, err := Rate(ctx, Env{Seconds: 0.05}, Timing{}, func(int) (Work, error) {
		return Work{},
			broken
	}); !errors.Is(err, broken) {
		t.Errorf("a thread that cannot start: %v", err)
	}
	work := Work{Do: func() float64 { time.Sleep(time.Millisecond); return 1 }, Check: func() error { return ErrWrong }}
	start := func(int) (Work, error) { return work, nil }
	if _, err := Rate(ctx, Env{Seconds: 0.05, Test: method.Test{Name: "Tide"}}, Timing{Channel: "single"},
		start); !errors.Is(err, ErrWrong) || !strings.HasPrefix(err.Error(), "tide, single: ") {
		t.Errorf("a wrong answer: %v", err)
	}
	if _, err := Rate(ctx, Env{Seconds: 0.05}, Timing{Pin: func(int) error { return broken }}, start); !errors.Is(err,
		broken) {
		t.Errorf("a thread that cannot be bound: %v", err)
	}
	work.Check = func() error { return nil }
	r, err := Rate(ctx, Env{Seconds: 0.2}, Timing{Threads: 3, Every: 20 * time.Millisecond}, start)
	if err != nil || len(r.Series.Values) < 1 || len(r.Series.Values) > 10 || r.Rate > 3003 || r.Rate <= 0 {
		t.Errorf("%d samples, %.0f per second, %v", len(r.Series.Values), r.Rate, err)
	}
	for i := 1; i < len(r.Series.Times); i++ {
		if r.Series.Times[i] <= r.Series.Times[i-1] {
			t.Errorf("times %v", r.Series.Times)
		}
	}
}

func TestSustainedReadings(t *testing.T) {
	series := func(n int, level func(i int) float64) record.Series {
		var s record.Series
		for i := range n {
			s.Times, s.Values = append(s.Times, float64(i+1)), append(s.Values, level(i)+0.1*float64(i%3))
		}
		return s
	}
	fell := func(at int) func(int) float64 {
		return func(i int) float64 {
			if i < at {
				return 100
			}
			return 60
		}
	}
	states := func(rs []record.Reading) string {
		var b strings.Builder
		for _, r := range rs {
			b.WriteString(r.Measure + " " + string(r.State) + " ")
		}
		return b.String()
	}
	for _, c := range []struct {
		name   string
		series record.Series
		want   string
	}{
		{"level", series(60, fell(99)), "burst ok sustained ok hold ok drop beyond-limit "},
		{"a fall", series(60, fell(20)), "burst ok sustained ok hold ok drop ok "},
		{"a fall near the end", series(60, fell(52)), "burst ok sustained missing hold missing drop ok "},
		{"too short", series(6, fell(99)), "burst missing sustained missing hold missing drop missing "},
	} {
		got, _ := analyse.SustainedReadings(c.series, 60)
		if s := states(got); s != c.want {
			t.Errorf("%s: %s", c.name, s)
		}
	}
	p5, below := Consistency(series(100, fell(90)), 70)
	if p5 > 61 || below < 9 || below > 11 {
		t.Errorf("5th percentile %g, %g s below", p5, below)
	}
	if p5, _ := Consistency(record.Series{}, 1); p5 == p5 {
		t.Errorf("no samples have a percentile of %g", p5)
	}
}

func TestASlugIsRegisteredOnce(t *testing.T) {
	defer func() {
		if recover() == nil {
			t.Error("one slug was registered twice")
		}
	}()
	Register(Workload{Test: method.Test{Slug: "twice"}})
	Register(Workload{Test: method.Test{Slug: "twice"}})
}
