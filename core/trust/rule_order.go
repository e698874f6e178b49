package trust

import (
	"fmt"

	"durvek/core/method"
	"durvek/core/record"
)

// ordered names pairs of measures of one test of which the first can never be above the second.
var ordered = [][2]string{
	{"median", "latency-90"}, {"median", "latency-99"}, {"latency-90", "latency-99"}, {"latency-99", "worst"},
	{"median", "worst"}, {"median", "slowest"}, {"median", "slow"},
	{"idle-median", "idle-999"}, {"idle-999", "idle-worst"}, {"load-median", "load-999"}, {"load-999", "load-worst"},
	{"low", "mean"}, {"knee-1", "knee-2"}, {"knee-2", "knee-3"}, {"least", "median"},
}

func init() {
	register(Rule{
		Name: "order", Title: "Figures in an impossible order", Severity: Serious,
		Proposal: "Check how the figures were read or mapped, and repeat", Again: "repeat",
		Sentence: "Two figures of one run stand in an order that cannot be, such as a median above the worst value.",
		Find: func(c Case, _ float64) []Found {
			find := func(slug string) (method.Measure, record.Reading, bool) {
				m, ok := c.Test.Measure(slug)
				for _, r := range c.Run.Readings {
					if ok && r.Measure == slug && r.State == record.OK {
						return m, r, true
					}
				}
				return m, record.Reading{}, false
			}
			var out []Found
			for _, p := range ordered {
				a, x, ok := find(p[0])
				b, y, ok2 := find(p[1])
				if ok && ok2 && a.Unit == b.Unit && x.Value > y.Value*(1+1e-9) {
					out = append(out, Found{Measure: a.Slug, Sentence: fmt.Sprintf("The %s of %s lies above the %s of %s, which "+
						"cannot be.", a.Name, value(a, x.Value), b.Name, value(b, y.Value)),
						Evidence: []Evidence{{a.Name, value(a, x.Value)}, {b.Name, value(b, y.Value)}}, Size: x.Value / y.Value})
				}
			}
			return out
		},
	})
}
