package figures

import (
	"slices"
	"strings"

	"durvek/core/compare"
	"durvek/core/method"
	"durvek/desk"
)

// narrowing is what a comparison is narrowed to. One over many measures is loose: it holds for those that know the key.
type narrowing struct {
	where []compare.Where
	loose bool
}

// narrowed reads how a comparison over many measures is narrowed.
func narrowed(texts []string) (narrowing, error) {
	out := narrowing{loose: true}
	for _, text := range texts {
		for _, part := range strings.Split(text, ";") {
			w, err := compare.ParseWhere(part)
			if err != nil {
				return out, desk.Refuse(desk.Invalid, "%v", err)
			}
			out.where = append(out.where, w)
		}
	}
	return out, nil
}

// narrowedIn reads how a comparison in one measure is narrowed; one that would tell nothing apart is refused.
func (d *sight) narrowedIn(m compare.Measure, texts []string) (narrowing, error) {
	out, err := narrowed(texts)
	out.loose = false
	for _, w := range out.where {
		if why := w.Tells(m, func(key string) bool {
			return slices.ContainsFunc(d.setups, func(s method.Setup) bool { return s.Conditions[key] != "" })
		}); err == nil && why != "" {
			return out, desk.Refuse(desk.Invalid, "%s", why)
		}
	}
	return out, err
}

// apply takes out of the cells of variants those that are not meant; it tells which variants have none left.
func (n narrowing) apply(cells map[string][]compare.Cell) (dropped map[string]bool) {
	dropped = map[string]bool{}
	for _, w := range n.where {
		known := !n.loose
		for _, list := range cells {
			known = known || slices.ContainsFunc(list, func(c compare.Cell) bool { return w.Of(c) != "" })
		}
		if !known {
			continue
		}
		for variant, list := range cells {
			cells[variant] = slices.DeleteFunc(list, func(c compare.Cell) bool { return !w.Holds(c) })
			dropped[variant] = dropped[variant] || len(cells[variant]) == 0 && len(list) > 0
		}
	}
	return dropped
}

// String says what is meant: "at left port, with memory speed 3600".
func (n narrowing) String() string {
	var out []string
	for _, w := range n.where {
		out = append(out, w.Says())
	}
	return strings.Join(out, ", ")
}
