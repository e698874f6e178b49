package trust

import (
	"fmt"
	"regexp"
	"slices"
)

var digits = regexp.MustCompile(`[0-9]+(\.[0-9]+)*`)

func init() {
	register(Rule{
		Name: "versions-mixed", Title: "Another version than the rest", Severity: Note,
		Proposal: "Bring it to the field's version and repeat, or leave it out", Again: "repeat",
		Sentence: "The test's or a program's version is not the one that most of the field was measured with, so the " +
			"figure is compared with few or none.",
		Find: func(c Case, _ float64) []Found {
			var out []Found
			if c.Run.TestVersion < c.Newest {
				out = append(out, Found{Cell: true, Sentence: fmt.Sprintf("Made with version %d of the test; version %d is known.",
					c.Run.TestVersion, c.Newest),
					Evidence: []Evidence{{"test version", fmt.Sprintf("%d, newest %d", c.Run.TestVersion, c.Newest)}}})
			}
			conditions := Effective(c.Setup.Conditions, c.Run.Observed)
			for _, f := range c.Figures {
				for _, k := range sortedKeys(f.Versions) {
					mine := conditions[k]
					most, count, all := "", 0, 0
					for _, v := range sortedKeys(f.Versions[k]) {
						if n := f.Versions[k][v]; digits.ReplaceAllString(v, "#") == digits.ReplaceAllString(mine, "#") {
							all += n
							if n > count {
								most, count = v, n
							}
						}
					}
					if mine == "" || !digits.MatchString(mine) || most == "" || most == mine || count < 3 ||
						f.Versions[k][mine] >= count {
						continue
					}
					name := Difference{Condition: k}.name()
					out = append(out, Found{Measure: f.Measure.Slug, Cell: true, Sentence: fmt.Sprintf("Made with %s %s; %d of %d "+
						"others have %s.", name, mine, count, all, most),
						Evidence: []Evidence{{name, mine}, {"most others", most}}})
				}
			}
			if len(out) > 1 && out[0].Measure != "" { // the same versions stand behind all measures of a run: say it once
				first := out[0]
				first.Measure = ""
				if !slices.ContainsFunc(out, func(o Found) bool { return o.Sentence != first.Sentence }) {
					return []Found{first}
				}
			}
			return out
		},
	})
}
