// Package document reads files that people write (YAML 1.2 or JSON), checks them against a JSON
// Schema and decodes them, and says for every fault where it stands: line, column and reason, all
// faults at once. It knows nothing of what the files mean.
package document

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// Fault is one thing wrong in a file. Line and Column count from 1; Path names the entry.
type Fault struct {
	Line   int    `json:"line"`
	Column int    `json:"column"`
	Path   string `json:"path,omitempty"`
	Reason string `json:"reason"`
}

func (f Fault) String() string {
	if f.Path == "" {
		return fmt.Sprintf("line %d, column %d: %s", f.Line, f.Column, f.Reason)
	}
	return fmt.Sprintf("line %d, column %d (%s): %s", f.Line, f.Column, f.Path, f.Reason)
}

// Faults is an error that lists everything wrong in a file, in file order.
type Faults struct {
	What string
	List []Fault
}

func (e *Faults) Error() string {
	lines := make([]string, len(e.List))
	for i, f := range e.List {
		lines[i] = f.String()
	}
	return fmt.Sprintf("%s has %d fault(s), nothing was taken in:\n  %s", e.What, len(e.List), strings.Join(lines, "\n  "))
}

// File is a parsed file.
type File struct {
	What  string
	root  ast.Node
	value any
}

// MaxSize is the largest file that Read takes.
const MaxSize = 8 << 20

// Read parses data, YAML or JSON. what names the kind of file in errors. A syntax fault comes back
// as *Faults.
func Read(what string, data []byte) (file *File, err error) {
	defer func() {
		if p := recover(); p != nil { // the parser gave up on something strange
			file, err = nil, &Faults{what, []Fault{{1, 1, "", fmt.Sprintf("the file cannot be parsed: %v", p)}}}
		}
	}()
	if len(data) > MaxSize {
		return nil, fmt.Errorf("%s is larger than %d MiB", what, MaxSize>>20)
	}
	tree, err := parser.ParseBytes(data, 0)
	if err != nil {
		return nil, syntaxFault(what, err)
	}
	if len(tree.Docs) == 0 || tree.Docs[0].Body == nil {
		return nil, &Faults{what, []Fault{{1, 1, "", "the file is empty"}}}
	}
	if len(tree.Docs) > 1 && tree.Docs[1].Body != nil {
		t := tree.Docs[1].Body.GetToken()
		return nil, &Faults{what, []Fault{{t.Position.Line, t.Position.Column, "", "a file holds one document"}}}
	}
	f := &File{What: what, root: tree.Docs[0].Body}
	var v any
	if err := yaml.NodeToValue(f.root, &v); err != nil {
		return nil, syntaxFault(what, err)
	}
	// By way of JSON: keys become texts and numbers json.Number, as the schema library wants them.
	j, err := json.Marshal(v)
	if err != nil {
		return nil, &Faults{what, []Fault{{1, 1, "", err.Error()}}}
	}
	if f.value, err = jsonschema.UnmarshalJSON(bytes.NewReader(j)); err != nil {
		return nil, &Faults{what, []Fault{{1, 1, "", err.Error()}}}
	}
	return f, nil
}

func syntaxFault(what string, err error) error {
	f := Fault{Line: 1, Column: 1, Reason: err.Error()}
	var se yaml.Error
	if errors.As(err, &se) {
		f.Reason = se.GetMessage()
		if t := se.GetToken(); t != nil && t.Position != nil {
			f.Line, f.Column = t.Position.Line, t.Position.Column
		}
	}
	return &Faults{what, []Fault{f}}
}

// Schema is a compiled JSON Schema (2020-12).
type Schema struct{ compiled *jsonschema.Schema }

// MustSchema compiles a schema that ships with the program.
func MustSchema(name string, source []byte) *Schema {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(source))
	if err != nil {
		panic(fmt.Sprintf("schema %s: %v", name, err))
	}
	c := jsonschema.NewCompiler()
	if err := c.AddResource(name, doc); err != nil {
		panic(err)
	}
	return &Schema{c.MustCompile(name)}
}

// Decode checks the file against the schema and, if it holds, decodes it into out. Faults come back
// as *Faults.
func (f *File) Decode(s *Schema, out any) error {
	if err := s.compiled.Validate(f.value); err != nil {
		var ve *jsonschema.ValidationError
		if !errors.As(err, &ve) {
			return err
		}
		return f.faults(f.leaves(ve))
	}
	j, err := json.Marshal(f.value)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(j, out); err != nil {
		return &Faults{f.What, []Fault{{1, 1, "", err.Error()}}}
	}
	return nil
}

// Problem is a fault found by meaning, not by form: a path of keys and indices, and why.
type Problem struct {
	Path   []any
	Reason string
}

// Reject turns problems into *Faults with their lines, nil if there are none.
func (f *File) Reject(ps []Problem) error {
	if len(ps) == 0 {
		return nil
	}
	return f.faults(ps)
}

func (f *File) faults(ps []Problem) error {
	e := &Faults{What: f.What}
	for _, p := range ps {
		line, col := f.find(p.Path)
		e.List = append(e.List, Fault{line, col, pathText(p.Path), p.Reason})
	}
	sort.SliceStable(e.List, func(i, j int) bool {
		a, b := e.List[i], e.List[j]
		return a.Line < b.Line || a.Line == b.Line && a.Column < b.Column
	})
	return e
}

var english = message.NewPrinter(language.English)

// leaves gathers the innermost causes of a validation error.
func (f *File) leaves(ve *jsonschema.ValidationError) []Problem {
	if len(ve.Causes) == 0 {
		path := make([]any, len(ve.InstanceLocation))
		for i, s := range ve.InstanceLocation {
			if n, err := strconv.Atoi(s); err == nil {
				path[i] = n
			} else {
				path[i] = s
			}
		}
		if extra, ok := ve.ErrorKind.(*kind.AdditionalProperties); ok { // point at each, not at what holds them
			var out []Problem
			for _, name := range extra.Properties {
				out = append(out, Problem{append(slices.Clone(path), name), fmt.Sprintf("%q is not known here", name)})
			}
			return out
		}
		return []Problem{{path, ve.ErrorKind.LocalizedString(english)}}
	}
	var out []Problem
	for _, c := range ve.Causes {
		out = append(out, f.leaves(c)...)
	}
	return out
}

func pathText(path []any) string {
	var b strings.Builder
	for _, p := range path {
		switch x := p.(type) {
		case int:
			fmt.Fprintf(&b, "[%d]", x)
		default:
			if b.Len() > 0 {
				b.WriteByte('.')
			}
			fmt.Fprint(&b, x)
		}
	}
	return b.String()
}

// find gives line and column of the entry at path, or of the nearest entry above it.
func (f *File) find(path []any) (line, col int) {
	node := f.root
	pos := node.GetToken().Position
	if m, ok := node.(*ast.MappingNode); ok && len(m.Values) > 0 {
		pos = m.Values[0].Key.GetToken().Position
	}
	line, col = pos.Line, pos.Column
	for _, step := range path {
		next, at := child(node, step)
		if next == nil {
			return line, col
		}
		node = next
		line, col = at.Line, at.Column
	}
	return line, col
}

type position struct{ Line, Column int }

func child(node ast.Node, step any) (ast.Node, position) {
	if a, ok := node.(*ast.AnchorNode); ok {
		node = a.Value
	}
	switch n := node.(type) {
	case *ast.MappingNode:
		for _, v := range n.Values {
			if v.Key.GetToken().Value == fmt.Sprint(step) {
				p := v.Key.GetToken().Position
				return v.Value, position{p.Line, p.Column}
			}
		}
	case *ast.MappingValueNode:
		if n.Key.GetToken().Value == fmt.Sprint(step) {
			p := n.Key.GetToken().Position
			return n.Value, position{p.Line, p.Column}
		}
	case *ast.SequenceNode:
		if i, ok := step.(int); ok && i < len(n.Values) {
			p := start(n.Values[i])
			return n.Values[i], p
		}
	}
	return nil, position{}
}

// start is where a node begins; a mapping's own token is its first colon.
func start(n ast.Node) position {
	switch m := n.(type) {
	case *ast.MappingNode:
		if len(m.Values) > 0 {
			n = m.Values[0].Key
		}
	case *ast.MappingValueNode:
		n = m.Key
	}
	p := n.GetToken().Position
	return position{p.Line, p.Column}
}

// YAML writes a value as YAML by way of its JSON names, keys in the order of the struct's fields.
func YAML(v any) ([]byte, error) {
	j, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	return yaml.JSONToYAML(j)
}
