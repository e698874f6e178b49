package compare

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"durvek/core/chart"
	"durvek/core/quantity"
	"durvek/core/say"
)

// ModeGain is what a raised mode brings in one measure of one variant, and what it costs.
type ModeGain struct {
	Variant string `json:"variant"`
	Name    string `json:"name"`
	Note    string `json:"note,omitempty"`
	Setup   string `json:"setup"`
	Mode    string `json:"mode" doc:"The mode in words"`
	Gain    Effect `json:"gain" doc:"Per cent; above zero is better"`
	Costs   []Cost `json:"costs"`
	Text    string `json:"text"`
}

// Cost is a difference that a raised mode brings besides: in dB, °C or W.
type Cost struct {
	Measure string `json:"measure"`
	Name    string `json:"name"`
	Symbol  string `json:"symbol"`
	Effect  Effect `json:"effect"`
	unit    string
}

// Phrase says the difference in words: "4.9 dB(A) more".
func (c Cost) Phrase() string {
	d := say.Difference{Unit: c.unit, Value: c.Effect.Value, Lo: c.Effect.Lo, Hi: c.Effect.Hi}
	text := d.Amount() + " less"
	if d.Higher() {
		text = d.Amount() + " more"
	}
	if c.Effect.Unknown {
		text += " (one reading, spread unknown)"
	}
	return text
}

// Modes is the gain of raised modes against what they cost, over a field.
type Modes struct {
	Measure Measure       `json:"measure"`
	Gains   []ModeGain    `json:"gains"`
	Chart   chart.Scatter `json:"chart"`
	Side    *chart.Side   `json:"side,omitempty" doc:"One variant's modes side by side, where a subject was named"`
}

// Picture is the modes side by side where a subject was named, else what each gains and costs.
func (o Modes) Picture() chart.Picture {
	if o.Side != nil {
		return *o.Side
	}
	return o.Chart
}

// ModeSide is a variant with its cells of the measure and of everything that counts as cost, plain and raised.
type ModeSide struct {
	Variant, Name, Note string
	Plain               map[string]Cell              // by measure
	Raised              map[string]map[string][]Cell // by setup, then by measure
}

// raised is the cell of a raised mode that compares with the plain one in all but what the mode itself sets.
func (s ModeSide) raised(m Measure, setup string, sets []string) *Cell {
	plain, ok := s.Plain[m.ID]
	if !ok {
		return nil
	}
	rows, _ := lines(m, s.Raised[setup][m.ID], plain.Basis, true, without(m.MustMatch, sets))
	rows = slices.DeleteFunc(rows, func(l Line) bool { return l.Place != plain.Place || l.Host != plain.Host })
	if len(rows) != 1 || rows[0].Estimate.Bound != "" || plain.Estimate.Bound != "" {
		return nil
	}
	return &rows[0].Cell
}

// costUnits are the units in which a raised mode costs something, the one shown in the chart first.
var costUnits = []string{"dB[A]", "Cel", "W"}

// ModesOf holds every raised mode's gain in a measure against its costs in those measures that are counted in dB(A), °C
// or W. A variant is in the picture if the mode was measured for both.
func ModesOf(m Measure, costs []Measure, sides []ModeSide, names map[string]string, sets map[string][]string) Modes {
	out := Modes{Measure: m, Gains: []ModeGain{}}
	for _, s := range sides {
		base, ok := s.Plain[m.ID]
		if !ok || base.Estimate.Bound != "" {
			continue
		}
		var setups []string
		for setup := range s.Raised {
			setups = append(setups, setup)
		}
		slices.Sort(setups)
		for _, setup := range setups {
			cell := s.raised(m, setup, sets[setup])
			if cell == nil {
				continue
			}
			a, b := base.Estimate, cell.Estimate
			if m.Better == quantity.Lower {
				a, b = b, a // the gain of a time is how much more is done in it
			}
			g := ModeGain{Variant: s.Variant, Name: s.Name, Note: s.Note, Setup: setup, Mode: names[setup], Gain: effectOf(m, a,
				b), Costs: []Cost{}}
			for _, c := range costs {
				plain, raised := s.Plain[c.ID], s.raised(c, setup, sets[setup])
				if raised != nil {
					cost := Cost{Measure: c.ID, Name: c.Name, Symbol: c.Symbol, unit: c.Unit,
						Effect: effectOf(c, plain.Estimate, raised.Estimate)}
					if c.Scale.Logarithmic() { // watts by difference, not per cent
						d := raised.Estimate.Centre - plain.Estimate.Centre
						cost.Effect.Value, cost.Effect.Lo, cost.Effect.Hi = d,
							d-(raised.Estimate.Hi-raised.Estimate.Lo)/2-(plain.Estimate.Hi-plain.Estimate.Lo)/2,
							d+(raised.Estimate.Hi-raised.Estimate.Lo)/2+(plain.Estimate.Hi-plain.Estimate.Lo)/2
						w := quantity.WritingFor(c.Unit, [3]float64{d, cost.Effect.Lo, cost.Effect.Hi})
						v, spread := w.Interval(d, cost.Effect.Lo, cost.Effect.Hi)
						cost.Effect.Text = w.With(strings.TrimSpace(v + " " + spread))
						if d > 0 {
							cost.Effect.Text = "+" + cost.Effect.Text
						}
					}
					g.Costs = append(g.Costs, cost)
				}
			}
			slices.SortStableFunc(g.Costs, func(a, b Cost) int {
				return slices.Index(costUnits, unitOf(costs, a.Measure)) - slices.Index(costUnits, unitOf(costs, b.Measure))
			})
			g.Text = fmt.Sprintf("%s %s: %s", s.Name, inMode(g.Mode), g.Gain.Text)
			for i, c := range g.Costs {
				if i == 0 {
					g.Text += " for"
				} else {
					g.Text += ","
				}
				g.Text += " " + c.Effect.Text
			}
			if len(g.Costs) == 0 {
				g.Text += "; what it costs was not measured"
			}
			out.Gains = append(out.Gains, g)
		}
	}
	slices.SortStableFunc(out.Gains, func(a, b ModeGain) int { return cmp.Compare(b.Gain.Value, a.Gain.Value) })
	out.Chart = out.draw(costs)
	return out
}

func unitOf(ms []Measure, id string) string {
	if i := slices.IndexFunc(ms, func(m Measure) bool { return m.ID == id }); i >= 0 {
		return ms[i].Unit
	}
	return ""
}

// draw sets gain against the cost that most modes have a figure for.
func (o *Modes) draw(costs []Measure) chart.Scatter {
	count := map[string]int{}
	best := ""
	for _, u := range costUnits {
		for _, c := range costs {
			if c.Unit != u {
				continue
			}
			for _, g := range o.Gains {
				if slices.ContainsFunc(g.Costs, func(x Cost) bool { return x.Measure == c.ID }) {
					count[c.ID]++
				}
			}
			if count[c.ID] > count[best] {
				best = c.ID
			}
		}
	}
	c := chart.Scatter{Title: "What modes gain in " + o.Measure.InSentence() + ", and what they cost",
		Subtitle: "Each point is one mode of one variant against its own default mode; whiskers 95 %.",
		Y:        "Gain, %", Origin: true, Points: []chart.Point{}}
	i := slices.IndexFunc(costs, func(m Measure) bool { return m.ID == best })
	if i < 0 {
		c.Title = "No mode has both a gain and a cost measured in " + o.Measure.InSentence()
		c.Text = c.Describe()
		return c
	}
	c.X = costs[i].Name + ", difference in " + costs[i].Symbol
	var without []string
	for _, g := range o.Gains {
		k := slices.IndexFunc(g.Costs, func(x Cost) bool { return x.Measure == best })
		if k < 0 {
			whose := strings.TrimSuffix(g.Name+", "+g.Note, ", ")
			without = append(without, whose+", "+inMode(g.Mode)+": "+g.Gain.Text)
			continue
		}
		c.Points = append(c.Points, chart.Point{ID: g.Variant + "/" + g.Setup, Name: g.Name, Note: inMode(g.Mode),
			X: g.Costs[k].Effect.Value, Y: g.Gain.Value, Lo: g.Gain.Lo, Hi: g.Gain.Hi,
			Label: g.Gain.Text + " for " + g.Costs[k].Effect.Text, Hollow: !g.Gain.Sure})
	}
	if len(without) > 0 {
		c.Notes = append(c.Notes, "Without a measured cost: "+strings.Join(without, "; ")+".")
	}
	c.Foot = "Hollow: the gain is not sure."
	c.Text = c.Describe()
	return c
}
