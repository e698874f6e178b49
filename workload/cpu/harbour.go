package cpu

import (
	"durvek/workload/picture"
)

// The picture's tiles are painted in so many turns; each has tiles from all over it, so that one costs much like
// another.
const harbourTurns = 12

func init() {
	register(Kernel{
		Slug: "harbour-picture", Name: "Harbour picture", Unit: "{sample}/us",
		About: "A harbour in the evening is painted by following light from the eye through every pixel, over matt, wet " +
			"and " +
			"mirroring surfaces, up to six times (path tracing), with the sun sampled at every matt one: 320 × 180 pixels, " +
			"one path each, in turns of 4,800.",
		StandsFor: "Pictures and films worked out by light, and any work whose branches nobody can foresee.",
		LimitedBy: "Arithmetic in 32-bit floating point, divisions and roots, and branches that go either way. The scene " +
			"lies " +
			"in the first cache; memory plays no part, so all threads do what their clocks allow.",
		Input:   "54 boxes and balls from seed 29; each path draws its numbers from its pixel's hash.",
		Checked: "Digest of every turn's picture, bit by bit; no operation is fused, so all processors agree.",
		Parts: []Part{{Prepare: cases(harbourTurns, harbourDigest, func() solver {
			scene := picture.Harbour()
			sums := make([]float32, 3*picture.Width*picture.Height)
			last := 0
			return solver{
				do: func(i int) float64 {
					last = i
					paths := 0
					for tile := i; tile < picture.Columns*picture.Rows; tile += harbourTurns {
						scene.Clear(uint32(tile), sums)
						scene.Tile(uint32(tile), 0, sums)
						paths += picture.TileEdge * picture.TileEdge
					}
					return float64(paths) / 1e6
				},
				answer: func() uint64 {
					f := newFingerprint()
					for tile := last; tile < picture.Columns*picture.Rows; tile += harbourTurns {
						x0, y0 := tile%picture.Columns*picture.TileEdge, tile/picture.Columns*picture.TileEdge
						for y := y0; y < y0+picture.TileEdge; y++ {
							for _, v := range sums[3*(y*picture.Width+x0) : 3*(y*picture.Width+x0+picture.TileEdge)] {
								f.floats([]float64{float64(v)})
							}
						}
					}
					return uint64(f)
				},
			}
		})}},
	})
}

const harbourDigest = 0x3398a280b2d351b5
