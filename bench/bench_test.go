// Package bench holds Durvek against plain references: the drive and memory workloads against C loops
// with the same blocks and flags, in alternated pairs with a C-against-C control beside them; the
// service against its own goals. `make bench` prints the table. Nothing here fails for being slow.
package bench

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"math"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"durvek/client"
	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/stats"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/draw"
	"durvek/service"
	"durvek/workload"
	_ "durvek/workload/app"
	_ "durvek/workload/cpu"
	"durvek/workload/memory"
	"durvek/workload/storage"
)

// pairs is how many alternated pairs a ratio is the median of.
const pairs = 27

var table []string

func row(name, figure, goal, control string) {
	table = append(table, fmt.Sprintf("%-34s %16s   %-12s %s", name, figure, goal, control))
}

func TestMain(m *testing.M) {
	if dir := os.Getenv("DURVEK_INGEST"); dir != "" {
		if err := ingest(dir); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		return
	}
	code := m.Run()
	if len(table) > 0 {
		fmt.Printf("\n%-34s %16s   %-12s %s\n%s\n", "What", "Here", "Goal", "Beside it", strings.Repeat("─", 96))
		fmt.Println(strings.Join(table, "\n"))
	}
	os.Exit(code)
}

// reference is the C program at work.
type reference struct {
	in  io.Writer
	out *bufio.Scanner
}

func startReference(b *testing.B) *reference {
	b.Helper()
	if _, err := exec.LookPath("gcc"); err != nil {
		b.Skip("there is no gcc to build the reference with")
	}
	exe := filepath.Join(b.TempDir(), "reference")
	if out, err := exec.Command("gcc", "-O3", "-pthread", "-o", exe, "testdata/reference.c").CombinedOutput(); err != nil {
		b.Fatalf("build the reference: %v\n%s", err, out)
	}
	cmd := exec.Command(exe)
	in, err := cmd.StdinPipe()
	if err != nil {
		b.Fatal(err)
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		b.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { in.Close(); cmd.Wait() })
	return &reference{in, bufio.NewScanner(out)}
}

// seconds runs one command of the reference.
func (r *reference) seconds(b *testing.B, command string, args ...any) float64 {
	b.Helper()
	fmt.Fprintf(r.in, command+"\n", args...)
	var s float64
	if !r.out.Scan() {
		b.Fatal("the reference ended")
	}
	if _, err := fmt.Sscan(r.out.Text(), &s); err != nil || s <= 0 {
		b.Fatalf("the reference failed at "+command+": %s", append(args, r.out.Text())...)
	}
	return s
}

// alternate measures ours and C in turn, C twice, and reports the medians of C ÷ ours (1 or more: we
// are as fast) and of C ÷ C.
func alternate(b *testing.B, name, goal string, ours, c func() float64) {
	b.Helper()
	ours()
	c()
	var ratios, control []float64
	for range pairs {
		mine, first, second := ours(), c(), c()
		ratios = append(ratios, math.Sqrt(first*second)/mine)
		control = append(control, first/second)
	}
	b.ReportMetric(median(ratios), "×C")
	b.ReportMetric(median(control), "C×C")
	b.ReportMetric(0, "ns/op")
	row(name, fmt.Sprintf("%.3f × C", median(ratios)), goal, fmt.Sprintf("C against C %.3f (quartiles %.3f to %.3f), "+
		"median of %d pairs", median(control), stats.Quantile(control, 0.25), stats.Quantile(control, 0.75), pairs))
}

func median(xs []float64) float64 { return stats.Quantile(xs, 0.5) }

func must(b *testing.B, err error) {
	b.Helper()
	if err != nil {
		b.Fatal(err)
	}
}

func BenchmarkDrive(b *testing.B) {
	dir := os.Getenv("BENCH_PATH")
	if dir == "" {
		dir = "."
	}
	const size = 512 << 20
	if _, err := storage.Check(dir, size); err != nil {
		b.Skip(err)
	}
	ref := startReference(b)
	f, err := storage.Open(dir, size)
	must(b, err)
	defer f.Close()
	ctx := context.Background()
	must(b, f.Fill(ctx, nil))
	path := fmt.Sprintf("/proc/%d/fd/%d", os.Getpid(), f.Descriptor())
	const blocks, reads, many = 128, 4000, 16000
	pass := func(write bool) func() float64 {
		return func() float64 {
			_, spent, err := f.Pass(ctx, write, blocks, time.Hour, nil)
			must(b, err)
			return spent.Seconds()
		}
	}
	b.Run("read", func(b *testing.B) {
		alternate(b, "Drive, sequential read 1 MiB", "≥ 0.97", pass(false), func() float64 {
			return ref.seconds(b, "r %s %d",
				path, blocks)
		})
	})
	b.Run("write", func(b *testing.B) {
		alternate(b, "Drive, sequential write 1 MiB", "≥ 0.97", pass(true), func() float64 {
			return ref.seconds(b, "w %s %d",
				path, blocks)
		})
	})
	b.Run("random", func(b *testing.B) {
		alternate(b, "Drive, random read 4 KiB, depth 1", "≥ 0.95", func() float64 {
			_, spent, err := f.RandomReads(ctx, reads, time.Hour, nil, nil)
			must(b, err)
			return spent.Seconds()
		}, func() float64 { return ref.seconds(b, "q %s %d", path, reads) })
	})
	b.Run("depth32", func(b *testing.B) {
		alternate(b, "Drive, random read 4 KiB, depth 32", "≥ 0.95", func() float64 {
			t, err := f.Access(ctx, storage.Access{Block: storage.RandomBlock, Depth: storage.Deep, Random: true, Reads: 100,
				Most: many, Length: time.Hour}, nil)
			must(b, err)
			return t.Spent.Seconds()
		}, func() float64 { return ref.seconds(b, "d %s %d", path, many) })
	})
	b.Run("latency", func(b *testing.B) {
		alternate(b, "Drive, median latency, depth 1", "within 5 %", func() float64 {
			h := storage.Histogram()
			_, _, err := f.RandomReads(ctx, 4000, time.Hour, h, nil)
			must(b, err)
			return float64(h.ValueAtQuantile(50)) / 1e9
		}, func() float64 { return ref.seconds(b, "l %s %d", path, 4000) })
	})
}

func BenchmarkMemoryFlows(b *testing.B) {
	ref := startReference(b)
	const n, passes, piece = 16 << 20, 3, 1 << 20 / 8
	x, free, err := memory.NewArrays(n)
	must(b, err)
	defer free()
	for _, f := range []struct {
		name, command string
		do            func(at int)
	}{
		{"read", "s %d %d", func(at int) { memory.Scan(x.C[at : at+piece]) }},
		{"write", "f %d %d", func(at int) { memory.Fill(x.A[at:at+piece], 5) }},
		{"copy", "c %d %d", func(at int) { memory.Copy(x.A[at:at+piece], x.C[at:at+piece]) }},
	} {
		b.Run(f.name, func(b *testing.B) {
			alternate(b, "Memory, "+f.name+", one thread", "≥ 0.95", func() float64 {
				begin := time.Now()
				for range passes {
					for at := 0; at < n; at += piece {
						f.do(at)
					}
				}
				return time.Since(begin).Seconds()
			}, func() float64 { return ref.seconds(b, f.command, n, passes) })
		})
	}
	for _, lines := range []int{16 << 10 / 64, 128 << 20 / 64} {
		b.Run(fmt.Sprintf("latency-%dKiB", lines*64>>10), func(b *testing.B) {
			set, free, err := memory.NewChain(lines)
			must(b, err)
			defer free()
			loads := 1 << 20
			if lines*64 <= 1<<20 { // within a cache: long enough to outlast waking the reference up
				loads = 1 << 24
			}
			alternate(b, fmt.Sprintf("Memory, latency over %d KiB", lines*64>>10), "within 5 %", func() float64 {
				begin := time.Now()
				set.Follow(loads)
				return time.Since(begin).Seconds() / float64(loads)
			}, func() float64 { return ref.seconds(b, "p %d %d", lines, loads) })
		})
	}
}

func BenchmarkMultiplyAdd(b *testing.B) {
	ref := startReference(b)
	const n, passes, piece = 16 << 20, 4, 1 << 20 / 8
	x, free, err := memory.NewArrays(n)
	must(b, err)
	defer free()
	alternate(b, "Memory, multiply-add, one thread", "≥ 0.95", func() float64 {
		begin := time.Now()
		for range passes {
			for at := 0; at < n; at += piece {
				memory.MultiplyAdd(x.A[at:at+piece], x.B[at:at+piece], x.C[at:at+piece], 3)
			}
		}
		return time.Since(begin).Seconds()
	}, func() float64 { return ref.seconds(b, "m %d %d", n, passes) })
}

// desk20 is a service with a field of 20 variants, five readings each.
func desk20(b *testing.B) *client.Client {
	b.Helper()
	ctx, stop := context.WithCancel(context.Background())
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: b.TempDir(), Name: "Bench"},
		Tests: workload.Tests()})
	must(b, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(b, err)
	ended := make(chan error, 1)
	go func() { ended <- service.New(d, service.Options{}).Serve(ctx, l) }()
	b.Cleanup(func() { stop(); <-ended; d.Close() })
	token, err := d.Books.LocalToken(ctx)
	must(b, err)
	c := client.New("http://"+l.Addr().String(), token)
	var dossier, readings strings.Builder
	dossier.WriteString("format: durvek-dossier/1\nmodel: {slug: m, maker: M, name: N, kind: laptop}\nvariants:\n")
	readings.WriteString("unit,test,repeat,measure,value,condition:runtime\n")
	for i := range 20 {
		fmt.Fprintf(&dossier, "  - {slug: v%d, name: variant %d, units: [{slug: u%d, origin: bought}]}\n", i, i, i)
		for k := range 5 {
			fmt.Fprintf(&readings, "u%d,hashing,%d,all,%.3f,native\n", i, k,
				(1000+15*float64(i))*(1+0.01*math.Sin(float64(7*i+13*k))))
		}
	}
	must(b, c.Do(ctx, http.MethodPost, "/api/dossiers", nil, []byte(dossier.String()), nil))
	must(b, c.Do(ctx, http.MethodPost, "/api/tables", nil, []byte(readings.String()), nil))
	return c
}

func BenchmarkRankOverHTTP(b *testing.B) {
	c := desk20(b)
	ctx := context.Background()
	ask := func() float64 {
		begin := time.Now()
		r, err := client.Get[compare.Comparison](ctx, c, "/api/ranking", client.Query("measure", "hashing/all"))
		must(b, err)
		if len(r.Rows) != 20 {
			b.Fatalf("%d rows", len(r.Rows))
		}
		return 1e3 * time.Since(begin).Seconds()
	}
	var kept, fresh []float64
	for i := range 200 {
		kept = append(kept, ask())
		if i%4 == 0 { // a new reading makes every kept answer stale
			must(b, c.Do(ctx, http.MethodPost, "/api/readings", nil, results.Typed{Test: "hashing", Subject: "u3", Repeat: 9 + i,
				Conditions: map[string]string{"runtime": "native"}, Readings: map[string]string{"all": fmt.Sprint(1045 + i%9)}},
				nil))
			fresh = append(fresh, ask())
		}
	}
	b.ReportMetric(stats.Quantile(kept, 0.95), "ms-p95-kept")
	b.ReportMetric(stats.Quantile(fresh, 0.95), "ms-p95-fresh")
	b.ReportMetric(0, "ns/op")
	row("Ranked field of 20 over HTTP", fmt.Sprintf("p95 %.1f ms", stats.Quantile(kept, 0.95)), "≤ 10 ms",
		fmt.Sprintf("computed anew after a reading: p50 %.1f, p95 %.1f ms", median(fresh), stats.Quantile(fresh, 0.95)))
}

func BenchmarkSVG(b *testing.B) {
	c := chart.Ranked{Title: "A chart of twenty", Subtitle: "In MiB/s, higher is better.", Foot: "5 repeats each."}
	for i := range 20 {
		c.Rows = append(c.Rows, chart.Row{Name: fmt.Sprintf("Maker Model %d", i), Note: "16 GiB, 512 GB", Place: "1–20",
			Value: 100 - float64(i), Lo: 95 - float64(i), Hi: 105 - float64(i), Label: "100", Spread: "5"})
	}
	var took []float64
	for b.Loop() {
		begin := time.Now()
		if _, err := draw.SVG(c, draw.Options{}); err != nil {
			b.Fatal(err)
		}
		took = append(took, 1e3*time.Since(begin).Seconds())
	}
	row("SVG of 20 rows", fmt.Sprintf("p95 %.2f ms", stats.Quantile(took, 0.95)), "≤ 5 ms", "")
}

func BenchmarkStart(b *testing.B) {
	exe := filepath.Join(b.TempDir(), "durvek")
	build := exec.Command("go", "build", "-o", exe, "durvek/cmd/durvek")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		b.Fatalf("%v\n%s", err, out)
	}
	var took []float64
	dir := b.TempDir()
	for range 12 {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		must(b, err)
		addr := l.Addr().String()
		l.Close()
		cmd := exec.Command(exe, "serve", "--listen", addr, "--data", dir)
		begin := time.Now()
		must(b, cmd.Start())
		for {
			if resp, err := http.Get("http://" + addr + "/healthz"); err == nil {
				resp.Body.Close()
				break
			}
			if time.Since(begin) > 20*time.Second {
				b.Fatal("the service never answered")
			}
		}
		took = append(took, 1e3*time.Since(begin).Seconds())
		cmd.Process.Signal(os.Interrupt)
		cmd.Wait()
	}
	b.ReportMetric(median(took), "ms")
	b.ReportMetric(0, "ns/op")
	row("/healthz after start", fmt.Sprintf("median %.0f ms", median(took)), "≤ 300 ms",
		fmt.Sprintf("worst of %d: %.0f ms", len(took), slices.Max(took)))
}
