package fit

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/stats"
)

// UseFormat names the version of the format in which kinds of use are exchanged.
const UseFormat = "durvek-use/1"

// Use is a profile of use: what a device must meet, and what counts how much beyond that.
type Use struct {
	Format  string   `json:"format,omitempty"`
	Slug    string   `json:"slug"`
	Name    string   `json:"name" doc:"Completes \"right for\": the wheelhouse"`
	Needs   []Need   `json:"needs,omitempty"`
	Weights []Weight `json:"weights"`
}

// Need is what must be met: a measure, or an entry of the spec sheet, at least or at most so much.
type Need struct {
	Measure string   `json:"measure,omitempty" doc:"test/measure"`
	Spec    string   `json:"spec,omitempty" doc:"Key of the spec sheet"`
	Least   *float64 `json:"least,omitempty"`
	Most    *float64 `json:"most,omitempty"`
	Unit    string   `json:"unit" doc:"Of least and most"`
	Setup   string   `json:"setup,omitempty" doc:"As delivered if left out"`
}

// Weight is how much a measure, or a group of measures evenly, counts. A curve says what its values are worth; measures
// on interval, level and share scales need one, since they do not enter an index.
type Weight struct {
	Measure string  `json:"measure,omitempty" doc:"test/measure"`
	Group   string  `json:"group,omitempty" doc:"All measures of a group with figures, evenly"`
	Weight  float64 `json:"weight" minimum:"0"`
	Curve   []Worth `json:"curve,omitempty" doc:"Value and what it is worth, 0 to 1, between as drawn; in order of value"`
	Unit    string  `json:"unit,omitempty" doc:"Of the curve's values"`
}

// Worth is one corner of a utility curve.
type Worth struct {
	At    float64 `json:"at"`
	Worth float64 `json:"worth" minimum:"0" maximum:"1"`
}

// Check says what is wrong with a use, or returns "". measures holds the unit and direction of each known measure.
func (u Use) Check(measures map[string]catalog.Judge, groups []string) string {
	if s := catalog.CheckSlug(u.Slug); s != "" {
		return s
	}
	if strings.TrimSpace(u.Name) == "" {
		return "it needs a name such as \"the wheelhouse\""
	}
	sum := 0.0
	for i, w := range u.Weights {
		at := fmt.Sprintf("weight %d", i+1)
		sum += w.Weight
		switch {
		case (w.Measure == "") == (w.Group == ""):
			return at + " names either a measure or a group"
		case w.Weight < 0 || math.IsNaN(w.Weight):
			return fmt.Sprintf("%s is %g; weights are numbers from 0 up", at, w.Weight)
		case w.Group != "" && !slices.Contains(groups, w.Group):
			return fmt.Sprintf("%s: no test belongs to a group %q; there are %s", at, w.Group, strings.Join(groups, ", "))
		case w.Group != "" && len(w.Curve) > 0:
			return at + ": a curve belongs to one measure, not to a group"
		}
		if w.Measure == "" {
			continue
		}
		judge, ok := measures[w.Measure]
		if !ok {
			return fmt.Sprintf("%s: no test yields %q; the list of measures names them all", at, w.Measure)
		}
		if w.Unit != "" {
			if _, err := quantity.Convert(1, w.Unit, judge.Unit); err != nil {
				return fmt.Sprintf("%s: %v", at, err)
			}
		}
		for k, c := range w.Curve {
			if c.Worth < 0 || c.Worth > 1 || k > 0 && c.At <= w.Curve[k-1].At {
				return at + ": a curve's values rise from corner to corner, and each is worth 0 to 1"
			}
		}
	}
	if sum == 0 {
		return "its weights sum to zero; give at least one measure or group a weight above zero"
	}
	for i, n := range u.Needs {
		at := fmt.Sprintf("need %d", i+1)
		switch {
		case (n.Measure == "") == (n.Spec == ""):
			return at + " names either a measure or an entry of the spec sheet"
		case n.Least == nil && n.Most == nil:
			return at + " says neither least nor most"
		case n.Least != nil && n.Most != nil && *n.Least > *n.Most:
			return at + " asks for more than it allows"
		}
		unit := ""
		if n.Measure != "" {
			judge, ok := measures[n.Measure]
			if !ok {
				return fmt.Sprintf("%s: no test yields %q; the list of measures names them all", at, n.Measure)
			}
			unit = judge.Unit
		} else {
			k, ok := catalog.SpecKeyOf(n.Spec)
			if !ok {
				return fmt.Sprintf("%s: no spec sheet has %q; the vocabulary lists what there is", at, n.Spec)
			}
			unit = cmp.Or(k.Unit, "1")
		}
		if n.Unit != "" {
			if _, err := quantity.Convert(1, n.Unit, unit); err != nil {
				return fmt.Sprintf("%s: %v", at, err)
			}
		}
	}
	return ""
}

// utility is what a value is worth on a curve, 0 to 1: straight between corners, level beyond the ends.
func utility(curve []Worth, v float64) float64 {
	if v <= curve[0].At {
		return curve[0].Worth
	}
	for i := 1; i < len(curve); i++ {
		a, b := curve[i-1], curve[i]
		if v <= b.At {
			return a.Worth + (b.Worth-a.Worth)*(v-a.At)/(b.At-a.At)
		}
	}
	return curve[len(curve)-1].Worth
}

// Met says what became of a need.
type Met string

const (
	Kept      Met = "met"
	Failed    Met = "failed"
	Undecided Met = "undecided" // the interval holds the limit, or is not known
	Unknown   Met = "unknown"   // nothing was measured
)

// Verdict says whether a variant is for a use.
type Verdict string

const (
	Right Verdict = "for"
	Wrong Verdict = "not for" // a need failed, whatever the score
	Open  Verdict = "open"    // a need is undecided or unknown
)

// NeedMet is a need with what became of it.
type NeedMet struct {
	Text string `json:"text"`
	Met  Met    `json:"met" enum:"met,failed,undecided,unknown"`
	Why  string `json:"why"`
}

// Part is what one measure adds to a fit.
type Part struct {
	Measure string  `json:"measure"`
	Weight  float64 `json:"weight" doc:"Share of all weight"`
	Worth   float64 `json:"worth" doc:"0 to 1; of the field's best without a curve"`
	Value   float64 `json:"value"`
}

// Fit is how well a variant fits a use.
type Fit struct {
	Variant      string    `json:"variant"`
	Score        float64   `json:"score" doc:"0 to 100, over what was measured"`
	Lo           float64   `json:"lo"`
	Hi           float64   `json:"hi"`
	Completeness float64   `json:"completeness"`
	For          Verdict   `json:"for" enum:"for,not for,open"`
	Needs        []NeedMet `json:"needs"`
	Parts        []Part    `json:"parts"`
	Unknown      []string  `json:"unknown,omitempty" doc:"Measures of unknown spread: their noise is not in the interval"`
}

// Figure finds a variant's estimate of a measure under a setup; ok is false where nothing comparable was measured.
type Figure func(variant, measure, setup string) (stats.Estimate, bool)

// term is one measure of a use with its weight; best is the merit of the field's best.
type term struct {
	measure string
	judge   catalog.Judge
	weight  float64
	curve   []Worth
	unit    string
	best    float64
}

// merit is larger where a value is better.
func (t term) merit(v float64) float64 {
	if t.judge.Better == quantity.Lower {
		return 1 / v
	}
	return v
}

// worth is what a value is worth, 0 to 1.
func (t term) worth(v float64) float64 {
	if len(t.curve) > 0 {
		c, err := quantity.Convert(v, t.judge.Unit, t.unit)
		if err != nil {
			return 0
		}
		return utility(t.curve, c)
	}
	if t.best == 0 || v <= 0 {
		return 0
	}
	return math.Min(1, t.merit(v)/t.best)
}

// All says how each variant fits a use, best first: those whose needs all hold, then those of which a need is open,
// then those of which one fails, whatever their score; in each, those of which less than 60 % was measured come last. A
// measure with a curve is worth what the curve says; one without is worth its share of the field's best. The score's
// interval takes all figures at their limits at once in proportion to their weights, as root of the sum of squares.
func All(u Use, variants []string, spec func(string) map[string]any, judges map[string]catalog.Judge,
	groups map[string][]string, figure Figure) []Fit {
	var terms []term
	total := 0.0
	for _, w := range u.Weights {
		ids := []string{w.Measure}
		if w.Group != "" {
			ids = nil
			for _, id := range groups[w.Group] {
				if judges[id].Better != quantity.Target {
					ids = append(ids, id)
				}
			}
		}
		for _, id := range ids {
			terms = append(terms, term{id, judges[id], w.Weight / float64(len(ids)), w.Curve,
				cmp.Or(w.Unit, judges[id].Unit), 0})
			total += w.Weight / float64(len(ids))
		}
	}
	for i, t := range terms {
		for _, v := range variants {
			if e, ok := figure(v, t.measure, ""); ok && e.Centre > 0 {
				terms[i].best = math.Max(terms[i].best, t.merit(e.Centre))
			}
		}
	}
	out := []Fit{}
	for _, v := range variants {
		f := Fit{Variant: v, Needs: []NeedMet{}, Parts: []Part{}, For: Right}
		for _, n := range u.Needs {
			met := n.met(v, spec(v), judges, figure)
			f.Needs = append(f.Needs, met)
			switch {
			case met.Met == Failed:
				f.For = Wrong
			case met.Met != Kept && f.For == Right:
				f.For = Open
			}
		}
		var sum, weight, squares float64
		for _, t := range terms {
			e, ok := figure(v, t.measure, "")
			if !ok {
				continue
			}
			w := t.worth(e.Centre)
			half := math.Abs(t.worth(e.Hi)-t.worth(e.Lo)) / 2
			sum, weight = sum+t.weight*w, weight+t.weight
			squares += t.weight * t.weight * half * half
			if e.Unknown {
				f.Unknown = append(f.Unknown, t.measure)
			}
			f.Parts = append(f.Parts, Part{t.measure, t.weight / total, w, e.Centre})
		}
		if weight > 0 {
			f.Completeness = weight / total
			f.Score = 100 * sum / weight
			half := 100 * math.Sqrt(squares) / weight
			f.Lo, f.Hi = math.Max(0, f.Score-half), math.Min(100, f.Score+half)
		}
		slices.SortStableFunc(f.Parts, func(a, b Part) int { return cmp.Compare(b.Weight*b.Worth, a.Weight*a.Worth) })
		out = append(out, f)
	}
	rank := map[Verdict]int{Right: 0, Open: 1, Wrong: 2}
	slices.SortStableFunc(out, func(a, b Fit) int {
		return cmp.Or(rank[a.For]-rank[b.For], little(a)-little(b), cmp.Compare(b.Score, a.Score), cmp.Compare(a.Variant,
			b.Variant))
	})
	return out
}

// little is 1 where too little was measured for a score to be held against others'.
func little(f Fit) int {
	if f.Completeness < ranking.Complete {
		return 1
	}
	return 0
}

// met says whether a variant meets a need.
func (n Need) met(variant string, spec map[string]any, judges map[string]catalog.Judge, figure Figure) NeedMet {
	var text []string
	if n.Least != nil {
		text = append(text, "at least "+quantity.Plain(*n.Least, n.Unit))
	}
	if n.Most != nil {
		text = append(text, "at most "+quantity.Plain(*n.Most, n.Unit))
	}
	k, _ := catalog.SpecKeyOf(n.Spec)
	out := NeedMet{Text: cmp.Or(judges[n.Measure].Name, k.Name, n.Measure, n.Spec) + " " + strings.Join(text, " and "),
		Met: Unknown}
	var lo, mid, hi float64
	bound := ""
	if n.Spec != "" {
		v, ok := catalog.SpecNumber(spec, n.Spec)
		if !ok {
			out.Why = "The spec sheet does not say."
			return out
		}
		v, err := quantity.Convert(v, cmp.Or(k.Unit, "1"), cmp.Or(n.Unit, k.Unit, "1"))
		if err != nil {
			out.Why = err.Error()
			return out
		}
		lo, mid, hi = v, v, v
		out.Why = "The spec sheet says " + quantity.Format(v, n.Unit) + "."
	} else {
		e, ok := figure(variant, n.Measure, n.Setup)
		if !ok {
			out.Why = "Nothing comparable was measured."
			return out
		}
		unit := judges[n.Measure].Unit
		var err error
		for to, v := range map[*float64]float64{&lo: e.Lo, &mid: e.Centre, &hi: e.Hi} {
			if *to, err = quantity.Convert(v, unit, cmp.Or(n.Unit, unit)); err != nil {
				break
			}
		}
		if err != nil {
			out.Why = err.Error()
			return out
		}
		bound = e.Bound
		out.Why = "Measured " + strings.TrimSpace(bound+" "+quantity.Format(mid, cmp.Or(n.Unit, unit)))
		if e.Unknown {
			out.Met, out.Why = Undecided, out.Why+"; how much that scatters is not known."
			return out
		}
		out.Why += "."
	}
	switch {
	case bound != "" && stats.Upward(bound):
		hi = math.Inf(1)
	case bound != "":
		lo = math.Inf(-1)
	}
	switch {
	case n.Least != nil && hi < *n.Least, n.Most != nil && lo > *n.Most:
		out.Met = Failed
	case (n.Least == nil || lo >= *n.Least) && (n.Most == nil || hi <= *n.Most):
		out.Met = Kept
	default:
		out.Met = Undecided
	}
	return out
}
