package durvek_test

import (
	"encoding/json"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// toys is a toy of each thing that may be added, one file and its test each, where it would stand.
const toys = "testdata/toys"

// TestEachThingIsAddedByOneFile lays the toys over the source, as docs/extending.md tells, and runs their tests and
// those that hold for all of their kind.
func TestEachThingIsAddedByOneFile(t *testing.T) {
	if testing.Short() {
		t.Skip("it builds much of the program anew")
	}
	here, err := os.Getwd()
	if err != nil {
		t.Fatal(err)
	}
	laid := map[string]string{}
	page := map[string]string{}
	err = fs.WalkDir(os.DirFS(toys), ".", func(name string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		if strings.HasSuffix(name, ".ts") {
			page[name] = filepath.Join(here, toys, name)
		} else {
			laid[filepath.Join(here, name)] = filepath.Join(here, toys, name)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	dist := builtWith(t, here, page)
	for _, tree := range []string{filepath.Join(here, "probe/dist"), dist} {
		fs.WalkDir(os.DirFS(tree), ".", func(name string, e fs.DirEntry, _ error) error {
			if at := filepath.Join(here, "probe/dist", name); tree != dist && !e.IsDir() {
				laid[at] = "" // the old page goes
			} else if !e.IsDir() {
				laid[at] = filepath.Join(dist, name)
			}
			return nil
		})
	}
	overlay := filepath.Join(t.TempDir(), "overlay.json")
	b, err := json.Marshal(map[string]any{"Replace": laid})
	if err == nil {
		err = os.WriteFile(overlay, b, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	tried := func(run string, packages ...string) {
		command(t, here, "go", append([]string{"test", "-vet=off", "-ldflags=-s -w", "-overlay", overlay, "-run", run},
			packages...)...)
	}
	tried("Toy|EveryCertainTrouble|EveryDeterministicRule", "./core/trust", "./core/verdict", "./core/analyse", "./draw",
		"./simulate", "./probe")
	tried("KernelsRunForReal", "./workload/cpu")
}

// builtWith builds the probe's page with more files in a temporary copy, and says where it lies.
func builtWith(t *testing.T, here string, page map[string]string) string {
	t.Helper()
	copied := t.TempDir()
	if err := os.CopyFS(filepath.Join(copied, "probe/page"), os.DirFS("probe/page")); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"probe.config.ts", "packed.ts", "package.json", "tsconfig.json"} {
		page["web/"+name] = filepath.Join(here, "web", name)
	}
	for name, from := range page {
		b, err := os.ReadFile(from)
		if err == nil {
			err = os.MkdirAll(filepath.Dir(filepath.Join(copied, name)), 0o755)
		}
		if err == nil {
			err = os.WriteFile(filepath.Join(copied, name), b, 0o600)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Symlink(filepath.Join(here, "web/node_modules"), filepath.Join(copied, "web/node_modules")); err != nil {
		t.Fatal(err)
	}
	command(t, filepath.Join(copied, "web"), "npx", "vite", "build", "-c", "probe.config.ts")
	return filepath.Join(copied, "probe/dist")
}

func command(t *testing.T, dir, name string, args ...string) {
	t.Helper()
	c := exec.Command(name, args...)
	c.Dir = dir
	out, err := c.CombinedOutput()
	if err != nil {
		t.Errorf("%s: %v\n%s", c, err, out)
	}
	t.Logf("%s", out)
}
