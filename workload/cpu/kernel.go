// Package cpu holds the processor's workloads. Their inputs are made from a seed, so every machine
// does the same work, and their outputs are checked outside the timed part. Arithmetic on floating
// point is written so that every processor rounds alike: conversions forbid fused operations where the
// source does not ask for them, and math.FMA asks where it does.
package cpu

import (
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

// Kernel is one processor workload. It is measured with one thread and all threads, over thread
// counts, core by core, and under lasting load: a test for each.
type Kernel struct {
	Slug, Name                                  string
	Group                                       string // "CPU" where none is given
	Unit                                        string
	About, StandsFor, LimitedBy, Input, Checked string
	Parts                                       []Part // the first stands for the kernel in its other tests
}

// Part is one thing that a kernel is timed at. Prepare makes what all threads share, outside the timed
// part, and returns the maker of one thread's work.
type Part struct {
	Slug, Name string // "" where the kernel has one part
	Prepare    func() (func(thread int) (workload.Work, error), error)
}

// Kernels is the roster, in the order in which its files register.
var Kernels []Kernel

func (p Part) measure(threads string) string {
	if p.Slug == "" {
		return threads
	}
	return p.Slug + "-" + threads
}

func (p Part) name(threads string) string {
	if p.Name == "" {
		return threads
	}
	return p.Name + ", " + threads
}

// register adds a kernel to the roster and its tests to the table.
func register(k Kernel) {
	Kernels = append(Kernels, k)
	if k.Group == "" {
		k.Group = "CPU"
	}
	rate := method.Measure{Unit: k.Unit, Scale: quantity.Ratio, Better: quantity.Higher}
	base := method.Test{Slug: k.Slug, Version: 1, Name: k.Name, Group: k.Group, Subjects: workload.Devices, About: k.About,
		StandsFor: k.StandsFor, LimitedBy: k.LimitedBy,
		Input: k.Input, Checked: k.Checked, MustMatch: []string{"supply", "power.mode", "runtime"}, Repeats: 5,
		Seconds: 2.6 * float64(len(k.Parts)), Usual: true}
	for _, p := range k.Parts {
		single, all := rate, rate
		single.Repeatability, all.Repeatability = 0.01, 0.015
		base.Measures = append(base.Measures, workload.Rows(single, p.measure("single"), p.name("single thread"))...)
		base.Measures = append(base.Measures, workload.Rows(all, p.measure("all"), p.name("all threads"))...)
	}
	base.InBrowser, base.Page = "too", "kernels"
	workload.Register(workload.Workload{Test: base, Run: k.plain})

	other := func(slug, name, about string, seconds float64, repeats int, measures ...method.Measure) method.Test {
		t := base
		t.Slug, t.Name, t.About, t.Seconds, t.Repeats, t.Measures = k.Slug+"-"+slug, k.Name+", "+name, about, seconds,
			repeats, measures
		t.Usual, t.Of, t.InBrowser = false, k.Slug, inBrowser[slug]
		if t.InBrowser == "" {
			t.Page = ""
		}
		return t
	}
	speedUp := method.Measure{Slug: "speed-up", Name: "all threads ÷ one", Unit: "1", Scale: quantity.Ratio,
		Better: quantity.Higher, Repeatability: 0.015}
	workload.Register(workload.Workload{Run: k.scaling, Test: other("scaling", "scaling",
		"The rate over the number of threads, from one to all, as a curve.", 8, 3, speedUp)})
	core := rate
	core.Repeatability = 0.02
	cores := append(workload.Rows(core, "fastest", "fastest core", "slowest core", "slowest core"),
		method.Measure{Slug: "spread", Name: "slowest ÷ fastest core", Unit: "%", Scale: quantity.Share,
			Better: quantity.Higher, Repeatability: 2})
	cores[1].Slug = "slowest"
	workload.Register(workload.Workload{Run: k.cores, Test: other("cores", "core by core", "One thread, bound to each "+
		"logical core in turn: a map that shows unlike cores. Where the system lets a thread be bound (Linux).", 6, 3,
		cores...)})
	sustained := other("sustained", "sustained", "All threads for ten minutes, a sample each second: the level at the "+
		"beginning (burst), the level that is held (sustained), and when the rate first falls.", 601, 1,
		workload.SustainedMeasures(k.Unit, 0.015)...)
	sustained.Options = []method.Option{workload.DurationOption}
	sustained.Analysis = "sustained"
	sustained.MustMatch = append(slices.Clone(base.MustMatch), method.OptionCondition("duration"))
	workload.Register(workload.Workload{Run: k.sustained, Test: sustained})
}

// inBrowser tells which of a kernel's tests a browser can make: it binds no thread to a core.
var inBrowser = map[string]string{"scaling": "too", "sustained": "too"}

// plain times each part with one thread and with all.
func (k Kernel) plain(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	for i, p := range k.Parts {
		start, err := p.Prepare()
		if err != nil {
			return out, err
		}
		for j, threads := range []int{1, runtime.NumCPU()} {
			name := p.measure([]string{"single", "all"}[j])
			r, err := workload.Rate(ctx, env.Part(2*i+j, 2*len(k.Parts)), workload.Timing{Channel: name, Unit: k.Unit,
				Threads: threads}, start)
			out.Series = append(out.Series, r.Series)
			if err != nil {
				return out, err
			}
			out.Readings = append(out.Readings, workload.Reading(name, r.Rate))
			if why := r.Hindrance(); why != "" {
				if out.Negotiated == nil {
					out.Negotiated = map[string]string{}
				}
				out.Negotiated["hindered."+name] = why
			}
		}
	}
	return out, nil
}

// counts are the thread counts of a scaling curve: every one up to four, then doubling, and all.
func counts(all int) []int {
	var out []int
	for n := 1; n < all; n++ {
		if n > 4 && n&(n-1) != 0 {
			continue
		}
		out = append(out, n)
	}
	return append(out, all)
}

func (k Kernel) scaling(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	start, err := k.Parts[0].Prepare()
	if err != nil {
		return out, err
	}
	curve := workload.Curve("rate", k.Unit, "threads", "{thread}")
	list := counts(runtime.NumCPU())
	for i, n := range list {
		r, err := workload.Rate(ctx, env.Part(i, len(list)), workload.Timing{Channel: fmt.Sprintf("%d threads", n),
			Unit: k.Unit, Threads: n}, start)
		if err != nil {
			out.Series = []record.Series{curve}
			return out, err
		}
		curve.Times, curve.Values = append(curve.Times, float64(n)), append(curve.Values, r.Rate)
	}
	out.Series = []record.Series{curve}
	out.Readings = []record.Reading{workload.Reading("speed-up", curve.Values[len(list)-1]/curve.Values[0])}
	return out, nil
}

func (k Kernel) cores(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	list, err := allowedCores()
	if err != nil {
		return out, err
	}
	start, err := k.Parts[0].Prepare()
	if err != nil {
		return out, err
	}
	map_ := workload.Curve("rate", k.Unit, "logical core", "1")
	for i, core := range list {
		r, err := workload.Rate(ctx, env.Part(i, len(list)), workload.Timing{Channel: fmt.Sprintf("core %d", core),
			Unit: k.Unit, Pin: func(int) error { return pin(core) }}, start)
		if err != nil {
			out.Series = []record.Series{map_}
			return out, err
		}
		map_.Times, map_.Values = append(map_.Times, float64(core)), append(map_.Values, r.Rate)
	}
	fast, slow := slices.Max(map_.Values), slices.Min(map_.Values)
	out.Series = []record.Series{map_}
	out.Readings = []record.Reading{workload.Reading("fastest", fast), workload.Reading("slowest", slow),
		workload.Reading("spread", 100*slow/fast)}
	return out, nil
}

func (k Kernel) sustained(ctx context.Context, env workload.Env) (record.Outcome, error) {
	var out record.Outcome
	start, err := k.Parts[0].Prepare()
	if err != nil {
		return out, err
	}
	length := env.Length()
	r, err := workload.Rate(ctx, env, workload.Timing{Channel: "rate", Unit: k.Unit, Threads: runtime.NumCPU(),
		Length: length, Every: workload.SampleEvery(length)}, start)
	out.Series = []record.Series{r.Series}
	if err != nil {
		return out, err
	}
	out.Readings, out.Negotiated = analyse.SustainedReadings(r.Series, length.Seconds())
	if why := r.Hindrance(); why != "" && out.Negotiated != nil {
		out.Negotiated["hindered"] = why
	}
	return out, nil
}

// fingerprint is a digest of numbers, bit by bit.
type fingerprint uint64

func newFingerprint() fingerprint { return 14695981039346656037 }

// add takes in 64 bits (FNV-1a over words).
func (f *fingerprint) add(x uint64) {
	h := (uint64(*f) ^ x) * 1099511628211
	*f = fingerprint(h ^ h>>29)
}

func (f *fingerprint) floats(xs []float64) {
	for _, x := range xs {
		f.add(math.Float64bits(x))
	}
}

// want compares a fingerprint with the right one.
func (f fingerprint) want(right uint64) error {
	if uint64(f) != right {
		return fmt.Errorf("digest %016x instead of %016x: %w", uint64(f), right, workload.ErrWrong)
	}
	return nil
}
