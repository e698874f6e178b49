package browser

import "durvek/core/method"

func init() {
	register(method.Test{Slug: "toy-echo", Name: "Echo", Group: "system", Page: "toy", Seconds: 1, Repeats: 1,
		BrowserNeeds: []method.BrowserNeed{method.NeedsSecure}, About: "It calls.", StandsFor: "Nothing.",
		LimitedBy: "Nothing.", Input: "None.", Checked: "Nothing.", Measures: rate("1/s", "echoes", "echoes")}, false)
}
