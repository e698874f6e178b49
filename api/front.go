package api

import "durvek/desk/front"

// What people come in with.
var (
	Today = get[None, front.Today](access, "/api/today", "today",
		"What is measured now, what waits for a person, what was decided lately")
	Find = get[Finding, []front.Found](access, "/api/find", "find",
		"Find models, units, tests, measures, plans, runs, reviews, setups and fields by words of their names")
)

// Finding is what is looked for.
type Finding struct {
	Text string `query:"text" required:"true" doc:"Words; a letter or two may be wrong in longer ones"`
	Most int    `query:"most" default:"12" minimum:"1" maximum:"50" doc:"Entries at most"`
}
