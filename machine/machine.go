// Package machine is the machine that the program runs on: what it is, what it tells of its
// conditions, and Durvek's workloads run on it. What a system does not tell is left out, never guessed.
package machine

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"strings"
	"sync/atomic"
	"time"

	"github.com/shirou/gopsutil/v4/cpu"
	"github.com/shirou/gopsutil/v4/host"
	"github.com/shirou/gopsutil/v4/mem"

	"durvek/core/record"
	"durvek/instrument"
	"durvek/workload"
	_ "durvek/workload/app" // the workloads that this machine can run
	_ "durvek/workload/browser"
	_ "durvek/workload/cpu"
	_ "durvek/workload/memory"
	_ "durvek/workload/network"
	_ "durvek/workload/response"
	_ "durvek/workload/storage"
)

// Local is this machine. Dir is a folder on the drive that is to be measured; Seconds is the length of
// each timed part, 0 for the usual one. Allowed is the file of commands that the machine's owner allowed;
// without one, no other program is run.
type Local struct {
	Dir     string
	Folders []string // further ones that a plan's options may name
	Seconds float64
	Allowed string
	Browser []string // program, with its arguments, that may open the probe here

	Instruments []instrument.Definition // read while its sensors are; no others are reached

	files string // where the system's files are; empty for the real ones
}

// busy counts the runs that go on.
var busy atomic.Int32

// Describe says what machine this is.
func (l Local) Describe(ctx context.Context) (record.Machine, error) {
	m := record.Machine{Facts: map[string]string{}}
	h, err := host.InfoWithContext(ctx)
	if err != nil {
		return m, fmt.Errorf("ask the system about itself: %w", err)
	}
	m.Name, m.System, m.Kernel = h.Hostname, strings.TrimSpace(h.Platform+" "+h.PlatformVersion), h.KernelVersion
	m.Boot = bootID(h)
	m.Threads = runtime.NumCPU()
	if n, err := cpu.CountsWithContext(ctx, false); err == nil {
		m.Cores = n
	}
	if infos, err := cpu.InfoWithContext(ctx); err == nil && len(infos) > 0 {
		m.Processor = strings.TrimSpace(infos[0].ModelName)
		if infos[0].CacheSize > 0 {
			m.Facts["cpu.cache"] = fmt.Sprintf("%d KiB", infos[0].CacheSize)
		}
	}
	if v, err := mem.VirtualMemoryWithContext(ctx); err == nil {
		m.Memory = v.Total
	}
	for fact, file := range map[string]string{"device.maker": "sys_vendor", "device.model": "product_name"} {
		if b, err := os.ReadFile(filepath.Join(l.root(), "sys/class/dmi/id", file)); err == nil {
			if s := strings.TrimSpace(string(b)); s != "" {
				m.Facts[fact] = s
			}
		}
	}
	m.Untold = l.untold(ctx)
	m.Facts["cpu.architecture"] = runtime.GOARCH
	if h.VirtualizationRole == "guest" && h.VirtualizationSystem != "" {
		m.Facts["virtual.machine"] = h.VirtualizationSystem
	}
	return m, nil
}

// bootID names this boot: the kernel's own id where it has one, else the moment it started.
func bootID(h *host.InfoStat) string {
	if b, err := os.ReadFile("/proc/sys/kernel/random/boot_id"); err == nil {
		return strings.TrimSpace(string(b))
	}
	return fmt.Sprintf("%s-%d", h.HostID, h.BootTime)
}

// Observe tells the conditions that this machine can tell of itself, over the vocabulary of conditions.
func (l Local) Observe(ctx context.Context) map[string]string {
	out := map[string]string{"runtime": Runtime()}
	if h, err := host.InfoWithContext(ctx); err == nil {
		out["system.name"] = strings.TrimSpace(h.Platform + " " + h.PlatformVersion)
		out["system.kernel"] = h.KernelVersion
	}
	for k, v := range (tells{l.root()}).conditions() {
		out[k] = v
	}
	if busy.Load() == 0 { // while a run goes on, the load is its own
		if p, err := cpu.PercentWithContext(ctx, 100*time.Millisecond, false); err == nil && len(p) == 1 {
			out["load.background"] = fmt.Sprintf("%.0f %%", p[0])
		}
	}
	return out
}

// Runtime names what the kernels run in and were built by, as the condition "runtime".
func Runtime() string {
	version := runtime.Version()
	if i, ok := debug.ReadBuildInfo(); ok {
		version = i.GoVersion
	}
	return "native " + version
}

// supply reads Linux's power supplies: battery while one discharges, mains while a line is in, and
// mains for a machine that has no battery at all. Elsewhere the supply is not known.
func supply(dir string) string {
	if runtime.GOOS != "linux" {
		return ""
	}
	entries, err := os.ReadDir(dir)
	if err != nil && !os.IsNotExist(err) {
		return ""
	}
	batteries := 0
	for _, e := range entries {
		at := filepath.Join(dir, e.Name())
		switch firstLine(filepath.Join(at, "type")) {
		case "Mains", "USB":
			if firstLine(filepath.Join(at, "online")) == "1" {
				return "mains"
			}
		case "Battery":
			if firstLine(filepath.Join(at, "scope")) == "Device" {
				continue // a mouse's battery
			}
			batteries++
			if firstLine(filepath.Join(at, "status")) == "Discharging" {
				return "battery"
			}
		}
	}
	if batteries == 0 {
		return "mains"
	}
	return ""
}

func firstLine(path string) string {
	b, err := os.ReadFile(path)
	if err != nil {
		return ""
	}
	line, _, _ := strings.Cut(string(b), "\n")
	return strings.TrimSpace(line)
}

// Run executes a test here: one of Durvek's own, or another program that this machine's owner allowed.
func (l Local) Run(ctx context.Context, o record.Order, report func(record.Sample)) (record.Outcome, error) {
	busy.Add(1)
	defer busy.Add(-1)
	if o.Test.Command != nil {
		return l.command(ctx, o.Test, report)
	}
	w, ok := workload.Find(o.Test.Slug)
	if !ok || w.Test.Version != o.Test.Version {
		return record.Outcome{}, fmt.Errorf("this agent has no version %d of %q; bring agent and service to the same version",
			o.Test.Version, o.Test.Slug)
	}
	// A workload sets its own number of threads; the collector's debt of the run before is paid first.
	runtime.GC()
	debug.FreeOSMemory()
	env := workload.Env{Options: o.Options, Dir: l.Dir, Folders: l.Folders, Seconds: l.Seconds, Service: o.Service,
		Token:   o.Token,
		Browser: l.Browser, Report: report, Conditions: o.Setup.Conditions}
	if v, err := mem.VirtualMemoryWithContext(ctx); err == nil {
		env.Memory = v.Available
	}
	throttled, counts := l.throttled()
	out, err := w.Execute(ctx, env)
	for k, v := range (tells{l.root()}).negotiated(l.Dir) {
		if out.Negotiated == nil {
			out.Negotiated = map[string]string{}
		}
		if out.Negotiated[k] == "" {
			out.Negotiated[k] = v
		}
	}
	if after, ok := l.throttled(); ok && counts && after > throttled {
		out.Negotiated["throttled"] = fmt.Sprintf("%.0f", after-throttled)
	}
	return out, err
}

// throttled is how often the processor has slowed itself for heat since it was started, where it counts that.
func (l Local) throttled() (float64, bool) {
	return tells{l.root()}.number("/sys/devices/system/cpu/cpu0/thermal_throttle/package_throttle_count")
}

// Now is the clock of this machine.
func (l Local) Now() time.Time { return time.Now() }
