package service

import (
	"context"
	"mime"

	"durvek/api"
	"durvek/core/analyse"
	"durvek/core/chart"
	"durvek/desk"
	"durvek/desk/results"
	"durvek/draw"
	"durvek/rawfile"
)

func (s *Service) rawRoutes() {
	d := s.desk.Results
	all(s, api.Analyses, func(context.Context) ([]analyse.Analysis, error) { return analyse.Analyses(), nil })
	serve(s, api.TakeRaw, func(ctx context.Context, in *api.RawIn) (results.RawTaken, error) {
		out, err := d.TakeRaw(ctx, in.RawBody, in.RawOf, in.CheckOnly, by(ctx))
		if err == nil && out.Mapping != nil {
			svg, _, err := drawn(out.Picture, out.Mapping.Analysis+" of "+out.Name, out.Notes, in.Dark)
			out.Drawn = string(svg)
			return out, err
		}
		return out, err
	})
	one(s, api.RunSource, d.RunSource)
	files(s, api.RunFile, func(ctx context.Context, in *api.Slugged) (*blob, error) {
		name, data, err := d.RunFile(ctx, in.Slug)
		return &blob{ContentType: "application/octet-stream", Body: data,
			Disposition: mime.FormatMediaType("attachment", map[string]string{"filename": name})}, err
	})
	files(s, api.RunPicture, func(ctx context.Context, in *api.Pictured) (*blob, error) {
		x, err := d.RunSource(ctx, in.Slug)
		if err != nil {
			return nil, err
		}
		svg, ok, err := drawn(x.Picture, x.Analysis+" of "+x.Name, x.Notes, in.Dark)
		if err == nil && !ok {
			err = desk.Refuse(desk.NotFound, "nothing is drawn of file %q", x.Name)
		}
		return &blob{ContentType: "image/svg+xml", Body: svg}, err
	})
	all(s, api.Mappings, d.Mappings)
	add(s, api.SaveMapping, d.SaveMapping)
	serve(s, api.ImportMapping, func(ctx context.Context, in *api.File) (rawfile.Mapping, error) {
		return d.ImportMapping(ctx, in.RawBody, in.CheckOnly, by(ctx))
	})
	serve(s, api.DropMapping, func(ctx context.Context, in *api.Slugged) (api.None, error) {
		return api.None{}, d.DropMapping(ctx, in.Slug, by(ctx))
	})
}

// drawn draws what an analysis shows of raw data, if it shows anything.
func drawn(p analyse.Picture, subtitle string, notes []string, dark bool) (svg []byte, ok bool, err error) {
	c := chart.OfRaw(p, subtitle, "", notes)
	if c == nil {
		return nil, false, nil
	}
	svg, err = draw.SVG(c, draw.Options{Format: "column", Dark: dark})
	return svg, true, err
}
