package analyse

import "math"

// Knee is where a latency curve leaves a plateau: the last working set that still fits the level.
type Knee struct {
	Size    float64 // bytes
	Latency float64 // of the plateau that ends there, in the unit of the latencies
}

// Knees finds the ends of the plateaus of a curve of latency over working set, sizes rising. A plateau goes on while
// the latency stays within 15 % of its running mean; it counts if it spans a factor of two in size or more, and its end
// is a knee if the latency then rises by a quarter or more above it before the next plateau. A last plateau, main
// memory's, has no knee. Curves rise over a span, so a knee lies at or a little below the size of the cache that causes
// it.
func Knees(sizes, latency []float64) []Knee {
	type plateau struct {
		from, to int
		level    float64
	}
	var flats []plateau
	for i := 0; i < len(sizes); {
		level, j := latency[i], i+1
		for j < len(sizes) && math.Abs(latency[j]-level) <= 0.15*level {
			level += (latency[j] - level) / float64(j-i+1)
			j++
		}
		if sizes[j-1] >= 2*sizes[i]*0.999 {
			flats = append(flats, plateau{i, j - 1, level})
			i = j
		} else {
			i++
		}
	}
	var out []Knee
	for i := 0; i+1 < len(flats); i++ {
		if flats[i+1].level >= 1.25*flats[i].level {
			out = append(out, Knee{sizes[flats[i].to], flats[i].level})
		}
	}
	return out
}
