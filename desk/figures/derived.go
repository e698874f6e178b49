package figures

import (
	"slices"
	"strings"

	"durvek/core/compare"
	"durvek/core/formula"
	"durvek/core/method"
	"durvek/core/say"
	"durvek/core/stats"
)

// derived works out a measure's cells of some variants.
func (d *sight) derived(m compare.Measure, variants []string) (map[string][]compare.Cell, error) {
	x, err := formula.Parse(m.Def().Formula)
	if err != nil {
		return nil, err
	}
	inputs, err := compare.Inputs(x, d.find)
	if err != nil {
		return nil, err
	}
	by := make([]map[string][]compare.Cell, len(inputs))
	for i, in := range inputs {
		if !in.Measure.OnPaper() {
			by[i], _, err = d.of(in.Measure, variants...)
		} else {
			by[i], err = d.written(in.Measure, variants)
		}
		if err != nil {
			return nil, err
		}
	}
	out := map[string][]compare.Cell{}
	for _, slug := range variants {
		for i := range inputs {
			inputs[i].Cells = by[i][slug]
		}
		if cells := compare.Derive(m, x, inputs); len(cells) > 0 {
			out[slug] = cells
		}
	}
	return out, nil
}

// written gives the figures of spec sheets and offers as cells.
func (d *sight) written(m compare.Measure, variants []string) (map[string][]compare.Cell, error) {
	group, key := method.Split(m.ID)
	field, err := d.onPaper(m, group, key, method.Setup{}, variants)
	out := map[string][]compare.Cell{}
	for _, c := range field {
		out[c.Variant] = c.Cells
	}
	return out, err
}

// refs is what a derived measure is worked out of.
func (v *view) refs(m compare.Measure) []string {
	x, _ := formula.Parse(m.Def().Formula)
	return x.Refs
}

// owner is the variant of some cells' unit.
func (d *sight) owner(cells map[string][]compare.Cell, unit string) string {
	for variant, list := range cells {
		if slices.ContainsFunc(list, func(c compare.Cell) bool { return c.Unit == unit }) {
			return variant
		}
	}
	return ""
}

// lacking says why a variant has no figure of a derived measure.
func (d *sight) lacking(m compare.Measure, variant string) (string, error) {
	var names []string
	for _, ref := range d.refs(m) {
		in, err := d.find(ref)
		if err != nil {
			return "", err
		}
		var cells map[string][]compare.Cell
		if in.OnPaper() {
			cells, err = d.written(in, []string{variant})
		} else {
			cells, _, err = d.of(in, variant)
		}
		if err != nil {
			return "", err
		}
		if len(cells[variant]) == 0 {
			names = append(names, in.InSentence())
		}
	}
	if names == nil {
		return "its parts were not measured together: in one setup, host and place", nil
	}
	return "not known: " + say.List(names), nil
}

// wants is what every input of a derived measure wants to match, for comparisons of it.
func (v *view) wants(m compare.Measure) []string {
	out := []string{}
	x, err := formula.Parse(m.Def().Formula)
	if err != nil {
		return out
	}
	inputs, err := compare.Inputs(x, v.find)
	if err != nil {
		return out
	}
	for _, in := range inputs {
		for _, k := range in.Measure.MustMatch {
			if !slices.Contains(out, k) {
				out = append(out, k)
			}
		}
	}
	return out
}

// madeOf says in words what a derived measure is worked out of, and its formula with their names.
func (v *view) madeOf(m compare.Measure) string {
	text := m.Def().Formula
	x, _ := formula.Parse(text)
	for _, ref := range x.Refs {
		if in, err := v.find(ref); err == nil {
			name := in.InSentence()
			if strings.HasPrefix(ref, "price/") {
				name += " in " + in.Symbol
			}
			text = strings.ReplaceAll(text, "{{"+ref+"}}", name)
		}
	}
	return strings.NewReplacer(" / ", " ÷ ", " * ", " × ", " - ", " − ").Replace(text)
}

// derivedAll works out a measure's cells of all variants.
func (d *sight) derivedAll(m compare.Measure) ([]compare.Cell, error) {
	by, err := d.derived(m, d.order)
	var out []compare.Cell
	for _, slug := range d.order {
		out = append(out, by[slug]...)
	}
	return out, err
}

// noNoise is what is known of the noise of a measure that nobody measures: its inputs have theirs.
var noNoise stats.Pool
