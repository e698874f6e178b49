package service

import (
	"context"

	"durvek/api"
	"durvek/core/method"
	"durvek/core/trust"
	"durvek/desk/results"
	"durvek/store"
)

func filter(q api.RunsAsked) store.RunFilter {
	return store.RunFilter{Subject: q.Subject, Test: q.Test, Setup: q.Setup, Plan: q.Plan, Outcome: q.Outcome,
		Source: q.Source, State: q.State, From: q.From, Until: q.Until, Text: q.Text}
}

func (s *Service) trustRoutes() {
	d := s.desk.Results
	serve(s, api.Doubts, func(ctx context.Context, in *api.DoubtsIn) (api.DoubtList, error) {
		list, total, err := d.Doubts(ctx, store.DoubtFilter{State: in.State, Rule: in.Rule, Test: in.Test,
			Subject: in.Subject, Severity: in.Severity, Run: in.Run, After: in.After,
			Offset: in.Offset, Limit: in.Limit})
		return api.DoubtList{Doubts: list, Total: total}, err
	})
	one(s, api.Doubt, d.Doubt)
	add(s, api.RaiseDoubt, d.Raise)
	serve(s, api.SettleDoubt, func(ctx context.Context, in *api.Settling) (trust.Doubt, error) {
		return d.Settle(ctx, in.Slug, in.Body, by(ctx))
	})
	serve(s, api.RepeatDoubted, func(ctx context.Context, in *api.Repeating) (method.Plan, error) {
		return d.Repeat(ctx, in.Slug, in.Repeats, by(ctx))
	})
	all(s, api.Rules, func(ctx context.Context) (api.RuleList, error) {
		rules, err := d.Rules(ctx)
		return api.RuleList{Rules: rules, Causes: trust.Causes}, err
	})
	serve(s, api.TuneRule, func(ctx context.Context, in *api.Tuning) (trust.Tuning, error) {
		b := in.Body
		return d.Tune(ctx, trust.Tuning{Rule: in.Slug, Test: b.Test, Off: b.Off, Limit: b.Limit, Reason: b.Reason}, by(ctx))
	})
	serve(s, api.Examine, func(ctx context.Context, in *api.RunsAsked) (results.Reexamined, error) {
		return d.Examine(ctx, filter(*in), by(ctx))
	})
}
