package network

import (
	"net"
	"os"
	"path/filepath"
	"testing"
)

func TestALinkIsNamedWithTheRateThatItsDriverTells(t *testing.T) {
	sys := t.TempDir()
	for name, speed := range map[string]string{"wired0": "2500\n", "radio0": "", "down0": "-1\n"} {
		os.MkdirAll(filepath.Join(sys, name), 0o755)
		if speed != "" {
			os.WriteFile(filepath.Join(sys, name, "speed"), []byte(speed), 0o644)
		}
	}
	for name, want := range map[string]struct {
		text string
		mbit float64
	}{"wired0": {"wired0, 2500 Mbit/s", 2500}, "radio0": {"radio0", 0}, "down0": {"down0", 0}, "none": {"none", 0}} {
		if text, mbit := rated(name, sys); text != want.text || mbit != want.mbit {
			t.Errorf("%s: %q, %g", name, text, mbit)
		}
	}
	if name, _ := linkOf(&net.TCPAddr{IP: net.IPv4(127, 0, 0, 1)}, sys); name != "loopback" {
		t.Errorf("loopback is %q", name)
	}
	for _, a := range []net.Addr{nil, &net.TCPAddr{IP: net.IPv4(192, 0, 2, 99)}} {
		if name, mbit := linkOf(a, sys); name != "" || mbit != 0 {
			t.Errorf("%v is %q at %g", a, name, mbit)
		}
	}
}
