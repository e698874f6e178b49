package bench

import (
	"context"
	"database/sql"
	"fmt"
	"math"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	_ "modernc.org/sqlite"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/trials"
	"durvek/store"
)

// BenchmarkClean is the whole trial of clean runs: 10,000 in every world. It prints the table of docs/trust.md.
func BenchmarkClean(b *testing.B) {
	for range b.N {
		fmt.Println("\n| world | clean runs | doubted | by rule |\n| --- | --- | --- | --- |")
		worst := 0.0
		for i, w := range trials.Worlds() {
			c := trials.Clean(uint64(100+i), w, 10000)
			share := 100 * float64(c.Doubted) / float64(c.Runs)
			worst = max(worst, share)
			fmt.Printf("| %s | %d | %.2f %% | %s |\n", w, c.Runs, share, strings.Trim(fmt.Sprint(c.ByRule), "map[]"))
		}
		b.ReportMetric(worst, "%-worst")
	}
}

// BenchmarkPlanted is the whole trial of planted trouble: 200 of each, at the promised size, at half and at a quarter
// of it.
func BenchmarkPlanted(b *testing.B) {
	for range b.N {
		fmt.Println("\n| planted | size | world | found | at ½ | at ¼ |\n| --- | --- | --- | --- | --- | --- |")
		least := 100.0
		for _, k := range trials.Kinds {
			for i, w := range trials.Worlds() {
				if i%5 != 0 {
					continue
				}
				at := [3]float64{}
				for s, share := range []float64{1, 0.5, 0.25} {
					at[s] = float64(trials.Find(uint64(200+i), w, k, share, 200)) / 2
				}
				least = min(least, at[0])
				fmt.Printf("| %s | %g %s | %s | %.1f %% | %.1f %% | %.1f %% |\n", k.Kind, k.Size, k.Unit, w, at[0], at[1], at[2])
			}
		}
		fmt.Println("\n| certain | found | falsely |\n| --- | --- | --- |")
		for _, k := range trials.Certains {
			found, falsely := k.Try(9, 200)
			fmt.Printf("| %s | %d of 200 | %d |\n", k.Rule, found, len(falsely))
		}
		b.ReportMetric(least, "%-least-found")
	}
}

// noiseWorlds are the desks of docs/trust.md.
var noiseWorlds = []trials.NoiseWorld{{Units: 12, Tests: 1}, {Units: 12, Tests: 1, Noisy: 1}, {Units: 12, Tests: 1,
	Tau:   0.4,
	Noisy: 1}, {Units: 6, Tests: 1, Tau: 0.4, Noisy: 1}, {Units: 40, Tests: 1, Tau: 0.4, Noisy: 1}, {Units: 12, Tests: 20,
	Noisy: 1}, {Units: 12, Tests: 20, Tau: 0.4, Noisy: 1}, {Units: 12, Tests: 20, Tau: 0.4, Noisy: 2},
	{Units: 12, Tests: 20,
		Tau: 0.4, Noisy: 1, One: true}, {Units: 12, Tests: 8, Tau: 0.7}, {Units: 3, Tests: 1}, {Units: 3, Tests: 1, Tau: 0.4},
	{Units: 3, Tests: 8, Tau: 0.4, Typical: 1}, {Units: 3, Tests: 8, Tau: 0.4, Typical: 1 / 1.5}, {Units: 3, Tests: 8,
		Tau:     0.4,
		Typical: 0.5}, {Units: 3, Tests: 8, Tau: 0.4, Typical: 1 / 3.0}, {Units: 1, Tests: 8, Tau: 0.4, Typical: 0.5,
		Repeats: 1},
	{Units: 60, Tests: 8, Tau: 0.4, Noisy: 2}, {Units: 12, Tests: 8, Tau: 0.4, Step: 2}, {Units: 12, Tests: 8, Tau: 0.4,
		Step: 4}}

// BenchmarkNoise is the whole trial of intervals: at least 20,000 cells of each desk.
func BenchmarkNoise(b *testing.B) {
	for range b.N {
		fmt.Println("\n| desk | clean cells hold | of one run | width beside who knows σ, n = 3 | noisy hold, n ≥ 2 | n = " +
			"1 |\n" +
			"| --- | --- | --- | --- | --- | --- |")
		worst := 100.0
		for _, w := range noiseWorlds {
			x := trials.Noise(41, w, 20000/(w.Units*w.Tests)+1)
			share := func(held, of int) string {
				if of == 0 {
					return "–"
				}
				p := trials.Share(held, of)
				return fmt.Sprintf("%.1f ± %.1f %%", p, math.Sqrt(p*(100-p)/float64(of)))
			}
			worst = min(worst, trials.Share(x.CleanHeld, x.Clean))
			fmt.Printf("| %s | %s | %s | %.2f | %s | %s |\n", w, share(x.CleanHeld, x.Clean), share(x.OneHeld, x.One), x.Width,
				share(x.LoudHeld, x.Loud), share(x.OnceHeld, x.Once))
		}
		b.ReportMetric(worst, "%-least")
		fmt.Println("\n| repeats in sittings | unit's mean held |\n| --- | --- |")
		for _, x := range [][2]int{{10, 5}, {20, 10}, {10, 10}} {
			fmt.Printf("| %d in %d | %.1f %% |\n", x[0], x[1], 100*trials.Cover(302, trials.World{Sitting: 0.5, Sittings: x[1]},
				x[0], 10000).Share())
		}
	}
}

// BenchmarkRepeats is the whole trial of the rules over repeats: clean runs of one, three and eight measures on desks
// of any age, and trouble of its promised size.
func BenchmarkRepeats(b *testing.B) {
	for range b.N {
		fmt.Println("\n| clean runs | doubted | by rule |\n| --- | --- | --- |")
		worst := 0.0
		clean := func(m trials.Measures) {
			c := m.Clean(51, 10000)
			p := 100 * float64(c.Doubted) / float64(c.Runs)
			if m.Tau <= 0.4 && m.Law == "normal" {
				worst = max(worst, p)
			}
			fmt.Printf("| %s | %.2f ± %.2f %% | %s |\n", m, p, math.Sqrt(p*(100-p)/float64(c.Runs)),
				strings.Trim(fmt.Sprint(c.ByRule), "map[]"))
		}
		for _, n := range []int{1, 3, 8} {
			for _, cells := range []int{40, 5} {
				for _, r := range trials.Roundings {
					clean(trials.Measures{Count: n, Tau: 0.4, Law: "normal", Round: r, Cells: cells})
				}
			}
			clean(trials.Measures{Count: n, Tau: 0.7, Law: "normal", Round: trials.Roundings[0], Cells: 40})
			clean(trials.Measures{Count: n, Tau: 0.4, Law: "skewed", Round: trials.Roundings[0], Cells: 40})
			clean(trials.Measures{Count: n, Tau: 0.4, Law: "t3", Round: trials.Roundings[0], Cells: 40})
			clean(trials.Measures{Count: n, Tau: 0.4, Law: "normal", Round: trials.Roundings[0], Cells: 40, Sittings: 1})
		}
		b.ReportMetric(worst, "%-worst")
		fmt.Println("\n| planted | measures | repeats | at 10 s_r | at 15 s_r |\n| --- | --- | --- | --- | --- |")
		for _, kind := range []string{"bad", "drift", "copied"} {
			for _, count := range []int{1, 8} {
				for _, n := range []int{2, 3, 5} {
					m := trials.Measures{Count: count, Tau: 0.4, Law: "normal", Round: trials.Roundings[0], Cells: 40, Repeats: n}
					fmt.Printf("| %s | %d | %d | %.1f %% | %.1f %% |\n", kind, count, n, float64(m.Find(52, kind, 10, 1000))/10,
						float64(m.Find(52, kind, 15, 1000))/10)
				}
			}
		}
	}
}

// BenchmarkRules is what the rules take of a run that arrives at a desk of two million readings: 5,000 variants, each
// with ten repeats of four tests of ten measures. The readings are put in by SQL; the estimates are made by the desk
// itself.
func BenchmarkRules(b *testing.B) {
	const variants, tests, repeats = 5000, 4, 10
	ctx := context.Background()
	dir := b.TempDir()
	var defs []method.Test
	for t := range tests {
		d := method.Test{Slug: fmt.Sprint("load-", t), Version: 1, Name: fmt.Sprint("Load ", t), Group: "CPU",
			Origin: "workload", MustMatch: []string{"supply"}, Seconds: 3}
		for m := range 10 {
			d.Measures = append(d.Measures, method.Measure{Slug: fmt.Sprint("m", m), Name: fmt.Sprint("measure ", m), Unit: "/s",
				Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.02})
		}
		defs = append(defs, d)
	}
	open := func() *house.House {
		d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: dir}, Tests: defs})
		if err != nil {
			b.Fatal(err)
		}
		return d
	}
	d := open()
	if _, err := d.Books.AddModel(ctx, catalog.Model{Slug: "m", Maker: "Maker", Name: "M", Kind: "laptop"},
		"me"); err != nil {
		b.Fatal(err)
	}
	if _, err := d.Books.AddVariant(ctx, catalog.Variant{Slug: "v0", Model: "m", Name: "v0"}, "me"); err != nil {
		b.Fatal(err)
	}
	if _, err := d.Books.AddUnit(ctx, catalog.Unit{Slug: "v0", Variant: "v0", Origin: "bought"}, "me"); err != nil {
		b.Fatal(err)
	}
	readings := func(k int) map[string]string {
		out := map[string]string{}
		for m := range 10 {
			out[fmt.Sprint("m", m)] = fmt.Sprintf("%.4f", 100+float64(m)+0.37*float64((k*7+m*3)%11))
		}
		return out
	}
	first, err := d.Results.TypeReadings(ctx, results.Typed{Test: "load-0", Subject: "v0", Readings: readings(0)}, "me")
	if err != nil {
		b.Fatal(err)
	}
	d.Close()
	db, err := sql.Open("sqlite", filepath.Join(dir, "durvek.db"))
	if err != nil {
		b.Fatal(err)
	}
	for _, s := range []string{
		fmt.Sprintf(`create temp table n as with recursive c(i) as (select 1 union all select i+1 from c where i < %d) select i from c`, variants-1),
		fmt.Sprintf(`create temp table r as with recursive c(i) as (select 0 union all select i+1 from c where i < %d) select i from c`, repeats-1),
		`insert into variant (slug, model, name) select 'v'||i, 'm', 'v'||i from n`,
		`insert into unit (slug, variant, origin) select 'v'||i, 'v'||i, 'bought' from n`,
		`insert into sitting (id, unit, boot, started, machine) select 's'||i, 'v'||i, 'b', '2026-01-01T00:00:00.000Z', '{}' from n`,
		`create temp table t (i)`, `insert into t values (0), (1), (2), (3)`,
		`insert into run (id, test, test_version, subject, setup, sitting, repeat, started, ended, outcome, source, basis, marks) select 'x'||n.i||'-'||t.i||'-'||r.i, 'load-'||t.i, 1, 'v'||n.i, 'as-delivered', 's'||n.i, r.i,
			'2026-01-01T00:00:0'||r.i||'.000Z', '2026-01-01T00:00:0'||r.i||'.900Z', 'done', 'agent', (select basis from run where id = '` + first.ID + `'), '[]' from n, t, r`,
		`insert into reading (run, measure, state, value) select 'x'||n.i||'-'||t.i||'-'||r.i, 'm'||m.i, 'ok', (100 + m.i) * (1 + 0.05 * (n.i % 40)) * (1 + 0.001 * ((n.i * 31 + m.i * 17 + r.i * 13 + t.i * 7) % 23)) from n, t, r, r m`,
		`insert into estimate (measure, setup, unit, host, place, basis, variant, cell, conditions, test_version, simulated, best_low, best_high, updated) select 'load-'||t.i||'/m'||m.i, 'as-delivered', 'v'||n.i, '', '',
			(select basis from run where id = '` + first.ID + `'), 'v'||n.i, '{}', (select conditions from estimate limit 1), 1, 0, 0, 0, '2026-01-01T00:00:00.000Z' from n, t, r m`,
	} {
		if _, err := db.Exec(s); err != nil {
			b.Fatalf("%v: %.60s", err, s)
		}
	}
	var count int
	if err := db.QueryRow(`select count(*) from reading`).Scan(&count); err != nil {
		b.Fatal(err)
	}
	db.Close()
	d = open()
	defer d.Close()
	if _, err := d.Results.Recount(ctx); err != nil {
		b.Fatal(err)
	}
	// The rules alone, of runs that are there, and the whole way of a run that comes in.
	const asked = 60
	var took [2]time.Duration
	for i, unit := range []string{"v77", "v78"} { // forty runs each; the first find nothing in memory yet
		began := time.Now()
		if _, err := d.Results.Examine(ctx, store.RunFilter{Subject: unit}, "me"); err != nil {
			b.Fatal(err)
		}
		took[i] = time.Since(began)
	}
	b.ResetTimer()
	for range b.N {
		began := time.Now()
		for k := range asked {
			if _, err := d.Results.TypeReadings(ctx, results.Typed{Test: "load-1", Subject: "v0", Sitting: uuid.NewString(),
				Repeat: k, Readings: readings(k)}, "me"); err != nil {
				b.Fatal(err)
			}
		}
		b.ReportMetric(float64(time.Since(began).Milliseconds())/asked, "ms/run-recorded")
	}
	b.ReportMetric(float64(took[0].Microseconds())/1000/40, "ms/run-examined-first")
	b.ReportMetric(float64(took[1].Microseconds())/1000/40, "ms/run-examined")
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(float64(count), "readings")
}
