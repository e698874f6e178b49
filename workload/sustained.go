package workload

import (
	"math"
	"time"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

// DurationOption is how long a sustained test lasts.
var DurationOption = method.Option{Slug: "duration", Meaning: "how long the load lasts", Default: "10 min", Unit: "s",
	Least: 4, Most: 24 * 3600, Match: true}

// SustainedMeasures are what every sustained test yields, for a rate in unit with so much typical spread.
func SustainedMeasures(unit string, repeatability float64) []method.Measure {
	rate := method.Measure{Unit: unit, Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: repeatability}
	return append(Rows(rate, "burst", "burst", "sustained", "sustained"),
		method.Measure{Slug: "hold", Name: "held", Unit: "%", Words: "hold", Scale: quantity.Share, Better: quantity.Higher,
			Repeatability: 100 * repeatability},
		method.Measure{Slug: "drop", Name: "time to drop", Unit: "s", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.1})
}

// SampleEvery is the distance of a sustained test's samples: one second, less where the run is short.
func SampleEvery(length time.Duration) time.Duration { return min(time.Second, length/40) }

// Consistency is the 5th percentile of a series of rates, and for how many seconds it lay below a floor.
func Consistency(s record.Series, floor float64) (p5, below float64) {
	if len(s.Times) < 2 {
		return math.NaN(), math.NaN()
	}
	each := (s.Times[len(s.Times)-1] - s.Times[0]) / float64(len(s.Times)-1)
	return stats.Quantile(s.Values, 0.05), analyse.Below(s.Values, floor, each)
}
