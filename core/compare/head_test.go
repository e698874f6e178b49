package compare

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/internal/golden"
)

// plainMeasure is a measure that nothing must match for.
func plainMeasure(slug string, scale quantity.Scale, better quantity.Direction, unit string) Measure {
	return NewMeasure(method.Test{Slug: slug, Version: 1, Name: upperFirst(slug), Group: "CPU",
		Measures: make([]method.Measure, 1)}, method.Measure{Slug: "m", Name: "m", Unit: unit, Scale: scale, Better: better})
}

// figure is a cell of a natural value with a standard error on the working scale.
func figure(m Measure, variant string, v, se float64) Cell {
	e := stats.Estimate{Centre: v, Mean: v, SE: se, DF: 30, N: 5, Sittings: 1, Lo: v - 2*se, Hi: v + 2*se}
	if m.Scale.Logarithmic() {
		e.Mean, e.Lo, e.Hi = math.Log(v), v*math.Exp(-2*se), v*math.Exp(2*se)
	}
	return Cell{Variant: variant, Unit: variant + "-a", Setup: "as-delivered", Basis: trust.Basis{TestVersion: 1},
		Estimate: e}
}

// against makes a head-to-head of a and b over rates with the given ratios of b to a.
func against(relation Relation, extra string, ratios ...float64) Head {
	var ms []HeadMeasure
	for i, r := range ratios {
		m := plainMeasure(fmt.Sprint("rate ", i), quantity.Ratio, quantity.Higher, "/s")
		ms = append(ms, HeadMeasure{m, []Competitor{competitor("a", figure(m, "a", 100, 0.004)),
			competitor("b", figure(m, "b", 100*r, 0.004))}})
	}
	return HeadToHead([]Side{{Variant: "a", Name: "Maker A"}, {Variant: "b", Name: "Maker B"}}, ms, []Relation{relation},
		[]string{extra})
}

func TestHeadToHeadSaysWhatIsSureAmongMany(t *testing.T) {
	rate, noise, time := plainMeasure("rate", quantity.Ratio, quantity.Higher, "/s"), plainMeasure("noise", quantity.Level,
		quantity.Lower, "dB[A]"), plainMeasure("export", quantity.Ratio, quantity.Lower, "s")
	small, same := plainMeasure("small", quantity.Ratio, quantity.Higher, "/s"), plainMeasure("same", quantity.Ratio,
		quantity.Higher, "/s")
	bounded, alone, other := plainMeasure("bounded", quantity.Ratio, quantity.Higher, "/s"), plainMeasure("alone",
		quantity.Ratio, quantity.Higher, "/s"), export
	b := figure(bounded, "b", 90, 0.01)
	b.Estimate.Bound = "at least"
	doubted := competitor("b", figure(rate, "b", 150, 0.01))
	doubted.Doubts = []Doubted{{ID: "d1", Cell: doubted.Cells[0]}, {ID: "d1", Cell: doubted.Cells[0]}}
	h := HeadToHead([]Side{{Variant: "a", Name: "Maker A"}, {Variant: "b", Name: "Maker B"}}, []HeadMeasure{
		{rate, []Competitor{competitor("a", figure(rate, "a", 100, 0.01)), doubted}},
		{noise, []Competitor{competitor("a", figure(noise, "a", 36, 0.2)), competitor("b", figure(noise, "b", 40, 0.2))}},
		{time, []Competitor{competitor("a", figure(time, "a", 200, 0.01)), competitor("b", figure(time, "b", 100, 0.01))}},
		{small, []Competitor{competitor("a", figure(small, "a", 100, 0.0005)), competitor("b", figure(small, "b", 100.5,
			0.0005))}},
		{same, []Competitor{competitor("a", figure(same, "a", 100, 0.2)), competitor("b", figure(same, "b", 103, 0.2))}},
		{bounded, []Competitor{competitor("a", figure(bounded, "a", 100, 0.01)), competitor("b", b)}},
		{alone, []Competitor{competitor("a", figure(alone, "a", 100, 0.01)), competitor("b")}},
		{other, []Competitor{competitor("a", cell("a", 500, 3, "3.2")), competitor("b", cell("b", 500, 3, "2.9"))}},
	}, nil, nil)
	golden.JSON(t, "head.json", h)
	want := map[string]struct {
		gain bool
		sure bool
		tie  string
	}{"rate/m": {true, true, ""}, "noise/m": {false, true, ""}, "export/m": {true, true, ""}, "small/m": {true, true,
		"different but too small to matter"}, "same/m": {true, false, "undecided"}}
	if len(h.Rows) != len(want) {
		t.Fatalf("%d rows, want %d: bounds, gaps and unlike figures are no difference", len(h.Rows), len(want))
	}
	for _, r := range h.Rows {
		g, w := r.Gaps[0], want[r.Measure]
		if g.Gain != w.gain || g.Sure != w.sure || g.Tie != w.tie {
			t.Errorf("%s: %+v, want %+v", r.Measure, *g, w)
		}
		if r.Measure == "noise/m" && strings.Contains(g.Text, "%") {
			t.Errorf("a percentage of decibels: %s", g.Text)
		}
		if r.Measure == "rate/m" && len(r.Cells[1].Doubts) != 1 {
			t.Errorf("the doubt stands %d times", len(r.Cells[1].Doubts))
		}
	}
	x := h.Exchanges[0]
	if len(x.Gains) != 2 || len(x.GivesUp) != 1 || x.Open != 2 || x.Compared != 5 || !strings.Contains(x.Sentence,
		"surely better in two and worse in one than the Maker A; in two no difference") {
		t.Errorf("%+v", x)
	}
	if all := strings.Join(h.Apart, "; "); !strings.Contains(all, "Survey export: not comparable: program version 2.9, "+
		"not 3.2") || !strings.Contains(all, "Bounded: bounds alone") || strings.Contains(all, "Alone") {
		t.Errorf("apart: %s", all)
	}
	for _, row := range h.Chart.Rows {
		if row.Name == "Export" && math.Abs(row.Value-100) > 1e-9 {
			t.Errorf("half the time is drawn as %g %% better", row.Value)
		}
	}
	if !strings.Contains(h.Chart.Text, "Noise") || !strings.Contains(strings.Join(h.Chart.Notes, " "),
		"Sure by difference, not in per cent: Noise: +4.0") {
		t.Errorf("%v", h.Chart.Notes)
	}
}

// Of equals, one head-to-head in twenty may call any difference sure; taken alone 5 % of all differences would be.
func TestDifferencesByChanceAreNotCalledSure(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 3))
	corrected, alone := 0, 0
	for range 100 {
		var ratios []float64
		for range 60 {
			ratios = append(ratios, math.Exp(0.004*math.Sqrt2*rng.NormFloat64()))
		}
		for _, r := range against("", "", ratios...).Rows {
			if r.Gaps[0].Sure {
				corrected++
			}
			if r.Gaps[0].P < 0.05 {
				alone++
			}
		}
	}
	if corrected > 20 || alone < 150 {
		t.Errorf("of 6,000 differences between equals %d are called sure among all, and %d would be if each were taken alone",
			corrected, alone)
	}
}

func TestAdviceForOwnersAndForDearerSiblings(t *testing.T) {
	for _, c := range []struct {
		name     string
		relation Relation
		extra    string
		ratios   []float64
		says     string
	}{
		{"a worthy successor", Successor, "", []float64{1.5, 1.4, 1.6, 1.01},
			"Worth it for an owner of the Maker A: better by"},
		{"one that gains here and there", Successor, "", []float64{1.3, 1.3, 1, 1, 1, 1}, "worth it for those alone"},
		{"one that does not", Successor, "", []float64{1, 1, 1.05, 1, 1}, "should keep it"},
		{"a dearer one that gains", Dearer, "350.00 EUR", []float64{1.5, 1, 1},
			"For 350.00 EUR more the Maker B gains rate 0"},
		{"a dearer one that does not", Dearer, "350.00 EUR", []float64{1, 1.001, 1},
			"not surely better in anything that was measured: take the cheaper"},
		{"a dearer one that loses", Dearer, "350.00 EUR", []float64{1, 0.8, 1}, "is better in nothing and worse in rate 1"},
		{"a dearer one that gains and loses", Dearer, "350.00 EUR", []float64{1.2, 0.8, 1}, "only for who needs just that"},
		{"strangers", "", "", []float64{1.5}, ""},
	} {
		x := against(c.relation, c.extra, c.ratios...).Exchanges[0]
		if !strings.Contains(x.Advice, c.says) || c.says == "" && x.Advice != "" {
			t.Errorf("%s: %q, want %q", c.name, x.Advice, c.says)
		}
	}
}

func TestAlikeOverAllMeasures(t *testing.T) {
	ms := map[string]Measure{}
	for _, s := range []string{"one", "two", "three", "flat"} {
		m := plainMeasure(s, quantity.Ratio, quantity.Higher, "/s")
		ms[m.ID] = m
	}
	profile := func(name string, vs ...float64) Profile {
		p := Profile{Variant: name, Name: name, Figures: map[string]stats.Estimate{}}
		for i, v := range vs {
			if v > 0 {
				p.Figures[[]string{"one/m", "two/m", "three/m", "flat/m"}[i]] = stats.Estimate{Mean: math.Log(v), Centre: v}
			}
		}
		return p
	}
	me := profile("me", 100, 100, 100, 7)
	out := Alike(me, []Profile{me, profile("near", 101, 99, 100, 7), profile("far", 300, 30, 100, 7), profile("middle",
		130, 100, 90, 7), profile("unknown", 100, 0, 0, 7)}, ms, 3)
	golden.JSON(t, "alike.json", out)
	if len(out) != 3 || out[0].Variant != "near" || out[1].Variant != "middle" || out[2].Variant != "far" {
		t.Fatalf("%+v", out)
	}
	if out[0].Shared != 3 || !strings.HasPrefix(out[0].Sentence, "Almost the same over 3 measures") ||
		!strings.HasPrefix(out[2].Sentence, "Far from it") || !strings.HasPrefix(out[2].Apart[0], "one +200") {
		t.Errorf("%+v and %+v", out[0], out[2])
	}
}

func TestRaisedModesGainAndCost(t *testing.T) {
	rate, noise, watts := plainMeasure("rate", quantity.Ratio, quantity.Higher, "/s"), plainMeasure("noise",
		quantity.Level, quantity.Lower, "dB[A]"), plainMeasure("draw", quantity.Ratio, quantity.Lower, "W")
	side := func(name string, gain, loud float64) ModeSide {
		s := ModeSide{Variant: name, Name: "Maker " + name, Plain: map[string]Cell{rate.ID: figure(rate, name, 100, 0.005),
			noise.ID: figure(noise, name, 36, 0.2), watts.ID: figure(watts, name, 20, 0.01)},
			Raised: map[string]map[string][]Cell{"fast": {rate.ID: {figure(rate, name, 100*gain, 0.005)}}}}
		if loud > 0 {
			s.Raised["fast"][noise.ID] = []Cell{figure(noise, name, 36+loud, 0.2)}
			s.Raised["fast"][watts.ID] = []Cell{figure(watts, name, 25, 0.01)}
		}
		return s
	}
	m := ModesOf(rate, []Measure{watts, noise}, []ModeSide{side("a", 1.1, 4), side("b", 1.2, 6), side("c", 1.05, 0)},
		map[string]string{"fast": "Fast mode"}, nil)
	golden.JSON(t, "modes.json", m)
	if len(m.Gains) != 3 || m.Gains[0].Variant != "b" || math.Abs(m.Gains[0].Gain.Value-20) > 1e-9 {
		t.Fatalf("%+v", m.Gains)
	}
	if g := m.Gains[1]; len(g.Costs) != 2 || g.Costs[0].Measure != "noise/m" ||
		g.Text != "Maker a in fast mode: +10.0 ± 1.6 % for +4.0 ± 0.6 dB(A), +5.0 ± 0.9 W" {
		t.Errorf("%q", g.Text)
	}
	if g := m.Gains[2]; !strings.Contains(g.Text, "what it costs was not measured") || len(m.Chart.Points) != 2 ||
		!strings.Contains(strings.Join(m.Chart.Notes, ""), "Maker c") {
		t.Errorf("%q; %d points, %v", g.Text, len(m.Chart.Points), m.Chart.Notes)
	}
	// A time that falls is a gain: half the time is twice as much.
	times := plainMeasure("export", quantity.Ratio, quantity.Lower, "s")
	m = ModesOf(times, nil, []ModeSide{{Variant: "a", Name: "Maker a", Plain: map[string]Cell{times.ID: figure(times, "a",
		200, 0.01)}, Raised: map[string]map[string][]Cell{"fast": {times.ID: {figure(times, "a", 100, 0.01)}}}}},
		map[string]string{"fast": "Fast mode"}, nil)
	if math.Abs(m.Gains[0].Gain.Value-100) > 1e-9 || !strings.HasPrefix(m.Chart.Title, "No mode has both") {
		t.Errorf("%+v, %q", m.Gains[0].Gain, m.Chart.Title)
	}
}

func TestCurvesThinAndSayWhatEachKeeps(t *testing.T) {
	var times, values []float64
	for i := range 1000 {
		times, values = append(times, float64(i)), append(values, 200)
		if i >= 300 {
			values[i] = 150
		}
	}
	side := func(name string, factor float64) CurveSide {
		s := CurveSide{Variant: name, Name: name, Series: record.Series{Channel: "rate", Unit: "MiBy/s", Times: times}}
		for _, v := range values {
			s.Series.Values = append(s.Series.Values, v*factor)
		}
		return s
	}
	other := side("frames", 1)
	other.Series.Unit = "/s"
	c := Curves("Hashing, sustained", "laptops", []CurveSide{side("slow", 1), side("quick", 2), other}, "A Desk")
	golden.JSON(t, "curves.json", c)
	if len(c.Lines) != 2 || c.Lines[0].ID != "quick" || c.Title != "Hashing, sustained: quick is highest at the end" ||
		c.Y != "Rate, MiB/s" {
		t.Fatalf("%q, %q, %d lines", c.Title, c.Y, len(c.Lines))
	}
	if l := c.Lines[1]; l.Summary != "keeps 75 %: 150 MiB/s" || len(l.X) > mostPoints || l.Y[0] != 200 ||
		l.Y[len(l.Y)-1] != 150 {
		t.Errorf("%q over %d points", l.Summary, len(l.X))
	}
	if none := Curves("Hashing, sustained", "laptops", nil, "A Desk"); !strings.HasPrefix(none.Title,
		"Nothing to draw yet") {
		t.Errorf("%q", none.Title)
	}
	threads := side("grows", 1)
	threads.Series = record.Series{Channel: "rate", Unit: "/s", Axis: "threads", Times: []float64{1, 2, 4},
		Values: []float64{2e6, 3.6e6, 6e6}}
	if c := Curves("Hashing, scaling", "laptops", []CurveSide{threads}, "A Desk"); c.Y != "Rate, million /s" ||
		c.Lines[0].Summary != "× 3.0 on 4" || !c.Even {
		t.Errorf("%q, %q", c.Y, c.Lines[0].Summary)
	}
}
