package draw

import (
	"image/color"
	"math"
	"strings"

	"gonum.org/v1/plot/vg"

	"durvek/core/quantity"
)

// frame is what all pictures but the ranked chart share: title and subtitle above, notes and foot below.
type frame struct {
	pen
	title, subtitle, foot []string
	titleSize             float64
	top, bottom           float64 // of the body
}

// newFrame sets the texts. The body is as high as asked for, or what a card leaves.
func newFrame(title, subtitle string, notes []string, foot string, f Format, t Theme,
	body func(z float64) float64) frame {
	z := f.Zoom
	fr := frame{pen: pen{t: t, w: f.Width, z: z}, titleSize: 22 * z}
	room := fr.w - 2*margin*z
	for fr.titleSize > 18*z && width(strong, fr.titleSize, title) > room {
		fr.titleSize -= z
	}
	fr.title = wrap(strong, fr.titleSize, title, room)
	fr.subtitle = wrap(text, 14*z, subtitle, room)
	for _, n := range append(notes, foot) {
		fr.foot = append(fr.foot, wrap(text, smallest*z, n, room)...)
	}
	if most := 7; f.Height > 0 && len(fr.foot) > most { // a card is read at a glance
		fr.foot = append(fr.foot[:most-1:most-1], fr.foot[len(fr.foot)-1])
	}
	fr.top = margin*z + float64(len(fr.title))*fr.titleSize*1.25 + float64(len(fr.subtitle))*20*z + 16*z
	below := float64(len(fr.foot))*19*z + margin*0.8*z
	if f.Height > 0 {
		fr.height = f.Height
		fr.bottom = f.Height - below
	} else {
		fr.bottom = fr.top + body(z)
		fr.height = fr.bottom + below
	}
	return fr
}

func (fr *frame) paintFrame(c vg.Canvas, groundless bool) {
	fr.canvas = c
	z := fr.z
	if !groundless {
		fr.rect(0, 0, fr.w, fr.height, fr.t.Ground)
	}
	y := margin * z
	for _, line := range fr.title {
		y += fr.titleSize * 1.25
		fr.text(strong, fr.titleSize, margin*z, y-fr.titleSize*0.35, line, fr.t.Ink, "")
	}
	for _, line := range fr.subtitle {
		y += 20 * z
		fr.text(text, 14*z, margin*z, y-5*z, line, fr.t.Soft, "")
	}
	y = fr.bottom
	for _, line := range fr.foot {
		y += 19 * z
		fr.text(text, smallest*z, margin*z, y-3*z, line, fr.t.Soft, "")
	}
}

// series gives the colour of the n-th series and marks a point with its shape: shapes differ, too, for those who do not
// see colours.
func (fr *frame) series(n int) color.Color {
	return []color.Color{fr.t.Subject, fr.t.Ink, fr.t.Soft}[n%3]
}

func (fr *frame) mark(n int, x, y, r float64, hollow bool, c color.Color) {
	shape := func(r float64, c color.Color) {
		switch n % 3 {
		case 1:
			fr.rect(x-0.85*r, y-0.85*r, 1.7*r, 1.7*r, c)
		case 2:
			var p vg.Path
			p.Move(fr.at(x, y-1.1*r))
			p.Line(fr.at(x+1.05*r, y+0.8*r))
			p.Line(fr.at(x-1.05*r, y+0.8*r))
			p.Close()
			fr.canvas.SetColor(c)
			fr.canvas.Fill(p)
		default:
			fr.disc(x, y, r, c)
		}
	}
	shape(r+1.3*fr.z, fr.t.Ground)
	shape(r, c)
	if hollow {
		shape(r-1.7*fr.z, fr.t.Ground)
	}
}

// fit cuts a text to a width.
func fit(s style, size float64, t string, room float64) string {
	if width(s, size, t) <= room {
		return t
	}
	r := []rune(t)
	for len(r) > 2 && width(s, size, string(r)+"…") > room {
		r = r[:len(r)-1]
	}
	return strings.TrimRight(string(r), " ,.;:") + "…"
}

// tickText prints an axis value with just the decimals that the step needs.
func tickText(ticks []float64, v float64) string {
	decimals := 0
	if len(ticks) > 1 {
		for step := ticks[1] - ticks[0]; decimals < 6 && math.Abs(step-math.Round(step)) > 1e-6*step; step *= 10 {
			decimals++
		}
	}
	return quantity.Fixed(v, decimals)
}
