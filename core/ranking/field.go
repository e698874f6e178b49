package ranking

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"durvek/core/catalog"
)

// Field is the set of variants that a comparison is made within: those that meet every rule that it has, and variants
// picked by hand. A field with neither holds everything.
type Field struct {
	Slug         string         `json:"slug"`
	Name         string         `json:"name" doc:"Completes \"… in\": crew laptops"`
	Kinds        []catalog.Kind `json:"kinds,omitempty"`
	Price        *PriceBand     `json:"price,omitempty"`
	ReleasedFrom string         `json:"released_from,omitempty" doc:"Month, YYYY-MM"`
	ReleasedTo   string         `json:"released_to,omitempty" doc:"Month, YYYY-MM"`
	Chip         string         `json:"chip,omitempty" doc:"Part of the processor's or the graphics chip's name"`
	ScreenFrom   float64        `json:"screen_from,omitempty" doc:"Screen diagonal in inches"`
	ScreenTo     float64        `json:"screen_to,omitempty" doc:"Screen diagonal in inches"`
	FamilyOf     string         `json:"family_of,omitempty" doc:"Model whose siblings, predecessors and successors belong to it"`
	Variants     []string       `json:"variants,omitempty" doc:"Picked by hand, besides those that the rules find"`
	Without      []string       `json:"without,omitempty" doc:"Left out by hand"`
	Modes        bool           `json:"modes,omitempty" doc:"Raised modes stand as rows of their own"`
}

// ByKind tells whether kinds of product alone say what belongs to it.
func (f Field) ByKind() bool {
	return len(f.Kinds) > 0 && f.Price == nil && f.ReleasedFrom+f.ReleasedTo+f.Chip+f.FamilyOf == "" &&
		f.ScreenFrom+f.ScreenTo == 0 && len(f.Variants) == 0 && !f.Modes
}

// PriceBand is a range of prices on a day.
type PriceBand struct {
	From     float64 `json:"from"`
	To       float64 `json:"to" doc:"0 means without an end"`
	Currency string  `json:"currency" pattern:"^[A-Z]{3}$" patternDescription:"three capital letters, such as EUR"`
	Day      string  `json:"day,omitempty" doc:"YYYY-MM-DD; today's offers if left out"`
}

// Candidate is a variant as a field sees it. Price gives what it cost on a day in a currency, if anything.
type Candidate struct {
	Variant string
	Model   catalog.Model
	Spec    map[string]any
	Price   func(catalog.Pricing) (catalog.Price, bool, error)
	// Archived ones belong only to fields that name them.
	Archived bool
}

// ruled tells whether the field has any rule.
func (f Field) ruled() bool {
	return len(f.Kinds) > 0 || f.Price != nil || f.ReleasedFrom != "" || f.ReleasedTo != "" || f.Chip != "" ||
		f.ScreenFrom > 0 || f.ScreenTo > 0 || f.FamilyOf != ""
}

// Holds tells whether a variant belongs to the field. family holds the models related to FamilyOf. The error is the
// price's: one that no rate converts.
func (f Field) Holds(c Candidate, family map[string]bool) (bool, error) {
	switch {
	case slices.Contains(f.Without, c.Variant):
		return false, nil
	case slices.Contains(f.Variants, c.Variant):
		return true, nil
	case c.Archived:
		return false, nil
	case !f.ruled():
		return len(f.Variants) == 0, nil
	case len(f.Kinds) > 0 && !slices.Contains(f.Kinds, c.Model.Kind),
		f.FamilyOf != "" && !family[c.Model.Slug],
		f.ReleasedFrom != "" && c.Model.Released < f.ReleasedFrom,
		f.ReleasedTo != "" && (c.Model.Released == "" || c.Model.Released > f.ReleasedTo),
		f.Chip != "" && !f.chip(c.Spec):
		return false, nil
	}
	if f.ScreenFrom > 0 || f.ScreenTo > 0 {
		size, ok := catalog.SpecNumber(c.Spec, "display.size")
		if !ok || size < f.ScreenFrom || f.ScreenTo > 0 && size > f.ScreenTo {
			return false, nil
		}
	}
	if f.Price == nil {
		return true, nil
	}
	p, ok, err := c.Price(catalog.Pricing{Currency: f.Price.Currency, Day: f.Price.Day})
	if err != nil || !ok {
		return false, err
	}
	return p.Value() >= f.Price.From && (f.Price.To == 0 || p.Value() <= f.Price.To), nil
}

func (f Field) chip(spec map[string]any) bool {
	for _, key := range []string{"cpu.name", "graphics.name"} {
		if name, ok := spec[key].(string); ok && strings.Contains(strings.ToLower(name), strings.ToLower(f.Chip)) {
			return true
		}
	}
	return false
}

// Rule says in words which variants the field holds.
func (f Field) Rule() string {
	var parts []string
	if len(f.Kinds) > 0 {
		var names []string
		for _, k := range f.Kinds {
			names = append(names, k.Plural())
		}
		parts = append(parts, strings.Join(names, ", "))
	}
	if p := f.Price; p != nil {
		text := fmt.Sprintf("%g to %g %s", p.From, p.To, p.Currency)
		if p.To == 0 {
			text = fmt.Sprintf("from %g %s", p.From, p.Currency)
		}
		if p.Day != "" {
			text += " on " + p.Day
		}
		parts = append(parts, text)
	}
	between := func(what, from, to string) {
		switch {
		case from != "" && to != "":
			parts = append(parts, fmt.Sprintf("%s %s to %s", what, from, to))
		case from != "":
			parts = append(parts, fmt.Sprintf("%s from %s", what, from))
		case to != "":
			parts = append(parts, fmt.Sprintf("%s up to %s", what, to))
		}
	}
	between("released", f.ReleasedFrom, f.ReleasedTo)
	if f.Chip != "" {
		parts = append(parts, "with a chip named "+f.Chip)
	}
	inches := func(v float64) string {
		if v == 0 {
			return ""
		}
		return fmt.Sprintf("%g in", v)
	}
	between("screen", inches(f.ScreenFrom), inches(f.ScreenTo))
	if f.FamilyOf != "" {
		parts = append(parts, "family of "+f.FamilyOf)
	}
	switch n := len(f.Variants); {
	case n > 0 && len(parts) > 0:
		parts = append(parts, fmt.Sprintf("and %d by hand", n))
	case n > 0:
		parts = append(parts, fmt.Sprintf("%d by hand", n))
	}
	if len(f.Without) > 0 {
		parts = append(parts, fmt.Sprintf("without %d", len(f.Without)))
	}
	if len(parts) == 0 {
		parts = []string{"everything ever measured"}
	}
	if f.Modes {
		parts = append(parts, "raised modes as rows of their own")
	}
	return strings.Join(parts, "; ")
}

var (
	month = regexp.MustCompile(`^\d{4}-(0[1-9]|1[0-2])$`)
	day   = regexp.MustCompile(`^\d{4}-\d{2}-\d{2}$`)
)

// Check says what is wrong with a field, or returns "".
func (f Field) Check() string {
	if s := catalog.CheckSlug(f.Slug); s != "" {
		return s
	}
	if f.Name == "" {
		return "it needs a name such as \"crew laptops\""
	}
	for _, k := range f.Kinds {
		if why := k.Check(); why != "" {
			return why
		}
	}
	for _, m := range []string{f.ReleasedFrom, f.ReleasedTo} {
		if m != "" && !month.MatchString(m) {
			return fmt.Sprintf("%q is not a month, YYYY-MM", m)
		}
	}
	switch p := f.Price; {
	case f.ReleasedTo != "" && f.ReleasedTo < f.ReleasedFrom:
		return "its release window ends before it begins"
	case f.ScreenFrom < 0 || f.ScreenTo < 0 || f.ScreenTo > 0 && f.ScreenTo < f.ScreenFrom:
		return "its range of screen sizes ends before it begins"
	case p == nil:
	case len(p.Currency) != 3:
		return "a price band needs a currency such as EUR"
	case p.From < 0 || p.To != 0 && p.To < p.From:
		return "its price band ends before it begins"
	case p.Day != "" && !day.MatchString(p.Day):
		return fmt.Sprintf("%q is not a date, YYYY-MM-DD", p.Day)
	}
	return ""
}

// Family gives all models that a model follows or is followed by, over any number of generations, and itself.
func Family(models []catalog.Model, of string) map[string]bool {
	out := map[string]bool{of: true}
	for grew := true; grew; {
		grew = false
		for _, m := range models {
			if m.Succeeds == "" {
				continue
			}
			if out[m.Slug] != out[m.Succeeds] {
				out[m.Slug], out[m.Succeeds], grew = true, true, true
			}
		}
	}
	return out
}
