package desk

import (
	"embed"
	"io/fs"
	"strings"

	"durvek/document"
)

//go:embed schemas/*.schema.json
var schemaFiles embed.FS

// Schema compiles a published JSON Schema by name; it panics where none ships, so it is for package variables.
func Schema(name string) *document.Schema {
	source, err := schemaFiles.ReadFile("schemas/" + name + ".schema.json")
	if err != nil {
		panic(err) // it is embedded
	}
	return document.MustSchema(name+".schema.json", source)
}

// SchemaSource gives a published JSON Schema by name.
func SchemaSource(name string) ([]byte, error) {
	source, err := schemaFiles.ReadFile("schemas/" + name + ".schema.json")
	if err == nil {
		return source, nil
	}
	all, err := fs.Glob(schemaFiles, "schemas/*")
	for i, s := range all {
		all[i] = strings.TrimSuffix(strings.TrimPrefix(s, "schemas/"), ".schema.json")
	}
	if err != nil {
		return nil, err
	}
	return nil, Refuse(NotFound, "no schema %q is published; there are %s", name, strings.Join(all, ", "))
}
