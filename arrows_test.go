package durvek_test

import (
	"os/exec"
	"strings"
	"testing"
)

// imports lists the project's own packages with what each needs, directly and through others.
func imports(t *testing.T) (deps map[string][]string, direct map[string][]string) {
	t.Helper()
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}|{{join .Deps " "}}|{{join .Imports " "}}`, "./...").Output()
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
			case strings.HasPrefix(i, "durvek/core/"), strings.HasPrefix(i, "gonum.org/v1/gonum/"), strings.HasPrefix(i, "github.com/lucasb-eyer/go-colorful"):
			case strings.HasPrefix(i, "durvek/"), !standard(i):
				t.Errorf("%s imports %s", pkg, i)
			case i == "os", i == "net", strings.HasPrefix(i, "net/"), i == "database/sql", strings.HasPrefix(i, "os/"), i == "log", i == "math/rand":
				t.Errorf("%s imports %s: core takes files, time and randomness as arguments", pkg, i)
			}
		}
	}
	if checked < 10 {
		t.Errorf("only %d packages of core were checked", checked)
	}
}

func TestArrowsPointDown(t *testing.T) {
	deps, _ := imports(t)
	never := map[string][]string{
		"durvek/desk":     {"durvek/cli", "durvek/service", "durvek/client", "durvek/agent", "durvek/machine", "durvek/simulate", "durvek/workload", "durvek/web"},
		"durvek/store":    {"durvek/desk", "durvek/service", "durvek/cli", "durvek/publish", "durvek/draw"},
		"durvek/client":   {"durvek/desk", "durvek/store", "durvek/service", "durvek/cli"},
		"durvek/agent":    {"durvek/desk", "durvek/store", "durvek/service", "durvek/client", "durvek/cli", "durvek/machine", "durvek/simulate"},
		"durvek/service":  {"durvek/cli", "durvek/agent", "durvek/simulate"},
		"durvek/publish":  {"durvek/desk", "durvek/store", "durvek/service"},
		"durvek/draw":     {"durvek/desk", "durvek/store", "durvek/publish"},
		"durvek/machine":  {"durvek/desk", "durvek/client", "durvek/service", "durvek/agent"},
		"durvek/simulate": {"durvek/desk", "durvek/client", "durvek/service", "durvek/agent"},
		"durvek/workload": {"durvek/desk", "durvek/client", "durvek/service", "durvek/agent", "durvek/machine"},
		"durvek/probe":    {"durvek/desk", "durvek/client", "durvek/service", "durvek/agent", "durvek/machine", "durvek/workload"},
		"durvek/document": {"durvek/core/catalog", "durvek/desk"},
	}
	for pkg, banned := range never {
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
	for pkg, list := range deps {
		for _, d := range list {
			if d == "durvek/cli" && pkg != "durvek/cmd/durvek" && pkg != "durvek/scripts/reference" {
				t.Errorf("%s needs durvek/cli", pkg)
			}
			if d == "durvek/store" && strings.HasPrefix(pkg, "durvek/") {
				switch pkg {
				case "durvek/desk", "durvek/service", "durvek/cli", "durvek/cmd/durvek", "durvek/bench", "durvek/scripts/reference":
				default:
					t.Errorf("%s needs durvek/store", pkg)
				}
			}
		}
	}
}
