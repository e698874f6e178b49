package bench

import (
	"fmt"
	"math"
	"sync"
	"testing"

	"durvek/internal/trials"
)

// BenchmarkStandings is the whole trial of rank sets, 10,000 fields of each sort. It prints the table of docs/trust.md.
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
	repeats := map[int]string{3: "3", 0: "1 to 5"}
	for range b.N {
		least := 1.0
		fmt.Println("\n| field | τ | repeats | joint coverage | mean width | single step | narrower |\n| --- | --- | --- | " +
			"--- | --- | --- | --- |")
		for _, truth := range []string{"tied", "blocked", "spread"} {
			for _, size := range []int{5, 15, 40} {
				for _, tau := range []float64{0, 0.4} {
					for _, n := range []int{3, 0} {
						s := stand(trials.Field{Size: size, Truth: truth, Tau: tau, Repeats: n}, 10000)
						least = min(least, s.Share())
						fmt.Printf("| %d %s | %.1f | %s | %.2f ± %.2f %% | %.2f | %.2f | %.1f %% |\n", size, truth, tau, repeats[n],
							100*s.Share(), 100*math.Sqrt(s.Share()*(1-s.Share())/float64(s.Fields)), s.Width, s.SingleStep,
							s.Narrower())
					}
				}
			}
		}
		b.ReportMetric(100*least, "%-least")
		b.ReportMetric(0, "ns/op")
	}
}

// BenchmarkIndexIntervals is the whole trial of the index with missing cells, for fields of three sizes. It prints the
// table of docs/trust.md.
func BenchmarkIndexIntervals(b *testing.B) {
	for range b.N {
		fmt.Println("\n| index | intervals that hold | mean half-width | bias of one variant | held with what is said " +
			"beside it |\n" +
			"| --- | --- | --- | --- | --- |")
		least := 1.0
		for _, size := range [][2]int{{4, 10}, {12, 10}, {50, 30}} {
			for _, w := range []trials.IndexWorld{{}, {Interaction: 0.05}, {Interaction: 0.12}, {Interaction: 0.05, Law: "t3"},
				{Interaction: 0.05, Special: true}, {Interaction: 0.05, Weak: true}} {
				w.Variants, w.Measures, w.Missing = size[0], size[1], 0.3
				x := trials.TryIndex(77, w, 20000/size[0]/size[1]*4)
				if !w.Weak && !w.Special {
					least = min(least, x.Share())
				}
				p := 100 * x.Share()
				fmt.Printf("| %s | %.1f ± %.1f %% | %.2f %% | %+.2f ± %.2f %% | %.1f %% |\n", w, p,
					math.Sqrt(p*(100-p)/float64(x.Rows)), x.Width, x.Bias, 1.96*x.SE, trials.Share(x.Within, x.Missing))
			}
		}
		b.ReportMetric(100*least, "%-least")
		b.ReportMetric(0, "ns/op")
	}
}
