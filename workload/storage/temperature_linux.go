package storage

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// driveTemperature returns a function that reads the temperature, in degrees Celsius, of the drive
// that a folder lies on; ok is false where the system does not tell it.
func driveTemperature(dir string) func() (celsius float64, ok bool) {
	var s unix.Stat_t
	if unix.Stat(dir, &s) != nil {
		return func() (float64, bool) { return 0, false }
	}
	return temperatureOf(fmt.Sprintf("/sys/dev/block/%d:%d", unix.Major(uint64(s.Dev)), unix.Minor(uint64(s.Dev))))
}

// temperatureOf follows a block device's place in sysfs to the sensor of its drive.
func temperatureOf(device string) func() (float64, bool) {
	at, err := filepath.EvalSymlinks(device)
	var sensors []string
	for range 3 { // a partition lies in its drive, a drive beside its sensor
		if err != nil || len(sensors) > 0 {
			break
		}
		for _, p := range []string{"device/hwmon*/temp1_input", "device/hwmon/hwmon*/temp1_input", "hwmon*/temp1_input"} {
			if found, _ := filepath.Glob(filepath.Join(at, p)); len(found) > 0 {
				sensors = found
			}
		}
		at = filepath.Dir(at)
	}
	return func() (float64, bool) {
		if len(sensors) == 0 {
			return 0, false
		}
		b, err := os.ReadFile(sensors[0])
		if err != nil {
			return 0, false
		}
		v, err := strconv.ParseFloat(strings.TrimSpace(string(b)), 64)
		return v / 1000, err == nil
	}
}
