package draw

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/plot/vg"

	"durvek/core/chart"
)

// mostRows is as many rows as a page can be scanned for.
const mostRows = 40

// forest is a forest chart with its places.
type forest struct {
	frame
	c                  chart.Forest
	nameX, nameRoom    float64
	plotX, plotEnd     float64
	labelX, labelRoom  float64
	lo, hi             float64
	from, to           float64 // on the axis
	rowHeight, heading float64
	ticks              []float64
}

func init() { register(layOutForest) }

func layOutForest(c chart.Forest, f Format, t Theme) *forest {
	z := f.Zoom
	row, heading := 27*z, 30*z
	legend := 0.0
	if len(c.Legend) > 0 {
		legend = 26 * z
	}
	l := &forest{c: c, rowHeight: row, heading: heading}
	body := func(z float64) float64 { return forestHeight(l.c, row, heading) + 40*z + legend }
	for len(l.c.Rows) > mostRows {
		l.c = without(l.c)
	}
	short := func() []string {
		if n := len(c.Rows) - len(l.c.Rows); n > 0 {
			return append(append([]string{}, c.Notes...), fmt.Sprintf("%d of %d rows are shown, the largest differences; the "+
				"table has all.", len(l.c.Rows), len(c.Rows)))
		}
		return c.Notes
	}
	l.frame = newFrame(c.Title, c.Subtitle, short(), c.Foot, f, t, body)
	if f.Height > 0 {
		room := l.bottom - l.top - 40*z - legend
		for len(l.c.Rows) > 1 && forestHeight(l.c, row, heading) > room {
			l.c = without(l.c)
		}
		l.frame = newFrame(c.Title, c.Subtitle, short(), c.Foot, f, t, body)
		if used := forestHeight(l.c, row, heading); used > 0 {
			stretch := math.Min((l.bottom-l.top-40*z-legend)/used, 1.8)
			l.rowHeight, l.heading = row*stretch, heading*stretch
		}
	}
	l.nameX = margin * z
	for _, r := range l.c.Rows {
		l.nameRoom = math.Max(l.nameRoom, width(narrowMid, 14.5*z, r.Name))
		l.labelRoom = math.Max(l.labelRoom, width(narrow, 13.5*z, r.Label))
	}
	tall := l.w < 0.9*l.height && f.Height > 0
	l.nameRoom = math.Min(l.nameRoom, l.w*0.32)
	l.labelRoom = math.Min(l.labelRoom, math.Max(l.w*0.24, l.w*0.5-l.nameRoom))
	if tall {
		l.nameRoom = math.Min(l.nameRoom, l.w*0.36)
		l.labelRoom = math.Min(l.labelRoom, l.w*0.26)
	}
	l.plotX = l.nameX + l.nameRoom + 22*z
	l.plotEnd = l.w - margin*z - l.labelRoom - 16*z
	l.labelX = l.plotEnd + 16*z
	l.lo, l.hi = l.c.Extent()
	l.ticks = l.c.Ticks(l.lo, l.hi)
	l.from, l.to = l.c.At(l.lo), l.c.At(l.hi)
	pad := 0.04 * (l.to - l.from)
	l.from, l.to = l.from-pad, l.to+pad
	return l
}

func forestHeight(c chart.Forest, row, heading float64) float64 {
	h := 0.0
	for i, r := range c.Rows {
		if r.Group != "" && (i == 0 || c.Rows[i-1].Group != r.Group) {
			h += heading
		}
		h += row
	}
	return h
}

// without leaves out the row that says least: one without a dot, then the smallest difference that is not sure, then
// the smallest.
func without(c chart.Forest) chart.Forest {
	says := func(r chart.ForestRow) float64 {
		size := math.Abs(c.At(r.Value))
		switch {
		case r.Bare:
			return -1
		case r.Hollow:
			return size
		}
		return 1000 + size
	}
	least := 0
	for i, r := range c.Rows {
		if says(r) < says(c.Rows[least]) {
			least = i
		}
	}
	c.Rows = slices.Delete(slices.Clone(c.Rows), least, least+1)
	return c
}

func (l *forest) x(v float64) float64 {
	return l.plotX + (math.Min(math.Max(l.c.At(v), l.from), l.to)-l.from)/(l.to-l.from)*(l.plotEnd-l.plotX)
}

// tickLabels rules the axis and names its values from zero outwards, where there is room.
func (l *forest) tickLabels(start, end float64) {
	z := l.z
	for _, way := range []float64{1, -1} {
		ticks := slices.Clone(l.ticks)
		slices.SortFunc(ticks, func(a, b float64) int { return cmp.Compare(math.Abs(a), math.Abs(b)) })
		reach := -math.MaxFloat64 // how far what stands there goes, along the way
		for _, v := range ticks {
			if v*way < 0 {
				continue
			}
			x, s := l.x(v), tickText(l.ticks, v)
			l.line(x, start, x, end+4*z, l.t.Line, 1*z)
			if v > 0 {
				s = "+" + s
			}
			half := width(text, 13*z, s) / 2
			if way*x-half < reach+6*z {
				continue
			}
			reach = way*x + half
			if v != 0 || way > 0 {
				l.text(text, 13*z, x, end+19*z, s, l.t.Soft, "middle")
			}
		}
	}
}

func (l *forest) paint(c vg.Canvas, groundless bool) {
	l.paintFrame(c, groundless)
	z := l.z
	y := l.top
	if len(l.c.Legend) > 0 {
		x := l.plotX
		for i, name := range l.c.Legend {
			l.mark(i, x+6*z, y+6*z, 5.5*z, false, l.series(i))
			l.text(narrowMid, 14*z, x+18*z, y+11*z, name, l.t.Ink, "")
			x += 18*z + width(narrowMid, 14*z, name) + 26*z
		}
		y += 26 * z
	}
	start := y
	end := start + forestHeight(l.c, l.rowHeight, l.heading)
	if l.c.Band > 0 {
		l.rect(l.x(-l.c.Band), start, l.x(l.c.Band)-l.x(-l.c.Band), end-start, l.t.Tie)
	}
	l.tickLabels(start, end)
	l.line(l.x(0), start, l.x(0), end+4*z, l.t.Ink, 1.4*z)
	l.text(narrow, 13*z, l.plotEnd, end+35*z, l.c.Axis, l.t.Soft, "end")
	for i, r := range l.c.Rows {
		if r.Group != "" && (i == 0 || l.c.Rows[i-1].Group != r.Group) {
			l.text(strong, 13*z, l.nameX, y+l.heading*0.68, r.Group, l.t.Soft, "")
			y += l.heading
		}
		mid := y + l.rowHeight/2
		same := i > 0 && l.c.Rows[i-1].Name == r.Name && l.c.Rows[i-1].Group == r.Group
		if !same {
			if i > 0 && l.c.Rows[i-1].Group == r.Group {
				l.line(l.nameX, y, l.w-margin*z, y, l.t.Line, 0.5*z)
			}
			size := 14.5 * z
			for size > smallest*z && width(narrowMid, size, r.Name) > l.nameRoom {
				size -= 0.25 * z
			}
			l.text(narrowMid, size, l.nameX, mid+5*z, fit(narrowMid, size, r.Name, l.nameRoom), l.t.Ink, "")
		}
		ink := l.series(r.Series)
		if r.Warn {
			ink = l.t.Caution
		}
		if !r.Bare {
			a, b := l.x(r.Lo), l.x(r.Hi)
			l.line(a, mid, b, mid, l.t.Ground, 4*z)
			l.line(a, mid, b, mid, ink, 1.6*z)
			for _, e := range []struct{ v, x float64 }{{r.Lo, a}, {r.Hi, b}} {
				if e.v >= l.lo && e.v <= l.hi {
					l.line(e.x, mid-4*z, e.x, mid+4*z, ink, 1.6*z)
				} else { // it goes on beyond the axis
					d := 5 * z
					if e.v < l.lo {
						d = -d
					}
					l.line(e.x-d, mid-4*z, e.x, mid, ink, 1.6*z)
					l.line(e.x-d, mid+4*z, e.x, mid, ink, 1.6*z)
				}
			}
			l.mark(r.Series, l.x(r.Value), mid, 5.5*z, r.Hollow, ink)
		}
		label := l.t.Soft
		if r.Warn || r.Doubt {
			label = l.t.Caution
		}
		l.text(narrow, 13.5*z, l.labelX, mid+5*z, fit(narrow, 13.5*z, r.Label, l.labelRoom), label, "")
		y += l.rowHeight
	}
}
