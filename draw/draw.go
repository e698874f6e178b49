// Package draw turns a chart description into SVG or PNG. All layout goes through gonum/plot's
// canvases, so both formats show the same picture; it decides where things stand, never what they say.
package draw

import (
	"bytes"
	"cmp"
	"embed"
	"fmt"
	"image/color"
	"image/png"
	"reflect"
	"sync"

	xfont "golang.org/x/image/font"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/font/sfnt"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/vgimg"

	"durvek/core/chart"
)

// Fonts holds the faces that charts are set in (IBM Plex, SIL Open Font License, in fonts/LICENSE.txt).
//
//go:embed fonts/*
var Fonts embed.FS

// Format is a shape of picture: width and height in pixels (height 0 follows the content), and how
// much larger than on a page everything is drawn.
type Format struct {
	Width, Height float64
	Zoom          float64
}

// Formats lists the shapes that charts are drawn in: page, column and phone width, cards for video, and for links.
var Formats = map[string]Format{
	"page":   {Width: 1040, Zoom: 1},
	"column": {Width: 820, Zoom: 1},
	"phone":  {Width: 390, Zoom: 0.9},
	"card":   {Width: 1920, Height: 1080, Zoom: 1.75},
	"tall":   {Width: 1080, Height: 1920, Zoom: 1.75},
	"link":   {Width: 1200, Height: 630, Zoom: 1.2},
}

// Options say how a chart is drawn.
type Options struct {
	Format      string  // "" means page
	Dark        bool    // dark theme
	Transparent bool    // no ground
	Pixels      float64 // PNG pixels per unit; 0 means 1
	Most        int     // rows of a ranked chart at most: its ends and what is around its subject; 0 means 40, below 0 all
}

// Theme holds a chart's colours.
type Theme struct {
	Ground, Ink, Soft, Line, Bar, Raised, Subject, Caution, Tie color.Color
}

func hex(s string) color.Color {
	var r, g, b uint8
	fmt.Sscanf(s, "#%02x%02x%02x", &r, &g, &b)
	return color.RGBA{r, g, b, 255}
}

// Light and Dark are the two palettes, the same as the console's.
var (
	Light = Theme{hex("#F6F8F9"), hex("#12232E"), hex("#4F6470"), hex("#C9D4DA"), hex("#9DB2BD"), hex("#C6D3DA"),
		hex("#0B6E7F"), hex("#A81E6B"), hex("#F6EBCB")}
	Dark = Theme{hex("#0E1B23"), hex("#E3ECEF"), hex("#9DB1BB"), hex("#2C414D"), hex("#4F6B79"), hex("#34505E"),
		hex("#39B3C4"), hex("#F07AB5"), hex("#3A3722")}
)

func (o Options) theme() Theme {
	if o.Dark {
		return Dark
	}
	return Light
}

func (o Options) format() (Format, error) {
	if o.Format == "" {
		o.Format = "page"
	}
	f, ok := Formats[o.Format]
	if !ok {
		return f, fmt.Errorf("unknown format %q; there are page, column, phone, card, tall and link", o.Format)
	}
	return f, nil
}

// usualMost is how many rows of a ranked chart one looks at.
const usualMost = 40

// drawing is a laid-out picture.
type drawing interface {
	size() (w, h float64)
	paint(c vg.Canvas, groundless bool)
}

var layouts = map[reflect.Type]func(chart.Picture, Format, Theme) drawing{}

// register adds a kind of chart with what lays it out; each kind's file adds its own.
func register[C chart.Picture, D drawing](layOut func(C, Format, Theme) D) {
	layouts[reflect.TypeFor[C]()] = func(p chart.Picture, f Format, t Theme) drawing { return layOut(p.(C), f, t) }
}

func layOutAny(p chart.Picture, o Options) (drawing, error) {
	f, err := o.format()
	if err != nil {
		return nil, err
	}
	lay, ok := layouts[reflect.TypeOf(p)]
	if !ok {
		return nil, fmt.Errorf("a picture of kind %T cannot be drawn", p)
	}
	if r, ok := p.(chart.Ranked); ok && f.Height == 0 && o.Most >= 0 {
		p = r.Around(cmp.Or(o.Most, usualMost))
	}
	return lay(p, f, o.theme()), nil
}

// SVG draws a chart as SVG, with its text alternative inside.
func SVG(p chart.Picture, o Options) ([]byte, error) {
	d, err := layOutAny(p, o)
	if err != nil {
		return nil, err
	}
	w, h := d.size()
	title, text := p.Heading()
	canvas := newSVG(w, h, title, text)
	d.paint(canvas, o.Transparent)
	return canvas.bytes(), nil
}

// PNG draws a chart as PNG.
func PNG(p chart.Picture, o Options) ([]byte, error) {
	d, err := layOutAny(p, o)
	if err != nil {
		return nil, err
	}
	if o.Pixels == 0 {
		o.Pixels = 1
	}
	ground := color.Color(color.Transparent)
	if !o.Transparent {
		ground = o.theme().Ground
	}
	w, h := d.size()
	img := vgimg.NewWith(vgimg.UseWH(vg.Length(w), vg.Length(h)), vgimg.UseDPI(int(72*o.Pixels)),
		vgimg.UseBackgroundColor(ground))
	d.paint(img, true)
	var b bytes.Buffer
	err = (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, img.Image())
	return b.Bytes(), err
}

// style names one of the faces.
type style struct {
	condensed bool
	weight    xfont.Weight
}

var (
	text      = style{false, xfont.WeightNormal}
	strong    = style{false, xfont.WeightSemiBold}
	narrow    = style{true, xfont.WeightNormal}
	narrowMid = style{true, xfont.WeightMedium}
	narrowBig = style{true, xfont.WeightSemiBold}
)

var faces = sync.OnceValue(func() map[style]*opentype.Font {
	out := map[style]*opentype.Font{}
	for s, name := range map[style]string{text: "IBMPlexSans-Regular", strong: "IBMPlexSans-SemiBold",
		narrow:    "IBMPlexSansCondensed-Regular",
		narrowMid: "IBMPlexSansCondensed-Medium", narrowBig: "IBMPlexSansCondensed-SemiBold"} {
		data, err := Fonts.ReadFile("fonts/" + name + ".ttf")
		if err != nil {
			panic(err)
		}
		f, err := sfnt.Parse(data)
		if err != nil {
			panic(fmt.Sprintf("font %s: %v", name, err))
		}
		out[s] = f
	}
	return out
})

func face(s style, size float64) font.Face {
	f := font.Font{Typeface: "IBM Plex Sans", Variant: "Sans", Weight: s.weight, Size: vg.Length(size)}
	if s.condensed {
		f.Variant = "Condensed"
	}
	return font.Face{Font: f, Face: faces()[s]}
}

// advances keeps each face's glyph widths at size 1, which is what most of the layout asks for.
var advances sync.Map // map[advanceKey]float64

type advanceKey struct {
	style style
	r     rune
}

// width is a text's width in pixels.
func width(s style, size float64, t string) float64 {
	w := 0.0
	for _, r := range t {
		k := advanceKey{s, r}
		a, ok := advances.Load(k)
		if !ok {
			f := face(s, 100)
			a = float64(f.Width(string(r))) / 100
			advances.Store(k, a)
		}
		w += a.(float64) * size
	}
	return w
}
