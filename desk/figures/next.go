package figures

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"durvek/core/chart"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/desk"
)

// NextQuestion is for which field, and perhaps which variant or use, one asks what to test next.
type NextQuestion struct {
	Field   string
	Variant string // only this one's gaps
	Use     string // only measures that count for this use
	Measure string // only this one
	Most    int    // 0 means 20
}

// weakRepeats is how many repeats are added to a weak figure at a time.
const weakRepeats = 5

// Next lists what to test next, by what it settles per hour of bench time.
func (f *Figures) Next(ctx context.Context, q NextQuestion) ([]ranking.Suggestion, error) {
	q.Field, q.Most = cmp.Or(q.Field, everything), cmp.Or(q.Most, 20)
	d, err := f.look(ctx)
	if err != nil {
		return nil, err
	}
	if q.Variant != "" {
		if _, err := d.variant(q.Variant); err != nil {
			return nil, err
		}
	}
	return kept(d, func(d *sight) ([]ranking.Suggestion, error) { return d.next(q) }, "next", q)
}

// counted lists the measures and groups that a question is about; nil for all.
func (d *sight) counted(q NextQuestion) (counts []string, err error) {
	if q.Measure != "" {
		if _, ok := d.byID[q.Measure]; !ok {
			return nil, unknownMeasure(q.Measure)
		}
		return []string{q.Measure}, nil
	}
	if q.Use == "" {
		return nil, nil
	}
	u, err := d.use(q.Use)
	if err != nil {
		return nil, err
	}
	for _, w := range u.Weights {
		counts = append(counts, cmp.Or(w.Measure, w.Group))
	}
	for _, n := range u.Needs {
		counts = append(counts, n.Measure)
	}
	return counts, nil
}

func (d *sight) next(q NextQuestion) ([]ranking.Suggestion, error) {
	f, err := d.field(q.Field)
	if err != nil {
		return nil, err
	}
	members, err := d.membersOf(f)
	if err != nil {
		return nil, err
	}
	counts, err := d.counted(q)
	if err != nil {
		return nil, err
	}
	units, err := d.benched()
	if err != nil {
		return nil, err
	}
	asked := func(variant string) bool { return q.Variant == "" || q.Variant == variant }
	var gaps []ranking.Gap
	shared, err := d.shared(members, 2)
	if err != nil {
		return nil, err
	}
	for _, m := range shared {
		if m.Derived() || counts != nil && !slices.Contains(counts, m.ID) && !slices.Contains(counts, m.Group) {
			continue
		}
		c, err := d.rank(compare.Question{Field: q.Field, Measure: m.ID})
		if err != nil {
			return nil, err
		}
		var rows []ranking.Row
		for _, r := range c.Rows {
			rows = append(rows, ranking.Row{Entry: ranking.Entry{ID: r.ID, Estimate: r.Estimate}, Place: r.Standing})
		}
		test, _ := method.Split(m.ID)
		t := d.tests[test]
		gap := func(variant string) ranking.Gap {
			return ranking.Gap{
				Variant: variant, Unit: units[variant], Name: d.label(variant),
				Test: test, Measure: m.ID, What: m.InSentence(), Setup: method.AsDelivered,
				Rows: rows, Seconds: cmp.Or(t.Seconds, 60), Repeats: max(t.Repeats, 3),
			}
		}
		for _, l := range c.LeftOut {
			if l.Kind != compare.NotRun || !asked(l.Variant) {
				continue
			}
			g := gap(l.Variant)
			if g.Carried, err = d.carriable(m, l.Variant, members); err != nil {
				return nil, err
			}
			gaps = append(gaps, g)
		}
		for i := range rows {
			at := c.Rows[i]
			tied := i > 0 && c.Rows[i-1].Next == ranking.Undecided || at.Next == ranking.Undecided
			if !tied && !at.Estimate.Unknown || !asked(at.Variant) || at.Origin+at.Host != "" || at.Place != "" ||
				at.Differs != "" {
				continue // another desk has it; or a plan for it would have to say where
			}
			g := gap(at.Variant)
			g.Weak = true
			if tied {
				g.Repeats = weakRepeats
			}
			gaps = append(gaps, g)
		}
	}
	more, err := d.claimGaps(q, members, counts, units)
	if err != nil {
		return nil, err
	}
	return ranking.Next(append(gaps, more...), q.Most), nil
}

// claimGaps are the claims that nothing has judged yet, or that a few more repeats should decide.
func (d *sight) claimGaps(q NextQuestion, members, counts []string, units map[string]string) (gaps []ranking.Gap,
	err error) {
	judged, err := d.checkClaims(q.Variant, narrowing{})
	if err != nil {
		return nil, err
	}
	for _, j := range judged {
		if !slices.Contains(members, j.Variant) || counts != nil && !slices.Contains(counts, j.Measure) ||
			len(j.Conditions) > 0 || j.Place != "" {
			continue
		}
		test, _ := method.Split(j.Measure)
		t := d.tests[test]
		g := ranking.Gap{
			Variant: j.Variant,
			Unit:    units[j.Variant],
			Name:    d.label(j.Variant),
			Test:    test,
			Measure: j.Measure,
			What:    compare.LowerFirst(j.Name),
			Setup:   method.AsDelivered,
			Seconds: cmp.Or(t.Seconds, 60),
			Repeats: max(t.Repeats, 3),
			Claims:  1,
		}
		switch j.Verdict.Outcome {
		case claims.Untested:
		case claims.Open:
			if g.Weak, g.Repeats = true, j.Verdict.More; g.Repeats == 0 {
				continue
			}
		default:
			continue
		}
		gaps = append(gaps, g)
	}
	return gaps, nil
}

// carriable tells whether a sibling's figure could stand in for a variant's.
func (d *sight) carriable(m compare.Measure, variant string, members []string) (bool, error) {
	var field []compare.Competitor
	var siblings []string
	for _, slug := range members {
		if d.variants[slug].Model.Slug == d.variants[variant].Model.Slug {
			siblings = append(siblings, slug)
		}
	}
	cells, _, err := d.of(m, siblings...)
	if err != nil {
		return false, err
	}
	for _, slug := range siblings {
		x := d.variants[slug]
		field = append(field, compare.Competitor{Variant: slug, Name: x.FullName(), Note: x.Note, Cells: cells[slug],
			Subject: x.subject()})
	}
	return compare.Carriable(m, variant, field), nil
}

// modesOf holds every mode of a field against the one as delivered.
func (d *sight) modesOf(m compare.Measure, field string) (compare.Modes, error) {
	if m.Scale != quantity.Ratio {
		return compare.Modes{}, desk.Refuse(
			desk.Invalid,
			"the gain of a mode is told in per cent, which %s has none of; "+
				"choose a rate or a time",
			m.InSentence(),
		)
	}
	in, err := d.field(field)
	if err != nil {
		return compare.Modes{}, err
	}
	members, err := d.membersOf(in)
	if err != nil {
		return compare.Modes{}, err
	}
	var costs []compare.Measure
	for _, x := range d.measures {
		if !slices.Contains([]string{"dB[A]", "Cel", "W"}, x.Unit) || x.Better != quantity.Lower {
			continue
		}
		n, err := d.has(x.ID, members)
		if err != nil {
			return compare.Modes{}, err
		}
		if n > 0 {
			costs = append(costs, x)
		}
	}
	sides := make([]compare.ModeSide, len(members))
	at := map[string]int{}
	for i, slug := range members {
		x := d.variants[slug]
		sides[i] = compare.ModeSide{Variant: slug, Name: x.FullName(), Note: x.Note, Plain: map[string]compare.Cell{},
			Raised: map[string]map[string][]compare.Cell{}}
		at[slug] = i
	}
	plain, err := d.setup(method.AsDelivered)
	if err != nil {
		return compare.Modes{}, err
	}
	names, sets := map[string]string{}, map[string][]string{}
	for _, s := range d.setups {
		names[s.Slug], sets[s.Slug] = s.Name, s.Modes(plain, m.MustMatch)
	}
	for _, x := range append([]compare.Measure{m}, costs...) {
		cells, _, err := d.of(x, members...)
		if err != nil {
			return compare.Modes{}, err
		}
		for slug, list := range cells {
			s := &sides[at[slug]]
			for _, set := range d.setups {
				mine := slices.DeleteFunc(slices.Clone(list), func(c compare.Cell) bool { return c.Setup != set.Slug })
				if set.Slug == method.AsDelivered {
					if own := compare.Own(x, mine).Line; own != nil {
						s.Plain[x.ID] = own.Cell
					}
				} else if len(mine) > 0 && len(sets[set.Slug]) > 0 {
					if s.Raised[set.Slug] == nil {
						s.Raised[set.Slug] = map[string][]compare.Cell{}
					}
					s.Raised[set.Slug][x.ID] = mine
				}
			}
		}
	}
	return compare.ModesOf(m, costs, sides, names, sets), nil
}

// mostLines bounds the lines of one picture: more cannot be told apart.
const mostLines = 8

// Curves lays the newest series of a test over each other: of the variants named, or of a field's.
func (f *Figures) Curves(ctx context.Context, test, field string, variants []string, setup,
	subject string) (chart.Lines, error) {
	setup = cmp.Or(setup, method.AsDelivered)
	d, err := f.look(ctx)
	if err != nil {
		return chart.Lines{}, err
	}
	t, ok := d.tests[test]
	if !ok {
		return chart.Lines{}, unknown("test", test)
	}
	name := "those chosen"
	if len(variants) == 0 {
		in, err := d.field(field)
		if err != nil {
			return chart.Lines{}, err
		}
		if variants, err = d.membersOf(in); err != nil {
			return chart.Lines{}, err
		}
		name = in.Name
	}
	d.uses.note(runsOf(test))
	newest, err := d.f.desk.Store.NewestRuns(ctx, test, setup)
	if err != nil {
		return chart.Lines{}, err
	}
	var sides []compare.CurveSide
	var left []string
	for _, slug := range variants {
		x, err := d.variant(slug)
		if err != nil {
			return chart.Lines{}, err
		}
		for _, n := range newest[slug] {
			if len(sides) >= mostLines && slug != subject {
				left = append(left, x.FullName())
				continue
			}
			series, err := d.f.desk.Store.Series(ctx, n.Run)
			if err != nil {
				return chart.Lines{}, err
			}
			if len(series) == 0 {
				continue
			}
			side := compare.CurveSide{Variant: slug, Name: x.FullName(), Note: x.Note, Run: n.Run, Series: series[0],
				Subject: slug == subject && subject != ""}
			if n.Host != "" {
				side.Note += ", in " + cmp.Or(d.hosts[n.Host], n.Host)
			}
			if n.Place != "" {
				side.Note += ", " + n.Place
			}
			sides = append(sides, side)
		}
	}
	c := compare.Curves(t.Name, name, sides, d.f.desk.Name())
	if len(left) > 0 {
		c.Notes = append(c.Notes, fmt.Sprintf("%d more have a series: %s.", len(left), left[0]))
		c.Text = c.Describe()
	}
	return c, nil
}
