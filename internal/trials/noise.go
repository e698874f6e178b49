package trials

import (
	"fmt"
	"math"
	"math/rand/v2"

	"durvek/core/stats"
)

// NoiseWorld is a desk of known noise: every unit in every test, one to five repeats of each (or so many).
type NoiseWorld struct {
	Units, Tests int
	Tau          float64 // standard deviation of ln σ over cells
	Noisy        int     // so many units are eight times noisier
	One          bool    // in one test alone
	Repeats      int     // 0 draws 1 to 5
	Typical      float64 // shipped repeatability beside the true one; 0 for none
	Step         float64 // readings are rounded to that, in per cent of their value
}

func (w NoiseWorld) String() string {
	text := fmt.Sprintf("%d units × %d tests, τ %.1f, %d noisy", w.Units, w.Tests, w.Tau, w.Noisy)
	if w.Noisy > 0 && w.One && w.Tests > 1 {
		text += " in one test"
	}
	if w.Typical > 0 {
		text += fmt.Sprintf(", shipped %.1f times the truth", w.Typical)
	}
	if w.Step > 0 {
		text += fmt.Sprintf(", in steps of %.1f %%", w.Step)
	}
	return text
}

// Noised counts how often the 95 % intervals of cells hold the truth, and how wide they are beside those of one who
// knows each cell's σ.
type Noised struct {
	Clean, CleanHeld int
	One, OneHeld     int // clean cells of one run
	Loud, LoudHeld   int // cells of noisy machines with two repeats or more
	Once, OnceHeld   int // those with one
	Width            float64
	widths           int
}

// Share of how many held, in per cent.
func Share(held, of int) float64 { return 100 * float64(held) / math.Max(1, float64(of)) }

// Noise makes so many desks.
func Noise(seed uint64, w NoiseWorld, desks int) Noised {
	var out Noised
	for k := range desks {
		rng := rand.New(rand.NewPCG(seed, uint64(k)))
		cells := make([][]stats.Cell, w.Tests)
		sigma := make([][]float64, w.Tests)
		tests := map[string]stats.Scatters{}
		grain := stats.Grain{Step: w.Step}
		base := make([]float64, w.Tests)
		for t := range w.Tests {
			base[t] = 0.01 * math.Exp(0.5*rng.NormFloat64())
			s := stats.Scatters{Typical: w.Typical * base[t]}
			for u := range w.Units {
				sd := base[t] * math.Exp(w.Tau*rng.NormFloat64())
				if u < w.Noisy && (t == 0 || !w.One) {
					sd *= 8
				}
				n := w.Repeats
				if n == 0 {
					n = 1 + rng.IntN(5)
				}
				vs := make([]stats.Value, n)
				for i := range vs {
					x := 100 * math.Exp(sd*rng.NormFloat64())
					if w.Step > 0 {
						x = math.Round(x/w.Step) * w.Step
					}
					vs[i] = stats.Value{X: x, Sitting: "s"}
				}
				c := stats.NewCell(vs, true)
				cells[t], sigma[t] = append(cells[t], c), append(sigma[t], sd)
				if nu, y, ok := stats.ScatterOf(c, grain, true); ok {
					s.Cells = append(s.Cells, stats.Scatter{Unit: uint32(u), Nu: nu, Y: y})
				}
			}
			tests[fmt.Sprint(t)] = s
		}
		n, units := stats.FitNoise(tests, w.Units)
		for t := range w.Tests {
			id := fmt.Sprint(t)
			samples := make([]stats.Sample, w.Units)
			for u, c := range cells[t] {
				samples[u] = stats.Sample{Cell: c, Unit: n.Effect(&units[u], nil).Counted}
			}
			pool := stats.PoolOf(samples, grain, true, n.Prior(id, tests[id].Typical))
			for u, c := range cells[t] {
				var own stats.UnitNoise
				if nu, y, ok := stats.ScatterOf(c, grain, true); ok {
					n.Count(&own, id, nu, y)
				}
				e := pool.For(n.Effect(&units[u], &own)).Estimate(c, true)
				out.count(e, sigma[t][u], u < w.Noisy && (t == 0 || !w.One))
			}
		}
	}
	if out.widths > 0 {
		out.Width = math.Exp(out.Width / float64(out.widths))
	}
	return out
}

func (o *Noised) count(e stats.Estimate, sigma float64, noisy bool) {
	held := 0
	if e.Lo <= 100 && 100 <= e.Hi {
		held = 1
	}
	switch {
	case noisy && e.N > 1:
		o.Loud, o.LoudHeld = o.Loud+1, o.LoudHeld+held
	case noisy:
		o.Once, o.OnceHeld = o.Once+1, o.OnceHeld+held
	default:
		o.Clean, o.CleanHeld = o.Clean+1, o.CleanHeld+held
		if e.N == 1 {
			o.One, o.OneHeld = o.One+1, o.OneHeld+held
		}
		if e.N == 3 && e.Hi > e.Lo {
			o.Width += math.Log(math.Log(e.Hi/e.Lo) / 2 / (1.96 * sigma / math.Sqrt(3)))
			o.widths++
		}
	}
}
