// Package browser holds the tests that the probe makes in a device's own browser: graphics, screen, touch, and what
// the browser gives of storage and network. A phone opens the probe by its link; on a machine with an agent, the
// agent serves it on the machine itself and takes its outcomes, so that its sensors watch along. What each test
// does stands in probe/page.
package browser

import (
	"cmp"
	"slices"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/workload"
)

// Sizes and qualities of the scene that is drawn to the screen.
var (
	sizes     = []string{"640x360", "960x540", "1280x720", "1600x900", "1920x1080", "2560x1440", "3840x2160"}
	qualities = []string{"low", "medium", "high"}
)

var (
	chip = method.Option{Slug: "chip", Meaning: "which of two graphics chips the browser is asked for", Default: "fast",
		Choices: []string{"fast", "saving"}, Match: true}
	size = method.Option{Slug: "size", Meaning: "picture that is computed, width × height", Default: "1920x1080",
		Choices: sizes, Match: true}
	quality = method.Option{Slug: "quality", Meaning: "waves, buoys and light of the scene", Default: "high",
		Choices: qualities, Match: true}
	drawn = method.Option{Slug: "duration", Meaning: "how long it is drawn", Default: "60 s", Unit: "s", Least: 1,
		Most: 3600, Match: true}
)

const (
	webgl    = "WebGL2, drawn into memory, so that the screen does not limit; the device's end is awaited by fences."
	webgpu   = "WebGPU, where the browser has it; the queue's end is awaited."
	software = "A renderer in software, and which chip did the work, are observed and keep figures apart."
)

// register adds a test of the probe; one whose rate can be held for long also gets a test of that.
func register(t method.Test, loops bool) {
	t.Version, t.InBrowser, t.Subjects = cmp.Or(t.Version, 1), "only", workload.Devices
	if t.Repeats == 0 {
		t.Repeats = 5
	}
	t.MustMatch = append([]string{"supply", "power.mode", "runtime"}, t.MustMatch...)
	for _, o := range t.Options {
		if o.Match {
			t.MustMatch = append(t.MustMatch, method.OptionCondition(o.Slug))
		}
	}
	workload.Register(workload.Workload{Test: t, Run: run})
	if !loops {
		return
	}
	long := t
	first := t.Measures[0]
	long.Slug, long.Name, long.Of, long.Analysis = t.Slug+"-sustained", t.Name+", sustained", t.Slug, "sustained"
	long.About = "The same, " + first.Name + ", without a pause for ten minutes, a sample each second: a phone's first " +
		"minute flatters it. The level at the beginning (burst), the level that is held (sustained), and when the rate " +
		"first falls."
	long.Seconds, long.Repeats, long.Usual = 603, 1, false
	long.Measures = workload.SustainedMeasures(first.Unit, 0.02)
	long.Options = append(slices.DeleteFunc(slices.Clone(t.Options),
		func(o method.Option) bool { return o.Slug == "duration" }), workload.DurationOption)
	long.MustMatch = append(slices.DeleteFunc(slices.Clone(t.MustMatch),
		func(k string) bool { return k == "option.duration" }), method.OptionCondition("duration"))
	workload.Register(workload.Workload{Test: long, Run: run})
}

func rate(unit string, slugsAndNames ...string) []method.Measure {
	return workload.Rows(method.Measure{Unit: unit, Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.015},
		slugsAndNames...)
}

// needs are what the tests of a file of the page need of a browser.
var needs = map[string][]method.BrowserNeed{"webgpu": {method.NeedsSecure, method.NeedsWebGPU}}

func init() {
	graphics := func(page, slug, name, about, standsFor, limitedBy, input, checked, how string, seconds float64,
		measures []method.Measure) {
		register(method.Test{Slug: slug, Name: name, Group: "graphics", Page: page, BrowserNeeds: needs[page],
			About: about + " " + how, StandsFor: standsFor, LimitedBy: limitedBy, Input: input, Checked: checked + " " +
				software,
			Seconds: seconds, Usual: false, MustMatch: []string{"graphics.renderer"}, Options: []method.Option{chip},
			Measures: measures}, true)
	}
	for _, api := range []struct{ page, slug, name, how string }{{"webgl", "graphics", "Graphics", webgl},
		{"webgpu", "webgpu", "WebGPU", webgpu}} {
		graphics(api.page, api.slug+"-fill", api.name+", fill rate", "Pictures of 1024 × 1024 pixels are filled sixteen "+
			"times over, blended; then two of 2048 × 2048 in turn, opaque.",
			"Large screens, windows above windows, smoke and glass in games.", "The units that write pixels, and the memory "+
				"behind them.", "Colours from the pass's number.",
			"Every pixel of the last picture has the value that so many passes leave, to the bit.", api.how, 9,
			rate("{pixel}/us", "blended", "blended", "opaque", "opaque"))
		graphics(api.page, api.slug+"-texture", api.name+", textures", "Each pixel reads 32 texels of a picture of 1024 × "+
			"1024: side by side and filtered, then scattered, each place read from the texel before.",
			"Maps, photographs, surfaces in games.", "Texture units and their caches side by side; the latency of memory "+
				"when scattered.", "A picture of noise from seed 5.",
			"256 pixels against the same sums on the processor.", api.how, 9, rate("{texel}/us", "near", "side by side",
				"scattered", "scattered"))
		graphics(api.page, api.slug+"-geometry", api.name+", geometry", "A net of 131,072 small triangles with moved "+
			"corners covers a picture of 512 × 512, again and again.",
			"Terrain, models, games with detail.", "Vertex shaders and the units that set up triangles.",
			"Corners moved from seed 7; the net covers the picture wherever they go.",
			"Every pixel of the last picture shows the net, with the colour of its place.", api.how, 7, rate("{triangle}/us",
				"triangles", "triangles"))
	}
	graphics("webgl", "graphics-arithmetic", "Graphics, arithmetic", "Each pixel of a picture of 256 × 256 multiplies "+
		"and adds 1024 times in four lanes of 32-bit floating point; a multiplication and an addition are two operations.",
		"Light, filters, effects.", "The shader's arithmetic units and their clock.", "Start values from the pixel's place.",
		"256 pixels against the same sums on the processor, to 0.2 %.", webgl, 7, rate("{flop}/ns", "f32",
			"32-bit floating point"))
	half := rate("{flop}/ns", "f32", "32-bit floating point", "f16", "16-bit floating point")
	graphics("webgpu", "webgpu-arithmetic", "WebGPU, arithmetic", "65,536 threads multiply and add 1024 times in four "+
		"lanes, in 32-bit floating point and, where the device offers it, in 16-bit.",
		"Light, filters, effects, learning.", "The shader's arithmetic units and their clock.",
		"Start values from the thread's number.", "Every result against the same sums on the processor: to 0.2 %, 5 % "+
			"with 16 bits.", webgpu, 9, half)
	compute := append(rate("{cell}/us", "grid", "grid solve"), rate("GBy/s", "reduction", "reduction")...)
	graphics("webgpu", "webgpu-compute", "WebGPU, compute", "A grid of 512 × 512 cells is relaxed towards a flow; 16 "+
		"Mi numbers are summed; a small network of three layers is worked through in the arithmetics that the device offers.",
		"Simulation, survey processing, learned filters.", "The grid: caches and memory; the sum: memory; the network: "+
			"arithmetic.", "Numbers from seed 3.",
		"The sum to the bit; grid and network against the processor. Rounding differs from device to device, so floating "+
			"point is held to a tolerance.", webgpu, 14,
		append(compute, rate("{flop}/ns", "inference-f32", "inference, 32-bit floating point", "inference-f16",
			"inference, 16-bit floating point", "inference-i8", "inference, packed 8-bit integers")...))

	scene := method.Test{Slug: "graphics-scene", Version: 2, Name: "Graphics, a scene at sea", Group: "graphics",
		Page: "scene", Analysis: "frames", Seconds: 64, Repeats: 3, MustMatch: []string{"graphics.renderer"},
		About: "A sea of moving waves with buoys, made in code, is drawn to the screen by WebGL2 as fast as the " +
			"screen shows it. Every frame's time is kept. Each frame advances the scene by the same step, so every device " +
			"draws the same pictures. " + analyse.FramesDefined,
		StandsFor: "Games and charts that move.", LimitedBy: "The graphics chip, then the screen's refresh rate, which no " +
			"frame rate exceeds; a steady rate at the refresh rate says at least that.", Input: "Waves and buoys from seed 11.",
		Checked: "One frame, drawn into memory, is held against a known coarse picture. " + software,
		Options: []method.Option{size, quality, chip, drawn}, Measures: analyse.FrameMeasures()}
	register(scene, false)
	long := scene
	long.Slug, long.Name, long.Analysis, long.Of = "graphics-scene-sustained", "Graphics, a scene at sea, sustained",
		"sustained", "graphics-scene"
	long.About = "The scene at sea drawn into memory as fast as the chip can, for ten minutes, a sample each second."
	long.Options, long.Measures = []method.Option{size, quality, chip, workload.DurationOption},
		workload.SustainedMeasures("{frame}/s", 0.02)
	long.Seconds, long.Repeats = 603, 1
	register(long, false)

	held := method.Measure{Unit: "{Mpixel}", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.02}
	held.Ceiling = ceiling(3840 * 2160 / 1e6)
	register(method.Test{Slug: "graphics-hold", Name: "Graphics, size held", Group: "graphics", Page: "scene",
		BrowserNeeds: []method.BrowserNeed{method.NeedsScreen}, Seconds: 180, Repeats: 1,
		MustMatch: []string{"graphics.renderer"},
		About: "The largest picture, of seven sizes from 640 × 360 to 3840 × 2160, at which the scene at sea holds 30 " +
			"and 60 frames a second for a minute: the mean within 2 % of it, and no more than one frame in a hundred longer " +
			"than one and a half times its due.",
		StandsFor: "Which settings a game can be played at.", LimitedBy: "The graphics chip, and later its heat.",
		Input: "The scene at sea.", Checked: "As the scene at sea. " + software,
		Options: []method.Option{quality, chip, drawn}, Measures: workload.Rows(held, "at-30", "size held at 30 frames/s",
			"at-60", "size held at 60 frames/s")}, false)

	fact := func(slug, name, unit string) method.Measure {
		return method.Measure{Slug: slug, Name: name, Unit: unit, Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.002}
	}
	register(method.Test{Slug: "screen-facts", Name: "Screen", Group: "display", Page: "screen",
		BrowserNeeds: []method.BrowserNeed{method.NeedsScreen}, Seconds: 3, Repeats: 3,
		About: "What the browser says of the screen, and the refresh rate as it is measured from a hundred frames and " +
			"more. Gamut and high dynamic range are the browser's own hints, kept beside the figures.",
		StandsFor: "How fine and how fluent the screen is.", LimitedBy: "A browser may show fewer frames than the screen " +
			"could, to save power.", Checked: "The refresh rate is the median distance of frames.",
		Measures: []method.Measure{fact("refresh", "refresh rate", "Hz"), fact("width", "width", "{pixel}"),
			fact("height", "height", "{pixel}"), fact("scale", "device pixels per CSS pixel", "1")}}, false)
	register(method.Test{Slug: "touch-response", Name: "Touch to frame", Group: "display", Page: "screen",
		BrowserNeeds: []method.BrowserNeed{method.NeedsScreen}, Seconds: 30, Repeats: 1,
		About: "A person taps a field twenty times. From each touch's own time stamp to the end of the frame that " +
			"answers it; and how often a second the screen tells of a finger that moves.",
		StandsFor: "How directly a screen follows the finger.", LimitedBy: "The touch controller, the browser, the " +
			"refresh rate. What the panel adds after the frame was handed over is not seen; a camera sees it.",
		Checked: "At least ten taps.",
		Measures: []method.Measure{{Slug: "median", Name: "touch to frame, median", Unit: "ms", Scale: quantity.Ratio,
			Better: quantity.Lower, Repeatability: 0.08},
			{Slug: "slow", Name: "touch to frame, 90 %", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
				Repeatability: 0.12},
			{Slug: "reports", Name: "touch reports", Unit: "Hz", Scale: quantity.Ratio, Better: quantity.Higher,
				Repeatability: 0.05}}}, false)

	register(method.Test{Slug: "browser-storage", Name: "Storage in the browser", Group: "storage", Page: "system",
		BrowserNeeds: []method.BrowserNeed{method.NeedsSecure}, Seconds: 8, Writes: 5 * 64 << 20,
		About: "A file of 64 MiB in the browser's private file system is written and flushed, read, and overwritten " +
			"in blocks of 4 KiB at scattered places, each flushed.",
		StandsFor: "Applications that run in a browser and keep their data there.",
		LimitedBy: "The system's page cache, which no page can pass by: reading is memory's rate more often than the drive's.", Input: "Incompressible data.",
		Checked: "What is read is what was written, by a sum.", MustMatch: []string{"drive.cache"},
		Measures: append(rate("MBy/s", "write", "writing, flushed", "read", "reading"), method.Measure{Slug: "scattered",
			Name: "scattered writes, each flushed", Unit: "/s", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.1})}, false)
	latency := method.Measure{Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.1}
	register(method.Test{Slug: "browser-network", Version: 2, Name: "Network from the browser", Group: "network",
		Page: "system", Seconds: 6,
		About:     "Data go between the device and the service both ways, in four streams; small requests go there and back.",
		StandsFor: "Pages, downloads, copies to a server.", LimitedBy: "The slowest link between the two, mostly the " +
			"radio; and how fast a browser handles a stream. The service's own machine and its link must be faster than what " +
			"is measured.", Input: "Incompressible data.",
		Checked: "The bytes that arrived are those that were sent, by count.", MustMatch: []string{"network.link"},
		Measures: append(rate("Mbit/s", "down", "receiving", "up", "sending"), workload.Rows(latency, "median",
			"median round trip", "latency-90", "90 % round trip")...)}, false)
}

func ceiling(v float64) *float64 { return &v }
