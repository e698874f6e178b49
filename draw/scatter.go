package draw

import (
	"cmp"
	"image/color"
	"math"
	"slices"

	"gonum.org/v1/plot/vg"

	"durvek/core/chart"
)

// scatter is a scatter chart with its places.
type scatter struct {
	plot
	c chart.Scatter
}

func init() { register(layOutScatter) }

func layOutScatter(c chart.Scatter, f Format, t Theme) *scatter {
	l := &scatter{c: c}
	l.frame = newFrame(c.Title, c.Subtitle, c.Notes, c.Foot, f, t, func(z float64) float64 { return 520 * z })
	lox, hix, loy, hiy := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	for _, p := range c.Points {
		lox, hix = math.Min(lox, p.X), math.Max(hix, p.X)
		loy, hiy = math.Min(loy, math.Min(p.Y, p.Lo)), math.Max(hiy, math.Max(p.Y, p.Hi))
	}
	if len(c.Points) == 0 {
		lox, hix, loy, hiy = 0, 1, 0, 1
	}
	if c.Origin {
		lox, hix = math.Min(lox, 0), math.Max(hix, 0)
	}
	l.axes(lox, hix, loy, hiy, c.FromZero || c.Origin, 0)
	return l
}

type area struct{ x0, y0, x1, y1 float64 }

func (b area) meets(o area) bool { return b.x0 < o.x1 && o.x0 < b.x1 && b.y0 < o.y1 && o.y0 < b.y1 }

func (l *scatter) paint(c vg.Canvas, groundless bool) {
	l.paintFrame(c, groundless)
	z := l.z
	l.grid(l.c.X, l.c.Y)
	if l.c.Frontier {
		l.frontier()
	}
	var taken []area
	for _, p := range l.c.Points {
		x, y := l.px(p.X), l.py(p.Y)
		taken = append(taken, area{x - 8*z, y - 8*z, x + 8*z, y + 8*z})
	}
	points := len(taken)
	for _, s := range l.steps() {
		taken = append(taken, area{min(s.x0, s.x1) - z, min(s.y0, s.y1) - z, max(s.x0, s.x1) + z, max(s.y0, s.y1) + z})
	}
	for _, p := range l.c.Points {
		x := l.px(p.X)
		if p.Hi > p.Lo {
			taken = append(taken, area{x - z, l.py(p.Hi), x + z, l.py(p.Lo)})
			for _, pen := range []struct {
				c color.Color
				w float64
			}{{l.t.Ground, 3.6 * z}, {l.t.Soft, 1.2 * z}} {
				l.line(x, l.py(p.Lo), x, l.py(p.Hi), pen.c, pen.w)
			}
		}
	}
	lines := len(taken)
	size := 14 * z
	if len(l.c.Points) > 14 {
		size = smallest * z
	}
	for i, p := range l.c.Points {
		x, y := l.px(p.X), l.py(p.Y)
		ink := l.t.Bar
		if p.Best {
			ink = l.t.Ink
		}
		if p.Subject {
			ink = l.t.Subject
		}
		l.mark(0, x, y, 6*z, p.Hollow, ink)
		name := p.Name
		if p.Note != "" {
			name += ", " + p.Note
		}
		name = fit(narrowMid, size, name, l.w*0.34)
		w, h := width(narrowMid, size, name), size*1.15
		text := l.t.Ink
		if p.Subject {
			text = l.t.Subject
		} else if !p.Best && l.c.Frontier {
			text = l.t.Soft
		}
	places:
		for try := range 10 { // the last five care for names and points alone
			off, firm := []float64{10, 20, 34, 52, 74}[try%5], try < 5
			d := off * z
			top, foot := l.py(p.Hi)-3*z, l.py(p.Lo)+3*z // beyond its whisker
			for k, at := range []area{{x + d, y - h/2, x + d + w, y + h/2}, {x - d - w, y - h/2, x - d, y + h/2},
				{x + 0.7*d, y - d - 0.6*h, x + 0.7*d + w, y - d + 0.4*h}, {x - 0.7*d - w, y - d - 0.6*h, x - 0.7*d, y - d + 0.4*h},
				{x + 0.7*d, y + d - 0.4*h, x + 0.7*d + w, y + d + 0.6*h}, {x - 0.7*d - w, y + d - 0.4*h, x - 0.7*d, y + d + 0.6*h},
				{x - w/2, y - d - h, x + w/2, y - d}, {x - w/2, y + d, x + w/2, y + d + h},
				{x - w/2, top - h, x + w/2, top}, {x - w + d, top - h, x + d, top}, {x - d, top - h, x + w - d, top},
				{x - w/2, foot, x + w/2, foot + h}, {x - w + d, foot, x + d, foot + h}} {
				free := at.x0 >= l.x0-4*z && at.x1 <= l.w-margin*z/2 && at.y0 >= l.y1-14*z && at.y1 <= l.y0
				for n, b := range taken {
					free = free && (n < points && n == i || n >= points && n < lines && !firm || !at.meets(b))
				}
				if !free {
					continue
				}
				taken = append(taken, at)
				if off > 20 && k < 8 { // too far to belong to it without a line
					to := at.x0 - 2*z
					if k%2 == 1 && k < 6 {
						to = at.x1 + 2*z
					}
					l.line(x, y, to, (at.y0+at.y1)/2, l.t.Line, 1*z)
					l.mark(0, x, y, 6*z, p.Hollow, ink)
				}
				l.text(narrowMid, size, at.x0, at.y0+h*0.8, name, text, "")
				break places
			}
		}
	}
}

type step struct{ x0, y0, x1, y1 float64 }

// steps are the lines of the frontier: between two points of it one gets the cheaper.
func (l *scatter) steps() (out []step) {
	if !l.c.Frontier {
		return nil
	}
	var front []chart.Point
	for _, p := range l.c.Points {
		if p.Best {
			front = append(front, p)
		}
	}
	slices.SortFunc(front, func(a, b chart.Point) int { return cmp.Compare(a.X, b.X) })
	for i := 1; i < len(front); i++ {
		a, b := front[i-1], front[i]
		out = append(out, step{l.px(a.X), l.py(a.Y), l.px(b.X), l.py(a.Y)}, step{l.px(b.X), l.py(a.Y), l.px(b.X), l.py(b.Y)})
	}
	return out
}

func (l *scatter) frontier() {
	l.canvas.SetLineDash([]vg.Length{vg.Length(5 * l.z), vg.Length(4 * l.z)}, 0)
	for _, s := range l.steps() {
		l.line(s.x0, s.y0, s.x1, s.y1, l.t.Subject, 1.4*l.z)
	}
	l.canvas.SetLineDash(nil, 0)
}
