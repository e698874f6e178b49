package machine

import (
	"context"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/record"
)

func TestThisMachineSaysWhatItIs(t *testing.T) {
	m, err := Local{}.Describe(context.Background())
	if err != nil || m.Name == "" || m.Boot == "" || m.System == "" || m.Threads != runtime.NumCPU() || m.Memory < 1<<28 ||
		m.Simulated {
		t.Errorf("%+v, %v", m, err)
	}
	again, _ := Local{}.Describe(context.Background())
	if again.Boot != m.Boot {
		t.Error("one boot has two names")
	}
	seen := Local{}.Observe(context.Background())
	if !strings.HasPrefix(seen["runtime"], "native go") {
		t.Errorf("runtime %q", seen["runtime"])
	}
	for k := range seen {
		if _, known := method.Condition(k); !known {
			t.Errorf("observed %q, which is not in the vocabulary", k)
		}
	}
}

func TestSupply(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("read from Linux's files")
	}
	for _, c := range []struct {
		name  string
		files map[string]string
		want  string
	}{
		{"no battery at all", nil, "mains"},
		{"on the line", map[string]string{"AC/type": "Mains", "AC/online": "1", "BAT0/type": "Battery",
			"BAT0/status": "Charging"}, "mains"},
		{"unplugged", map[string]string{"AC/type": "Mains", "AC/online": "0", "BAT0/type": "Battery",
			"BAT0/status": "Discharging"}, "battery"},
		{"a full battery and no word of a line", map[string]string{"BAT0/type": "Battery", "BAT0/status": "Full"}, ""},
		{"a mouse's battery", map[string]string{"mouse/type": "Battery", "mouse/scope": "Device",
			"mouse/status": "Discharging"}, "mains"},
	} {
		dir := t.TempDir()
		for name, content := range c.files {
			os.MkdirAll(filepath.Join(dir, filepath.Dir(name)), 0o755)
			os.WriteFile(filepath.Join(dir, name), []byte(content+"\n"), 0o644)
		}
		if got := supply(dir); got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

func TestAnUnknownOrOtherTestIsRefused(t *testing.T) {
	for _, test := range []method.Test{{Slug: "no-such", Version: 1}, {Slug: "hashing", Version: 99}} {
		_, err := Local{}.Run(context.Background(), record.Order{Test: test}, func(record.Sample) {})
		if err == nil || !strings.Contains(err.Error(), "same version") {
			t.Errorf("%s: %v", test.Slug, err)
		}
	}
}
