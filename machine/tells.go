package machine

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"durvek/core/method"
	"durvek/core/record"
)

// tells reads what a Linux system tells in its files below root, "/" on a real machine. What a file does not say
// is left out. On other systems the files are not there and nearly everything is left out.
type tells struct{ root string }

func (t tells) path(p string) string { return filepath.Join(t.root, p) }

func (t tells) line(p string) string { return firstLine(t.path(p)) }

func (t tells) number(p string) (float64, bool) {
	v, err := strconv.ParseFloat(t.line(p), 64)
	return v, err == nil
}

// list gives the paths that match a pattern, in order, relative to root.
func (t tells) list(pattern string) []string {
	found, _ := filepath.Glob(t.path(pattern))
	for i := range found {
		found[i] = strings.TrimPrefix(found[i], strings.TrimSuffix(t.root, "/"))
	}
	sort.Strings(found)
	return found
}

// conditions are those that the system's files tell.
func (t tells) conditions() map[string]string {
	out := map[string]string{}
	put := func(key, value string) {
		if value != "" {
			out[key] = value
		}
	}
	put("supply", supply(t.path("/sys/class/power_supply")))
	put("power.governor", t.line("/sys/devices/system/cpu/cpu0/cpufreq/scaling_governor"))
	put("power.profile", t.line("/sys/firmware/acpi/platform_profile"))
	put("firmware", t.line("/sys/class/dmi/id/bios_version"))
	if v, ok := t.charge(); ok {
		put("battery.charge", fmt.Sprintf("%.0f %%", v))
	}
	var shown []string
	for _, p := range t.list("/sys/class/drm/card*-*/status") {
		if t.line(p) == "connected" {
			port := filepath.Base(filepath.Dir(p))
			_, port, _ = strings.Cut(port, "-")
			shown = append(shown, port)
		}
	}
	put("displays", strings.Join(shown, ", "))
	chips := t.chips()
	if len(chips) > 0 {
		driver := chips[0].driver
		if v := t.line("/sys/module/" + driver + "/version"); v != "" {
			driver += " " + v
		}
		put("graphics.driver", driver)
	}
	return out
}

func (t tells) charge() (float64, bool) {
	for _, p := range t.list("/sys/class/power_supply/*/capacity") {
		if t.line(filepath.Join(filepath.Dir(p), "scope")) != "Device" {
			return t.number(p)
		}
	}
	return 0, false
}

// chip is a graphics chip.
type chip struct{ dir, name, driver string }

func (t tells) chips() []chip {
	var out []chip
	for _, p := range t.list("/sys/class/drm/card[0-9]/device/vendor") {
		dir := filepath.Dir(p)
		link, _ := os.Readlink(t.path(dir + "/driver"))
		out = append(out, chip{dir, strings.TrimPrefix(t.line(p), "0x") + ":" + strings.TrimPrefix(t.line(dir+"/device"),
			"0x"), filepath.Base(link)})
	}
	return out
}

// disk names the block device and the whole disk that hold a folder, from the mount table.
func (t tells) disk(dir string) string {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return ""
	}
	if real, err := filepath.EvalSymlinks(dir); err == nil {
		dir = real
	}
	table, err := os.ReadFile(t.path("/proc/self/mountinfo"))
	if err != nil {
		return ""
	}
	best, number := "", ""
	for _, line := range strings.Split(string(table), "\n") {
		f := strings.Fields(line)
		if len(f) < 5 {
			continue
		}
		at := strings.ReplaceAll(f[4], `\040`, " ")
		if (dir == at || at == "/" || strings.HasPrefix(dir, at+"/")) && len(at) >= len(best) {
			best, number = at, f[2]
		}
	}
	link, err := os.Readlink(t.path("/sys/dev/block/" + number))
	if err != nil {
		return ""
	}
	name := filepath.Base(link)
	if _, err := os.Stat(t.path("/sys/class/block/" + name + "/partition")); err == nil {
		name = filepath.Base(filepath.Dir(link)) // a partition lies within its disk
	}
	return name
}

// gigatransfers turns "16.0 GT/s PCIe" into "16".
func gigatransfers(s string) string {
	n, _, _ := strings.Cut(s, " ")
	v, err := strconv.ParseFloat(n, 64)
	if err != nil || v <= 0 {
		return ""
	}
	return strconv.FormatFloat(v, 'f', -1, 64)
}

// pcie is the link of a PCIe device's folder; which is "current" or "max".
func (t tells) pcie(dir, which string) string {
	speed, width := gigatransfers(t.line(dir+"/"+which+"_link_speed")), t.line(dir+"/"+which+"_link_width")
	if speed == "" || width == "" || width == "0" {
		return ""
	}
	return "PCIe " + speed + " GT/s x" + width
}

// negotiated is what this machine settled on with its parts, for a run that works in dir.
func (t tells) negotiated(dir string) map[string]string {
	out := map[string]string{}
	put := func(key, value string) {
		if value != "" {
			out[key] = value
		}
	}
	if disk := t.disk(dir); disk != "" {
		base := "/sys/class/block/" + disk + "/device"
		if model := t.line(base + "/model"); model != "" {
			put("drive.identity", strings.TrimSpace(t.line(base+"/vendor")+" "+model))
		}
		for _, f := range []string{"/firmware_rev", "/rev"} {
			if _, has := out["drive.firmware"]; !has {
				put("drive.firmware", t.line(base+f))
			}
		}
		if real, err := filepath.EvalSymlinks(t.path(base)); err == nil {
			real = strings.TrimPrefix(real, strings.TrimSuffix(t.root, "/"))
			for dir := real; len(dir) > len("/sys/devices"); dir = filepath.Dir(dir) {
				if l := t.pcie(dir, "current"); l != "" && strings.Contains(real, "/nvme") && out["link.drive"] == "" {
					put("link.drive", l)
					put("link.drive.best", t.pcie(dir, "max"))
				}
				// A USB device's folder holds its speed beside its configuration.
				if s, ok := t.number(dir + "/speed"); ok && t.line(dir+"/bDeviceClass") != "" && out["link.usb"] == "" {
					put("link.usb", "USB "+strconv.FormatFloat(s/1000, 'f', -1, 64)+" Gbit/s")
				}
				for _, p := range t.list(dir + "/ata_port/ata*") {
					port := strings.TrimPrefix(filepath.Base(p), "ata")
					if s, _, ok := strings.Cut(t.line("/sys/class/ata_link/link"+port+"/sata_spd"), " "); ok &&
						out["link.drive"] == "" {
						put("link.drive", "SATA "+strings.TrimSuffix(s, ".0")+" Gbit/s")
					}
				}
			}
		}
	}
	for _, p := range t.list("/sys/class/net/*/speed") {
		dir := filepath.Dir(p)
		if v, ok := t.number(p); ok && v > 0 && t.line(dir+"/operstate") == "up" && t.line(dir+"/type") == "1" {
			if _, err := os.Stat(t.path(dir + "/wireless")); err != nil {
				if _, has := out["link.ethernet"]; !has {
					put("link.ethernet", fmt.Sprintf("Ethernet %.0f Mbit/s", v))
				}
			}
		}
	}
	var chips []string
	for _, c := range t.chips() {
		chips = append(chips, c.name+" "+c.driver)
	}
	put("graphics.chips", strings.Join(chips, ", "))
	if len(chips) == 1 {
		put("graphics.chip", chips[0])
	}
	if c := t.chips(); len(c) > 0 {
		put("link.graphics", t.pcie(c[0].dir, "current"))
	}
	for _, pattern := range []string{"/sys/class/drm/card*-eDP*/edid", "/sys/class/drm/card*-LVDS*/edid",
		"/sys/class/drm/card*-DSI*/edid"} {
		for _, p := range t.list(pattern) {
			put("panel.identity", edidName(t.path(p)))
		}
	}
	if v, ok := t.number("/sys/devices/system/cpu/cpu0/cpufreq/cpuinfo_max_freq"); ok {
		put("clock.highest", fmt.Sprintf("%.0f MHz", v/1000))
	}
	for name, key := range map[string]string{"long_term": "limit.power.long", "short_term": "limit.power.short"} {
		for i := range 3 {
			base := fmt.Sprintf("/sys/class/powercap/intel-rapl:0/constraint_%d_", i)
			if v, ok := t.number(base + "power_limit_uw"); ok && t.line(base+"name") == name {
				put(key, fmt.Sprintf("%.1f W", v/1e6))
			}
		}
	}
	if dir, _ := t.pkg(); dir != "" {
		if v, ok := t.number(dir + "_crit"); ok && v > 0 {
			put("limit.temperature", fmt.Sprintf("%.0f °C", v/1000))
		}
	}
	channels, speed := t.memory()
	put("memory.channels", channels)
	put("memory.speed", speed)
	return out
}

// edidName reads maker and product of a display (VESA E-EDID 1.4, bytes 8 to 11, and its text descriptors).
func edidName(path string) string {
	b, err := os.ReadFile(path)
	if err != nil || len(b) < 128 {
		return ""
	}
	maker := uint16(b[8])<<8 | uint16(b[9])
	id := string([]byte{byte('@' + maker>>10&31), byte('@' + maker>>5&31), byte('@' + maker&31)}) +
		fmt.Sprintf(" %02X%02X", b[11], b[10])
	for at := 54; at+18 <= 126; at += 18 {
		if d := b[at : at+18]; d[0] == 0 && d[1] == 0 && (d[3] == 0xFC || d[3] == 0xFE) {
			if name := strings.TrimSpace(strings.Split(string(d[5:]), "\n")[0]); name != "" {
				return id + " " + name
			}
		}
	}
	return id
}

// memory reads the memory modules' table entries (DMTF SMBIOS, type 17), which only an administrator may.
func (t tells) memory() (channels, speed string) {
	banks := map[string]bool{}
	for _, p := range t.list("/sys/firmware/dmi/entries/17-*/raw") {
		b, err := os.ReadFile(t.path(p))
		if err != nil || len(b) < 0x22 {
			continue
		}
		size := int(b[0x0C]) | int(b[0x0D])<<8
		if size == 0 {
			continue // an empty slot
		}
		texts := strings.Split(string(b[min(int(b[1]), len(b)):]), "\x00")
		text := func(at int) string {
			if i := int(b[at]); i > 0 && i <= len(texts) {
				return texts[i-1]
			}
			return ""
		}
		banks[text(0x10)+"/"+text(0x11)] = true
		if v := int(b[0x20]) | int(b[0x21])<<8; v > 0 {
			speed = fmt.Sprintf("%d MT/s", v)
		}
	}
	if len(banks) > 0 {
		channels = strconv.Itoa(len(banks))
	}
	return channels, speed
}

// pkg is the sensor of the processor's package: the beginning of its files' names, and what it is.
func (t tells) pkg() (prefix, name string) {
	first := ""
	for _, p := range t.list("/sys/class/hwmon/hwmon*/name") {
		chip := t.line(p)
		if !slices.Contains([]string{"coretemp", "k10temp", "zenpower", "cpu_thermal"}, chip) {
			continue
		}
		for _, in := range t.list(filepath.Dir(p) + "/temp*_input") {
			at := strings.TrimSuffix(in, "_input")
			label := t.line(at + "_label")
			if strings.HasPrefix(label, "Package") || label == "Tctl" || label == "Tdie" {
				return at, chip
			}
			if first == "" {
				first = at
			}
		}
	}
	if first == "" {
		for _, p := range t.list("/sys/class/thermal/thermal_zone*/type") {
			if k := t.line(p); strings.Contains(k, "x86_pkg") || strings.Contains(k, "cpu") {
				return filepath.Dir(p) + "/temp", k // its file is "temp" itself
			}
		}
	}
	return first, "first core"
}

// untold lists what this machine does not tell of the vocabularies: conditions that a machine could observe,
// links and parts, sensors.
func (l Local) untold(ctx context.Context) []string {
	conditions, negotiated := l.Observe(ctx), tells{l.root()}.negotiated(l.Dir)
	s := newSensors(tells{l.root()}, l.Dir)
	s.read(0)
	time.Sleep(20 * time.Millisecond)
	channels := s.read(20 * time.Millisecond)
	s.close()
	var out []string
	for _, k := range []string{"supply", "power.profile", "power.governor", "battery.charge", "displays",
		"graphics.driver", "firmware", "system.updates", "ambient", "display.luminance"} {
		if conditions[k] == "" {
			out = append(out, k)
		}
	}
	for _, k := range method.NegotiatedVocabulary {
		if negotiated[k.Key] == "" && k.Key != "throttled" {
			out = append(out, k.Key)
		}
	}
	for _, c := range record.ChannelVocabulary {
		if _, ok := channels[c.Name]; !ok {
			out = append(out, c.Name)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

var began = time.Now()

// Clock is a clock that is never stepped.
func (l Local) Clock() time.Duration { return time.Since(began) }

// Rest lets time pass.
func (l Local) Rest(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(d):
		return nil
	}
}

func (l Local) root() string {
	if runtime.GOOS == "linux" && l.files == "" {
		return "/"
	}
	return l.files
}
