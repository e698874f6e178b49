package verdict

import (
	"math"

	"durvek/core/claims"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/say"
)

// Standing is what one measure says of the subject in its field.
type Standing struct {
	Figure  string // its measure, with what the review narrows it to and what sets one of several rows apart
	Test    string // slug
	Measure string // slug within the test
	Name    string // of test and measure in words, as inside a sentence
	Short   string // of the test alone
	Area    string
	Words   say.Pair
	Unit    string // UCUM code
	Scale   quantity.Scale
	Better  quantity.Direction
	Value   float64
	Said    string  // the figure in words: "9 h 12 min", "3 of 4"
	Margin  float64 // what does not matter: relative on ratio scales, else in the unit
	Place   ranking.Place
	Field   int               // rows that have a place
	Others  int               // rows that are not the subject's
	Class   *ranking.Relative // to the mean of the others
	Rival   string            // the only other one, where there is but one
	Kin     []Against
	History *ranking.Within // among all that was ever measured
	Bound   string
	Limiter record.LimiterLabel
	Level   int // of a grade: its level from 0, of Levels
	Levels  int
}

// Against is the subject's value relative to one other variant.
type Against struct {
	Variant  string
	Model    string
	Name     string
	Relation Relation
	ranking.Relative
}

// Relation is how another variant is related to the subject.
type Relation string

const (
	Predecessor Relation = "predecessor"
	Before      Relation = "the one before its predecessor"
	Sibling     Relation = "sibling"
)

// Facts are all that rules may read.
type Facts struct {
	Standings []Standing
	Claims    []ClaimFact
	Missing   []Absent           // measures that the field has and the subject lacks
	Remarks   []record.Remark    // what people said of it; never counted
	Caveats   map[string]string  // what the subject's figure is shown with, by figure
	Weights   map[string]float64 // of areas, for the uses that the review is written for; 1 where none is given
	Asked     []string           // measures that readers ask for first: what its uses name, then what its maker promises
	Incidents []record.IncidentRate
	Fails     []string // partners that it did not work with
	Works     int      // partners that it worked with
	Modes     []Mode
	Needs     []Need
	Uses      []Fitting        // how it fits the kinds of use that the review is written for
	Prices    map[string]Costs // of kin, by variant
	Worth     *Worth
}

// Mode is what another mode of the same work gains and costs.
type Mode struct{ Name, Gain, Costs, Figure string }

// Need is a need of a kind of use that fails.
type Need struct{ Use, Text, Why string }

// Costs is how a sibling's price differs: "350 EUR", dearer or cheaper.
type Costs struct {
	More   string
	Dearer bool
}

// Worth is what the subject gives for its price.
type Worth struct {
	Price    string
	Best     bool   // by performance per price
	BestAt   string // price at which it would be the best, or up to which it stays so
	Frontier bool
	Beater   string // variant: the cheapest that is as good and no dearer
	BeatenBy string // its name, with its price
	Surely   bool
}

// Absent is a measure that a subject lacks: its name within a sentence, and its group.
type Absent struct{ Name, Group string }

// ClaimFact is a judged claim in words.
type ClaimFact struct {
	ID       string
	Name     string // of the measure
	Area     string
	Claimed  string
	Measured string // the figure that judges it
	Lower    bool   // lower is better
	claims.Verdict
}

// weight is what an area counts for the uses that the review is written for.
func (f Facts) weight(area string) float64 {
	if w, ok := f.Weights[area]; ok {
		return w
	}
	return 1
}

// difference is how the subject stands to something.
func (s Standing) difference(r ranking.Relative) say.Difference {
	return say.Difference{Pair: s.Words, Unit: s.Unit, Value: r.Value, Lo: r.Lo, Hi: r.Hi, Ratio: s.Scale.Logarithmic(),
		Figure: s.Value}
}

// compares tells whether the subject's figure counts among its area's: it can be set against the class, and is not told
// by a rule of its own.
func (s Standing) compares() bool {
	return s.Class != nil && s.Others > 0 && s.Bound == "" && s.Better != quantity.Target && !lasting(s)
}

// side tells on which side of a reference the subject surely is: 1 on the better one, −1 on the worse one, 0 where that
// is not sure or the difference does not matter.
func (s Standing) side(r ranking.Relative) int {
	if r.Unknown || s.Bound != "" || s.Better == quantity.Target || s.Scale == quantity.Grade || s.Scale == quantity.Pass {
		return 0
	}
	lo, hi := r.Lo, r.Hi
	margin := s.Margin
	if s.Scale.Logarithmic() {
		lo, hi = math.Log(lo/100), math.Log(hi/100)
		if margin == 0 {
			margin = ranking.DefaultMargin
		}
		margin = math.Log1p(margin)
	}
	sign := 1
	if s.Better == quantity.Lower {
		sign = -1
	}
	switch {
	case lo > margin:
		return sign
	case hi < -margin:
		return -sign
	}
	return 0
}

// effect is how much a difference matters: about its share of the figure, and never more than 1.
func (s Standing) effect(r ranking.Relative) float64 {
	v := math.Abs(r.Value)
	switch s.Scale {
	case quantity.Ratio:
		v = math.Abs(math.Log(r.Value / 100))
	case quantity.Level:
		v /= 12
	case quantity.Share:
		v /= 50
	default:
		v /= 20
	}
	return math.Min(v, 1)
}
