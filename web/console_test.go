package web_test

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
	"durvek/demo"
	"durvek/desk"
	_ "durvek/machine" // brings every workload into the table
	"durvek/service"
	"durvek/web"
	"durvek/workload"
)

var shots = flag.String("shots", "", "folder to write pictures of every page into")

// bed is what all console tests share: a browser, and a service that holds the demo.
var bed struct {
	browser context.Context
	server  string
	desk    *desk.Desk
	client  *client.Client
}

func TestMain(m *testing.M) {
	flag.Parse()
	os.Exit(run(m))
}

func run(m *testing.M) int {
	if chromium() == "" {
		fmt.Fprintln(os.Stderr, "Chromium is missing; `make test` installs it where it can")
		return 1
	}
	dir, err := os.MkdirTemp("", "durvek-console-*")
	must(err)
	defer os.RemoveAll(dir)
	ctx, stop := context.WithCancel(context.Background())
	d, err := desk.Open(ctx, desk.Options{Dir: dir, Name: demo.DeskName, Tests: workload.Tests()})
	must(err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(err)
	ended := make(chan error, 1)
	go func() { ended <- service.New(d, service.Options{Console: web.Console()}).Serve(ctx, l) }()
	defer func() { stop(); <-ended; d.Close() }()
	token, err := d.LocalToken(ctx)
	must(err)
	bed.server, bed.desk = "http://"+l.Addr().String(), d
	bed.client = client.New(bed.server, token)
	must(demo.Fill(ctx, demo.Options{Client: bed.client, Dir: dir}))

	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(chromium()), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true))
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
	return ""
}

// tab is a signed-in page of its own that fails its test on any error in the page.
type tab struct {
	t   *testing.T
	ctx context.Context
}

func newTab(t *testing.T, width, height int64) *tab {
	t.Helper()
	ctx, end := chromedp.NewContext(bed.browser, chromedp.WithNewBrowserContext())
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	t.Cleanup(func() { cancel(); end() })
	p := &tab{t, ctx}
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
		mu.Lock()
		defer mu.Unlock()
		for _, e := range errors {
			if !strings.Contains(e, "422") && !strings.Contains(e, "409") { // refusals that a test asks for
				t.Errorf("the page reports: %s", e)
			}
		}
	})
	p.do(chromedp.EmulateViewport(width, height))
	return p
}

func signedIn(t *testing.T, width, height int64) *tab {
	t.Helper()
	p := newTab(t, width, height)
	code, err := bed.desk.SignInCode(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	p.do(chromedp.Navigate(bed.server + "/sign-in?code=" + code))
	return p
}

func (p *tab) do(steps ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	if err := chromedp.Do(p.ctx, steps...); err != nil {
		p.t.Fatal(err)
	}
}

func (p *tab) open(path string) {
	p.t.Helper()
	p.do(chromedp.Navigate(bed.server + path))
}

// eval gives the value of an expression in the page.
func eval[T any](p *tab, expression string) T {
	p.t.Helper()
	v, err := chromedp.Run(p.ctx, chromedp.Evaluate[T](expression))
	if err != nil {
		p.t.Fatalf("%s: %v", expression, err)
	}
	return v
}

// until waits for an expression to hold. A page that was being left when it was asked is asked again.
func (p *tab) until(expression string) {
	p.t.Helper()
	var err error
	for range 3 {
		_, err = chromedp.Run(p.ctx, chromedp.Poll[bool](expression, chromedp.WithPollingTimeout(20*time.Second)))
		if err == nil || !strings.Contains(err.Error(), "Cannot find context") {
			break
		}
	}
	if err != nil {
		text, _ := chromedp.Run(p.ctx, chromedp.Evaluate[string](`document.body.innerText.slice(0, 1500)`))
		p.t.Fatalf("never came to hold: %s (%v)\n%s", expression, err, text)
	}
}

// says waits for the page to show a text.
func (p *tab) says(text string) {
	p.t.Helper()
	p.until(fmt.Sprintf(`document.body.innerText.includes(%q)`, text))
}

// press clicks the button or link that bears a text.
func (p *tab) press(text string) {
	p.t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll('button, a, [role=tab], .v-list-item')].find(e => e.innerText.trim() === %q && !e.disabled && e.offsetParent !== null)`, text)
	p.until("!!" + find)
	eval[bool](p, find+`.click() ?? true`)
}

// input is the field with a label: in the dialog that is open, else on the page.
func input(label string) string {
	return fmt.Sprintf(`[...(document.querySelector('.v-overlay--active .v-card') ?? document).querySelectorAll('.v-input')].find(e => e.offsetParent !== null && e.querySelector('label')?.textContent.trim().startsWith(%q))`, label)
}

// fill types into the field with a label.
func (p *tab) fill(label, value string) {
	p.t.Helper()
	find := input(label) + `?.querySelector('textarea:not([readonly]), input')`
	p.until("!!" + find)
	eval[bool](p, find+`.focus() ?? true`)
	eval[bool](p, `document.activeElement.select?.() ?? true`)
	p.do(chromedp.KeyEvent(value))
}

// choose picks an entry of the list that a field with a label opens.
func (p *tab) choose(label, entry string) {
	p.t.Helper()
	p.until("!!" + input(label))
	p.until(`document.getAnimations().every(a => a.playState !== 'running')`) // dialogs move while they open
	box := eval[[]float64](p, `(() => { const f = `+input(label)+`.querySelector('.v-field'); f.scrollIntoView({block: 'center'}); const r = f.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })()`)
	p.do(chromedp.MouseClickXY(box[0], box[1]))
	p.until(`!!document.querySelector('.v-overlay--active .v-list')`)
	if eval[bool](p, `!!`+input(label)+`.querySelector('input:not([readonly])') && `+input(label)+`.classList.contains('v-autocomplete')`) {
		p.do(chromedp.KeyEvent(entry))
	}
	item := fmt.Sprintf(`[...document.querySelectorAll('.v-overlay--active .v-list-item')].find(e => (e.querySelector('.v-list-item-title') ?? e).innerText.trim() === %q)`, entry)
	p.until("!!" + item)
	eval[bool](p, item+`.click() ?? true`)
}

func (p *tab) shot(name string) {
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

func TestEveryPageStandsWithoutErrorsAndSidewaysScrolling(t *testing.T) {
	for _, size := range [][2]int64{{1280, 800}, {390, 800}} {
		p := signedIn(t, size[0], size[1])
		for _, page := range []struct{ path, says, name string }{
			{"/compare?measure=compression/pack-all&field=machines&subject=fen-14-16-512", "Selvane Fen 14", "compare"},
			{"/bench", "Figure, 95 %", "bench"},
			{"/bench/inspect/fen-14-16-512-a", "carries data alone", "inspection"},
			{"/results/incidents", "on two of three hosts", "incidents"},
			{"/results/partners", "drops out under lasting writes", "partners"},
			{"/results/" + oneRun(t, "sound-16-32-1000-a", "video-encode-sustained"), "Held back by power limit", "trace"},
			{"/bench/tests", "Route search", "tests"},
			{"/bench/tests/hull-mesher", "Try it on a saved output", "test"},
			{"/results/" + oneRun(t, "sound-14-16-512-a", "memory-latency"), "working set", "run"},
			{"/catalogue", "Hythebrook Sound 16", "catalogue"},
			{"/catalogue/fen-14", "Short of", "model"},
			{"/results", "agent, simulated", "results"},
			{"/reviews", "quick exports", "reviews"},
			{"/reviews/fen-14", "Publish edition", "review"},
			{"/nowhere/at/all", "No such page", "lost"},
		} {
			p.open(page.path)
			if page.name == "model" {
				page.says = "short"
			}
			p.says(page.says)
			p.until(`document.fonts.status === 'loaded'`)
			if w := eval[int](p, `document.documentElement.scrollWidth - document.documentElement.clientWidth`); w > 0 {
				t.Errorf("%s at %d px scrolls sideways by %d px", page.path, size[0], w)
			}
			if size[0] == 1280 && !strings.Contains("lost test run bench reviews catalogue", page.name) { // as many pictures as one looks at
				p.shot("console-" + page.name)
			}
		}
	}
}

func TestCompareShowsTheServicesOwnChartAndLinksItsState(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare?measure=survey-export/time&field=machines&subject=fen-14-16-512")
	p.until(`document.querySelector('.chart svg title')?.textContent.includes('survey export')`)
	if !eval[bool](p, `document.querySelector('.chart svg').getAttribute('role') === 'img' && document.querySelector('.chart svg desc').textContent.includes('> 1800')`) {
		t.Error("the chart has no role or an odd text alternative")
	}
	p.says("program version 2.9, not 3.2")
	p.choose("Relative to", "The field’s mean")
	p.until(`new URLSearchParams(location.search).get('relative') === 'mean'`)
	p.until(`document.querySelector('.chart svg')?.textContent.includes("% of the field's mean")`)
	p.press("Dark")
	p.until(`document.querySelector('.chart svg path')?.getAttribute('fill') === '#0e1b23'`)
}

func TestBenchShowsAPlanRunLive(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/bench")
	p.press("New plan")
	p.choose("Unit", "tern-mini-32-1000-a")
	p.choose("Tests", "Hashing")
	p.fill("Name of the plan", "Live test")
	p.press("Put on the bench")
	p.says("Waits for its machine")
	p.press("Join a machine")
	p.until(`!!document.querySelector('.code')?.innerText.match(/^[A-Z2-7]{4}-[A-Z2-7]{4}$/)`)
	code := eval[string](p, `document.querySelector('.code').innerText`)
	p.until(`(i => i?.complete && i.naturalWidth > 20 && i.alt.endsWith('/probe/#' + document.querySelector('.code').innerText))(document.querySelector('img[alt^="QR code of http"]'))`)
	p.says("listens on this computer alone")
	p.press("Close")
	worked := make(chan error, 1)
	ctx, cancel := context.WithCancel(context.Background())
	go func() { worked <- demo.Simulate(ctx, bed.client, code, "tern-mini-32-1000-a", 2, t.TempDir()) }()
	defer func() { cancel(); <-worked }()
	p.until(`document.querySelector('.spark path')?.getAttribute('d')?.length > 40`)
	p.says("left")
	p.says("1 of 5")
}

// oneRun is the id of a run of a test on a unit.
func oneRun(t *testing.T, unit, test string) string {
	t.Helper()
	l, err := client.Get[struct{ Runs []struct{ ID string } }](context.Background(), bed.client, "/api/runs", client.Query("subject", unit, "test", test))
	if err != nil || len(l.Runs) == 0 {
		t.Fatalf("no run of %s on %s: %v", test, unit, err)
	}
	return l.Runs[0].ID
}

func TestACurveIsDrawnWithItsAxisAndSaidInWords(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/results/" + oneRun(t, "gannet-2000-a", "drive-fill"))
	p.until(`document.querySelectorAll('.trace svg path').length > 2`)
	p.until(`document.querySelector('.trace').getAttribute('aria-label').includes('200 points over bytes written, GB')`)
	p.says("write cache")
	if !eval[bool](p, `[...document.querySelectorAll('.trace svg text')].some(t => t.textContent === 'bytes written, GB')`) {
		t.Error("the axis has no name")
	}
}

func TestTestsAreFoundExplainedAndTheirMappingTried(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/bench/tests")
	p.says("of ")
	p.fill("Find", "hull")
	p.until(`document.querySelectorAll('tbody tr').length === 1`)
	p.open("/bench/tests/route-search")
	p.says("Memory latency and the larger caches")
	p.says("Route search, scaling")
	p.open("/bench/tests/hull-mesher")
	p.says("durvek command allow -- hull-mesher --size 40 --report mesh.json")
	p.fill("Seconds until it ended", "38.5")
	p.press("Try")
	p.says("there is nothing in it")
	p.fill("Content of mesh.json", `{"stages":[{},{"cells_per_second":61240.7}]}`)
	p.press("Try")
	p.says("61,241 /s")
	if n := runsOf(t, "fen-14-16-512-a", "hull-mesher"); n != 3 {
		t.Errorf("a trial left runs: %d", n)
	}
}

func TestAPlanTakesOptionsAndAnnouncesWhatItWrites(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/bench")
	p.press("New plan")
	p.choose("Unit", "wrack-1000-a")
	p.choose("Host, for a part", "sound-16-32-1000-a")
	p.choose("Tests", "Filling the drive")
	p.fill("Filling the drive: how much is written at most", "lots")
	p.fill("Repeats", "1")
	p.fill("Name of the plan", "Fill it")
	p.press("Put on the bench")
	p.says("does not start with a number")
	p.fill("Filling the drive: how much is written at most", "30 GB")
	p.press("Put on the bench")
	p.says("writes at most 30 GB")
	p.says("writes 30 GB")
}

func TestRunsOfAMachineAloneAreTakenIn(t *testing.T) {
	const file = `{"format":"durvek-runs/1","machine":{"name":"m","boot":"alone","system":"S"},"runs":[{"id":"0199a000-0000-7000-8000-00000000000a","test":"grid-solve","test_version":1,"repeat":0,
		"started":"2026-11-20T10:00:00Z","ended":"2026-11-20T10:00:03Z","outcome":"done","readings":[{"measure":"single","state":"ok","value":2.5}]}]}`
	path := filepath.Join(t.TempDir(), "runs.json")
	must(os.WriteFile(path, []byte(file), 0o644))
	before := runsOf(t, "relay-15-16-512-a", "grid-solve")
	p := signedIn(t, 1280, 800)
	p.open("/results")
	p.press("Take in runs")
	p.until(`!!document.querySelector('.v-overlay--active input[type=file]')`)
	p.do(chromedp.SetUploadFiles(chromedp.CSS(`.v-overlay--active input[type=file]`), []string{path}))
	p.choose("Unit", "relay-15-16-512-a")
	p.press("Take in")
	p.says("1 new runs, 0 known already.")
	p.press("Take in")
	p.says("0 new runs, 1 known already.")
	if n := runsOf(t, "relay-15-16-512-a", "grid-solve"); n != before+1 {
		t.Errorf("%d runs instead of %d", n, before+1)
	}
}

func TestFrameTimesAreTakenIn(t *testing.T) {
	path := filepath.Join(t.TempDir(), "flight.csv")
	must(os.WriteFile(path, []byte("frame,ms\n"+strings.Repeat("1,20\n", 1100)), 0o644))
	before := runsOf(t, "tern-mini-32-1000-a", "harbour-flight")
	p := signedIn(t, 1280, 800)
	p.open("/results")
	p.press("Take in frame times")
	p.until(`!!document.querySelector('.v-overlay--active input[type=file]')`)
	p.do(chromedp.SetUploadFiles(chromedp.CSS(`.v-overlay--active input[type=file]`), []string{path}))
	p.choose("Test", "Harbour flight")
	p.choose("Unit", "tern-mini-32-1000-a")
	p.press("Take in")
	p.says("say which column holds the frame times; there are frame, ms")
	p.fill("Column", "ms")
	p.fill("Conditions", "content=harbour replay; program.version=3.1")
	p.press("Take in")
	p.says("Recorded.")
	p.press("Open the run")
	p.says("50.00 frames/s")
	p.says("1100 in 22.0 s, 0 stutters")
	if n := runsOf(t, "tern-mini-32-1000-a", "harbour-flight"); n != before+1 {
		t.Errorf("%d runs instead of %d", n, before+1)
	}
}

func TestReadingsAreEnteredByHand(t *testing.T) {
	before := runsOf(t, "relay-15-16-512-a", "screen-luminance")
	p := signedIn(t, 1280, 800)
	p.open("/results")
	p.press("Enter readings")
	p.choose("Unit", "relay-15-16-512-a")
	p.choose("Test", "Screen luminance")
	p.fill("white", "three hundred")
	p.press("Keep")
	p.says("does not start with a number")
	if n := runsOf(t, "relay-15-16-512-a", "screen-luminance"); n != before {
		t.Fatalf("a refused reading left %d runs, there were %d", n, before)
	}
	p.fill("white", "298")
	p.press("Keep")
	p.says("Kept for relay-15-16-512-a")
	if n := runsOf(t, "relay-15-16-512-a", "screen-luminance"); n != before+1 {
		t.Errorf("%d runs instead of %d", n, before+1)
	}
}

func runsOf(t *testing.T, unit, test string) int {
	t.Helper()
	l, err := client.Get[struct{ Total int }](context.Background(), bed.client, "/api/runs", client.Query("subject", unit, "test", test))
	if err != nil {
		t.Fatal(err)
	}
	return l.Total
}

func TestATableIsPreviewedAndTakenInWholeOrNotAtAll(t *testing.T) {
	dir := t.TempDir()
	write := func(name, content string) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
		return path
	}
	head := "unit,test,measure,value\n"
	bad := write("bad.csv", head+"cuddy-8-256-a,fan-noise,full-load,21.5\nno-such-a,fan-noise,full-load,20\n")
	good := write("good.csv", head+"cuddy-8-256-a,fan-noise,full-load,21.5\n")
	before := runsOf(t, "cuddy-8-256-a", "fan-noise")
	p := signedIn(t, 1280, 800)
	p.open("/results")
	p.press("Take in a table")
	p.until(`!!document.querySelector('input[type=file]')`)
	p.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{bad}))
	p.says(`no unit "no-such-a" is known`)
	if !eval[bool](p, `[...document.querySelectorAll('button')].find(b => b.innerText.trim() === 'Take in').disabled`) {
		t.Error("a table with refused rows can be taken in")
	}
	p.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{good}))
	p.says("1 new runs")
	p.press("Take in")
	p.says("Taken in.")
	if n := runsOf(t, "cuddy-8-256-a", "fan-noise"); n != before+1 {
		t.Errorf("%d runs instead of %d", n, before+1)
	}
}

func TestAReviewIsWrittenSignedAndPublished(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/reviews/tern-mini")
	p.says("Findings")
	p.fill("Summary", "Small, quiet and quick.")
	p.says("changes not saved yet")
	p.choose("Recommendation", "recommended")
	p.press("Save")
	p.says("draft")
	p.fill("Your name", "Odo Marram")
	p.press("Sign as it stands")
	p.says("signed by Odo Marram")
	p.press("Publish edition 1")
	p.until(`!!document.querySelector('a[href="/editions/tern-mini/1/"]')`)
	p.open("/editions/tern-mini/1/")
	p.says("Small, quiet and quick.")
	p.says("Signed by Odo Marram")
	if n := eval[int](p, `document.querySelectorAll('figure svg').length`); n < 5 {
		t.Errorf("the edition shows %d charts", n)
	}
	p.open("/editions/fen-14/1/")
	p.says("What the maker claims")
	p.shot("edition")
}

func TestStrangersAreSentAway(t *testing.T) {
	resp, err := http.Get(bed.server + "/api/models")
	if err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	if resp.StatusCode != http.StatusUnauthorized || !strings.HasPrefix(resp.Header.Get("Content-Type"), "application/problem+json") {
		t.Errorf("status %d, %s", resp.StatusCode, resp.Header.Get("Content-Type"))
	}
	ctx, end := chromedp.NewContext(bed.browser, chromedp.WithNewBrowserContext())
	defer end()
	p := &tab{t, ctx}
	p.open("/compare")
	p.says("sign in first")
}

func TestADossierIsCheckedBeforeItIsTakenIn(t *testing.T) {
	good := "format: durvek-dossier/1\nmodel: {slug: probe-1, maker: Wexcombe, name: Probe, kind: phone}\nvariants:\n  - {slug: probe-1-v, name: one}\n"
	dir := t.TempDir()
	bad, fine := filepath.Join(dir, "bad.yaml"), filepath.Join(dir, "fine.yaml")
	for path, content := range map[string]string{bad: strings.Replace(good, "phone", "boat", 1) + "extra: 1\n", fine: good} {
		if err := os.WriteFile(path, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p := signedIn(t, 1280, 800)
	p.open("/catalogue")
	p.press("Take in a dossier")
	p.until(`!!document.querySelector('input[type=file]')`)
	p.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{bad}))
	p.says("so nothing was taken in")
	p.says("line 2, column")
	p.says("line 5, column")
	p.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{fine}))
	p.says("Nothing wrong: 1 variants")
	p.press("Take in")
	p.until(`location.pathname === '/catalogue/probe-1'`)
	p.says("Wexcombe Probe")
	p.says("No claim is noted.")
}

func TestTheCatalogueIsFoundByEveryNameAndByKind(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/catalogue")
	p.says("Hythebrook Sound 16")
	p.fill("Find", "quay box") // the other name of the Tern Mini
	p.until(`document.querySelectorAll('tbody tr').length === 1 && document.body.innerText.includes('Tamrisk Tern Mini')`)
	p.fill("Find", "sound")
	p.until(`document.querySelectorAll('tbody tr').length === 3`)
	p.choose("Kind", "phone")
	p.until(`document.querySelectorAll('tbody tr').length === 0`)
	p.open("/catalogue/sound-16")
	p.says("Succeeds Hythebrook Sound 14, which succeeded Hythebrook Sound 12.")
}

func TestAChangeFromAnOldPageIsRefusedAndStaysOnThePage(t *testing.T) {
	ctx := context.Background()
	if err := bed.client.Do(ctx, http.MethodPost, "/api/reviews", nil, map[string]any{"subject": "pilot-13-16-512", "slug": "pilot"}, nil); err != nil {
		t.Fatal(err)
	}
	p := signedIn(t, 1280, 800)
	p.open("/reviews/pilot")
	p.fill("Summary", "Typed on an old page.")
	p.says("changes not saved yet")
	r, err := client.Get[map[string]any](ctx, bed.client, "/api/reviews/pilot", nil)
	if err != nil {
		t.Fatal(err)
	}
	r["summary"] = "Saved meanwhile by somebody else."
	if err := bed.client.Do(ctx, http.MethodPut, "/api/reviews/pilot", nil, r, nil); err != nil {
		t.Fatal(err)
	}
	p.press("Save")
	p.says("was changed meanwhile")
	if got := eval[string](p, `[...document.querySelectorAll('textarea')].map(t => t.value).join('|')`); !strings.Contains(got, "Typed on an old page.") {
		t.Errorf("what was typed is gone: %s", got)
	}
	now, err := client.Get[map[string]any](ctx, bed.client, "/api/reviews/pilot", nil)
	if err != nil || now["summary"] != "Saved meanwhile by somebody else." {
		t.Errorf("the other change was overwritten: %v, %v", now["summary"], err)
	}
}

func TestAComparisonIsAddedToAReviewAndShownAsATable(t *testing.T) {
	ctx := context.Background()
	if err := bed.client.Do(ctx, http.MethodPost, "/api/reviews", nil, map[string]any{"subject": "relay-15-16-512", "slug": "relay", "title": "Relay in short", "measures": []string{"hashing/all"}}, nil); err != nil {
		t.Fatal(err)
	}
	p := signedIn(t, 1280, 800)
	p.open("/compare?measure=weight/weight&field=laptops&subject=relay-15-16-512")
	p.says("Relay 15")
	p.press("Add to review")
	p.press("Relay in short")
	p.says("Added")
	r, err := client.Get[struct{ Measures []string }](ctx, bed.client, "/api/reviews/relay", nil)
	if err != nil || len(r.Measures) != 2 || r.Measures[1] != "weight/weight" {
		t.Errorf("%v, %v", r.Measures, err)
	}
	eval[bool](p, `[...document.querySelectorAll('label')].find(l => l.innerText === 'Show as a table').click() ?? true`)
	p.until(`document.querySelectorAll('table[aria-label="The chart’s figures"] tbody tr').length === 8`)
	p.press("relay-15-16-512-a")
	p.until(`location.pathname === '/results' && new URLSearchParams(location.search).get('subject') === 'relay-15-16-512-a'`)
	p.says("relay-15-16-512-a")
	simulated := `[...document.querySelectorAll('tbody tr')].find(r => r.innerText.includes('simulated'))?.querySelector('a')`
	p.until("!!" + simulated)
	eval[bool](p, simulated+`.click() ?? true`)
	p.says("Observed")
	p.says("A simulated machine.")
}

func TestTheKeyboardReachesEveryPageAndFocusShows(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/catalogue")
	p.says("Hythebrook Sound 16")
	for _, want := range []string{"Bench", "Catalogue", "Results", "Compare", "Reviews"} {
		p.do(chromedp.KeyEvent("\t"))
		if got := eval[string](p, `document.activeElement.innerText`); got != want {
			t.Errorf("the focus is on %q, want %q", got, want)
		}
		if style := eval[string](p, `getComputedStyle(document.activeElement).outlineStyle`); style != "solid" {
			t.Errorf("the focus on %s does not show: outline %s", want, style)
		}
	}
	p.do(chromedp.KeyEvent("\r"))
	p.until(`location.pathname === '/reviews'`)
}
