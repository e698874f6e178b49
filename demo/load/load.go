// Package load fills an empty desk with made-up data of a size, to see how the service does at it. Nothing of it looks
// like a real product, and a desk that holds anything is refused.
package load

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/desk"
	"durvek/store"
)

// Size is how much made-up data a desk is filled with, to see how the service does at a size: the planned one is 5,000
// variants, 300 tests and 2 million readings.
type Size struct {
	Variants int `json:"variants"`
	Tests    int `json:"tests"`
	Readings int `json:"readings" doc:"About as many"`
	Cells    int `json:"cells"`
}

// Every load has classes of variants: a share of the tests is run on all, the others on one class each, as tests for
// phones and for drives are.
const (
	classes  = 10
	measures = 4 // of each test
	common   = 15
)

// repeated are how many runs a cell has, in turn: ten in three.
var repeated = []int{2, 3, 5}

// Test is the slug of a test of a load; the first fifteen are run on every variant.
func Test(i int) string { return fmt.Sprintf("load-%03d", i) }

// Generate fills an empty desk with made-up models, variants, units, tests, runs, claims and offers, and with a field
// "load-50" of fifty variants that have most figures in common. The same seed makes the same figures.
func Generate(ctx context.Context, d *desk.Desk, l Size, seed uint64, tell func(done, of int)) (Size, error) {
	if l.Variants < 50 || l.Tests < common || l.Readings < 0 {
		return l, desk.Refuse(desk.Invalid, "a load has at least 50 variants and %d tests, not %d and %d", common, l.Variants,
			l.Tests)
	}
	if known, err := d.Store.Models(ctx); err != nil || len(known) > 0 {
		return l, cmp.Or(err, desk.Refuse(desk.Conflict, "this desk has %d models already; made-up data goes into an "+
			"empty data folder", len(known)))
	}
	var tests []method.Test
	for i := range l.Tests {
		t := method.Test{Slug: Test(i), Version: 1, Name: fmt.Sprintf("Load %d", i), Group: []string{"CPU", "memory",
			"storage", "application", "graphics"}[i%5], Origin: "own", MustMatch: []string{"supply"}, Repeats: 3, Seconds: 20}
		for m := range measures {
			x := method.Measure{Slug: fmt.Sprintf("m%d", m), Name: fmt.Sprintf("part %d", m), Unit: "MiBy/s",
				Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.015}
			if m == 3 {
				x.Unit, x.Better = "s", quantity.Lower
			}
			t.Measures = append(t.Measures, x)
		}
		tests = append(tests, t)
	}
	usual, err := d.Store.Setup(ctx, method.AsDelivered)
	if err != nil {
		return l, desk.Missing(err, "setup", method.AsDelivered)
	}
	conditions := usual.Conditions
	basis := trust.BasisKey(tests[0], conditions)
	rng := rand.New(rand.NewPCG(seed, 0x6c6f6164))
	began := d.Now().AddDate(-10, 0, 0)
	field := ranking.Field{Slug: "load-50", Name: "fifty variants"}
	for i := range 50 {
		field.Variants = append(field.Variants, variant(i*classes%l.Variants))
	}
	err = d.Write(ctx, func(q *desk.Tx) error {
		for _, t := range tests {
			if err := q.PutTest(ctx, t, d.Now()); err != nil {
				return err
			}
		}
		return nil
	})
	run := float64(l.Readings) / float64(l.Variants*measures) * float64(len(repeated)) / 10 // tests run on each variant
	l.Readings, l.Cells = 0, 0
	for v := 0; err == nil && v < l.Variants; v += 50 {
		err = d.Write(ctx, func(q *desk.Tx) error {
			for k := v; k < min(v+50, l.Variants); k++ {
				if err := one(ctx, q, k, tests, run, conditions, basis, rng,
					began.Add(time.Duration(k)*10*365*24*time.Hour/time.Duration(l.Variants)), &l); err != nil {
					return err
				}
			}
			return nil
		})
		tell(min(v+50, l.Variants), l.Variants)
	}
	if err == nil {
		slices.Sort(field.Variants)
		field.Variants = slices.Compact(field.Variants)
		err = d.Write(ctx, func(q *desk.Tx) error { return q.PutField(ctx, field) })
	}
	d.CatalogueChanged()
	return l, err
}

func variant(i int) string { return fmt.Sprintf("load-%04d", i) }

// one makes one variant with its model, a unit, what was measured on it, three claims and an offer. Its figures are its
// strength, times the measure's size, times what is its own in that measure, times noise.
func one(ctx context.Context, q *desk.Tx, i int, tests []method.Test, run float64, conditions map[string]string,
	basis string, rng *rand.Rand, at time.Time, l *Size) error {
	slug := variant(i)
	class := i % classes
	model := catalog.Model{Slug: fmt.Sprintf("load-model-%04d", i/2), Maker: fmt.Sprintf("Maker %02d", i/2%40),
		Name: fmt.Sprintf("Load %04d", i/2), Kind: catalog.Kinds[class/2], Released: at.Format("2006-01")}
	if i%2 == 0 {
		if err := q.PutModel(ctx, model); err != nil {
			return err
		}
	}
	spec := map[string]any{"cpu.cores": 4 + 2*(i%6), "memory.size": fmt.Sprintf("%d GiB", 8<<(i%3)),
		"body.weight": fmt.Sprintf("%.2f kg", 0.5+float64(i%50)/20)}
	if err := q.PutVariant(ctx, catalog.Variant{Slug: slug, Model: model.Slug, Name: fmt.Sprintf("configuration %d",
		i%2+1), Spec: spec}, i%2); err != nil {
		return err
	}
	if err := q.PutUnit(ctx, catalog.Unit{Slug: slug + "-a", Variant: slug, Origin: "bought",
		Received: at.Format(time.DateOnly), State: "returned"}, 0); err != nil {
		return err
	}
	s, err := q.PutSitting(ctx, record.Sitting{ID: desk.NewID(), Unit: slug + "-a", Boot: "load", Started: at,
		Machine: record.Machine{Boot: "load", Simulated: true}})
	if err != nil {
		return err
	}
	strength := 0.3 * rng.NormFloat64()
	var runs []record.Run
	var es []store.Estimate
	own := (len(tests) - common) / classes // tests of its class
	for t, test := range tests {
		if t >= common && ((t-common)%classes != class || rng.Float64()*float64(own) >= run-common) {
			continue
		}
		repeats := repeated[(i+t)%len(repeated)]
		values := make([][]stats.Value, measures)
		tied := make([]float64, measures)
		for m := range tied {
			tied[m] = 0.08 * rng.NormFloat64()
		}
		for r := range repeats {
			began := at.Add(time.Duration(len(runs)) * 20 * time.Second)
			x := record.Run{ID: desk.NewID(), Test: test.Slug, TestVersion: 1, Subject: slug + "-a", Setup: method.AsDelivered,
				Sitting: s.ID, Repeat: r, Started: began, Ended: began.Add(19 * time.Second), Outcome: record.Done,
				Source: record.FromAgent, Simulated: true}
			for m, def := range test.Measures {
				v := strength + tied[m]
				if def.Better == quantity.Lower {
					v = -v
				}
				v = 100 * float64(1+t%7) * math.Exp(v+0.015*rng.NormFloat64())
				v = math.Round(v*1000) / 1000
				x.Readings = append(x.Readings, record.Reading{Measure: def.Slug, State: record.OK, Value: v})
				values[m] = append(values[m], stats.Value{X: v, Sitting: s.ID})
			}
			runs = append(runs, x)
			l.Readings += measures
		}
		for m, vs := range values {
			e := store.Estimate{CellKey: store.CellKey{Measure: method.ID(test.Slug, test.Measures[m].Slug),
				Setup: method.AsDelivered, Unit: slug + "-a"}, Variant: slug, Conditions: conditions, TestVersion: 1,
				Simulated: true,
				Cell:      stats.NewCell(vs, true), BestLow: math.Inf(1), Updated: at}
			for _, v := range vs {
				e.BestLow, e.BestHigh = min(e.BestLow, v.X), max(e.BestHigh, v.X)
			}
			es = append(es, e)
			l.Cells++
		}
	}
	for c := range 3 {
		e := es[c*measures]
		claim := catalog.Claim{ID: desk.NewID(), Variant: slug, Measure: e.Measure,
			Value: math.Round(e.Cell.Median * (0.97 + 0.02*float64((i+c)%4))), Unit: "MiBy/s", Source: "spec sheet",
			Date: at.Format(time.DateOnly)}
		if err := q.AddClaim(ctx, claim, c); err != nil {
			return err
		}
	}
	offer := catalog.Offer{ID: desk.NewID(), Variant: slug,
		Amount: int64(40000*math.Exp(strength+0.2*rng.NormFloat64())) / 100 * 100, Currency: "EUR", Region: "DE",
		TaxIncluded: true, Condition: "new", Seller: "Load shop", Date: at.Format(time.DateOnly)}
	if err := q.AddOffer(ctx, offer, 0); err != nil {
		return err
	}
	return addCells(ctx, q, runs, basis, es)
}

// addCells writes new cells of one basis with the runs behind them, which count as examined.
func addCells(ctx context.Context, q *desk.Tx, runs []record.Run, basis string, es []store.Estimate) error {
	var rows, readings, cells [][]any
	for _, r := range runs {
		rows = append(rows, []any{r.ID, r.Test, r.TestVersion, r.Subject, r.Setup, r.Sitting, r.Repeat,
			store.Stamp(r.Started), store.Stamp(r.Ended), r.Outcome, r.Source, r.Simulated, store.JSON(r.Observed), basis, "[]"})
		for _, x := range r.Readings {
			readings = append(readings, []any{r.ID, x.Measure, string(x.State), x.Value})
		}
	}
	for _, e := range es {
		cells = append(cells, []any{e.Measure, e.Setup, e.Unit, e.Host, e.Place, basis, e.Variant, store.JSON(e.Cell),
			store.JSON(e.Conditions), e.TestVersion, e.Simulated, e.BestLow, e.BestHigh, store.Stamp(e.Updated), e.Limiter})
	}
	if err := q.Insert(ctx, `run (id, test, test_version, subject, setup, sitting, repeat, started, ended, outcome, source, simulated, observed, basis, marks)`, rows); err != nil {
		return err
	}
	if err := q.Insert(ctx, `reading (run, measure, state, value)`, readings); err != nil {
		return err
	}
	return q.Insert(ctx, `estimate (measure, setup, unit, host, place, basis, variant, cell, conditions, test_version, simulated, best_low, best_high, updated, limiter)`, cells)
}
