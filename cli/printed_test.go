package cli_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"durvek/instrument"
)

// endless are the printed commands that do not end by themselves, measure for long or need a machine or somebody that
// asks; what they do is tried by tests of their own.
var endless = []string{"durvek serve ", "durvek demo ", "durvek agent ", "durvek data generate ",
	"durvek bench run --usual", "durvek plan confirm ", "durvek plan close ", "durvek sign-in '", "durvek sign-in ask ",
	"durvek instrument simulate ", "durvek person admit ", "durvek person turn-away ",
	"durvek site serve "}

const (
	saveMapping  = "durvek intake demo/raw/galley-mini-16-512-a/meter.ods --dry-run --save-mapping 'Meter 3'"
	newModel     = "durvek model add fen-15 --maker Selvane --name 'Fen 15' --kind laptop"
	secondReview = "durvek review add tern-mini-32-1000 --slug tern --field chart-room"
	secondUnit   = "durvek unit add fen-14-16-512-b --variant fen-14-16-512 --origin bought"
	newHook      = "durvek hook add https://desk.invalid/told"
	newVariant   = "durvek variant add fen-14-8-256 --model fen-14 --name '8 GiB, 256 GB' --spec cpu.cores=10"
)

// before is what is there when somebody comes to give a command, by how that begins. ID is its own.
var before = map[string][]string{
	"durvek bench place": {"durvek site write public",
		"durvek bench run hashing --repeats 1 --seconds 0.1 --output runs.json"},
	"durvek bench run hashing compression --repeats 2 --place public": {"durvek site write public"},
	"durvek exchange remove":       {"durvek exchange import demo/exchange"},
	"durvek hook change":           {newHook},
	"durvek hook drop":             {newHook},
	"durvek hook messages":         {newHook},
	"durvek hook try":              {newHook},
	"durvek incident restore":      {"durvek incident withdraw ID --reason so"},
	"durvek mapping drop":          {saveMapping},
	"durvek mapping export":        {saveMapping},
	"durvek mapping import":        {saveMapping, "durvek mapping export 'Meter 3' -o meter-3.json"},
	"durvek model unarchive":       {newModel, "durvek model archive fen-15"},
	"durvek plan unarchive":        {"durvek plan archive ID"},
	"durvek review drop":           {secondReview},
	"durvek review refresh":        {secondReview},
	"durvek review unarchive":      {secondReview, "durvek review archive tern"},
	"durvek run restore":           {"durvek run void ID --cause handling --reason so"},
	"durvek sign-in link --person": {`durvek person add "Ilse Brandt" --role editor`},
	"durvek unit archive":          {secondUnit},
	"durvek unit clear":            {secondUnit},
	"durvek unit drop":             {secondUnit},
	"durvek unit unarchive":        {secondUnit, "durvek unit archive fen-14-16-512-b"},
	"durvek variant archive":       {newVariant},
	"durvek variant clear":         {newVariant},
	"durvek variant drop":          {newVariant},
	"durvek variant unarchive":     {newVariant, "durvek variant archive fen-14-8-256"},
}

// listed says in which list a command's IDs are found, by how it begins.
var listed = map[string]string{
	"durvek claim drop":    "claim list",
	"durvek doubt ":        "doubt list --state open",
	"durvek doubt raise":   "run list --unit fen-14-16-512-a",
	"durvek doubt reopen":  "doubt list --state dismissed",
	"durvek incident ":     "incident list",
	"durvek offer ":        "offer list",
	"durvek photo ":        "photo list fen-14-16-512-a",
	"durvek plan ":         "plan list",
	"durvek remark ":       "remark list",
	"durvek report ":       "report list",
	"durvek run ":          "run list --unit fen-14-16-512-a",
	"durvek run correct":   "run list --test weight",
	"durvek run drop-log":  "run list --test hashing-sustained",
	"durvek run merge":     "run list --unit fen-14-16-512-a --test hashing",
	"durvek run shift-log": "run list --test hashing-sustained",
	"durvek run trace":     "run list --test hashing-sustained",
	"durvek source ":       "run list --unit sound-16-32-1000-a --test surface",
}

// meant gives the entry whose key says most of how a line begins.
func meant[T any](table map[string]T, line string) (out T) {
	most := 0
	for k, v := range table {
		if len(k) > most && strings.HasPrefix(line, k) {
			out, most = v, len(k)
		}
	}
	return out
}

// shell is a folder with the program, the demo's files and a desk of its own, and a service at work on it.
type shell struct {
	*testing.T
	dir string
	env []string
}

func newShell(t *testing.T) *shell {
	t.Helper()
	whole(t)
	s := &shell{t, t.TempDir(), nil}
	here, err := filepath.Abs("..")
	must(err)
	must(os.MkdirAll(filepath.Join(s.dir, "bin"), 0o755))
	must(os.MkdirAll(filepath.Join(s.dir, "dock"), 0o755))
	must(os.Symlink(bed.program, filepath.Join(s.dir, "bin/durvek")))
	must(os.Symlink(filepath.Join(here, "demo"), filepath.Join(s.dir, "demo")))
	must(os.CopyFS(filepath.Join(s.dir, "demo-data"), os.DirFS(bed.fresh)))
	s.env = append(os.Environ(), "HOME="+s.dir, "XDG_CONFIG_HOME="+s.dir, "DURVEK_DATA=demo-data",
		"PATH="+filepath.Join(s.dir, "bin")+":"+os.Getenv("PATH"))
	write := func(name, text string, mode os.FileMode) {
		must(os.WriteFile(filepath.Join(s.dir, name), []byte(text), mode))
	}
	frames, meter := "frame_ms\n", "time_s,power_w\n"
	for i := range 400 {
		frames += fmt.Sprintln(16 + i%3)
		meter += fmt.Sprintf("%d,%d\n", i, 40+i%5)
	}
	write("harbour.csv", frames, 0o644)
	write("wall-meter.csv", meter, 0o644)
	write("weekend.yaml", "format: durvek-plan/1\nslug: weekend\nname: Weekend\ntests:\n  - {test: hashing}\n", 0o644)
	write("bin/hull-mesher", "#!/bin/sh\n", 0o755)
	var photo bytes.Buffer
	must(jpeg.Encode(&photo, image.NewGray(image.Rect(0, 0, 64, 48)), nil))
	write("port.jpg", photo.String(), 0o644)
	meterAt, err := net.Listen("tcp", "127.0.0.1:5025") // where the demo's description of it says
	must(err)
	t.Cleanup(instrument.Simulate(meterAt, instrument.Kinds["power-analyser"], instrument.Faults{}, 1).Close)
	serve(t, filepath.Join(s.dir, "demo-data"))
	return s
}

func (s *shell) run(line string) (string, error) {
	cmd := exec.Command("sh", "-c", line)
	cmd.Dir, cmd.Env = s.dir, s.env
	out, err := cmd.CombinedOutput()
	return string(out), err
}

// found lists the IDs in what a command answers.
func (s *shell) found(command string) (out []string) {
	s.Helper()
	said, err := s.run("durvek " + command + " --json")
	var v any
	if err != nil || json.Unmarshal([]byte(said), &v) != nil {
		s.Fatalf("%s: %v, %s", command, err, said)
	}
	var walk func(v any)
	walk = func(v any) {
		switch v := v.(type) {
		case map[string]any:
			if id, _ := v["id"].(string); len(id) == 36 {
				out = append(out, id)
			}
			for _, x := range v {
				walk(x)
			}
		case []any:
			for _, x := range v {
				walk(x)
			}
		}
	}
	walk(v)
	return out
}

// stands is what stands for an ID in a printed command.
var stands = regexp.MustCompile(`01995c3e-…|01995c40-…|\b(PLAN|RUN|DOUBT)\b`)

// filled puts IDs of the desk into a line, when what comes before it is done.
func (s *shell) filled(line string) string {
	s.Helper()
	plain := strings.TrimPrefix(line, "bin/")
	var ids []string
	if stands.MatchString(line) {
		ids = s.found(meant(listed, plain))
	}
	for _, c := range meant(before, plain) {
		if len(ids) > 0 {
			c = strings.Replace(c, "ID", ids[0], 1)
		}
		_, _ = s.run(c) // where it is done already, it is refused
	}
	switch {
	case strings.HasPrefix(plain, "durvek plan watch"): // the oldest is done
		slices.Reverse(ids)
	case strings.HasPrefix(plain, "durvek run drop-log"), strings.HasPrefix(plain, "durvek run shift-log"):
		said, err := s.run("durvek run lay-log " + ids[0] + " wall-meter.csv --name meter")
		must(err)
		ids[1] = strings.Fields(said)[1]
	}
	line = stands.ReplaceAllStringFunc(line, func(string) string {
		if len(ids) == 0 {
			return "none"
		}
		id := ids[0]
		ids = ids[1:]
		return id
	})
	// What is measured is measured once and shortly.
	return strings.NewReplacer("/mnt/dock", "dock", "FOLDER-ON-THE-DRIVE", "dock", "bench run ",
		"bench run --seconds 0.1 ", "--repeats 5 --path", "--repeats 1 --path").Replace(line)
}

// printed are the commands in the blocks of the README and the pages, the reference among them, in order.
func printed(t *testing.T) (out []string) {
	t.Helper()
	pages, err := filepath.Glob("../docs/*.md")
	must(err)
	for _, page := range append([]string{"../README.md"}, pages...) {
		text, err := os.ReadFile(page)
		must(err)
		within := false
		for line := range strings.Lines(string(text)) {
			if line = strings.TrimSpace(line); strings.HasPrefix(line, "```") {
				within = !within
			} else if within && (strings.HasPrefix(line, "durvek ") || strings.HasPrefix(line, "bin/durvek ")) &&
				!slices.Contains(out, line) {
				out = append(out, line)
			}
		}
	}
	return out
}

func TestEveryPrintedCommandRuns(t *testing.T) {
	s := newShell(t)
	lines := printed(t)
	if len(lines) < 200 {
		t.Errorf("only %d commands are printed", len(lines))
	}
	for _, line := range lines {
		if slices.ContainsFunc(endless, func(p string) bool {
			return strings.HasPrefix(strings.TrimPrefix(line, "bin/"), p)
		}) {
			continue
		}
		if out, err := s.run(s.filled(line)); err != nil {
			t.Errorf("%s: %v\n%s", line, err, out)
		}
	}
}
