package service

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"durvek/api"
	"durvek/desk/hooks"
)

// hookRoutes are those of other programs that are told what happens; every change stands in the security log.
func (s *Service) hookRoutes() {
	d := s.desk.Hooks
	all(s, api.Hooks, d.List)
	all(s, api.HookKinds, func(context.Context) ([]hooks.Kind, error) { return hooks.Kinds, nil })
	add(s, api.AddHook, func(ctx context.Context, w hooks.Wish, by string) (hooks.Hook, error) {
		h, err := d.Add(ctx, w, by)
		if err == nil {
			security("hook added", "address", h.URL, "by", by)
		}
		return h, err
	})
	serve(s, api.ChangeHook, func(ctx context.Context, in *api.HookChange) (hooks.Hook, error) {
		h, err := d.Change(ctx, in.Slug, in.Body, by(ctx))
		if err == nil {
			security("hook changed", "address", h.URL, "by", by(ctx))
		}
		return h, err
	})
	serve(s, api.DropHook, func(ctx context.Context, in *api.Slugged) (api.None, error) {
		err := d.Drop(ctx, in.Slug, by(ctx))
		if err == nil {
			security("hook dropped", "hook", in.Slug, "by", by(ctx))
		}
		return api.None{}, err
	})
	one(s, api.TryHook, d.Try)
	one(s, api.HookMessages, d.Delivered)
	s.describeTold()
}

// describeTold describes what the service says by itself: its stream of events, and what it posts to other programs.
func (s *Service) describeTold() {
	text := func(says string) *huma.Param {
		return &huma.Param{In: "header", Required: true, Schema: &huma.Schema{Type: "string"}, Description: says}
	}
	named := func(name string, p *huma.Param) *huma.Param {
		p.Name = name
		return p
	}
	described := s.api.OpenAPI()
	described.Webhooks = map[string]*huma.PathItem{}
	for _, k := range hooks.Kinds {
		described.Webhooks[k.Kind] = &huma.PathItem{Post: &huma.Operation{OperationID: "told-" + k.Kind,
			Tags:    []string{"hooks"},
			Summary: k.Says, Description: k.Says + ". Told in order and at least once, by the Standard Webhooks " +
				"specification: the signature is an HMAC-SHA-256 with the secret over id, time and body. What is not answered " +
				"with 2xx within 15 s is told again, after 5 s, 30 s, 2 min, 10 min, 1, 3, 8 and 24 h; 410 ends it.",
			Parameters: []*huma.Param{named("webhook-id", text("The same each time that one message is told")),
				named("webhook-timestamp", text("Seconds since 1970 when it was sent")),
				named("webhook-signature", text("v1, and the signature in base64"))},
			RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"application/json": {
				Schema: &huma.Schema{Type: "object", Required: []string{"type", "timestamp", "data"},
					Properties: map[string]*huma.Schema{"type": {Type: "string", Enum: []any{k.Kind}},
						"timestamp": {Type: "string", Format: "date-time", Description: "When it happened"},
						"data":      {Type: "object", Description: "Ids of what happened, and a few words on it"}}}}}},
			Responses: map[string]*huma.Response{"2XX": {Description: "Taken"}, "410": {Description: "To be told no more"}}}}
	}
	described.AddOperation(&huma.Operation{Method: http.MethodGet, Path: "/api/events", OperationID: "events",
		Tags: []string{"access"}, Summary: "What happens, as it happens", Description: "A stream of server-sent events " +
			"(HTML, 9.2) until whoever asked leaves: progress, run, bench, doubt, incident, review, catalogue, entry. Each " +
			"says what to look at again; who does not keep up loses the oldest. For what must not be lost there are hooks. " +
			"Everybody who works at the desk may ask this.",
		Security: []map[string][]string{{"token": {}}, {"session": {}}},
		Responses: map[string]*huma.Response{"200": {Description: "Events", Content: map[string]*huma.MediaType{
			"text/event-stream": {Schema: &huma.Schema{Type: "string"},
				Example: "event: run\ndata: {\"run\":\"0190a8f0-1c2d-7000-8000-00805f9b34fb\",\"test\":\"hashing\"}\n\n"}}}}})
}
