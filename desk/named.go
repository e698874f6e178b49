package desk

import (
	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/ranking"
)

// Named is a variant as it is called. The zero value is one that is not known.
type Named struct {
	Model catalog.Model
	Name  string // maker and model
	Note  string // what sets the variant apart

	Origin string // desk that measured it, where that was another: it is not on the books
}

// Label names a variant, with what sets it apart.
func (n Named) Label() string { return n.Name + ", " + n.Note }

// Subject is what a review of a variant starts from.
type Subject struct {
	Named
	Fields   []string // that hold it, the one of everything last
	Measures []string // that it has figures of as delivered
}

// Names is what everything on the books is called.
type Names struct {
	Variants []Variant
	Tests    []method.Test
	Setups   []method.Setup
	Fields   []ranking.Field
}

// Variant is a variant by its slug, as it is called.
type Variant struct {
	Slug string
	Named
}
