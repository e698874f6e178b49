package web_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/google/uuid"

	"durvek/client"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/demo"
	"durvek/internal/tab"
	"durvek/simulate"
	"durvek/trace"
)

// need ends a test on an error.
func need(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// planned puts a plan on the bench and makes a code for it.
func planned(t *testing.T, plan map[string]any) (id, code string) {
	t.Helper()
	ctx := context.Background()
	p, err := client.Post[method.Plan](ctx, bed.client, "/api/plans", nil, plan)
	need(t, err)
	c, err := client.Post[struct{ Code string }](ctx, bed.client, "/api/plans/"+p.ID+"/codes", nil, nil)
	need(t, err)
	return p.ID, c.Code
}

func TestAPersonIsAskedForAHandAndSeesWhatDeparts(t *testing.T) {
	id, code := planned(t, map[string]any{"unit": "relay-15-16-512-a", "name": "Both supplies",
		"setups": []string{"as-delivered", "battery"},
		"steps":  []method.PlanStep{{Test: "hashing", Repeats: 2}, {Test: "memory-bandwidth", Repeats: 1}}})
	worked := make(chan error, 1)
	ctx, cancel := context.WithCancel(context.Background())
	go func() {
		worked <- demo.Simulate(ctx, bed.client, code, "relay-15-16-512-a", 0.25, t.TempDir(),
			simulate.Fault{Kind: simulate.Unplugged, Test: "memory-bandwidth", Repeats: []int{0}, At: 2})
	}()
	defer func() { cancel(); <-worked }()
	p := signedIn(t, 1280, 800)
	p.open("/bench?plan=" + id)
	p.Says("will need you")
	p.Until(`document.querySelectorAll('.spark.plain').length >= 2`) // sensors, as they go
	p.Says("Package power")
	p.Until(`[...document.querySelectorAll('.caution')].some(e => e.innerText === 'Supply battery, not mains')`)
	p.Shot("console-bench-live")
	p.Says("needs you")
	p.Press("Done: unplug the charger")
	p.Until(`!document.body.innerText.includes('needs you')`)
	p.Until(`[...document.querySelectorAll('tr')].filter(r => r.innerText.includes('On battery') && r.innerText.includes('2 of 2')).length === 1`)
	need(t, <-worked)
	worked <- nil
	p.Says("Measured by relay-15-16-512")
	b, err := client.Get[record.BenchPlan](context.Background(), bed.client, "/api/plans/"+id, nil)
	if err != nil || b.Plan.State != "done" || b.Marked != 1 || b.Steps[2].Setup != "battery" ||
		b.Steps[2].Figures[0].Expect == "" {
		t.Errorf("%s, %d marked, %v", b.Plan.State, b.Marked, err)
	}
}

func TestAPlanOfTheLibraryIsPausedAndStopped(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/bench")
	p.Press("New plan")
	p.choose("Unit", "skiff-14-16-1000-a")
	p.choose("Plan of the library", "Laptop, every mode")
	p.Says("under as delivered, fast mode, quiet mode, on battery")
	p.fill("Repeats", "1")
	p.Press("Put on the bench")
	p.Says("Waits for its machine")
	p.Until(`document.querySelectorAll('tr.hand').length === 3`)
	id := tab.Eval[string](p.Tab, `new URLSearchParams(location.search).get('plan')`)
	code, err := client.Post[struct{ Code string }](context.Background(), bed.client, "/api/plans/"+id+"/codes", nil, nil)
	need(t, err)
	worked := make(chan error, 1)
	ctx, cancel := context.WithCancel(context.Background())
	go func() {
		worked <- demo.Simulate(ctx, bed.client, code.Code, "skiff-14-16-1000-a", 0.02, t.TempDir())
	}()
	defer func() { cancel(); <-worked }()
	p.Press("Pause")
	p.Says("Paused")
	p.Press("Resume")
	p.Until(`!document.body.innerText.includes('Paused')`)
	p.Press("Stop")
	p.Says("A stopped plan does not go on") // what will happen is said before it does
	p.Press("Stop it")
	p.Says("Stopped")
	need(t, <-worked)
	worked <- nil
}

func TestBenchShowsAPlanRunLive(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/bench")
	p.Press("New plan")
	p.choose("Unit", "tern-mini-32-1000-a")
	p.choose("Tests", "Hashing")
	p.fill("Name of the plan", "Live test")
	p.Press("Put on the bench")
	p.Says("Waits for its machine")
	p.Press("Join a machine")
	p.Until(`!!document.querySelector('.code')?.innerText.match(/^[A-Z2-7]{4}-[A-Z2-7]{4}$/)`)
	code := tab.Eval[string](p.Tab, `document.querySelector('.code').innerText`)
	p.Until(`(i => i?.complete && i.naturalWidth > 20 && i.alt.endsWith('/probe/#' +
		document.querySelector('.code').innerText))(document.querySelector('img[alt^="QR code of http"]'))`)
	p.Says("listens on this computer alone")
	p.Press("Close")
	worked := make(chan error, 1)
	ctx, cancel := context.WithCancel(context.Background())
	go func() {
		err := demo.Simulate(ctx, bed.client, code, "tern-mini-32-1000-a", 2, t.TempDir())
		if err != nil && ctx.Err() == nil {
			t.Errorf("the agent ends: %v", err)
		}
		worked <- err
	}()
	defer func() { cancel(); <-worked }()
	p.Until(`document.querySelector('.spark path')?.getAttribute('d')?.length > 40`)
	p.Says("left")
	p.Says("1 of 5")
}

// A plan that waits is changed: another order, another number, one test less and one more; the page shows it, and Back
// closes the dialog without changing anything.
func TestAWaitingPlanIsChangedOnThePage(t *testing.T) {
	p := signedIn(t, 1280, 800)
	id, _ := planned(t, map[string]any{"unit": "skiff-14-16-1000-a", "name": "Short", "steps": []method.PlanStep{
		{Test: "hashing", Repeats: 1}, {Test: "archive", Repeats: 1}, {Test: "sealing", Repeats: 1}}})
	p.open("/bench?plan=" + id)
	p.Press("Change it")
	p.Says("Change this plan")
	tab.Eval[bool](p.Tab, `history.back() ?? true`)
	p.closed()
	p.Press("Change it")
	press := func(label string) {
		t.Helper()
		p.Until(fmt.Sprintf(`!!document.querySelector('[aria-label=%q]')`, label))
		tab.Eval[bool](p.Tab, fmt.Sprintf(`document.querySelector('[aria-label=%q]').click() ?? true`, label))
	}
	press("Up: Sealing")
	press("Take out Hashing")
	p.fill("Repeats", "4") // of what is first now
	p.choose("Another test", "Compression")
	p.accessible("the dialog that changes a plan")
	p.Press("Save")
	p.closed()
	b, err := client.Get[record.BenchPlan](context.Background(), bed.client, "/api/plans/"+id, nil)
	need(t, err)
	var got []string
	for _, s := range b.Plan.Steps {
		got = append(got, fmt.Sprint(s.Test, " ", s.Repeats))
	}
	if all := strings.Join(got, ", "); all != "sealing 4, archive 1, compression 5" || b.Plan.Name != "Short" {
		t.Errorf("%s: %s", b.Plan.Name, all)
	}
	p.Says("0 of 10 runs")
	// The plan that an address names is shown though no list has it, and never another in its place.
	need(t, send("/api/plans/"+id+"/directives", map[string]any{"do": "stop"}))
	need(t, send("/api/archive", map[string]any{"kind": "plan", "slug": id, "reason": "tried"}))
	p.open("/bench?plan=" + id)
	p.Says("Plan “Short”")
	p.Says("Stopped")
}

func send(path string, in any) error {
	return bed.client.Do(context.Background(), http.MethodPost, path, nil, in, nil)
}

// traced is a run of an agent with a trace of so many seconds at so many samples a second.
func traced(t *testing.T, unit string, seconds, rate int) string {
	t.Helper()
	ctx := context.Background()
	id, code := planned(t, map[string]any{"unit": unit, "steps": []method.PlanStep{{Test: "hashing", Repeats: 1}}})
	j, err := bed.client.Join(ctx, code, "", record.Machine{Name: "x", Boot: id, Simulated: true})
	need(t, err)
	var x record.Trace
	for i := range seconds * rate {
		at := float64(i+1) / float64(rate)
		power := 15.0
		if int(at*at/900)%2 == 1 {
			power = 44 + math.Sin(at)
		}
		x.Add(at, map[string]float64{"temperature.package": 60 + 20*math.Sin(at/500), "power.package": power,
			"clock.mean": 3800 + 100*math.Cos(at/90), "load.processor": 99, "memory.used": 5000 + at/100,
			"fan.speed": 2000 + math.Mod(at, 60)}, nil)
	}
	now := time.Now()
	r := record.Run{ID: uuid.Must(uuid.NewV7()).String(), Test: "hashing", TestVersion: 1, Sitting: j.Sitting,
		Started: now.Add(-time.Duration(seconds) * time.Second), Ended: now, Outcome: "done", Source: "agent",
		Readings: []record.Reading{}, Trace: trace.Pack(x), Course: record.Course{Phases: []record.Phase{{At: 0,
			Name: "single thread"}, {At: float64(seconds) / 2, Name: "all threads"}}}}
	need(t, bed.client.SendRun(ctx, j.Token, r))
	need(t, bed.client.Finish(ctx, j.Token))
	return r.ID
}

func TestATraceOfAMillionSamplesOpens(t *testing.T) {
	id := traced(t, "sound-12-16-512-a", 16700, 10)
	p := signedIn(t, 1280, 800)
	p.open("/bench/tests") // the console itself is there
	p.Says("of ")
	p.open("/results/" + id)
	p.Until(`!!document.querySelector('.traces canvas')`)
	p.Says("1,002,000 samples")
	took := tab.Eval[float64](p.Tab, `performance.now()`)
	t.Logf("a million samples stand %.0f ms after the page was asked for", took)
	label := tab.Eval[string](p.Tab, `document.querySelector('.traces').getAttribute('aria-label')`)
	if !strings.Contains(label, "Package power, W: from 14 to 45") && !strings.Contains(label,
		"Package power, W: from 15 to 45") {
		t.Errorf("said in words: %s", label)
	}
}

func TestAnOutsideLogIsLaidBesideARunAndShifted(t *testing.T) {
	id := traced(t, "sound-12-16-512-a", 600, 1)
	v, err := client.Get[struct{ Series []record.Series }](context.Background(), bed.client, "/api/runs/"+id+"/trace", nil)
	need(t, err)
	var own record.Series
	for _, s := range v.Series {
		if s.Channel == "power.package" {
			own = s
		}
	}
	log := "seconds,power.wall [W]\n"
	for i, at := range own.Times {
		log += fmt.Sprintf("%.1f,%.2f\n", at+250, 12+1.15*own.Values[i])
	}
	file := filepath.Join(t.TempDir(), "wall.csv")
	need(t, os.WriteFile(file, []byte(log), 0o644))
	p := signedIn(t, 1280, 800)
	p.open("/results/" + id)
	p.Says("Lay an outside log beside it")
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{file}))
	p.Says("wall.csv, 600 rows")
	p.Says("correlation 1")
	p.Until(`document.querySelector('.traces').getAttribute('aria-label').includes('Wall power, W')`)
	p.Until(`[...document.querySelectorAll('.v-input input')].some(e => e.value === '-250.00')`)
	p.fill("Shift in seconds", "-249")
	p.Do(chromedp.KeyEvent("\t"))
	p.Until(`(async () => (await (await fetch('/api/runs/` + id + `')).json()).outside[0].shift === -249)()`)
	p.Press("Take away")
	p.Until(`!document.body.innerText.includes('wall.csv')`)
}

func TestAUnitIsInspectedByHand(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/bench")
	p.Press("Measure by hand")
	p.choose("Unit", "pilot-13-16-512-a")
	p.Says("A laptop, looked over")
	form := func(name string) string {
		return fmt.Sprintf(`[...document.querySelectorAll('form')].find(f => f.querySelector('strong').innerText === %q)`,
			name)
	}
	in := func(name, button string) {
		t.Helper()
		find := fmt.Sprintf(`[...%s.querySelectorAll('button')].find(b => b.innerText.trim() === %q)`, form(name), button)
		p.Until("!!" + find)
		tab.Eval[bool](p.Tab, find+".click() ?? true")
	}
	before := tab.Eval[string](p.Tab, form("Ports")+`.innerText`)
	tab.Eval[bool](p.Tab, form("Ports")+
		`.querySelectorAll('.v-btn-group').forEach((g, i) => g.querySelectorAll('button')[i % 3].click()) ?? true`)
	in("Ports", "Save")
	p.Until(form("Ports") + `.innerText.includes('1 so far')`)
	for _, want := range []string{"pass", "fail", "not applicable"} {
		p.Until(fmt.Sprintf(`[...%s.querySelectorAll('strong')].some(e => e.innerText === %q)`, form("Ports"), want))
	}
	if !strings.Contains(before, "not yet") {
		t.Errorf("before: %s", before)
	}
	in("Keyboard", "Save") // nothing was chosen: it says so and loses nothing
	p.Until(form("Keyboard") + `.innerText.includes('no reading was given')`)
	in("Start-up", "Start")
	p.Until(form("Start-up") + `.querySelector('.clock').innerText !== '0.00 s'`)
	in("Start-up", "Lap")
	p.Until(`parseFloat(` + form("Start-up") + `.querySelector('.clock').innerText) > 0.02`)
	in("Start-up", "Stop")
	in("Start-up", "Save 2 laps")
	p.Until(form("Start-up") + `.innerText.includes('2 so far')`)
	var picture bytes.Buffer
	need(t, png.Encode(&picture, image.NewGray(image.Rect(0, 0, 30, 20))))
	file := filepath.Join(t.TempDir(), "port.png")
	need(t, os.WriteFile(file, picture.Bytes(), 0o644))
	p.Do(chromedp.SetUploadFiles(chromedp.CSS(`form:nth-of-type(1) input[type=file]`), []string{file}))
	p.Until(`document.querySelectorAll('img.photo').length === 1 && document.querySelector('img.photo').naturalWidth === 30`)
}

func TestIncidentsAndPairsAreNoted(t *testing.T) {
	p := signedIn(t, 1280, 800)
	p.open("/results/incidents")
	p.Press("Note an incident")
	p.choose("Unit", "holdfast-1000-a")
	p.fill("Kind, such as slow-link", "drop-out")
	p.fill("What happened", "Gone from the desk.")
	p.fill("Times", "6")
	p.fill("Out of how many tries", "5")
	p.Press("Note it")
	p.Says("6 times in 5 tries cannot be")
	p.fill("Out of how many tries", "8")
	p.Press("Note it")
	p.Says("drop out in 6 of 8 tries (75 %, 95 %: 35–97 %)")
	p.open("/results/partners")
	p.Press("Note a pair")
	p.choose("Part", "holdfast-1000-a")
	p.fill("Partner: a unit, or anything by its name", "chart plotter")
	p.choose("Outcome", "fails")
	p.fill("How it works, or what goes wrong", "wants another file system")
	p.Press("Note it")
	p.Says("wants another file system")
	pairs, err := client.Get[[]struct{ Partner, Outcome string }](context.Background(), bed.client, "/api/partners",
		client.Query("part", "holdfast-1000-a"))
	if err != nil || len(pairs) != 2 || pairs[0].Partner != "chart plotter" || pairs[0].Outcome != "fails" {
		t.Errorf("%v, %v", pairs, err)
	}
}
