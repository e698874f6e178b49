package service

import (
	"archive/zip"
	"bytes"
	"context"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"

	"github.com/gofiber/fiber/v2"

	"durvek/api"
	"durvek/core/verdict"
	"durvek/desk"
	"durvek/publish"
)

func (s *Service) reviewRoutes() {
	d := s.desk.Reviews
	offering(s, api.Reviews, "review", d.Reviews, func(r verdict.Review) string { return r.Slug })
	add(s, api.AddReview, func(ctx context.Context, b api.ReviewRequest, by string) (verdict.Review, error) {
		return d.AddReview(ctx, verdict.Review{Slug: b.Slug, Title: b.Title, Subject: b.Subject, Field: b.Field,
			Uses: b.Uses, Charts: verdict.ChartsOf(b.Measures)}, by)
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
	files(s, api.PreviewReview, func(ctx context.Context, in *api.Slugged) (*blob, error) {
		page, err := d.Preview(ctx, in.Slug)
		return &blob{ContentType: "text/html; charset=utf-8", Body: page}, err
	})
	files(s, api.ReviewCards, func(ctx context.Context, in *api.CardsOf) (*blob, error) {
		pack, err := d.Cards(ctx, in.Slug, publish.CardChoice{Formats: in.Formats, Grounds: in.Grounds})
		return &blob{ContentType: api.ReviewCards.Media, Disposition: `attachment; filename="cards.zip"`, Body: pack}, err
	})
	serve(s, api.ShowSite, func(context.Context, *api.None) (publish.Site, error) { return d.SiteOf("") })
	serve(s, api.WriteSite, func(ctx context.Context, in *api.Body[api.SiteRequest]) (publish.SiteWritten, error) {
		return d.WriteSite(ctx, in.Body.Base, by(ctx))
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

// siteFile serves a file of the site that was written last, for a look at it.
func (s *Service) siteFile(c *fiber.Ctx) error {
	name, err := url.PathUnescape(c.Params("*"))
	if err != nil || name != "" && !fs.ValidPath(strings.TrimSuffix(name, "/")) {
		return problem(c, http.StatusNotFound, "no such page")
	}
	if name == "" || strings.HasSuffix(name, "/") {
		name += "index.html"
	}
	at := filepath.Join(s.desk.Reviews.SiteDir(), filepath.FromSlash(name))
	if info, err := os.Stat(at); err != nil || info.IsDir() || path.Base(name)[0] == '.' {
		return problem(c, http.StatusNotFound, "no such page; write the site first")
	}
	c.Set("Content-Type", contentType(name))
	return c.SendFile(at)
}

// pageFont serves a face of the pages that a preview shows.
func (s *Service) pageFont(c *fiber.Ctx) error {
	data, err := publish.Font(c.Params("name"))
	if err != nil {
		return problem(c, http.StatusNotFound, "no such font")
	}
	c.Set("Content-Type", "font/woff2")
	return c.Send(data)
}
