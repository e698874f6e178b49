package draw

import (
	"gonum.org/v1/plot/vg"

	"durvek/core/chart"
)

// dial is a chart of one figure.
type dial struct {
	Title string
	Value string
}

func (d dial) Heading() (string, string) { return d.Title, d.Title + ": " + d.Value }

func (d dial) Table() chart.Table {
	return chart.Table{Columns: []string{d.Title}, Rows: [][]string{{d.Value}}}
}

type dialLayout struct {
	frame
	c dial
}

func init() {
	register(func(c dial, f Format, t Theme) *dialLayout {
		return &dialLayout{newFrame(c.Title, "", nil, "", f, t, func(z float64) float64 { return 200 * z }), c}
	})
}

func (d *dialLayout) paint(c vg.Canvas, groundless bool) {
	d.paintFrame(c, groundless)
	d.text(text, 40*d.z, margin*d.z, d.top+100*d.z, d.c.Value, d.t.Ink, "")
}
