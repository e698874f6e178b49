package machine

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

// Watch reads the sensors until it is stopped. Everything that does not change while it runs is found once, so
// that one reading costs a few file reads.
func (l Local) Watch(rate float64, tell func(time.Duration, map[string]float64)) (stop func()) {
	s, m := newSensors(tells{l.root()}, l.Dir), readMeters(l.Instruments)
	quit, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(time.Duration(float64(time.Second) / max(rate, 0.1)))
		defer tick.Stop()
		for {
			select {
			case <-quit:
				return
			case <-tick.C:
				at := l.Clock()
				values := s.read(at)
				m.into(values, time.Now())
				tell(at, values)
			}
		}
	}()
	return func() { close(quit); <-ended; m.close(); s.close() }
}

// sensors are the files that are read again and again, with what was read last.
type sensors struct {
	tells
	single                 map[string]scaled // one file each
	clocks                 []string
	energy                 string // RAPL's energy of the package, in µJ, which wraps
	energyRange            float64
	battery                string
	disk                   string
	fans                   []string
	busy, all              []float64 // of each logical processor, and last of all together
	lastEnergy             float64
	lastAt                 time.Duration
	lastRead, lastWritten  float64
	lastBusy               float64
	hasEnergy, hasDiskStat bool

	open   map[string]*os.File // kept open: opening anew is most of what a reading would cost
	buffer []byte
}

// content reads a file of the system, the first part of it that may matter; nil if it cannot be read. It holds until
// the next call.
func (s *sensors) content(path string) []byte {
	f, known := s.open[path]
	if !known {
		f, _ = os.Open(s.path(path))
		s.open[path] = f
	}
	if f == nil {
		return nil
	}
	n, err := f.ReadAt(s.buffer, 0)
	if n == 0 && err != nil {
		return nil
	}
	return s.buffer[:n]
}

func (s *sensors) line(path string) string {
	line, _, _ := bytes.Cut(s.content(path), []byte("\n"))
	return strings.TrimSpace(string(line))
}

func (s *sensors) number(path string) (float64, bool) {
	v, err := strconv.ParseFloat(s.line(path), 64)
	return v, err == nil
}

func (s *sensors) close() {
	for _, f := range s.open {
		if f != nil {
			f.Close()
		}
	}
}

type scaled struct {
	path   string
	factor float64
}

func newSensors(t tells, dir string) *sensors {
	s := &sensors{tells: t, single: map[string]scaled{}, open: map[string]*os.File{}, buffer: make([]byte, 64<<10)}
	add := func(channel, path string, factor float64) {
		if _, ok := t.number(path); ok {
			if _, has := s.single[channel]; !has {
				s.single[channel] = scaled{path, factor}
			}
		}
	}
	if p, _ := t.pkg(); strings.HasSuffix(p, "/temp") {
		add("temperature.package", p, 1e-3)
	} else if p != "" {
		add("temperature.package", p+"_input", 1e-3)
	}
	s.disk = t.disk(dir)
	for _, p := range t.list("/sys/class/block/" + s.disk + "/device/hwmon*/temp1_input") {
		add("temperature.drive", p, 1e-3)
	}
	for i, c := range t.chips() {
		more := ""
		if i > 0 {
			more = fmt.Sprintf("-%d", i+1)
		}
		for _, h := range t.list(c.dir + "/hwmon/hwmon*") {
			add("temperature.graphics"+more, h+"/temp1_input", 1e-3)
			add("power.graphics"+more, h+"/power1_average", 1e-6)
			add("power.graphics"+more, h+"/power1_input", 1e-6)
			add("clock.graphics"+more, h+"/freq1_input", 1e-6)
		}
		add("load.graphics"+more, c.dir+"/gpu_busy_percent", 1)
		add("memory.graphics"+more, c.dir+"/mem_info_vram_used", 1./(1<<20))
		add("clock.graphics"+more, filepath.Dir(c.dir)+"/gt_act_freq_mhz", 1)
	}
	for _, p := range t.list("/sys/class/hwmon/hwmon*/name") {
		if k := t.line(p); k == "acpitz" || strings.Contains(k, "ambient") {
			add("temperature.board", filepath.Dir(p)+"/temp1_input", 1e-3)
		}
	}
	s.fans = t.list("/sys/class/hwmon/hwmon*/fan*_input")
	s.clocks = t.list("/sys/devices/system/cpu/cpu[0-9]*/cpufreq/scaling_cur_freq")
	if _, ok := t.number("/sys/class/powercap/intel-rapl:0/energy_uj"); ok {
		s.energy = "/sys/class/powercap/intel-rapl:0/energy_uj"
		s.energyRange, _ = t.number("/sys/class/powercap/intel-rapl:0/max_energy_range_uj")
	}
	for _, p := range t.list("/sys/class/power_supply/*/capacity") {
		if dir := filepath.Dir(p); s.battery == "" && t.line(dir+"/scope") != "Device" {
			s.battery = dir
			add("battery.charge", p, 1)
		}
	}
	return s
}

// read gives what every channel says now; at is a steady clock. Shares and powers made from counters are means
// since the reading before, so the first reading has none.
func (s *sensors) read(at time.Duration) map[string]float64 {
	out := map[string]float64{}
	for channel, x := range s.single {
		if v, ok := s.number(x.path); ok {
			out[channel] = v * x.factor
		}
	}
	var sum, most float64
	for _, p := range s.clocks {
		v, _ := s.number(p)
		sum += v / 1000
		most = max(most, v/1000)
	}
	if most > 0 {
		out["clock.mean"], out["clock.highest"] = sum/float64(len(s.clocks)), most
	}
	fan := -1.0
	for _, p := range s.fans {
		if v, ok := s.number(p); ok {
			fan = max(fan, v)
		}
	}
	if fan >= 0 {
		out["fan.speed"] = fan
	}
	seconds := (at - s.lastAt).Seconds()
	s.lastAt = at
	if v, ok := s.number(s.energy); ok && s.energy != "" {
		d := v - s.lastEnergy
		if d < 0 {
			d += s.energyRange
		}
		if s.hasEnergy && seconds > 0 {
			out["power.package"] = d / 1e6 / seconds
		}
		s.lastEnergy, s.hasEnergy = v, true
	}
	if s.battery != "" && s.line(s.battery+"/status") == "Discharging" {
		if v, ok := s.number(s.battery + "/power_now"); ok {
			out["power.battery"] = v / 1e6
		} else if a, ok := s.number(s.battery + "/current_now"); ok {
			if u, ok := s.number(s.battery + "/voltage_now"); ok {
				out["power.battery"] = a * u / 1e12
			}
		}
	}
	s.load(out)
	if b := s.content("/proc/meminfo"); b != nil {
		var total, free float64
		for _, line := range strings.SplitN(string(b), "\n", 6) {
			f := strings.Fields(line)
			if len(f) < 2 {
				continue
			}
			switch v, _ := strconv.ParseFloat(f[1], 64); f[0] {
			case "MemTotal:":
				total = v
			case "MemAvailable:":
				free = v
			}
		}
		if total > 0 {
			out["memory.used"] = (total - free) / 1024
		}
	}
	if f := strings.Fields(s.line("/sys/class/block/" + s.disk + "/stat")); s.disk != "" && len(f) >= 10 {
		read, _ := strconv.ParseFloat(f[2], 64) // sectors of 512 bytes
		written, _ := strconv.ParseFloat(f[6], 64)
		busy, _ := strconv.ParseFloat(f[9], 64) // milliseconds
		if s.hasDiskStat && seconds > 0 {
			out["throughput.read"], out["throughput.write"] = (read-s.lastRead)*512/1e6/seconds,
				(written-s.lastWritten)*512/1e6/seconds
			out["load.drive"] = min(100, (busy-s.lastBusy)/10/seconds)
		}
		s.lastRead, s.lastWritten, s.lastBusy, s.hasDiskStat = read, written, busy, true
	}
	return out
}

// load reads the counters of busy time of every logical processor.
func (s *sensors) load(out map[string]float64) {
	rest := s.content("/proc/stat")
	var busy, all []float64
	for bytes.HasPrefix(rest, []byte("cpu")) { // the lines of the processors come first
		line, more, _ := bytes.Cut(rest, []byte("\n"))
		rest = more
		f := strings.Fields(string(line))
		if len(f) < 8 {
			break
		}
		var whole, idle float64
		for i, x := range f[1:min(len(f), 9)] { // guest time is in user time already
			v, _ := strconv.ParseFloat(x, 64)
			whole += v
			if i == 3 || i == 4 {
				idle += v
			}
		}
		busy, all = append(busy, whole-idle), append(all, whole)
	}
	if len(s.all) == len(all) {
		most := 0.0
		for i := range all {
			d := all[i] - s.all[i]
			if d <= 0 {
				continue
			}
			share := 100 * max(0, busy[i]-s.busy[i]) / d
			if i == 0 {
				out["load.processor"] = share
			} else {
				most = max(most, share)
			}
		}
		if len(all) > 1 {
			out["load.busiest"] = most
		}
	}
	s.busy, s.all = busy, all
}
