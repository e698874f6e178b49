package browser_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"durvek/core/record"
	"durvek/internal/tab"
	"durvek/probe"
	"durvek/workload"
	_ "durvek/workload/browser"
)

func chromium(t *testing.T) []string {
	t.Helper()
	if tab.Chromium() == "" {
		t.Fatal("Chromium is missing; `make test` installs it where it can")
	}
	return []string{tab.Chromium(), "--headless=new", "--no-sandbox", "--use-angle=swiftshader",
		"--enable-unsafe-swiftshader"}
}

func find(t *testing.T, slug string) workload.Workload {
	t.Helper()
	w, ok := workload.Find(slug)
	if !ok {
		t.Fatalf("no test %q", slug)
	}
	if _, err := probe.Files().Open("index.html"); err != nil {
		t.Fatal("the probe is not built; `make probe` builds it")
	}
	return w
}

func TestTheMachinesOwnBrowserMakesARun(t *testing.T) {
	if testing.Short() {
		t.Skip("it needs a browser")
	}
	var mu sync.Mutex
	var phases []string
	ctx, stop := context.WithTimeout(t.Context(), 90*time.Second)
	defer stop()
	out, err := find(t, "graphics-arithmetic").Execute(ctx, workload.Env{Token: "a plan's", Seconds: 2,
		Browser: chromium(t), Report: func(s record.Sample) {
			mu.Lock()
			defer mu.Unlock()
			phases = append(phases, s.Phase)
		}})
	if err != nil {
		t.Fatal(err)
	}
	if len(out.Readings) != 1 || out.Readings[0].Measure != "f32" || out.Readings[0].Value <= 0 ||
		out.Observed["graphics.renderer"] != "software" || !strings.HasPrefix(out.Observed["runtime"], "in browser, ") {
		t.Errorf("%+v %v", out.Readings, out.Observed)
	}
	mu.Lock()
	defer mu.Unlock()
	if !strings.Contains(strings.Join(phases, " "), "f32") {
		t.Errorf("phases: %v", phases)
	}
}

func TestABrowserThatEndsIsACrashAndOneThatIsNoneIsSaid(t *testing.T) {
	w := find(t, "graphics-fill")
	if _, err := w.Execute(t.Context(), workload.Env{Token: "x", Browser: []string{"/nowhere/browser"}}); !errors.Is(err,
		record.ErrNotRun) || !strings.Contains(err.Error(), "start the browser") {
		t.Errorf("no such browser: %v", err)
	}
	if _, err := w.Execute(t.Context(), workload.Env{Token: "x", Browser: []string{"true"}}); !errors.Is(err,
		record.ErrCrashed) || !strings.Contains(err.Error(), "ended in mid-run") {
		t.Errorf("a browser that ends: %v", err)
	}
}

// TestAPageThatIsOpenedByHand speaks as the page does: it finds the link in what people are told.
func TestAPageThatIsOpenedByHand(t *testing.T) {
	if testing.Short() {
		t.Skip("it needs a browser")
	}
	link := make(chan string, 100)
	ended := make(chan error, 1)
	var out record.Outcome
	begin := func(ctx context.Context) {
		go func() {
			o, err := find(t, "screen-facts").Execute(ctx, workload.Env{Token: "a plan's", Report: func(s record.Sample) {
				if at := strings.Index(s.Phase, "http://"); at >= 0 {
					select {
					case link <- strings.Fields(s.Phase[at:])[0]:
					default:
					}
				}
			}})
			out = o
			ended <- err
		}()
	}
	begin(t.Context())
	base, secret, ok := strings.Cut(<-link, "/probe/#local=")
	if !ok || !strings.HasPrefix(base, "http://127.0.0.1:") {
		t.Fatalf("the link is %s", base)
	}
	ask := func(path, secret string, body any) (int, string) {
		t.Helper()
		b, _ := json.Marshal(body)
		req, err := http.NewRequest(map[bool]string{true: http.MethodGet, false: http.MethodPost}[body == nil], base+path,
			bytes.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+secret)
		r, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		text, _ := io.ReadAll(r.Body)
		return r.StatusCode, string(text)
	}
	if status, text := ask("/order", "guessed", nil); status != http.StatusUnauthorized || strings.Contains(text,
		"screen-facts") {
		t.Errorf("a stranger is answered %d %s", status, text)
	}
	if status, text := ask("/probe/", "", nil); status != http.StatusOK || !strings.Contains(text, "<!doctype html>") {
		t.Errorf("the page: %d %s", status, text)
	}
	if status, wasm := ask("/probe/kernels.wasm", "", nil); status != http.StatusOK || !strings.HasPrefix(wasm,
		"\x00asm") {
		t.Errorf("the kernels: %d, %d bytes", status, len(wasm))
	}
	if status, _ := ask("/probe/nothing.js", "", nil); status != http.StatusNotFound {
		t.Errorf("a file that is none: %d", status)
	}
	status, text := ask("/order", secret, nil)
	var order struct {
		ID   int
		Test struct{ Slug string }
	}
	if err := json.Unmarshal([]byte(text), &order); err != nil || status != http.StatusOK ||
		order.Test.Slug != "screen-facts" {
		t.Fatalf("%d %s", status, text)
	}
	if status, _ := ask("/told", secret, map[string]any{"id": order.ID + 1,
		"outcome": record.Outcome{}}); status != http.StatusConflict {
		t.Errorf("the outcome of another order was taken: %d", status)
	}
	ask("/told", secret, map[string]any{"id": order.ID,
		"outcome": record.Outcome{Readings: []record.Reading{{Measure: "refresh", State: record.OK, Value: 60}}}})
	if err := <-ended; err != nil || len(out.Readings) != 1 {
		t.Errorf("%v %v", out, err)
	}

	// What a hidden page measured counts for nothing: the run is made anew. The open page finds the next order by itself.
	begin(t.Context())
	for again := "http://"; ; {
		again = <-link
		if strings.HasPrefix(again, base) {
			break
		}
		t.Fatalf("the next run is at %s", again)
	}
	_, text = ask("/order", secret, nil)
	json.Unmarshal([]byte(text), &order)
	ask("/told", secret, map[string]any{"id": order.ID, "broken": true, "error": "the page was hidden"})
	if err := <-ended; !errors.Is(err, record.ErrCrashed) || !strings.Contains(err.Error(), "hidden") {
		t.Errorf("%v", err)
	}
	begin(t.Context())
	<-link
	_, text = ask("/order", secret, nil)
	json.Unmarshal([]byte(text), &order)
	ask("/told", secret, map[string]any{"id": order.ID, "outcome": record.Outcome{}, "error": "this browser has no WebGL2",
		"not_run": true})
	if err := <-ended; !errors.Is(err, record.ErrNotRun) {
		t.Errorf("%v", err)
	}
	ctx, stop := context.WithCancel(t.Context())
	begin(ctx)
	<-link
	stop()
	if err := <-ended; !errors.Is(err, context.Canceled) {
		t.Errorf("%v", err)
	}
}
