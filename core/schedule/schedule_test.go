package schedule

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

func near(t *testing.T, what string, got, want, off float64) {
	t.Helper()
	if math.Abs(got-want) > off {
		t.Errorf("%s: %g, want %g", what, got, want)
	}
}

// Worked by hand: a figure of two readings, three more, a neighbour; one that is missing.
func TestWhatMoreReadingsShouldDecide(t *testing.T) {
	b := &believed{Measure: &Measure{Cells: []Cell{{At: 0, SD: .01, N: 2}}}, tau2: .05 * .05, sd: .01, c: 3.5, mu: .04}
	y := after{.03, 0, .005 * .005, true}
	x := b.with(0, 3)
	near(t, "expected", x.at, .000471, 1e-6)
	near(t, "its deviation", math.Sqrt(x.v), .005445, 1e-6)
	near(t, "decided", b.decides(x, y), .8668, 2e-4)
	now := after{0, 0, .01 * .01 / 2, true}
	near(t, "decided now", b.decides(now, y), 0, 0)
	near(t, "of one that is missing", b.decides(b.with(1, 1), y), .4515, 2e-4)
	// Within the margin both are alike, whatever the difference is; exactly at the critical one nothing is decided.
	b.margin = .1
	near(t, "alike", b.decides(now, after{.001, 0, .005 * .005, true}), 1, 0)
	b.margin = 0
	h := b.c * math.Sqrt(2*.25)
	for _, c := range []struct{ d, want float64 }{{h, 0}, {h * 1.0001, 1}, {h * .9999, 0}} {
		near(t, fmt.Sprint("at ", c.d), b.decides(after{0, 0, .25, true}, after{c.d, 0, .25, true}), c.want, 0)
	}
}

func TestPhi(t *testing.T) {
	for _, c := range []struct{ z, want float64 }{{0, .5}, {1.96, .9750021}, {-1.96, .0249979}, {9, 1}, {-9, 0},
		{math.Inf(1), 1}, {math.Inf(-1), 0}, {math.NaN(), 0}} {
		near(t, fmt.Sprint("phi ", c.z), phi(c.z), c.want, 2e-6)
	}
}

// laid is a made-up desk with the truth behind it.
type laid struct {
	Desk
	truth [][]float64 // by measure and variant
}

// lay makes a desk of units in measures, one to three to a test; about so much of it is missing.
func lay(rng *rand.Rand, units, measures int, missing float64, claims int) laid {
	d := laid{Desk: Desk{Tests: map[string]Test{}}}
	better := make([]float64, units)
	for u := range units {
		better[u] = 0.2 * rng.NormFloat64()
		d.Machines = append(d.Machines, Machine{Variant: fmt.Sprint("v", u), Unit: fmt.Sprint("u", u),
			Name: fmt.Sprint("Pilot ", u)})
	}
	for i := 0; i < measures; {
		slug := fmt.Sprint("t", len(d.Tests))
		d.Tests[slug] = Test{Slug: slug, Name: slug, Setup: "as-delivered", Seconds: 60 * math.Exp(3.4*rng.Float64())}
		gone := make([]bool, units)
		for u := range gone {
			gone[u] = rng.Float64() < missing
		}
		own, area := 0.05+0.1*rng.Float64(), fmt.Sprint("area ", rng.IntN(5))
		for range 1 + rng.IntN(3) {
			if i == measures {
				break
			}
			sd := 0.004 * math.Exp(1.8*rng.Float64())
			m := Measure{ID: fmt.Sprint(slug, "/m", i), Test: slug, What: fmt.Sprint("figure ", i), Area: area, Log: true,
				Lower: rng.IntN(2) == 0, SD: sd, Margin: math.Log(1.02)}
			sign := 1.0
			if m.Lower {
				sign = -1
			}
			truth := make([]float64, units)
			for u := range units {
				truth[u] = 3 + sign*better[u] + own*rng.NormFloat64()
				if n := 1 + rng.IntN(3); !gone[u] {
					m.Cells = append(m.Cells, Cell{Variant: int32(u),
						At: float32(truth[u] + sd/math.Sqrt(float64(n))*rng.NormFloat64()), SD: float32(sd), N: uint16(n)})
				}
			}
			d.Measures, d.truth = append(d.Measures, m), append(d.truth, truth)
			i++
		}
	}
	for range claims {
		i, u := rng.IntN(measures), rng.IntN(units)
		d.Claims = append(d.Claims, Claim{u, d.Measures[i].ID, "a rate", d.truth[i][u] + 0.03*rng.NormFloat64()})
	}
	return d
}

// job is a test on a machine, so many times.
type job struct {
	machine int
	test    string
	times   int
}

// settled tells how many pairs and claims are decided after some jobs, told apart or found within 2 % alike.
func (d laid) settled(rng *rand.Rand, jobs []job) (pairs, claims float64) {
	for i, m := range d.Measures {
		at, se := make([]float64, len(d.Machines)), make([]float64, len(d.Machines))
		measured := 0.0
		for u := range at {
			c := m.cell(u)
			n, sum := float64(c.N), float64(c.At)*float64(c.N)
			if n > 0 {
				measured++
			}
			for _, j := range jobs {
				if j.machine == u && j.test == m.Test {
					for range j.times {
						sum += d.truth[i][u] + m.SD*rng.NormFloat64()
						n++
					}
				}
			}
			at[u], se[u] = sum/n, m.SD/math.Sqrt(n)
		}
		c := math.Sqrt2 * math.Erfinv(1-0.05/(measured*(measured-1)/2))
		for u := range at {
			for v := range u {
				d, h := math.Abs(at[u]-at[v]), c*math.Hypot(se[u], se[v])
				if d > h || d+h < math.Log(1.02) {
					pairs++
				}
			}
		}
		for _, x := range d.Claims {
			if x.Measure == m.ID && math.Abs(at[x.Machine]-x.Limit) > 1.96*se[x.Machine] {
				claims++
			}
		}
	}
	return pairs, claims
}

// filled takes jobs in order while the minutes last; each machine is opened once.
func (d laid) filled(jobs []job, minutes, opening float64) (out []job) {
	open := map[int]bool{}
	for _, j := range jobs {
		cost := float64(j.times) * d.Tests[j.test].Seconds / 60
		if !open[j.machine] {
			cost += opening
		}
		if cost > minutes {
			continue
		}
		open[j.machine] = true
		minutes -= cost
		out = append(out, j)
	}
	return out
}

func (d laid) tests() (out []string) {
	for k := range d.Tests {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// A schedule settles about twice what one gets by running all that is missing once, machine by machine, or everything
// thrice on the newest machines, whichever is more; on nine desks in ten at least a fifth more.
func TestAScheduleSettlesTwiceAsMuch(t *testing.T) {
	const desks = 40
	for _, hours := range []float64{1, 3} {
		rng := rand.New(rand.NewPCG(8, uint64(hours)))
		var ratios []float64
		sum, promised, kept := 0.0, 0.0, 0.0
		for range desks {
			d := lay(rng, 10+rng.IntN(31), 15+rng.IntN(26), 0.3, 20+rng.IntN(41))
			before, had := d.settled(rng, nil)
			gained := func(jobs []job) (float64, float64) {
				p, c := d.settled(rng, jobs)
				return p - before, c - had
			}
			var once, thrice []job
			for u := range d.Machines {
				for _, k := range d.tests() {
					i := slices.IndexFunc(d.Measures, func(m Measure) bool { return m.Test == k })
					if d.Measures[i].cell(u).N == 0 {
						once = append(once, job{u, k, 1})
					}
					thrice = append(thrice, job{len(d.Machines) - 1 - u, k, 3})
				}
			}
			s := Make(d.Desk, Terms{Minutes: 60 * hours, Opening: 9, Claims: 3})
			var mine []job
			for _, b := range s.Bundles {
				for _, i := range b.Items {
					mine = append(mine, job{slices.IndexFunc(d.Machines, func(m Machine) bool { return m.Unit == b.Unit }), i.Test,
						i.Repeats})
				}
			}
			told := 0.0
			for _, b := range s.Bundles {
				for _, i := range b.Items {
					told += i.Pairs
				}
			}
			near(t, "pairs of all items", told, float64(s.Pairs), 0.51)
			if got := d.filled(mine, 60*hours, 9); len(got) != len(mine) {
				t.Fatalf("the schedule takes longer than the %g h at hand", hours)
			}
			p, c := gained(mine)
			best := 1.0
			for _, other := range [][]job{once, thrice} {
				p, c := gained(d.filled(other, 60*hours, 9))
				best = max(best, p+3*c)
			}
			ratios = append(ratios, (p+3*c)/best)
			sum += (p + 3*c) / best
			promised, kept = promised+float64(s.Pairs), kept+p
		}
		slices.Sort(ratios)
		t.Logf("%g h: %.2f times on average, %.2f on nine desks in ten; promised %.0f pairs, kept %.0f", hours,
			sum/desks, ratios[desks/10], promised, kept)
		if mean := sum / float64(desks); mean < 1.8 {
			t.Errorf("%g h: %.2f times on average", hours, mean)
		}
		if ratios[desks/10] < 1.2 {
			t.Errorf("%g h: %.2f times on nine desks in ten", hours, ratios[desks/10])
		}
		if r := promised / kept; r < 0.8 || r > 1.2 {
			t.Errorf("%g h: promised %.2f times what was kept", hours, r)
		}
	}
}

func small() Desk {
	cells := func(ats ...float32) (out []Cell) {
		for v, at := range ats {
			if at > 0 {
				out = append(out, Cell{Variant: int32(v), At: at, SD: .01, N: 3})
			}
		}
		return out
	}
	return Desk{
		Tests: map[string]Test{"pack": {Slug: "pack", Name: "Packing", Setup: "as-delivered", Seconds: 60},
			"last": {Slug: "last", Name: "Run-down", Setup: "on-battery", Raised: true, Seconds: 20000, RunDown: true}},
		Machines: []Machine{{Variant: "a", Unit: "a-1", Name: "A"}, {Variant: "b", Unit: "b-1", Name: "B"},
			{Variant: "c", Name: "C"}, {Variant: "d", Unit: "d-1", Name: "D"}},
		Measures: []Measure{
			{ID: "pack/rate", Test: "pack", What: "packing rate", Area: "x", Log: true, SD: .01, Cells: cells(3, 0, 0, 4)},
			{ID: "last/time", Test: "last", What: "run-down", Area: "y", Log: true, SD: .02, Cells: cells(9, 0, 9.5, 9.2)},
		},
	}
}

func TestASmallDesksSchedule(t *testing.T) {
	terms := Terms{Minutes: 30, Opening: 8, Least: 1, Claims: 3}
	s := Make(small(), terms)
	// Only B has gaps that can be filled here: its run-down, three minutes of one's time, and packing.
	if len(s.Bundles) == 0 || s.Bundles[0].Unit != "b-1" || s.Used > 30 {
		t.Fatalf("%+v", s)
	}
	for _, b := range s.Bundles {
		for _, i := range b.Items {
			if i.RunDown && (i.Minutes != 3 || i.Repeats != 1 || b.Setup != "on-battery") {
				t.Errorf("%+v", i)
			}
		}
		if b.Variant == "c" {
			t.Error("nobody has a C")
		}
	}
	if !strings.Contains(s.Bundles[0].Why, "one missing test should settle about") ||
		!strings.Contains(s.Bundles[0].Why, "B, ") || !strings.Contains(s.Sentence, "of 30 min on") {
		t.Errorf("%q, %q", s.Bundles[0].Why, s.Sentence)
	}
	opening := 0.0
	for _, b := range s.Bundles {
		if b.Unit == "b-1" {
			opening += b.Opening
		}
	}
	near(t, "B is opened once, and set to another mode once", opening, 13, 1e-9)
	// What waits on the bench is not put there again.
	d := small()
	d.Waiting = []Waiting{{1, "pack", 1}, {1, "last", 1}}
	for _, b := range Make(d, terms).Bundles {
		if b.Unit == "b-1" {
			t.Errorf("again %+v", b)
		}
	}
	// Too few minutes, exactly enough, and none.
	for _, c := range []struct {
		minutes float64
		want    int
	}{{0, 0}, {8.9, 0}, {9, 1}} {
		d := small()
		delete(d.Tests, "last")
		s := Make(d, Terms{Minutes: c.minutes, Opening: 8})
		if len(s.Bundles) != c.want {
			t.Errorf("%g min: %+v", c.minutes, s.Bundles)
		}
		if c.want == 0 && !strings.HasPrefix(s.Sentence, "Nothing that fits into") {
			t.Error(s.Sentence)
		}
	}
	// Three repeats where three are asked for.
	d = small()
	delete(d.Tests, "last")
	if s := Make(d, Terms{Minutes: 60, Opening: 8, Least: 3}); s.Bundles[0].Items[0].Repeats < 3 {
		t.Errorf("%+v", s.Bundles[0].Items)
	}
	// A test that is not for a machine, and a figure that cannot be had.
	d = small()
	d.Machines[1].Never = map[string]bool{"pack": true}
	d.Measures[1].Cells = slices.Insert(d.Measures[1].Cells, 1, Cell{Variant: 1, Never: true})
	for _, b := range Make(d, terms).Bundles {
		if b.Unit == "b-1" {
			t.Errorf("never %+v", b)
		}
	}
}

func TestAClaimIsWorthItsPairs(t *testing.T) {
	d := Desk{Tests: map[string]Test{"t": {Slug: "t", Name: "T", Setup: "s", Seconds: 60}},
		Machines: []Machine{{Variant: "a", Unit: "a-1", Name: "A"}},
		Measures: []Measure{{ID: "t/m", Test: "t", What: "m", Area: "x", Log: true, SD: .01,
			Cells: []Cell{{At: 3, SD: .01, N: 1}}}},
		Claims: []Claim{{0, "t/m", "weight", 3.013}}}
	s := Make(d, Terms{Minutes: 30, Opening: 5, Claims: 3})
	if len(s.Bundles) != 1 || !(s.Claims > .3) || !strings.Contains(s.Bundles[0].Why,
		"chance of deciding its claim of weight") {
		t.Fatalf("%+v", s)
	}
	if s := Make(d, Terms{Minutes: 30, Opening: 5}); len(s.Bundles) != 0 {
		t.Errorf("claims are worth nothing: %+v", s)
	}
}

// On a desk without a figure somebody has to be first.
func TestAnEmptyDeskBeginsSomewhere(t *testing.T) {
	d := small()
	for i := range d.Measures {
		d.Measures[i].Cells = nil
	}
	s := Make(d, Terms{Minutes: 60, Opening: 8})
	if len(s.Bundles) < 2 {
		t.Errorf("%+v", s)
	}
}

func BenchmarkLarge(b *testing.B) {
	d := lay(rand.New(rand.NewPCG(2, 2)), 5000, 300, 0.3, 500)
	for b.Loop() {
		s := Make(d.Desk, Terms{Minutes: 180, Opening: 9, Claims: 3})
		b.ReportMetric(float64(s.Pairs), "pairs")
	}
}

// Run-downs run by themselves: one on a machine, three on a schedule.
func TestRunDownsAreFew(t *testing.T) {
	d := Desk{Tests: map[string]Test{}}
	for i := range 5 {
		d.Machines = append(d.Machines, Machine{Variant: fmt.Sprint("v", i), Unit: fmt.Sprint("u", i), Name: "A"})
	}
	for _, slug := range []string{"pan", "film"} {
		d.Tests[slug] = Test{Slug: slug, Name: slug, Setup: "on-battery", Raised: true, Seconds: 30000, RunDown: true}
		m := Measure{ID: slug + "/time", Test: slug, What: slug, Area: "battery", Log: true, SD: .02}
		for v := range 5 {
			if v > 3 {
				m.Cells = append(m.Cells, Cell{Variant: int32(v), At: 9, SD: .02, N: 3})
			}
		}
		d.Measures = append(d.Measures, m)
	}
	s := Make(d, Terms{Minutes: 600, Opening: 9})
	by, all := map[string]int{}, 0
	for _, b := range s.Bundles {
		for _, i := range b.Items {
			if i.RunDown {
				by[b.Unit]++
				all++
			}
		}
	}
	if all != 3 || len(by) != 3 {
		t.Errorf("%d run-downs on %d machines", all, len(by))
	}
	if s.Used != 3*(9+5+3) {
		t.Errorf("they take %g min", s.Used)
	}
}

// An area that counts for nothing is not measured, one that counts for more comes first; two measures of an area count
// as much as one of another.
func TestAreasWeigh(t *testing.T) {
	d := Desk{Tests: map[string]Test{}, Machines: []Machine{{Variant: "a", Unit: "a", Name: "A"},
		{Variant: "b", Name: "B"},
		{Variant: "c", Name: "C"}}}
	for _, x := range []struct{ id, test, area string }{{"p/1", "p", "one"}, {"p/2", "p", "one"}, {"q/1", "q", "two"}} {
		d.Tests[x.test] = Test{Slug: x.test, Name: x.test, Setup: "s", Seconds: 60}
		d.Measures = append(d.Measures, Measure{ID: x.id, Test: x.test, What: x.id, Area: x.area, Log: true, SD: .01,
			Cells: []Cell{{Variant: 1, At: 3, SD: .01, N: 3}, {Variant: 2, At: 4, SD: .01, N: 3}}})
	}
	first := func(weights map[string]float64) string {
		s := Make(d, Terms{Minutes: 60, Opening: 9, Weights: weights})
		var tests []string
		for _, i := range s.Bundles[0].Items {
			tests = append(tests, i.Test)
		}
		return strings.Join(tests, " ")
	}
	for _, c := range []struct {
		weights map[string]float64
		want    string
	}{{map[string]float64{"one": 1}, "p"}, {map[string]float64{"two": 1}, "q"}, {map[string]float64{"one": 1, "two": 3},
		"q p"}, {map[string]float64{"one": 3, "two": 1}, "p q"}} {
		if got := first(c.weights); got != c.want {
			t.Errorf("weighed %v: %q, want %q", c.weights, got, c.want)
		}
	}
	b := believe(&d, nil)
	near(t, "two of an area", b[0].weight+b[1].weight, b[2].weight, 1e-9)
	near(t, "the mean", (b[0].weight+b[1].weight+b[2].weight)/3, 1, 1e-9)
}

func TestNothingOnTheDeskIsSaid(t *testing.T) {
	d := small()
	for i := range d.Machines {
		d.Machines[i].Unit = ""
	}
	if s := Make(d, Terms{Minutes: 60}); !strings.HasPrefix(s.Sentence, "No unit of these is on the desk") {
		t.Error(s.Sentence)
	}
	d.Machines[0].Unit = "a-1"
	if s := Make(Desk{Machines: d.Machines}, Terms{Minutes: 60}); !strings.Contains(s.Sentence, "a plan of the library") {
		t.Error(s.Sentence)
	}
	if s := Make(Desk{}, Terms{Minutes: 60}); len(s.Bundles) != 0 {
		t.Errorf("%+v", s)
	}
}

func TestNumbersInWords(t *testing.T) {
	for n, want := range map[int]string{0: "no pairs", 1: "one pair", 2: "two pairs", 12: "twelve pairs", 13: "13 pairs",
		99: "99 pairs", 104: "100 pairs", 105: "110 pairs", 1249: "1200 pairs", 1250: "1300 pairs",
		12_960: "13,000 pairs"} {
		if got := counted(n, "pair"); got != want {
			t.Errorf("%d: %q, want %q", n, got, want)
		}
	}
	for x, want := range map[float64]string{0.05: "perhaps a claim", 0.94: "perhaps a claim", 0.95: "about one claim",
		1: "about one claim", 1.04: "about one claim", 1.06: "one or two claims", 2.94: "two or three claims",
		2.96: "about three claims", 9.96: "about ten claims", 12.4: "about twelve claims"} {
		if got := claimsSaid(x); got != want {
			t.Errorf("%g: %q, want %q", x, got, want)
		}
	}
	for m, want := range map[float64]string{0: "0 min", 1.4: "1 min", 1.5: "2 min", 59: "59 min", 90: "1 h 30 min",
		179.6: "3 h"} {
		if got := minutes(m); got != want {
			t.Errorf("%g min: %q, want %q", m, got, want)
		}
	}

	s := Schedule{Bundles: []Bundle{{}}, gain: 100}
	for gain, want := range map[float64]string{85: "15 % less", 99.6: "settle as much", 120: "settle as much"} {
		if s.Against(Schedule{gain: gain}); !strings.Contains(s.Thrice, want) {
			t.Errorf("%g of 100: %q", gain, s.Thrice)
		}
	}
}

// Two figures, ± 0.2 about 3: each variant's effect is its residual over 1 + 1.5, and what remains is ± 0.12.
func TestWhatIsBelieved(t *testing.T) {
	for _, lower := range []bool{false, true} {
		d := Desk{Machines: make([]Machine, 4), Measures: []Measure{{ID: "t/m", Test: "t", Log: true, Lower: lower, SD: .01,
			Cells: []Cell{{Variant: 0, At: 3.2, SD: .01, N: 1}, {Variant: 1, At: 2.8, SD: .01, N: 1}, {Variant: 2, Never: true,
				At: 9}}}, {ID: "u/m", Test: "u", SD: 1, Cells: []Cell{{Variant: 0, At: 40, SD: 1, N: 4}, {Variant: 1, At: 50, SD: 1,
			N: 4}}}}}
		b := believe(&d, nil)
		for v, want := range []float64{3.08, 2.92, 3, 3} {
			near(t, fmt.Sprint("believed of ", v), b[0].believes(v), want, 1e-6)
		}
		near(t, "about that", b[0].tau2, 1.21*(5*.0143+2*.0143)/7, 1e-6)
		// On a scale that is no logarithm, a variant is expected where the rest are.
		near(t, "believed of a level", b[1].believes(0), 45, 1e-6)
		near(t, "about that", b[1].tau2, 1.21*(25-.25), 1e-4)
		near(t, "of one pair", b[0].c, 1.96, 1e-3)
	}
}
