package compare

import (
	"fmt"
	"strings"

	"durvek/core/chart"
	"durvek/core/quantity"
)

// State is one mode of a device, with what was measured in it.
type State struct {
	Name    string
	Figures map[string]Figure   // by measure
	Doubts  map[string][]string // open doubts and caveats about a figure, by measure
	Told    map[string]float64  // what the machine told of itself while the test ran, by channel
}

// Told is a quantity that a machine tells of itself while it works.
type Told struct {
	Channel, Name, Unit string
	Decimals            int
}

// SideBySide sets the modes of one device beside each other: the measure first, then everything else that was measured
// in more than one of them, then what the machine told of itself meanwhile. The first state is the one as delivered.
func SideBySide(m Measure, device, desk string, measures []Measure, channels []Told, states []State) chart.Side {
	c := chart.Side{Title: fmt.Sprintf("%s: what its modes do in %s", device, m.InSentence()),
		Subtitle: "Each mode of the same work; whiskers 95 %.", Panels: []chart.Panel{}, Foot: desk}
	for _, s := range states {
		c.States = append(c.States, s.Name)
	}
	for _, x := range append([]Measure{m}, measures...) {
		p := chart.Panel{Name: x.Name, Symbol: x.Symbol, Better: x.Which(), Dots: x.Scale == quantity.Interval ||
			x.Scale == quantity.Level}
		var of [][3]float64
		for _, s := range states {
			if l := s.Figures[x.ID].Line; l != nil {
				of = append(of, [3]float64{l.Estimate.Centre, l.Estimate.Lo, l.Estimate.Hi})
			}
		}
		for _, s := range states {
			bar := figureBar(x, quantity.WritingFor(x.Unit, of...), s.Figures[x.ID])
			for _, text := range s.Doubts[x.ID] {
				bar.Label += " " + note(&c, text)
			}
			p.Bars = append(p.Bars, bar)
		}
		added(&c, p, x.ID == m.ID)
	}
	told := false
	for _, x := range channels {
		p := chart.Panel{Name: x.Name, Symbol: quantity.Symbol(x.Unit), Dots: x.Unit == "Cel" || x.Unit == "dB[A]"}
		for _, s := range states {
			v, ok := s.Told[x.Channel]
			if !ok {
				p.Bars = append(p.Bars, chart.SideBar{Label: "not told", Bare: true})
				continue
			}
			p.Bars = append(p.Bars, chart.SideBar{Value: v, Lo: v, Hi: v, Label: quantity.Fixed(v, x.Decimals)})
		}
		told = added(&c, p, false) || told
	}
	if told {
		c.Notes = append(c.Notes, "Clock, power and temperature are what the machine told of itself while the test ran, "+
			"means over its newest runs; they are no readings and have no intervals.")
	}
	c.Text = c.Describe()
	return c
}

// note numbers what must be said of a figure; what is said of several has one number.
func note(c *chart.Side, text string) string {
	for i, n := range c.Notes {
		if strings.HasSuffix(n, " "+text) {
			return fmt.Sprintf("(%d)", i+1)
		}
	}
	c.Notes = append(c.Notes, fmt.Sprintf("(%d) %s", len(c.Notes)+1, text))
	return fmt.Sprintf("(%d)", len(c.Notes))
}

// figureBar is a figure in one state, or why there is none.
func figureBar(m Measure, w quantity.Writing, f Figure) chart.SideBar {
	if f.Line == nil {
		why := f.Why
		if why == "" {
			why = "not measured"
		}
		return chart.SideBar{Label: why, Bare: true}
	}
	e := f.Line.Estimate
	label, spread := Row{Line: Line{Cell: Cell{Estimate: e}}}.label(m, w, e.Centre, e.Lo, e.Hi)
	return chart.SideBar{Value: e.Centre, Lo: e.Lo, Hi: e.Hi, Label: strings.TrimSpace(label + " " + spread)}
}

// added takes in a panel that tells two states apart, or one that is wanted anyway.
func added(c *chart.Side, p chart.Panel, anyway bool) bool {
	n := 0
	for _, b := range p.Bars {
		if !b.Bare {
			n++
		}
	}
	if n > 1 || anyway {
		c.Panels = append(c.Panels, p)
	}
	return n > 1
}
