package durvek_test

import (
	"cmp"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// imports lists the project's own packages with what each needs, directly and through others.
func imports(t *testing.T) (deps map[string][]string, direct map[string][]string) {
	t.Helper()
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}|{{join .Deps " "}}|{{join .Imports " "}}`,
		"./...").Output()
	if err != nil {
		t.Fatal(err)
	}
	deps, direct = map[string][]string{}, map[string][]string{}
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		p := strings.SplitN(line, "|", 3)
		deps[p[0]], direct[p[0]] = strings.Fields(p[1]), strings.Fields(p[2])
	}
	return deps, direct
}

// standard tells whether a package belongs to Go itself: its path begins without a dot.
func standard(path string) bool { return !strings.Contains(strings.SplitN(path, "/", 2)[0], ".") }

func TestCoreImportsOnlyTheStandardLibraryNumericsAndItself(t *testing.T) {
	_, direct := imports(t)
	checked := 0
	for pkg, list := range direct {
		if !strings.HasPrefix(pkg, "durvek/core/") {
			continue
		}
		checked++
		for _, i := range list {
			switch {
			case strings.HasPrefix(i, "durvek/core/"), strings.HasPrefix(i, "gonum.org/v1/gonum/"), strings.HasPrefix(i,
				"github.com/lucasb-eyer/go-colorful"):
			case strings.HasPrefix(i, "durvek/"), !standard(i):
				t.Errorf("%s imports %s", pkg, i)
			case i == "os", i == "net", strings.HasPrefix(i, "net/"), i == "database/sql", strings.HasPrefix(i, "os/"),
				i == "log", i == "math/rand":
				t.Errorf("%s imports %s: core takes files, time and randomness as arguments", pkg, i)
			}
		}
	}
	if checked < 10 {
		t.Errorf("only %d packages of core were checked", checked)
	}
}

// rooms are those of a desk; they reach each other only through the interfaces that each declares.
var rooms = []string{"books", "bench", "results", "figures", "reviews", "front", "hooks"}

// above are the packages that stand over the desk.
var above = []string{"durvek/api", "durvek/cli", "durvek/service", "durvek/client", "durvek/agent", "durvek/machine",
	"durvek/simulate", "durvek/workload", "durvek/web", "durvek/demo", "durvek/examples"}

// never says for each package which ones it may not need, directly or through others.
func never() map[string][]string {
	out := map[string][]string{
		"durvek/store":  {"durvek/desk", "durvek/service", "durvek/cli", "durvek/publish", "durvek/draw"},
		"durvek/api":    {"durvek/desk/house", "durvek/service", "durvek/client", "durvek/cli", "durvek/agent"},
		"durvek/client": {"durvek/desk/house", "durvek/service", "durvek/cli"},
		"durvek/agent": {"durvek/desk", "durvek/store", "durvek/service", "durvek/client", "durvek/cli", "durvek/machine",
			"durvek/simulate"},
		"durvek/service":  {"durvek/cli", "durvek/agent", "durvek/simulate", "durvek/examples"},
		"durvek/publish":  {"durvek/desk", "durvek/store", "durvek/service"},
		"durvek/draw":     {"durvek/desk", "durvek/store", "durvek/publish"},
		"durvek/machine":  {"durvek/desk", "durvek/client", "durvek/service", "durvek/agent"},
		"durvek/simulate": {"durvek/desk", "durvek/client", "durvek/service", "durvek/agent"},
		"durvek/workload": {"durvek/desk", "durvek/client", "durvek/service", "durvek/agent", "durvek/machine"},
		"durvek/probe": {"durvek/desk", "durvek/client", "durvek/service", "durvek/agent", "durvek/machine",
			"durvek/workload"},
		"durvek/document":   {"durvek/core/catalog", "durvek/desk"},
		"durvek/exchange":   {"durvek/desk", "durvek/store", "durvek/service", "durvek/publish"},
		"durvek/rawfile":    {"durvek/desk", "durvek/store", "durvek/service", "durvek/draw"},
		"durvek/instrument": {"durvek/desk", "durvek/store", "durvek/client", "durvek/service"},
		"durvek/demo/load":  {"durvek/desk/house", "durvek/service", "durvek/cli", "durvek/client"},
		"durvek/desk":       append([]string{"durvek/desk/house"}, above...),
	}
	for _, r := range rooms {
		banned := append([]string{"durvek/desk/house"}, above...)
		for _, other := range rooms {
			if other != r {
				banned = append(banned, "durvek/desk/"+other)
			}
		}
		out["durvek/desk/"+r] = banned
		out["durvek/desk"] = append(out["durvek/desk"], "durvek/desk/"+r)
	}
	return out
}

func TestArrowsPointDown(t *testing.T) {
	deps, direct := imports(t)
	for pkg, banned := range never() {
		if deps[pkg] == nil {
			t.Errorf("%s is gone; mend this test", pkg)
		}
		for _, d := range deps[pkg] {
			for _, b := range banned {
				if d == b || strings.HasPrefix(d, b+"/") {
					t.Errorf("%s needs %s", pkg, d)
				}
			}
		}
	}
	// Who may name a package itself, by the beginning of its own name.
	only := map[string][]string{
		"durvek/cli": {"durvek/cmd/durvek", "durvek/scripts/reference"},
		"durvek/store": {"durvek/desk", "durvek/service", "durvek/demo/load", "durvek/bench",
			"durvek/internal/testdesk"},
		"durvek/desk/house": {"durvek/service", "durvek/cli", "durvek/internal/testdesk",
			"durvek/internal/demodesk"},
		"durvek/internal/demodesk": {},
		"durvek/internal/testdesk": {},
	}
	for pkg, list := range direct {
		for _, d := range list {
			allowed, kept := only[d]
			if kept && !slices.ContainsFunc(allowed, func(a string) bool { return pkg == a || strings.HasPrefix(pkg, a+"/") }) {
				t.Errorf("%s imports %s", pkg, d)
			}
		}
	}
}

// A sentence of the core or the desk is read in the console, on paper and in a terminal: it never names a command.
func TestSentencesNameNoCommands(t *testing.T) {
	command := regexp.MustCompile(`\bdurvek [a-z-]+ [a-z-]+`)
	for _, room := range []string{"core", "desk", "publish", "draw"} {
		sources(t, room, func(path string, lines []string) {
			for i, line := range lines {
				code, _, _ := strings.Cut(line, "// ")
				if m := command.FindString(code); m != "" && !strings.HasSuffix(path, "_test.go") {
					t.Errorf("%s:%d names the command %q", path, i+1, m)
				}
			}
		})
	}
}

// sources hands over every Go file below a folder, without the generated ones.
func sources(t *testing.T, root string, tell func(path string, lines []string)) {
	t.Helper()
	n := 0
	err := filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() && (e.Name() == "node_modules" || e.Name() == "gen" || path != root &&
			strings.HasPrefix(e.Name(), ".")) {
			return cmp.Or(err, fs.SkipDir)
		}
		if filepath.Ext(path) != ".go" {
			return nil
		}
		b, err := os.ReadFile(path)
		n++
		tell(path, strings.Split(string(b), "\n"))
		return err
	})
	if err != nil || n == 0 {
		t.Fatalf("%d files below %s: %v", n, root, err)
	}
}
