// Command licenses writes the notices of everything that is in the program: the Go modules that it is built of, Go
// itself, the packages that the console and the probe are built of, and the typeface. Run it with web/node_modules in
// place.
package main

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"

	"durvek/internal/lockfile"
)

// notice is a file of a licence's words.
var notice = regexp.MustCompile(`(?i)^(licen[cs]e|copying|notice|copyright)([-._].*)?$`)

// systems are those that the program is released for.
var systems = []string{"linux", "windows", "darwin"}

func main() {
	texts := map[string][]string{} // by words, who comes with them
	add := func(who, dir string) {
		found := false
		list, _ := os.ReadDir(dir)
		for _, e := range list {
			if e.IsDir() || !notice.MatchString(e.Name()) {
				continue
			}
			b, err := os.ReadFile(filepath.Join(dir, e.Name()))
			check(err)
			found = true
			text := strings.TrimSpace(strings.ReplaceAll(string(b), "\r\n", "\n"))
			texts[text] = append(texts[text], who)
		}
		if said := saidIn(filepath.Join(dir, "package.json")); !found && said != "" {
			text := "Its package says: licence " + said + ". It brings no text of it."
			texts[text], found = append(texts[text], who), true
		}
		if !found {
			fmt.Fprintf(os.Stderr, "%s says no licence in %s\n", who, dir)
			os.Exit(1)
		}
	}
	modules := map[string]string{}
	for _, system := range systems {
		cmd := exec.Command("go", "list", "-deps", "-json=Module", "./cmd/durvek")
		cmd.Env = append(os.Environ(), "GOOS="+system, "CGO_ENABLED=0")
		out, err := cmd.Output()
		check(err)
		for d := json.NewDecoder(bytes.NewReader(out)); ; {
			var p struct {
				Module *struct{ Path, Version, Dir string }
			}
			if err := d.Decode(&p); err == io.EOF {
				break
			} else {
				check(err)
			}
			if m := p.Module; m != nil && m.Version != "" {
				modules[m.Path+" "+m.Version] = m.Dir
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(modules)) {
		add(name, modules[name])
	}
	root, err := exec.Command("go", "env", "GOROOT").Output()
	check(err)
	add("Go's library and runtime "+runtime.Version(), strings.TrimSpace(string(root)))
	add("IBM Plex (typeface)", "draw/fonts")
	pages, err := lockfile.Packages("web/package-lock.json")
	check(err)
	for _, p := range pages {
		dir := filepath.Join("web", p.At)
		if _, err := os.Stat(dir); err == nil {
			add(p.Name+" "+p.Version, dir)
		}
	}
	fmt.Println("What is in this program, and under which terms. The licence of the program itself is its owner's to " +
		"choose.")
	keys := slices.SortedFunc(maps.Keys(texts), func(a, b string) int {
		return cmp.Or(strings.Compare(texts[a][0], texts[b][0]), strings.Compare(a, b))
	})
	for _, text := range keys {
		fmt.Printf("\n%s\n%s\n\n%s\n", strings.Repeat("=", 80), strings.Join(texts[text], "\n"), text)
	}
}

// saidIn is the licence that a package names itself; "" if it names none.
func saidIn(path string) string {
	var p struct{ License string }
	b, err := os.ReadFile(path)
	if err != nil || json.Unmarshal(b, &p) != nil {
		return ""
	}
	return p.License
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
