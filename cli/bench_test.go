package cli_test

import (
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"durvek/instrument"
)

// newest is the id of a unit's newest run of a test.
func newest(t *testing.T, home, unit, test string) string {
	t.Helper()
	var l struct {
		Runs []struct{ ID string }
	}
	r := call(t, home, "--data", bed.data, "--json", "run", "list", "--unit", unit, "--test", test)
	if err := json.Unmarshal([]byte(r.out), &l); err != nil || len(l.Runs) == 0 {
		t.Fatalf("no run of %s on %s: %v", test, unit, err)
	}
	return l.Runs[0].ID
}

var planID = regexp.MustCompile(`Plan (\S+) is on the bench`)

func TestPlansFromTheCommandLine(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	do("plan", "library", "--kind", "laptop").want(t, 0, "laptop-full", "Laptop, every mode", "lasting-load")
	do("plan", "add", "fen-14-16-512-a", "--library", "laptop-full", "--tests", "hashing").want(t, 2,
		"brings its own tests")
	do("plan", "add", "fen-14-16-512-a", "--library", "drive").want(t, 1, "not for a laptop")
	r := do("plan", "add", "fen-14-16-512-a", "--library", "laptop-full", "--repeats", "1")
	r.want(t, 0, "is on the bench", "durvek agent --server", "It takes about", "writes at most")
	id := planID.FindStringSubmatch(r.out)[1]
	do("plan", "show", id).want(t, 0, "4 setups", "Set power mode to fast", "unplug the charger", "needs a hand",
		"fast-mode")
	file := do("plan", "export", id)
	file.want(t, 0, "format: durvek-plan/1", "order: interleaved", "test: video-encode")
	must(os.WriteFile(filepath.Join(home, "plan.yaml"), []byte(file.out), 0o644))
	do("plan", "add", "skiff-14-16-1000-a", "--file", "plan.yaml").want(t, 0, "is on the bench")
	do("plan", "confirm", id).want(t, 1, "asks for nothing now")
	do("plan", "skip", id, "--step", "99").want(t, 1, "steps 1 to 64")
	do("plan", "skip", id, "--step", "2").want(t, 0, "leaves out step 2")
	do("plan", "pause", id).want(t, 0, "rests after the present run")
	do("plan", "resume", id).want(t, 0, "goes on")
	do("plan", "stop", id).want(t, 0, "ends")
	do("plan", "stop", id).want(t, 1, "is stopped")
	do("plan", "show", id).want(t, 0, "skipped", "stopped")
	do("plan", "add", "fen-14-16-512-a", "--tests", "hashing", "--setups", "as-delivered,battery", "--order",
		"interleaved", "--cool", "5", "--cool-below", "45", "--ambient", "18-26", "--after-failure", "retry", "--least", "2",
		"--sampling", "2").want(t, 0, "is on the bench")
	do("plan", "add", "fen-14-16-512-a", "--tests", "hashing", "--ambient", "warm").want(t, 2, "not a band such as 18-26")
	do("plan", "add", "fen-14-16-512-a", "--tests", "hashing", "--order", "sideways").want(t, 1, "order")
	do("plan", "add", "tern-mini-32-1000-a", "--tests", "hashing", "--setup", "battery").want(t, 1,
		"runs on battery, and a mini-pc has none")
	do("condition", "add", "own.table-fan", "--name", "Table fan", "--meaning", "off, or its step").want(t, 0, "is known")
	do("condition", "list").want(t, 0, "own.table-fan")
	do("setup", "add", "fanned", "--name", "Fanned", "--condition", "own.table-fan=2", "--hands",
		"Turn the fan to 2").want(t, 0, "is known")
	do("setup", "list").want(t, 0, "own.table-fan=2")
}

func TestTracesAndLogsFromTheCommandLine(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	id := newest(t, home, "sound-14-16-512-a", "video-encode-sustained")
	do("run", "trace", id).want(t, 0, "10 min of trace", "power.package", "temperature.package", "rate.burst",
		"Phases: burst at 0 s", "█")
	do("run", "show", id).want(t, 0, "Held back by power limit", "Negotiated", "Power limit, long", "Not observable here",
		"durvek run trace")
	do("run", "trace", id, "-o", "trace.csv").want(t, 0, "Written to trace.csv")
	table, err := os.ReadFile(filepath.Join(home, "trace.csv"))
	must(err)
	lines := strings.Split(strings.TrimSpace(string(table)), "\n")
	if n := len(lines); n < 600 || n > 606 || !strings.HasPrefix(lines[0], "seconds,temperature.package [Cel]") {
		t.Errorf("%d lines, first %s", len(lines), lines[0])
	}
	// A wall meter whose clock is 100 s ahead and that reads the power a fifth higher.
	column := 0
	for i, h := range strings.Split(lines[0], ",") {
		if strings.HasPrefix(h, "power.package") {
			column = i
		}
	}
	log := "seconds,power.wall [W]\n"
	for _, l := range lines[1:] {
		f := strings.Split(l, ",")
		var at, w float64
		fmt.Sscan(f[0], &at)
		fmt.Sscan(f[column], &w)
		log += fmt.Sprintf("%.1f,%.2f\n", at+100, 8+1.2*w)
	}
	must(os.WriteFile(filepath.Join(home, "wall.csv"), []byte(log), 0o644))
	r := do("run", "lay-log", id, "wall.csv", "--name", "wall meter")
	r.want(t, 0, "lies beside the run, shifted by -100.0", "correlation 1.00")
	which := regexp.MustCompile(`Log (\S+) lies`).FindStringSubmatch(r.out)[1]
	do("run", "shift-log", id, which, "--shift", "-99").want(t, 0, "shifted by -99.00 s")
	do("run", "show", id).want(t, 0, `Log "wall meter" beside it`)
	do("run", "drop-log", id, which).want(t, 0, "the run stays as it was")
	do("run", "drop-log", id, which).want(t, 1, "has no log")
	must(os.WriteFile(filepath.Join(home, "bad.csv"), []byte("seconds,power.wall\n5,1\n4,1\n"), 0o644))
	do("run", "lay-log", id, "bad.csv").want(t, 1, "line 3: times rise")
}

func TestIncidentsSheetsPhotosAndPartnersFromTheCommandLine(t *testing.T) {
	serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	do("incident", "rate", "--unit", "narrows-hub-a").want(t, 0, "slow link in 3 of 11 tries (27 %, 95 %: 6–61 %), on "+
		"two of three hosts", "fen-14-16-512-a right port")
	do("incident", "list", "--unit", "cuddy-8-256-a").want(t, 0, "crash", "Compression, repeat 1",
		"Last: temperature package")
	do("incident", "add", "gannet-2000-a", "--kind", "drop-out", "--host", "fen-14-16-512-a", "--times", "2", "--tries",
		"9", "--text", "gone and back").want(t, 0, "Noted: drop-out, 2 times in 9")
	do("incident", "add", "gannet-2000-a", "--kind", "drop-out", "--times", "9", "--tries", "2").want(t, 1, "cannot be")
	do("incident", "add", "gannet-2000-a").want(t, 2, "kind")
	do("sheet", "list", "--kind", "phone").want(t, 0, "handheld", "start-up-time")
	do("sheet", "show", "fen-14-16-512-a").want(t, 0, "4: good: even, firm, clear travel",
		"The right port carries data alone", "fail")
	do("reading", "add", "fen-14-16-512-a", "hinge", "hold=5", "--note", "hold=with one hand").want(t, 0, "1 reading")
	do("reading", "add", "fen-14-16-512-a", "hinge", "hold=11").want(t, 1, "no mark of the rubric")
	do("reading", "add", "cuddy-8-256-a", "start-up-time", "--lap", "9.1,8.8").want(t, 0, "2 laps are 2 runs")
	do("reading", "add", "cuddy-8-256-a", "start-up-time").want(t, 2, "usage")
	picture, err := os.Create(filepath.Join(home, "port.png"))
	must(err)
	must(png.Encode(picture, image.NewGray(image.Rect(0, 0, 8, 8))))
	must(picture.Close())
	r := do("photo", "add", "fen-14-16-512-a", "port.png", "--measure", "ports/data", "--caption", "left")
	r.want(t, 0, "is kept")
	id := regexp.MustCompile(`Photo (\S+) is kept`).FindStringSubmatch(r.out)[1]
	do("photo", "list", "fen-14-16-512-a").want(t, 0, "port.png", "ports/data", "left")
	do("photo", "save", id, "-o", "saved.png").want(t, 0, "Written to saved.png")
	do("photo", "add", "fen-14-16-512-a", "saved.png", "--run", "nothing").want(t, 1, "nothing")
	do("partner", "list", "--part", "gannet-2000-a").want(t, 0, "USB 20 Gbit/s", "fails", "drops out under lasting writes")
	do("partner", "note", "gannet-2000-a", "chart plotter", "--fails", "--how", "wants another file system").want(t, 0,
		"Noted")
	do("partner", "list").want(t, 0, "wants another file system", "narrows-hub-a")
}

func TestTheAgentGoesOnAfterItWasKilled(t *testing.T) {
	server, _ := serve(t, bed.data)
	home := t.TempDir()
	call(t, home, "agent", "--server", server, "--code", "AAAA-BBBB", "--path", "no-such-folder").want(t, 2,
		"is no folder on this machine")
	r := call(t, home, "--data", bed.data, "plan", "add", "this-machine-a", "--tests", "tide-synthesis,hashing",
		"--repeats", "2", "--name", "broken off")
	r.want(t, 0)
	id := planID.FindStringSubmatch(r.out)[1]
	code := regexp.MustCompile(`--code (\S+)`).FindStringSubmatch(r.out)[1]
	args := []string{"agent", "--server", server, "--path", home, "--seconds", "0.3", "--keep", filepath.Join(home,
		"keep")}
	first := exec.Command(bed.program, append(args, "--code", code)...)
	must(first.Start())
	journal := filepath.Join(home, "keep", "journal.jsonl")
	for end := time.Now().Add(30 * time.Second); ; time.Sleep(5 * time.Millisecond) {
		b, _ := os.ReadFile(journal)
		if strings.Contains(string(b), `"begin"`) {
			break
		}
		if time.Now().After(end) {
			t.Fatal("the agent begins nothing")
		}
	}
	must(first.Process.Signal(syscall.SIGKILL))
	first.Wait()
	call(t, home, args...).want(t, 0, "The agent was ended while Tide synthesis, repeat 1, went on",
		"It goes on where it was", "4 runs done, 0 failed, 0 not run, 1 incident, all delivered.")
	call(t, home, "--data", bed.data, "plan", "show", id).want(t, 0, "2 of 2", "done", "interruption: The agent was ended")
	call(t, home, "--data", bed.data, "run", "list", "--unit", "this-machine-a", "--test", "tide-synthesis").want(t, 0,
		"2 of 2 runs.")
}

// A meter that the machine's owner names stands beside the runs, on their clock; one that does not answer, or reads
// what no run keeps, ends the agent before it joins.
func TestAnAgentReadsAMeterBesideItsRuns(t *testing.T) {
	server, _ := serve(t, bed.data)
	home := t.TempDir()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(err)
	defer instrument.Simulate(l, instrument.Kinds["power-analyser"], instrument.Faults{}, 1).Close()
	describe := func(name, address, channel string) {
		must(os.WriteFile(filepath.Join(home, name), []byte("format: durvek-instrument/1\nslug: wall\nname: Wall meter\n"+
			"address: "+address+"\nrate: 20\nread:\n  - {channel: "+channel+", unit: W, query: \"MEAS:POW?\"}\n"), 0o644))
	}
	describe("wall.yaml", l.Addr().String(), "power.wall")
	describe("away.yaml", "127.0.0.1:1", "power.wall")
	describe("odd.yaml", l.Addr().String(), "draw")
	r := call(t, home, "--data", bed.data, "plan", "add", "this-machine-a", "--tests", "hashing", "--repeats", "1",
		"--name",
		"with a meter")
	r.want(t, 0)
	plan := planID.FindStringSubmatch(r.out)[1]
	code := regexp.MustCompile(`--code (\S+)`).FindStringSubmatch(r.out)[1]
	agent := func(meter string) result {
		return call(t, home, "agent", "--server", server, "--code", code, "--path", home, "--seconds", "1", "--keep", "kept",
			"--instrument", meter)
	}
	agent("away.yaml").want(t, 1, "Wall meter does not answer at 127.0.0.1:1")
	agent("odd.yaml").want(t, 1, "reads draw, of which a run has no channel by that name and unit")
	agent("wall.yaml").want(t, 0, "1 run done")
	r = call(t, home, "--data", bed.data, "--json", "run", "list", "--unit", "this-machine-a", "--test", "hashing")
	var list struct{ Runs []struct{ ID, Plan string } }
	must(json.Unmarshal([]byte(r.out), &list))
	i := slices.IndexFunc(list.Runs, func(x struct{ ID, Plan string }) bool { return x.Plan == plan })
	if i < 0 {
		t.Fatal("its run is not there")
	}
	call(t, home, "--data", bed.data, "run", "trace", list.Runs[i].ID).want(t, 0, "power.wall")
}
