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

// Rounding is how a program tells its figures.
type Rounding struct {
	Name   string
	Digits int     // significant
	Step   float64 // of the value as it is told
	Per    float64 // what one told unit is of the measure's: GB/s told, MB/s kept
	Ticks  float64 // length of a tick of the clock, in s, where a rate is 1000 over a counted time of about 0.3 s
}

// Roundings are those that are met.
var Roundings = []Rounding{{Name: "nine digits", Digits: 9}, {Name: "two digits", Digits: 2}, {Name: "0.1 GB/s",
	Step: 0.1,
	Per:  1000}, {Name: "ticks of 1/64 s", Ticks: 1.0 / 64}}

func (r Rounding) tell(v float64) float64 {
	switch {
	case r.Ticks > 0:
		return 1000 / (math.Max(1, math.Round(1000/v/r.Ticks)) * r.Ticks)
	case r.Step > 0:
		return math.Round(v/r.Per/r.Step) * r.Step * r.Per
	}
	return round(v, r.Digits)
}

// Measures is a world of runs of several measures that arrive one after the other.
type Measures struct {
	Count    int
	Tau      float64
	Law      string // normal, skewed or t3
	Round    Rounding
	Cells    int     // other cells of each measure
	Sittings float64 // standard deviation between sittings, in σ, of which no cell but the subject's has two
	Repeats  int     // 0 draws 2 to 6
}

func (m Measures) String() string {
	return fmt.Sprintf("%d measures, %d other cells, τ %.1f, %s, %s, sittings %.1f", m.Count, m.Cells, m.Tau, m.Law,
		m.Round.Name, m.Sittings)
}

func (m Measures) noise(rng *rand.Rand) float64 {
	switch m.Law {
	case "skewed": // a gamma law with four degrees, whose long tail is slow
		return (rng.ExpFloat64() + rng.ExpFloat64() + rng.ExpFloat64() + rng.ExpFloat64() - 4) / 2
	case "t3":
		chi := 0.0
		for range 3 {
			z := rng.NormFloat64()
			chi += z * z
		}
		return rng.NormFloat64() / math.Sqrt(chi)
	}
	return rng.NormFloat64()
}

// several is one unit's cells in the making.
type several struct {
	m      Measures
	rng    *rand.Rand
	values [][]float64 // by measure, by repeat
	sigma  []float64   // root mean square over cells, which is what a repeatability is
	days   []string
	pools  []stats.Pool
	test   method.Test
}

func (m Measures) draw(seed uint64, k int) *several {
	rng := rand.New(rand.NewPCG(seed, uint64(k)))
	s := &several{m: m, rng: rng, test: method.Test{Slug: "many", Version: 1, Name: "Many", Group: "CPU",
		Origin:  "workload",
		Seconds: 3}}
	n := m.Repeats
	if n == 0 {
		n = 2 + rng.IntN(5)
	}
	for i := range n {
		day := 0
		if m.Sittings > 0 {
			day = i
		}
		s.days = append(s.days, strconv.Itoa(day))
	}
	for c := range m.Count {
		base := 0.005 + 0.02*rng.Float64()
		centre := 3000.0
		cell := func(n int, days float64) []float64 {
			sd, out := base*math.Exp(m.Tau*rng.NormFloat64()), make([]float64, n)
			at := centre * math.Exp(0.4*rng.NormFloat64())
			for i := range out {
				out[i] = m.Round.tell(at * math.Exp(days*base*rng.NormFloat64()+sd*m.noise(rng)))
			}
			return out
		}
		var pool []stats.Sample
		var told []float64
		for range m.Cells {
			var vs []stats.Value
			for _, x := range cell(2+rng.IntN(4), 0) {
				vs, told = append(vs, stats.Value{X: x, Sitting: "s"}), append(told, x)
			}
			pool = append(pool, stats.Sample{Cell: stats.NewCell(vs, true)})
		}
		own := cell(n, m.Sittings)
		s.values, s.sigma = append(s.values, own), append(s.sigma, base*math.Exp(m.Tau*m.Tau))
		var none stats.Noise
		s.pools = append(s.pools, stats.PoolOf(pool, stats.GrainOf(append(told, own...), 0), true, none.Prior("", 0)))
		s.test.Measures = append(s.test.Measures, method.Measure{Slug: fmt.Sprint("m", c), Name: fmt.Sprint("m", c),
			Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher})
	}
	return s
}

// doubts lists what is doubted when run k arrives.
func (s *several) doubts(k int) []trust.Doubt {
	c := trust.Case{Test: s.test, Newest: 1, Setup: method.Setup{Slug: method.AsDelivered}, Run: record.Run{ID: runID(k),
		Test: "many", TestVersion: 1, Subject: "unit", Setup: method.AsDelivered, Sitting: s.days[k], Started: day,
		Ended: day.Add(3 * time.Second), Outcome: "done", Source: "agent"}}
	for i, m := range s.test.Measures {
		var vs []stats.Value
		f := trust.Figures{Measure: m, Pool: s.pools[i]}
		for r := range k + 1 {
			vs = append(vs, stats.Value{X: s.values[i][r], Sitting: s.days[r]})
			f.Repeats = append(f.Repeats, trust.Repeat{Run: runID(r), Sitting: s.days[r], Value: s.values[i][r],
				Started: day.Add(time.Duration(r) * time.Minute)})
		}
		f.Cell = stats.NewCell(vs, true)
		c.Run.Readings = append(c.Run.Readings, record.Reading{Measure: m.Slug, State: record.OK, Value: s.values[i][k]})
		c.Figures = append(c.Figures, f)
	}
	return trust.Examine(c, nil, func(m string) string { return m })
}

// Clean counts how many of so many clean runs are doubted by the rules over repeats, and by which.
func (m Measures) Clean(seed uint64, runs int) CleanTable {
	out := CleanTable{ByRule: map[string]int{}}
	for k := 0; out.Runs < runs; k++ {
		s := m.draw(seed, k)
		seen := map[string]bool{}
		for i := range s.days {
			out.Runs++
			doubted := false
			for _, d := range s.doubts(i) {
				if !seen[d.Key] {
					seen[d.Key], doubted = true, true
					out.ByRule[d.Rule]++
				}
			}
			if doubted {
				out.Doubted++
			}
		}
	}
	return out
}

// Find plants trouble of a size in the first measure and counts how often the last run finds it. Kinds: bad, one run
// off by so many σ; drift, as much from first to last; copied, all figures alike.
func (m Measures) Find(seed uint64, kind string, size float64, times int) (found int) {
	for k := range times {
		s := m.draw(seed, k)
		xs := s.values[0]
		n := len(xs)
		switch kind {
		case "bad":
			xs[s.rng.IntN(n)] *= math.Exp(sign(s.rng) * size * s.sigma[0])
		case "drift":
			way := sign(s.rng)
			for i := range xs {
				xs[i] *= math.Exp(way * size * s.sigma[0] * float64(i) / float64(n-1))
			}
		case "copied":
			for i := range xs {
				xs[i] = xs[0]
			}
		}
		for _, d := range s.doubts(n - 1) {
			if d.Measure == "m0" {
				found++
				break
			}
		}
	}
	return found
}
