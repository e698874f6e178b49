package stats

import (
	"math"
	"math/rand/v2"
	"testing"
)

// rates makes a series about a shape over 0 to 1, with so much scatter and autocorrelation.
func rates(rng *rand.Rand, n int, cv, auto float64, shape func(x float64) float64) []float64 {
	out, e := make([]float64, n), rng.NormFloat64()
	for i := range out {
		e = auto*e + math.Sqrt(1-auto*auto)*rng.NormFloat64()
		out[i] = 100 * shape((float64(i)+0.5)/float64(n)) * (1 + cv*e)
	}
	return out
}

var usual = CourseOptions{Matter: 0.05, Dip: 0.05}

func stepAt(at, to float64) func(x float64) float64 {
	return func(x float64) float64 {
		if x > at {
			return to
		}
		return 1
	}
}

func TestCoursesOfKnownSeries(t *testing.T) {
	half, flat := stepAt(0.5, 0.9), func(float64) float64 { return 1 }
	for _, c := range []struct {
		name     string
		n        int
		cv, auto float64
		shape    func(x float64) float64
		want     Shape
		least    int // of 40
	}{
		{"clean", 30, 0.02, 0.3, flat, Flat, 39}, {"clean", 120, 0.05, 0, flat, Flat, 39}, {"clean", 600, 0.02, 0.3, flat,
			Flat,
			39},
		{"a fall of a tenth", 30, 0.02, 0, half, Stepped, 36}, {"a fall of a tenth", 120, 0.02, 0.6, half, Stepped, 37},
		{"a fall of 40 %", 120, 0.02, 0, stepAt(0.5, 0.6), Stepped, 40}, {"a fall of 40 %", 30, 0.05, 0.3, stepAt(0.5, 0.6),
			Stepped, 38},
		{"warming up", 120, 0.02, 0, func(x float64) float64 { return 1 - 0.1*math.Exp(-x/0.2) }, Gradual, 34},
		{"a slow fall", 600, 0.02, 0, func(x float64) float64 { return 1 - 0.2*x }, Gradual, 38},
		{"a slow fall in few samples", 30, 0.02, 0, func(x float64) float64 { return 1 - 0.2*x }, Gradual, 34},
		{"breaking in", 300, 0.02, 0, func(x float64) float64 {
			if math.Mod(x*10, 1) > 0.82 {
				return 0.6
			}
			return 1
		}, Recurrent, 38},
		{"one break", 300, 0.02, 0, func(x float64) float64 {
			if x > 0.4 && x < 0.43 {
				return 0.6
			}
			return 1
		}, Flat, 38},
		{"a change that does not matter", 300, 0.005, 0, stepAt(0.5, 0.98), Flat, 38},
	} {
		rng := rand.New(rand.NewPCG(21, 22))
		found := map[Shape]int{}
		for range 40 {
			x, ok := CourseOf(rates(rng, c.n, c.cv, c.auto, c.shape), usual)
			if !ok {
				t.Fatal("no course")
			}
			found[x.Shape]++
		}
		if found[c.want] < c.least {
			t.Errorf("%s in %d samples: %v, want %s", c.name, c.n, found, c.want)
		}
	}
}

// A change stands where it is, levels have their means, dips stand apart, and half of a gradual fall lies in the data.
func TestWhatACourseTells(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for range 20 {
		c, _ := CourseOf(rates(rng, 120, 0.02, 0, stepAt(0.25, 0.7)), usual)
		if len(c.Levels) != 2 || math.Abs(float64(c.Levels[1].From-30)) > 1 || math.Abs(c.Levels[1].Mean-70) > 1 ||
			math.Abs(c.Change+0.3) > 0.02 || c.Levels[0].To != c.Levels[1].From || c.Levels[1].To != 120 {
			t.Fatalf("%+v", c)
		}
	}
	c, _ := CourseOf(rates(rng, 300, 0.01, 0, func(x float64) float64 {
		if x > 0.5 && x < 0.52 {
			return 0.5
		}
		return 1
	}), usual)
	if c.Shape != Flat || len(c.Dips) != 1 || math.Abs(c.Dips[0].Mean-50) > 5 || math.Abs(c.Levels[0].Mean-100) > 0.5 {
		t.Errorf("a dip of six samples: %+v", c)
	}
	c, _ = CourseOf(rates(rng, 300, 0.005, 0, func(x float64) float64 { return 0.6 + 0.4*math.Exp(-x/0.1) }), usual)
	if c.Shape != Gradual || math.Abs(float64(c.Half)-300*0.1*math.Ln2) > 4 || c.Half < 1 || len(c.Fit) != 300 ||
		math.Abs(c.Change+0.4) > 0.03 {
		t.Errorf("a decay: %s, half by %d, %+v", c.Shape, c.Half, c.Change)
	}
	long, _ := CourseOf(rates(rng, 5000, 0.02, 0, stepAt(0.5, 0.8)), usual)
	if len(long.Levels) != 2 || math.Abs(float64(long.Levels[1].From-2500)) > 10 || long.Levels[1].To != 5000 {
		t.Errorf("a long series: %+v", long.Levels)
	}
}

func TestCoursesThatAreNone(t *testing.T) {
	flat := make([]float64, LeastCourse)
	for i := range flat {
		flat[i] = 7
	}
	if c, ok := CourseOf(flat, usual); !ok || c.Shape != Flat || c.Levels[0].Mean != 7 || c.Change != 0 {
		t.Errorf("twenty of one value: %+v, %v", c, ok)
	}
	if _, ok := CourseOf(flat[:LeastCourse-1], usual); ok {
		t.Error("nineteen have a course")
	}
	if _, ok := CourseOf(make([]float64, 30), usual); ok {
		t.Error("nothing but zeros has a course")
	}
	grid := make([]float64, 60) // values told in coarse steps are no levels of their own
	rng := rand.New(rand.NewPCG(8, 9))
	for i := range grid {
		grid[i] = math.Round(20 + 0.4*rng.NormFloat64())
	}
	if c, _ := CourseOf(grid, usual); c.Shape != Flat {
		t.Errorf("coarse steps: %+v", c)
	}
	spike := rates(rng, 60, 0.01, 0, func(float64) float64 { return 1 })
	spike[30] = 900
	if c, _ := CourseOf(spike, usual); c.Shape != Flat {
		t.Errorf("one spike: %+v", c)
	}
}

// The fast way to part a series finds what trying every parting finds.
func TestStepsAreOptimal(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	const least, penalty = 3, 4.0
	cost := func(xs []float64) (v float64) {
		m := Average(xs)
		for _, x := range xs {
			v += (x - m) * (x - m)
		}
		return v
	}
	for range 30 {
		n := 8 + rng.IntN(14)
		xs := make([]float64, n)
		for i := range xs {
			xs[i] = float64(rng.IntN(3)*(i/6)) + rng.NormFloat64()
		}
		best := make([]float64, n+1) // without pruning
		best[0] = -penalty
		for to := 1; to <= n; to++ {
			best[to] = math.Inf(1)
			for from := 0; from+least <= to; from++ {
				best[to] = math.Min(best[to], best[from]+cost(xs[from:to])+penalty)
			}
		}
		got, at := -penalty, 0
		for _, s := range steps(xs, least, penalty) {
			if s.From != at || s.To-s.From < least {
				t.Fatalf("%+v", s)
			}
			at = s.To
			got += cost(xs[s.From:s.To]) + penalty
		}
		if math.Abs(got-best[n]) > 1e-6 || at != n {
			t.Errorf("cost %g instead of %g for %v", got, best[n], xs)
		}
	}
}

func TestQuantiles(t *testing.T) {
	xs := []float64{4, 1, 3, 2}
	for q, want := range map[float64]float64{0: 1, 0.5: 2.5, 1: 4, 0.25: 1.75} {
		if got := Quantile(xs, q); math.Abs(got-want) > 1e-12 {
			t.Errorf("the %g quantile is %g, want %g", q, got, want)
		}
	}
	if xs[0] != 4 || !math.IsNaN(Quantile(nil, 0.5)) {
		t.Error("the values were sorted in place, or none have a quantile")
	}
}

func BenchmarkCourse(b *testing.B) {
	xs := rates(rand.New(rand.NewPCG(1, 2)), 1200, 0.02, 0, func(float64) float64 { return 1 })
	for b.Loop() {
		CourseOf(xs, usual)
	}
}
