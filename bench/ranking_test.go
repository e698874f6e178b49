package bench

import (
	"fmt"
	"sync"
	"testing"

	"durvek/internal/trials"
)

// BenchmarkStandings is the whole trial of rank sets: 10,000 fields of equals for each size, and 2,000 of fields with
// differences. It prints the tables of docs/methods.md.
func BenchmarkStandings(b *testing.B) {
	stand := func(f trials.Field, fields int) trials.Standings {
		var halves [2]trials.Standings
		var wg sync.WaitGroup
		for i := range halves {
			wg.Add(1)
			go func() {
				defer wg.Done()
				halves[i] = trials.Stand(uint64(1000*(i+1)), f, fields/2)
			}()
		}
		wg.Wait()
		h := halves[0]
		h.Fields += halves[1].Fields
		h.Held += halves[1].Held
		h.Width, h.SingleStep = (h.Width+halves[1].Width)/2, (h.SingleStep+halves[1].SingleStep)/2
		return h
	}
	name := map[bool]string{false: "pooled", true: "own"}
	for range b.N {
		least := 1.0
		fmt.Println("\n| all tied | variances | τ = 0 | τ = 0.4 |\n| --- | --- | --- | --- |")
		for _, size := range []int{5, 15, 40} {
			for _, own := range []bool{false, true} {
				at := [2]float64{}
				for i, tau := range []float64{0, 0.4} {
					at[i] = stand(trials.Field{Size: size, Truth: "tied", Own: own, Tau: tau}, 10000).Share()
				}
				least = min(least, at[0], at[1])
				fmt.Printf("| %d | %s | %.2f %% | %.2f %% |\n", size, name[own], 100*at[0], 100*at[1])
			}
		}
		fmt.Println("\n| field | variances | joint coverage | mean width | single-step Bonferroni | narrower |\n| --- | " +
			"--- | --- | --- | --- | --- |")
		for _, truth := range []string{"spread", "blocked", "tied"} {
			for _, size := range []int{15, 40} {
				for _, own := range []bool{false, true} {
					s := stand(trials.Field{Size: size, Truth: truth, Own: own}, 2000)
					fmt.Printf("| %d %s | %s | %.2f %% | %.2f | %.2f | %.1f %% |\n", size, truth, name[own], 100*s.Share(), s.Width,
						s.SingleStep, s.Narrower())
				}
			}
		}
		b.ReportMetric(100*least, "%-least")
		b.ReportMetric(0, "ns/op")
	}
}

// BenchmarkIndexIntervals is the whole trial of the index with missing cells: 2,000 fields of 20 variants by 15
// measures for each world.
func BenchmarkIndexIntervals(b *testing.B) {
	for range b.N {
		fmt.Println("\n| index | intervals that hold | bias of one variant | mean half-width |\n| --- | --- | --- | --- |")
		least := 1.0
		for _, weak := range []bool{false, true} {
			for _, missing := range []float64{0, 0.3} {
				for _, interaction := range []float64{0, 0.05, 0.12} {
					w := trials.IndexWorld{Interaction: interaction, Missing: missing, Weak: weak}
					if weak && missing == 0 {
						continue
					}
					x := trials.TryIndex(77, w, 2000)
					if !weak {
						least = min(least, x.Share())
					}
					fmt.Printf("| %s | %.2f %% | %+.3f ± %.3f %% | %.2f %% |\n", w, 100*x.Share(), x.Bias, 1.96*x.SE, x.Width)
				}
			}
		}
		b.ReportMetric(100*least, "%-least")
		b.ReportMetric(0, "ns/op")
	}
}
