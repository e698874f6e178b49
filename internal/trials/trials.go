// Package trials makes runs of known truth, clean ones and ones with something planted, and counts what the rules
// and intervals of core say of them. Only tests and benchmarks use it. What it makes shares no code with what is
// tried: here are random numbers and nothing else.
package trials

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strconv"
	"time"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
)

// World is what noise is drawn from.
type World struct {
	Tau      float64 // standard deviation of ln σ over cells
	Sitting  float64 // standard deviation between sittings, in σ
	Auto     float64 // autocorrelation within a sitting
	Student  bool    // Student's t with 5 degrees of freedom in place of the normal law
	Sittings int     // sittings of every cell; 0 draws 1 to 3
}

func (w World) String() string {
	law := "normal"
	if w.Student {
		law = "t(5)"
	}
	return fmt.Sprintf("%s, τ %.1f, sittings %.1f, autocorrelation %.1f", law, w.Tau, w.Sitting, w.Auto)
}

// Worlds are all combinations that the contract names.
func Worlds() []World {
	var out []World
	for _, student := range []bool{false, true} {
		for _, tau := range []float64{0, 0.4} {
			for _, sitting := range []float64{0, 0.5} {
				for _, auto := range []float64{0, 0.3} {
					out = append(out, World{Tau: tau, Sitting: sitting, Auto: auto, Student: student})
				}
			}
		}
	}
	return out
}

func (w World) draw(rng *rand.Rand) float64 {
	if !w.Student {
		return rng.NormFloat64()
	}
	chi := 0.0
	for range 5 {
		z := rng.NormFloat64()
		chi += z * z
	}
	return rng.NormFloat64() / math.Sqrt(chi/5) / math.Sqrt(5.0/3)
}

// deviations draws n deviations of a cell in units of σ, and the sitting of each.
func (w World) deviations(rng *rand.Rand, n int) (xs []float64, sitting []int) {
	own := math.Exp(w.Tau * rng.NormFloat64())
	count := w.Sittings
	if count == 0 {
		count = 1 + rng.IntN(3)
	}
	count = min(count, n)
	for i := range n {
		sitting = append(sitting, i*count/n)
	}
	day, before := 0.0, 0.0
	for i := range n {
		if i == 0 || sitting[i] != sitting[i-1] {
			day = w.Sitting * rng.NormFloat64()
			before = w.draw(rng)
		} else {
			before = w.Auto*before + math.Sqrt(1-w.Auto*w.Auto)*w.draw(rng)
		}
		xs = append(xs, day+own*before)
	}
	return xs, sitting
}

// round prints a value with so many significant digits, as programs do.
func round(v float64, digits int) float64 {
	out, err := strconv.ParseFloat(strconv.FormatFloat(v, 'g', digits, 64), 64)
	if err != nil {
		panic(err)
	}
	return out
}

var day = time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)

// trial is one cell in the making: its readings one by one, its pool and its kin.
type trial struct {
	rng     *rand.Rand
	world   World
	sigma   float64
	centre  float64
	values  []float64 // natural
	sitting []int
	pool    []stats.Cell
	kin     trust.Kin
	series  [][]float64
}

// newTrial draws a cell of n repeats, a pool of 40 others in the same world, and kin.
func newTrial(rng *rand.Rand, w World, n int, kinSpread float64) *trial {
	t := &trial{rng: rng, world: w, sigma: 0.01 + 0.03*rng.Float64(), centre: math.Exp(2 + 6*rng.Float64())}
	t.values, t.sitting = t.repeats(n)
	for range 40 {
		xs, sit := w.deviations(rng, 2+rng.IntN(9))
		c := t.centre * math.Exp(rng.NormFloat64())
		var vs []stats.Value
		for i, x := range xs {
			vs = append(vs, stats.Value{X: round(c*math.Exp(t.sigma*x), 5), Sitting: strconv.Itoa(sit[i])})
		}
		t.pool = append(t.pool, stats.NewCell(vs, true))
	}
	t.kin = t.kindred(12+rng.IntN(20), kinSpread)
	for range n {
		xs := make([]float64, 10+rng.IntN(50))
		before := w.draw(rng)
		for i := range xs {
			before = w.Auto*before + math.Sqrt(1-w.Auto*w.Auto)*w.draw(rng)
			xs[i] = t.centre * math.Exp(t.sigma*before)
		}
		t.series = append(t.series, xs)
	}
	return t
}

func (t *trial) repeats(n int) ([]float64, []int) {
	xs, sit := t.world.deviations(t.rng, n)
	for i, x := range xs {
		xs[i] = round(t.centre*math.Exp(t.sigma*x), 5)
	}
	return xs, sit
}

// kindred draws so many variants with eight measures of a group, whose residuals scatter by spread, about the
// truth that the cell's own centre is the target's. The subject's own residual is zero.
func (t *trial) kindred(n int, spread float64) trust.Kin {
	const measures = 9
	spread /= math.Sqrt(1 + 1.0/(measures-1)) // as seen from the other eight
	effect := make([]float64, measures)
	for m := range effect {
		effect[m] = 3 * t.rng.NormFloat64()
	}
	effect[0] = math.Log(t.centre)
	row := func(a float64) []float64 {
		out := make([]float64, measures)
		for m := range out {
			out[m] = a + effect[m] + spread*t.rng.NormFloat64()
		}
		return out
	}
	var kin [][]float64
	for range n {
		kin = append(kin, row(0.4*t.rng.NormFloat64()))
	}
	own := row(0)
	return trust.KinOf(own, kin, 0)
}

var test = method.Test{Slug: "trial", Version: 1, Name: "Trial", Group: "CPU", Origin: "workload", Seconds: 3,
	Measures: []method.Measure{{Slug: "rate", Name: "rate", Unit: "MiBy/s", Scale: quantity.Ratio,
		Better: quantity.Higher}}}

func runID(i int) string { return "run-" + strconv.Itoa(i) }

// look is the case of the k-th run, when it arrives.
func (t *trial) look(k int) trust.Case {
	var vs []stats.Value
	var rs []trust.Repeat
	for i := 0; i <= k; i++ {
		s := strconv.Itoa(t.sitting[i])
		vs = append(vs, stats.Value{X: t.values[i], Sitting: s})
		rs = append(rs, trust.Repeat{Run: runID(i), Sitting: s, Started: day.Add(time.Duration(i) * time.Minute),
			Value: t.values[i]})
	}
	cell := stats.NewCell(vs, true)
	run := record.Run{ID: runID(k), Test: test.Slug, TestVersion: 1, Subject: "unit", Setup: method.AsDelivered,
		Sitting: strconv.Itoa(t.sitting[k]), Started: day, Ended: day.Add(3 * time.Second),
		Outcome: "done", Source: "agent", Readings: []record.Reading{{Measure: "rate", State: record.OK, Value: t.values[k]}}}
	if k < len(t.series) {
		at := make([]float64, len(t.series[k]))
		for i := range at {
			at[i] = float64(i)
		}
		run.Series = []record.Series{{Channel: "rate", Unit: "MiBy/s", Times: at, Values: t.series[k]}}
	}
	return trust.Case{Run: run, Test: test, Newest: 1, Setup: method.Setup{Slug: method.AsDelivered,
		Conditions: map[string]string{"supply": "mains"}},
		Figures: []trust.Figures{{Measure: test.Measures[0], Repeats: rs, Cell: cell, Pool: stats.NewPool(t.pool, 0, 0),
			Kin: t.kin}}}
}

// found lists the rules that speak up when run k arrives, and what each is about.
func (t *trial) found(k int) []trust.Doubt {
	return trust.Examine(t.look(k), nil, func(string) string { return "cell" })
}

// CleanTable counts how many clean runs are doubted, by rule.
type CleanTable struct {
	World   World
	Runs    int
	Doubted int // runs that a doubt named when it was raised
	ByRule  map[string]int
}

// Clean draws cells of 1 to 10 repeats, has every run examined as it arrives, and counts.
func Clean(seed uint64, w World, runs int) CleanTable {
	rng := rand.New(rand.NewPCG(seed, 0xc1ea))
	out := CleanTable{World: w, ByRule: map[string]int{}}
	for out.Runs < runs {
		n := 1 + rng.IntN(10)
		t := newTrial(rng, w, n, 0.05+0.15*rng.Float64())
		own := math.Exp(t.kin.SD * rng.NormFloat64())
		for i := range t.values {
			t.values[i] = round(t.values[i]*own, 5)
		}
		seen, bad := map[string]bool{}, map[string]bool{}
		for k := range n {
			for _, d := range t.found(k) {
				if !seen[d.Key] {
					seen[d.Key], bad[d.Run+d.Rule] = true, true
					out.ByRule[d.Rule]++
				}
			}
		}
		out.Runs += n
		out.Doubted += len(bad)
	}
	return out
}

// Planted is a kind of thing that goes wrong, of a size.
type Planted struct {
	Kind  string
	Unit  string
	Size  float64  // at which it is promised to be found
	Rules []string // any of which finds it
	Least int      // repeats
	Most  int
	plant func(t *trial, size float64)
}

// Kinds are the statistical kinds of the contract.
var Kinds = []Planted{
	{"one bad run", "s_r", 10, []string{"outlier"}, 2, 10, func(t *trial, size float64) {
		i := t.rng.IntN(len(t.values))
		t.shift(i, sign(t.rng)*size)
	}},
	{"drift, in all", "s_r", 10, []string{"drift"}, 3, 10, func(t *trial, size float64) {
		s := sign(t.rng)
		for i := range t.values {
			t.sitting[i] = 0
			t.shift(i, s*size*float64(i)/float64(len(t.values)-1))
		}
	}},
	{"spread", "times", 16, []string{"spread", "outlier", "drift", "two-modes"}, 5, 5, func(t *trial, size float64) {
		for i, x := range t.values {
			t.values[i] = round(t.centre*math.Pow(x/t.centre, size), 5)
		}
	}},
	{"unit slip ×8", "times the factor", 1, []string{"unit-slip"}, 1, 10, slip(8)},
	{"unit slip ×10", "times the factor", 1, []string{"unit-slip"}, 1, 10, slip(10)},
	{"unit slip ×1000", "times the factor", 1, []string{"unit-slip"}, 1, 10, slip(1000)},
	{"far from kin", "%", 75, []string{"far-from-kin", "unit-slip"}, 1, 10, func(t *trial, size float64) {
		f := 1 + size/100
		if t.rng.IntN(2) == 0 {
			f = 1 - size/100
		}
		for i := range t.values {
			t.values[i] = round(t.values[i]*f, 5)
		}
	}},
}

func slip(factor float64) func(*trial, float64) {
	return func(t *trial, size float64) {
		f := math.Pow(factor, size)
		if t.rng.IntN(2) == 0 {
			f = 1 / f
		}
		for i := range t.values { // every repeat: a program's unit does not change between them
			t.values[i] = round(t.values[i]*f, 5)
		}
	}
}

func sign(rng *rand.Rand) float64 { return float64(2*rng.IntN(2) - 1) }

// shift moves a reading by so many s_r: the root mean square of the cells' standard deviations, which is what a pool of
// them estimates.
func (t *trial) shift(i int, sds float64) {
	t.values[i] = round(t.values[i]*math.Exp(t.sigma*math.Exp(t.world.Tau*t.world.Tau)*sds), 5)
}

// Find plants a kind so often, at a share of its size, and counts how often any look of its rules finds it.
func Find(seed uint64, w World, p Planted, share float64, times int) (found int) {
	rng := rand.New(rand.NewPCG(seed, uint64(len(p.Kind))))
	for range times {
		n := p.Least + rng.IntN(p.Most-p.Least+1)
		spread := 0.2
		if p.Kind == "far from kin" {
			spread = 0.1
		}
		t := newTrial(rng, w, n, spread)
		p.plant(t, p.Size*share)
		hit := false
		for k := range n {
			for _, d := range t.found(k) {
				for _, r := range p.Rules {
					hit = hit || d.Rule == r
				}
			}
		}
		if hit {
			found++
		}
	}
	return found
}

// Coverage counts how often the 95 % interval of cells of n repeats holds the truth.
type Coverage struct {
	N               int
	Tau             float64
	Cells           int
	Held            int
	Noisy, NoisyAll int // cells noisier than 1.5 times the typical: held, all
}

// Share is the share of cells whose interval holds the truth.
func (c Coverage) Share() float64 { return float64(c.Held) / float64(c.Cells) }

// Cover draws cells of n repeats, each with a pool of its own, and counts.
func Cover(seed uint64, w World, n, cells int) Coverage {
	rng := rand.New(rand.NewPCG(seed, uint64(n)))
	out := Coverage{N: n, Tau: w.Tau, Cells: cells}
	for range cells {
		sigma := 0.01 + 0.03*rng.Float64()
		sigmaOf := make([]float64, 0, 41)
		draw := func(n int) stats.Cell {
			one := w
			one.Tau = 0
			own := math.Exp(w.Tau * rng.NormFloat64())
			sigmaOf = append(sigmaOf, own)
			xs, sit := one.deviations(rng, n)
			var vs []stats.Value
			for i, x := range xs {
				vs = append(vs, stats.Value{X: 100 * math.Exp(sigma*own*x), Sitting: strconv.Itoa(sit[i])})
			}
			return stats.NewCell(vs, true)
		}
		pool := []stats.Cell{draw(n)}
		for range 40 {
			pool = append(pool, draw(2+rng.IntN(9)))
		}
		e := stats.NewPool(pool, 0, 0).Estimate(pool[0], true)
		held := e.Lo <= 100 && 100 <= e.Hi
		if held {
			out.Held++
		}
		if sigmaOf[0] > 1.5 {
			out.NoisyAll++
			if held {
				out.Noisy++
			}
		}
	}
	return out
}
