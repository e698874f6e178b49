package probe_test

import (
	"context"
	"flag"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"durvek/client"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/demo"
	"durvek/desk"
	_ "durvek/machine" // brings every workload into the table
	"durvek/probe"
	"durvek/service"
	"durvek/workload"
)

var (
	shots  = flag.String("shots", "", "folder to write pictures of the page into")
	update = flag.Bool("update", false, "write the scene's coarse pictures anew")
)

// bed is what all tests share: a browser with WebGL2 and WebGPU in software, and a service that speaks TLS.
var bed struct {
	browser context.Context
	server  string
	desk    *desk.Desk
	client  *client.Client
}

const phone = "petrel-8-256-a"

func TestMain(m *testing.M) {
	flag.Parse()
	os.Exit(run(m))
}

func run(m *testing.M) int {
	if _, err := probe.Files().Open("index.html"); err != nil {
		fmt.Fprintln(os.Stderr, "the probe is not built; `make probe` builds it")
		return 1
	}
	dir, err := os.MkdirTemp("", "durvek-probe-*")
	must(err)
	defer os.RemoveAll(dir)
	ctx, stop := context.WithCancel(context.Background())
	d, err := desk.Open(ctx, desk.Options{Dir: dir, Name: demo.DeskName, Tests: workload.Tests()})
	must(err)
	certificates, err := service.NewCertificates(filepath.Join(dir, "tls"), "", "", time.Now)
	must(err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(err)
	ended := make(chan error, 1)
	go func() {
		ended <- service.New(d, service.Options{Probe: probe.Files(), Certificates: certificates}).Serve(ctx, l)
	}()
	defer func() { stop(); <-ended; d.Close() }()
	token, err := d.LocalToken(ctx)
	must(err)
	bed.server, bed.desk = "http://"+l.Addr().String(), d
	bed.client = client.New(bed.server, token)
	must(demo.Catalogue(ctx, bed.client))

	options := []chromedp.ExecAllocatorOption{chromedp.ExecPath(chromium()), chromedp.NoSandbox, chromedp.NoFirstRun, chromedp.NoDefaultBrowserCheck, chromedp.Headless}
	for flag, value := range map[string]any{"enable-unsafe-webgpu": true, "use-webgpu-adapter": "swiftshader", "enable-features": "Vulkan", "use-angle": "swiftshader", "enable-unsafe-swiftshader": true,
		"disable-background-networking": true, "disable-component-update": true, "disable-sync": true, "ignore-certificate-errors": true, "host-resolver-rules": "MAP desk.test 127.0.0.1"} {
		options = append(options, chromedp.Flag(flag, value))
	}
	alloc, end := chromedp.NewExecAllocator(context.Background(), options...)
	defer end()
	browser, quit := chromedp.NewContext(alloc)
	defer quit()
	must(chromedp.Do(browser, chromedp.Navigate("about:blank")))
	bed.browser = browser
	return m.Run()
}

func must(err error) {
	if err != nil {
		panic(err)
	}
}

func chromium() string {
	for _, p := range []string{os.Getenv("CHROMIUM"), "/usr/bin/chromium", "/usr/bin/chromium-browser", "/usr/bin/google-chrome"} {
		if _, err := os.Stat(p); p != "" && err == nil {
			return p
		}
	}
	panic("Chromium is missing; `make test` installs it where it can")
}

// device is a page of its own, with storage of its own, that fails its test on any error in it.
type device struct {
	t   *testing.T
	ctx context.Context
}

func newDevice(t *testing.T) *device {
	t.Helper()
	ctx, end := chromedp.NewContext(bed.browser, chromedp.WithNewBrowserContext())
	ctx, cancel := context.WithTimeout(ctx, 100*time.Second)
	p := &device{t, ctx}
	var mu sync.Mutex
	var errors []string
	seen := chromedp.Console(ctx)
	go func() {
		for m, err := range seen {
			if err != nil {
				return
			}
			if m.IsException() || m.Type == "error" {
				mu.Lock()
				errors = append(errors, m.String())
				mu.Unlock()
			}
		}
	}()
	t.Cleanup(func() {
		cancel()
		end()
		mu.Lock()
		defer mu.Unlock()
		for _, e := range errors {
			if !strings.Contains(e, "ERR_") && !strings.Contains(e, "401") { // lost connections and refusals that a test asks for
				t.Errorf("the page reports: %s", e)
			}
		}
	})
	p.do(chromedp.EmulateViewport(412, 800))
	return p
}

func (p *device) do(steps ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	if err := chromedp.Do(p.ctx, steps...); err != nil {
		p.t.Fatal(err)
	}
}

func eval[T any](p *device, expression string) T {
	p.t.Helper()
	v, err := chromedp.Run(p.ctx, chromedp.Evaluate[T](expression))
	if err != nil {
		p.t.Fatalf("%s: %v", expression, err)
	}
	return v
}

func (p *device) until(expression string) {
	p.t.Helper()
	var err error
	for range 3 {
		_, err = chromedp.Run(p.ctx, chromedp.Poll[bool](expression, chromedp.WithPollingTimeout(60*time.Second), chromedp.WithPollingInterval(100*time.Millisecond)))
		if err == nil || !strings.Contains(err.Error(), "Cannot find context") {
			break
		}
	}
	if err != nil {
		text, _ := chromedp.Run(p.ctx, chromedp.Evaluate[string](`document.body.innerText.slice(0, 1500)`))
		p.t.Fatalf("never came to hold: %s (%v)\n%s", expression, err, text)
	}
}

func (p *device) says(text string) {
	p.t.Helper()
	p.until(fmt.Sprintf(`document.body.innerText.includes(%q)`, text))
}

func (p *device) press(text string) {
	p.t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll('button, a')].find(e => e.innerText.trim() === %q && !e.disabled)`, text)
	p.until("!!" + find)
	eval[bool](p, find+`.click() ?? true`)
}

func (p *device) shot(name string) {
	p.t.Helper()
	if *shots == "" {
		return
	}
	b, err := chromedp.Run(p.ctx, chromedp.CaptureScreenshot())
	if err == nil {
		err = os.WriteFile(filepath.Join(*shots, name+".png"), b, 0o644)
	}
	if err != nil {
		p.t.Fatal(err)
	}
}

// coded is what the service answers a plan's code with.
type coded struct{ Code, Link, QR, Note string }

// planned puts a plan on the bench for the phone and gives its code.
func planned(t *testing.T, p method.Plan, setups ...string) (method.Plan, coded) {
	t.Helper()
	if p.Unit == "" {
		p.Unit = phone
	}
	if p.Setup == "" {
		p.Setup = method.AsDelivered
	}
	made, err := client.Post[method.Plan](context.Background(), bed.client, "/api/plans", nil, map[string]any{"unit": p.Unit, "setup": p.Setup, "steps": p.Steps, "name": "Probe", "setups": setups})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		bed.client.Do(context.Background(), http.MethodPost, "/api/plans/"+made.ID+"/directives", nil, map[string]any{"do": "stop"}, nil)
		bed.desk.FinishPlan(context.Background(), made.ID) // so that the phone is free for the next test
	})
	c, err := client.Post[coded](context.Background(), bed.client, "/api/plans/"+made.ID+"/codes", nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	return made, c
}

// runs lists a plan's runs with all that came with them, the oldest first.
func runs(t *testing.T, plan string) []record.Run {
	t.Helper()
	list, err := client.Get[struct{ Runs []record.Run }](context.Background(), bed.client, "/api/runs", client.Query("plan", plan, "limit", "100"))
	if err != nil {
		t.Fatal(err)
	}
	var out []record.Run
	for i := len(list.Runs) - 1; i >= 0; i-- {
		x, err := client.Get[struct{ Run record.Run }](context.Background(), bed.client, "/api/runs/"+list.Runs[i].ID, nil)
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, x.Run)
	}
	return out
}

func steps(tests ...string) []method.PlanStep {
	var out []method.PlanStep
	for _, t := range tests {
		out = append(out, method.PlanStep{Test: t, Repeats: 1})
	}
	return out
}

// measured opens a link, starts, and waits until all is delivered.
func (p *device) measured(link string) {
	p.t.Helper()
	p.do(chromedp.Navigate(link))
	p.press("Start")
	p.says("runs are delivered")
}

// TestTheScenesPicturesAreWrittenDown fills empty entries of the scene's known pictures when it is run with -update.
func TestTheScenesPicturesAreWrittenDown(t *testing.T) {
	if !*update {
		t.Skip("run with -update")
	}
	const path = "page/scene.reference.ts"
	b, err := os.ReadFile(path)
	must(err)
	for _, quality := range []string{"low", "medium", "high"} {
		p := newDevice(t)
		seen := make(chan string, 1)
		messages := chromedp.Console(p.ctx)
		go func() {
			for m, err := range messages {
				if _, picture, ok := strings.Cut(m.String(), "coarse picture at "+quality+": "); ok && err == nil {
					seen <- strings.Trim(picture, "\"] \n")
				}
			}
		}()
		_, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "graphics-scene", Repeats: 1, Options: map[string]string{"quality": quality, "duration": "1 s"}}}})
		p.measured(c.Link)
		select {
		case picture := <-seen:
			b = []byte(strings.Replace(string(b), quality+": ''", quality+": '"+picture+"'", 1))
		case <-time.After(2 * time.Second):
			t.Logf("%s is as it was", quality)
		}
	}
	must(os.WriteFile(path, b, 0o644))
}

// natively has a simulated machine with an agent, so a native one, make a test on a unit.
func natively(t *testing.T, unit, test string) error {
	_, c := planned(t, method.Plan{Unit: unit, Steps: steps(test)})
	return demo.Simulate(context.Background(), bed.client, c.Code, unit, 0, t.TempDir())
}
