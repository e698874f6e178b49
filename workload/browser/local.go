package browser

import (
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"mime"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path"
	"strings"
	"sync"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/probe"
	"durvek/workload"
	"durvek/workload/site"
)

// port is where the probe stands on a machine with an agent, so that a page that was opened once finds the next
// run's order too.
const port = "8467"

// How long nobody may open the page, and how long an open one may say nothing.
const (
	unopened = 10 * time.Minute
	silent   = 20 * time.Second
)

// order is what the page is asked to do.
type order struct {
	ID      int               `json:"id"`
	Test    method.Test       `json:"test"`
	Options map[string]string `json:"options,omitempty"`
	Seconds float64           `json:"seconds,omitempty"`

	Conditions map[string]string `json:"conditions,omitempty"` // of the setup
}

// told is what the page says: a sample, or at last the outcome.
type told struct {
	ID      int             `json:"id"`
	Sample  *record.Sample  `json:"sample,omitempty"`
	Outcome *record.Outcome `json:"outcome,omitempty"`
	Error   string          `json:"error,omitempty"`
	NotRun  bool            `json:"not_run,omitempty"`
	Marks   []record.Mark   `json:"marks,omitempty"`
	Broken  bool            `json:"broken,omitempty"` // what it says counts for nothing: the page was hidden, say
}

// run serves the probe on this machine alone, opens it in the browser that the machine's owner allowed or waits
// until somebody does, and takes its outcome.
func run(ctx context.Context, env workload.Env) (record.Outcome, error) {
	if _, err := fs.Stat(probe.Files(), "index.html"); err != nil {
		return record.Outcome{}, workload.NotRun("this program was built without the probe; build it with `make build`")
	}
	l, err := net.Listen("tcp", "127.0.0.1:"+port)
	if err != nil { // another agent's run
		if l, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
			return record.Outcome{}, fmt.Errorf("serve the probe on this machine: %w", err)
		}
	}
	sum := sha256.Sum256([]byte("probe " + env.Token)) // the same for all runs of a plan
	h := &host{secret: base64.RawURLEncoding.EncodeToString(sum[:12]), report: env.Report, answer: make(chan told, 1),
		order: order{ID: int(time.Now().UnixMilli()), Test: env.Test, Options: env.Options, Seconds: env.Seconds,
			Conditions: env.Conditions}}
	server := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second}
	go server.Serve(l)
	defer server.Close()
	link := fmt.Sprintf("http://%s/probe/#local=%s", l.Addr(), h.secret)
	gone := make(chan error, 1)
	if len(env.Browser) > 0 {
		end, err := open(ctx, env.Browser, link, gone)
		if err != nil {
			return record.Outcome{}, workload.NotRun("start the browser: %w", err)
		}
		defer end()
	}
	tick := time.NewTicker(2 * time.Second)
	defer tick.Stop()
	for begin := time.Now(); ; {
		select {
		case a := <-h.answer:
			switch {
			case a.NotRun:
				return *a.Outcome, workload.NotRun("%s", a.Error)
			case a.Broken:
				return record.Outcome{}, fmt.Errorf("%w: %s", record.ErrCrashed, a.Error)
			case a.Error != "":
				return *a.Outcome, errors.New(a.Error)
			}
			return *a.Outcome, nil
		case err := <-gone:
			return record.Outcome{}, fmt.Errorf("%w: the browser ended in mid-run (%v)", record.ErrCrashed, err)
		case <-ctx.Done():
			return record.Outcome{}, fmt.Errorf("stopped: %w", context.Cause(ctx))
		case <-tick.C:
			h.mu.Lock()
			heard := h.heard
			h.mu.Unlock()
			switch {
			case heard.IsZero() && time.Since(begin) > unopened:
				return record.Outcome{}, workload.NotRun("nobody opened %s on this machine; open it, or allow the agent a "+
					"browser with --browser", link)
			case heard.IsZero() && len(env.Browser) == 0:
				env.Show("open "+link+" in this machine's browser", 0)
			case !heard.IsZero() && time.Since(heard) > silent:
				return record.Outcome{}, fmt.Errorf("%w: the probe's page was closed, or its machine slept", record.ErrCrashed)
			}
		}
	}
}

// open starts a browser with a profile of its own. end closes it and drops the profile.
func open(ctx context.Context, browser []string, link string, gone chan<- error) (end func(), err error) {
	profile, err := os.MkdirTemp("", "durvek-browser-*")
	if err != nil {
		return nil, err
	}
	args := append(append([]string{}, browser[1:]...), "--user-data-dir="+profile, "--no-first-run",
		"--no-default-browser-check", "--disable-background-networking", "--app="+link)
	cmd := exec.CommandContext(ctx, browser[0], args...)
	if err := cmd.Start(); err != nil {
		os.RemoveAll(profile)
		return nil, err
	}
	ended := make(chan struct{})
	go func() {
		err := cmd.Wait()
		close(ended)
		gone <- err
	}()
	return func() {
		cmd.Process.Signal(os.Interrupt)
		select {
		case <-ended:
		case <-time.After(3 * time.Second):
			cmd.Process.Kill()
			<-ended
		}
		for range 20 { // its helpers may write for a moment longer
			if os.RemoveAll(profile) == nil {
				return
			}
			time.Sleep(50 * time.Millisecond)
		}
	}, nil
}

// host answers the page.
type host struct {
	secret string
	order  order
	report func(record.Sample)
	answer chan told
	line   site.Line

	mu    sync.Mutex
	heard time.Time
	done  bool
}

// mostTold bounds what the page may send: an hour's frame times at 240 a second.
const mostTold = 64 << 20

func (h *host) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Cross-Origin-Opener-Policy", "same-origin")
	w.Header().Set("Cross-Origin-Embedder-Policy", "require-corp")
	w.Header().Set("Cache-Control", "no-store")
	if p, ok := strings.CutPrefix(r.URL.Path, "/probe/site/"); ok {
		h.sitePage(w, p)
		return
	}
	if name, page := strings.CutPrefix(r.URL.Path, "/probe/"); page {
		serve(w, name)
		return
	}
	// Another page on this machine can neither read this answer nor know the secret.
	if r.Header.Get("Authorization") != "Bearer "+h.secret {
		http.Error(w, "this page belongs to another plan; open the link that the agent shows", http.StatusUnauthorized)
		return
	}
	h.mu.Lock()
	h.heard = time.Now()
	done := h.done
	h.mu.Unlock()
	switch r.URL.Path {
	case "/order":
		if done {
			w.WriteHeader(http.StatusNoContent)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		json.NewEncoder(w).Encode(h.order)
	case "/told":
		var t told
		if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, mostTold)).Decode(&t); err != nil || t.ID != h.order.ID ||
			done {
			http.Error(w, "this run is not asked for any more", http.StatusConflict)
			return
		}
		if t.Sample != nil && h.report != nil {
			h.report(*t.Sample)
		}
		if t.Outcome != nil || t.Broken {
			h.mu.Lock()
			h.done = true
			h.mu.Unlock()
			if t.Outcome != nil {
				t.Outcome.Marks = t.Marks
			}
			h.answer <- t
		}
		w.WriteHeader(http.StatusNoContent)
	default:
		http.NotFound(w, r)
	}
}

// sitePage serves the site whose loading is timed.
func (h *host) sitePage(w http.ResponseWriter, p string) {
	f, over, visit, ok := site.Asked(p)
	if !ok {
		http.Error(w, "no such page", http.StatusNotFound)
		return
	}
	w.Header().Set("Content-Type", f.Kind)
	w.Header().Set("Cache-Control", "private, max-age=3600")
	h.line.Send(w, http.NewResponseController(w).Flush, f, over, visit)
}

// serve answers with a file of the probe.
func serve(w http.ResponseWriter, name string) {
	if name == "" {
		name = "index.html"
	}
	if t := mime.TypeByExtension(path.Ext(name)); t != "" {
		w.Header().Set("Content-Type", t)
	}
	if path.Ext(name) == ".wasm" {
		w.Header().Set("Content-Type", "application/wasm")
	}
	if b, err := fs.ReadFile(probe.Files(), name); err == nil {
		w.Write(b)
		return
	}
	f, err := probe.Files().Open(name + ".gz")
	if err != nil {
		http.Error(w, "no such page", http.StatusNotFound)
		return
	}
	defer f.Close()
	if z, err := gzip.NewReader(f); err == nil {
		io.Copy(w, z)
	}
}
