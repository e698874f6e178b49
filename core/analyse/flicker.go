package analyse

import (
	"fmt"
	"math"
	"slices"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

// risks are the classes of IEEE 1789-2015, which was written for lighting and is a guide for screens.
var risks = []method.Level{{Mark: 0, Text: "no change of light was seen"}, {Mark: 1, Text: "no effect to be expected"},
	{Mark: 2, Text: "low risk"}, {Mark: 3, Text: "more than low risk"}}

var flicker = Analysis{Name: "flicker", Version: 1, Title: "Panel, flicker", Group: "display",
	About: "Light over time at one luminance: how often it changes, by how much (100·(Lmax − Lmin)/(Lmax + Lmin) of the " +
		"wave folded on its period), and the class of IEEE 1789-2015, written for lighting, here a guide.",
	Roles: []Role{moments(false),
		sensorLight},
	Options: []method.Option{
		samplingRate,
		{Slug: "dark", Meaning: "What the sensor shows without light, in the file's own unit", Unit: "1"},
		{Slug: "luminance", Meaning: "Luminance that the screen was set to", Unit: "cd/m2", Match: true}},
	Measures: []method.Measure{
		{Slug: "frequency", Name: "frequency", Unit: "Hz", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.002},
		{Slug: "modulation", Name: "modulation", Unit: "%", Scale: quantity.Share, Better: quantity.Lower,
			Repeatability: 0.7},
		{Slug: "risk", Name: "class after IEEE 1789", Unit: "1", Scale: quantity.Grade, Better: quantity.Lower,
			Levels: risks}}}

func init() {
	flicker.make = makeFlicker
	Register(flicker)
}

// FlickerClass is the mark of IEEE 1789-2015 for light that changes by a modulation in per cent at a frequency in Hz.
func FlickerClass(hz, modulation float64) float64 {
	none, low := 0.0333*hz, 0.08*hz
	if hz < 90 {
		none, low = 0.01*hz, 0.025*hz
	}
	switch {
	case hz > 3000 || modulation <= none:
		return 1
	case hz > 1250 || modulation <= low:
		return 2
	}
	return 3
}

func makeFlicker(raw Raw) (Made, error) {
	xs, step, err := flicker.sampled(raw, "light")
	if err != nil {
		return Made{}, err
	}
	if dark := flicker.option(raw, "dark"); dark != 0 && !math.IsNaN(dark) {
		xs = slices.Clone(xs)
		for i := range xs {
			xs[i] -= dark
		}
	}
	limit := fmt.Sprintf("Taken %s times a second: nothing above %s can be seen.", quantity.Plain(1/step, "1"),
		quantity.Plain(1/step/2, "Hz"))
	out := Made{Notes: []string{limit}}
	mean := 0.0
	for _, x := range xs {
		mean += x / float64(len(xs))
	}
	if mean <= 0 {
		return out, unfit("the light is not above zero on average; say what the sensor shows without light (option dark)")
	}
	f, ok := fundamental(xs)
	if !ok {
		const why = "no regular change stands out of the noise"
		out.Readings = []record.Reading{lacking("frequency", why), lacking("modulation", why), found("risk", 0)}
		out.Picture = wavePicture(xs, step, "Light over time")
		return out, nil
	}
	period := 1 / f
	turns := float64(len(xs)) / period
	// As fine as each part still has samples enough to average the noise of, and never finer than the wave was sampled.
	parts := int(math.Round(min(max(float64(len(xs))/50, 12), 100, max(period, 12))))
	w := fold(xs, period, 0, parts)
	hi, lo := slices.Max(w.mean), max(slices.Min(w.mean), 0)
	mod := 100 * (hi - lo) / (hi + lo)
	hz := f / step
	out.Readings = []record.Reading{found("frequency", hz), found("modulation", mod), found("risk", FlickerClass(hz, mod))}
	if turns < 50 {
		out.Notes = append(out.Notes, fmt.Sprintf("Only %.0f periods were laid over each other; 50 are wanted.", turns))
	}
	if period < 5 {
		out.Notes = append(out.Notes, fmt.Sprintf("Only %.1f samples a period: its extremes are rounded off.", period))
	}
	out.Picture = Picture{Kind: Curves, Title: "Light over two periods, folded", X: "ms", Y: "% of the mean"}
	c := Curve{Name: "light"}
	for i := range 2 * parts {
		c.X = append(c.X, (float64(i)+0.5)/float64(parts)*period*step*1000)
		c.Y = append(c.Y, 100*w.mean[i%parts]/mean)
	}
	out.Picture.Curves = []Curve{c}
	return out, nil
}

// wavePicture draws the beginning of a wave.
func wavePicture(xs []float64, step float64, title string) Picture {
	c := Curve{Name: "signal"}
	for i := range min(len(xs), 1000) {
		c.X, c.Y = append(c.X, float64(i)*step*1000), append(c.Y, xs[i])
	}
	return Picture{Kind: Curves, Title: title, X: "ms", Y: "signal", Curves: []Curve{c}}
}
