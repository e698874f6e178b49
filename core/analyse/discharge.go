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

var discharge = Analysis{Name: "discharge", Version: 1, Title: "Battery, a run from full to empty", Group: "battery",
	About: "A log of a battery's charge or power while it runs down: run time, mean draw, energy and work of one " +
		"charge. " +
		"A log that ends early is continued along its straight part (Theil–Sen on 90 to 10 %), if it holds half of the " +
		"discharge at least, and says so.",
	Roles: []Role{moments(true),
		{Name: "level", Unit: "%", Words: "charge level", Either: true, Called: []string{"level", "battery", "charge level",
			"battery level",
			"soc", "capacity left", "percent"}},
		{Name: "charge", Unit: "mA.h", Words: "charge left", Either: true, Called: []string{"charge", "charge left",
			"remaining"}},
		{Name: "power", Unit: "W", Words: "power drawn", Either: true, Called: []string{"power", "draw", "discharge rate",
			"watts"}},
		{Name: "work", Unit: "1", Words: "work done so far", Called: []string{"work", "count", "done", "pages", "loops"}}},
	Options: []method.Option{{Slug: "capacity", Meaning: "Energy of the full battery, for the mean draw where no power " +
		"was " +
		"logged", Unit: "W.h"}},
	Measures: []method.Measure{
		{Slug: "hours", Name: "run time", Unit: "h", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.02},
		{Slug: "draw", Name: "mean draw", Unit: "W", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.02},
		{Slug: "energy", Name: "energy of one charge", Unit: "W.h", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.01},
		{Slug: "work", Name: "work of one charge", Unit: "1", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.02}}}

func init() {
	discharge.make = makeDischarge
	Register(discharge)
}

// cutOff is the charge, in per cent, at and below which a device that stopped is taken to have been empty.
const cutOff = 6

// theilSen is the median of the slopes between all pairs of points (Theil 1950, Sen 1968), of some hundred points
// evenly chosen where there are more.
func theilSen(xs, ys []float64) float64 {
	each := max(1, len(xs)/300)
	var slopes []float64
	for i := 0; i < len(xs); i += each {
		for j := i + each; j < len(xs); j += each {
			if xs[j] > xs[i] {
				slopes = append(slopes, (ys[j]-ys[i])/(xs[j]-xs[i]))
			}
		}
	}
	if len(slopes) == 0 {
		return math.NaN()
	}
	return stats.Quantile(slopes, 0.5)
}

func makeDischarge(raw Raw) (Made, error) {
	times := raw.Columns["time"]
	if err := rising(times); err != nil {
		return Made{}, err
	}
	n := len(times)
	if n < 3 {
		return Made{}, unfit("a log of %d rows tells of no discharge", n)
	}
	var out Made
	level := raw.Columns["level"]
	if level == nil && raw.Has("charge") {
		c := raw.Columns["charge"]
		top := slices.Max(c)
		level = make([]float64, n)
		for i := range c {
			level[i] = 100 * c[i] / top
		}
	}
	seconds, share, err := lasted(times, level, &out)
	if err != nil {
		return out, err
	}
	power, energy := raw.Columns["power"], math.NaN()
	if power != nil {
		joules := 0.0
		for i := 1; i < n; i++ {
			a, b := power[i-1], power[i]
			if math.IsNaN(a) || math.IsNaN(b) {
				return out, unfit("row %d has no power", i+1)
			}
			joules += (a + b) / 2 * (times[i] - times[i-1])
		}
		if joules <= 0 {
			return out, unfit("no power was drawn; a discharge has power above zero")
		}
		energy = joules / 3600 / share
	} else if c := discharge.option(raw, "capacity"); c > 0 {
		energy = c
	}
	figure := func(measure string, v float64, why string) {
		if math.IsNaN(v) {
			out.Readings = append(out.Readings, lacking(measure, why))
		} else {
			out.Readings = append(out.Readings, found(measure, v))
		}
	}
	const short = "less than half of the discharge was logged"
	figure("hours", seconds/3600, short)
	switch {
	case power != nil: // known from what was logged, whether it was all or not
		figure("draw", energy*share/((times[n-1]-times[0])/3600), "")
		if math.IsNaN(seconds) {
			energy = math.NaN()
		}
		figure("energy", energy, short)
	case !math.IsNaN(energy):
		figure("draw", energy/(seconds/3600), short)
		out.absent("energy", "no power was logged")
	default:
		out.absent("draw", "neither power was logged nor the battery's energy given")
		out.absent("energy", "no power was logged")
	}
	if w := raw.Columns["work"]; w != nil {
		done := (w[n-1] - w[0]) / share
		if math.IsNaN(seconds) {
			done = math.NaN()
		}
		figure("work", done, short)
	} else {
		out.absent("work", "no work was counted")
	}
	out.Picture = dischargePicture(times, level, power)
	return out, nil
}

// lasted is how long a charge lasts in seconds, NaN where too little was logged, and which share of it the log holds.
func lasted(times, level []float64, out *Made) (seconds, share float64, err error) {
	n := len(times)
	logged := times[n-1] - times[0]
	if level == nil {
		out.Notes = append(out.Notes, "No charge level was logged: the log is taken to begin full and to end at cut-off.")
		return logged, 1, nil
	}
	if err := whole(level, "charge level"); err != nil {
		return 0, 0, err
	}
	for i, l := range level {
		if l < -0.5 || l > 100.5 {
			return 0, 0, unfit("row %d: a charge level of %g %% cannot be", i+1, l)
		}
		if i > 0 && l > level[i-1]+2 {
			return 0, 0, unfit("row %d: the charge rises from %g to %g %%: it was charged", i+1, level[i-1], l)
		}
	}
	first, last := level[0], level[n-1]
	if first >= 97 && last <= cutOff {
		return logged, 1, nil
	}
	if first-last < 50 {
		out.Notes = append(out.Notes, fmt.Sprintf("The log holds %.0f points of the charge alone; half of a discharge is "+
			"needed to tell its length.", first-last))
		return math.NaN(), max(first-last, 1e-9) / 100, nil
	}
	var xs, ys []float64
	for i, l := range level {
		if l <= 90 && l >= 10 {
			xs, ys = append(xs, times[i]), append(ys, l)
		}
	}
	slope := -theilSen(xs, ys)
	if !(slope > 0) {
		return 0, 0, unfit("the charge does not fall between 90 and 10 %%")
	}
	seconds = logged
	if last > cutOff {
		seconds += last / slope
	}
	if first < 97 {
		seconds += (100 - first) / slope
	}
	out.Said = map[string]string{"battery.extrapolated": "yes", "battery.logged": fmt.Sprintf("%.0f to %.0f %%", first,
		last)}
	out.Notes = append(out.Notes, fmt.Sprintf("The log runs from %.0f to %.0f %%; the rest is continued along its "+
		"straight "+
		"part, %.3g points an hour.", first, last, slope*3600))
	return seconds, logged / seconds, nil
}

func dischargePicture(times, level, power []float64) Picture {
	p := Picture{Kind: Curves, Title: "Charge over time", X: "h", Y: "%"}
	values := level
	if values == nil {
		p.Title, p.Y, values = "Power over time", "W", power
	}
	if values == nil {
		return Picture{}
	}
	s := Thin(record.Series{Times: times, Values: values}, 1000)
	c := Curve{Name: "log", Y: s.Values}
	for _, t := range s.Times {
		c.X = append(c.X, (t-times[0])/3600)
	}
	p.Curves = []Curve{c}
	return p
}
