package service

import (
	"encoding/json"
	"net/url"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"durvek/api"
)

// exemplify gives every operation, its parameters and the fields of what it takes and answers an example.
func exemplify(described *huma.OpenAPI) {
	shown := api.Shown()
	for path, item := range described.Paths {
		for _, op := range []*huma.Operation{item.Get, item.Put, item.Post, item.Patch, item.Delete} {
			if op != nil {
				exemplifyOperation(path, op, shown.Operations[op.OperationID])
			}
		}
	}
	for name, s := range described.Components.Schemas.Map() {
		for field, p := range s.Properties {
			if v, ok := shown.Fields[name+"."+field]; ok && p.Ref == "" && len(p.Examples) == 0 && len(p.Enum) == 0 {
				p.Examples = []any{v}
			}
		}
	}
}

func exemplifyOperation(path string, op *huma.Operation, x api.Example) {
	at, err := url.Parse(x.Path)
	if err != nil {
		return
	}
	for _, p := range op.Parameters {
		switch {
		case p.Ref != "" || p.Example != nil:
		case p.In == "path":
			p.Example = inPath(path, at.EscapedPath(), p.Name)
		case p.In == "query" && at.Query().Has(p.Name):
			p.Example = inQuery(p, at.Query()[p.Name])
		}
	}
	show := func(content map[string]*huma.MediaType, v any) {
		for _, m := range content {
			if v != nil && m.Example == nil {
				m.Example = v
			}
		}
	}
	if op.RequestBody != nil {
		show(op.RequestBody.Content, x.Sent)
	}
	for _, status := range []string{"200", "201"} {
		if r := op.Responses[status]; r != nil {
			show(r.Content, x.Answered)
		}
	}
}

// inPath is what stands in a path in the place of a name.
func inPath(template, path, name string) any {
	asked := strings.Split(path, "/")
	for i, part := range strings.Split(template, "/") {
		before, after, ok := strings.Cut(part, "{"+name+"}")
		if ok && i < len(asked) {
			s, _ := url.PathUnescape(strings.TrimSuffix(strings.TrimPrefix(asked[i], before), after))
			return s
		}
	}
	return nil
}

// inQuery is a parameter's value as its schema has it.
func inQuery(p *huma.Param, values []string) any {
	if p.Schema == nil || p.Schema.Type != "array" {
		var v any
		if p.Schema == nil || p.Schema.Type == "string" || json.Unmarshal([]byte(values[0]), &v) != nil {
			return values[0]
		}
		return v
	}
	if len(values) == 1 {
		values = strings.Split(values[0], ",")
	}
	return values
}
