package compare

import (
	"cmp"
	"fmt"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/say"
)

// Measure is a measure with its test, as comparisons need it.
type Measure struct {
	ID        string             `json:"id" doc:"test/measure"`
	Name      string             `json:"name" doc:"Test and measure in words"`
	Group     string             `json:"group"`
	Unit      string             `json:"unit" doc:"UCUM code"`
	Symbol    string             `json:"symbol"`
	Scale     quantity.Scale     `json:"scale"`
	Better    quantity.Direction `json:"better"`
	Version   int                `json:"version"`
	MustMatch []string           `json:"must_match"`
	Variants  int                `json:"variants" doc:"Variants with a figure"`
	def       method.Measure
}

// Apart is how a figure differs from another, as method.Measure.Apart has it, of whatever is on the measure's scale.
func (m Measure) Apart(figure, d, lo, hi float64) say.Difference {
	return method.Measure{Words: m.def.Words, Unit: m.Unit, Scale: m.Scale, Better: m.Better}.Apart(figure, d, lo, hi)
}

// NewMeasure joins a test and one of its measures.
func NewMeasure(t method.Test, m method.Measure) Measure {
	name := t.Name
	if m.Alone {
		name = say.Capital(m.Name)
	} else if len(t.Measures) > 1 {
		name += ", " + m.Name
	}
	must := t.MustMatch
	if must == nil {
		must = []string{}
	}
	return Measure{ID: method.ID(t.Slug, m.Slug), Name: name, Group: t.Group, Unit: m.Unit,
		Symbol: quantity.Symbol(m.Unit),
		Scale:  m.Scale, Better: m.Better, Version: t.Version, MustMatch: must, def: m}
}

// Paper is a number of the spec sheets ("spec/body.weight") or the price in a currency ("price/EUR"), as a measure.
func Paper(id string) (Measure, bool) {
	group, key := method.Split(id)
	switch k, ok := catalog.SpecKeyOf(key); {
	case group == "spec" && ok && (k.Type == "count" || k.Type == "quantity"):
		return NewMeasure(method.Test{Slug: "spec", Name: k.Name + " on the spec sheet", Group: "Spec sheet"},
			method.Measure{Slug: key, Name: k.Name, Unit: cmp.Or(k.Unit, "1"), Scale: quantity.Ratio, Better: k.Better()}), true
	case group == "price" && len(key) == 3:
		m := NewMeasure(method.Test{Slug: "price", Name: "Price", Group: "Price"}, method.Measure{Slug: key,
			Name: "Price", Unit: "1", Scale: quantity.Ratio, Better: quantity.Lower})
		m.Symbol = key
		return m, true
	}
	return Measure{}, false
}

// OnPaper tells whether its figures are read off spec sheets or offers, not measured.
func (m Measure) OnPaper() bool {
	return strings.HasPrefix(m.ID, "spec/") || strings.HasPrefix(m.ID, "price/")
}

// Def is the measure's definition.
func (m Measure) Def() method.Measure { return m.def }

// Which says which figures are better, with the target where there is one, in the measure's unit.
func (m Measure) Which() string {
	if m.Better == quantity.Target {
		return fmt.Sprintf("nearest to %g is better", m.def.Target)
	}
	return m.Better.Phrase()
}

// InSentence is the name as it stands inside a sentence.
func (m Measure) InSentence() string { return LowerFirst(m.Name) }

// LowerFirst lowers a name's first letter unless its first word has further capitals: an abbreviation, WebGPU.
func LowerFirst(s string) string {
	word, _, _ := strings.Cut(s, " ")
	if word == "" || strings.ToLower(word[1:]) != word[1:] {
		return s
	}
	return strings.ToLower(s[:1]) + s[1:]
}
