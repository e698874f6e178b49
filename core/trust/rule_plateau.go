package trust

import (
	"fmt"
	"math"
	"slices"

	"durvek/core/quantity"
)

// A plateau: so many kindred variants or more, and so large a share of them, within half a per cent of each other.
const (
	plateauKin   = 3
	plateauShare = 0.3
	plateauWidth = 0.005
)

func init() {
	register(Rule{
		Name: "plateau", Title: "Looks like a limit", Severity: Note,
		Proposal: "Look for what limits it: the screen's rate, the link, a setting of the program",
		Sentence: "The figure stands where many others stand, or at what a link carries at most, in a test that knows no " +
			"ceiling: then the limit was measured, not the machine.",
		Source: "At a round figure, and within 0.5 % of three kindred variants or more, and of three in ten of them, which " +
			"otherwise differ by more than 5 %; or within 3 % below the payload of the link's encoding.",
		Find: func(c Case, _ float64) []Found {
			var out []Found
			most, usual, of := carries(c)
			for _, f := range c.Figures {
				x, ok := own(c, f)
				if !ok || f.Measure.Ceiling != nil || !f.Measure.Scale.Logarithmic() {
					continue
				}
				if share, at := f.plateau(x); at > 0 && f.round(x) && c.Test.Group != "display" {
					out = append(out, Found{Measure: f.Measure.Slug, Cell: true, Picture: among(f, x), Evidence: []Evidence{
						{"reading", value(f.Measure, math.Exp(x))}, {"as many within 0.5 %", fmt.Sprintf("%d of %d", at,
							len(f.Kin.Values))}}, Size: share / plateauShare,
						Sentence: fmt.Sprintf("%s is what %d of %d kindred variants reach, too: it looks like a limit of the test, "+
							"not of "+
							"the machine.", value(f.Measure, math.Exp(x)), at, len(f.Kin.Values))})
					continue
				}
				rate, err := quantity.Convert(math.Exp(x), f.Measure.Unit, "MBy/s")
				if err != nil || most == 0 || rate > most*1.001 || rate < 0.97*usual {
					continue
				}
				out = append(out, Found{Measure: f.Measure.Slug, Cell: true, Size: rate / usual, Evidence: []Evidence{
					{"reading", value(f.Measure, math.Exp(x))}, {"usually", fmt.Sprintf("%.0f MB/s over %s", usual, of)}},
					Sentence: fmt.Sprintf("%s is what %s carries, %.0f MB/s as a rule: the link was measured, not what hangs on it.",
						value(f.Measure, math.Exp(x)), of, usual)})
			}
			return out
		},
	})
}

// rounds are the figures, but for powers of ten, at which programs and screens are limited; frameRates those of
// screens.
var (
	rounds     = []float64{1, 1.5, 2, 2.5, 3, 4, 5, 6, 7.5, 8}
	frameRates = []float64{24, 30, 48, 60, 72, 75, 90, 100, 120, 144, 165, 180, 240, 360}
)

// round tells whether a figure stands at a round one, to half a per cent.
func (f Figures) round(x float64) bool {
	v, list := math.Exp(x), frameRates
	if f.Measure.Unit != "{frame}/s" {
		v, list = v/math.Pow(10, math.Floor(math.Log10(v)+plateauWidth)), rounds
	}
	return slices.ContainsFunc(list, func(r float64) bool { return math.Abs(math.Log(v/r)) <= plateauWidth })
}

// plateau counts the kindred variants that stand where a figure stands, and their share; none where that may be chance.
func (f Figures) plateau(x float64) (share float64, at int) {
	n := len(f.Kin.Values)
	if n == 0 {
		return 0, 0
	}
	for _, v := range f.Kin.Values {
		if math.Abs(v-x) <= plateauWidth {
			at++
		}
	}
	share = float64(at) / float64(n)
	if at < plateauKin || share < plateauShare || math.Sqrt(squares(f.Kin.Values)/float64(n-1)) < 0.05 {
		return 0, 0
	}
	return share, at
}
