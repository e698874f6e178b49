package draw

import (
	"bytes"
	"fmt"
	"maps"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"durvek/core/analyse"
	"durvek/core/chart"
)

// forestSketch has groups, two series, hollow and warned rows, whiskers beyond the axis, a bare row and a long name.
func forestSketch() chart.Forest {
	c := chart.Forest{Title: "Hythebrook Sound 16 against Hythebrook Sound 14",
		Subtitle: "In % better, whichever way is better.", Axis: "better →", Symbol: "%", Unit: "% better", Log: true,
		Legend: []string{"Sound 16", "Sound 15"}, Band: 1,
		Rows: []chart.ForestRow{
			{Group: "CPU", Name: "Compression, packing, all threads", Value: 59, Lo: 56, Hi: 62, Label: "747 → 1189 MiB/s"},
			{Group: "CPU", Name: "Compression, packing, all threads", Value: 12, Lo: -3, Hi: 30, Label: "747 → 836 MiB/s",
				Series: 1, Hollow: true},
			{Group: "Graphics", Name: "WebGPU, compute, inference, packed 8-bit integers, in a very long word of a name",
				Value: 273, Lo: 263, Hi: 283, Label: "1480 → 5515 GFLOP/s", Doubt: true},
			{Group: "Body", Name: "Weight", Value: -22, Lo: -22.5, Hi: -21.5, Label: "1.40 → 1.79 kg", Warn: true},
			{Group: "Response", Name: "Wake-up delay", Value: 20, Lo: -70, Hi: 900, Label: "846 → 702 µs"},
			{Group: "Noise", Name: "Noise", Label: "39.5 → 42.4 dB(A)", Bare: true},
		}, Notes: []string{"Not compared: Survey export: program version 3.2, not 2.9."}, Foot: "A Desk."}
	c.Text = c.Describe()
	return c
}

func scatterSketch() chart.Scatter {
	c := chart.Scatter{Title: "Index against price, crew laptops", Subtitle: "Points on the dashed line.", X: "Price, EUR",
		Y: "Index", Frontier: true, Foot: "A Desk.", Notes: []string{"2 left out: no price."}}
	for i, p := range [][2]float64{{699, 100}, {699, 99.6}, {749, 98}, {829, 108}, {1049, 121}, {1193, 158}, {1249, 107},
		{1349, 108}, {1399, 121}, {1529, 155}} {
		c.Points = append(c.Points, chart.Point{ID: fmt.Sprint(i), Name: fmt.Sprintf("Maker Model %d", 10+i),
			Note: "16 GiB, 512 GB", X: p[0], Y: p[1], Lo: p[1] - 3, Hi: p[1] + 3, Best: i == 0 || i == 3 || i == 4 || i == 5,
			Subject: i == 4, Hollow: i == 7, Label: fmt.Sprintf("%.0f for %.2f EUR", p[1], p[0])})
	}
	c.Text = c.Describe()
	return c
}

func linesSketch() chart.Lines {
	c := chart.Lines{Title: "Hashing, sustained: Sound 16 is highest at the end", Subtitle: "One run each.", X: "Time, s",
		Y: "Rate, MiB/s", Foot: "A Desk."}
	for k, name := range []string{"Hythebrook Sound 16", "Selvane Fen 14", "Thrunby Dunlin 15", "Wexcombe Pilot 13"} {
		l := chart.Line{ID: fmt.Sprint(k), Name: name, Note: "16 GiB", Summary: "keeps 88 %: 19,455 MiB/s", Subject: k == 1}
		for i := range 120 {
			l.X, l.Y = append(l.X, float64(5*i)), append(l.Y, 20000-float64(300*k)-4000*float64(min(i, 20))/20)
		}
		c.Lines = append(c.Lines, l)
	}
	c.Text = c.Describe()
	return c
}

func sideSketch() chart.Side {
	c := chart.Side{Title: "Selvane Fen 14: what its modes do in survey export", Subtitle: "Each mode of the same work.",
		States: []string{"As delivered", "On battery", "A quiet mode with a long name of its own"}, Foot: "Marram Desk"}
	for i, name := range []string{"Survey export", "Noise", "Clock", "Processor’s power", "Fastest fan"} {
		p := chart.Panel{Name: name, Symbol: "W", Dots: i == 1}
		for k := range c.States {
			v := float64(40 + 3*k*k)
			p.Bars = append(p.Bars, chart.SideBar{Value: v, Lo: v - 2, Hi: v + 2.5, Label: fmt.Sprintf("%.0f ± 2", v)})
		}
		c.Panels = append(c.Panels, p)
	}
	c.Panels[2].Bars[1] = chart.SideBar{Label: "not told", Bare: true}
	c.Text = c.Describe()
	return c
}

// rawSketches are pictures of raw measurements: a plane, a spectrum, a matrix, a list of spots.
func rawSketches() map[string]chart.Picture {
	plane := analyse.Picture{Kind: analyse.Plane, Title: "Primaries", X: "x", Y: "y", Curves: []analyse.Curve{
		{Name: "measured", X: []float64{.64, .3, .15, .64}, Y: []float64{.33, .6, .06, .33}},
		{Name: "BT.2020", X: []float64{.708, .17, .131, .708}, Y: []float64{.292, .797, .046, .292}},
		{Name: "D65", X: []float64{.3127}, Y: []float64{.329}, Dots: true}}}
	spectrum := analyse.Picture{Kind: analyse.Curves, Title: "Spectrum", X: "Hz", Y: "dB(A)", Curves: []analyse.Curve{
		{Name: "thirds", X: analyse.Thirds(), Dots: true}}}
	for i := range analyse.Thirds() {
		spectrum.Curves[0].Y = append(spectrum.Curves[0].Y, -30+3*float64(i))
	}
	matrix := analyse.Picture{Kind: analyse.Field, Title: "Times", X: "to", Y: "from", Unit: "ms",
		Across: []string{"0", "128", "255"}, Down: []string{"0", "128", "255"},
		Cells: [][]float64{{analyse.Unknown, 4, 4.2}, {7.4, analyse.Unknown, 6.6}, {118.6, 8.1, analyse.Unknown}}}
	spots := analyse.Picture{Kind: analyse.Field, Title: "Surface", Unit: "°C", Across: []string{""}}
	for i := range 12 {
		spots.Down = append(spots.Down, fmt.Sprint("a spot with a long name, number ", i))
		spots.Cells = append(spots.Cells, []float64{30 + float64(i)})
	}
	wide := analyse.Picture{Kind: analyse.Field, Title: "A grid of many", Unit: "°C"}
	for range 30 {
		wide.Down, wide.Cells = append(wide.Down, fmt.Sprint(len(wide.Down)+1)), append(wide.Cells, make([]float64, 40))
	}
	for i := range 40 {
		wide.Across = append(wide.Across, fmt.Sprint(i+1))
	}
	out := map[string]chart.Picture{}
	for name, p := range map[string]analyse.Picture{"plane": plane, "spectrum": spectrum, "matrix": matrix, "spots": spots,
		"grid": wide} {
		out[name] = chart.OfRaw(p, "of a file", "A Desk.", []string{"A note."})
	}
	return out
}

func TestGoldenPictures(t *testing.T) {
	all := map[string]chart.Picture{"forest": forestSketch(), "scatter": scatterSketch(), "lines": linesSketch(),
		"side": sideSketch()}
	maps.Copy(all, rawSketches())
	delete(all, "grid") // as large as all others together; what lies on what is tried below
	for name, c := range all {
		got, err := SVG(c, Options{})
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join("testdata", name+".svg")
		if *update {
			if err := os.WriteFile(path, got, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		if want, err := os.ReadFile(path); err != nil || !bytes.Equal(got, want) {
			t.Errorf("%s differs from its golden file (%v); look at it and run with -update", path, err)
		}
	}
}

func TestNoPictureOverlapsOrLeavesItsFormat(t *testing.T) {
	long := forestSketch()
	for i := range 90 {
		long.Rows = append(long.Rows, chart.ForestRow{Group: fmt.Sprint("Group ", i/12), Name: fmt.Sprint("Measure number ",
			i), Value: float64(i - 40), Lo: float64(i - 50), Hi: float64(i - 30), Label: "28,421,969 → 44,863,507 nodes/s",
			Hollow: i%3 == 0})
	}
	same := scatterSketch()
	for i := range same.Points {
		same.Points[i].X, same.Points[i].Y = 700+float64(i), 100+float64(i)/10
	}
	all := map[string]chart.Picture{"forest": forestSketch(), "long forest": long,
		"empty forest": chart.Forest{Title: "Nothing", Foot: "Foot."}, "scatter": scatterSketch(), "heap": same,
		"empty scatter": chart.Scatter{Title: "Nothing", Foot: "Foot."}, "lines": linesSketch(),
		"empty lines": chart.Lines{Title: "Nothing", Foot: "Foot."}, "empty field": chart.Field{Title: "Nothing"}}
	maps.Copy(all, rawSketches())
	for name, c := range all {
		for format, f := range Formats {
			svg, err := SVG(c, Options{Format: format})
			if err != nil {
				t.Fatal(err)
			}
			all := boxes(t, svg)
			for i, a := range all {
				if a.x0 < -0.5 || a.x1 > f.Width+0.5 || f.Height > 0 && (a.y < 0 || a.y > f.Height) {
					t.Errorf("%s as %s: %q reaches from %.0f to %.0f at %.0f", name, format, a.text, a.x0, a.x1, a.y)
				}
				for _, b := range all[i+1:] {
					if math.Abs(a.y-b.y) < 4 && a.x0 < b.x1-0.5 && b.x0 < a.x1-0.5 {
						t.Errorf("%s as %s: %q and %q lie on each other", name, format, a.text, b.text)
					}
				}
			}
			if title, text := c.Heading(); !strings.Contains(string(svg), "<title>"+title+"</title>") || text != "" &&
				!strings.Contains(string(svg), "<desc>") {
				t.Errorf("%s as %s has no title or text", name, format)
			}
		}
	}
}

func TestALongFieldOfDifferencesKeepsTheLargestAndSaysSo(t *testing.T) {
	c := forestSketch()
	for i := range 60 {
		c.Rows = append(c.Rows, chart.ForestRow{Group: "More", Name: fmt.Sprint("Small ", i), Value: 1, Lo: 0.5, Hi: 1.5,
			Label: "1 → 1"})
	}
	svg, err := SVG(c, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if s := string(svg); !strings.Contains(s, "40 of 66 rows are shown") || !strings.Contains(s, "1480 → 5515 GFLOP/s") ||
		len(c.Table().Rows) != 66 {
		t.Error("the largest differences are not kept, or the picture does not say what it leaves out")
	}
}

func TestARowOfASVGCanBeHit(t *testing.T) {
	c := sketch()
	c.Rows[0].ID = `a"b<c`
	svg, err := SVG(c, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if n := strings.Count(string(svg), "<g data-row="); n != len(c.Rows) || !strings.Contains(string(svg),
		`data-row="a&#34;b&lt;c"`) {
		t.Errorf("%d of %d rows can be hit", n, len(c.Rows))
	}
}
