package trust

import (
	"fmt"
	"strings"

	"durvek/core/catalog"
	"durvek/core/link"
	"durvek/core/quantity"
	"durvek/core/record"
)

func init() {
	register(Rule{
		Name: "beyond-link", Title: "More than the link can carry", Severity: Serious,
		Proposal: "Check whether a cache answered in place of the part, and repeat", Again: "repeat",
		Sentence: "A rate lies above what the link, or the memory's channels, can carry at most. It may have come from a " +
			"cache.",
		Source: "The payload of each link's encoding, as docs/methods.md lists them; memory: channels × 8 bytes × " +
			"transfers per second.",
		Find: func(c Case, _ float64) []Found {
			most, _, of := carries(c)
			if most == 0 {
				return nil
			}
			var out []Found
			for _, r := range c.Run.Readings {
				m, ok := c.Test.Measure(r.Measure)
				if !ok || r.State != record.OK || strings.HasPrefix(m.Slug, "nearest") {
					continue
				}
				rate, err := quantity.Convert(r.Value, m.Unit, "MBy/s")
				if err != nil || rate <= most*1.001 {
					continue
				}
				out = append(out, Found{Measure: m.Slug, Size: rate / most, Evidence: []Evidence{{"reading", value(m, r.Value)},
					{"at most", fmt.Sprintf("%.0f MB/s over %s", most, of)}},
					Sentence: fmt.Sprintf("%s is more than the %.0f MB/s that %s can carry.", value(m, r.Value), most, of)})
			}
			return out
		},
	})
}

// carries is what the narrowest known link of a run carries at most and in usual framing, in MB/s, and which it is.
func carries(c Case) (most, usual float64, of string) {
	keys := map[string][]string{"storage": {"link.drive", "link.usb"}, "network": {"link.ethernet"}}[c.Test.Group]
	for _, k := range keys {
		l, err := link.Parse(c.Run.Negotiated[k])
		if err != nil {
			continue
		}
		if rate, _, ok := l.Payload(); ok && (most == 0 || rate < most) {
			most, usual, of = rate, l.Usual(), c.Run.Negotiated[k]
		}
	}
	if c.Test.Group == "memory" {
		speed, channels := specOrTold(c, "memory.speed"), specOrTold(c, "memory.channels")
		if speed > 0 && channels > 0 {
			return speed * channels * 8, speed * channels * 8, fmt.Sprintf("%g memory channels at %g MT/s", channels, speed)
		}
	}
	return most, usual, of
}

// specOrTold is what the machine told of a part, else what its spec sheet says.
func specOrTold(c Case, key string) float64 {
	if q, err := quantity.Parse(c.Run.Negotiated[key]); err == nil {
		if v, err := q.In(unitOf(key)); err == nil {
			return v
		}
	}
	v, _ := catalog.SpecNumber(c.Spec, key)
	return v
}
