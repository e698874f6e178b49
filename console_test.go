package durvek_test

import (
	"encoding/json"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// operations lists what may be asked of the service: verb and path, by its id.
func operations(t *testing.T) map[string]string {
	t.Helper()
	data, err := os.ReadFile("docs/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	var api struct {
		Paths map[string]map[string]struct {
			ID string `json:"operationId"`
		} `json:"paths"`
	}
	if err := json.Unmarshal(data, &api); err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	for path, verbs := range api.Paths {
		for verb, op := range verbs {
			if op.ID != "" {
				out[op.ID] = strings.ToUpper(verb) + " " + path
			}
		}
	}
	return out
}

// asked lists what the console asks: verb and path, with * for what stands in the path.
func asked(t *testing.T) map[string]bool {
	t.Helper()
	out := map[string]bool{}
	typed := regexp.MustCompile(`api\.(GET|POST|PUT|PATCH|DELETE)\(\s*'([^']+)'`)
	sent := regexp.MustCompile("send<[^(]*>+\\(\\s*[`']([^?`']+)|send\\([`']([^?`']+)")
	linked := regexp.MustCompile("[`'\"](/api/[^?`'\"]+)")
	parts := regexp.MustCompile(`\{[^}]*\}|\$\{[^}]*\}`)
	err := filepath.WalkDir("web/src", func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || strings.HasSuffix(path, "schema.gen.ts") {
			return err
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		for _, m := range typed.FindAllSubmatch(data, -1) {
			out[string(m[1])+" "+parts.ReplaceAllString(string(m[2]), "*")] = true
		}
		for _, m := range sent.FindAllSubmatch(data, -1) {
			out["POST "+parts.ReplaceAllString(string(m[1])+string(m[2]), "*")] = true
		}
		for _, m := range linked.FindAllSubmatch(data, -1) {
			at := strings.Split(parts.ReplaceAllString(string(m[1]), "*"), "*.")[0]
			out["GET "+strings.TrimSuffix(at, "/")+map[bool]string{true: "/*"}[strings.HasSuffix(at, "/")]] = true
			if strings.Contains(string(data), "send<") { // the path of a file that is sent, made in another place
				out["POST "+at] = true
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func TestEveryOperationHasItsPlaceInTheConsoleOrAReasonWhyNot(t *testing.T) {
	data, err := os.ReadFile("docs/console.md")
	if err != nil {
		t.Fatal(err)
	}
	why := map[string]string{}
	for _, m := range regexp.MustCompile("(?m)^\\| `([a-z-]+)` \\| (.+) \\|$").FindAllStringSubmatch(string(data), -1) {
		why[m[1]] = m[2]
	}
	there := asked(t)
	parts := regexp.MustCompile(`\{[^}]*\}`)
	for id, op := range operations(t) {
		in := there[parts.ReplaceAllString(op, "*")] || strings.HasPrefix(op, "GET /api/charts/") && id != "chart-claims" &&
			there["GET /api/charts/*"] // one picture for all kinds, by its name
		switch reason := why[id]; {
		case !in && reason == "":
			t.Errorf("%s (%s) is neither in the console nor in docs/console.md with the reason why not", id, op)
		case in && reason != "":
			t.Errorf("%s (%s) is in the console: docs/console.md says it is not, %q", id, op, reason)
		}
		delete(why, id)
	}
	for id := range why {
		t.Errorf("docs/console.md speaks of %q, and there is no such operation", id)
	}
}
