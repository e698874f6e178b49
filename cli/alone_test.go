package cli_test

import (
	"bufio"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"

	"durvek/desk/results"
)

func readRuns(t *testing.T, path string) results.RunFile {
	t.Helper()
	b, err := os.ReadFile(path)
	must(err)
	var f results.RunFile
	must(json.Unmarshal(b, &f))
	return f
}

func TestTheBenchAloneAndItsRunsOnADesk(t *testing.T) {
	home := t.TempDir()
	call(t, home, "bench", "list").want(t, 0, "drive-flush", "Writes at most", "NAME-sustained")
	call(t, home, "bench", "list", "--group", "cpu").want(t, 0, "hashing-cores")
	call(t, home, "bench", "list", "--group", "cooking").want(t, 2, "there is no group", "CPU, memory")
	call(t, home, "bench", "explain", "route-search").want(t, 0, "Dijkstra", "Limited by: Memory latency",
		"higher is better")
	call(t, home, "bench", "explain", "drive-fill").want(t, 0, "100 GB", "share of the free space")
	call(t, home, "bench", "explain", "nothing").want(t, 2, `no test "nothing"`)
	call(t, home, "bench", "run").want(t, 2, "say which tests to run")
	call(t, home, "bench", "run", "hashing", "nothing", "--option", "hashing.duration=3 s", "--option",
		"drive-fill.share=5 %", "--repeats", "200").
		want(t, 2, `no test "nothing"`, `test "hashing" has no options`, `"drive-fill", which is not among the tests`,
			"200 repeats")
	call(t, home, "bench", "run", "hashing-sustained", "--option", "hashing-sustained.duration=1 s").want(t, 2,
		"at least 4 s")

	r := call(t, home, "bench", "run", "grid-solve", "drive-flush", "network", "--repeats", "2", "--seconds", "0.1",
		"--path", bed.data, "--option", "drive-flush.file=64 MiB", "--output", "runs.json")
	r.want(t, 0, "6 runs of 3 tests", "writes at most", "single thread", "GFLOP/s", "Network was not run: ",
		"durvek run import runs.json")
	// On a busy machine two runs may lie so far apart that an interval is told by its ends.
	row := regexp.MustCompile(`(?m)^Grid solve\s+single thread\s+\S+ GFLOP/s\s+(± |\S+ to )\S+\s+2\s`)
	if !row.MatchString(r.out) {
		t.Errorf("no interval of the single thread's two runs in\n%s", r.out)
	}
	f := readRuns(t, filepath.Join(home, "runs.json"))
	if len(f.Runs) != 5 || f.Machine.Name == "" || f.Runs[2].Observed["option.file"] != "64 MiB" ||
		f.Runs[4].Outcome != "not-run" {
		t.Errorf("%d runs on %q", len(f.Runs), f.Machine.Name)
	}
	if left, _ := filepath.Glob(filepath.Join(bed.data, ".durvek-*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
	if strings.Contains(call(t, home, "bench", "run", "grid-solve", "--repeats", "1", "--seconds", "0.05", "--json").out,
		"±") {
		t.Error("JSON holds a table")
	}

	server, _ := serve(t, bed.data)
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	do("run", "import", "runs.json", "--unit", "nobody").want(t, 1, `no unit "nobody"`)
	do("run", "import", "runs.json").want(t, 2, "say --unit")
	do("run", "import", "runs.json", "--unit", "this-machine-a").want(t, 0, "5 new runs, 0 known")
	do("run", "import", "runs.json", "--unit", "this-machine-a").want(t, 0, "0 new runs, 5 known")
	do("run", "list", "--unit", "this-machine-a", "--test", "network").want(t, 0,
		"not run: the network is measured between")
	do("rank", "show", "grid-solve/single", "--field", "machines").want(t, 0, "This machine")
	broken := strings.Replace(string(must2(os.ReadFile(filepath.Join(home, "runs.json")))), `"grid-solve"`,
		`"grid-solved"`, 1)
	broken = strings.Replace(broken, f.Runs[0].ID, "not-an-id", 1)
	must(os.WriteFile(filepath.Join(home, "broken.json"), []byte(broken), 0o644))
	do("run", "import", "broken.json", "--unit", "this-machine-a").want(t, 1, `"not-an-id", which is no UUID`,
		`of a test "grid-solved" is known`)
	must(os.WriteFile(filepath.Join(home, "cut.json"), []byte(broken[:300]), 0o644))
	do("run", "import", "cut.json", "--unit", "this-machine-a").want(t, 1, "line ")

	// With a service, the network is measured too.
	do("--server", server, "bench", "run", "network", "--repeats", "1", "--seconds", "0.1").want(t, 0,
		"receiving, four streams", "Mbit/s", "median round trip")
}

func must2[T any](v T, err error) T {
	must(err)
	return v
}

func TestAnInterruptKeepsWhatWasMeasured(t *testing.T) {
	whole(t)
	home := t.TempDir()
	cmd := exec.Command(bed.program, "bench", "run", "grid-solve", "drive-sequential", "--repeats", "3", "--seconds",
		"0.2", "--path", bed.data, "--output", "part.json")
	cmd.Dir = home
	out, err := cmd.StdoutPipe()
	must(err)
	errs, err := cmd.StderrPipe()
	must(err)
	must(cmd.Start())
	lines := bufio.NewScanner(out)
	printed := ""
	for lines.Scan() {
		printed += lines.Text() + "\n"
		if strings.HasPrefix(lines.Text(), "4 of 6: Sequential access") {
			must(cmd.Process.Signal(syscall.SIGINT))
		}
	}
	said := bufio.NewScanner(errs)
	said.Scan()
	if err := cmd.Wait(); err == nil || cmd.ProcessState.ExitCode() != 130 {
		t.Errorf("it ended with %v", err)
	}
	if want := "durvek: stopped during Sequential access; nothing of it is left on the drive, and the 3 runs before it " +
		"are kept"; said.Text() != want {
		t.Errorf("it said %q", said.Text())
	}
	if f := readRuns(t, filepath.Join(home, "part.json")); len(f.Runs) != 3 || f.Runs[2].Outcome != "done" ||
		!strings.Contains(printed, "Grid solve") {
		t.Errorf("%d runs are kept, printed:\n%s", len(f.Runs), printed)
	}
	if left, _ := filepath.Glob(filepath.Join(bed.data, ".durvek-*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

const probeTest = `format: durvek-test/1
slug: %s
version: 1
name: %s
group: application
repeats: 1
command:
  run: [%s]
  limit: %s
  figures:
    - {measure: time, time: exit}
    - {measure: score, text: 'score=([0-9.]+)', unit: kB/s}
measures:
  - {slug: time, name: time, unit: ms, scale: ratio, better: lower}
  - {slug: score, name: score, unit: MB/s, scale: ratio, better: higher}
`

func TestAnotherProgramIsRunOnlyIfItsOwnerAllowedIt(t *testing.T) {
	server, _ := serve(t, bed.data)
	home := t.TempDir()
	do := func(args ...string) result {
		t.Helper()
		return call(t, home, append([]string{"--data", bed.data}, args...)...)
	}
	write := func(slug, run, limit string) {
		text := strings.NewReplacer("slug: %s", "slug: "+slug, "name: %s", "name: "+slug, "[%s]", "["+run+"]", "limit: %s",
			"limit: "+limit).Replace(probeTest)
		must(os.WriteFile(filepath.Join(home, slug+".yaml"), []byte(text), 0o644))
		do("test", "import", slug+".yaml").want(t, 0, "is known")
	}
	write("scored", `sh, -c, "echo score=2500; echo done >&2"`, "20")
	write("endless", `sh, -c, "sleep 60 & wait"`, "0.3")
	write("wordless", `sh, -c, "echo no figure here"`, "20")
	write("broken", `sh, -c, "echo it broke >&2; exit 3"`, "20")
	measure := func(tests string) result {
		t.Helper()
		r := do("plan", "add", "this-machine-a", "--tests", tests, "--repeats", "1", "--name", "programs")
		r.want(t, 0)
		code := regexp.MustCompile(`--code (\S+)`).FindStringSubmatch(r.out)[1]
		return call(t, home, "agent", "--server", server, "--code", code, "--keep", "keep", "--path", bed.data)
	}
	measure("scored").want(t, 0, "scored, repeat 1: not run: not allowed on this machine: sh -c echo score=2500",
		"0 failed, 1 not run")
	do("command", "list").want(t, 0, "No other program may be run")
	do("command", "allow").want(t, 2, "after two dashes")
	do("command", "allow", "--", "no-such-program-here").want(t, 1, `there is no program "no-such-program-here"`)
	do("command", "allow", "--", "sh", "-c", "echo score=9").want(t, 0, "may run: sh -c echo score=9")
	measure("scored").want(t, 0, "1 not run") // other words than those allowed
	for _, script := range []string{"echo score=2500; echo done >&2", "sleep 60 & wait", "echo no figure here",
		"echo it broke >&2; exit 3"} {
		do("command", "allow", "--", "sh", "-c", script).want(t, 0, "It stands for /")
	}
	do("command", "list").want(t, 0, "sleep 60")
	measure("scored,endless,wordless,broken").want(t, 0, "2 runs done, 2 failed, 0 not run",
		"wordless, repeat 1: failed: the mapping does not fit the output: score (output, text score=([0-9.]+)): no line "+
			"matches", "broken, repeat 1: failed: sh -c echo it broke >&2; exit 3 ended with status 3: it broke")
	do("run", "list", "--unit", "this-machine-a", "--test", "scored").want(t, 0, "score 2.500")
	do("run", "list", "--unit", "this-machine-a", "--test", "endless").want(t, 0, "time more than 300", "score missing")
	do("command", "forbid", "--", "sh", "-c", "sleep 60 & wait").want(t, 0, "no longer")
	do("command", "forbid", "--", "sh", "-c", "sleep 60 & wait").want(t, 1, "was not allowed")
	measure("endless").want(t, 0, "1 not run")

	// A mapping is tried on a saved output.
	must(os.WriteFile(filepath.Join(home, "out.txt"), []byte("warming up\nscore=1250\n"), 0o644))
	do("test", "try", "scored", "--output", "out.txt", "--seconds", "1.5").want(t, 0, "1.250 MB/s", "1500 ms", "1250")
	must(os.WriteFile(filepath.Join(home, "out.txt"), []byte("score=1\nscore=2\n"), 0o644))
	do("test", "try", "scored.yaml", "--output", "out.txt", "--seconds", "1").want(t, 1, "matches more than once",
		"does not fit this output")
	do("test", "try", "weight", "--output", "out.txt").want(t, 1, "runs no command")
	bad := strings.Replace(string(must2(os.ReadFile(filepath.Join(home, "scored.yaml")))), "([0-9.]+)", "[0-9.]+", 1)
	must(os.WriteFile(filepath.Join(home, "bad.yaml"), []byte(bad), 0o644))
	do("test", "import", "bad.yaml").want(t, 1, "line 12", "exactly one group")
}
