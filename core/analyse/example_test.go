package analyse_test

import (
	"fmt"

	"durvek/core/analyse"
)

func ExampleFrameTimes() {
	ms := make([]float64, 1000)
	for i := range ms {
		ms[i] = 10
	}
	ms[500] = 60 // one frame was late
	x, _ := analyse.FrameTimes(ms, nil)
	fmt.Printf("%.1f frames a second, %d stutter\n", x.Mean, x.Stutters)
	// Output: 99.5 frames a second, 1 stutter
}
