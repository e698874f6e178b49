package draw

import (
	"math"

	"gonum.org/v1/plot/vg"

	"durvek/core/chart"
)

// side is a chart of states with its places: panels in rows, as many beside each other as stay legible.
type side struct {
	frame
	c                   chart.Side
	nameRoom, panelRoom float64
	across              int
	row, heading        float64
}

func init() { register(layOutSide) }

func layOutSide(c chart.Side, f Format, t Theme) *side {
	z := f.Zoom
	l := &side{c: c, row: 30 * z, heading: 46 * z}
	for _, s := range c.States {
		l.nameRoom = math.Max(l.nameRoom, width(narrowMid, 14.5*z, s))
	}
	l.nameRoom = math.Min(l.nameRoom, f.Width*0.24)
	room := f.Width - 2*margin*z - l.nameRoom
	l.across = max(1, min(len(c.Panels), int(room/(230*z))))
	l.panelRoom = room/float64(l.across) - 22*z
	l.frame = newFrame(c.Title, c.Subtitle, c.Notes, c.Foot, f, t, func(float64) float64 { return l.tall() })
	if used := l.tall(); f.Height > 0 && used > 0 {
		stretch := math.Min((l.bottom-l.top)/used, 1.8)
		l.row, l.heading = l.row*stretch, l.heading*stretch
	}
	return l
}

// tall is how high all panels are.
func (l *side) tall() float64 {
	bands := (len(l.c.Panels) + l.across - 1) / l.across
	return float64(bands) * (l.heading + float64(len(l.c.States))*l.row + 14*l.row/30)
}

func (l *side) paint(c vg.Canvas, groundless bool) {
	l.paintFrame(c, groundless)
	z := l.z
	y := l.top
	for from := 0; from < len(l.c.Panels); from += l.across {
		for i, name := range l.c.States {
			mid := y + l.heading + (float64(i)+0.5)*l.row
			l.text(narrowMid, 14.5*z, margin*z, mid+5*z, fit(narrowMid, 14.5*z, name, l.nameRoom), l.t.Ink, "")
		}
		for k := from; k < min(from+l.across, len(l.c.Panels)); k++ {
			l.panel(l.c.Panels[k], margin*z+l.nameRoom+22*z+float64(k-from)*(l.panelRoom+22*z), y)
		}
		y += l.heading + float64(len(l.c.States))*l.row + 14*l.row/30
	}
}

// panel draws one figure in every state from x on; the labels stand behind bars and whiskers.
func (l *side) panel(p chart.Panel, x, y float64) {
	z := l.z
	unit := p.Symbol
	if p.Better != "" {
		unit += ", " + p.Better
	}
	l.text(strong, 13*z, x, y+15*z, fit(strong, 13*z, p.Name, l.panelRoom), l.t.Ink, "")
	l.text(narrow, smallest*z, x, y+32*z, fit(narrow, smallest*z, unit, l.panelRoom), l.t.Soft, "")
	label := 0.0
	for _, b := range p.Bars {
		if !b.Bare {
			label = math.Max(label, width(narrow, 13*z, b.Label))
		}
	}
	room := l.panelRoom - math.Min(label, l.panelRoom*0.5) - 12*z
	lo, hi := p.Extent()
	at := func(v float64) float64 { return x + (v-lo)/(hi-lo)*room }
	zero := at(math.Max(lo, 0))
	if p.Dots {
		zero = x
	}
	top := y + l.heading
	l.line(zero, top, zero, top+float64(len(p.Bars))*l.row, l.t.Line, 1*z)
	for i, b := range p.Bars {
		mid := top + (float64(i)+0.5)*l.row
		if b.Bare {
			l.text(narrow, smallest*z, x+6*z, mid+4.5*z, fit(narrow, smallest*z, b.Label, l.panelRoom-6*z), l.t.Soft, "")
			continue
		}
		colour := l.t.Bar
		if i == 0 { // what it is as delivered; the others are held against it
			colour = l.t.Subject
		}
		if !p.Dots {
			l.rect(math.Min(zero, at(b.Value)), mid-l.row*0.27, math.Abs(at(b.Value)-zero), l.row*0.54, colour)
		}
		if b.Hi > b.Lo {
			l.line(at(b.Lo), mid, at(b.Hi), mid, l.t.Ground, 4*z)
			l.line(at(b.Lo), mid, at(b.Hi), mid, l.t.Ink, 1.6*z)
		}
		if p.Dots {
			l.mark(0, at(b.Value), mid, 5*z, false, colour)
		}
		end := math.Max(at(b.Value), at(b.Hi))
		if p.Dots {
			end = math.Max(end, at(b.Value)+5*z)
		}
		l.text(narrow, 13*z, end+8*z, mid+4.5*z, fit(narrow, 13*z, b.Label, x+l.panelRoom-end-8*z+2*z), l.t.Ink, "")
	}
}
