package ranking

import (
	"slices"

	"durvek/core/catalog"
)

// Field is the set of variants that a comparison is made within: all variants of some kinds, and
// variants picked by hand. A field with neither holds everything.
type Field struct {
	Slug     string         `json:"slug"`
	Name     string         `json:"name" doc:"Completes \"… in\": crew laptops"`
	Kinds    []catalog.Kind `json:"kinds,omitempty"`
	Variants []string       `json:"variants,omitempty"`
}

// Holds tells whether a variant of a kind belongs to the field.
func (f Field) Holds(variant string, kind catalog.Kind) bool {
	if len(f.Kinds) == 0 && len(f.Variants) == 0 {
		return true
	}
	return slices.Contains(f.Kinds, kind) || slices.Contains(f.Variants, variant)
}
