package ranking

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// entriesOf makes n entries whose centres scatter by 4 % and whose intervals are 1.3 % wide.
func entriesOf(n int) (out []Entry) {
	rng := rand.New(rand.NewPCG(1, 2))
	for i := range n {
		m := 4.6 + 0.04*rng.NormFloat64()
		out = append(out, Entry{ID: fmt.Sprintf("v%04d", i), Estimate: stats.Estimate{Mean: m, N: 5, Sittings: 1, SE: 0.0065,
			DF: 100 + 50*rng.Float64()}})
	}
	return out
}

func BenchmarkRankFiveThousand(b *testing.B) {
	entries := entriesOf(5000)
	for b.Loop() {
		Rank(entries, Options{Scale: quantity.Ratio, Better: quantity.Higher})
	}
}
