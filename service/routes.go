package service

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"durvek/api"
	"durvek/desk/books"
)

// answer is a JSON body, and where what was made stands.
type answer[T any] struct {
	Location string `header:"Location" hidden:"true"`
	Link     string `header:"Link" hidden:"true"`
	Body     T
}

type blob struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

// by is the name of who asks.
func by(ctx context.Context) string { return who(ctx).By() }

// serve answers an operation.
func serve[I, O any](s *Service, o api.Operation[I, O], f func(context.Context, *I) (O, error)) {
	d := described(s, o)
	if o.Made != nil {
		d.DefaultStatus = http.StatusCreated
	}
	if listing(o) {
		s.lists(&d)
	}
	huma.Register(s.api, d, func(ctx context.Context, in *I) (*answer[O], error) {
		if err := sound(in); err != nil {
			return nil, err
		}
		meant(reflect.ValueOf(in).Elem())
		out, err := f(ctx, in)
		if err != nil {
			return nil, fail(err)
		}
		out, next, err := part(ctx, out)
		if err != nil {
			return nil, err
		}
		a := &answer[O]{Body: out}
		if next != "" {
			a.Link = "<" + next + `>; rel="next"`
		}
		if o.Made != nil {
			a.Location = o.Made(out)
		}
		return a, nil
	})
	if o.Made != nil {
		s.api.OpenAPI().Paths[o.Path].Post.Responses["201"].Headers = map[string]*huma.Param{"Location": {
			Description: "Path of what was made", Schema: &huma.Schema{Type: "string"}}}
	}
}

// meant puts the parts of a path as they were meant: they come as they were sent, and names have blanks.
func meant(in reflect.Value) {
	for i := range in.NumField() {
		switch f, x := in.Type().Field(i), in.Field(i); {
		case f.Anonymous && x.Kind() == reflect.Struct:
			meant(x)
		case f.Tag.Get("path") != "" && x.Kind() == reflect.String:
			if s, err := url.PathUnescape(x.String()); err == nil {
				x.SetString(s)
			}
		}
	}
}

// all answers an operation of nothing, one that of a name, add that of a value which somebody brings, put one whose
// answer is the value itself.
func all[O any](s *Service, o api.Operation[api.None, O], f func(context.Context) (O, error)) {
	serve(s, o, func(ctx context.Context, _ *api.None) (O, error) { return f(ctx) })
}

func one[O any](s *Service, o api.Operation[api.Slugged, O], f func(context.Context, string) (O, error)) {
	serve(s, o, func(ctx context.Context, in *api.Slugged) (O, error) { return f(ctx, in.Slug) })
}

func add[B, O any](s *Service, o api.Operation[api.Body[B], O], f func(context.Context, B, string) (O, error)) {
	serve(s, o, func(ctx context.Context, in *api.Body[B]) (O, error) { return f(ctx, in.Body, by(ctx)) })
}

func put[B any](s *Service, o api.Operation[api.Body[B], B], f func(context.Context, B, string) error) {
	add(s, o, func(ctx context.Context, b B, by string) (B, error) { return b, f(ctx, b, by) })
}

// files answers an operation with bytes.
func files[I any](s *Service, op api.Operation[I, []byte], f func(context.Context, *I) (*blob, error)) {
	o := described(s, op)
	o.Responses = map[string]*huma.Response{"200": {Description: op.Words,
		Content: map[string]*huma.MediaType{op.Media: {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}}
	huma.Register(s.api, o, func(ctx context.Context, in *I) (*blob, error) {
		if err := sound(in); err != nil {
			return nil, err
		}
		meant(reflect.ValueOf(in).Elem())
		b, err := f(ctx, in)
		if err != nil {
			return nil, fail(err)
		}
		return b, nil
	})
}

func described[I, O any](s *Service, o api.Operation[I, O]) huma.Operation {
	op := huma.Operation{Method: o.Verb, Path: o.Path, OperationID: o.ID, Summary: o.Words, Tags: []string{o.Group},
		MaxBodyBytes: o.Most, BodyReadTimeout: bodyTime, Middlewares: huma.Middlewares{s.rights(o.Group, o.Needs)},
		Description: o.Words + ". " + takes(o.Group, o.Needs), Errors: []int{http.StatusUnprocessableEntity,
			http.StatusInternalServerError}}
	if strings.Contains(o.Path, "{") {
		op.Errors = append(op.Errors, http.StatusNotFound)
	}
	if o.Verb != http.MethodGet {
		op.Errors = append(op.Errors, http.StatusConflict, http.StatusRequestEntityTooLarge)
	}
	op.Errors = append(op.Errors, http.StatusUnauthorized)
	if slices.Contains([]string{api.SignIn.ID, api.Join.ID, api.AskEntry.ID, api.EntryAnswer.ID}, o.ID) {
		op.Security = []map[string][]string{}
		op.Errors = append(op.Errors, http.StatusTooManyRequests)
		return op
	}
	op.Errors = append(op.Errors, http.StatusForbidden)
	op.Security = []map[string][]string{{"token": {}}, {"session": {}}}
	if o.Group == api.Agents {
		op.Security = []map[string][]string{{"token": {}}}
	}
	return op
}

// takes says who may ask.
func takes(group string, needs books.Role) string {
	switch {
	case group == api.Agents && needs != "":
		return "Only a machine that joined a plan asks this."
	case needs == "":
		return "Anybody may ask this; wrong codes are limited by address."
	case needs == books.Reader:
		return "Everybody who works at the desk may ask this."
	}
	return "It takes " + article(string(needs)) + "."
}

// rights refuses who may not ask an operation: an agent's is an agent's alone, a person's needs a role.
func (s *Service) rights(group string, needs books.Role) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		w := who(ctx.Context())
		why := ""
		switch {
		case needs == "":
		case group == api.Agents && w.Plan == "":
			why = "only a machine that joined a plan asks this"
		case group != api.Agents && !w.Role.May(needs):
			why = fmt.Sprintf("%s may not do this: it takes %s, and this sign-in is %s's", w.By(), article(string(needs)),
				article(string(w.Role)))
		}
		if why == "" {
			next(ctx)
			return
		}
		security("refused", "why", why, "person", w.Person, "path", ctx.Operation().Path)
		huma.WriteErr(s.api, ctx, http.StatusForbidden, why)
	}
}

func article(role string) string {
	if role == "" {
		return "nobody"
	}
	if strings.ContainsRune("aeio", rune(role[0])) {
		return "an " + role
	}
	return "a " + role
}

func (s *Service) routes() {
	s.accessRoutes()
	s.hookRoutes()
	s.catalogueRoutes()
	s.benchRoutes()
	s.handsRoutes()
	s.agentRoutes()
	s.resultRoutes()
	s.rawRoutes()
	s.trustRoutes()
	s.compareRoutes()
	s.chartRoutes()
	s.reviewRoutes()
}
