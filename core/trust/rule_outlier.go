package trust

import (
	"durvek/core/say"
	"durvek/core/stats"
	"fmt"
	"math"
)

// budgeted words the limit of rules that share a run's budget.
const budgeted = "clean runs to one that is doubted, over all rules about repeats"

func init() {
	register(Rule{
		Name: "outlier", Title: "Far from its repeats", Severity: Caution, Proposal: "Repeat now", Again: "repeat",
		Statistical: true, Whole: true, Limit: cleanRuns, LimitUnit: budgeted, Least: 20,
		Sentence: "One repeat lies far from the others of its sitting, or one sitting far from the others, held against " +
			"what one run of this test on this machine scatters. Of two repeats nobody can say which is wrong.",
		Source: "Each repeat beside the mean of the others in Student's t, with a variance moderated by what is expected " +
			"without this cell (Smyth, Stat. Appl. Genet. Mol. Biol. 3(1), 2004); Holm's steps over a run's measures.",
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				sd, df := f.held()
				if sd == 0 {
					continue
				}
				x := f.worst(2, outlierShare, outlier(sd, df))
				apart, sittings := f.sittingsApart(sd, df)
				if math.Min(x.chance, apart.chance)*limit/cleanRuns > 1/cleanRuns {
					continue
				}
				var found Found
				if apart.chance < x.chance {
					found = f.farSitting(apart, sittings, sd)
				} else {
					found = f.farRepeat(x, sd)
				}
				found.Chance = math.Min(x.chance, apart.chance) * limit / cleanRuns
				found.Size = farther(found.Chance)
				out = append(out, found)
			}
			return out
		},
	})
}

// farRepeat says that a repeat lies far from the others of its sitting.
func (f Figures) farRepeat(x deviation, sd float64) Found {
	m, rs := f.Measure, x.rs
	out := Found{Measure: m.Slug, Cell: true, Run: rs[x.at].Run,
		Evidence: []Evidence{{"repeats", list(m, rs)}, {"one run is typically good to", typical(m, sd)}}}
	if len(rs) == 2 {
		out.Run, out.Runs = rs[1].Run, ids(rs)
		out.Sentence = fmt.Sprintf("Two repeats, %s, lie %.0f times as far apart as is typical; one of them is wrong.",
			list(m, rs), math.Abs(x.d)/(1.128*sd))
		out.Picture = repeats(m, rs, stats.Average(x.xs), 3*sd, 0, 1)
		return out
	}
	rest := x.xs[x.at] - x.d
	out.Sentence = fmt.Sprintf("%s %s, whose mean is %s.", value(m, rs[x.at].Value),
		say.Is(apart(m, x.d).Than(fmt.Sprintf("its other %d repeats", len(rs)-1))), value(m, natural(m, rest)))
	out.Picture = repeats(m, rs, rest, 3*sd, x.at)
	return out
}

// farSitting says that a sitting lies far from the others.
func (f Figures) farSitting(x deviation, all []sitting, sd float64) Found {
	m := f.Measure
	var rs []Repeat
	var marked []int
	for _, s := range all {
		rs = append(rs, s.rs...)
	}
	for i, r := range rs {
		if r.Sitting == all[x.at].name {
			marked = append(marked, i)
		}
	}
	odd := all[x.at]
	out := Found{Measure: m.Slug, Cell: true, Run: odd.rs[len(odd.rs)-1].Run, Runs: ids(odd.rs),
		Evidence: []Evidence{{"repeats", list(m, rs)}, {"one run is typically good to", typical(m, sd)}},
		Picture:  repeats(m, rs, stats.Average(odd.xs)-x.d, 3*sd, marked...)}
	others := "the other sitting"
	if len(all) > 2 {
		others = fmt.Sprintf("the other %d sittings", len(all)-1)
	}
	out.Sentence = fmt.Sprintf("The sitting of %s has %s, which %s.", odd.rs[0].Started.Format("2006-01-02"),
		value(m, natural(m, stats.Average(odd.xs))), say.Is(apart(m, x.d).Than(others)))
	return out
}
