package draw

import (
	"bytes"
	"encoding/xml"
	"flag"
	"fmt"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"durvek/core/chart"
)

var update = flag.Bool("update", false, "rewrite the golden files")

func claim(v float64) *float64 { return &v }

// sketch is a chart with everything in it: ties, claims, raised modes, a bound, what is not ranked.
func sketch() chart.Ranked {
	c := chart.Ranked{Title: "Selvane Fen 14 shares second place in survey gridding",
		Subtitle: "In /min, higher is better. As delivered; bars are geometric means, whiskers 95 %.", Unit: "/min",
		Rows: []chart.Row{
			{ID: "a", Name: "Hythebrook Sound 16", Note: "chart-room laptop", Place: "1", Value: 412, Lo: 403, Hi: 421,
				Label: "412", Spread: "± 9"},
			{ID: "b", Name: "Selvane Fen 14", Note: "16 GiB, 512 GB", Place: "2–3", Value: 388, Lo: 382, Hi: 394, Label: "388",
				Spread: "± 6", Subject: true, Claim: claim(402), Claimed: "claimed 402"},
			{ID: "c", Name: "Tamrisk Tern Mini & Sons", Place: "2–3", Value: 384, Lo: 373, Hi: 395, Label: "384", Spread: "± 11",
				Raised: []chart.Raised{{Value: 401, Label: "401 in fast mode"}}},
			{ID: "d", Name: "Wexcombe Pilot 13 with a very long name that must wrap somewhere",
				Note: "and a very long note too, longer than the column is wide", Place: "4", Value: 300, Lo: 300, Hi: 300,
				Label: "≥ 300", Hollow: true},
		},
		Groups: []chart.Group{{From: 1, To: 2, Kind: "undecided"}}, NotRanked: []string{"Ardnoe Ketch Tab: failed in 3 of " +
			"5 runs", "Wexcombe Pilot 11: not comparable: program version 2.9, not 3.2"}, Foot: "5 repeats each. A Desk."}
	c.Text = c.Describe()
	return c
}

func TestGoldenCharts(t *testing.T) {
	dots := sketch()
	dots.Dots, dots.Groups = true, append(dots.Groups, chart.Group{From: 2, To: 3, Kind: "undecided"})
	for name, c := range map[string]chart.Ranked{"bars": sketch(), "dots": dots} {
		got, err := SVG(c, Options{Dark: name == "dots"})
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join("testdata", name+".svg")
		if *update {
			if err := os.WriteFile(path, got, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(path)
		if err != nil || !bytes.Equal(got, want) {
			t.Errorf("%s differs from its golden file (%v); look at it and run with -update", path, err)
		}
	}
}

var textElement = regexp.MustCompile(
	`<text x="([^"]+)" y="([^"]+)" font-family="([^"]+)" font-size="([^"]+)"( font-weight="(\d+)")?( text-anchor="(\w+)")? fill="[^"]+">([^<]*)</text>`)

type box struct {
	x0, x1, y float64
	text      string
}

// boxes gives where every text of an SVG stands, by the widths of the very fonts.
func boxes(t *testing.T, svg []byte) []box {
	t.Helper()
	var out []box
	for _, m := range textElement.FindAllStringSubmatch(string(svg), -1) {
		x, _ := strconv.ParseFloat(m[1], 64)
		y, _ := strconv.ParseFloat(m[2], 64)
		size, _ := strconv.ParseFloat(m[4], 64)
		s := text
		condensed := strings.Contains(m[3], "Condensed")
		switch {
		case condensed && m[6] == "600":
			s = narrowBig
		case condensed && m[6] == "500":
			s = narrowMid
		case condensed:
			s = narrow
		case m[6] == "600":
			s = strong
		}
		plain := strings.NewReplacer("&amp;", "&", "&#39;", "'", "&#34;", `"`).Replace(m[9])
		w := width(s, size, plain)
		switch m[8] {
		case "middle":
			x -= w / 2
		case "end":
			x -= w
		}
		out = append(out, box{x, x + w, y, plain})
	}
	return out
}

func TestNothingOverlapsOrLeavesThePicture(t *testing.T) {
	long := sketch()
	for i := range 25 {
		long.Rows = append(long.Rows, chart.Row{Name: fmt.Sprintf("Maker Number %d", i), Place: "5–29",
			Value: 200 - float64(i)*7, Lo: 180 - float64(i)*7, Hi: 230 - float64(i)*7, Label: "12,345.6", Spread: "± 1,234",
			Claim: claim(float64(410 - i))})
	}
	tiny := chart.Ranked{Title: "One", Rows: []chart.Row{{Name: "Only", Place: "1", Value: 3e-4, Lo: 2.9e-4, Hi: 3.1e-4,
		Label: "0.0003", Spread: "± 0.00001"}}, Foot: "Foot."}
	for name, c := range map[string]chart.Ranked{"sketch": sketch(), "long": long, "tiny": tiny,
		"empty": {Title: "Nothing to rank yet", Foot: "Foot."}} {
		for format, f := range Formats {
			svg, err := SVG(c, Options{Format: format})
			if err != nil {
				t.Fatal(err)
			}
			all := boxes(t, svg)
			if len(all) < 2 {
				t.Fatalf("%s as %s: only %d texts were found", name, format, len(all))
			}
			for i, a := range all {
				if a.x0 < -0.5 || a.x1 > f.Width+0.5 {
					t.Errorf("%s as %s: %q reaches from %.0f to %.0f of %.0f", name, format, a.text, a.x0, a.x1, f.Width)
				}
				for _, b := range all[i+1:] {
					if math.Abs(a.y-b.y) < 4 && a.x0 < b.x1-0.5 && b.x0 < a.x1-0.5 {
						t.Errorf("%s as %s: %q and %q overlap", name, format, a.text, b.text)
					}
				}
			}
		}
	}
}

func TestTheSVGIsWellFormedAndSpeaksForItself(t *testing.T) {
	c := sketch()
	c.Title = `A < B & "C"`
	svg, err := SVG(c, Options{})
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Role  string `xml:"role,attr"`
		Title string `xml:"title"`
		Desc  string `xml:"desc"`
	}
	if err := xml.Unmarshal(svg, &doc); err != nil {
		t.Fatal(err)
	}
	if doc.Role != "img" || doc.Title != c.Title || !strings.Contains(doc.Desc, "claimed 402") ||
		!strings.Contains(doc.Desc, "Not ranked: Ardnoe Ketch Tab") {
		t.Errorf("%+v", doc)
	}
}

func TestThePNGShowsTheSubjectInItsColour(t *testing.T) {
	b, err := PNG(sketch(), Options{Pixels: 2})
	if err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	if img.Bounds().Dx() != 2080 {
		t.Errorf("%v, want 2080 wide", img.Bounds())
	}
	count := func(want [3]uint32) int {
		n := 0
		for y := 0; y < img.Bounds().Dy(); y += 3 {
			for x := 0; x < img.Bounds().Dx(); x += 3 {
				r, g, bl, _ := img.At(x, y).RGBA()
				if [3]uint32{r >> 8, g >> 8, bl >> 8} == want {
					n++
				}
			}
		}
		return n
	}
	if subject, field := count([3]uint32{0x0b, 0x6e, 0x7f}), count([3]uint32{0x9d, 0xb2, 0xbd}); subject < 1000 ||
		field < subject {
		t.Errorf("%d points of the subject, %d of the field", subject, field)
	}
	if _, err := PNG(sketch(), Options{Format: "poster"}); err == nil || !strings.Contains(err.Error(),
		"page, column, phone, card, tall and link") {
		t.Errorf("an unknown format: %v", err)
	}
}

// Contrast by WCAG 2.2: text on the ground and on ties at least 4.5, bars at least visible.
func TestContrast(t *testing.T) {
	lum := func(c interface{ RGBA() (r, g, b, a uint32) }) float64 {
		r, g, b, _ := c.RGBA()
		lin := func(v uint32) float64 {
			x := float64(v) / 65535
			if x <= 0.04045 {
				return x / 12.92
			}
			return math.Pow((x+0.055)/1.055, 2.4)
		}
		return 0.2126*lin(r) + 0.7152*lin(g) + 0.0722*lin(b)
	}
	ratio := func(a, b interface{ RGBA() (r, g, b, a uint32) }) float64 {
		x, y := lum(a), lum(b)
		return (math.Max(x, y) + 0.05) / (math.Min(x, y) + 0.05)
	}
	for name, th := range map[string]Theme{"light": Light, "dark": Dark} {
		for _, ground := range []interface{ RGBA() (r, g, b, a uint32) }{th.Ground, th.Tie} {
			for what, c := range map[string]interface{ RGBA() (r, g, b, a uint32) }{"ink": th.Ink, "soft": th.Soft,
				"subject": th.Subject, "caution": th.Caution} {
				if r := ratio(c, ground); r < 4.5 {
					t.Errorf("%s: %s has a contrast of %.2f", name, what, r)
				}
			}
		}
	}
}

func BenchmarkRankedSVG(b *testing.B) {
	c := sketch()
	for i := range 16 {
		c.Rows = append(c.Rows, chart.Row{Name: fmt.Sprintf("Maker %d", i), Place: "5–20", Value: 200, Lo: 190, Hi: 210,
			Label: "200", Spread: "± 10"})
	}
	for b.Loop() {
		if _, err := SVG(c, Options{}); err != nil {
			b.Fatal(err)
		}
	}
}

func TestNotesAreNumberedAsTheirRowsAre(t *testing.T) {
	c := chart.Ranked{Title: "Notes", Subtitle: "In s.", Foot: "Foot.", Notes: []string{"The first is warm.",
		"The last is old."}}
	for i := range 9 {
		c.Rows = append(c.Rows, chart.Row{ID: string(rune('a' + i)), Name: "Row", Place: "1", Value: 10, Lo: 9, Hi: 11,
			Label: "10", Spread: "± 1"})
	}
	c.Rows[0].Mark, c.Rows[8].Mark, c.Rows[8].Subject = 1, 2, true
	svg, err := SVG(c, Options{})
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{">1<", ">2<", "The first is warm.", "The last is old."} {
		if !strings.Contains(string(svg), want) {
			t.Errorf("the picture does not say %s", want)
		}
	}
	// Without the first row its note goes, and the other is counted anew.
	c.Rows[0].Mark, c.Rows[3].Mark = 0, 1
	short := shorten(c, 3)
	if len(short.Notes) != 2 || short.Notes[0] != "The last is old." || short.Rows[2].Mark != 1 || c.Rows[8].Mark != 2 {
		t.Errorf("notes %v, rows %+v", short.Notes, short.Rows)
	}
}
