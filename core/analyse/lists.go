package analyse

import (
	"fmt"
	"math"
	"slices"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

var latency = Analysis{Name: "latency-list", Version: 1, Title: "Latency, a list", Group: "storage",
	About: "Latencies one by one: median, 99 %, 99.9 % and worst, by rank over all of them; never averages of " +
		"percentiles.",
	Roles: []Role{{Name: "latency", Unit: "ms", Words: "latency", Need: true, Called: []string{"latency", "duration",
		"response", "value", "delay"}}},
	Measures: []method.Measure{
		{Slug: "median", Name: "median", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.03},
		{Slug: "p99", Name: "99th percentile", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.08},
		{Slug: "p999", Name: "99.9th percentile", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.15},
		{Slug: "worst", Name: "worst", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.3}},
	make: func(raw Raw) (Made, error) {
		xs := raw.Columns["latency"]
		if err := whole(xs, "latency"); err != nil {
			return Made{}, err
		}
		if i := slices.IndexFunc(xs, func(x float64) bool { return x <= 0 }); i >= 0 {
			return Made{}, unfit("row %d: a latency of %g ms cannot be", i+1, xs[i])
		}
		var out Made
		for _, p := range []struct {
			measure string
			share   float64
			least   int
		}{{"median", 0.5, 1}, {"p99", 0.99, 100}, {"p999", 0.999, 1000}, {"worst", 1, 1}} {
			if len(xs) < p.least {
				out.Readings = append(out.Readings, lacking(p.measure, fmt.Sprintf("%d latencies are too few; it takes %d", len(xs),
					p.least)))
				continue
			}
			out.Readings = append(out.Readings, found(p.measure, stats.Quantile(xs, p.share)))
		}
		c := Curve{Name: "latency"}
		for i := range 200 { // ever finer towards the slowest
			share := 1 - math.Pow(10, -float64(i)/199*math.Log10(float64(len(xs)+1)))
			c.X, c.Y = append(c.X, 100*share), append(c.Y, stats.Quantile(xs, share))
		}
		out.Picture = Picture{Kind: Curves, Title: "Latency by rank", X: "% of all", Y: "ms", Curves: []Curve{c}}
		return out, nil
	}}

var wireless = Analysis{Name: "link-rate", Version: 1, Title: "Wireless, rate of a link", Group: "wireless",
	About: "Rates of a link over time, at one distance or several: median, evenness as the 5th percentile ÷ the median, " +
		"share " +
		"of moments in which nothing came through, and the distance to which half of the nearest rate is held.",
	Roles: []Role{{Name: "rate", Unit: "Mbit/s", Words: "rate", Need: true, Called: []string{"rate", "throughput",
		"bitrate",
		"bandwidth", "speed"}},
		moments(false),
		{Name: "distance", Unit: "m", Words: "distance", Called: []string{"distance", "range"}}},
	Measures: []method.Measure{
		{Slug: "rate", Name: "rate, median", Unit: "Mbit/s", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.05},
		{Slug: "evenness", Name: "evenness, 5th percentile ÷ median", Unit: "%", Scale: quantity.Share,
			Better:        quantity.Higher,
			Repeatability: 4},
		{Slug: "dropouts", Name: "moments without data", Unit: "%", Scale: quantity.Share, Better: quantity.Lower,
			Repeatability: 0.5},
		{Slug: "reach", Name: "distance at half of the nearest rate", Unit: "m", Scale: quantity.Ratio,
			Better:        quantity.Higher,
			Repeatability: 0.1}},
	make: makeWireless}

func makeWireless(raw Raw) (Made, error) {
	rates := raw.Columns["rate"]
	if err := whole(rates, "rate"); err != nil {
		return Made{}, err
	}
	if slices.Min(rates) < 0 {
		return Made{}, unfit("a rate below zero cannot be")
	}
	if len(rates) < 10 {
		return Made{}, unfit("%d rates are too few to tell how even they are; it takes 10", len(rates))
	}
	var out Made
	middle := stats.Quantile(rates, 0.5)
	none := 0
	for _, r := range rates {
		if r < 0.01*middle || r == 0 {
			none++
		}
	}
	out.Readings = []record.Reading{found("dropouts", 100*float64(none)/float64(len(rates)))}
	if middle > 0 {
		out.Readings = append(out.Readings, found("rate", middle), found("evenness", 100*stats.Quantile(rates, 0.05)/middle))
	} else {
		const why = "nothing came through most of the time"
		out.Readings = append(out.Readings, lacking("rate", why), lacking("evenness", why))
	}
	far := raw.Columns["distance"]
	if far == nil {
		out.absent("reach", "distances were not given")
		times := raw.Columns["time"]
		if times == nil {
			for i := range rates {
				times = append(times, float64(i))
			}
		}
		s := Thin(record.Series{Times: times, Values: rates}, 1000)
		out.Picture = Picture{Kind: Curves, Title: "Rate over time", X: "s", Y: "Mbit/s", Curves: []Curve{{Name: "rate",
			X: s.Times, Y: s.Values}}}
		return out, nil
	}
	at := map[float64][]float64{}
	for i, d := range far {
		if !(d > 0) {
			return out, unfit("row %d: a distance of %g m cannot be", i+1, d)
		}
		at[d] = append(at[d], rates[i])
	}
	c := Curve{Name: "median", Dots: true}
	for d := range at {
		c.X = append(c.X, d)
	}
	slices.Sort(c.X)
	for _, d := range c.X {
		c.Y = append(c.Y, stats.Quantile(at[d], 0.5))
	}
	reach := lacking("reach", "it was measured at one distance alone")
	if len(c.X) > 1 {
		reach = found("reach", c.X[len(c.X)-1])
		reach.State = record.BeyondLimit // it held to the end
		for i := 1; i < len(c.X); i++ {
			if half := c.Y[0] / 2; c.Y[i] < half {
				reach = found("reach", c.X[i-1]+(c.Y[i-1]-half)/(c.Y[i-1]-c.Y[i])*(c.X[i]-c.X[i-1]))
				break
			}
		}
	}
	out.Readings = append(out.Readings, reach)
	out.Picture = Picture{Kind: Curves, Title: "Rate over distance", X: "m", Y: "Mbit/s", Curves: []Curve{c}}
	return out, nil
}

var fill = Analysis{Name: "fill-log", Version: 1, Title: "Drive, a long write", Group: "storage",
	About: "Rates of a long write, over the bytes written or over time: the rate while a write cache takes the data, " +
		"how much " +
		"it takes, the rate after it, and the lowest.",
	Roles: []Role{{Name: "rate", Unit: "MBy/s", Words: "rate", Need: true, Called: []string{"rate", "throughput", "speed",
		"bandwidth", "write"}},
		{Name: "written", Unit: "GBy", Words: "written so far", Called: []string{"written", "bytes", "position", "offset",
			"filled"}},
		moments(false)},
	Measures: []method.Measure{
		{Slug: "before", Name: "rate before the cache is full", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.03},
		{Slug: "after", Name: "rate after it", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.05},
		{Slug: "cache", Name: "written until it is full", Unit: "GBy", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.05},
		{Slug: "lowest", Name: "lowest rate", Unit: "MBy/s", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.1}},
	make: makeFill}

func makeFill(raw Raw) (Made, error) {
	rates, written, times := raw.Columns["rate"], raw.Columns["written"], raw.Columns["time"]
	if err := whole(rates, "rate"); err != nil {
		return Made{}, err
	}
	if i := slices.IndexFunc(rates, func(r float64) bool { return r <= 0 }); i >= 0 {
		return Made{}, unfit("row %d: a rate of %g MB/s cannot be", i+1, rates[i])
	}
	switch {
	case written != nil:
		if err := rising(written); err != nil {
			return Made{}, unfit("what was written does not rise from row to row")
		}
	case times != nil:
		if err := rising(times); err != nil {
			return Made{}, err
		}
		sum, last := 0.0, times[0]
		if len(times) > 1 {
			last -= times[1] - times[0] // the first sample stands for as long as the second
		}
		for i, t := range times {
			sum += rates[i] * (t - last) / 1000
			written, last = append(written, sum), t
		}
	default:
		return Made{}, unfit("a long write is told over the bytes written or over time")
	}
	f, ok := WriteCache(written, rates)
	if !ok {
		return Made{}, unfit("%d samples are too few for a course; it takes %d", len(rates), stats.LeastCourse)
	}
	out := Made{Readings: []record.Reading{found("before", f.Before), found("lowest", slices.Min(rates))}}
	if f.After > 0 {
		out.Readings = append(out.Readings, found("after", f.After))
	} else {
		out.Readings = append(out.Readings, lacking("after", "the last level is too short to tell"))
	}
	cache := found("cache", f.Cache)
	if f.Cache == 0 {
		cache = record.Reading{Measure: "cache", State: record.BeyondLimit, Value: written[len(written)-1]}
		out.Notes = append(out.Notes, "It never fell: the cache, if there is one, is larger than what was written.")
	} else if f.AtMost {
		cache.State = record.AtFloor
	}
	out.Readings = append(out.Readings, cache)
	s := Thin(record.Series{Times: written, Values: rates}, 1000)
	out.Picture = Picture{Kind: Curves, Title: "Rate over what was written", X: "GB", Y: "MB/s", Curves: []Curve{{
		Name: "rate", X: s.Times, Y: s.Values}}}
	return out, nil
}

var loops = Analysis{Name: "loops", Version: 1, Title: "The same work over and over", Group: "application",
	About: "The result of each round of the same work: first, last, what is held of the best, and when it falls.",
	Roles: []Role{{Name: "score", Unit: "1", Words: "result of each round", Need: true, Called: []string{"score", "result",
		"points", "value", "rate"}},
		moments(false),
		{Name: "round", Unit: "1", Words: "number of the round", Called: []string{"round", "loop", "run", "pass",
			"iteration"}}},
	Measures: []method.Measure{
		{Slug: "first", Name: "first round", Unit: "1", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.02},
		{Slug: "last", Name: "last fifth of the rounds", Unit: "1", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.02},
		{Slug: "hold", Name: "held of the best", Unit: "%", Words: "hold", Scale: quantity.Share, Better: quantity.Higher,
			Repeatability: 1.5},
		{Slug: "drop", Name: "rounds until it falls", Unit: "{round}", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.1}},
	make: func(raw Raw) (Made, error) {
		xs := raw.Columns["score"]
		if err := whole(xs, "result"); err != nil {
			return Made{}, err
		}
		n := len(xs)
		if n < 3 || slices.Min(xs) <= 0 {
			return Made{}, unfit("it takes three rounds at least, each with a result above zero")
		}
		last := stats.Average(xs[n-max(1, n/5):])
		best := slices.Max(xs)
		out := Made{Readings: []record.Reading{found("first", xs[0]), found("last", last), found("hold", 100*last/best)}}
		times := make([]float64, n)
		for i := range times {
			times[i] = float64(i + 1)
		}
		drop := lacking("drop", fmt.Sprintf("%d rounds are too few to tell; it takes %d", n, stats.LeastCourse))
		if a, ok := Sustain(times, xs); ok {
			out.Said = map[string]string{"load.shape": a.Says("{round}")}
			switch {
			case a.Drop > 0:
				drop = found("drop", a.Drop)
			case a.Way == HeldOut:
				drop = record.Reading{Measure: "drop", State: record.BeyondLimit, Value: float64(n)}
			default:
				drop = lacking("drop", "it "+string(a.Way))
			}
		}
		out.Readings = append(out.Readings, drop)
		out.Picture = Picture{Kind: Curves, Title: "Result of each round", X: "round", Y: "result", Curves: []Curve{{
			Name: "result", X: times, Y: xs, Dots: n < 100}}}
		return out, nil
	}}

func init() {
	for _, a := range []Analysis{latency, wireless, fill, loops} {
		Register(a)
	}
}
