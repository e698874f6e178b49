package compare

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/core/trust"
)

// Line is what one row of a comparison rests on: a variant's cells that are alike in setup, host, place and all that
// must match. Its own cell is the first of them, with the estimate of all. Where a measure's definition says how places
// combine, or several units were measured, there is more than one.
type Line struct {
	Cell
	Of      []Cell `json:"-"`
	Differs string `json:"differs,omitempty" doc:"What sets it apart from the variant's other rows; empty where there are none"`
	Taken   string `json:"taken,omitempty" doc:"How several cells became one figure: \"worst of 9 places\""`
}

// apart is a cell that cannot be compared, and by what.
type apart struct {
	Cell
	by []trust.Difference
}

// lines makes rows of a variant's cells. Nothing is chosen among them: each comparable cell is in exactly one row, and
// the others come back with what they differ in.
func lines(m Measure, cells []Cell, basis trust.Basis, known bool, must []string) (rows []Line, others []apart) {
	var fit []Cell
	for _, c := range cells {
		held := basis
		if !known {
			held = c.Basis
		}
		if d := trust.Comparable(held, c.Basis, must); len(d) > 0 {
			others = append(others, apart{c, d})
		} else {
			fit = append(fit, c)
		}
	}
	switch len(fit) {
	case 0:
		return nil, others
	case 1:
		return []Line{{Cell: fit[0], Of: fit}}, others
	}
	over := m.def.Over == method.OverPlaces
	alike := func(a, b Cell) bool {
		return a.Setup == b.Setup && a.Host == b.Host && a.Key == b.Key && (over || a.Place == b.Place)
	}
	for _, c := range fit {
		i := slices.IndexFunc(rows, func(l Line) bool { return alike(l.Cell, c) })
		if i < 0 {
			rows = append(rows, Line{Cell: c})
			i = len(rows) - 1
		}
		rows[i].Of = append(rows[i].Of, c)
	}
	for i := range rows {
		rows[i].join(m)
	}
	slices.SortStableFunc(rows, func(a, b Line) int {
		return cmp.Or(cmp.Compare(a.Place, b.Place), cmp.Compare(a.Host, b.Host), cmp.Compare(a.Key, b.Key))
	})
	for i := range rows {
		rows[i].Differs = differs(rows, i, m.MustMatch)
	}
	return rows, others
}

// join makes one figure of a line's cells: over the places of each unit as the measure says, then their mean over
// units.
func (l *Line) join(m Measure) {
	if len(l.Of) == 1 {
		return
	}
	var units []string
	byUnit := map[string][]Cell{}
	for _, c := range l.Of {
		if byUnit[c.Unit] == nil {
			units = append(units, c.Unit)
		}
		byUnit[c.Unit] = append(byUnit[c.Unit], c)
	}
	var each []stats.Estimate
	places := 0
	for _, u := range units {
		each = append(each, joined(m, byUnit[u], m.def.Take))
		places = max(places, len(byUnit[u]))
	}
	var said []string
	if places > 1 {
		said = append(said, fmt.Sprintf("%s of %d places", m.def.Take, places))
		if taken := m.def.Take; (taken == method.Worst || taken == method.Best) && len(units) == 1 {
			for _, c := range l.Of { // the place that the figure is of
				if c.Estimate.Centre == each[0].Centre {
					l.Cell = c
					break
				}
			}
			if l.Place != "" {
				said[0] += ", " + l.Place
			}
		}
		l.Place = ""
	}
	l.Estimate = each[0]
	if len(units) > 1 {
		l.Estimate = joined(m, l.Of, method.Mean)
		if places > 1 {
			l.Estimate = stats.Join(each, stats.Mean, m.Scale.Logarithmic())
		}
		said = append(said, fmt.Sprintf("mean of %d units", len(units)))
		if m.Scale == quantity.Grade {
			said[len(said)-1] = fmt.Sprintf("lowest of %d units", len(units))
		}
		l.Unit = strings.Join(units, ", ")
	}
	l.Best = l.Of[0].Best
	for _, c := range l.Of {
		l.Best = [2]float64{min(l.Best[0], c.Best[0]), max(l.Best[1], c.Best[1])}
		l.Simulated = l.Simulated || c.Simulated
	}
	l.Taken = strings.Join(said, "; ")
}

// joined is one estimate of several cells. Checks are counted together; of marks the lowest stands.
func joined(m Measure, cells []Cell, take method.Taking) stats.Estimate {
	es := make([]stats.Estimate, len(cells))
	passed, n := 0.0, 0
	for i, c := range cells {
		es[i] = c.Estimate
		passed, n = passed+c.Estimate.Mean*float64(c.Estimate.N), n+c.Estimate.N
	}
	lower := m.Better == quantity.Lower
	how := stats.Mean
	switch {
	case m.Scale == quantity.Pass && take == method.Mean:
		return stats.Share(passed, n)
	case m.Scale == quantity.Grade && take == method.Mean:
		how = stats.Lowest
	case take == method.Sum:
		how = stats.Sum
	case take == method.Worst && lower, take == method.Best && !lower:
		how = stats.Highest
	case take == method.Worst, take == method.Best:
		how = stats.Lowest
	}
	return stats.Join(es, how, m.Scale.Logarithmic())
}

// differs says what a variant's row has that its other rows have not: place, host, setup, conditions.
func differs(rows []Line, i int, must []string) string {
	if len(rows) == 1 {
		return ""
	}
	var out []string
	mine := rows[i]
	other := func(of func(Line) string) bool {
		return slices.ContainsFunc(rows, func(l Line) bool { return of(l) != of(mine) })
	}
	if other(func(l Line) string { return l.Place }) {
		out = append(out, cmp.Or(mine.Place, "no place named"))
	}
	if other(func(l Line) string { return l.Host }) {
		out = append(out, hosted(mine.Cell))
	}
	if other(func(l Line) string { return l.Setup }) {
		out = append(out, "under "+mine.Setup)
	}
	for _, k := range must {
		if other(func(l Line) string { return l.Basis.Conditions[k] }) {
			out = append(out, Condition(k, mine.Basis.Conditions[k]))
		}
	}
	return strings.Join(out, ", ")
}

func hosted(c Cell) string {
	if c.Host == "" {
		return "by itself"
	}
	return "in " + cmp.Or(c.HostName, c.Host)
}

// plainWords are conditions whose usual value goes without saying.
var plainWords = map[string]string{"graphics.renderer": "hardware", "power.mode": "default",
	"memory.profile": "default", "drive.cache": "passed"}

// worth says a condition where it is worth a word in a subtitle; "" where its value is unknown or goes without saying.
func worth(key, value string) string {
	if value == "" || plainWords[key] == value || key == "timer" || key == "runtime" && strings.HasPrefix(value,
		"native") {
		return ""
	}
	return Condition(key, value)
}

// Condition says a condition's value in words: the value alone where it speaks for itself, else with its name.
func Condition(key, value string) string {
	name := trust.Name(key)
	if value == "" {
		return name + " unknown"
	}
	switch key {
	case "content":
		return value
	case "display.resolution":
		if w, h, ok := strings.Cut(value, "x"); ok {
			return strings.TrimSpace(w) + " × " + strings.TrimSpace(h)
		}
		return value
	case "runtime":
		if strings.HasPrefix(value, "in browser") {
			return "in the browser"
		}
		return value
	case "pace":
		if value == "not paced" {
			return value
		}
		return "pace " + value
	case "supply":
		if value == "battery" {
			return "on battery"
		}
		return value
	case "quality.preset":
		return "preset " + value
	case "upscaling":
		if value == "off" {
			return "no upscaling"
		}
		return "upscaled " + value
	case "frame.generation":
		if value == "off" {
			return "no generated frames"
		}
		return "with generated frames"
	case "system.name":
		return value
	}
	return name + " " + value
}

// Conditions says in words all that must match in a measure, in order.
func Conditions(m Measure, b trust.Basis) []string {
	out := []string{}
	for _, k := range m.MustMatch {
		out = append(out, Condition(k, b.Conditions[k]))
	}
	return out
}

// nearest is the difference of the cell that is closest to being comparable: the fewest differences, an unknown one
// after one that is known to differ.
func nearest(others []apart) string {
	if len(others) == 0 {
		return ""
	}
	best := slices.MinFunc(others, func(a, b apart) int {
		return cmp.Or(cmp.Compare(old(a.by), old(b.by)), cmp.Compare(len(a.by), len(b.by)),
			cmp.Compare(b.Estimate.N, a.Estimate.N))
	})
	return trust.Sentence(best.by)
}

// old is 1 where a difference is one of test versions: what is said of the newer one is nearer.
func old(by []trust.Difference) int {
	if slices.ContainsFunc(by, func(d trust.Difference) bool { return d.Condition == trust.VersionCondition }) {
		return 1
	}
	return 0
}

// Where narrows a comparison to cells at a place, in a host, of a unit or under a condition.
type Where struct{ Key, Value string }

// ParseWhere reads "place=left port" and the like.
func ParseWhere(text string) (Where, error) {
	k, v, ok := strings.Cut(text, "=")
	w := Where{strings.TrimSpace(k), strings.TrimSpace(v)}
	if !ok || w.Key == "" || w.Value == "" {
		return w, fmt.Errorf(
			"%q does not say where: write a key and its value, as in place=left port or memory.speed=3600",
			text,
		)
	}
	switch w.Key {
	case "place", "host", "unit":
		return w, nil
	}
	if _, known := method.Condition(w.Key); !known {
		return w, fmt.Errorf("%q is neither place, host or unit nor a condition of the vocabulary", w.Key)
	}
	return w, nil
}

// String writes it as it is read.
func (w Where) String() string { return w.Key + "=" + w.Value }

// Says writes it inside a sentence.
func (w Where) Says() string {
	switch w.Key {
	case "place":
		return "at " + w.Value
	case "host":
		return "in " + w.Value
	case "unit":
		return "of unit " + w.Value
	}
	return "with " + trust.Name(w.Key) + " " + w.Value
}

// Holds tells whether a cell is meant. Values are equal without regard to case; a number stands for itself with any
// unit.
func (w Where) Holds(c Cell) bool {
	got := w.Of(c)
	if strings.EqualFold(got, w.Value) {
		return true
	}
	want, err := strconv.ParseFloat(w.Value, 64)
	number, _, _ := strings.Cut(got, " ")
	is, err2 := strconv.ParseFloat(number, 64)
	return err == nil && err2 == nil && is == want
}

// Of is what a cell has under the key; "" for nothing.
func (w Where) Of(c Cell) string {
	switch w.Key {
	case "place":
		return c.Place
	case "host":
		return c.Host
	case "unit":
		return c.Unit
	}
	return c.Basis.Conditions[w.Key]
}

// Tells says why a narrowing would not part a test's cells; "" where it does. A condition that neither must match nor
// is set by a setup is mixed within cells.
func (w Where) Tells(m Measure, set func(key string) bool) string {
	switch {
	case w.Key == "place", w.Key == "host", w.Key == "unit", slices.Contains(m.MustMatch, w.Key), set(w.Key):
		return ""
	}
	return fmt.Sprintf(
		"%s does not keep figures at different %s apart, so it cannot be narrowed to one; a test that lists "+
			"it under must_match does",
		m.Name,
		trust.Name(w.Key),
	)
}

// commonBasis is the basis that others are held against: the subject's, else the one that most
// variants can be compared with.
func commonBasis(field []Competitor, subject string, must []string) (trust.Basis, bool) {
	counts := map[string]int{}
	bases := map[string]trust.Basis{}
	var best string
	for _, c := range ownFirst(field) {
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

// ownFirst leaves out what other desks measured, where this one measured anything: they stand beside its figures.
func ownFirst(field []Competitor) []Competitor {
	var own []Competitor
	for _, c := range field {
		if c.Origin == "" && len(c.Cells) > 0 {
			own = append(own, c)
		}
	}
	if len(own) == 0 {
		return field
	}
	return own
}
