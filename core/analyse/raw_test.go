package analyse

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"durvek/core/record"
)

// made reads raw data with an analysis and gives its readings by measure.
func made(t *testing.T, name string, raw Raw) (Made, map[string]record.Reading) {
	t.Helper()
	a, ok := Named(name)
	if !ok {
		t.Fatalf("no analysis %s", name)
	}
	m, err := a.Make(raw)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	out := map[string]record.Reading{}
	for _, r := range append(m.Readings, m.Absent...) {
		out[r.Measure] = r
	}
	if len(out) != len(a.Measures) {
		t.Errorf("%s: %d readings of %d measures", name, len(out), len(a.Measures))
	}
	return m, out
}

// near fails unless a reading is a value within a tolerance.
func near(t *testing.T, what string, r record.Reading, want, within float64) {
	t.Helper()
	if r.State == record.Missing || !(math.Abs(r.Value-want) <= within) {
		t.Errorf("%s is %g (%s %s), want %g ± %g", what, r.Value, r.State, r.Reason, want, within)
	}
}

func without(t *testing.T, r record.Reading, says string) {
	t.Helper()
	if r.State != record.Missing || !strings.Contains(r.Reason, says) {
		t.Errorf("%s is %g (%s %q), want none, as %q", r.Measure, r.Value, r.State, r.Reason, says)
	}
}

// refusal fails unless an analysis refuses raw data with some words.
func refusal(t *testing.T, name string, raw Raw, says string) {
	t.Helper()
	a, _ := Named(name)
	if _, err := a.Make(raw); !errors.Is(err, ErrRaw) || !strings.Contains(err.Error(), says) {
		t.Errorf("%s of what %q should refuse: %v", name, says, err)
	}
}

func TestEveryAnalysisIsWhole(t *testing.T) {
	for _, a := range Analyses() {
		if ps := a.Test().Check(); len(ps) > 0 {
			t.Errorf("%s: %v", a.Name, ps)
		}
		if a.Version < 1 || a.Title == "" || a.About == "" || a.make == nil {
			t.Errorf("%s lacks something", a.Name)
		}
		needed := slices.IndexFunc(a.Roles, func(r Role) bool { return r.Need })
		if needed < 0 {
			t.Errorf("%s needs nothing", a.Name)
			continue
		}
		refusal(t, a.Name, Raw{}, a.Title)
		raw := Raw{Columns: map[string][]float64{}, Words: map[string][]string{}}
		for i, r := range a.Roles {
			n := 30
			if i == needed {
				n = 31
			}
			for k := range n {
				if r.Text {
					raw.Words[r.Name] = append(raw.Words[r.Name], fmt.Sprint(k))
				} else {
					raw.Columns[r.Name] = append(raw.Columns[r.Name], float64(k))
				}
			}
		}
		if len(a.Roles) > 1 {
			refusal(t, a.Name, raw, "values, others have")
		}
		for _, r := range a.Roles {
			if r.Need && !r.Text {
				refusal(t, a.Name, Raw{Columns: map[string][]float64{r.Name: {1e308}}}, "")
			}
		}
	}
	if len(Analyses()) < 14 {
		t.Errorf("%d analyses", len(Analyses()))
	}
}

// A panel of known primaries, tone and contrast, and one patch that is off by a known amount.
func panel(of Space, white, black, exponent float64, rgb ...[3]float64) Raw {
	raw := Raw{Columns: map[string][]float64{}, Words: map[string][]string{}, Options: map[string]string{}}
	s := of
	s.Decode = func(v float64) float64 { return math.Pow(v, exponent) }
	for _, p := range rgb {
		c := s.Colour(p[0], p[1], p[2])
		w := s.White.At(1)
		for role, v := range map[string]float64{"X": c.X*(white-black) + black*w.X, "Y": c.Y*(white-black) + black,
			"Z": c.Z*(white-black) + black*w.Z, "R": 255 * p[0], "G": 255 * p[1], "B": 255 * p[2]} {
			raw.Columns[role] = append(raw.Columns[role], v)
		}
		raw.Words["patch"] = append(raw.Words["patch"], fmt.Sprint(p))
	}
	return raw
}

var patchList = [][3]float64{{1, 1, 1}, {0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {.2, .2, .2}, {.4, .4, .4},
	{.6, .6, .6}, {.8, .8, .8}, {1, .5, .2}}

func TestAPanelOfKnownColours(t *testing.T) {
	raw := panel(Spaces["p3"], 400, 0.25, 2.4, patchList...)
	raw.Options = map[string]string{"ambient": "500 lx", "reflectance": "4 %"}
	_, got := made(t, "colour", raw)
	near(t, "white", got["white"], 400, 1e-9)
	near(t, "contrast", got["contrast"], 1600, 1e-9)
	veil := 0.04 * 500 / math.Pi
	near(t, "contrast in light", got["contrast-ambient"], (400+veil)/(0.25+veil), 1e-9)
	near(t, "coverage of P3", got["coverage-p3"], 100, 1.5) // black adds its white to the primaries
	near(t, "coverage of sRGB", got["coverage-srgb"], 100, 0.5)
	near(t, "tone", got["tone"], 2.4, 1e-9)
	near(t, "temperature", got["white-temperature"], 6504, 15)
	// Without black's light in it, exactly.
	_, got = made(t, "colour", panel(Spaces["p3"], 400, 0, 2.2, patchList...))
	near(t, "coverage of P3", got["coverage-p3"], 100, 1e-6)
	near(t, "coverage of P3 in u′v′", got["coverage-uv-p3"], 100, 1e-6)
	without(t, got["contrast"], "darker than the meter shows")
	// A panel that is what it should be differs by nothing; one patch that is off is named.
	raw = panel(Spaces["srgb"], 100, 0, 2.2, patchList...)
	for i, p := range patchList {
		c := Spaces["srgb"].Colour(p[0], p[1], p[2])
		raw.Columns["X"][i], raw.Columns["Y"][i], raw.Columns["Z"][i] = 100*c.X, 100*c.Y, 100*c.Z
	}
	_, got = made(t, "colour", raw)
	if got["delta-e-worst"].State != record.Missing && got["delta-e-worst"].Value > 1e-6 {
		t.Errorf("a perfect panel differs by %g", got["delta-e-worst"].Value)
	}
	raw.Columns["X"][9] *= 1.1
	m, got := made(t, "colour", raw)
	want := DeltaE2000(XYZ{raw.Columns["X"][9], raw.Columns["Y"][9], raw.Columns["Z"][9]}.Lab(D65.At(100)),
		XYZ{raw.Columns["X"][9] / 1.1, raw.Columns["Y"][9], raw.Columns["Z"][9]}.Lab(D65.At(100)))
	near(t, "worst", got["delta-e-worst"], want, 1e-9)
	near(t, "mean", got["delta-e"], want/9, 1e-9) // black does not count
	if m.Said["colour.worst"] != "patch [1 0.5 0.2]" || m.Picture.Kind != Plane || len(m.Picture.Curves) != 7 {
		t.Errorf("%v %v", m.Said, m.Picture.Curves)
	}
	// The same in x, y and Y.
	xyY := Raw{Columns: map[string][]float64{"Y": raw.Columns["Y"], "R": raw.Columns["R"], "G": raw.Columns["G"],
		"B": raw.Columns["B"]}}
	for i := range patchList {
		c := XYZ{raw.Columns["X"][i], raw.Columns["Y"][i], raw.Columns["Z"][i]}.XY()
		if i == 1 {
			c = Chroma{}
		}
		xyY.Columns["x"], xyY.Columns["y"] = append(xyY.Columns["x"], c.X), append(xyY.Columns["y"], c.Y)
	}
	_, also := made(t, "colour", xyY)
	near(t, "mean from x and y", also["delta-e"], got["delta-e"].Value, 1e-9)
	// A bluish panel differs from the space's white, and hardly from its own.
	cold := Spaces["srgb"]
	cold.White = Chroma{0.29, 0.30}
	raw = panel(cold, 300, 0, 2.2, patchList...)
	_, far := made(t, "colour", raw)
	raw.Options["white"] = "measured"
	_, close := made(t, "colour", raw)
	if far["delta-e"].Value < 2*close["delta-e"].Value {
		t.Errorf("from the space's white %g, from its own %g", far["delta-e"].Value, close["delta-e"].Value)
	}
}

func TestPatchesThatAreNone(t *testing.T) {
	raw := panel(Spaces["srgb"], 100, 0.1, 2.2, patchList...)
	delete(raw.Columns, "X")
	refusal(t, "colour", raw, "x, y and Y")
	raw = panel(Spaces["srgb"], 100, 0.1, 2.2, patchList[1:]...)
	refusal(t, "colour", raw, "full white")
	raw = panel(Spaces["srgb"], 100, 0.1, 2.2, patchList...)
	raw.Columns["Y"][3] = -1
	refusal(t, "colour", raw, "row 4")
	raw.Columns["Y"][3] = 1
	raw.Options["full"] = "200"
	refusal(t, "colour", raw, "between 0 and 200")
	raw.Options["full"], raw.Options["space"] = "", "xyz"
	refusal(t, "colour", raw, "space")
	_, got := made(t, "colour", panel(Spaces["srgb"], 100, 0.1, 2.2, patchList[:3]...))
	without(t, got["coverage-srgb"], "primary")
	without(t, got["delta-e"], "fewer than three")
	without(t, got["tone"], "there are 0")
	without(t, got["contrast-ambient"], "was not given")
}

func TestEvennessOfAScreen(t *testing.T) {
	raw := Raw{Columns: map[string][]float64{"Y": {300, 270, 285}, "x": {.3127, .3127, .32}, "y": {.329, .329, .329}},
		Words: map[string][]string{"place": {"middle", "left", "right"}}}
	m, got := made(t, "uniformity", raw)
	near(t, "evenness", got["evenness"], 90, 1e-9)
	w := Chroma{.3127, .329}.At(300)
	near(t, "shift", got["colour-shift"], DeltaE2000(Chroma{.32, .329}.At(300).Lab(w), w.Lab(w)), 1e-9)
	if m.Said["screen.darkest"] != "left" || m.Said["screen.brightest"] != "middle" {
		t.Error(m.Said)
	}
	raw.Columns["Y"][1] = 0
	refusal(t, "uniformity", raw, "above zero")
}

// wave is light of a shape at a frequency, sampled at a rate for a time, with noise as a share of its mean.
func wave(shape string, hz, rate, seconds, depth, noise float64, seed uint64) []float64 {
	r := rand.New(rand.NewPCG(seed, 2))
	out := make([]float64, int(rate*seconds))
	for i := range out {
		turn := math.Mod(hz*float64(i)/rate+0.123, 1)
		v := math.Sin(2 * math.Pi * turn)
		switch shape {
		case "square":
			v = math.Copysign(1, v)
		case "pulse":
			v = -1
			if turn < 0.2 {
				v = 1
			}
		}
		out[i] = 1 + depth*v + noise*r.NormFloat64()
	}
	return out
}

func TestFlickerOfKnownWaves(t *testing.T) {
	for _, c := range []struct {
		shape                           string
		hz, rate, seconds, depth, noise float64
		class                           float64
	}{{"sine", 240, 20000, 1, 0.3, 0.02, 3}, {"square", 240, 20000, 1, 0.6, 0.02, 3}, {"pulse", 480, 50000, 0.5, 0.9, 0.01,
		3},
		{"square", 25000, 1e6, 0.1, 0.2, 0.01, 1}, {"sine", 50000, 1e6, 0.1, 0.5, 0.01, 1}, {"sine", 60, 5000, 2, 0.01, 0.005,
			2},
		{"sine", 2000, 20000, 0.5, 0.8, 0.01, 2}, {"square", 1250, 50000, 0.5, 0.95, 0.02, 2},
		{"sine", 120.37, 10000, 3, 0.05, 0.05, 2}, {"pulse", 96.3, 10000, 3, 0.2, 0.01, 3}} {
		for seed := range uint64(3) {
			xs := wave(c.shape, c.hz, c.rate, c.seconds, c.depth, c.noise, seed)
			_, got := made(t, "flicker", Raw{Columns: map[string][]float64{"light": xs},
				Options: map[string]string{"rate": fmt.Sprint(c.rate)}})
			what := fmt.Sprintf("%s at %g Hz", c.shape, c.hz)
			near(t, "frequency of "+what, got["frequency"], c.hz, 0.01*c.hz)
			near(t, "modulation of "+what, got["modulation"], 100*c.depth, 2)
			if c.depth != 0.01 && c.depth != 0.05 { // at the edge of a class noise may decide
				near(t, "class of "+what, got["risk"], c.class, 0)
			}
		}
	}
	_, got := made(t, "flicker", Raw{Columns: map[string][]float64{"light": wave("sine", 1, 10000, 1, 0, 0.03, 9)},
		Options: map[string]string{"rate": "10 kHz"}})
	without(t, got["frequency"], "noise")
	near(t, "class of a steady light", got["risk"], 0, 0)
}

func TestClassesOfFlickerAtTheirEdges(t *testing.T) {
	for _, c := range []struct{ hz, mod, want float64 }{{89, 0.89, 1}, {89, 0.9, 2}, {89, 2.225, 2}, {89, 2.3, 3},
		{90, 2.99, 1}, {90, 3, 2}, {90, 7.2, 2}, {90, 7.3, 3}, {1250, 100, 2}, {1251, 100, 2}, {1240, 99.3, 3}, {3000, 99.9,
			1},
		{3000, 100, 2}, {3001, 100, 1}} {
		if got := FlickerClass(c.hz, c.mod); got != c.want {
			t.Errorf("%g %% at %g Hz is of class %g, want %g", c.mod, c.hz, got, c.want)
		}
	}
}

// transitions are those of a first-order pixel, whose time from 10 to 90 % is ln 9 of its constant, with an overshoot.
func transitions(rise, fall, over, each, rate, noise float64, turns int, seed uint64) []float64 {
	r := rand.New(rand.NewPCG(seed, 3))
	n := int(2 * each * rate)
	out := make([]float64, 0, n*turns)
	for k := range n * turns {
		at := math.Mod(float64(k)/rate, 2*each)
		var v float64
		if at < each {
			v = 1 - math.Exp(-at*math.Log(9)/rise)
			if over > 0 {
				v += over * math.Exp(-math.Pow((at-1.6*rise)/(0.25*rise), 2))
			}
		} else {
			v = math.Exp(-(at - each) * math.Log(9) / fall)
		}
		out = append(out, 0.1+v+noise*r.NormFloat64())
	}
	return out
}

func TestPixelResponseOfKnownTransitions(t *testing.T) {
	fine, all := 0, 0
	for seed := range uint64(7) {
		for _, noise := range []float64{0.002, 0.02, 0.1} { // folded 100 times: 10 times less
			xs := transitions(0.004, 0.009, 0, 0.1, 20000, noise, 100, seed)
			_, got := made(t, "pixel-response", Raw{Columns: map[string][]float64{"light": xs},
				Options: map[string]string{"rate": "20 kHz", "refresh": "120 Hz"}})
			all++
			if math.Abs(got["rise"].Value/4-1) <= 0.05 && math.Abs(got["fall"].Value/9-1) <= 0.05 {
				fine++
			}
			near(t, "fits", got["fits"], 50, 0)
			if got["rise"].Low != nil {
				t.Errorf("with noise of %g the rise has an interval", noise)
			}
		}
	}
	if float64(fine) < 0.95*float64(all) {
		t.Errorf("only %d of %d responses are within 5 %%", fine, all)
	}
	xs := transitions(0.004, 0.009, 0, 0.1, 20000, 0.25, 100, 1) // 32 dB when folded
	_, got := made(t, "pixel-response", Raw{Columns: map[string][]float64{"light": xs},
		Options: map[string]string{"rate": "20 kHz"}})
	if r := got["fall"]; r.Low == nil || *r.Low > 9 || *r.High < 9 {
		t.Errorf("a fall of 9 ms in noise is %v", r)
	}
	xs = transitions(0.004, 0.009, 0, 0.1, 20000, 2, 100, 1)
	_, got = made(t, "pixel-response", Raw{Columns: map[string][]float64{"light": xs},
		Options: map[string]string{"rate": "20 kHz"}})
	if got["rise"].State != record.Missing {
		t.Errorf("a rise of %g ms was read out of noise", got["rise"].Value)
	}
	xs = transitions(0.006, 0.006, 0.15, 0.1, 20000, 0.001, 100, 1)
	_, got = made(t, "pixel-response", Raw{Columns: map[string][]float64{"light": xs},
		Options: map[string]string{"rate": "20 kHz"}})
	near(t, "overshoot", got["overshoot"], 12, 3)
	without(t, got["fits"], "refresh")
}

// A pixel that is slow against the time it is given is measured as long as it comes to rest, and refused from then on.
func TestSlowPixels(t *testing.T) {
	for _, c := range []struct {
		rise  float64
		rests bool
	}{{0.012, true}, {0.02, true}, {0.06, false}} {
		xs := transitions(c.rise, c.rise, 0, 0.06, 8000, 0.005, 100, 1)
		_, got := made(t, "pixel-response", Raw{Columns: map[string][]float64{"light": xs},
			Options: map[string]string{"rate": "8 kHz"}})
		if !c.rests {
			without(t, got["rise"], "come to rest")
			continue
		}
		near(t, "rise", got["rise"], 1000*c.rise, 50*c.rise)
		near(t, "fall", got["fall"], 1000*c.rise, 50*c.rise)
		near(t, "overshoot", got["overshoot"], 0, 1)
	}
}

func TestAMatrixOfGreyLevels(t *testing.T) {
	raw := Raw{Columns: map[string][]float64{}, Options: map[string]string{"rate": "20 kHz", "refresh": "60 Hz"}}
	for i, pair := range [][2]float64{{0, 128}, {0, 255}, {128, 255}} {
		xs := transitions(0.004*float64(i+1), 0.005*float64(i+1), 0, 0.15, 20000, 0.002, 30, uint64(i))
		for range xs {
			raw.Columns["from"], raw.Columns["to"] = append(raw.Columns["from"], pair[0]), append(raw.Columns["to"], pair[1])
		}
		raw.Columns["light"] = append(raw.Columns["light"], xs...)
	}
	m, got := made(t, "pixel-response", raw)
	near(t, "mean", got["mean"], (4+8+12+5+10+15)/6.0, 0.2)
	near(t, "worst", got["worst"], 15, 0.4)
	if m.Picture.Kind != Field || len(m.Picture.Cells) != 3 || m.Picture.Cells[1][1] != Unknown ||
		math.Abs(m.Picture.Cells[2][0]-10) > 0.4 || math.Abs(m.Picture.Cells[0][2]-8) > 0.4 {
		t.Errorf("%+v", m.Picture)
	}
	if len(m.Notes) != 1 || !strings.Contains(m.Notes[0], "100 are wanted") {
		t.Error(m.Notes)
	}
}
