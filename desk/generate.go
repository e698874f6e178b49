package desk

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
	"durvek/store"
)

// Load is how much made-up data a desk is filled with, to see how the service does at a size: the planned one is 5,000 variants, 300 tests
// and 2 million readings.
type Load struct {
	Variants int `json:"variants"`
	Tests    int `json:"tests"`
	Readings int `json:"readings" doc:"About as many"`
	Cells    int `json:"cells"`
}

// Every load has classes of variants: a share of the tests is run on all, the others on one class each, as tests for phones and for drives are.
const (
	loadClasses  = 10
	loadMeasures = 4 // of each test
	loadCommon   = 15
)

// loadRepeats are how many runs a cell has, in turn: ten in three.
var loadRepeats = []int{2, 3, 5}

// LoadTest is the slug of a test of a load; the first fifteen are run on every variant.
func LoadTest(i int) string { return fmt.Sprintf("load-%03d", i) }

// Generate fills an empty desk with made-up models, variants, units, tests, runs, claims and offers, and with a field "load-50" of fifty
// variants that have most figures in common. The same seed makes the same figures.
func (d *Desk) Generate(ctx context.Context, l Load, seed uint64, tell func(done, of int)) (Load, error) {
	if l.Variants < 50 || l.Tests < loadCommon || l.Readings < 0 {
		return l, refuse(Invalid, "a load has at least 50 variants and %d tests, not %d and %d", loadCommon, l.Variants, l.Tests)
	}
	if known, err := d.store.Models(ctx); err != nil || len(known) > 0 {
		return l, cmp.Or(err, refuse(Conflict, "this desk has %d models already; made-up data goes into an empty data folder", len(known)))
	}
	var tests []method.Test
	for i := range l.Tests {
		t := method.Test{Slug: LoadTest(i), Version: 1, Name: fmt.Sprintf("Load %d", i), Group: []string{"CPU", "memory", "storage", "application", "graphics"}[i%5], Origin: "own", MustMatch: []string{"supply"}, Repeats: 3, Seconds: 20}
		for m := range loadMeasures {
			x := method.Measure{Slug: fmt.Sprintf("m%d", m), Name: fmt.Sprintf("part %d", m), Unit: "MiBy/s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.015}
			if m == 3 {
				x.Unit, x.Better = "s", quantity.Lower
			}
			t.Measures = append(t.Measures, x)
		}
		tests = append(tests, t)
	}
	conditions := builtinSetups[0].Conditions
	basis := basisKey(tests[0], conditions)
	rng := rand.New(rand.NewPCG(seed, 0x6c6f6164))
	began := d.now().AddDate(-10, 0, 0)
	field := ranking.Field{Slug: "load-50", Name: "fifty variants"}
	for i := range 50 {
		field.Variants = append(field.Variants, loadVariant(i*loadClasses%l.Variants))
	}
	err := d.store.Write(ctx, func(q store.Queries) error {
		for _, t := range tests {
			if err := q.PutTest(ctx, t, d.now()); err != nil {
				return err
			}
		}
		return nil
	})
	run := float64(l.Readings) / float64(l.Variants*loadMeasures) * float64(len(loadRepeats)) / 10 // tests run on each variant
	l.Readings, l.Cells = 0, 0
	for v := 0; err == nil && v < l.Variants; v += 50 {
		err = d.store.Write(ctx, func(q store.Queries) error {
			for k := v; k < min(v+50, l.Variants); k++ {
				if err := d.loadOne(ctx, q, k, tests, run, conditions, basis, rng, began.Add(time.Duration(k)*10*365*24*time.Hour/time.Duration(l.Variants)), &l); err != nil {
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
		err = d.store.Write(ctx, func(q store.Queries) error { return q.PutField(ctx, field) })
	}
	d.catalogChanged()
	return l, err
}

func loadVariant(i int) string { return fmt.Sprintf("load-%04d", i) }

// loadOne makes one variant with its model, a unit, what was measured on it, three claims and an offer. Its figures are its strength, times
// the measure's size, times what is its own in that measure, times noise.
func (d *Desk) loadOne(ctx context.Context, q store.Queries, i int, tests []method.Test, run float64, conditions map[string]string, basis string, rng *rand.Rand, at time.Time, l *Load) error {
	slug := loadVariant(i)
	class := i % loadClasses
	model := catalog.Model{Slug: fmt.Sprintf("load-model-%04d", i/2), Maker: fmt.Sprintf("Maker %02d", i/2%40), Name: fmt.Sprintf("Load %04d", i/2), Kind: catalog.Kinds[class/2], Released: at.Format("2006-01")}
	if i%2 == 0 {
		if err := q.PutModel(ctx, model); err != nil {
			return err
		}
	}
	spec := map[string]any{"cpu.cores": 4 + 2*(i%6), "memory.size": fmt.Sprintf("%d GiB", 8<<(i%3)), "body.weight": fmt.Sprintf("%.2f kg", 0.5+float64(i%50)/20)}
	if err := q.PutVariant(ctx, catalog.Variant{Slug: slug, Model: model.Slug, Name: fmt.Sprintf("configuration %d", i%2+1), Spec: spec}, i%2); err != nil {
		return err
	}
	if err := q.PutUnit(ctx, catalog.Unit{Slug: slug + "-a", Variant: slug, Origin: "bought", Received: at.Format(time.DateOnly), State: "returned"}, 0); err != nil {
		return err
	}
	s, err := q.PutSitting(ctx, record.Sitting{ID: newID(), Unit: slug + "-a", Boot: "load", Started: at, Machine: record.Machine{Boot: "load", Simulated: true}})
	if err != nil {
		return err
	}
	strength := 0.3 * rng.NormFloat64()
	var runs []record.Run
	var es []store.Estimate
	own := (len(tests) - loadCommon) / loadClasses // tests of its class
	for t, test := range tests {
		if t >= loadCommon && ((t-loadCommon)%loadClasses != class || rng.Float64()*float64(own) >= run-loadCommon) {
			continue
		}
		repeats := loadRepeats[(i+t)%len(loadRepeats)]
		values := make([][]stats.Value, loadMeasures)
		tied := make([]float64, loadMeasures)
		for m := range tied {
			tied[m] = 0.08 * rng.NormFloat64()
		}
		for r := range repeats {
			began := at.Add(time.Duration(len(runs)) * 20 * time.Second)
			x := record.Run{ID: newID(), Test: test.Slug, TestVersion: 1, Subject: slug + "-a", Setup: method.AsDelivered, Sitting: s.ID, Repeat: r, Started: began, Ended: began.Add(19 * time.Second), Outcome: "done", Source: "agent", Simulated: true}
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
			l.Readings += loadMeasures
		}
		for m, vs := range values {
			e := store.Estimate{CellKey: store.CellKey{Measure: method.ID(test.Slug, test.Measures[m].Slug), Setup: method.AsDelivered, Unit: slug + "-a"}, Variant: slug, Conditions: conditions, TestVersion: 1, Simulated: true,
				Cell: stats.NewCell(vs, true), BestLow: math.Inf(1), Updated: at}
			for _, v := range vs {
				e.BestLow, e.BestHigh = min(e.BestLow, v.X), max(e.BestHigh, v.X)
			}
			es = append(es, e)
			l.Cells++
		}
	}
	for c := range 3 {
		e := es[c*loadMeasures]
		claim := catalog.Claim{ID: newID(), Variant: slug, Measure: e.Measure, Value: math.Round(e.Cell.Median * (0.97 + 0.02*float64((i+c)%4))), Unit: "MiBy/s", Source: "spec sheet", Date: at.Format(time.DateOnly)}
		if err := q.AddClaim(ctx, claim, c); err != nil {
			return err
		}
	}
	offer := catalog.Offer{ID: newID(), Variant: slug, Amount: int64(40000*math.Exp(strength+0.2*rng.NormFloat64())) / 100 * 100, Currency: "EUR", Region: "DE", TaxIncluded: true, Condition: "new", Seller: "Load shop", Date: at.Format(time.DateOnly)}
	if err := q.AddOffer(ctx, offer, 0); err != nil {
		return err
	}
	return q.AddCells(ctx, runs, basis, es)
}
