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
	"sync"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humafiber"
	"github.com/gofiber/fiber/v2"
	"github.com/gofiber/fiber/v2/middleware/limiter"
	"github.com/gofiber/fiber/v2/middleware/recover"

	"durvek/api"
	"durvek/core/catalog"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/workload/site"
)

// Service serves one desk.
type Service struct {
	line site.Line // that slowed pages come over

	app     *fiber.App
	api     huma.API
	desk    *house.House
	console fs.FS
	probe   fs.FS
	done    chan struct{}
	asked   atomic.Int64 // comparisons so far

	meters       *meters
	begun        begun
	looking      sync.Mutex // held while it is seen whether the service is ready
	looked       time.Time
	says         map[string]string
	status       int
	certificates *Certificates
	address      net.Addr // that it listens on
	hosts        []string // further names and addresses that lead to it
	tlsOnly      bool
	examples     Examples
	backedUp     atomic.Pointer[time.Time] // when the last was made
	entries      *entries                  // who asks to be let in
}

// Examples makes up rivals of some kinds of product, measured before a day, in the runtimes of the desk's own runs.
type Examples func(ctx context.Context, day time.Time, runtimes []string, kinds ...catalog.Kind) ([]results.Example,
	error)

// Options say what a service serves beside its API: the built console and probe, and TLS; none of it where left out.
type Options struct {
	Console, Probe fs.FS
	Certificates   *Certificates
	Hosts          []string // further names and addresses by which it may be asked
	Proxies        []string // addresses of proxies whose word is taken for who asks, and how
	TLSOnly        bool     // answers others than this computer by TLS alone
	LogRequests    bool
	Examples       Examples // nil where there are none
}

// Version is the API's version.
const Version = "1.0.0"

func init() { huma.DefaultArrayNullable = false }

// New makes a service of a desk.
func New(d *house.House, o Options) *Service {
	if o.Console == nil {
		o.Console = embed.FS{}
	}
	if o.Probe == nil {
		o.Probe = embed.FS{}
	}
	s := &Service{desk: d, console: o.Console, probe: o.Probe, certificates: o.Certificates, examples: o.Examples,
		entries: &entries{now: d.Desk.Now},
		done:    make(chan struct{}),
		hosts:   o.Hosts, tlsOnly: o.TLSOnly}
	s.app = fiber.New(fiber.Config{AppName: "Durvek", Immutable: true, StreamRequestBody: true,
		ReadTimeout: headerTime, IdleTimeout: idleTime, ReadBufferSize: 16 << 10, DisableStartupMessage: true,
		EnableTrustedProxyCheck: true, TrustedProxies: o.Proxies, ErrorHandler: failed})
	s.meters = newMeters(d)
	s.app.Server().HeaderReceived, s.app.Server().SecureErrorLogMessage = deadlines, true
	s.app.Use(s.meters.count)
	if o.LogRequests {
		s.app.Use(logged)
	}
	s.app.Use(readWhole, recover.New())
	s.app.Use(s.headers)
	s.app.Get("/healthz", func(c *fiber.Ctx) error { return c.JSON(fiber.Map{"status": "ok"}) })
	s.app.Get("/readyz", s.ready)
	s.app.Get("/problems/:name?", problemPage)
	s.app.Get("/metrics", s.metrics())
	s.app.Use(s.knownHost, s.privately)
	guess := limiter.New(limiter.Config{Max: 30, Expiration: time.Minute, SkipSuccessfulRequests: true,
		KeyGenerator: func(c *fiber.Ctx) string { return c.Path() + " " + asker(c) }, Next: s.known,
		LimitReached: func(c *fiber.Ctx) error {
			return problem(c, http.StatusTooManyRequests, "too many wrong codes; wait a minute")
		}})
	s.app.Use("/api/agent/join", guess)
	s.app.Use("/api/sign-in", guess)
	s.app.Use("/api/entry/answers", guess)
	s.app.Use("/api/entry/asks", fromWhere)
	s.app.Get("/sign-in", guess, s.signInLink)
	s.app.Use("/api", pack, s.authorise, s.shorten, s.once, untilLeft, s.keep)
	s.app.Get("/api/events", s.events)
	s.app.Get("/api/backup", s.backup)
	s.link(s.app.Group("/api/agent/link"))
	s.app.Get("/editions/:review/:number/*", s.authorise, s.editionFile)
	s.app.Get("/site/*", s.authorise, s.siteFile)
	s.app.Get("/api/reviews/:review/fonts/:name", s.authorise, s.pageFont)
	s.api = newAPI(s.app)
	s.routes()
	exemplify(s.api.OpenAPI())
	s.app.Get("/probe", s.probeFile)
	s.app.Get("/probe/*", s.probeFile)
	s.app.Get("/*", s.consoleFile)
	return s
}

// failed answers what a route let through as an error.
func failed(c *fiber.Ctx, err error) error {
	status := http.StatusInternalServerError
	var fe *fiber.Error
	if errors.As(err, &fe) {
		status = fe.Code
	}
	return problem(c, status, err.Error())
}

func newAPI(app *fiber.App) huma.API {
	cfg := huma.DefaultConfig("Durvek", Version)
	cfg.OpenAPIPath, cfg.SchemasPath, cfg.DocsPath = "/api/openapi", "/api/schemas", ""
	cfg.CreateHooks = nil
	cfg.Formats = map[string]huma.Format{"json": {Marshal: asJSON, Unmarshal: json.Unmarshal},
		"application/json": {Marshal: asJSON, Unmarshal: json.Unmarshal}}
	cfg.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	cfg.Info.Description = "Everything that the console and the command line do. Errors are problem details (RFC " +
		"9457), whose " +
		"type leads to a page that says what it means. A POST or PATCH with an Idempotency-Key is done once; who asks " +
		"again within a day gets the same answer. Answers are packed with gzip for who takes them so, and bear an ETag. " +
		"A list is given whole unless limit asks for a part of it; the header Link then names the next part. Runs, " +
		"incidents, doubts and the journal come in parts always: after takes the id of the last entry that was read."
	cfg.Info.Contact = &huma.Contact{Name: "The desk that runs this service"}
	cfg.Info.License = &huma.License{Name: "To be chosen by the owner of the project",
		Identifier: "LicenseRef-to-be-chosen"}
	cfg.Components.Parameters = map[string]*huma.Param{}
	for _, p := range listParams {
		cfg.Components.Parameters[p.Name] = p
	}
	cfg.Servers = []*huma.Server{{URL: "/", Description: "This service"}}
	cfg.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token": {Type: "http", Scheme: "bearer", Description: "A token of a person, a program or a machine under test"},
		"session": {Type: "apiKey", In: "cookie", Name: "durvek_session", Description: "The console's session, from a " +
			"sign-in " +
			"link; over TLS its name begins with __Host-"},
	}
	for _, g := range api.Groups {
		cfg.Tags = append(cfg.Tags, &huma.Tag{Name: g.Name, Description: g.Words})
	}
	cfg.RejectUnknownQueryParameters = true
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
	l = NewDoors(l, room())
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

// events streams what happens, as server-sent events.
func (s *Service) events(c *fiber.Ctx) error {
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-cache")
	c.Set("X-Accel-Buffering", "no")
	events, end := s.desk.Desk.Events.Listen()
	done, conn := s.done, c.Context().Conn()
	c.Context().SetBodyStreamWriter(func(w *bufio.Writer) {
		defer end()
		beat := time.NewTicker(15 * time.Second)
		defer beat.Stop()
		fmt.Fprint(w, "retry: 2000\n\n: here\n\n")
		for {
			conn.SetWriteDeadline(time.Now().Add(answerTime)) // who listens takes what is sent
			if w.Flush() != nil {
				return
			}
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
	case ".woff2":
		return "font/woff2"
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
