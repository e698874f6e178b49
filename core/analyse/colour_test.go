package analyse

import (
	"bytes"
	_ "embed"
	"fmt"
	"math"
	"testing"
)

// The 34 pairs that Sharma, Wu and Dalal published (2005) to try an implementation of CIEDE2000 with.
//
//go:embed testdata/ciede2000.txt
var pairs []byte

func TestColourDifferencesOfThePublishedPairs(t *testing.T) {
	n := 0
	for line := range bytes.Lines(pairs) {
		var p, q Lab
		var want float64
		if _, err := fmt.Sscan(string(line), &p.L, &p.A, &p.B, &q.L, &q.A, &q.B, &want); err != nil {
			t.Fatal(err)
		}
		for _, got := range []float64{DeltaE2000(p, q), DeltaE2000(q, p)} {
			if math.Abs(got-want) > 0.00005 {
				t.Errorf("%v and %v differ by %.5f, want %.4f", p, q, got, want)
			}
		}
		n++
	}
	if n != 34 {
		t.Errorf("%d pairs", n)
	}
	if d := DeltaE2000(Lab{50, 10, -20}, Lab{50, 10, -20}); d != 0 {
		t.Errorf("a colour differs from itself by %g", d)
	}
}

func TestCoverageOfKnownSpaces(t *testing.T) {
	same := func(c Chroma) Chroma { return c }
	for name, s := range Spaces {
		for plane, f := range map[string]func(Chroma) Chroma{"xy": same, "u′v′": Chroma.UV} {
			if got := Coverage(s.R, s.G, s.B, s, f); math.Abs(got-1) > 1e-9 {
				t.Errorf("%s covers %.6f of itself in %s", name, got, plane)
			}
			if got := Coverage(s.B, s.R, s.G, s, f); math.Abs(got-1) > 1e-9 {
				t.Errorf("%s covers %.6f of itself in %s by another order", name, got, plane)
			}
		}
	}
	// Published shares in xy; in u′v′ by counting points.
	for _, c := range []struct {
		of, by string
		xy     float64
	}{{"bt2020", "srgb", 0.5287}, {"bt2020", "p3", 0.7175}, {"srgb", "bt2020", 1}, {"p3", "srgb", 0.7368},
		{"oprgb", "p3", math.NaN()}} {
		of, by := Spaces[c.of], Spaces[c.by]
		if got := Coverage(by.R, by.G, by.B, of, same); math.Abs(got-c.xy) > 0.001 {
			t.Errorf("%s covers %.4f of %s in xy, want %.4f", c.by, got, c.of, c.xy)
		}
		for plane, f := range map[string]func(Chroma) Chroma{"xy": same, "u′v′": Chroma.UV} {
			got := Coverage(by.R, by.G, by.B, of, f)
			want := counted([3]Chroma{f(by.R), f(by.G), f(by.B)}, [3]Chroma{f(of.R), f(of.G), f(of.B)})
			if math.Abs(got-want) > 0.001 {
				t.Errorf("%s covers %.4f of %s in %s, want %.4f by counting", c.by, got, c.of, plane, want)
			}
		}
	}
	// Triangles that do not meet, and one shifted so that half of it is left.
	far := func(d float64) float64 {
		return Coverage(Chroma{0.64 + d, 0.33}, Chroma{0.3 + d, 0.6}, Chroma{0.15 + d, 0.06}, Spaces["srgb"], same)
	}
	if far(1) != 0 || far(0.1) <= 0.3 || far(0.1) >= 1 {
		t.Errorf("shifted triangles cover %g and %g", far(1), far(0.1))
	}
}

// counted is the share of points of a triangle that lie in another, of a fine grid.
func counted(by, of [3]Chroma) float64 {
	within := func(p Chroma, t [3]Chroma) bool {
		less, more := false, false
		for i := range t {
			a, b := t[i], t[(i+1)%3]
			d := (p.X-b.X)*(a.Y-b.Y) - (a.X-b.X)*(p.Y-b.Y)
			less, more = less || d < 0, more || d > 0
		}
		return !less || !more
	}
	both, all := 0.0, 0.0
	for i := range 1500 {
		for j := range 1500 {
			if p := (Chroma{float64(i) / 1500, float64(j) / 1500}); within(p, of) {
				all++
				if within(p, by) {
					both++
				}
			}
		}
	}
	return both / all
}

func TestTemperatureOfKnownWhites(t *testing.T) {
	for name, w := range map[string]struct {
		at       Chroma
		cct, duv float64
	}{"A": {Chroma{0.44757, 0.40745}, 2856, 0}, "D50": {Chroma{0.34567, 0.35850}, 5003, 0.0032},
		"D65": {Chroma{0.31272, 0.32903}, 6504, 0.0032}, "D75": {Chroma{0.29902, 0.31485}, 7504, 0.0031},
		"E": {Chroma{1.0 / 3, 1.0 / 3}, 5455, -0.0044}} {
		cct, duv, ok := Temperature(w.at)
		if !ok || math.Abs(cct/w.cct-1) > 0.005 || math.Abs(duv-w.duv) > 0.0004 {
			t.Errorf("%s is %.0f K at Duv %.4f, want %.0f K at %.4f", name, cct, duv, w.cct, w.duv)
		}
	}
	if _, duv, ok := Temperature(Chroma{0.30, 0.60}); ok || duv < 0.05 {
		t.Errorf("green has a temperature, at Duv %.4f", duv)
	}
}

func TestWhiteOfASpaceIsItsWhite(t *testing.T) {
	for name, s := range Spaces {
		c := s.Colour(1, 1, 1)
		if w := c.XY(); math.Abs(c.Y-1) > 1e-9 || math.Abs(w.X-s.White.X) > 1e-9 || math.Abs(w.Y-s.White.Y) > 1e-9 {
			t.Errorf("white of %s is %v at %g", name, w, c.Y)
		}
		if r := s.Colour(1, 0, 0).XY(); math.Abs(r.X-s.R.X) > 1e-9 || math.Abs(r.Y-s.R.Y) > 1e-9 {
			t.Errorf("red of %s is %v", name, r)
		}
		if k := s.Colour(0, 0, 0); k.Y != 0 {
			t.Errorf("black of %s is %v", name, k)
		}
	}
	// Luminances of the primaries of sRGB, as its standard gives them.
	for rgb, want := range map[[3]float64]float64{{1, 0, 0}: 0.2126, {0, 1, 0}: 0.7152, {0, 0, 1}: 0.0722} {
		if got := Spaces["srgb"].Colour(rgb[0], rgb[1], rgb[2]).Y; math.Abs(got-want) > 0.0001 {
			t.Errorf("%v has a luminance of %.4f, want %.4f", rgb, got, want)
		}
	}
	d50, d65 := Chroma{0.34567, 0.35850}.At(1), D65.At(1)
	if got := adapted(d50, d50, d65); math.Abs(got.X-d65.X) > 1e-9 || math.Abs(got.Z-d65.Z) > 1e-9 {
		t.Errorf("white adapted is %v", got)
	}
}
