package web_test

import (
	"context"
	"flag"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"durvek/client"
	"durvek/demo"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/internal/demodesk"
	"durvek/internal/tab"
	_ "durvek/machine" // brings every workload into the table
	"durvek/service"
	"durvek/web"
	"durvek/workload"
)

var (
	patience = flag.Duration("patience", 3*time.Minute, "how long a page may take to come to hold")
	shots    = flag.String("shots", "", "folder to write pictures of every page into")
)

// bed is what all console tests share: a browser, and a service that holds the demo.
var bed struct {
	browser context.Context
	server  string
	desk    *house.House
	client  *client.Client
}

func TestMain(m *testing.M) {
	flag.Parse()
	if testing.Short() { // every test here needs a browser
		return
	}
	os.Exit(run(m))
}

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "durvek-console-*")
	must(err)
	defer os.RemoveAll(dir)
	ctx, stop := context.WithCancel(context.Background())
	must(demodesk.Into(ctx, dir))
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: dir, Name: demo.DeskName}, Tests: workload.Tests()})
	must(err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(err)
	ended := make(chan error, 1)
	go func() { ended <- service.New(d, service.Options{Console: web.Console()}).Serve(ctx, l) }()
	defer func() { stop(); <-ended; d.Close() }()
	token, err := d.Books.LocalToken(ctx)
	must(err)
	bed.server, bed.desk = "http://"+l.Addr().String(), d
	bed.client = client.New(bed.server, token)

	browser, quit, err := tab.Browser(map[string]any{"disable-gpu": true})
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

// page is a page of the console.
type page struct{ *tab.Tab }

// newTab opens a page; the refusals that it reports are those that a test asks for.
func newTab(t *testing.T, width, height int64) *page {
	t.Helper()
	return bare(t, width, height)
}

// bare is a page of whatever desk it is sent to.
func bare(t *testing.T, width, height int64, forgiven ...string) *page {
	t.Helper()
	p := &page{tab.New(t, bed.browser, 5*time.Minute, width, height, append(forgiven, "422", "409")...)}
	p.Shots, p.Patience = *shots, *patience
	return p
}

func signedIn(t *testing.T, width, height int64) *page {
	t.Helper()
	p := newTab(t, width, height)
	code, err := bed.desk.Books.SignInCode(context.Background(), "")
	if err != nil {
		t.Fatal(err)
	}
	p.Do(chromedp.Navigate(bed.server + "/sign-in?code=" + code))
	return p
}

func (p *page) open(path string) {
	p.T.Helper()
	p.Do(chromedp.Navigate(bed.server + path))
}

// closed waits until nothing lies over the page.
func (p *page) closed() {
	p.T.Helper()
	p.Until(`!document.querySelector('.v-overlay--active')`)
}

// input is the field with a label: in the dialog that was opened last, else on the page.
func input(label string) string {
	return fmt.Sprintf(`[...([...document.querySelectorAll('.v-overlay--active .v-card')].pop() ?? document).querySelectorAll('.v-input')].find(e => e.offsetParent !== null && e.querySelector('label')?.textContent.trim().startsWith(%q))`, label)
}

// fill types into the field with a label.
func (p *page) fill(label, value string) {
	p.T.Helper()
	find := input(label) + `?.querySelector('textarea:not([readonly]), input')`
	p.Until("!!" + find)
	tab.Eval[bool](p.Tab, find+`.focus() ?? true`)
	tab.Eval[bool](p.Tab, `document.activeElement.select?.() ?? true`)
	p.Do(chromedp.KeyEvent(value))
}

// choose picks an entry of the list that a field with a label opens.
func (p *page) choose(label, entry string) {
	p.T.Helper()
	p.Until("!!" + input(label))
	p.Until(`document.getAnimations().every(a => a.playState !== 'running')`) // dialogs move while they open
	box := tab.Eval[[]float64](p.Tab, `(() => { const f = `+input(label)+
		`.querySelector('.v-field'); f.scrollIntoView({block: 'center'}); const r = f.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })()`)
	p.Do(chromedp.MouseClickXY(box[0], box[1]))
	p.Until(`!!document.querySelector('.v-overlay--active .v-list')`)
	if tab.Eval[bool](p.Tab, `!!`+input(label)+`.querySelector('input:not([readonly])') && `+input(label)+
		`.classList.contains('v-autocomplete')`) {
		p.Do(chromedp.KeyEvent(entry))
	}
	item := fmt.Sprintf(`[...document.querySelectorAll('.v-overlay--active .v-list-item')].find(e => [e.querySelector('.v-list-item-title') ?? e, e.querySelector('.v-list-item-subtitle')].some(x => x?.innerText.trim() === %q))`, entry)
	p.Until("!!" + item)
	tab.Eval[bool](p.Tab, item+`.click() ?? true`)
}

// fits fails where a page scrolls sideways.
func (p *page) fits(where string) {
	p.T.Helper()
	w := tab.Eval[int](p.Tab, `document.documentElement.scrollWidth - document.documentElement.clientWidth`)
	if w > 0 {
		p.T.Errorf("%s scrolls sideways by %d px", where, w)
	}
}

// unseen are the pages without a picture: there are as many pictures as one looks at.
var unseen = strings.Fields("lost test run bench reviews catalogue rules partners tests incidents changed history " +
	"setups wall rigs desk area people api")

func TestEveryPageStandsWithoutErrorsAndSidewaysScrolling(t *testing.T) {
	for _, size := range [][2]int64{{1280, 800}, {390, 800}} {
		t.Run(fmt.Sprint(size[0]), func(t *testing.T) {
			t.Parallel() // each has a browser of its own to itself, and changes nothing
			p := signedIn(t, size[0], size[1])
			look := map[int64]string{1280: "light", 390: "dark"}[size[0]]
			tab.Eval[bool](p.Tab, fmt.Sprintf(`localStorage.setItem('look', %q) ?? true`, look))
			for i, page := range []struct{ path, says, name string }{
				{"/compare?measure=compression/pack-all&field=machines&subject=fen-14-16-512", "Selvane Fen 14", "compare"},
				{"/bench", "Measure by hand", "bench"},
				{"/bench/inspect/fen-14-16-512-a", "carries data alone", "inspection"},
				{"/results/doubts?rule=unit-slip&subject=relay-desk-32-1000-a", "near a factor of 8", "doubts"},
				{"/results/rules", "Single slow flushes", "rules"},
				{"/results/history?unit=relay-15-16-512-a&measure=small-files/create", "firmware 1.12, not 1.08", "history"},
				{"/results/changed?a=" + oneRun(t, "relay-15-16-512-a", "hashing") + "&b=" + oneRun(t, "relay-desk-32-1000-a",
					"hashing"), "Beside the figures", "changed"},
				{"/results/incidents", "on two of three hosts", "incidents"},
				{"/results/partners", "drops out under lasting writes", "partners"},
				{"/results/" + oneRun(t, "sound-16-32-1000-a", "video-encode-sustained"), "Held back by power limit", "trace"},
				{"/bench/tests", "Route search", "tests"},
				{"/bench/tests/hull-mesher", "Try it on a saved output", "test"},
				{"/results/" + oneRun(t, "sound-14-16-512-a", "memory-latency"), "working set", "run"},
				{"/catalogue", "Hythebrook Sound 16", "catalogue"},
				{"/catalogue/fen-14", "short", "model"},
				{"/results", "agent, simulated", "results"},
				{"/reviews", "quick exports", "reviews"},
				{"/reviews/fen-14", "Publish edition", "review"},
				{"/", "should part", "today"}, {"/bench/setups", "New condition", "setups"},
				{"/bench/wall", "Leave this view", "wall"}, {"/catalogue/rigs", "New rig", "rigs"},
				{"/desk", "Exchange rates", "desk"}, {"/compare/area", "What readers ask", "area"},
				{"/people", "Owner", "people"}, {"/nowhere/at/all", "No such page", "lost"},
				{"/desk/api", "For programs", "api"},
			} {
				p.open(page.path)
				p.Says(page.says)
				p.Until(`document.fonts.status === 'loaded'`)
				p.fits(page.path)
				p.Until(`document.title === document.querySelector('h1').innerText + ' · Durvek'`)
				if i%4 == map[string]int{"light": 0, "dark": 2}[look] { // every other page, in either
					p.accessible(page.path + ", " + look)
				}
				if size[0] == 1280 && !slices.Contains(unseen, page.name) {
					p.Shot("console-" + page.name)
				}
			}
		})
	}
}

func TestCompareShowsTheServicesOwnChartAndLinksItsState(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/compare?measure=survey-export/time&field=machines&subject=fen-14-16-512")
	p.Until(`document.querySelector('.chart svg title')?.textContent.includes('survey export')`)
	if !tab.Eval[bool](p.Tab, `document.querySelector('.chart svg').getAttribute('role') === 'img' && document.querySelector('.chart svg desc').textContent.includes('> 30 min')`) {
		t.Error("the chart has no role or an odd text alternative")
	}
	p.Says("program version 2.9, not 3.2")
	p.choose("Relative to", "The field’s mean")
	p.Until(`new URLSearchParams(location.search).get('relative') === 'mean'`)
	p.Until(`document.querySelector('.chart svg')?.textContent.includes("% of the field's mean")`)
	p.Press("Dark")
	p.Until(`document.querySelector('.chart svg path')?.getAttribute('fill') === '#0e1b23'`)
}

func TestWhatProgramsMayAskIsShownWithExamples(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/desk/api#post-/api/plans")
	// what the page's library draws lies in trees of its own
	const deep = `(function said(e) { return !e ? '' : (e.value ?? '') +
		[...e.childNodes].map(c => c.nodeType === 3 ? c.data : said(c)).join(' ') +
		(e.shadowRoot ? said(e.shadowRoot) : '') })(document.querySelector('rapi-doc'))`
	p.Until(deep + `.includes('Add a plan for a unit')`)
	p.Until(deep + `.includes('"after_failure": "go-on"')`)
}

// oneRun is the id of a run of a test on a unit.
func oneRun(t *testing.T, unit, test string) string {
	t.Helper()
	l, err := client.Get[struct{ Runs []struct{ ID string } }](context.Background(), bed.client, "/api/runs",
		client.Query("subject", unit, "test", test))
	if err != nil || len(l.Runs) == 0 {
		t.Fatalf("no run of %s on %s: %v", test, unit, err)
	}
	return l.Runs[0].ID
}

func TestACurveIsDrawnWithItsAxisAndSaidInWords(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/results/" + oneRun(t, "gannet-2000-a", "drive-fill"))
	p.Until(`document.querySelectorAll('.trace svg path').length > 2`)
	p.Until(`document.querySelector('.trace').getAttribute('aria-label').includes('200 points over bytes written, GB')`)
	p.Says("write cache")
	if !tab.Eval[bool](p.Tab, `[...document.querySelectorAll('.trace svg text')].some(t => t.textContent === 'bytes written, GB')`) {
		t.Error("the axis has no name")
	}
}

func TestTestsAreFoundExplainedAndTheirMappingTried(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/bench/tests")
	p.Says("of ")
	p.fill("Find", "hull")
	p.Until(`document.querySelectorAll('tbody tr').length === 1`)
	p.open("/bench/tests/route-search")
	p.Says("Memory latency and the larger caches")
	p.Says("Route search, scaling")
	p.open("/bench/tests/hull-mesher")
	p.Says("durvek command allow -- hull-mesher --size 40 --report mesh.json")
	p.fill("Seconds until it ended", "38.5")
	p.Press("Try")
	p.Says("there is nothing in it")
	p.fill("Content of mesh.json", `{"stages":[{},{"cells_per_second":61240.7}]}`)
	p.Press("Try")
	p.Says("61,241 /s")
	if n := runsOf(t, "fen-14-16-512-a", "hull-mesher"); n != 3 {
		t.Errorf("a trial left runs: %d", n)
	}
}

func TestAPlanTakesOptionsAndAnnouncesWhatItWrites(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/bench")
	p.Press("New plan")
	p.choose("Unit", "wrack-1000-a")
	p.choose("Host, for a part", "sound-16-32-1000-a")
	p.choose("Tests", "Filling the drive")
	p.fill("Filling the drive: how much is written at most", "lots")
	p.fill("Repeats", "1")
	p.fill("Name of the plan", "Fill it")
	p.Press("Put on the bench")
	p.Says("does not start with a number")
	p.fill("Filling the drive: how much is written at most", "30 GB")
	p.Press("Put on the bench")
	p.Says("writes at most 30 GB")
	p.Says("writes 30 GB")
}

func TestRunsOfAMachineAloneAreTakenIn(t *testing.T) {
	const file = `{"format":"durvek-runs/1","machine":{"name":"m","boot":"alone","system":"S"},"runs":[{"id":"0199a000-0000-7000-8000-00000000000a","test":"grid-solve","test_version":1,"repeat":0,
		"started":"2026-11-20T10:00:00Z","ended":"2026-11-20T10:00:03Z","outcome":"done","readings":[{"measure":"single","state":"ok","value":2.5}]}]}`
	path := filepath.Join(t.TempDir(), "runs.json")
	must(os.WriteFile(path, []byte(file), 0o644))
	before := runsOf(t, "relay-15-16-512-a", "grid-solve")
	p := signedIn(t, 1280, 800)
	p.open("/results")
	p.Press("Take in …")
	p.Press("Runs of a machine alone")
	p.Until(`!!document.querySelector('.v-overlay--active input[type=file]')`)
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`.v-overlay--active input[type=file]`), []string{path}))
	p.choose("Unit", "relay-15-16-512-a")
	p.Press("Take in")
	p.Says("1 new runs, 0 known already.")
	p.Press("Take in")
	p.Says("0 new runs, 1 known already.")
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
	p.Press("Take in …")
	p.Press("Frame times")
	p.Until(`!!document.querySelector('.v-overlay--active input[type=file]')`)
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`.v-overlay--active input[type=file]`), []string{path}))
	p.choose("Test", "Harbour flight")
	p.choose("Unit", "tern-mini-32-1000-a")
	p.Press("Take in")
	p.Says("say which column holds the frame times; there are frame, ms")
	p.fill("Column", "ms")
	p.fill("Conditions", "content=harbour replay; program.version=3.1")
	p.Press("Take in")
	p.Says("Recorded.")
	p.Press("Open the run")
	p.Says("50.00 frames/s")
	p.Says("1100 in 22.0 s, 0 stutters")
	if n := runsOf(t, "tern-mini-32-1000-a", "harbour-flight"); n != before+1 {
		t.Errorf("%d runs instead of %d", n, before+1)
	}
}

func TestReadingsAreEnteredByHand(t *testing.T) {
	before := runsOf(t, "relay-15-16-512-a", "screen-luminance")
	p := signedIn(t, 1280, 800)
	p.open("/results")
	p.Press("Enter readings")
	p.choose("Unit", "relay-15-16-512-a")
	p.choose("Test", "Screen luminance")
	p.fill("white", "three hundred")
	p.Press("Keep")
	p.Says("does not start with a number")
	if n := runsOf(t, "relay-15-16-512-a", "screen-luminance"); n != before {
		t.Fatalf("a refused reading left %d runs, there were %d", n, before)
	}
	p.fill("white", "298")
	p.Press("Keep")
	p.Says("Kept for Thrunby Relay 15, 16 GiB, 512 GB")
	if n := runsOf(t, "relay-15-16-512-a", "screen-luminance"); n != before+1 {
		t.Errorf("%d runs instead of %d", n, before+1)
	}
}

func runsOf(t *testing.T, unit, test string) int {
	t.Helper()
	l, err := client.Get[struct{ Total int }](context.Background(), bed.client, "/api/runs", client.Query("subject", unit,
		"test", test))
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
	p.Press("Take in …")
	p.Press("A table of readings")
	p.Until(`!!document.querySelector('input[type=file]')`)
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{bad}))
	p.Says(`no unit "no-such-a" is known`)
	if !tab.Eval[bool](p.Tab, `[...document.querySelectorAll('button')].find(b => b.innerText.trim() === 'Take in').disabled`) {
		t.Error("a table with refused rows can be taken in")
	}
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{good}))
	p.Says("1 new runs")
	p.Press("Take in")
	p.Says("Taken in.")
	if n := runsOf(t, "cuddy-8-256-a", "fan-noise"); n != before+1 {
		t.Errorf("%d runs instead of %d", n, before+1)
	}
}

func TestStrangersAreSentAway(t *testing.T) {
	resp, err := http.Get(bed.server + "/api/models")
	if err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	if resp.StatusCode != http.StatusUnauthorized || !strings.HasPrefix(resp.Header.Get("Content-Type"),
		"application/problem+json") {
		t.Errorf("status %d, %s", resp.StatusCode, resp.Header.Get("Content-Type"))
	}
	p := bare(t, 1280, 800, "401")
	p.open("/compare")
	p.Says("Or ask to be let in")
}

func TestADossierIsCheckedBeforeItIsTakenIn(t *testing.T) {
	good := "format: durvek-dossier/1\nmodel: {slug: probe-1, maker: Wexcombe, name: Probe, kind: phone}\nvariants:\n  " +
		"- {slug: probe-1-v, name: one}\n"
	dir := t.TempDir()
	bad, fine := filepath.Join(dir, "bad.yaml"), filepath.Join(dir, "fine.yaml")
	for path, content := range map[string]string{bad: strings.Replace(good, "phone", "A boat", 1) + "extra: 1\n",
		fine: good} {
		if err := os.WriteFile(path, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p := signedIn(t, 1280, 800)
	p.open("/catalogue")
	p.Press("Add a device")
	p.Press("From a dossier")
	p.Until(`!!document.querySelector('input[type=file]')`)
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{bad}))
	p.Says("so nothing was taken in")
	p.Says("line 2, column")
	p.Says("line 5, column")
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{fine}))
	p.Says("Nothing wrong: 1 variants")
	p.Press("Take in")
	p.Until(`location.pathname === '/catalogue/probe-1'`)
	p.Says("Wexcombe Probe")
	p.Says("No claim is noted.")
}

func TestTheCatalogueIsFoundByEveryNameAndByKind(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/catalogue")
	p.Says("Hythebrook Sound 16")
	p.fill("Find", "quay box") // the other name of the Tern Mini
	p.Until(`document.querySelectorAll('tbody tr').length === 1 && document.body.innerText.includes('Tamrisk Tern Mini')`)
	p.fill("Find", "sound")
	p.Until(`document.querySelectorAll('tbody tr').length === 3`)
	p.choose("Kind", "phone")
	p.Until(`document.querySelectorAll('tbody tr').length === 0`)
	p.open("/catalogue/sound-16")
	p.Says("Succeeds Hythebrook Sound 14, which succeeded Hythebrook Sound 12.")
}

func TestAComparisonIsAddedToAReviewAndShownAsATable(t *testing.T) {
	ctx := context.Background()
	if err := bed.client.Do(ctx, http.MethodPost, "/api/reviews", nil, map[string]any{"subject": "relay-15-16-512",
		"slug": "relay", "title": "Relay in short", "measures": []string{"hashing/all"}}, nil); err != nil {
		t.Fatal(err)
	}
	p := signedIn(t, 1280, 800)
	p.open("/compare?measure=weight/weight&field=laptops&subject=relay-15-16-512")
	p.Says("Relay 15")
	p.Press("Add to review")
	p.Press("Relay in short")
	p.Says("Added")
	r, err := client.Get[struct{ Charts []struct{ Measure string } }](ctx, bed.client, "/api/reviews/relay", nil)
	if err != nil || len(r.Charts) != 2 || r.Charts[1].Measure != "weight/weight" {
		t.Errorf("%v, %v", r.Charts, err)
	}
	tab.Eval[bool](p.Tab, `[...document.querySelectorAll('label')].find(l => l.innerText === 'Show as a table').click() ?? true`)
	p.Until(`document.querySelectorAll('table[aria-label="The chart’s figures"] tbody tr').length === document.querySelectorAll('.chart [data-row]').length`)
	p.Press("relay-15-16-512-a")
	p.Until(`new URLSearchParams(location.search).get('cell') === 'relay-15-16-512'`)
	p.Until(`document.querySelectorAll('table[aria-label="Runs behind the bar"] tbody a').length > 0`)
	p.open("/results?subject=relay-15-16-512-a")
	p.Says("relay-15-16-512-a")
	simulated := `[...document.querySelectorAll('tbody tr')].find(r => r.innerText.includes('simulated'))?.querySelector('a')`
	p.Until("!!" + simulated)
	tab.Eval[bool](p.Tab, simulated+`.click() ?? true`)
	p.Says("Observed")
	p.Says("A simulated machine.")
}
