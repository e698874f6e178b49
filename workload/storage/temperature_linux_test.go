package storage

import (
	"os"
	"path/filepath"
	"testing"
)

func TestTheDriveTemperatureIsFoundBesideItsPartition(t *testing.T) {
	root := t.TempDir()
	part := filepath.Join(root, "drive", "part1")
	os.MkdirAll(part, 0o755)
	os.MkdirAll(filepath.Join(root, "drive", "device", "hwmon3"), 0o755)
	os.WriteFile(filepath.Join(root, "drive", "device", "hwmon3", "temp1_input"), []byte("41850\n"), 0o644)
	if v, ok := temperatureOf(part)(); !ok || v != 41.85 {
		t.Errorf("%g %v", v, ok)
	}
	if _, ok := temperatureOf(filepath.Join(root, "none"))(); ok {
		t.Error("a drive without a sensor has a temperature")
	}
}
