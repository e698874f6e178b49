package bench

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/internal/tab"
	"durvek/probe"
	"durvek/workload"
)

// bare is a page that does nothing but call the module: the reference that the probe's own workers are held against.
const bare = `<!doctype html><script src="/wasm_exec.js"></script><script>
(async () => {
  const go = new Go()
  go.run((await WebAssembly.instantiateStreaming(fetch('/kernels.wasm'), go.importObject)).instance)
  window.rate = (kernel, part, ms) => { durvekKernels.prepare(kernel, part, 0); durvekKernels.slice(200); const [work, seconds] = durvekKernels.slice(ms); return work / seconds }
})()
</script>`

// ordered serves the probe as an agent does, and the bare page.
type ordered struct {
	orders  chan map[string]any
	current map[string]any
	answers chan record.Outcome
}

func (o *ordered) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch name := strings.TrimPrefix(r.URL.Path, "/"); {
	case name == "order":
		if o.current == nil {
			select {
			case o.current = <-o.orders:
			default:
				w.WriteHeader(http.StatusNoContent)
				return
			}
		}
		json.NewEncoder(w).Encode(o.current)
	case name == "told":
		var t struct {
			Outcome *record.Outcome
			Error   string
		}
		if json.NewDecoder(r.Body).Decode(&t) == nil && t.Outcome != nil {
			if t.Error != "" {
				panic(t.Error)
			}
			o.current = nil
			o.answers <- *t.Outcome
		}
		w.WriteHeader(http.StatusNoContent)
	case name == "bare":
		io.WriteString(w, bare)
	case name == "wasm_exec.js":
		root, _ := exec.Command("go", "env", "GOROOT").Output()
		http.ServeFile(w, r, filepath.Join(strings.TrimSpace(string(root)), "lib/wasm/wasm_exec.js"))
	case strings.HasSuffix(name, "kernels.wasm"):
		packed, err := fs.ReadFile(probe.Files(), "kernels.wasm.gz")
		if err == nil {
			z, _ := gzip.NewReader(bytes.NewReader(packed))
			w.Header().Set("Content-Type", "application/wasm")
			io.Copy(w, z)
		}
	default:
		http.StripPrefix("/probe", http.FileServerFS(probe.Files())).ServeHTTP(w, r)
	}
}

// BenchmarkProbe holds the probe's kernels against the same module in a bare page, pair by pair, and tells which share
// of a frame its harness takes.
func BenchmarkProbe(b *testing.B) {
	o := &ordered{orders: make(chan map[string]any, 1), answers: make(chan record.Outcome, 1)}
	server := httptest.NewServer(o)
	defer server.Close()
	browser, end, err := tab.Browser(map[string]any{"use-angle": "swiftshader", "enable-unsafe-swiftshader": true})
	must(b, err)
	defer end()
	page := func(path string) context.Context {
		ctx, quit := chromedp.NewContext(browser)
		b.Cleanup(quit)
		must(b, chromedp.Do(ctx, chromedp.Navigate(server.URL+path)))
		return ctx
	}
	reference := page("/bare")
	_, err = chromedp.Run(reference, chromedp.Poll[bool]("!!window.rate && !!window.durvekKernels",
		chromedp.WithPollingTimeout(20*time.Second)))
	must(b, err)
	page("/probe/#local=bench") // the last one stands in front
	id := 0
	make := func(test method.Test, options map[string]string) record.Outcome {
		id++
		o.orders <- map[string]any{"id": id, "test": test, "options": options, "seconds": 1}
		select {
		case out := <-o.answers:
			return out
		case <-time.After(2 * time.Minute):
			b.Fatalf("%s: no answer", test.Slug)
		}
		return record.Outcome{}
	}
	for _, k := range []struct{ slug, part, measure string }{{"hashing", "", "single"}, {"compression", "pack",
		"pack-single"}, {"route-search", "", "single"}, {"sonar-filtering", "", "single"}} {
		w, _ := workload.Find(k.slug)
		w.Test.Measures = w.Test.Measures[:1]
		var ratios, control []float64
		call := func() float64 {
			v, err := chromedp.Run(reference, chromedp.Evaluate[float64](fmt.Sprintf("rate(%q, %q, 1000)", k.slug, k.part)))
			must(b, err)
			return v
		}
		for range 7 {
			first := call()
			ours := make(w.Test, nil).Readings[0].Value
			second := call()
			ratios, control = append(ratios, ours/((first+second)/2)), append(control, second/first)
		}
		row("probe, "+k.slug+" ÷ bare page", fmt.Sprintf("%.3f", median(ratios)), "0.9", fmt.Sprintf("bare ÷ bare %.3f",
			median(control)))
	}
	w, _ := workload.Find("graphics-scene")
	out := make(w.Test, map[string]string{"size": "640x360", "quality": "low", "duration": "8 s"})
	row("probe, harness in a frame", strings.TrimSuffix(out.Negotiated["harness.share"], " of the frames' time"),
		"below 2 %", fmt.Sprintf("%d frames", len(out.Series[0].Values)))
}
