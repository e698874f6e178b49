package service

import (
	"context"
	"encoding/json"
	"strings"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/record"
	"durvek/desk"
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
	offering(s, api.Models, "model", d.Models, func(m catalog.Model) string { return m.Slug })
	add(s, api.AddModel, d.AddModel)
	one(s, api.Model, d.ModelPage)
	serve(s, api.Variants, func(ctx context.Context, in *api.OfModel) ([]catalog.Variant, error) {
		return d.Variants(ctx, in.Model)
	})
	add(s, api.AddVariant, d.AddVariant)
	one(s, api.Variant, d.Variant)
	serve(s, api.Units, func(ctx context.Context, in *api.UnitsIn) ([]catalog.Unit, error) {
		list, err := d.Units(ctx, in.Variant)
		if err == nil {
			err = s.desk.Figures.Title(ctx, list)
		}
		if err != nil || in.Archived {
			return list, err
		}
		return desk.Offered(ctx, s.desk.Desk, "unit", list, func(u catalog.Unit) string { return u.Slug })
	})
	add(s, api.AddUnit, d.AddUnit)
	one(s, api.Unit, d.Unit)
	all(s, api.Rigs, d.Rigs)
	one(s, api.Rig, d.Rig)
	put(s, api.AddRig, d.AddRig)
	add(s, api.AddDevice, d.AddDevice)
	all(s, api.Exchanged, d.Exchanged)
	serve(s, api.TakeEdition, func(ctx context.Context, in *api.Arriving) (books.Rivals, error) {
		return d.TakeEdition(ctx, in.Body, in.CheckOnly, by(ctx))
	})
	serve(s, api.DropExchanged, func(ctx context.Context, in *api.ExchangedOf) (api.None, error) {
		return api.None{}, d.DropExchanged(ctx, in.Origin, in.Review, by(ctx))
	})
	all(s, api.Examples, s.desk.Results.Examples)
	add(s, api.LoadExamples, s.loadExamples)
	serve(s, api.DropExamples, func(ctx context.Context, in *api.Dropping) (api.None, error) {
		return api.None{}, s.desk.Results.DropExamples(ctx, in.All, by(ctx))
	})
	serve(s, api.CheckClaims, func(ctx context.Context, in *api.ClaimsIn) ([]claims.Judged, error) {
		return s.desk.Figures.CheckClaims(ctx, in.Variant, in.Where...)
	})
	add(s, api.AddClaim, d.AddClaim)
	serve(s, api.Offers, func(ctx context.Context, in *api.OfVariant) ([]catalog.Offer, error) {
		return d.Offers(ctx, in.Variant)
	})
	add(s, api.AddOffer, d.AddOffer)
	serve(s, api.Clear, func(ctx context.Context, in *api.Clearing) (api.None, error) {
		return api.None{}, d.Clear(ctx, in.Body.Kind, in.Body.Slug, in.Body.Parts, by(ctx))
	})
	s.shelfRoutes()
	serve(s, api.Remove, func(ctx context.Context, in *api.Removal) (api.None, error) {
		return api.None{}, d.Remove(ctx, in.Kind, in.ID, by(ctx))
	})
}

// loadExamples puts examples of some kinds on the books: of those that the desk has, where none is named.
func (s *Service) loadExamples(ctx context.Context, of api.ExamplesOf, by string) (desk.Examples, error) {
	if s.examples == nil {
		return desk.Examples{}, desk.Refuse(desk.NotFound, "this service has no examples")
	}
	kinds := of.Kinds
	if len(kinds) == 0 {
		models, err := s.desk.Books.Models(ctx)
		if err != nil {
			return desk.Examples{}, err
		}
		for _, m := range models {
			kinds = append(kinds, m.Kind)
		}
	}
	runtimes, err := s.desk.Desk.Store.Runtimes(ctx)
	if err != nil {
		return desk.Examples{}, err
	}
	list, err := s.examples(ctx, s.desk.Desk.Now(), runtimes, kinds...)
	if err == nil && len(list) == 0 {
		err = desk.Refuse(desk.NotFound, "there are no examples of these kinds")
	}
	if err != nil {
		return desk.Examples{}, err
	}
	return s.desk.Results.LoadExamples(ctx, list, by)
}

// offering serves a list that leaves out what is archived, unless it is asked for as well.
func offering[T any](s *Service, op api.Operation[api.Listing, []T], kind string,
	list func(context.Context) ([]T, error), slug func(T) string) {
	serve(s, op, func(ctx context.Context, in *api.Listing) ([]T, error) {
		all, err := list(ctx)
		if err != nil || in.Archived {
			return all, err
		}
		return desk.Offered(ctx, s.desk.Desk, kind, all, slug)
	})
}

// shelfRoutes are kinds, the archive, and what is said without a figure.
func (s *Service) shelfRoutes() {
	d := s.desk.Books
	all(s, api.Kinds, d.Kinds)
	add(s, api.AddKind, d.AddKind)
	all(s, api.Archived, d.Archived)
	serve(s, api.Archive, func(ctx context.Context, in *api.Body[api.Archiving]) (api.None, error) {
		return api.None{}, d.Archive(ctx, in.Body.Kind, in.Body.Slug, in.Body.Reason, by(ctx))
	})
	serve(s, api.Unarchive, func(ctx context.Context, in *api.ArchivedOne) (api.None, error) {
		return api.None{}, d.Unarchive(ctx, in.Kind, in.ID, by(ctx))
	})
	serve(s, api.Remarks, func(ctx context.Context, in *api.RemarksIn) ([]record.Remark, error) {
		return d.Remarks(ctx, in.Variant, in.Withdrawn)
	})
	add(s, api.AddRemark, func(ctx context.Context, b api.RemarkNote, by string) (record.Remark, error) {
		return d.AddRemark(ctx, record.Remark{Kind: b.Kind, Variant: b.Variant, Area: b.Area, Measure: b.Measure,
			Text: b.Text, Who: b.Who, Dated: b.Dated, Source: b.Source}, by)
	})
	serve(s, api.WithdrawRemark, func(ctx context.Context, in *api.Withdrawing) (record.Remark, error) {
		return d.WithdrawRemark(ctx, in.Slug, in.Body.Reason, by(ctx))
	})
}
