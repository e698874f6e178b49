package machine

import (
	"context"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"
)

// system makes up a laptop's files: paths and contents, a link where the content begins with "->".
func system(t *testing.T, files map[string]string) tells {
	t.Helper()
	root := t.TempDir()
	for path, content := range files {
		at := filepath.Join(root, path)
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			t.Fatal(err)
		}
		var err error
		if to, ok := strings.CutPrefix(content, "->"); ok {
			err = os.Symlink(to, at)
		} else {
			err = os.WriteFile(at, []byte(content), 0o644)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	return tells{root}
}

const nvme = "/sys/devices/pci0000:00/0000:00:1d.0/0000:02:00.0/nvme/nvme0"

func laptop() map[string]string {
	edid := make([]byte, 128)
	edid[8], edid[9], edid[10], edid[11] = 0x22, 0xCB, 0x34, 0x12 // HVK 1234
	copy(edid[54:], append([]byte{0, 0, 0, 0xFE, 0}, "PANEL 14 QHD\n"...))
	module := make([]byte, 0x28)
	module[1], module[0x0C], module[0x10], module[0x11], module[0x20], module[0x21] = 0x28, 0x40, 1, 2, 0x00,
		0x19 // 6400 MT/s
	text := func(a, b string) string { return string(module) + a + "\x00" + b + "\x00\x00" }
	return map[string]string{
		"/sys/class/power_supply/AC/type": "Mains\n", "/sys/class/power_supply/AC/online": "0\n",
		"/sys/class/power_supply/BAT0/type": "Battery\n", "/sys/class/power_supply/BAT0/status": "Discharging\n",
		"/sys/class/power_supply/BAT0/capacity":    "81\n",
		"/sys/class/power_supply/BAT0/current_now": "1500000\n", "/sys/class/power_supply/BAT0/voltage_now": "11600000\n",
		"/sys/class/power_supply/mouse/type": "Battery\n", "/sys/class/power_supply/mouse/scope": "Device\n",
		"/sys/class/power_supply/mouse/capacity": "3\n", "/sys/class/power_supply/mouse/status": "Discharging\n",
		"/sys/devices/system/cpu/cpu0/cpufreq/scaling_governor": "powersave\n",
		"/sys/firmware/acpi/platform_profile":                   "balanced\n", "/sys/class/dmi/id/bios_version": "1.07\n",
		"/sys/class/drm/card0-eDP-1/status": "connected\n", "/sys/class/drm/card0-HDMI-A-1/status": "disconnected\n",
		"/sys/class/drm/card0-DP-2/status":     "connected\n",
		"/sys/class/drm/card0-eDP-1/edid":      string(edid),
		"/sys/class/drm/card0/device/vendor":   "0x1a2b\n",
		"/sys/class/drm/card0/device/device":   "0x0042\n",
		"/sys/class/drm/card0/device/driver":   "->../../../bus/pci/drivers/kestrel",
		"/sys/module/kestrel/version":          "2.4\n",
		"/sys/class/drm/card0/gt_act_freq_mhz": "1150\n",
		"/proc/self/mountinfo": "22 1 259:2 / / rw - ext4 /dev/nvme0n1p2 rw\n40 22 8:1 " +
			"/ /media/dock rw - ext4 /dev/sda1 rw\n",
		"/sys/dev/block/259:2": "->../.." + strings.TrimPrefix(nvme, "/sys") +
			"/nvme0n1/nvme0n1p2",
		"/sys/class/block/nvme0n1p2/partition":                   "2\n",
		"/sys/class/block/nvme0n1/device":                        "->../../../devices/pci0000:00/0000:00:1d.0/0000:02:00.0/nvme/nvme0",
		"/sys/class/block/nvme0n1/stat":                          " 100 0 4000 10 200 0 8000 20 0 500 30\n",
		nvme + "/model":                                          "Wrack 1000              \n",
		nvme + "/firmware_rev":                                   "F11     \n",
		nvme + "/hwmon1/temp1_input":                             "41850\n",
		filepath.Dir(filepath.Dir(nvme)) + "/current_link_speed": "8.0 GT/s PCIe\n", filepath.Dir(filepath.Dir(nvme)) +
			"/current_link_width": "4\n",
		filepath.Dir(filepath.Dir(nvme)) + "/max_link_speed": "16.0 GT/s PCIe\n", filepath.Dir(filepath.Dir(nvme)) +
			"/max_link_width": "4\n",
		"/sys/dev/block/8:1":              "->../../devices/pci0000:00/0000:00:14.0/usb2/2-1/2-1:1.0/host0/target0:0:0/0:0:0:0/block/sda/sda1",
		"/sys/class/block/sda1/partition": "1\n",
		"/sys/class/block/sda/device":     "->../../../devices/pci0000:00/0000:00:14.0/usb2/2-1/2-1:1.0/host0/target0:0:0/0:0:0:0",
		"/sys/devices/pci0000:00/0000:00:14.0/usb2/2-1/2-1:1.0/host0/target0:0:0/0:0:0:0/model":  "Gannet Portable\n",
		"/sys/devices/pci0000:00/0000:00:14.0/usb2/2-1/2-1:1.0/host0/target0:0:0/0:0:0:0/vendor": "Lodestow\n",
		"/sys/devices/pci0000:00/0000:00:14.0/usb2/2-1/2-1:1.0/host0/target0:0:0/0:0:0:0/rev":    "0103\n",
		"/sys/devices/pci0000:00/0000:00:14.0/usb2/2-1/speed":                                    "5000\n",
		"/sys/devices/pci0000:00/0000:00:14.0/usb2/2-1/bDeviceClass":                             "00\n",
		"/sys/devices/pci0000:00/0000:00:14.0/usb2/speed":                                        "10000\n",
		"/sys/devices/pci0000:00/0000:00:14.0/usb2/bDeviceClass":                                 "09\n",
		"/sys/class/net/eth0/speed":                                                              "2500\n",
		"/sys/class/net/eth0/operstate":                                                          "up\n",
		"/sys/class/net/eth0/type":                                                               "1\n",
		"/sys/class/net/eth1/speed":                                                              "-1\n",
		"/sys/class/net/eth1/operstate":                                                          "down\n",
		"/sys/class/net/eth1/type":                                                               "1\n",
		"/sys/devices/system/cpu/cpu0/cpufreq/cpuinfo_max_freq":                                  "4700000\n",
		"/sys/devices/system/cpu/cpu0/cpufreq/scaling_cur_freq":                                  "3200000\n",
		"/sys/devices/system/cpu/cpu1/cpufreq/scaling_cur_freq":                                  "4000000\n",
		"/sys/class/powercap/intel-rapl:0/energy_uj":                                             "1000000000\n",
		"/sys/class/powercap/intel-rapl:0/max_energy_range_uj":                                   "1020000000\n",
		"/sys/class/powercap/intel-rapl:0/constraint_0_name":                                     "long_term\n",
		"/sys/class/powercap/intel-rapl:0/constraint_0_power_limit_uw":                           "28000000\n",
		"/sys/class/powercap/intel-rapl:0/constraint_1_name":                                     "short_term\n",
		"/sys/class/powercap/intel-rapl:0/constraint_1_power_limit_uw":                           "64000000\n",
		"/sys/class/hwmon/hwmon3/name":                                                           "coretemp\n",
		"/sys/class/hwmon/hwmon3/temp1_input":                                                    "63000\n",
		"/sys/class/hwmon/hwmon3/temp1_label":                                                    "Package id 0\n",
		"/sys/class/hwmon/hwmon3/temp1_crit":                                                     "100000\n",
		"/sys/class/hwmon/hwmon3/temp2_input":                                                    "60000\n",
		"/sys/class/hwmon/hwmon3/temp2_label":                                                    "Core 0\n",
		"/sys/class/hwmon/hwmon4/name":                                                           "machine\n",
		"/sys/class/hwmon/hwmon4/fan1_input":                                                     "2400\n",
		"/sys/class/hwmon/hwmon4/fan2_input":                                                     "2550\n",
		"/proc/stat":                                                                             "cpu  100 0 100 700 100 0 0 0 0 0\ncpu0 80 0 80 300 40 0 0 0 0 0\ncpu1 20 0 20 400 60 0 0 0 0 0\nintr 5\n",
		"/proc/meminfo":                                                                          "MemTotal:       16384000 kB\nMemFree:         1000 kB\nMemAvailable:   12288000 kB\n",
		"/sys/firmware/dmi/entries/17-0/raw":                                                     text("DIMM A", "CHANNEL A"),
		"/sys/firmware/dmi/entries/17-1/raw":                                                     text("DIMM B", "CHANNEL B"),
		"/sys/devices/system/cpu/cpu0/thermal_throttle/package_throttle_count":                   "7\n",
	}
}

func TestWhatALaptopTells(t *testing.T) {
	s := system(t, laptop())
	for k, want := range map[string]string{"supply": "battery", "power.governor": "powersave", "power.profile": "balanced",
		"firmware": "1.07", "battery.charge": "81 %", "displays": "DP-2, eDP-1", "graphics.driver": "kestrel 2.4"} {
		if got := s.conditions()[k]; got != want {
			t.Errorf("%s is %q, want %q", k, got, want)
		}
	}
	inside := s.negotiated("/")
	for k, want := range map[string]string{
		"drive.identity": "Wrack 1000", "drive.firmware": "F11", "link.drive": "PCIe 8 GT/s x4",
		"link.drive.best": "PCIe 16 GT/s x4", "link.ethernet": "Ethernet 2500 Mbit/s",
		"graphics.chips": "1a2b:0042 kestrel", "graphics.chip": "1a2b:0042 kestrel",
		"panel.identity": "HVK 1234 PANEL 14 QHD", "clock.highest": "4700 MHz",
		"limit.power.long": "28.0 W", "limit.power.short": "64.0 W", "limit.temperature": "100 °C", "memory.channels": "2",
		"memory.speed": "6400 MT/s"} {
		if got := inside[k]; got != want {
			t.Errorf("%s is %q, want %q", k, got, want)
		}
	}
	outside := s.negotiated("/media/dock")
	for k, want := range map[string]string{"drive.identity": "Lodestow Gannet Portable", "drive.firmware": "0103",
		"link.usb": "USB 5 Gbit/s", "link.drive": ""} {
		if got := outside[k]; got != want {
			t.Errorf("beside it, %s is %q, want %q", k, got, want)
		}
	}
	empty := tells{t.TempDir()}
	if n := empty.negotiated("/"); len(n) != 0 {
		t.Errorf("a system that tells nothing told %v", n)
	}
}

func TestSensorsTellSharesAndPowersSinceTheReadingBefore(t *testing.T) {
	files := laptop()
	made := system(t, files)
	s := newSensors(made, "/")
	defer s.close()
	first := s.read(10 * time.Second)
	for k, want := range map[string]float64{"temperature.package": 63, "temperature.drive": 41.85, "clock.mean": 3600,
		"clock.highest": 4000, "fan.speed": 2550, "battery.charge": 81, "memory.used": 4000, "power.battery": 17.4,
		"clock.graphics": 1150} {
		if math.Abs(first[k]-want) > 1e-6 {
			t.Errorf("%s is %g, want %g", k, first[k], want)
		}
	}
	for _, k := range []string{"power.package", "load.processor", "load.drive"} {
		if v, told := first[k]; told {
			t.Errorf("%s was told at the first reading: %g", k, v)
		}
	}
	for path, content := range map[string]string{
		"/sys/class/powercap/intel-rapl:0/energy_uj": "26000000\n", // it wrapped: 20 J to the end and 26 J since
		"/proc/stat": "cpu  180 0 120 780 120 0 0 0 0 0\ncpu0 160 0 90 305 45 0 0 0 0 0\ncpu1 20 0 30 " +
			"475 75 0 0 0 0 0\nintr 9\n",
		"/sys/class/block/nvme0n1/stat": " 300 0 404000 10 200 0 208000 20 0 1500 30\n",
	} {
		if err := os.WriteFile(made.path(path), []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	second := s.read(12 * time.Second)
	for k, want := range map[string]float64{"power.package": 23, "load.processor": 50, "load.busiest": 90,
		"load.drive": 50, "throughput.read": 102.4, "throughput.write": 51.2} {
		if math.Abs(second[k]-want) > 1e-6 {
			t.Errorf("%s is %g, want %g", k, second[k], want)
		}
	}
}

func TestWhatIsNotToldIsListed(t *testing.T) {
	made := system(t, laptop())
	told := Local{Dir: "/", files: made.root}.untold(context.Background())
	for _, k := range []string{"link.wifi", "ambient", "power.wall", "temperature.ambient", "display.luminance"} {
		if !slices.Contains(told, k) {
			t.Errorf("%s is not among what is not observable here", k)
		}
	}
	for _, k := range []string{"supply", "link.drive", "temperature.package", "power.package"} {
		if slices.Contains(told, k) {
			t.Errorf("%s is told, and listed as not observable", k)
		}
	}
	m, err := Local{Dir: "."}.Describe(context.Background())
	if err != nil || !slices.IsSorted(m.Untold) || len(m.Untold) == 0 {
		t.Errorf("this machine: %v, %v", m.Untold, err)
	}
}

func TestThisMachinesSensorsKeepTheirPace(t *testing.T) {
	told := make(chan map[string]float64, 100)
	stop := Local{Dir: "."}.Watch(50, func(_ time.Duration, v map[string]float64) { told <- v })
	var last map[string]float64
	for range 5 {
		last = <-told
	}
	stop()
	if len(last) == 0 {
		t.Error("nothing is told")
	}
}
