package draw

import (
	"math"

	"gonum.org/v1/plot/vg"

	"durvek/core/chart"
	"durvek/core/quantity"
)

// lines is a chart of series with its places.
type lines struct {
	plot
	c chart.Lines
}

func init() { register(layOutLines) }

func layOutLines(c chart.Lines, f Format, t Theme) *lines {
	l := &lines{c: c}
	l.frame = newFrame(c.Title, c.Subtitle, c.Notes, c.Foot, f, t, func(z float64) float64 { return 480 * z })
	lox, hix, loy, hiy := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	right := 0.0
	for _, s := range c.Lines {
		for i := range s.X {
			lox, hix = math.Min(lox, l.across(s.X[i])), math.Max(hix, l.across(s.X[i]))
			loy, hiy = math.Min(loy, s.Y[i]), math.Max(hiy, s.Y[i])
		}
		if len(c.Lines) == 1 && s.Summary == "" { // what the chart is of needs no name
			continue
		}
		right = math.Max(right, math.Max(width(narrowMid, 14*l.z, s.Name), width(narrow, smallest*l.z, s.Summary)))
	}
	if math.IsInf(lox, 0) {
		lox, hix, loy, hiy = 0, 1, 0, 1
	}
	l.axes(lox, hix, loy, hiy, !c.Log && !c.Plane, math.Min(right, 0.28*l.w)+18*l.z)
	if l.lox, l.hix = lox, hix; lox == hix {
		l.hix = lox + 1
	}
	switch l.ticksX = chart.Ticks(l.lox, l.hix, 7, false); {
	case c.Log:
		l.ticksX = nil
		marks := []float64{1, 2, 5}
		if (l.x1-l.x0)/(l.hix-l.lox) < 200*l.z { // too little room for all three of a decade
			marks = marks[:1]
		}
		for d := math.Floor(l.lox); d <= l.hix; d++ {
			for _, k := range marks {
				if v := d + math.Log10(k); v >= l.lox-1e-9 && v <= l.hix+1e-9 {
					l.ticksX = append(l.ticksX, v)
				}
			}
		}
		l.tickX = func(v float64) string { return quantity.Fixed(math.Round(math.Pow(10, v)), 0) }
	case c.Plane:
		l.square()
	}
	return l
}

// across is where a value lies on the axis: its logarithm where that is drawn.
func (l *lines) across(v float64) float64 {
	if l.c.Log {
		return math.Log10(v)
	}
	return v
}

// square gives both axes one scale: the wider range is kept, the other grows around its middle.
func (l *lines) square() {
	perX, perY := (l.hix-l.lox)/(l.x1-l.x0), (l.hiy-l.loy)/(l.y0-l.y1)
	if perX < perY {
		mid, half := (l.lox+l.hix)/2, perY*(l.x1-l.x0)/2
		l.lox, l.hix = mid-half, mid+half
	} else {
		mid, half := (l.loy+l.hiy)/2, perX*(l.y0-l.y1)/2
		l.loy, l.hiy = mid-half, mid+half
	}
	l.ticksX, l.ticksY = chart.Ticks(l.lox, l.hix, 7, false), chart.Ticks(l.loy, l.hiy, 6, false)
}

// end is the last place of a line: where it is, and where its name comes to stand.
type end struct {
	i       int
	y, want float64
}

func (l *lines) paint(c vg.Canvas, groundless bool) {
	l.paintFrame(c, groundless)
	z := l.z
	l.grid(l.c.X, l.c.Y)
	var ends []end
	dashes := [][]vg.Length{nil, {7, 4}, {2, 3}, {10, 3, 2, 3}, {4, 2}}
	for i, s := range l.c.Lines {
		if len(s.X) == 0 {
			continue
		}
		ink := l.t.Soft
		if s.Subject || len(l.c.Lines) == 1 {
			ink = l.t.Subject
		} else if i%2 == 1 {
			ink = l.t.Ink
		}
		if l.c.Even && s.X[0] > 0 && (s.Subject || i == 0) {
			l.canvas.SetLineDash([]vg.Length{vg.Length(1.5 * z), vg.Length(3 * z)}, 0)
			top := math.Min(s.Y[0]/s.X[0]*s.X[len(s.X)-1], l.hiy)
			l.line(l.px(s.X[0]), l.py(s.Y[0]), l.px(top*s.X[0]/s.Y[0]), l.py(top), l.t.Line, 1.2*z)
			l.canvas.SetLineDash(nil, 0)
		}
		var dash []vg.Length
		for _, d := range dashes[i%len(dashes)] {
			dash = append(dash, d*vg.Length(z))
		}
		if s.Subject || l.c.Dots {
			dash = nil
		}
		var way vg.Path
		for k := range s.X {
			p := l.at(l.px(l.across(s.X[k])), l.py(s.Y[k]))
			if k == 0 {
				way.Move(p)
			} else {
				way.Line(p)
			}
		}
		l.canvas.SetColor(ink)
		l.canvas.SetLineWidth(vg.Length(2 * z))
		l.canvas.SetLineDash(dash, 0)
		if !s.Dots || !l.c.Plane {
			l.canvas.Stroke(way)
		}
		l.canvas.SetLineDash(nil, 0)
		if l.c.Dots || s.Dots {
			for k := range s.X {
				l.mark(i, l.px(l.across(s.X[k])), l.py(s.Y[k]), 4.5*z, false, ink)
			}
		}
		if len(l.c.Lines) == 1 && s.Summary == "" {
			continue
		}
		y := l.py(s.Y[len(s.Y)-1])
		ends = append(ends, end{i: i, y: y, want: y})
	}
	l.labels(ends)
}

// labels names the lines at their ends, pushed apart until they fit.
func (l *lines) labels(ends []end) {
	z := l.z
	for i := range ends {
		for k := i + 1; k < len(ends); k++ {
			if ends[k].y < ends[i].y {
				ends[i], ends[k] = ends[k], ends[i]
			}
		}
	}
	gap := 34 * z
	for range 60 { // labels push each other apart until they fit
		for i := 1; i < len(ends); i++ {
			if d := gap - (ends[i].y - ends[i-1].y); d > 0 {
				ends[i-1].y -= d / 2
				ends[i].y += d / 2
			}
		}
		for i := range ends {
			ends[i].y = math.Min(math.Max(ends[i].y, l.y1+4*z), l.y0-12*z)
		}
	}
	room := l.w - margin*z - l.x1 - 18*z
	for _, e := range ends {
		s := l.c.Lines[e.i]
		ink := l.t.Ink
		if s.Subject {
			ink = l.t.Subject
		}
		last := l.px(l.across(s.X[len(s.X)-1]))
		l.line(last+2*z, e.want, l.x1+12*z, e.y, l.t.Line, 1*z)
		l.text(narrowMid, 14*z, l.x1+16*z, e.y+3*z, fit(narrowMid, 14*z, s.Name, room), ink, "")
		l.text(narrow, smallest*z, l.x1+16*z, e.y+18*z, fit(narrow, smallest*z, s.Summary, room), l.t.Soft, "")
	}
}
