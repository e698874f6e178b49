package compare

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/chart"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/core/stats"
)

// Side is one variant of a head-to-head.
type Side struct {
	Variant string `json:"variant"`
	Name    string `json:"name"`
	Note    string `json:"note,omitempty"`
	Price   string `json:"price,omitempty"`
}

// HeadCell is what one side has in one measure: an estimate, or why there is none that compares.
type HeadCell struct {
	Estimate *stats.Estimate `json:"estimate,omitempty"`
	Unit     string          `json:"unit,omitempty"`
	Taken    string          `json:"taken,omitempty" doc:"How several cells became one figure"`
	Why      string          `json:"why,omitempty"`
	Absent   Absence         `json:"absent,omitempty" enum:"not run,cannot run,failed,void,missing,other setup,elsewhere,no figure,not comparable"`
	Doubts   []Doubted       `json:"doubts,omitempty"`
}

// Gap is how much one side differs from the first in one measure.
type Gap struct {
	Effect
	Gain bool    `json:"gain" doc:"It is the better one, sure or not"`
	P    float64 `json:"p" doc:"Chance of such a difference between equals, taken alone"`
	Tie  string  `json:"tie,omitempty" enum:"practically equal,different but too small to matter,undecided,with a caveat"`
}

// HeadRow is one measure of a head-to-head: cells by side, and for every side but the first its difference to that.
// Effect.Sure is after the correction for many comparisons.
type HeadRow struct {
	Measure string     `json:"measure"`
	Name    string     `json:"name"`
	Differs string     `json:"differs,omitempty" doc:"Which of several figures that sides have: a place, a host, a condition"`
	Group   string     `json:"group"`
	Symbol  string     `json:"symbol"`
	Better  string     `json:"better"`
	Cells   []HeadCell `json:"cells"`
	Gaps    []*Gap     `json:"gaps"`
	scale   quantity.Scale
	def     method.Measure
}

// Exchange is what one gains and gives up in taking a side in place of the first.
type Exchange struct {
	Variant  string   `json:"variant"`
	Gains    []string `json:"gains"`
	GivesUp  []string `json:"gives_up"`
	Open     int      `json:"open" doc:"Measures without a sure difference that matters"`
	Compared int      `json:"compared"`
	Sentence string   `json:"sentence"`
	Advice   string   `json:"advice,omitempty"`
}

// Head is a head-to-head of two to four variants: the first is what the others are held against.
type Head struct {
	Sides     []Side       `json:"sides"`
	Rows      []HeadRow    `json:"rows"`
	Exchanges []Exchange   `json:"exchanges"`
	Apart     []string     `json:"apart,omitempty" doc:"Measures in which no two sides compare, and why"`
	Note      string       `json:"note"`
	Chart     chart.Forest `json:"chart"`
}

// Relation is how a side stands to the first, for advice.
type Relation string

const (
	Successor Relation = "successor" // of the first
	Dearer    Relation = "dearer"    // sibling of the first
)

// HeadMeasure is one measure with all sides' competitors, in the order of the sides.
type HeadMeasure struct {
	Measure Measure
	Sides   []Competitor
}

// many is the false discovery rate at which a head-to-head calls differences sure (Benjamini and Hochberg, JRSS B
// 57(1), 1995).
const many = 0.05

// HeadToHead compares sides over all measures in which the first and another have comparable figures. relations and
// extras belong to the sides but the first: extras say what a dearer one costs more.
func HeadToHead(sides []Side, measures []HeadMeasure, relations []Relation, extras []string) Head {
	out := Head{Sides: sides, Rows: []HeadRow{}, Exchanges: []Exchange{},
		Note: "Intervals are 95 %, each taken alone; a difference counts as sure at a false discovery rate of 5 % over " +
			"all of them (Benjamini–Hochberg)."}
	for _, hm := range measures {
		for _, row := range hm.rows(sides[0].Variant) {
			any, why := false, ""
			for i, g := range row.Gaps {
				any = any || g != nil
				why = cmp.Or(row.Cells[i+1].Why, row.Cells[0].Why, "bounds alone")
			}
			if any {
				out.Rows = append(out.Rows, row)
			} else if !slices.ContainsFunc(row.Cells, func(c HeadCell) bool { return c.Absent == NotRun }) {
				out.Apart = append(out.Apart, row.Name+": "+why)
			}
		}
	}
	slices.SortStableFunc(out.Rows, func(a, b HeadRow) int { return cmp.Compare(a.Group, b.Group) })
	out.decide()
	for i := 1; i < len(sides); i++ {
		var relation Relation
		var extra string
		if i-1 < len(relations) {
			relation, extra = relations[i-1], extras[i-1]
		}
		out.Exchanges = append(out.Exchanges, out.exchange(i, relation, extra))
	}
	out.Chart = out.draw()
	return out
}

// rows makes the rows of one measure: one, or where sides have several figures, one for each thing that they differ in.
// A side with one figure is held against each.
func (hm HeadMeasure) rows(first string) []HeadRow {
	m := hm.Measure
	basis, known := commonBasis(hm.Sides, first, m.MustMatch)
	sides, others := make([][]Line, len(hm.Sides)), make([][]apart, len(hm.Sides))
	var differ []string
	for i, c := range hm.Sides {
		sides[i], others[i] = lines(m, c.Cells, basis, known, m.MustMatch)
		for _, l := range sides[i] {
			if l.Differs != "" && !slices.Contains(differ, l.Differs) {
				differ = append(differ, l.Differs)
			}
		}
	}
	if differ == nil {
		differ = []string{""}
	}
	var out []HeadRow
	for _, by := range differ {
		row := HeadRow{Measure: m.ID, Name: m.Name, Differs: by, Group: m.Group, Symbol: m.Symbol, Better: string(m.Better),
			scale: m.Scale, def: m.Def()}
		if by != "" {
			row.Name += ", " + by
		}
		for i, c := range hm.Sides {
			hc := c.headCell(sides[i], others[i], by)
			row.Cells = append(row.Cells, hc)
			if i > 0 {
				row.Gaps = append(row.Gaps, gapOf(m, row.Cells[0].Estimate, hc.Estimate))
			}
		}
		out = append(out, row)
	}
	return out
}

// headCell is what a side has in the row of what differs.
func (c Competitor) headCell(rows []Line, others []apart, by string) (out HeadCell) {
	i := slices.IndexFunc(rows, func(l Line) bool { return l.Differs == by || len(rows) == 1 })
	switch {
	case len(rows) == 0:
		out.Absent, out.Why = c.absence(others)
		return out
	case i < 0:
		out.Absent, out.Why = NotRun, "not run: "+by
		return out
	}
	out.Estimate, out.Unit, out.Taken = &rows[i].Estimate, rows[i].Unit, rows[i].Taken
	out.Doubts = c.doubtsAbout(rows[i])
	return out
}

// gapOf is how b differs from a, nil where one is missing or a bound.
func gapOf(m Measure, a, b *stats.Estimate) *Gap {
	if a == nil || b == nil || a.Bound != "" || b.Bound != "" || m.Scale == quantity.Grade && a.Centre == b.Centre {
		return nil
	}
	if m.Scale == quantity.Pass {
		return passGap(*a, *b)
	}
	g := Gap{Effect: effectOf(m, *a, *b), P: 1}
	se, df := stats.Difference(*a, *b, 1)
	d := math.Max(0, math.Abs(b.Mean-a.Mean)-a.HalfWidth-b.HalfWidth)
	switch {
	case g.Unknown:
	case se > 0:
		g.P = stats.TwoSided(d/se, df)
	case d > 0:
		g.P = 0
	}
	better := b.Mean > a.Mean
	switch def := m.Def(); m.Better {
	case quantity.Lower:
		better = !better
	case quantity.Target:
		better = math.Abs(b.Centre-def.Target) < math.Abs(a.Centre-def.Target)
	}
	g.Gain = better && a.Mean != b.Mean
	margin := m.Def().Margin
	if m.Scale.Logarithmic() {
		if margin == 0 {
			margin = 0.02
		}
		margin *= 100
	}
	if g.Lo >= -margin && g.Hi <= margin {
		g.Tie = "practically equal"
	}
	return &g
}

// passGap is the difference of two shares of passes, in points.
func passGap(a, b stats.Estimate) *Gap {
	of := func(e stats.Estimate) int { return int(math.Round(e.Centre * float64(e.N))) }
	d, lo, hi, p := stats.Shares(of(a), a.N, of(b), b.N)
	g := Gap{Effect: Effect{Value: 100 * d, Lo: 100 * lo, Hi: 100 * hi}, Gain: d > 0, P: p}
	g.Text = fmt.Sprintf("%+.0f points (%s to %s)", g.Value, passes(a), passes(b))
	return &g
}

// passes says a share of checks by its counts.
func passes(e stats.Estimate) string {
	return fmt.Sprintf("%.0f of %d", math.Round(e.Centre*float64(e.N)), e.N)
}

// decide marks the differences that stay sure among all that are looked at, and says what the others are.
func (h *Head) decide() {
	var ps []float64
	for _, r := range h.Rows {
		for _, g := range r.Gaps {
			if g != nil && r.def.Formula == "" {
				ps = append(ps, g.P)
			}
		}
	}
	limit := stats.FalseDiscovery(ps, many)
	for _, r := range h.Rows {
		for i, g := range r.Gaps {
			if g == nil {
				continue
			}
			g.Sure = g.P <= limit
			if caveat(r.Cells[0]) || caveat(r.Cells[i+1]) {
				g.Sure, g.Tie = false, "with a caveat"
				continue
			}
			switch {
			case g.Unknown:
				g.Sure, g.Tie = false, "spread unknown"
			case g.Sure && g.Tie != "":
				g.Tie = "different but too small to matter"
			case !g.Sure && g.Tie == "":
				g.Tie = "undecided"
			}
		}
	}
}

func caveat(c HeadCell) bool {
	return slices.ContainsFunc(c.Doubts, func(d Doubted) bool { return d.Caveat })
}

// exchange says what is gained and given up by taking side i in place of the first.
func (h *Head) exchange(i int, relation Relation, extra string) Exchange {
	x := Exchange{Variant: h.Sides[i].Variant, Gains: []string{}, GivesUp: []string{}}
	type item struct {
		text, short string
		size        float64
		gain        bool
	}
	var items []item
	var ratios []float64
	for _, r := range h.Rows {
		g := r.Gaps[i-1]
		if g == nil || r.def.Formula != "" { // what it is made of counts, and counts once
			continue
		}
		x.Compared++
		if r.scale.Logarithmic() {
			ln := math.Log1p(g.Value / 100)
			if !g.Gain {
				ln = -math.Abs(ln)
			} else {
				ln = math.Abs(ln)
			}
			ratios = append(ratios, ln)
		}
		if !g.Sure || g.Tie != "" {
			x.Open++
			continue
		}
		size := math.Abs(g.Value)
		text, phrase := r.Name+": "+g.Text, g.Text
		if r.scale != quantity.Pass {
			a, b := r.Cells[0].Estimate, r.Cells[i].Estimate
			d := r.def.Difference(b.Centre, g.Value, g.Lo, g.Hi)
			phrase = d.Phrase()
			text = fmt.Sprintf("%s: %s against %s: %s", r.Name, quantity.Told(b.Centre, b.Lo, b.Hi, r.def.Unit),
				quantity.Told(a.Centre, a.Lo, a.Hi, r.def.Unit), d.Than(""))
			if !r.scale.Logarithmic() {
				size *= 3
			}
		}
		items = append(items, item{text, fmt.Sprintf("%s (%s)", LowerFirst(r.Name), unbracketed(phrase)), size, g.Gain})
	}
	slices.SortStableFunc(items, func(a, b item) int { return cmp.Compare(b.size, a.size) })
	var gains, losses []string
	for _, it := range items {
		if it.gain {
			x.Gains, gains = append(x.Gains, it.text), append(gains, it.short)
		} else {
			x.GivesUp, losses = append(x.GivesUp, it.text), append(losses, it.short)
		}
	}
	first, other := h.Sides[0].short(h.Sides[i]), h.Sides[i].short(h.Sides[0])
	x.Sentence = x.says(first, other)
	if len(ratios) == 0 {
		return x
	}
	x.advise(100*math.Expm1(stats.Quantile(ratios, 0.5)), relation, first, other, extra, gains, losses)
	return x
}

// unbracketed is a phrase as it stands within brackets: "lasts 2 h shorter, 18 %"; those of dB(A) stay.
func unbracketed(phrase string) string {
	head, beside, ok := strings.Cut(phrase, " (")
	if !ok {
		return phrase
	}
	return head + ", " + strings.TrimSuffix(beside, ")")
}

// says counts in how many measures the other is surely better and worse than the first.
func (x Exchange) says(first, other string) string {
	var sides []string
	for _, c := range []struct {
		n    int
		what string
	}{{len(x.Gains), "better"}, {len(x.GivesUp), "worse"}} {
		if c.n > 0 {
			sides = append(sides, c.what+" in "+say.Count(c.n))
		}
	}
	of := say.Things(x.Compared, "measure")
	switch {
	case x.Compared == 1 && x.Open == 0:
		return fmt.Sprintf("In the one measure compared the %s is surely %s than the %s.", other,
			strings.Fields(sides[0])[0], first)
	case x.Compared == 0:
		return fmt.Sprintf("Nothing compares the %s with the %s.", other, first)
	case sides == nil:
		return fmt.Sprintf("No difference between the %s and the %s is sure that matters, in %s.", other, first, of)
	}
	text := fmt.Sprintf("Of %s the %s is surely %s than the %s", of, other, strings.Join(sides, " and "), first)
	if x.Open > 0 {
		text += fmt.Sprintf("; in %s no difference is sure that matters", say.Count(x.Open))
	}
	return text + "."
}

// advise says what an owner of the first should do: middle is by how much the other is better in the middle, in per
// cent; extra what it costs more.
func (x *Exchange) advise(middle float64, relation Relation, first, other, extra string, gains,
	losses []string) {
	share := float64(len(x.Gains)) / float64(x.Compared)
	switch relation {
	case Successor:
		switch {
		case share >= 0.5 && middle >= 20:
			x.Advice = fmt.Sprintf("Worth it for an owner of the %s: better by %.0f %%", first, middle)
			if x.Compared > 1 {
				x.Advice += " in the middle of what can be compared"
			}
			x.Advice += "."
		case share >= 0.25 && len(x.Gains) > 2*len(x.GivesUp):
			what := "in some things and not in most"
			if share > 0.5 {
				what = "in most things, by little"
			}
			x.Advice = fmt.Sprintf("An owner of the %s gains %s (%.0f %% in the middle): worth it for those alone.", first, what,
				middle)
		default:
			x.Advice = fmt.Sprintf("An owner of the %s should keep it: better surely in %d of %d, by %.0f %% in the middle.",
				first, len(x.Gains), x.Compared, middle)
		}
		if len(x.GivesUp) > 0 {
			x.Advice += " It gives up " + some(losses, 2) + "."
		}
	case Dearer:
		costs := "The dearer one"
		if extra != "" {
			costs = "For " + extra + " more the " + other
		}
		switch {
		case len(x.Gains) == 0 && len(x.GivesUp) == 0:
			x.Advice = costs + " is not surely better in anything that was measured: take the cheaper."
		case len(x.Gains) == 0:
			x.Advice = costs + " is better in nothing and worse in " + some(losses, 2) + ": take the cheaper."
		case len(x.GivesUp) >= len(x.Gains):
			x.Advice = costs + " gains " + some(gains, 2) + ", and gives up " + some(losses, 2) +
				": only for who needs just that."
		default:
			x.Advice = costs + " gains " + some(gains, 3) + "."
			if len(x.GivesUp) > 0 {
				x.Advice += " It gives up " + some(losses, 2) + "."
			}
		}
	}
}

// short is a side's name, with what sets it apart where the other bears the same.
func (s Side) short(other Side) string {
	if s.Name == other.Name {
		return s.Name + " with " + s.Note
	}
	return s.Name
}

// some names so many of a list and counts the rest.
func some(items []string, most int) string {
	if rest := len(items) - most; rest > 0 {
		items = append(slices.Clone(items[:most]), fmt.Sprintf("%d more", rest))
	}
	return say.List(items)
}

// draw puts every row on one axis: how the others differ from the first, better to the right.
func (h *Head) draw() chart.Forest {
	c := chart.Forest{Log: true, Axis: "better than the " + h.Sides[0].Name + " →", Symbol: "%", Unit: "% better",
		Rows: []chart.ForestRow{}}
	names := make([]string, len(h.Sides))
	for i, s := range h.Sides {
		names[i] = s.Name
		if slices.ContainsFunc(h.Sides, func(o Side) bool { return o.Name == s.Name && o.Variant != s.Variant }) {
			names[i] += ", " + s.Note
		}
	}
	c.Title = strings.Join(names[1:], ", ") + " against " + names[0]
	c.Subtitle = "In % better than the " + names[0] + ", whichever way is better. Filled: sure among all; hollow: not. " +
		"Whiskers 95 %, each taken alone."
	if len(names) > 2 {
		c.Legend = names[1:]
	}
	var plain []string
	for _, r := range h.Rows {
		for i, g := range r.Gaps {
			if g == nil {
				continue
			}
			if !r.scale.Logarithmic() {
				if g.Sure && g.Tie == "" {
					plain = append(plain, fmt.Sprintf("%s: %s, %s", r.Name, g.Text, names[i+1]))
				}
				continue
			}
			v, lo, hi := math.Log1p(g.Value/100), math.Log1p(g.Lo/100), math.Log1p(g.Hi/100)
			if r.Better == string(quantity.Lower) {
				v, lo, hi = -v, -hi, -lo
			}
			a, b := r.Cells[0].Estimate, r.Cells[i+1].Estimate
			row := chart.ForestRow{Group: upperFirst(r.Group), Name: r.Name, Value: 100 * math.Expm1(v),
				Lo: 100 * math.Expm1(lo), Hi: 100 * math.Expm1(hi), Hollow: !g.Sure || g.Tie != "", Series: i,
				Label: fmt.Sprintf("%s → %s %s", quantity.Number(a.Centre, 3), quantity.Number(b.Centre, 3), r.Symbol),
				Doubt: len(r.Cells[0].Doubts)+len(r.Cells[i+1].Doubts) > 0}
			c.Rows = append(c.Rows, row)
		}
	}
	if len(plain) > 0 {
		c.Notes = append(c.Notes, "Sure by difference, not in per cent: "+strings.Join(plain, "; ")+".")
	}
	if len(h.Apart) > 0 {
		c.Notes = append(c.Notes, "Not compared: "+strings.Join(h.Apart, "; ")+".")
	}
	c.Foot = h.Note
	c.Text = c.Describe()
	return c
}
