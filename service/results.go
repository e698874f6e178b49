package service

import (
	"context"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"durvek/api"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/trust"
	"durvek/desk/figures"
	"durvek/desk/results"
	"durvek/store"
)

func (s *Service) handsRoutes() {
	d := s.desk.Results
	serve(s, api.Sheets, func(_ context.Context, in *api.KindOf) ([]method.Sheet, error) {
		return s.desk.Books.Sheets(in.Kind)
	})
	one(s, api.Inspect, d.Inspect)
	serve(s, api.Photos, func(ctx context.Context, in *api.PhotosOf) ([]results.Attachment, error) {
		return d.Attachments(ctx, store.AttachmentFilter{Unit: in.Unit, Run: in.Run, Doubt: in.Doubt})
	})
	serve(s, api.AddPhoto, func(ctx context.Context, in *api.PhotoIn) (results.Attachment, error) {
		return d.AddPhoto(ctx, results.Attachment{Unit: in.Unit, Run: in.Run, Measure: in.Measure, Doubt: in.Doubt,
			Name: in.Name, Caption: in.Caption}, in.RawBody, by(ctx))
	})
	files(s, api.Photo, func(ctx context.Context, in *api.Slugged) (*blob, error) {
		b, media, err := d.Photo(ctx, in.Slug)
		return &blob{ContentType: media, Body: b}, err
	})
	serve(s, api.Partners, func(ctx context.Context, in *api.OfPart) ([]compare.Pair, error) {
		return d.Partners(ctx, in.Part)
	})
	add(s, api.NotePartner, func(ctx context.Context, b api.PartnerNote, by string) (api.None, error) {
		return api.None{}, d.NotePairing(ctx, compare.Pair{Part: b.Part, Partner: b.Partner, Place: b.Place,
			Firmware: b.Firmware, Outcome: b.Outcome, How: []string{b.How}}, by)
	})
}

func (s *Service) resultRoutes() {
	d := s.desk.Results
	serve(s, api.Runs, func(ctx context.Context, in *api.RunsIn) (api.RunList, error) {
		f := filter(in.RunsAsked)
		f.After, f.Offset, f.Limit = in.After, in.Offset, in.Limit
		runs, total, err := d.Runs(ctx, f)
		return api.RunList{Runs: runs, Total: total}, err
	})
	one(s, api.Run, d.Run)
	serve(s, api.ImportRuns, func(ctx context.Context, in *api.RunsFrom) (results.Imported, error) {
		return d.ImportRuns(ctx, in.RawBody, results.Target{Unit: in.Unit, Host: in.Host, Place: in.Place,
			Setup: in.Setup}, by(ctx))
	})
	serve(s, api.CorrectRun, func(ctx context.Context, in *api.Correcting) (results.RunPage, error) {
		return d.Correct(ctx, in.Slug, in.Body, by(ctx))
	})
	serve(s, api.Twins, func(ctx context.Context, in *api.OfUnit) ([]results.Twin, error) { return d.Twins(ctx, in.Unit) })
	serve(s, api.CompareRuns, func(ctx context.Context, in *api.TwoRuns) (trust.Changed, error) {
		return s.desk.Figures.Between(ctx, in.A, in.B)
	})
	all(s, api.Recount, d.Recount)
	serve(s, api.History, func(ctx context.Context, in *api.HistoryOf) (figures.UnitHistory, error) {
		return s.desk.Figures.History(ctx, figures.HistoryAsked{Unit: in.Unit, Measure: in.Measure, Setup: in.Setup,
			Where: in.Where})
	})
	add(s, api.TypeReadings, d.TypeReadings)
	serve(s, api.ImportTable, func(ctx context.Context, in *api.File) (results.Table, error) {
		return d.ImportTable(ctx, in.RawBody, in.CheckOnly, by(ctx))
	})
	serve(s, api.AddFrames, func(ctx context.Context, in *api.FramesIn) (record.Run, error) {
		return d.AddFrames(ctx, in.RawBody, in.FramesOf, by(ctx))
	})
	s.traceRoutes()
	s.incidentRoutes()
}

func (s *Service) traceRoutes() {
	d := s.desk.Results
	serve(s, api.RunTrace, func(ctx context.Context, in *api.Traced) (results.TraceView, error) {
		return d.RunTrace(ctx, in.Slug, in.From, in.To, in.Points)
	})
	files(s, api.TraceTable, func(ctx context.Context, in *api.Slugged) (*blob, error) {
		b, err := d.TraceTable(ctx, in.Slug)
		return &blob{ContentType: "text/csv; charset=utf-8", Disposition: `attachment; filename="trace.csv"`, Body: b}, err
	})
	serve(s, api.LayLog, func(ctx context.Context, in *api.LogIn) (results.OutsideLog, error) {
		var shift *float64
		if in.Shift != "" {
			v, err := strconv.ParseFloat(in.Shift, 64)
			if err != nil {
				return results.OutsideLog{}, huma.Error422UnprocessableEntity("shift is a number of seconds")
			}
			shift = &v
		}
		return d.LayLog(ctx, in.Slug, in.Name, in.RawBody, shift, by(ctx))
	})
	serve(s, api.ShiftLog, func(ctx context.Context, in *api.LogShift) (results.OutsideLog, error) {
		return d.ShiftLog(ctx, in.Slug, in.Log, in.Body.Shift, by(ctx))
	})
	serve(s, api.DropLog, func(ctx context.Context, in *api.LogOf) (api.None, error) {
		return api.None{}, d.DropLog(ctx, in.Slug, in.Log, by(ctx))
	})
}

func (s *Service) incidentRoutes() {
	d := s.desk.Bench
	serve(s, api.Incidents, func(ctx context.Context, in *api.IncidentsIn) (api.IncidentList, error) {
		list, total, err := d.Incidents(ctx, store.IncidentFilter{Unit: in.Unit, Plan: in.Plan, Kind: in.Kind,
			After: in.After, Offset: in.Offset, Limit: in.Limit})
		return api.IncidentList{Incidents: list, Total: total}, err
	})
	add(s, api.NoteIncident, func(ctx context.Context, b api.IncidentNote, by string) (record.Incident, error) {
		return d.NoteIncident(ctx, record.Incident{Unit: b.Unit, Host: b.Host, Place: b.Place, Kind: b.Kind, Text: b.Text,
			At: b.At, Times: b.Times, Tries: b.Tries}, by)
	})
	serve(s, api.Incident, func(ctx context.Context, in *api.Slugged) (api.IncidentPage, error) {
		x, changes, err := d.Incident(ctx, in.Slug)
		return api.IncidentPage{Incident: x, Changes: changes}, err
	})
	serve(s, api.ChangeIncident, func(ctx context.Context, in *api.ChangingIncident) (record.Incident, error) {
		return d.ChangeIncident(ctx, in.Slug, in.Body, by(ctx))
	})
	serve(s, api.IncidentRates, func(ctx context.Context, in *api.OfUnit) ([]record.IncidentRate, error) {
		return d.IncidentRates(ctx, in.Unit)
	})
}
