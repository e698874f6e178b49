package durvek_test

import (
	"cmp"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"
)

var lower = flag.Bool("lower", false, "write lower counts into testdata/limits.txt; higher ones are never written")

// What is longer has two ideas in it.
const (
	mostLines    = 500 // of a file
	mostFunction = 80  // lines of a function
	mostColumns  = 120 // of a line
)

// field is a field with its tag, which cannot be broken.
var field = regexp.MustCompile("^\t+\\w+ +\\S+ +`[^`]*`$")

const exceptions = "testdata/limits.txt"

// Files, functions and lines keep their limits, but for those in the list of exceptions, which only shrinks: one that
// became shorter is taken down with its new length.
func TestNothingGrowsTooLong(t *testing.T) {
	found := map[string]int{}
	sources(t, ".", func(path string, lines []string) {
		if n := len(lines) - 1; n > mostLines {
			found["lines "+path] = n
		}
		for _, l := range lines {
			if utf8.RuneCountInString(l) > mostColumns && !field.MatchString(l) {
				found["columns "+path]++
			}
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, strings.Join(lines, "\n"), 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range f.Decls {
			x, ok := d.(*ast.FuncDecl)
			if !ok {
				continue
			}
			name := x.Name.Name
			if x.Recv != nil && len(x.Recv.List) == 1 {
				if star, ok := x.Recv.List[0].Type.(*ast.StarExpr); ok {
					name = fmt.Sprint(star.X, ".", name)
				}
			}
			if n := set.Position(x.End()).Line - set.Position(x.Pos()).Line + 1; n > mostFunction {
				key := "function " + filepath.Dir(path) + " " + name
				found[key] = max(n, found[key])
			}
		}
	})
	allowed := map[string]int{}
	b, err := os.ReadFile(exceptions)
	if err != nil && !*lower {
		t.Fatal(err)
	}
	for _, line := range strings.Split(strings.TrimSpace(string(b)), "\n") {
		at := strings.LastIndex(line, " ")
		n := 0
		if at > 0 {
			fmt.Sscan(line[at+1:], &n)
			allowed[line[:at]] = n
		}
	}
	for _, what := range slices.Sorted(maps.Keys(found)) {
		switch n := found[what]; {
		case len(allowed) > 0 && n > allowed[what]:
			t.Errorf("%s: %d, %s at most", what, n, cmp.Or(fmt.Sprint(allowed[what]), "0"))
		case n < allowed[what] && !*lower:
			t.Errorf("%s is down from %d to %d: take it down with `go test . -lower`", what, allowed[what], n)
		}
	}
	for what := range allowed {
		if found[what] == 0 && !*lower {
			t.Errorf("%s keeps its limit now: take it out of the list with `go test . -lower`", what)
		}
	}
	if *lower && !t.Failed() {
		var out strings.Builder
		for _, what := range slices.Sorted(maps.Keys(found)) {
			fmt.Fprintln(&out, what, found[what])
		}
		if err := os.WriteFile(exceptions, []byte(out.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}
