package bench

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"durvek/api"
	"durvek/client"
	"durvek/core/method"
	"durvek/core/stats"
	"durvek/demo/load"
	"durvek/desk/figures"
	"durvek/desk/results"
)

// asking is how many clients ask at once, and how often each; the bare queries are slower and asked less often.
const asking, asks, bares = 10, 60, 15

// p95 lets ten ask at once, each its own share of the questions, and gives the 95th percentile in ms.
func p95(b *testing.B, asks int, ask func(k int) error) float64 {
	b.Helper()
	took := make([]float64, asking*asks)
	errs := make([]error, asking)
	var wg sync.WaitGroup
	for c := range asking {
		wg.Add(1)
		go func() {
			defer wg.Done()
			for i := range asks {
				k := c*asks + i
				began := time.Now()
				if errs[c] = ask(k); errs[c] != nil {
					return
				}
				took[k] = 1e3 * time.Since(began).Seconds()
			}
		}()
	}
	wg.Wait()
	for _, err := range errs {
		must(b, err)
	}
	return stats.Quantile(took, 0.95)
}

// BenchmarkSize asks a service of the planned size, made by `durvek data generate`, over HTTP, ten clients at once, and
// beside each question the bare SQL query for the same cells, ten at once, in the same run. DURVEK_SIZE names a folder
// to keep the data in.
func BenchmarkSize(b *testing.B) {
	exe := filepath.Join(b.TempDir(), "durvek")
	build := exec.Command("go", "build", "-o", exe, "durvek/cmd/durvek")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		b.Fatalf("%v\n%s", err, out)
	}
	dir := os.Getenv("DURVEK_SIZE")
	if dir == "" {
		dir = b.TempDir()
	}
	if _, err := os.Stat(filepath.Join(dir, "durvek.db")); err != nil {
		if out, err := exec.Command(exe, "data", "generate", "--data", dir).CombinedOutput(); err != nil {
			b.Fatalf("%v\n%s", err, out)
		}
	}
	served := exec.Command(exe, "serve", "--listen", "127.0.0.1:0", "--data", dir)
	out, err := served.StdoutPipe()
	must(b, err)
	os.Remove(filepath.Join(dir, "local-service.json"))
	began := time.Now()
	must(b, served.Start())
	b.Cleanup(func() { served.Process.Signal(os.Interrupt); served.Wait() })
	go io.Copy(io.Discard, out)
	var local struct{ Server, Token string }
	for local.Server == "" {
		if data, err := os.ReadFile(filepath.Join(dir, "local-service.json")); err == nil {
			json.Unmarshal(data, &local)
		}
		if time.Since(began) > time.Minute {
			b.Fatal("the service never came up")
		}
		time.Sleep(time.Millisecond)
	}
	ctx, c := context.Background(), client.New(local.Server, local.Token)
	get := func(path string, q url.Values) error {
		var body []byte
		return c.Do(ctx, http.MethodGet, path, q, nil, &body)
	}
	for get("/healthz", nil) != nil {
		time.Sleep(time.Millisecond)
	}
	row("Start with 2 M readings, /healthz", fmt.Sprintf("%.0f ms", 1e3*time.Since(began).Seconds()), "≤ 300 ms", "")
	m := func(k int) string { return method.ID(load.Test(k%15), fmt.Sprintf("m%d", k/15%4)) }
	must(b, get("/api/places", client.Query("measure", m(0), "variant", "load-0000")))
	row("Start, first place in history", fmt.Sprintf("%.0f ms", 1e3*time.Since(began).Seconds()), "",
		"the matrix loads behind it")

	db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, "durvek.db")+
		"?_pragma=query_only(1)&_pragma=cache_size(-32768)")
	must(b, err)
	defer db.Close()
	db.SetMaxOpenConns(3)
	fields, err := client.Get[[]figures.FieldPage](ctx, c, "/api/fields", nil)
	must(b, err)
	var fifty []string
	for _, f := range fields {
		if f.Slug == "load-50" {
			fifty = f.Holds
		}
	}
	if len(fifty) != 50 {
		b.Fatalf("the field holds %d", len(fifty))
	}
	var thirty []string
	for k := range 30 {
		thirty = append(thirty, m(k))
	}
	// bare scans the cells as they are kept.
	bare := func(where string, args ...any) error {
		rows, err := db.Query(`select measure, setup, unit, host, place, basis, variant, cell, conditions, test_version, simulated, best_low, best_high from estimate where `+where, args...)
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			var s [9]string
			var n [2]int
			var f [2]float64
			if err := rows.Scan(&s[0], &s[1], &s[2], &s[3], &s[4], &s[5], &s[6], &s[7], &s[8], &n[0], &n[1], &f[0],
				&f[1]); err != nil {
				return err
			}
		}
		return rows.Err()
	}
	list := func(xs []string) string { b, _ := json.Marshal(xs); return string(b) }
	weights := strings.Join(thirty, "=1,") + "=1"
	const one, among = "measure = ? and setup = 'as-delivered' and variant in (select value from json_each(?))",
		"measure in (select value from json_each(?)) and setup = 'as-delivered' and variant in (select value from " +
			"json_each(?))"
	pair := func(k int) []string { return []string{fifty[k%50], fifty[(k*7+1)%50]} }
	questions := []struct {
		name, goal string
		ask        func(k int) error
		sql        func(k int) error
	}{
		{"Ranked chart of 50, JSON", "≤ 10 ms", func(k int) error {
			return get("/api/ranking", client.Query("measure", m(k),
				"field", "load-50"))
		}, func(k int) error { return bare(one, m(k), list(fifty)) }},
		{"Ranked chart of 50, SVG", "≤ 15 ms", func(k int) error {
			return get("/api/charts/ranked.svg", client.Query("measure", m(k), "field", "load-50"))
		}, func(k int) error { return bare(one, m(k), list(fifty)) }},
		{"Place in all history of 5,000", "≤ 5 ms", func(k int) error {
			return get("/api/places", client.Query("measure",
				m(k), "variant", fifty[k%50]))
		}, func(k int) error { return bare("measure = ? and setup = 'as-delivered'", m(k)) }},
		{"Cells of 50 × 30", "≤ 25 ms", func(k int) error {
			return get("/api/cells", client.Query("field", "load-50", "measures", strings.Join(thirty, ",")))
		}, func(k int) error { return bare(among, list(thirty), list(fifty)) }},
		{"Head to head of two", "≤ 15 ms", func(k int) error {
			return get("/api/heads", client.Query("variants",
				strings.Join(pair(k), ",")))
		}, func(k int) error {
			return bare("variant in (select value from json_each(?)) and setup = 'as-delivered'", list(pair(k)))
		}},
		{"Index of 50 × 30, intervals", "≤ 150 ms", func(k int) error {
			return get("/api/index", client.Query("field", "load-50", "weights", weights, "against", fifty[k%10]))
		}, func(k int) error { return bare(among, list(thirty), list(fifty)) }},
	}
	asked := time.Now()
	must(b, get("/api/ranking", client.Query("measure", m(59), "field", "load-50")))
	row("Ranked chart during the load", fmt.Sprintf("%.0f ms", 1e3*time.Since(asked).Seconds()), "",
		"its column read from the database first")
	for began := time.Now(); time.Since(began) < 90*time.Second && busy(served.Process.Pid, b) > 0.05; {
		time.Sleep(time.Second)
	}
	row("Memory of the service, loaded", fmt.Sprintf("%.0f MB", float64(resident(b, served.Process.Pid))/1e6), "≤ 150 MB",
		fmt.Sprintf("%.0f s after its start", time.Since(began).Seconds()))
	firstTimes(b, func(k int) error {
		return get("/api/ranking", client.Query("measure", m(k), "field", "load-50", "subject", fifty[k]))
	})
	for _, q := range questions {
		first := time.Now()
		must(b, q.ask(58)) // nobody asked it before
		cold := 1e3 * time.Since(first).Seconds()
		for k := range 60 {
			must(b, q.ask(k))
			if k < bares {
				must(b, q.sql(k))
			}
		}
		ours, theirs := []float64{}, []float64{}
		for range 3 {
			ours, theirs = append(ours, p95(b, asks, q.ask)), append(theirs, p95(b, bares, q.sql))
		}
		row(q.name, fmt.Sprintf("p95 %.1f ms", median(ours)), q.goal, fmt.Sprintf("%.3f × bare SQL (p95 %.1f ms), goal "+
			"0.5; for the first time %.1f ms", median(ours)/median(theirs), median(theirs), cold))
		b.ReportMetric(median(ours), "ms-"+strings.ReplaceAll(q.name, " ", "-"))
	}
	whileDelivering(b, c, fifty, func(said string) {
		for _, k := range []int{0, 5} {
			q := questions[k]
			for i := range 60 { // what other questions have pushed out is kept again
				must(b, q.ask(i))
			}
			ours := p95(b, asks, q.ask)
			row("  "+q.name+", meanwhile", fmt.Sprintf("p95 %.1f ms", ours), []string{0: "≤ 15 ms", 5: "≤ 150 ms"}[k], said)
		}
	})
	for began, size := time.Now(), int64(1<<62); time.Since(began) < 150*time.Second &&
		size > 150e6; time.Sleep(2 * time.Second) { // it gives back what it does not need after a minute or two
		size = resident(b, served.Process.Pid)
	}
	row("Memory of the service, idle again", fmt.Sprintf("%.0f MB", float64(resident(b, served.Process.Pid))/1e6),
		"≤ 150 MB", "after all of these")
	b.ReportMetric(0, "ns/op")
}

// firstTimes asks what nobody asked before, by one client.
func firstTimes(b *testing.B, ask func(k int) error) {
	var fresh []float64
	for k := range 20 {
		asked := time.Now()
		must(b, ask(k))
		fresh = append(fresh, 1e3*time.Since(asked).Seconds())
	}
	row("Standings of 50 for the first time", fmt.Sprintf("median %.1f ms", median(fresh)), "≤ 40 ms",
		fmt.Sprintf("worst of %d: %.1f ms", len(fresh), stats.Quantile(fresh, 1)))
}

// whileDelivering asks while fifty machines deliver, each a run in five seconds, of tests that nobody asks about.
func whileDelivering(b *testing.B, c *client.Client, variants []string, ask func(said string)) {
	ctx, stop := context.WithCancel(context.Background())
	var group sync.WaitGroup
	var sent atomic.Int64
	for i, v := range variants {
		group.Add(1)
		go func() {
			defer group.Done()
			for k := 0; ctx.Err() == nil; k++ {
				_, err := client.Ask(ctx, c, api.TypeReadings, api.With(results.Typed{Subject: v + "-a",
					Test: load.Test(20 + (i+k)%200), Setup: method.AsDelivered, Sitting: fmt.Sprintf("%d of %d", k, i),
					Readings: map[string]string{"m0": fmt.Sprint(900 + i + k)}}))
				if err != nil && ctx.Err() == nil {
					b.Error(err)
					return
				}
				sent.Add(1)
				select {
				case <-ctx.Done():
				case <-time.After(5 * time.Second):
				}
			}
		}()
	}
	began := time.Now()
	time.Sleep(3 * time.Second)
	ask("50 machines deliver a run in five seconds each")
	stop()
	group.Wait()
	row("  runs taken in meanwhile", fmt.Sprintf("%.1f a second", float64(sent.Load())/time.Since(began).Seconds()),
		"", "")
}

// resident is what a process holds in memory, its program and mapped files among it.
func resident(b *testing.B, pid int) (bytes int64) {
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		b.Skip(err)
	}
	for _, line := range strings.Split(string(data), "\n") {
		if f := strings.Fields(line); len(f) == 3 && f[0] == "VmRSS:" {
			n, _ := strconv.ParseInt(f[1], 10, 64)
			bytes = n * 1024
		}
	}
	return bytes
}

// busy is the share of a core that a process takes over a second.
func busy(pid int, b *testing.B) float64 {
	ticks := func() float64 {
		data, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
		if err != nil {
			b.Skip(err)
		}
		f := strings.Fields(string(data[strings.LastIndexByte(string(data), ')')+2:]))
		u, _ := strconv.ParseFloat(f[11], 64)
		s, _ := strconv.ParseFloat(f[12], 64)
		return u + s
	}
	before := ticks()
	time.Sleep(time.Second)
	return (ticks() - before) / 100
}
