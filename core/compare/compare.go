// Package compare builds a ranked comparison from cells: it picks for each variant the cell that may
// be compared, ranks, normalises, names what was left out and why, and describes the chart. It knows
// nothing of where cells are kept.
package compare

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/chart"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
)

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
