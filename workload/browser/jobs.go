package browser

import (
	"durvek/core/method"
	"durvek/core/quantity"
)

func init() {
	ms := func(slug, name string) method.Measure {
		return method.Measure{Slug: slug, Name: name, Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
			Words: "latency", Repeatability: 0.15}
	}
	register(method.Test{Slug: "many-jobs", Name: "Response with many jobs", Group: "response", Page: "jobs",
		BrowserNeeds: []method.BrowserNeed{method.NeedsScreen}, Seconds: 26, Repeats: 3,
		About: "Ten times a second a letter is typed or a page scrolled, while first nothing, then more and more jobs go " +
			"on " +
			"beside it, each with a thread and memory of its own: from when an act was due until the frame that shows it has " +
			"ended, of which one in twenty takes longer than the figure. Jobs are added up to four for each thread; how many " +
			"the device bears until the figure exceeds 100 ms, where people feel that it lags.",
		StandsFor: "Working on while the device updates, copies, renders.", LimitedBy: "How the system shares its threads " +
			"out, and when memory is full, the drive.", Input: "Jobs that multiply, and touch memory here and there.",
		Checked: "An act counts only with the frame that shows it.",
		Options: []method.Option{{Slug: "memory", Meaning: "what each job holds", Default: "64 MiB", Unit: "MiBy", Least: 1,
			Most: 1024, Match: true}},
		Measures: []method.Measure{ms("alone", "answer alone, 95 %"), ms("full", "answer with a job for each thread, 95 %"),
			ms("double", "answer with two for each thread, 95 %"), {Slug: "jobs", Name: "jobs that it bears",
				Unit: "{job}", Scale: quantity.Interval, Better: quantity.Higher, Repeatability: 1.5, Margin: 1}}}, false)
	trip := ms("median", "median round trip")
	register(method.Test{Slug: "wireless-link", Name: "Wireless link", Group: "wireless", Page: "jobs", Seconds: 20,
		Repeats: 3, MustMatch: []string{"network.link"},
		About: "What the device receives over its radio for 20 s, second by second, and beside it a small request five " +
			"times " +
			"a second: the mean rate; how evenly it comes, as the share of seconds with half of the mean at least; the " +
			"round trip and how much it varies (from the tenth to the ninetieth of a hundred); and which share of the " +
			"requests " +
			"was not answered within a second. The reviewer says how far from the access point the device is; a plan with a " +
			"step for each distance shows where the link breaks off.",
		StandsFor: "A call in the next room, a film in the garden.", LimitedBy: "The radio and its antennas; the room. The " +
			"service's own link must be faster.", Input: "Incompressible data.",
		Checked: "Bytes count when they have arrived; a run without a connection is kept and says so.",
		Options: []method.Option{{Slug: "distance", Meaning: "how far the device is from the access point", Default: "2 m",
			Unit: "m", Least: 0, Most: 1000, Match: true}, {Slug: "duration", Meaning: "how long it goes on", Default: "20 s",
			Unit: "s", Least: 2, Most: 3600, Match: true}},
		Measures: []method.Measure{{Slug: "rate", Name: "receiving", Unit: "Mbit/s", Scale: quantity.Ratio,
			Better: quantity.Higher, Repeatability: 0.08}, {Slug: "evenness", Name: "seconds with half of it at least",
			Unit: "%", Scale: quantity.Share, Better: quantity.Higher, Words: "hold", Repeatability: 3}, trip,
			{Slug: "jitter", Name: "variation of the round trip", Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
				Words: "latency", Repeatability: 0.3},
			{Slug: "lost", Name: "requests not answered", Unit: "%", Scale: quantity.Share, Better: quantity.Lower,
				Words: "share", Repeatability: 0.5, Margin: 1}}}, false)
}
