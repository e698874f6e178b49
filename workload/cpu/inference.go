package cpu

import (
	"math"
	"math/rand/v2"
)

// The net: pictures of netSide² places with three colours, three layers of 3 × 3 convolution, each
// followed by rectifying and by taking the largest of 2 × 2, and ten answers.
const (
	netSide    = 32
	netAnswers = 10
	netCases   = 8
)

// netLayers are the channels in and out of each convolution. Channels are padded to fours.
var netLayers = [][2]int{{4, 16}, {16, 32}, {32, 32}}

func init() {
	register(Kernel{
		Slug: "inference", Name: "Small inference", Unit: "{picture}/s",
		About: "A fixed convolutional net of three layers (2.4 million multiplications per picture of 32 × 32) in " +
			"32-bit floating point, in 16-bit and in 8-bit fixed point with 32-bit sums.",
		StandsFor: "Recognising marks in sonar pictures, speech commands, spam: small nets that run on the processor itself.",
		LimitedBy: "Multiply units and the first-level cache. Go's compiler uses one lane of the vector units, so narrow " +
			"numbers gain by taking less memory only; the figure says how fast plainly written code runs.",
		Input: "Weights from seed 12, 8 pictures from seed 13.", Checked: "Digest of the ten answers for each picture, " +
			"bit by bit.",
		Parts: []Part{
			{Slug: "f32", Name: "32-bit", Prepare: cases(netCases, inferDigest32, func() solver {
				return newNet[float32, float32](func(w int) float32 { return float32(w) / 512 },
					func(sum float32) float32 { return max(sum, 0) }, func(x float32) uint64 { return uint64(math.Float32bits(x)) })
			})},
			{Slug: "i16", Name: "16-bit", Prepare: cases(netCases, inferDigest16, func() solver {
				return newNet[int16, int32](func(w int) int16 { return int16(w) },
					func(sum int32) int16 { return int16(min(max(sum>>8, 0), 2047)) },
					func(x int32) uint64 { return uint64(uint32(x)) })
			})},
			{Slug: "i8", Name: "8-bit", Prepare: cases(netCases, inferDigest8, func() solver {
				return newNet[int8, int32](func(w int) int8 { return int8(w >> 2) },
					func(sum int32) int8 { return int8(min(max(sum>>6, 0), 127)) }, func(x int32) uint64 { return uint64(uint32(x)) })
			})},
		},
	})
}

const (
	inferDigest32 = 0x397377133f24de58
	inferDigest16 = 0xbe588ffc71bd1ebb
	inferDigest8  = 0xa53d05a25ed38528
)

type number interface {
	~int8 | ~int16 | ~int32 | ~float32
}

// newNet makes a net whose numbers are of type N and whose sums are of type S. from turns a weight or
// colour between -256 and 255 into a number, settle a sum into the next layer's number.
func newNet[N, S number](from func(int) N, settle func(S) N, bits func(S) uint64) solver {
	rng := rand.New(rand.NewPCG(12, 12))
	var weights [][]N
	for _, l := range netLayers {
		w := make([]N, 9*l[0]*l[1])
		for i := range w {
			w[i] = from(rng.IntN(512) - 256)
		}
		weights = append(weights, w)
	}
	const lastSide, lastChannels = netSide / 8, 32
	final := make([]N, netAnswers*lastSide*lastSide*lastChannels)
	for i := range final {
		final[i] = from(rng.IntN(512) - 256)
	}
	rng = rand.New(rand.NewPCG(13, 13))
	pictures := make([]N, netCases*netSide*netSide*4)
	for i := range pictures {
		if i%4 < 3 {
			pictures[i] = from(rng.IntN(256))
		}
	}
	in, out := make([]N, netSide*netSide*32), make([]N, netSide*netSide*32)
	answers := make([]S, netAnswers)
	return solver{
		do: func(i int) float64 {
			const each = netSide * netSide * 4
			copy(in, pictures[i*each:(i+1)*each])
			side := netSide
			for l, c := range netLayers {
				convolve(out, in, weights[l], side, c[0], c[1], settle)
				pool(in, out, side, c[1])
				side /= 2
			}
			whole := in[:lastSide*lastSide*lastChannels]
			for a := range answers {
				answers[a] = dot[N, S](whole, final[a*len(whole):])
			}
			return 1
		},
		answer: func() uint64 {
			f := newFingerprint()
			for _, a := range answers {
				f.add(bits(a))
			}
			return uint64(f)
		},
	}
}

// dot adds up the products of two slices, the first a multiple of four long.
func dot[N, S number](x, y []N) S {
	var a, b, c, d S
	for len(x) >= 4 && len(y) >= 4 {
		a += S(S(x[0]) * S(y[0]))
		b += S(S(x[1]) * S(y[1]))
		c += S(S(x[2]) * S(y[2]))
		d += S(S(x[3]) * S(y[3]))
		x, y = x[4:], y[4:]
	}
	return S(a+b) + S(c+d)
}

// convolve slides 3 × 3 weights over a square picture whose channels lie side by side; outside it is zero.
func convolve[N, S number](out, in, weights []N, side, from, to int, settle func(S) N) {
	for y := range side {
		for x := range side {
			at := (y*side + x) * to
			for c := range to {
				w := weights[c*9*from : (c+1)*9*from]
				var sum S
				for ky := range 3 {
					yy := y + ky - 1
					if yy < 0 || yy >= side {
						continue
					}
					left, right := max(x-1, 0), min(x+1, side-1)
					// The three places of a row lie side by side, and so do their weights.
					k := (3*ky + left - x + 1) * from
					sum += dot[N, S](in[(yy*side+left)*from:(yy*side+right+1)*from], w[k:])
				}
				out[at+c] = settle(sum)
			}
		}
	}
}

// pool keeps the largest of each 2 × 2 places.
func pool[N number](out, in []N, side, channels int) {
	half := side / 2
	for y := range half {
		for x := range half {
			a := in[(2*y*side+2*x)*channels:]
			b := in[((2*y+1)*side+2*x)*channels:]
			o := out[(y*half+x)*channels:]
			for c := range channels {
				o[c] = max(a[c], a[channels+c], b[c], b[channels+c])
			}
		}
	}
}
