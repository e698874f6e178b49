package draw

import (
	"image/color"
	"math"

	"gonum.org/v1/plot/vg"

	"durvek/core/analyse"
	"durvek/core/chart"
	"durvek/core/quantity"
)

// field is a grid of values with its places.
type field struct {
	frame
	c            chart.Field
	x0, y0       float64
	across, down float64 // size of a cell
	lo, hi, left float64
	decimals     int
}

func init() { register(layOutField) }

func layOutField(c chart.Field, f Format, t Theme) *field {
	l := &field{c: c}
	rows := float64(max(len(c.Down), 1))
	l.frame = newFrame(c.Title, c.Subtitle, c.Notes, c.Foot, f, t, func(z float64) float64 {
		return math.Max(90, math.Min(520, rows*52))*z + 76*z
	})
	z := l.z
	for _, d := range c.Down {
		l.left = math.Max(l.left, width(text, 13*z, d))
	}
	l.left = math.Min(l.left, 0.25*l.w)
	if l.left > 0 {
		l.left += 10 * z
	}
	l.x0, l.y0 = margin*z+l.left, l.top+24*z
	l.across = (l.w - margin*z - l.x0) / float64(max(len(c.Across), 1))
	l.down = (l.bottom - 52*z - l.y0) / rows
	if l.across > 3*l.down && len(c.Across) > 1 && rows > 1 {
		l.across = 3 * l.down
	}
	if len(c.Across) == 1 {
		l.across = math.Min(l.across, 300*z)
	}
	var ok bool
	if l.lo, l.hi, _, _, ok = c.Range(); !ok {
		l.lo, l.hi = 0, 1
	}
	if l.hi < 100 || l.lo < 20 {
		l.decimals = 1
	}
	return l
}

// shade is the colour of a value: the ground at the lowest, the subject's at the highest.
func (l *field) shade(v float64) (ground, ink color.Color) {
	share := 1.0
	if l.hi > l.lo {
		share = (v - l.lo) / (l.hi - l.lo)
	}
	share = 0.08 + 0.92*share
	mix := func(a, b uint32) uint8 { return uint8((float64(a>>8)*(1-share) + float64(b>>8)*share)) }
	r0, g0, b0, _ := l.t.Ground.RGBA()
	r1, g1, b1, _ := l.t.Subject.RGBA()
	ink = l.t.Ink
	if share > 0.55 {
		ink = l.t.Ground
	}
	return color.RGBA{mix(r0, r1), mix(g0, g1), mix(b0, b1), 255}, ink
}

func (l *field) paint(c vg.Canvas, groundless bool) {
	l.paintFrame(c, groundless)
	z := l.z
	size := math.Min(14*z, math.Min(l.across/3.2, 0.7*l.down))
	eachRow := int(math.Ceil(17 * z / l.down)) // of many, some are named
	for i, row := range l.c.Cells {
		y := l.y0 + float64(i)*l.down
		if i%eachRow == 0 {
			l.text(text, 13*z, l.x0-8*z, y+l.down/2+4.5*z, fit(text, 13*z, l.c.Down[i], l.left), l.t.Ink, "end")
		}
		for k, v := range row {
			x := l.x0 + float64(k)*l.across
			if v == analyse.Unknown {
				l.line(x+0.35*l.across, y+l.down/2, x+0.65*l.across, y+l.down/2, l.t.Line, 1*z)
				continue
			}
			ground, ink := l.shade(v)
			l.rect(x+0.5*z, y+0.5*z, l.across-z, l.down-z, ground)
			if size >= 8*z {
				l.text(narrowMid, size, x+l.across/2, y+l.down/2+0.36*size, quantity.Fixed(v, l.decimals), ink, "middle")
			}
		}
	}
	below := l.y0 + float64(len(l.c.Cells))*l.down
	wide := 0.0
	for _, name := range l.c.Across {
		wide = math.Max(wide, width(text, 13*z, name))
	}
	wide = math.Min(wide, 110*z)
	each := int(math.Ceil((wide + 6*z) / l.across))
	for k, name := range l.c.Across {
		if room := float64(each)*l.across - 4*z; k%each == 0 {
			l.text(text, 13*z, l.x0+(float64(k)+0.5)*l.across, below+18*z, fit(text, 13*z, name, room), l.t.Ink, "middle")
		}
	}
	unit := l.c.Unit
	if l.c.Y != "" && l.c.X != "" {
		unit += ", down: " + l.c.Y + ", across: " + l.c.X
	}
	l.text(narrowMid, 14*z, margin*z, l.y0-10*z, unit, l.t.Soft, "")
}
