// Package compare builds a ranked comparison from cells: it picks for each variant the cell that may
// be compared, ranks, normalises, names what was left out and why, and describes the chart. It knows
// nothing of where cells are kept.
package compare

import (
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"

	"durvek/core/chart"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
)

// Measure is a measure with its test, as comparisons need it.
type Measure struct {
	ID        string             `json:"id" doc:"test/measure"`
	Name      string             `json:"name" doc:"Test and measure in words"`
	Group     string             `json:"group"`
	Unit      string             `json:"unit" doc:"UCUM code"`
	Symbol    string             `json:"symbol"`
	Scale     quantity.Scale     `json:"scale"`
	Better    quantity.Direction `json:"better"`
	Version   int                `json:"version"`
	MustMatch []string           `json:"must_match"`
	Variants  int                `json:"variants" doc:"Variants with a figure"`
	def       method.Measure
}

// NewMeasure joins a test and one of its measures.
func NewMeasure(t method.Test, m method.Measure) Measure {
	name := t.Name
	if len(t.Measures) > 1 {
		name += ", " + m.Name
	}
	must := t.MustMatch
	if must == nil {
		must = []string{}
	}
	return Measure{ID: method.ID(t.Slug, m.Slug), Name: name, Group: t.Group, Unit: m.Unit,
		Symbol: quantity.Symbol(m.Unit),
		Scale:  m.Scale, Better: m.Better, Version: t.Version, MustMatch: must, def: m}
}

// OnPaper tells whether its figures are read off spec sheets or offers, not measured.
func (m Measure) OnPaper() bool {
	return strings.HasPrefix(m.ID, "spec/") || strings.HasPrefix(m.ID, "price/")
}

// Def is the measure's definition.
func (m Measure) Def() method.Measure { return m.def }

// InSentence is the name as it stands inside a sentence.
func (m Measure) InSentence() string { return LowerFirst(m.Name) }

// LowerFirst lowers a name's first letter unless it starts with an abbreviation.
func LowerFirst(s string) string {
	if len(s) > 1 && s[1] >= 'A' && s[1] <= 'Z' || s == "" {
		return s
	}
	return strings.ToLower(s[:1]) + s[1:]
}

// Cell is one estimate with what it rests on.
type Cell struct {
	Variant   string              `json:"variant"`
	Unit      string              `json:"unit"`
	Host      string              `json:"host,omitempty"`
	Place     string              `json:"place,omitempty"`
	Setup     string              `json:"setup"`
	Estimate  stats.Estimate      `json:"estimate"`
	Basis     trust.Basis         `json:"basis"`
	Best      [2]float64          `json:"best" doc:"Smallest and largest single reading"`
	Simulated bool                `json:"simulated,omitempty"`
	Limiter   record.LimiterLabel `json:"limiter,omitempty" doc:"What held most of its runs back"`
	Key       string              `json:"-"` // its basis in short
}

// Doubted is an open doubt about a cell.
type Doubted struct {
	ID       string         `json:"id"`
	Severity trust.Severity `json:"severity"`
	Sentence string         `json:"sentence"`
	Cell     Cell           `json:"-"` // unit, host, place, setup and key of the cell that it touches
}

// touches tells whether a doubt is about a cell.
func (d Doubted) touches(c Cell) bool {
	x := d.Cell
	return x.Unit == c.Unit && x.Host == c.Host && x.Place == c.Place && x.Setup == c.Setup && x.Key == c.Key
}

// Competitor is one variant of the field with all its cells of the measure.
type Competitor struct {
	Variant  string
	Mode     string // raised mode that competes by itself; "" for the setup that is ranked
	ModeName string
	Sets     []string // conditions that the mode itself sets
	Name     string   // maker and model
	Note     string   // what sets the variant apart
	Cells    []Cell   // of the wanted setup
	Raised   []RaisedCells
	Claim    *float64
	Doubts   []Doubted
	Subject  Subject // spec sheet and model, for figures that are carried over
	Failed   int     // failed runs, Runs in all
	Runs     int
	NotRun   string // why it could not be run; empty if it could
}

// id tells a competitor from the others: one variant competes in several modes.
func (c Competitor) id() string {
	if c.Mode != "" {
		return c.Variant + " " + c.Mode
	}
	return c.Variant
}

// RaisedCells are a competitor's cells under one raised mode. Sets names the conditions that the mode itself sets; in
// all others its figure must match those that are ranked.
type RaisedCells struct {
	Setup string
	Name  string
	Sets  []string
	Cells []Cell
}

// Query says what is compared.
type Query struct {
	Measure   Measure
	FieldName string
	SetupName string
	Subject   string // variant, or ""
	Reference string // "": plain values; "mean"; "claim" (the subject's); or a variant
	Claims    bool
	Raised    bool
	Allow     []string // variants that are compared though they are unlike; the picture says so
	Carried   bool     // show figures that a sibling with the same limiting part has
	DeskName  string
	Repeat    float64 // pooled repeatability on the working scale, for the foot
	Seed      uint64
}

// Row is one ranked variant.
type Row struct {
	Cell
	Name     string            `json:"name"`
	Note     string            `json:"note,omitempty"`
	Standing ranking.Place     `json:"standing"`
	Next     ranking.Tie       `json:"next,omitempty"`
	Relative *ranking.Relative `json:"relative,omitempty"`
	Claim    *float64          `json:"claim,omitempty"`
	Raised   []RaisedRow       `json:"raised,omitempty"`
	Doubts   []Doubted         `json:"doubts,omitempty" doc:"Open doubts that touch the figure"`
	Mode     string            `json:"mode,omitempty" doc:"Raised mode that stands as a row of its own"`
	Unlike   string            `json:"unlike,omitempty" doc:"How it differs from the others, where it is compared all the same"`
}

// CarriedRow is a figure that was measured on a sibling with the same limiting part. It is never ranked.
type CarriedRow struct {
	Variant  string              `json:"variant"`
	Name     string              `json:"name"`
	Note     string              `json:"note,omitempty"`
	From     string              `json:"from" doc:"Variant that was measured"`
	Estimate stats.Estimate      `json:"estimate"`
	Limiter  record.LimiterLabel `json:"limiter"`
	Sentence string              `json:"sentence"`
}

// RaisedRow is a raised mode's figure beneath its variant.
type RaisedRow struct {
	Setup    string            `json:"setup"`
	Name     string            `json:"name"`
	Estimate stats.Estimate    `json:"estimate"`
	Relative *ranking.Relative `json:"relative,omitempty"`
}

// Absence says of which kind the reason is that a variant has no figure in a comparison.
type Absence string

const (
	NotRun        Absence = "not run"    // nobody tried
	CannotRun     Absence = "cannot run" // it was tried, and the machine could not
	Failed        Absence = "failed"
	NotComparable Absence = "not comparable" // it has figures, and they are unlike the others'
)

// LeftOut is a variant that could not be ranked, and why.
type LeftOut struct {
	Variant string  `json:"variant"`
	Name    string  `json:"name"`
	Kind    Absence `json:"kind" enum:"not run,cannot run,failed,not comparable"`
	Reason  string  `json:"reason"`
}

// Comparison is the answer: rows best first, ties, what was left out, and the chart of it all.
type Comparison struct {
	Measure   Measure         `json:"measure"`
	Field     string          `json:"field"`
	Subject   string          `json:"subject,omitempty"`
	Reference string          `json:"reference,omitempty" doc:"What values are relative to, in words"`
	Rows      []Row           `json:"rows"`
	Groups    []ranking.Group `json:"groups"`
	LeftOut   []LeftOut       `json:"left_out"`
	Carried   []CarriedRow    `json:"carried,omitempty" doc:"Figures of siblings with the same limiting part; not ranked"`
	Mean      *stats.Estimate `json:"mean,omitempty"`
	Chart     chart.Ranked    `json:"chart"`
}

// absence says why a competitor has no figure to compare; unlike is how its cells differ where it has any.
func (c Competitor) absence(unlike string) (Absence, string) {
	switch {
	case len(c.Cells) > 0:
		return NotComparable, "not comparable: " + unlike
	case c.Failed > 0:
		return Failed, fmt.Sprintf("failed in %d of %d runs", c.Failed, c.Runs)
	case c.NotRun != "":
		return CannotRun, "not run: " + brief(c.NotRun)
	}
	return NotRun, "not run"
}

// brief is a reason without the advice behind it.
func brief(reason string) string {
	short, _, _ := strings.Cut(reason, ";")
	return short
}

// Ranked answers a query over the competitors of a field.
func Ranked(q Query, field []Competitor) (Comparison, error) {
	m := q.Measure
	out := Comparison{Measure: m, Field: q.FieldName, Subject: q.Subject, Rows: []Row{}, Groups: []ranking.Group{},
		LeftOut: []LeftOut{}}
	basis, known := commonBasis(field, q.Subject, m.MustMatch)
	var entries []ranking.Entry
	byID := map[string]Row{}
	for _, c := range field {
		label := c.Name
		if c.Note != "" && shared(field, c) {
			label += " (" + c.Note + ")"
		}
		must := m.MustMatch
		if c.Mode != "" {
			must = slices.DeleteFunc(slices.Clone(must), func(k string) bool { return slices.Contains(c.Sets, k) })
			label += " " + inMode(c.ModeName)
		}
		cell, why := pick(c.Cells, basis, known, must)
		unlike := ""
		if cell == nil && slices.Contains(q.Allow, c.Variant) && len(c.Cells) > 0 {
			cell, unlike = largest(c.Cells), why
		}
		if cell == nil {
			kind, reason := c.absence(why)
			if kind == NotRun && q.Carried {
				if x, ok := carried(c, field, basis, known, m); ok {
					out.Carried = append(out.Carried, x)
					continue
				}
			}
			out.LeftOut = append(out.LeftOut, LeftOut{c.Variant, label, kind, reason})
			continue
		}
		row := Row{Cell: *cell, Name: c.Name, Note: c.Note, Mode: c.Mode, Unlike: unlike}
		if c.Mode != "" {
			row.Note = strings.TrimPrefix(row.Note+", "+inMode(c.ModeName), ", ")
		}
		for _, d := range c.Doubts {
			if d.touches(*cell) && !slices.ContainsFunc(row.Doubts, func(x Doubted) bool { return x.ID == d.ID }) {
				row.Doubts = append(row.Doubts, d)
			}
		}
		if q.Claims {
			row.Claim = c.Claim
		}
		if q.Raised {
			for _, r := range c.Raised {
				others := slices.DeleteFunc(slices.Clone(m.MustMatch), func(k string) bool { return slices.Contains(r.Sets, k) })
				if rc, _ := pick(r.Cells, basis, known, others); rc != nil {
					row.Raised = append(row.Raised, RaisedRow{Setup: r.Setup, Name: r.Name, Estimate: rc.Estimate})
				}
			}
		}
		byID[c.id()] = row
		entries = append(entries, ranking.Entry{ID: c.id(), Estimate: cell.Estimate})
	}
	d := m.def
	ranked := ranking.Rank(entries, ranking.Options{Scale: m.Scale, Better: m.Better, Target: d.Target, Margin: d.Margin,
		Seed: q.Seed})
	out.Groups = ranked.Groups
	for _, r := range ranked.Rows {
		row := byID[r.ID]
		row.Standing, row.Next = r.Place, r.Next
		out.Rows = append(out.Rows, row)
	}
	if mean, ok := ranking.FieldMean(entries, m.Scale); ok {
		out.Mean = &mean
	}
	if err := out.relate(q); err != nil {
		return out, err
	}
	out.Chart = out.draw(q)
	return out, nil
}

// carried finds a sibling's comparable figure that was held back by a part which this one has, too.
func carried(c Competitor, field []Competitor, basis trust.Basis, known bool, m Measure) (CarriedRow, bool) {
	for _, o := range field {
		if o.Variant == c.Variant || o.Subject.Model != c.Subject.Model || c.Subject.Model == "" {
			continue
		}
		cell, _ := pick(o.Cells, basis, known, m.MustMatch)
		if cell == nil || cell.Estimate.Bound != "" || !sharedPart(cell.Limiter, o.Subject.Spec, c.Subject.Spec) {
			continue
		}
		return CarriedRow{Variant: c.Variant, Name: c.Name, Note: c.Note, From: o.Variant, Estimate: cell.Estimate,
				Limiter:  cell.Limiter,
				Sentence: fmt.Sprintf("carried over from the %s: both are held back by the same %s", o.Note, part(cell.Limiter))},
			true
	}
	return CarriedRow{}, false
}

func part(limiter record.LimiterLabel) string {
	switch limiter {
	case record.ByGraphics:
		return "graphics chip"
	case record.ByPower:
		return "chip under the same power limit"
	}
	return string(limiter)
}

// commonBasis is the basis that others are held against: the subject's, else the one that most
// variants can be compared with.
func commonBasis(field []Competitor, subject string, must []string) (trust.Basis, bool) {
	counts := map[string]int{}
	bases := map[string]trust.Basis{}
	var best string
	for _, c := range field {
		if c.Mode != "" {
			continue
		}
		for _, cell := range c.Cells {
			if len(trust.Comparable(cell.Basis, cell.Basis, must)) > 0 {
				continue // unknown conditions: it is comparable with nothing
			}
			key := fmt.Sprint(cell.Basis.TestVersion)
			for _, k := range must {
				key += "|" + cell.Basis.Conditions[k]
			}
			bases[key] = cell.Basis
			counts[key]++
			if c.Variant == subject {
				counts[key] += 1 << 20
			}
			if best == "" || counts[key] > counts[best] || counts[key] == counts[best] && key < best {
				best = key
			}
		}
	}
	b, ok := bases[best]
	return b, ok
}

// pick takes the cell with most readings among those comparable with the basis.
func pick(cells []Cell, basis trust.Basis, known bool, must []string) (*Cell, string) {
	var fit []Cell
	why := ""
	for _, c := range cells {
		if !known {
			why = trust.Sentence(trust.Comparable(c.Basis, c.Basis, must))
		} else if d := trust.Comparable(basis, c.Basis, must); len(d) == 0 {
			fit = append(fit, c)
		} else {
			why = trust.Sentence(d)
		}
	}
	return largest(fit), why
}

func largest(cells []Cell) *Cell {
	var best *Cell
	for i := range cells {
		if best == nil || cells[i].Estimate.N > best.Estimate.N {
			best = &cells[i]
		}
	}
	return best
}

// shared tells whether another competitor bears the same model name.
func shared(field []Competitor, c Competitor) bool {
	for _, o := range field {
		if o.Name == c.Name && (o.Variant != c.Variant || o.Mode != c.Mode) {
			return true
		}
	}
	return false
}

// relate normalises every row to the query's reference.
func (c *Comparison) relate(q Query) error {
	if q.Reference == "" {
		return nil
	}
	var ref stats.Estimate
	switch q.Reference {
	case "mean":
		if c.Mean == nil {
			return nil
		}
		ref, c.Reference = *c.Mean, "the field's mean"
	case "claim":
		i := c.find(q.Subject)
		if i < 0 || c.Rows[i].Claim == nil {
			return fmt.Errorf("there is no claim about %s to relate to; choose a subject with a claim on this measure",
				c.Measure.InSentence())
		}
		v := *c.Rows[i].Claim
		ref = stats.Estimate{Centre: v, Mean: v, Exact: true}
		if q.Measure.Scale.Logarithmic() {
			ref.Mean = math.Log(v)
		}
		c.Reference = "the claim"
	default:
		i := c.find(q.Reference)
		if i < 0 {
			return fmt.Errorf("%s has no comparable figure to relate to", q.Reference)
		}
		ref, c.Reference = c.Rows[i].Estimate, c.Rows[i].Name
	}
	for i := range c.Rows {
		row := &c.Rows[i]
		var r ranking.Relative
		if row.Variant == q.Reference {
			r = ranking.RelativeTo(stats.Estimate{Mean: ref.Mean}, stats.Estimate{Mean: ref.Mean}, q.Measure.Scale)
		} else {
			r = ranking.RelativeTo(row.Estimate, ref, q.Measure.Scale)
		}
		row.Relative = &r
		for k := range row.Raised {
			x := ranking.RelativeTo(row.Raised[k].Estimate, ref, q.Measure.Scale)
			row.Raised[k].Relative = &x
		}
		if row.Claim != nil {
			v := *row.Claim - ref.Centre
			if q.Measure.Scale.Logarithmic() {
				v = 100 * *row.Claim / ref.Centre
			}
			row.Claim = &v
		}
	}
	return nil
}

func (c *Comparison) find(variant string) int {
	for i, r := range c.Rows {
		if r.Variant == variant && r.Mode == "" {
			return i
		}
	}
	return -1
}

// draw describes the chart.
func (c *Comparison) draw(q Query) chart.Ranked {
	m := q.Measure
	out := chart.Ranked{Unit: m.Symbol, Dots: !m.Scale.Bars(), Measure: m.Name, Rows: []chart.Row{}}
	what := m.Symbol
	if what == "" {
		what = "numbers"
	}
	means := "geometric means"
	if !m.Scale.Logarithmic() {
		means = "means"
	}
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
	setup := q.SetupName
	if len(c.Rows) > 0 && slices.Contains(m.MustMatch, "runtime") &&
		strings.HasPrefix(c.Rows[0].Basis.Conditions["runtime"], "in browser") {
		setup += ", in the browser" // all rows are: they are comparable
	}
	out.Subtitle = fmt.Sprintf("In %s, %s. %s; %s are %s, whiskers 95 %%.", what, m.Better.Phrase(), setup, mark, means)
	if m.OnPaper() {
		out.Subtitle = fmt.Sprintf("In %s, %s. As written down, not measured: there are no intervals.", what,
			m.Better.Phrase())
	}
	least, most := 0, 0
	simulated := 0
	for i, r := range c.Rows {
		e := r.Estimate
		v, lo, hi := e.Centre, e.Lo, e.Hi
		if r.Relative != nil {
			v, lo, hi = r.Relative.Value, r.Relative.Lo, r.Relative.Hi
		}
		row := chart.Row{ID: strings.TrimSpace(r.Variant + " " + r.Mode), Name: r.Name, Note: r.Note,
			Place: chart.PlaceText(r.Standing.Best, r.Standing.Worst), Value: v, Lo: lo, Hi: hi,
			N: e.N, Subject: r.Variant == q.Subject && q.Subject != "" && r.Mode == "", Hollow: e.Bound != "", Claim: r.Claim}
		if r.Host != "" {
			row.Note = strings.TrimPrefix(row.Note+", in "+r.Host, ", ")
			if r.Place != "" {
				row.Note += ", " + r.Place
			}
		}
		if e.Bound != "" {
			row.Label = "≥ " + quantity.Number(v, 4)
			if e.Bound == "more than" {
				row.Label = "> " + quantity.Number(v, 4)
			}
		} else {
			row.Label, row.Spread = quantity.PlusMinus(v, (hi-lo)/2)
			if e.Exact && r.Relative == nil {
				row.Spread = ""
			}
			if m.OnPaper() && r.Relative == nil {
				row.Label = quantity.Plain(v, "1")
			}
		}
		for _, x := range r.Raised {
			rv := x.Estimate.Centre
			if x.Relative != nil {
				rv = x.Relative.Value
			}
			row.Raised = append(row.Raised, chart.Raised{Value: rv, Label: quantity.Number(rv, 3) + " " + inMode(x.Name)})
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
	for _, l := range c.LeftOut {
		out.NotRanked = append(out.NotRanked, l.Name+": "+l.Reason)
	}
	sort.Strings(out.NotRanked)
	out.Title = c.title(q)
	var foot []string
	switch {
	case most == 0 || m.OnPaper():
	case least == most:
		foot = append(foot, fmt.Sprintf("%s each", plural(most, "repeat")))
	default:
		foot = append(foot, fmt.Sprintf("%d to %d repeats each", least, most))
	}
	if q.Repeat > 0 && m.Scale.Logarithmic() {
		foot = append(foot, fmt.Sprintf("One run is good to ± %s %%", quantity.Number(196*q.Repeat, 2)))
	}
	if simulated > 0 && simulated < len(c.Rows) {
		foot = append(foot, fmt.Sprintf("%d of %d samples are simulated", simulated, len(c.Rows)))
	} else if simulated > 0 {
		foot = append(foot, "All samples are simulated")
	}
	foot = append(foot, q.DeskName)
	out.Foot = strings.Join(foot, ". ") + "."
	out.Text = out.Describe()
	return out
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
		for k, d := range r.Doubts {
			if k == 2 {
				said = append(said, fmt.Sprintf("And %d more doubts.", len(r.Doubts)-2))
				break
			}
			said = append(said, "In doubt: "+d.Sentence)
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

func upperFirst(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// inMode says a raised mode inside a label: "in fast mode", "on battery".
func inMode(name string) string {
	if strings.HasPrefix(name, "On ") {
		return LowerFirst(name)
	}
	return "in " + LowerFirst(name)
}

func plural(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprintf("%d %ss", n, word)
}

// title says in a sentence where the subject stands, or who leads.
func (c *Comparison) title(q Query) string {
	in := q.Measure.InSentence()
	if len(c.Rows) == 0 {
		return "Nothing to rank yet in " + in
	}
	if i := c.find(q.Subject); i >= 0 {
		p := c.Rows[i].Standing
		return fmt.Sprintf("%s %s %s", c.Rows[i].Name, chart.Standing(p.Best, p.Worst, len(c.Rows)), in)
	}
	leaders := 0
	for _, r := range c.Rows {
		if r.Standing.Best == 1 {
			leaders++
		}
	}
	switch {
	case leaders == 1:
		return c.Rows[0].Name + " leads in " + in
	case leaders == len(c.Rows):
		return "No order is sure in " + in
	case leaders == 2 && c.Rows[0].Name == c.Rows[1].Name:
		return fmt.Sprintf("Two configurations of the %s share the lead in %s", c.Rows[0].Name, in)
	case leaders == 2:
		return fmt.Sprintf("%s and %s share the lead in %s", c.Rows[0].Name, c.Rows[1].Name, in)
	}
	return fmt.Sprintf("%d share the lead in %s", leaders, in)
}

// Figures gives each competitor's estimate of the cell that compares with most others, by variant; those without one
// are left out.
func Figures(m Measure, field []Competitor) map[string]stats.Estimate {
	out := map[string]stats.Estimate{}
	basis, known := commonBasis(field, "", m.MustMatch)
	for _, c := range field {
		if cell, _ := pick(c.Cells, basis, known, m.MustMatch); cell != nil {
			out[c.Variant] = cell.Estimate
		}
	}
	return out
}

// Own is a variant's own cell with most readings whose conditions are known, of the measure's version; nil, and why,
// without one.
func Own(m Measure, cells []Cell) (*Cell, string) {
	var fit []Cell
	why := ""
	for _, c := range cells {
		if d := trust.Comparable(c.Basis, c.Basis, m.MustMatch); len(d) > 0 {
			why = trust.Sentence(d)
		} else if c.Basis.TestVersion != m.Version {
			why = "it was measured by an older version of the test"
		} else {
			fit = append(fit, c)
		}
	}
	return largest(fit), why
}

// Carriable tells whether a sibling's figure can be carried over to a variant.
func Carriable(m Measure, variant string, field []Competitor) bool {
	i := slices.IndexFunc(field, func(c Competitor) bool { return c.Variant == variant })
	if i < 0 {
		return false
	}
	basis, known := commonBasis(field, "", m.MustMatch)
	_, ok := carried(field[i], field, basis, known, m)
	return ok
}
