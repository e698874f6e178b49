package service_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image/png"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/google/uuid"

	"durvek/agent"
	"durvek/client"
	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/verdict"
	"durvek/demo"
	"durvek/desk"
	"durvek/desk/books"
	"durvek/desk/figures"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/examples"
	"durvek/internal/demodesk"
	_ "durvek/machine" // brings every workload into the table
	"durvek/service"
	"durvek/simulate"
	"durvek/workload"
)

// running is a service on loopback that can be stopped and started again on the same address.
type running struct {
	t           testing.TB
	dir         string
	addr        string
	desk        *house.House
	c           *client.Client
	stop        context.CancelFunc
	ended       chan error
	lease       time.Duration
	token, name string // name is the desk's, as the service is told at its start
}

func start(t testing.TB) *running { return startWith(t, 0) }

// startWith starts a service whose agents' leases end after a time; 0 for the usual one.
func startWith(t testing.TB, lease time.Duration) *running {
	t.Helper()
	return startIn(t, t.TempDir(), lease)
}

func startIn(t testing.TB, dir string, lease time.Duration) *running {
	t.Helper()
	r := &running{t: t, dir: dir, addr: "127.0.0.1:0", lease: lease, name: "Test Desk"}
	r.up()
	t.Cleanup(r.down)
	token, err := r.desk.Books.LocalToken(context.Background())
	must(t, err)
	r.c, r.token = client.New("http://"+r.addr, token), token
	return r
}

func (r *running) up() {
	r.t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: r.dir, Name: r.name, Lease: r.lease},
		Tests: workload.Tests()})
	if err != nil {
		r.t.Fatal(err)
	}
	l, err := net.Listen("tcp", r.addr)
	if err != nil {
		r.t.Fatal(err)
	}
	r.addr, r.desk, r.stop, r.ended = l.Addr().String(), d, stop, make(chan error, 1)
	s := service.New(d, service.Options{Hosts: []string{"desk.local"}, Examples: examples.Made,
		Console: fstest.MapFS{"index.html": {Data: []byte("<!doctype html>console")}}})
	go func() { r.ended <- s.Serve(ctx, l) }()
}

func (r *running) down() {
	r.stop()
	if err := <-r.ended; err != nil {
		r.t.Errorf("the service ended with %v", err)
	}
	r.ended <- nil // a second down is no harm
	r.desk.Close()
}

func get[T any](r *running, path string, pairs ...string) T {
	r.t.Helper()
	v, err := client.Get[T](context.Background(), r.c, path, client.Query(pairs...))
	if err != nil {
		r.t.Fatalf("%s: %v", path, err)
	}
	return v
}

func send(r *running, path string, in any) error {
	return r.c.Do(context.Background(), http.MethodPost, path, nil, in, nil)
}

// refused checks that an error is a refusal of a status that says all of some words.
func refused(t testing.TB, err error, status int, says ...string) {
	t.Helper()
	var p *client.Problem
	if !errors.As(err, &p) || p.Status != status {
		t.Fatalf("%v, want a refusal with status %d", err, status)
	}
	for _, s := range says {
		if !strings.Contains(p.Error(), s) {
			t.Errorf("the refusal %q does not say %q", p.Error(), s)
		}
	}
}

const dossier = `format: durvek-dossier/1
model: {slug: fen-14, maker: Selvane, name: Fen 14, kind: laptop, released: "2026-08", also_sold_as: [{maker: Ardnoe, name: Bog 14, region: GB}]}
variants:
  - slug: fen-14-16
    name: 16 GiB
    notes: "with colons: and quotes ' \" "
    spec: {cpu.name: Lodestow Dab, cpu.cores: 10, cpu.threads: 16, cpu.boost_clock: 4.7 GHz, cpu.power_limit: 45 W, memory.size: 16 GiB, memory.channels: 2, memory.speed: 5600 MT/s, drive.sequential_read: 5000 MB/s, drive.sequential_write: 3900 MB/s, system.name: Strand OS 9}
    units: [{slug: fen-14-16-a, origin: bought, serial: "0007", received: "2026-09-14", state: on desk}]
    claims: [{measure: hashing/all, value: 12.5, unit: GBy/s, qualifier: up to, conditions: {supply: mains}, tolerance: 0.05, source: box, date: "2026-08-01"}]
    offers: [{amount: 104900, currency: EUR, region: DE, tax_included: true, condition: new, seller: Quayside Electric, date: "2026-11-16", voucher: {code: HARBOUR, amount: 5000}, contents: [charger, sleeve], list: true}]
rigs: [{slug: fen-rig, name: Fen with a box, parts: [{unit: fen-14-16-a, role: host}]}]
`

func TestADossierComesOutAsItWentIn(t *testing.T) {
	a, b := start(t), start(t)
	if err := send(a, "/api/dossiers", []byte(dossier)); err != nil {
		t.Fatal(err)
	}
	for _, suffix := range []string{"", ".json"} {
		var first, second []byte
		must(t, a.c.Do(context.Background(), http.MethodGet, "/api/dossiers/fen-14"+suffix, nil, nil, &first))
		must(t, send(b, "/api/dossiers", first))
		must(t, b.c.Do(context.Background(), http.MethodGet, "/api/dossiers/fen-14"+suffix, nil, nil, &second))
		if !bytes.Equal(first, second) {
			t.Errorf("out, in and out again differs:\n%s\n---\n%s", first, second)
		}
		for _, part := range []string{"Bog 14", "0007", "12.5", "HARBOUR", "sleeve", "Fen with a box", "5600 MT/s", "up to",
			"mains", "with colons"} {
			if !bytes.Contains(first, []byte(part)) {
				t.Errorf("the dossier lost %q:\n%s", part, first)
			}
		}
	}
}

func must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

func TestABadDossierSaysEverythingAndChangesNothing(t *testing.T) {
	r := start(t)
	bad := strings.NewReplacer("kind: laptop", "kind: boat", "16 GiB, memory.channels",
		"16 W, memory.channels").Replace(dossier)
	refused(t, send(r, "/api/dossiers", []byte(bad)), 422, "line 2, column ", "model.kind", "2 fault")
	bad = strings.NewReplacer("memory.size: 16 GiB", "memory.sise: 16 GiB", "hashing/all", "hashing/most",
		"unit: fen-14-16-a, role", "unit: nobody, role").Replace(dossier)
	refused(t, send(r, "/api/dossiers", []byte(bad)), 422, "3 faults, so nothing was taken in", "line 7, column ",
		"memory.sise", "line 9, column ", `no test yields "hashing/most"`, "line 11, column ", `no unit "nobody"`)
	if m := get[[]catalog.Model](r, "/api/models"); len(m) != 0 {
		t.Errorf("a refused dossier left %v", m)
	}
	must(t, send(r, "/api/dossiers?check_only=true", []byte(dossier)))
	if m := get[[]catalog.Model](r, "/api/models"); len(m) != 0 {
		t.Errorf("a checked dossier left %v", m)
	}
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	other := strings.NewReplacer("slug: fen-14,", "slug: fen-15,", "rigs:", "#").Replace(dossier)
	refused(t, send(r, "/api/dossiers", []byte(other)), 422, `variant "fen-14-16" belongs to model "fen-14" already`)
}

func TestCatalogueEntriesAreCheckedOneByOne(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	must(t, send(r, "/api/models", catalog.Model{Slug: "fen-15", Maker: "Selvane", Name: "Fen 15", Kind: "laptop",
		Succeeds: "fen-14"}))
	must(t, send(r, "/api/variants", catalog.Variant{Slug: "fen-15-32", Model: "fen-15", Name: "32 GiB",
		Spec: map[string]any{"memory.size": "32 GiB"}}))
	must(t, send(r, "/api/units", catalog.Unit{Slug: "fen-15-32-a", Variant: "fen-15-32", Origin: "borrowed"}))
	refused(t, send(r, "/api/models", catalog.Model{Slug: "Fen!", Maker: "S", Name: "F", Kind: "laptop"}), 422,
		"not an identifier")
	refused(t, send(r, "/api/variants", catalog.Variant{Slug: "x", Model: "fen-99", Name: "x"}), 404, `no model "fen-99"`)
	refused(t, send(r, "/api/units", catalog.Unit{Slug: "fen-14-16-a", Variant: "fen-15-32", Origin: "bought"}), 422,
		"belongs to variant")
	refused(t, send(r, "/api/claims", catalog.Claim{Variant: "fen-15-32", Measure: "hashing/all", Value: 3, Unit: "h",
		Source: "box"}), 422, "cannot be turned into")
	refused(t, send(r, "/api/offers", catalog.Offer{Variant: "fen-15-32", Amount: 1, Currency: "EUR", Condition: "new",
		Date: "soon"}), 422, "not a date")
	page := get[books.ModelPage](r, "/api/models/fen-15")
	if len(page.Lineage) != 1 || page.Lineage[0].Slug != "fen-14" ||
		len(get[books.ModelPage](r, "/api/models/fen-14").Successors) != 1 {
		t.Errorf("lineage %v", page.Lineage)
	}
}

func TestSignInOnceAndOnlyOnce(t *testing.T) {
	r := start(t)
	ctx := context.Background()
	stranger := client.New("http://"+r.addr, "")
	_, err := client.Get[any](ctx, stranger, "/api/models", nil)
	refused(t, err, 401, "sign in first")
	_, err = client.Get[any](ctx, client.New("http://"+r.addr, "guess"), "/api/models", nil)
	refused(t, err, 401, "unknown or expired")
	code, err := r.desk.Books.SignInCode(ctx, "")
	must(t, err)
	tok, err := client.Post[struct{ Token string }](ctx, stranger, "/api/sign-in", nil, map[string]string{"code": code})
	must(t, err)
	if _, err := client.Get[[]any](ctx, client.New("http://"+r.addr, tok.Token), "/api/models", nil); err != nil {
		t.Errorf("the fresh token does not serve: %v", err)
	}
	_, err = client.Post[any](ctx, stranger, "/api/sign-in", nil, map[string]string{"code": code})
	refused(t, err, 401, "spent or expired")
	signed := client.New("http://"+r.addr, tok.Token)
	must(t, signed.Do(ctx, http.MethodPost, "/api/sign-out", nil, nil, nil))
	_, err = client.Get[any](ctx, signed, "/api/models", nil)
	refused(t, err, 401, "unknown or expired")
	db, err := os.ReadFile(filepath.Join(r.dir, "durvek.db"))
	must(t, err)
	wal, _ := os.ReadFile(filepath.Join(r.dir, "durvek.db-wal"))
	if bytes.Contains(append(db, wal...), []byte(tok.Token)) {
		t.Error("the token stands in the database as it is")
	}

	// The console's cookie: set by the link, refused from another page.
	for to, want := range map[string]string{"/compare?x=1": "/compare?x=1", "//elsewhere.example": "/",
		"https://elsewhere.example": "/", "": "/"} {
		code, err := r.desk.Books.SignInCode(ctx, "")
		must(t, err)
		stay := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
		resp, err := stay.Get("http://" + r.addr + "/sign-in?code=" + code + "&to=" + url.QueryEscape(to))
		must(t, err)
		resp.Body.Close()
		if got := resp.Header.Get("Location"); got != want && got != "http://"+r.addr+want {
			t.Errorf("a link to %q leads to %q", to, got)
		}
	}
	code, err = r.desk.Books.SignInCode(ctx, "")
	must(t, err)
	jar := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	resp, err := jar.Get("http://" + r.addr + "/sign-in?code=" + code)
	must(t, err)
	cookies := resp.Cookies()
	if resp.Body.Close(); resp.StatusCode != 303 || len(cookies) != 1 || !cookies[0].HttpOnly ||
		cookies[0].SameSite != http.SameSiteStrictMode {
		t.Fatalf("status %d, cookies %v", resp.StatusCode, cookies)
	}
	for origin, want := range map[string]int{"http://" + r.addr: 200, "http://elsewhere.example": 403, "": 403} {
		req, _ := http.NewRequest(http.MethodPost, "http://"+r.addr+"/api/dossiers?check_only=true",
			strings.NewReader(dossier))
		req.AddCookie(cookies[0])
		if origin != "" {
			req.Header.Set("Origin", origin)
		}
		resp, err := http.DefaultClient.Do(req)
		must(t, err)
		resp.Body.Close()
		if resp.StatusCode != want {
			t.Errorf("origin %q: status %d, want %d", origin, resp.StatusCode, want)
		}
	}
}

// joined puts a plan on the bench and joins it as a simulated machine.
func joined(r *running, tests ...string) record.Joined {
	r.t.Helper()
	j, err := r.c.Join(context.Background(), planCode(r, "", tests...), "", record.Machine{Name: "fen", Boot: "boot-1",
		System: "Strand OS 9"})
	must(r.t, err)
	return j
}

func planCode(r *running, setup string, tests ...string) string {
	r.t.Helper()
	var steps []method.PlanStep
	for _, s := range tests {
		steps = append(steps, method.PlanStep{Test: s, Repeats: 3})
	}
	p, err := client.Post[method.Plan](context.Background(), r.c, "/api/plans", nil, map[string]any{"unit": "fen-14-16-a",
		"setup": setup, "steps": steps})
	must(r.t, err)
	c, err := client.Post[struct{ Code string }](context.Background(), r.c, "/api/plans/"+p.ID+"/codes", nil, nil)
	must(r.t, err)
	return c.Code
}

func runFor(j record.Joined, repeat int, rate float64) record.Run {
	return record.Run{ID: uuid.Must(uuid.NewV7()).String(), Test: "hashing", TestVersion: 1, Subject: j.Plan.Unit,
		Setup: j.Plan.Setup, Sitting: j.Sitting, Step: 0, Repeat: repeat,
		Started: time.Now(), Ended: time.Now(), Outcome: "done", Source: "agent",
		Observed: map[string]string{"runtime": "native"},
		Readings: []record.Reading{{Measure: "single", State: record.OK, Value: rate / 8}, {Measure: "all", State: record.OK,
			Value: rate}},
		Series: []record.Series{{Channel: "all", Unit: "MiBy/s", Times: []float64{0.1, 0.2}, Values: []float64{rate - 1,
			rate + 1}}}}
}

func TestARunIsCountedOnceHoweverOftenItIsSent(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	ctx := context.Background()
	for i, rate := range []float64{12000, 12100, 12200} {
		run := runFor(j, i, rate)
		for range 3 {
			must(t, r.c.SendRun(ctx, j.Token, run))
		}
	}
	page := get[figures.MeasurePage](r, "/api/measures/hashing/all")
	if len(page.Cells) != 1 || page.Cells[0].Estimate.N != 3 || page.Cells[0].Estimate.Median != 12100 {
		t.Fatalf("cells %+v", page.Cells)
	}
	list := get[struct{ Runs []record.Run }](r, "/api/runs", "subject", "fen-14-16-a")
	p := get[results.RunPage](r, "/api/runs/"+list.Runs[0].ID)
	if len(p.Run.Series) != 1 || p.Run.Series[0].Values[1] != p.Run.Readings[0].Value+1 ||
		p.Machine.System != "Strand OS 9" {
		t.Errorf("the run came back as %+v", p.Run)
	}
	must(t, r.c.Finish(ctx, j.Token))
	if b := get[record.BenchPlan](r, "/api/plans/"+j.Plan.ID); b.Plan.State != "done" || b.Done != 3 {
		t.Errorf("plan %s with %d runs", b.Plan.State, b.Done)
	}
	// The matrix in memory and the one that a restart reads from the database agree.
	before := get[compare.Comparison](r, "/api/ranking", "measure", "hashing/all")
	r.down()
	r.up()
	token, err := r.desk.Books.LocalToken(ctx)
	must(t, err)
	r.c.Token = token
	after := get[compare.Comparison](r, "/api/ranking", "measure", "hashing/all")
	a, _ := json.Marshal(before.Rows)
	b, _ := json.Marshal(after.Rows)
	if !bytes.Equal(a, b) {
		t.Errorf("before a restart %s\nafter it %s", a, b)
	}
}

func TestAnAgentMayOnlyDeliverItsOwnPlan(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	ctx := context.Background()
	_, err := client.Get[any](ctx, client.New("http://"+r.addr, j.Token), "/api/models", nil)
	refused(t, err, 403, "only deliver its plan")
	for name, spoil := range map[string]func(*record.Run){
		"not step":          func(x *record.Run) { x.Repeat = 7 },
		"not one of unit":   func(x *record.Run) { x.Sitting = "elsewhere" },
		"not a UUID":        func(x *record.Run) { x.ID = "run-1" },
		"above zero":        func(x *record.Run) { x.Readings[0].Value = -4 },
		"has no measure":    func(x *record.Run) { x.Readings[0].Measure = "most" },
		`no test "hashing `: func(x *record.Run) { x.TestVersion = 99 },
	} {
		run := runFor(j, 0, 100)
		spoil(&run)
		err := r.c.SendRun(ctx, j.Token, run)
		if !errors.Is(err, agent.ErrRefused) || !strings.Contains(err.Error(), name) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if n := get[struct{ Total int }](r, "/api/runs").Total; n != 0 {
		t.Errorf("%d refused runs were kept", n)
	}
	// A second agent on the same plan cannot count a job twice.
	first := runFor(j, 0, 100)
	must(t, r.c.SendRun(ctx, j.Token, first))
	second := runFor(j, 0, 200)
	if err := r.c.SendRun(ctx, j.Token, second); !errors.Is(err, agent.ErrRefused) || !strings.Contains(err.Error(),
		"has a run already") {
		t.Errorf("a second run of one job: %v", err)
	}
	// While it is at work, no other agent gets the unit; a code that was refused for that is not spent.
	code := planCode(r, "", "hashing")
	m := record.Machine{Name: "x", Boot: "y"}
	_, err = r.c.Join(ctx, code, "", m)
	refused(t, err, 409, "has an agent at work", "a unit has one at a time")
	must(t, r.c.Finish(ctx, j.Token))
	_, err = r.c.Join(ctx, strings.ToLower(code), "", m)
	must(t, err)
	_, err = r.c.Join(ctx, code, "", m)
	refused(t, err, 401, "unknown, spent or expired")
	_, err = r.c.Join(ctx, "AAAA-BBBB", "", m)
	refused(t, err, 401, "unknown, spent or expired")
}

func TestAnImpossiblePlanIsRefusedWithEveryReason(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	must(t, send(r, "/api/tests", []byte(ownTest)))
	err := send(r, "/api/plans", map[string]any{"unit": "nobody", "setup": "upside-down", "host": "nowhere",
		"steps": []method.PlanStep{{Test: "no-such", Repeats: 1}, {Test: "sheen", Repeats: 1}}})
	refused(t, err, 422, `no unit "nobody"`, `no setup "upside-down"`, `"nowhere" is known to be the host`,
		`no test "no-such"`, "entered by the desk")
	refused(t, send(r, "/api/plans", map[string]any{"unit": "fen-14-16-a", "steps": []method.PlanStep{}}), 422,
		"at least one test")
}

const ownTest = `format: durvek-test/1
slug: sheen
version: 1
name: Sheen
group: display
must_match: [display.luminance]
measures:
  - {slug: gloss, name: gloss, unit: cd/m², scale: ratio, better: lower, ceiling: 1000, repeatability: 0.02}
`

func TestATestOfOnesOwnIsLikeAnyOther(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	must(t, send(r, "/api/tests", []byte(ownTest)))
	typed := func(values map[string]string, conditions map[string]string) error {
		return send(r, "/api/readings", results.Typed{Test: "sheen", Subject: "fen-14-16-a", Conditions: conditions,
			Readings: values})
	}
	at := map[string]string{"display.luminance": "200 cd/m²"}
	must(t, typed(map[string]string{"gloss": "40"}, at))
	must(t, typed(map[string]string{"gloss": "39 to 43"}, at))
	refused(t, typed(map[string]string{"gloss": "2000", "shine": "3"}, at), 422, "cannot be above its ceiling",
		`no measure "shine"`)
	refused(t, typed(map[string]string{}, map[string]string{"mood": "good"}), 422, "no reading was given",
		`unknown condition "mood"`)
	c := get[compare.Comparison](r, "/api/ranking", "measure", "sheen/gloss")
	if len(c.Rows) != 1 || c.Rows[0].Estimate.N != 2 || c.Rows[0].Estimate.HalfWidth == 0 {
		t.Fatalf("rows %+v", c.Rows)
	}
	must(t, typed(map[string]string{"gloss": "20"}, nil)) // its luminance is unknown: a cell of its own
	if c := get[compare.Comparison](r, "/api/ranking", "measure", "sheen/gloss"); c.Rows[0].Estimate.N != 2 {
		t.Errorf("a reading of unknown luminance was averaged in: %+v", c.Rows[0].Estimate)
	}
	refused(t, send(r, "/api/tests", []byte(strings.Replace(ownTest, "better: lower", "better: higher", 1))), 422,
		"raise the version")
	must(t, send(r, "/api/tests", []byte(strings.Replace(ownTest, "name: Sheen", "name: Screen sheen", 1))))
	refused(t, send(r, "/api/tests", []byte(strings.Replace(ownTest, "slug: sheen", "slug: hashing", 1))), 422, "built-in")
	refused(t, send(r, "/api/tests", []byte(strings.Replace(ownTest, "unit: cd/m²", "unit: shine", 1))), 422,
		"line 8, column ", `unknown unit "shine"`)
}

func TestATableTakesAllRowsOrNone(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	must(t, send(r, "/api/tests", []byte(ownTest)))
	table := func(check bool, text string) (results.Table, error) {
		return client.Post[results.Table](context.Background(), r.c, "/api/tables", client.Query("check_only",
			fmt.Sprint(check)), []byte(text))
	}
	head := "unit,test,repeat,date,measure,value,condition:display.luminance\n"
	bad, err := table(false, head+"fen-14-16-a,sheen,0,2026-10-01,gloss,40,200\nfen-14-16-a,sheen,1,2026-10-01,gloss,lots,200\nnobody,sheen,0,2026-10-01,gloss,40,200\nfen-14-16-a,sheen,2\nfen-14-16-a,sheen,0,2026-10-01,gloss,41,200\n")
	must(t, err)
	var lines []int
	for _, x := range bad.Refused {
		lines = append(lines, x.Line)
	}
	if fmt.Sprint(lines) != "[3 4 5 6]" || bad.Written {
		t.Errorf("refused lines %v, written %v: %+v", lines, bad.Written, bad.Refused)
	}
	if n := get[struct{ Total int }](r, "/api/runs").Total; n != 0 {
		t.Fatalf("a refused table left %d runs", n)
	}
	good := head + "fen-14-16-a,sheen,0,2026-10-01,gloss,40,200\nfen-14-16-a,sheen,1,2026-10-01,gloss,\"41 to 43\",200\n"
	seen, err := table(true, good)
	must(t, err)
	if seen.Runs != 2 || seen.Written || get[struct{ Total int }](r, "/api/runs").Total != 0 {
		t.Errorf("the preview %+v", seen)
	}
	for k, want := range []results.Table{{Runs: 2, Written: true}, {Known: 2}} {
		got, err := table(false, good)
		must(t, err)
		if got.Runs != want.Runs || got.Known != want.Known || got.Written != want.Written {
			t.Errorf("taking it in for the %d. time: %+v", k+1, got)
		}
	}
	for text, says := range map[string]string{"\n": "the table is empty", "unit,test,value\n": `needs a column "measure"`,
		"unit,test,measure,value,colour\n": `"colour" is unknown`} {
		_, err := table(true, text)
		refused(t, err, 422, says)
	}
}

func TestAPartNeedsItsHost(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	must(t, send(r, "/api/dossiers", []byte("format: durvek-dossier/1\nmodel: {slug: wrack, maker: Ferrow, name: "+
		"Wrack, kind: drive}\nvariants: [{slug: wrack-1000, name: 1 TB, units: [{slug: wrack-a, origin: bought}]}]\n")))
	steps := []method.PlanStep{{Test: "drive-sequential", Repeats: 1}}
	refused(t, send(r, "/api/plans", map[string]any{"unit": "wrack-a", "steps": steps}), 422,
		"a drive is measured in a host")
	must(t, send(r, "/api/plans", map[string]any{"unit": "wrack-a", "host": "fen-14-16-a", "place": "left port",
		"steps": steps}))
	must(t, send(r, "/api/plans", map[string]any{"unit": "wrack-a", "host": "fen-rig", "steps": steps}))
	refused(t, send(r, "/api/plans", map[string]any{"unit": "wrack-a", "host": "fen-rig",
		"steps": []method.PlanStep{{Test: "hashing", Repeats: 1}}}), 422, "not meant for a drive")
}

// An agent loses the service in the middle of its plan, keeps its results and delivers them when the
// service is back. Nothing is lost and nothing is counted twice.
func TestTheServiceGoesAwayInTheMiddleOfAPlan(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	code := planCode(r, "", "hashing", "compression", "archive")
	v := get[catalog.DossierVariant](r, "/api/variants/fen-14-16")
	m := &simulate.Machine{Name: "fen", Spec: v.Spec, Seed: 3, Runtime: "native", Pace: 0.04}
	m.Setup = method.Setup{Conditions: map[string]string{"supply": "mains"}}
	events, end := r.desk.Desk.Events.Listen()
	worked := make(chan error, 1)
	var told []string
	dir := t.TempDir()
	go func() {
		_, err := agent.Work(context.Background(), agent.Options{Service: r.c, Machine: m, Code: code, Dir: dir,
			Retry: 10 * time.Millisecond,
			Log:   func(f string, v ...any) { told = append(told, fmt.Sprintf(f, v...)) }})
		worked <- err
	}()
	for e := range events { // the first run has arrived
		if e.Name == "run" {
			break
		}
	}
	end()
	r.down()
	waitFor(t, func() bool { files, _ := filepath.Glob(filepath.Join(dir, "outbox", "*.json")); return len(files) >= 2 })
	r.up()
	must(t, <-worked)
	if n := get2(r).Total; n != 9 {
		t.Errorf("%d runs arrived of 9", n)
	}
	if text := strings.Join(told, "\n"); !strings.Contains(text, "cannot be reached") || !strings.Contains(text,
		"is back") {
		t.Errorf("the agent said:\n%s", text)
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "outbox", "*")); len(left) != 0 {
		t.Errorf("delivered runs are still on disk: %v", left)
	}
}

// get2 counts runs with a token of the restarted service.
func get2(r *running) struct{ Total int } {
	r.t.Helper()
	token, err := r.desk.Books.LocalToken(context.Background())
	must(r.t, err)
	r.c = client.New("http://"+r.addr, token)
	return get[struct{ Total int }](r, "/api/runs")
}

func waitFor(t *testing.T, holds func() bool) {
	t.Helper()
	deadline := time.After(20 * time.Second)
	for !holds() {
		select {
		case <-deadline:
			t.Fatal("it never came to hold")
		case <-time.After(5 * time.Millisecond):
		}
	}
}

// An agent that was ended goes on where it was, from what its folder holds.
func TestAnAgentGoesOnAfterItWasEnded(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	code := planCode(r, "", "hashing", "archive")
	v := get[catalog.DossierVariant](r, "/api/variants/fen-14-16")
	dir := t.TempDir()
	work := func(ctx context.Context, code string, pace float64) error {
		m := &simulate.Machine{Name: "fen", Spec: v.Spec, Seed: 3, Runtime: "native", Pace: pace,
			Setup: method.Setup{Conditions: map[string]string{"supply": "mains"}}}
		_, err := agent.Work(ctx, agent.Options{Service: r.c, Machine: m, Code: code, Dir: dir, Retry: 10 * time.Millisecond})
		return err
	}
	ctx, stop := context.WithCancel(context.Background())
	events, end := r.desk.Desk.Events.Listen()
	ended := make(chan error, 1)
	go func() { ended <- work(ctx, code, 0.2) }()
	for e := range events {
		if e.Name == "run" {
			break
		}
	}
	end()
	stop()
	if err := <-ended; err == nil {
		t.Fatal("an interrupted agent says that all is done")
	}
	must(t, work(context.Background(), "", 0))
	if n := get[struct{ Total int }](r, "/api/runs").Total; n != 6 {
		t.Errorf("%d runs of 6", n)
	}
	if err := work(context.Background(), "", 0); err == nil || !strings.Contains(err.Error(), "no plan to go on with") {
		t.Errorf("after the plan: %v", err)
	}
}

func TestDepartingConditionsMakeACellOfTheirOwn(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	for i, supply := range []string{"mains", "mains", "battery"} {
		run := runFor(j, i, 12000-4000*float64(len(supply)%5%3)) // battery: a lower rate
		run.Observed["supply"] = supply
		must(t, r.c.SendRun(context.Background(), j.Token, run))
	}
	page := get[figures.MeasurePage](r, "/api/measures/hashing/all")
	if len(page.Cells) != 2 {
		t.Fatalf("%d cells, want one on mains and one on battery", len(page.Cells))
	}
	list := get[struct{ Runs []record.Run }](r, "/api/runs")
	for _, x := range list.Runs {
		p := get[results.RunPage](r, "/api/runs/"+x.ID)
		if (x.Observed["supply"] == "battery") != (len(p.Departures) == 1) {
			t.Errorf("run on %s has departures %v", x.Observed["supply"], p.Departures)
		}
	}
}

func TestEventsAreStreamed(t *testing.T) {
	r := start(t)
	must(t, send(r, "/api/dossiers", []byte(dossier)))
	j := joined(r, "hashing")
	req, _ := http.NewRequest(http.MethodGet, "http://"+r.addr+"/api/events", nil)
	req.Header.Set("Authorization", "Bearer "+r.c.Token)
	resp, err := http.DefaultClient.Do(req)
	must(t, err)
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	lines.Scan()
	_, err = r.c.SendProgress(context.Background(), j.Token, record.Progress{Phase: "warming up", Share: 0.25})
	must(t, err)
	for lines.Scan() {
		if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok && strings.Contains(data, "warming up") {
			var p record.Progress
			must(t, json.Unmarshal([]byte(data), &p))
			if p.Plan != j.Plan.ID || p.Share != 0.25 {
				t.Errorf("progress %+v", p)
			}
			return
		}
	}
	t.Error("the stream ended without the progress")
}

var demoData struct {
	once sync.Once
	dir  string
}

func TestMain(m *testing.M) {
	code := m.Run()
	os.RemoveAll(demoData.dir)
	os.Exit(code)
}

// filled is a service with the demo's catalogue, bench and review, without this machine. The demo is filled once;
// each test gets a copy of its data.
func filled(t testing.TB) *running {
	t.Helper()
	if testing.Short() {
		t.Skip("it fills a whole demo")
	}
	demoData.once.Do(func() {
		var err error
		demoData.dir, err = os.MkdirTemp("", "durvek-service-*")
		must(t, err)
		must(t, demodesk.Into(context.Background(), demoData.dir))
	})
	dir := filepath.Join(t.TempDir(), "data")
	must(t, os.CopyFS(dir, os.DirFS(demoData.dir)))
	return startIn(t, dir, 0)
}

func TestTheDemoShowsWhatWasPlanted(t *testing.T) {
	if testing.Short() {
		t.Skip("it fills a whole demo, or measures for seconds")
	}
	r := filled(t)
	if err := demo.Check(context.Background(), r.c); err == nil || !strings.Contains(err.Error(), "this machine") {
		t.Errorf("only this machine may be missing here: %v", err)
	}
	outcomes := map[claims.Outcome]int{}
	for _, j := range get[[]claims.Judged](r, "/api/claims") {
		outcomes[j.Verdict.Outcome]++
	}
	for _, o := range []claims.Outcome{claims.Held, claims.Beyond, claims.Short, claims.Open, claims.Untested} {
		if outcomes[o] == 0 {
			t.Errorf("no claim is %s: %v", o, outcomes)
		}
	}
	kinds := map[catalog.Kind]int{}
	for _, m := range get[[]catalog.Model](r, "/api/models") {
		kinds[m.Kind]++
	}
	for _, k := range []catalog.Kind{"laptop", "desktop", "mini-pc", "tablet", "phone"} {
		if kinds[k] == 0 {
			t.Errorf("no %s", k)
		}
	}
	if kinds["drive"] < 2 {
		t.Errorf("%d drives", kinds["drive"])
	}
	c := get[compare.Comparison](r, "/api/ranking", "measure", "hashing/all", "field", "laptops", "subject",
		"sound-16-32-1000", "relative", "predecessor")
	for _, row := range c.Rows {
		if row.Variant == "sound-14-16-512" && row.Relative.Value != 100 || row.Variant == "sound-16-32-1000" &&
			row.Relative.Lo < 120 {
			t.Errorf("relative to the predecessor %s is %+v", row.Variant, row.Relative)
		}
	}
}

func TestChartsComeAsSVGAndPNG(t *testing.T) {
	r := filled(t)
	q := client.Query("measure", "fan-noise/full-load", "field", "machines", "subject", "tern-mini-32-1000", "claims",
		"true", "raised", "true")
	var svg, picture []byte
	must(t, r.c.Do(context.Background(), http.MethodGet, "/api/charts/ranked.svg", q, nil, &svg))
	if !bytes.HasPrefix(svg, []byte("<svg ")) || !bytes.Contains(svg, []byte(`role="img"`)) || !bytes.Contains(svg,
		[]byte("Tamrisk Tern Mini (32 GiB, 1 TB): first of")) {
		t.Errorf("SVG %.200s", svg)
	}
	q.Set("format", "card")
	must(t, r.c.Do(context.Background(), http.MethodGet, "/api/charts/ranked.png", q, nil, &picture))
	img, err := png.Decode(bytes.NewReader(picture))
	must(t, err)
	if b := img.Bounds(); b.Dx() != 1920 || b.Dy() != 1080 {
		t.Errorf("the card is %v", b)
	}
	for path, says := range map[string]string{"/api/ranking?measure=no/such": `no measure "no/such"`,
		"/api/ranking?measure=hashing/all&field=none":   `no field "none"`,
		"/api/ranking?measure=hashing/all&setup=none":   `no setup "none"`,
		"/api/ranking?measure=hashing/all&subject=none": `no variant "none"`} {
		_, err := client.Get[any](context.Background(), r.c, path, nil)
		refused(t, err, 404, says)
	}
	_, err = client.Get[any](context.Background(), r.c,
		"/api/ranking?measure=hashing/all&subject=tern-mini-32-1000&relative=predecessor", nil)
	refused(t, err, 422, "no predecessor")
}

func TestAReviewIsGuardedAgainstLostChanges(t *testing.T) {
	if testing.Short() {
		t.Skip("it fills a whole demo, or measures for seconds")
	}
	r := filled(t)
	ctx := context.Background()
	a := get[verdict.Review](r, "/api/reviews/tern-mini")
	b := a
	save := func(x verdict.Review) error {
		return r.c.Do(ctx, http.MethodPut, "/api/reviews/tern-mini", nil, x, nil)
	}
	a.Summary = "First."
	must(t, save(a))
	b.Summary = "Second, from an old page."
	refused(t, save(b), 409, "changed meanwhile")
	sign := func(name string) error {
		return send(r, "/api/reviews/tern-mini/signature", map[string]string{"by": name})
	}
	refused(t, sign("Odo"), 422, "choose a recommendation")
	refused(t, send(r, "/api/reviews/tern-mini/editions", map[string]string{}), 409, "is not signed")
	c := get[verdict.Review](r, "/api/reviews/tern-mini")
	c.Recommendation = "splendid"
	if err := save(c); err == nil {
		t.Error("an unknown recommendation was taken")
	}
	c.Recommendation = "recommended"
	c.Findings[0].Text = "My own words."
	must(t, save(c))
	refused(t, sign(" "), 422, "name")
	must(t, sign("Odo"))
	must(t, send(r, "/api/reviews/tern-mini/editions", map[string]string{"note": "first"}))
	must(t, send(r, "/api/reviews/tern-mini/findings", nil))
	d := get[verdict.Review](r, "/api/reviews/tern-mini")
	mine := slices.IndexFunc(d.Findings, func(f verdict.Finding) bool { return f.Text == "My own words." && f.Edited })
	if d.Signed != nil || len(d.Editions) != 1 || mine < 0 {
		t.Errorf("after new findings: signed %v, editions %v, %+v", d.Signed, d.Editions, d.Findings)
	}
	refused(t, send(r, "/api/reviews", map[string]any{"subject": "tern-mini-32-1000", "slug": "tern-mini"}), 409,
		"there already")
}

func TestTheAPIsDescriptionIsUpToDate(t *testing.T) {
	r := start(t)
	d, err := service.New(r.desk, service.Options{}).OpenAPI()
	must(t, err)
	kept, err := os.ReadFile("../docs/openapi.json")
	must(t, err)
	if !bytes.Equal(bytes.TrimSpace(d), bytes.TrimSpace(kept)) {
		t.Error("docs/openapi.json differs from the handlers; run `make api`")
	}
	var served map[string]any
	must(t, r.c.Do(context.Background(), http.MethodGet, "/api/openapi.json", nil, nil, &served))
	if v, _ := served["openapi"].(string); !strings.HasPrefix(v, "3.1") {
		t.Errorf("OpenAPI %v", served["openapi"])
	}
}

func TestUnknownRoutesAndTheConsole(t *testing.T) {
	r := start(t)
	for path, want := range map[string]struct {
		status int
		says   string
	}{"/healthz": {200, "ok"}, "/": {200, "console"}, "/compare": {200, "console"}, "/assets/none.js": {404,
		"no such page"}, "/editions/x/1/": {401, "sign in"}, "/sign-in?code=no": {401, "spent or expired"}} {
		resp, err := http.Get("http://" + r.addr + path)
		must(t, err)
		var b bytes.Buffer
		b.ReadFrom(resp.Body)
		resp.Body.Close()
		if resp.StatusCode != want.status || !strings.Contains(b.String(), want.says) {
			t.Errorf("%s: %d %s", path, resp.StatusCode, b.String())
		}
	}
	_, err := client.Get[any](context.Background(), r.c, "/api/nothing", nil)
	refused(t, err, 404, "no such route")
	_, err = client.Get[any](context.Background(), r.c, "/editions/none/1/..%2f..%2fdurvek.db", nil)
	refused(t, err, 404)
}
