//go:build !wasm

package cpu

import "math"

const (
	tideDigest  = 0xa8d026ca3118715a
	sonarDigest = 0xbb412692f4b596b2
)

func fma(x, y, z float64) float64 { return math.FMA(x, y, z) }
