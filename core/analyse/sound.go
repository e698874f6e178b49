package analyse

import (
	"fmt"
	"math"
	"slices"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

var sound = Analysis{Name: "sound-level", Version: 1, Title: "Noise, levels", Group: "noise",
	About: "A sound level meter's log: the equivalent level L_Aeq, averaged by energy, less what the room brings (ISO " +
		"3746, " +
		"ISO 7779: 6 dB above the background is good, 3 to 6 dB is survey grade, below that the level is an upper bound), " +
		"the loudest moment, and when it rises out of the background.",
	Roles: []Role{moments(false),
		{Name: "level", Unit: "dB[A]", Words: "sound level", Need: true, Called: []string{"level", "spl", "la", "laeq", "laf",
			"las", "db", "dba", "db(a)", "noise", "sound level"}}},
	Options: []method.Option{{Slug: "background", Meaning: "Level of the room without the device", Unit: "dB[A]"}},
	Measures: []method.Measure{
		{Slug: "level", Name: "level", Unit: "dB[A]", Scale: quantity.Level, Better: quantity.Lower, Margin: 1,
			Repeatability: 0.4},
		{Slug: "loudest", Name: "loudest", Unit: "dB[A]", Scale: quantity.Level, Better: quantity.Lower, Margin: 1,
			Repeatability: 0.7},
		{Slug: "audible", Name: "time until audible", Unit: "s", Scale: quantity.Ratio, Better: quantity.Higher,
			Repeatability: 0.1}}}

func init() {
	sound.make = makeSound
	Register(sound)
}

// energetic is the mean of levels by energy, each with the time it stands for.
func energetic(levels, weights []float64) float64 {
	sum, all := 0.0, 0.0
	for i, l := range levels {
		sum, all = sum+weights[i]*math.Pow(10, l/10), all+weights[i]
	}
	return 10 * math.Log10(sum/all)
}

// Background takes the level of a room out of one that was measured in it. grade says how well that can be done:
// "good", "survey grade", or "upper bound", where the level stays as it is.
func Background(level, room float64) (corrected float64, grade string) {
	above := level - room
	corrected = 10 * math.Log10(math.Pow(10, level/10)-math.Pow(10, room/10))
	switch {
	case above < 3:
		return level, "upper bound"
	case above < 6:
		return corrected, "survey grade"
	}
	return corrected, "good"
}

func makeSound(raw Raw) (Made, error) {
	levels, times := raw.Columns["level"], raw.Columns["time"]
	if err := whole(levels, "level"); err != nil {
		return Made{}, err
	}
	if times == nil {
		times = make([]float64, len(levels))
		for i := range times {
			times[i] = float64(i)
		}
	} else if err := rising(times); err != nil {
		return Made{}, err
	}
	for i, l := range levels {
		if l < -10 || l > 140 {
			return Made{}, unfit("row %d: a level of %g dB(A) cannot be beside a device", i+1, l)
		}
	}
	weights := make([]float64, len(levels)) // the time until the next
	for i := range weights {
		switch {
		case i+1 < len(times):
			weights[i] = times[i+1] - times[i]
		case i > 0:
			weights[i] = weights[i-1]
		default:
			weights[i] = 1
		}
	}
	out := Made{Picture: Picture{Kind: Curves, Title: "Sound level over time", X: "s", Y: "dB(A)"}}
	s := Thin(record.Series{Times: times, Values: levels}, 1000)
	out.Picture.Curves = []Curve{{Name: "level", X: s.Times, Y: s.Values}}
	mean, loudest := energetic(levels, weights), slices.Max(levels)
	room := sound.option(raw, "background")
	if math.IsNaN(room) {
		out.Readings = []record.Reading{found("level", mean), found("loudest", loudest)}
		out.absent("audible", "the level of the room was not given")
		out.Notes = append(out.Notes, "The level of the room was not given: what it brings is in the figures.")
		return out, nil
	}
	corrected, grade := Background(mean, room)
	level := found("level", corrected)
	if grade == "upper bound" {
		level.State = record.AtFloor
	}
	peak, peakGrade := Background(loudest, room)
	top := found("loudest", peak)
	if peakGrade == "upper bound" {
		top.State = record.AtFloor
	}
	out.Said = map[string]string{"sound.grade": grade}
	out.Notes = append(out.Notes, fmt.Sprintf("%.1f dB above the room's %.1f dB(A): %s.", mean-room, room, grade))
	audible := lacking("audible", "it never rises 3 dB out of the room's level")
	if i := slices.IndexFunc(levels, func(l float64) bool { return l >= room+3 }); i > 0 {
		audible = found("audible", times[i]-times[0])
	} else if i == 0 {
		audible = lacking("audible", "it is audible from the start")
	}
	out.Readings = []record.Reading{level, top, audible}
	return out, nil
}
