package draw

import (
	"image/color"
	"math"

	"gonum.org/v1/plot/vg"

	"durvek/core/chart"
)

// card is a verdict as one picture: its head, then figures, then what speaks for it and against, beside each other
// where
// the picture is wide.
type card struct {
	pen
	c     chart.Card
	title []string
	lead  []string
}

func init() { register(layOutCard) }

func layOutCard(c chart.Card, f Format, t Theme) *card {
	l := &card{c: c, pen: pen{t: t, w: f.Width, height: f.Height, z: f.Zoom}}
	if l.height == 0 {
		l.height = 620 * l.z
	}
	room := l.w - 2*margin*l.z
	l.title = wrap(strong, 34*l.z, c.Title, room)
	l.lead = wrap(text, 20*l.z, c.Lead, room)
	return l
}

func (l *card) paint(c vg.Canvas, groundless bool) {
	l.canvas = c
	z := l.z
	if !groundless {
		l.rect(0, 0, l.w, l.height, l.t.Ground)
	}
	x, y, room := margin*z, margin*z+34*z, l.w-2*margin*z
	for _, line := range l.title {
		l.text(strong, 34*z, x, y, line, l.t.Ink, "")
		y += 42 * z
	}
	if l.c.Tag != "" {
		tag := l.t.Subject
		if l.c.Against {
			tag = l.t.Caution
		}
		l.round(x, y-12*z, width(strong, 20*z, l.c.Tag)+28*z, 36*z, 5*z, tag)
		l.text(strong, 20*z, x+14*z, y+13*z, l.c.Tag, l.t.Ground, "")
		y += 56 * z
	}
	for _, line := range l.lead {
		l.text(text, 20*z, x, y, line, l.t.Ink, "")
		y += 28 * z
	}
	y = l.keys(x, y+4*z, room) + 30*z
	foot := l.height - 22*z
	if l.w > l.height {
		half := (room - 40*z) / 2
		l.list(l.c.For, x, y, half, foot-24*z, l.t.Subject)
		l.list(l.c.Not, x+half+40*z, y, half, foot-24*z, l.t.Caution)
	} else {
		y = l.list(l.c.For, x, y, room, y+(foot-y)*0.55, l.t.Subject) + 20*z
		l.list(l.c.Not, x, y, room, foot-24*z, l.t.Caution)
	}
	l.text(text, 14*z, x, foot, l.c.Foot, l.t.Soft, "")
}

// keys writes figures in a row, or in two where the picture is tall.
func (l *card) keys(x, y, room float64) float64 {
	if len(l.c.Keys) == 0 {
		return y
	}
	z, across := l.z, max(1, int(room/(215*l.z)))
	across = min(across, len(l.c.Keys))
	wide := room / float64(across)
	rows := 1
	if l.height > 1.2*l.w {
		rows = 2
	}
	for i, k := range l.c.Keys[:min(len(l.c.Keys), across*rows)] {
		at, top := x+wide*float64(i%across), y+96*z*float64(i/across)
		l.line(at, top, at+wide-18*z, top, l.t.Line, 1.5*z)
		l.text(text, 14*z, at, top+23*z, fit(text, 14*z, k.Name, wide-20*z), l.t.Soft, "")
		l.text(strong, 24*z, at, top+52*z, fit(strong, 24*z, k.Value, wide-20*z), l.t.Ink, "")
		l.text(text, 14*z, at, top+74*z, fit(text, 14*z, k.Place, wide-20*z), l.t.Soft, "")
	}
	n := min(len(l.c.Keys), across*rows)
	return y + 96*z*math.Ceil(float64(n)/float64(across))
}

// list writes sentences with a mark before each, as many as there is room for down to bottom.
func (l *card) list(lines []string, x, y, room, bottom float64, mark color.Color) float64 {
	z := l.z
	for _, s := range lines {
		of := wrap(text, 18*z, s, room-22*z)
		if y+25*z*float64(len(of)) > bottom+12*z {
			break
		}
		l.disc(x+5*z, y-6*z, 5*z, mark)
		for _, line := range of {
			l.text(text, 18*z, x+22*z, y, line, l.t.Ink, "")
			y += 25 * z
		}
		y += 8 * z
	}
	return y
}
