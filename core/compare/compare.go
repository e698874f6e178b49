// Package compare builds comparisons from cells: it makes rows of those that may be compared, ranks, normalises, names
// what was left out and why, and describes the chart. Nothing is picked in silence: a variant's cells are rows of their
// own, one figure as their measure's definition says, or left out with a reason. It knows nothing of where cells are
// kept.
package compare

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/chart"
	"durvek/core/quantity"
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
	HostName  string              `json:"host_name,omitempty" doc:"What the host is called, where that tells it from others"`
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
	Caveat   bool           `json:"caveat,omitempty" doc:"It is settled: the figure is shown with it, and decides nothing"`
	Cell     Cell           `json:"-"` // unit, host, place, setup and key of the cell that it touches
}

// touches tells whether a doubt is about a cell.
func (d Doubted) touches(c Cell) bool {
	x := d.Cell
	return x.Unit == c.Unit && x.Host == c.Host && x.Place == c.Place && x.Setup == c.Setup && x.Key == c.Key
}

// Caveat is what a figure is shown with; "" where it stands by itself.
func (r Row) Caveat() string {
	for _, d := range r.Doubts {
		if d.Caveat {
			return d.Sentence
		}
	}
	return ""
}

// doubtsAbout lists the doubts that touch a line's cells, each once.
func (c Competitor) doubtsAbout(l Line) (out []Doubted) {
	for _, d := range c.Doubts {
		if slices.ContainsFunc(l.Of, d.touches) && !slices.ContainsFunc(out, func(x Doubted) bool { return x.ID == d.ID }) {
			out = append(out, d)
		}
	}
	return out
}

// Competitor is one variant of the field with all its cells of the measure.
type Competitor struct {
	Variant   string
	Mode      string // mode that competes by itself; "" for the setup that is ranked
	ModeName  string
	Sets      []string // conditions that the mode itself sets
	Name      string   // maker and model
	Note      string   // what sets the variant apart
	Origin    string   // desk that measured it, where that was another
	Cells     []Cell   // of the wanted setup
	Raised    []RaisedCells
	Claim     *float64
	Doubts    []Doubted
	Subject   Subject // spec sheet and model, for figures that are carried over
	Failed    int     // failed runs, Runs in all
	Runs      int
	NotRun    string       // why it could not be run; empty if it could
	Lost      record.State // void or missing where its readings are no figures, and Reason why
	Reason    string
	Elsewhere []string // names of other setups in which it has figures
	NoFigure  string   // why a spec sheet or offers have none
	Narrowed  string   // what the comparison was narrowed to, where that left it without figures
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
	Made      string  // how a derived measure is worked out, in words
	Where     []Where // cells were narrowed to, for the subtitle
	Repeat    float64 // what one run is good to on the working scale, for the foot
}

// Row is one ranked row: a variant with whatever its comparable cells differ in.
type Row struct {
	Line
	ID       string            `json:"id" doc:"Tells it from all other rows"`
	Name     string            `json:"name"`
	Note     string            `json:"note,omitempty"`
	Standing ranking.Place     `json:"standing"`
	Next     ranking.Tie       `json:"next,omitempty"`
	Relative *ranking.Relative `json:"relative,omitempty"`
	Claim    *float64          `json:"claim,omitempty"`
	Raised   []RaisedRow       `json:"raised,omitempty"`
	Doubts   []Doubted         `json:"doubts,omitempty" doc:"Open doubts that touch the figure"`
	Mode     string            `json:"mode,omitempty" doc:"Mode that stands as a row of its own"`
	Origin   string            `json:"origin,omitempty" doc:"Desk that measured it, where that was another; no run of it is here"`
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
	Voided        Absence = "void"           // its readings do not count, with the reason
	NoReading     Absence = "missing"        // its runs lack this reading, with the reason
	OtherSetup    Absence = "other setup"    // it has figures, under other setups alone
	OtherPlace    Absence = "elsewhere"      // it has figures, not where the comparison was narrowed to
	NoFigure      Absence = "no figure"      // of a spec sheet or price
	NotComparable Absence = "not comparable" // it has figures, and they are unlike the others'
)

// LeftOut is a variant that could not be ranked, and why.
type LeftOut struct {
	Variant string  `json:"variant"`
	Name    string  `json:"name"`
	Kind    Absence `json:"kind" enum:"not run,cannot run,failed,void,missing,other setup,elsewhere,no figure,not comparable"`
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
	Beside    []LeftOut       `json:"beside,omitempty" doc:"Figures of ranked variants that are in no row, and why"`
	Carried   []CarriedRow    `json:"carried,omitempty" doc:"Figures of siblings with the same limiting part; not ranked"`
	Mean      *stats.Estimate `json:"mean,omitempty"`
	Chart     chart.Ranked    `json:"chart"`
}

// absence says why a competitor has no figure to compare; others are its cells that do not compare.
func (c Competitor) absence(others []apart) (Absence, string) {
	switch {
	case len(others) > 0:
		return NotComparable, "not comparable: " + nearest(others)
	case c.Failed > 0:
		return Failed, fmt.Sprintf("failed in %d of %d runs", c.Failed, c.Runs)
	case c.NotRun != "":
		return CannotRun, "cannot run it: " + brief(c.NotRun)
	case c.Narrowed != "":
		return OtherPlace, "measured, not " + c.Narrowed
	case c.Lost == record.Void:
		return Voided, "void" + because(c.Reason)
	case c.Lost == record.Missing:
		return NoReading, "missing" + because(c.Reason)
	case len(c.Elsewhere) > 0:
		return OtherSetup, "measured only under " + strings.Join(c.Elsewhere, ", ")
	case c.NoFigure != "":
		return NoFigure, c.NoFigure
	}
	return NotRun, "not run"
}

func because(reason string) string {
	if reason == "" {
		return ""
	}
	return ": " + reason
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
			must = without(must, c.Sets)
			label += " " + inMode(c.ModeName)
		}
		rows, others := lines(m, c.Cells, basis, known, must)
		unlike := map[string]string{}
		if len(rows) == 0 && slices.Contains(q.Allow, c.Variant) {
			rows, unlike = allowed(m, others)
		}
		if len(rows) == 0 {
			kind, reason := c.absence(others)
			if kind == NotRun && q.Carried {
				if x, ok := carried(c, field, basis, known, m); ok {
					out.Carried = append(out.Carried, x)
					continue
				}
			}
			out.LeftOut = append(out.LeftOut, LeftOut{c.Variant, label, kind, reason})
			continue
		}
		if len(unlike) == 0 {
			out.beside(c.Variant, label, others)
		}
		for _, l := range rows {
			row := c.row(q, m, l, basis, known)
			row.Unlike = unlike[l.Key]
			byID[row.ID] = row
			entries = append(entries, ranking.Entry{ID: row.ID, Estimate: inOrder(m, row.Estimate)})
		}
	}
	d := m.def
	ranked := ranking.Rank(entries, ranking.Options{Scale: m.Scale, Better: m.Better, Target: d.Target, Margin: d.Margin})
	out.Groups = ranked.Groups
	for _, r := range ranked.Rows {
		row := byID[r.ID]
		row.Standing, row.Next = r.Place, r.Next
		out.Rows = append(out.Rows, row)
	}
	if mean, ok := ranking.FieldMean(entries, m.Scale); ok && m.Scale != quantity.Pass && m.Scale != quantity.Grade {
		out.Mean = &mean // checks and marks have no mean that means anything
	}
	if err := out.relate(q); err != nil {
		return out, err
	}
	out.Chart = out.draw(q)
	return out, nil
}

// inOrder is an estimate as ranks are made of it. A share of passes counts from the middle of its interval: three of
// three are no surer than that.
func inOrder(m Measure, e stats.Estimate) stats.Estimate {
	if m.Scale == quantity.Pass {
		e.Mean = (e.Lo + e.Hi) / 2
	}
	return e
}

// without is a list without some of its words.
func without(list, some []string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(k string) bool { return slices.Contains(some, k) })
}

// row is what a competitor shows in one of its rows.
func (c Competitor) row(q Query, m Measure, l Line, basis trust.Basis, known bool) Row {
	row := Row{Line: l, ID: c.id(), Name: c.Name, Note: c.Note, Mode: c.Mode, Origin: c.Origin}
	if c.Mode != "" {
		row.Note = strings.TrimPrefix(row.Note+", "+inMode(c.ModeName), ", ")
	}
	if l.Differs != "" {
		row.ID += " · " + l.Differs
	}
	row.Doubts = c.doubtsAbout(l)
	if q.Claims {
		row.Claim = c.Claim
	}
	if !q.Raised {
		return row
	}
	for _, r := range c.Raised {
		modes, _ := lines(m, r.Cells, basis, known, without(m.MustMatch, r.Sets))
		for _, x := range modes {
			if x.Place == l.Place && x.Host == l.Host {
				row.Raised = append(row.Raised, RaisedRow{Setup: r.Setup, Name: r.Name, Estimate: x.Estimate})
			}
		}
	}
	return row
}

// allowed makes rows of cells that are unlike the others, those of the newest version of the test; unlike says by key
// what each differs in.
func allowed(m Measure, others []apart) (rows []Line, unlike map[string]string) {
	newest := 0
	for _, o := range others {
		newest = max(newest, o.Basis.TestVersion)
	}
	unlike = map[string]string{}
	var cells []Cell
	for _, o := range others {
		if o.Basis.TestVersion == newest {
			cells = append(cells, o.Cell)
			unlike[o.Key] = trust.Sentence(o.by)
		}
	}
	rows, _ = lines(m, cells, trust.Basis{}, false, nil)
	return rows, unlike
}

// beside names the figures of a ranked variant that are in none of its rows.
func (c *Comparison) beside(variant, label string, others []apart) {
	for _, o := range others {
		if old(o.by) > 0 {
			continue // an older version's figures have newer ones beside them
		}
		x := LeftOut{variant, label, NotComparable, "another figure is not comparable: " + trust.Sentence(o.by)}
		if !slices.Contains(c.Beside, x) {
			c.Beside = append(c.Beside, x)
		}
	}
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
	reference := -1
	switch q.Reference {
	case "mean":
		if c.Mean == nil {
			return nil
		}
		ref, c.Reference = *c.Mean, "the field's mean"
	case "claim":
		i, err := c.find(q.Subject)
		if err != nil {
			return err
		}
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
		i, err := c.find(q.Reference)
		if err != nil {
			return err
		}
		reference = i
		if i < 0 {
			return fmt.Errorf("%s has no comparable figure to relate to", q.Reference)
		}
		ref, c.Reference = c.Rows[i].Estimate, c.Rows[i].Name
	}
	for i := range c.Rows {
		row := &c.Rows[i]
		var r ranking.Relative
		if i == reference {
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

// find is the place of a variant's row in the setup that is ranked; below 0 without one. Of several none is meant.
func (c *Comparison) find(variant string) (int, error) {
	found := -1
	var differ []string
	for i, r := range c.Rows {
		if r.Variant == variant && r.Mode == "" {
			found = i
			differ = append(differ, r.Differs)
		}
	}
	if len(differ) > 1 {
		return -1, fmt.Errorf("%s has %d figures in %s (%s); narrow the comparison to one to relate to it",
			c.Rows[found].Name, len(differ), c.Measure.InSentence(), strings.Join(differ, "; "))
	}
	return found, nil
}
