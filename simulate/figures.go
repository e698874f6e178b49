package simulate

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
)

// figure is what one measure is expected to be.
type figure func(*Machine) (float64, error)

// perGHz are the rates of one thread per GHz of boost clock, for each kernel and part.
var perGHz = map[string]float64{
	"harbour-picture/": 0.42, "hashing/": 395, "compression/pack-": 24, "compression/unpack-": 94, "sealing/": 690,
	"log-indexing/":    25,
	"message-parsing/": 160e3, "pattern-scan/": 1.9,
	"route-search/": 900e3, "line-of-sight/": 215e3, "sonar-filtering/": 3.1, "tide-synthesis/": 590e3,
	"grid-solve/":    0.55,
	"inference/f32-": 82, "inference/i16-": 90, "inference/i8-": 94, "video-encode/": 31,
}

// figures is the table of what a spec sheet leads one to expect of each measure. The constants are
// rates per GHz, per core and per channel of ordinary hardware. What follows from a kernel's rates
// is in derived.
var figures = map[string]figure{
	"memory-bandwidth/read":                func(m *Machine) (float64, error) { return m.memory(0.86) },
	"memory-bandwidth/write":               func(m *Machine) (float64, error) { return m.memory(0.52) },
	"memory-bandwidth/copy":                func(m *Machine) (float64, error) { return m.memory(0.63) },
	"memory-bandwidth/multiply-add":        func(m *Machine) (float64, error) { return m.memory(0.74) },
	"memory-bandwidth/read-single":         func(m *Machine) (float64, error) { return m.stream(5.2) },
	"memory-bandwidth/write-single":        func(m *Machine) (float64, error) { return m.stream(3.1) },
	"memory-bandwidth/copy-single":         func(m *Machine) (float64, error) { return m.stream(3.8) },
	"memory-bandwidth/multiply-add-single": func(m *Machine) (float64, error) { return m.stream(4.4) },
	"memory-latency/nearest":               func(m *Machine) (float64, error) { return m.time(4.6) },
	"memory-latency/main": func(m *Machine) (float64, error) {
		v, err := m.need("memory.speed")
		return 58 + 2.2e5/v, err
	},
	"memory-latency/knee-1": func(*Machine) (float64, error) { return 46, nil },
	"memory-latency/knee-2": func(*Machine) (float64, error) { return 1024, nil },
	"memory-latency/knee-3": func(m *Machine) (float64, error) {
		v, err := m.need("cpu.threads")
		return 1448 * v, err
	},
	"drive-sequential/read": func(m *Machine) (float64, error) {
		return m.drive("drive.sequential_read",
			0.975)
	},
	"drive-sequential/write": func(m *Machine) (float64, error) {
		return m.drive("drive.sequential_write",
			0.97)
	},
	"drive-random/rate":                 func(m *Machine) (float64, error) { return m.random(1) },
	"drive-random/median":               func(m *Machine) (float64, error) { return micros(m.random(1)) },
	"drive-random/latency-99":           func(m *Machine) (float64, error) { return micros(m.random(1 / 2.1)) },
	"drive-depths/read-single":          func(m *Machine) (float64, error) { return m.random(1) },
	"drive-depths/read-deep":            func(m *Machine) (float64, error) { return m.random(17) },
	"drive-depths/write-single":         func(m *Machine) (float64, error) { return m.random(2.6) },
	"drive-depths/write-deep":           func(m *Machine) (float64, error) { return m.random(13) },
	"drive-depths/read-deep-latency-99": func(m *Machine) (float64, error) { return micros(m.random(0.2)) },
	"drive-blocks/read-small": func(m *Machine) (float64, error) {
		return m.drive("drive.sequential_read",
			0.06)
	},
	"drive-blocks/read-middle": func(m *Machine) (float64, error) {
		return m.drive("drive.sequential_read",
			0.45)
	},
	"drive-blocks/read-parallel": func(m *Machine) (float64, error) {
		return m.drive("drive.sequential_read",
			0.99)
	},
	"drive-blocks/write-small": func(m *Machine) (float64, error) {
		return m.drive("drive.sequential_write",
			0.07)
	},
	"drive-blocks/write-middle": func(m *Machine) (float64, error) {
		return m.drive("drive.sequential_write",
			0.5)
	},
	"drive-blocks/write-parallel": func(m *Machine) (float64, error) {
		return m.drive("drive.sequential_write",
			0.985)
	},
	"drive-mixed/rate-single":            func(m *Machine) (float64, error) { return m.random(1.2) },
	"drive-mixed/rate-deep":              func(m *Machine) (float64, error) { return m.random(12) },
	"drive-mixed/read-single-latency-99": func(m *Machine) (float64, error) { return micros(m.random(0.4)) },
	"drive-mixed/read-deep-latency-99":   func(m *Machine) (float64, error) { return micros(m.random(0.15)) },
	"drive-flush/rate":                   func(m *Machine) (float64, error) { return m.random(0.11) },
	"drive-flush/median":                 func(m *Machine) (float64, error) { return micros(m.random(0.12)) },
	"drive-flush/latency-99":             func(m *Machine) (float64, error) { return micros(m.random(0.03)) },
	"drive-flush/worst":                  func(m *Machine) (float64, error) { return micros(m.random(0.006)) },
	"drive-appends/rate":                 func(m *Machine) (float64, error) { return m.random(0.09) },
	"drive-appends/median":               func(m *Machine) (float64, error) { return micros(m.random(0.1)) },
	"drive-appends/latency-99":           func(m *Machine) (float64, error) { return micros(m.random(0.025)) },
	"drive-appends/worst":                func(m *Machine) (float64, error) { return micros(m.random(0.005)) },
	"drive-fill/before": func(m *Machine) (float64, error) {
		return m.drive("drive.sequential_write",
			0.97)
	},
	"drive-fill/after": func(m *Machine) (float64, error) { return m.drive("drive.sequential_write", 0.31) },
	"drive-fill/whole": func(m *Machine) (float64, error) { return m.drive("drive.sequential_write", 0.44) },
	"drive-fill/cache": func(m *Machine) (float64, error) {
		v, err := m.drive("drive.size", 0.032)
		return v,
			err
	},
	"drive-recovery/cache": func(m *Machine) (float64, error) {
		v, err := m.drive("drive.size", 0.032)
		return v,
			err
	},
	"drive-recovery/recovered": func(*Machine) (float64, error) { return 64, nil },
	"drive-steady/rate":        func(m *Machine) (float64, error) { return m.random(3.1) },
	"drive-steady/rounds":      func(*Machine) (float64, error) { return 12, nil },
	"small-files/create":       func(m *Machine) (float64, error) { return m.random(0.9) },
	"small-files/list":         func(m *Machine) (float64, error) { return m.single(62e3) },
	"small-files/read":         func(m *Machine) (float64, error) { return m.random(0.7) },
	"small-files/delete":       func(m *Machine) (float64, error) { return m.single(9e3) },
	"folder-copy/rate":         func(m *Machine) (float64, error) { return m.drive("drive.sequential_write", 0.36) },
	"folder-copy/reading-busy": func(*Machine) (float64, error) { return 55, nil },
	"folder-copy/writing-busy": func(*Machine) (float64, error) { return 88, nil },
	"archive/pack":             func(m *Machine) (float64, error) { v, err := m.single(30); return 24 / v, err },
	"archive/unpack":           func(m *Machine) (float64, error) { v, err := m.single(72); return 24/v + 0.04, err },
	"photo-batch/rate":         func(m *Machine) (float64, error) { return m.all(150) },
	"page-loads/rate":          func(m *Machine) (float64, error) { return m.single(5600) },
	"page-loads/median":        func(m *Machine) (float64, error) { return m.time(10) },
	"page-loads/slowest":       func(m *Machine) (float64, error) { return m.time(24) },
	"database/fill":            func(m *Machine) (float64, error) { return m.time(0.62) },
	"database/transactions":    func(m *Machine) (float64, error) { return m.random(0.08) },
	"database/queries":         func(m *Machine) (float64, error) { return m.single(96) },
	"documents/single":         func(m *Machine) (float64, error) { return m.single(8200) },
	"documents/all":            func(m *Machine) (float64, error) { return m.all(7300) },
	"spreadsheet/open":         func(m *Machine) (float64, error) { return m.time(0.11) },
	"spreadsheet/calculate":    func(m *Machine) (float64, error) { return m.time(0.022) },
	"survey-post/time":         func(m *Machine) (float64, error) { return m.time(0.5) },
	"command-start/median":     func(m *Machine) (float64, error) { return m.time(110) },
	"command-start/slowest":    func(m *Machine) (float64, error) { return m.time(170) },
	"hull-mesher/time":         func(m *Machine) (float64, error) { v, err := m.all(1); return 620 / v, err },
	"hull-mesher/cells":        func(m *Machine) (float64, error) { return m.all(2400) },
	"foreground/quiet":         func(m *Machine) (float64, error) { return m.time(58) },
	"foreground/full":          func(m *Machine) (float64, error) { return m.time(105) },
	"foreground/double":        func(m *Machine) (float64, error) { return m.time(190) },
	"foreground/sluggish":      func(m *Machine) (float64, error) { v, err := m.need("cpu.threads"); return 2 * v, err },
	"wake-up/idle-median":      func(m *Machine) (float64, error) { return m.time(250) },
	"wake-up/load-median":      func(m *Machine) (float64, error) { return m.time(220) },
	"wake-up/idle-999":         func(m *Machine) (float64, error) { return m.time(1100) },
	"wake-up/load-999":         func(m *Machine) (float64, error) { return m.time(5200) },
	"wake-up/idle-worst":       func(m *Machine) (float64, error) { return m.time(2600) },
	"wake-up/load-worst":       func(m *Machine) (float64, error) { return m.time(16000) },
	"wake-up/idle-late":        func(*Machine) (float64, error) { return 0.02, nil },
	"wake-up/load-late":        func(*Machine) (float64, error) { return 0.3, nil },
	"network/down":             func(*Machine) (float64, error) { return 941, nil },
	"network/down-4":           func(*Machine) (float64, error) { return 944, nil },
	"network/up":               func(*Machine) (float64, error) { return 938, nil },
	"network/up-4":             func(*Machine) (float64, error) { return 941, nil },
	"network/median":           func(m *Machine) (float64, error) { return m.time(900) },
	"network/latency-99":       func(m *Machine) (float64, error) { return m.time(2100) },
}

// expected is what a measure should be. Of a workload that no table knows it is what one part for each ten million
// cycles makes, so that a new one can be tried at once.
func (m *Machine) expected(t method.Test, measure string) (float64, error) {
	v, err := m.known(t.Slug, measure)
	if !errors.Is(err, errUnknown) || t.Origin != "workload" {
		return v, err
	}
	const plain = 100
	all, err := m.all(plain)
	if err != nil {
		return 0, err
	}
	single, err := m.single(plain)
	switch {
	case measure == "speed-up":
		return all / single, err
	case measure == "all" || measure == "burst":
		return all, err
	case measure == "sustained":
		return 0.9 * all, err
	case measure == "exceeded-95":
		return 0.85 * all, err
	case measure == "hold" || measure == "spread":
		return 90, err
	case measure == "below":
		return 0, err
	}
	return single, err
}

var errUnknown = errors.New("no simulated machine can run")

// known is what a measure should be, from the table or derived from a kernel's or a drive's rates. The error of one
// that is in neither wraps errUnknown.
func (m *Machine) known(test, measure string) (float64, error) {
	id := method.ID(test, measure)
	if f, ok := figures[id]; ok {
		return f(m)
	}
	if v, ok, err := m.shown(test, measure); ok {
		return v, err
	}
	if test == "harbour-picture-whole" {
		rate, err := m.all(perGHz["harbour-picture/"])
		return map[string]float64{"time": 1024 * 320 * 180 / 1e6 / rate, "rate": rate}[measure], err
	}
	if test == "many-jobs" || test == "wireless-link" {
		return m.answered(measure)
	}
	if test == "page-visits" {
		v, err := m.paged(measure)
		return v, err
	}
	if v, ok, err := m.filmed(test, measure); ok {
		return v, err
	}
	if p, ok := perGHz[test+"/"+strings.TrimSuffix(measure, "single")]; ok && strings.HasSuffix(measure, "single") {
		return m.single(p)
	}
	if p, ok := perGHz[test+"/"+strings.TrimSuffix(measure, "all")]; ok && strings.HasSuffix(measure, "all") {
		return m.all(p)
	}
	if kernel, ok := strings.CutSuffix(test, "-scaling"); ok {
		single, all, err := m.kernel(kernel)
		return all / single, err
	}
	if kernel, ok := strings.CutSuffix(test, "-cores"); ok {
		single, _, err := m.kernel(kernel)
		return map[string]float64{"fastest": single, "slowest": 0.96 * single, "spread": 96}[measure], err
	}
	if base, ok := strings.CutSuffix(test, "-sustained"); ok {
		burst, hold, floor, err := m.lasting(base)
		return map[string]float64{"burst": burst, "sustained": burst * hold, "hold": 100 * hold, "drop": 28 + 90*hold,
			"exceeded-95": 0.95 * burst * hold, "below": floor}[measure], err
	}
	return 0, fmt.Errorf("%w %q", errUnknown, test)
}

// kernel is the rate of a kernel's first part, with one thread and with all.
func (m *Machine) kernel(slug string) (single, all float64, err error) {
	for _, first := range []string{"", "pack-", "f32-"} {
		if p, ok := perGHz[slug+"/"+first]; ok {
			if single, err = m.single(p); err == nil {
				all, err = m.all(p)
			}
			return single, all, err
		}
	}
	return 0, 0, fmt.Errorf("%w %q", errUnknown, slug)
}

// lasting is what a machine or drive does under lasting load: its rate at the beginning, the share of it
// that is held, and the seconds below the floor. A machine without fans holds least.
func (m *Machine) lasting(slug string) (burst, hold, below float64, err error) {
	if _, all, err := m.kernel(slug); err == nil {
		fans, _ := catalog.SpecNumber(m.Spec, "cooling.fans")
		return all * (1.06 + 0.02*fans), math.Min(0.97, 0.72+0.09*fans), 0, nil
	}
	if burst, hold, ok, err := m.lastingGraphics(slug); ok {
		return burst, hold, 0, err
	}
	switch slug {
	case "drive-read":
		burst, err = m.drive("drive.sequential_read", 0.975)
		return burst, 0.98, 0, err
	case "drive-write":
		burst, err = m.drive("drive.sequential_write", 0.97)
		return burst, 0.34, 4, err
	case "drive-random-read":
		burst, err = m.random(17)
		return burst, 0.97, 0, err
	case "drive-random-write":
		burst, err = m.random(13)
		return burst, 0.4, 2, err
	}
	return 0, 0, 0, fmt.Errorf("%w %q", errUnknown, slug)
}

// stream is what one thread streams through memory: so much per GHz, but no more than most of what
// the channels carry.
func (m *Machine) stream(perGHz float64) (float64, error) {
	all, err := m.memory(0.8)
	if err != nil {
		return 0, err
	}
	v, err := m.single(perGHz)
	return math.Min(v, all), err
}

// time is so much work for one thread: the faster its clock, the shorter.
func (m *Machine) time(gigacycles float64) (float64, error) {
	v, err := m.single(1)
	return gigacycles / v, err
}

func (m *Machine) need(key string) (float64, error) {
	v, ok := catalog.SpecNumber(m.Spec, key)
	if !ok || v <= 0 {
		return 0, fmt.Errorf("its spec sheet has no %s", key)
	}
	return v, nil
}

// mode is what the setup does to the clocks.
func (m *Machine) mode() float64 {
	f := 1.0
	switch m.Setup.Conditions["power.mode"] {
	case "fast":
		f *= 1.07
	case "quiet":
		f *= 0.82
	}
	if m.Setup.Conditions["supply"] == "battery" {
		f *= 0.93
	}
	return f
}

// single is the rate of one thread: so much per GHz of boost clock.
func (m *Machine) single(perGHz float64) (float64, error) {
	clock, err := m.need("cpu.boost_clock")
	return clock * perGHz * m.mode(), err
}

// all is the rate of all threads: the power limit holds the clock of many cores down with the third
// root of what it leaves to each, and a core's further threads add a fifth.
func (m *Machine) all(perGHz float64) (float64, error) {
	one, err := m.single(perGHz)
	if err != nil {
		return 0, err
	}
	cores, err := m.need("cpu.cores")
	if err != nil {
		return 0, err
	}
	threads, err := m.need("cpu.threads")
	if err != nil {
		return 0, err
	}
	limit, err := m.need("cpu.power_limit")
	if err != nil {
		return 0, err
	}
	clock, _ := catalog.SpecNumber(m.Spec, "cpu.boost_clock")
	wanted := cores * 0.11 * math.Pow(clock, 3) // watts if every core ran at full clock
	held := math.Min(1, math.Cbrt(limit*m.mode()/wanted))
	return one * held * (cores + 0.2*(threads-cores)), nil
}

// memory is a share of what the channels can carry.
func (m *Machine) memory(share float64) (float64, error) {
	channels, err := m.need("memory.channels")
	if err != nil {
		return 0, err
	}
	speed, err := m.need("memory.speed")
	return channels * speed * 8e6 / 1e9 * share, err
}

// drive is a share of the rated figure.
func (m *Machine) drive(key string, share float64) (float64, error) {
	v, err := m.need(key)
	return v * share, err
}

// random is a rate of single small reads, times a factor: the faster the drive in order, the shorter
// its latency, by far less than in proportion.
func (m *Machine) random(factor float64) (float64, error) {
	v, err := m.need("drive.sequential_read")
	return factor * 5200 * math.Pow(v/500, 0.42), err
}

// micros is the time of one, in microseconds, at a rate per second.
func micros(rate float64, err error) (float64, error) { return 1e6 / rate, err }
