package api

import (
	"durvek/core/method"
	"durvek/core/trust"
	"durvek/desk/results"
)

const doubts = "trust"

// Doubts and the rules that raise them.
var (
	Doubts = get[DoubtsIn, DoubtList](doubts, "/api/doubts", "list-doubts",
		"List doubts: open ones first, then the gravest")
	Doubt = get[Slugged, results.DoubtPage](doubts, "/api/doubts/{slug}", "show-doubt",
		"A doubt with its life: who raised, upheld, dismissed or reopened it, when and why")
	SettleDoubt = post[Settling, trust.Doubt](doubts, "/api/doubts/{slug}/settlements", "settle-doubt",
		"Uphold, dismiss or reopen a doubt, or show its figure with a caveat")
	RaiseDoubt = post[Body[results.Raising], trust.Doubt](doubts, "/api/doubts", "raise-doubt",
		"Raise a doubt by hand, about a run or all runs of its cell").
		Making(func(d trust.Doubt) string { return at("/api/doubts", d.ID) })
	RepeatDoubted = post[Repeating, method.Plan](doubts, "/api/doubts/{slug}/repeats", "repeat-doubted",
		"Put what a doubt is about on the bench once more").
		Making(func(p method.Plan) string { return at("/api/plans", p.ID) })
	Rules = get[None, RuleList](doubts, "/api/rules", "list-rules",
		"List the doubt rules with how each is tuned and what it has raised")
	TuneRule = put[Tuning, trust.Tuning](doubts, "/api/rules/{slug}/tuning", "tune-rule",
		"Change a rule for a test or for all: another limit, or off; neither takes the change away")
	Examine = post[RunsAsked, results.Reexamined](doubts, "/api/examinations", "examine",
		"Ask the rules about runs that are there already")
)

// DoubtsIn narrows a list of doubts.
type DoubtsIn struct {
	State    trust.DoubtState `query:"state" enum:",open,upheld,dismissed,caveat" doc:"open, upheld, dismissed or caveat; all if empty"`
	Rule     string           `query:"rule" doc:"Only this rule's"`
	Test     string           `query:"test" doc:"Only about this test"`
	Subject  string           `query:"subject" flag:"unit" doc:"Only about this unit"`
	Severity trust.Severity   `query:"severity" enum:",note,caution,serious" doc:"note, caution or serious"`
	Run      string           `query:"run" doc:"Only about this run"`
	Page
}

// DoubtList is a page of doubts, and how many there are.
type DoubtList struct {
	Doubts []trust.Doubt `json:"doubts"`
	Total  int           `json:"total"`
}

// RuleList is all doubt rules.
type RuleList struct {
	Rules  []results.RuleState `json:"rules"`
	Causes []trust.Cause       `json:"causes" doc:"Why a doubt may be upheld"`
}

// Settling settles a doubt.
type Settling struct {
	Slugged
	Body results.Settling
}

// Repeating puts what a doubt is about on the bench again.
type Repeating struct {
	Slugged
	Repeats int `query:"repeats" default:"1" minimum:"1" maximum:"100" doc:"How many more repeats"`
}

// Tuning changes a rule.
type Tuning struct {
	Slugged
	Body RuleTuning
}

// RuleTuning is how a rule is to be changed.
type RuleTuning struct {
	Test   string  `json:"test,omitempty" doc:"Test; all if left out"`
	Off    bool    `json:"off,omitempty" doc:"Switch it off"`
	Limit  float64 `json:"limit,omitempty" minimum:"0" doc:"Another limit"`
	Reason string  `json:"reason,omitempty" doc:"Why; it is kept with the change"`
}
