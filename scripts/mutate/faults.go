package main

import (
	"errors"
	"fmt"
	"go/ast"
	"go/constant"
	"go/token"
	"go/types"
	"os"
	"strconv"
	"strings"

	"golang.org/x/tools/go/packages"
)

// load reads and checks the packages that faults are planted in.
func load(root string) ([]*packages.Package, error) {
	c := &packages.Config{Dir: root,
		Mode: packages.NeedName | packages.NeedFiles | packages.NeedSyntax | packages.NeedTypes | packages.NeedTypesInfo | packages.NeedImports,
		Env:  append(os.Environ(), "CGO_ENABLED=0")}
	pkgs, err := packages.Load(c, "./core/...", "./desk/...", "./store/...", "./service/...", "./agent/...", "./draw/...",
		"./exchange")
	if err != nil {
		return nil, err
	}
	for _, p := range pkgs {
		if len(p.Errors) > 0 {
			return nil, errors.New(p.Errors[0].Error())
		}
	}
	return pkgs, nil
}

// sourced is a package with its faults.
type sourced struct {
	faults       []*fault
	text         map[string][]byte
	instrumented map[string]string // files with every fault that can be chosen by number
	helper       string
}

// swaps are the operators that are taken for each other.
var swaps = map[token.Token]token.Token{
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR, token.EQL: token.NEQ,
	token.NEQ: token.EQL,
	token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO, token.QUO: token.MUL, token.LAND: token.LOR,
	token.LOR: token.LAND,
}

// finder gathers the faults of one file.
type finder struct {
	p       *packages.Package
	path    string
	name    string
	file    *ast.File
	src     []byte
	next    int
	out     *sourced
	edits   []edit
	skip    map[ast.Node]bool
	imports map[string]string // names of imported packages by path
}

func faultsOf(p *packages.Package, path string, from int) *sourced {
	out := &sourced{text: map[string][]byte{}, instrumented: map[string]string{}}
	for _, f := range p.Syntax {
		file := p.Fset.Position(f.Pos()).Filename
		src, err := os.ReadFile(file)
		if err != nil || strings.Contains(string(src[:min(len(src), 200)]), "Code generated") {
			continue
		}
		out.text[file] = src
		x := &finder{p: p, path: path, name: file, file: f, src: src, next: from + len(out.faults), out: out,
			skip: map[ast.Node]bool{}, imports: map[string]string{}}
		for _, imp := range f.Imports {
			at, _ := strconv.Unquote(imp.Path.Value)
			if dep := p.Imports[at]; dep != nil && imp.Name == nil {
				x.imports[at] = dep.Name
			}
		}
		x.find()
		if text, err := applied(src, x.edits); err == nil {
			out.instrumented[file] = string(text)
		} else {
			fmt.Fprintf(os.Stderr, "%s: the faults do not go together: %v\n", file, err)
		}
	}
	out.helper = fmt.Sprintf(`package %s

import "os"

// zzFault is the number of the fault that is planted in this run.
var zzFault = os.Getenv("DURVEK_FAULT")
`, p.Name)
	return out
}

func (x *finder) at(n ast.Node) (from, to, line int) {
	a, b := x.p.Fset.Position(n.Pos()), x.p.Fset.Position(n.End())
	return a.Offset, b.Offset, a.Line
}

func (x *finder) text(n ast.Node) string {
	a, b, _ := x.at(n)
	return string(x.src[a:b])
}

// add takes down a fault that is chosen by number: in place of the expression stands one that is other when the number
// is set.
func (x *finder) add(n ast.Node, typ, other, what string) {
	from, to, line := x.at(n)
	id := x.next
	x.next++
	x.out.faults = append(x.out.faults, &fault{id: id, pkg: x.path, file: x.name, line: line, what: what, inBuild: true})
	x.edits = append(x.edits, edit{from, to, fmt.Sprintf("func() %s { if zzFault == %q { return %s }; return %s }()", typ,
		strconv.Itoa(id), other, x.text(n))})
}

func (x *finder) alone(n ast.Node, text, what string) {
	from, to, line := x.at(n)
	x.out.faults = append(x.out.faults, &fault{id: x.next, pkg: x.path, file: x.name, line: line, what: what,
		edits: []edit{{from, to, text}}})
	x.next++
}

func (x *finder) find() {
	for _, d := range x.file.Decls {
		switch d := d.(type) {
		case *ast.FuncDecl:
			if d.Body != nil {
				x.body(d.Body)
			}
		case *ast.GenDecl:
			if d.Tok == token.CONST || d.Tok == token.VAR {
				x.declared(d)
			}
		}
	}
}

// declared finds the numbers of declared constants and variables.
func (x *finder) declared(d *ast.GenDecl) {
	ast.Inspect(d, func(n ast.Node) bool {
		if _, ok := n.(*ast.FuncLit); ok {
			return false
		}
		lit, ok := n.(*ast.BasicLit)
		if ok && (lit.Kind == token.INT || lit.Kind == token.FLOAT) {
			if other := nudged(lit); other != "" {
				x.alone(lit, other, lit.Value+" → "+other)
			}
		}
		return true
	})
}

// nudged is a number near another.
func nudged(lit *ast.BasicLit) string {
	if lit.Kind == token.INT {
		n, err := strconv.ParseInt(lit.Value, 0, 64)
		if err != nil || n > 1<<40 {
			return ""
		}
		switch {
		case n > 255: // below it may be a byte, which holds no more
			return strconv.FormatInt(n*2, 10)
		case n == 255:
			return "254"
		}
		return strconv.FormatInt(n+1, 10)
	}
	v, err := strconv.ParseFloat(lit.Value, 64)
	if err != nil {
		return ""
	}
	if v == 0 {
		return "1.0"
	}
	return strconv.FormatFloat(v*1.6, 'f', -1, 64)
}

// body finds the faults of a function. Of expressions within each other only the outermost is taken: their edits would
// overlap.
func (x *finder) body(b *ast.BlockStmt) {
	ast.Inspect(b, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.IfStmt:
			return x.condition(n)
		case *ast.ReturnStmt:
			x.beside(n)
		case *ast.CallExpr:
			x.settled(n)
			return x.expression(n)
		case *ast.CaseClause, *ast.CommClause, *ast.LabeledStmt, *ast.GoStmt:
			return true
		case *ast.IndexExpr:
			return x.expression(n)
		case ast.Expr:
			return x.expression(n)
		}
		return true
	})
}

// beside leaves out numbers that are returned with an error: nobody may look at them.
func (x *finder) beside(n *ast.ReturnStmt) {
	if len(n.Results) < 2 {
		return
	}
	last := n.Results[len(n.Results)-1]
	t := x.p.TypesInfo.TypeOf(last)
	if t == nil || t.String() == "untyped nil" || !types.Implements(t, types.Universe.Lookup("error").Type().
		Underlying().(*types.Interface)) {
		return
	}
	for _, r := range n.Results[:len(n.Results)-1] {
		if lit, ok := r.(*ast.BasicLit); ok {
			x.skip[lit] = true
		}
	}
}

// settled leaves out the sign of an infinity, of which only being above or below nothing counts, and the sizes of
// numbers that are read or written.
func (x *finder) settled(n *ast.CallExpr) {
	if name := x.text(n.Fun); name != "math.Inf" && !strings.HasPrefix(name, "strconv.") {
		return
	}
	if lit, ok := n.Args[len(n.Args)-1].(*ast.BasicLit); ok {
		x.skip[lit] = true
	}
}

// condition takes an if's condition: negated, or with the operator within it changed, in turn.
func (x *finder) condition(n *ast.IfStmt) bool {
	if n.Init != nil || x.skip[n.Cond] { // its names live in the condition alone
		return true
	}
	if t, ok := x.p.TypesInfo.Types[n.Cond]; !ok || t.Value != nil || !basic(t.Type, types.IsBoolean) {
		return true
	}
	if c := x.text(n.Cond); c == "err != nil" || c == "err == nil" { // nobody forgets these
		return true
	}
	if n.Pos()%2 == 0 {
		x.skip[n.Cond] = true
		x.add(n.Cond, "bool", "!("+x.text(n.Cond)+")", "if "+short(x.text(n.Cond))+" → if not")
	}
	return true
}

func basic(t types.Type, info types.BasicInfo) bool {
	b, ok := t.(*types.Basic)
	return ok && b.Info()&info != 0
}

// expression takes a binary expression or a number; false where nothing within it may be taken any more.
func (x *finder) expression(n ast.Expr) bool {
	if x.skip[n] {
		return false
	}
	t, ok := x.p.TypesInfo.Types[n]
	if !ok || t.IsType() {
		return true
	}
	switch n := n.(type) {
	case *ast.CompositeLit, *ast.FuncLit, *ast.CallExpr, *ast.UnaryExpr, *ast.ParenExpr, *ast.SelectorExpr,
		*ast.KeyValueExpr, *ast.SliceExpr, *ast.IndexExpr, *ast.StarExpr:
		return true
	case *ast.BinaryExpr:
		other, ok := swaps[n.Op]
		if !ok || t.Value != nil {
			return n.Op != token.SHL && n.Op != token.SHR
		}
		typ := x.named(t.Type)
		if typ == "" || n.Op == token.ADD && basic(t.Type.Underlying(), types.IsString) {
			return true
		}
		if compared, isType := x.p.TypesInfo.Types[n.X]; (n.Op == token.EQL || n.Op == token.NEQ) && isType &&
			compared.IsNil() {
			return true
		}
		if c := x.text(n); c == "err != nil" || c == "err == nil" {
			return false
		}
		a, b := x.text(n.X), x.text(n.Y)
		x.add(n, typ, a+" "+other.String()+" "+b, short(x.text(n))+": "+n.Op.String()+" → "+other.String())
		return false
	case *ast.BasicLit:
		if n.Kind != token.INT && n.Kind != token.FLOAT {
			return false
		}
		typ := x.named(t.Type)
		other := nudged(n)
		if typ == "" || other == "" || basic(t.Type, types.IsUntyped) {
			return false
		}
		if v := constant.ToInt(t.Value); typ == "uint8" && v.String() > "127" && len(v.String()) == 3 {
			other = "0" // twice as much is none of them
		}
		x.add(n, typ, other, n.Value+" → "+other)
		return false
	case *ast.Ident:
		if use := x.p.TypesInfo.Uses[n]; use == types.Universe.Lookup("true") || use == types.Universe.Lookup("false") {
			if typ := x.named(t.Type); typ != "" && !basic(t.Type, types.IsUntyped) {
				x.add(n, typ, map[string]string{"true": "false", "false": "true"}[n.Name], n.Name+" flipped")
			}
		}
		return false
	}
	return true
}

// named writes a type as the file can; "" where it cannot.
func (x *finder) named(t types.Type) string {
	if b, ok := t.(*types.Basic); ok {
		if b.Info()&types.IsUntyped != 0 {
			if b.Kind() == types.UntypedBool {
				return "bool"
			}
			return ""
		}
		return b.Name()
	}
	n, ok := t.(*types.Named)
	if !ok || n.TypeArgs().Len() > 0 {
		return ""
	}
	if _, ok := n.Underlying().(*types.Basic); !ok {
		return ""
	}
	if n.Obj().Pkg() == x.p.Types {
		if n.Obj().Parent() != x.p.Types.Scope() {
			return ""
		}
		return n.Obj().Name()
	}
	if n.Obj().Pkg() == nil {
		return ""
	}
	if name, ok := x.imports[n.Obj().Pkg().Path()]; ok {
		return name + "." + n.Obj().Name()
	}
	return ""
}

func short(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if len(s) > 70 {
		s = s[:67] + "…"
	}
	return s
}
