// Package schedule chooses what to put on the bench in the minutes at hand: tests of machines, each so many times, that
// should part most pairs of a field and decide most claims for the time that they take, with the time for unpacking a
// machine shared by all that is run on it.
//
// What is not known is believed as two effects have it, measure and variant, on the measure's working scale; a pair
// counts as decided when its difference exceeds the critical multiple of its standard error, or when both are alike
// within the measure's margin. The method and what it was held against are in docs/compare.md.
package schedule

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/say"
)

// Cell is what is known of a variant in a measure.
type Cell struct {
	Variant int32   // its place among the desk's machines
	At      float32 // mean on the working scale
	SD      float32 // of one reading
	N       uint16  // readings; 0 for none
	Unknown bool    // there are readings, and nobody knows how much they scatter
	Never   bool    // it cannot be had, or not be made surer: a machine that cannot run it, a bound
}

// Measure is one measure with its cells, in order of their variants. A variant without one lacks the figure, and could
// have it.
type Measure struct {
	ID, Test, What string
	Area           string
	Log            bool    // the working scale is the logarithm
	Lower          bool    // less is better
	SD             float64 // of one reading of a usual machine; 0 where nobody knows
	Margin         float64 // difference that does not matter, on the working scale
	Cells          []Cell
}

// cell is what is known of a variant; the zero value where that is nothing.
func (m *Measure) cell(v int) Cell {
	i, ok := slices.BinarySearchFunc(m.Cells, int32(v), func(c Cell, v int32) int { return cmp.Compare(c.Variant, v) })
	if !ok {
		return Cell{}
	}
	return m.Cells[i]
}

// Test is what a run takes.
type Test struct {
	Slug, Name string
	Setup      string // that it is run under
	SetupName  string
	Raised     bool    // the setup is not the one as delivered
	Hand       bool    // a person makes it, and enters what came out
	Seconds    float64 // of one run, the pause before it among them
	RunDown    bool    // it runs by itself
}

// Machine is a variant of the desk; Unit is empty where none of it can be put on the bench.
type Machine struct {
	Variant, Unit, Name string
	Left                bool            // it is left out this time, though a unit is there
	Never               map[string]bool // tests that are not for it
}

// Claim is one that more readings could decide: at Limit, on the measure's working scale, the claim with its tolerance.
type Claim struct {
	Machine int // index of the variant
	Measure string
	What    string
	Limit   float64
}

// Waiting is a test that is on the bench already.
type Waiting struct {
	Machine int
	Test    string
	Repeats int
}

// Question is what a schedule is asked for: a field, perhaps one variant, and what counts.
type Question struct {
	Field   string // everything if empty
	Variant string // only this one is put on the bench
	Use     string // only measures that count for this use, areas weighed as it weighs them
}

// Desk is all that a schedule is chosen from.
type Desk struct {
	Measures []Measure
	Tests    map[string]Test
	Machines []Machine
	Claims   []Claim
	Waiting  []Waiting
}

// Terms are what one has and wants.
type Terms struct {
	Minutes float64            // at hand
	Opening float64            // minutes that a machine takes before its first run
	Least   int                // repeats that a test gets at least where its figure is missing
	Claims  float64            // pairs that deciding one claim is worth
	Weights map[string]float64 // of areas; nil for all alike
}

// Schedule is what to put on the bench, machine by machine, the one that pays most first.
type Schedule struct {
	Minutes  float64  `json:"minutes" doc:"At hand"`
	Used     float64  `json:"used" doc:"Minutes that it takes"`
	Pairs    int      `json:"pairs" doc:"Pairs of variants that it should part or find alike, over all measures; about"`
	Claims   float64  `json:"claims" doc:"Claims that it should decide; about"`
	Bundles  []Bundle `json:"bundles" doc:"What is run on one machine at once"`
	Sentence string   `json:"sentence"`
	Thrice   string   `json:"thrice,omitempty" doc:"What three repeats of everything would cost, in words"`
	gain     float64
}

// Bundle is what is run on one machine.
type Bundle struct {
	Variant   string  `json:"variant"`
	Unit      string  `json:"unit"`
	Name      string  `json:"name"`
	Setup     string  `json:"setup"`
	SetupName string  `json:"setup_name"`
	Minutes   float64 `json:"minutes" doc:"With the opening"`
	Opening   float64 `json:"opening" doc:"Minutes before the first run: unpacking, starting, another mode"`
	Pairs     float64 `json:"pairs"`
	Claims    float64 `json:"claims"`
	Items     []Item  `json:"items"`
	Why       string  `json:"why"`
}

// Item is one test, so many times.
type Item struct {
	Test     string   `json:"test"`
	Name     string   `json:"name"`
	Repeats  int      `json:"repeats"`
	Minutes  float64  `json:"minutes" doc:"Attended"`
	Pairs    float64  `json:"pairs"`
	Claims   float64  `json:"claims"`
	Missing  bool     `json:"missing" doc:"It has no figure yet in at least one measure of the test"`
	Hand     bool     `json:"hand,omitempty" doc:"A person makes it and enters what came out: no plan has it"`
	RunDown  bool     `json:"run_down,omitempty" doc:"It runs by itself, and goes on when the minutes are over"`
	Measures []string `json:"measures" doc:"That it helps, in words"`
	gain     float64
	claims   []string // that it could decide, in words
}

const (
	raisedMinutes  = 5.0 // that another mode takes to set
	runDownMinutes = 3.0 // that one attends a run-down
	mostRunDowns   = 3
	honest         = 0.9 // of what is expected: the belief knows too little of what it does not know
)

// times are how often a test may be run.
var times = [...]int{1, 2, 3, 5}

// says writes the sentences of a schedule; here is how many machines there are to put on the bench.
func (s *Schedule) says(t Terms, here int) {
	machines := map[string]bool{}
	for i := range s.Bundles {
		s.Bundles[i].says()
		machines[s.Bundles[i].Variant] = true
	}
	if len(s.Bundles) == 0 {
		switch s.Sentence = fmt.Sprintf("Nothing that fits into %s would part a pair or decide a claim.",
			minutes(t.Minutes)); here {
		case 0:
			s.Sentence = "No unit of these is on the desk, so nothing can be put on the bench; add one, or choose another field."
		case 1:
			s.Sentence += " Where there is one machine alone, a plan of the library measures it whole."
		}
		return
	}
	s.Sentence = fmt.Sprintf("%s of %s on %s should part, or find alike, about %s", minutes(s.Used), minutes(s.Minutes),
		counted(len(machines), "machine"), counted(s.Pairs, "pair"))
	if s.Claims >= 0.05 {
		s.Sentence += fmt.Sprintf(" and decide %s", claimsSaid(s.Claims))
	}
	s.Sentence += "."
}

// Plan is what of it an agent can run, as a plan's name and steps; the rest comes back by name.
func (b Bundle) Plan() (name string, steps []method.PlanStep, hand []string) {
	for _, i := range b.Items {
		if i.Hand {
			hand = append(hand, i.Name)
		} else {
			steps = append(steps, method.PlanStep{Test: i.Test, Repeats: i.Repeats})
		}
	}
	return "Scheduled: " + counted(len(steps), "test"), steps, hand
}

// Against says what the same minutes would settle with three repeats of everything that is missing.
func (s *Schedule) Against(thrice Schedule) {
	if len(s.Bundles) == 0 || s.gain <= 0 {
		return
	}
	less := math.Round(100 * (1 - thrice.gain/s.gain))
	if less < 1 {
		s.Thrice = "Three repeats of everything would settle as much; one reading cannot show an outlier."
		return
	}
	s.Thrice = fmt.Sprintf("With three repeats of everything it would settle %.0f %% less, and show outliers, which one "+
		"reading cannot.", less)
}

func (b *Bundle) says() {
	var parts []string
	var missing, again []Item
	for _, i := range b.Items {
		if i.Missing {
			missing = append(missing, i)
		} else {
			again = append(again, i)
		}
	}
	said := func(items []Item, what string) {
		if len(items) == 0 {
			return
		}
		pairs, claim, best := 0.0, "", 0.0
		for _, i := range items {
			pairs += i.Pairs
			if len(i.claims) > 0 && i.Claims > best {
				claim, best = i.claims[0], i.Claims/float64(len(i.claims))
			}
		}
		text := what
		verb := "should"
		if n := int(math.Round(pairs)); n > 0 {
			text += fmt.Sprintf(" %s settle about %s with rivals", verb, counted(n, "comparison"))
			verb = "and"
		}
		if claim != "" {
			if verb == "and" {
				text += ", and"
			}
			text += fmt.Sprintf(" %s a %.0f %% chance of deciding its claim of %s", have(len(items)), 100*min(best, 1),
				claim)
		} else if verb == "should" {
			text += " make it a little surer"
		}
		parts = append(parts, text)
	}
	said(missing, counted(len(missing), "missing test"))
	said(again, "repeats of "+counted(len(again), "test"))
	b.Why = fmt.Sprintf("%s, %s", b.Name, minutes(b.Minutes))
	if b.Opening > 0 {
		b.Why += fmt.Sprintf(" with %s of set-up", minutes(b.Opening))
	}
	b.Why += ": " + strings.Join(parts, "; ") + "."
}

func have(n int) string {
	if n == 1 {
		return "has"
	}
	return "have"
}

// minutes writes a time in hours and minutes: "45 min", "1 h 30 min", "3 h".
func minutes(m float64) string {
	if m = math.Round(m); m < 2 {
		return quantity.Fixed(m, 0) + " min"
	}
	return quantity.Format(60*m, "s")
}

// counted writes a number with its noun, small ones in words.
func counted(n int, noun string) string {
	if n != 1 {
		noun += "s"
	}
	if n == 0 {
		return "no " + noun
	}
	if n >= 100 { // no more digits than are known
		step := int(math.Pow(10, math.Floor(math.Log10(float64(n)))-1))
		n = (n + step/2) / step * step
		return quantity.Fixed(float64(n), 0) + " " + noun
	}
	return say.Count(n) + " " + noun
}

// claimsSaid writes how many claims are expected to be decided, which is seldom a whole number.
func claimsSaid(x float64) string {
	switch whole := math.Floor(x); {
	case x < 0.95:
		return "perhaps a claim"
	case x > 1 && x < 9.95 && math.Abs(x-math.Round(x)) >= 0.05:
		return say.Count(int(whole)) + " or " + counted(int(whole)+1, "claim")
	}
	return "about " + counted(int(math.Round(x)), "claim")
}
