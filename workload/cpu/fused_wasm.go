package cpu

// WebAssembly has no fused operation, and one made of integers would take fifty times as long.
const (
	tideDigest  = 0xc586a9fdafcd3ee9
	sonarDigest = 0x787016b1c2c90041
)

func fma(x, y, z float64) float64 { return float64(x*y) + z }
