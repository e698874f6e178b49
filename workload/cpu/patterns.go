package cpu

import (
	"bytes"
	"regexp"

	"durvek/workload"
)

const (
	patternPiece  = 16 << 10
	patternCases  = 8
	patternDigest = 0x9b410aa56ccfbb70
)

// patterns are what a log is searched for.
var patterns = []string{
	`kelp|swell|rip$`,
	`^0[4-6]:[0-5]\d:\d\d\.`,
	`,0(0[1-9]|[1-9]\d)\.\d,`,
	`(\d)\d*(\.\d\d),(1|2)?\d\d,`,
	`54\.2\d+,-3\.0[0-8]`,
	`[a-z]+ [a-z]+ (to|on|from) [a-z]+`,
}

func init() {
	register(Kernel{
		Slug: "pattern-scan", Name: "Pattern scan", Unit: "MiBy/s",
		About: "Every line of a survey log is matched against six regular expressions, by an automaton that reads " +
			"each byte a bounded number of times.",
		StandsFor: "Searching logs, filtering mail, finding personal data in files. The rate counts the log once, not " +
			"once per expression.",
		LimitedBy: "Dependent loads from small tables and branches: clock and first-level cache.",
		Input:     "8 pieces of 16 KiB of survey log, seed 6; the expressions stand in the source.",
		Checked:   "Digest of which lines match which expression.",
		Parts: []Part{{Prepare: func() (func(int) (workload.Work, error), error) {
			log := SurveyLog(6, patternPiece*patternCases)
			return cases(patternCases, patternDigest, func() solver {
				var list []*regexp.Regexp
				for _, p := range patterns {
					list = append(list, regexp.MustCompile(p))
				}
				hits := make([]uint8, 0, patternPiece/16)
				return solver{
					do: func(i int) float64 {
						hits = hits[:0]
						for rest := log[i*patternPiece : (i+1)*patternPiece]; len(rest) > 0; {
							line := rest
							if n := bytes.IndexByte(rest, '\n'); n >= 0 {
								line, rest = rest[:n], rest[n+1:]
							} else {
								rest = nil
							}
							var h uint8
							for k, re := range list {
								if re.Match(line) {
									h |= 1 << k
								}
							}
							hits = append(hits, h)
						}
						return float64(patternPiece) / workload.MiB
					},
					answer: func() uint64 {
						f := newFingerprint()
						for _, h := range hits {
							f.add(uint64(h))
						}
						return uint64(f)
					},
				}
			})()
		}}},
	})
}
