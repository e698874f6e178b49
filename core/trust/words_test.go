package trust

import (
	"math"
	"testing"

	"durvek/core/method"
	"durvek/core/stats"
)

func TestHowACourseIsSaid(t *testing.T) {
	times := make([]float64, 100)
	for i := range times {
		times[i] = 0.25 * float64(i)
	}
	level := func(from, to int, mean float64) stats.Segment { return stats.Segment{From: from, To: to, Mean: mean} }
	for want, c := range map[string]stats.Course{
		"broke in 2 times while the run went on, by up to 40 %": {Shape: stats.Recurrent, Levels: []stats.Segment{
			level(0, 100, 10)}, Dips: []stats.Segment{level(10, 12, 6), level(30, 31, 8)}},
		"fell gradually by 12 %, half of it by 5 s":  {Shape: stats.Gradual, Change: -0.12, Half: 20},
		"rose gradually by 12 %, half of it by 25 s": {Shape: stats.Gradual, Change: 0.12, Half: 400}, // beyond the last
		"warmed up: from 2.5 s on it was 30 % higher": {Shape: stats.Stepped, Change: 0.3, Levels: []stats.Segment{
			level(0, 10, 10), level(10, 100, 13)}},
		"rose by 30 % at 13 s": {Shape: stats.Stepped, Change: 0.3, Levels: []stats.Segment{level(0, 50, 10),
			level(50, 100, 13)}}, // half the run is no warming up
		"fell by 30 % at 2.5 s": {Shape: stats.Stepped, Change: -0.3, Levels: []stats.Segment{level(0, 10, 10),
			level(10, 100, 7)}},
		"changed its level 2 times, by up to 50 %": {Shape: stats.Stepped, Change: -0.3, Levels: []stats.Segment{
			level(0, 30, 10), level(30, 60, 15), level(60, 100, 7)}},
	} {
		if got := saysCourse(c, times); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

func TestWhatIsAboutHolding(t *testing.T) {
	of := func(group, analysis string, measures ...string) method.Test {
		x := method.Test{Group: group, Analysis: analysis}
		for _, m := range measures {
			x.Measures = append(x.Measures, method.Measure{Slug: m})
		}
		return x
	}
	for _, x := range []struct {
		test method.Test
		want bool
	}{{of("CPU", "", "single", "all"), false}, {of("CPU", ""), false}, {of("CPU", "", "burst", "sustained"), true},
		{of("storage", "", "after"), true}, {of("CPU", "", "all", "hold"), true}, {of("battery", "", "hours"), true},
		{of("CPU", "sustained", "rate"), true}} {
		if lasting(x.test) != x.want {
			t.Errorf("%+v: %t", x.test, !x.want)
		}
	}
}

// Without other figures of the subject's own, kin are a sample of which all is known: three are the fewest.
func TestKinOfASubjectWithoutOtherFigures(t *testing.T) {
	nan := math.NaN()
	kin := [][]float64{{1, 9}, {2, 9}, {nan, 9}, {6, nan}}
	k := KinOf([]float64{nan, nan}, kin, 0)
	sd := math.Sqrt((4 + 1 + 9) / 2.0)
	if k.N != 3 || k.Expected != 3 || math.Abs(k.SD-sd) > 1e-12 || k.DF != 2 || math.Abs(k.SE-sd/math.Sqrt(3)) > 1e-12 ||
		k.Largest != 3 || len(k.Values) != 3 {
		t.Errorf("%+v", k)
	}
	if k := KinOf([]float64{nan, nan}, kin[:3], 0); k.N != 0 {
		t.Errorf("two kin: %+v", k)
	}
	// With a figure shared: three again, and the subject's own effect is added.
	kin = [][]float64{{1, 11}, {2, 12}, {6, 16}}
	if k := KinOf([]float64{nan, 15}, kin, 0); k.N != 3 || math.Abs(k.Expected-5) > 1e-9 || k.DF < 2 {
		t.Errorf("three kin that share a figure: %+v", k)
	}
	if k := KinOf([]float64{nan, 15}, kin[:2], 0); k.N != 0 {
		t.Errorf("two kin that share a figure: %+v", k)
	}
}
