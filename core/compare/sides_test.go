package compare

import (
	"strings"
	"testing"

	"durvek/core/quantity"
)

func TestModesSideBySide(t *testing.T) {
	rate, noise := plainMeasure("rate", quantity.Ratio, quantity.Higher, "/s"), plainMeasure("noise", quantity.Level,
		quantity.Lower, "dB[A]")
	other := plainMeasure("other", quantity.Ratio, quantity.Higher, "/s")
	of := func(m Measure, v float64) Figure { return Figure{Line: &Line{Cell: figure(m, "a", v, 0.01)}} }
	states := []State{
		{Name: "As delivered", Figures: map[string]Figure{rate.ID: of(rate, 100), noise.ID: of(noise, 36), other.ID: of(other,
			5)},
			Told: map[string]float64{"clock": 4200.4, "fan": 3}},
		{Name: "Fast", Figures: map[string]Figure{rate.ID: {Why: "it has 2 figures"}, noise.ID: of(noise, 40)},
			Told: map[string]float64{"clock": 4400}},
	}
	c := SideBySide(rate, "Maker A", "Desk", []Measure{noise, other}, []Told{{"clock", "Clock", "MHz", 0}, {"fan", "Fan",
		"/min", 0}}, states)
	var got []string
	for _, p := range c.Panels {
		for _, b := range p.Bars {
			got = append(got, p.Name+" "+b.Label)
		}
	}
	// the measure stands there anyway; of the others what tells two modes apart
	want := rate.Name + " 100.0 ± 3.2|" + rate.Name + " it has 2 figures|" + noise.Name + " 36.0|" + noise.Name +
		" 40.0|Clock 4200|Clock 4400"
	if all := strings.Join(got, "|"); !strings.HasPrefix(all, rate.Name+" 100") || !strings.Contains(all,
		"it has 2 figures") ||
		!strings.HasSuffix(all, "Clock 4200|Clock 4400") || len(c.Panels) != 3 {
		t.Errorf("%s, want about %s", all, want)
	}
	if !c.Panels[1].Dots || c.Panels[0].Dots || len(c.Notes) != 1 || !strings.Contains(c.Text, "Fast it has 2 figures") {
		t.Errorf("%+v, %q, %s", c.Panels, c.Notes, c.Text)
	}
	if rows := c.Table().Rows; len(rows) != 6 || rows[1][3] != "" || rows[0][3] != "100" {
		t.Errorf("%v", rows)
	}
	states[0].Doubts = map[string][]string{rate.ID: {"In doubt."}, noise.ID: {"In doubt.", "With a caveat."}}
	doubted := SideBySide(rate, "Maker A", "Desk", []Measure{noise}, nil, states)
	if a, b := doubted.Panels[0].Bars[0].Label, doubted.Panels[1].Bars[0].Label; !strings.HasSuffix(a, " (1)") ||
		!strings.HasSuffix(b, " (1) (2)") || strings.Join(doubted.Notes, "|") != "(1) In doubt.|(2) With a caveat." {
		t.Errorf("%q, %q, %q", a, b, doubted.Notes)
	}
	states[0].Doubts = nil
	alone := SideBySide(rate, "Maker A", "Desk", []Measure{noise}, nil, states[:1])
	if len(alone.Panels) != 1 || len(alone.Notes) != 0 {
		t.Errorf("one mode tells nothing apart: %+v", alone.Panels)
	}
	if lo, hi := c.Panels[0].Extent(); lo != 0 || hi < 100 {
		t.Errorf("bars from %g to %g", lo, hi)
	}
	if lo, hi := c.Panels[1].Extent(); lo >= 36 || hi <= 40 || lo < 30 {
		t.Errorf("dots from %g to %g", lo, hi)
	}
}

func TestNamesInSentences(t *testing.T) {
	for in, want := range map[string]string{"Grid solve": "grid solve", "WebGPU, compute": "WebGPU, compute",
		"CPU": "CPU", "A": "a", "": "", "already": "already", "H.264, 1280": "h.264, 1280", " x": " x"} {
		if got := LowerFirst(in); got != want {
			t.Errorf("%q in a sentence is %q, want %q", in, got, want)
		}
	}
}
