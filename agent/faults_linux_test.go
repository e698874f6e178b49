package agent_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	"durvek/agent"
	"durvek/client"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/desk/house"
	_ "durvek/machine"
	"durvek/service"
	"durvek/simulate"
	"durvek/workload"
)

// The test program plays three parts: the test itself, a service, and an agent on a simulated machine, each of the
// latter two in a process of its own that can be killed.
func TestMain(m *testing.M) {
	signal.Ignore(syscall.SIGXFSZ) // a full disk is an error, not an end
	switch os.Getenv("DURVEK_PART") {
	case "service":
		play(serve())
	case "agent":
		play(work())
	}
	os.Exit(m.Run())
}

func play(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(0)
}

func serve() error {
	ctx := context.Background()
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: os.Getenv("DURVEK_DIR"),
		Lease: 500 * time.Millisecond}, Tests: workload.Tests()})
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", os.Getenv("DURVEK_ADDR"))
	if err != nil {
		return err
	}
	token, err := d.Books.LocalToken(ctx)
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(os.Getenv("DURVEK_DIR"), "token"), []byte(token), 0o600); err != nil {
		return err
	}
	return service.New(d, service.Options{}).Serve(ctx, l)
}

// acknowledging keeps the ids of runs that the service acknowledged.
type acknowledging struct {
	*client.Client
	file *os.File
}

func (a acknowledging) SendRun(ctx context.Context, token string, r record.Run) error {
	err := a.Client.SendRun(ctx, token, r)
	if err == nil {
		fmt.Fprint(a.file, "\n"+r.ID+"\n") // on a line of its own also where a full disk cut the one before
	}
	return err
}

var sheet = map[string]any{"cpu.cores": 8, "cpu.threads": 16, "cpu.boost_clock": "4.4 GHz", "cpu.power_limit": "28 W",
	"memory.channels": 2, "memory.speed": "5600 MT/s",
	"drive.sequential_read": "5000 MB/s", "drive.sequential_write": "3900 MB/s", "drive.size": "1000 GB",
	"cooling.fans": 1, "battery.energy": "60 Wh"}

func work() error {
	dir := os.Getenv("DURVEK_DIR")
	file, err := os.OpenFile(filepath.Join(dir, "..", "acknowledged"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	m := &simulate.Machine{Name: "sample", Spec: sheet, Seed: 7, Pace: 0.002, Runtime: "native",
		Boot:  os.Getenv("DURVEK_BOOT"),
		Setup: method.Setup{Conditions: map[string]string{"supply": "mains", "power.mode": "default"}}}
	c := client.New("http://"+os.Getenv("DURVEK_ADDR"), "")
	_, err = agent.Work(context.Background(), agent.Options{Service: acknowledging{c, file}, Machine: m,
		Code: os.Getenv("DURVEK_CODE"), Dir: dir, Server: c.Server,
		Retry: 5 * time.Millisecond, Report: 20 * time.Millisecond, Log: func(f string, v ...any) {
			fmt.Fprintf(os.Stderr,
				f+"\n", v...)
		}})
	return err
}

// part is a process that plays a part.
type part struct {
	t     *testing.T
	env   []string
	cmd   *exec.Cmd
	said  *bytes.Buffer
	ended chan error
}

func (p *part) start(extra ...string) {
	p.said = &bytes.Buffer{}
	p.cmd = exec.Command(os.Args[0])
	p.cmd.Env, p.cmd.Stderr = append(append(os.Environ(), p.env...), extra...), p.said
	if err := p.cmd.Start(); err != nil {
		p.t.Fatal(err)
	}
	p.ended = make(chan error, 1)
	go func(c *exec.Cmd, ended chan error) { ended <- c.Wait() }(p.cmd, p.ended)
}

func (p *part) kill() {
	p.cmd.Process.Kill()
	<-p.ended
}

// full lets no file of the process grow, as on a full disk, or lets them again.
func (p *part) full(yes bool) {
	limit := uint64(unix.RLIM_INFINITY)
	if yes {
		limit = 1
	}
	unix.Prlimit(p.cmd.Process.Pid, unix.RLIMIT_FSIZE, &unix.Rlimit{Cur: limit, Max: unix.RLIM_INFINITY}, nil)
}

// wire carries connections to the service, until it is cut.
type wire struct {
	net.Listener
	to   string
	mu   sync.Mutex
	cut  bool
	open []net.Conn
}

func (w *wire) carry() {
	for {
		in, err := w.Accept()
		if err != nil {
			return
		}
		w.mu.Lock()
		out, err := net.Dial("tcp", w.to)
		if w.cut || err != nil {
			in.Close()
			if err == nil {
				out.Close()
			}
			w.mu.Unlock()
			continue
		}
		w.open = append(w.open, in, out)
		w.mu.Unlock()
		go func() { io.Copy(out, in); out.Close() }()
		go func() { io.Copy(in, out); in.Close() }()
	}
}

func (w *wire) set(cut bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.cut = cut
	if cut {
		for _, c := range w.open {
			c.Close()
		}
		w.open = nil
	}
}

func TestTwoHundredFaultsLoseNothingAndDoubleNothing(t *testing.T) {
	if testing.Short() {
		t.Skip("it kills processes for half a minute")
	}
	const faults = 200
	dir := t.TempDir()
	listen := func() net.Listener {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		return l
	}
	l := listen()
	address := l.Addr().String()
	l.Close()
	front := &wire{Listener: listen(), to: address}
	defer front.Close()
	go front.carry()

	deskDir, agentDir := filepath.Join(dir, "desk"), filepath.Join(dir, "agent")
	os.MkdirAll(agentDir, 0o700)
	server := &part{t: t, env: []string{"DURVEK_PART=service", "DURVEK_DIR=" + deskDir, "DURVEK_ADDR=" + address}}
	server.start()
	defer server.kill()
	c := client.New("http://"+address, "")
	ready := func() {
		t.Helper()
		for end := time.Now().Add(20 * time.Second); time.Now().Before(end); time.Sleep(5 * time.Millisecond) {
			if b, err := os.ReadFile(filepath.Join(deskDir, "token")); err == nil {
				c.Token = string(b)
				if c.Do(context.Background(), http.MethodGet, "/api/me", nil, nil, nil) == nil {
					return
				}
			}
		}
		t.Fatalf("the service does not answer: %s", server.said)
	}
	ready()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	ctx := context.Background()
	post := func(path string, in any) error { return c.Do(ctx, http.MethodPost, path, nil, in, nil) }
	must(post("/api/models", map[string]any{"slug": "sample", "maker": "Hythebrook", "name": "Sample", "kind": "laptop"}))
	must(post("/api/variants", map[string]any{"slug": "sample", "model": "sample", "name": "the one", "spec": sheet}))
	must(post("/api/units", map[string]any{"slug": "sample-a", "variant": "sample", "origin": "bought"}))

	rng := rand.New(rand.NewPCG(4, 200))
	var plans []method.Plan
	worker := &part{t: t, env: []string{"DURVEK_PART=agent", "DURVEK_DIR=" + agentDir,
		"DURVEK_ADDR=" + front.Addr().String(), "DURVEK_BOOT=first"}}
	code := func(plan string) string {
		x, err := client.Post[struct{ Code string }](ctx, c, "/api/plans/"+plan+"/codes", nil, nil)
		must(err)
		return "DURVEK_CODE=" + x.Code
	}
	next := func() {
		var steps []method.PlanStep
		for i := range 100 {
			steps = append(steps, method.PlanStep{Test: []string{"hashing", "archive", "drive-sequential", "wake-up",
				"memory-latency"}[i%5], Repeats: 4})
		}
		p, err := client.Post[method.Plan](ctx, c, "/api/plans", nil, map[string]any{"unit": "sample-a",
			"setup": method.AsDelivered, "name": fmt.Sprint("plan ", len(plans)), "steps": steps})
		must(err)
		plans = append(plans, p)
		worker.start(code(p.ID))
	}
	next()
	counts := map[string]int{}
	// An agent that ended by itself was done, or was killed before it could write down its session.
	again := func() {
		select {
		case err := <-worker.ended:
			said := worker.said.String()
			b, gone := client.Get[record.BenchPlan](ctx, c, "/api/plans/"+plans[len(plans)-1].ID, nil)
			must(gone)
			switch {
			case err == nil, b.Plan.State == "done": // killed after its last word
				next()
			case strings.Contains(said, "there is no plan to go on with"), strings.Contains(said, "has an agent at work"),
				strings.Contains(said, "no results can be kept"):
				time.Sleep(600 * time.Millisecond) // the lease of its own former self
				worker.start(code(plans[len(plans)-1].ID))
			default:
				t.Fatalf("the agent ended: %v, %s", err, said)
			}
		default:
		}
	}
	moment := func(most int) { time.Sleep(time.Duration(2+rng.IntN(most)) * time.Millisecond) }
	for range faults {
		moment(60)
		again()
		kind := []string{"agent killed", "agent killed", "service killed", "connection cut", "agent's disk full",
			"service's disk full"}[rng.IntN(6)]
		counts[kind]++
		switch kind {
		case "agent killed":
			worker.kill()
			worker.start("DURVEK_CODE=")
		case "service killed":
			server.kill()
			moment(30)
			server.start()
			ready()
		case "connection cut":
			front.set(true)
			moment(60)
			front.set(false)
		case "agent's disk full":
			worker.full(true)
			moment(60)
			worker.full(false)
		case "service's disk full":
			server.full(true)
			moment(60)
			server.full(false)
		}
	}
	select {
	case err := <-worker.ended:
		if err != nil {
			t.Fatalf("the agent ended: %v, %s", err, worker.said)
		}
	case <-time.After(2 * time.Minute):
		t.Fatalf("the plan does not end: %s", worker.said)
	}

	type list struct {
		Runs  []record.Run
		Total int
	}
	known, done := map[string]bool{}, 0
	for i, p := range plans {
		jobs := map[method.Job]int{}
		for offset := 0; ; offset += 500 {
			l, err := client.Get[list](ctx, c, "/api/runs", client.Query("plan", p.ID, "limit", "500", "offset",
				fmt.Sprint(offset)))
			must(err)
			for _, r := range l.Runs {
				if known[r.ID] {
					t.Errorf("run %s is there twice", r.ID)
				}
				known[r.ID] = true
				jobs[method.Job{Step: r.Step, Repeat: r.Repeat, Test: r.Test}]++
				if r.Outcome == "done" {
					done++
				}
			}
			if len(l.Runs) < 500 {
				break
			}
		}
		for _, j := range p.Jobs() {
			if jobs[j] != 1 {
				t.Errorf("plan %d: step %d, repeat %d has %d runs", i+1, j.Step+1, j.Repeat+1, jobs[j])
			}
		}
	}
	b, err := os.ReadFile(filepath.Join(dir, "acknowledged"))
	must(err)
	acknowledged := slices.DeleteFunc(strings.Fields(string(b)), func(id string) bool { return len(id) != 36 })
	slices.Sort(acknowledged)
	for _, id := range slices.Compact(acknowledged) {
		if !known[id] {
			t.Errorf("run %s was acknowledged and is lost", id)
		}
	}
	// What the estimates rest on is every finished run once.
	counted := 0
	for _, test := range []string{"hashing/all", "archive/pack", "drive-sequential/read", "wake-up/idle-median",
		"memory-latency/main"} {
		x, err := client.Get[struct {
			Rows []struct{ Estimate struct{ N int } }
		}](ctx, c, "/api/ranking", client.Query("measure", test))
		must(err)
		for _, r := range x.Rows {
			counted += r.Estimate.N
		}
	}
	if counted != done {
		t.Errorf("estimates rest on %d readings, %d runs were done", counted, done)
	}
	incidents, err := client.Get[struct {
		Incidents []record.Incident
		Total     int
	}](ctx, c, "/api/incidents", client.Query("unit", "sample-a", "limit", "500"))
	must(err)
	broken := interruptions(t, incidents.Incidents, known, counts["agent killed"])
	if left, _ := filepath.Glob(filepath.Join(agentDir, "outbox", "*")); len(left) != 0 {
		t.Errorf("left behind %v", left)
	}
	t.Logf("%v in %d plans: %d runs, %d acknowledged, %d interruptions noted", counts, len(plans), len(known),
		len(acknowledged),
		broken)
}

// interruptions counts those of a killed agent whose machine went on: none of them is a crash.
func interruptions(t *testing.T, incidents []record.Incident, known map[string]bool, kills int) (broken int) {
	t.Helper()
	for _, x := range incidents {
		if x.Kind == record.Crash {
			t.Errorf("a crash of a machine that went on: %+v", x)
		}
		if x.Kind != record.Interruption {
			continue
		}
		broken++
		if x.Step == nil || known[x.Run] || x.At.IsZero() {
			t.Errorf("incident %+v", x)
		}
	}
	if broken == 0 || broken > kills {
		t.Errorf("%d interruptions were noted of %d kills", broken, kills)
	}
	return broken
}
