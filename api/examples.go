package api

import (
	_ "embed"
	"encoding/json"
	"sync"
)

// Example is what was once asked of an operation, and what it answered: lists by their first entries.
type Example struct {
	Path     string `json:"path"` // with its query
	Sent     any    `json:"sent"` // JSON, the text of a file, or nil
	Answered any    `json:"answered"`
}

// ShownExamples are examples of operations by their id, and of the fields of what they take and answer, by the name of
// the schema and the field.
type ShownExamples struct {
	Operations map[string]Example `json:"operations"`
	Fields     map[string]any     `json:"fields"`
}

//go:embed examples.json
var examples []byte

// Shown are examples of everything, as the Marram Desk's service answered. They are shared: nobody changes them.
var Shown = sync.OnceValue(func() ShownExamples {
	var out ShownExamples
	if err := json.Unmarshal(examples, &out); err != nil {
		panic(err) // a test reads it
	}
	return out
})
