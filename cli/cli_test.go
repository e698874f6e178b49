package cli_test

import (
	"bufio"
	"bytes"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"

	"durvek/internal/tab"
)

// bed is the built program, a data folder that `durvek demo --once` has filled, and a copy of it that no test adds to.
var bed struct{ program, data, fresh, log string }

func TestMain(m *testing.M) {
	flag.Parse()
	if testing.Short() { // what needs the program and the demo is left out
		os.Exit(m.Run())
	}
	os.Exit(run(m))
}

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "durvek-cli-*")
	must(err)
	defer os.RemoveAll(dir)
	bed.program, bed.data = filepath.Join(dir, "durvek"), filepath.Join(dir, "data")
	build := exec.Command("go", "build", "-o", bed.program, "durvek/cmd/durvek")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "build: %v\n%s", err, out)
		return 1
	}
	out, err := exec.Command(bed.program, "demo", "--listen", "127.0.0.1:0", "--data", bed.data, "--once").CombinedOutput()
	bed.log = string(out)
	if err != nil {
		fmt.Fprintf(os.Stderr, "demo --once: %v\n%s", err, out)
		return 1
	}
	bed.fresh = filepath.Join(dir, "fresh")
	must(os.CopyFS(bed.fresh, os.DirFS(bed.data)))
	return m.Run()
}

func must(err error) {
	if err != nil {
		panic(err)
	}
}

// whole leaves a test out where the program was not built.
func whole(t *testing.T) {
	t.Helper()
	if testing.Short() {
		t.Skip("it needs the program and the demo's data")
	}
}

// serve starts the service on the demo's data as a process and ends it with the test.
func serve(t *testing.T, data string) (server, link string) {
	t.Helper()
	return serveAs(t, data, "Marram Desk")
}

// serveAs starts a service of a desk of some name.
func serveAs(t *testing.T, data, name string) (server, link string) {
	t.Helper()
	whole(t)
	cmd := exec.Command(bed.program, "serve", "--listen", "127.0.0.1:0", "--data", data, "--name", name)
	stdout, err := cmd.StdoutPipe()
	must(err)
	cmd.Stderr = os.Stderr
	must(cmd.Start())
	lines := bufio.NewScanner(stdout)
	for lines.Scan() {
		if m := regexp.MustCompile(`(http://[^,\s]+)/sign-in\?code=\S+`).FindStringSubmatch(lines.Text()); m != nil {
			server, link = m[1], m[0]
			break
		}
	}
	if server == "" {
		t.Fatal("the service printed no sign-in link")
	}
	go io.Copy(io.Discard, stdout)
	t.Cleanup(func() {
		must(cmd.Process.Signal(syscall.SIGTERM))
		if err := cmd.Wait(); err != nil {
			t.Errorf("the service ended with %v", err)
		}
		if _, err := os.Stat(filepath.Join(data, "local-service.json")); err == nil {
			t.Error("the ended service left its address behind")
		}
	})
	return server, link
}

type result struct {
	status   int
	out, err string
}

// call runs the program with its own settings folder, so that nothing of the tester's is used.
func call(t *testing.T, home string, args ...string) result {
	t.Helper()
	whole(t)
	cmd := exec.Command(bed.program, args...)
	cmd.Env = []string{"HOME=" + home, "XDG_CONFIG_HOME=" + home, "PATH=" + os.Getenv("PATH")}
	cmd.Dir = home
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	if _, exit := err.(*exec.ExitError); err != nil && !exit {
		t.Fatal(err)
	}
	return result{cmd.ProcessState.ExitCode(), out.String(), errs.String()}
}

func (r result) want(t *testing.T, status int, says ...string) {
	t.Helper()
	if r.status != status {
		t.Errorf("status %d, want %d\n%s%s", r.status, status, r.out, r.err)
	}
	for _, s := range says {
		if !strings.Contains(r.out+r.err, s) {
			t.Errorf("nothing says %q:\n%s%s", s, r.out, r.err)
		}
	}
	if status != 0 && (!strings.HasPrefix(r.err, "durvek: ") || strings.Contains(r.err, "Usage:")) {
		t.Errorf("an error is one sentence that begins with the program's name: %q", r.err)
	}
}

func TestTheDemoFillsChecksAndEnds(t *testing.T) {
	whole(t)
	for _, s := range []string{"sign-in?code=", "This machine is measured.", "Checked: every planted case is there."} {
		if !strings.Contains(bed.log, s) {
			t.Errorf("the demo did not say %q:\n%s", s, bed.log)
		}
	}
	if left, _ := filepath.Glob(filepath.Join(bed.data, ".durvek-*")); len(left) > 0 {
		t.Errorf("the measurements left %v", left)
	}
}

func TestCommandsOnTheDemosData(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}

	do("model", "list").want(t, 0, "Hythebrook Sound 16", "Ardnoe Quay Box", "sound-14")
	do("model", "show", "sound-16").want(t, 0, "which succeeded Hythebrook Sound 12", "Skarn Eleven", "1,549.00 EUR")
	do("variant", "list", "--model", "fen-14").want(t, 0, "fen-14-32-1000")
	do("variant", "show", "fen-14-16-512").want(t, 0, "Lodestow Dab", "cpu.boost_clock")
	do("unit", "list").want(t, 0, "this-machine-a")
	do("claim", "check", "fen-14-16-512").want(t, 0, "short", "beyond", "held", "undecided", "best of 3 readings")
	do("offer", "list", "--variant", "fen-14-16-512").want(t, 0, "with voucher HARBOUR (50.00 EUR off)")
	do("test", "show", "drive-random").want(t, 0, "one at a time", "lower is better")
	do("setup", "list").want(t, 0, "power.mode=fast")
	do("vocabulary", "specs").want(t, 0, "drive.endurance")
	do("vocabulary", "conditions").want(t, 0, "display.luminance")
	do("vocabulary", "units").want(t, 0, "[lb_av]")
	do("plan", "list").want(t, 0, "Short plan, really measured", "21 of 21")
	do("run", "list", "--unit", "relay-15-16-512-a", "--test", "hashing").want(t, 0, "5 of 5 runs")
	do("measure", "show", "hashing/all").want(t, 0, "One run of this test is good to", "this-machine-a")
	do("field", "list").want(t, 0, "crew laptops")
	do("review", "show", "fen-14").want(t, 0, "recommended for some", "promised up to 13 h, measured 11 h 13 min: 12 % "+
		"short")
	do("edition", "list", "fen-14").want(t, 0, "First edition")
	do("dossier", "schema").want(t, 0, "json-schema.org/draft/2020-12")
	do("token", "list").want(t, 0, "this computer")

	r := do("rank", "show", "survey-export/time", "--field", "machines", "--subject", "fen-14-16-512")
	r.want(t, 0, "lower is better", "» Selvane Fen 14", "> 30 min", "Not ranked: Hythebrook Sound 12: not comparable: "+
		"program version 2.9, not 3.2")
	if strings.Index(r.out, "Wexcombe Harbour Tower") > strings.Index(r.out, "Thrunby Relay Desk") {
		t.Error("the faster machine does not come first")
	}
	var c struct {
		Rows []struct {
			Variant  string
			Estimate struct{ Centre float64 }
		}
	}
	must(json.Unmarshal([]byte(do("rank", "show", "hashing/all", "--field", "machines", "--json").out), &c))
	found := false
	for i, row := range c.Rows {
		found = found || row.Variant == "this-machine"
		if i > 0 && row.Estimate.Centre > c.Rows[i-1].Estimate.Centre {
			t.Error("the higher rate does not come first")
		}
	}
	if !found {
		t.Error("this machine is not ranked")
	}

	for _, name := range []string{"chart.png", "chart.svg"} {
		do("rank", "show", "hashing/all", "--subject", "this-machine", "-o", name, "--dark").want(t, 0, "Written to "+name)
		if b, err := os.ReadFile(filepath.Join(home, name)); err != nil || len(b) < 5000 {
			t.Errorf("%s: %d bytes, %v", name, len(b), err)
		}
	}
	do("dossier", "export", "fen-14", "-o", "fen.yaml").want(t, 0)
	do("dossier", "check", "fen.yaml").want(t, 0, "Nothing wrong, nothing written")
	do("dossier", "import", "fen.yaml").want(t, 0, "Taken in: fen-14 with 2 variants")
	do("edition", "write", "fen-14", "--number", "1", "-o", "site").want(t, 0, filepath.Join("site", "index.html"))
	do("edition", "write", "fen-14", "--number", "1", "-o", "site").want(t, 1, "is there already")
}

func TestAReviewFromTheCommandLine(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	do("review", "add", "skiff-14-16-1000", "--slug", "skiff", "--field", "laptops").want(t, 0, "Ardnoe Skiff 14 (skiff)")
	do("edition", "publish", "skiff").want(t, 1, "is not signed as it stands")
	do("review", "sign", "skiff", "--by", "Odo").want(t, 1, "write the summary before signing")
	do("review", "set", "skiff", "--recommendation", "not recommended", "--summary", "Loud.", "--weakness",
		"The hinge creaks.").want(t, 0, "The hinge creaks.")
	do("review", "set", "skiff", "--hide", "no-such").want(t, 1, `no finding "no-such"`)
	do("review", "sign", "skiff", "--by", "Odo").want(t, 0, "Signed by Odo")
	do("edition", "publish", "skiff", "--note", "first").want(t, 0, "Edition 1 of skiff is in skiff-edition-1")
	b, err := os.ReadFile(filepath.Join(home, "skiff-edition-1", "index.html"))
	if err != nil || !bytes.Contains(b, []byte("The hinge creaks.")) {
		t.Errorf("the edition's page: %v", err)
	}
	do("edition", "publish", "skiff", "-o", "skiff-edition-1").want(t, 1, "is there already")
	do("edition", "list", "skiff").want(t, 0, "first")
}

func TestReadingsFromTheCommandLine(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	do("reading", "add", "cuddy-8-256-a", "weight", "weight=410 g").want(t, 0, "1 reading")
	do("reading", "add", "cuddy-8-256-a", "weight", "weight=light").want(t, 1, "does not start with a number")
	do("reading", "add", "cuddy-8-256-a", "weight").want(t, 2, "usage: durvek reading add UNIT TEST")
	do("reading", "add", "cuddy-8-256-a", "weight", "410").want(t, 2, "not key=value")
	must(os.WriteFile(filepath.Join(home, "t.csv"),
		[]byte("unit,test,measure,value\ncuddy-8-256-a,weight,weight,0.41\nnobody,weight,weight,1\n"), 0o644))
	do("table", "import", "t.csv").want(t, 1, "Nothing was written.", `no unit "nobody"`, "1 refusal")
	do("table", "import", "no-such.csv").want(t, 1, "read no-such.csv: no such file")
	do("test", "import", "t.csv").want(t, 1, "line 1")
	do("offer", "add", "cuddy-8-256", "--price", "199 EUR", "--seller", "Bellbuoy", "--region", "DE", "--date",
		"2026-11-20", "--voucher", "TIDE=20").want(t, 0, "199.00 EUR", "TIDE (20.00 EUR off)")
	do("offer", "add", "cuddy-8-256", "--price", "cheap").want(t, 2, "--price takes an amount and a currency")
	do("claim", "add", "cuddy-8-256", "--measure", "weight/weight", "--value", "0.9 lb", "--source", "box").want(t, 0,
		"is noted")
	do("setup", "add", "dim", "--name", "Dim", "--condition", "mood=low").want(t, 1, `unknown condition "mood"`)
}

func TestFrameTimesFromTheCommandLine(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	var table strings.Builder
	table.WriteString("frame,frame_ms,made\n")
	for i := range 1500 {
		fmt.Fprintf(&table, "%d,%d,%d\n", i, 8+8*(i%2), i%2)
	}
	must(os.WriteFile(filepath.Join(home, "f.csv"), []byte(table.String()), 0o644))
	// Reading alone needs no service.
	call(t, home, "frames", "read", "f.csv", "--column", "frame_ms").want(t, 0, "83.33 frames/s", "1500 frames in 18.0 s",
		"type-7 quantile", "stand well from 6000 on")
	call(t, home, "frames", "read", "f.csv", "--column", "frame_ms", "--generated", "made").want(t, 0,
		"Shown, with generated frames", "41.67 frames/s")
	call(t, home, "frames", "read", "f.csv", "--column", "frame_ms", "--json").want(t, 0, `"mean":83.33`)
	call(t, home, "frames", "read", "f.csv").want(t, 1, "say which column holds the frame times; there are frame, "+
		"frame_ms, made")
	call(t, home, "frames", "read", "none.csv").want(t, 1, "no such file")
	do("frames", "add", "f.csv", "--test", "harbour-flight", "--unit", "fen-14-32-1000-a", "--column", "frame_ms",
		"--condition", "content=harbour replay", "--condition", "program.version=3.1").want(t, 0, "mean: 83.33",
		"Recorded as run")
	do("frames", "add", "f.csv", "--test", "hashing", "--unit", "fen-14-32-1000-a", "--column", "frame_ms").want(t, 1,
		"does not read frame times")
	do("rank", "show", "harbour-flight/mean", "--field", "laptops").want(t, 0, "Hythebrook Sound 16", "83.3")
}

func TestTheServicesCertificatesFromTheCommandLine(t *testing.T) {
	home := t.TempDir()
	call(t, home, "serve", "--listen", "127.0.0.1:0", "--data", "d", "--certificate", "c.pem").want(t, 1,
		"needs both --certificate and --key")
	call(t, home, "serve", "--listen", "127.0.0.1:0", "--data", "d", "--certificate", "c.pem", "--key", "k.pem").want(t, 1,
		"read the certificate c.pem")
	server, _ := serve(t, bed.data)
	r, err := http.Get(server + "/probe/authority.crt")
	must(err)
	der, err := io.ReadAll(r.Body)
	must(errors.Join(err, r.Body.Close()))
	authority, err := x509.ParseCertificate(der)
	must(err)
	pool := x509.NewCertPool()
	pool.AddCert(authority)
	secure := http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}}}
	if r, err = secure.Get(strings.Replace(server, "http:", "https:", 1) + "/probe/"); err != nil ||
		r.StatusCode != http.StatusOK {
		t.Errorf("the probe over TLS: %v", err)
	}
}

// TestTheAgentOpensTheMachinesBrowser makes a plan of both kinds of tests with one agent, which its owner allowed a
// browser.
func TestTheAgentOpensTheMachinesBrowser(t *testing.T) {
	server, _ := serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	id := func(r result) string {
		t.Helper()
		var x struct{ ID, Code string }
		if err := json.Unmarshal([]byte(r.out), &x); err != nil {
			t.Fatalf("%v: %s%s", err, r.out, r.err)
		}
		return x.ID + x.Code
	}
	plan := id(do("plan", "add", "this-machine-a", "--tests", "hashing,graphics-arithmetic", "--repeats", "1", "--name",
		"With a browser", "--json"))
	do("plan", "code", plan).want(t, 0, server+"/probe/#", "durvek agent --code", "listens on this computer alone")
	code := id(do("plan", "code", plan, "--json"))
	args := []string{"agent", "--server", server, "--code", code, "--keep", "keep", "--seconds", "0.2", "--browser",
		tab.Chromium()}
	for _, x := range []string{"--headless=new", "--no-sandbox", "--use-angle=swiftshader",
		"--enable-unsafe-swiftshader"} {
		args = append(args, "--browser-arg", x)
	}
	call(t, home, args...).want(t, 0, "2 runs done, 0 failed, 0 not run")
	do("run", "list", "--unit", "this-machine-a", "--test", "graphics-arithmetic").want(t, 0, "1 of 1 runs")
	do("rank", "show", "graphics-arithmetic/f32", "--field", "machines", "--subject", "this-machine").want(t, 0,
		"not comparable: renderer hardware, not software; runtime in browser, simulated engine 1")
}

func TestExitStatuses(t *testing.T) {
	server, link := serve(t, bed.data)
	home := t.TempDir()
	call(t, home, "model", "list").want(t, 3, "say where it is with --server or --data")
	call(t, home, "--server", "http://127.0.0.1:1", "--token", "x", "model", "list").want(t, 3, "cannot be reached")
	call(t, home, "--server", server, "--token", "wrong", "model", "list").want(t, 3, "unknown or expired")
	call(t, home, "--server", "nonsense", "model", "list").want(t, 2, "is no address")
	call(t, home, "--data", home, "model", "list").want(t, 3, "no service is running on the data folder")
	call(t, home, "modle").want(t, 2, "unknown command")
	call(t, home, "model").want(t, 2, "add, archive, clear, drop, list, show, unarchive")
	call(t, home, "model", "lits").want(t, 2, `"lits" is no verb`)
	call(t, home, "model", "list", "--colour").want(t, 2, "unknown flag")
	call(t, home, "field", "add", "x", "--kind", "drive").want(t, 2, "unknown flag: --kind; near is kinds")
	call(t, home, "model", "show").want(t, 2, "usage: durvek model show SLUG")
	call(t, home, "--data", bed.data, "model", "show", "nothing").want(t, 1, `no model "nothing" is known here`)
	call(t, home, "--data", bed.data, "rank", "show", "hashing/all", "-o", "chart.gif").want(t, 2, ".svg or .png")
	call(t, home, "agent", "--server", server, "--code", "AAAA-BBBB", "--keep", "agent").want(t, 3,
		"unknown, spent or expired")
	call(t, home, "agent", "--keep", "agent").want(t, 2, "no plan to go on with")
	call(t, home, "serve", "--listen", strings.TrimPrefix(server, "http://")).want(t, 1, "address already in use")

	call(t, home, "sign-in", "http://nowhere").want(t, 2, "is no sign-in link")
	call(t, home, "sign-in", link).want(t, 0, "Signed in")
	call(t, home, "model", "list").want(t, 0, "Fen 14")
	call(t, home, "sign-in", link).want(t, 3, "spent or expired")
	call(t, home, "token", "add", "export").want(t, 0)
	call(t, home, "token", "add", "export").want(t, 1, "there already")
	call(t, home, "token", "drop", "export").want(t, 0, "is ended")
}

func TestTheAgentMeasuresThisMachine(t *testing.T) {
	server, _ := serve(t, bed.data)
	home := t.TempDir()
	r := call(t, home, "--data", bed.data, "plan", "add", "this-machine-a", "--tests", "hashing", "--repeats", "2",
		"--name", "again")
	r.want(t, 0, "On the machine, within an hour")
	code := regexp.MustCompile(`--code (\S+)`).FindStringSubmatch(r.out)[1]
	r = call(t, home, "agent", "--server", server, "--code", code, "--seconds", "0.1", "--keep", "keep")
	r.want(t, 0, "1 of 2: Hashing, repeat 1", "about", "2 runs done, 0 failed, 0 not run, all delivered.")
	if strings.Contains(r.out, "\x1b") {
		t.Error("escape sequences outside a terminal")
	}
	call(t, home, "--data", bed.data, "plan", "list").want(t, 0, "again")
	if left, _ := filepath.Glob(filepath.Join(home, "keep", "outbox", "*")); len(left) > 0 {
		t.Errorf("left in the outbox: %v", left)
	}
}

var example = regexp.MustCompile(`(?s)Examples:\n\s+(durvek [^\n]+)`)

func TestEveryCommandHasHelpWithAWorkedExample(t *testing.T) {
	home := t.TempDir()
	var visit func(path []string)
	var seen atomic.Int64
	var asked sync.WaitGroup
	gate := make(chan struct{}, 4)
	visit = func(path []string) {
		gate <- struct{}{}
		out := call(t, home, append(path, "--help")...).out
		<-gate
		list, ok := strings.CutPrefix(out[max(0, strings.Index(out, "Available Commands:")):], "Available Commands:\n")
		if ok {
			list, _, _ = strings.Cut(list, "\n\n")
			for _, line := range strings.Split(list, "\n") {
				if name := strings.Fields(line); len(name) > 0 && name[0] != "completion" && name[0] != "help" {
					asked.Go(func() { visit(append(slices.Clone(path), name[0])) })
				}
			}
			return
		}
		seen.Add(1)
		m := example.FindStringSubmatch(out)
		if m == nil || !strings.HasPrefix(m[1], "durvek "+strings.Join(path, " ")) {
			t.Errorf("durvek %s has no worked example", strings.Join(path, " "))
		}
	}
	visit(nil)
	asked.Wait()
	if n := seen.Load(); n < 40 {
		t.Errorf("only %d commands were found", n)
	}
}

func TestHealthAnswersWithoutSigningIn(t *testing.T) {
	server, _ := serve(t, bed.data)
	resp, err := http.Get(server + "/healthz")
	must(err)
	defer resp.Body.Close()
	if resp.StatusCode != 200 {
		t.Errorf("status %d", resp.StatusCode)
	}
}
