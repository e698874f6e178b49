package browser

import (
	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/workload"
)

const (
	paced = "The work is paced: the same amount each minute on a fast and a slow device. What comes late is not made up " +
		"for, so that a device that cannot keep the pace shows it; its run time is not compared with those of devices that " +
		"can. A heartbeat every 15 s says how far it is; where the device goes off, the run ends with the last one."
	prepared = "The screen is set to a luminance that the reviewer measures; automatic brightness off, radio on, sound " +
		"off."
)

// rundown registers a load that runs the battery down.
func rundown(slug, name, about, standsFor, limitedBy, unit, work string, isPaced bool, needs []method.BrowserNeed,
	match []string, options ...method.Option) {
	how := paced
	if !isPaced {
		how = "The work is not paced: the device does what it can, and what it did with one charge is counted. A heartbeat " +
			"every 15 s says how far it is; where the device goes off, the run ends with the last one."
	}
	options = append(options,
		method.Option{Slug: "until", Meaning: "charge at which it ends; 0 % goes on until the device switches itself off",
			Default: "0 %", Unit: "%", Least: 0, Most: 95},
		method.Option{Slug: "longest", Meaning: "how long it goes on at most", Default: "40 h", Unit: "s", Least: 1,
			Most: 100 * 3600},
		method.Option{Slug: "capacity", Meaning: "energy of the full battery, for the mean draw; the spec sheet's where it " +
			"is " +
			"left out", Unit: "W.h", Least: 0.1, Most: 1000},
		method.Option{Slug: "heartbeat", Meaning: "how often it tells how far it is", Default: "15 s", Unit: "s",
			Least: 0.1, Most: 60})
	t := method.Test{Slug: slug, Version: 1, Name: name, Group: "battery", Page: "daily", Analysis: "rundown",
		InBrowser: "only", BrowserNeeds: append([]method.BrowserNeed{method.NeedsScreen}, needs...),
		Subjects: workload.Portable, About: about + " " + how + " " + prepared, StandsFor: standsFor, LimitedBy: limitedBy,
		Input:   "Made on the device from seeds; nothing is loaded.",
		Checked: "Each piece of work counts only where it was done and shown; what was due is counted beside it.",
		Needs:   map[string]string{"supply": "battery"}, Seconds: 8 * 3600, Repeats: 1, Options: options,
		MustMatch: append([]string{"supply", "power.mode", analyse.Luminance, analyse.PaceCondition}, match...),
		Measures:  analyse.RundownMeasures(unit, work, isPaced)}
	for _, o := range t.Options {
		if o.Match {
			t.MustMatch = append(t.MustMatch, method.OptionCondition(o.Slug))
		}
	}
	workload.Register(workload.Workload{Test: t, Run: run})
}

// clip options of what is played.
func played(sizeUsual string) []method.Option {
	return []method.Option{
		{Slug: "codec", Meaning: "how the clip is encoded", Default: "h264", Choices: []string{"h264", "hevc", "vp9", "av1"},
			Match: true},
		{Slug: "size", Meaning: "the clip's picture, width × height", Default: sizeUsual, Choices: sizes, Match: true},
		{Slug: "rate", Meaning: "frames a second", Default: "24", Choices: []string{"24", "30", "50", "60"}, Match: true}}
}

func init() {
	secure := []method.BrowserNeed{method.NeedsSecure}
	rundown("rundown-reading", "Battery, reading", "Articles with pictures are read from a full battery on: a screen "+
		"further "+
		"every 7.5 s, a new article every minute and a half.", "A long journey, a watch with the day's reports.",
		"The screen, and what the system does beside it.", "{screen}", "screens read", true, nil, nil)
	rundown("rundown-video", "Battery, video", "A film that the device encoded itself runs in a loop, over the whole "+
		"screen, "+
		"from a full battery on.", "A film on the way.", "The screen, then the decoder: one in hardware sleeps for most of "+
		"each frame.", "{frame}", "frames shown", true, secure, nil, played("1920x1080")...)
	rundown("rundown-office", "Battery, mixed office", "Each second an action: a word is typed, now and then a table of "+
		"480 "+
		"cells worked out anew or a page scrolled; beside it a call, whose picture of 640 × 360 goes through the encoder "+
		"and the decoder 15 times a second. A second without nine tenths of the call's frames does not count.",
		"A working day away from the desk.", "The processor's idle states: little work, never a long rest.", "{action}",
		"actions done", true, secure, []string{"content"})
	scene := []method.Option{{Slug: "quality", Meaning: "waves, buoys and light of the scene", Default: "medium",
		Choices: qualities, Match: true},
		{Slug: "rate", Meaning: "frames a second", Default: "30", Choices: []string{"30", "60"}, Match: true}}
	rundown("rundown-graphics", "Battery, graphics", "The scene at sea is drawn to the screen at 1280 × 720, 30 frames a "+
		"second, from a full battery on.", "A game, a chart that moves all day.", "The graphics chip at a fixed load.",
		"{frame}", "frames drawn", true, nil, []string{"graphics.renderer"}, scene...)
	rundown("rundown-heavy", "Battery, all threads", "SHA-256 on all threads from a full battery on, as fast as it goes.",
		"Nautical charts worked out on the way, films exported.", "The power that the device allows itself on battery.",
		"GiBy", "data hashed", false, nil, nil)
	workload.Register(workload.Workload{Run: run, Test: method.Test{Slug: "charging", Version: 1,
		Name:  "Battery, charging",
		Group: "battery", Page: "daily", Analysis: "charging", InBrowser: "only", Subjects: workload.Portable,
		BrowserNeeds: []method.BrowserNeed{method.NeedsScreen, method.NeedsSecure},
		About: "The charge level while the battery is charged from 10 % at most, the device on and its screen on: times " +
			"to 50, 80 and 100 %, straight between two heartbeats.",
		StandsFor: "A break, a night.", LimitedBy: "The charger, the cable and what the battery takes; the screen takes " +
			"its " +
			"part.", Checked: "A level that is not told, or charging that began higher up, gives no figure.",
		Seconds: 2 * 3600, Repeats: 1, MustMatch: []string{"power.mode"}, Measures: analyse.ChargingMeasures(),
		Options: []method.Option{{Slug: "longest", Meaning: "how long it is watched at most", Default: "8 h", Unit: "s",
			Least: 1, Most: 24 * 3600}, {Slug: "heartbeat", Meaning: "how often it tells how far it is", Default: "15 s",
			Unit: "s", Least: 0.1, Most: 60}}}})
}
