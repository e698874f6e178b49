package browser

import (
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/workload/site"
)

func init() {
	ms := func(slug, name string) method.Measure {
		return method.Measure{Slug: slug, Name: name, Unit: "ms", Scale: quantity.Ratio, Better: quantity.Lower,
			Words:         "time",
			Repeatability: 0.08}
	}
	var measures []method.Measure
	for _, w := range site.Weights {
		for _, way := range []string{"cold", "warm"} {
			measures = append(measures, ms(w+"-"+way+"-paint", w+", "+way+", first paint"),
				ms(w+"-"+way+"-usable", w+", "+way+", usable"))
		}
		blocking := ms(w+"-blocking", w+", main thread kept busy")
		blocking.Scale = quantity.Interval // it may be nothing at all
		blocking.Repeatability, blocking.Margin, blocking.Words = 15, 20, ""
		measures = append(measures, blocking, method.Measure{Slug: w + "-missed", Name: w + ", frames missed in scrolling",
			Unit: "%", Scale: quantity.Share, Better: quantity.Lower, Words: "dropped", Repeatability: 1, Margin: 2})
	}
	var ways []string
	for _, c := range site.Connections {
		ways = append(ways, c.Name)
	}
	register(method.Test{Slug: "page-visits", Name: "Pages in the browser", Group: "application", Page: "pages",
		Seconds:      50,
		BrowserNeeds: []method.BrowserNeed{method.NeedsScreen}, Repeats: 3, MustMatch: []string{"network.link"},
		About: "Three pages of a site of our own are loaded in turn, each with nothing kept from before (cold) and again " +
			"with everything kept (warm): one of text, one of 18 pictures, one of 700 kB of script. Until the first paint, as " +
			"the browser marks it; until the page is usable, that is loaded and half a second without a task of more than " +
			"50 ms; how long tasks kept the main thread busy beyond 50 ms each; and which share of the frames was missed " +
			"while " +
			"the page was scrolled through in 1.5 s.",
		StandsFor: "Reading the news, a shop, a tool in the browser.", LimitedBy: "Cold: the connection, then one core. " +
			"Warm: " +
			"one core and how soon the browser gets at what it kept.", Input: "Text, pictures and numbers from seeds.",
		Checked: "A page that does not say that it is done within two minutes fails the run.",
		Options: []method.Option{{Slug: "connection", Meaning: "plain: as the link is; radio: 60 ms and 16 Mbit/s; slow: " +
			"250 " +
			"ms and 1.5 Mbit/s, as the service slows it down", Default: "plain", Choices: ways, Match: true},
			{Slug: "loads", Meaning: "how often each page is loaded", Default: "3", Unit: "1", Least: 1, Most: 20}},
		Measures: measures}, false)
}
