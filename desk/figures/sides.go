package figures

import (
	"context"
	"slices"

	"gonum.org/v1/gonum/stat"

	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/store"
)

// besides are the channels that tell what a mode does to a machine, in the order in which they are shown.
var besides = []compare.Told{{Channel: "clock.mean", Name: "Clock", Unit: "MHz"},
	{Channel: "power.package", Name: "Processor’s power", Unit: "W", Decimals: 1},
	{Channel: "power.wall", Name: "Power at the wall", Unit: "W", Decimals: 1},
	{Channel: "power.battery", Name: "Power from the battery", Unit: "W", Decimals: 1},
	{Channel: "temperature.package", Name: "Processor’s hottest point", Unit: "Cel", Decimals: 1},
	{Channel: "fan.speed", Name: "Fastest fan", Unit: "/min"}, {Channel: "noise", Name: "Sound level", Unit: "dB[A]",
		Decimals: 1}}

// newestRuns is how many runs of a mode are asked what the machine told meanwhile.
const newestRuns = 3

// sideBySide sets every mode of a variant beside each other: as delivered first, then each mode of the same work in
// which the measure's test, or anything in dB(A), °C or W, was measured.
func (d *sight) sideBySide(m compare.Measure, variant string) (*chart.Side, error) {
	x, err := d.variant(variant)
	if err != nil {
		return nil, err
	}
	plain, err := d.setup(method.AsDelivered)
	if err != nil {
		return nil, err
	}
	test, _ := method.Split(m.ID)
	var others []compare.Measure
	for _, o := range d.measures {
		if t, _ := method.Split(o.ID); o.ID != m.ID && (t == test || slices.Contains([]string{"dB[A]", "Cel", "W"}, o.Unit)) {
			others = append(others, o)
		}
	}
	setups := append([]method.Setup{plain}, slices.DeleteFunc(slices.Clone(d.setups), func(s method.Setup) bool {
		return s.Slug == plain.Slug || len(s.Modes(plain, m.MustMatch)) == 0
	})...)
	var states []compare.State
	for _, s := range setups {
		state := compare.State{Name: s.Name, Figures: map[string]compare.Figure{}, Doubts: map[string][]string{}}
		for _, o := range append([]compare.Measure{m}, others...) {
			cells, _, err := d.of(o, variant)
			if err != nil {
				return nil, err
			}
			mine := slices.DeleteFunc(slices.Clone(cells[variant]), func(c compare.Cell) bool { return c.Setup != s.Slug })
			if len(mine) > 0 {
				state.Figures[o.ID] = compare.Own(o, mine)
				group, _ := method.Split(o.ID)
				doubts, err := d.openDoubts(group)
				if err != nil {
					return nil, err
				}
				state.Doubts[o.ID] = doubting(doubts, o.ID, state.Figures[o.ID].Line)
				if why := aside(d.tests[group]); why != "" {
					state.Doubts[o.ID] = append(state.Doubts[o.ID], why)
				}
			}
		}
		if len(state.Figures) == 0 && s.Slug != plain.Slug {
			continue
		}
		if state.Told, err = d.told(test, variant, s.Slug); err != nil {
			return nil, err
		}
		states = append(states, state)
	}
	side := compare.SideBySide(m, x.FullName()+", "+x.Note, d.f.desk.Name(), others, besides, states)
	return &side, nil
}

// told is the mean of what a variant's machine told of itself in the newest runs of a test under a setup, by channel.
func (d *sight) told(test, variant, setup string) (map[string]float64, error) {
	d.uses.note(runsOf(test))
	units, err := d.f.desk.Store.Units(d.ctx, variant)
	if err != nil {
		return nil, err
	}
	sums, counts := map[string]float64{}, map[string]float64{}
	for _, u := range units {
		runs, _, err := d.f.desk.Store.Runs(d.ctx, store.RunFilter{Subject: u.Slug, Test: test, Setup: setup,
			Outcome: record.Done, Limit: newestRuns})
		if err != nil {
			return nil, err
		}
		for _, r := range runs {
			t, err := d.f.desk.Store.Trace(d.ctx, r.ID, 0, 0)
			if err != nil {
				return nil, err
			}
			for _, s := range t.Series() {
				if slices.ContainsFunc(besides, func(t compare.Told) bool { return t.Channel == s.Channel }) &&
					len(s.Values) > 0 {
					sums[s.Channel] += stat.Mean(s.Values, nil)
					counts[s.Channel]++
				}
			}
		}
	}
	for c, n := range counts {
		sums[c] /= n
	}
	return sums, nil
}

// ModesOf tells what other modes of the same work gain in a measure and what they cost, over a field; with a subject
// it sets that variant's modes beside each other instead.
func (f *Figures) ModesOf(ctx context.Context, measure, field, subject string) (compare.Modes, error) {
	d, err := f.look(ctx)
	if err != nil {
		return compare.Modes{}, err
	}
	m, ok := d.byID[measure]
	if !ok {
		return compare.Modes{}, unknownMeasure(measure)
	}
	if subject == "" {
		return d.modesOf(m, field)
	}
	out := compare.Modes{Measure: m, Gains: []compare.ModeGain{}}
	if m.Scale == quantity.Ratio {
		if out, err = d.modesOf(m, field); err != nil {
			return out, err
		}
		out.Gains = slices.DeleteFunc(out.Gains, func(g compare.ModeGain) bool { return g.Variant != subject })
	}
	out.Side, err = d.sideBySide(m, subject)
	return out, err
}
