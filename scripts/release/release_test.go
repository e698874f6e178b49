package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"
)

func TestAVersionIsReadFromATagOrMadeOfACommit(t *testing.T) {
	const commit = "0123456789abcdef0123456789abcdef01234567"
	for tag, want := range map[string]string{"": "0.0.0-dev.0123456789ab", "v1.2.3": "1.2.3", "1.2.3": "1.2.3",
		"v2.0.0-rc.1": "2.0.0-rc.1", "v1.2": "", "v1.2.3.4": "", "release": "", "v1.2.3-": "", "v1.2.3 ": ""} {
		got, err := versionOf(tag, commit)
		if got != want || (err == nil) != (want != "") {
			t.Errorf("%q: %q, %v; want %q", tag, got, err, want)
		}
	}
}

// source is a copy of the project's commit, as a release is made of.
func source(t *testing.T) string {
	t.Helper()
	root := filepath.Join(t.TempDir(), "source")
	run := func(dir, name string, args ...string) {
		cmd := exec.Command(name, args...)
		cmd.Dir = dir
		if b, err := cmd.CombinedOutput(); err != nil {
			t.Fatalf("%s %v: %v\n%s", name, args, err, b)
		}
	}
	here, err := filepath.Abs("../..")
	if err != nil {
		t.Fatal(err)
	}
	run(here, "git", "clone", "-q", here, root)
	for _, built := range []string{"web/dist", "probe/dist"} { // what the programs embed
		run(here, "cp", "-R", filepath.Join(here, built)+"/.", filepath.Join(root, built))
	}
	return root
}

func TestTwoReleasesOfACommitAreTheSameBytes(t *testing.T) {
	root := source(t)
	targets := []string{runtime.GOOS + "/" + runtime.GOARCH}
	var sums [2]string
	var out string
	for i := range sums {
		out = filepath.Join(t.TempDir(), "out")
		if err := run(root, out, "v1.2.3", targets); err != nil {
			t.Fatal(err)
		}
		b, err := os.ReadFile(filepath.Join(out, "SHA256SUMS"))
		if err != nil {
			t.Fatal(err)
		}
		sums[i] = string(b)
	}
	if sums[0] != sums[1] {
		t.Errorf("%s\nand\n%s", sums[0], sums[1])
	}
	list, err := os.ReadDir(out)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range list {
		b, err := os.ReadFile(filepath.Join(out, e.Name()))
		if err != nil {
			t.Fatal(err)
		}
		sum := sha256.Sum256(b)
		if line := hex.EncodeToString(sum[:]) + "  " + e.Name() + "\n"; e.Name() != "SHA256SUMS" &&
			!strings.Contains(sums[1], line) {
			t.Errorf("SHA256SUMS lacks %s", line)
		}
	}
	t.Run("an archive's program says its version", func(t *testing.T) { saysVersion(t, out) })
	t.Run("what is inside", func(t *testing.T) { listsParts(t, out) })
}

// saysVersion takes the program out of its archive and asks it.
func saysVersion(t *testing.T, out string) {
	base := fmt.Sprintf("durvek-1.2.3-%s-%s", runtime.GOOS, runtime.GOARCH)
	f, err := os.Open(filepath.Join(out, base+".tar.gz"))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	program := filepath.Join(t.TempDir(), "durvek")
	var names []string
	for r := tar.NewReader(z); ; {
		h, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		names = append(names, strings.TrimPrefix(h.Name, base+"/"))
		if h.Name == base+"/durvek" {
			b, err := io.ReadAll(r)
			if err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(program, b, os.FileMode(h.Mode)); err != nil {
				t.Fatal(err)
			}
		}
	}
	for _, want := range []string{"README.md", "LICENSES.txt", "durvek.service", "Containerfile", "desk/",
		"man/man1/durvek.1", "man/man1/durvek-run-list.1", "completions/durvek.bash"} {
		if !slices.Contains(names, want) {
			t.Errorf("no %s in %v", want, names)
		}
	}
	b, err := exec.Command(program, "version").CombinedOutput()
	if err != nil || !strings.HasPrefix(string(b), "durvek 1.2.3, commit ") {
		t.Errorf("it says %s, %v", b, err)
	}
}

// listsParts reads the list of parts and finds in it what the program and the console are known to be built of.
func listsParts(t *testing.T, out string) {
	b, err := os.ReadFile(filepath.Join(out, "durvek-1.2.3.cdx.json"))
	if err != nil {
		t.Fatal(err)
	}
	var bom struct {
		SpecVersion string
		Components  []struct{ Name, Version, Purl string }
	}
	if err := json.Unmarshal(b, &bom); err != nil {
		t.Fatal(err)
	}
	names := map[string]bool{}
	for _, c := range bom.Components {
		if c.Version == "" || c.Purl == "" || names[c.Purl] {
			t.Errorf("%+v", c)
		}
		names[c.Purl], names[c.Name] = true, true
	}
	for _, want := range []string{"std", "modernc.org/sqlite", "github.com/gofiber/fiber/v2", "vue", "vuetify",
		"echarts"} {
		if !names[want] {
			t.Errorf("%s is not in the list", want)
		}
	}
	if names["vite"] {
		t.Error("a tool of the build is in the list")
	}
}

func TestNothingIsReleasedOfWhatIsNotCommitted(t *testing.T) {
	root := source(t)
	if err := os.WriteFile(filepath.Join(root, "README.md"), []byte("other\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	out := filepath.Join(t.TempDir(), "out")
	if err := run(root, out, "", nil); err == nil || !strings.Contains(err.Error(), "README.md") {
		t.Errorf("%v", err)
	}
	if _, err := os.Stat(out); !errors.Is(err, os.ErrNotExist) {
		t.Error("something was written")
	}
}

func TestAZipHoldsWhatATarballHolds(t *testing.T) {
	files := []file{{"a/b.txt", 0o644, []byte("text")}, {"desk/", 0o755, nil}, {"p", 0o755, []byte{0, 1}}}
	var b bytes.Buffer
	if err := zipped(&b, "x/", files, time.Unix(1e9, 0)); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	for i, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		body, err := io.ReadAll(r)
		if err != nil || f.Name != "x/"+files[i].name || !bytes.Equal(body, files[i].body) ||
			f.Mode().Perm() != files[i].mode {
			t.Errorf("%s %v: %q, %v", f.Name, f.Mode(), body, err)
		}
	}
	if len(z.File) != len(files) {
		t.Errorf("%d files", len(z.File))
	}
}
