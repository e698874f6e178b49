package cpu

import (
	"fmt"
	"math/rand/v2"
	"time"
)

// SurveyLog makes size bytes of a survey boat's log: lines of time, position, heading, depth and
// remarks, as text. The same seed gives the same bytes on every system.
func SurveyLog(seed uint64, size int) []byte {
	rng := rand.New(rand.NewPCG(seed, 0x6d617272616d))
	at := time.Date(2026, 3, 1, 4, 0, 0, 0, time.UTC)
	lat, lon, depth, heading := 54.2, -3.1, 14.0, 80.0
	remarks := []string{"", "", "", "", "pot buoy to port", "kelp on line", "tide rip", "echo weak", "gain lowered",
		"swell from the west", "track resumed"}
	out := make([]byte, 0, size+128)
	for len(out) < size {
		at = at.Add(time.Duration(200+rng.IntN(100)) * time.Millisecond)
		lat += float64((rng.Float64() - 0.5) * 2e-5) // the conversions forbid fused arithmetic, which some processors would use
		lon += float64(rng.Float64() * 3e-5)
		depth = max(1.5, depth+float64((rng.Float64()-0.5)*0.4))
		heading += float64((rng.Float64() - 0.5) * 3)
		out = fmt.Appendf(out, "%s,%.6f,%.6f,%05.1f,%.2f,%d,%s\n", at.Format("15:04:05.000"), lat, lon, heading, depth,
			rng.IntN(255), remarks[rng.IntN(len(remarks))])
	}
	return out[:size]
}
