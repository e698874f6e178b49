// Package link knows what a link can carry at most: the line rate less what its encoding takes. It reads
// the texts in which machines tell what they negotiated: "PCIe 16 GT/s x4", "USB 10 Gbit/s".
package link

import (
	"fmt"
	"regexp"
	"strconv"
)

// Link is a parsed link.
type Link struct {
	Family string  // PCIe, SATA, USB, USB4, Ethernet, Wi-Fi
	Rate   float64 // Gbit/s (GT/s for PCIe) of one lane
	Lanes  int
}

// row says which share of a family's line rate is left for data, up to a line rate in Gbit/s.
type row struct {
	family string
	upTo   float64
	share  float64
	source string
}

// rows are the encodings, slowest first within a family.
var rows = []row{
	{"PCIe", 5, 8. / 10, "8b/10b (PCI Express Base Specification, 2.5 and 5 GT/s)"},
	{"PCIe", 32, 128. / 130, "128b/130b (PCI Express Base Specification, 8 to 32 GT/s)"},
	{"PCIe", 64, 236. / 256, "236 of 256 bytes of a flit (PCI Express Base Specification 6, 64 GT/s)"},
	{"SATA", 6, 8. / 10, "8b/10b (Serial ATA Specification)"},
	{"USB", 0.48, 1, "USB 2.0 Specification; before framing, which takes more"},
	{"USB", 5, 8. / 10, "8b/10b (USB 3.2 Specification, 5 Gbit/s)"},
	{"USB", 20, 128. / 132, "128b/132b (USB 3.2 Specification, 10 and 20 Gbit/s)"},
	{"USB4", 80, 64. / 66, "64b/66b, the most permissive framing (USB4 Specification)"},
	{"Ethernet", 400, 1460. / 1538, "1460 of 1538 bytes per frame (IEEE 802.3 with TCP over IPv4)"},
	{"Wi-Fi", 50, 1, "negotiated rate; what remains of it depends on the air"},
}

var form = regexp.MustCompile(`^(PCIe|SATA|USB4?|Ethernet|Wi-Fi) ([0-9.]+) (GT/s|Gbit/s|Mbit/s)(?: [x×]([0-9]+))?$`)

// Parse reads a link's text.
func Parse(text string) (Link, error) {
	m := form.FindStringSubmatch(text)
	if m == nil {
		return Link{}, fmt.Errorf("link %q is not written as \"PCIe 16 GT/s x4\", \"USB 10 Gbit/s\" or \"Ethernet 1000 "+
			"Mbit/s\"", text)
	}
	l := Link{Family: m[1], Lanes: 1}
	rate, err := strconv.ParseFloat(m[2], 64)
	if err != nil || rate <= 0 {
		return Link{}, fmt.Errorf("link %q has no rate", text)
	}
	l.Rate = rate
	if m[3] == "Mbit/s" {
		l.Rate /= 1000
	}
	if m[4] != "" {
		l.Lanes, _ = strconv.Atoi(m[4])
	}
	if l.Lanes < 1 || l.Lanes > 32 {
		return Link{}, fmt.Errorf("link %q has %d lanes; a link has 1 to 32", text, l.Lanes)
	}
	return l, nil
}

// Payload is what the link carries at most, in MB/s (10⁶ bytes a second), and by which encoding.
func (l Link) Payload() (rate float64, source string, ok bool) {
	for _, r := range rows {
		if r.family == l.Family && l.Rate <= r.upTo {
			return l.Rate * float64(l.Lanes) * 1000 / 8 * r.share, r.source, true
		}
	}
	return 0, "", false
}

// Slower tells whether l carries less than other; links of unknown encoding are never slower.
func (l Link) Slower(other Link) bool {
	a, _, ok := l.Payload()
	b, _, ok2 := other.Payload()
	return ok && ok2 && a < 0.99*b
}
