package service

import (
	"context"
	"errors"
	"html"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v2"

	"durvek/desk"
	"durvek/desk/books"
)

// headers tells browsers what a page of this service may do, and that nobody keeps answers of the API.
func (s *Service) headers(c *fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Referrer-Policy", "no-referrer")
	c.Set("X-Frame-Options", "SAMEORIGIN")
	c.Set("Permissions-Policy", "camera=(), display-capture=(), geolocation=(), microphone=(), midi=(), payment=(), "+
		"usb=(), fullscreen=(self), screen-wake-lock=(self)")
	c.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "+
		"base-uri 'none'; form-action 'self'; object-src 'none'; frame-ancestors 'self'")
	if strings.HasPrefix(c.Path(), "/api/") {
		c.Set("Cache-Control", "no-store")
	}
	if s.tlsOnly && c.Secure() {
		c.Set("Strict-Transport-Security", "max-age=31536000")
	}
	return c.Next()
}

// logged writes every request to the log; its route, never its query, which may hold a code.
func logged(c *fiber.Ctx) error {
	begin := time.Now()
	err := c.Next()
	if err != nil {
		err = failed(c, err) // what is logged is what is sent
	}
	slog.Info("request", "verb", c.Method(), "path", printable(c.Path()), "status", c.Response().StatusCode(),
		"ms", time.Since(begin).Milliseconds(), "who", who(c.UserContext()).By(), "from", asker(c))
	return err
}

// asker is the address that a request came from: the one that a trusted proxy names last, or the other side's own.
func asker(c *fiber.Ctx) string {
	if c.IsProxyTrusted() {
		all := strings.Split(c.Get(fiber.HeaderXForwardedFor), ",")
		if at, err := netip.ParseAddr(strings.TrimSpace(all[len(all)-1])); err == nil {
			return addressOf(net.TCPAddrFromAddrPort(netip.AddrPortFrom(at, 0))).String()
		}
	}
	return addressOf(c.Context().RemoteAddr()).String()
}

// hostOf is the name or address by which the service was asked, without its port.
func hostOf(c *fiber.Ctx) string {
	name := c.Hostname()
	if host, _, err := net.SplitHostPort(name); err == nil {
		name = host
	}
	return strings.ToLower(strings.TrimSuffix(strings.Trim(name, "[]"), "."))
}

// knownHost refuses to be asked by a name that is not this computer's own: a page elsewhere could lead browsers here
// by a name of its own, and read the answers.
func (s *Service) knownHost(c *fiber.Ctx) error {
	if host := hostOf(c); !s.knows(host, c.Context().LocalIP()) {
		return problem(c, http.StatusMisdirectedRequest, "this service is not known as \""+printable(host)+
			"\"; ask it by its "+
			"address, or start it with --host and that name")
	}
	return c.Next()
}

// knows tells whether a name or address leads to this computer. at is the address that a connection came in by.
func (s *Service) knows(host string, at net.IP) bool {
	if host == "localhost" || slices.ContainsFunc(s.hosts, func(h string) bool { return strings.EqualFold(h, host) }) {
		return true
	}
	if ip := net.ParseIP(host); ip != nil {
		return ip.IsLoopback() || ip.Equal(at) || slices.ContainsFunc(Addresses(), ip.Equal)
	}
	if s.certificates != nil && s.certificates.brought != nil && s.certificates.brought.Leaf != nil &&
		s.certificates.brought.Leaf.VerifyHostname(host) == nil {
		return true
	}
	own, err := os.Hostname()
	if err != nil || host == "" {
		return false
	}
	own = strings.ToLower(own)
	short, _, _ := strings.Cut(own, ".")
	name, domain, _ := strings.Cut(host, ".")
	return host == own || name == short && (domain == "" || slices.Contains(localDomains, domain))
}

// printable is the beginning of what somebody sent, without what a terminal or a log would act on.
func printable(s string) string {
	s = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r > 0x7e {
			return '?'
		}
		return r
	}, s)
	return s[:min(len(s), 80)]
}

// privately sends others than this computer to TLS, where the service answers by nothing else.
func (s *Service) privately(c *fiber.Ctx) error {
	at := c.Context().RemoteIP()
	if !s.tlsOnly || c.Secure() || at.IsLoopback() && !c.IsProxyTrusted() {
		return c.Next()
	}
	if c.Method() == http.MethodGet && !strings.HasPrefix(c.Path(), "/api/") {
		return c.Redirect("https://"+c.Hostname()+c.OriginalURL(), http.StatusPermanentRedirect)
	}
	return problem(c, http.StatusForbidden, "this service speaks TLS alone; ask it with https")
}

// open lists what may be asked for without a token.
func open(p string) bool {
	return p == "/api/agent/join" || p == "/api/sign-in" || p == "/api/entry/asks" || p == "/api/entry/answers" ||
		strings.HasPrefix(p, "/api/openapi") || strings.HasPrefix(p,
		"/api/schemas")
}

type (
	whoKey   struct{}
	tokenKey struct{}
	askedKey struct{}
	askedBy  struct{ proto, host string }
)

func who(ctx context.Context) books.Who {
	w, _ := ctx.Value(whoKey{}).(books.Who)
	return w
}

// cookie carries the console's session. Over TLS its name has browsers see to it that it came that way (RFC 6265bis,
// 4.1.3.2).
func cookie(c *fiber.Ctx) string {
	if c.Secure() {
		return "__Host-durvek_session"
	}
	return "durvek_session"
}

// tokenOf is the token that a request bears, and whether a browser sent it by itself.
func tokenOf(c *fiber.Ctx) (token string, byItself bool) {
	if token, bearer := strings.CutPrefix(c.Get("Authorization"), "Bearer "); bearer {
		return token, false
	}
	return c.Cookies(cookie(c)), true
}

// known tells whether somebody asks whom the service let in already.
func (s *Service) known(c *fiber.Ctx) bool {
	token, _ := tokenOf(c)
	if token == "" {
		return false
	}
	who, err := s.desk.Books.Recognise(c.UserContext(), token)
	return err == nil && who.Plan == ""
}

// authorise finds out who asks: by bearer token, or by the console's cookie. Agents reach their own routes only.
func (s *Service) authorise(c *fiber.Ctx) error {
	if open(c.Path()) {
		return c.Next()
	}
	token, byItself := tokenOf(c)
	if token != "" && byItself && c.Method() != http.MethodGet && !sameOrigin(c) {
		s.refused(c, "from another page")
		return problem(c, http.StatusForbidden, "this request came from another page")
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
		s.refused(c, "unknown token")
		return problem(c, http.StatusUnauthorized, err.Error())
	}
	if who.Plan != "" && !strings.HasPrefix(c.Path(), "/api/agent/") {
		s.refused(c, "an agent asked for what is not its own", "plan", who.Plan)
		return problem(c, http.StatusForbidden, "an agent may only deliver its plan's runs")
	}
	ctx := context.WithValue(c.UserContext(), whoKey{}, who)
	ctx = context.WithValue(ctx, askedKey{}, askedBy{c.Protocol(), c.Hostname()})
	c.SetUserContext(context.WithValue(ctx, tokenKey{}, token))
	conn := c.Context().Conn()
	serving(conn, true)
	err = c.Next()
	if !c.Response().IsBodyStream() { // who listens to a stream is served until he leaves
		serving(conn, false)
	}
	return err
}

func sameOrigin(c *fiber.Ctx) bool {
	origin := c.Get("Origin")
	if origin == "" {
		return c.Get("Sec-Fetch-Site") == "same-origin"
	}
	u, err := url.Parse(origin)
	return err == nil && u.Host == c.Hostname()
}

// refused keeps in the security log that somebody was not let in.
func (s *Service) refused(c *fiber.Ctx, why string, more ...any) {
	s.meters.refusals.WithLabelValues(why).Inc()
	security("refused", append([]any{"why", why, "from", asker(c), "verb", c.Method(), "path", printable(c.Path())},
		more...)...)
}

// security writes to the security log. It takes no token, code or cookie.
func security(event string, more ...any) {
	slog.Info("security: "+event, append([]any{"log", "security", "event", event}, more...)...)
}

// signInLink spends a one-time link, sets the session's cookie and opens the console.
func (s *Service) signInLink(c *fiber.Ctx) error {
	token, name, err := s.desk.Books.SignIn(c.UserContext(), c.Query("code"), "console", books.Session)
	if err != nil {
		s.refused(c, "a sign-in link that does not hold")
		c.Status(http.StatusUnauthorized).Set("Content-Type", "text/html; charset=utf-8")
		return c.SendString("<!doctype html><title>Durvek</title><p>" + html.EscapeString(err.Error()))
	}
	security("signed in", "person", name, "from", asker(c))
	c.Cookie(&fiber.Cookie{Name: cookie(c), Value: token, HTTPOnly: true, SameSite: "Strict", Path: "/",
		Secure: c.Secure(), Expires: time.Now().Add(30 * 24 * time.Hour)})
	to := c.Query("to")
	if !ownPath(to) {
		to = "/"
	}
	return c.Redirect(to, http.StatusSeeOther)
}

// ownPath tells whether an address leads into this console and nowhere else, as browsers read it: they leave out
// tabs and line ends, and take \ for / (WHATWG URL, 4.4).
func ownPath(to string) bool {
	if strings.ContainsFunc(to, func(r rune) bool { return r <= ' ' || r == '\\' || r == 0x7f }) {
		return false
	}
	u, err := url.Parse(to)
	return err == nil && u.Scheme == "" && u.Host == "" && u.User == nil && strings.HasPrefix(to, "/") &&
		!strings.HasPrefix(to, "//")
}
