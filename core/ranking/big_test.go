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

// What is cut short decides as the whole chance would: certainly undecided, or decided in the first step.
func TestWhatIsCutShortOfAPairsChanceDecidesAlike(t *testing.T) {
	short := 0
	for _, n := range []int{2, 3, 50, 5000} {
		f := newPairs(make([]Entry, n), Options{Level: 0.95})
		for _, df := range []float64{1, 1.9, 2, 2.1, 4, 7.9, 8, 31, 64, 1000} {
			for x := 0.0; x < 400; x = x*1.07 + 0.01 {
				got, whole := f.tail(x, 1, df), stats.Tail(x, 1, df)
				switch {
				case got == whole:
				case got == 1 && whole > (1-f.o.Level)/2, got == 0 && whole <= f.first:
					short++
				default:
					t.Errorf("%d entries, %g errors, %g degrees of freedom: %g, and in full %g", n, x, df, got, whole)
				}
			}
		}
		if f.tail(1, 0, 5) != 0 || f.tail(0, 0, 5) != 1 || f.tail(-1, 1, 5) != 1 {
			t.Error("without an error only the sign counts")
		}
	}
	if short < 100 {
		t.Errorf("only %d were cut short", short)
	}
}
