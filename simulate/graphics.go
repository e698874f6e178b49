package simulate

import (
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/record"
)

// BrowserRuntime is what simulated browsers say they are: figures of a real one are never held against them.
const BrowserRuntime = "in browser, simulated engine 1"

// perGraphics are rates per graphics unit and GHz, of ordinary chips.
var perGraphics = map[string]float64{
	"graphics-fill/blended": 890, "graphics-fill/opaque": 760, "graphics-texture/near": 3400,
	"graphics-texture/scattered": 510, "graphics-geometry/triangles": 88, "graphics-arithmetic/f32": 92,
	"webgpu-fill/blended": 910, "webgpu-fill/opaque": 770, "webgpu-texture/near": 3450, "webgpu-texture/scattered": 530,
	"webgpu-geometry/triangles": 93, "webgpu-arithmetic/f32": 96, "webgpu-arithmetic/f16": 151,
	"webgpu-compute/grid": 640, "webgpu-compute/inference-f32": 41, "webgpu-compute/inference-f16": 66,
	"webgpu-compute/inference-i8": 118, "webgpu-picture/rate": 0.21,
}

// browserFactor is what a kernel keeps of its native rate in a browser.
const browserFactor = 0.34

// graphics is what a graphics chip is worth: its units times their clock in GHz, in the setup's mode.
func (m *Machine) graphics() (float64, error) {
	units, err := m.need("graphics.units")
	if err != nil {
		return 0, err
	}
	clock, err := m.need("graphics.clock")
	return units * clock / 1000 * m.mode(), err
}

// refresh is the screen's, 60 Hz where the spec sheet names none.
func (m *Machine) refresh() float64 {
	if v, ok := catalog.SpecNumber(m.Spec, "display.refresh"); ok && v > 0 {
		return v
	}
	return 60
}

// sceneRate is how many frames a second of the scene at sea the chip could draw, if no screen limited it.
func (m *Machine) sceneRate(width, height float64, quality string) (float64, error) {
	g, err := m.graphics()
	heavy := map[string]float64{"low": 0.32, "medium": 0.62}[quality]
	if heavy == 0 {
		heavy = 1
	}
	return 8.6 * g / heavy / (0.25 + 0.75*width*height/(1920*1080)), err
}

// exact tells of figures that are counted, not measured.
func exact(id string) bool {
	test, measure := method.Split(id)
	return test == "graphics-hold" || test == "screen-facts" && measure != "refresh"
}

// shown is the figure of a test that the probe makes; ok is false for others.
func (m *Machine) shown(test, measure string) (v float64, ok bool, err error) {
	id := method.ID(test, measure)
	if p, known := perGraphics[id]; known {
		g, err := m.graphics()
		return p * g, true, err
	}
	drive := func(key string, share, most float64) (float64, bool, error) {
		v, err := m.drive(key, share)
		return math.Min(v, most), true, err
	}
	switch id {
	case "webgpu-compute/reduction":
		v, err = m.memory(0.72)
	// made of the frames' times
	case "graphics-scene/mean", "graphics-scene/low", "graphics-scene/frame-time-99", "graphics-scene/stutters":
		v = 1
	case "graphics-hold/at-30", "graphics-hold/at-60":
		want, _ := strconv.ParseFloat(strings.TrimPrefix(measure, "at-"), 64)
		v = 640 * 360 / 1e6
		for _, s := range [][2]float64{{960, 540}, {1280, 720}, {1600, 900}, {1920, 1080}, {2560, 1440}, {3840, 2160}} {
			if r, e := m.sceneRate(s[0], s[1], "high"); e != nil {
				err = e
			} else if r >= 1.05*want {
				v = s[0] * s[1] / 1e6
			}
		}
	case "screen-facts/refresh":
		v = m.refresh()
	case "screen-facts/width", "screen-facts/height":
		w, h, _ := strings.Cut(catalog.SpecText(m.Spec, "display.resolution"), "×")
		if measure == "height" {
			w = h
		}
		if v, _ = strconv.ParseFloat(strings.TrimSpace(w), 64); v == 0 {
			v = 1080
		}
	case "screen-facts/scale":
		v = 2
	case "touch-response/median":
		v = 22 + 1200/m.refresh()
	case "touch-response/slow":
		v = 34 + 1500/m.refresh()
	case "touch-response/reports":
		v = 2 * m.refresh()
	case "browser-storage/write":
		return drive("drive.sequential_write", 0.3, 1400)
	case "browser-storage/read":
		v = 2900
	case "browser-storage/scattered":
		v, err = m.random(0.04)
	case "browser-network/down":
		v = 610
	case "browser-network/up":
		v = 480
	case "browser-network/median":
		v = 3.4
	case "browser-network/latency-90":
		v = 7.2
	default:
		return 0, false, nil
	}
	return v, true, err
}

// lastingGraphics is what a graphics chip does under lasting load: a machine without fans holds least.
func (m *Machine) lastingGraphics(test string) (burst, hold float64, ok bool, err error) {
	if test == "graphics-scene" {
		burst, err = m.sceneRate(1920, 1080, "high")
	} else {
		for id := range perGraphics { // a test's first measure: the one that its name begins a row with
			if t, first := method.Split(id); t == test && (first == "blended" || first == "near" || first == "triangles" ||
				first == "f32" || first == "grid") {
				burst, _, err = m.shown(t, first)
			}
		}
	}
	fans, _ := catalog.SpecNumber(m.Spec, "cooling.fans")
	return burst * 1.02, math.Min(0.98, 0.61+0.13*fans), burst > 0, err
}

// frameTimes are the times of frames that a chip draws to a screen: it hands over a frame at every refresh that it has
// one ready for, jitters, warms up and now and then stumbles.
func (m *Machine) frameTimes(o record.Order, rng *rand.Rand) (record.Series, error) {
	values := o.Test.Values(o.Options)
	w, h, _ := strings.Cut(values["size"], "x")
	width, _ := strconv.ParseFloat(w, 64)
	height, _ := strconv.ParseFloat(h, 64)
	rate, err := m.sceneRate(width, height, values["quality"])
	s := record.Series{Channel: "frame", Unit: "ms"}
	beat := 1000 / m.refresh()
	length := o.Test.Number("duration", o.Options)
	for at := 0.0; at < length && err == nil || len(s.Values) < 1010 && at < 4*length && length >= 30; {
		ready := 1000 / rate * math.Exp(0.08*rng.NormFloat64())
		if rng.Float64() < 0.0012 {
			ready += 20 + 60*rng.Float64()
		}
		frame := math.Max(1, math.Ceil(ready/beat-0.02))*beat +
			0.15*rng.NormFloat64() // the screen takes it at its next refresh
		at += frame / 1000
		s.Times, s.Values = append(s.Times, at), append(s.Values, frame)
	}
	return s, err
}

// browsed is what a browser on the simulated machine tells of a run.
func (m *Machine) browsed(t method.Test, out *record.Outcome) {
	out.Observed["runtime"] = BrowserRuntime
	if t.Group != "graphics" && !slices.Contains(t.MustMatch, "graphics.renderer") {
		return
	}
	for k, v := range map[string]string{"graphics.renderer": "hardware", "graphics.chip": catalog.SpecText(m.Spec,
		"graphics.name")} {
		if out.Observed[k] == "" && v != "" { // a quirk may say otherwise
			out.Observed[k] = v
		}
	}
	if out.Negotiated == nil {
		out.Negotiated = map[string]string{}
	}
	out.Negotiated["screen.refresh"] = strconv.FormatFloat(m.refresh(), 'f', 0, 64) + " Hz"
}
