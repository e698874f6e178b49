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

func degrees(slug, name string, rep float64) method.Measure {
	return method.Measure{Slug: slug, Name: name, Unit: "Cel", Scale: quantity.Interval, Better: quantity.Lower, Margin: 1,
		Repeatability: rep}
}

var heat = Analysis{Name: "temperature", Version: 1, Title: "Heat, a log", Group: "heat",
	About: "Temperature over time: peak, mean weighted by time, time to 95 % of the final rise, and the share of time " +
		"in " +
		"which the device said that heat or power held it back.",
	Roles: []Role{moments(true),
		{Name: "temperature", Unit: "Cel", Words: "temperature", Need: true, Called: []string{"temperature", "temp", "cpu",
			"processor", "package", "probe"}},
		{Name: "ambient", Unit: "Cel", Words: "temperature of the room", Called: []string{"ambient", "room", "air"}},
		{Name: "limited", Unit: "1", Words: "whether it was held back, 0 or 1", Called: []string{"limited", "throttled",
			"throttling", "limit"}}},
	Options: []method.Option{{Slug: "ambient", Meaning: "Temperature of the room, where it was not logged", Unit: "Cel",
		Least: -40}},
	Measures: []method.Measure{degrees("peak", "peak", 0.7), degrees("mean", "mean", 0.6),
		{Slug: "above-ambient", Name: "peak above the room", Unit: "K", Scale: quantity.Interval, Better: quantity.Lower,
			Margin: 1, Repeatability: 0.8},
		{Slug: "time-95", Name: "time to 95 % of the rise", Unit: "s", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.05},
		{Slug: "limited", Name: "share of time held back", Unit: "%", Scale: quantity.Share, Better: quantity.Lower,
			Repeatability: 2}}}

func init() {
	heat.make = makeHeat
	Register(heat)
}

// overTime is the mean of values weighted by time (trapezia).
func overTime(times, values []float64) float64 {
	if len(times) < 2 {
		return stats.Average(values)
	}
	sum := 0.0
	for i := 1; i < len(times); i++ {
		sum += (values[i] + values[i-1]) / 2 * (times[i] - times[i-1])
	}
	return sum / (times[len(times)-1] - times[0])
}

func makeHeat(raw Raw) (Made, error) {
	times, temps := raw.Columns["time"], raw.Columns["temperature"]
	if err := rising(times); err != nil {
		return Made{}, err
	}
	if err := whole(temps, "temperature"); err != nil {
		return Made{}, err
	}
	if len(times) < 3 {
		return Made{}, unfit("a log of %d rows is too short", len(times))
	}
	for i, t := range temps {
		if t < -60 || t > 250 {
			return Made{}, unfit("row %d: %g °C cannot be", i+1, t)
		}
	}
	peak := slices.Max(temps)
	out := Made{Readings: []record.Reading{found("peak", peak), found("mean", overTime(times, temps))}}
	ambient := heat.option(raw, "ambient")
	if room := raw.Columns["ambient"]; room != nil {
		if err := whole(room, "temperature of the room"); err != nil {
			return Made{}, err
		}
		ambient = overTime(times, room)
	}
	if math.IsNaN(ambient) {
		out.absent("above-ambient", "the temperature of the room was neither logged nor "+
			"given")
	} else {
		out.Readings = append(out.Readings, found("above-ambient", peak-ambient))
	}
	out.Readings = append(out.Readings, rise(times, temps))
	if held := raw.Columns["limited"]; held != nil {
		on := make([]float64, len(held))
		for i, h := range held {
			if h > 0 {
				on[i] = 1
			}
		}
		out.Readings = append(out.Readings, found("limited", 100*overTime(times, on)))
	} else {
		out.absent("limited", "the log does not say when it was held back")
	}
	out.Picture = Picture{Kind: Curves, Title: "Temperature over time", X: "s", Y: "°C"}
	for _, role := range []string{"temperature", "ambient"} {
		if raw.Has(role) {
			s := Thin(record.Series{Times: times, Values: raw.Columns[role]}, 1000)
			out.Picture.Curves = append(out.Picture.Curves, Curve{Name: role, X: s.Times, Y: s.Values})
		}
	}
	return out, nil
}

// rise is the time until 95 % of the way from the first temperature to the final one, which is the mean of the last
// tenth. Where that tenth still rises by a twentieth of the whole, there is no final one.
func rise(times, temps []float64) record.Reading {
	n := len(times)
	length := times[n-1] - times[0]
	tail := slices.IndexFunc(times, func(t float64) bool { return t >= times[0]+0.9*length })
	final := stats.Average(temps[tail:])
	whole := final - temps[0]
	half := tail + (n-tail)/2
	switch {
	case n-tail < 4:
		return lacking("time-95", "the log is too short to tell a final temperature")
	case whole < 2:
		return lacking("time-95", "it hardly rises")
	case stats.Average(temps[half:])-stats.Average(temps[tail:half]) > 0.025*whole:
		return lacking("time-95", "it still rises at the end")
	}
	for i, t := range temps {
		if want := temps[0] + 0.95*whole; t >= want {
			if i == 0 {
				break
			}
			f := (want - temps[i-1]) / (t - temps[i-1])
			return found("time-95", times[i-1]+f*(times[i]-times[i-1])-times[0])
		}
	}
	return lacking("time-95", "it hardly rises")
}

var surface = Analysis{Name: "surface", Version: 1, Title: "Heat, surface", Group: "heat",
	About: "Temperatures of a surface, at named spots or on a grid: mean, the hottest spot and where it is, and the " +
		"hottest " +
		"where one touches it: keys, palm rest, underside, grip, back.",
	Roles: []Role{{Name: "temperature", Unit: "Cel", Words: "temperature", Need: true, Called: []string{"temperature",
		"temp", "value"}},
		{Name: "place", Words: "spot", Text: true, Called: []string{"place", "spot", "position", "zone", "name"}},
		{Name: "row", Words: "row of the grid", Text: true, Called: []string{"row", "y"}},
		{Name: "column", Words: "column of the grid", Text: true, Called: []string{"column", "col", "x"}}},
	Options: []method.Option{{Slug: "ambient", Meaning: "Temperature of the room", Unit: "Cel", Least: -40}},
	Measures: []method.Measure{degrees("hottest", "hottest spot", 0.6), degrees("mean", "mean", 0.4),
		degrees("touched", "hottest where one touches it", 0.6),
		{Slug: "above-ambient", Name: "hottest above the room", Unit: "K", Scale: quantity.Interval, Better: quantity.Lower,
			Margin: 1, Repeatability: 0.7}}}

func init() {
	surface.make = makeSurface
	Register(surface)
}

// touched are words in the names of spots that are held or lain upon.
var touched = []string{"key", "palm", "wrist", "under", "bottom", "grip", "back", "touchpad", "lap"}

func makeSurface(raw Raw) (Made, error) {
	temps := raw.Columns["temperature"]
	names := slices.Clone(raw.Words["place"])
	rows, columns := raw.Words["row"], raw.Words["column"]
	grid := rows != nil && columns != nil
	if names == nil {
		if !grid {
			return Made{}, unfit("spots have a place, or a row and a column")
		}
		for i := range temps {
			names = append(names, "row "+rows[i]+", column "+columns[i])
		}
	}
	hottest, warm, sum, n, at := math.Inf(-1), math.Inf(-1), 0.0, 0.0, -1
	for i, t := range temps {
		switch {
		case math.IsNaN(t):
			continue
		case t < -60 || t > 250:
			return Made{}, unfit("row %d: %g °C cannot be", i+1, t)
		}
		if sum, n = sum+t, n+1; t > hottest {
			hottest, at = t, i
		}
		name := strings.ToLower(names[i])
		if slices.ContainsFunc(touched, func(w string) bool { return strings.Contains(name, w) }) {
			warm = max(warm, t)
		}
	}
	if n < 2 {
		return Made{}, unfit("a surface needs two spots at least, there are %g", n)
	}
	out := Made{Readings: []record.Reading{found("hottest", hottest), found("mean", sum/n)},
		Said: map[string]string{"surface.hottest": names[at]}, Notes: []string{"The hottest spot is " + names[at] + "."}}
	if math.IsInf(warm, -1) {
		out.absent("touched", "no spot is named after a place that one touches")
	} else {
		out.Readings = append(out.Readings, found("touched", warm))
	}
	if room := surface.option(raw, "ambient"); math.IsNaN(room) {
		out.absent("above-ambient", "the temperature of the room was not given")
	} else {
		out.Readings = append(out.Readings, found("above-ambient", hottest-room))
	}
	p := Picture{Kind: Field, Title: "Surface temperature", Unit: "°C"}
	if !grid {
		p = listed(p, names, temps)
	} else {
		for i := range temps {
			if !slices.Contains(p.Down, rows[i]) {
				p.Down = append(p.Down, rows[i])
			}
			if !slices.Contains(p.Across, columns[i]) {
				p.Across = append(p.Across, columns[i])
			}
		}
		for range p.Down {
			row := make([]float64, len(p.Across))
			for i := range row {
				row[i] = Unknown
			}
			p.Cells = append(p.Cells, row)
		}
		for i, t := range blanks(temps) {
			p.Cells[slices.Index(p.Down, rows[i])][slices.Index(p.Across, columns[i])] = t
		}
	}
	out.Picture = p
	return out, nil
}

// listed is a picture of named values, one below the other.
func listed(p Picture, names []string, values []float64) Picture {
	p.Across, p.Down = []string{""}, names
	for _, v := range blanks(values) {
		p.Cells = append(p.Cells, []float64{v})
	}
	return p
}

// blanks are values with the lowest number there is for each that is not known, which JSON has no word for.
func blanks(values []float64) []float64 {
	out := slices.Clone(values)
	for i, v := range out {
		if math.IsNaN(v) {
			out[i] = Unknown
		}
	}
	return out
}

var power = Analysis{Name: "power-log", Version: 1, Title: "Power, a log", Group: "battery",
	About: "Power over time from a meter: mean weighted by time, the lowest and the highest over ten seconds, energy, " +
		"and " +
		"energy of each task or frame that was counted meanwhile.",
	Roles: []Role{moments(true),
		{Name: "power", Unit: "W", Words: "power", Need: true, Called: []string{"power", "draw", "watts", "p",
			"active power"}},
		{Name: "count", Unit: "1", Words: "tasks or frames so far", Called: []string{"count", "frames", "tasks", "done"}}},
	Options: []method.Option{{Slug: "tasks", Meaning: "Tasks or frames that were done meanwhile", Unit: "1"}},
	Measures: []method.Measure{
		{Slug: "mean", Name: "mean", Unit: "W", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.02},
		{Slug: "idle", Name: "lowest over 10 s", Unit: "W", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.03},
		{Slug: "peak", Name: "highest over 10 s", Unit: "W", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.03},
		{Slug: "energy", Name: "energy", Unit: "W.h", Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.02},
		{Slug: "per-task", Name: "energy of a task or frame", Unit: "J", Scale: quantity.Ratio, Better: quantity.Lower,
			Repeatability: 0.02}},
	make: nil}

func init() {
	power.make = makePower
	Register(power)
}

func makePower(raw Raw) (Made, error) {
	times, watts := raw.Columns["time"], raw.Columns["power"]
	if err := rising(times); err != nil {
		return Made{}, err
	}
	if err := whole(watts, "power"); err != nil {
		return Made{}, err
	}
	n := len(times)
	if n < 2 {
		return Made{}, unfit("a log of one row has no course")
	}
	joules := make([]float64, n) // so far
	for i := 1; i < n; i++ {
		joules[i] = joules[i-1] + (watts[i]+watts[i-1])/2*(times[i]-times[i-1])
	}
	length := times[n-1] - times[0]
	out := Made{Readings: []record.Reading{found("mean", joules[n-1]/length), found("energy", joules[n-1]/3600)}}
	const over = 10
	lowest, highest := math.Inf(1), math.Inf(-1)
	for from, to := 0, 0; to < n; to++ {
		for times[to]-times[from+min(1, to-from)] >= over {
			from++
		}
		if d := times[to] - times[from]; d >= over {
			mean := (joules[to] - joules[from]) / d
			lowest, highest = min(lowest, mean), max(highest, mean)
		}
	}
	if math.IsInf(lowest, 0) {
		const why = "the log is shorter than 10 s"
		out.Readings = append(out.Readings, lacking("idle", why), lacking("peak", why))
	} else {
		out.Readings = append(out.Readings, found("idle", lowest), found("peak", highest))
	}
	done := power.option(raw, "tasks")
	if c := raw.Columns["count"]; c != nil {
		done = c[n-1] - c[0]
	}
	if done > 0 {
		out.Readings = append(out.Readings, found("per-task", joules[n-1]/done))
	} else {
		out.absent("per-task", "no tasks or frames were counted")
	}
	gap := 0.0
	for i := 1; i < n; i++ {
		gap = max(gap, times[i]-times[i-1])
	}
	if each := length / float64(n-1); gap > 10*each {
		out.Notes = append(out.Notes, fmt.Sprintf("The log has a gap of %.3g s, over which power is taken to change evenly.",
			gap))
	}
	s := Thin(record.Series{Times: times, Values: watts}, 1000)
	out.Picture = Picture{Kind: Curves, Title: "Power over time", X: "s", Y: "W", Curves: []Curve{{Name: "power",
		X: s.Times,
		Y: s.Values}}}
	return out, nil
}
