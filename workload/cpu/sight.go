package cpu

import (
	"math"
	"math/rand/v2"

	"durvek/workload"
)

// The terrain, and how far an observer looks.
const (
	landSide    = 1024
	sightReach  = 128
	sightCases  = 32
	sightDigest = 0xa015278dc3025b35
)

func init() {
	register(Kernel{
		Slug: "line-of-sight", Name: "Line of sight", Unit: "{ray}/s",
		About: "From 32 look-outs over a terrain of 1024 × 1024 heights, rays are followed to every place on the edge " +
			"of a square of 257 × 257; at each of 128 steps the height is interpolated, the earth's curvature taken off, and " +
			"the slope compared with the steepest so far.",
		StandsFor: "Radio and radar coverage, visibility, lighting in pictures: floating point with a branch that depends " +
			"on the data.",
		LimitedBy: "Floating-point latency and division, some branches; the terrain fits larger caches.",
		Input:     "Terrain of 4 MiB from seed 8, in 32-bit floating point; arithmetic in 64-bit.",
		Checked:   "Digest of how many places each ray sees.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			land := newLand(8)
			rng := rand.New(rand.NewPCG(8, 9))
			var at [sightCases][2]int
			for i := range at {
				at[i] = [2]int{sightReach + 1 + rng.IntN(landSide-2*sightReach-3),
					sightReach + 1 + rng.IntN(landSide-2*sightReach-3)}
			}
			return cases(sightCases, sightDigest, func() solver {
				seen := make([]uint16, 8*sightReach)
				return solver{
					do: func(i int) float64 {
						look(land, at[i][0], at[i][1], seen)
						return float64(len(seen))
					},
					answer: func() uint64 {
						f := newFingerprint()
						for _, n := range seen {
							f.add(uint64(n))
						}
						return uint64(f)
					},
				}
			})()
		}}},
	})
}

// newLand makes heights in metres, landSide a side, as value noise in five octaves. Integers alone are
// used until the end, so that it is the same everywhere.
func newLand(seed uint64) []float32 {
	rng := rand.New(rand.NewPCG(seed, 17))
	sum := make([]int32, landSide*landSide)
	for cell := 128; cell >= 8; cell /= 2 {
		n := landSide/cell + 2
		corner := make([]int32, n*n)
		for i := range corner {
			corner[i] = int32(rng.IntN(cell * 8))
		}
		for y := range landSide {
			for x := range landSide {
				i, fx, fy := (y/cell)*n+x/cell, int32(x%cell), int32(y%cell)
				c := int32(cell)
				top := corner[i]*(c-fx) + corner[i+1]*fx
				low := corner[i+n]*(c-fx) + corner[i+n+1]*fx
				sum[y*landSide+x] += (top/c*(c-fy) + low/c*fy) / c
			}
		}
	}
	land := make([]float32, len(sum))
	for i, s := range sum {
		land[i] = float32(s) / 8
	}
	return land
}

// look counts for every ray from a place how many of its steps are seen.
func look(land []float32, x0, y0 int, seen []uint16) {
	eye := float64(land[y0*landSide+x0]) + 2
	for r := range seen {
		dx, dy := edge(r)
		fx, fy := float64(dx)/sightReach, float64(dy)/sightReach // exact: the reach is a power of two
		length := math.Sqrt(float64(fx*fx) + float64(fy*fy))
		steepest, n := math.Inf(-1), uint16(0)
		for k := 1; k <= sightReach; k++ {
			x, y := float64(x0)+float64(fx*float64(k)), float64(y0)+float64(fy*float64(k))
			ix, iy := int(x), int(y)
			ax, ay := x-float64(ix), y-float64(iy)
			i := iy*landSide + ix
			a, b, c, d := float64(land[i]), float64(land[i+1]), float64(land[i+landSide]), float64(land[i+landSide+1])
			top := a + float64(ax*(b-a))
			low := c + float64(ax*(d-c))
			away := float64(length * float64(k))
			h := top + float64(ay*(low-top)) - float64(away*away)*2e-5 - eye
			if h > float64(steepest*away) {
				steepest = h / away
				n++
			}
		}
		seen[r] = n
	}
}

// edge is the r-th place on the edge of the square, as seen from its middle.
func edge(r int) (dx, dy int) {
	side, at := r/(2*sightReach), r%(2*sightReach)-sightReach
	switch side {
	case 0:
		return at, -sightReach
	case 1:
		return sightReach, at
	case 2:
		return -at, sightReach
	}
	return -sightReach, -at
}
