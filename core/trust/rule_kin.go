package trust

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/quantity"
	"durvek/core/say"
	"durvek/core/stats"
)

// fewKin is how many kindred variants must be there for a question.
const fewKin = 5

func init() {
	register(Rule{
		Name: "far-from-kin", Title: "Far from what its kin do", Severity: Caution,
		Proposal: "Check setup and conditions, then repeat", Again: "repeat", Statistical: true, Limit: 333,
		LimitUnit: "clean runs to one that is doubted", Least: 20,
		Sentence: "The figure is far from what the variant's other figures and twelve or more kindred variants let expect. " +
			"With five to eleven of them it is asked, not doubted.",
		Source: "The residual of a model of two effects, variant and measure, within a group of measures, in Student's t " +
			"against the kin's own residuals, whose variance is pooled over the group, over all measures of the run; " +
			"differences below 25 % and below 1.5 times the kin's own largest are never doubted.",
		Find: func(c Case, limit float64) []Found {
			var doubted, asked []Found
			for _, f := range c.Figures {
				x, ok := own(c, f)
				if !ok || f.Kin.N < fewKin || f.Kin.SD == 0 {
					continue
				}
				off := x - f.Kin.Expected
				one, _ := f.Pool.Held(f.Cell) // a single run scatters, too
				sd := math.Hypot(math.Hypot(f.Kin.SD, f.Kin.SE), one)
				chance := stats.TwoSided(off/sd, f.Kin.DF) * float64(len(c.Figures))
				if chance > 1/limit || math.Abs(off) < math.Log(1.25) || math.Abs(off) <= 1.5*f.Kin.Largest {
					continue
				}
				found := f.farFromKin(x, off)
				found.Size = math.Log(math.Max(chance, 1e-300)) / math.Log(1/limit)
				worse := (off < 0) == (f.Measure.Better == quantity.Higher)
				switch {
				case f.Kin.N >= leastKin:
					doubted = append(doubted, found)
				case worse && math.Abs(off) > math.Ln2:
					asked = append(asked, found)
				}
			}
			out := append(together(doubted), together(asked)...)
			for i := range out { // runs of one cell share an entry, whichever of their figures it is about
				out[i].Group = strings.Join([]string{c.Run.Test, c.Run.Setup, c.Run.Host, c.Run.Place}, "|")
			}
			return out
		},
	})
}

// farFromKin says that a figure is far from what its kin let expect: it is doubted, or asked where they are few.
func (f Figures) farFromKin(x, off float64) Found {
	m := f.Measure
	out := Found{Measure: m.Slug, Cell: true, Picture: among(f, x),
		Evidence: []Evidence{{"reading", value(m, math.Exp(x))}, {"expected", value(m, math.Exp(f.Kin.Expected))},
			{"kin", fmt.Sprint(f.Kin.N)}, {"one variant about what is expected of it", typical(m, f.Kin.SD)}},
		Sentence: fmt.Sprintf("%s %s.", value(m, math.Exp(x)), say.Is(apart(m, off).Than(fmt.Sprintf("the %s that its other "+
			"figures and %d kindred variants let expect", value(m, math.Exp(f.Kin.Expected)), f.Kin.N))))}
	if f.Kin.N < leastKin {
		out.Severity = Note
		out.Sentence = fmt.Sprintf("Is this right? %s %s, too few of them to doubt it.", value(m, math.Exp(x)),
			say.Is(apart(m, off).Than(fmt.Sprintf("%d kindred variants let expect", f.Kin.N))))
	}
	return out
}

// together makes one entry of several measures of a run: they have one cause. The farthest speaks for all.
func together(all []Found) []Found {
	if len(all) < 2 {
		return all
	}
	farthest := slices.MaxFunc(all, func(a, b Found) int { return cmp.Compare(a.Size, b.Size) })
	var others []string
	for _, f := range all {
		farthest.Measures = append(farthest.Measures, f.Measure)
		if f.Measure != farthest.Measure {
			others = append(others, f.Measure)
			farthest.Evidence = append(farthest.Evidence, Evidence{f.Measure, f.Evidence[0].Value + ", expected " +
				f.Evidence[1].Value})
		}
	}
	more := "so is " + others[0]
	if len(others) > 1 {
		more = fmt.Sprintf("so are %d more of the run's figures", len(others))
	}
	farthest.Evidence = append([]Evidence{{"measure", farthest.Measure}}, farthest.Evidence...)
	farthest.Sentence = strings.TrimSuffix(farthest.Sentence, ".") + "; " + more + "."
	farthest.Measure = ""
	return []Found{farthest}
}
