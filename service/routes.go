package service

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"io/fs"
	"net/http"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"durvek/core/analyse"
	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/verdict"
	"durvek/desk/bench"
	"durvek/desk/books"
	"durvek/desk/results"
	"durvek/document"
	"durvek/store"
)

// answer is a JSON body.
type answer[T any] struct{ Body T }

// slug is a path's identifier.
type Slugged struct {
	Slug string `path:"slug"`
}

type body[T any] struct{ Body T }

type file struct {
	CheckOnly bool   `query:"check_only" doc:"Say what would happen and write nothing"`
	RawBody   []byte `contentType:"application/octet-stream"`
}

type blob struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

// get, post and put register an operation; group is its tag.
func get[I, T any](s *Service, group, p, id, summary string, f func(context.Context, *I) (T, error)) {
	register(s, http.MethodGet, group, p, id, summary, f)
}

func post[I, T any](s *Service, group, p, id, summary string, f func(context.Context, *I) (T, error)) {
	register(s, http.MethodPost, group, p, id, summary, f)
}

func register[I, T any](s *Service, verb, group, p, id, summary string, f func(context.Context, *I) (T, error)) {
	huma.Register(s.api, operation(verb, group, p, id, summary), func(ctx context.Context, in *I) (*answer[T], error) {
		out, err := f(ctx, in)
		if err != nil {
			return nil, fail(err)
		}
		return &answer[T]{out}, nil
	})
}

func operation(verb, group, p, id, summary string) huma.Operation {
	return huma.Operation{Method: verb, Path: p, OperationID: id, Summary: summary, Tags: []string{group},
		MaxBodyBytes: document.MaxSize, BodyReadTimeout: time.Minute,
		Errors: []int{http.StatusUnauthorized, http.StatusNotFound, http.StatusConflict, http.StatusUnprocessableEntity}}
}

// files registers an operation that answers with bytes.
func files[I any](s *Service, group, p, id, summary, media string, f func(context.Context, *I) (*blob, error)) {
	o := operation(http.MethodGet, group, p, id, summary)
	o.Responses = map[string]*huma.Response{"200": {Description: summary,
		Content: map[string]*huma.MediaType{media: {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}}
	huma.Register(s.api, o, func(ctx context.Context, in *I) (*blob, error) {
		b, err := f(ctx, in)
		if err != nil {
			return nil, fail(err)
		}
		return b, nil
	})
}

type none struct{}

type code struct {
	Code string `json:"code"`
	Name string `json:"name,omitempty" doc:"What the token is for"`
}

type token struct {
	Token string `json:"token"`
}

type joinRequest struct {
	Code    string         `json:"code"`
	Token   string         `json:"token,omitempty" doc:"Secret that the agent made: 32 random bytes in base64url; asking again with it is no second joining"`
	Machine record.Machine `json:"machine"`
}

type runList struct {
	Runs  []record.Run `json:"runs"`
	Total int          `json:"total"`
}

type vocabulary struct {
	Specs      []catalog.SpecKey     `json:"specs"`
	Conditions []method.ConditionKey `json:"conditions"`
	Negotiated []method.ConditionKey `json:"negotiated"`
	Channels   []record.Channel      `json:"channels"`
	Units      []quantity.Unit       `json:"units"`
	Kinds      []catalog.Kind        `json:"kinds"`
}

type me struct {
	Name string `json:"name"`
	Desk string `json:"desk"`
}

func (s *Service) routes() {
	d := s.desk
	by := func(ctx context.Context) string { return who(ctx).Name }

	// Access.
	post(s, "access", "/api/sign-in", "sign-in", "Spend a one-time sign-in code for a token", func(ctx context.Context,
		in *body[code]) (token, error) {
		t, err := d.Books.SignIn(ctx, in.Body.Code, in.Body.Name, "owner")
		return token{t}, err
	})
	post(s, "access", "/api/sign-in-links", "make-sign-in-link", "Make the code of a one-time sign-in link",
		func(ctx context.Context, _ *none) (code, error) {
			c, err := d.Books.SignInCode(ctx)
			return code{Code: c}, err
		})
	post(s, "access", "/api/sign-out", "sign-out", "End the token or session that asks", func(ctx context.Context,
		_ *none) (none, error) {
		t, _ := ctx.Value(tokenKey{}).(string)
		return none{}, d.Books.SignOut(ctx, t)
	})
	get(s, "access", "/api/me", "me", "Who is signed in", func(ctx context.Context, _ *none) (me,
		error) {
		return me{by(ctx), d.Desk.Name}, nil
	})
	get(s, "access", "/api/tokens", "list-tokens", "List tokens", func(ctx context.Context, _ *none) ([]books.Named,
		error) {
		return d.Books.Tokens(ctx)
	})
	post(s, "access", "/api/tokens", "add-token", "Make a token for a program", func(ctx context.Context,
		in *body[me]) (token, error) {
		t, err := d.Books.AddToken(ctx, in.Body.Name)
		return token{t}, err
	})
	register(s, http.MethodDelete, "access", "/api/tokens/{slug}", "drop-token", "End a token", func(ctx context.Context,
		in *Slugged) (none, error) {
		return none{}, d.Books.DropToken(ctx, in.Slug)
	})
	get(s, "access", "/api/vocabulary", "vocabulary", "Spec keys, conditions, units and kinds", func(context.Context,
		*none) (vocabulary, error) {
		return vocabulary{catalog.Vocabulary, method.ConditionVocabulary, method.NegotiatedVocabulary,
			record.ChannelVocabulary, quantity.Units(), catalog.Kinds}, nil
	})
	files(s, "access", "/api/formats/{slug}", "format-schema", "JSON Schema of a file format: dossier, test, plan, "+
		"sheet, use or runs", "application/schema+json", func(_ context.Context, in *Slugged) (*blob, error) {
		b, err := d.Books.Schema(strings.TrimSuffix(in.Slug, ".schema.json"))
		return &blob{ContentType: "application/schema+json", Body: b}, err
	})

	// Catalogue.
	post(s, "catalogue", "/api/dossiers", "import-dossier", "Take in a dossier (YAML or JSON), or nothing of it",
		func(ctx context.Context, in *file) (books.Intake, error) {
			return d.Books.ImportDossier(ctx, in.RawBody, in.CheckOnly, by(ctx))
		})
	files(s, "catalogue", "/api/dossiers/{slug}", "export-dossier", "Everything known of a model, as a dossier in YAML "+
		"(JSON with .json)", "application/yaml", func(ctx context.Context, in *Slugged) (*blob, error) {
		name, asJSON := strings.CutSuffix(in.Slug, ".json")
		x, err := d.Books.ExportDossier(ctx, name)
		if err != nil {
			return nil, err
		}
		if asJSON {
			b, err := json.MarshalIndent(x, "", "  ")
			return &blob{ContentType: "application/json", Body: b}, err
		}
		b, err := document.YAML(x)
		return &blob{ContentType: "application/yaml", Body: b}, err
	})
	get(s, "catalogue", "/api/models", "list-models", "List models", func(ctx context.Context, _ *none) ([]catalog.Model,
		error) {
		return d.Books.Models(ctx)
	})
	post(s, "catalogue", "/api/models", "add-model", "Add or change a model", func(ctx context.Context,
		in *body[catalog.Model]) (catalog.Model, error) {
		return in.Body, d.Books.AddModel(ctx, in.Body, by(ctx))
	})
	get(s, "catalogue", "/api/models/{slug}", "show-model", "A model with variants, units, claims, offers and lineage",
		func(ctx context.Context, in *Slugged) (books.ModelPage, error) {
			return d.Books.ModelPage(ctx, in.Slug)
		})
	get(s, "catalogue", "/api/variants", "list-variants", "List variants", func(ctx context.Context, in *struct {
		Model string `query:"model"`
	}) ([]catalog.Variant, error) {
		return d.Books.Variants(ctx, in.Model)
	})
	post(s, "catalogue", "/api/variants", "add-variant", "Add or change a variant", func(ctx context.Context,
		in *body[catalog.Variant]) (catalog.Variant, error) {
		return in.Body, d.Books.AddVariant(ctx, in.Body, by(ctx))
	})
	get(s, "catalogue", "/api/variants/{slug}", "show-variant", "A variant with units, claims and offers",
		func(ctx context.Context, in *Slugged) (catalog.DossierVariant, error) {
			return d.Books.Variant(ctx, in.Slug)
		})
	get(s, "catalogue", "/api/units", "list-units", "List units", func(ctx context.Context, in *struct {
		Variant string `query:"variant"`
	}) ([]catalog.Unit, error) {
		return d.Books.Units(ctx, in.Variant)
	})
	post(s, "catalogue", "/api/units", "add-unit", "Add or change a unit", func(ctx context.Context,
		in *body[catalog.Unit]) (catalog.Unit, error) {
		return in.Body, d.Books.AddUnit(ctx, in.Body, by(ctx))
	})
	get(s, "catalogue", "/api/units/{slug}", "show-unit", "A unit", func(ctx context.Context, in *Slugged) (catalog.Unit,
		error) {
		return d.Books.Unit(ctx, in.Slug)
	})
	get(s, "catalogue", "/api/rigs", "list-rigs", "List rigs", func(ctx context.Context, _ *none) ([]catalog.Rig,
		error) {
		return d.Books.Rigs(ctx)
	})
	get(s, "catalogue", "/api/rigs/{slug}", "show-rig", "A rig", func(ctx context.Context, in *Slugged) (catalog.Rig,
		error) {
		return d.Books.Rig(ctx, in.Slug)
	})
	post(s, "catalogue", "/api/rigs", "add-rig", "Add or change a rig", func(ctx context.Context,
		in *body[catalog.Rig]) (catalog.Rig, error) {
		return in.Body, d.Books.AddRig(ctx, in.Body, by(ctx))
	})
	get(s, "catalogue", "/api/claims", "check-claims", "Judge every claim about a variant, or about all",
		func(ctx context.Context, in *struct {
			Variant string `query:"variant"`
		}) ([]claims.Judged, error) {
			return d.Figures.CheckClaims(ctx, in.Variant)
		})
	post(s, "catalogue", "/api/claims", "add-claim", "Add a claim about a variant", func(ctx context.Context,
		in *body[catalog.Claim]) (catalog.Claim, error) {
		return d.Books.AddClaim(ctx, in.Body, by(ctx))
	})
	get(s, "catalogue", "/api/offers", "list-offers", "List offers", func(ctx context.Context, in *struct {
		Variant string `query:"variant"`
	}) ([]catalog.Offer, error) {
		return d.Books.Offers(ctx, in.Variant)
	})
	post(s, "catalogue", "/api/offers", "add-offer", "Add an offer of a variant", func(ctx context.Context,
		in *body[catalog.Offer]) (catalog.Offer, error) {
		return d.Books.AddOffer(ctx, in.Body, by(ctx))
	})

	// Tests, setups, bench.
	get(s, "bench", "/api/tests", "list-tests", "List tests", func(ctx context.Context, _ *none) ([]method.Test,
		error) {
		return d.Books.Tests(ctx)
	})
	post(s, "bench", "/api/tests", "import-test", "Take in a test definition of the desk's own (YAML or JSON)",
		func(ctx context.Context, in *file) (method.Test, error) {
			return d.Books.ImportTest(ctx, in.RawBody, by(ctx))
		})
	post(s, "bench", "/api/trials", "try-mapping", "Try a test's mapping on a saved output; nothing is recorded",
		func(ctx context.Context, in *body[books.Trial]) (books.Tried, error) {
			return d.Books.TryMapping(ctx, in.Body)
		})
	get(s, "bench", "/api/tests/{slug}", "show-test", "A test", func(ctx context.Context, in *Slugged) (method.Test,
		error) {
		return d.Books.Test(ctx, in.Slug)
	})
	get(s, "bench", "/api/setups", "list-setups", "List setups", func(ctx context.Context, _ *none) ([]method.Setup,
		error) {
		return d.Books.Setups(ctx)
	})
	post(s, "bench", "/api/setups", "add-setup", "Add or change a setup", func(ctx context.Context,
		in *body[method.Setup]) (method.Setup, error) {
		return in.Body, d.Books.AddSetup(ctx, in.Body, by(ctx))
	})
	get(s, "bench", "/api/bench", "bench", "Plans on the bench with how far each is", func(ctx context.Context,
		in *struct {
			Limit int `query:"limit" default:"20" minimum:"1" maximum:"200"`
		}) ([]record.BenchPlan, error) {
		return d.Bench.Bench(ctx, in.Limit)
	})
	post(s, "bench", "/api/plans", "add-plan", "Add a plan for a unit", func(ctx context.Context,
		in *body[planRequest]) (method.Plan, error) {
		b := in.Body
		return d.Bench.AddPlan(ctx, method.Plan{Unit: b.Unit, Host: b.Host, Place: b.Place, Setup: b.Setup, Name: b.Name,
			Steps: method.Cross(b.Steps, b.Setups), Terms: b.Terms}, by(ctx))
	})
	get(s, "bench", "/api/plan-library", "plan-library", "Plans that ship with the program, with what each takes",
		func(ctx context.Context, in *struct {
			Kind catalog.Kind `query:"kind" doc:"Only those for this kind of device"`
		}) ([]bench.PlanFile, error) {
			return d.Bench.PlanLibrary(ctx, in.Kind)
		})
	post(s, "bench", "/api/plan-files", "add-plan-from-file", "Put a plan file's plan, or one of the library, on the "+
		"bench for a unit", func(ctx context.Context, in *struct {
		Library string   `query:"library" doc:"Name in the library, in place of a file"`
		Unit    string   `query:"unit" required:"true"`
		Host    string   `query:"host"`
		Place   string   `query:"place"`
		Setups  []string `query:"setups" doc:"In place of the file's own"`
		Repeats int      `query:"repeats" doc:"In place of the file's own"`
		RawBody []byte   `contentType:"application/octet-stream"`
	}) (method.Plan, error) {
		return d.Bench.AddPlanFrom(ctx, bench.PlanFrom{Library: in.Library, File: in.RawBody, Unit: in.Unit, Host: in.Host,
			Place: in.Place, Setups: in.Setups, Repeats: in.Repeats}, by(ctx))
	})
	s.api.OpenAPI().Paths["/api/plan-files"].Post.RequestBody.Required = false // a plan of the library brings its own
	files(s, "bench", "/api/plan-files/{slug}", "export-plan", "A plan on the bench as a file", "application/yaml",
		func(ctx context.Context, in *Slugged) (*blob, error) {
			b, err := d.Bench.ExportPlan(ctx, in.Slug)
			return &blob{ContentType: "application/yaml", Body: b}, err
		})
	post(s, "bench", "/api/plans/{slug}/directives", "direct-plan", "Pause, resume or stop a plan, or leave out a step",
		func(ctx context.Context, in *struct {
			Slugged
			Body struct {
				Do   string `json:"do" enum:"pause,resume,stop,skip"`
				Step int    `json:"step,omitempty" doc:"For skip: the step, from 1"`
			}
		}) (method.Plan, error) {
			if in.Body.Do == "skip" {
				return d.Bench.SkipStep(ctx, in.Slug, in.Body.Step, by(ctx))
			}
			return d.Bench.Direct(ctx, in.Slug, in.Body.Do, by(ctx))
		})
	post(s, "bench", "/api/plans/{slug}/confirmations", "confirm", "Say that what a plan asked for is done",
		func(ctx context.Context, in *struct {
			Slugged
			Body struct {
				Ask string `json:"ask,omitempty" doc:"Which request; the open one if left out"`
			}
		}) (method.Plan, error) {
			return d.Bench.Confirm(ctx, in.Slug, in.Body.Ask, by(ctx))
		})
	get(s, "bench", "/api/plans/{slug}/trace", "live-trace", "What the sensors told of the run that is being made",
		func(ctx context.Context, in *struct {
			Slugged
			Points int `query:"points" default:"600" minimum:"4" maximum:"20000"`
		}) ([]record.Series, error) {
			t := d.Bench.LiveTrace(in.Slug)
			out := t.Series()
			for i := range out {
				out[i] = analyse.Thin(out[i], in.Points)
			}
			return out, nil
		})
	get(s, "bench", "/api/conditions", "list-conditions", "Conditions of the desk's own", func(ctx context.Context,
		_ *none) ([]method.ConditionKey, error) {
		return d.Books.Conditions(ctx)
	})
	post(s, "bench", "/api/conditions", "add-condition", "Add a condition of the desk's own; its key begins with own.",
		func(ctx context.Context, in *body[method.ConditionKey]) (method.ConditionKey, error) {
			return in.Body, d.Books.AddCondition(ctx, in.Body, by(ctx))
		})

	// Hands-on work.
	get(s, "hands", "/api/sheets", "list-sheets", "Inspection sheets", func(_ context.Context, in *struct {
		Kind catalog.Kind `query:"kind"`
	}) ([]method.Sheet, error) {
		return d.Books.Sheets(in.Kind)
	})
	get(s, "hands", "/api/inspections/{slug}", "inspect", "The inspection sheet of a unit with what was found so far",
		func(ctx context.Context, in *Slugged) (results.Inspection, error) {
			return d.Results.Inspect(ctx, in.Slug)
		})
	get(s, "hands", "/api/photos", "list-photos", "Photos of a unit or run", func(ctx context.Context, in *struct {
		Unit string `query:"unit"`
		Run  string `query:"run"`
	}) ([]results.Attachment, error) {
		return d.Results.Attachments(ctx, store.AttachmentFilter{Unit: in.Unit, Run: in.Run})
	})
	post(s, "hands", "/api/photos", "add-photo", "Take in a photo of a unit, JPEG or PNG; only the picture is kept",
		func(ctx context.Context, in *struct {
			Unit    string `query:"unit" required:"true"`
			Run     string `query:"run"`
			Measure string `query:"measure" doc:"Test, or test/measure, that it belongs to"`
			Name    string `query:"name"`
			Caption string `query:"caption"`
			RawBody []byte `contentType:"application/octet-stream"`
		}) (results.Attachment, error) {
			return d.Results.AddPhoto(ctx, results.Attachment{Unit: in.Unit, Run: in.Run, Measure: in.Measure, Name: in.Name,
				Caption: in.Caption}, in.RawBody, by(ctx))
		})
	files(s, "hands", "/api/photos/{slug}", "show-photo", "A photo", "image/jpeg", func(ctx context.Context,
		in *Slugged) (*blob, error) {
		b, media, err := d.Results.Photo(ctx, in.Slug)
		return &blob{ContentType: media, Body: b}, err
	})
	get(s, "hands", "/api/partners", "partners", "What works with what: part, partner, place, firmware",
		func(ctx context.Context, in *struct {
			Part string `query:"part" doc:"Unit; all parts if left out"`
		}) ([]compare.Pair, error) {
			return d.Results.Partners(ctx, in.Part)
		})
	post(s, "hands", "/api/partners", "note-partner", "Note that a part works or fails with a partner",
		func(ctx context.Context, in *body[partnerNote]) (none, error) {
			b := in.Body
			return none{}, d.Results.NotePairing(ctx, compare.Pair{Part: b.Part, Partner: b.Partner, Place: b.Place,
				Firmware: b.Firmware, Outcome: b.Outcome, How: []string{b.How}}, by(ctx))
		})
	get(s, "bench", "/api/plans/{slug}", "show-plan", "A plan with what came of each step", func(ctx context.Context,
		in *Slugged) (record.BenchPlan, error) {
		return d.Bench.BenchPlan(ctx, in.Slug)
	})
	post(s, "bench", "/api/plans/{slug}/codes", "plan-code", "Make a one-time code with which a machine joins for a plan",
		func(ctx context.Context, in *asking) (planCode, error) {
			return s.planCode(ctx, d, in)
		})

	// Agents.
	post(s, "agent", "/api/agent/join", "join", "Join with a one-time code", func(ctx context.Context,
		in *body[joinRequest]) (record.Joined, error) {
		return d.Bench.Join(ctx, in.Body.Code, in.Body.Token, in.Body.Machine)
	})
	post(s, "agent", "/api/agent/rejoin", "rejoin", "Go on with the agent's plan after a break", func(ctx context.Context,
		in *body[record.Machine]) (record.Joined, error) {
		return d.Bench.Rejoin(ctx, who(ctx).Plan, in.Body)
	})
	post(s, "agent", "/api/agent/runs", "send-run", "Deliver a run; sending it again changes nothing",
		func(ctx context.Context, in *body[record.Run]) (map[string]bool, error) {
			in.Body.Plan = who(ctx).Plan
			fresh, err := d.Results.AddRun(ctx, in.Body)
			return map[string]bool{"fresh": fresh}, err
		})
	post(s, "agent", "/api/agent/progress", "send-progress", "Say where the plan stands, with what the sensors told; "+
		"the answer says what people want of it", func(ctx context.Context, in *body[record.Progress]) (record.Directive,
		error) {
		in.Body.Plan = who(ctx).Plan
		return d.Bench.Progress(ctx, in.Body)
	})
	post(s, "agent", "/api/agent/incidents", "send-incident", "Deliver an incident; sending it again changes nothing",
		func(ctx context.Context, in *body[record.Incident]) (none, error) {
			in.Body.Plan = who(ctx).Plan
			return none{}, d.Bench.AgentIncident(ctx, in.Body)
		})
	post(s, "agent", "/api/agent/finish", "finish", "Say that the plan is worked through", func(ctx context.Context,
		_ *none) (method.Plan, error) {
		return d.Bench.FinishPlan(ctx, who(ctx).Plan)
	})

	// Results.
	get(s, "results", "/api/runs", "list-runs", "List runs, the newest first", func(ctx context.Context, in *struct {
		RunsAsked
		Offset int `query:"offset" minimum:"0"`
		Limit  int `query:"limit" default:"50" minimum:"1" maximum:"500"`
	}) (runList, error) {
		f := in.filter()
		f.Offset, f.Limit = in.Offset, in.Limit
		runs, total, err := d.Results.Runs(ctx, f)
		return runList{runs, total}, err
	})
	get(s, "results", "/api/runs/{slug}", "show-run", "A run with its raw samples", func(ctx context.Context,
		in *Slugged) (results.RunPage, error) {
		return d.Results.Run(ctx, in.Slug)
	})
	post(s, "results", "/api/runs", "import-runs", "Take in a file of runs that a machine made alone",
		func(ctx context.Context, in *struct {
			Unit    string `query:"unit" required:"true"`
			Host    string `query:"host"`
			Place   string `query:"place"`
			Setup   string `query:"setup"`
			RawBody []byte `contentType:"application/octet-stream"`
		}) (results.Imported, error) {
			return d.Results.ImportRuns(ctx, in.RawBody, results.Target{Unit: in.Unit, Host: in.Host, Place: in.Place,
				Setup: in.Setup}, by(ctx))
		})
	get(s, "results", "/api/runs/{slug}/trace", "run-trace", "What the sensors told during a run, thinned without "+
		"losing peaks", func(ctx context.Context, in *struct {
		Slugged
		From   float64 `query:"from" minimum:"0" doc:"Seconds from the run's start"`
		To     float64 `query:"to" minimum:"0" doc:"0 for the end"`
		Points int     `query:"points" default:"1200" minimum:"4" maximum:"100000" doc:"Samples per channel at most"`
	}) (results.TraceView, error) {
		return d.Results.RunTrace(ctx, in.Slug, in.From, in.To, in.Points)
	})
	files(s, "results", "/api/runs/{slug}/trace.csv", "run-trace-table", "A run's whole trace as CSV", "text/csv",
		func(ctx context.Context, in *Slugged) (*blob, error) {
			b, err := d.Results.TraceTable(ctx, in.Slug)
			return &blob{ContentType: "text/csv; charset=utf-8", Disposition: `attachment; filename="trace.csv"`, Body: b}, err
		})
	post(s, "results", "/api/runs/{slug}/logs", "lay-log", "Lay an outside sensor's log (CSV) beside a run",
		func(ctx context.Context, in *struct {
			Slugged
			Name    string `query:"name"`
			Shift   string `query:"shift" doc:"Seconds to add to the log's times; found by correlation if left out"`
			RawBody []byte `contentType:"application/octet-stream"`
		}) (results.OutsideLog, error) {
			var shift *float64
			if in.Shift != "" {
				v, err := strconv.ParseFloat(in.Shift, 64)
				if err != nil {
					return results.OutsideLog{}, huma.Error422UnprocessableEntity("shift is a number of seconds")
				}
				shift = &v
			}
			return d.Results.LayLog(ctx, in.Slug, in.Name, in.RawBody, shift, by(ctx))
		})
	register(s, http.MethodPut, "results", "/api/runs/{slug}/logs/{log}", "shift-log",
		"Set by hand how many seconds a log's clock is off", func(ctx context.Context, in *struct {
			Slugged
			Log  string `path:"log"`
			Body struct {
				Shift float64 `json:"shift"`
			}
		}) (results.OutsideLog, error) {
			return d.Results.ShiftLog(ctx, in.Slug, in.Log, in.Body.Shift, by(ctx))
		})
	register(s, http.MethodDelete, "results", "/api/runs/{slug}/logs/{log}", "drop-log", "Take a log away from a run",
		func(ctx context.Context, in *struct {
			Slugged
			Log string `path:"log"`
		}) (none, error) {
			return none{}, d.Results.DropLog(ctx, in.Slug, in.Log, by(ctx))
		})
	get(s, "results", "/api/incidents", "list-incidents", "List incidents, the newest first", func(ctx context.Context,
		in *struct {
			Unit   string              `query:"unit"`
			Plan   string              `query:"plan"`
			Kind   record.IncidentKind `query:"kind"`
			Offset int                 `query:"offset" minimum:"0"`
			Limit  int                 `query:"limit" default:"50" minimum:"1" maximum:"500"`
		}) (incidentList, error) {
		list, total, err := d.Bench.Incidents(ctx, store.IncidentFilter{Unit: in.Unit, Plan: in.Plan, Kind: in.Kind,
			Offset: in.Offset, Limit: in.Limit})
		return incidentList{list, total}, err
	})
	post(s, "results", "/api/incidents", "note-incident", "Note an incident, or how often something happened out of so "+
		"many tries", func(ctx context.Context, in *body[incidentNote]) (record.Incident, error) {
		b := in.Body
		return d.Bench.NoteIncident(ctx, record.Incident{Unit: b.Unit, Host: b.Host, Place: b.Place, Kind: b.Kind,
			Text: b.Text, At: b.At, Times: b.Times, Tries: b.Tries}, by(ctx))
	})
	get(s, "results", "/api/incident-rates", "incident-rates", "How often each kind of incident happened, with "+
		"intervals, per host and place", func(ctx context.Context, in *struct {
		Unit string `query:"unit" doc:"All units if left out"`
	}) ([]record.IncidentRate, error) {
		return d.Bench.IncidentRates(ctx, in.Unit)
	})
	post(s, "results", "/api/readings", "type-readings", "Record one run that a person read off", func(ctx context.Context,
		in *body[results.Typed]) (record.Run, error) {
		return d.Results.TypeReadings(ctx, in.Body, by(ctx))
	})
	post(s, "results", "/api/tables", "import-table", "Take in a CSV table of readings, or nothing of it",
		func(ctx context.Context, in *file) (results.Table, error) {
			return d.Results.ImportTable(ctx, in.RawBody, in.CheckOnly, by(ctx))
		})

	post(s, "results", "/api/frames", "add-frames", "Record a run whose frame times are in a CSV table, one row a frame",
		func(ctx context.Context, in *struct {
			results.FramesOf
			RawBody []byte `contentType:"text/csv"`
		}) (record.Run, error) {
			return d.Results.AddFrames(ctx, in.RawBody, in.FramesOf, by(ctx))
		})

	s.trustRoutes()

	s.compareRoutes()

	// Reviews.
	get(s, "reviews", "/api/reviews", "list-reviews", "List reviews", func(ctx context.Context, _ *none) ([]verdict.Review,
		error) {
		return d.Reviews.Reviews(ctx)
	})
	post(s, "reviews", "/api/reviews", "add-review", "Start a review with findings from the figures",
		func(ctx context.Context, in *body[reviewRequest]) (verdict.Review, error) {
			b := in.Body
			return d.Reviews.AddReview(ctx, verdict.Review{Slug: b.Slug, Title: b.Title, Subject: b.Subject, Field: b.Field,
				Measures: b.Measures}, by(ctx))
		})
	get(s, "reviews", "/api/reviews/{slug}", "show-review", "A review", func(ctx context.Context,
		in *Slugged) (verdict.Review, error) {
		return d.Reviews.Review(ctx, in.Slug)
	})
	register(s, http.MethodPut, "reviews", "/api/reviews/{slug}", "save-review",
		"Change a review, from the revision it names", func(ctx context.Context, in *struct {
			Slugged
			Body verdict.Review
		}) (verdict.Review, error) {
			in.Body.Slug = in.Slug
			return d.Reviews.SaveReview(ctx, in.Body, by(ctx))
		})
	post(s, "reviews", "/api/reviews/{slug}/findings", "refresh-findings",
		"Draw the findings anew and keep the reviewer's words", func(ctx context.Context, in *Slugged) (verdict.Review,
			error) {
			return d.Reviews.RefreshFindings(ctx, in.Slug, by(ctx))
		})
	post(s, "reviews", "/api/reviews/{slug}/signature", "sign-review", "Sign the verdict as it stands",
		func(ctx context.Context, in *struct {
			Slugged
			Body struct {
				By string `json:"by"`
			}
		}) (verdict.Review, error) {
			return d.Reviews.SignReview(ctx, in.Slug, in.Body.By)
		})
	get(s, "reviews", "/api/reviews/{slug}/charts", "review-charts", "The review's ranked comparisons",
		func(ctx context.Context, in *Slugged) ([]compare.Comparison, error) {
			return d.Reviews.ReviewCharts(ctx, in.Slug)
		})
	post(s, "reviews", "/api/reviews/{slug}/editions", "publish", "Publish the next edition of a signed review",
		func(ctx context.Context, in *struct {
			Slugged
			Body struct {
				Note string `json:"note,omitempty"`
			}
		}) (verdict.Edition, error) {
			return d.Reviews.Publish(ctx, in.Slug, in.Body.Note, by(ctx))
		})
	files(s, "reviews", "/api/reviews/{slug}/editions/{number}", "edition-archive", "An edition's folder as a ZIP archive",
		"application/zip", func(ctx context.Context, in *struct {
			Slugged
			Number int `path:"number" minimum:"1"`
		}) (*blob, error) {
			dir, err := d.Reviews.EditionDir(ctx, in.Slug, in.Number)
			if err != nil {
				return nil, err
			}
			b, err := zipped(dir)
			return &blob{ContentType: "application/zip", Disposition: `attachment; filename="edition.zip"`, Body: b}, err
		})
}

type planRequest struct {
	Unit   string            `json:"unit"`
	Host   string            `json:"host,omitempty"`
	Place  string            `json:"place,omitempty"`
	Setup  string            `json:"setup,omitempty"`
	Setups []string          `json:"setups,omitempty" doc:"Every step is made under each of them"`
	Name   string            `json:"name,omitempty"`
	Steps  []method.PlanStep `json:"steps"`
	method.Terms
}

type incidentList struct {
	Incidents []record.Incident `json:"incidents"`
	Total     int               `json:"total"`
}

type incidentNote struct {
	Unit  string              `json:"unit"`
	Host  string              `json:"host,omitempty"`
	Place string              `json:"place,omitempty"`
	Kind  record.IncidentKind `json:"kind" doc:"crash, hang, disconnection, refusal, failure, or a kind of your own such as slow-link"`
	Text  string              `json:"text,omitempty"`
	At    time.Time           `json:"at,omitzero" required:"false"`
	Times int                 `json:"times" doc:"How often it happened"`
	Tries int                 `json:"tries,omitempty" doc:"Out of how many tries; left out, the unit's runs count"`
}

type partnerNote struct {
	Part     string `json:"part"`
	Partner  string `json:"partner" doc:"Unit, rig, or any other thing by its name"`
	Place    string `json:"place,omitempty"`
	Firmware string `json:"firmware,omitempty"`
	Outcome  string `json:"outcome" enum:"works,fails"`
	How      string `json:"how,omitempty"`
}

type reviewRequest struct {
	Slug     string   `json:"slug,omitempty"`
	Title    string   `json:"title,omitempty"`
	Subject  string   `json:"subject"`
	Field    string   `json:"field,omitempty"`
	Measures []string `json:"measures,omitempty"`
}

func zipped(dir string) ([]byte, error) {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	root := os.DirFS(dir)
	err := fs.WalkDir(root, ".", func(name string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		data, err := fs.ReadFile(root, name)
		if err != nil {
			return err
		}
		f, err := w.Create(name)
		if err == nil {
			_, err = f.Write(data)
		}
		return err
	})
	if err == nil {
		err = w.Close()
	}
	return b.Bytes(), err
}
