package bench

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"durvek/client"
	"durvek/core/method"
	"durvek/core/record"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/machine"
	"durvek/service"
	"durvek/trace"
	"durvek/workload"
)

// ingest is the service in a process of its own, so that its share of a core can be told from its clients'.
func ingest(dir string) error {
	ctx := context.Background()
	d, err := house.Open(ctx, house.Options{Options: desk.Options{Dir: dir}, Tests: workload.Tests()})
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	token, err := d.Books.LocalToken(ctx)
	if err != nil {
		return err
	}
	b, _ := json.Marshal([]string{"http://" + l.Addr().String(), token})
	if err := os.WriteFile(filepath.Join(dir, "address.part"), b, 0o600); err != nil {
		return err
	}
	if err := os.Rename(filepath.Join(dir, "address.part"), filepath.Join(dir, "address")); err != nil {
		return err
	}
	return service.New(d, service.Options{}).Serve(ctx, l)
}

// processorSeconds is what a process has used.
func processorSeconds(b *testing.B, pid int) float64 {
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		b.Skip("this system does not tell what a process used")
	}
	f := strings.Fields(string(stat[strings.LastIndexByte(string(stat), ')')+1:]))
	user, _ := strconv.ParseFloat(f[11], 64)
	system, _ := strconv.ParseFloat(f[12], 64)
	return (user + system) / 100
}

// BenchmarkFiftyAgents reports from fifty agents, ten samples a second of six channels each, a report a second:
// spread over the second, then all at the same moment.
func BenchmarkFiftyAgents(b *testing.B) {
	const agents, seconds = 50, 20
	dir := b.TempDir()
	cmd := exec.Command(os.Args[0])
	cmd.Env, cmd.Stderr = append(os.Environ(), "DURVEK_INGEST="+dir), os.Stderr
	if err := cmd.Start(); err != nil {
		b.Fatal(err)
	}
	defer func() { cmd.Process.Kill(); cmd.Wait() }()
	var at []string
	for at == nil {
		if data, err := os.ReadFile(filepath.Join(dir, "address")); err == nil {
			json.Unmarshal(data, &at)
		}
		time.Sleep(10 * time.Millisecond)
	}
	c := client.New(at[0], at[1])
	ctx := context.Background()
	post := func(path string, in any) {
		if err := c.Do(ctx, http.MethodPost, path, nil, in, nil); err != nil {
			b.Fatal(err)
		}
	}
	post("/api/models", map[string]any{"slug": "sample", "maker": "Hythebrook", "name": "Sample", "kind": "laptop"})
	post("/api/variants", map[string]any{"slug": "sample", "model": "sample", "name": "the one"})
	tokens := make([]string, agents)
	for i := range tokens {
		unit := fmt.Sprintf("sample-%d", i)
		post("/api/units", map[string]any{"slug": unit, "variant": "sample", "origin": "bought"})
		p, err := client.Post[method.Plan](ctx, c, "/api/plans", nil, map[string]any{"unit": unit,
			"steps": []method.PlanStep{{Test: "hashing", Repeats: 1}}})
		if err != nil {
			b.Fatal(err)
		}
		code, err := client.Post[struct{ Code string }](ctx, c, "/api/plans/"+p.ID+"/codes", nil, nil)
		if err != nil {
			b.Fatal(err)
		}
		j, err := c.Join(ctx, code.Code, "", record.Machine{Name: unit, Boot: unit, Simulated: true})
		if err != nil {
			b.Fatal(err)
		}
		tokens[i] = j.Token
	}
	for _, spread := range []bool{true, false} {
		var mu sync.Mutex
		var took []float64
		var packed, values int
		before, began := processorSeconds(b, cmd.Process.Pid), time.Now()
		var group sync.WaitGroup
		for i := range agents {
			group.Add(1)
			go func() {
				defer group.Done()
				rng := rand.New(rand.NewPCG(uint64(i), 1))
				run := fmt.Sprintf("01995c3e-0000-7000-8000-%06d%06d", i, map[bool]int{true: 1}[spread])
				for s := range seconds {
					moment := began.Add(time.Duration(s) * time.Second)
					if spread {
						moment = moment.Add(time.Duration(i) * time.Second / agents)
					}
					time.Sleep(time.Until(moment))
					data := trace.Pack(sensed(rng, s))
					p := record.Progress{Step: 0, Test: "Hashing", Phase: "all threads", Share: float64(s) / seconds, Run: run,
						At: float64(s), State: record.Working, Trace: data}
					sent := time.Now()
					if _, err := c.SendProgress(ctx, tokens[i], p); err != nil {
						b.Error(err)
						return
					}
					mu.Lock()
					took = append(took, 1000*time.Since(sent).Seconds())
					packed, values = packed+len(data), values+60
					mu.Unlock()
				}
			}()
		}
		group.Wait()
		share := 100 * (processorSeconds(b, cmd.Process.Pid) - before) / time.Since(began).Seconds()
		slices.Sort(took)
		name, goal := "50 agents, spread out", "p99 < 15 ms"
		if !spread {
			name, goal = "50 agents, all at once", "p99 < 50 ms"
		}
		row(name, fmt.Sprintf("p99 %.1f ms", took[len(took)*99/100]), goal, fmt.Sprintf("median %.1f ms, worst %.1f ms",
			took[len(took)/2], took[len(took)-1]))
		row("  processor of the service", fmt.Sprintf("%.1f %% of a core", share), "< 8 %",
			fmt.Sprintf("%.1f bytes a value on the way", float64(packed)/float64(values)))
	}
	// What is kept in the end: whole runs of ten minutes.
	rng := rand.New(rand.NewPCG(1, 1))
	var whole record.Trace
	for s := range 600 {
		whole.Append(sensed(rng, s))
	}
	stored := 0
	for from := 0; from < len(whole.Times); from += 600 {
		part := whole.Slice(from, min(from+600, len(whole.Times)))
		stored += len(trace.Pack(part))
	}
	row("a trace as it is kept", fmt.Sprintf("%.2f bytes a value", float64(stored)/float64(6*len(whole.Times))), "<= 2",
		fmt.Sprintf("%d values", 6*len(whole.Times)))
}

// sensed is one second of six channels at ten samples a second.
func sensed(rng *rand.Rand, second int) record.Trace {
	var t record.Trace
	for k := range 10 {
		at := float64(second) + float64(k+1)/10
		t.Add(at, map[string]float64{"temperature.package": 70 + at/100 + 0.2*rng.NormFloat64(), "power.package": 42 +
			0.3*rng.NormFloat64(), "clock.mean": 3800 + 12*rng.NormFloat64(),
			"load.processor": min(100, 99+rng.NormFloat64()), "memory.used": 5120 + float64(second),
			"fan.speed": 2100 + float64(second/10)}, nil)
	}
	return t
}

// BenchmarkSensors is what the agent's own sampling takes of this machine, at one and at ten samples a second.
func BenchmarkSensors(b *testing.B) {
	for _, rate := range []float64{1, 10} {
		n := 0
		runtime.GC()
		before, began := processorSeconds(b, os.Getpid()), time.Now()
		stop := machine.Local{Dir: "."}.Watch(rate, func(_ time.Duration, v map[string]float64) { n += len(v) })
		time.Sleep(20 * time.Second)
		stop()
		share := 100 * (processorSeconds(b, os.Getpid()) - before) / time.Since(began).Seconds()
		row(fmt.Sprintf("sensors, %g samples a second", rate), fmt.Sprintf("%.2f %% of a core", share), "< 0.5 %",
			fmt.Sprintf("%d values in 20 s", n))
	}
}
