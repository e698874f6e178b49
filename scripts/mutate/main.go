// Command mutate plants small faults and tells which ones no test notices.
//
//	go run . [-seed N] [-sample N] [-minutes N] [-only PATTERN] [-list]
//
// Faults are operators, constants, conditions and early returns in core, desk, store, service, agent and draw. All
// faults of a package that can be chosen while it runs are compiled in at once, each behind a number, so that trying
// one costs a run of tests and no compilation; faults in declared constants are compiled one by one. A fault is killed
// when a test fails, panics or does not end. Survivors are printed with their place and what was changed there.
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"go/format"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"
	"time"
)

// guards says which packages' tests stand over the code below a folder, beside its own.
var guards = map[string][]string{
	"desk": {"./desk/figures", "./desk/results", "./desk/reviews", "./desk/bench", "./desk/books", "./desk/house",
		"./desk", "./service", "./demo"},
	"store": {"./desk/figures", "./desk/results", "./desk/bench", "./desk/books", "./desk/backup", "./desk/hooks",
		"./service", "./demo"},
	"service":  {"./demo"},
	"agent":    {"./demo"},
	"exchange": {"./publish", "./desk/figures"},
	"draw":     {"./publish", "./demo"},
	"core":     {"./demo"},
}

// also are tests beside a core package's own that hold what it computes.
var also = map[string][]string{
	"core/ranking": {"./internal/trials", "./core/compare", "./desk/figures"}, "core/stats": {"./internal/trials",
		"./core/ranking", "./core/analyse", "./core/trust"},
	"core/trust": {"./internal/trials", "./desk/results"}, "core/compare": {"./desk/figures"},
	"core/claims": {"./desk/figures"},
	"core/record": {"./desk/results", "./desk/bench"}, "core/method": {"./desk/bench"}, "core/catalog": {"./desk/books",
		"./desk/figures"},
	"core/verdict": {"./desk/reviews"}, "core/schedule": {"./desk/figures"}, "core/fit": {"./desk/figures"},
	"core/value":   {"./desk/figures"},
	"core/chart":   {"./draw", "./core/compare"},
	"core/analyse": {"./desk/results"}, "core/link": {"./core/claims"},
}

// fault is one planted fault.
type fault struct {
	id      int
	pkg     string // import path below the module, as in core/stats
	file    string
	line    int
	what    string
	edits   []edit // of the file, for a fault that is compiled by itself
	inBuild bool   // chosen by number in the package's one build
}

type edit struct {
	from, to int // bytes
	text     string
}

func main() {
	seed := flag.Uint64("seed", 1, "the same seed takes the same sample")
	sample := flag.Int("sample", 400, "how many faults are planted; 0 for all")
	minutes := flag.Float64("minutes", 120, "no fault is planted after so many minutes")
	only := flag.String("only", "", "only packages whose path matches")
	list := flag.Bool("list", false, "print the faults and plant none")
	flag.Parse()
	if err := run(*seed, *sample, *minutes, *only, *list); err != nil {
		fmt.Fprintln(os.Stderr, "mutate:", err)
		os.Exit(1)
	}
}

func run(seed uint64, sample int, minutes float64, only string, list bool) error {
	root, err := filepath.Abs("../..")
	if err != nil {
		return err
	}
	wanted, err := regexp.Compile(only)
	if err != nil {
		return err
	}
	pkgs, err := load(root)
	if err != nil {
		return err
	}
	var faults []*fault
	sources := map[string]*sourced{} // by package
	for _, p := range pkgs {
		path := strings.TrimPrefix(p.PkgPath, "durvek/")
		if !wanted.MatchString(path) {
			continue
		}
		s := faultsOf(p, path, len(faults))
		sources[path] = s
		faults = append(faults, s.faults...)
	}
	rng := rand.New(rand.NewPCG(seed, 0))
	rng.Shuffle(len(faults), func(i, j int) { faults[i], faults[j] = faults[j], faults[i] })
	if sample > 0 && sample < len(faults) {
		faults = faults[:sample]
	}
	sort.Slice(faults, func(i, j int) bool { return faults[i].id < faults[j].id })
	if list {
		for _, f := range faults {
			fmt.Println(f)
		}
		return nil
	}
	t := &trial{root: root, sources: sources, built: map[string]string{},
		end: time.Now().Add(time.Duration(minutes * float64(time.Minute)))}
	defer os.RemoveAll(t.dir)
	return t.all(faults)
}

func (f *fault) String() string { return fmt.Sprintf("%s:%d: %s", f.file, f.line, f.what) }

// trial plants faults.
type trial struct {
	root, dir string
	sources   map[string]*sourced
	built     map[string]string // test binaries by package with faults + package of tests; "" where it did not build
	end       time.Time
	instead   string // overlay of the fault that is compiled by itself
}

type score struct{ killed, survived, broken int }

func (t *trial) all(faults []*fault) error {
	var err error
	if t.dir, err = os.MkdirTemp("", "mutate-*"); err != nil {
		return err
	}
	scores := map[string]*score{}
	for i, f := range faults {
		if time.Now().After(t.end) {
			fmt.Printf("time is up after %d of %d faults\n", i, len(faults))
			break
		}
		group := f.pkg
		if scores[group] == nil {
			scores[group] = &score{}
		}
		switch err := t.plant(f); {
		case err == nil:
			scores[group].survived++
			fmt.Println("survived:", f)
		case errors.Is(err, errBroken):
			scores[group].broken++
		default:
			scores[group].killed++
		}
	}
	total := score{}
	fmt.Println("\n| package | planted | killed | % |\n| --- | --- | --- | --- |")
	for _, g := range slices.Sorted(func(yield func(string) bool) {
		for g := range scores {
			if !yield(g) {
				return
			}
		}
	}) {
		s := scores[g]
		total.killed, total.survived, total.broken = total.killed+s.killed, total.survived+s.survived, total.broken+s.broken
		fmt.Printf("| %s | %d | %d | %.0f |\n", g, s.killed+s.survived, s.killed, share(*s))
	}
	fmt.Printf("| all | %d | %d | %.1f |\n", total.killed+total.survived, total.killed, share(total))
	if total.broken > 0 {
		fmt.Printf("%d did not compile and are not counted.\n", total.broken)
	}
	return nil
}

func share(s score) float64 {
	if s.killed+s.survived == 0 {
		return 100
	}
	return 100 * float64(s.killed) / float64(s.killed+s.survived)
}

var (
	errBroken = errors.New("the fault does not compile")
	errKilled = errors.New("a test noticed")
)

// plant tries a fault with one package of tests after the other until one fails; nil if none does.
func (t *trial) plant(f *fault) error {
	own := "./" + f.pkg
	tests := append([]string{own}, also[f.pkg]...)
	if top, _, _ := strings.Cut(f.pkg, "/"); len(guards[top]) > 0 {
		tests = append(tests, guards[top]...)
	}
	seen := map[string]bool{}
	for _, pkg := range tests {
		if seen[pkg] || !hasTests(filepath.Join(t.root, pkg)) {
			continue
		}
		seen[pkg] = true
		bin, err := t.build(f, pkg)
		if err != nil {
			return err
		}
		ctx, stop := context.WithTimeout(context.Background(), 4*time.Minute)
		cmd := exec.CommandContext(ctx, bin, "-test.short", "-test.failfast", "-test.timeout", "200s")
		cmd.Dir = filepath.Join(t.root, pkg)
		cmd.Env = append(os.Environ(), fmt.Sprintf("DURVEK_FAULT=%d", f.id))
		err = cmd.Run()
		stop()
		if !f.inBuild {
			os.Remove(bin)
		}
		if err != nil {
			return errKilled
		}
	}
	return nil
}

func hasTests(dir string) bool {
	names, _ := filepath.Glob(filepath.Join(dir, "*_test.go"))
	return len(names) > 0
}

// build compiles the tests of a package with a fault, or with all faults of the fault's package, in place.
func (t *trial) build(f *fault, pkg string) (string, error) {
	key := f.pkg + "+" + pkg
	if f.inBuild {
		if bin, ok := t.built[key]; ok {
			if bin == "" {
				return "", errBroken
			}
			return bin, nil
		}
	}
	overlay := map[string]string{}
	s := t.sources[f.pkg]
	if f.inBuild {
		for name, text := range s.instrumented {
			overlay[name] = text
		}
		overlay[filepath.Join(t.root, f.pkg, "zz_fault.go")] = s.helper
	} else {
		text, err := applied(s.text[f.file], f.edits)
		if err != nil {
			return "", errBroken
		}
		overlay[f.file] = string(text)
	}
	replace := map[string]string{}
	dir, err := os.MkdirTemp(t.dir, "build-*")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(dir)
	i := 0
	for name, text := range overlay {
		path := filepath.Join(dir, fmt.Sprintf("%d.go", i))
		i++
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			return "", err
		}
		replace[name] = path
	}
	b, err := json.Marshal(map[string]any{"Replace": replace})
	if err != nil {
		return "", err
	}
	file := filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(file, b, 0o600); err != nil {
		return "", err
	}
	bin := filepath.Join(t.dir, strings.NewReplacer("/", "-", ".", "").Replace(key)+fmt.Sprint(len(t.built))+".test")
	cmd := exec.Command("go", "test", "-c", "-vet=off", "-overlay", file, "-o", bin, pkg)
	cmd.Dir = t.root
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &said, &said
	if err := cmd.Run(); err != nil {
		if f.inBuild {
			t.built[key] = ""
			fmt.Fprintf(os.Stderr, "the faults of %s do not compile together: %s\n", f.pkg, said.String())
		}
		return "", errBroken
	}
	if f.inBuild {
		t.built[key] = bin
	}
	return bin, nil
}

// applied makes edits in a text, from its end to its beginning.
func applied(text []byte, edits []edit) ([]byte, error) {
	sorted := slices.Clone(edits)
	sort.SliceStable(sorted, func(i, j int) bool { return sorted[i].from > sorted[j].from })
	out := string(text)
	for _, e := range sorted {
		out = out[:e.from] + e.text + out[e.to:]
	}
	return format.Source([]byte(out))
}
