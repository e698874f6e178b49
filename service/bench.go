package service

import (
	"context"

	"durvek/api"
	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/policy"
	"durvek/core/record"
	"durvek/core/schedule"
	"durvek/desk/bench"
	"durvek/desk/books"
)

func (s *Service) benchRoutes() {
	d := s.desk.Books
	all(s, api.Tests, d.Tests)
	serve(s, api.ImportTest, func(ctx context.Context, in *api.File) (method.Test, error) {
		return d.ImportTest(ctx, in.RawBody, in.CheckOnly, by(ctx))
	})
	serve(s, api.TryMapping, func(ctx context.Context, in *api.Body[books.Trial]) (books.Tried, error) {
		return d.TryMapping(ctx, in.Body)
	})
	one(s, api.Test, d.Test)
	serve(s, api.SetAside, func(ctx context.Context, in *api.Asiding) (method.Test, error) {
		return d.SetAside(ctx, in.Slug, in.Body.Reason, by(ctx))
	})
	offering(s, api.Setups, "setup", d.Setups, func(x method.Setup) string { return x.Slug })
	put(s, api.AddSetup, d.AddSetup)
	all(s, api.Conditions, d.Conditions)
	put(s, api.AddCondition, d.AddCondition)
	s.planRoutes()
}

func (s *Service) planRoutes() {
	d := s.desk.Bench
	serve(s, api.Bench, func(ctx context.Context, in *api.AtMost20) ([]record.BenchPlan, error) {
		return d.Bench(ctx, in.Limit, in.Archived)
	})
	asked := func(b api.PlanRequest) method.Plan {
		return method.Plan{Unit: b.Unit, Host: b.Host, Place: b.Place, Setup: b.Setup, Name: b.Name,
			Steps: method.Cross(b.Steps, b.Setups), Terms: b.Terms}
	}
	add(s, api.AddPlan, func(ctx context.Context, b api.PlanRequest, by string) (method.Plan, error) {
		return d.AddPlan(ctx, asked(b), by)
	})
	serve(s, api.ChangePlan, func(ctx context.Context, in *api.PlanChange) (method.Plan, error) {
		return d.ChangePlan(ctx, in.Slug, asked(in.Body), by(ctx))
	})
	serve(s, api.Schedule, func(ctx context.Context, in *api.ScheduleAsked) (schedule.Schedule, error) {
		return d.Schedule(ctx, schedule.Question{Field: in.Field, Variant: in.Variant, Use: in.Use},
			schedule.Terms{Minutes: in.Minutes, Opening: in.Opening, Least: in.Repeats, Claims: in.Claims})
	})
	serve(s, api.PlanLibrary, func(ctx context.Context, in *api.KindOf) ([]bench.PlanFile, error) {
		return d.PlanLibrary(ctx, in.Kind)
	})
	serve(s, api.AddPlanFrom, func(ctx context.Context, in *api.PlanFrom) (method.Plan, error) {
		return d.AddPlanFrom(ctx, bench.PlanFrom{Library: in.Library, File: in.RawBody, Unit: in.Unit, Host: in.Host,
			Place: in.Place, Setups: in.Setups, Repeats: in.Repeats}, by(ctx))
	})
	// a plan of the library brings its own
	s.api.OpenAPI().Paths[api.AddPlanFrom.Path].Post.RequestBody.Required = false
	files(s, api.ExportPlan, func(ctx context.Context, in *api.Slugged) (*blob, error) {
		b, err := d.ExportPlan(ctx, in.Slug)
		return &blob{ContentType: api.ExportPlan.Media, Body: b}, err
	})
	serve(s, api.DirectPlan, func(ctx context.Context, in *api.Directing) (method.Plan, error) {
		switch in.Body.Do {
		case "close":
			return s.desk.Results.CloseRun(ctx, in.Slug, by(ctx))
		case "skip":
			return d.SkipStep(ctx, in.Slug, in.Body.Step, by(ctx))
		}
		return d.Direct(ctx, in.Slug, in.Body.Do, by(ctx))
	})
	serve(s, api.Confirm, func(ctx context.Context, in *api.Confirming) (method.Plan, error) {
		return d.Confirm(ctx, in.Slug, in.Body.Ask, by(ctx))
	})
	serve(s, api.LiveTrace, func(_ context.Context, in *api.LiveTraced) ([]record.Series, error) {
		t := d.LiveTrace(in.Slug)
		out := t.Series()
		for i := range out {
			out[i] = analyse.Thin(out[i], in.Points)
		}
		return out, nil
	})
	one(s, api.Plan, d.BenchPlan)
	serve(s, api.PlanCode, s.planCode)
	serve(s, api.ArrivalCode, s.arrivalCode)
}

func (s *Service) agentRoutes() {
	d := s.desk.Bench
	serve(s, api.Join, func(ctx context.Context, in *api.Body[api.JoinRequest]) (record.Joined, error) {
		return d.Join(ctx, in.Body.Code, in.Body.Token, in.Body.Machine)
	})
	serve(s, api.Rejoin, func(ctx context.Context, in *api.Body[record.Machine]) (record.Joined, error) {
		return d.Rejoin(ctx, who(ctx).Plan, in.Body)
	})
	serve(s, api.SendRun, func(ctx context.Context, in *api.Body[record.Run]) (map[string]bool, error) {
		in.Body.Plan = who(ctx).Plan
		fresh, err := s.desk.Results.AddRun(ctx, in.Body)
		return map[string]bool{"fresh": fresh}, err
	})
	serve(s, api.SendProgress, func(ctx context.Context, in *api.Body[record.Progress]) (record.Directive, error) {
		in.Body.Plan = who(ctx).Plan
		return d.Progress(ctx, in.Body)
	})
	serve(s, api.SendIncident, func(ctx context.Context, in *api.Body[record.Incident]) (api.None, error) {
		in.Body.Plan = who(ctx).Plan
		return api.None{}, d.AgentIncident(ctx, in.Body)
	})
	serve(s, api.Next, func(ctx context.Context, in *api.Body[policy.Account]) (policy.Decision, error) {
		return d.Next(ctx, who(ctx).Plan, in.Body)
	})
	all(s, api.Finish, func(ctx context.Context) (method.Plan, error) { return d.FinishPlan(ctx, who(ctx).Plan) })
}
