package analyse

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/link"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

// crowded is the share of the processor in per cent from which other programs are what held a run back.
const crowded = 50

// Crowded tells whether other programs took most of the processor just before a run: then nothing that its trace shows
// is the machine's own limit.
func Crowded(observed map[string]string) (record.Limiter, bool) {
	q, err := quantity.Parse(observed["load.background"])
	if err != nil || q.Unit != "%" || q.Value < crowded {
		return record.Limiter{}, false
	}
	return record.Limiter{Label: record.ByOthers, Why: fmt.Sprintf("other programs took %.0f %% of the processor",
		q.Value)}, true
}

// Limiter says what held a run back, from its trace, what the machine negotiated and the group of its
// test. Heat and power are told from the rest by the clocks: they only count where the clock fell below
// what it was at the beginning, or below the highest that the system allows. Without evidence
// the answer is "unknown", with the reason.
func Limiter(t record.Trace, negotiated map[string]string, group string) record.Limiter {
	late := func(name string) (v float64, ok bool) { // median of the last half
		column := told(t.Column(name))
		if len(column) < 4 {
			return 0, false
		}
		return stats.Quantile(column[len(column)/2:], 0.5), true
	}
	amount := func(key, unit string) (v float64, ok bool) {
		q, err := quantity.Parse(negotiated[key])
		if err != nil {
			return 0, false
		}
		v, err = q.In(unit)
		return v, err == nil && v > 0
	}
	// The measured drive's or the network's own rate against its link.
	for _, x := range []struct{ link, rate string }{{"link.drive", "throughput.read"}, {"link.drive", "throughput.write"},
		{"link.usb", "throughput.read"}, {"link.usb", "throughput.write"}} {
		l, err := link.Parse(negotiated[x.link])
		if err != nil {
			continue
		}
		carries, _, ok := l.Payload()
		rate, ok2 := late(x.rate)
		if ok && ok2 && rate >= 0.85*carries {
			return record.Limiter{Label: record.ByLink, Why: fmt.Sprintf("%.0f MB/s is %.0f %% of what %s carries", rate,
				100*rate/carries, negotiated[x.link])}
		}
	}
	clock, hasClock := late("clock.mean")
	fell := 1.0
	if hasClock {
		best := early(told(t.Column("clock.mean")))
		if highest, ok := amount("clock.highest", "MHz"); ok {
			best = math.Max(best, highest)
		}
		fell = clock / best
	}
	busy, hasLoad := late("load.processor")
	loaded := !hasLoad || busy >= 50
	if hot, ok := late("temperature.package"); ok && hasClock && loaded && fell < 0.95 {
		limit, told := amount("limit.temperature", "Cel")
		if told && hot >= limit-3 {
			return record.Limiter{Label: record.ByHeat, Why: fmt.Sprintf("%.0f °C, %.0f below its limit, and clocks at %.0f "+
				"%% of their best", hot, math.Max(0, limit-hot), 100*fell)}
		}
		if n, ok := amount("throttled", "1"); ok {
			return record.Limiter{Label: record.ByHeat, Why: fmt.Sprintf("it slowed itself for heat %.0f times, at %.0f °C", n,
				hot)}
		}
	}
	if watts, ok := late("power.package"); ok && hasClock && loaded && fell < 0.97 {
		if limit, told := amount("limit.power.long", "W"); told && watts >= 0.93*limit {
			return record.Limiter{Label: record.ByPower, Why: fmt.Sprintf("%.1f W of %.1f W allowed, and clocks at %.0f %% "+
				"of their best", watts, limit, 100*fell)}
		}
	}
	if v, ok := late("load.drive"); ok && v >= 90 && (group == "storage" || !hasLoad || busy < 60) {
		return record.Limiter{Label: record.ByDrive, Why: fmt.Sprintf("the drive was busy %.0f %% of the time", v)}
	}
	if v, ok := late("load.graphics"); ok && v >= 95 {
		return record.Limiter{Label: record.ByGraphics, Why: fmt.Sprintf("the graphics chip was busy %.0f %% of the time", v)}
	}
	if group == "memory" && hasLoad {
		return record.Limiter{Label: record.ByMemory, Why: "the test moves memory alone, and nothing else stood in its way"}
	}
	busiest, ok := late("load.busiest")
	switch {
	case hasLoad && busy >= 90:
		return record.Limiter{Label: record.ByProcessor, Why: fmt.Sprintf("all threads were busy %.0f %% of the time", busy)}
	case ok && busiest >= 90:
		return record.Limiter{Label: record.ByProcessor, Why: fmt.Sprintf("one thread was busy %.0f %% of the time", busiest)}
	}
	if len(t.Times) < 4 {
		return record.Limiter{Label: record.ByUnknown, Why: "the run has no trace, or one too short to tell"}
	}
	var has []string
	for _, c := range t.Channels {
		if !strings.HasPrefix(c.Name, "rate.") && c.Name != "battery.charge" { // neither says why
			has = append(has, c.Name)
		}
	}
	if len(has) == 0 {
		return record.Limiter{Label: record.ByUnknown, Why: "the machine told no sensor that would say it"}
	}
	return record.Limiter{Label: record.ByUnknown, Why: "nothing was at its limit in " + strings.Join(has, ", ")}
}

// early is the highest level that a channel held, or the highest tenth of its first half where it held none.
func early(column []float64) float64 {
	if c, ok := stats.CourseOf(column, stats.CourseOptions{Matter: 0.03, Dip: 0.05}); ok && c.Shape != stats.Gradual {
		return slices.MaxFunc(c.Levels, func(a, b stats.Segment) int { return cmp.Compare(a.Mean, b.Mean) }).Mean
	}
	return stats.Quantile(column[:max(len(column)/2, 1)], 0.9)
}

func told(column []float64) []float64 {
	out := make([]float64, 0, len(column))
	for _, v := range column {
		if !math.IsNaN(v) {
			out = append(out, v)
		}
	}
	return out
}
