package stats_test

import (
	"fmt"
	"math"

	"durvek/core/stats"
)

// Two units' repeats of a rate share one repeatability; on ratio scales logarithms go in.
func ExamplePool_Estimate() {
	var cells []stats.Cell
	for _, readings := range [][]float64{{401, 404, 399, 402}, {310, 308, 311, 309}} {
		var vs []stats.Value
		for _, r := range readings {
			vs = append(vs, stats.Value{X: r, Sitting: "monday"})
		}
		cells = append(cells, stats.NewCell(vs, true))
	}
	e := stats.NewPool(cells, 0, 0.01).Estimate(cells[0], true)
	fmt.Printf("%.0f, 95 %% from %.0f to %.0f, of %d\n", e.Centre, math.Floor(e.Lo), math.Ceil(e.Hi), e.N)
	// Output: 401, 95 % from 398 to 405, of 4
}
