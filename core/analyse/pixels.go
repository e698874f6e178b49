package analyse

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

// Noise of a folded transition, against its step, from which on a response stands well, and below which there is none.
const (
	wellAbove  = 35 // dB
	measurable = 20 // dB
)

var pixels = Analysis{Name: "pixel-response", Version: 1, Title: "Panel, pixel response", Group: "display",
	About: "Light while a patch goes back and forth between two levels of grey, laid over itself: the time from 10 to " +
		"90 % " +
		"of a rise and a fall, how far it overshoots, and the share of transitions that end within one refresh.",
	Roles: []Role{moments(false),
		sensorLight,
		{Name: "from", Unit: "1", Words: "grey level that it goes from", Called: []string{"from", "start level",
			"from level"}},
		{Name: "to", Unit: "1", Words: "grey level that it goes to", Called: []string{"to", "end level", "to level"}}},
	Options: []method.Option{
		samplingRate,
		{Slug: "refresh", Meaning: "Refresh rate of the screen", Unit: "Hz", Match: true}},
	Measures: []method.Measure{
		{Slug: "mean", Name: "mean of all transitions", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.03},
		{Slug: "rise", Name: "rise, 10 to 90 %", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.03},
		{Slug: "fall", Name: "fall, 90 to 10 %", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.03},
		{Slug: "worst", Name: "slowest transition", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.04},
		{Slug: "overshoot", Name: "largest overshoot", Unit: "%", Scale: quantity.Share, Better: quantity.Lower,
			Repeatability: 1},
		{Slug: "fits", Name: "transitions within one refresh", Unit: "%", Scale: quantity.Share, Better: quantity.Higher,
			Repeatability: 2}}}

func init() {
	pixels.make = makePixels
	Register(pixels)
}

// Transition is what a folded wave between two levels shows: times in seconds, with half of the interval that noise
// leaves them.
type Transition struct {
	Rise, Fall         float64
	RiseSpan, FallSpan float64
	Overshoot          float64 // of the step, the larger of both sides
	Noise              float64 // of the folded wave against its step, in dB
	Turns              float64
	wave               []float64
	low, high          float64
	step               float64
}

// Transitions reads a wave that goes back and forth between two levels, of samples at a distance in seconds. The error
// wraps ErrRaw and says why nothing can be measured.
func Transitions(xs []float64, step float64) (Transition, error) {
	var t Transition
	some := sparse(xs, 20000)
	low, high := stats.Quantile(some, 0.1), stats.Quantile(some, 0.9)
	if !(high > low) {
		return t, unfit("the light does not change")
	}
	mid := (low + high) / 2
	period, from, err := turns(xs, low, high)
	if err != nil {
		return t, err
	}
	parts := min(int(period), 20000)
	if parts < 20 {
		return t, unfit("%.1f samples from one rise to the next are too few", period)
	}
	// The rise stands at a quarter of the folded wave.
	w := fold(xs, period, from-period/4, parts)
	t.wave, t.Turns, t.step = w.mean, w.turns, step*period/float64(parts)
	fallAt := -1
	for k := parts / 4; k < parts; k++ {
		if t.wave[k] < mid && (k+1 == parts || t.wave[k+1] < mid) && k > parts/4+2 {
			fallAt = k
			break
		}
	}
	if fallAt < 0 {
		return t, unfit("the folded wave does not fall again")
	}
	riseAt := parts / 4
	// Between two changes it has come to rest after 60 % of the way, and the next has not begun by 85 %.
	rests := func(from, to float64) float64 {
		sum, n := 0.0, 0.0
		for k := int(from); k < int(to); k++ {
			sum, n = sum+t.wave[k%parts], n+1
		}
		return sum / max(n, 1)
	}
	level := func(from, to int) (value, drift float64) {
		at := func(share float64) float64 { return float64(from) + share*float64(to-from) }
		return rests(at(0.6), at(0.85)), rests(at(0.72), at(0.85)) - rests(at(0.6), at(0.72))
	}
	var upDrift, downDrift float64
	t.high, upDrift = level(riseAt, fallAt)
	t.low, downDrift = level(fallAt, riseAt+parts)
	size := t.high - t.low
	if !(size > 0) {
		return t, unfit("the light does not change")
	}
	if math.Abs(upDrift)+math.Abs(downDrift) > 0.03*size {
		return t, unfit("it does not come to rest between two changes: leave more time between them")
	}
	t.Noise = 20 * math.Log10(size/max(w.noise, 1e-9*size))
	t.Rise, t.RiseSpan = t.between(riseAt, 1, w.noise)
	t.Fall, t.FallSpan = t.between(fallAt, -1, w.noise)
	t.Overshoot = max(slices.Max(t.wave)-t.high, t.low-slices.Min(t.wave)) / size
	return t, nil
}

// turns finds how many samples apart a wave between two levels rises, and where the first rise is.
func turns(xs []float64, low, high float64) (period, from float64, err error) {
	// Where it rises through the middle, with a stretch at either end that noise does not cross twice.
	smooth := smoothed(xs, max(1, len(xs)/20000))
	var rises []float64
	up := smooth[0] > (low+high)/2
	mid, last := (low+high)/2, -1.0
	for i := 1; i < len(smooth); i++ {
		if smooth[i-1] < mid && smooth[i] >= mid {
			last = float64(i-1) + (mid-smooth[i-1])/(smooth[i]-smooth[i-1])
		}
		switch {
		case !up && smooth[i] > low+0.75*(high-low):
			if up = true; last >= 0 {
				rises = append(rises, last)
			}
		case up && smooth[i] < low+0.25*(high-low):
			up, last = false, -1
		}
	}
	if len(rises) < 3 {
		return 0, 0, unfit("it goes back and forth fewer than three times")
	}
	// The period by least squares over the moments of the rises, so that the last one is in step, too.
	n := float64(len(rises))
	var sx, sy, sxy, sxx float64
	for i, r := range rises {
		x := float64(i)
		sx, sy, sxy, sxx = sx+x, sy+r, sxy+x*r, sxx+x*x
	}
	period = (n*sxy - sx*sy) / (n*sxx - sx*sx)
	from = (sy - period*sx) / n
	for i, r := range rises {
		if math.Abs(r-from-period*float64(i)) > 0.1*period {
			return 0, 0, unfit("its changes do not follow each other at even times")
		}
	}
	return period, from, nil
}

// between is the time that a change through the middle at a place takes from 10 to 90 % of its step, upwards or
// downwards, and half of what noise leaves open of it.
func (t Transition) between(at, way int, noise float64) (seconds, span float64) {
	size := t.high - t.low
	cross := func(share float64, dir int) float64 { // walks from the middle until the level is passed
		want := t.low + share*size
		for k := at; k > 0 && k < len(t.wave)-1; k += dir {
			a, b := t.wave[k], t.wave[k+dir]
			if (a-want)*(b-want) <= 0 && a != b {
				return float64(k) + float64(dir)*(want-a)/(b-a)
			}
		}
		return math.NaN()
	}
	first, then := 0.1, 0.9
	if way < 0 {
		first, then = then, first
	}
	early, late := cross(first, -1), cross(then, 1)
	// The first sample beyond a level is beyond it by its noise: the line through those around it says where it is.
	slopes := [2]float64{0.8 * size / max(late-early, 1), 0.8 * size / max(late-early, 1)}
	for range 3 {
		if around := int((late - early) / 10); around >= 3 {
			early, slopes[0] = t.onLine(early, t.low+first*size, around)
			late, slopes[1] = t.onLine(late, t.low+then*size, around)
		}
	}
	return (late - early) * t.step, 2 * noise * math.Hypot(1/slopes[0], 1/slopes[1]) * t.step
}

// onLine is where the line of least squares through the folded wave around a place passes a level, and its slope; the
// place itself where the line is too flat for that.
func (t Transition) onLine(at, level float64, around int) (place, slope float64) {
	middle := int(math.Round(at))
	from, to := max(0, middle-around), min(len(t.wave), middle+around+1)
	var sx, sy, sxy, sxx float64
	n := float64(to - from)
	for k := from; k < to; k++ {
		x := float64(k)
		sx, sy, sxy, sxx = sx+x, sy+t.wave[k], sxy+x*t.wave[k], sxx+x*x
	}
	slope = (n*sxy - sx*sy) / (n*sxx - sx*sx)
	out := sx/n + (level-sy/n)/slope
	if math.Abs(out-at) > 2*float64(around) || math.IsNaN(out) {
		return at, slope
	}
	return out, slope
}

// sparse are so many of a series' values at most, chosen evenly but for a step that no period of it is in time with.
func sparse(xs []float64, most int) []float64 {
	if len(xs) <= most {
		return xs
	}
	out := make([]float64, most)
	for i := range out {
		out[i] = xs[int(math.Mod(float64(i)*math.Phi, 1)*float64(len(xs)))]
	}
	return out
}

// smoothed is a series of means over so many to either side.
func smoothed(xs []float64, wide int) []float64 {
	sums := make([]float64, len(xs)+1)
	for i, x := range xs {
		sums[i+1] = sums[i] + x
	}
	out := make([]float64, len(xs))
	for i := range out {
		a, b := max(0, i-wide), min(len(xs), i+wide+1)
		out[i] = (sums[b] - sums[a]) / float64(b-a)
	}
	return out
}

// group is the part of a recording with one pair of levels.
type group struct {
	from, to   float64
	begin, end int
}

// groups parts a recording by the levels that it says.
func groups(raw Raw) []group {
	n := len(raw.Columns["light"])
	f, t := raw.Columns["from"], raw.Columns["to"]
	if f == nil || t == nil {
		return []group{{0, 1, 0, n}}
	}
	var out []group
	for i := range n {
		lo, hi := min(f[i], t[i]), max(f[i], t[i])
		if len(out) == 0 || out[len(out)-1].from != lo || out[len(out)-1].to != hi {
			out = append(out, group{lo, hi, i, i})
		}
		out[len(out)-1].end = i + 1
	}
	return out
}

// settled are the transitions of a recording, if they can be measured.
func settled(xs []float64, step float64) (Transition, error) {
	t, err := Transitions(xs, step)
	switch {
	case err != nil:
	case t.Noise < measurable:
		err = unfit("its noise is only %.0f dB below the step: not measurable", t.Noise)
	case math.IsNaN(t.Rise) || math.IsNaN(t.Fall):
		err = unfit("the wave never rests at a level")
	}
	return t, err
}

// within is the share of times in ms that are no longer than one refresh at a rate in Hz.
func within(times []float64, hz float64) record.Reading {
	fit := 0
	for _, t := range times {
		if t <= 1000/hz {
			fit++
		}
	}
	return found("fits", 100*float64(fit)/float64(len(times)))
}

func makePixels(raw Raw) (Made, error) {
	xs, step, err := pixels.sampled(raw, "light")
	if err != nil {
		return Made{}, err
	}
	var out Made
	var all, rises, falls []float64
	overshoot, span, few, noisy := math.Inf(-1), 0.0, math.Inf(1), []string{}
	whys := []string{}
	gs := groups(raw)
	field := map[[2]float64]float64{}
	var drawn Curve
	for _, g := range gs {
		name := fmt.Sprintf("%g to %g", g.from, g.to)
		t, err := settled(xs[g.begin:g.end], step)
		if err != nil {
			whys = append(whys, name+": "+strings.TrimPrefix(err.Error(), ErrRaw.Error()+": "))
			continue
		}
		if t.Noise < wellAbove {
			noisy = append(noisy, fmt.Sprintf("%s (%.0f dB)", name, t.Noise))
		}
		rises, falls = append(rises, 1000*t.Rise), append(falls, 1000*t.Fall)
		all = append(all, 1000*t.Rise, 1000*t.Fall)
		span = max(span, 1000*t.RiseSpan, 1000*t.FallSpan)
		overshoot, few = max(overshoot, 100*t.Overshoot), min(few, t.Turns)
		field[[2]float64{g.from, g.to}], field[[2]float64{g.to, g.from}] = 1000*t.Rise, 1000*t.Fall
		if drawn.X == nil {
			drawn.Name = name
			for i, v := range t.wave {
				drawn.X, drawn.Y = append(drawn.X, 1000*float64(i)*t.step), append(drawn.Y, 100*(v-t.low)/(t.high-t.low))
			}
		}
	}
	if len(all) == 0 {
		why := strings.Join(whys, "; ")
		for _, m := range pixels.Measures {
			out.Readings = append(out.Readings, lacking(m.Slug, why))
		}
		out.Picture = wavePicture(xs, step, "Light over time")
		return out, nil
	}
	timed := func(measure string, v float64) record.Reading {
		r := found(measure, v)
		if len(noisy) > 0 {
			lo, hi := max(v-span, v/10), v+span
			r.Low, r.High = &lo, &hi
		}
		return r
	}
	out.Readings = []record.Reading{timed("mean", stats.Average(all)), timed("rise", stats.Average(rises)),
		timed("fall", stats.Average(falls)), timed("worst", slices.Max(all)), found("overshoot", max(0, overshoot))}
	if hz := pixels.option(raw, "refresh"); hz > 0 {
		out.Readings = append(out.Readings, within(all, hz))
	} else {
		out.absent("fits", "the refresh rate was not given")
	}
	if few < 100 {
		out.Notes = append(out.Notes, fmt.Sprintf("Only %.0f changes were laid over each other; 100 are wanted.", few))
	}
	if len(noisy) > 0 {
		out.Notes = append(out.Notes, "Noise leaves the times an interval at "+strings.Join(noisy, ", ")+".")
	}
	for _, w := range whys {
		out.Notes = append(out.Notes, "Not measured: "+w+".")
	}
	out.Picture = responsePicture(field, drawn)
	return out, nil
}

// responsePicture draws the matrix of levels, or the one wave there is.
func responsePicture(field map[[2]float64]float64, drawn Curve) Picture {
	var levels []float64
	for k := range field {
		levels = append(levels, k[0])
	}
	slices.Sort(levels)
	levels = slices.Compact(levels)
	if len(levels) < 3 {
		return Picture{Kind: Curves, Title: "Light over one turn, folded", X: "ms", Y: "% of the step",
			Curves: []Curve{drawn}}
	}
	p := Picture{Kind: Field, Title: "Time from 10 to 90 % by grey levels", X: "to", Y: "from", Unit: "ms"}
	for _, from := range levels {
		p.Across, p.Down = append(p.Across, fmt.Sprint(from)), append(p.Down, fmt.Sprint(from))
		row := make([]float64, len(levels))
		for i, to := range levels {
			row[i] = Unknown
			if v, ok := field[[2]float64{from, to}]; ok {
				row[i] = v
			}
		}
		p.Cells = append(p.Cells, row)
	}
	return p
}
