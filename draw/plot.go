package draw

import (
	"math"

	"durvek/core/chart"
)

// plot is the body of a chart with two axes.
type plot struct {
	frame
	x0, x1, y0, y1     float64 // of the plot in pixels; y0 is below
	lox, hix, loy, hiy float64
	ticksX, ticksY     []float64
	tickX              func(v float64) string // what stands at a tick of the lower axis; its value where nil
}

func (p *plot) axes(lox, hix, loy, hiy float64, zeroY bool, right float64) {
	z := p.z
	if zeroY {
		loy = math.Min(loy, 0)
	}
	padX, padY := (hix-lox)*0.06, (hiy-loy)*0.08
	if hix == lox {
		padX = math.Max(1, math.Abs(lox)*0.1)
	}
	if hiy == loy {
		padY = math.Max(1, math.Abs(loy)*0.1)
	}
	p.lox, p.hix, p.hiy = lox-padX, hix+padX, hiy+padY
	if p.loy = loy - padY; zeroY && loy == 0 {
		p.loy = 0
	}
	p.ticksY = chart.Ticks(p.loy, p.hiy, 6, false)
	p.ticksX = chart.Ticks(p.lox, p.hix, 7, false)
	wide := 0.0
	for _, v := range p.ticksY {
		wide = math.Max(wide, width(text, 13*z, tickText(p.ticksY, v)))
	}
	p.x0, p.x1 = margin*z+wide+10*z, p.w-margin*z-right
	p.y1, p.y0 = p.top+24*z, p.bottom-50*z
}

func (p *plot) px(v float64) float64 { return p.x0 + (v-p.lox)/(p.hix-p.lox)*(p.x1-p.x0) }
func (p *plot) py(v float64) float64 { return p.y0 - (v-p.loy)/(p.hiy-p.loy)*(p.y0-p.y1) }

func (p *plot) grid(x, y string) {
	z := p.z
	for _, v := range p.ticksY {
		p.line(p.x0, p.py(v), p.x1, p.py(v), p.t.Line, 1*z)
		p.text(text, 13*z, p.x0-8*z, p.py(v)+4.5*z, tickText(p.ticksY, v), p.t.Soft, "end")
	}
	for _, v := range p.ticksX {
		p.line(p.px(v), p.y0, p.px(v), p.y0+5*z, p.t.Soft, 1*z)
		says := tickText(p.ticksX, v)
		if p.tickX != nil {
			says = p.tickX(v)
		}
		p.text(text, 13*z, p.px(v), p.y0+20*z, says, p.t.Soft, "middle")
	}
	p.line(p.x0, p.y0, p.x1, p.y0, p.t.Soft, 1.2*z)
	p.text(narrowMid, 14*z, margin*z, p.y1-10*z, y, p.t.Soft, "")
	p.text(narrowMid, 14*z, p.x1, p.y0+40*z, x, p.t.Soft, "end")
}
