package draw

import (
	"fmt"
	"image/color"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/plot/vg"

	"durvek/core/chart"
	"durvek/core/quantity"
)

// layout is a chart with every place worked out.
type layout struct {
	pen
	c chart.Ranked

	title, subtitle       []string
	titleSize             float64
	names                 [][]string // name lines per row
	nameSize              []float64
	notes                 []string
	noteSize              []float64
	plotTop, plotBottom   float64
	rowTop, rowHeight     []float64
	nameX, plotX, plotEnd float64
	lo, perUnit           float64
	ticks                 []float64
	foot                  [][]segment
	footTop               float64
}

// segment is a piece of a foot line: a text in one style and colour, or a drawn diamond.
type segment struct {
	text    string
	style   style
	color   color.Color
	diamond bool
	wide    float64 // room that it takes before the next one
}

const (
	margin      = 28.0
	gutter      = 74.0 // where names begin, or later
	bracketEnd  = 36.0
	smallest    = 12.5
	labelGap    = 9.0
	footLeading = 22.0
)

func init() { register(layOut) }

func layOut(c chart.Ranked, f Format, t Theme) *layout {
	z := f.Zoom
	if f.Height > 0 {
		// What title, axis and foot leave, at the least height that rows stay legible in.
		c = shorten(c, int((f.Height-200*z)/(38*z)))
	}
	l := &layout{c: c, pen: pen{t: t, w: f.Width, z: z}}
	room := l.w - 2*margin*z
	l.titleSize = 22 * z
	for l.titleSize > 18*z && width(strong, l.titleSize, c.Title) > room {
		l.titleSize -= z
	}
	l.title = wrap(strong, l.titleSize, c.Title, room)
	l.subtitle = wrap(text, 14*z, c.Subtitle, room)
	y := margin*z + float64(len(l.title))*l.titleSize*1.25 + float64(len(l.subtitle))*20*z + 12*z
	l.plotTop = y

	// The names' column is as wide as the longest name needs, up to a share of the width.
	limit := 0.26 * l.w
	if l.w < 1.2*f.Height {
		limit = 0.32 * l.w
	}
	l.nameX = gutter * z
	if c.Overlap() { // places stand beside the brackets, not under them
		for _, r := range c.Rows {
			l.nameX = math.Max(l.nameX, (bracketEnd+12)*z+width(narrowMid, 14*z, r.Place))
		}
	}
	column := 60 * z
	for _, r := range c.Rows {
		column = math.Max(column, math.Max(width(narrowMid, 16*z, r.Name), width(narrow, smallest*z, r.Note)))
	}
	column = math.Min(column, limit)
	l.plotX = l.nameX + column + 20*z

	for _, r := range c.Rows {
		size := 16 * z
		for size > 14*z && width(narrowMid, size, r.Name) > column {
			size -= 0.5 * z
		}
		lines := wrap(narrowMid, size, r.Name, column)
		l.names, l.nameSize = append(l.names, lines), append(l.nameSize, size)
		note := r.Note
		for width(narrow, smallest*z, note) > column && len([]rune(note)) > 4 {
			note = strings.TrimRight(string([]rune(note)[:len([]rune(note))-2]), " ,…") + "…"
		}
		l.notes, l.noteSize = append(l.notes, note), append(l.noteSize, smallest*z)
		h := 44*z + float64(len(lines)-1)*18*z + 13*z*math.Max(0, float64(beneath(r)-1))
		l.rowHeight = append(l.rowHeight, h)
	}
	l.footLines(room)
	body := 0.0
	for i, h := range l.rowHeight {
		body += h + l.gap(i)
	}
	below := 34*z + float64(len(l.foot))*footLeading*z + margin*0.7*z
	if f.Height > 0 {
		// Cards have a fixed height: rows take what is there, within reason.
		if free := f.Height - y - below; len(c.Rows) > 0 {
			stretch := math.Min(free/body, 1.5)
			for i := range l.rowHeight {
				l.rowHeight[i] *= stretch
			}
			body *= stretch
		}
		l.height = f.Height
	} else {
		l.height = y + body + below
	}
	for i, h := range l.rowHeight {
		y += l.gap(i)
		l.rowTop = append(l.rowTop, y)
		y += h
	}
	l.plotBottom = y
	l.footTop = y + 34*z
	l.scaleAxis()
	return l
}

// shorten keeps a fixed picture legible: the best rows that fit, and the subject in any case. What is
// not shown is said.
func shorten(c chart.Ranked, room int) chart.Ranked {
	if len(c.Rows) <= room || room < 2 {
		return c
	}
	kept := slices.Clone(c.Rows[:room])
	subject := slices.IndexFunc(c.Rows, func(r chart.Row) bool { return r.Subject })
	last := room - 1
	if subject >= room {
		kept[last] = c.Rows[subject]
		last-- // the row above the subject is not its neighbour
	}
	var groups []chart.Group
	for _, g := range c.Groups {
		g.To = min(g.To, last)
		if g.From < g.To {
			groups = append(groups, g)
		}
	}
	c.Notes = append(chart.Renumber(kept, c.Notes), fmt.Sprintf("%d of %d ranked are shown.", room, len(c.Rows)))
	c.Rows, c.Groups = kept, groups
	return c
}

// gap is the room above a row for the count of those that are not shown.
func (l *layout) gap(i int) float64 {
	if l.c.Rows[i].Above == 0 {
		return 0
	}
	return 24 * l.z
}

// scaleAxis picks the widest scale at which every label still fits between its row's furthest mark
// and the right margin.
func (l *layout) scaleAxis() {
	lo, hi := l.c.Extent()
	if l.c.Dots {
		pad := (hi - lo) * 0.12
		lo, hi = lo-pad, hi+pad
	}
	l.lo = lo
	right := l.w - margin*l.z
	l.perUnit = (right - l.plotX) / (hi - lo) * 0.97
	for _, r := range l.c.Rows {
		if r.Claim != nil && *r.Claim > lo {
			l.perUnit = math.Min(l.perUnit, (right-l.plotX-width(narrow, smallest*l.z, r.Claimed)-12*l.z)/(*r.Claim-lo))
		}
		if reach := math.Max(r.Value, r.Hi) - lo; reach > 0 {
			l.perUnit = math.Min(l.perUnit, (right-l.plotX-l.labelWidth(r)-(labelGap+6)*l.z)/reach)
		}
		for _, m := range r.Raised {
			if m.Value > lo {
				l.perUnit = math.Min(l.perUnit, (right-l.plotX-width(narrow, smallest*l.z, m.Label)-labelGap*l.z)/(m.Value-lo))
			}
		}
	}
	l.plotEnd = l.plotX + (hi-lo)*l.perUnit
	l.ticks = chart.Ticks(lo, lo+(l.plotEnd-l.plotX)/l.perUnit, l.fit(l.plotEnd-l.plotX, 5), false)
}

// tickText prints an axis value with just the decimals that the ticks' step needs.
func (l *layout) tickText(v float64) string {
	decimals := 0
	if len(l.ticks) > 1 {
		for step := l.ticks[1] - l.ticks[0]; decimals < 6 && math.Abs(step-math.Round(step)) > 1e-6*step; step *= 10 {
			decimals++
		}
	}
	return quantity.Fixed(v, decimals)
}

// beneath is how many lines stand under a row's bar: its other modes, and the claim.
func beneath(r chart.Row) int {
	if r.Claim != nil {
		return len(r.Raised) + 1
	}
	return len(r.Raised)
}

func (l *layout) labelWidth(r chart.Row) float64 {
	w := width(narrowBig, 16*l.z, r.Label)
	if r.Spread != "" {
		w += 7*l.z + width(narrow, 13*l.z, r.Spread)
	}
	if r.Mark > 0 {
		w += 6*l.z + width(strong, smallest*l.z, fmt.Sprint(r.Mark))
	}
	return w
}

func (l *layout) x(v float64) float64 { return l.plotX + (v-l.lo)*l.perUnit }

// footLines sets the lines under the axis: what is not ranked, then ties, claims and method.
func (l *layout) footLines(room float64) {
	z := l.z
	if len(l.c.NotRanked) > 0 {
		head := "Not ranked"
		indent := width(strong, 13*z, head) + 12*z
		for i, line := range wrap(text, 13*z, strings.Join(l.c.NotRanked, ". ")+".", room-indent) {
			s := []segment{{text: head, style: strong, color: l.t.Caution, wide: indent}, {text: line, style: text,
				color: l.t.Ink}}
			if i > 0 {
				s[0].text = ""
			}
			l.foot = append(l.foot, s)
		}
	}
	var parts []string
	if len(l.c.Groups) > 0 {
		word := "Shaded"
		if l.c.Overlap() {
			word = "Bracketed"
		}
		kinds := map[string][]string{}
		var order []string
		for _, g := range l.c.Groups {
			if kinds[g.Kind] == nil {
				order = append(order, g.Kind)
			}
			kinds[g.Kind] = append(kinds[g.Kind], fmt.Sprintf("%d–%d", g.From+1, g.To+1))
		}
		var say []string
		for _, k := range order {
			rows := "rows "
			say = append(say, rows+strings.Join(kinds[k], ", ")+" "+k)
		}
		parts = append(parts, word+": ties ("+strings.Join(say, "; ")+").")
	}
	for i, note := range l.c.Notes { // as numbered beside their rows; the rest belongs to the picture as a whole
		head := fmt.Sprint(i + 1)
		if !slices.ContainsFunc(l.c.Rows, func(r chart.Row) bool { return r.Mark == i+1 }) {
			parts = append(parts, note)
			continue
		}
		for k, line := range wrap(text, 13*z, note, room-22*z) {
			s := []segment{{text: head, style: strong, color: l.t.Caution, wide: 22 * z}, {text: line, style: text,
				color: l.t.Ink}}
			if k > 0 {
				s[0].text = ""
			}
			l.foot = append(l.foot, s)
		}
	}
	parts = append(parts, l.c.Foot)
	claim := false
	for _, r := range l.c.Rows {
		claim = claim || r.Claim != nil
	}
	lead := ""
	if claim {
		lead = "      maker’s claim. " // room for the diamond
	}
	for i, line := range wrap(text, smallest*z, lead+strings.Join(parts, " "), room) {
		s := segment{text: line, style: text, color: l.t.Soft, diamond: claim && i == 0}
		l.foot = append(l.foot, []segment{s})
	}
}

// --- painting -------------------------------------------------------------------------------------

func (l *layout) paint(c vg.Canvas, groundless bool) {
	l.canvas = c
	z := l.z
	if !groundless {
		l.rect(0, 0, l.w, l.height, l.t.Ground)
	}
	y := margin * z
	for _, line := range l.title {
		y += l.titleSize * 1.25
		l.text(strong, l.titleSize, margin*z, y-l.titleSize*0.35, line, l.t.Ink, "")
	}
	for _, line := range l.subtitle {
		y += 20 * z
		l.text(text, 14*z, margin*z, y-5*z, line, l.t.Soft, "")
	}
	l.groups()
	for _, v := range l.ticks {
		x := l.x(v)
		l.line(x, l.plotTop, x, l.plotBottom+4*z, l.t.Line, 1*z)
		l.text(text, 13*z, x, l.plotBottom+20*z, l.tickText(v), l.t.Soft, "middle")
	}
	if l.c.Reference != nil {
		x := l.x(*l.c.Reference)
		l.canvas.SetLineDash([]vg.Length{vg.Length(5 * z), vg.Length(4 * z)}, 0)
		l.line(x, l.plotTop, x, l.plotBottom+4*z, l.t.Soft, 1.2*z)
		l.canvas.SetLineDash(nil, 0)
	}
	for i, r := range l.c.Rows {
		if r.Above > 0 {
			l.text(text, smallest*z, l.nameX, l.rowTop[i]-7*z, fmt.Sprintf("… %d more", r.Above), l.t.Soft, "")
		}
		l.part(r.ID, margin*z/2, l.rowTop[i], l.w-margin*z, l.rowHeight[i], func() { l.row(i) })
	}
	y = l.footTop
	for _, line := range l.foot {
		x := margin * z
		for k, s := range line {
			size := 13 * z
			if len(line) == 1 {
				size = smallest * z
			}
			if s.diamond {
				l.diamond(x+7*z, y+11*z, 6*z)
			}
			l.text(s.style, size, x, y+15*z, s.text, s.color, "")
			if k == 0 && len(line) > 1 {
				x += s.wide
			}
		}
		y += footLeading * z
	}
}

// groups shades ties that do not overlap and brackets those that do.
func (l *layout) groups() {
	z := l.z
	overlap := l.c.Overlap()
	for i, g := range l.c.Groups {
		top, bottom := l.rowTop[g.From], l.rowTop[g.To]+l.rowHeight[g.To]
		if !overlap {
			l.round((margin-10)*z, top+1.5*z, l.w-2*(margin-10)*z, bottom-top-3*z, 4*z, l.t.Tie)
			continue
		}
		x := (13 + 7*float64(i%3)) * z
		l.line(x, top+6*z, x, bottom-6*z, l.t.Soft, 2*z)
		l.line(x, top+6*z, x+5*z, top+6*z, l.t.Soft, 2*z)
		l.line(x, bottom-6*z, x+5*z, bottom-6*z, l.t.Soft, 2*z)
	}
}

func (l *layout) row(i int) {
	z, r := l.z, l.c.Rows[i]
	top, h := l.rowTop[i], l.rowHeight[i]
	middle := top + h/2
	ink, bar := l.t.Ink, l.t.Bar
	if r.Subject {
		ink, bar = l.t.Subject, l.t.Subject
	}
	l.text(narrowMid, 14*z, l.nameX-12*z, middle+5*z, r.Place, l.t.Soft, "end")

	// Name, and the note beneath it, centred on the row as one block.
	lead := l.nameSize[i] * 1.12
	block := float64(len(l.names[i])) * lead
	if l.notes[i] != "" {
		block += 15 * z
	}
	y := middle - block/2 + lead*0.82
	for _, line := range l.names[i] {
		l.text(narrowMid, l.nameSize[i], l.nameX, y, line, ink, "")
		y += lead
	}
	if l.notes[i] != "" {
		l.text(narrow, l.noteSize[i], l.nameX, y-lead+15*z, l.notes[i], l.t.Soft, "")
	}

	thick := 24 * z
	barTop := middle - thick/2
	if n := beneath(r); n > 0 {
		thick = 19 * z
		barTop = middle - (thick+10*z*float64(n))/2
	}
	mid := barTop + thick/2
	x0, x1 := l.x(math.Max(l.lo, 0)), l.x(r.Value)
	if l.c.Dots {
		l.line(l.plotX, mid, l.x(r.Value), mid, l.t.Line, 1*z)
	} else if r.Hollow {
		l.rect(x0, barTop, x1-x0, thick, bar)
		l.rect(x0+1.5*z, barTop+1.5*z, math.Max(0, x1-x0-1.5*z), thick-3*z, l.t.Ground)
	} else {
		l.rect(x0, barTop, x1-x0, thick, bar)
	}
	if r.Hi > r.Lo {
		a, b := l.x(r.Lo), l.x(r.Hi)
		for _, pen := range []struct {
			c color.Color
			w float64
		}{{l.t.Ground, 3.6 * z}, {l.t.Ink, 1.4 * z}} {
			l.line(a, mid, b, mid, pen.c, pen.w)
			l.line(a, mid-5*z, a, mid+5*z, pen.c, pen.w)
			l.line(b, mid-5*z, b, mid+5*z, pen.c, pen.w)
		}
	}
	if l.c.Dots {
		l.disc(l.x(r.Value), mid, 6*z, bar)
	}
	x := l.x(math.Max(r.Value, r.Hi)) + labelGap*z
	l.text(narrowBig, 16*z, x, mid+5.5*z, r.Label, l.t.Ink, "")
	if r.Spread != "" {
		l.text(narrow, 13*z, x+width(narrowBig, 16*z, r.Label)+7*z, mid+5.5*z, r.Spread, l.t.Soft, "")
	}
	if r.Mark > 0 {
		number := fmt.Sprint(r.Mark)
		l.text(strong, smallest*z, x+l.labelWidth(r)-width(strong, smallest*z, number), mid-1*z, number, l.t.Caution, "")
	}
	y = barTop + thick + 3*z
	for _, m := range r.Raised {
		xm := l.x(m.Value)
		if l.c.Dots {
			l.disc(xm, y+3*z, 4*z, l.t.Raised)
		} else {
			l.rect(x0, y, xm-x0, 6*z, l.t.Raised)
		}
		l.text(narrow, smallest*z, xm+6*z, y+8*z, m.Label, l.t.Soft, "")
		y += 12 * z
	}
	if r.Claim != nil { // by itself, so that nobody takes it for the figure
		l.diamond(l.x(*r.Claim), y+3.5*z, 4.5*z)
		l.text(narrow, smallest*z, l.x(*r.Claim)+10*z, y+8*z, r.Claimed, l.t.Caution, "")
	}
}
