package workload

import (
	"fmt"
	"math"
	"time"

	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

// DurationOption is how long a sustained test lasts.
var DurationOption = method.Option{Slug: "duration", Meaning: "how long the load lasts", Default: "10 min", Unit: "s", Least: 4, Most: 24 * 3600, Match: true}

// SustainedMeasures are what every sustained test yields, for a rate in unit with so much typical spread.
func SustainedMeasures(unit string, repeatability float64) []method.Measure {
	rate := method.Measure{Unit: unit, Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: repeatability}
	return append(Rows(rate, "burst", "burst", "sustained", "sustained"),
		method.Measure{Slug: "hold", Name: "held", Unit: "%", Scale: quantity.Share, Better: quantity.Higher, Repeatability: 100 * repeatability},
		method.Measure{Slug: "drop", Name: "time to drop", Unit: "s", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.1})
}

// SampleEvery is the distance of a sustained test's samples: one second, less where the run is short.
func SampleEvery(length time.Duration) time.Duration { return min(time.Second, length/40) }

// Sustained turns a series of rates under lasting load into burst, sustained, hold and time to drop.
// A rate that never fell makes the time to drop "more than" the run's length.
func Sustained(s record.Series, length time.Duration) ([]record.Reading, map[string]string) {
	missing := func(measure, why string) record.Reading {
		return record.Reading{Measure: measure, State: record.Missing, Reason: why}
	}
	a, ok := analyse.Sustain(s.Times, s.Values)
	if !ok {
		why := fmt.Sprintf("%d samples are too few for a level", len(s.Values))
		return []record.Reading{missing("burst", why), missing("sustained", why), missing("hold", why), missing("drop", why)}, nil
	}
	out := []record.Reading{Reading("burst", a.Burst)}
	if a.Reached {
		out = append(out, Reading("sustained", a.Sustained), Reading("hold", 100*a.Hold))
	} else {
		why := "no sustained level was reached"
		out = append(out, missing("sustained", why), missing("hold", why))
	}
	if a.Drop > 0 {
		out = append(out, Reading("drop", a.Drop))
	} else {
		out = append(out, record.Reading{Measure: "drop", State: record.BeyondLimit, Value: length.Seconds()})
	}
	said := map[string]string{"load.shape": string(a.Shape)}
	if !a.Settled {
		said["load.shape"] += ", not settled"
	}
	return out, said
}

// Consistency is the 5th percentile of a series of rates, and for how many seconds it lay below a floor.
func Consistency(s record.Series, floor float64) (p5, below float64) {
	if len(s.Times) < 2 {
		return math.NaN(), math.NaN()
	}
	each := (s.Times[len(s.Times)-1] - s.Times[0]) / float64(len(s.Times)-1)
	return stats.Quantile(s.Values, 0.05), analyse.Below(s.Values, floor, each)
}
