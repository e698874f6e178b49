package cpu

import (
	"math/bits"
	"math/rand/v2"

	"durvek/workload"
)

// The clip that is encoded, in blocks of 16 × 16 that are transformed as 8 × 8.
const (
	clipWide, clipHigh = 320, 192
	clipFrames         = 8
	searchReach        = 7
	clipQuantum        = 12
	videoDigest        = 0x91028d911d144778
)

func init() {
	register(Kernel{
		Slug: "video-encode", Name: "Video encode", Unit: "{frame}/s", Group: "application",
		About: "Frames of 320 × 192 grey levels are encoded: for each block of 16 × 16 the best match in the frame " +
			"before is sought over a reach of ±7, the difference transformed (8 × 8, integer), quantised, and written by " +
			"exponential Golomb codes. The method is our own and plays nowhere.",
		StandsFor: "Exporting a film or sending the camera's picture in a call, by a program that does so on the processor.",
		LimitedBy: "Integer arithmetic on small numbers and the first-level cache. Go's compiler uses one lane of the " +
			"vector units; encoders written by hand for wide ones gain more from them.",
		Input: "A clip of 8 frames from seed 16: a moving terrain with noise.", Checked: "Digest of each frame's bits.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			frames := newClip()
			// Each frame is predicted from the frame before as a player would see it.
			shown := make([][]uint8, clipFrames)
			e := newEncoder()
			for i := range frames {
				var before []uint8
				if i > 0 {
					before = shown[i-1]
				}
				e.frame(frames[i], before)
				shown[i] = append([]uint8(nil), e.shown...)
			}
			return cases(clipFrames, videoDigest, func() solver {
				e := newEncoder()
				return solver{
					do: func(i int) float64 {
						var before []uint8
						if i > 0 {
							before = shown[i-1]
						}
						e.frame(frames[i], before)
						return 1
					},
					answer: func() uint64 {
						f := newFingerprint()
						for _, b := range e.out {
							f.add(uint64(b))
						}
						return uint64(f)
					},
				}
			})()
		}}},
	})
}

// newClip makes the frames: a part of a terrain that slides by, with noise.
func newClip() [][]uint8 {
	land := newLand(16)
	rng := rand.New(rand.NewPCG(16, 16))
	frames := make([][]uint8, clipFrames)
	for i := range frames {
		f := make([]uint8, clipWide*clipHigh)
		for y := range clipHigh {
			for x := range clipWide {
				h := land[(y*2+5*i+80)*landSide+x*2+3*i+40]
				f[y*clipWide+x] = uint8(min(max(int(h)+rng.IntN(5), 0), 255))
			}
		}
		frames[i] = f
	}
	return frames
}

type encoder struct {
	shown []uint8 // what a player would show
	out   []byte
	hold  uint64 // bits not yet in out
	held  int
}

func newEncoder() *encoder {
	return &encoder{shown: make([]uint8, clipWide*clipHigh), out: make([]byte, 0, clipWide*clipHigh)}
}

// bits appends the lowest n bits of v.
func (e *encoder) bits(v uint64, n int) {
	e.hold = e.hold<<n | v
	for e.held += n; e.held >= 8; e.held -= 8 {
		e.out = append(e.out, byte(e.hold>>(e.held-8)))
	}
}

// number appends a signed number as an exponential Golomb code.
func (e *encoder) number(v int32) {
	u := uint64(2*int64(v)) + 1
	if v < 0 {
		u = uint64(-2*int64(v)) + 2
	} else if v == 0 {
		u = 1
	}
	n := bits.Len64(u)
	e.bits(0, n-1)
	e.bits(u, n)
}

// frame encodes one frame, predicted from the one before or, without one, from middle grey.
func (e *encoder) frame(f, before []uint8) {
	e.out, e.hold, e.held = e.out[:0], 0, 0
	for y := 0; y < clipHigh; y += 16 {
		for x := 0; x < clipWide; x += 16 {
			dx, dy := 0, 0
			if before != nil {
				dx, dy = search(f, before, x, y)
				e.number(int32(dx))
				e.number(int32(dy))
			}
			for k := range 4 {
				e.block(f, before, x+8*(k%2), y+8*(k/2), dx, dy)
			}
		}
	}
	e.bits(0, 7)
}

// search finds the move to the best match of a block of 16 × 16 by the sum of absolute differences.
func search(f, before []uint8, x, y int) (dx, dy int) {
	best := distance(f, before, x, y, 0, 0, 1<<30)
	for v := max(-searchReach, -y); v <= min(searchReach, clipHigh-16-y); v++ {
		for u := max(-searchReach, -x); u <= min(searchReach, clipWide-16-x); u++ {
			if d := distance(f, before, x, y, u, v, best); d < best {
				best, dx, dy = d, u, v
			}
		}
	}
	return dx, dy
}

// distance gives up as soon as it exceeds most.
func distance(f, before []uint8, x, y, dx, dy int, most int32) int32 {
	var sum int32
	for r := 0; r < 16 && sum < most; r++ {
		a := (*[16]uint8)(f[(y+r)*clipWide+x:])
		b := (*[16]uint8)(before[(y+dy+r)*clipWide+x+dx:])
		for k := range a {
			d := int32(a[k]) - int32(b[k])
			if d < 0 {
				d = -d
			}
			sum += d
		}
	}
	return sum
}

// block encodes 8 × 8 levels and rebuilds what a player would show. The transform is Walsh's: sums and
// differences alone, so it is exact and undoes itself up to a factor of 64.
func (e *encoder) block(f, before []uint8, x, y, dx, dy int) {
	var v, guess [64]int32
	for r := range 8 {
		for c := range 8 {
			guess[8*r+c] = 128
			if before != nil {
				guess[8*r+c] = int32(before[(y+dy+r)*clipWide+x+dx+c])
			}
			v[8*r+c] = int32(f[(y+r)*clipWide+x+c]) - guess[8*r+c]
		}
	}
	walsh(&v)
	run := int32(0)
	for i := range v {
		k := diagonal[i]
		q := v[k] / (8 * clipQuantum)
		v[k] = q * 8 * clipQuantum
		if q == 0 {
			run++
			continue
		}
		e.number(run)
		e.number(q)
		run = 0
	}
	e.number(run)
	walsh(&v)
	for r := range 8 {
		for c := range 8 {
			e.shown[(y+r)*clipWide+x+c] = uint8(min(max(guess[8*r+c]+v[8*r+c]/64, 0), 255))
		}
	}
}

// walsh is the two-dimensional Walsh–Hadamard transform of 8 × 8 numbers.
func walsh(v *[64]int32) {
	for _, step := range [2]int{1, 8} { // along rows, then along columns
		across := 9 - step // 8 between rows, 1 between columns
		for half := 1; half < 8; half *= 2 {
			for base := 0; base < 8*across; base += across {
				for i := range 8 {
					if i&half == 0 {
						a, b := &v[base+i*step], &v[base+(i+half)*step]
						*a, *b = *a+*b, *a-*b
					}
				}
			}
		}
	}
}

// diagonal is the order of coefficients from coarse to fine.
var diagonal = func() (order [64]int) {
	n := 0
	for sum := range 15 {
		for r := range 8 {
			if c := sum - r; c >= 0 && c < 8 {
				order[n] = 8*r + c
				n++
			}
		}
	}
	return order
}()
