package simulate

import (
	"fmt"
	"math"

	"durvek/core/catalog"
)

// figures is the table of what a spec sheet leads one to expect of each measure. The constants are
// rates per GHz, per core and per channel of ordinary hardware.
var figures = map[string]func(*Machine) (float64, error){
	"hashing/single":                func(m *Machine) (float64, error) { return m.single(395) },
	"hashing/all":                   func(m *Machine) (float64, error) { return m.all(395) },
	"compression/pack-single":       func(m *Machine) (float64, error) { return m.single(24) },
	"compression/pack-all":          func(m *Machine) (float64, error) { return m.all(24) },
	"compression/unpack-single":     func(m *Machine) (float64, error) { return m.single(94) },
	"compression/unpack-all":        func(m *Machine) (float64, error) { return m.all(94) },
	"memory-bandwidth/read":         func(m *Machine) (float64, error) { return m.memory(0.86) },
	"memory-bandwidth/multiply-add": func(m *Machine) (float64, error) { return m.memory(0.74) },
	"drive-sequential/read":         func(m *Machine) (float64, error) { return m.drive("drive.sequential_read", 0.975) },
	"drive-sequential/write":        func(m *Machine) (float64, error) { return m.drive("drive.sequential_write", 0.97) },
	"drive-random/rate":             func(m *Machine) (float64, error) { return m.random() },
	"drive-random/median":           func(m *Machine) (float64, error) { return inverse(m.random()) },
	"drive-random/p99": func(m *Machine) (float64, error) {
		v, err := inverse(m.random())
		return 2.1 * v, err
	},
	"archive/pack": func(m *Machine) (float64, error) {
		v, err := m.single(30)
		return 24 / v, err
	},
	"archive/unpack": func(m *Machine) (float64, error) {
		v, err := m.single(72)
		return 24/v + 0.04, err
	},
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

// random is a rate of single small reads: the faster the drive in order, the shorter its latency,
// by far less than in proportion.
func (m *Machine) random() (float64, error) {
	v, err := m.need("drive.sequential_read")
	return 5200 * math.Pow(v/500, 0.42), err
}

func inverse(rate float64, err error) (float64, error) { return 1e6 / rate, err }
