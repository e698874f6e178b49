// Package link knows what a link can carry at most: the line rate less what its encoding takes. It reads
// the texts in which machines tell what they negotiated, "PCIe 16 GT/s x4", "USB 10 Gbit/s", and those in which people
// write links, "PCIe 4.0 x4", "USB 2.0", "USB 40 Gbit/s".
package link

import (
	"cmp"
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// Link is a parsed link.
type Link struct {
	Family string  // PCIe, SATA, USB, USB4, Ethernet, Wi-Fi
	Rate   float64 // Gbit/s (GT/s for PCIe) of one lane
	Lanes  int
}

// row says which share of a family's line rate is left for data, up to a line rate in Gbit/s: at most, under the most
// permissive framing that there is, and usually where that is less.
type row struct {
	family string
	upTo   float64
	share  float64
	usual  float64 // 0 for the same
	source string
}

// rows are the encodings, slowest first within a family.
var rows = []row{
	{"PCIe", 5, 8. / 10, 0, "8b/10b (PCI Express Base Specification, 2.5 and 5 GT/s)"},
	{"PCIe", 32, 128. / 130, 0, "128b/130b (PCI Express Base Specification, 8 to 32 GT/s)"},
	{"PCIe", 64, 236. / 256, 0, "236 of 256 bytes of a flit (PCI Express Base Specification 6, 64 GT/s)"},
	{"SATA", 6, 8. / 10, 0, "8b/10b (Serial ATA Specification)"},
	{"USB", 0.012, 19 * 64 * 8. / 12000, 0, "19 bulk packets of 64 bytes a frame (USB 2.0 Specification, 5.8.4)"},
	{"USB", 0.48, 13 * 512 * 8 * 8. / 480000, 0,
		"13 bulk packets of 512 bytes a microframe (USB 2.0 Specification, 5.8.4)"},
	{"USB", 5, 8. / 10, 0, "8b/10b (USB 3.2 Specification, 5 Gbit/s)"},
	{"USB", 20, 128. / 132, 0, "128b/132b (USB 3.2 Specification, 10 and 20 Gbit/s)"},
	{"USB4", 120, 64. / 66, 0, "64b/66b, the most permissive framing (USB4 Specification)"},
	{"Ethernet", 800, 8960. / 9038, 1460. / 1538, "8960 of 9038 bytes per frame of 9000 (IEEE 802.3 with TCP over IPv4)"},
	{"Wi-Fi", 50, 1, 0, "negotiated rate; what remains of it depends on the air"},
}

var form = regexp.MustCompile(`(?i)^(PCIe|SATA|USB4?|Ethernet|Wi-Fi) (?:([0-9.]+) (GT/s|Gbit/s|Mbit/s)|([1-6])\.0)` +
	`(?: ?[x×]([0-9]+))?$`)

// generations are the rates of one lane in GT/s of PCIe's generations, and the rate in Gbit/s of those of USB that have
// one alone.
var generations = map[string]map[string]float64{
	"PCIe": {"1": 2.5, "2": 5, "3": 8, "4": 16, "5": 32, "6": 64},
	"USB":  {"1": 0.012, "2": 0.48},
}

var families = []string{"PCIe", "SATA", "USB", "USB4", "Ethernet", "Wi-Fi"}

// Parse reads a link's text.
func Parse(text string) (Link, error) {
	m := form.FindStringSubmatch(strings.TrimSpace(text))
	if m == nil {
		return Link{}, fmt.Errorf("link %q is not written as \"PCIe 16 GT/s x4\", \"PCIe 4.0 x4\", \"USB 10 Gbit/s\" or "+
			"\"Ethernet 1000 Mbit/s\"", text)
	}
	l := Link{Lanes: 1}
	for _, f := range families {
		if strings.EqualFold(f, m[1]) {
			l.Family = f
		}
	}
	if m[4] != "" {
		l.Rate = generations[l.Family][m[4]]
	} else if rate, err := strconv.ParseFloat(m[2], 64); err == nil {
		l.Rate = rate
	}
	if l.Rate <= 0 {
		return Link{}, fmt.Errorf("link %q has no rate", text)
	}
	if strings.EqualFold(m[3], "Mbit/s") {
		l.Rate /= 1000
	}
	if l.Family == "USB" && l.Rate > 20 {
		l.Family = "USB4"
	}
	if m[5] != "" {
		l.Lanes, _ = strconv.Atoi(m[5])
	}
	if l.Lanes < 1 || l.Lanes > 32 {
		return Link{}, fmt.Errorf("link %q has %d lanes; a link has 1 to 32", text, l.Lanes)
	}
	return l, nil
}

// Nominal is the link's own rate in MB/s (10⁶ bytes a second), before encoding and framing: what is printed on a port.
func (l Link) Nominal() float64 { return l.Rate * float64(l.Lanes) * 1000 / 8 }

// Usual is what the link carries in usual framing, in MB/s; 0 for an unknown link.
func (l Link) Usual() float64 {
	for _, r := range rows {
		if r.family == l.Family && l.Rate <= r.upTo {
			return l.Nominal() * cmp.Or(r.usual, r.share)
		}
	}
	return 0
}

// Payload is what the link carries at most, in MB/s (10⁶ bytes a second), and by which encoding.
func (l Link) Payload() (rate float64, source string, ok bool) {
	for _, r := range rows {
		if r.family == l.Family && l.Rate <= r.upTo {
			return l.Nominal() * r.share, r.source, true
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
