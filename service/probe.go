package service

import (
	"bufio"
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/http"
	"path"
	"strings"

	"github.com/gofiber/fiber/v2"

	"durvek/api"
	"durvek/draw"
	"durvek/workload/site"
	"time"
)

// planCode makes a code for a plan, and a link to the probe by the address that it was asked by.
func (s *Service) planCode(ctx context.Context, in *api.Slugged) (api.JoinCode, error) {
	c, expires, err := s.desk.Bench.JoinCode(ctx, in.Slug)
	if err != nil {
		return api.JoinCode{}, err
	}
	return s.joining(ctx, c, expires)
}

// arrivalCode makes a code for a machine of a kind that is on no book yet.
func (s *Service) arrivalCode(ctx context.Context, in *api.Body[api.Arrival]) (api.JoinCode, error) {
	c, expires, err := s.desk.Bench.ArrivalCode(ctx, in.Body.Kind)
	if err != nil {
		return api.JoinCode{}, err
	}
	return s.joining(ctx, c, expires)
}

// joining dresses a code in all that a machine joins with.
func (s *Service) joining(ctx context.Context, c string, expires time.Time) (api.JoinCode, error) {
	out := api.JoinCode{Code: c, Expires: expires}
	asked, _ := ctx.Value(askedKey{}).(askedBy)
	base, alone := s.base(asked.host, asked.proto)
	out.Link = base + "/probe/#" + c
	if alone {
		out.Note = "The service listens on this computer alone; start it with --listen 0.0.0.0:8460 so that other devices " +
			"reach it."
	}
	code, err := draw.NewCode(out.Link)
	if err != nil {
		return out, err
	}
	out.QR = string(code.SVG(out.Link))
	return out, nil
}

// base is the address by which other devices reach the service: the one that was asked for, unless that leads to
// the asking computer itself and the service listens for others. alone tells that it does not.
func (s *Service) base(host, proto string) (base string, alone bool) {
	name, port, err := net.SplitHostPort(host)
	if err != nil {
		name, port = host, ""
	}
	ip := net.ParseIP(name)
	if name != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return cmp.Or(proto, "http") + "://" + host, false
	}
	at, _ := s.address.(*net.TCPAddr)
	if at == nil || !at.IP.IsUnspecified() {
		return "http://" + host, true
	}
	for _, a := range Addresses() {
		return "http://" + net.JoinHostPort(a.String(), cmp.Or(port, fmt.Sprint(at.Port))), false
	}
	return "http://" + host, true
}

// probeFile serves the probe. Where the context is secure, the page is isolated from others, which gives it finer
// clocks.
func (s *Service) probeFile(c *fiber.Ctx) error {
	name := strings.TrimPrefix(strings.TrimPrefix(c.Path(), "/probe"), "/")
	switch {
	case c.Path() == "/probe":
		return c.Redirect("/probe/", http.StatusMovedPermanently)
	case name == "about.json":
		return c.JSON(fiber.Map{"desk": s.desk.Desk.Name(), "tls": s.certificates != nil, "own": s.certificates != nil &&
			s.certificates.Own()})
	case name == "authority.crt":
		if s.certificates == nil || !s.certificates.Own() {
			return problem(c, http.StatusNotFound, "this service signs no certificate of its own")
		}
		der, err := s.certificates.Authority()
		if err != nil {
			return err
		}
		c.Set("Content-Type", "application/x-x509-ca-cert")
		c.Set("Content-Disposition", `attachment; filename="durvek-authority.crt"`)
		return c.Send(der)
	case name == "":
		name = "index.html"
	}
	if !fs.ValidPath(name) {
		return problem(c, http.StatusNotFound, "no such page")
	}
	if ip := net.ParseIP(hostOf(c)); c.Secure() || hostOf(c) == "localhost" || ip != nil && ip.IsLoopback() {
		c.Set("Cross-Origin-Opener-Policy", "same-origin")
		c.Set("Cross-Origin-Embedder-Policy", "require-corp")
	}
	if p, ok := strings.CutPrefix(name, "site/"); ok {
		return s.sitePage(c, p)
	}
	c.Set("Content-Security-Policy", "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; worker-src 'self' "+
		"blob:; style-src 'self' 'unsafe-inline'; img-src 'self' data:; media-src blob:; frame-ancestors 'none'")
	return send(c, s.probe, name)
}

// sitePage serves the site whose loading is timed, over the connection that its path names.
func (s *Service) sitePage(c *fiber.Ctx, p string) error {
	f, over, visit, ok := site.Asked(p)
	if !ok {
		return problem(c, http.StatusNotFound, "no such page")
	}
	c.Set("Content-Security-Policy", "default-src 'self'; frame-ancestors 'self'")
	c.Set("Content-Type", f.Kind)
	c.Set("Cache-Control", "private, max-age=3600")
	if over.Rate == 0 {
		return c.Send(f.Body)
	}
	visit = strings.Clone(visit)
	c.Context().SetBodyStreamWriter(func(w *bufio.Writer) { s.line.Send(w, w.Flush, f, over, visit) })
	return nil
}

// send answers with a file of a built page, packed where it was packed and the other side takes it.
func send(c *fiber.Ctx, files fs.FS, name string) error {
	data, noPacked := fs.ReadFile(files, name+".gz")
	takes := noPacked == nil && strings.Contains(c.Get("Accept-Encoding"), "gzip")
	if !takes {
		plain, err := fs.ReadFile(files, name)
		if err != nil && noPacked == nil { // large files are kept packed only
			plain, err = unpack(data)
		}
		if err != nil {
			return problem(c, http.StatusNotFound, "no such page")
		}
		data = plain
	}
	c.Set("Content-Type", contentType(name))
	if strings.HasPrefix(path.Clean(name), "assets/") || c.Query("v") != "" { // whose name changes with what is in it
		c.Set("Cache-Control", "public, max-age=31536000, immutable")
	} else {
		c.Set("Cache-Control", "no-cache")
	}
	if noPacked == nil {
		c.Set("Vary", "Accept-Encoding")
	}
	if takes {
		c.Set("Content-Encoding", "gzip")
	}
	return c.Send(data)
}

func unpack(packed []byte) ([]byte, error) {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(z)
}
