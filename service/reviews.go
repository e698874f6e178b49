package service

import (
	"archive/zip"
	"bytes"
	"context"
	"os"

	"durvek/api"
	"durvek/core/verdict"
	"durvek/desk"
)

func (s *Service) reviewRoutes() {
	d := s.desk.Reviews
	offering(s, api.Reviews, "review", d.Reviews, func(r verdict.Review) string { return r.Slug })
	add(s, api.AddReview, func(ctx context.Context, b api.ReviewRequest, by string) (verdict.Review, error) {
		return d.AddReview(ctx, verdict.Review{Slug: b.Slug, Title: b.Title, Subject: b.Subject, Field: b.Field,
			Charts: verdict.ChartsOf(b.Measures)}, by)
	})
	one(s, api.Review, d.Looked)
	serve(s, api.SaveReview, func(ctx context.Context, in *api.Saving) (verdict.Review, error) {
		in.Body.Slug = in.Slug
		if in.IfMatch != "" && in.IfMatch != "*" {
			now, err := d.Looked(ctx, in.Slug)
			var b bytes.Buffer
			if err == nil {
				err = asJSON(&b, now)
			}
			if err != nil {
				return verdict.Review{}, err
			}
			if etag(b.Bytes()) != in.IfMatch {
				return verdict.Review{}, desk.Refuse(desk.Changed, "review %q was changed since it was read; read it again, then "+
					"change it", in.Slug)
			}
		}
		return d.SaveReview(ctx, in.Body, by(ctx))
	})
	serve(s, api.RefreshFindings, func(ctx context.Context, in *api.Slugged) (verdict.Review, error) {
		return d.RefreshFindings(ctx, in.Slug, by(ctx))
	})
	serve(s, api.SignReview, func(ctx context.Context, in *api.Signing) (verdict.Review, error) {
		return d.SignReview(ctx, in.Slug, in.Body.By)
	})
	one(s, api.ReviewCharts, d.ReviewCharts)
	serve(s, api.Publish, func(ctx context.Context, in *api.Publishing) (verdict.Edition, error) {
		return d.Publish(ctx, in.Slug, in.Body.Note, by(ctx))
	})
	files(s, api.EditionArchive, func(ctx context.Context, in *api.EditionOf) (*blob, error) {
		dir, err := d.EditionDir(ctx, in.Slug, in.Number)
		if err != nil {
			return nil, err
		}
		var b bytes.Buffer
		w := zip.NewWriter(&b)
		if err = w.AddFS(os.DirFS(dir)); err == nil {
			err = w.Close()
		}
		return &blob{ContentType: api.EditionArchive.Media, Disposition: `attachment; filename="edition.zip"`,
			Body: b.Bytes()}, err
	})
}
