package chart

import (
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
)

func at(v float64) *float64 { return &v }

func TestTicksAreRoundEvenAndCoverTheRange(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 500 {
		lo := (rng.Float64() - 0.3) * math.Pow(10, float64(rng.IntN(9)-4))
		hi := lo + math.Abs(lo)*rng.Float64()*3 + math.Pow(10, float64(rng.IntN(5)-4))
		for _, outside := range []bool{false, true} {
			ticks := Ticks(lo, hi, 6, outside)
			if len(ticks) > 12 || outside && len(ticks) < 2 {
				t.Fatalf("%g to %g: %v", lo, hi, ticks)
			}
			for i, v := range ticks {
				if !outside && (v < lo-1e-9*math.Abs(lo)-1e-12 || v > hi+1e-9*math.Abs(hi)+1e-12) {
					t.Errorf("%g lies outside %g to %g", v, lo, hi)
				}
				if i > 1 && math.Abs((v-ticks[i-1])-(ticks[1]-ticks[0])) > 1e-6*(ticks[1]-ticks[0]) {
					t.Errorf("uneven steps: %v", ticks)
				}
			}
			if outside && (ticks[0] > lo+1e-9*math.Abs(lo)+1e-12 || ticks[len(ticks)-1] < hi-1e-9*math.Abs(hi)-1e-12) {
				t.Errorf("%v does not span %g to %g", ticks, lo, hi)
			}
		}
	}
}

func TestBarsBeginAtZeroAndDotsNeedNot(t *testing.T) {
	c := Ranked{Rows: []Row{{Value: 36, Lo: 35, Hi: 37, Claim: at(33)}, {Value: 40, Lo: 39, Hi: 41,
		Raised: []Raised{{Value: 48}}}}}
	if lo, hi := c.Extent(); lo != 0 || hi != 48 {
		t.Errorf("bars from %g to %g; an axis of bars holds zero, claims and raised modes", lo, hi)
	}
	c.Dots = true
	if lo, hi := c.Extent(); lo != 33 || hi != 48 {
		t.Errorf("dots from %g to %g", lo, hi)
	}
	c.Reference = at(20)
	if lo, _ := c.Extent(); lo != 20 {
		t.Errorf("the reference at 20 lies off the axis, which begins at %g", lo)
	}
	if lo, hi := (Ranked{Dots: true}).Extent(); lo != 0 || hi != 1 {
		t.Errorf("an empty chart: %g to %g", lo, hi)
	}
}

func TestGroupsOverlapWhenTheyShareARow(t *testing.T) {
	for _, c := range []struct {
		groups []Group
		want   bool
	}{{nil, false}, {[]Group{{From: 0, To: 2}, {From: 3, To: 4}}, false}, {[]Group{{From: 0, To: 2}, {From: 2, To: 4}},
		true}} {
		if got := (Ranked{Groups: c.groups}).Overlap(); got != c.want {
			t.Errorf("%v: %v", c.groups, got)
		}
	}
}

func TestForestAxisIsEvenInRatios(t *testing.T) {
	f := Forest{Log: true}
	if d := f.At(100) + f.At(-50); math.Abs(d) > 1e-12 {
		t.Errorf("twice and half lie %g apart from the line", d)
	}
	if !slices.IsSortedFunc([]float64{-99.9, -50, 0, 80, 400}, func(a, b float64) int {
		return int(math.Copysign(1,
			f.At(a)-f.At(b)))
	}) {
		t.Error("the axis does not rise")
	}
	for _, c := range []struct{ lo, hi float64 }{{-5, 8}, {-30, 60}, {-80, 500}} {
		ticks := f.Ticks(c.lo, c.hi)
		if len(ticks) < 2 || !slices.Contains(ticks, 0) || ticks[0] < c.lo || ticks[len(ticks)-1] > c.hi {
			t.Errorf("%g to %g: %v", c.lo, c.hi, ticks)
		}
	}
}

func TestOneLongWhiskerDoesNotSqueezeTheOthers(t *testing.T) {
	f := Forest{Rows: []ForestRow{{Value: 5, Lo: 3, Hi: 7}, {Value: 10, Lo: -90, Hi: 900}, {Value: 2000, Lo: 2000,
		Hi: 2000, Bare: true}}}
	lo, hi := f.Extent()
	if lo != -50 || hi != 70 {
		t.Errorf("the axis goes from %g to %g, want 60 on both sides of the long one's dot and nothing for a row without "+
			"a dot", lo, hi)
	}
}

func pictures() map[string]Picture {
	r := Ranked{Title: "Fen 14 leads", Measure: "Hashing", Unit: "MiB/s", Rows: []Row{
		{Name: "Fen 14", Note: "16 GiB", Place: "1", Value: 15198.25, Lo: 15000, Hi: 15400, Label: "15,198", N: 5,
			Claim: at(12000)},
		{Name: "Skiff 14", Place: "2", Value: 13000, Lo: 13000, Hi: 13000, Label: "≥ 13,000", Hollow: true, N: 2},
		{Name: "Relay 15", Place: "", Value: 9000, Lo: 9000, Hi: 9000, Label: "≈ 9000", Carried: true}},
		NotRanked: []string{"Cuddy: not run"}, Notes: []string{"In doubt: too warm."}}
	f := Forest{Title: "B against A", Unit: "% better", Symbol: "%", Legend: []string{"B", "C"},
		Rows: []ForestRow{{Group: "CPU", Name: "Hashing", Value: -12.345678, Lo: -14, Hi: -10, Label: "10 → 8.8"},
			{Group: "CPU", Name: "Hashing", Series: 1, Value: 3, Lo: -1, Hi: 7, Hollow: true, Label: "10 → 10.3"},
			{Group: "Noise", Name: "Noise", Label: "36 → 40 dB(A)", Bare: true}}, Notes: []string{"Not compared: weight."}}
	s := Scatter{Title: "Value", X: "Price, EUR", Y: "Index", Frontier: true, Points: []Point{{Name: "Fen 14",
		Note: "16 GiB", X: 1049, Y: 119.5, Lo: 115, Hi: 124, Best: true, Label: "119 for 1,049.00 EUR"},
		{Name: "Skiff", X: 829, Y: 115, Lo: 110, Hi: 120, Label: "115 for 829.00 EUR"}}}
	l := Lines{Title: "Sustained", X: "Time, s", Y: "Rate, MiB/s", Lines: []Line{{Name: "Fen 14", X: []float64{0, 10},
		Y: []float64{16200.5, 13366}, Summary: "keeps 82 %"}}}
	return map[string]Picture{"ranked": r, "forest": f, "scatter": s, "lines": l}
}

// What the table holds a program reads: as many cells as columns, and plain numbers in those that hold figures.
func TestTablesAreForPrograms(t *testing.T) {
	figures := map[string][]int{"ranked": {3, 4, 5}, "forest": {2, 3, 4}, "scatter": {2, 3, 4, 5}, "lines": {2, 3}}
	rows := map[string]int{"ranked": 3, "forest": 3, "scatter": 2, "lines": 2}
	for name, p := range pictures() {
		table := p.Table()
		if len(table.Rows) != rows[name] {
			t.Errorf("%s: %d rows", name, len(table.Rows))
		}
		for _, row := range table.Rows {
			if len(row) != len(table.Columns) {
				t.Errorf("%s: %d cells under %d columns", name, len(row), len(table.Columns))
			}
			for _, k := range figures[name] {
				if _, err := strconv.ParseFloat(row[k], 64); err != nil && row[k] != "" {
					t.Errorf("%s: %q in column %q is no number", name, row[k], table.Columns[k])
				}
			}
		}
	}
	ranked := pictures()["ranked"].Table().Rows
	if ranked[0][3] != "15198.2" && ranked[0][3] != "15198.3" || ranked[0][6] != "12000" || ranked[1][8] != "≥ 13,000" ||
		ranked[2][0] != "not ranked" {
		t.Errorf("%v", ranked)
	}
	forest := pictures()["forest"].Table().Rows
	if forest[0][2] != "-12.3457" || forest[1][1] != "Hashing, C" || forest[2][2] != "" ||
		forest[2][5] != "36 → 40 dB(A)" {
		t.Errorf("%v", forest)
	}
}

func TestTheWordsSayWhatThePictureShows(t *testing.T) {
	p := pictures()
	for _, c := range []struct {
		text string
		says []string
	}{
		{p["ranked"].(Ranked).Describe(), []string{"Fen 14 leads", "15,198", "claimed 12,000", "≥ 13,000",
			"Not ranked: Cuddy: not run", "In doubt: too warm."}},
		{p["forest"].(Forest).Describe(), []string{"B against A", "Hashing, B: −12.3 %",
			"Hashing, C: +3.00 % (−1.00 to +7.00), 10 → 10.3, not sure", "Noise, B: 36 → 40 dB(A)", "Not compared: weight."}},
		{p["scatter"].(Scatter).Describe(), []string{"Across: Price, EUR. Up: Index.",
			"Fen 14, 16 GiB: 119 for 1,049.00 EUR, on the frontier;", "Skiff: 115 for 829.00 EUR."}},
		{p["lines"].(Lines).Describe(), []string{"Sustained", "Fen 14: keeps 82 %."}},
	} {
		for _, s := range c.says {
			if !strings.Contains(c.text, s) {
				t.Errorf("%q does not say %q", c.text, s)
			}
		}
	}
	if title, text := p["lines"].Heading(); title != "Sustained" || text != "" {
		t.Errorf("%q, %q", title, text)
	}
}

func TestPlacesAsTheyAreWritten(t *testing.T) {
	for want, p := range map[string][2]int{"1": {1, 1}, "2–3": {2, 3}, "?": {0, 0}} {
		if got := PlaceText(p[0], p[1]); got != want {
			t.Errorf("%v is written %q", p, got)
		}
	}
}

func TestACardSaysAllThatItShows(t *testing.T) {
	c := Card{Title: "Fen", Tag: "recommended", Lead: "Light.", Keys: []CardKey{{"Weight", "1.3 kg", "third of 12"},
		{"Noise", "40 dB(A)", ""}}, For: []string{"A"}, Not: []string{"B"}}
	title, text := c.Heading()
	if title != "Fen" || text != "Fen. recommended. Light.. Weight: 1.3 kg, third of 12. Noise: 40 dB(A). A. B" {
		t.Errorf("%q: %q", title, text)
	}
	if rows := c.Table().Rows; len(rows) != 2 || rows[0][2] != "third of 12" || rows[1][2] != "" {
		t.Errorf("%v", rows)
	}
}
