package compare

import (
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"durvek/core/chart"
	"durvek/core/quantity"
	"durvek/core/say"
)

// draw describes the chart.
func (c *Comparison) draw(q Query) chart.Ranked {
	m := q.Measure
	out := chart.Ranked{Unit: m.Symbol, Dots: !m.Scale.Bars(), Measure: m.Name, Rows: []chart.Row{}}
	what, means := meant(m)
	mark := "bars"
	if c.Reference != "" {
		if m.Scale.Logarithmic() {
			hundred := 100.0
			out.Unit, what, out.Reference = "%", fmt.Sprintf("%% of %s", c.Reference), &hundred
		} else {
			zero := 0.0
			what, out.Reference, out.Dots = fmt.Sprintf("%s above %s", m.Symbol, c.Reference), &zero, true
		}
	}
	if out.Dots {
		mark = "dots"
	}
	setup := strings.Join(append([]string{q.SetupName}, c.sharedConditions(q)...), ", ")
	which := m.Which()
	if c.Reference != "" { // the target is none of relations
		which = m.Better.Phrase()
	}
	better := upperFirst(which)
	if what != "" {
		better = fmt.Sprintf("In %s, %s", what, which)
	}
	out.Subtitle = fmt.Sprintf("%s. %s; %s are %s, whiskers 95 %%.", better, setup, mark, means)
	if m.OnPaper() {
		out.Subtitle = better + ". As written down, not measured: there are no intervals."
	}
	least, most := 0, 0
	simulated := 0
	w := c.writing()
	out.Spans = w.Spans()
	for i, r := range c.Rows {
		e := r.Estimate
		v, lo, hi := r.shown()
		row := chart.Row{ID: r.ID, Name: r.Name, Note: r.Note,
			Place: chart.PlaceText(r.Standing.Best, r.Standing.Worst), Value: v, Lo: lo, Hi: hi,
			N: e.N, Subject: r.Variant == q.Subject && q.Subject != "" && r.Mode == "", Hollow: e.Bound != "" ||
				e.Unknown || r.Caveat() != "", Claim: r.Claim}
		row.Note = r.beside()
		row.Label, row.Spread = r.label(m, w, v, lo, hi)
		if r.Claim != nil {
			row.Claimed = "claimed " + w.Bound(*r.Claim)
		}
		for _, x := range r.Raised {
			rv := x.Estimate.Centre
			if x.Relative != nil {
				rv = x.Relative.Value
			}
			row.Raised = append(row.Raised, chart.Raised{Value: rv, Label: w.Value(rv) + " " + inMode(x.Name)})
		}
		if i == 0 || e.N < least {
			least = e.N
		}
		most = max(most, e.N)
		if r.Simulated {
			simulated++
		}
		out.Rows = append(out.Rows, row)
	}
	c.remark(&out)
	for _, g := range c.Groups {
		out.Groups = append(out.Groups, chart.Group{From: g.From, To: g.To, Kind: string(g.Kind)})
	}
	out.NotRanked, out.Title = c.notRanked(), c.title(q)+c.qualified(q)
	out.Foot = c.foot(q, least, most, simulated)
	out.Text = out.Describe()
	return out
}

// Ordered counts the rows whose order is known.
func (c *Comparison) Ordered() (n int) {
	for _, r := range c.Rows {
		if r.Standing.Known() {
			n++
		}
	}
	return n
}

// within says of how many rows the interval holds one sitting alone: what differs from one to the next is not in it.
func (c *Comparison) within() string {
	n := 0
	for _, r := range c.Rows {
		if e := r.Estimate; e.Sittings == 1 && e.Among.Variance == 0 && !e.Exact && !e.Unknown && e.Bound == "" {
			n++
		}
	}
	switch {
	case n == 0:
		return ""
	case n == len(c.Rows):
		return "within one sitting"
	}
	return fmt.Sprintf("%d of %d rows within one sitting", n, len(c.Rows))
}

// foot says how often was measured, how good one run is, what is simulated, and who measured.
func (c *Comparison) foot(q Query, least, most, simulated int) string {
	var foot []string
	switch {
	case most == 0 || q.Measure.OnPaper():
	case least == most:
		foot = append(foot, fmt.Sprintf("%s each", say.Things(most, "repeat")))
	default:
		foot = append(foot, fmt.Sprintf("%d to %d repeats each", least, most))
	}
	if w := c.within(); w != "" && !q.Measure.OnPaper() && len(foot) > 0 {
		foot[0] += ", " + w
	}
	if q.Repeat > 0 && q.Measure.Scale.Logarithmic() {
		foot = append(foot, fmt.Sprintf("One run is good to ± %s %%", quantity.Number(100*q.Repeat, 2)))
	}
	if simulated > 0 && simulated < len(c.Rows) {
		foot = append(foot, fmt.Sprintf("%d of %d samples are simulated", simulated, len(c.Rows)))
	} else if simulated > 0 {
		foot = append(foot, "All samples are simulated")
	}
	if q.Made != "" {
		foot = append(foot, "Worked out: "+q.Made)
	}
	if from := c.origins(); from != "" && !q.Measure.OnPaper() {
		foot = append(foot, from)
	}
	foot = append(foot, q.DeskName)
	return strings.Join(foot, ". ") + "."
}

// remark numbers what must be said beside rows: unlike conditions and open doubts. What is said of several rows has one
// number. Figures that are carried over stand hollow behind the ranked ones.
func (c *Comparison) remark(out *chart.Ranked) {
	number := func(text string) int {
		for i, n := range out.Notes {
			if n == text {
				return i + 1
			}
		}
		out.Notes = append(out.Notes, text)
		return len(out.Notes)
	}
	for i, r := range c.Rows {
		var said []string
		if r.Unlike != "" {
			said = append(said, "Compared though unlike: "+r.Unlike+".")
		}
		if n := r.Estimate.N; r.Estimate.Unknown {
			said = append(said, upperFirst(say.Things(n, "reading"))+
				", spread unknown: where it stands is open until it is repeated.")
		}
		for k, d := range r.Doubts {
			if k == 2 {
				said = append(said, fmt.Sprintf("And %d more doubts.", len(r.Doubts)-2))
				break
			}
			if d.Caveat {
				said = append(said, "With a caveat: "+d.Sentence)
			} else {
				said = append(said, "In doubt: "+d.Sentence)
			}
		}
		if len(said) > 0 {
			out.Rows[i].Mark, out.Rows[i].Doubt = number(strings.Join(said, " ")), len(r.Doubts) > 0
		}
	}
	if c.Reference != "" {
		return // a relative figure of one that was not measured would say too much
	}
	for _, x := range c.Carried {
		row := chart.Row{ID: x.Variant, Name: x.Name, Note: x.Note, Value: x.Estimate.Centre, Lo: x.Estimate.Centre,
			Hi: x.Estimate.Centre, Hollow: true, Carried: true,
			Label: "≈ " + quantity.Number(x.Estimate.Centre, 3), Mark: number(upperFirst(x.Sentence) + ".")}
		out.Rows = append(out.Rows, row)
	}
}

// meant says in what a measure's figures are given, and what they are of their readings.
func meant(m Measure) (what, means string) {
	switch {
	case m.Scale == quantity.Pass:
		return "shares passed", "shares"
	case m.Scale == quantity.Grade:
		return "marks", "the middle marks"
	case !m.Scale.Logarithmic():
		return m.Symbol, "means"
	}
	return m.Symbol, "geometric means"
}

// label is a row's value as it is written, with the half of its interval.
func (r Row) label(m Measure, w quantity.Writing, v, lo, hi float64) (label, spread string) {
	e := r.Estimate
	switch {
	case e.Bound == "more than":
		return "> " + w.Bound(v), ""
	case e.Bound == "at most":
		return "≤ " + w.Bound(v), ""
	case e.Bound != "":
		return "≥ " + w.Bound(v), ""
	case r.Relative != nil:
	case m.OnPaper():
		return quantity.Plain(v, "1"), ""
	case m.Scale == quantity.Pass:
		return passes(e), ""
	case m.Scale == quantity.Grade:
		return brief(m.Def().Say(v, "")), ""
	}
	if r.Relative != nil {
		return w.Interval(v, lo, hi)
	}
	return m.Def().Written(w, e)
}

// shown is the figure that a row is drawn at, with its interval: its own, or relative to the reference.
func (r Row) shown() (v, lo, hi float64) {
	if r.Relative != nil {
		return r.Relative.Value, r.Relative.Lo, r.Relative.Hi
	}
	return r.Estimate.Centre, r.Estimate.Lo, r.Estimate.Hi
}

// writing is how all figures of the chart are written.
func (c *Comparison) writing() quantity.Writing {
	unit := c.Measure.Unit
	var all [][3]float64
	for _, r := range c.Rows {
		if r.Relative != nil {
			unit = "1"
		}
		if v, lo, hi := r.shown(); r.Estimate.Bound == "" {
			all = append(all, [3]float64{v, lo, hi})
		}
	}
	return quantity.WritingFor(unit, all...)
}

// beside is what stands beside a row's name: what sets the variant apart, where it was measured, what its other rows
// differ in, how several figures became one.
func (r Row) beside() string {
	out := []string{r.Note}
	switch {
	case r.Differs != "":
		out = append(out, r.Differs)
	case r.Host != "":
		out = append(out, hosted(r.Cell), r.Place)
	default:
		out = append(out, r.Place)
	}
	out = append(out, r.Taken)
	return strings.Join(slices.DeleteFunc(out, func(s string) bool { return s == "" }), ", ")
}

func upperFirst(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// inMode says a raised mode inside a label: "in fast mode", "on battery".
func inMode(name string) string {
	if strings.HasPrefix(name, "On ") {
		return LowerFirst(name)
	}
	return "in " + LowerFirst(name)
}

// Lists under a chart are counted beyond so many entries.
const (
	mostNotRun  = 4
	mostLeftOut = 12
)

// notRanked says what is in no row and why; what nobody ran is counted where it is much.
func (c *Comparison) notRanked() []string {
	var out, unrun []string
	for _, l := range append(slices.Clone(c.LeftOut), c.Beside...) {
		if l.Kind == NotRun {
			unrun = append(unrun, l.Name+": "+l.Reason)
		} else {
			out = append(out, l.Name+": "+l.Reason)
		}
	}
	sort.Strings(out)
	sort.Strings(unrun)
	if n := len(out); n > mostLeftOut {
		out = append(out[:mostLeftOut:mostLeftOut], fmt.Sprintf("%d more that do not compare", n-mostLeftOut))
	}
	if n := len(unrun); n > mostNotRun {
		unrun = []string{fmt.Sprintf("%d not run", n)}
	}
	return append(out, unrun...)
}

// sharedConditions says in words what all rows were measured under, as far as it must match and is worth a word, with
// what the comparison was narrowed to.
func (c *Comparison) sharedConditions(q Query) []string {
	var out []string
	if len(c.Rows) > 0 {
		for _, k := range q.Measure.MustMatch {
			v := c.Rows[0].Basis.Conditions[k]
			if Condition(k, v) == strings.ToLower(q.SetupName) {
				continue // the setup's name says it
			}
			if !slices.ContainsFunc(c.Rows, func(r Row) bool { return r.Basis.Conditions[k] != v }) {
				if text := worth(k, v); text != "" {
					out = append(out, text)
				}
			}
		}
	}
	for _, w := range q.Where {
		if !slices.Contains(q.Measure.MustMatch, w.Key) {
			out = append(out, w.Says())
		}
	}
	return out
}

// called is how a row is named in a sentence, told from others of the same name.
func (c *Comparison) called(i int) string {
	r := c.Rows[i]
	name := r.Name
	if r.Note != "" && slices.ContainsFunc(c.Rows, func(o Row) bool {
		return o.Name == r.Name && (o.Variant != r.Variant || o.Mode != r.Mode)
	}) {
		name += " (" + r.Note + ")"
	}
	if r.Differs != "" {
		name += ", " + r.Differs + ","
	}
	return name
}

// qualified adds to a title that the row which it speaks of is shown with a caveat.
func (c *Comparison) qualified(q Query) string {
	i := slices.IndexFunc(c.Rows, func(r Row) bool { return r.Variant == q.Subject && r.Mode == "" })
	if i < 0 && len(c.Rows) > 0 && c.Rows[0].Standing.Worst == 1 {
		i = 0
	}
	if i < 0 || c.Rows[i].Caveat() == "" {
		return ""
	}
	return ", with a caveat"
}

// Figured is a row's figure with its unit, for a headline.
func (c *Comparison) Figured(i int) string {
	r, w := c.Rows[i], c.writing()
	v, lo, hi := r.shown()
	label, _ := r.label(c.Measure, w, v, lo, hi)
	switch {
	case r.Relative != nil:
		return label + " % of " + c.Reference
	case r.Estimate.Bound != "", c.Measure.Scale == quantity.Pass, c.Measure.Scale == quantity.Grade:
		return label
	}
	return w.With(label)
}

// title says in a sentence where the subject stands, or who leads.
func (c *Comparison) title(q Query) string {
	in := q.Measure.InSentence()
	if len(c.Rows) == 0 {
		return "Nothing to rank yet in " + in
	}
	if i := slices.IndexFunc(c.Rows, func(r Row) bool { return r.Variant == q.Subject && r.Mode == "" }); i >= 0 {
		p, name := c.Rows[i].Standing, strings.TrimSuffix(c.called(i), ",")
		if place := say.Place(p.Best, p.Worst, c.Ordered()); place != "" {
			return fmt.Sprintf("%s: %s in %s", name, place, in)
		}
		return fmt.Sprintf("%s: %s in %s", name, c.Figured(i), in)
	}
	leaders := 0
	for _, r := range c.Rows {
		if r.Standing.Best == 1 {
			leaders++
		}
	}
	switch {
	case len(c.Rows) == 1:
		return "Only the " + strings.TrimSuffix(c.called(0), ",") + " has a figure in " + in
	case c.Ordered() < 2 && len(c.Rows) > 1:
		return "No order is known in " + in
	case leaders == 1:
		return c.called(0) + " leads in " + in
	case leaders == c.Ordered():
		return "No order is sure in " + in
	case leaders == 2 && c.Rows[0].Name == c.Rows[1].Name && c.Rows[0].Variant != c.Rows[1].Variant:
		return fmt.Sprintf("Two configurations of the %s share the lead in %s", c.Rows[0].Name, in)
	case leaders == 2:
		return fmt.Sprintf("%s and %s share the lead in %s", c.called(0), c.called(1), in)
	}
	return fmt.Sprintf("%d share the lead in %s", leaders, in)
}

// origins says which rows other desks measured.
func (c *Comparison) origins() string {
	count := map[string]int{}
	for _, r := range c.Rows {
		if r.Origin != "" {
			count[r.Origin]++
		}
	}
	var said []string
	for _, desk := range slices.Sorted(maps.Keys(count)) {
		said = append(said, fmt.Sprintf("%d by %s", count[desk], desk))
	}
	if said == nil {
		return ""
	}
	return "Measured by other desks: " + strings.Join(said, ", ")
}
