package draw

import (
	"fmt"
	"image/color"
	"strings"

	"gonum.org/v1/plot/vg"
)

// pen draws on a canvas in pixels from the upper left corner.
type pen struct {
	canvas    vg.Canvas
	t         Theme
	w, height float64
	z         float64 // zoom
}

// size is the picture's width and height.
func (p *pen) size() (w, h float64) { return p.w, p.height }

// fit is how many ticks an axis of a width has room for, at most so many.
func (p *pen) fit(width float64, most int) int { return min(most, max(2, int(width/(60*p.z)))) }

func (p *pen) at(x, y float64) vg.Point {
	return vg.Point{X: vg.Length(x), Y: vg.Length(p.height - y)}
}

func (p *pen) rect(x, y, w, h float64, c color.Color) {
	if w <= 0 || h <= 0 {
		return
	}
	var way vg.Path
	way.Move(p.at(x, y))
	way.Line(p.at(x+w, y))
	way.Line(p.at(x+w, y+h))
	way.Line(p.at(x, y+h))
	way.Close()
	p.canvas.SetColor(c)
	p.canvas.Fill(way)
}

// round fills a rectangle with rounded corners; the curves are cubic quarter circles.
func (p *pen) round(x, y, w, h, r float64, c color.Color) {
	k := r * 0.5523
	var way vg.Path
	way.Move(p.at(x+r, y))
	way.Line(p.at(x+w-r, y))
	way.CubeTo(p.at(x+w-r+k, y), p.at(x+w, y+r-k), p.at(x+w, y+r))
	way.Line(p.at(x+w, y+h-r))
	way.CubeTo(p.at(x+w, y+h-r+k), p.at(x+w-r+k, y+h), p.at(x+w-r, y+h))
	way.Line(p.at(x+r, y+h))
	way.CubeTo(p.at(x+r-k, y+h), p.at(x, y+h-r+k), p.at(x, y+h-r))
	way.Line(p.at(x, y+r))
	way.CubeTo(p.at(x, y+r-k), p.at(x+r-k, y), p.at(x+r, y))
	way.Close()
	p.canvas.SetColor(c)
	p.canvas.Fill(way)
}

func (p *pen) disc(x, y, r float64, c color.Color) {
	p.round(x-r, y-r, 2*r, 2*r, r, c)
}

func (p *pen) line(x0, y0, x1, y1 float64, c color.Color, w float64) {
	var way vg.Path
	way.Move(p.at(x0, y0))
	way.Line(p.at(x1, y1))
	p.canvas.SetColor(c)
	p.canvas.SetLineWidth(vg.Length(w))
	p.canvas.Stroke(way)
}

// diamond is a claim's mark: hollow, in the colour of caution, with a halo of the ground.
func (p *pen) diamond(x, y, r float64) {
	var way vg.Path
	way.Move(p.at(x, y-r))
	way.Line(p.at(x+r, y))
	way.Line(p.at(x, y+r))
	way.Line(p.at(x-r, y))
	way.Close()
	p.canvas.SetColor(p.t.Ground)
	p.canvas.Fill(way)
	p.canvas.SetColor(p.t.Caution)
	p.canvas.SetLineWidth(vg.Length(2 * p.z))
	p.canvas.Stroke(way)
}

// text sets one line; anchor is "", "middle" or "end".
func (p *pen) text(s style, size, x, y float64, t string, c color.Color, anchor string) {
	if t == "" {
		return
	}
	p.canvas.SetColor(c)
	if svg, ok := p.canvas.(*svgCanvas); ok {
		if strings.HasPrefix(t, " ") { // SVG folds leading space
			trimmed := strings.TrimLeft(t, " ")
			x += width(s, size, t[:len(t)-len(trimmed)])
			t = trimmed
		}
		svg.state.anchor = anchor
		svg.FillString(face(s, size), p.at(x, y), t)
		return
	}
	switch anchor {
	case "middle":
		x -= width(s, size, t) / 2
	case "end":
		x -= width(s, size, t)
	}
	p.canvas.FillString(face(s, size), p.at(x, y), t)
}

// part draws what belongs to one row. In SVG it is a group that says which, with its whole area for a pointer to hit.
func (p *pen) part(id string, x, y, w, h float64, draw func()) {
	svg, ok := p.canvas.(*svgCanvas)
	if ok {
		fmt.Fprintf(&svg.buf, `<g data-row="%s"><rect x="%s" y="%s" width="%s" height="%s" fill="none" pointer-events="all"/>`+"\n", escape(id), num(x), num(y), num(w), num(h))
	}
	draw()
	if ok {
		svg.buf.WriteString("</g>\n")
	}
}

// wrap breaks a text at spaces so that every line fits; a word that is too long stands alone.
func wrap(s style, size float64, t string, room float64) []string {
	if t == "" {
		return nil
	}
	lead := t[:len(t)-len(strings.TrimLeft(t, " "))]
	words := strings.Fields(t)
	if len(words) == 0 {
		return nil
	}
	lines := []string{lead + words[0]}
	for _, w := range words[1:] {
		last := &lines[len(lines)-1]
		if width(s, size, *last+" "+w) <= room {
			*last += " " + w
		} else {
			lines = append(lines, w)
		}
	}
	return lines
}
