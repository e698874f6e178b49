package simulate

import (
	"context"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"time"

	"durvek/core/analyse"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
)

// Plugged is a fault of run-downs: somebody plugs the charger in At seconds into it.
const Plugged = "plugged-in"

// cutOff is the charge, as a share, at which simulated devices switch themselves off.
const cutOff = 0.02

// day is what a lasting load asks of a machine.
type day struct {
	cores float64 // share of them
	due   float64 // pieces of work a minute; 0 where it takes all it can get
	held  float64 // which share of them the machine can do
}

// dayOf says what a load of a test asks of this machine.
func (m *Machine) dayOf(t method.Test, options map[string]string) (day, error) {
	rate, _ := strconv.ParseFloat(t.Values(options)["rate"], 64)
	work, err := m.all(1)
	if err != nil {
		return day{}, err
	}
	switch t.Slug {
	case "rundown-reading":
		return day{0.03, 8, 1}, nil
	case "rundown-office":
		return day{0.14, 60, math.Min(1, work/4.5)}, nil
	case "rundown-video":
		w, h, _ := strings.Cut(t.Values(options)["size"], "x")
		width, _ := strconv.ParseFloat(w, 64)
		height, _ := strconv.ParseFloat(h, 64)
		pixels := width * height * rate / 1e6
		return day{0.03 + pixels/6000, 60 * rate, math.Min(1, 90*work/pixels)}, nil
	case "rundown-graphics":
		can, err := m.sceneRate(1280, 720, t.Values(options)["quality"])
		return day{math.Min(0.9, 0.12+0.4*rate/math.Max(can, 1)), 60 * rate, math.Min(1, can/rate)}, err
	}
	return day{1, 0, 1}, nil
}

// wear is a lasting load at work: what it told so far.
type wear struct {
	day
	test      method.Test
	said      map[string]string // conditions that it observes itself
	every     float64           // seconds from heartbeat to heartbeat
	done, due float64
	series    map[string]*record.Series
	report    func(record.Sample)
}

// beat tells how far the load is.
func (w *wear) beat(at float64, b *body) {
	values := map[string]float64{analyse.Charge: math.Round(1000*b.battery/b.energy) / 10}
	if w.test.Analysis == "rundown" {
		values[analyse.Done] = math.Floor(w.done)
		if w.day.due > 0 {
			values[analyse.Due] = math.Floor(w.due)
		}
	}
	for k, v := range values {
		if w.series[k] == nil {
			w.series[k] = &record.Series{Channel: k, Unit: "1"}
		}
		w.series[k].Times, w.series[k].Values = append(w.series[k].Times, at), append(w.series[k].Values, v)
	}
	if w.report == nil {
		return
	}
	phase := "running down"
	if w.due > 0 && w.done < 0.98*w.due {
		phase = "running down, behind its pace"
	}
	w.report(record.Sample{Phase: phase, Share: 1 - b.battery/b.energy, Channel: analyse.Charge, Unit: "%",
		Value: values[analyse.Charge], Beat: values, Observed: w.said})
}

// work is what was done from one heartbeat to the next.
func (w *wear) work(b *body, cores float64, rng *rand.Rand) {
	if w.due += w.day.due * w.every / 60; w.day.due > 0 {
		w.done = math.Min(w.due, w.done+w.day.due*w.held*(1+0.002*rng.NormFloat64())*w.every/60)
	} else {
		w.done += 0.35 * b.clock * b.throttle * or(cores, 4) * w.every // GiB of hashes
	}
}

// lastingLoad runs a load until the battery is empty, or charges it until it is full, in compressed time: it is told
// with each heartbeat, as a device's page tells it.
func (m *Machine) lastingLoad(ctx context.Context, o record.Order, struck map[string]Fault, rng *rand.Rand,
	report func(record.Sample), out *record.Outcome) error {
	b := m.physical()
	if b.energy == 0 {
		return fmt.Errorf("%w: it has no battery", record.ErrNotRun)
	}
	d, err := m.dayOf(o.Test, o.Options)
	if err != nil {
		return err
	}
	charging := o.Test.Analysis == "charging"
	size, _ := catalog.SpecNumber(m.hardware(), "display.diagonal")
	b.battery, b.rest = b.energy, 0.04*b.energy+0.004*or(size, 10)*or(size, 10)             // the screen at 200 cd/m²
	b.rest *= math.Exp(0.02 * rand.New(rand.NewPCG(m.Seed, hash("unit", 0))).NormFloat64()) // this sample's own luck
	defer func() { b.rest = restUsual }()
	w := &wear{day: d, test: o.Test, report: report, every: o.Test.Number("heartbeat", o.Options),
		series: map[string]*record.Series{}, said: map[string]string{analyse.Luminance: "200 cd/m²"}}
	if lit := o.Setup.Conditions[analyse.Luminance]; lit != "" {
		w.said[analyse.Luminance] = lit
	}
	if slices.Contains(o.Test.MustMatch, "content") {
		w.said["content"] = "with a call"
	}
	l := load{rel: 1, cores: d.cores * d.held}
	conditions := map[string]string{"supply": "battery", "power.mode": m.Setup.Conditions["power.mode"]}
	if charging {
		b.battery, l.cores, conditions["supply"] = 0.06*b.energy, 0.02, "mains"
	}
	until := o.Test.Number("until", o.Options) / 100
	end, at := analyse.WentOff, 0.0
	for w.beat(0, b); ; w.beat(at, b) {
		if err := m.befall(ctx, struck, at, nil); err != nil {
			return err
		}
		if f, ok := struck[Plugged]; ok && at >= f.At {
			end = analyse.PluggedIn
			break
		}
		if charging && b.battery >= b.energy || !charging && b.battery/b.energy <= math.Max(until, cutOff) {
			break
		}
		if err := m.wearOn(ctx, w.every, l, conditions, charging); err != nil {
			return err
		}
		at += w.every
		w.work(b, number(m.hardware(), "cpu.cores"), rng)
	}
	if end == analyse.WentOff && (charging || until > cutOff) {
		end = analyse.AtLevel
	}
	if out.Negotiated == nil {
		out.Negotiated = map[string]string{}
	}
	maps.Copy(out.Observed, w.said)
	out.Negotiated[analyse.HowEnded], out.Negotiated["luminance.measured"] = end, w.said[analyse.Luminance]
	for _, k := range []string{analyse.Done, analyse.Due, analyse.Charge} {
		if s := w.series[k]; s != nil {
			out.Series = append(out.Series, *s)
		}
	}
	return nil
}

// wearOn lets the time from one heartbeat to the next pass, in one moment of the machine's pace.
func (m *Machine) wearOn(ctx context.Context, seconds float64, l load, conditions map[string]string,
	charging bool) error {
	m.mu.Lock()
	b := m.physical()
	left := b.battery
	b.step(seconds, l, conditions)
	if charging { // slower from four fifths on, as cells are charged
		b.battery = math.Min(b.energy, left+0.62*b.energy*math.Min(1, 5.2*(1.01-left/b.energy))*seconds/3600)
	}
	m.elapsed += time.Duration(seconds * float64(time.Second))
	tell, now := m.tell, m.elapsed
	m.mu.Unlock()
	if tell != nil {
		tell(now, map[string]float64{analyse.Charge: 100 * b.battery / b.energy})
	}
	select {
	case <-ctx.Done():
		return fmt.Errorf("stopped: %w", context.Cause(ctx))
	case <-time.After(time.Duration(m.Pace * float64(time.Second))):
		return nil
	}
}

func number(spec map[string]any, key string) float64 {
	v, _ := catalog.SpecNumber(spec, key)
	return v
}

// decoded are millions of pixels a second that a device decodes by codec, per unit of its processor's work.
var decoded = map[string]float64{"h264": 62, "hevc": 40, "vp9": 38, "av1": 21}

// filmed is what a device does with films: the share of frames dropped, or frames encoded a second.
func (m *Machine) filmed(test, measure string) (float64, bool, error) {
	if test != "video-playback" && test != "video-encoding" {
		return 0, false, nil
	}
	work, err := m.all(1)
	if measure == "start" {
		return 60 + 900/math.Max(work, 1), true, err
	}
	codec, form, _ := strings.Cut(measure, "-")
	if test == "video-encoding" {
		return 2.4 * work * decoded[codec] / decoded["h264"], true, err
	}
	height, frames, _ := strings.Cut(form, "-")
	h, _ := strconv.ParseFloat(height, 64)
	f, _ := strconv.ParseFloat(frames, 64)
	due := h * h * 16 / 9 * f / 1e6
	return 100 * math.Max(0.0004, 1-decoded[codec]*work/due), true, err
}

// paged is what a device needs for a page, in ms, or which share of frames it misses: one core does most of it.
func (m *Machine) paged(measure string) (float64, error) {
	one, err := m.single(1)
	heavy := map[string]float64{"text": 1, "pictures": 2.2, "script": 9}[strings.SplitN(measure, "-", 2)[0]]
	switch {
	case strings.HasSuffix(measure, "-paint"):
		return (60 + 20*heavy) * 4 / one, err
	case strings.HasSuffix(measure, "cold-usable"):
		return (160 + 120*heavy) * 4 / one, err
	case strings.HasSuffix(measure, "-usable"):
		return (90 + 90*heavy) * 4 / one, err
	case strings.HasSuffix(measure, "-blocking"):
		return math.Max(0, 110*heavy*4/one-100), err
	}
	return math.Max(0.01, 3*heavy/one-1.5), err
}

// answered is how a device answers with many jobs beside, and what its radio carries.
func (m *Machine) answered(measure string) (float64, error) {
	one, err := m.single(1)
	if err != nil {
		return 0, err
	}
	threads := or(number(m.hardware(), "cpu.threads"), or(number(m.hardware(), "cpu.cores"), 4))
	switch measure {
	case "alone":
		return 60 / one, nil
	case "full":
		return 110 / one, nil
	case "double":
		return 420 / one, nil
	case "jobs":
		return math.Round(threads * math.Min(3.6, 0.5*one)), nil
	case "rate":
		return 90 * math.Sqrt(threads*one), nil
	case "evenness":
		return 96, nil
	case "median":
		return 4 + 9/one, nil
	case "jitter":
		return 3 + 8/one, nil
	}
	return 0.4, nil
}
