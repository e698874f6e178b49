package service

import (
	"context"
	"slices"
	"strings"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/desk"
	"durvek/desk/books"
	"durvek/desk/front"
	"durvek/publish"
)

func (s *Service) accessRoutes() {
	d := s.desk.Books
	serve(s, api.SignIn, func(ctx context.Context, in *api.Body[api.Code]) (api.Token, error) {
		t, person, err := d.SignIn(ctx, in.Body.Code, in.Body.Name, books.Command)
		if err == nil {
			security("signed in", "person", person, "program", in.Body.Name)
		}
		return api.Token{Token: t}, err
	})
	serve(s, api.MakeSignInLink, func(ctx context.Context, in *api.Body[api.Whose]) (api.Code, error) {
		w := who(ctx)
		c, whose, err := d.LinkFor(ctx, w, in.Body.Person)
		if err == nil {
			security("sign-in link made", "person", whose, "by", w.By())
		}
		return api.Code{Code: c}, err
	})
	all(s, api.SignOut, func(ctx context.Context) (api.None, error) {
		t, _ := ctx.Value(tokenKey{}).(string)
		security("signed out", "person", who(ctx).Person)
		return api.None{}, d.SignOut(ctx, t)
	})
	all(s, api.WhoAmI, func(ctx context.Context) (api.Me, error) {
		return api.Me{Name: who(ctx).Person, Desk: s.desk.Desk.Name(), Role: who(ctx).Role}, nil
	})
	s.peopleRoutes()
	s.entryRoutes()
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

// describe sets what the desk says of itself.
func (s *Service) describe(ctx context.Context, x desk.Self, by string) (desk.Self, error) {
	if x.Licence != "" && !slices.Contains(publish.Licences(), x.Licence) {
		return x, desk.Refuse(desk.Invalid, "a licence is one of: %s; not %q", strings.Join(publish.Licences(), ", "),
			x.Licence)
	}
	if x.Name = strings.TrimSpace(x.Name); x.Name == "" {
		return x, desk.Refuse(desk.Invalid, "a desk has a name")
	}
	return s.desk.Desk.Describe(ctx, x, by)
}

// peopleRoutes are those of people and tokens; every change stands in the security log.
func (s *Service) peopleRoutes() {
	d := s.desk.Books
	all(s, api.Self, func(context.Context) (desk.Self, error) { return s.desk.Desk.Self(), nil })
	add(s, api.Describe, s.describe)
	all(s, api.Today, func(ctx context.Context) (front.Today, error) {
		t, err := s.desk.Front.Today(ctx)
		t.Backup = s.backedUp.Load()
		return t, err
	})
	serve(s, api.Find, func(ctx context.Context, in *api.Finding) ([]front.Found, error) {
		return s.desk.Front.Find(ctx, in.Text, in.Most)
	})
	all(s, api.People, d.People)
	add(s, api.AddPerson, func(ctx context.Context, b api.PersonNote, by string) (books.Person, error) {
		p, err := d.AddPerson(ctx, books.Person{Name: b.Name, Role: b.Role}, by)
		if err == nil {
			security("person added", "person", p.Name, "role", p.Role, "by", by)
		}
		return p, err
	})
	serve(s, api.ChangePerson, func(ctx context.Context, in *api.ChangingPerson) (books.Person, error) {
		p, err := d.ChangePerson(ctx, in.Slug, books.Person{Name: in.Body.Name, Role: in.Body.Role}, by(ctx))
		if err == nil {
			security("person changed", "was", in.Slug, "person", p.Name, "role", p.Role, "by", by(ctx))
		}
		return p, err
	})
	serve(s, api.DropPerson, func(ctx context.Context, in *api.Slugged) (api.None, error) {
		err := d.DropPerson(ctx, in.Slug, by(ctx))
		if err == nil {
			security("person dropped", "person", in.Slug, "by", by(ctx))
		}
		return api.None{}, err
	})
	serve(s, api.Journal, func(ctx context.Context, in *api.JournalIn) (api.JournalPage, error) {
		lines, total, err := d.Journal(ctx, in.Text, in.After, in.Offset, in.Limit)
		return api.JournalPage{Lines: lines, Total: total}, err
	})
	all(s, api.Tokens, func(ctx context.Context) ([]books.Named, error) { return d.Tokens(ctx, who(ctx)) })
	serve(s, api.AddToken, func(ctx context.Context, in *api.Body[books.NewToken]) (api.Token, error) {
		t, err := d.AddToken(ctx, who(ctx), in.Body)
		if err == nil {
			security("token made", "name", in.Body.Name, "scope", in.Body.Scope, "by", by(ctx))
		}
		return api.Token{Token: t}, err
	})
	serve(s, api.DropToken, func(ctx context.Context, in *api.Slugged) (api.None, error) {
		err := d.DropToken(ctx, who(ctx), in.Slug)
		if err == nil {
			security("token revoked", "name", in.Slug, "by", by(ctx))
		}
		return api.None{}, err
	})
}
