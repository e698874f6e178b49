package service

import (
	"context"
	"strings"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
)

func (s *Service) accessRoutes() {
	d := s.desk.Books
	serve(s, api.SignIn, func(ctx context.Context, in *api.Body[api.Code]) (api.Token, error) {
		t, err := d.SignIn(ctx, in.Body.Code, in.Body.Name, "owner")
		return api.Token{Token: t}, err
	})
	all(s, api.MakeSignInLink, func(ctx context.Context) (api.Code, error) {
		c, err := d.SignInCode(ctx)
		return api.Code{Code: c}, err
	})
	all(s, api.SignOut, func(ctx context.Context) (api.None, error) {
		t, _ := ctx.Value(tokenKey{}).(string)
		return api.None{}, d.SignOut(ctx, t)
	})
	all(s, api.WhoAmI, func(ctx context.Context) (api.Me, error) {
		return api.Me{Name: by(ctx), Desk: s.desk.Desk.Name}, nil
	})
	all(s, api.Tokens, d.Tokens)
	serve(s, api.AddToken, func(ctx context.Context, in *api.Body[api.Me]) (api.Token, error) {
		t, err := d.AddToken(ctx, in.Body.Name)
		return api.Token{Token: t}, err
	})
	serve(s, api.DropToken, func(ctx context.Context, in *api.Slugged) (api.None, error) {
		return api.None{}, d.DropToken(ctx, in.Slug)
	})
	all(s, api.Vocabulary, func(ctx context.Context) (api.Words, error) {
		known, err := d.Kinds(ctx)
		var kinds []catalog.Kind
		for _, k := range known {
			kinds = append(kinds, k.Kind)
		}
		return api.Words{Specs: catalog.Vocabulary, Conditions: method.ConditionVocabulary,
			Negotiated: method.NegotiatedVocabulary, Channels: record.ChannelVocabulary, Units: quantity.Units(),
			Kinds: kinds}, err
	})
	files(s, api.Format, func(_ context.Context, in *api.Slugged) (*blob, error) {
		b, err := d.Schema(strings.TrimSuffix(in.Slug, ".schema.json"))
		return &blob{ContentType: api.Format.Media, Body: b}, err
	})
}
