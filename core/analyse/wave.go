package analyse

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"durvek/core/method"
	"durvek/core/stats"
)

// What analyses of waves read alike.
var (
	samplingRate = method.Option{Slug: "rate", Meaning: "Samples a second, where the file does not say", Unit: "Hz"}
	sensorLight  = Role{Name: "light", Unit: "1", Words: "light", Need: true, Called: []string{"light", "luminance",
		"signal", "voltage", "photodiode", "value", "ch1", "channel 1"}}
	recorded = Role{Name: "signal", Unit: "1", Words: "sound", Need: true, Called: []string{"signal", "sound", "left",
		"channel 1"}}
)

// evenly gives the distance between samples that are taken at even times, and refuses others.
func evenly(times []float64) (step float64, err error) {
	if err := rising(times); err != nil {
		return 0, err
	}
	n := len(times)
	if n < 16 {
		return 0, unfit("a wave of %d samples is too short", n)
	}
	step = (times[n-1] - times[0]) / float64(n-1)
	for i := range times {
		if math.Abs(times[i]-times[0]-float64(i)*step) > 0.75*step {
			return 0, unfit("row %d: samples are not taken at even times", i+1)
		}
	}
	return step, nil
}

// sampled are the samples of a wave and the distance between them, from times or from a rate among the options.
func (a Analysis) sampled(raw Raw, role string) (values []float64, step float64, err error) {
	values = raw.Columns[role]
	if err := whole(values, role); err != nil {
		return nil, 0, err
	}
	if raw.Has("time") {
		step, err = evenly(raw.Columns["time"])
		return values, step, err
	}
	if rate := a.option(raw, "rate"); rate > 0 && len(values) >= 16 {
		return values, 1 / rate, nil
	}
	return nil, 0, unfit("a wave needs the time of each sample, or how many are taken a second (option rate)")
}

// detrended takes the line of least squares out of a series.
func detrended(xs []float64) []float64 {
	n := float64(len(xs))
	var sx, sy, sxy, sxx float64
	for i, y := range xs {
		x := float64(i)
		sx, sy, sxy, sxx = sx+x, sy+y, sxy+x*y, sxx+x*x
	}
	slope := (n*sxy - sx*sy) / (n*sxx - sx*sx)
	out := make([]float64, len(xs))
	for i, y := range xs {
		out[i] = y - (sy-slope*sx)/n - slope*float64(i)
	}
	return out
}

// mostWave bounds what is looked at for a frequency: 2²² samples, four seconds at a million a second.
const mostWave = 1 << 22

// fundamental finds the frequency, in cycles a sample, that a wave repeats with; false where none stands out of its
// noise.
func fundamental(wave []float64) (float64, bool) {
	xs := detrended(wave[:min(len(wave), mostWave)])
	n := len(xs)
	for i := range xs { // Hann, so that a strong line does not spill over weak ones
		xs[i] *= 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(n-1))
	}
	f := fourier.NewFFT(n).Coefficients(nil, xs)
	power := make([]float64, len(f))
	for i, c := range f {
		power[i] = real(c)*real(c) + imag(c)*imag(c)
	}
	clear(power[:2]) // what is left of a slope
	best := argmax(power)
	floor := stats.Quantile(power[2:], 0.5) + 1e-12*power[best]
	if power[best] < 60*floor || best < 3 {
		return 0, false
	}
	// The strongest line may be a harmonic: of narrow pulses often is. The first stands where the strongest is a whole
	// number of times as high, and a line of its own stands out.
	first := float64(best)
	for k := 8; k >= 2; k-- {
		at := float64(best) / float64(k)
		if at < 4 {
			continue
		}
		lo, hi := int(at)-1, int(at)+2
		p := slices.Max(power[lo : hi+1])
		if p > 60*floor && p > 0.0025*power[best] && p >= slices.Max(power[max(2, lo-3):hi+4]) {
			first = at
			break
		}
	}
	// Refined where its harmonics together have most power.
	strength := func(bins float64) float64 {
		sum := 0.0
		for k := 1; k <= 5 && bins*float64(k) < float64(n)/2; k++ {
			sum += lineAt(xs, bins*float64(k)/float64(n))
		}
		return sum
	}
	lo, hi := first-1, first+1
	scan := lo
	for b := lo; b <= hi; b += 0.1 {
		if strength(b) > strength(scan) {
			scan = b
		}
	}
	lo, hi = scan-0.1, scan+0.1
	for range 24 {
		a, b := lo+(hi-lo)/3, hi-(hi-lo)/3
		if strength(a) > strength(b) {
			hi = b
		} else {
			lo = a
		}
	}
	return (lo + hi) / 2 / float64(n), true
}

// lineAt is the power of a frequency in cycles a sample (Goertzel).
func lineAt(xs []float64, f float64) float64 {
	c := 2 * math.Cos(2*math.Pi*f)
	var a, b float64
	for _, x := range xs {
		a, b = x+c*a-b, a
	}
	return a*a + b*b - c*a*b
}

func argmax(xs []float64) int {
	best := 0
	for i, x := range xs {
		if x > xs[best] {
			best = i
		}
	}
	return best
}

// folded is a wave laid over itself, period by period.
type folded struct {
	mean  []float64 // by part of the period
	noise float64   // standard deviation of such a mean
	turns float64   // periods laid over each other
}

// fold lays a wave over itself on a period, both in samples, in so many parts.
func fold(xs []float64, period, from float64, parts int) folded {
	sum, square, n := make([]float64, parts), make([]float64, parts), make([]float64, parts)
	for i, x := range xs {
		at := math.Mod((float64(i)-from)/period, 1)
		if at < 0 {
			at++
		}
		k := min(int(at*float64(parts)), parts-1)
		sum[k], square[k], n[k] = sum[k]+x, square[k]+x*x, n[k]+1
	}
	f := folded{mean: make([]float64, parts), turns: float64(len(xs)) / period}
	var variance, filled float64
	for k := range sum {
		if n[k] > 0 {
			f.mean[k] = sum[k] / n[k]
		} else if k > 0 {
			f.mean[k] = f.mean[k-1]
		}
		if n[k] > 1 {
			variance += max(0, square[k]/n[k]-f.mean[k]*f.mean[k]) / (n[k] - 1)
			filled++
		}
	}
	if filled > 0 {
		f.noise = math.Sqrt(variance / filled)
	}
	return f
}
