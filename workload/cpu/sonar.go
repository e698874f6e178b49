package cpu

import (
	"math/rand/v2"

	"durvek/workload"
)

// A ping's samples, a power of two, and the filter's length.
const (
	pingLength = 4096
	filterTaps = 32
	sonarCases = 16
)

func init() {
	register(Kernel{
		Slug: "sonar-filtering", Name: "Sonar filtering", Unit: "{sample}/us",
		About: "Each ping of 4096 complex samples is transformed (fast Fourier transform, radix 2), multiplied by the " +
			"sent pulse's spectrum, transformed back, and its power smoothed by a filter of 32 taps.",
		StandsFor: "Sound, radio and picture filters; any work that streams through arrays of floating-point numbers.",
		LimitedBy: "Multiply and add units and the first two caches; the strides of the transform test the cache's ways. " +
			"Go's compiler uses one lane of the vector units, so wide ones gain nothing.",
		Input: "16 pings from seed 9, 64-bit floating point.", Checked: "Digest of the smoothed power, bit by bit; no " +
			"operation is fused, so all processors agree.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			rng := rand.New(rand.NewPCG(9, 9))
			number := func() float64 { return float64(rng.IntN(4096)-2048) / 2048 }
			fill := func(n int) []float64 {
				xs := make([]float64, n)
				for i := range xs {
					xs[i] = number()
				}
				return xs
			}
			pings := fill(2 * pingLength * sonarCases)
			pulseRe, pulseIm, taps := fill(pingLength), fill(pingLength), fill(filterTaps)
			wave := newWave()
			return cases(sonarCases, sonarDigest, func() solver {
				re, im := make([]float64, pingLength), make([]float64, pingLength)
				power := make([]float64, pingLength+filterTaps)
				out := make([]float64, pingLength)
				return solver{
					do: func(i int) float64 {
						copy(re, pings[2*i*pingLength:])
						copy(im, pings[(2*i+1)*pingLength:])
						wave.transform(re, im)
						for k := range re {
							a, b, c, d := re[k], im[k], pulseRe[k], pulseIm[k]
							re[k], im[k] = float64(a*c)-float64(b*d), float64(a*d)+float64(b*c)
						}
						wave.transform(im, re) // with the parts exchanged it is the way back
						for k := range re {
							power[k+filterTaps] = float64(re[k]*re[k]) + float64(im[k]*im[k])
						}
						smooth(out, power, taps)
						return pingLength / 1e6
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

// wave holds the transform's factors and its order of samples.
type wave struct {
	cos, sin []float64
	swap     []int32
}

func newWave() *wave {
	w := &wave{make([]float64, pingLength/2), make([]float64, pingLength/2), make([]int32, pingLength)}
	for i := range w.cos {
		w.cos[i], w.sin[i] = turn(float64(i) / pingLength)
	}
	for i := range w.swap {
		r := 0
		for b := 1; b < pingLength; b *= 2 {
			r = 2 * r
			if i&b != 0 {
				r++
			}
		}
		w.swap[i] = int32(r)
	}
	return w
}

// transform is the discrete Fourier transform in place, without scaling (Cooley and Tukey, Mathematics
// of Computation 19, 1965).
func (w *wave) transform(re, im []float64) {
	for i, j := range w.swap {
		if int(j) > i {
			re[i], re[j] = re[j], re[i]
			im[i], im[j] = im[j], im[i]
		}
	}
	for half := 1; half < pingLength; half *= 2 {
		step := pingLength / 2 / half
		for from := 0; from < pingLength; from += 2 * half {
			ar, ai := re[from:from+half], im[from:from+half]
			br, bi := re[from+half:from+2*half], im[from+half:from+2*half]
			ai, br, bi = ai[:len(ar)], br[:len(ar)], bi[:len(ar)]
			for k := range ar {
				c, s := w.cos[k*step], w.sin[k*step]
				x := float64(br[k]*c) + float64(bi[k]*s)
				y := float64(bi[k]*c) - float64(br[k]*s)
				br[k], bi[k] = ar[k]-x, ai[k]-y
				ar[k], ai[k] = ar[k]+x, ai[k]+y
			}
		}
	}
}

// smooth filters in, whose first filterTaps values lead in, by the taps.
func smooth(out, in, taps []float64) {
	t := (*[filterTaps]float64)(taps)
	for i := range out {
		x := (*[filterTaps]float64)(in[i:])
		var a, b, c, d float64
		for k := 0; k < filterTaps; k += 4 {
			a += float64(x[k] * t[k])
			b += float64(x[k+1] * t[k+1])
			c += float64(x[k+2] * t[k+2])
			d += float64(x[k+3] * t[k+3])
		}
		out[i] = float64(a+b) + float64(c+d)
	}
}
