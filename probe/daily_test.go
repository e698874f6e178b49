package probe_test

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"durvek/client"
	"durvek/core/analyse"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/internal/tab"
)

// simulatedBattery stands in the page's place of the browser's own: a level that falls or rises by so much a second,
// kept over a reload.
const simulatedBattery = `(() => {
	const now = () => JSON.parse(localStorage.battery || '{"level":1,"from":0,"step":0,"charging":false}')
	const b = new EventTarget()
	Object.defineProperties(b, { charging: { get: () => now().charging }, level: { get() {
		const x = now()
		return x.from ? Math.min(1, Math.max(0, x.level + x.step * (Date.now() - x.from) / 1000)) : x.level } } })
	navigator.getBattery = async () => b
})()`

// battery has the device's battery stand at a level and go on by so much a second.
func (p *device) battery(level, step float64, charging bool) {
	p.T.Helper()
	tab.Eval[bool](p.Tab, fmt.Sprintf(`(localStorage.battery = JSON.stringify({level: %g, step: %g, charging: %t, from: `+
		`Date.now()}), true)`, level, step, charging))
}

// passed waits until so many ms have passed since the battery was set.
func (p *device) passed(ms int) {
	p.T.Helper()
	p.Until(fmt.Sprintf(`JSON.parse(localStorage.battery).from < Date.now() - %d`, ms))
}

// portable is a device with a simulated battery, full and off its charger.
func portable(t *testing.T) *device {
	p := newDevice(t)
	tell(p, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: simulatedBattery})
	return p
}

// typed answers what is asked on the device.
func (p *device) typed(number, button string) {
	p.T.Helper()
	p.Until(`!!document.getElementById('typed')`)
	tab.Eval[bool](p.Tab, `(document.getElementById('typed').focus(), true)`)
	p.Do(chromedp.KeyEvent(number))
	p.Press(button)
}

// daily is a plan of one lasting load on battery, its heartbeats close together.
func daily(t *testing.T, test string, options map[string]string) (method.Plan, coded) {
	all := map[string]string{"heartbeat": "0.3 s"}
	for k, v := range options {
		all[k] = v
	}
	return planned(t, method.Plan{Setup: onBattery(t), Steps: []method.PlanStep{{Test: test, Repeats: 1,
		Options: all}}})
}

// onBattery is a setup that needs the battery and names no luminance.
func onBattery(t *testing.T) string {
	t.Helper()
	_, err := client.Post[method.Setup](context.Background(), bed.client, "/api/setups", nil, method.Setup{
		Slug: "run-down", Name: "Run-down", Conditions: map[string]string{"supply": "battery"}})
	if err != nil && !strings.Contains(err.Error(), "known") {
		t.Fatal(err)
	}
	return "run-down"
}

func TestABatteryIsReadDownAndItsPaceIsHeld(t *testing.T) {
	p := portable(t)
	plan, c := daily(t, "rundown-reading", map[string]string{"until": "40 %"})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.Says("white to 200 cd/m²")
	p.Press("Show white")
	p.Until(`!!document.querySelector('#stage .white')`)
	tab.Eval[bool](p.Tab, `(document.querySelector('#stage .white').click(), true)`)
	p.Shot("luminance")
	p.typed("none", "Begin")
	p.Says("Type a number above zero")
	tab.Eval[bool](p.Tab, `(document.getElementById('typed').value = '', true)`)
	p.battery(1, -0.03, false)
	p.typed("206,5", "Begin")
	p.Until(`document.querySelectorAll('#stage .page canvas').length > 0`)
	p.Shot("reading")
	p.Says("runs are delivered")
	r := runs(t, plan.ID)[0]
	got := figures(t, r)
	if r.Observed["display.luminance"] != "200 cd/m²" || r.Negotiated["luminance.measured"] != "206.5 cd/m²" ||
		r.Negotiated[analyse.HowEnded] != analyse.AtLevel {
		t.Errorf("observed %v, told %v", r.Observed, r.Negotiated)
	}
	// 3 % a second: a whole charge would last 33 s.
	if h := got["hours"] * 3600; math.Abs(h-33.3) > 4 {
		t.Errorf("it lasted %.1f s", h)
	}
	if got["pace"] < 60 || got["work"] <= 0 || r.Observed[analyse.PaceCondition] == "" {
		t.Errorf("%v, pace %s", got, r.Observed[analyse.PaceCondition])
	}
}

func TestADeadDeviceLeavesARunThatEndsWithItsLastHeartbeat(t *testing.T) {
	p := portable(t)
	plan, c := daily(t, "rundown-heavy", nil)
	p.Do(chromedp.Navigate(c.Link))
	p.battery(1, 0, false)
	p.Press("Start")
	p.typed("200", "Begin")
	p.battery(1, -0.3, false)
	p.passed(4500)
	p.Do(chromedp.Navigate("about:blank")) // it is off
	p.Do(chromedp.Navigate(bed.server + "/probe/"))
	p.battery(0.3, 0, true)
	p.Says("runs are delivered")
	r := runs(t, plan.ID)[0]
	got := figures(t, r)
	if h := got["hours"] * 3600; r.Negotiated[analyse.HowEnded] != analyse.WentOff || h < 2.5 || h > 6 ||
		got["work"] <= 0 ||
		r.Observed[analyse.PaceCondition] != analyse.Unpaced {
		t.Errorf("%.1f s, %v, %v, %v", h, got, r.Negotiated, r.Observed)
	}
	if r.Observed["supply"] != "battery" {
		t.Errorf("a run-down on %s", r.Observed["supply"])
	}
	if x := incidents(t, plan.ID); len(x) > 0 {
		t.Errorf("a battery that is empty is no incident: %+v", x)
	}
}

func TestARunDownGoesOnAfterAReloadAndSaysSo(t *testing.T) {
	p := portable(t)
	plan, c := daily(t, "rundown-reading", map[string]string{"until": "30 %"})
	p.Do(chromedp.Navigate(c.Link))
	p.battery(1, 0, false)
	p.Press("Start")
	p.Press("Not measured")
	p.battery(1, -0.04, false)
	p.passed(5000)
	p.Do(chromedp.Reload())
	p.Says("runs are delivered")
	r := runs(t, plan.ID)[0]
	got := figures(t, r)
	var kinds []string
	for _, m := range r.Marks {
		kinds = append(kinds, string(m.Kind))
	}
	if h := got["hours"] * 3600; math.Abs(h-25) > 4 || !strings.Contains(strings.Join(kinds, " "), "dropout") {
		t.Errorf("%.1f s, marks %v", h, r.Marks)
	}
	if r.Observed["display.luminance"] != "not measured" {
		t.Errorf("a luminance that nobody measured is %q", r.Observed["display.luminance"])
	}
	if x := incidents(t, plan.ID); len(x) > 0 {
		t.Errorf("%+v", x)
	}
}

func TestWhatBecomesOfARunDownIsSaid(t *testing.T) {
	p := portable(t)
	plan, c := planned(t, method.Plan{Setup: onBattery(t), Steps: []method.PlanStep{
		{Test: "rundown-office", Repeats: 2, Options: map[string]string{"heartbeat": "0.3 s"}},
		{Test: "rundown-reading", Repeats: 1, Options: map[string]string{"heartbeat": "0.3 s"}}}})
	p.Do(chromedp.Navigate(c.Link))
	p.battery(0.8, 0, true)
	p.Press("Start")
	p.Press("Not measured")
	p.Says("The battery is at 80 %")
	p.Press("Begin as it is")
	p.Says("Pull the plug")
	p.battery(0.8, -0.01, false)
	p.Press("It is pulled")
	p.Until(`!!document.querySelector('#stage textarea')`)
	p.Shot("office")
	// Plugged in half-way: too little was seen for hours; the pace is known.
	waitFor(t, func() bool {
		return tab.Eval[bool](p.Tab, `document.querySelector('#stage textarea').value.length > 8`)
	})
	p.battery(0.75, 0.01, true)
	p.Says("white to 200") // the second repeat asks again
	p.battery(1, 0, false)
	p.Press("Not measured")
	p.Until(`!!document.querySelector('#stage textarea')`)
	p.battery(0.5, 0, false) // nonsense: it falls by half and then gains without being charged
	p.passed(900)
	p.battery(0.9, 0, false)
	p.passed(900)
	p.battery(0.9, 0, true)
	// On mains for good: it is not run.
	p.Says("white to 200")
	p.Press("Not measured")
	p.Press("Begin as it is")
	for range 3 {
		p.Says("Pull the plug")
		p.Press("It is pulled")
		p.Until(`!document.querySelector('#stage .question')`)
	}
	p.Says("runs are delivered")
	all := runs(t, plan.ID)
	if len(all) != 3 {
		t.Fatalf("%d runs", len(all))
	}
	first, second, third := all[0], all[1], all[2]
	for _, x := range first.Readings {
		if x.Measure == "hours" && (x.State != record.Missing || !strings.Contains(x.Reason, "less than half")) {
			t.Errorf("hours of a run that was plugged in are %+v", x)
		}
	}
	if first.Negotiated[analyse.HowEnded] != analyse.PluggedIn || first.Observed["content"] != "with a call" ||
		first.Observed["supply"] != "battery" { // though it was on its charger when the run was opened
		t.Errorf("%v %v", first.Negotiated, first.Observed)
	}
	if !strings.Contains(second.Negotiated["battery.nonsense"], "charge level is not used") {
		t.Errorf("nonsense of a battery is not said: %v", second.Negotiated)
	}
	if third.Outcome != "not-run" || !strings.Contains(third.Failure, "on mains") {
		t.Errorf("%s: %s", third.Outcome, third.Failure)
	}
}

func TestAFilmIsPlayedFrameByFrame(t *testing.T) {
	p := portable(t)
	plan, c := daily(t, "rundown-video", map[string]string{"size": "640x360", "longest": "8 s", "codec": "vp9"})
	p.Do(chromedp.Navigate(c.Link))
	p.battery(1, 0, false)
	p.Press("Start")
	p.typed("150", "Begin")
	p.Until(`document.querySelector('#stage video')?.currentTime > 1`)
	p.battery(1, -0.08, false)
	p.Shot("film")
	p.Says("runs are delivered")
	r := runs(t, plan.ID)[0]
	got := figures(t, r)
	if r.Observed["display.luminance"] != "150 cd/m²" || got["pace"] < 30 || got["work"] < 20 {
		t.Errorf("%v, %v", got, r.Observed)
	}
}

func TestACharge(t *testing.T) {
	p := portable(t)
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "charging", Repeats: 1,
		Options: map[string]string{"heartbeat": "0.2 s"}}}})
	p.Do(chromedp.Navigate(c.Link))
	p.battery(0.05, 0, false)
	p.Press("Start")
	p.Says("The battery is at 5 %; charging is timed from 10 %")
	p.battery(0.05, 0.08, true)
	p.Press("It is plugged in")
	p.Says("runs are delivered")
	r := runs(t, plan.ID)[0]
	got := figures(t, r)
	if r.Observed["supply"] != "mains" {
		t.Errorf("it was charged on %q", r.Observed["supply"])
	}
	if a, b := got["to-50"]*60, got["to-100"]*60; math.Abs(a-5.6) > 1.5 || math.Abs(b-11.9) > 1.5 {
		t.Errorf("%v", got)
	}
}

func TestFilmsAreEncodedPlayedAndTheirFramesCounted(t *testing.T) {
	p := newDevice(t)
	// A player that shows three frames of four.
	tell(p, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: `(() => {
		const real = HTMLVideoElement.prototype.requestVideoFrameCallback
		HTMLVideoElement.prototype.requestVideoFrameCallback = function (f) {
			return real.call(this, (now, m) => { const rate = /30 frames/.test(document.body.innerText) ? 30 : 60
				f(now, { mediaTime: m.mediaTime, presentedFrames: Math.round(m.mediaTime * rate * 0.75) }) })
		}
	})()`})
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "video-playback", Repeats: 1,
		Options: map[string]string{
			"codecs": "vp9", "largest": "720", "length": "3 s"}}, {Test: "video-encoding", Repeats: 1}}})
	p.measured(c.Link)
	got := runs(t, plan.ID)
	v := figures(t, got[0])
	for _, slug := range []string{"vp9-720-30", "vp9-720-60"} {
		if math.Abs(v[slug]-25) > 2 {
			t.Errorf("%s: %.2f %% dropped by a player that drops a quarter", slug, v[slug])
		}
	}
	if v["start"] <= 0 || v["start"] > 5000 || got[0].Negotiated["video.frugal"] == "" {
		t.Errorf("%v, %v", v, got[0].Negotiated)
	}
	for _, x := range got[0].Readings {
		if want := map[string]string{"av1-720-30": "left out of this run", "vp9-1080-30": "left out of this " +
			"run"}[x.Measure]; want != "" &&
			(x.State != record.Missing || x.Reason != want) {
			t.Errorf("%+v", x)
		}
	}
	e := figures(t, got[1])
	if e["vp9"] <= 0 || e["h264"] <= 0 {
		t.Errorf("%v", e)
	}
	for _, x := range got[1].Readings {
		if x.Measure == "hevc" && (x.State != record.Missing || !strings.Contains(x.Reason, "no hevc encoder")) {
			t.Errorf("%+v", x)
		}
	}
}

func TestWithoutAnEncoderTheFilmsAreNotRun(t *testing.T) {
	p := newDevice(t)
	tell(p, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{
		Source: `delete globalThis.VideoEncoder`})
	plan, c := planned(t, method.Plan{Steps: steps("video-playback", "video-encoding")})
	p.measured(c.Link)
	for _, r := range runs(t, plan.ID) {
		if r.Outcome != "not-run" || !strings.Contains(r.Failure, "encode") {
			t.Errorf("%s: %s, %s", r.Test, r.Outcome, r.Failure)
		}
	}
}

func TestTheHarbourIsPaintedByTheGraphicsChip(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: steps("webgpu-picture")})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.Until(`document.querySelector('#stage canvas')?.width === 320`)
	p.Shot("picture")
	p.Says("runs are delivered")
	r := runs(t, plan.ID)[0]
	if v := figures(t, r); v["rate"] <= 0 || r.Observed["graphics.renderer"] != "software" {
		t.Errorf("%v, %v", v, r.Observed)
	}
}

func TestPagesAreLoadedColdAndWarmAndOverASlowerLine(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "page-visits", Repeats: 1,
		Options: map[string]string{
			"loads": "1"}}, {Test: "page-visits", Repeats: 1, Options: map[string]string{"loads": "1", "connection": "radio"}}}})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.Until(`!!document.querySelector('#stage iframe')?.contentDocument?.querySelector('img')`)
	p.Shot("page")
	p.Says("runs are delivered")
	all := runs(t, plan.ID)
	plain, slowed := figures(t, all[0]), figures(t, all[1])
	for _, w := range []string{"text", "pictures", "script"} {
		for _, way := range []string{"cold", "warm"} {
			if at := w + "-" + way; !(plain[at+"-paint"] > 0 && plain[at+"-paint"] <= plain[at+"-usable"]+1) {
				t.Errorf("%s: painted after %g ms, usable after %g", at, plain[at+"-paint"], plain[at+"-usable"])
			}
		}
	}
	if plain["script-blocking"] <= plain["text-blocking"] {
		t.Errorf("script keeps the main thread for %g ms, text for %g", plain["script-blocking"], plain["text-blocking"])
	}
	// Some 400 kB of pictures over 16 Mbit/s take 200 ms and more; what is kept comes over no line.
	if slowed["pictures-cold-usable"] < slowed["pictures-warm-usable"]+150 ||
		all[1].Observed["option.connection"] != "radio" || all[0].Observed["network.link"] == "" {
		t.Errorf("%v, %v", slowed, all[1].Observed)
	}
}

func TestADeviceWithManyJobsAndARadioLink(t *testing.T) {
	p := newDevice(t)
	plan, c := planned(t, method.Plan{Steps: []method.PlanStep{{Test: "many-jobs", Repeats: 1, Options: map[string]string{
		"memory": "2 MiB"}}, {Test: "wireless-link", Repeats: 1, Options: map[string]string{"distance": "5 m",
		"duration": "4 s"}}}})
	p.Do(chromedp.Navigate(c.Link))
	p.Press("Start")
	p.begun("Wireless link")
	tell(p, network.Enable, network.EnableParams{})
	tell(p, network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{
		MatchedNetworkConditions: []*network.Conditions{{Offline: true, DownloadThroughput: -1, UploadThroughput: -1}}})
	p.Until(`/delivering/.test(document.body.innerText) || /kept on this device/.test(document.body.innerText)`)
	tell(p, network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{
		MatchedNetworkConditions: []*network.Conditions{{DownloadThroughput: -1, UploadThroughput: -1}}})
	p.Says("runs are delivered")
	all := runs(t, plan.ID)
	busy, radio := figures(t, all[0]), figures(t, all[1])
	s := all[0].Series[0]
	if busy["alone"] <= 0 || s.Axis != "jobs" || len(s.Times) < 2 || s.Times[0] != 0 || s.Values[0] != busy["alone"] {
		t.Errorf("%v, %+v", busy, s)
	}
	if radio["rate"] <= 0 || radio["lost"] <= 0 || radio["lost"] > 100 || all[1].Observed["option.distance"] != "5 m" ||
		!strings.Contains(all[1].Negotiated["link.broke"], "the link broke off after") {
		t.Errorf("%v, %v, %v", radio, all[1].Observed, all[1].Negotiated)
	}
}

func TestTestPatternsFillTheScreenWithoutAPlan(t *testing.T) {
	p := newDevice(t)
	p.Do(chromedp.Navigate(bed.server + "/probe/#patterns"))
	p.Press("Show them")
	pixel := func(x, y float64) string {
		return tab.Eval[string](p.Tab, fmt.Sprintf(`(() => { const c = document.querySelector('#stage canvas')
			return [...c.getContext('2d').getImageData(c.width * %g, c.height * %g, 1, 1).data].join() })()`, x, y))
	}
	p.Says("grey 0 of 255 · 1 of")
	if got := pixel(0.5, 0.5); got != "0,0,0,255" {
		t.Errorf("black is %s", got)
	}
	key := func(name string) {
		tab.Eval[bool](p.Tab, fmt.Sprintf(`dispatchEvent(new KeyboardEvent('keydown', { key: %q }))`, name))
	}
	key("ArrowLeft") // left of the first is the last
	p.Says("sweep from 20 Hz")
	for range 3 {
		key("ArrowRight")
	}
	p.Says("grey 26 of 255")
	if got := pixel(0.9, 0.1); got != "26,26,26,255" {
		t.Errorf("the third grey is %s", got)
	}
	p.Until(`document.querySelector('#stage .over').hidden`) // the label would be measured
	key("Escape")
	p.Says("Seconds for each")
	// By itself, to the end.
	tab.Eval[bool](p.Tab, `(document.getElementById('seconds').value = '0,05', true)`)
	p.Press("Show them")
	p.Until(`document.getElementById('stage').hidden`)
}
