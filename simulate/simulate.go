// Package simulate holds simulated machines: they answer the same questions as a real one, warm up, are held
// down, cool, drain their batteries and go wrong in ways that are asked for. The same seed gives the same
// figures.
package simulate

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"sync"
	"time"

	"durvek/core/catalog"
	"durvek/core/link"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/trust"
)

// Machine is a simulated machine: a body that heats up, is held down by power and temperature limits, cools,
// drains its battery; and figures that follow from a variant's spec sheet, a seed and that body.
// Spec is the variant's spec sheet; HostSpec that of the machine a drive sits in. Pace is real seconds per
// simulated second: 0 runs at once.
type Machine struct {
	Name     string
	Spec     map[string]any
	HostSpec map[string]any
	Setup    method.Setup // that it stands in; Hand changes it
	Seed     uint64
	Browser  bool   // the probe measures it, in its browser, since it has no agent
	Runtime  string // what real agents of the same build say, so that figures are comparable
	Pace     float64
	Quirks   []Quirk
	Faults   []Fault
	Start    time.Time // simulated clock's start; zero for now
	Boot     string    // names its boot; made from name and seed if empty
	Earlier  int       // executions of each test that it made before, in other sittings: its noise goes on from there

	mu      sync.Mutex
	elapsed time.Duration
	jumped  time.Duration // how far the wall clock was stepped
	count   map[string]int
	spent   map[int]int // how often each fault struck
	state   *body
	tell    func(time.Duration, map[string]float64)
	rate    float64
	fault   map[string]string // observed conditions that a fault changes while it lasts
	fumbles int
}

// Kinds of faults.
const (
	Background = "background" // other work takes Size per cent of the processor, 35 if 0
	WrongMode  = "wrong-mode" // the machine stands in quiet mode, whatever was set
	WarmRoom   = "warm-room"  // the room is Size kelvin warmer, 9 if 0
	Throttling = "throttling" // the temperature limit lies Size kelvin lower, 28 if 0
	Dropout    = "dropout"    // the temperature sensor says nothing from At on
	Unplugged  = "unplugged"  // somebody pulls the plug At seconds into the run
	Crash      = "crash"      // the run's process dies
	Hang       = "hang"       // the run never ends and says nothing
	UnitSlip   = "unit-slip"  // the program reports its figure in a unit a thousand times smaller
	ClockStep  = "clock-step" // the wall clock is stepped by Size seconds, 3600 if 0
	Fumble     = "fumble"     // who was asked for a hand says so without having done it, the first time
)

// Describe says what machine is simulated.
func (m *Machine) Describe(context.Context) (record.Machine, error) {
	spec := m.hardware()
	n := func(key string) int { v, _ := catalog.SpecNumber(spec, key); return int(v) }
	memory, _ := catalog.SpecNumber(spec, "memory.size")
	boot := m.Boot
	if boot == "" {
		boot = fmt.Sprintf("simulated-%s-%d", m.Name, m.Seed)
	}
	return record.Machine{Name: m.Name, Boot: boot, System: catalog.SpecText(spec, "system.name"),
		Processor: catalog.SpecText(spec, "cpu.name"), Cores: n("cpu.cores"), Threads: n("cpu.threads"),
		Memory: uint64(memory * (1 << 30)), Simulated: true,
		Untold: []string{"displays", "graphics.driver", "link.usb", "link.wifi", "panel.identity", "power.graphics",
			"power.wall", "temperature.graphics"}}, nil
}

// Observe tells the simulated conditions, as the machine sees them.
func (m *Machine) Observe(context.Context) map[string]string {
	m.mu.Lock()
	defer m.mu.Unlock()
	b := m.physical()
	out := map[string]string{"runtime": m.Runtime, "load.background": "1 %", "ambient": fmt.Sprintf("%.1f °C", b.ambient)}
	if s := catalog.SpecText(m.hardware(), "system.name"); s != "" {
		out["system.name"] = s
	}
	if b.energy > 0 {
		out["battery.charge"] = fmt.Sprintf("%.0f %%", 100*b.battery/b.energy)
	}
	if m.Browser {
		out = map[string]string{"runtime": BrowserRuntime, "system.name": out["system.name"],
			"battery.charge": out["battery.charge"]}
	}
	for _, k := range []string{"supply", "power.mode"} {
		if v := m.Setup.Conditions[k]; v != "" && !(m.Browser && k == "power.mode") {
			out[k] = v
		}
	}
	for _, f := range m.Faults {
		if f.Kind == WrongMode && f.Test == "" && len(f.Repeats) == 0 {
			out["power.mode"] = "quiet"
		}
	}
	for k, v := range m.fault {
		out[k] = v
	}
	return out
}

// Hand is what a person does to a simulated machine who was asked to bring it into a setup.
func (m *Machine) Hand(to method.Setup) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, f := range m.Faults {
		if f.Kind == Fumble && m.fumbles < max(1, f.Times) {
			m.fumbles++
			return
		}
	}
	m.Setup, m.fault = to, nil
}

// Now is the simulated wall clock, Clock the steady one. A machine without a start begins when it is asked first.
func (m *Machine) Now() time.Time {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.Start.IsZero() {
		m.Start = time.Now().Add(-m.elapsed)
	}
	return m.Start.Add(m.elapsed + m.jumped)
}

// Clock is the simulated steady clock.
func (m *Machine) Clock() time.Duration {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.elapsed
}

// Watch has the sensors told as simulated time passes.
func (m *Machine) Watch(rate float64, tell func(time.Duration, map[string]float64)) (stop func()) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.tell, m.rate = tell, rate
	return func() {
		m.mu.Lock()
		m.tell = nil
		m.mu.Unlock()
	}
}

// Rest lets simulated time pass without load.
func (m *Machine) Rest(ctx context.Context, d time.Duration) error {
	rng := rand.New(rand.NewPCG(m.Seed, uint64(m.elapsed)))
	for left := d.Seconds(); left > 0; left-- {
		if err := m.pass(ctx, min(1, left), load{rel: 1}, rng, nil, nil); err != nil {
			return err
		}
	}
	return nil
}

// pass lets dt simulated seconds pass under a load, tells the sensors, and takes its real time for it.
func (m *Machine) pass(ctx context.Context, dt float64, l load, rng *rand.Rand, rate map[string]float64,
	without map[string]bool) error {
	if err := ctx.Err(); err != nil {
		return fmt.Errorf("stopped: %w", context.Cause(ctx))
	}
	m.mu.Lock()
	b := m.physical()
	conditions := m.Setup.Conditions
	if len(m.fault) > 0 {
		conditions = trust.Effective(conditions, m.fault)
	}
	m.mu.Unlock()
	steps := max(1, int(math.Round(dt*max(1, m.rate))))
	for range steps {
		share := dt / float64(steps)
		m.mu.Lock()
		b.step(share, l, conditions)
		m.elapsed += time.Duration(share * float64(time.Second))
		tell := m.tell
		var values map[string]float64
		if tell != nil {
			values = b.channels(l, rng, rate)
			if m.Browser { // a browser tells no more
				values = map[string]float64{"battery.charge": values["battery.charge"]}
			}
			for k := range without {
				delete(values, k)
			}
		}
		m.mu.Unlock()
		if m.Pace > 0 {
			select {
			case <-ctx.Done():
				return fmt.Errorf("stopped: %w", context.Cause(ctx))
			case <-time.After(time.Duration(m.Pace * share * float64(time.Second))):
			}
		}
		if tell != nil {
			tell(m.Clock(), values)
		}
	}
	return nil
}

// Run gives the figures of one execution of a test.
func (m *Machine) Run(ctx context.Context, o record.Order, report func(record.Sample)) (record.Outcome, error) {
	t := o.Test
	if m.count == nil {
		m.count = map[string]int{}
	}
	if m.spent == nil {
		m.spent = map[int]int{}
	}
	repeat := m.count[t.Slug]
	m.count[t.Slug]++
	struck := m.strikes(t.Slug, repeat)
	rng := rand.New(rand.NewPCG(m.Seed, hash(t.Slug, repeat+m.Earlier)))
	unit := rand.New(rand.NewPCG(m.Seed, hash("unit", 0))) // this sample's own luck
	out := record.Outcome{Observed: map[string]string{}}
	settled(t, out.Observed)
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
	if t.Lasting() {
		m.browsed(t, &out)
		err := m.lastingLoad(ctx, o, struck, rng, report, &out)
		return out, err
	}
	values := map[string]float64{}
	noises := map[string]float64{}
	for _, x := range t.Measures {
		id := method.ID(t.Slug, x.Slug)
		v, err := m.expected(t, x.Slug)
		if err != nil {
			return out, fmt.Errorf("%s on %s: %w", id, m.Name, err)
		}
		if m.Browser && t.InBrowser == "too" && x.Slug != "speed-up" && x.Slug != "hold" && x.Slug != "drop" {
			v *= browserFactor
		}
		sd := x.Repeatability
		if !x.Scale.Logarithmic() {
			sd /= max(math.Abs(v), 1) // it is in the unit there
		}
		if sd == 0 {
			sd = 0.02
		}
		if exact(id) {
			values[id], noises[id] = v, 0
			continue
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
	if t.Analysis == "frames" { // the desk makes the figures of the frames' times
		frames, err := m.frameTimes(o, rng)
		if err != nil {
			return out, err
		}
		n := len(frames.Times)
		values[method.ID(t.Slug, t.Measures[0].Slug)] = float64(n) / frames.Times[n-1]
		curve, own = frames, true
	}
	out.Negotiated = m.negotiated(t)
	if m.Browser {
		out.Negotiated = map[string]string{}
	}
	if m.Browser || t.InBrowser == "only" {
		m.browsed(t, &out)
	}
	before := m.physical().throttled
	held, moments := 0.0, 0 // how far heat held the clock down, as a mean over the run
	parts := len(t.Measures)
	sustained := strings.HasSuffix(t.Slug, "-sustained")
	if own && (sustained || t.Slug == "drive-fill" ||
		t.Analysis == "frames") { // what is known by a course over the whole run
		parts = 1
	}
	without := map[string]bool{}
	for i, x := range t.Measures[:parts] {
		id := method.ID(t.Slug, x.Slug)
		s := record.Series{Channel: x.Slug, Unit: x.Unit}
		part := length / float64(parts)
		seconds := max(1, int(part)) // simulated in whole seconds; the rest of a part belongs to its last one
		for k := range seconds {
			at := part*float64(i) + float64(k)
			if err := m.befall(ctx, struck, at, without); err != nil {
				return out, err
			}
			l := loadOf(t, x.Slug)
			v := values[id] * math.Exp(0.5*noises[id]*rng.NormFloat64())
			if parts == 1 && own && t.Analysis != "frames" { // a lasting load follows its curve
				j := min(int(float64(len(curve.Values))*(at+1)/length), len(curve.Values)-1)
				v = curve.Values[max(j, 0)]
				if sustained {
					l.rel = math.Min(1, v/values[method.ID(t.Slug, "burst")])
				}
				if b, hold := m.physical(), values[method.ID(t.Slug, "sustained")]/values[method.ID(t.Slug, "burst")]; sustained &&
					t.Group != "storage" && hold < 1 {
					l.power = b.limit + (b.short-b.limit)*math.Max(0,
						(l.rel-hold)/(1-hold)) // from the short limit down to the long one
				}
			}
			if f, ok := struck[Background]; ok {
				l.cores = math.Min(1, l.cores+or(f.Size, 35)/100)
			}
			dt := 1.0
			if k == seconds-1 {
				dt = part - float64(seconds-1)
			}
			if report != nil {
				report(record.Sample{Phase: x.Name, Share: at / length, Channel: x.Slug, Unit: x.Unit, Value: v})
			}
			if err := m.pass(ctx, dt, l, rng, throughput(t, x, v), without); err != nil {
				return out, err
			}
			held += m.physical().throttle
			moments++
			if seconds <= 10 || k%max(1, seconds/10) == 0 {
				s.Times, s.Values = append(s.Times, at+dt), append(s.Values, v)
			}
		}
		if !own {
			out.Series = append(out.Series, s)
		}
	}
	slowed := held / float64(max(moments, 1))
	if f, ok := struck[Background]; ok {
		slowed *= 1 - 0.7*or(f.Size, 35)/100
	}
	if _, ok := struck[WrongMode]; ok {
		slowed *= 0.82
	}
	measures := t.Measures
	if t.Analysis == "frames" {
		measures = nil
	}
	for _, x := range measures {
		v := values[method.ID(t.Slug, x.Slug)]
		switch {
		case x.Scale == quantity.Share:
			v = min(v, 100)
		case x.Scale == quantity.Ratio && slowed < 0.999 && (t.Group == "CPU" || t.Group == "application"):
			if x.Better == quantity.Lower {
				v /= slowed
			} else if x.Better == quantity.Higher {
				v *= slowed
			}
		}
		if _, ok := struck[UnitSlip]; ok {
			v *= 1000
		}
		out.Readings = append(out.Readings, record.Reading{Measure: x.Slug, State: record.OK, Value: v})
	}
	order(out.Readings)
	if own {
		out.Series = []record.Series{curve}
	}
	if n := m.physical().throttled - before; n > 0 {
		out.Negotiated["throttled"] = fmt.Sprint(n)
	}
	m.mu.Lock()
	if _, lasting := struck[Unplugged]; lasting {
		m.fault = nil // it was plugged in again
	}
	m.mu.Unlock()
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

// settled adds to what was observed the conditions that only the test itself can tell.
func settled(t method.Test, observed map[string]string) {
	for _, must := range t.MustMatch {
		switch must {
		case "drive.cache":
			observed[must] = "passed"
			if t.InBrowser == "only" {
				observed[must] = "in use"
			}
		case "drive.filesystem":
			observed[must] = "ext4"
		case "timer":
			observed[must] = "system call"
		case "network.link":
			observed[must] = "wired, 1000 Mbit/s"
			if t.InBrowser == "only" {
				observed[must] = "wifi"
			}
		}
	}
}

// negotiated is what a simulated machine settled on with its parts.
func (m *Machine) negotiated(t method.Test) map[string]string {
	b := m.physical()
	out := map[string]string{"limit.temperature": fmt.Sprintf("%.0f °C", b.hottest),
		"limit.power.long": fmt.Sprintf("%.1f W", b.limit), "limit.power.short": fmt.Sprintf("%.1f W", b.short),
		"clock.highest": fmt.Sprintf("%.0f MHz", 1000*b.top)}
	if v := catalog.SpecText(m.hardware(), "memory.speed"); v != "" {
		out["memory.speed"] = v
	}
	if v := catalog.SpecText(m.hardware(), "memory.channels"); v != "" {
		out["memory.channels"] = v
	}
	if t.Group == "storage" {
		name := catalog.SpecText(m.Spec, "drive.name")
		if name == "" {
			name = m.Name
		}
		out["drive.identity"], out["drive.firmware"] = name, fmt.Sprintf("F%02d", 10+m.Seed%7)
		l := catalog.SpecText(m.Spec, "drive.link")
		if parsed, err := link.Parse(strings.ReplaceAll(l, " ×", " x")); err == nil {
			key := "link.drive"
			if parsed.Family == "USB" || parsed.Family == "USB4" {
				key = "link.usb"
			}
			out[key] = strings.ReplaceAll(l, " ×", " x")
		}
	}
	return out
}
