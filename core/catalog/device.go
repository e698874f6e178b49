package catalog

import (
	"cmp"
	"strings"
)

// Device is what somebody says of a sample that came to the desk. A model and a variant of these names are made where
// there are none.
type Device struct {
	Kind          Kind           `json:"kind"`
	Maker         string         `json:"maker" minLength:"1" maxLength:"80"`
	Name          string         `json:"name" minLength:"1" maxLength:"80" doc:"Name of the model"`
	Configuration string         `json:"configuration,omitempty" maxLength:"80" doc:"What sets it apart from its siblings; made of the spec sheet if left out"`
	Spec          map[string]any `json:"spec,omitempty"`
	Released      string         `json:"released,omitempty" doc:"Month of release, YYYY-MM"`
	Succeeds      string         `json:"succeeds,omitempty" doc:"Slug of the predecessor"`
	Origin        string         `json:"origin,omitempty" enum:"bought,sent by maker,borrowed,own"`
	Serial        string         `json:"serial,omitempty"`
	Received      string         `json:"received,omitempty" doc:"Date, YYYY-MM-DD"`
	Notes         string         `json:"notes,omitempty"`
}

// Sample is a device on the books: its model, its variant and the unit.
type Sample struct {
	Model   Model   `json:"model"`
	Variant Variant `json:"variant"`
	Unit    Unit    `json:"unit"`
}

// Configured names a variant by its memory and drive as the spec sheet has them.
func Configured(spec map[string]any) string {
	var parts []string
	for _, key := range []string{"memory.size", "drive.size"} {
		if s := SpecText(spec, key); s != "" {
			parts = append(parts, s)
		}
	}
	return cmp.Or(strings.Join(parts, ", "), "as sold")
}
