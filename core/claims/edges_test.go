package claims

import (
	"math"
	"testing"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
)

// A hair is a step that a limit must notice.
const hair = 1e-9

// At each limit: on it, one hair above, one hair below. Limits are c(1+e) for beyond, c(1−e) for held and short;
// mirrored where lower is better.
func TestOutcomesAtTheirLimits(t *testing.T) {
	higher := method.Measure{Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	lower := method.Measure{Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower}
	level := method.Measure{Unit: "dB[A]", Scale: quantity.Level, Better: quantity.Lower, Margin: 1}
	e := func(lo, hi float64) *Evidence {
		return &Evidence{Estimate: stats.Estimate{Centre: (lo + hi) / 2, Lo: lo, Hi: hi, N: 5}}
	}
	for _, c := range []struct {
		name     string
		claim    float64
		m        method.Measure
		evidence *Evidence
		want     Outcome
	}{
		{"lower end on c(1+e)", 1000, higher, e(1010, 1030), Held},
		{"a hair above c(1+e)", 1000, higher, e(1010*(1+hair), 1030), Beyond},
		{"lower end on c(1−e)", 1000, higher, e(990, 1030), Held},
		{"a hair below c(1−e)", 1000, higher, e(990*(1-hair), 1030), Open},
		{"upper end on c(1−e)", 1000, higher, e(900, 990), Open},
		{"upper end a hair below", 1000, higher, e(900, 990*(1-hair)), Short},
		{"lower is better: on the limit of short", 100, lower, e(101, 120), Open},
		{"lower is better: a hair beyond it", 100, lower, e(101*(1+hair), 120), Short},
		{"lower is better: on the limit of beyond", 100, lower, e(80, 99), Held},
		{"lower is better: a hair beyond it", 100, lower, e(80, 99*(1-hair)), Beyond},
		{"a level on its margin", 36, level, e(30, 37), Held},
		{"a level a hair over it", 36, level, e(30, 37+36*hair), Open},
		{"a level beyond by its margin", 36, level, e(30, 35), Held},
		{"a level beyond by a hair more", 36, level, e(30, 35-hair), Beyond},
	} {
		v, err := Check(catalog.Claim{Value: c.claim, Unit: c.m.Unit}, c.m, c.evidence, nil)
		if err != nil || v.Outcome != c.want {
			t.Errorf("%s: %s, %v; want %s", c.name, v.Outcome, err, c.want)
		}
	}
}

// A claim's own tolerance comes before its measure's, that before the usual one.
func TestWhichToleranceCounts(t *testing.T) {
	m := method.Measure{Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	at := func(lo, own, measure float64) Outcome {
		m.Tolerance = measure
		v, _ := Check(catalog.Claim{Value: 1000, Unit: "MBy/s", Tolerance: own}, m, &Evidence{Estimate: between(lo, lo+1)},
			nil)
		return v.Outcome
	}
	if got := []Outcome{at(960, 0.05, 0.001), at(960, 0, 0.05), at(960, 0, 0), at(991, 0, 0)}; got[0] != Held ||
		got[1] != Held || got[2] != Short || got[3] != Held {
		t.Errorf("own, the measure's, the usual one short and held: %v", got)
	}
}

// "Up to" asks for one reading: on the limit it is there, a hair below it is not; where lower is better the smallest
// reading is the best.
func TestUpToAtItsLimit(t *testing.T) {
	for _, c := range []struct {
		better quantity.Direction
		best   float64
		want   Outcome
	}{{quantity.Higher, 990, Held}, {quantity.Higher, 990 - 1e-6, Short}, {quantity.Lower, 1010, Held}, {quantity.Lower,
		1010 + 1e-6, Short}} {
		m := method.Measure{Unit: "s", Scale: quantity.Ratio, Better: c.better}
		v, _ := Check(catalog.Claim{Value: 1000, Unit: "s", Qualifier: "up to"}, m, &Evidence{Estimate: between(900, 1100),
			Best: c.best}, nil)
		if v.Outcome != c.want || c.want == Short && (v.Within != 0 || math.Abs(math.Abs(v.By)-0.01) > 1e-6) {
			t.Errorf("%s is better, best %g: %+v, want %s", c.better, c.best, v, c.want)
		}
	}
}

// How many repeats would decide grows with the square of how much wider the interval is than the way to the limit.
func TestHowManyMoreRepeats(t *testing.T) {
	for _, c := range []struct {
		by, within, e float64
		n, want       int
	}{
		{-0.5, 0.5, 0.25, 5, 15},    // half-width twice the way: four times as many
		{-0.03, 0.0201, 0.01, 5, 1}, // hardly wider: one at least
		{-0.03, 0.02, 0.01, 5, 1},   // as wide: still one
		{-0.03, 0.05, 0.01, 5, 27},  // 31.25 rounded up, less 5
		{-0.03, 0.053, 0.01, 5, 0},  // beyond thirty nobody repeats
		{-0.01, 0.05, 0.01, 5, 0},   // on the very limit no number decides
		{-0.03, 0, 0.01, 5, 0},      // without an interval neither
		{0.03, 0.08, 0.01, 3, 9},    // from above: the way is to the same limit
	} {
		if got := more(c.by, c.within, c.e, c.n); got != c.want {
			t.Errorf("%+v: %d", c, got)
		}
	}
}

// What a link carries is possible on the limit and impossible a hair above; a claim that names no link takes the spec
// sheet's only for drives.
func TestALinksLimit(t *testing.T) {
	m := method.Measure{Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher}
	spec := map[string]any{"drive.link": "SATA 6 Gbit/s"}
	outcome := func(value float64, measure, link string, m method.Measure) Outcome {
		v, err := Check(catalog.Claim{Value: value, Unit: m.Unit, Measure: measure, Link: link}, m, nil, spec)
		if err != nil {
			t.Fatal(err)
		}
		return v.Outcome
	}
	for _, c := range []struct {
		name, measure, link string
		value               float64
		want                Outcome
	}{
		{"on the limit", "drive-sequential/read", "", 600, Untested}, {"above it", "drive-sequential/read", "", 600.001,
			Impossible},
		{"not a drive's measure", "network/down", "", 900, Untested}, {"a link that it names", "network/down",
			"SATA 6 Gbit/s", 900, Impossible},
		{"a link nobody knows", "drive-sequential/read", "string and cans", 9000, Untested},
	} {
		if got := outcome(c.value, c.measure, c.link, m); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
	if got := outcome(9000, "drive-sequential/read", "", method.Measure{Unit: "MBy/s", Scale: quantity.Ratio,
		Better: quantity.Lower}); got != Untested {
		t.Errorf("a rate of which less is better has no limit from above: %s", got)
	}
	v, _ := Check(catalog.Claim{Value: 900, Unit: "MBy/s", Measure: "drive-sequential/read"}, m, &Evidence{Unlike: "x",
		Estimate: between(1, 2)}, spec)
	if v.Outcome != Impossible || v.Estimate != nil {
		t.Errorf("an unlike figure stands beside an impossible claim: %+v", v)
	}
}
