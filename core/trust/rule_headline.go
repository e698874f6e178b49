package trust

import (
	"fmt"

	"durvek/core/method"
)

// headlines pairs a rate of access in order with the copy that it should allow, and says which end of
// the copy is the measured drive's.
var headlines = []struct{ rate, copy, own, other string }{
	{"drive-sequential/read", "folder-copy/rate", "folder-copy/reading-busy", "folder-copy/writing-busy"},
	{"drive-sequential/write", "folder-copy/rate", "folder-copy/writing-busy", "folder-copy/reading-busy"},
}

func init() {
	register(Rule{
		Name: "headline", Title: "Headline rate without its copy", Severity: Caution,
		Proposal: "Check whether a cache answered the headline test, and repeat both", Again: "repeat",
		Sentence: "A rate of access in order is far above that of a real copy that the same end of the drive, and not the " +
			"other end, held back.",
		Limit: 2, LimitUnit: "times the copy's rate", Least: 1.2,
		Find: func(c Case, limit float64) []Found {
			var out []Found
			for _, h := range headlines {
				rate, copied, own, other := c.Beside[h.rate], c.Beside[h.copy], c.Beside[h.own], c.Beside[h.other]
				if rate == 0 || copied == 0 || own < 90 || other > 60 || rate <= limit*copied {
					continue
				}
				for _, id := range []string{h.rate, h.copy} {
					if test, measure := method.Split(id); test == c.Run.Test {
						out = append(out, Found{Measure: measure, Cell: true, Size: rate / (limit * copied),
							Evidence: []Evidence{{"in order", fmt.Sprintf("%.0f MB/s", rate)}, {"real copy", fmt.Sprintf("%.0f MB/s",
								copied)}, {"this end was busy", fmt.Sprintf("%.0f %%", own)}, {"the other end", fmt.Sprintf("%.0f %%", other)}},
							Sentence: fmt.Sprintf("In order it moves %.0f MB/s, but a real copy that this end alone held back moves %.0f "+
								"MB/s.", rate, copied)})
					}
				}
			}
			return out
		},
	})
}
