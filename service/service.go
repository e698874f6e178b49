// Package service is the HTTP face of a desk: routes, sign-in, live events, charts, the console. A
// handler parses, calls the desk and answers; no rule of the job is decided here.
package service

import (
	"bufio"
	"context"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"mime"
	"net"
	"net/http"
	"net/url"
	"path"
	"reflect"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humafiber"
	"github.com/gofiber/fiber/v2"
	"github.com/gofiber/fiber/v2/middleware/limiter"
	"github.com/gofiber/fiber/v2/middleware/recover"

	"durvek/desk"
	"durvek/desk/books"
	"durvek/desk/house"
	"durvek/document"
)

// Service serves one desk.
type Service struct {
	app     *fiber.App
	api     huma.API
	desk    *house.House
	console fs.FS
	probe   fs.FS
	done    chan struct{}
	asked   atomic.Int64 // comparisons so far

	certificates *Certificates
	address      net.Addr // that it listens on
}

// Options say what a service serves beside its API: the built console and probe, and TLS; none of it where left out.
type Options struct {
	Console, Probe fs.FS
	Certificates   *Certificates
}

// cookie carries the console's session.
const cookie = "durvek_session"

// Version is the API's version.
const Version = "1.0.0"

// New makes a service of a desk.
func New(d *house.House, o Options) *Service {
	huma.DefaultArrayNullable = false
	if o.Console == nil {
		o.Console = embed.FS{}
	}
	if o.Probe == nil {
		o.Probe = embed.FS{}
	}
	s := &Service{desk: d, console: o.Console, probe: o.Probe, certificates: o.Certificates, done: make(chan struct{})}
	s.app = fiber.New(fiber.Config{AppName: "Durvek", Immutable: true, StreamRequestBody: true, IdleTimeout: time.Minute,
		DisableStartupMessage: true, ErrorHandler: func(c *fiber.Ctx, err error) error {
			status := http.StatusInternalServerError
			var fe *fiber.Error
			if errors.As(err, &fe) {
				status = fe.Code
			}
			return problem(c, status, err.Error())
		}})
	s.app.Use(recover.New())
	s.app.Use(headers)
	s.app.Get("/healthz", func(c *fiber.Ctx) error { return c.JSON(fiber.Map{"status": "ok"}) })
	guess := limiter.New(limiter.Config{Max: 30, Expiration: time.Minute, SkipSuccessfulRequests: true,
		LimitReached: func(c *fiber.Ctx) error {
			return problem(c, http.StatusTooManyRequests, "too many wrong codes; wait a minute")
		}})
	s.app.Use("/api/agent/join", guess)
	s.app.Use("/api/sign-in", guess)
	s.app.Get("/sign-in", guess, s.signInLink)
	s.app.Use("/api", s.authorise)
	s.app.Use("/api", s.keep)
	s.app.Get("/api/events", s.events)
	s.link(s.app.Group("/api/agent/link"))
	s.app.Get("/editions/:review/:number/*", s.authorise, s.editionFile)
	s.api = newAPI(s.app)
	s.routes()
	s.app.Get("/probe", s.probeFile)
	s.app.Get("/probe/*", s.probeFile)
	s.app.Get("/*", s.consoleFile)
	return s
}

func newAPI(app *fiber.App) huma.API {
	cfg := huma.DefaultConfig("Durvek", Version)
	cfg.OpenAPIPath, cfg.SchemasPath, cfg.DocsPath = "/api/openapi", "/api/schemas", ""
	cfg.CreateHooks = nil
	cfg.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	cfg.Info.Description = "Everything that the console and the command line do. Errors are problem details (RFC 9457)."
	return humafiber.New(app, cfg)
}

// schemaName names a type by package and name, so that two packages may use one word.
func schemaName(t reflect.Type, hint string) string {
	base := t
	for base.Kind() == reflect.Pointer || base.Kind() == reflect.Slice {
		base = base.Elem()
	}
	name := huma.DefaultSchemaNamer(t, hint)
	if pkg := path.Base(base.PkgPath()); base.Name() != "" && strings.HasPrefix(base.PkgPath(), "durvek/") &&
		pkg != "api" {
		return strings.ToUpper(pkg[:1]) + pkg[1:] + name
	}
	return name
}

// OpenAPI gives the API's description as JSON.
func (s *Service) OpenAPI() ([]byte, error) { return json.MarshalIndent(s.api.OpenAPI(), "", " ") }

// rest lets the desk rest once nobody has compared anything for a while; what agents send does not count.
func (s *Service) rest(while time.Duration) {
	tick := time.NewTicker(while)
	defer tick.Stop()
	for before, rested := int64(0), false; ; {
		select {
		case <-s.done:
			return
		case <-tick.C:
		}
		now := s.asked.Load()
		if now == before && !rested {
			s.desk.Figures.Rest()
		}
		before, rested = now, now == before
	}
}

// Serve answers on a listener until ctx ends, then lets live streams and requests finish.
func (s *Service) Serve(ctx context.Context, l net.Listener) error {
	s.address = l.Addr()
	if s.certificates != nil {
		l = Both(l, s.certificates)
	}
	ended := make(chan error, 1)
	go func() { ended <- s.app.Listener(l) }()
	go s.rest(time.Minute)
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	close(s.done) // live streams first: shutting down waits for them
	// A connection that stays open past the time is cut: its request was not acknowledged.
	if err := s.app.ShutdownWithTimeout(3 * time.Second); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return fmt.Errorf("shut down: %w", err)
	}
	<-ended
	return nil
}

func headers(c *fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Referrer-Policy", "no-referrer")
	c.Set("X-Frame-Options", "SAMEORIGIN")
	c.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "+
		"frame-ancestors 'self'")
	return c.Next()
}

// problem answers with problem details.
func problem(c *fiber.Ctx, status int, detail string) error {
	c.Status(status)
	body, err := json.Marshal(huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail})
	if err != nil {
		return err
	}
	c.Set("Content-Type", "application/problem+json")
	return c.Send(body)
}

// open lists what may be asked for without a token.
func open(p string) bool {
	return p == "/api/agent/join" || p == "/api/sign-in" || strings.HasPrefix(p, "/api/openapi") || strings.HasPrefix(p,
		"/api/schemas")
}

type (
	whoKey   struct{}
	tokenKey struct{}
)

// authorise finds out who asks: by bearer token, or by the console's cookie. Agents reach their own
// routes only.
func (s *Service) authorise(c *fiber.Ctx) error {
	if open(c.Path()) {
		return c.Next()
	}
	token, bearer := strings.CutPrefix(c.Get("Authorization"), "Bearer ")
	if !bearer {
		token = c.Cookies(cookie)
		if token != "" && c.Method() != http.MethodGet && !sameOrigin(c) {
			return problem(c, http.StatusForbidden, "this request came from another page")
		}
	}
	if token == "" {
		return problem(c, http.StatusUnauthorized, "sign in first: open the link that the service printed, or print a new "+
			"one with `durvek sign-in link`")
	}
	who, err := s.desk.Books.Recognise(c.UserContext(), token)
	var refusal *desk.Error
	if err != nil && !errors.As(err, &refusal) {
		return problem(c, http.StatusInternalServerError, err.Error())
	}
	if err != nil {
		return problem(c, http.StatusUnauthorized, err.Error())
	}
	if !who.Owner() && !strings.HasPrefix(c.Path(), "/api/agent/") {
		return problem(c, http.StatusForbidden, "an agent may only deliver its plan's runs")
	}
	ctx := context.WithValue(c.UserContext(), whoKey{}, who)
	c.SetUserContext(context.WithValue(ctx, tokenKey{}, token))
	return c.Next()
}

func sameOrigin(c *fiber.Ctx) bool {
	origin := c.Get("Origin")
	if origin == "" {
		return c.Get("Sec-Fetch-Site") == "same-origin"
	}
	u, err := url.Parse(origin)
	return err == nil && u.Host == c.Get("Host")
}

func who(ctx context.Context) books.Who {
	w, _ := ctx.Value(whoKey{}).(books.Who)
	return w
}

// fail turns a refusal into problem details.
func fail(err error) error {
	var faults *document.Faults
	if errors.As(err, &faults) {
		details := make([]error, len(faults.List))
		for i, f := range faults.List {
			details[i] = &huma.ErrorDetail{Message: f.Reason, Location: fmt.Sprintf("line %d, column %d", f.Line, f.Column),
				Value: f.Path}
		}
		return huma.NewError(http.StatusUnprocessableEntity, fmt.Sprintf("The %s has %d fault(s), so nothing was taken in.",
			faults.What, len(faults.List)), details...)
	}
	var e *desk.Error
	if errors.As(err, &e) {
		status := map[desk.Kind]int{desk.Invalid: http.StatusUnprocessableEntity, desk.NotFound: http.StatusNotFound,
			desk.Conflict: http.StatusConflict, desk.Denied: http.StatusUnauthorized}[e.Kind]
		return huma.NewError(status, e.Message)
	}
	return err
}

// signInLink spends a one-time link, sets the session's cookie and opens the console.
func (s *Service) signInLink(c *fiber.Ctx) error {
	token, err := s.desk.Books.SignIn(c.UserContext(), c.Query("code"), "console", "session")
	if err != nil {
		c.Status(http.StatusUnauthorized).Set("Content-Type", "text/html; charset=utf-8")
		return c.SendString("<!doctype html><title>Durvek</title><p>" + err.Error())
	}
	c.Cookie(&fiber.Cookie{Name: cookie, Value: token, HTTPOnly: true, SameSite: "Strict", Path: "/",
		Expires: time.Now().Add(30 * 24 * time.Hour)})
	to := c.Query("to")
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n") {
		to = "/" // a link leads into this console, nowhere else
	}
	return c.Redirect(to, http.StatusSeeOther)
}

// events streams what happens, as server-sent events.
func (s *Service) events(c *fiber.Ctx) error {
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-cache")
	c.Set("X-Accel-Buffering", "no")
	events, end := s.desk.Desk.Events.Listen()
	done := s.done
	c.Context().SetBodyStreamWriter(func(w *bufio.Writer) {
		defer end()
		beat := time.NewTicker(15 * time.Second)
		defer beat.Stop()
		fmt.Fprint(w, "retry: 2000\n\n: here\n\n")
		if w.Flush() != nil {
			return
		}
		for {
			select {
			case <-done:
				return
			case <-beat.C:
				fmt.Fprint(w, ": still here\n\n")
			case e, ok := <-events:
				if !ok {
					return
				}
				data, err := json.Marshal(e.Data)
				if err != nil {
					continue
				}
				fmt.Fprintf(w, "event: %s\ndata: %s\n\n", e.Name, data)
			}
			if w.Flush() != nil {
				return
			}
		}
	})
	return nil
}

// editionFile serves a file of a published edition.
func (s *Service) editionFile(c *fiber.Ctx) error {
	number, err := strconv.Atoi(c.Params("number"))
	if err != nil {
		return problem(c, http.StatusNotFound, "no such edition")
	}
	review, err := url.PathUnescape(c.Params("review"))
	if err != nil {
		return problem(c, http.StatusNotFound, "no such edition")
	}
	dir, err := s.desk.Reviews.EditionDir(c.UserContext(), review, number)
	if err != nil {
		return problem(c, http.StatusNotFound, err.Error())
	}
	name, err := url.PathUnescape(c.Params("*"))
	if err != nil || name != "" && !fs.ValidPath(name) {
		return problem(c, http.StatusNotFound, "no such file")
	}
	if name == "" {
		name = "index.html"
	}
	c.Set("Content-Type", contentType(name))
	return c.SendFile(path.Join(dir, name))
}

func contentType(name string) string {
	switch path.Ext(name) {
	case ".csv":
		return "text/csv; charset=utf-8"
	case ".ttf":
		return "font/ttf"
	case ".wasm":
		return "application/wasm"
	case "", ".txt":
		return "text/plain; charset=utf-8"
	}
	if t := mime.TypeByExtension(path.Ext(name)); t != "" {
		return t
	}
	return "application/octet-stream"
}

// consoleFile serves the console: its files, and its first page for every other address, which the
// console itself resolves.
func (s *Service) consoleFile(c *fiber.Ctx) error {
	if strings.HasPrefix(c.Path(), "/api/") {
		return problem(c, http.StatusNotFound, "no such route; /api/openapi.json lists them")
	}
	name := strings.TrimPrefix(c.Path(), "/")
	if name == "" || !strings.HasPrefix(name, "assets/") && path.Ext(name) == "" {
		name = "index.html"
	}
	if _, err := fs.Stat(s.console, name); err != nil && name == "index.html" {
		return problem(c, http.StatusNotFound, "this program was built without the console; build it with `make build`")
	}
	return send(c, s.console, name)
}
