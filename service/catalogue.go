package service

import (
	"context"
	"encoding/json"
	"strings"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/desk/books"
	"durvek/document"
)

func (s *Service) catalogueRoutes() {
	d := s.desk.Books
	serve(s, api.ImportDossier, func(ctx context.Context, in *api.File) (books.Intake, error) {
		return d.ImportDossier(ctx, in.RawBody, in.CheckOnly, by(ctx))
	})
	files(s, api.ExportDossier, func(ctx context.Context, in *api.Slugged) (*blob, error) {
		name, asJSON := strings.CutSuffix(in.Slug, ".json")
		x, err := d.ExportDossier(ctx, name)
		if err != nil {
			return nil, err
		}
		if asJSON {
			b, err := json.MarshalIndent(x, "", "  ")
			return &blob{ContentType: "application/json", Body: b}, err
		}
		b, err := document.YAML(x)
		return &blob{ContentType: api.ExportDossier.Media, Body: b}, err
	})
	all(s, api.Models, d.Models)
	add(s, api.AddModel, d.AddModel)
	one(s, api.Model, d.ModelPage)
	serve(s, api.Variants, func(ctx context.Context, in *api.OfModel) ([]catalog.Variant, error) {
		return d.Variants(ctx, in.Model)
	})
	add(s, api.AddVariant, d.AddVariant)
	one(s, api.Variant, d.Variant)
	serve(s, api.Units, func(ctx context.Context, in *api.OfVariant) ([]catalog.Unit, error) {
		return d.Units(ctx, in.Variant)
	})
	add(s, api.AddUnit, d.AddUnit)
	one(s, api.Unit, d.Unit)
	all(s, api.Rigs, d.Rigs)
	one(s, api.Rig, d.Rig)
	put(s, api.AddRig, d.AddRig)
	serve(s, api.CheckClaims, func(ctx context.Context, in *api.OfVariant) ([]claims.Judged, error) {
		return s.desk.Figures.CheckClaims(ctx, in.Variant)
	})
	add(s, api.AddClaim, d.AddClaim)
	serve(s, api.Offers, func(ctx context.Context, in *api.OfVariant) ([]catalog.Offer, error) {
		return d.Offers(ctx, in.Variant)
	})
	add(s, api.AddOffer, d.AddOffer)
	serve(s, api.Clear, func(ctx context.Context, in *api.Clearing) (api.None, error) {
		return api.None{}, d.Clear(ctx, in.Body.Kind, in.Body.Slug, in.Body.Parts, by(ctx))
	})
	serve(s, api.Remove, func(ctx context.Context, in *api.Removal) (api.None, error) {
		return api.None{}, d.Remove(ctx, in.Kind, in.ID, by(ctx))
	})
}
