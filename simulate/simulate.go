// Package simulate holds simulated machines: they answer the same questions as a real one, and their
// figures follow from a variant's spec sheet and a seed. The same seed gives the same figures.
package simulate

import (
	"context"
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"
	"strings"
	"time"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/workload"
)

// Machine is a simulated machine. Spec is the variant's spec sheet; HostSpec that of the machine a
// drive sits in. Pace is real seconds per simulated second: 0 runs at once.
type Machine struct {
	Name     string
	Spec     map[string]any
	HostSpec map[string]any
	Setup    method.Setup
	Seed     uint64
	Runtime  string // what real agents of the same build say, so that figures are comparable
	Pace     float64
	Quirks   []Quirk
	Start    time.Time // simulated clock's start; zero for the real clock

	elapsed time.Duration
	count   map[string]int
}

// Quirk is what sets a simulated machine apart from its spec sheet.
type Quirk struct {
	Measure string  // test/measure; "" for all
	Factor  float64 // multiplies the figure; 0 leaves it
	Fail    string  // the run fails with this
	NotRun  string  // the machine cannot run it, for this reason
	// Observed replaces observed conditions, as when somebody pulled the plug.
	Observed map[string]string
	Repeats  []int // which repeats it concerns; none means all
}

func (q Quirk) concerns(test string, repeat int) bool {
	t, _ := method.Split(q.Measure)
	if q.Measure != "" && t != test {
		return false
	}
	if len(q.Repeats) == 0 {
		return true
	}
	for _, r := range q.Repeats {
		if r == repeat {
			return true
		}
	}
	return false
}

// Describe says what machine is simulated.
func (m *Machine) Describe(context.Context) (record.Machine, error) {
	spec := m.Spec
	if m.HostSpec != nil {
		spec = m.HostSpec
	}
	n := func(key string) int { v, _ := catalog.SpecNumber(spec, key); return int(v) }
	memory, _ := catalog.SpecNumber(spec, "memory.size")
	return record.Machine{Name: m.Name, Boot: fmt.Sprintf("simulated-%s-%d", m.Name, m.Seed), System: catalog.SpecText(spec, "system.name"),
		Processor: catalog.SpecText(spec, "cpu.name"), Cores: n("cpu.cores"), Threads: n("cpu.threads"), Memory: uint64(memory * (1 << 30)), Simulated: true}, nil
}

// Observe tells the simulated conditions: those of the setup, as a machine would see them.
func (m *Machine) Observe(context.Context) map[string]string {
	out := map[string]string{"runtime": m.Runtime, "load.background": "1 %"}
	spec := m.Spec
	if m.HostSpec != nil {
		spec = m.HostSpec
	}
	if s := catalog.SpecText(spec, "system.name"); s != "" {
		out["system.name"] = s
	}
	for _, k := range []string{"supply", "power.mode"} {
		if v := m.Setup.Conditions[k]; v != "" {
			out[k] = v
		}
	}
	return out
}

// Now is the simulated clock.
func (m *Machine) Now() time.Time {
	if m.Start.IsZero() {
		return time.Now()
	}
	return m.Start.Add(m.elapsed)
}

// Run gives the figures of one execution of a test.
func (m *Machine) Run(ctx context.Context, o record.Order, report func(record.Sample)) (record.Outcome, error) {
	t := o.Test
	if m.count == nil {
		m.count = map[string]int{}
	}
	repeat := m.count[t.Slug]
	m.count[t.Slug]++
	rng := rand.New(rand.NewPCG(m.Seed, hash(t.Slug, repeat)))
	unit := rand.New(rand.NewPCG(m.Seed, hash("unit", 0))) // this sample's own luck
	out := record.Outcome{Observed: map[string]string{}}
	for _, must := range t.MustMatch {
		switch must {
		case "drive.cache":
			out.Observed[must] = "passed"
		case "drive.filesystem":
			out.Observed[must] = "ext4"
		case "timer":
			out.Observed[must] = "system call"
		case "network.link":
			out.Observed[must] = "wired, 1000 Mbit/s"
		}
	}
	for slug, v := range t.Values(o.Options) {
		if x, _ := t.Option(slug); x.Match {
			out.Observed[method.OptionCondition(slug)] = v
		}
	}
	for _, q := range m.Quirks {
		if !q.concerns(t.Slug, repeat) {
			continue
		}
		for k, v := range q.Observed {
			out.Observed[k] = v
		}
	}
	values := map[string]float64{}
	noises := map[string]float64{}
	for _, x := range t.Measures {
		id := method.ID(t.Slug, x.Slug)
		v, err := m.expected(t.Slug, x.Slug)
		if err != nil {
			return out, fmt.Errorf("%s on %s: %w", id, m.Name, err)
		}
		sd := x.Repeatability
		if !x.Scale.Logarithmic() {
			sd /= max(math.Abs(v), 1) // it is in the unit there
		}
		if sd == 0 {
			sd = 0.02
		}
		v *= math.Exp(0.01 * unit.NormFloat64())
		for _, q := range m.Quirks {
			if q.Measure != "" && q.Measure != id && q.Measure != t.Slug || !q.concerns(t.Slug, repeat) {
				continue
			}
			if q.Factor > 0 {
				v *= q.Factor
			}
		}
		values[id], noises[id] = v*math.Exp(sd*rng.NormFloat64()), sd
	}
	length := t.SecondsWith(o.Options)
	if length == 0 {
		length = 3
	}
	curve, own := m.curve(t, values, rng)
	for i, x := range t.Measures {
		id := method.ID(t.Slug, x.Slug)
		s := record.Series{Channel: x.Slug, Unit: x.Unit}
		for k := range 10 {
			at := length * (float64(i) + float64(k+1)/10) / float64(len(t.Measures))
			v := values[id] * math.Exp(0.5*noises[id]*rng.NormFloat64())
			s.Times, s.Values = append(s.Times, at), append(s.Values, v)
			if m.Pace > 0 {
				if report != nil {
					report(record.Sample{Phase: x.Name, Share: at / length, Channel: x.Slug, Unit: x.Unit, Value: v})
				}
				select {
				case <-ctx.Done():
					return out, fmt.Errorf("stopped: %w", ctx.Err())
				case <-time.After(time.Duration(m.Pace * length / float64(10*len(t.Measures)) * float64(time.Second))):
				}
			}
		}
		if !own {
			out.Series = append(out.Series, s)
		}
		v := values[id]
		if x.Scale == quantity.Share {
			v = min(v, 100)
		}
		out.Readings = append(out.Readings, record.Reading{Measure: x.Slug, State: record.OK, Value: v})
	}
	if own {
		out.Series = []record.Series{curve}
	}
	m.elapsed += time.Duration((length + 4) * float64(time.Second))
	for _, q := range m.Quirks {
		switch {
		case q.NotRun != "" && q.concerns(t.Slug, repeat):
			return out, fmt.Errorf("%w: %s", record.ErrNotRun, q.NotRun)
		case q.Fail != "" && q.concerns(t.Slug, repeat):
			return out, fmt.Errorf("%s", q.Fail)
		}
	}
	return out, nil
}

func hash(s string, n int) uint64 {
	h := fnv.New64a()
	fmt.Fprint(h, s, n)
	return h.Sum64()
}

// curve is the series of a test that is known by one: how a rate goes over threads, working sets or time.
func (m *Machine) curve(t method.Test, values map[string]float64, rng *rand.Rand) (s record.Series, ok bool) {
	value := func(measure string) float64 { return values[method.ID(t.Slug, measure)] }
	point := func(x, y float64) {
		s.Times, s.Values = append(s.Times, x), append(s.Values, y*math.Exp(0.008*rng.NormFloat64()))
	}
	switch {
	case strings.HasSuffix(t.Slug, "-scaling"):
		threads, _ := catalog.SpecNumber(m.Spec, "cpu.threads")
		single, _, _ := m.kernel(t.Of)
		s = record.Series{Channel: "rate", Unit: perKernel(t), Axis: "threads", Along: "{thread}"}
		for n := 1.0; n < threads; n *= 2 {
			point(n, single*math.Min(n, math.Pow(n, math.Log(value("speed-up"))/math.Log(threads))))
		}
		point(threads, single*value("speed-up"))
	case strings.HasSuffix(t.Slug, "-sustained"):
		s = record.Series{Channel: "rate", Unit: t.Measures[0].Unit}
		for x := 1.0; x <= 600; x++ {
			y := value("burst")
			if x > value("drop") {
				y = value("sustained")
			}
			point(x, y)
		}
	case t.Slug == "memory-latency":
		s = record.Series{Channel: "latency", Unit: "ns", Axis: "working set", Along: "By"}
		levels := []float64{value("nearest"), 3.2 * value("nearest"), 12 * value("nearest"), value("main")}
		for x := 4096.0; x <= 1<<30; x *= math.Sqrt2 {
			y := levels[0]
			for i := range 3 {
				if knee := 1024 * value(fmt.Sprintf("knee-%d", i+1)); x > knee {
					y += (levels[i+1] - levels[i]) * math.Min(1, math.Log2(x/knee))
				}
			}
			point(x, y)
		}
	case t.Slug == "drive-fill":
		s = record.Series{Channel: "rate", Unit: "MBy/s", Axis: "bytes written", Along: "GBy"}
		for x := 0.5; x <= 100; x += 0.5 {
			y := value("before")
			if x > value("cache") {
				y = value("after")
			}
			point(x, y)
		}
	default:
		return s, false
	}
	return s, true
}

// perKernel is the unit of the kernel that a test measures in another way.
func perKernel(t method.Test) string {
	if w, ok := workload.Find(t.Of); ok {
		return w.Test.Measures[0].Unit
	}
	return "1"
}
