package draw

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"image"
	"image/color"
	"strconv"

	xfont "golang.org/x/image/font"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg"
)

// svgCanvas is a vg.Canvas that writes SVG 1.1 with text kept as text, a title and a description for
// those who cannot see it. One vg unit is one CSS pixel.
type svgCanvas struct {
	buf   bytes.Buffer
	h     float64
	state svgState
	stack []svgState
}

type svgState struct {
	color  color.Color
	width  vg.Length
	dashes []vg.Length
	dx, dy vg.Length
	anchor string
}

func newSVG(w, h float64, title, description string) *svgCanvas {
	c := &svgCanvas{h: h, state: svgState{color: color.Black, width: 1}}
	fmt.Fprintf(&c.buf, `<svg xmlns="http://www.w3.org/2000/svg" role="img" viewBox="0 0 %s %s" width="%s" height="%s">`,
		num(w), num(h), num(w), num(h))
	c.buf.WriteString("<title>" + escape(title) + "</title><desc>" + escape(description) + "</desc>\n")
	return c
}

func (c *svgCanvas) bytes() []byte { return append(c.buf.Bytes(), "</svg>\n"...) }

func escape(s string) string {
	var b bytes.Buffer
	xml.EscapeText(&b, []byte(s)) // a bytes.Buffer does not fail
	return b.String()
}

func num(v float64) string {
	return strconv.FormatFloat(float64(int64(v*100+0.5*sign(v)))/100, 'f', -1, 64)
}

func sign(v float64) float64 {
	if v < 0 {
		return -1
	}
	return 1
}

func (c *svgCanvas) SetLineWidth(w vg.Length)               { c.state.width = w }
func (c *svgCanvas) SetLineDash(p []vg.Length, _ vg.Length) { c.state.dashes = p }
func (c *svgCanvas) SetColor(k color.Color)                 { c.state.color = k }
func (c *svgCanvas) Rotate(float64)                         {} // charts are drawn upright
func (c *svgCanvas) Scale(float64, float64)                 {} // and at their size
func (c *svgCanvas) Translate(p vg.Point)                   { c.state.dx += p.X; c.state.dy += p.Y }
func (c *svgCanvas) Push()                                  { c.stack = append(c.stack, c.state) }
func (c *svgCanvas) Pop() {
	c.state, c.stack = c.stack[len(c.stack)-1], c.stack[:len(c.stack)-1]
}

func (c *svgCanvas) xy(p vg.Point) (string, string) {
	return num(float64(p.X + c.state.dx)), num(c.h - float64(p.Y+c.state.dy))
}

func paint(k color.Color) string {
	r, g, b, a := k.RGBA()
	if a == 0 {
		return "none"
	}
	return fmt.Sprintf("#%02x%02x%02x", r*0xff/a, g*0xff/a, b*0xff/a)
}

func (c *svgCanvas) path(p vg.Path) string {
	var b bytes.Buffer
	for _, s := range p {
		x, y := c.xy(s.Pos)
		switch s.Type {
		case vg.MoveComp:
			b.WriteString("M" + x + " " + y)
		case vg.LineComp:
			b.WriteString("L" + x + " " + y)
		case vg.CurveComp:
			b.WriteString("C")
			for _, k := range s.Control {
				kx, ky := c.xy(k)
				b.WriteString(kx + " " + ky + " ")
			}
			b.WriteString(x + " " + y)
		case vg.CloseComp:
			b.WriteString("Z")
		}
	}
	return b.String()
}

func (c *svgCanvas) Stroke(p vg.Path) {
	dash := ""
	if len(c.state.dashes) > 0 {
		dash = ` stroke-dasharray="`
		for i, d := range c.state.dashes {
			if i > 0 {
				dash += " "
			}
			dash += num(float64(d))
		}
		dash += `"`
	}
	fmt.Fprintf(&c.buf, `<path d="%s" fill="none" stroke="%s" stroke-width="%s"%s/>`+"\n", c.path(p), paint(c.state.color),
		num(float64(c.state.width)), dash)
}

func (c *svgCanvas) Fill(p vg.Path) {
	fmt.Fprintf(&c.buf, `<path d="%s" fill="%s"/>`+"\n", c.path(p), paint(c.state.color))
}

func (c *svgCanvas) FillString(f font.Face, p vg.Point, s string) {
	x, y := c.xy(p)
	family := "IBM Plex Sans, Helvetica, Arial, sans-serif"
	if f.Font.Variant == "Condensed" {
		family = "IBM Plex Sans Condensed, Arial Narrow, Helvetica, Arial, sans-serif"
	}
	weight := ""
	switch f.Font.Weight {
	case xfont.WeightMedium:
		weight = ` font-weight="500"`
	case xfont.WeightSemiBold:
		weight = ` font-weight="600"`
	}
	anchor := ""
	if c.state.anchor != "" {
		anchor = ` text-anchor="` + c.state.anchor + `"`
	}
	fmt.Fprintf(&c.buf, `<text x="%s" y="%s" font-family="%s" font-size="%s"%s%s fill="%s">%s</text>`+"\n",
		x, y, family, num(float64(f.Font.Size)), weight, anchor, paint(c.state.color), escape(s))
}

func (c *svgCanvas) DrawImage(vg.Rectangle, image.Image) {} // charts hold no pictures
