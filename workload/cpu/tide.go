package cpu

import (
	"math"
	"math/rand/v2"

	"durvek/workload"
)

// The tide's parts, and how many predictions one piece makes.
const (
	tideParts = 37
	tidePiece = 2048
	tideCases = 8
)

func init() {
	register(Kernel{
		Slug: "tide-synthesis", Name: "Tide synthesis", Unit: "{prediction}/s",
		About: "The height of the tide as the sum of 37 harmonic parts, every six minutes: for each part one cosine " +
			"by range reduction and a polynomial in fused multiply-add.",
		StandsFor: "Simulation, music synthesis, coordinate conversion: long chains of dependent arithmetic.",
		LimitedBy: "Latency and throughput of fused multiply-add; memory plays no part. A processor without that " +
			"operation is slower by a factor of ten and more.",
		Input: "8 stations from seed 10.", Checked: "Digest of the heights, bit by bit: a fused operation is rounded " +
			"once, everywhere alike. In a browser, which has none, plain operations and another digest.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			rng := rand.New(rand.NewPCG(10, 10))
			type part struct{ amplitude, speed, phase float64 } // metres, turns per step, turns
			var stations [tideCases][tideParts]part
			for i := range stations {
				for k := range stations[i] {
					stations[i][k] = part{float64(1+rng.IntN(400)) / 256, float64(1+rng.IntN(1<<16)) / (1 << 22),
						float64(rng.IntN(1<<16)) / (1 << 16)}
				}
			}
			return cases(tideCases, tideDigest, func() solver {
				out := make([]float64, tidePiece)
				return solver{
					do: func(i int) float64 {
						parts := &stations[i]
						for t := range out {
							h, at := 0.0, float64(t)
							for k := range parts {
								p := &parts[k]
								h = fma(p.amplitude, cosine(fma(p.speed, at, p.phase)), h)
							}
							out[t] = h
						}
						return tidePiece
					},
					answer: func() uint64 {
						f := newFingerprint()
						f.floats(out)
						return uint64(f)
					},
				}
			})()
		}}},
	})
}

// cosine of an angle in turns, ≥ 0: the Taylor polynomials on an eighth of a turn (error below 1e-12).
func cosine(turns float64) float64 {
	quarter := math.Floor(float64(4*turns) + 0.5)
	x := float64(2*math.Pi) * (turns - float64(0.25*quarter))
	z := float64(x * x)
	switch int64(quarter) & 3 {
	case 0:
		return cosTaylor(z)
	case 1:
		return -sinTaylor(x, z)
	case 2:
		return -cosTaylor(z)
	}
	return sinTaylor(x, z)
}

func cosTaylor(z float64) float64 {
	p := fma(z, 1.0/479001600, -1.0/3628800)
	p = fma(z, p, 1.0/40320)
	p = fma(z, p, -1.0/720)
	p = fma(z, p, 1.0/24)
	p = fma(z, p, -1.0/2)
	return fma(z, p, 1)
}

func sinTaylor(x, z float64) float64 {
	p := fma(z, 1.0/6227020800, -1.0/39916800)
	p = fma(z, p, 1.0/362880)
	p = fma(z, p, -1.0/5040)
	p = fma(z, p, 1.0/120)
	p = fma(z, p, -1.0/6)
	return fma(x, float64(z*p), x)
}

// turn is the cosine and sine of an angle in turns, ≥ 0.
func turn(turns float64) (c, s float64) { return cosine(turns), cosine(turns + 0.75) }
