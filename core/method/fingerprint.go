package method

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
	"strings"
)

// Fingerprint names what a version of a test measures and what must match in it, so that two desks can tell whether
// they mean the same by it: 16 hexadecimal digits, the beginning of a SHA-256. Words that only explain do not count,
// and neither does the order of conditions and measures.
func (t Test) Fingerprint() string {
	type measure struct {
		Slug, Unit, Scale, Better string
		Target                    float64
		Formula                   string
	}
	var is struct {
		Slug, Origin, Hands, Analysis, Of string
		Version                           int
		Match                             []string
		Measures                          []measure
	}
	is.Slug, is.Version, is.Origin, is.Hands, is.Analysis, is.Of = t.Slug, t.Version, t.Origin, t.Hands, t.Analysis, t.Of
	is.Match = slices.Sorted(slices.Values(t.MustMatch))
	for _, m := range t.Measures {
		is.Measures = append(is.Measures,
			measure{m.Slug, m.Unit, string(m.Scale), string(m.Better), m.Target, m.Formula})
	}
	slices.SortFunc(is.Measures, func(a, b measure) int { return strings.Compare(a.Slug, b.Slug) })
	b, err := json.Marshal(is)
	if err != nil {
		panic(err) // numbers of a test that was taken in are finite
	}
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:8])
}
