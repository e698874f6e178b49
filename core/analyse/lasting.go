package analyse

import (
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

// Frame times and rates under lasting load come from runs, too, which bring more than a file does; files are read here.
func init() {
	raws["frames"] = Analysis{Name: "frames", Version: 1, Title: "Frames, their times", Group: "graphics",
		About: "Times of frames one by one: mean rate as frames ÷ time, rate over the slowest hundredth, 99th percentile, " +
			"and stutters, which take more than 2.5 times the median of the 21 frames around them.",
		Roles: []Role{{Name: "frame", Unit: "ms", Words: "frame time", Need: true, Called: []string{"frame", "frametime",
			"frame time", "ms between presents", "interval"}},
			{Name: "generated", Unit: "1", Words: "whether a frame was generated, 0 or 1", Called: []string{"generated",
				"interpolated"}}},
		Options: []method.Option{{Slug: "moments",
			Meaning: "Whether the column holds the moment of each frame, not how long " +
				"it took", Default: "no", Choices: []string{"yes", "no"}}},
		Measures: FrameMeasures(),
		make: func(raw Raw) (Made, error) {
			times := raw.Columns["frame"]
			if err := whole(times, "frame time"); err != nil {
				return Made{}, err
			}
			marks := raw.Columns["generated"]
			if raw.Options["moments"] == "yes" && len(times) > 1 {
				long := make([]float64, len(times)-1)
				for i := range long {
					long[i] = times[i+1] - times[i]
				}
				times = long
				if marks != nil {
					marks = marks[1:]
				}
			}
			var generated []bool
			for _, m := range marks {
				generated = append(generated, m > 0)
			}
			readings, said, err := framesOf(FrameMeasures(), times, generated, 0)
			if err != nil {
				return Made{}, unfit("%v", err)
			}
			out := Made{Readings: readings, Said: said}
			if w := said["frames.few"]; w != "" {
				out.Notes = []string{w + "."}
			}
			// Of each stretch the longest frame, so that none is lost in the picture.
			c, sum := Curve{Name: "frame time"}, 0.0
			each := max(1, len(times)/2000)
			for i, t := range times {
				sum += t / 1000
				if last := len(c.Y) - 1; i%each == 0 {
					c.X, c.Y = append(c.X, sum), append(c.Y, t)
				} else if t > c.Y[last] {
					c.X[last], c.Y[last] = sum, t
				}
			}
			out.Picture = Picture{Kind: Curves, Title: "Frame times", X: "s", Y: "ms", Curves: []Curve{c}}
			return out, nil
		}}
}

func init() {
	m := func(slug, name, unit string) method.Measure {
		return method.Measure{Slug: slug, Name: name, Unit: unit, Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.02}
	}
	raws["sustained"] = Analysis{Name: "sustained", Version: 1, Title: "A rate under lasting load", Group: "cpu",
		About: "A rate over time under a load that lasts: the level at first, the one it holds (PELT on logarithms), what " +
			"it " +
			"holds of the first, and when it falls.",
		Roles: []Role{moments(true),
			{Name: "rate", Unit: "1", Words: "rate", Need: true, Called: []string{"rate", "throughput", "speed",
				"performance"}}},
		Measures: []method.Measure{m("burst", "burst", "1"), m("sustained", "sustained", "1"),
			{Slug: "hold", Name: "held of the burst", Unit: "%", Words: "hold", Scale: quantity.Share, Better: quantity.Higher,
				Repeatability: 1.5},
			m("drop", "time until it falls", "s")},
		make: func(raw Raw) (Made, error) {
			times, rates := raw.Columns["time"], raw.Columns["rate"]
			if err := rising(times); err != nil {
				return Made{}, err
			}
			if err := whole(rates, "rate"); err != nil {
				return Made{}, err
			}
			for i, r := range rates {
				if r <= 0 {
					return Made{}, unfit("row %d: a rate of %g cannot be", i+1, r)
				}
			}
			length := times[len(times)-1] - times[0]
			s := record.Series{Times: make([]float64, len(times)), Values: rates}
			for i, t := range times {
				s.Times[i] = t - times[0]
			}
			readings, said := SustainedReadings(s, length)
			thin := Thin(s, 1000)
			return Made{Readings: readings, Said: said, Picture: Picture{Kind: Curves, Title: "Rate over time", X: "s",
				Y: "rate", Curves: []Curve{{Name: "rate", X: thin.Times, Y: thin.Values}}}}, nil
		}}
}
