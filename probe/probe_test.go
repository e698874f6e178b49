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
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"durvek/client"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/demo"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/internal/tab"
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
	desk    *house.House
	client  *client.Client
}

const phone = "petrel-8-256-a"

func TestMain(m *testing.M) {
	flag.Parse()
	if testing.Short() { // every test here needs a browser
		return
	}
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
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: dir, Name: demo.DeskName}, Tests: workload.Tests()})
	must(err)
	certificates, err := service.NewCertificates(service.CertificateOptions{Dir: filepath.Join(dir, "tls"),
		Names: []string{"desk.test"}, Now: time.Now})
	must(err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(err)
	ended := make(chan error, 1)
	go func() {
		ended <- service.New(d, service.Options{Probe: probe.Files(), Certificates: certificates,
			Hosts: []string{"desk.test"}}).Serve(ctx, l)
	}()
	defer func() { stop(); <-ended; d.Close() }()
	token, err := d.Books.LocalToken(ctx)
	must(err)
	bed.server, bed.desk = "http://"+l.Addr().String(), d
	bed.client = client.New(bed.server, token)
	must(demo.Catalogue(ctx, bed.client))

	browser, quit, err := tab.Browser(map[string]any{"enable-unsafe-webgpu": true, "use-webgpu-adapter": "swiftshader",
		"enable-features": "Vulkan", "use-angle": "swiftshader", "enable-unsafe-swiftshader": true,
		"ignore-certificate-errors": true, "host-resolver-rules": "MAP desk.test 127.0.0.1"})
	must(err)
	defer quit()
	bed.browser = browser
	return m.Run()
}

func must(err error) {
	if err != nil {
		panic(err)
	}
}

// newDevice is a page of its own, with storage of its own. Lost connections and refusals are what tests ask for; one
// may forgive more.
func newDevice(t *testing.T, forgiven ...string) *device {
	t.Helper()
	d := &device{tab.New(t, bed.browser, 5*time.Minute, 412, 800, append(forgiven, "ERR_", "401")...)}
	d.Shots = *shots
	return d
}

type device struct{ *tab.Tab }

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
	body := map[string]any{"unit": p.Unit, "setup": p.Setup, "steps": p.Steps, "name": "Probe", "setups": setups}
	for k, v := range map[string]string{"after_failure": p.Failure, "on_departure": p.Departure} {
		if v != "" {
			body[k] = v
		}
	}
	made, err := client.Post[method.Plan](context.Background(), bed.client, "/api/plans", nil, body)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		bed.client.Do(context.Background(), http.MethodPost, "/api/plans/"+made.ID+"/directives", nil,
			map[string]any{"do": "stop"}, nil)
		bed.desk.Bench.FinishPlan(context.Background(), made.ID) // so that the phone is free for the next test
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
	list, err := client.Get[struct{ Runs []record.Run }](context.Background(), bed.client, "/api/runs",
		client.Query("plan", plan, "limit", "100"))
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
	p.T.Helper()
	p.Do(chromedp.Navigate(link))
	p.Press("Start")
	p.Says("runs are delivered")
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
		messages := chromedp.Console(p.Ctx)
		go func() {
			for m, err := range messages {
				if _, picture, ok := strings.Cut(m.String(), "coarse picture at "+quality+": "); ok && err == nil {
					seen <- strings.Trim(picture, "\"] \n")
				}
			}
		}()
		_, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "graphics-scene", Repeats: 1,
			Options: map[string]string{"quality": quality, "duration": "1 s"}}}})
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
