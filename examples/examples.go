// Package examples makes up rivals for a desk that has none yet: a few devices of each common kind whose figures follow
// from a spec sheet and a seed, as simulated machines tell them. They are called examples everywhere, and the desk
// takes
// them away again.
package examples

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/desk/results"
	"durvek/machine"
	"durvek/simulate"
	"durvek/workload"
)

// Maker is what the examples' maker is called.
const Maker = "Example"

// device is an example: what sets it apart from the usual one of its kind.
type device struct {
	name  string
	price int64 // EUR cents
	spec  map[string]any
}

// repeats of each test; days is how many days before today they were measured.
const (
	repeats = 3
	days    = 30
)

// host is the example that drives are measured in.
const host = "example-tower-a"

var kinds = []catalog.Kind{"laptop", "desktop", "mini-pc", "tablet", "phone", "drive"}

// Kinds lists the kinds that have examples.
func Kinds() []catalog.Kind { return slices.Clone(kinds) }

// Made makes the examples of some kinds, of all if none is named; what has none adds nothing. Today is the day that
// they are measured before, runtimes are those that the desk's own runs were made in: only what ran in the same
// compares.
func Made(ctx context.Context, today time.Time, runtimes []string, wanted ...catalog.Kind) ([]results.Example, error) {
	if len(wanted) == 0 {
		wanted = kinds
	}
	if slices.Contains(wanted, "drive") && !slices.Contains(wanted, "desktop") {
		wanted = append([]catalog.Kind{"desktop"}, wanted...)
	}
	var out []results.Example
	for _, kind := range kinds { // desktops before the drives that sit in one
		if !slices.Contains(wanted, kind) {
			continue
		}
		for i, x := range devices[kind] {
			e, err := x.made(ctx, kind, i, today, runtimes)
			if err != nil {
				return nil, err
			}
			out = append(out, e)
		}
	}
	return out, nil
}

// sheet is a device's spec sheet.
func (x device) sheet(kind catalog.Kind) map[string]any {
	spec := maps.Clone(usual[kind])
	maps.Copy(spec, x.spec)
	return spec
}

func (x device) made(ctx context.Context, kind catalog.Kind, i int, today time.Time,
	runtimes []string) (results.Example, error) {
	slug := desk.Slug("", Maker, x.name)
	spec := x.sheet(kind)
	e := results.Example{Dossier: catalog.Dossier{Format: catalog.DossierFormat,
		Model: catalog.Model{Slug: slug, Maker: Maker, Name: x.name, Kind: kind, Released: today.AddDate(0, -3-2*i,
			0).Format("2006-01"), Notes: "A made-up rival that shows what a ranking looks like. It is never published."},
		Variants: []catalog.DossierVariant{{Variant: catalog.Variant{Slug: slug, Name: catalog.Configured(spec), Spec: spec},
			Units: []catalog.Unit{{Slug: slug + "-a", Origin: "own", State: "on desk"}},
			Offers: []catalog.Offer{{Amount: x.price, Currency: "EUR", Region: "EU", TaxIncluded: true, Condition: "new",
				Seller: "Example shop", Date: today.AddDate(0, 0, -days).Format(time.DateOnly)}}}}},
		Runs: results.RunFile{Format: results.RunsFormat, Runs: []record.Run{}}}
	m := &simulate.Machine{Name: slug, Spec: spec, Seed: uint64(100*slices.Index(kinds, kind) + i),
		Runtime: machine.Runtime(),
		Start:   today.AddDate(0, 0, -days).Truncate(24 * time.Hour), Boot: slug}
	if kind == "drive" {
		e.Host, m.HostSpec = host, devices["desktop"][0].sheet("desktop")
	}
	var err error
	if e.Runs.Machine, err = m.Describe(ctx); err != nil {
		return e, err
	}
	e.Runs.Machine.Facts = map[string]string{}
	e.Runs.Runs = append(e.Runs.Runs, byHand(m, kind)...)
	for _, t := range workload.Tests() {
		if t.Lasting() || t.Of != "" || !t.Fits(kind) || kind == "drive" && !strings.HasPrefix(t.Slug, "drive-") {
			continue
		}
		m.Browser = t.InBrowser == "only" || t.InBrowser == "too" && slices.Contains([]catalog.Kind{"tablet", "phone"}, kind)
		if !m.Browser && !t.Usual || m.Browser && (kind == "drive" || t.Seconds > 120) {
			continue
		}
		for repeat := range repeats {
			r, err := run(ctx, m, t, repeat, runtimeOf(m, runtimes))
			if err != nil {
				return e, fmt.Errorf("example %s: %w", x.name, err)
			}
			e.Runs.Runs = append(e.Runs.Runs, r)
		}
	}
	return e, nil
}

// runtimeOf is what runs of a machine say that they were made in.
func runtimeOf(m *simulate.Machine, runtimes []string) string {
	for _, r := range runtimes {
		if strings.HasPrefix(r, "in browser") == m.Browser {
			return r
		}
	}
	if m.Browser {
		return simulate.BrowserRuntime
	}
	return machine.Runtime()
}

// id is the same whenever a run is made.
func id(m *simulate.Machine, test string, version, repeat int, runtime string) string {
	return uuid.NewSHA1(uuid.NameSpaceURL, fmt.Appendf(nil, "example %s %s %d %d %s", m.Name, test, version, repeat,
		runtime)).String()
}

// byHand are the figures that a person takes with scales, a tape and a watch.
func byHand(m *simulate.Machine, kind catalog.Kind) (out []record.Run) {
	figures := map[string]map[string]float64{}
	if weight, ok := catalog.SpecNumber(m.Spec, "body.weight"); ok {
		figures["weight"] = map[string]float64{"weight": weight}
	}
	if power, ok := catalog.SpecNumber(m.Spec, "cpu.power_limit"); ok && kind != "drive" {
		figures["start-up-time"] = map[string]float64{"time": math.Round(10*(26-4*math.Log(power))) / 10}
		size, _ := catalog.SpecNumber(m.Spec, "drive.size")
		figures["free-space"] = map[string]float64{"free": math.Round(0.86*size - 31)}
	}
	for _, test := range slices.Sorted(maps.Keys(figures)) {
		r := record.Run{ID: id(m, test, 1, 0, ""), Test: test, TestVersion: 1, Observed: map[string]string{},
			Started: m.Now(), Ended: m.Now(), Outcome: record.Done}
		for measure, v := range figures[test] {
			r.Readings = append(r.Readings, record.Reading{Measure: measure, State: record.OK, Value: v})
		}
		out = append(out, r)
	}
	return out
}

// run is one run of a test on a simulated machine.
func run(ctx context.Context, m *simulate.Machine, t method.Test, repeat int, runtime string) (record.Run, error) {
	r := record.Run{ID: id(m, t.Slug, t.Version, repeat, runtime), Test: t.Slug, TestVersion: t.Version, Repeat: repeat,
		Observed: m.Observe(ctx), Started: m.Now()}
	out, err := m.Run(ctx, record.Order{Test: t}, func(record.Sample) {})
	if err != nil {
		return r, err
	}
	maps.Copy(r.Observed, out.Observed)
	r.Observed["runtime"] = runtime
	r.Ended, r.Negotiated, r.Readings, r.Series = m.Now(), out.Negotiated, out.Readings, out.Series
	r.Close(nil)
	for i, x := range r.Readings {
		measure, _ := t.Measure(x.Measure)
		r.Readings[i] = x.Settle(measure)
	}
	return r, nil
}
