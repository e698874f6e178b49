package service_test

import (
	"bytes"
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"durvek/api"
	"durvek/client"
	"durvek/desk"
	"durvek/desk/books"
	"durvek/desk/house"
	"durvek/service"
)

// guarded starts a service with options of its own.
func guarded(t *testing.T, o service.Options) (address string, d *house.House) {
	t.Helper()
	d, err := house.Open(t.Context(), house.Options{Options: desk.Options{Dir: t.TempDir(), Name: "Test"}})
	must(t, err)
	address, _ = guardedWith(t, d, o)
	return address, d
}

// guardedWith serves a desk.
func guardedWith(t *testing.T, d *house.House, o service.Options) (address string, s *service.Service) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(t, err)
	ended := make(chan error, 1)
	s = service.New(d, o)
	go func() { ended <- s.Serve(t.Context(), l) }()
	t.Cleanup(func() { <-ended; d.Close() })
	return l.Addr().String(), s
}

func TestAForeignNameInAHelloNeverEntersACertificate(t *testing.T) {
	dir := t.TempDir()
	c := own(t, dir, time.Now())
	at := secured(t, dir, c)
	der, err := c.Authority()
	must(t, err)
	serial := func(name string) string {
		t.Helper()
		conn, err := tls.Dial("tcp", at, &tls.Config{InsecureSkipVerify: true, ServerName: name})
		must(t, err)
		defer conn.Close()
		leaf := conn.ConnectionState().PeerCertificates[0]
		for _, n := range leaf.DNSNames {
			if n == name && name != "desk.local" {
				t.Errorf("%q was signed", name)
			}
		}
		return leaf.SerialNumber.String()
	}
	first := serial("desk.local")
	for _, name := range []string{"harbour.example", "another.local", "local", ""} {
		if serial(name) != first {
			t.Errorf("a hello for %q changed the certificate", name)
		}
	}
	for _, name := range []string{"127.0.0.1", "localhost", "desk.local"} { // and it still holds for everybody
		client, _ := trusting(der, name)
		if _, r := read(t, client, "https://"+at+"/healthz"); r.StatusCode != http.StatusOK {
			t.Errorf("%s: %d", name, r.StatusCode)
		}
	}
}

func TestOnlyOwnNamesLeadToAService(t *testing.T) {
	at, _ := guarded(t, service.Options{Hosts: []string{"desk.lan", "192.0.2.7"}})
	own, err := os.Hostname()
	must(t, err)
	for host, want := range map[string]int{"localhost": 401, "127.0.0.1": 401, "[::1]": 401, "desk.lan": 401,
		"DESK.LAN.": 401,
		"192.0.2.7": 401, "192.0.2.8": 421, own: 401, own + ".local": 401, own + ".example": 421, "harbour.example": 421,
		"desk.lan.harbour.example": 421, "localhost.harbour.example": 421} {
		for _, port := range []string{"", ":8460"} {
			req, err := http.NewRequest(http.MethodGet, "http://"+at+"/api/me", nil)
			must(t, err)
			req.Host = host + port
			r, err := http.DefaultClient.Do(req)
			must(t, err)
			b, _ := io.ReadAll(r.Body)
			r.Body.Close()
			if r.StatusCode != want {
				t.Errorf("asked as %q: %d, want %d: %s", req.Host, r.StatusCode, want, b)
			}
		}
	}
	// Whoever is not a proxy that the owner told of cannot say otherwise.
	req, err := http.NewRequest(http.MethodGet, "http://"+at+"/api/me", nil)
	must(t, err)
	req.Host = "harbour.example"
	req.Header.Set("X-Forwarded-Host", "localhost")
	r, err := http.DefaultClient.Do(req)
	must(t, err)
	r.Body.Close()
	if r.StatusCode != http.StatusMisdirectedRequest {
		t.Errorf("a forwarded name of nobody's: %d", r.StatusCode)
	}
}

func TestALinkLeadsIntoThisConsoleAlone(t *testing.T) {
	at, d := guarded(t, service.Options{})
	stay := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	for to, want := range map[string]string{"/reviews/fen?x=1#a": "/reviews/fen?x=1#a", "/\t/harbour.example": "/",
		"/\n/harbour.example": "/", "/\\harbour.example": "/", "\t//harbour.example": "/", " //harbour.example": "/",
		"http:harbour.example": "/", "javascript:alert(1)": "/", "compare": "/", "/a b": "/", "///harbour.example": "/"} {
		code, err := d.Books.SignInCode(t.Context(), "")
		must(t, err)
		r, err := stay.Get("http://" + at + "/sign-in?code=" + code + "&to=" + url.QueryEscape(to))
		must(t, err)
		r.Body.Close()
		if got := strings.TrimPrefix(r.Header.Get("Location"), "http://"+at); got != want {
			t.Errorf("%q leads to %q", to, got)
		}
	}
}

func TestACookieOverTLSIsTheHostsAlone(t *testing.T) {
	dir := t.TempDir()
	c := own(t, dir, time.Now())
	at, d := guarded(t, service.Options{Certificates: c, TLSOnly: true})
	der, err := c.Authority()
	must(t, err)
	for _, scheme := range []string{"https", "http"} {
		client, _ := trusting(der, "localhost")
		client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
		code, err := d.Books.SignInCode(t.Context(), "")
		must(t, err)
		r, err := client.Get(scheme + "://" + at + "/sign-in?code=" + code)
		must(t, err)
		r.Body.Close()
		k := r.Cookies()[0]
		if secure := scheme == "https"; k.Secure != secure || strings.HasPrefix(k.Name, "__Host-") != secure ||
			k.Path != "/" ||
			(r.Header.Get("Strict-Transport-Security") != "") != secure {
			t.Errorf("%s: %v, %v", scheme, k, r.Header)
		}
		req, err := http.NewRequest(http.MethodGet, scheme+"://"+at+"/api/me", nil)
		must(t, err)
		req.AddCookie(k)
		r, err = client.Do(req)
		must(t, err)
		r.Body.Close()
		if r.StatusCode != 200 || r.Header.Get("Cache-Control") != "no-store" || r.Header.Get("Permissions-Policy") == "" {
			t.Errorf("%s: %d, %v", scheme, r.StatusCode, r.Header)
		}
	}
}

func TestOtherComputersAreSentToTLSWhereNothingElseIsServed(t *testing.T) {
	here := service.Addresses()
	if len(here) == 0 {
		t.Skip("this computer is on no network")
	}
	d, err := house.Open(t.Context(), house.Options{Options: desk.Options{Dir: t.TempDir()}})
	must(t, err)
	l, err := net.Listen("tcp", "0.0.0.0:0")
	must(t, err)
	ended := make(chan error, 1)
	go func() {
		ended <- service.New(d, service.Options{Certificates: own(t, t.TempDir(), time.Now()), TLSOnly: true}).
			Serve(t.Context(), l)
	}()
	t.Cleanup(func() { <-ended; d.Close() })
	at := net.JoinHostPort(here[0].String(), fmt.Sprint(l.Addr().(*net.TCPAddr).Port))
	stay := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	r, err := stay.Get("http://" + at + "/probe/?x=1")
	must(t, err)
	r.Body.Close()
	if r.StatusCode != http.StatusPermanentRedirect || r.Header.Get("Location") != "https://"+at+"/probe/?x=1" {
		t.Errorf("%d %s", r.StatusCode, r.Header.Get("Location"))
	}
	if r, err = stay.Get("http://" + at + "/api/me"); err != nil || r.StatusCode != http.StatusForbidden {
		t.Errorf("an answer of the API without TLS: %v, %v", r, err)
	}
}

// half opens a connection and sends the beginning of a request.
func half(t *testing.T, at, begin string) net.Conn {
	t.Helper()
	c, err := net.Dial("tcp", at)
	must(t, err)
	t.Cleanup(func() { c.Close() })
	_, err = c.Write([]byte(begin))
	must(t, err)
	return c
}

func TestConnectionsThatDoNotFinishAreEnded(t *testing.T) {
	t.Parallel()
	at, _ := guarded(t, service.Options{})
	begin := time.Now()
	for says, c := range map[string]net.Conn{"half a header": half(t, at, "GET /healthz HTTP/1.1\r\nHost: local"),
		"nothing": half(t, at, "")} {
		c.SetReadDeadline(begin.Add(20 * time.Second))
		if _, err := io.ReadAll(c); err != nil {
			t.Errorf("%s: the connection stays: %v", says, err)
		}
	}
}

func TestManyHalfOpenConnectionsKeepNobodyOut(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(t, err)
	doors := service.NewDoors(l, 4)
	inside := make(chan net.Conn, 16)
	go func() {
		for c, err := doors.Accept(); err == nil; c, err = doors.Accept() {
			inside <- c
		}
	}()
	defer doors.Close()
	var out []net.Conn
	for range 4 {
		out = append(out, half(t, l.Addr().String(), ""))
		<-inside
	}
	newcomer := half(t, l.Addr().String(), "here")
	b := make([]byte, 4)
	if _, err := io.ReadFull(<-inside, b); err != nil || string(b) != "here" {
		t.Errorf("the newcomer is not let in: %q, %v", b, err)
	}
	out[0].SetReadDeadline(time.Now().Add(5 * time.Second))
	if _, err := out[0].Read(b); err != io.EOF {
		t.Errorf("the one that waited longest stays: %v", err)
	}
	newcomer.Close()
}

func TestWrongCodesAreLimitedByRouteAndAddressAndNeverAnOwner(t *testing.T) {
	r := start(t)
	try := func(path, token, from string) int {
		t.Helper()
		req, err := http.NewRequest(http.MethodPost, r.c.Server+path, strings.NewReader(
			`{"code":"wrong"}`))
		must(t, err)
		if token != "" {
			req.Header.Set("Authorization", "Bearer "+token)
		}
		req.Header.Set("X-Forwarded-For", from)
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		must(t, err)
		resp.Body.Close()
		return resp.StatusCode
	}
	for i := range 30 {
		if got := try("/api/sign-in", "", fmt.Sprint("192.0.2.", i)); got != http.StatusUnauthorized {
			t.Fatalf("try %d: %d", i, got)
		}
	}
	if got := try("/api/sign-in", "", "192.0.2.99"); got != http.StatusTooManyRequests {
		t.Errorf("try 31, by a header that nobody vouches for: %d", got)
	}
	if got := try("/api/agent/join", "", ""); got == http.StatusTooManyRequests {
		t.Error("another route is closed with it")
	}
	if got := try("/api/sign-in", r.token, ""); got != http.StatusUnauthorized {
		t.Errorf("an owner is stopped: %d", got)
	}
}

func TestAProxyIsBelievedOnlyIfToldTo(t *testing.T) {
	at, _ := guarded(t, service.Options{Proxies: []string{"127.0.0.1"}, Hosts: []string{"desk.harbour.example"}})
	status := func(from string) int {
		req, err := http.NewRequest(http.MethodPost, "http://"+at+"/api/sign-in", strings.NewReader(`{"code":"wrong"}`))
		must(t, err)
		req.Header.Set("X-Forwarded-For", "198.51.100.9, "+from) // the first is what the client itself claims
		req.Header.Set("X-Forwarded-Host", "desk.harbour.example")
		req.Header.Set("Content-Type", "application/json")
		r, err := http.DefaultClient.Do(req)
		must(t, err)
		r.Body.Close()
		return r.StatusCode
	}
	for range 30 {
		status("192.0.2.1")
	}
	if got := status("192.0.2.1"); got != http.StatusTooManyRequests {
		t.Errorf("the same client again: %d", got)
	}
	if got := status("192.0.2.2"); got != http.StatusUnauthorized {
		t.Errorf("another client of the proxy: %d", got)
	}
}

func TestEachRoleMayWhatItIsFor(t *testing.T) {
	at, d := guarded(t, service.Options{})
	ctx := t.Context()
	as := map[books.Role]*client.Client{}
	for _, role := range books.Roles {
		name := "A " + string(role)
		_, err := d.Books.AddPerson(ctx, books.Person{Name: name, Role: role}, "Owner")
		must(t, err)
		code, err := d.Books.SignInCode(ctx, name)
		must(t, err)
		c := client.New("http://"+at, "")
		token, err := client.Ask(ctx, c, api.SignIn, api.With(api.Code{Code: code, Name: "command line on here"}))
		must(t, err)
		as[role] = client.New("http://"+at, token.Token)
		me, err := client.Ask(ctx, as[role], api.WhoAmI, api.None{})
		if err != nil || me.Name != name || me.Role != role {
			t.Errorf("%+v, %v", me, err)
		}
	}
	acts := []struct {
		what string
		need books.Role
		do   func(*client.Client) error
	}{
		{"look", books.Reader, func(c *client.Client) error {
			_, err := client.Ask(ctx, c, api.Models, api.Listing{})
			return err
		}},
		{"change", books.Editor, func(c *client.Client) error {
			_, err := client.Ask(ctx, c, api.ImportDossier, api.File{RawBody: []byte(small)})
			return err
		}},
		{"people", books.Owner, func(c *client.Client) error {
			_, err := client.Ask(ctx, c, api.AddPerson, api.With(api.PersonNote{Name: "Ruth", Role: books.Reader}))
			return err
		}},
	}
	for _, role := range books.Roles {
		for _, x := range acts {
			err := x.do(as[role])
			if may := role.May(x.need); may && err != nil {
				t.Errorf("%s: %s: %v", role, x.what, err)
			} else if !may {
				refused(t, err, http.StatusForbidden, "it takes")
			}
		}
	}
	refused(t, as[books.Owner].Do(ctx, http.MethodPost, "/api/agent/finish", nil, nil, nil), 403, "machine that joined")
	_, err := client.Ask(ctx, as[books.Editor], api.MakeSignInLink, api.With(api.Whose{Person: "A owner"}))
	refused(t, err, http.StatusForbidden, "only an owner")
	if _, err := client.Ask(ctx, as[books.Reader], api.MakeSignInLink, api.With(api.Whose{})); err != nil {
		t.Errorf("a link for oneself: %v", err)
	}
	notes, err := client.Ask(ctx, as[books.Reader], api.Journal, api.JournalIn{Text: "a EDITOR ",
		Page: api.Page{Limit: 1}})
	if err != nil || notes.Total != 1 || len(notes.Lines) != 1 || notes.Lines[0].By != "A editor" ||
		notes.Lines[0].Subject != "fen-14" {
		t.Errorf("a change is not signed by who made it: %+v, %v", notes, err)
	}
}

func TestTheSecurityLogSaysWhoAndHoldsNoSecret(t *testing.T) {
	var mu sync.Mutex
	var log bytes.Buffer
	was := slog.Default()
	slog.SetDefault(slog.New(slog.NewJSONHandler(locked{&mu, &log}, nil)))
	defer slog.SetDefault(was)
	at, d := guarded(t, service.Options{LogRequests: true})
	ctx := context.Background()
	code, err := d.Books.SignInCode(ctx, "")
	must(t, err)
	c := client.New("http://"+at, "")
	signed, err := client.Ask(ctx, c, api.SignIn, api.With(api.Code{Code: code, Name: "test"}))
	must(t, err)
	c = client.New("http://"+at, signed.Token)
	made, err := client.Ask(ctx, c, api.AddToken, api.With(books.NewToken{Name: "export", Scope: books.Reader}))
	must(t, err)
	_, err = client.Ask(ctx, c, api.DropToken, api.Slugged{Slug: "export"})
	must(t, err)
	link, err := client.Ask(ctx, c, api.MakeSignInLink, api.With(api.Whose{}))
	must(t, err)
	r, err := http.Get("http://" + at + "/sign-in?code=" + link.Code)
	must(t, err)
	r.Body.Close()
	client.Ask(ctx, client.New("http://"+at, "wrong-token-of-somebody"), api.Models, api.Listing{})
	client.Ask(ctx, client.New("http://"+at, ""), api.SignIn, api.With(api.Code{Code: "wrong-code-of-somebody"}))
	mu.Lock()
	defer mu.Unlock()
	text := log.String()
	for _, says := range []string{`"event":"signed in","person":"Owner"`, `"event":"token made","name":"export"`,
		`"event":"token revoked"`, `"event":"sign-in link made"`, `"why":"unknown token"`, `"msg":"request"`,
		`"path":"/sign-in"`, `"status":401`} {
		if !strings.Contains(text, says) {
			t.Errorf("the log lacks %s:\n%s", says, text)
		}
	}
	for _, secret := range []string{code, signed.Token, made.Token, link.Code, "wrong-token-of-somebody",
		"wrong-code-of-somebody"} {
		if strings.Contains(text, secret) {
			t.Errorf("the log holds the secret %q", secret)
		}
	}
}

type locked struct {
	mu *sync.Mutex
	w  io.Writer
}

func (l locked) Write(b []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.w.Write(b)
}

// small is a dossier that asks for nothing else to be known.
const small = "format: durvek-dossier/1\nmodel: {slug: fen-14, maker: Selvane, name: Fen 14, kind: laptop}\n" +
	"variants: [{slug: fen-14-16, name: 16 GiB}]\n"
