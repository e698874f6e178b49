// Package demo is the Marram Desk: an invented two-person review desk in an invented harbour town, with
// its dossiers, tests, readings and a bench of simulated machines. It fills a running service through
// the same API and the same agent code that a real desk uses.
package demo

import (
	"cmp"
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"

	"durvek/agent"
	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/verdict"
	"durvek/machine"
	"durvek/simulate"
)

//go:embed dossiers/*.yaml tests/*.yaml tables/*.csv uses/*.yaml
var files embed.FS

// DeskName is the demo's desk.
const DeskName = "Marram Desk"

// Options say how the demo is filled. Local runs the agent on this machine with a one-time code; nil
// leaves this machine out. Pace is real seconds per simulated second for the machines one watches.
type Options struct {
	Client *client.Client
	Dir    string // where agents keep their results
	Local  func(ctx context.Context, code string) error
	Pace   float64
	Say    func(format string, args ...any)

	service agent.Service // in place of Client, for agents; nil for Client itself
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
	whole = []string{"hashing", "compression", "sealing", "log-indexing", "route-search", "inference", "video-encode",
		"memory-bandwidth", "memory-latency",
		"drive-sequential", "drive-random", "drive-appends", "small-files", "archive", "database", "photo-batch",
		"foreground", "wake-up"}
	short = []string{"hashing", "compression", "memory-bandwidth", "drive-sequential", "drive-random", "drive-appends",
		"archive"}
	filling = []string{"drive-fill", "drive-write-sustained"}
	drive   = []string{"drive-sequential", "drive-random", "drive-appends", "drive-depths"}
	monthly = []string{"small-files"}
	lasting = []string{"hashing-sustained", "video-encode-sustained", "route-search-scaling"}
	drawing = []string{"graphics-fill", "graphics-texture", "graphics-geometry", "graphics-arithmetic", "graphics-scene",
		"webgpu-compute"}
	hand = append([]string{"hashing", "compression", "screen-facts", "touch-response", "browser-storage"}, drawing...)
)

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
	for _, j := range bench {
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
	if err := together(2, order, func(name string) error {
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
	if err := Settle(ctx, o.Client); err != nil {
		return fmt.Errorf("settle doubts: %w", err)
	}
	o.Say("%d plans on simulated machines are done.", len(quick))
	if err := Reviews(ctx, o.Client); err != nil {
		return fmt.Errorf("write the reviews: %w", err)
	}
	o.Say("The review of the Selvane Fen 14 is published.")
	if o.Local != nil {
		if err := thisMachine(ctx, o); err != nil {
			return fmt.Errorf("measure this machine: %w", err)
		}
		o.Say("This machine is measured.")
	}
	return together(len(watched), watched, func(j job) error { return simulated(ctx, o, j, o.Pace) })
}

// together runs a function over a list, so many at a time, and returns the first error.
func together[T any](at int, list []T, f func(T) error) error {
	var wg sync.WaitGroup
	errs := make(chan error, len(list))
	gate := make(chan struct{}, max(at, 1))
	for _, x := range list {
		wg.Add(1)
		go func() {
			defer wg.Done()
			gate <- struct{}{}
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

// simulated works one plan on a simulated machine, with the same agent as a real one.
func simulated(ctx context.Context, o Options, j job, pace float64) error {
	if j.tests == nil {
		j.tests = whole
	}
	if j.repeats == 0 {
		j.repeats = 5
	}
	if j.setup = cmp.Or(j.setup, method.AsDelivered); len(j.setups) > 0 {
		j.setup = j.setups[0]
	}
	spec, err := specOf(ctx, o.Client, j.unit)
	if err != nil {
		return err
	}
	var hostSpec map[string]any
	if j.host != "" {
		if hostSpec, err = specOf(ctx, o.Client, j.host); err != nil {
			return err
		}
	}
	p := method.Plan{Unit: j.unit, Host: j.host, Place: j.place, Setup: j.setup, Name: planName(j), Terms: j.terms}
	for _, t := range j.tests {
		p.Steps = append(p.Steps, method.PlanStep{Test: t, Repeats: j.repeats})
	}
	p.Steps = method.Cross(p.Steps, j.setups)
	code, err := planFor(ctx, o.Client, p)
	if err != nil {
		return err
	}
	setup, err := setupOf(ctx, o.Client, j.setup)
	if err != nil {
		return err
	}
	m := &simulate.Machine{Name: name(j.unit), Spec: spec, HostSpec: hostSpec, Setup: setup, Seed: seed(j.unit),
		Browser: j.browser, Runtime: machine.Runtime(), Pace: pace, Quirks: j.quirks, Faults: j.faults}
	if j.ago > 0 {
		m.Start = time.Now().AddDate(0, 0, -j.ago).Truncate(time.Hour)
		m.Boot, m.Earlier = fmt.Sprintf("simulated-%s-%d-days-ago", m.Name, j.ago), 100*j.ago
	} else if pace == 0 {
		m.Start = time.Now().Add(-time.Duration(24+seed(j.unit)%400) * time.Hour).Truncate(time.Minute)
	}
	if j.lost[1] > 0 && pace > 0 {
		at := func(s float64) time.Time { return time.Now().Add(time.Duration(s * float64(time.Second))) }
		o.service = lossy{o.Client, at(j.lost[0]), at(j.lost[1])}
	}
	return work(ctx, o, m, code, strings.Join([]string{m.Name, j.setup, j.place, p.Name, m.Boot}, "-"))
}

// lossy is a connection that is lost for a while.
type lossy struct {
	*client.Client
	from, to time.Time
}

var errLost = errors.New("the simulated machine has no network")

func (l lossy) lost() bool { return time.Now().After(l.from) && time.Now().Before(l.to) }

// SendRun delivers a run while there is a network.
func (l lossy) SendRun(ctx context.Context, token string, r record.Run) error {
	if l.lost() {
		return errLost
	}
	return l.Client.SendRun(ctx, token, r)
}

// SendProgress reports while there is a network.
func (l lossy) SendProgress(ctx context.Context, token string, p record.Progress) (record.Directive, error) {
	if l.lost() {
		return record.Directive{}, errLost
	}
	return l.Client.SendProgress(ctx, token, p)
}

// work has a simulated machine's agent work through the plan of a code; keep names its folder, which each plan has
// to itself.
func work(ctx context.Context, o Options, m *simulate.Machine, code, keep string) error {
	dir := filepath.Join(o.Dir, "agents", strings.NewReplacer(" ", "-", "/", "-").Replace(keep))
	var hand chan struct{}
	if m.Pace == 0 { // nobody watches: a hand is lent at once
		hand = make(chan struct{})
		close(hand)
	}
	var service agent.Service = o.Client
	if o.service != nil {
		service = o.service
	}
	_, err := agent.Work(ctx, agent.Options{Service: service, Server: o.Client.Server, Machine: m, Code: code, Dir: dir,
		Retry: 50 * time.Millisecond, Confirm: hand})
	if err == nil {
		os.RemoveAll(dir)
	}
	return err
}

func name(unit string) string { return strings.TrimSuffix(unit, "-a") }

func setupOf(ctx context.Context, c *client.Client, slug string) (method.Setup, error) {
	setups, err := client.Get[[]method.Setup](ctx, c, "/api/setups", nil)
	for _, s := range setups {
		if s.Slug == slug {
			return s, nil
		}
	}
	return method.Setup{Slug: slug}, err
}

// Attend lets a simulated machine join for every plan that is put on the bench of a demo for a unit other than this
// machine, until ctx ends. Its agent works at o.Pace.
func Attend(ctx context.Context, o Options) error {
	seen := map[string]bool{}
	var helpers sync.WaitGroup
	defer helpers.Wait()
	for {
		plans, err := client.Get[[]record.BenchPlan](ctx, o.Client, "/api/bench", client.Query("limit", "200"))
		if err != nil && ctx.Err() == nil {
			o.Say("The demo's bench cannot be seen: %v", err)
		}
		for _, b := range plans {
			if b.Plan.State != method.PlanWaiting || seen[b.Plan.ID] || name(b.Plan.Unit) == ThisMachine || b.Plan.Host != "" &&
				name(b.Plan.Host) == ThisMachine {
				continue
			}
			seen[b.Plan.ID] = true
			helpers.Add(1)
			go func() {
				defer helpers.Done()
				if err := attend(ctx, o, b.Plan); err != nil && ctx.Err() == nil {
					o.Say("%s: %v", b.Plan.Unit, err)
				}
			}()
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(2 * time.Second):
		}
	}
}

func attend(ctx context.Context, o Options, p method.Plan) error {
	spec, err := specOf(ctx, o.Client, p.Unit)
	if err != nil {
		return err
	}
	m := &simulate.Machine{Name: name(p.Unit), Spec: spec, Seed: seed(p.Unit) + seed(p.ID), Runtime: machine.Runtime(),
		Pace: o.Pace}
	probed, err := inBrowser(ctx, o.Client, p)
	if err != nil {
		return err
	}
	if probed { // somebody may be about to open it on a real device
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(5 * time.Minute):
		}
		b, err := client.Get[record.BenchPlan](ctx, o.Client, "/api/plans/"+p.ID, nil)
		if err != nil || b.Plan.State != method.PlanWaiting {
			return err
		}
		m.Browser = true
	}
	if p.Host != "" {
		if m.HostSpec, err = specOf(ctx, o.Client, p.Host); err != nil {
			return err
		}
	}
	if m.Setup, err = setupOf(ctx, o.Client, p.SetupOf(0)); err != nil {
		return err
	}
	code, err := client.Post[struct{ Code string }](ctx, o.Client, "/api/plans/"+p.ID+"/codes", nil, nil)
	if err != nil {
		return err
	}
	return work(ctx, o, m, code.Code, m.Name+"-"+p.ID)
}

// inBrowser tells whether a plan is one for the probe: all its tests can be made there, and one there only.
func inBrowser(ctx context.Context, c *client.Client, p method.Plan) (bool, error) {
	tests, err := client.Get[[]method.Test](ctx, c, "/api/tests", nil)
	only := false
	for _, s := range p.Steps {
		i := slices.IndexFunc(tests, func(t method.Test) bool { return t.Slug == s.Test })
		if i < 0 || tests[i].InBrowser == "" {
			return false, err
		}
		only = only || tests[i].InBrowser == "only"
	}
	return only, err
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
	u, err := client.Get[catalog.Unit](ctx, c, "/api/units/"+client.Slug(unit), nil)
	if err != nil {
		return nil, err
	}
	v, err := client.Get[catalog.DossierVariant](ctx, c, "/api/variants/"+client.Slug(u.Variant), nil)
	return v.Spec, err
}

// planFor adds a plan and makes its one-time code.
func planFor(ctx context.Context, c *client.Client, p method.Plan) (string, error) {
	p, err := client.Post[method.Plan](ctx, c, "/api/plans", nil, map[string]any{"unit": p.Unit, "host": p.Host,
		"place": p.Place, "setup": p.Setup, "name": p.Name, "steps": p.Steps,
		"order": cmp.Or(p.Order, "grouped"), "cool": p.Cool, "ambient": p.Ambient, "after_failure": cmp.Or(p.Failure,
			"go-on"), "sampling": p.Sampling})
	if err != nil {
		return "", err
	}
	code, err := client.Post[struct{ Code string }](ctx, c, "/api/plans/"+p.ID+"/codes", nil, nil)
	return code.Code, err
}

// ThisMachine is the variant that stands for the machine that the demo runs on.
const ThisMachine = "this-machine"

// thisMachine measures the machine that the demo runs on with the real agent.
func thisMachine(ctx context.Context, o Options) error {
	p := method.Plan{Unit: ThisMachine + "-a", Setup: method.AsDelivered, Name: "Short plan, really measured"}
	for _, t := range short {
		p.Steps = append(p.Steps, method.PlanStep{Test: t, Repeats: 3})
	}
	code, err := planFor(ctx, o.Client, p)
	if err != nil {
		return err
	}
	return o.Local(ctx, code)
}

// addMachine adds a machine to the catalogue by what it says of itself.
func addMachine(ctx context.Context, c *client.Client, m record.Machine) error {
	spec := map[string]any{}
	if m.Processor != "" {
		spec["cpu.name"] = m.Processor
	}
	if m.Cores > 0 {
		spec["cpu.cores"] = m.Cores
	}
	if m.Threads > 0 {
		spec["cpu.threads"] = m.Threads
	}
	if m.Memory > 0 {
		spec["memory.size"] = fmt.Sprintf("%d GiB", (m.Memory+1<<29)>>30)
	}
	if m.System != "" {
		spec["system.name"] = m.System
	}
	notes := "The machine that this demo runs on, measured by the agent."
	if v := m.Facts["virtual.machine"]; v != "" {
		notes += " It says that it is a virtual machine."
	}
	for _, x := range []struct {
		path  string
		entry any
	}{
		{"/api/models", catalog.Model{Slug: ThisMachine, Maker: "This", Name: "machine", Kind: "desktop", Notes: notes}},
		{"/api/variants", catalog.Variant{Slug: ThisMachine, Model: ThisMachine, Name: "really measured", Spec: spec}},
		{"/api/units", catalog.Unit{Slug: ThisMachine + "-a", Variant: ThisMachine, Origin: "own", State: "on desk"}},
	} {
		if err := c.Do(ctx, http.MethodPost, x.path, nil, x.entry, nil); err != nil {
			return err
		}
	}
	return nil
}

// Reviews writes, signs and publishes the demo's review, and starts a second one.
func Reviews(ctx context.Context, c *client.Client) error {
	r, err := client.Post[verdict.Review](ctx, c, "/api/reviews", nil, map[string]any{"slug": "fen-14",
		"subject": "fen-14-16-512", "field": "laptops",
		"title": "Selvane Fen 14: quick exports, short watches",
		"measures": []string{"survey-export/time", "hashing/all", "compression/pack-all", "memory-bandwidth/multiply-add",
			"drive-sequential/read", "drive-sequential/write",
			"archive/pack", "chart-pan-battery/hours", "fan-noise/full-load", "screen-luminance/white", "weight/weight"}})
	var p *client.Problem
	if errors.As(err, &p) && p.Status == http.StatusConflict {
		return nil // a demo that is started again keeps its reviews
	}
	if err != nil {
		return err
	}
	r.Summary = "The Fen 14 does survey work nearly as fast as laptops half as dear again, is light, and its screen " +
		"keeps what it promises. Its battery does not: a watch of eleven hours is the most we got."
	r.Advice = "**Right for** crews who post-process between trips and sit near a socket. **Not for** long watches: " +
		"take the Wexcombe Pilot 13 instead. The dearer sibling with 32 GiB is no faster here and lasts two hours less."
	r.Recommendation = "recommended for some"
	if r, err = put(ctx, c, r); err != nil {
		return err
	}
	if err := c.Do(ctx, http.MethodPost, "/api/reviews/fen-14/signature", nil, map[string]string{"by": "Ines Marram"},
		nil); err != nil {
		return err
	}
	if err := c.Do(ctx, http.MethodPost, "/api/reviews/fen-14/editions", nil, map[string]string{"note": "First edition"},
		nil); err != nil {
		return err
	}
	return c.Do(ctx, http.MethodPost, "/api/reviews", nil, map[string]any{"slug": "tern-mini",
		"subject": "tern-mini-32-1000", "field": "chart-room", "title": "Tamrisk Tern Mini: small, quiet, quick"}, nil)
}

func put(ctx context.Context, c *client.Client, r verdict.Review) (verdict.Review, error) {
	var out verdict.Review
	err := c.Do(ctx, http.MethodPut, "/api/reviews/"+client.Slug(r.Slug), nil, r, &out)
	return out, err
}

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
