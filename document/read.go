package document

import (
	"bytes"
	"durvek/core/quantity"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"regexp"
	"strconv"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// File is a parsed file.
type File struct {
	What  string
	root  *yaml.Node
	value any
}

// What Read takes at most. A parser gets nothing larger; what aliases stand for counts each time.
const (
	MaxSize   = 8 << 20 // bytes of JSON
	MaxYAML   = 2 << 20 // bytes of YAML
	MaxDepth  = 64      // lists and mappings within each other
	MaxValues = 500_000 // values, lists and mappings
)

// Read parses data, YAML or JSON. what names the kind of file in errors. A fault of the syntax comes back as *Faults.
func Read(what string, data []byte) (*File, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	f := &File{What: what}
	if err := f.parse(data); err != nil {
		return nil, err
	}
	b := &builder{}
	value, fault := b.value(f.root, 0)
	if fault != nil {
		return nil, &Faults{what, []Fault{*fault}}
	}
	f.value = value
	return f, nil
}

// parse reads JSON by a reader of JSON, all else as YAML.
func (f *File) parse(data []byte) (err error) {
	if len(data) > MaxSize {
		return f.fault(1, "the file is larger than %d MiB", MaxSize>>20)
	}
	if !utf8.Valid(data) {
		return f.fault(1, "the file is not text in UTF-8; save it as such")
	}
	if begin := bytes.TrimLeft(data, " \t\r\n"); len(begin) > 0 && (begin[0] == '{' || begin[0] == '[') &&
		json.Valid(data) {
		if f.root, err = readJSON(data); err != nil {
			return f.fault(1, "%v", err)
		}
		return nil
	}
	if len(data) > MaxYAML {
		return f.fault(1, "the file is larger than the %d MiB that are read as YAML; part it, or write it as JSON",
			MaxYAML>>20)
	}
	var doc yaml.Node
	d := yaml.NewDecoder(bytes.NewReader(data))
	switch err := d.Decode(&doc); {
	case err == io.EOF:
		return f.fault(1, "the file is empty")
	case err != nil:
		return f.syntax(err)
	}
	f.root = doc.Content[0]
	if f.root.Kind == yaml.ScalarNode && f.root.Tag == "!!null" {
		return f.fault(1, "the file is empty")
	}
	var more yaml.Node
	switch err := d.Decode(&more); {
	case err == io.EOF:
		return nil
	case err != nil:
		return f.syntax(err)
	}
	return f.fault(more.Line, "a file holds one document")
}

func (f *File) fault(line int, format string, args ...any) error {
	return &Faults{f.What, []Fault{{max(line, 1), 1, "", fmt.Sprintf(format, args...)}}}
}

var yamlError = regexp.MustCompile(`^yaml: (?:line (\d+): )?(.*)$`)

func (f *File) syntax(err error) error {
	line, reason := 1, err.Error()
	if m := yamlError.FindStringSubmatch(reason); m != nil {
		line, _ = strconv.Atoi(m[1])
		reason = m[2]
	}
	return f.fault(line, "%s", reason)
}

// readJSON reads JSON that is known to be well-formed, or says that it is too deep or too much.
func readJSON(data []byte) (*yaml.Node, error) {
	r := &jsonReader{data: data, line: 1, column: 1, d: json.NewDecoder(bytes.NewReader(data))}
	r.d.UseNumber()
	return r.node(0)
}

type jsonReader struct {
	data         []byte
	at           int64 // up to where line and column have been counted
	line, column int
	d            *json.Decoder
	values       int
}

// next is the next token and a node at its place.
func (r *jsonReader) next() (json.Token, *yaml.Node, error) {
	from := r.d.InputOffset()
	t, err := r.d.Token()
	if err != nil {
		return nil, nil, err
	}
	for int(from) < len(r.data) && bytes.IndexByte([]byte(" \t\r\n,:"), r.data[from]) >= 0 {
		from++
	}
	for _, c := range r.data[r.at:from] {
		if r.column++; c == '\n' {
			r.line, r.column = r.line+1, 1
		}
	}
	r.at = from
	return t, &yaml.Node{Kind: yaml.ScalarNode, Line: r.line, Column: r.column}, nil
}

func (r *jsonReader) node(depth int) (*yaml.Node, error) {
	t, n, err := r.next()
	if err != nil {
		return nil, err
	}
	if r.values++; r.values > MaxValues {
		return nil, fmt.Errorf("the file holds more than %d values; part it", MaxValues)
	}
	switch t := t.(type) {
	case json.Delim:
		if depth >= MaxDepth {
			return nil, fmt.Errorf("lists and mappings stand more than %d deep in each other", MaxDepth)
		}
		n.Kind = yaml.SequenceNode
		if t == '{' {
			n.Kind = yaml.MappingNode
		}
		for r.d.More() {
			if t == '{' {
				key, k, err := r.next()
				if err != nil {
					return nil, err
				}
				k.Tag, k.Value = "!!str", fmt.Sprint(key)
				n.Content = append(n.Content, k)
			}
			c, err := r.node(depth + 1)
			if err != nil {
				return nil, err
			}
			n.Content = append(n.Content, c)
		}
		_, _, err = r.next() // the bracket that ends it
		return n, err
	case string:
		n.Tag, n.Value = "!!str", t
	case json.Number:
		n.Tag, n.Value = "!!float", t.String()
		if _, err := strconv.ParseInt(n.Value, 10, 64); err == nil {
			n.Tag = "!!int"
		}
	case bool:
		n.Tag, n.Value = "!!bool", strconv.FormatBool(t)
	default:
		n.Tag, n.Value = "!!null", "null"
	}
	return n, nil
}

// builder turns nodes into what a schema checks: mappings by text, lists, texts, json.Number, bool, nil.
type builder struct{ values int }

func (b *builder) value(n *yaml.Node, depth int) (any, *Fault) {
	wrong := func(format string, args ...any) (any, *Fault) {
		return nil, &Fault{n.Line, n.Column, "", fmt.Sprintf(format, args...)}
	}
	for n.Kind == yaml.AliasNode {
		n = n.Alias
	}
	if b.values++; b.values > MaxValues {
		return wrong("the file holds more than %d values, with what its aliases stand for; part it", MaxValues)
	}
	if depth > MaxDepth {
		return wrong("lists and mappings stand more than %d deep in each other", MaxDepth)
	}
	switch n.Kind {
	case yaml.SequenceNode:
		out := make([]any, len(n.Content))
		for i, c := range n.Content {
			var fault *Fault
			if out[i], fault = b.value(c, depth+1); fault != nil {
				return nil, fault
			}
		}
		return out, nil
	case yaml.MappingNode:
		out := make(map[string]any, len(n.Content)/2)
		for i := 0; i+1 < len(n.Content); i += 2 {
			k := n.Content[i]
			if k.Kind != yaml.ScalarNode || k.ShortTag() == "!!merge" {
				return nil, &Fault{k.Line, k.Column, "", "a key is a plain word; write out what is merged in"}
			}
			if _, twice := out[k.Value]; twice {
				return nil, &Fault{k.Line, k.Column, "", fmt.Sprintf("%q stands twice here", k.Value)}
			}
			v, fault := b.value(n.Content[i+1], depth+1)
			if fault != nil {
				return nil, fault
			}
			out[k.Value] = v
		}
		return out, nil
	}
	v, err := scalar(n)
	if err != nil {
		return wrong("%v", err)
	}
	return v, nil
}

// scalar reads a single value by the core schema of YAML 1.2; dates and all else stay texts.
func scalar(n *yaml.Node) (any, error) {
	switch n.ShortTag() {
	case "!!null":
		return nil, nil
	case "!!bool":
		var v bool
		err := n.Decode(&v)
		return v, err
	case "!!int", "!!float":
		if v, err := strconv.ParseFloat(n.Value, 64); err == nil && !quantity.Sound(v) {
			return nil, fmt.Errorf("%s is a number beyond all measure; at most %g is worked with", n.Value,
				float64(quantity.Largest))
		} else if json.Valid([]byte(n.Value)) && err == nil { // as it was written
			return json.Number(n.Value), nil
		}
		var v any
		if err := n.Decode(&v); err != nil {
			return nil, fmt.Errorf("%s is no number that can be worked with", n.Value)
		}
		if f, ok := v.(float64); ok && (math.IsNaN(f) || math.IsInf(f, 0)) {
			return nil, fmt.Errorf("%s is no number that can be worked with", n.Value)
		}
		b, err := json.Marshal(v)
		return json.Number(b), err
	}
	return n.Value, nil
}
