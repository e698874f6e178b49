package draw

import (
	"image/color"
	"math"

	"gonum.org/v1/plot/vg"

	"durvek/core/chart"
)

// scatter is a scatter chart with its places.
type scatter struct {
	plot
	c chart.Scatter
}

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
	l.axes(lox, hix, loy, hiy, c.FromZero, 0)
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
	for _, p := range l.c.Points {
		x := l.px(p.X)
		if p.Hi > p.Lo {
			for _, pen := range []struct {
				c color.Color
				w float64
			}{{l.t.Ground, 3.6 * z}, {l.t.Soft, 1.2 * z}} {
				l.line(x, l.py(p.Lo), x, l.py(p.Hi), pen.c, pen.w)
			}
		}
	}
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
		for _, at := range []area{{x + 11*z, y - h/2, x + 11*z + w, y + h/2}, {x - 11*z - w, y - h/2, x - 11*z, y + h/2}, {x - w/2, y - 11*z - h, x + w/2, y - 11*z}, {x - w/2, y + 11*z, x + w/2, y + 11*z + h},
			{x + 9*z, y - 9*z - h, x + 9*z + w, y - 9*z}, {x + 9*z, y + 9*z, x + 9*z + w, y + 9*z + h}, {x - 9*z - w, y - 9*z - h, x - 9*z, y - 9*z}, {x - 9*z - w, y + 9*z, x - 9*z, y + 9*z + h}} {
			free := at.x0 >= l.x0-4*z && at.x1 <= l.w-margin*z/2 && at.y0 >= l.y1-14*z && at.y1 <= l.y0
			for k, b := range taken {
				free = free && (k == i || !at.meets(b))
			}
			if free {
				taken = append(taken, at)
				text := l.t.Ink
				if p.Subject {
					text = l.t.Subject
				} else if !p.Best && l.c.Frontier {
					text = l.t.Soft
				}
				l.text(narrowMid, size, at.x0, at.y0+h*0.8, name, text, "")
				break
			}
		}
	}
}

// frontier joins the points that nothing beats by a stepped line: between two of them one gets the cheaper.
func (l *scatter) frontier() {
	var front []chart.Point
	for _, p := range l.c.Points {
		if p.Best {
			front = append(front, p)
		}
	}
	for i := range front {
		for k := i + 1; k < len(front); k++ {
			if front[k].X < front[i].X {
				front[i], front[k] = front[k], front[i]
			}
		}
	}
	l.canvas.SetLineDash([]vg.Length{vg.Length(5 * l.z), vg.Length(4 * l.z)}, 0)
	for i := 1; i < len(front); i++ {
		a, b := front[i-1], front[i]
		l.line(l.px(a.X), l.py(a.Y), l.px(b.X), l.py(a.Y), l.t.Subject, 1.4*l.z)
		l.line(l.px(b.X), l.py(a.Y), l.px(b.X), l.py(b.Y), l.t.Subject, 1.4*l.z)
	}
	l.canvas.SetLineDash(nil, 0)
}
