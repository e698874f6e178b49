// Package demo is the Marram Desk: an invented two-person review desk in an invented harbour town, with
// its dossiers, tests, readings and a bench of simulated machines. It fills a running service through
// the same API and the same agent code that a real desk uses.
package demo

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"sort"
	"strings"
	"sync"
	"time"

	"durvek/agent"
	"durvek/api"
	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/machine"
	"durvek/simulate"
)

//go:embed dossiers/*.yaml tests/*.yaml tables/*.csv uses/*.yaml raw/*/*
var files embed.FS

// DeskName is the demo's desk.
const DeskName = "Marram Desk"

// Licence is what the demo's data are published under, Imprint who answers for it.
const (
	Licence = "CC-BY-4.0"
	Imprint = "Marram Desk, the chandlery's measuring room. Every product, maker and person here is made up."
)

// Options say how the demo is filled. Local runs the agent on this machine with a one-time code; nil
// leaves this machine out. Pace is real seconds per simulated second for the machines one watches.
type Options struct {
	Client *client.Client
	Dir    string // where agents keep their results
	Local  func(ctx context.Context, code string) error
	Pace   float64
	Say    func(format string, args ...any)

	service agent.Service    // in place of Client, for agents; nil for Client itself
	now     func() time.Time // nil for the real clock
	jobs    []job            // in place of the whole bench, one after the other
}

// Fields of the demo, in order.
var fields = []ranking.Field{
	{Slug: "machines", Name: "machines", Kinds: []catalog.Kind{"laptop", "desktop", "mini-pc", "tablet", "phone"}},
	{Slug: "laptops", Name: "crew laptops", Kinds: []catalog.Kind{"laptop"}},
	{Slug: "chart-room", Name: "chart-room machines", Kinds: []catalog.Kind{"desktop", "mini-pc"}},
	{Slug: "foredeck", Name: "tablets and phones", Kinds: []catalog.Kind{"tablet", "phone"}},
	{Slug: "survey-drives", Name: "survey drives", Kinds: []catalog.Kind{"drive"}},
	{Slug: "under-1100", Name: "laptops from 600 to 1,100 EUR", Kinds: []catalog.Kind{"laptop"},
		Price: &ranking.PriceBand{From: 600, To: 1100, Currency: "EUR"}},
	{Slug: "since-2026", Name: "machines of 2026", Kinds: []catalog.Kind{"laptop", "desktop", "mini-pc", "tablet",
		"phone"}, ReleasedFrom: "2026-01"},
	{Slug: "skarn", Name: "machines with a Skarn", Chip: "Skarn"},
	{Slug: "pocket", Name: "screens of up to 12 inches", ScreenTo: 12},
	{Slug: "laptop-modes", Name: "crew laptops, every mode", Kinds: []catalog.Kind{"laptop"}, Modes: true},
}

// Rates that the desk wrote down. Prices in dollars of before the first day cannot be converted, which is as it should
// be.
var rates = []catalog.Rate{
	{From: "GBP", To: "EUR", Rate: 1.148, Date: "2026-10-01", Source: "bank's sheet, 1 October"},
	{From: "USD", To: "EUR", Rate: 0.861, Date: "2026-10-01", Source: "bank's sheet, 1 October"},
	{From: "GBP", To: "EUR", Rate: 1.137, Date: "2026-11-02", Source: "bank's sheet, 2 November"},
	{From: "USD", To: "EUR", Rate: 0.874, Date: "2026-11-02", Source: "bank's sheet, 2 November"},
}

// Catalogue takes in dossiers, tests, fields and the desk's own readings.
func Catalogue(ctx context.Context, c *client.Client) error {
	for _, f := range fields {
		if err := c.Do(ctx, http.MethodPost, "/api/fields", nil, f, nil); err != nil {
			return err
		}
	}
	for _, r := range rates {
		if err := c.Do(ctx, http.MethodPost, "/api/rates", nil, r, nil); err != nil {
			return err
		}
	}
	for _, x := range []struct{ pattern, path string }{{"tests/*.yaml", "/api/tests"}, {"dossiers/*.yaml",
		"/api/dossiers"}, {"tables/*.csv", "/api/tables"}, {"uses/*.yaml", "/api/use-files"}} {
		names, err := fs.Glob(files, x.pattern)
		if err != nil {
			return err
		}
		sort.Strings(names)
		for _, name := range names {
			data, err := files.ReadFile(name)
			if err != nil {
				return err
			}
			if err := c.Do(ctx, http.MethodPost, x.path, nil, data, nil); err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
		}
	}
	return nil
}

// job is a plan for a simulated unit.
type job struct {
	unit, host, place, setup string
	setups                   []string // in place of setup: every test under each
	tests                    []string
	options                  map[string]string // of every test
	repeats                  int
	watch                    bool // paced, so that one sees it run
	name                     string
	browser                  bool // the probe measures it, in its browser
	terms                    method.Terms
	quirks                   []simulate.Quirk
	faults                   []simulate.Fault
	ago                      int        // days before today on which it was made, in a sitting of its own
	lost                     [2]float64 // from and to which second of a watched plan the machine has no network
}

// machine is the unit that a job's agent runs on: one agent at a time may.
func (j job) machine() string {
	if j.host != "" {
		return j.host
	}
	return j.unit
}

// What plans measure: a whole machine; this machine, for real and in little time; a drive; lasting load.
var (
	whole = []string{"hashing", "harbour-picture", "compression", "sealing", "log-indexing", "route-search", "inference",
		"video-encode",
		"memory-bandwidth", "memory-latency",
		"drive-sequential", "drive-random", "drive-appends", "small-files", "archive", "database", "photo-batch",
		"foreground", "wake-up"}
	short = []string{"hashing", "compression", "memory-bandwidth", "drive-sequential", "drive-random", "drive-appends",
		"archive"}
	local   = []string{"hashing", "compression", "drive-sequential", "drive-random"}
	filling = []string{"drive-fill", "drive-write-sustained"}
	drive   = []string{"drive-sequential", "drive-random", "drive-appends", "drive-depths"}
	monthly = []string{"small-files"}
	lasting = []string{"hashing-sustained", "video-encode-sustained", "route-search-scaling"}
	drawing = []string{"graphics-fill", "graphics-texture", "graphics-geometry", "graphics-arithmetic", "graphics-scene",
		"webgpu-compute"}
	felt  = []string{"video-playback", "page-visits", "many-jobs", "wireless-link", "webgpu-picture"}
	daily = []string{"rundown-reading", "rundown-video", "rundown-office", "rundown-graphics", "rundown-heavy"}
	hand  = append([]string{"hashing", "compression", "screen-facts", "touch-response", "browser-storage"}, drawing...)
)

// runDown is a unit's day on battery, in its own browser.
func runDown(unit string, faults ...simulate.Fault) job {
	return job{unit: unit, setup: "battery", tests: daily, repeats: 1, browser: true, name: "From full to empty",
		options: map[string]string{"heartbeat": "60 s"}, faults: faults}
}

// firmwareWatch names the plan that a unit repeats every other month, to see what new firmware does to it.
const firmwareWatch = "Every other month, after updates"

// bench lists what the simulated machines do, the planted oddities with them.
var bench = []job{
	{unit: "sound-12-16-512-a"},
	{unit: "sound-14-16-512-a"},
	{unit: "sound-16-32-1000-a"},
	{unit: "sound-16-32-1000-a", setup: "fast-mode", tests: []string{"hashing", "compression"}, repeats: 3},
	{unit: "fen-14-16-512-a", quirks: []simulate.Quirk{{Measure: "drive-sequential/read", Factor: 1.0145},
		{Measure: "archive/pack", Factor: 0.99}}},
	{unit: "fen-14-16-512-a", setup: "battery", tests: []string{"hashing", "compression"}, repeats: 3},
	{unit: "fen-14-16-512-a", setup: "fast-mode", tests: []string{"hashing", "compression"}, repeats: 3},
	{unit: "fen-14-32-1000-a", quirks: []simulate.Quirk{{Measure: "hashing", Factor: 1.003}}},
	{unit: "fen-14-32-1000-a", setup: "battery", tests: []string{"hashing", "compression"}, repeats: 3,
		quirks: []simulate.Quirk{{Factor: 0.9}}},
	{unit: "relay-15-16-512-a", ago: 240, tests: monthly, repeats: 3, name: firmwareWatch,
		quirks: []simulate.Quirk{{Observed: map[string]string{"firmware": "1.08"}}}},
	{unit: "relay-15-16-512-a", ago: 200, tests: monthly, repeats: 3, name: firmwareWatch,
		quirks: []simulate.Quirk{{Observed: map[string]string{"firmware": "1.08"}}}},
	{unit: "relay-15-16-512-a", ago: 160, tests: monthly, repeats: 3, name: firmwareWatch,
		quirks: []simulate.Quirk{{Observed: map[string]string{"firmware": "1.08"}}}},
	{unit: "relay-15-16-512-a", ago: 110, tests: monthly, repeats: 3, name: firmwareWatch,
		quirks: []simulate.Quirk{{Measure: "small-files", Factor: 0.78, Observed: map[string]string{"firmware": "1.12"}}}},
	{unit: "relay-15-16-512-a", ago: 60, tests: monthly, repeats: 3, name: firmwareWatch,
		quirks: []simulate.Quirk{{Measure: "small-files", Factor: 0.78, Observed: map[string]string{"firmware": "1.12"}}}},
	{unit: "relay-15-16-512-a", quirks: []simulate.Quirk{{Measure: "hashing", Factor: 0.8, Repeats: []int{4},
		Observed: map[string]string{"supply": "battery"}},
		{Measure: "small-files", Factor: 0.78, Observed: map[string]string{"firmware": "1.12"}}}},
	{unit: "pilot-13-16-512-a", tests: []string{"hashing", "compression", "sealing", "route-search", "memory-bandwidth",
		"memory-latency", "drive-sequential", "archive", "wake-up"}},
	{unit: "skiff-14-16-1000-a"},
	{unit: "skiff-14-16-1000-a", setup: "fast-mode", tests: []string{"hashing", "compression"}, repeats: 3},
	{unit: "harbour-tower-64-2000-a"},
	// bits were taken for bytes, once
	{unit: "relay-desk-32-1000-a", quirks: []simulate.Quirk{{Measure: "log-indexing", Factor: 8, Repeats: []int{3}}}},
	{unit: "tern-mini-32-1000-a"},
	{unit: "tern-mini-32-1000-a", setup: "fast-mode", tests: []string{"hashing", "compression"}, repeats: 3},
	{unit: "ketch-tab-8-256-a"},
	{unit: "inlet-6-128-a", tests: []string{"hashing", "compression", "memory-bandwidth", "drive-sequential"}, repeats: 3,
		quirks: []simulate.Quirk{{Measure: "memory-bandwidth", Fail: "the system ended the program for want of memory"}}},
	{unit: "wrack-1000-a", host: "sound-16-32-1000-a", place: "inner slot", tests: drive},
	{unit: "gannet-2000-a", host: "sound-16-32-1000-a", place: "left port", tests: drive,
		quirks: []simulate.Quirk{{Measure: "drive-sequential/write", Factor: 0.93}, {Measure: "drive-appends/rate",
			Factor: 0.16}, {Measure: "drive-appends/median", Factor: 5.1},
			{Measure: "drive-appends/latency-99", Factor: 9}, {Measure: "drive-appends/worst", Factor: 7}}},
	{unit: "holdfast-1000-a", host: "sound-16-32-1000-a", place: "left port", tests: drive},
	{unit: "wrack-1000-a", host: "sound-16-32-1000-a", place: "inner slot", tests: filling, repeats: 1},
	{unit: "gannet-2000-a", host: "sound-16-32-1000-a", place: "left port", tests: filling, repeats: 1},
	{unit: "holdfast-1000-a", host: "sound-16-32-1000-a", place: "left port", tests: filling, repeats: 1},
	{unit: "sound-14-16-512-a", tests: lasting, repeats: 1},
	{unit: "sound-16-32-1000-a", tests: lasting, repeats: 1},
	{unit: "fen-14-16-512-a", tests: lasting, repeats: 1},
	{unit: "pilot-13-16-512-a", tests: lasting, repeats: 1},
	{unit: "harbour-tower-64-2000-a", tests: lasting, repeats: 1},
	{unit: "tern-mini-32-1000-a", tests: lasting, repeats: 1},
	{unit: "sound-16-32-1000-a", tests: []string{"hull-mesher"}, repeats: 3},
	{unit: "fen-14-16-512-a", tests: []string{"hull-mesher"}, repeats: 3},
	{unit: "relay-15-16-512-a", tests: []string{"hull-mesher"}, repeats: 1,
		quirks: []simulate.Quirk{{NotRun: "not allowed on this machine: hull-mesher --size 40 --report mesh.json; its " +
			"owner allows it there with `durvek command allow -- hull-mesher --size 40 --report mesh.json`"}}},
	{unit: "sound-12-16-512-a", tests: drawing, repeats: 3},
	{unit: "sound-14-16-512-a", tests: drawing, repeats: 3},
	{unit: "sound-16-32-1000-a", tests: drawing, repeats: 3},
	{unit: "fen-14-16-512-a", tests: drawing, repeats: 3},
	{unit: "fen-14-32-1000-a", tests: drawing, repeats: 3, quirks: []simulate.Quirk{{Measure: "graphics-arithmetic",
		Factor: 1.004}}},
	{unit: "relay-15-16-512-a", tests: drawing, repeats: 3, quirks: []simulate.Quirk{{Measure: "webgpu-compute",
		NotRun: "this browser has no WebGPU"}}},
	{unit: "pilot-13-16-512-a", tests: drawing, repeats: 3, quirks: []simulate.Quirk{{Measure: "graphics-arithmetic",
		Observed: map[string]string{"graphics.renderer": "software", "graphics.chip": "the processor"}, Factor: 0.06}}},
	{unit: "skiff-14-16-1000-a", tests: drawing, repeats: 3},
	{unit: "harbour-tower-64-2000-a", tests: drawing, repeats: 3},
	{unit: "relay-desk-32-1000-a", tests: drawing, repeats: 3},
	{unit: "tern-mini-32-1000-a", tests: drawing, repeats: 3},
	{unit: "ketch-tab-8-256-a", tests: hand, repeats: 3, browser: true},
	{unit: "leaf-11-12-256-a", tests: hand, repeats: 3, browser: true},
	{unit: "petrel-8-256-a", tests: hand, repeats: 3, browser: true},
	{unit: "inlet-6-128-a", tests: hand, repeats: 3, browser: true, quirks: []simulate.Quirk{{Measure: "webgpu-compute",
		NotRun: "this browser has no WebGPU"}}},
	{unit: "petrel-8-256-a", tests: []string{"graphics-scene-sustained", "graphics-hold"}, repeats: 1, browser: true,
		name: "Phone, ten minutes of drawing"},
	{unit: "leaf-11-12-256-a", tests: []string{"graphics-scene-sustained", "graphics-hold"}, repeats: 1, browser: true,
		name: "Tablet, ten minutes of drawing"},
	{unit: "sound-16-32-1000-a", tests: []string{"graphics-scene-sustained", "graphics-hold"}, repeats: 1,
		name: "Ten minutes of drawing"},
	runDown("sound-12-16-512-a"), runDown("sound-16-32-1000-a"), runDown("fen-14-16-512-a"),
	runDown("pilot-13-16-512-a"), runDown("skiff-14-16-1000-a"), runDown("dunlin-15-16-512-a"),
	runDown("leaf-11-12-256-a"), runDown("ketch-tab-8-256-a"), runDown("petrel-8-256-a"),
	// the charger was plugged in while a film ran
	runDown("kittiwake-8-128-a", simulate.Fault{Kind: simulate.Plugged, Test: "rundown-video", At: 3 * 3600}),
	runDown("inlet-6-128-a"),
	{unit: "leaf-11-12-256-a", tests: felt, repeats: 3, browser: true, name: "Films, pages, many jobs"},
	{unit: "petrel-8-256-a", tests: felt, repeats: 3, browser: true, name: "Films, pages, many jobs"},
	{unit: "kittiwake-8-128-a", tests: felt, repeats: 3, browser: true, name: "Films, pages, many jobs"},
	{unit: "inlet-6-128-a", tests: felt, repeats: 3, browser: true, name: "Films, pages, many jobs"},
	{unit: "petrel-8-256-a", tests: []string{"charging"}, repeats: 1, browser: true, name: "Charging"},
	{unit: "inlet-6-128-a", tests: []string{"charging"}, repeats: 1, browser: true, name: "Charging"},
	{unit: "sound-16-16-512-a", repeats: 3},
	{unit: "pilot-13-32-1000-a", repeats: 3, tests: []string{"hashing", "compression", "sealing", "route-search",
		"memory-bandwidth", "memory-latency", "drive-sequential", "drive-random", "archive", "wake-up"}},
	{unit: "skiff-14-32-2000-a", repeats: 3},
	{unit: "skiff-14-32-2000-a", setup: "fast-mode", tests: []string{"hashing", "compression"}, repeats: 3},
	{unit: "harbour-tower-32-1000-a", repeats: 3},
	{unit: "tern-mini-16-512-a", repeats: 3},
	{unit: "ketch-tab-12-512-a", repeats: 3},
	{unit: "dunlin-15-16-512-a", repeats: 3},
	{unit: "dunlin-15-16-512-a", tests: drawing, repeats: 3},
	{unit: "dunlin-15-16-512-a", tests: lasting, repeats: 1},
	{unit: "galley-mini-16-512-a", repeats: 3},
	{unit: "quay-desk-16-1000-a", repeats: 3},
	{unit: "quay-desk-16-1000-a", tests: drawing, repeats: 3},
	{unit: "petrel-12-512-a", tests: hand, repeats: 3, browser: true},
	{unit: "leaf-11-8-128-a", tests: hand, repeats: 3, browser: true},
	{unit: "kittiwake-8-128-a", tests: hand, repeats: 3, browser: true},
	{unit: "cockle-2000-a", host: "sound-16-32-1000-a", place: "inner slot", tests: drive},
	{unit: "samphire-1000-a", host: "sound-16-32-1000-a", place: "left port", tests: drive, repeats: 3},
	{unit: "marl-1000-a", host: "harbour-tower-64-2000-a", place: "inner port", tests: drive, repeats: 3},
	{unit: "cuddy-8-256-a", tests: short, watch: true, repeats: 3, name: "Chart room, overnight",
		terms: method.Terms{Order: "interleaved", Failure: "retry", Cool: &method.Cool{Seconds: 5, Below: 45, Most: 30}},
		faults: []simulate.Fault{{Kind: simulate.Crash, Test: "compression", At: 2}, {Kind: simulate.Background,
			Test: "memory-bandwidth", Repeats: []int{1}}}},
	{unit: "leaf-11-12-256-a", tests: short, setups: []string{method.AsDelivered, "battery"}, watch: true, repeats: 2,
		name:   "Foredeck tablet, both supplies",
		faults: []simulate.Fault{{Kind: simulate.Unplugged, Test: "memory-bandwidth", Repeats: []int{0}, At: 2}}},
	{unit: "petrel-8-256-a", tests: short, watch: true, repeats: 3, name: "Pocket phone, warm room",
		terms:  method.Terms{Ambient: &method.Band{Low: 18, High: 27}, Sampling: 2},
		faults: []simulate.Fault{{Kind: simulate.WarmRoom}}, lost: [2]float64{40, 110}},
}

// Fill brings the demo into a running service: the catalogue, then the bench with all machines that
// are done at once, then a published review, this machine, and the machines one watches.
func Fill(ctx context.Context, o Options) error {
	if o.Say == nil {
		o.Say = func(string, ...any) {}
	}
	atOnce := 1
	if o.jobs == nil {
		o.now, o.jobs, atOnce = time.Now, bench, 2
	}
	if err := Catalogue(ctx, o.Client); err != nil {
		return fmt.Errorf("fill the catalogue: %w", err)
	}
	if o.Local != nil { // it is in the catalogue from the start, and ranked as soon as it is measured
		m, err := machine.Local{}.Describe(ctx)
		if err == nil {
			err = addMachine(ctx, o.Client, m)
		}
		if err != nil {
			return fmt.Errorf("describe this machine: %w", err)
		}
	}
	o.Say("Catalogue, claims, offers and the desk's own readings are in.")
	var quick, watched []job
	for _, j := range o.jobs {
		if j.watch {
			watched = append(watched, j)
		} else {
			quick = append(quick, j)
		}
	}
	// Jobs of one machine go one after the other: it has one agent at a time.
	var order []string
	byMachine := map[string][]job{}
	for _, j := range quick {
		if byMachine[j.machine()] == nil {
			order = append(order, j.machine())
		}
		byMachine[j.machine()] = append(byMachine[j.machine()], j)
	}
	if err := together(atOnce, order, func(name string) error {
		for _, j := range byMachine[name] {
			if err := simulated(ctx, o, j, 0); err != nil {
				return fmt.Errorf("%s: %w", j.unit, err)
			}
		}
		return nil
	}); err != nil {
		return err
	}
	if err := ByHand(ctx, o.Client); err != nil {
		return fmt.Errorf("note what was found by hand: %w", err)
	}
	if err := Raw(ctx, o.Client); err != nil {
		return fmt.Errorf("take in what was measured with other gear: %w", err)
	}
	if err := Settle(ctx, o.Client); err != nil {
		return fmt.Errorf("settle doubts: %w", err)
	}
	o.Say("%d plans on simulated machines are done.", len(quick))
	if err := Reviews(ctx, o.Client); err != nil {
		return fmt.Errorf("write the reviews: %w", err)
	}
	o.Say("Three reviews are published, one of them in two editions.")
	if o.Local != nil {
		if err := thisMachine(ctx, o); err != nil {
			return fmt.Errorf("measure this machine: %w", err)
		}
		o.Say("This machine is measured.")
	}
	return together(len(watched), watched, func(j job) error { return simulated(ctx, o, j, o.Pace) })
}

// together runs a function over a list in order, so many at a time, and returns the first error.
func together[T any](at int, list []T, f func(T) error) error {
	var wg sync.WaitGroup
	errs := make(chan error, len(list))
	gate := make(chan struct{}, max(at, 1))
	for _, x := range list {
		wg.Add(1)
		gate <- struct{}{}
		go func() {
			defer wg.Done()
			defer func() { <-gate }()
			errs <- f(x)
		}()
	}
	wg.Wait()
	close(errs)
	for err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

var errLost = errors.New("the simulated machine has no network")

func name(unit string) string { return strings.TrimSuffix(unit, "-a") }

func setupOf(ctx context.Context, c *client.Client, slug string) (method.Setup, error) {
	setups, err := client.Ask(ctx, c, api.Setups, api.Listing{Archived: true})
	for _, s := range setups {
		if s.Slug == slug {
			return s, nil
		}
	}
	return method.Setup{Slug: slug}, err
}

func planName(j job) string {
	switch {
	case j.name != "":
		return j.name
	case len(j.tests) == len(filling) && j.host != "":
		return "Survey drive, filled"
	case j.host != "":
		return "Survey drive"
	case len(j.tests) == len(whole):
		return "Whole machine"
	case len(j.tests) == len(lasting) && j.repeats == 1:
		return "Lasting load"
	case len(j.tests) == len(short):
		return "Short plan"
	case len(j.tests) == len(drawing):
		return "Graphics"
	case len(j.tests) == len(hand):
		return "In its browser"
	case len(j.tests) == 1:
		return "The mesher"
	case len(j.tests) == 2:
		return "Processor in another mode"
	}
	return "Short of a test"
}

func seed(unit string) uint64 {
	h := uint64(14695981039346656037)
	for _, b := range []byte(unit) {
		h = (h ^ uint64(b)) * 1099511628211
	}
	return h
}

func specOf(ctx context.Context, c *client.Client, unit string) (map[string]any, error) {
	u, err := client.Ask(ctx, c, api.Unit, api.Slugged{Slug: unit})
	if err != nil {
		return nil, err
	}
	v, err := client.Ask(ctx, c, api.Variant, api.Slugged{Slug: u.Variant})
	return v.Spec, err
}

// ThisMachine is the variant that stands for the machine that the demo runs on.
const ThisMachine = "this-machine"

// Simulate works the plan of a one-time code on a simulated machine of a unit's variant.
func Simulate(ctx context.Context, c *client.Client, code, unit string, pace float64, dir string,
	faults ...simulate.Fault) error {
	spec, err := specOf(ctx, c, unit)
	if err != nil {
		return err
	}
	setup, err := setupOf(ctx, c, method.AsDelivered)
	if err != nil {
		return err
	}
	m := &simulate.Machine{Name: name(unit), Spec: spec, Seed: seed(unit), Runtime: machine.Runtime(), Pace: pace,
		Setup: setup, Faults: faults}
	return work(ctx, Options{Client: c, Dir: dir}, m, code, "simulated")
}
