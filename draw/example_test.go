package draw_test

import (
	"bytes"
	"fmt"

	"durvek/core/chart"
	"durvek/draw"
)

func ExampleSVG() {
	b, err := draw.SVG(chart.Lines{Title: "Rate under load", X: "s", Y: "MB/s",
		Lines: []chart.Line{{Name: "Fen 14", X: []float64{0, 60, 600}, Y: []float64{410, 405, 330}}}},
		draw.Options{Format: "column"})
	fmt.Println(bytes.HasPrefix(b, []byte("<svg")), bytes.Contains(b, []byte("Rate under load")), err)
	// Output: true true <nil>
}
