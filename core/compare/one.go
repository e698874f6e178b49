package compare

import (
	"cmp"
	"durvek/core/record"
	"durvek/core/trust"
	"fmt"
	"slices"
	"strings"
)

// Figure is what a variant has in a measure where one figure is wanted: its estimate, or why there is none.
type Figure struct {
	Line *Line
	Why  string // where there is none though something was measured
}

// Figures gives each competitor's one figure that compares with most others, by variant; those without any cell are
// left out. Where several rows would do, none is taken and all are named.
func Figures(m Measure, field []Competitor) map[string]Figure {
	out := map[string]Figure{}
	basis, known := commonBasis(field, "", m.MustMatch)
	for _, c := range field {
		if len(c.Cells) == 0 {
			continue
		}
		rows, others := lines(m, c.Cells, basis, known, m.MustMatch)
		f := only(m, rows, nearest(others))
		if f.Line != nil {
			if text := (Row{Doubts: c.doubtsAbout(*f.Line)}).Caveat(); text != "" {
				f = Figure{Why: "it is shown with a caveat: " + text}
			}
		}
		out[c.Variant] = f
	}
	return out
}

// only is the one figure of some rows, or why there is none.
func only(m Measure, rows []Line, unlike string) Figure {
	switch len(rows) {
	case 0:
		return Figure{Why: unlike}
	case 1:
		return Figure{Line: &rows[0]}
	}
	var differ []string
	for _, r := range rows {
		differ = append(differ, r.Differs)
	}
	return Figure{Why: fmt.Sprintf("it has %d figures in %s (%s), and none stands for all", len(rows), m.InSentence(),
		strings.Join(differ, "; "))}
}

// Own is a variant's one figure whose conditions are known, of the measure's version; without one, why. Where cells
// differ in what must match, or in place or host, none is taken and all are named.
func Own(m Measure, cells []Cell) Figure {
	var fit []Cell
	why := ""
	for _, c := range cells {
		if d := trust.Comparable(c.Basis, c.Basis, m.MustMatch); len(d) > 0 {
			why = trust.Sentence(d)
		} else if c.Basis.TestVersion != m.Version {
			why = cmp.Or(why, "it was measured by an older version of the test")
		} else {
			fit = append(fit, c)
		}
	}
	rows, _ := lines(m, fit, trust.Basis{}, false, m.MustMatch)
	return only(m, rows, why)
}

// Lines makes rows of a variant's cells that compare with each other's basis or none; it is what a claim about the
// variant is judged by.
func Lines(m Measure, cells []Cell) []Line {
	rows, _ := lines(m, cells, trust.Basis{}, false, nil)
	return rows
}

// Apart makes a line of each of a unit's cells, named by what sets it apart; nothing is taken together.
func Apart(m Measure, cells []Cell) []Line {
	m.def.Over, m.def.Take = "", ""
	rows, _ := lines(m, cells, trust.Basis{}, false, nil)
	return rows
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

// carried finds a sibling's comparable figure that was held back by a part which this one has, too.
func carried(c Competitor, field []Competitor, basis trust.Basis, known bool, m Measure) (CarriedRow, bool) {
	for _, o := range field {
		if o.Variant == c.Variant || o.Subject.Model != c.Subject.Model || c.Subject.Model == "" {
			continue
		}
		rows, _ := lines(m, o.Cells, basis, known, m.MustMatch)
		if len(rows) != 1 { // of several none stands for the other
			continue
		}
		cell := rows[0]
		if cell.Estimate.Bound != "" || !sharedPart(cell.Limiter, o.Subject.Spec, c.Subject.Spec) {
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
