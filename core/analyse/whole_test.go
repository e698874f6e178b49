package analyse

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"durvek/internal/golden"
)

// cols is raw data of columns of numbers or words and of options, each after its name.
func cols(pairs ...any) Raw {
	raw := Raw{Columns: map[string][]float64{}, Words: map[string][]string{}, Options: map[string]string{}}
	for i := 0; i < len(pairs); i += 2 {
		name := pairs[i].(string)
		switch x := pairs[i+1].(type) {
		case []float64:
			raw.Columns[name] = x
		case []string:
			raw.Words[name] = x
		case string:
			raw.Options[name] = x
		}
	}
	return raw
}

// dimmed is a dim panel whose patches drift.
func dimmed() Raw {
	dim := panel(Spaces["srgb"], 180, 0.3, 2.35, patchList...)
	dim.Options["white"], dim.Options["ambient"] = "measured", "200 lx"
	for i := range dim.Columns["X"] {
		dim.Columns["X"][i] *= 1 - 0.004*float64(i)
		dim.Columns["Z"][i] *= 1 + 0.007*float64(i)
	}
	return dim
}

// greys are changes between three greys.
func greys() Raw {
	matrix := cols("rate", "8 kHz", "refresh", "60 Hz")
	for i, pair := range [][2]float64{{0, 128}, {0, 255}, {128, 255}} {
		xs := transitions(0.004*float64(i+1), 0.005*float64(i+1), 0.05*float64(i), 0.1, 8000, 0.002, 20, uint64(i))
		for range xs {
			matrix.Columns["from"], matrix.Columns["to"] = append(matrix.Columns["from"], pair[0]), append(matrix.Columns["to"],
				pair[1])
		}
		matrix.Columns["light"] = append(matrix.Columns["light"], xs...)
	}
	return matrix
}

// shaped are files of known shape for each analysis, named after it.
func shaped() map[string]Raw {
	r := rand.New(rand.NewPCG(8, 15))
	tone := func(n int, rate, hz, level, noise float64) []float64 {
		return of(n, func(i int) float64 {
			return level*math.Sin(2*math.Pi*hz*float64(i)/rate) + noise*r.NormFloat64()
		})
	}
	day := evenTimes(400, 60)
	battery := of(400, func(i int) float64 { return math.Round(100 - float64(i)/5.5) })
	draw := of(400, func(i int) float64 { return 6 + math.Sin(float64(i)/9) })
	minutes := evenTimes(900, 1)
	warm := of(900, func(i int) float64 { return 88 - 55*math.Exp(-float64(i)/130) + 0.4*r.NormFloat64() })
	link := of(160, func(i int) float64 { return []float64{812, 640, 333, 90}[i/40] * (1 + 0.05*r.NormFloat64()) })
	link[70], link[71], link[130] = 0, 0, 0
	fill := of(300, func(i int) float64 { return []float64{3100, 900, 1400}[i/100] * (1 + 0.02*r.NormFloat64()) })
	rates := of(600, func(i int) float64 { return (400 - 90*float64(min(1, i/220))) * (1 + 0.006*r.NormFloat64()) })
	played := swept(20, 20000, 2, 48000)
	spoken := of(len(played)+24000, func(i int) float64 {
		if k := i - 9000; k >= 1 && k < len(played) {
			return 0.3*played[k] - 0.25*played[k-1] + 2e-4*r.NormFloat64()
		}
		return 2e-4 * r.NormFloat64()
	})
	return map[string]Raw{
		"colour, wide":   panel(Spaces["p3"], 400, 0.25, 2.4, patchList...),
		"colour, dim":    dimmed(),
		"colour, whites": panel(Spaces["srgb"], 250, 0.2, 2.2, patchList[:2]...),
		"uniformity": cols("Y", []float64{300, 270, 285, 291}, "x", []float64{.3127, .3127, .32, .31}, "y",
			[]float64{.329, .329, .329, .33}, "place", []string{"middle", "left", "right", "top"}),
		"uniformity, grey": cols("Y", []float64{300, 270, 310}, "place", []string{"middle", "left", "right"}),
		"flicker, sine":    cols("light", wave("sine", 240, 20000, 1, 0.4, 0.01, 3), "rate", "20 kHz"),
		"flicker, pulse":   cols("light", wave("pulse", 977, 40000, 0.5, 0.9, 0.02, 4), "rate", "40 kHz"),
		"flicker, none":    cols("light", wave("sine", 100, 20000, 1, 0, 0.01, 5), "rate", "20 kHz"),
		"pixel-response": cols("light", transitions(0.004, 0.009, 0.08, 0.1, 8000, 0.01, 60, 6), "rate", "8 kHz",
			"refresh", "120 Hz"),
		"pixel-response, matrix": greys(),
		"discharge": cols("time", day, "level", battery, "power", draw, "work", of(400,
			func(i int) float64 { return 12 * float64(i) })),
		"discharge, early": cols("time", day[:300], "level", battery[:300], "capacity", "50 Wh"),
		"sound-level": cols("level", of(240, func(i int) float64 { return 24 + 16*(1-math.Exp(-float64(i)/60)) }),
			"time", evenTimes(240, 1), "background", "23"),
		"sound-level, bare": cols("level", []float64{30, 41, 38}),
		"sound-recording": cols("signal", tone(144000, 48000, 1310.5, 0.08, 0.008), "rate", "48 kHz", "full-scale",
			"104 dB"),
		"sound-recording, hum": cols("signal", tone(96000, 48000, 101, 0.02, 0.01), "rate", "48000"),
		"speaker-response":     cols("signal", spoken, "rate", "48000", "sweep", "2 s"),
		"temperature": cols("time", minutes, "temperature", warm, "limited", of(900,
			func(i int) float64 { return float64(i / 700) }), "ambient", "22 °C"),
		"temperature, short": cols("time", minutes[:90], "temperature", warm[:90]),
		"surface": cols("temperature", []float64{44, 38, 33, 41, math.NaN()}, "place", []string{"hinge",
			"Keys, middle", "palm rest left", "underside rear", "lid"}, "ambient", "21"),
		"surface, grid": cols("temperature", []float64{30, 31, 35, 32, 39, 28}, "row", []string{"A", "A", "B", "B",
			"C", "C"}, "column", []string{"1", "2", "1", "2", "1", "2"}),
		"power-log": cols("time", evenTimes(301, 0.5), "power", of(301, func(i int) float64 {
			return 9 +
				31*float64(min(1, i/100)) - 20*float64(min(1, i/200))
		}), "tasks", "7"),
		"latency-list": cols("latency", of(2500, func(int) float64 { return 80 + 30*r.ExpFloat64() })),
		"link-rate": cols("rate", link, "distance", of(160, func(i int) float64 { return float64(1 + i/40*4) }),
			"time", evenTimes(160, 0.5)),
		"link-rate, bare": cols("rate", link[:60]),
		"fill-log":        cols("rate", fill, "written", of(300, func(i int) float64 { return 2 * float64(i+1) })),
		"loops": cols("score", of(40, func(i int) float64 {
			return 1000 - 180*float64(min(1, i/12)) +
				5*r.NormFloat64()
		})),
		"frames": cols("frame", of(3000, func(i int) float64 {
			return 11 + 2*r.Float64() + 30*float64(max(0,
				i%97-95))
		})),
		"sustained": cols("time", evenTimes(600, 2), "rate", rates),
	}
}

// Everything that each analysis makes of files of known shape: figures, what is missing and why, what it says, and its
// picture, of which each curve stands with its ends and its sums.
func TestEverythingThatAnalysesMake(t *testing.T) {
	out := map[string]any{}
	for name, raw := range shaped() {
		analysis, _, _ := strings.Cut(name, ",")
		m, _ := made(t, analysis, raw)
		curves := []string{}
		for _, c := range m.Picture.Curves {
			curves = append(curves, fmt.Sprintf("%s: %d, x %s, y %s", c.Name, len(c.X), ends(c.X), ends(c.Y)))
		}
		m.Picture.Curves = nil
		out[name] = map[string]any{"made": m, "curves": curves}
	}
	golden.JSON(t, "made.json", out)
}

// ends says a column's first value, its last and the sum of all.
func ends(xs []float64) string {
	sum := 0.0
	for _, x := range xs {
		sum += x
	}
	return fmt.Sprintf("%.6g to %.6g, %.6g in all", xs[0], xs[len(xs)-1], sum)
}
