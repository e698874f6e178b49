// Command systems reads the whole program as it is built for other systems and prints what would not compile there. It
// checks types and leaves out the bodies of other people's functions, so it takes seconds where building takes minutes.
package main

import (
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/tools/go/packages"
)

func main() {
	root := flag.String("root", "../..", "folder of the source")
	flag.Parse()
	failed := false
	for _, target := range flag.Args() {
		faults, err := check(*root, target)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		for _, f := range faults {
			fmt.Printf("%s: %s\n", target, f)
		}
		failed = failed || len(faults) > 0
	}
	if failed {
		os.Exit(1)
	}
}

// check lists what is wrong with the program's own packages for a target such as windows/amd64.
func check(root, target string) (faults []string, err error) {
	system, processor, ok := strings.Cut(target, "/")
	if !ok {
		return nil, fmt.Errorf("%q is no target; write one as windows/amd64", target)
	}
	here, err := filepath.Abs(root)
	if err != nil {
		return nil, err
	}
	list, err := packages.Load(&packages.Config{
		Dir: here,
		Env: append(os.Environ(), "CGO_ENABLED=0", "GOFLAGS=", "GOOS="+system, "GOARCH="+processor),
		Mode: packages.NeedName | packages.NeedFiles | packages.NeedCompiledGoFiles | packages.NeedImports |
			packages.NeedDeps | packages.NeedTypes | packages.NeedSyntax | packages.NeedModule,
		ParseFile: func(fset *token.FileSet, name string, src []byte) (*ast.File, error) {
			f, err := parser.ParseFile(fset, name, src, parser.SkipObjectResolution)
			if f != nil && !strings.HasPrefix(name, here+string(filepath.Separator)) {
				for _, d := range f.Decls {
					if d, ok := d.(*ast.FuncDecl); ok {
						d.Body = nil
					}
				}
			}
			return f, err
		},
	}, "./...")
	if err != nil {
		return nil, err
	}
	for _, p := range list {
		for _, e := range p.Errors {
			faults = append(faults, e.Error())
		}
	}
	if len(list) == 0 {
		return nil, fmt.Errorf("no packages in %s", here)
	}
	return faults, nil
}
