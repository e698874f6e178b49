package link

import (
	"math"
	"testing"

	"durvek/internal/mutants"
)

func TestPayloadsFollowFromTheEncodings(t *testing.T) {
	for text, want := range map[string]float64{ // MB/s, worked out by hand from the specifications' encodings
		"PCIe 8 GT/s x4":       3938.46,
		"PCIe 16 GT/s x4":      7876.92,
		"PCIe 5 GT/s x2":       1000,
		"PCIe 64 GT/s x4":      29500,
		"SATA 6 Gbit/s":        600,
		"USB 0.48 Gbit/s":      53.248,
		"USB 2.0":              53.248,
		"USB 1.0":              1.216,
		"USB 40 Gbit/s":        4848.48,
		"USB4 120 Gbit/s":      14545.45,
		"PCIe 4.0 x4":          7876.92,
		"pcie 3.0 ×2":          1969.23,
		"USB 5 Gbit/s":         500,
		"USB 10 Gbit/s":        1212.12,
		"USB 20 Gbit/s":        2424.24,
		"USB4 40 Gbit/s":       4848.48,
		"Ethernet 1000 Mbit/s": 123.92,
		"Wi-Fi 866.7 Mbit/s":   108.34,
	} {
		l, err := Parse(text)
		if err != nil {
			t.Error(err)
			continue
		}
		if got, source, ok := l.Payload(); !ok || source == "" || math.Abs(got-want) > 0.01 {
			t.Errorf("%s carries %.2f MB/s by %q, want %.2f", text, got, source, want)
		}
	}
	for _, bad := range []string{"", "PCIe", "PCIe 8 GT/s x0", "PCIe 8 GT/s x99", "USB fast", "USB 0 Gbit/s",
		"Ether 1 Gbit/s", "USB 3.0", "SATA 3.0", "PCIe 7.0 x4", "PCIe 4.1 x4"} {
		if l, err := Parse(bad); err == nil {
			t.Errorf("%q became %+v", bad, l)
		}
	}
	wire, _ := Parse("Ethernet 2500 Mbit/s")
	if math.Abs(wire.Nominal()-312.5) > 1e-9 || math.Abs(wire.Usual()-296.65) > 0.01 || (Link{}).Usual() != 0 {
		t.Errorf("2.5 Gbit/s: %g of %g MB/s in usual frames", wire.Usual(), wire.Nominal())
	}
	slow, _ := Parse("USB 5 Gbit/s")
	fast, _ := Parse("USB 10 Gbit/s")
	if !slow.Slower(fast) || fast.Slower(slow) || fast.Slower(fast) {
		t.Error("5 Gbit/s is slower than 10, and nothing else")
	}
	if _, _, ok := (Link{Family: "PCIe", Rate: 128, Lanes: 4}).Payload(); ok {
		t.Error("a rate beyond the table has a payload")
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"PCIe 16 GT/s x4", "USB 5 Gbit/s", "Ethernet 1000 Mbit/s", "USB4 40 Gbit/s",
		"SATA 6 Gbit/s x0"} {
		mutants.Add(f, s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		l, err := Parse(s)
		if err != nil {
			return
		}
		if carries, _, ok := l.Payload(); ok && !(carries > 0 && carries <= l.Rate*float64(l.Lanes)*125) {
			t.Errorf("%q carries %g MB/s", s, carries)
		}
	})
}
