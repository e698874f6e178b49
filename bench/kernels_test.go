package bench

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime/debug"
	"strings"
	"testing"
	"time"

	"durvek/core/stats"
	"durvek/workload"
	"durvek/workload/cpu"
)

// part is one thing of the roster, ready to be timed on one thread.
type part struct {
	name  string
	unit  string
	start func(int) (workload.Work, error)
}

func parts(b *testing.B) []part {
	b.Helper()
	var out []part
	for _, k := range cpu.Kernels {
		for _, p := range k.Parts {
			start, err := p.Prepare()
			must(b, err)
			out = append(out, part{strings.TrimSpace(k.Name + " " + p.Name), k.Unit, start})
		}
	}
	return out
}

// rate times one part on one thread for so long.
func (p part) rate(b *testing.B, length time.Duration) float64 {
	b.Helper()
	return p.rating(b, length).Rate
}

func (p part) rating(b *testing.B, length time.Duration) workload.Rating {
	b.Helper()
	r, err := workload.Rate(context.Background(), workload.Env{}, workload.Timing{Channel: p.name, Unit: p.unit,
		Length: length}, p.start)
	must(b, err)
	return r
}

// spread is the coefficient of variation of positive figures, in percent.
func spread(xs []float64) float64 {
	m, s := 0.0, 0.0
	for _, x := range xs {
		m += x / float64(len(xs))
	}
	for _, x := range xs {
		s += (x - m) * (x - m)
	}
	return 100 * math.Sqrt(s/float64(len(xs)-1)) / m
}

// BenchmarkRepeatability measures every kernel ten times, all kernels in turn in a new random order each
// time: the coefficient of variation, and whether a rate depends on what ran before it. A plain C loop
// of multiply-adds within the first cache is timed before each: what it varies by is the machine's own, and the
// kernels are also held against it.
func BenchmarkRepeatability(b *testing.B) {
	const repeats = 10
	ref := startReference(b)
	list := parts(b)
	beside := make([][]float64, len(list)) // rates relative to the loop's
	var loop []float64
	rates := make([][]float64, len(list))
	had := make([][]float64, len(list)) // rates per second that the thread had a processor
	var shares []float64
	early := make([][]float64, len(
		list)) // log rate when the kernel came in the first half of its round, less that in the second
	late := make([][]float64, len(list))
	rng := rand.New(rand.NewPCG(1, 1))
	for range repeats {
		order := rng.Perm(len(list))
		for at, i := range order {
			c := ref.seconds(b, "m %d %d", 1024, 900_000)
			x := list[i].rating(b, time.Second)
			loop, beside[i] = append(loop, c), append(beside[i], x.Rate*c)
			r := x.Rate
			rates[i] = append(rates[i], r)
			if x.Share > 0 {
				had[i] = append(had[i], r/x.Share)
				shares = append(shares, x.Share)
			}
			if at < len(list)/2 {
				early[i] = append(early[i], math.Log(r))
			} else {
				late[i] = append(late[i], math.Log(r))
			}
		}
	}
	var cvs []float64
	var each []string
	shift, n := 0.0, 0
	for i, p := range list {
		cv := spread(rates[i])
		cvs = append(cvs, cv)
		each = append(each, fmt.Sprintf("%s %.1f", p.name, cv))
		if len(early[i]) > 0 && len(late[i]) > 0 {
			shift += median(early[i]) - median(late[i])
			n++
		}
	}
	b.ReportMetric(median(cvs), "%CV")
	b.ReportMetric(0, "ns/op")
	row("Spread of a kernel over 10 repeats", fmt.Sprintf("median %.2f %%", median(cvs)), "≤ 1.5 %", strings.Join(each,
		", "))
	var against []float64
	for i := range list {
		against = append(against, spread(beside[i]))
	}
	row("… of a plain C loop beside them", fmt.Sprintf("%.2f %%", spread(loop)), "",
		fmt.Sprintf("kernels relative to it: median %.2f %%", median(against)))
	if len(shares) > 0 {
		var own []float64
		for i := range list {
			own = append(own, spread(had[i]))
		}
		row("… per second on a processor", fmt.Sprintf("median %.2f %%", median(own)), "",
			fmt.Sprintf("the threads had a processor for %.1f %% of the time (median; least %.1f %%)", 100*median(shares),
				100*stats.Quantile(shares, 0)))
	}
	row("Early against late in random order", fmt.Sprintf("× %.4f", math.Exp(shift/float64(n))), "1",
		fmt.Sprintf("geometric mean over %d kernels", n))
}

// BenchmarkCollector alternates each kernel with the garbage collector off and on at a quarter of its
// usual distance.
func BenchmarkCollector(b *testing.B) {
	var ratios []float64
	worst, name := 0.0, ""
	for _, p := range parts(b) {
		var off, on []float64
		for range 5 {
			before := debug.SetGCPercent(-1)
			off = append(off, p.rate(b, 300*time.Millisecond))
			debug.SetGCPercent(25)
			on = append(on, p.rate(b, 300*time.Millisecond))
			debug.SetGCPercent(before)
		}
		r := median(on) / median(off)
		ratios = append(ratios, r)
		if d := math.Abs(math.Log(r)); d > worst {
			worst, name = d, fmt.Sprintf("%s × %.3f", p.name, r)
		}
	}
	b.ReportMetric(median(ratios), "×off")
	b.ReportMetric(0, "ns/op")
	row("Collector on against off", fmt.Sprintf("median × %.4f", median(ratios)), "1", "farthest: "+name)
}

// BenchmarkHarness measures what the harness itself costs: a kernel that does nothing is called, and the
// cost of a call set against how long a real one takes.
func BenchmarkHarness(b *testing.B) {
	idle := part{"nothing", "/s", func(int) (workload.Work, error) {
		return workload.Work{Do: func() float64 { return 1 }, Check: func() error { return nil }}, nil
	}}
	call := 1 / idle.rate(b, time.Second)
	worst, name := 0.0, ""
	for _, p := range parts(b) {
		w, err := p.start(0)
		must(b, err)
		begin, n := time.Now(), 0
		for time.Since(begin) < 100*time.Millisecond {
			w.Do()
			n++
		}
		if share := call / (time.Since(begin).Seconds() / float64(n)); share > worst {
			worst, name = share, p.name
		}
	}
	b.ReportMetric(100*worst, "%")
	b.ReportMetric(0, "ns/op")
	row("Timer and harness in a repeat", fmt.Sprintf("at most %.3f %%", 100*worst), "< 0.1 %",
		fmt.Sprintf("%.0f ns a call; most in %s", 1e9*call, name))
}
