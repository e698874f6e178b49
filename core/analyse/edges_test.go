package analyse

import (
	"testing"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
)

// A write cache ends where the rate falls by a tenth or more, and holds what was written before that sample.
func TestWhereAWriteCacheEnds(t *testing.T) {
	for _, c := range []struct {
		name         string
		after, cache float64
	}{{"falls by 20 %", 80, 20}, {"falls by 12 %", 88, 20}, {"falls by 8 %", 92, 0}} {
		var written, rates []float64
		for i := range 40 {
			rate := 100.0
			if i >= 20 {
				rate = c.after
			}
			written, rates = append(written, float64(i+1)), append(rates, rate+0.4*float64(i%2))
		}
		f, ok := WriteCache(written, rates)
		if !ok || f.Cache != c.cache || (f.Before-f.After > 5) != (c.cache > 0) {
			t.Errorf("%s: %+v, %v, want a cache of %g", c.name, f, ok, c.cache)
		}
	}
	if _, ok := WriteCache(make([]float64, stats.LeastCourse-1), flat(stats.LeastCourse-1, 5)); ok {
		t.Error("too few samples were read")
	}
	if _, ok := WriteCache(make([]float64, 20), flat(21, 5)); ok {
		t.Error("rates without what was written were read")
	}
}

// Between samples a grid lies on the straight line; two samples of one moment are no division by nothing.
func TestAGridBetweenSamples(t *testing.T) {
	got := grid([]float64{10, 12, 12, 16}, []float64{0, 4, 8, 0}, 1)
	for i, want := range []float64{0, 2, 4, 6, 4, 2, 0} {
		if got[i] != want {
			t.Errorf("at %d: %g, want %g", 10+i, got[i], want)
		}
	}
	if len(got) != 7 {
		t.Errorf("%d points", len(got))
	}
}

// A list of generated frames that is not as long as the frames says nothing of them.
func TestAListOfGeneratedFramesOfAnotherLength(t *testing.T) {
	var ms, generated []float64
	for i := range 400 {
		ms, generated = append(ms, 10), append(generated, float64(i%2))
	}
	test := method.Test{Measures: FrameMeasures()}
	mean := func(generated []float64) float64 {
		r := record.Run{Series: []record.Series{{Channel: "frame", Unit: "ms", Values: ms},
			{Channel: "generated", Unit: "1", Values: generated}}}
		readings, _, err := frames(test, &r)
		if err != nil {
			t.Fatal(err)
		}
		return readings[0].Value
	}
	if got := mean(generated); got > 51 || got < 49 {
		t.Errorf("every other frame is generated: %g frames/s, want 50", got)
	}
	if got := mean(generated[:399]); got > 101 || got < 99 {
		t.Errorf("nothing is known of which are: %g frames/s, want 100", got)
	}
}
