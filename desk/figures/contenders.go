package figures

import (
	"durvek/core/compare"
	"durvek/core/method"
	"durvek/core/ranking"
)

// contenders gathers the figures of variants in the weighed measures, one each.
// Where a variant has several and none stands for all, or none compares, without says so.
func (d *sight) contenders(members []string, measures []ranking.Weighed, setup method.Setup, by narrowing) (
	contenders []ranking.Contender, without []Without, err error) {
	contenders = make([]ranking.Contender, len(members))
	at := map[string]int{}
	for i, slug := range members {
		contenders[i] = ranking.Contender{ID: slug, Figures: make([]ranking.Figure, len(measures))}
		at[slug] = i
	}
	for k, w := range measures {
		m := d.byID[w.Measure]
		field, _, err := d.competitors(m, setup, members, false, by)
		if err != nil {
			return nil, nil, err
		}
		figures := compare.Figures(m, field)
		for _, c := range field {
			fig := &contenders[at[c.Variant]].Figures[k]
			if one := figures[c.Variant]; one.Line != nil {
				fig.Estimate = &one.Line.Estimate
			} else {
				if one.Why != "" {
					without = append(without, Without{c.Variant, m.ID, one.Why})
				}
				fig.Cannot = c.NotRun != "" && len(c.Cells) == 0
			}
		}
		test, _ := method.Split(m.ID)
		for _, slug := range members { // a test that is not meant for its kind is one that it cannot run
			if fig := &contenders[at[slug]].Figures[k]; fig.Estimate == nil &&
				!d.tests[test].Fits(d.variants[slug].Model.Kind) {
				fig.Cannot = true
			}
		}
	}
	return contenders, without, nil
}
