package figures

import (
	"cmp"
	"context"
	"math"
	"slices"

	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/schedule"
	"durvek/desk"
)

// longest is how long a test on battery may run before it counts as a run-down, in seconds.
const longest = 1800

// ToSchedule gathers what a schedule is chosen from, and how areas weigh; nil for all alike. What tests take is as they
// say themselves, and nothing is on the bench.
func (f *Figures) ToSchedule(ctx context.Context, q schedule.Question) (out schedule.Desk, weights map[string]float64,
	err error) {
	d, err := f.look(ctx)
	if err != nil {
		return out, nil, err
	}
	in, err := d.field(cmp.Or(q.Field, everything))
	if err != nil {
		return out, nil, err
	}
	members, err := d.membersOf(in)
	if err != nil {
		return out, nil, err
	}
	if q.Variant != "" {
		if _, err := d.variant(q.Variant); err != nil {
			return out, nil, err
		}
		if !slices.Contains(members, q.Variant) { // held against the field all the same
			members = append(slices.Clone(members), q.Variant)
		}
	}
	members = slices.DeleteFunc(slices.Clone(members), func(slug string) bool { // another desk has them
		return d.variants[slug].Origin != ""
	})
	counts, err := d.counted(NextQuestion{Use: q.Use})
	if err != nil {
		return out, nil, err
	}
	if out.Machines, err = d.machines(members, q.Variant); err != nil {
		return out, nil, err
	}
	if !slices.ContainsFunc(out.Machines, func(m schedule.Machine) bool { return m.Unit != "" }) {
		return out, nil, nil
	}
	out.Tests = map[string]schedule.Test{}
	at := map[uint32]int32{} // place by the variant's number
	for i, slug := range members {
		if n, ok := d.f.number(slug); ok {
			at[n] = int32(i)
		}
	}
	for _, m := range d.measures {
		test, _ := method.Split(m.ID)
		t := d.tests[test]
		if m.OnPaper() || m.Derived() || !noisy(m) || t.Aside != "" || counts != nil && !slices.Contains(counts, m.ID) &&
			!slices.Contains(counts, m.Group) {
			continue
		}
		x, setup, err := d.toMeasure(m, at)
		if err != nil {
			return out, nil, err
		}
		out.Measures = append(out.Measures, x)
		if _, ok := out.Tests[test]; !ok {
			under, err := d.setup(setup)
			if err != nil {
				return out, nil, err
			}
			out.Tests[test] = schedule.Test{Slug: test, Name: t.Name, Setup: setup, SetupName: under.Name,
				Raised:  setup != method.AsDelivered,
				Seconds: cmp.Or(t.Seconds, 60), Hand: t.Origin == "own",
				RunDown: t.Needs["supply"] == "battery" && (t.Seconds == 0 || t.Seconds >= longest)}
		}
	}
	if err := d.never(&out, members); err != nil {
		return out, nil, err
	}
	if out.Claims, err = d.toClaims(out.Machines); err != nil {
		return out, nil, err
	}
	return out, d.weights(q.Use), nil
}

// machines lists the variants of a field with the unit of each that can be put on the bench.
func (d *sight) machines(members []string, only string) (out []schedule.Machine, err error) {
	units, err := d.benched()
	if err != nil {
		return nil, err
	}
	for _, slug := range members {
		m := schedule.Machine{Variant: slug, Unit: units[slug], Name: d.label(slug), Never: map[string]bool{}}
		m.Left = only != "" && only != slug
		if desk.NeedsHost(d.variants[slug].Model.Kind) {
			m.Unit = "" // a part's plan says in which host, and a schedule does not know
		}
		out = append(out, m)
	}
	return out, nil
}

// benched gives a unit of each variant that is on the desk.
func (d *sight) benched() (map[string]string, error) {
	units := map[string]string{}
	list, err := d.f.desk.Store.Units(d.ctx, "")
	for _, u := range list {
		if (u.State == "" || u.State == "on desk") && units[u.Variant] == "" {
			units[u.Variant] = u.Slug
		}
	}
	return units, err
}

// toMeasure makes a measure's cells, and tells the setup that they are under: those in the machine itself, in no place
// of their own, of the test as it is now. Of several of a variant it is the one with most readings.
func (d *sight) toMeasure(m compare.Measure, at map[uint32]int32) (x schedule.Measure, setup string, err error) {
	test, _ := method.Split(m.ID)
	c, err := d.column(m.ID)
	if err != nil {
		return x, "", err
	}
	count := map[string]int{}
	for i := range c.cells {
		if _, ok := at[c.cells[i].variant]; ok {
			count[c.around[c.cells[i].around].setup]++
		}
	}
	if setup = usual(count); !d.plain(test, setup) {
		if i := slices.IndexFunc(d.setups, func(s method.Setup) bool { return d.plain(test, s.Slug) }); i >= 0 {
			setup = d.setups[i].Slug
		}
	}
	d.uses.note(anyNoise)
	d.uses.note(unitNoises)
	n, err := d.f.noise(d.ctx, d.snap)
	if err != nil {
		return x, "", err
	}
	x = schedule.Measure{ID: m.ID, Test: test, What: m.InSentence(), Area: m.Group, Log: m.Scale.Logarithmic(),
		Lower: m.Better == quantity.Lower}
	if x.Margin = m.Def().Margin; x.Log {
		x.Margin = math.Log1p(cmp.Or(x.Margin, 0.02))
	}
	sd, known := n.Usual(testKey(m.ID, m.Version), m.Def().Repeatability)
	if known {
		x.SD = sd
	}
	for i := range c.cells {
		p := &c.cells[i]
		around := &c.around[p.around]
		v, ok := at[p.variant]
		if !ok || c.version(p) != m.Version || around.setup != setup {
			continue
		}
		k := len(x.Cells) - 1
		if k < 0 || x.Cells[k].Variant != v {
			x.Cells, k = append(x.Cells, schedule.Cell{Variant: v}), k+1
		}
		cell, r := &x.Cells[k], c.readings(p)
		switch {
		case around.host != "" || around.place != "" || around.bound != "":
			cell.Never = cell.N == 0
		case r > int(cell.N):
			*cell = schedule.Cell{Variant: v, At: float32(c.mean(p)), N: uint16(min(r, math.MaxUint16)), Unknown: !known,
				SD: float32(x.SD * math.Exp(n.units[p.unit].counted/2))}
		}
	}
	slices.SortFunc(x.Cells, func(a, b schedule.Cell) int { return cmp.Compare(a.Variant, b.Variant) })
	return x, setup, nil
}

// mean is the mean of a cell's readings on the working scale.
func (c *column) mean(p *packed) float64 {
	sum := 0.0
	for _, s := range c.sittings[p.first : p.first+uint32(p.sittings)] {
		sum += float64(s.n) * s.mean
	}
	return sum / float64(c.readings(p))
}

// never notes which tests are not for which machines: of another kind, or those that they could not run.
func (d *sight) never(out *schedule.Desk, members []string) error {
	for test, x := range out.Tests {
		failures, err := d.failures(test, x.Setup)
		if err != nil {
			return err
		}
		for v, slug := range members {
			if out.Machines[v].Unit != "" && (failures[slug].Why != "" || !d.tests[test].Fits(d.variants[slug].Model.Kind)) {
				out.Machines[v].Never[test] = true
			}
		}
	}
	return nil
}

// toClaims lists the claims that more readings could decide, at the value where each begins to be short.
func (d *sight) toClaims(machines []schedule.Machine) (out []schedule.Claim, err error) {
	for i, m := range machines {
		if m.Unit == "" || len(d.claims[m.Variant]) == 0 {
			continue
		}
		judged, err := d.checkClaims(m.Variant, narrowing{})
		if err != nil {
			return nil, err
		}
		for _, j := range judged {
			if c, ok := d.toClaim(j); ok {
				c.Machine = i
				out = append(out, c)
			}
		}
	}
	return out, nil
}

func (d *sight) toClaim(j claims.Judged) (schedule.Claim, bool) {
	m := d.byID[j.Measure]
	open := j.Verdict.Outcome == claims.Untested || j.Verdict.Outcome == claims.Open
	if !open || len(j.Conditions) > 0 || j.Place != "" || m.Better == quantity.Target {
		return schedule.Claim{}, false
	}
	value, err := j.Claim.In(m.Unit, d.variants[j.Variant].Spec)
	if err != nil {
		return schedule.Claim{}, false // its verdict says so
	}
	e := claims.Tolerance(j.Claim, m.Def(), value, m.Scale.Logarithmic())
	if m.Scale.Logarithmic() {
		value = math.Log(value)
	}
	if m.Better == quantity.Higher {
		e = -e
	}
	return schedule.Claim{Measure: j.Measure, What: j.Text + " in " + compare.LowerFirst(j.Name), Limit: value + e}, true
}

// weights are those of a use's areas; nil for all alike.
func (d *sight) weights(use string) map[string]float64 {
	u, err := d.use(use)
	if use == "" || err != nil {
		return nil
	}
	out := map[string]float64{}
	for _, w := range u.Weights {
		out[cmp.Or(w.Group, d.byID[w.Measure].Group)] += w.Weight
	}
	for _, n := range u.Needs {
		if g := d.byID[n.Measure].Group; out[g] == 0 {
			out[g] = 1
		}
	}
	return out
}
