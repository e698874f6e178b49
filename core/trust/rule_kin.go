package trust

import (
	"fmt"
	"math"
)

func init() {
	register(Rule{
		Name: "far-from-kin", Title: "Far from what its kin do", Severity: Caution,
		Proposal: "Check setup and conditions, then repeat", Again: "repeat", Statistical: true, Limit: 3.1,
		LimitUnit: "standard deviations of the kin", Least: 2,
		Sentence: "The figure is far from what the variant's other figures and twelve or more kindred variants let expect.",
		Source: "The residual of a model of two effects, variant and measure, within a group of measures, against the " +
			"kin's own residuals, whose variance is pooled over the group; differences below 25 % are never doubted.",
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, f := range c.Figures {
				x, ok := own(c, f)
				if !ok || f.Kin.N < leastKin || f.Kin.SD == 0 {
					continue
				}
				off := x - f.Kin.Expected
				sd := math.Hypot(math.Hypot(f.Kin.SD, f.Kin.SE), f.Pool.SR) // a single run scatters, too
				bound := math.Max(limit*widen(f.Kin.DF)*sd, math.Log(1.25))
				if math.Abs(off) <= bound {
					continue
				}
				out = append(out, Found{Measure: f.Measure.Slug, Cell: true, Size: math.Abs(off) / bound, Picture: among(f, x),
					Evidence: []Evidence{{"reading", value(f.Measure, math.Exp(x))},
						{"expected", value(f.Measure, math.Exp(f.Kin.Expected))}, {"kin", fmt.Sprint(f.Kin.N)},
						{"one variant about what is expected of it", typical(f.Measure, f.Kin.SD)}},
					Sentence: fmt.Sprintf("%s is %s than the %s that its other figures and %d kindred variants let expect.",
						value(f.Measure, math.Exp(x)), apart(f.Measure, off), value(f.Measure, math.Exp(f.Kin.Expected)), f.Kin.N)})
			}
			return out
		},
	})
}
