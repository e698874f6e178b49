// Command release builds what is released, from the commit that is checked out: archives for every system, packages for
// Linux, a list of what is inside (CycloneDX) and checksums. The same commit and the same Go give the same bytes.
package main

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"flag"
	"fmt"
	"io/fs"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"
)

// release is one version on its way.
type release struct {
	version, commit string
	at              time.Time
	root, out       string
}

// target is a system with its processor.
type target struct{ system, processor string }

func (t target) program() string {
	if t.system == "windows" {
		return "durvek.exe"
	}
	return "durvek"
}

func main() {
	log.SetFlags(0)
	root := flag.String("root", "../..", "folder of the source")
	out := flag.String("out", "../../bin/release", "folder to write into")
	tag := flag.String("tag", "", "version, as v1.2.3; that of the commit, usually")
	targets := flag.String("targets", "linux/amd64 linux/arm64 windows/amd64 windows/arm64 darwin/amd64 darwin/arm64",
		"systems and processors")
	flag.Parse()
	if err := run(*root, *out, *tag, strings.Fields(*targets)); err != nil {
		log.Fatal("release: ", err)
	}
}

func run(root, out, tag string, targets []string) error {
	r, err := described(root, out, tag)
	if err != nil {
		return err
	}
	if err := os.RemoveAll(r.out); err != nil {
		return err
	}
	if err := os.MkdirAll(r.out, 0o755); err != nil {
		return err
	}
	pages, err := r.manual()
	if err != nil {
		return err
	}
	var programs []string
	for _, s := range targets {
		system, processor, ok := strings.Cut(s, "/")
		if !ok {
			return fmt.Errorf("%q is no target; write one as linux/amd64", s)
		}
		t := target{system, processor}
		program, err := r.build(t)
		if err != nil {
			return err
		}
		defer os.Remove(program)
		programs = append(programs, program)
		files, err := r.contents(t, program, pages)
		if err != nil {
			return err
		}
		if err := r.archive(t, files); err != nil {
			return err
		}
		if t.system == "linux" {
			if err := r.packages(t, program, pages); err != nil {
				return err
			}
		}
		log.Printf("%s is built", s)
	}
	if err := r.inside(programs); err != nil {
		return err
	}
	for _, p := range programs {
		if err := os.Remove(p); err != nil {
			return err
		}
	}
	return r.sums()
}

// described asks the source what it is. A release is made of a commit, so nothing may be changed in its folder.
func described(root, out, tag string) (*release, error) {
	git := func(args ...string) (string, error) {
		cmd := exec.Command("git", args...)
		cmd.Dir = root
		b, err := cmd.Output()
		if err != nil {
			return "", fmt.Errorf("git %s in %s: %w", strings.Join(args, " "), root, err)
		}
		return strings.TrimSpace(string(b)), nil
	}
	changed, err := git("status", "--porcelain", "--untracked-files=no")
	if err != nil {
		return nil, err
	}
	if changed != "" {
		return nil, fmt.Errorf("files are changed and not committed; commit them or put them away:\n%s", changed)
	}
	commit, err := git("rev-parse", "HEAD")
	if err != nil {
		return nil, err
	}
	date, err := git("log", "-1", "--format=%cI")
	if err != nil {
		return nil, err
	}
	at, err := time.Parse(time.RFC3339, date)
	if err != nil {
		return nil, err
	}
	if tag == "" {
		tag, _ = git("describe", "--tags", "--exact-match") // most commits have none
	}
	version, err := versionOf(tag, commit)
	return &release{version: version, commit: commit, at: at.UTC(), root: root, out: out}, err
}

var versions = regexp.MustCompile(`^v?(\d+\.\d+\.\d+(-[0-9A-Za-z.-]+)?)$`)

// versionOf reads a tag (Semantic Versioning 2.0.0); a commit without one is before everything that has one.
func versionOf(tag, commit string) (string, error) {
	if tag == "" {
		return "0.0.0-dev." + commit[:12], nil
	}
	m := versions.FindStringSubmatch(tag)
	if m == nil {
		return "", fmt.Errorf("%q is no version; write one as v1.2.3", tag)
	}
	return m[1], nil
}

// build builds the program for a target and gives its path.
func (r *release) build(t target) (string, error) {
	path, err := filepath.Abs(filepath.Join(r.out, ".program-"+t.system+"-"+t.processor))
	if err != nil {
		return "", err
	}
	stamp := fmt.Sprintf("-s -w -buildid= -X durvek/cli.Tag=%s -X durvek/cli.Commit=%s -X durvek/cli.Date=%s", r.version,
		r.commit, r.at.Format(time.RFC3339))
	cmd := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-ldflags", stamp, "-o", path, "./cmd/durvek")
	cmd.Dir = r.root
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+t.system, "GOARCH="+t.processor)
	if said, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("build for %s/%s: %w\n%s", t.system, t.processor, err, said)
	}
	return path, nil
}

// file is one of an archive or of a package.
type file struct {
	name string // with slashes; a folder ends with one
	mode fs.FileMode
	body []byte
}

// contents are what an archive holds.
func (r *release) contents(t target, program string, pages []file) ([]file, error) {
	from := [][2]string{{filepath.Join(r.root, "README.md"), "README.md"},
		{filepath.Join(r.root, "CHANGELOG.md"), "CHANGELOG.md"}, {filepath.Join(r.root, "SECURITY.md"), "SECURITY.md"},
		{filepath.Join(r.root, "docs/operations.md"), "docs/operations.md"},
		{filepath.Join(r.root, "cli/licenses.txt"), "LICENSES.txt"}}
	if t.system == "linux" {
		from = append(from, [2]string{"files/durvek.service", "durvek.service"}, [2]string{"files/Containerfile",
			"Containerfile"})
	}
	var out []file
	for _, f := range from {
		b, err := os.ReadFile(f[0])
		if err != nil {
			return nil, err
		}
		out = append(out, file{f[1], 0o644, b})
	}
	b, err := os.ReadFile(program)
	if err != nil {
		return nil, err
	}
	out = append(out, file{t.program(), 0o755, b})
	if t.system == "linux" {
		out = append(out, file{name: "desk/", mode: 0o755}) // the container's, to own
	}
	if t.system != "windows" {
		out = append(out, pages...)
	}
	slices.SortFunc(out, func(a, b file) int { return cmp.Compare(a.name, b.name) })
	return out, nil
}

// archive writes a .tar.gz, for Windows a .zip.
func (r *release) archive(t target, files []file) error {
	name := fmt.Sprintf("durvek-%s-%s-%s", r.version, t.system, t.processor)
	var b bytes.Buffer
	write, end := tarball, ".tar.gz"
	if t.system == "windows" {
		write, end = zipped, ".zip"
	}
	if err := write(&b, name+"/", files, r.at); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(r.out, name+end), b.Bytes(), 0o644)
}

// sums writes the digests of everything that lies in the folder, as sha256sum reads them.
func (r *release) sums() error {
	list, err := os.ReadDir(r.out)
	if err != nil {
		return err
	}
	var b strings.Builder
	for _, e := range list {
		body, err := os.ReadFile(filepath.Join(r.out, e.Name()))
		if err != nil {
			return err
		}
		sum := sha256.Sum256(body)
		fmt.Fprintf(&b, "%s  %s\n", hex.EncodeToString(sum[:]), e.Name())
	}
	return os.WriteFile(filepath.Join(r.out, "SHA256SUMS"), []byte(b.String()), 0o644)
}
