package analyse

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/dsp/fourier"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

var recording = Analysis{Name: "sound-recording", Version: 1, Title: "Noise, a recording", Group: "noise",
	About: "A recording of a fan or coil: A-weighted level where the level of full scale is known (IEC 61672-1), " +
		"third-octave spectrum (IEC 61260-1), and the most prominent tone by its level above the noise of its critical " +
		"band (tone-to-noise ratio, ECMA-418-1).",
	Roles: []Role{recorded,
		moments(false)},
	Options: []method.Option{samplingRate,
		{Slug: "full-scale", Meaning: "Sound pressure level of a sine at full scale, from a calibrator", Unit: "dB"}},
	Measures: []method.Measure{
		{Slug: "level", Name: "level", Unit: "dB[A]", Scale: quantity.Level, Better: quantity.Lower, Margin: 1,
			Repeatability: 0.4},
		{Slug: "tone", Name: "most prominent tone", Unit: "Hz", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.01},
		{Slug: "prominence", Name: "tone above its noise", Unit: "dB", Scale: quantity.Level, Better: quantity.Lower,
			Margin: 1, Repeatability: 0.7}}}

func init() {
	recording.make = makeRecording
	Register(recording)
}

// AWeight is the A-weighting of a frequency in dB (IEC 61672-1, annex E).
func AWeight(f float64) float64 {
	f2 := f * f
	r := 12194 * 12194 * f2 * f2 / ((f2 + 20.6*20.6) * math.Sqrt((f2+107.7*107.7)*(f2+737.9*737.9)) * (f2 + 12194*12194))
	return 20*math.Log10(r) + 2.00
}

// spectrum is the power of a signal by frequency, averaged over stretches that overlap by half (Welch 1967) with a Hann
// window: the sum over all bins is its mean square.
func spectrum(xs []float64, length int) []float64 {
	length = min(length, len(xs))
	window, square := make([]float64, length), 0.0
	for i := range window {
		window[i] = 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(length))
		square += window[i] * window[i]
	}
	fft := fourier.NewFFT(length)
	out, part := make([]float64, length/2+1), make([]float64, length)
	var f []complex128
	n := 0.0
	for at := 0; at+length <= len(xs); at += max(1, length/2) {
		for i := range part {
			part[i] = xs[at+i] * window[i]
		}
		f = fft.Coefficients(f, part)
		for i, c := range f {
			p := real(c)*real(c) + imag(c)*imag(c)
			if i > 0 && i < length/2 {
				p *= 2
			}
			out[i] += p / square / float64(length)
		}
		n++
	}
	for i := range out {
		out[i] /= n
	}
	return out
}

// Thirds are the middles of the third-octave bands from 25 Hz to 20 kHz (IEC 61260-1, base ten).
func Thirds() []float64 {
	var out []float64
	for k := -16; k <= 13; k++ {
		out = append(out, 1000*math.Pow(10, float64(k)/10))
	}
	return out
}

// banded sums power by third octaves; a bin across an edge is parted.
func banded(power []float64, width float64) []float64 {
	var out []float64
	for _, m := range Thirds() {
		lo, hi := m*math.Pow(10, -0.05), m*math.Pow(10, 0.05)
		sum := 0.0
		for i := int(lo / width); i < len(power) && (float64(i)-0.5)*width < hi; i++ {
			a, b := max(lo, (float64(i)-0.5)*width), min(hi, (float64(i)+0.5)*width)
			if b > a {
				sum += power[i] * (b - a) / width
			}
		}
		out = append(out, sum)
	}
	return out
}

// Tone is a tone above the noise around it.
type Tone struct {
	Hz    float64
	Ratio float64 // level of the tone above the noise of its critical band, in dB
}

// Prominent tells whether a tone is prominent by its ratio (ECMA-418-1): 8 dB from 1 kHz on, more below.
func (t Tone) Prominent() bool {
	if t.Hz >= 1000 {
		return t.Ratio >= 8
	}
	return t.Hz >= 89.1 && t.Ratio >= 8+8.33*math.Log10(1000/t.Hz)
}

// critical is the width of the critical band around a frequency in Hz (ECMA-418-1, after Zwicker).
func critical(f float64) float64 { return 25 + 75*math.Pow(1+1.4*f/1000*f/1000, 0.69) }

// tones finds lines in a spectrum of bins of a width in Hz, and of each its ratio to the noise of its critical band.
func tones(power []float64, width float64) (best Tone, ok bool) {
	for i := 3; i+3 < len(power); i++ {
		f := float64(i) * width
		if f < 89.1 || f > 11200 {
			continue
		}
		if power[i] < power[i-1] || power[i] < power[i+1] || power[i] < 4*power[i-3] || power[i] < 4*power[i+3] {
			continue
		}
		// What a window spills to its sides, 70 dB down after so many bins, is the tone's.
		const spill = 8
		half := int(critical(f) / 2 / width)
		lo, hi := max(1, i-half), min(len(power)-1, i+half)
		tone := 0.0
		for k := max(0, i-spill); k <= min(len(power)-1, i+spill); k++ {
			tone += power[k]
		}
		noise, bins := 0.0, 0.0
		for k := lo; k <= hi; k++ {
			if k < i-spill || k > i+spill {
				noise, bins = noise+power[k], bins+1
			}
		}
		if bins < 3 || noise <= 0 {
			continue
		}
		// what of the noise stands under the tone is not the tone's
		each := noise / bins
		tone -= (2*spill + 1) * each
		if tone <= 0 {
			continue
		}
		ratio := 10 * math.Log10(tone/(each*(critical(f)/width)))
		if !ok || ratio > best.Ratio {
			// A Hann window puts a line's middle where the powers of its neighbours say (Grandke 1983).
			a, b, c := math.Sqrt(power[i-1]), math.Sqrt(power[i]), math.Sqrt(power[i+1])
			d := 0.0
			if c >= a && c > 0 {
				d = (2*c/b - 1) / (1 + c/b)
			} else if a > 0 {
				d = -(2*a/b - 1) / (1 + a/b)
			}
			best, ok = Tone{(float64(i) + d) * width, ratio}, true
		}
	}
	return best, ok
}

func makeRecording(raw Raw) (Made, error) {
	xs, step, err := recording.sampled(raw, "signal")
	if err != nil {
		return Made{}, err
	}
	rate := 1 / step
	if rate < 8000 {
		return Made{}, unfit("%.0f samples a second are too few for sound", rate)
	}
	length := 1 << int(math.Round(math.Log2(rate/1.5))) // bins of about 1.5 Hz
	power := spectrum(xs, length)
	width := rate / float64(min(length, len(xs)))
	var out Made
	clipped := 0
	for _, x := range xs {
		if math.Abs(x) >= 0.9999 {
			clipped++
		}
	}
	if clipped > len(xs)/10000 {
		out.Notes = append(out.Notes, fmt.Sprintf("%d samples stand at full scale: the recording is clipped.", clipped))
	}
	weighted := make([]float64, len(power))
	sum := 0.0
	for i := 1; i < len(power); i++ {
		if f := float64(i) * width; f >= 10 {
			weighted[i] = power[i] * math.Pow(10, AWeight(f)/10)
			sum += weighted[i]
		}
	}
	full := recording.option(raw, "full-scale")
	unit, offset := "dB below full scale", 10*math.Log10(2) // a sine at full scale has a mean square of a half
	if !math.IsNaN(full) {
		unit, offset = "dB(A)", offset+full
		out.Readings = append(out.Readings, found("level", 10*math.Log10(sum)+offset))
	} else {
		out.absent("level", "the level of full scale was not given")
	}
	if t, ok := tones(power, width); ok && t.Ratio > 0 {
		out.Readings = append(out.Readings, found("tone", t.Hz), found("prominence", t.Ratio))
		how := "not prominent"
		if t.Prominent() {
			how = "prominent"
		}
		out.Said = map[string]string{"sound.tone": how}
		out.Notes = append(out.Notes, fmt.Sprintf("The tone at %.0f Hz is %s after ECMA-418-1.", t.Hz, how))
	} else {
		const why = "no tone stands out of its critical band"
		out.Readings = append(out.Readings, lacking("tone", why), lacking("prominence", why))
	}
	c := Curve{Name: "third octaves", Dots: true}
	for i, p := range banded(weighted, width) {
		if m := Thirds()[i]; p > 0 && m*1.12 < rate/2 {
			c.X, c.Y = append(c.X, m), append(c.Y, 10*math.Log10(p)+offset)
		}
	}
	out.Picture = Picture{Kind: Curves, Title: "Third-octave spectrum, A-weighted", X: "Hz", Y: unit, Curves: []Curve{c}}
	return out, nil
}

var sweep = Analysis{Name: "speaker-response", Version: 1, Title: "Speakers, response", Group: "noise",
	About: "A recording of a sine swept through all frequencies, evenly by octaves, that a device played: response by " +
		"third " +
		"octaves from the sweep's own spectrum, with the echoes of distortion, which come before it, cut away (Farina 2000).",
	Roles: []Role{recorded,
		moments(false)},
	Options: []method.Option{samplingRate,
		{Slug: "from", Meaning: "Where the sweep begins", Default: "20 Hz", Unit: "Hz", Least: 5},
		{Slug: "to", Meaning: "Where it ends", Default: "20000 Hz", Unit: "Hz", Least: 100},
		{Slug: "sweep", Meaning: "How long it lasts", Default: "10 s", Unit: "s", Least: 0.5, Most: 120}},
	Measures: []method.Measure{
		{Slug: "low-end", Name: "lowest frequency, −10 dB", Unit: "Hz", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.04},
		{Slug: "unevenness", Name: "unevenness, 125 Hz to 10 kHz", Unit: "dB", Scale: quantity.Level, Better: quantity.Lower,
			Margin: 0.5, Repeatability: 0.3}}}

func init() {
	sweep.make = makeSweep
	Register(sweep)
}

// swept is a sine that goes from one frequency to another, evenly by octaves.
func swept(from, to, seconds, rate float64) []float64 {
	n := int(seconds * rate)
	out := make([]float64, n)
	k := seconds / math.Log(to/from)
	for i := range out {
		t := float64(i) / rate
		out[i] = math.Sin(2 * math.Pi * from * k * (math.Exp(t/k) - 1))
	}
	return out
}

// Response is that of a device to a sweep by third octaves in dB, 0 on average from 500 Hz to 4 kHz; NaN for bands that
// the sweep does not fill.
func Response(recorded []float64, rate, from, to, seconds float64) ([]float64, error) {
	played := swept(from, to, seconds, rate)
	if len(recorded) < len(played) {
		return nil, unfit("a sweep of %g s was recorded for %.2f s alone", seconds, float64(len(recorded))/rate)
	}
	n := 1 << int(math.Ceil(math.Log2(float64(len(recorded)+len(played)))))
	fft := fourier.NewFFT(n)
	pad := func(xs []float64) []complex128 {
		p := make([]float64, n)
		copy(p, xs)
		return fft.Coefficients(nil, p)
	}
	y, x := pad(recorded), pad(played)
	top := 0.0
	for _, c := range x {
		top = max(top, real(c)*real(c)+imag(c)*imag(c))
	}
	for i := range y {
		p := real(x[i])*real(x[i]) + imag(x[i])*imag(x[i])
		y[i] = y[i] * complex(real(x[i]), -imag(x[i])) / complex(p+1e-6*top, 0)
	}
	pulse := fft.Sequence(nil, y)
	peak, at := 0.0, 0
	for i, v := range pulse {
		if math.Abs(v) > peak {
			peak, at = math.Abs(v), i
		}
	}
	if peak == 0 {
		return nil, unfit("the recording is silent")
	}
	// What distortion adds comes out ahead of the response; 50 ms before it are kept, and 400 ms of ringing after it.
	window := make([]float64, n)
	before, after := int(0.05*rate), int(0.4*rate)
	for k := -before; k <= after; k++ {
		taper := 1.0
		if k < 0 {
			taper = 0.5 + 0.5*math.Cos(math.Pi*float64(k)/float64(before))
		} else if k > after/2 {
			taper = 0.5 + 0.5*math.Cos(math.Pi*float64(k-after/2)/float64(after-after/2))
		}
		window[(at+k+n)%n] = pulse[(at+k+n)%n] * taper
	}
	h := fft.Coefficients(nil, window)
	power := make([]float64, len(h))
	for i, c := range h {
		power[i] = real(c)*real(c) + imag(c)*imag(c)
	}
	bands, width := banded(power, rate/float64(n)), rate/float64(n)
	ref, refs := 0.0, 0.0
	for i, m := range Thirds() {
		bands[i] = 10 * math.Log10(bands[i]/(m*(math.Pow(10, 0.05)-math.Pow(10, -0.05))/width))
		if m*0.89 < from || m*1.12 > to || m*1.12 > rate/2 {
			bands[i] = math.NaN()
		} else if m > 490 && m < 4100 {
			ref, refs = ref+bands[i], refs+1
		}
	}
	if refs < 3 {
		return nil, unfit("the sweep does not go through 500 Hz to 4 kHz")
	}
	for i := range bands {
		bands[i] -= ref / refs
	}
	return bands, nil
}

func makeSweep(raw Raw) (Made, error) {
	xs, step, err := sweep.sampled(raw, "signal")
	if err != nil {
		return Made{}, err
	}
	from, to := sweep.option(raw, "from"), sweep.option(raw, "to")
	if to <= 2*from {
		return Made{}, unfit("a sweep from %g to %g Hz is too short", from, to)
	}
	bands, err := Response(xs, 1/step, from, to, sweep.option(raw, "sweep"))
	if err != nil {
		return Made{}, err
	}
	var out Made
	c := Curve{Name: "response", Dots: true}
	low, sum, square, n := math.NaN(), 0.0, 0.0, 0.0
	for i := len(bands) - 1; i >= 0; i-- { // from above, so that the low end is where it first falls
		m, b := Thirds()[i], bands[i]
		if math.IsNaN(b) {
			continue
		}
		c.X, c.Y = append([]float64{m}, c.X...), append([]float64{b}, c.Y...)
		if m > 120 && m < 10500 {
			sum, square, n = sum+b, square+b*b, n+1
		}
		if m < 1000 && b < -10 && math.IsNaN(low) {
			above := bands[i+1]
			low = m * math.Pow(10, 0.1*(-10-b)/(above-b))
		}
	}
	if math.IsNaN(low) {
		r := found("low-end", c.X[0])
		r.State = record.AtFloor
		out.Readings = append(out.Readings, r)
	} else {
		out.Readings = append(out.Readings, found("low-end", low))
	}
	out.Readings = append(out.Readings, found("unevenness", math.Sqrt(max(0, square/n-sum/n*sum/n))))
	out.Picture = Picture{Kind: Curves, Title: "Response by third octaves", X: "Hz", Y: "dB", Curves: []Curve{c}}
	return out, nil
}
