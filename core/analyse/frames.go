package analyse

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

// Frames is what a series of frame times says.
type Frames struct {
	Count     int     `json:"count" doc:"Frames, rendered and generated"`
	Generated int     `json:"generated,omitempty" doc:"Frames that were generated between rendered ones"`
	Seconds   float64 `json:"seconds" doc:"Time of all frames together"`
	Mean      float64 `json:"mean" doc:"Rendered frames ÷ total time, per second"`
	Shown     float64 `json:"shown,omitempty" doc:"All frames ÷ total time, where some are generated"`
	Low       float64 `json:"low,omitempty" doc:"1 % low: rate over the slowest ⌈n/100⌉ frames; 0 where frames are too few"`
	P99       float64 `json:"p99,omitempty" doc:"99th percentile of the frame times in ms, type 7; 0 where frames are too few"`
	Stutters  int     `json:"stutters" doc:"Frames longer than 2.5 times the median of the 21 around them"`
	Share     float64 `json:"share" doc:"Stutters in per cent of the frames"`
	Warning   string  `json:"warning,omitempty" doc:"Why the slow frames' figures are missing, or weak"`
}

// How many frames figures of the slowest ones need, and from how many on they stand well.
const (
	leastFrames = 1000
	goodFrames  = 6000
)

// FramesDefined prints how each figure is defined.
const FramesDefined = "Mean rate: frames ÷ total time. 1 % low: rate over the slowest ⌈n/100⌉ frames. 99th " +
	"percentile: of the frame times, type-7 quantile. Stutters: frames longer than 2.5 × the median of the 21 around " +
	"them. Slow frames need 1,000 frames, and stand well from 6,000."

// ErrFrames marks frame times that are none.
var ErrFrames = errors.New("these are no frame times")

// FrameTimes reads the times of frames in ms, in order, from whatever source. generated marks frames that
// were made between rendered ones; nil if none were. A rendered frame's time is then its own with that of
// the generated frames before it. The definitions are those of FramesDefined.
func FrameTimes(ms []float64, generated []bool) (Frames, error) {
	var f Frames
	if len(ms) == 0 || generated != nil && len(generated) != len(ms) {
		return f, fmt.Errorf("%w: %d times, %d marks", ErrFrames, len(ms), len(generated))
	}
	for i, x := range ms {
		if !(x > 0) || !quantity.Sound(x) {
			return f, fmt.Errorf("%w: frame %d took %g ms", ErrFrames, i+1, x)
		}
	}
	rendered := ms
	if generated != nil {
		rendered = make([]float64, 0, len(ms))
	}
	since := 0.0
	for i, x := range ms {
		f.Seconds += x / 1000
		if generated == nil {
			continue
		}
		if since += x; generated[i] {
			f.Generated++
			continue
		}
		rendered = append(rendered, since)
		since = 0
	}
	f.Count = len(ms)
	n := len(rendered)
	f.Mean = float64(n) / f.Seconds
	if f.Generated > 0 {
		f.Shown = float64(f.Count) / f.Seconds
	}
	for i := range rendered {
		around, below := rendered[max(0, i-10):min(n, i+11)], 0
		for _, x := range around {
			if 2.5*x < rendered[i] {
				below++
			}
		}
		if below > len(around)/2 { // 2.5 times their median is below it
			f.Stutters++
		}
	}
	f.Share = 100 * float64(f.Stutters) / float64(max(n, 1))
	if n < leastFrames {
		f.Warning = fmt.Sprintf("%d frames are too few for the slow ones; %d are needed", n, leastFrames)
		return f, nil
	}
	if n < goodFrames {
		f.Warning = fmt.Sprintf("%d frames: the slow ones stand well from %d on", n, goodFrames)
	}
	slowest := largest(rendered, (n+99)/100+1)
	at := 0.99 * float64(n-1) // type 7
	from := n - len(slowest)
	below, above := slowest[int(at)-from], slowest[min(int(at)+1, n-1)-from]
	f.P99 = below + (at-math.Floor(at))*(above-below)
	slowest = slowest[1:]
	sum := 0.0
	for _, x := range slowest {
		sum += x / 1000
	}
	f.Low = float64(len(slowest)) / sum
	return f, nil
}

// largest are the largest of a series, rising. Of a long one a sample says which are worth being sorted.
func largest(xs []float64, count int) []float64 {
	n := len(xs)
	if n > 1<<16 {
		floor := stats.Quantile(sparse(xs, 1<<14), max(0, 1-1.3*float64(count)/float64(n)))
		var some []float64
		for _, x := range xs {
			if x >= floor {
				some = append(some, x)
			}
		}
		if len(some) >= count {
			xs = some
		}
	}
	sorted := slices.Sorted(slices.Values(xs))
	return sorted[len(sorted)-count:]
}

// FrameMeasures are what a test with the analysis frames yields.
func FrameMeasures() []method.Measure {
	rate := method.Measure{Unit: "{frame}/s", Scale: quantity.Ratio, Better: quantity.Higher}
	mean, low := rate, rate
	mean.Slug, mean.Name, mean.Repeatability = "mean", "mean rate", 0.01
	low.Slug, low.Name, low.Repeatability = "low", "1 % low", 0.04
	return []method.Measure{mean, low,
		{Slug: "frame-time-99", Name: "99th percentile frame time", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.03},
		{Slug: "stutters", Name: "stutters", Unit: "%", Scale: quantity.Share, Better: quantity.Lower, Repeatability: 0.1}}
}

// atRefresh is the share of the screen's refresh rate from which on the screen limits, not what draws.
const atRefresh = 0.985

func init() { register("frames", frames) }

// frames makes the readings of the series "frame", with the frames of a series "generated" counted apart. A mean rate
// at the screen's refresh rate, where the run tells that, is at its ceiling.
func frames(t method.Test, r *record.Run) ([]record.Reading, map[string]string, error) {
	s, ok := channel(r.Series, "frame")
	if !ok {
		return nil, nil, fmt.Errorf("%w: the run brings no series \"frame\"", ErrFrames)
	}
	ms := make([]float64, len(s.Values))
	for i, v := range s.Values {
		var err error
		if ms[i], err = quantity.Convert(v, s.Unit, "ms"); err != nil {
			return nil, nil, err
		}
	}
	var generated []bool
	if g, ok := channel(r.Series, "generated"); ok && len(g.Values) == len(ms) {
		generated = make([]bool, len(ms))
		for i, v := range g.Values {
			generated[i] = v != 0
		}
	}
	refresh := 0.0
	if q, err := quantity.Parse(r.Negotiated["screen.refresh"]); err == nil {
		refresh, _ = q.In("Hz")
	}
	return framesOf(t.Measures, ms, generated, refresh)
}

// framesOf makes the readings of frame times; refresh is the screen's rate, 0 where it is not known.
func framesOf(measures []method.Measure, ms []float64, generated []bool, refresh float64) ([]record.Reading,
	map[string]string, error) {
	f, err := FrameTimes(ms, generated)
	if err != nil {
		return nil, nil, err
	}
	// Definitions of before call the 99th percentile p99.
	values := map[string]float64{"mean": f.Mean, "low": f.Low, "frame-time-99": f.P99, "p99": f.P99, "stutters": f.Share}
	var out []record.Reading
	for _, m := range measures {
		v, known := values[m.Slug]
		switch {
		case !known:
		case f.P99 == 0 && m.Slug != "mean":
			out = append(out, record.Reading{Measure: m.Slug, State: record.Missing, Reason: f.Warning})
		case m.Slug == "mean" && refresh > 0 && v >= atRefresh*refresh:
			out = append(out, record.Reading{Measure: m.Slug, State: record.AtCeiling, Value: v,
				Reason: "the screen shows no more"})
		default:
			out = append(out, record.Reading{Measure: m.Slug, State: record.OK, Value: v})
		}
	}
	said := map[string]string{"frames": fmt.Sprintf("%d in %.1f s, %d stutters", f.Count, f.Seconds, f.Stutters)}
	if f.Generated > 0 {
		said["frames.generated"] = fmt.Sprintf("%d of %d; %.1f frames/s shown, %.1f rendered", f.Generated, f.Count, f.Shown,
			f.Mean)
	}
	if f.Warning != "" {
		said["frames.few"] = f.Warning
	}
	return out, said, nil
}
