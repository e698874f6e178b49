package service_test

import (
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"encoding/pem"
	"errors"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"durvek/core/method"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/service"
)

// secured starts a service that speaks TLS on the same port, with its certificates in dir.
func secured(t *testing.T, dir string, c *service.Certificates) (address string) {
	t.Helper()
	d, err := house.Open(t.Context(), house.Options{Options: desk.Options{Dir: t.TempDir(), Name: "Test"}})
	must(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(t, err)
	ended := make(chan error, 1)
	go func() {
		ended <- service.New(d, service.Options{Probe: fstest.MapFS{"index.html": {Data: []byte("the probe")}},
			Certificates: c, Hosts: []string{"desk.local"}}).Serve(t.Context(), l)
	}()
	t.Cleanup(func() { <-ended; d.Close() })
	return l.Addr().String()
}

func own(t *testing.T, dir string, now time.Time) *service.Certificates {
	t.Helper()
	c, err := service.NewCertificates(service.CertificateOptions{Dir: dir, Names: []string{"desk.local"},
		Now: func() time.Time { return now }})
	must(t, err)
	return c
}

func read(t *testing.T, c *http.Client, url string) (string, *http.Response) {
	t.Helper()
	r, err := c.Get(url)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	must(t, err)
	return string(b), r
}

// trusting is a client that trusts an authority alone, and asks under a name.
func trusting(der []byte, name string) (*http.Client, *tls.Config) {
	pool := x509.NewCertPool()
	if ca, err := x509.ParseCertificate(der); err == nil {
		pool.AddCert(ca)
	}
	c := &tls.Config{RootCAs: pool, ServerName: name}
	return &http.Client{Transport: &http.Transport{TLSClientConfig: c}}, c
}

func TestOnePortSpeaksPlainlyAndSecurely(t *testing.T) {
	dir := t.TempDir()
	at := secured(t, dir, own(t, dir, time.Now()))
	plain, r := read(t, http.DefaultClient, "http://"+at+"/healthz")
	if !strings.Contains(plain, "ok") || r.TLS != nil {
		t.Errorf("plain: %s", plain)
	}
	der, r := read(t, http.DefaultClient, "http://"+at+"/probe/authority.crt")
	if r.Header.Get("Content-Type") != "application/x-x509-ca-cert" {
		t.Errorf("the authority's certificate comes as %s", r.Header.Get("Content-Type"))
	}
	for _, name := range []string{"127.0.0.1", "localhost", "desk.local"} {
		c, _ := trusting([]byte(der), name)
		page, r := read(t, c, "https://"+at+"/probe/")
		if page != "the probe" || r.TLS == nil || r.Header.Get("Cross-Origin-Opener-Policy") != "same-origin" ||
			r.Header.Get("Cross-Origin-Embedder-Policy") != "require-corp" {
			t.Errorf("%s: %q %v", name, page, r.Header)
		}
	}
	// Whoever trusts the authority trusts it for local names and addresses, and for nothing else.
	c, _ := trusting([]byte(der), "harbour.example")
	_, err := c.Get("https://" + at + "/healthz")
	if foreign := (x509.HostnameError{}); !errors.As(err, &foreign) {
		t.Errorf("a name of the outside world: %v", err)
	}
	ca, err := x509.ParseCertificate([]byte(der))
	must(t, err)
	if !ca.PermittedDNSDomainsCritical || slices.Contains(ca.PermittedDNSDomains, "") || len(ca.PermittedIPRanges) == 0 {
		t.Errorf("the authority may sign for all: %v, %v", ca.PermittedDNSDomains, ca.PermittedIPRanges)
	}
	if about, _ := read(t, http.DefaultClient, "http://"+at+"/probe/about.json"); !strings.Contains(about, `"tls":true`) ||
		!strings.Contains(about, `"own":true`) {
		t.Errorf("about: %s", about)
	}
	for _, path := range []string{"/probe/../secret", "/probe/nothing.js"} {
		if _, r := read(t, http.DefaultClient, "http://"+at+path); r.StatusCode != http.StatusNotFound {
			t.Errorf("%s: %d", path, r.StatusCode)
		}
	}
}

func TestADeviceSeesTheSameCertificateAgainUntilItEnds(t *testing.T) {
	dir := t.TempDir()
	serial := func(now time.Time) (string, []byte) {
		t.Helper()
		c := own(t, dir, now)
		at := secured(t, dir, c)
		der, err := c.Authority()
		must(t, err)
		client, conf := trusting(der, "localhost")
		conf.Time = func() time.Time { return now }
		_, r := read(t, client, "https://"+at+"/healthz")
		return r.TLS.PeerCertificates[0].SerialNumber.String(), der
	}
	begin := time.Now()
	first, authority := serial(begin)
	again, same := serial(begin.Add(200 * 24 * time.Hour))
	if first != again || string(authority) != string(same) {
		t.Error("a service that was started anew shows another certificate")
	}
	if renewed, same := serial(begin.Add(380 * 24 * time.Hour)); renewed == first || string(authority) != string(same) {
		t.Error("a certificate that is about to end was not renewed by the same authority")
	}
	if _, other := serial(begin.Add(9 * 365 * 24 * time.Hour)); string(authority) == string(other) {
		t.Error("an authority signs certificates that outlast it")
	}
	for _, name := range []string{"authority-key.pem", "server-key.pem"} {
		if i, err := os.Stat(filepath.Join(dir, name)); err != nil || i.Mode().Perm() != 0o600 {
			t.Errorf("%s is readable by others: %v", name, err)
		}
	}
}

func TestTheOwnersCertificateIsTakenInstead(t *testing.T) {
	dir := t.TempDir()
	secured(t, dir, own(t, dir, time.Now()))
	made := own(t, dir, time.Now())
	at := secured(t, dir, made)
	der, err := made.Authority()
	must(t, err)
	c, _ := trusting(der, "localhost")
	read(t, c, "https://"+at+"/healthz") // makes a certificate, which is brought to another service
	certificate, key := filepath.Join(dir, "server.pem"), filepath.Join(dir, "server-key.pem")
	brought, err := service.NewCertificates(service.CertificateOptions{Dir: t.TempDir(), Certificate: certificate,
		Key: key,
		Now: time.Now})
	must(t, err)
	at = secured(t, dir, brought)
	if _, r := read(t, c, "https://"+at+"/probe/authority.crt"); r.StatusCode != http.StatusNotFound {
		t.Error("a service with a certificate of the owner's offers an authority")
	}
	for says, x := range map[string][2]string{"needs both": {certificate, ""}, "read the certificate": {certificate,
		filepath.Join(dir, "none")}} {
		if _, err := service.NewCertificates(service.CertificateOptions{Dir: dir, Certificate: x[0], Key: x[1],
			Now: time.Now}); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v: %v", x, err)
		}
	}
	if _, err := service.NewCertificates(service.CertificateOptions{Dir: dir, Certificate: certificate, Key: key,
		Now: func() time.Time { return time.Now().Add(500 * 24 * time.Hour) }}); err == nil || !strings.Contains(err.Error(),
		"ended on") {
		t.Errorf("a certificate that has ended: %v", err)
	}
	if err := os.WriteFile(filepath.Join(dir, "authority.pem"), pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE",
		Bytes: []byte("torn")}), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := own(t, dir, time.Now()).Authority(); err == nil || !strings.Contains(err.Error(),
		"certificate authority") {
		t.Errorf("a damaged authority: %v", err)
	}
}

func TestAConnectionThatSaysNothingHoldsUpNobody(t *testing.T) {
	dir := t.TempDir()
	at := secured(t, dir, own(t, dir, time.Now()))
	for range 20 {
		c, err := net.Dial("tcp", at)
		must(t, err)
		defer c.Close()
	}
	if ok, _ := read(t, http.DefaultClient, "http://"+at+"/healthz"); !strings.Contains(ok, "ok") {
		t.Error("silent connections hold up others")
	}
}

func TestAPlansCodeComesWithItsLinkAndPicture(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	plan := struct{ ID string }{}
	must(t, r.c.Do(t.Context(), http.MethodPost, "/api/plans", nil, map[string]any{"unit": "fen-14-16-a",
		"setup": method.AsDelivered, "steps": []method.PlanStep{{Test: "graphics-fill", Repeats: 1}}}, &plan))
	ask := func(host string) (out struct{ Code, Link, QR, Note string }) {
		t.Helper()
		req, err := http.NewRequest(http.MethodPost, r.c.Server+"/api/plans/"+plan.ID+"/codes", nil)
		must(t, err)
		req.Host = host
		req.Header.Set("Authorization", "Bearer "+r.c.Token)
		must(t, answered(req, &out))
		return out
	}
	here := ask(strings.TrimPrefix(r.c.Server, "http://"))
	if here.Link != r.c.Server+"/probe/#"+here.Code || !strings.Contains(here.Note, "--listen 0.0.0.0") ||
		!strings.HasPrefix(here.QR, "<svg") || !strings.Contains(here.QR, here.Link) {
		t.Errorf("%+v", here)
	}
	if far := ask("desk.local:8460"); far.Link != "http://desk.local:8460/probe/#"+far.Code || far.Note != "" {
		t.Errorf("%+v", far)
	}
}

// answered sends a request and reads its answer.
func answered(req *http.Request, out any) error {
	r, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer r.Body.Close()
	return json.NewDecoder(r.Body).Decode(out)
}
