package ranking

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"durvek/core/stats"
)

// Gap is one cell that is missing or weak, as a candidate for the bench. Rows hold the field's ranking in its measure.
type Gap struct {
	Variant, Unit string
	Name          string // of the variant
	Test, Measure string
	What          string // the measure in words
	Setup         string
	Rows          []Row // of the measure's ranking within the field
	Seconds       float64
	Repeats       int
	Claims        int  // claims that it would make decidable, or decide
	Carried       bool // a sibling's figure can stand in
	Weak          bool // it has a figure
}

// Suggestion is what to test next, and what that would settle.
type Suggestion struct {
	Variant  string   `json:"variant"`
	Unit     string   `json:"unit,omitempty" doc:"Unit of it that is on the desk; none must be got first"`
	Name     string   `json:"name"`
	Test     string   `json:"test"`
	Setup    string   `json:"setup"`
	Measures []string `json:"measures"`
	Repeats  int      `json:"repeats"`
	Minutes  float64  `json:"minutes" doc:"Of bench time"`
	Places   float64  `json:"places" doc:"Places by which standings would narrow, as expected"`
	Claims   int      `json:"claims" doc:"Claims that it could decide"`
	PerHour  float64  `json:"per_hour" doc:"Places and claims settled per hour of bench time"`
	Carried  bool     `json:"carried,omitempty" doc:"A sibling's figure can stand in meanwhile, so it comes last"`
	Why      string   `json:"why"`
}

// Next puts gaps in order of what they settle per minute of bench time; what can be carried over comes last. One run of
// a test yields all its measures, so gaps of one test of one variant are one suggestion, with the largest number of
// repeats among them.
//
// A missing figure, or one of which nobody knows how much it scatters, is expected to narrow the variant's standing
// from the whole field to the mean width of those that have a place. A weak one is expected to part those undecided
// neighbours whose difference would exceed its 95 % interval with the repeats added.
func Next(gaps []Gap, most int) []Suggestion {
	type key struct{ variant, test, setup string }
	at := map[key]*Suggestion{}
	weak, unknown := map[key]int{}, map[key]int{}
	seconds := map[key]float64{}
	var order []key
	for _, g := range gaps {
		places := g.narrowing()
		if places <= 0 && g.Claims == 0 {
			continue
		}
		k := key{g.Variant, g.Test, g.Setup}
		s := at[k]
		if s == nil {
			s = &Suggestion{Variant: g.Variant, Unit: g.Unit, Name: g.Name, Test: g.Test, Setup: g.Setup, Carried: true}
			at[k], order = s, append(order, k)
		}
		s.Measures = append(s.Measures, g.What)
		s.Repeats = max(s.Repeats, g.Repeats)
		s.Places += places
		s.Claims += g.Claims
		s.Carried = s.Carried && g.Carried
		seconds[k] = math.Max(seconds[k], g.Seconds)
		if g.Weak {
			weak[k]++
		}
		if g.unknown() {
			unknown[k]++
		}
	}
	out := []Suggestion{}
	for _, k := range order {
		s := *at[k]
		s.Minutes = math.Max(seconds[k], 1) * float64(s.Repeats) / 60
		s.PerHour = 60 * (s.Places + float64(s.Claims)) / s.Minutes
		s.Why = s.why(weak[k], unknown[k])
		out = append(out, s)
	}
	slices.SortStableFunc(out, func(a, b Suggestion) int {
		if (a.Unit == "") != (b.Unit == "") {
			if a.Unit == "" {
				return 1
			}
			return -1
		}
		if a.Carried != b.Carried {
			if a.Carried {
				return 1
			}
			return -1
		}
		return cmp.Or(cmp.Compare(b.PerHour, a.PerHour), cmp.Compare(a.Variant, b.Variant), cmp.Compare(a.Test, b.Test))
	})
	if most > 0 && len(out) > most {
		out = out[:most]
	}
	return out
}

// why says what the suggestion would settle; weak and unknown count its measures that have such a figure.
func (s Suggestion) why(weak, unknown int) string {
	what := s.Measures[0]
	if n := len(s.Measures); n > 1 {
		what = fmt.Sprintf("%d measures, %s among them", n, what)
	}
	var why string
	switch {
	case unknown == len(s.Measures):
		why = fmt.Sprintf("%d more repeats tell how much it scatters in %s, without which it has no place", s.Repeats,
			what)
	case weak == len(s.Measures):
		why = fmt.Sprintf("%d more repeats should part it from neighbours in %s", s.Repeats, what)
	default:
		why = "It is missing in " + what
	}
	if s.Places > 0.05 {
		why += fmt.Sprintf("; standings narrow by about %.1f places", s.Places)
	}
	if s.Claims == 1 {
		why += "; one claim could be decided"
	} else if s.Claims > 1 {
		why += fmt.Sprintf("; %d claims could be decided", s.Claims)
	}
	if s.Carried {
		why += "; a sibling's figure can stand in"
	}
	if s.Unit == "" {
		why += "; no unit of it is on the desk"
	}
	return why + "."
}

// own finds the variant's row; below 0 if there is none.
func (g Gap) own() int {
	return slices.IndexFunc(g.Rows, func(r Row) bool { return r.ID == g.Variant })
}

// unknown tells whether there is a figure of which nobody knows how much it scatters.
func (g Gap) unknown() bool {
	i := g.own()
	return g.Weak && i >= 0 && g.Rows[i].Estimate.Unknown
}

// narrowing is by how many places the variant's standing is expected to narrow.
func (g Gap) narrowing() float64 {
	if n := len(g.Rows); !g.Weak || g.unknown() {
		if n < 2 {
			return 0
		}
		var widths []float64
		for _, r := range g.Rows {
			if r.Place.Best > 0 {
				widths = append(widths, float64(r.Place.Worst-r.Place.Best))
			}
		}
		return float64(n) - stats.Average(widths)
	}
	i := g.own()
	if i < 0 || g.Rows[i].Estimate.Bound != "" || g.Rows[i].Estimate.N == 0 {
		return 0
	}
	mine, parted := g.Rows[i], 0.0
	within, among, _ := mine.Estimate.Parts()
	grown := mine.Estimate
	grown.Within, grown.Among = stats.Part{Variance: within.Variance * float64(grown.N) / float64(grown.N+g.Repeats),
		DF: within.DF}, among
	for k, r := range g.Rows {
		if k == i || r.Estimate.Bound != "" || r.Place.Best > mine.Place.Worst || r.Place.Worst < mine.Place.Best {
			continue
		}
		d := math.Abs(r.Estimate.Mean - mine.Estimate.Mean)
		now, df := stats.Difference(mine.Estimate, r.Estimate, stats.RankShare)
		then, _ := stats.Difference(grown, r.Estimate, stats.RankShare)
		if t := stats.TQuantile(0.975, df); d < t*now && d > t*then {
			parted++
		}
	}
	return parted
}
