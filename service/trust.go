package service

import (
	"context"
	"net/http"

	"durvek/core/catalog"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk/figures"
	"durvek/desk/results"
	"durvek/store"
)

type doubtList struct {
	Doubts []trust.Doubt `json:"doubts"`
	Total  int           `json:"total"`
}

type ruleList struct {
	Rules  []results.RuleState `json:"rules"`
	Causes []trust.Cause       `json:"causes" doc:"Why a doubt may be upheld"`
}

// runsAsked narrows a list of runs.
type RunsAsked struct {
	Subject string        `query:"subject" doc:"Unit"`
	Test    string        `query:"test"`
	Setup   string        `query:"setup"`
	Plan    string        `query:"plan"`
	Outcome record.Ending `query:"outcome" enum:",done,failed,not-run,parked"`
	Source  record.Source `query:"source" enum:",agent,file,typed,table"`
	State   string        `query:"state" enum:",doubted,void,changed" doc:"doubted: under an open doubt; void: with a reading that no longer counts; changed: with one that was corrected or restored"`
	From    string        `query:"from" pattern:"^([0-9]{4}-[0-9]{2}-[0-9]{2})?$" doc:"First day, YYYY-MM-DD"`
	Until   string        `query:"until" pattern:"^([0-9]{4}-[0-9]{2}-[0-9]{2})?$" doc:"Last day, YYYY-MM-DD"`
	Text    string        `query:"text" doc:"Part of unit, test, or anything that was observed, such as a firmware version"`
}

func (q RunsAsked) filter() store.RunFilter {
	return store.RunFilter{Subject: q.Subject, Test: q.Test, Setup: q.Setup, Plan: q.Plan, Outcome: q.Outcome,
		Source: q.Source, State: q.State, From: q.From, Until: q.Until, Text: q.Text}
}

func (s *Service) trustRoutes() {
	d := s.desk
	by := func(ctx context.Context) string { return who(ctx).Name }

	get(s, "trust", "/api/doubts", "list-doubts", "List doubts: open ones first, then the gravest",
		func(ctx context.Context, in *struct {
			State    trust.DoubtState `query:"state" enum:",open,upheld,dismissed"`
			Rule     string           `query:"rule"`
			Test     string           `query:"test"`
			Subject  string           `query:"subject" doc:"Unit"`
			Severity trust.Severity   `query:"severity" enum:",note,caution,serious"`
			Run      string           `query:"run"`
			Offset   int              `query:"offset" minimum:"0"`
			Limit    int              `query:"limit" default:"50" minimum:"1" maximum:"500"`
		}) (doubtList, error) {
			list, total, err := d.Results.Doubts(ctx, store.DoubtFilter{State: in.State, Rule: in.Rule, Test: in.Test,
				Subject: in.Subject, Severity: in.Severity, Run: in.Run, Offset: in.Offset, Limit: in.Limit})
			return doubtList{list, total}, err
		})
	get(s, "trust", "/api/doubts/{slug}", "show-doubt", "A doubt with its life: who raised, upheld, dismissed or "+
		"reopened it, when and why", func(ctx context.Context, in *Slugged) (results.DoubtPage, error) {
		return d.Results.Doubt(ctx, in.Slug)
	})
	post(s, "trust", "/api/doubts/{slug}/settlements", "settle-doubt", "Uphold, dismiss or reopen a doubt",
		func(ctx context.Context, in *struct {
			Slugged
			Body results.Settling
		}) (trust.Doubt, error) {
			return d.Results.Settle(ctx, in.Slug, in.Body, by(ctx))
		})
	post(s, "trust", "/api/doubts/{slug}/repeats", "repeat-doubted", "Put what a doubt is about on the bench once more",
		func(ctx context.Context, in *struct {
			Slugged
			Repeats int `query:"repeats" default:"1" minimum:"1" maximum:"100"`
		}) (method.Plan, error) {
			return d.Results.Repeat(ctx, in.Slug, in.Repeats, by(ctx))
		})
	get(s, "trust", "/api/rules", "list-rules", "List the doubt rules with how each is tuned and what it has raised",
		func(ctx context.Context, _ *none) (ruleList, error) {
			rules, err := d.Results.Rules(ctx)
			return ruleList{rules, trust.Causes}, err
		})
	register(s, http.MethodPut, "trust", "/api/rules/{slug}/tuning", "tune-rule",
		"Change a rule for a test or for all: another limit, or off; neither takes the change away", func(ctx context.Context,
			in *struct {
				Slugged
				Body struct {
					Test   string  `json:"test,omitempty" doc:"All tests if left out"`
					Off    bool    `json:"off,omitempty"`
					Limit  float64 `json:"limit,omitempty" minimum:"0"`
					Reason string  `json:"reason,omitempty"`
				}
			}) (trust.Tuning, error) {
			b := in.Body
			return d.Results.Tune(ctx, trust.Tuning{Rule: in.Slug, Test: b.Test, Off: b.Off, Limit: b.Limit, Reason: b.Reason},
				by(ctx))
		})
	post(s, "trust", "/api/examinations", "examine", "Ask the rules about runs that are there already",
		func(ctx context.Context, in *RunsAsked) (results.Reexamined, error) {
			return d.Results.Examine(ctx, in.filter(), by(ctx))
		})
	post(s, "results", "/api/runs/{slug}/corrections", "correct-run", "Void, restore or correct readings of a run, or "+
		"merge it into the run that it is a duplicate of; what stood before is kept", func(ctx context.Context, in *struct {
		Slugged
		Body results.Correction
	}) (results.RunPage, error) {
		return d.Results.Correct(ctx, in.Slug, in.Body, by(ctx))
	})
	get(s, "results", "/api/run-twins", "list-twins", "Runs of the same test on the same unit whose figures are the "+
		"same in every digit", func(ctx context.Context, in *struct {
		Unit string `query:"unit" doc:"All units if left out"`
	}) ([]results.Twin, error) {
		return d.Results.Twins(ctx, in.Unit)
	})
	get(s, "results", "/api/run-changes", "compare-runs", "What differs between two runs: figures, conditions, links, "+
		"machine, sensors; and whether they may be compared", func(ctx context.Context, in *struct {
		A string `query:"a" required:"true"`
		B string `query:"b" required:"true"`
	}) (trust.Changed, error) {
		return d.Figures.Between(ctx, in.A, in.B)
	})
	post(s, "results", "/api/recounts", "recount",
		"Make every estimate anew from its readings and say which did not agree", func(ctx context.Context,
			_ *none) (results.Recounted, error) {
			return d.Results.Recount(ctx)
		})
	get(s, "results", "/api/histories", "history", "How a measure of a unit went over its sittings, with lasting "+
		"changes and what changed with them", func(ctx context.Context, in *struct {
		Unit    string `query:"unit" required:"true"`
		Measure string `query:"measure" required:"true" doc:"test/measure"`
		Setup   string `query:"setup" doc:"As delivered if left out"`
		Host    string `query:"host"`
		Place   string `query:"place"`
	}) (figures.UnitHistory, error) {
		return d.Figures.History(ctx, figures.HistoryAsked{Unit: in.Unit, Measure: in.Measure, Setup: in.Setup, Host: in.Host,
			Place: in.Place})
	})
	get(s, "compare", "/api/worth", "worth", "What single conditions, and single entries of spec sheets, are worth in "+
		"a measure", func(ctx context.Context, in *struct {
		Measure string       `query:"measure" required:"true" doc:"test/measure"`
		Kind    catalog.Kind `query:"kind" doc:"Only this kind of device"`
	}) (compare.Controlled, error) {
		return d.Figures.Worth(ctx, in.Measure, in.Kind)
	})
	get(s, "compare", "/api/why", "why", "Why one variant's figure is not another's, as far as the data carry",
		func(ctx context.Context, in *struct {
			Measure string `query:"measure" required:"true" doc:"test/measure"`
			A       string `query:"a" required:"true" doc:"Variant"`
			B       string `query:"b" required:"true" doc:"Variant"`
			Setup   string `query:"setup" doc:"As delivered if left out"`
		}) (compare.Why, error) {
			return d.Figures.Why(ctx, in.Measure, in.A, in.B, in.Setup)
		})
}
