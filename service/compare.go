package service

import (
	"bytes"
	"context"
	"math"
	"strconv"
	"strings"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/core/chart"
	"durvek/core/compare"
	"durvek/core/fit"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/desk"
	"durvek/desk/figures"
	"durvek/draw"
	"durvek/internal/sheet"
)

// split parts a list that is written with commas.
func split(list string) []string {
	return strings.FieldsFunc(list, func(r rune) bool { return r == ',' })
}

func question(q api.Asked) compare.Question {
	return compare.Question{
		Field:     q.Field,
		Measure:   q.Measure,
		Setup:     q.Setup,
		Subject:   q.Subject,
		Reference: q.Reference,
		Claims:    q.Claims,
		Raised:    q.Raised,
		Allow:     split(q.Allow),
		Carried:   q.Carried,
		Modes:     q.Modes,
		Where:     q.Where,
	}
}

func pricing(p api.Priced) catalog.Pricing {
	return catalog.Pricing{Currency: p.Currency, Region: p.Region, Condition: p.Condition, Day: p.Day,
		NoVoucher: p.NoVoucher}
}

func weighing(w api.Weighed) (figures.IndexQuestion, error) {
	q := figures.IndexQuestion{
		Where:     w.Where,
		Field:     w.Field,
		Setup:     w.Setup,
		Use:       w.Use,
		Subject:   w.Subject,
		Reference: w.Against,
	}
	for _, part := range split(w.Weights) {
		name, number, ok := strings.Cut(part, "=")
		v, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
		if name = strings.TrimSpace(name); !ok || err != nil || strings.Trim(name, "/") == "" || math.IsNaN(v) ||
			math.IsInf(v, 0) {
			return q, desk.Refuse(desk.Invalid, "weights are written as hashing/all=2,storage=1, not %q", part)
		}
		x := fit.Weight{Weight: v}
		if strings.Contains(name, "/") {
			x.Measure = name
		} else {
			x.Group = name
		}
		q.Weights = append(q.Weights, x)
	}
	return q, nil
}

func (s *Service) index(ctx context.Context, in api.Weighed) (figures.Index, error) {
	q, err := weighing(in)
	if err != nil {
		return figures.Index{}, err
	}
	return s.desk.Figures.IndexOf(ctx, q)
}

func (s *Service) value(ctx context.Context, in api.ValueAsked) (figures.Valued, error) {
	q := figures.ValueQuestion{Field: in.Field, Measure: in.Measure, Setup: in.Setup, Subject: in.Subject,
		Pricing: pricing(in.Priced), Where: in.Where}
	if in.Measure == "" {
		x, err := weighing(in.Weighed)
		if err != nil {
			return figures.Valued{}, err
		}
		q.Index = &x
	}
	return s.desk.Figures.ValueOf(ctx, q)
}

func (s *Service) heads(ctx context.Context, in api.HeadAsked) (compare.Head, error) {
	return s.desk.Figures.HeadToHead(ctx, split(in.Variants), in.Setup, in.Currency, in.Where...)
}

func (s *Service) curves(ctx context.Context, in api.CurvesAsked) (chart.Lines, error) {
	return s.desk.Figures.Curves(ctx, in.Test, in.Field, split(in.Variants), in.Setup, in.Subject)
}

func (s *Service) compareRoutes() {
	d := s.desk.Figures
	all(s, api.Fields, d.FieldPages)
	put(s, api.AddField, d.AddField)
	serve(s, api.DropField, func(ctx context.Context, in *api.Slugged) (api.None, error) {
		return api.None{}, d.DropField(ctx, in.Slug, by(ctx))
	})
	all(s, api.Measures, d.Measures)
	serve(s, api.Measure, func(ctx context.Context, in *api.MeasureOf) (figures.MeasurePage, error) {
		return d.Measure(ctx, method.ID(in.Slug, in.Measure))
	})
	serve(s, api.Rank, func(ctx context.Context, in *api.Asked) (compare.Comparison, error) {
		return d.Rank(ctx, question(*in))
	})
	serve(s, api.Cells, func(ctx context.Context, in *api.CellsAsked) (figures.Cells, error) {
		return d.CellsOf(ctx, in.Field, split(in.Variants), split(in.Measures), in.Setup, in.Where...)
	})
	serve(s, api.Place, func(ctx context.Context, in *api.PlaceAsked) (figures.Place, error) {
		return d.PlaceOf(ctx, in.Measure, in.Variant, in.Setup, in.Where...)
	})
	serve(s, api.Heads, func(ctx context.Context, in *api.HeadAsked) (compare.Head, error) { return s.heads(ctx, *in) })
	serve(s, api.Rivals, func(ctx context.Context, in *api.VariantAsked) (figures.Rivals, error) {
		return d.Rivals(ctx, in.Variant)
	})
	serve(s, api.Alike, func(ctx context.Context, in *api.AlikeAsked) ([]compare.Likeness, error) {
		return d.Alike(ctx, in.Variant, in.Most)
	})
	serve(s, api.Index, func(ctx context.Context, in *api.Weighed) (figures.Index, error) { return s.index(ctx, *in) })
	all(s, api.Uses, d.Uses)
	add(s, api.AddUse, d.AddUse)
	serve(s, api.ImportUse, func(ctx context.Context, in *api.File) (fit.Use, error) {
		return d.ImportUse(ctx, in.RawBody, in.CheckOnly, by(ctx))
	})
	serve(s, api.Fit, func(ctx context.Context, in *api.FitAsked) (figures.UseFit, error) {
		return d.FitOf(ctx, in.Use, in.Field, in.Setup, in.Where...)
	})
	all(s, api.Rates, s.desk.Books.Rates)
	add(s, api.AddRate, s.desk.Books.AddRate)
	serve(
		s,
		api.Value,
		func(ctx context.Context, in *api.ValueAsked) (figures.Valued, error) { return s.value(ctx, *in) },
	)
	serve(s, api.RigCost, func(ctx context.Context, in *api.CostAsked) (figures.Cost, error) {
		return d.RigCost(ctx, in.Slug, pricing(in.Priced))
	})
	serve(s, api.Modes, func(ctx context.Context, in *api.ModesAsked) (compare.Modes, error) {
		return d.ModesOf(ctx, in.Measure, in.Field, in.Subject)
	})
	serve(
		s,
		api.Curves,
		func(ctx context.Context, in *api.CurvesAsked) (chart.Lines, error) { return s.curves(ctx, *in) },
	)
	serve(s, api.Suggest, func(ctx context.Context, in *api.SuggestAsked) ([]ranking.Suggestion, error) {
		return d.Next(ctx, figures.NextQuestion{Field: in.Field, Variant: in.Variant, Use: in.Use, Measure: in.Measure,
			Most: in.Most})
	})
	serve(s, api.Ledger, func(ctx context.Context, in *api.LedgerAsked) (figures.Ledger, error) {
		return d.Ledger(ctx, in.Variant, in.Maker, in.By, in.Where...)
	})
	serve(s, api.Worth, func(ctx context.Context, in *api.WorthAsked) (compare.Controlled, error) {
		return d.Worth(ctx, in.Measure, in.Kind)
	})
	serve(s, api.Why, func(ctx context.Context, in *api.WhyAsked) (compare.Why, error) {
		return d.Why(ctx, in.Measure, in.A, in.B, in.Setup)
	})
}

func (s *Service) chartRoutes() {
	d := s.desk.Figures
	pictures(s, api.RankedChart, func(ctx context.Context, in *api.RankedPicture) (chart.Picture, error) {
		c, err := d.Rank(ctx, question(in.Asked))
		return c.Chart, err
	})
	pictures(s, api.HeadChart, func(ctx context.Context, in *api.HeadPicture) (chart.Picture, error) {
		h, err := s.heads(ctx, in.HeadAsked)
		return h.Chart, err
	})
	pictures(s, api.IndexChart, func(ctx context.Context, in *api.IndexPicture) (chart.Picture, error) {
		x, err := s.index(ctx, in.Weighed)
		return x.Chart, err
	})
	pictures(s, api.ValueChart, func(ctx context.Context, in *api.ValuePicture) (chart.Picture, error) {
		v, err := s.value(ctx, in.ValueAsked)
		return v.Chart, err
	})
	pictures(s, api.ModesChart, func(ctx context.Context, in *api.ModesPicture) (chart.Picture, error) {
		m, err := d.ModesOf(ctx, in.Measure, in.Field, in.Subject)
		return m.Picture(), err
	})
	pictures(s, api.CurvesChart, func(ctx context.Context, in *api.CurvesPicture) (chart.Picture, error) {
		return s.curves(ctx, in.CurvesAsked)
	})
	pictures(s, api.ClaimsChart, func(ctx context.Context, in *api.ClaimsPicture) (chart.Picture, error) {
		return d.ClaimsChart(ctx, in.Variant, in.Where...)
	})
}

// pictures answers with a chart, drawn as SVG or PNG on a page or a card, or with its figures as CSV (RFC 4180).
func pictures[Q any, P interface{ Wanted() api.Drawn }](s *Service, op api.Chart[Q, P],
	f func(context.Context, *P) (chart.Picture, error)) {
	files(s, op.Operation, func(ctx context.Context, in *P) (*blob, error) {
		c, err := f(ctx, in)
		if err != nil {
			return nil, err
		}
		w := (*in).Wanted()
		o := draw.Options{Format: w.Format, Dark: w.Dark, Transparent: w.Transparent, Pixels: w.Pixels, Most: w.Most}
		switch w.Type {
		case "csv":
			table := c.Table()
			var b bytes.Buffer
			out := sheet.NewWriter(&b)
			out.UseCRLF = true
			out.Write(table.Columns) // a buffer does not fail
			out.WriteAll(table.Rows)
			return &blob{ContentType: "text/csv; charset=utf-8", Body: b.Bytes()}, out.Error()
		case "png":
			b, err := draw.PNG(c, o)
			return &blob{ContentType: "image/png", Body: b}, err
		}
		b, err := draw.SVG(c, o)
		return &blob{ContentType: "image/svg+xml", Body: b}, err
	})
}
