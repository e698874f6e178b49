package probe_test

import (
	"context"
	"fmt"
	"io/fs"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"durvek/client"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/internal/tab"
	"durvek/probe"
)

// figures gives a run's ok readings by measure, after making sure that it is done.
func figures(t *testing.T, r record.Run) map[string]float64 {
	t.Helper()
	if r.Outcome != "done" {
		t.Fatalf("%s: %s, %s", r.Test, r.Outcome, r.Failure)
	}
	out := map[string]float64{}
	for _, x := range r.Readings {
		if x.State == record.OK || x.State == record.AtCeiling {
			out[x.Measure] = x.Value
		}
	}
	return out
}

func TestTheFirstLoadIsSmall(t *testing.T) {
	total := int64(0)
	err := fs.WalkDir(probe.Files(), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || path != "index.html" && !strings.HasSuffix(path, ".woff2") &&
			!(strings.HasPrefix(path, "assets/index") && strings.HasSuffix(path, ".gz")) {
			return err
		}
		info, err := d.Info()
		total += info.Size()
		return err
	})
	if err != nil || total == 0 || total > 60<<10 {
		t.Errorf("the first screen loads %d bytes (%v); it may load 60 KiB", total, err)
	}
}

func TestWebGL2IsReallyDrawnAndChecked(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: steps("graphics-fill", "graphics-texture", "graphics-geometry",
		"graphics-arithmetic")})
	p.measured(c.Link)
	p.Shot("done")
	got := runs(t, plan.ID)
	if len(got) != 4 {
		t.Fatalf("%d runs arrived", len(got))
	}
	for i, want := range [][]string{{"blended", "opaque"}, {"near", "scattered"}, {"triangles"}, {"f32"}} {
		r := got[i]
		v := figures(t, r)
		for _, m := range want {
			if !(v[m] > 0) {
				t.Errorf("%s/%s: %v", r.Test, m, r.Readings)
			}
		}
		if len(r.Series) != len(want) || len(r.Series[0].Values) == 0 {
			t.Errorf("%s brings the series %v", r.Test, r.Series)
		}
		o := r.Observed
		if o["graphics.renderer"] != "software" || o["graphics.chip"] == "" || o["option.chip"] != "fast" ||
			!strings.HasPrefix(o["runtime"], "in browser, Chromium ") || !strings.Contains(o["runtime"], ", go1.") {
			t.Errorf("%s observed %v", r.Test, o)
		}
		if r.Source != "agent" || r.Subject != phone || r.Negotiated["graphics.named"] == "" {
			t.Errorf("%+v", r)
		}
	}
	page, err := client.Get[record.BenchPlan](context.Background(), bed.client, "/api/plans/"+plan.ID, nil)
	if err != nil || page.Plan.State != "done" || page.Plan.Agent == "" {
		t.Errorf("the bench shows %+v, %v", page.Plan, err)
	}
}

func TestWebGPUIsReallyComputedAndChecked(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: steps("webgpu-fill", "webgpu-texture", "webgpu-geometry", "webgpu-arithmetic",
		"webgpu-compute")})
	p.measured(c.Link)
	got := runs(t, plan.ID)
	for i, want := range [][]string{{"blended", "opaque"}, {"near", "scattered"}, {"triangles"}, {"f32"},
		{"grid", "reduction", "inference-f32"}} {
		v := figures(t, got[i])
		for _, m := range want {
			if !(v[m] > 0) {
				t.Errorf("%s/%s: %v", got[i].Test, m, got[i].Readings)
			}
		}
	}
	for _, r := range got[3].Readings { // the software device offers no 16 bits, and says so
		if r.Measure == "f16" && (r.State != record.Missing || !strings.Contains(r.Reason, "16-bit")) {
			t.Errorf("%+v", r)
		}
	}
}

func TestAWrongPictureFailsTheRunAndIsNoFigure(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: steps("graphics-arithmetic")})
	p.Do(chromedp.Navigate(c.Link))
	p.Says("Start")
	tab.Eval[bool](p.Tab, `(() => { const read = WebGL2RenderingContext.prototype.readPixels; WebGL2RenderingContext.prototype.readPixels = function (...a) { read.apply(this, a); for (let i = 0; i < a[6].length; i += 4) a[6][i] ^= 16 }; return true })()`)
	p.Press("Start")
	p.Says("runs are delivered")
	r := runs(t, plan.ID)[0]
	if r.Outcome != "failed" || !strings.Contains(r.Failure, "computed wrongly: pixel") || len(r.Readings) != 0 {
		t.Errorf("%s %q %v", r.Outcome, r.Failure, r.Readings)
	}
}

func TestTheSceneYieldsFrameTimesAndTheSizeThatIsHeld(t *testing.T) {
	p := newDevice(t)
	small := map[string]string{"size": "640x360", "quality": "low", "duration": "3 s"}
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "graphics-scene", Repeats: 1, Options: small},
		{Test: "graphics-hold", Repeats: 1, Options: map[string]string{"quality": "low", "duration": "1 s"}},
		{Test: "graphics-scene-sustained", Repeats: 1, Options: map[string]string{"size": "640x360", "quality": "low",
			"duration": "4 s"}}, {Test: "screen-facts", Repeats: 1}}})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.Until(`!!document.querySelector('#stage .over')?.innerText.includes('frames/s')`)
	p.Shot("scene")
	p.Says("runs are delivered")
	got := runs(t, plan.ID)
	v := figures(t, got[0])
	i := slices.IndexFunc(got[0].Series, func(s record.Series) bool { return s.Channel == "frame" })
	if i < 0 || v["mean"] <= 0 || v["low"] != 0 { // a few seconds have no slow frames' figures
		t.Fatalf("%v %v", got[0].Readings, got[0].Negotiated)
	}
	frames := got[0].Series[i]
	sum := 0.0
	for _, x := range frames.Values {
		sum += x / 1000
	}
	if rate := float64(len(frames.Values)) / sum; rate/v["mean"] > 1.0001 || rate/v["mean"] < 0.9999 {
		t.Errorf("%d frames in %.2f s, and a mean rate of %.2f", len(frames.Values), sum, v["mean"])
	}
	if got[0].Observed["option.size"] != "640x360" || got[0].Negotiated["harness.share"] == "" ||
		got[0].Negotiated["frames.few"] == "" {
		t.Errorf("%v %v", got[0].Observed, got[0].Negotiated)
	}
	figures(t, got[1])
	for _, r := range got[1].Readings {
		if r.State == record.Missing && !strings.Contains(r.Reason, "holds") && !strings.Contains(r.Reason, "shows") {
			t.Errorf("size held: %+v", r)
		}
	}
	if v := figures(t, got[2]); len(got[2].Series) != 1 || len(got[2].Series[0].Values) == 0 ||
		len(got[2].Series[0].Values) >= stats.LeastCourse && !(v["burst"] > 0) {
		t.Errorf("under lasting load: %v %v", got[2].Readings, got[2].Series)
	}
	if v := figures(t, got[3]); v["refresh"] < 5 || v["width"] < 300 || got[3].Negotiated["screen.gamut"] == "" {
		t.Errorf("screen: %v %v", got[3].Readings, got[3].Negotiated)
	}
}

func TestTheKernelsRunInWorkersAndAreNeverHeldAgainstNativeRuns(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "hashing", Repeats: 1}, {Test: "compression-scaling",
		Repeats: 1}, {Test: "route-search-sustained", Repeats: 1, Options: map[string]string{"duration": "4 s"}},
		{Test: "hashing-cores", Repeats: 1}}})
	p.Do(chromedp.Navigate(c.Link))
	p.Says("1 test left out here")
	p.Shot("ready")
	p.Press("Start")
	p.Until(`/MiB\/s/.test(document.querySelector('.rate')?.innerText)`)
	p.Shot("working")
	p.Says("runs are delivered")
	got := runs(t, plan.ID)
	if v := figures(t, got[0]); !(v["single"] > 0 && v["all"] > 0) {
		t.Errorf("%v", got[0].Readings)
	}
	if s := got[1].Series[0]; figures(t, got[1])["speed-up"] <= 0 || s.Axis != "threads" || s.Unit != "MiBy/s" {
		t.Errorf("%+v %v", s, got[1].Readings)
	}
	if v := figures(t, got[2]); !(v["burst"] > 0) {
		t.Errorf("%v", got[2].Readings)
	}
	if got[3].Outcome != "not-run" || !strings.Contains(got[3].Failure, "needs the agent") {
		t.Errorf("core by core in a browser: %s, %s", got[3].Outcome, got[3].Failure)
	}

	// A native run of another phone: comparability alone keeps the two apart.
	must(natively(t, "inlet-6-128-a", "hashing"))
	for subject, other := range map[string]string{"petrel-8-256": "inlet-6-128", "inlet-6-128": "petrel-8-256"} {
		out, err := client.Get[compare.Comparison](context.Background(), bed.client, "/api/ranking", client.Query("measure",
			"hashing/all", "field", "foredeck", "subject", subject))
		if err != nil || len(out.Rows) != 1 || out.Rows[0].Variant != subject || len(out.LeftOut) == 0 ||
			!slices.ContainsFunc(out.LeftOut, func(l compare.LeftOut) bool {
				return l.Variant == other &&
					strings.Contains(l.Reason, "runtime")
			}) {
			t.Errorf("%s: %v, left out %v, %v", subject, out.Rows, out.LeftOut, err)
		}
	}
}

func TestScreenTouchStorageAndNetwork(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: steps("browser-storage", "browser-network", "touch-response")})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.Says("Tap anywhere")
	p.Shot("touch")
	for i := 0; tab.Eval[bool](p.Tab,
		`!document.getElementById('stage').hidden && !/circles/.test(document.getElementById('stage').innerText)`) &&
		i < 60; i++ {
		p.Do(chromedp.MouseClickXY(200, 300+float64(i)))
		p.Do(chromedp.Sleep(60 * time.Millisecond))
	}
	for i := 0; i < 200 && tab.Eval[bool](p.Tab, `!document.getElementById('stage').hidden`); i++ {
		p.Do(chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, 200+float64(i%50), 300))
	}
	p.Says("runs are delivered")
	got := runs(t, plan.ID)
	if v := figures(t, got[0]); !(v["write"] > 0 && v["read"] > 0 && v["scattered"] > 0) ||
		got[0].Observed["drive.cache"] != "in use" {
		t.Errorf("%v", got[0].Readings)
	}
	if v := figures(t, got[1]); !(v["down"] > 0 && v["up"] > 0 && v["median"] > 0 && v["latency-90"] >= v["median"]) {
		t.Errorf("%v", got[1].Readings)
	}
	if v := figures(t, got[2]); !(v["median"] > 0 && v["median"] < 2000 && v["slow"] >= v["median"]) {
		t.Errorf("%v", got[2].Readings)
	}
}

// waitFor waits for something to hold, two minutes at most.
func waitFor(t *testing.T, holds func() bool) {
	t.Helper()
	for end := time.Now().Add(2 * time.Minute); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if holds() {
			return
		}
	}
	t.Fatal("it never came to hold")
}

// tell sends the browser a command of its own protocol.
func tell[P, R any](p *device, c cdp.Command[P, R], params P) {
	p.T.Helper()
	if _, err := chromedp.Call(p.Ctx, c, params); err != nil {
		p.T.Fatal(err)
	}
}

// begun waits until a run of a plan's step is under way.
func (p *device) begun(name string) {
	p.T.Helper()
	p.Until(fmt.Sprintf(`document.querySelector('h1')?.innerText === %q && document.querySelector('.rate')?.innerText.trim() !== ''`, name))
}

func incidents(t *testing.T, plan string) []record.Incident {
	t.Helper()
	b, err := client.Get[record.BenchPlan](context.Background(), bed.client, "/api/plans/"+plan, nil)
	if err != nil {
		t.Fatal(err)
	}
	return b.Incidents
}

func TestAFrozenPageVoidsTheRunAndAnotherTabGoesOn(t *testing.T) {
	p := newDevice(t, "409") // what it had under way when it froze may arrive when the other has ended the plan
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "route-search-sustained", Repeats: 1,
		Options: map[string]string{"duration": "6 s"}}}})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.begun("Route search, sustained")
	tell(p, page.SetWebLifecycleState, page.SetWebLifecycleStateParams{State: page.SetWebLifecycleStateStateFrozen})
	tell(p, page.SetWebLifecycleState, page.SetWebLifecycleStateParams{State: page.SetWebLifecycleStateStateActive})
	// Hidden or not, it is out of sight; who opens the page again in another tab takes the plan up there.
	ctx, end := chromedp.NewContext(p.Ctx)
	defer end()
	q := &device{&tab.Tab{T: t, Ctx: ctx}}
	q.Do(chromedp.Navigate(bed.server + "/probe/"))
	q.Says("runs are delivered")
	got := runs(t, plan.ID)
	if len(got) != 1 || got[0].Course.Attempt == 0 || figures(t, got[0])["burst"] <= 0 {
		t.Errorf("%d runs, %+v", len(got), got[0].Course)
	}
	// It tells of the interruption itself, or of a page that was gone if it was frozen before it could.
	if x := incidents(t, plan.ID); len(x) == 0 || x[0].Kind != "interruption" && x[0].Kind != "crash" ||
		!strings.Contains(x[0].Text, "while Route search, sustained") || x[0].Step == nil {
		t.Errorf("%+v", x)
	}
}

func TestAPageThatIsHiddenTimeAndAgainParksTheStep(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "route-search-sustained", Repeats: 1,
		Options: map[string]string{"duration": "20 s"}}, {Test: "screen-facts", Repeats: 1}}})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	for i := range 3 {
		waitFor(t, func() bool { return len(incidents(t, plan.ID)) == i })
		p.Until(`document.body.innerText.includes('warming up')`)
		p.begun("Route search, sustained")
		tab.Eval[bool](p.Tab, `(() => { let seen = 'hidden'; Object.defineProperty(document, 'visibilityState', { get: () => seen, configurable: true }); document.dispatchEvent(new Event('visibilitychange')); setTimeout(() => { seen = 'visible'; document.dispatchEvent(new Event('visibilitychange')) }, 300); return true })()`)
	}
	p.Says("runs are delivered")
	got := runs(t, plan.ID)
	if len(got) != 2 || got[0].Outcome != "parked" || !strings.Contains(got[0].Failure, "3 times") ||
		len(got[0].Readings) != 0 || got[1].Outcome != "done" {
		t.Errorf("%+v", got)
	}
	if x := incidents(t, plan.ID); len(x) != 3 || !strings.Contains(x[0].Text, "hidden") {
		t.Errorf("%+v", x)
	}
}

func TestResultsWaitOnTheDeviceWhileThereIsNoConnection(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "screen-facts", Repeats: 4}, {Test: "hashing",
		Repeats: 1}}})
	connected := func(yes bool) {
		t.Helper()
		all := &network.Conditions{Offline: !yes, DownloadThroughput: -1, UploadThroughput: -1}
		tell(p, network.EmulateNetworkConditionsByRule,
			network.EmulateNetworkConditionsByRuleParams{MatchedNetworkConditions: []*network.Conditions{all}})
	}
	tell(p, network.Enable, network.EnableParams{})
	p.Do(chromedp.Navigate(c.Link))
	p.Says("Start")
	connected(false)
	p.Press("Start")
	p.Says("kept on this device")
	p.Until(`/[3-5] of 5 runs done/.test(document.body.innerText)`)
	p.Shot("offline")
	if n := len(runs(t, plan.ID)); n != 0 {
		t.Fatalf("%d runs came without a connection", n)
	}
	connected(true)
	p.Says("runs are delivered")
	got := runs(t, plan.ID)
	if len(got) != 5 {
		t.Errorf("%d runs arrived", len(got))
	}
	for _, r := range got { // what a test needs was on the device before it began
		if v := figures(t, r); r.Test == "hashing" && v["single"] <= 0 {
			t.Errorf("%s: %v", r.Test, r.Readings)
		}
	}
}

func TestAReloadedPageGoesOnWhereItWas(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "screen-facts", Repeats: 1},
		{Test: "route-search-sustained", Repeats: 1, Options: map[string]string{"duration": "5 s"}}}})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.begun("Route search, sustained")
	p.Do(chromedp.Reload())
	p.Says("runs are delivered") // without anybody pressing anything
	got := runs(t, plan.ID)
	if len(got) != 2 || got[1].Course.Attempt != 1 || got[0].Sitting != got[1].Sitting {
		t.Errorf("%+v", got)
	}
	if x := incidents(t, plan.ID); len(x) != 1 || x[0].Kind != "crash" || !strings.Contains(x[0].Text,
		"page was closed, or the device was started anew while Route search") {
		t.Errorf("%+v", x)
	}
	p.Do(chromedp.Reload())
	p.Says("eight characters") // nothing is left to go on with
}

func TestAHandPausesAndStops(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "screen-facts", Repeats: 1},
		{Test: "graphics-arithmetic", Repeats: 50}}}, method.AsDelivered, "quiet-mode")
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.begun("Graphics, arithmetic")
	direct := func(what string, step int) {
		t.Helper()
		if err := bed.client.Do(context.Background(), http.MethodPost, "/api/plans/"+plan.ID+"/directives", nil,
			map[string]any{"do": what, "step": step}, nil); err != nil {
			t.Fatal(err)
		}
	}
	direct("skip", 2)
	p.Says("Set power mode to quiet") // a hand is asked for, on the page and on the bench
	p.Shot("hand")
	waitFor(t, func() bool {
		b, err := client.Get[record.BenchPlan](context.Background(), bed.client, "/api/plans/"+plan.ID, nil)
		return err == nil && b.Progress != nil && b.Progress.Ask != nil && b.Progress.Ask.Now &&
			b.Progress.State == record.Asking
	})
	p.Press("Done")
	p.begun("Graphics, arithmetic")
	direct("stop", 0)
	p.Says("Stopped")
	got := runs(t, plan.ID)
	if len(got) < 2 || got[len(got)-1].Setup != "quiet-mode" || got[0].Setup != method.AsDelivered {
		t.Errorf("%+v", got)
	}
}

func TestWithoutASecureContextTheDeviceIsToldAndSomeTestsAreLeftOut(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: steps("screen-facts", "webgpu-arithmetic", "browser-storage",
		"graphics-arithmetic")})
	plain := strings.Replace(c.Link, "127.0.0.1", "desk.test", 1)
	p.Do(chromedp.Navigate(plain))
	p.Says("One confirmation")
	p.Shot("secure")
	if to := tab.Eval[string](p.Tab, `document.querySelector('a.go').href`); to != strings.Replace(plain, "http:",
		"https:", 1) {
		t.Errorf("the secure address is %s", to)
	}
	p.Press("Go on without: some tests are left out")
	p.Says("2 tests left out here")
	p.Press("Start")
	p.Says("runs are delivered")
	got := runs(t, plan.ID)
	for i, want := range []string{"done", "not-run", "not-run", "done"} {
		if string(got[i].Outcome) != want || want == "not-run" && !strings.Contains(got[i].Failure, "secure") {
			t.Errorf("%s: %s, %s", got[i].Test, got[i].Outcome, got[i].Failure)
		}
	}

	q := newDevice(t)
	_, c = planned(t, method.Plan{Steps: steps("webgpu-arithmetic")})
	q.Do(chromedp.Navigate(strings.Replace(c.Link, "http://127.0.0.1", "https://desk.test", 1)))
	q.Says("Start")
	if !tab.Eval[bool](q.Tab, `isSecureContext && crossOriginIsolated && !!navigator.gpu && !document.body.innerText.includes('left out')`) {
		t.Error("over TLS the page is not secure and isolated")
	}
}

func TestACodeIsTypedOnceAndAWrongOneSaysWhatToDo(t *testing.T) {
	p := newDevice(t)
	_, c := planned(t, method.Plan{Steps: steps("screen-facts")})
	p.Do(chromedp.Navigate(bed.server + "/probe"))
	p.Says("eight characters")
	p.Shot("code")
	enter := func(code string) {
		t.Helper()
		p.Until(`!!document.getElementById('code')`)
		tab.Eval[bool](p.Tab, `(document.getElementById('code').value = '', document.getElementById('code').focus(), true)`)
		p.Do(chromedp.KeyEvent(code))
		p.Press("Join")
	}
	enter("zzzz-zzzz")
	p.Says("unknown, spent or expired")
	p.Press("Type another code")
	enter(strings.ToLower(strings.Replace(c.Code, "-", " ", 1)))
	p.Says("1 run of 1 test")
	if hash := tab.Eval[string](p.Tab, `location.hash`); hash != "" {
		t.Errorf("the spent code stays in the address: %s", hash)
	}
	other := newDevice(t)
	other.Do(chromedp.Navigate(c.Link))
	other.Says("unknown, spent or expired")
}

func TestDarkAndUsableOnSmallScreens(t *testing.T) {
	p := newDevice(t)
	tell(p, emulation.SetEmulatedMedia,
		emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: "dark"}}})
	p.Do(chromedp.EmulateViewport(320, 568))
	_, c := planned(t, method.Plan{Steps: steps("screen-facts")})
	p.Do(chromedp.Navigate(c.Link))
	p.Says("Start")
	p.Shot("dark")
	if !tab.Eval[bool](p.Tab, `document.documentElement.scrollWidth <= 320 && getComputedStyle(document.body).backgroundColor === 'rgb(14, 27, 35)' && [...document.querySelectorAll('button')].every(b => b.getBoundingClientRect().height >= 48 && b.getBoundingClientRect().bottom <= 568)`) {
		t.Error("on a small dark screen the page scrolls sideways, is light, or its button is out of reach")
	}
}

func TestADeviceThatSavesPowerIsAskedToStop(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "graphics-arithmetic", Repeats: 2}}})
	p.Do(chromedp.Navigate(c.Link))
	p.Says("Start")
	// Once the first run is sent two of three frames are left out, as browsers do that save power.
	tab.Eval[bool](p.Tab, `(() => { const frame = requestAnimationFrame, send = fetch; let slow = false; window.wake = () => { slow = false; window.fetch = send }
		window.requestAnimationFrame = (f) => slow ? frame(() => frame(() => frame(f))) : frame(f)
		window.fetch = (...a) => { slow ||= String(a[0]).endsWith('/runs'); return send(...a) }; return true })()`)
	p.Press("Start")
	p.Says("Switch power saving off")
	waitFor(t, func() bool {
		b, err := client.Get[record.BenchPlan](context.Background(), bed.client, "/api/plans/"+plan.ID, nil)
		return err == nil && b.Progress != nil && b.Progress.State == record.Asking && b.Progress.Ask != nil
	})
	if n := len(runs(t, plan.ID)); n != 1 {
		t.Errorf("%d runs were made of a device that saves power", n)
	}
	tab.Eval[bool](p.Tab, `(wake(), true)`)
	p.Says("2 of 2 runs are delivered")
}

func TestTheWrongChipIsMarked(t *testing.T) {
	must(bed.client.Do(context.Background(), http.MethodPost, "/api/setups", nil, method.Setup{Slug: "second-chip",
		Name: "Second chip", Conditions: map[string]string{"supply": "mains", "graphics.chip": "Lodestow Reed"}}, nil))
	must(bed.client.Do(context.Background(), http.MethodPost, "/api/setups", nil, method.Setup{Slug: "named-chip",
		Name: "Named chip", Conditions: map[string]string{"supply": "mains", "graphics.chip": "swiftshader"}}, nil))
	for setup, marks := range map[string]int{"second-chip": 1, "named-chip": 0} {
		p := newDevice(t)
		plan, c := planned(t, method.Plan{Setup: setup, Steps: steps("graphics-arithmetic")})
		p.measured(c.Link)
		r := runs(t, plan.ID)[0]
		if len(r.Marks) != marks || marks > 0 && (r.Marks[0].Kind != "departure" || !strings.Contains(r.Marks[0].Text,
			"not Lodestow Reed")) {
			t.Errorf("%s: %+v", setup, r.Marks)
		}
	}
}

func TestAfterAFailureThePlansTermsHold(t *testing.T) {
	for policy, want := range map[string]struct {
		outcomes  string
		incidents int
	}{"retry": {"failed failed done", 4}, "skip": {"failed parked done", 0}, "stop": {"failed", 0}} {
		p := newDevice(t)
		plan, c := planned(t, method.Plan{Terms: method.Terms{Failure: policy},
			Steps: []method.PlanStep{{Test: "graphics-arithmetic", Repeats: 2}, {Test: "screen-facts", Repeats: 1}}})
		p.Do(chromedp.Navigate(c.Link))
		p.Says("Start")
		tab.Eval[bool](p.Tab, `(HTMLCanvasElement.prototype.getContext = () => { throw new Error('the driver is gone') }, true)`)
		p.Press("Start")
		p.Says("runs are delivered")
		var outcomes []string
		for _, r := range runs(t, plan.ID) {
			outcomes = append(outcomes, string(r.Outcome))
		}
		if got := strings.Join(outcomes, " "); got != want.outcomes {
			t.Errorf("%q: %s", policy, got)
		}
		if x := incidents(t, plan.ID); len(x) != want.incidents {
			t.Errorf("%q: %+v", policy, x)
		}
	}
}
