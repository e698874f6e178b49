package durvek_test

import (
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"durvek/internal/lockfile"
)

// TestTheNoticesAreOfWhatIsInTheProgram holds the notices against what the program is built of; `make licenses` writes
// them anew.
func TestTheNoticesAreOfWhatIsInTheProgram(t *testing.T) {
	b, err := os.ReadFile("cli/licenses.txt")
	if err != nil {
		t.Fatal(err)
	}
	named := map[string]bool{}
	version := regexp.MustCompile(`^[\w@~./-]+ v?\d+\.\d+[\w.+-]*$`)
	head := false // the lines between a rule and an empty line name what a text is of; the text may look so, too
	for line := range strings.Lines(string(b)) {
		switch line = strings.TrimSuffix(line, "\n"); {
		case strings.HasPrefix(line, "===="):
			head = true
		case line == "":
			head = false
		case head && version.MatchString(line):
			named[line] = true
		}
	}
	built := map[string]bool{}
	for _, system := range []string{"linux", "windows", "darwin"} {
		cmd := exec.Command("go", "list", "-deps", "-f", "{{with .Module}}{{.Path}} {{.Version}}{{end}}", "./cmd/durvek")
		cmd.Env = append(os.Environ(), "GOOS="+system, "CGO_ENABLED=0")
		out, err := cmd.Output()
		if err != nil {
			t.Fatal(err)
		}
		for line := range strings.Lines(string(out)) {
			if line = strings.TrimSpace(line); line != "" && line != "durvek" {
				built[line] = true
			}
		}
	}
	pages, err := lockfile.Packages("web/package-lock.json")
	if err != nil {
		t.Fatal(err)
	}
	locked := map[string]bool{}
	for _, p := range pages {
		locked[p.Name+" "+p.Version] = true
	}
	if len(built) < 10 || len(locked) < 10 {
		t.Fatalf("%d modules and %d packages", len(built), len(locked))
	}
	for m := range built {
		if !named[m] {
			t.Errorf("%s is built in and not named", m)
		}
	}
	for n := range named {
		if !built[n] && !locked[n] {
			t.Errorf("%s is named and not built in", n)
		}
	}
	for _, p := range []string{"vue", "vuetify", "echarts"} {
		if !regexp.MustCompile(`(?m)^` + p + ` \d`).Match(b) {
			t.Errorf("%s of the console is not named", p)
		}
	}
}
