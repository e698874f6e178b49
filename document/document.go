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

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
	"go.yaml.in/yaml/v3"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"durvek/core/say"
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
	return fmt.Sprintf("%s has %s, nothing was taken in:\n  %s", e.What, say.Things(len(e.List), "fault"),
		strings.Join(lines, "\n  "))
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
		return f.faults(f.leaves(ve, s.compiled))
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
func (f *File) leaves(ve *jsonschema.ValidationError, s *jsonschema.Schema) []Problem {
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
		if lacks, ok := ve.ErrorKind.(*kind.Required); ok && len(path) == 0 {
			return missing(lacks.Missing, s)
		}
		return []Problem{{path, ve.ErrorKind.LocalizedString(english)}}
	}
	var out []Problem
	for _, c := range ve.Causes {
		out = append(out, f.leaves(c, s)...)
	}
	return out
}

// missing says what a file lacks at its top; the one format that is right can be told.
func missing(names []string, s *jsonschema.Schema) (out []Problem) {
	format := s.Properties["format"]
	if at := slices.Index(names, "format"); at >= 0 && format != nil && format.Const != nil {
		line := fmt.Sprint("format: ", *format.Const)
		out, names = append(out, Problem{nil, fmt.Sprintf("the line %q is missing", line)}), slices.Delete(names, at, at+1)
	}
	if len(names) > 0 {
		out = append(out, Problem{nil, (&kind.Required{Missing: names}).LocalizedString(english)})
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
	line, col = node.Line, node.Column
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

// child is an entry of a node, and what it begins with: its key, or itself in a list.
func child(node *yaml.Node, step any) (entry, at *yaml.Node) {
	for node.Kind == yaml.AliasNode {
		node = node.Alias
	}
	switch node.Kind {
	case yaml.MappingNode:
		for i := 0; i+1 < len(node.Content); i += 2 {
			if node.Content[i].Value == fmt.Sprint(step) {
				return node.Content[i+1], node.Content[i]
			}
		}
	case yaml.SequenceNode:
		if i, ok := step.(int); ok && i < len(node.Content) {
			return node.Content[i], node.Content[i]
		}
	}
	return nil, nil
}

// YAML writes a value as YAML by way of its JSON names, keys in the order of the struct's fields.
func YAML(v any) ([]byte, error) {
	j, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	root, err := readJSON(j)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	e := yaml.NewEncoder(&b)
	e.SetIndent(2)
	err = errors.Join(e.Encode(root), e.Close())
	return b.Bytes(), err
}
