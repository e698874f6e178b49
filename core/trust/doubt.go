package trust

import (
	"math"
	"slices"
	"time"

	"durvek/core/method"
	"durvek/core/record"
	"durvek/core/stats"
)

// Severity says how much a doubt weighs.
type Severity string

const (
	Note    Severity = "note"    // worth knowing beside the figure
	Caution Severity = "caution" // look at it before the figure is published
	Serious Severity = "serious" // the figure is probably not what it says
)

// DoubtState says what became of a doubt.
type DoubtState string

const (
	Open      DoubtState = "open"
	Upheld    DoubtState = "upheld"    // its runs no longer count
	Dismissed DoubtState = "dismissed" // they count as before
	Shown     DoubtState = "caveat"    // they are shown with what it says, and decide nothing
)

// Words says a state inside a sentence.
func (s DoubtState) Words() string {
	if s == Shown {
		return "shown with a caveat"
	}
	return string(s)
}

// ByPerson stands in place of a rule where a person raised a doubt.
const ByPerson = "person"

// Doubt is a reason to distrust a run or a reading of it, raised by a rule or by a person.
type Doubt struct {
	ID       string     `json:"id"`
	Rule     string     `json:"rule"`
	Title    string     `json:"title" doc:"The rule's name in words"`
	Run      string     `json:"run" doc:"Run that it is about"`
	Runs     []string   `json:"runs" doc:"Runs that no longer count if it is upheld"`
	Measure  string     `json:"measure,omitempty" doc:"Slug of the measure; the whole run if left out"`
	Severity Severity   `json:"severity" enum:"note,caution,serious"`
	Sentence string     `json:"sentence"`
	Evidence []Evidence `json:"evidence"`
	Proposal string     `json:"proposal" doc:"What to do while the machine is still on the desk"`
	Again    string     `json:"again,omitempty" enum:"repeat,cool" doc:"repeat: the test can be put on the bench again as it is; cool: after cooling down"`
	Size     float64    `json:"size,omitempty" doc:"How far beyond the rule's limit: 1 is at the limit"`
	Picture  *Picture   `json:"picture,omitempty"`

	State   DoubtState `json:"state" enum:"open,upheld,dismissed,caveat"`
	Cause   string     `json:"cause,omitempty" doc:"Why it was upheld: a key of the list of causes"`
	Reason  string     `json:"reason,omitempty" doc:"What the reviewer, or the rule, said when it was settled"`
	By      string     `json:"by,omitempty" doc:"Who settled it"`
	Settled *time.Time `json:"settled,omitempty"`
	Raised  time.Time  `json:"raised"`

	Subject  string    `json:"subject" doc:"Unit"`
	Variant  string    `json:"variant"`
	Test     string    `json:"test"`
	TestName string    `json:"test_name"`
	Setup    string    `json:"setup"`
	Plan     string    `json:"plan,omitempty"`
	Started  time.Time `json:"started" doc:"When the run began"`

	Key     string `json:"-"` // what a later finding of the same thing has in common with it
	Grouped bool   `json:"-"` // a later finding adds its run to the others
}

// Evidence is one figure or fact that a doubt rests on.
type Evidence struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Picture is a small picture beside a doubt: points in order, with the band in which they were expected.
type Picture struct {
	Kind   string      `json:"kind" enum:"repeats,rivals,course" doc:"repeats: runs in order; rivals: others on one line; course: a series over the run"`
	Unit   string      `json:"unit" doc:"UCUM code"`
	X      []float64   `json:"x"`
	Y      []float64   `json:"y"`
	Marked []int       `json:"marked,omitempty" doc:"Points that are doubted"`
	Band   *[2]float64 `json:"band,omitempty" doc:"Where values are expected"`
	Levels []Held      `json:"levels,omitempty" doc:"Levels that a course held"`
}

// Held is a level that a series held from one place to another.
type Held struct {
	From float64 `json:"from"`
	To   float64 `json:"to"`
	At   float64 `json:"at"`
}

// Cause is why a doubt was upheld. Physical causes take a run out of the repeatability of its test, too;
// a figure that is merely extreme stays in it, since leaving such figures out would make every test look
// better than it is.
type Cause struct {
	Key      string `json:"key"`
	Name     string `json:"name"`
	Physical bool   `json:"physical"`
}

// Causes lists what may be named.
var Causes = []Cause{
	{"conditions", "taken under other conditions than planned", true},
	{"background", "other work was going on", true},
	{"heat", "it was hotter than it should have been", true},
	{"part", "another part, chip, driver or link was in use", true},
	{"handling", "read, typed or handled wrongly", true},
	{"program", "a fault of the test or of its program", true},
	{"disturbed", "the run was interrupted or disturbed", true},
	{"defect", "the unit is defective", true},
	{"unexplained", "no cause was found; the figure is extreme", false},
}

// CauseOf finds a cause by its key.
func CauseOf(key string) (Cause, bool) {
	i := slices.IndexFunc(Causes, func(c Cause) bool { return c.Key == key })
	if i < 0 {
		return Cause{}, false
	}
	return Causes[i], true
}

// Case is all that rules may read when a run is examined.
type Case struct {
	Run     record.Run
	Test    method.Test // of the run's version
	Newest  int         // newest version of that test
	Setup   method.Setup
	Spec    map[string]any // spec sheet of the subject's variant
	Machine record.Machine
	Trace   record.Trace
	Figures []Figures
	Beside  map[string]float64 // other figures of the unit under this setup: test/measure → centre
}

// Figures are all counting readings of one cell, the examined run's among them.
type Figures struct {
	Measure  method.Measure
	Repeats  []Repeat   // in order of their start
	Pool     stats.Pool // as it stands for the cell's unit, without what the cell says
	Cell     stats.Cell
	Kin      Kin
	Versions map[string]map[string]int // condition that must match → value → variants of the field that have it
	Copied   []Repeat                  // the same test's readings in the unit's other cells
}

// Repeat is one reading among its repeats.
type Repeat struct {
	Run     string
	Sitting string
	Started time.Time
	Value   float64
	Bound   string
	Limiter record.LimiterLabel
}

// Kin is what other variants of the same kind, which share most figures with the subject, let one expect
// of it: the subject's other figures of the same group, and how the kin do in this measure
// beside theirs. All on the scale of logarithms.
type Kin struct {
	N        int     // variants
	Expected float64 // logarithm of the expected value
	SD       float64 // of one variant about what is expected of it
	DF       float64
	SE       float64   // standard error of Expected
	Largest  float64   // largest residual of the kin in the group
	Values   []float64 // the kin's own figures, for the picture
}

// Found is what a rule finds.
type Found struct {
	Measure  string
	Measures []string // of one about several, with an empty Measure
	Run      string   // in place of the examined run
	Runs     []string // in place of Run alone
	Cell     bool     // it is about the whole cell: later runs of the cell do not raise it once more
	Group    string   // runs of the unit of which the same is found share one doubt
	Sentence string
	Evidence []Evidence
	Picture  *Picture
	Size     float64
	Severity Severity // in place of the rule's
	Chance   float64  // of something so far from clean: then it counts within the run's budget
}

// finding is what a rule found.
type finding struct {
	rule Rule
	Found
}

// hidden tells whether other findings hide one: of its measure, or of each of its measures.
func (f finding) hidden(all []finding) bool {
	measures := f.Measures
	if len(measures) == 0 {
		measures = []string{f.Measure}
	}
	return !slices.ContainsFunc(measures, func(m string) bool {
		return !slices.ContainsFunc(all, func(o finding) bool {
			return o.Measure == m && slices.Contains(o.rule.Hides, f.rule.Name)
		})
	})
}

// Rule finds doubts of one sort. Limit is how far something must go before it is doubted; 0 for rules that
// know no more or less.
type Rule struct {
	Name        string   `json:"name"`
	Title       string   `json:"title" doc:"What is doubted, in a few words"`
	Sentence    string   `json:"sentence" doc:"What the rule looks at"`
	Severity    Severity `json:"severity"`
	Proposal    string   `json:"proposal"`
	Again       string   `json:"again,omitempty" enum:"repeat,cool"`
	Statistical bool     `json:"statistical" doc:"Rests on statistics: a few of a thousand clean runs are doubted"`
	Limit       float64  `json:"limit,omitempty"`
	LimitUnit   string   `json:"limit_unit,omitempty" doc:"What the limit counts"`
	Least       float64  `json:"least,omitempty" doc:"A test's own limit may not lie below"`
	Source      string   `json:"source,omitempty"`
	Failed      bool     `json:"failed,omitempty" doc:"Looks at failed runs, and at no others"`
	Whole       bool     `json:"whole,omitempty" doc:"Looks at a cell as a whole: what it says falls when later repeats lift it"`
	Hides       []string `json:"hides,omitempty" doc:"Rules that say nothing beside it of the same figure"`

	Find func(Case, float64) []Found `json:"-"`
}

// Rules is the table of all doubt rules, in the order of their names; each rule's file adds itself.
var Rules []Rule

func register(r Rule) {
	i, _ := slices.BinarySearchFunc(Rules, r.Name, func(x Rule, name string) int {
		if x.Name < name {
			return -1
		}
		if x.Name > name {
			return 1
		}
		return 0
	})
	Rules = slices.Insert(Rules, i, r)
}

// RuleOf finds a rule by its name.
func RuleOf(name string) (Rule, bool) {
	i := slices.IndexFunc(Rules, func(r Rule) bool { return r.Name == name })
	if i < 0 {
		return Rule{}, false
	}
	return Rules[i], true
}

// Tuning changes a rule for one test, or for all.
type Tuning struct {
	Rule   string    `json:"rule"`
	Test   string    `json:"test" doc:"All tests if empty"`
	Off    bool      `json:"off,omitempty"`
	Limit  float64   `json:"limit,omitempty" doc:"In place of the rule's; 0 leaves it"`
	Reason string    `json:"reason"`
	By     string    `json:"by"`
	At     time.Time `json:"at"`
}

// Tuned gives a rule's limit for a test, and whether it is on. A test's own tuning goes before one for all.
func (r Rule) Tuned(test string, ts []Tuning) (limit float64, on bool) {
	limit, on = r.Limit, true
	for _, general := range []bool{true, false} {
		for _, t := range ts {
			if t.Rule == r.Name && (t.Test == "") == general && (general || t.Test == test) {
				on = !t.Off
				if t.Limit > 0 {
					limit = t.Limit
				}
			}
		}
	}
	return limit, on
}

// Examine asks every rule about a run. What it returns has neither ID nor state; Key tells findings of the
// same thing from others. cell names the cell that a measure's figure stands in.
func Examine(c Case, ts []Tuning, cell func(measure string) string) []Doubt {
	var all []finding
	for _, r := range Rules {
		limit, on := r.Tuned(c.Test.Slug, ts)
		if !on || r.Failed != (c.Run.Outcome == record.Failed) || c.Run.Outcome != record.Done &&
			c.Run.Outcome != record.Failed {
			continue
		}
		for _, f := range r.Find(c, limit) {
			all = append(all, finding{r, f})
		}
	}
	all = c.budget(all)
	var out []Doubt
	for _, f := range all {
		if f.hidden(all) {
			continue
		}
		d := Doubt{Rule: f.rule.Name, Title: f.rule.Title, Run: f.Run, Runs: f.Runs, Measure: f.Measure, Severity: f.Severity,
			Sentence: f.Sentence, Evidence: f.Evidence,
			Proposal: f.rule.Proposal, Again: f.rule.Again, Size: f.Size, Picture: f.Picture, State: Open,
			Subject: c.Run.Subject, Test: c.Run.Test, TestName: c.Test.Name, Setup: c.Run.Setup}
		if d.Run == "" {
			d.Run = c.Run.ID
		}
		if d.Runs == nil {
			d.Runs = []string{d.Run}
		}
		if d.Severity == "" {
			d.Severity = f.rule.Severity
		}
		d.Size, d.Picture = finite(d.Size), d.Picture.tidy()
		if d.Evidence == nil {
			d.Evidence = []Evidence{}
		}
		d.Key = d.Rule + "|" + d.Run + "|" + d.Measure
		if f.Cell {
			d.Key = d.Rule + "|" + cell(d.Measure)
		}
		if f.Group != "" {
			d.Key = d.Rule + "|" + c.Run.Subject + "|" + f.Group
		}
		d.Grouped = f.Group != "" || f.Cell && !f.rule.Whole
		out = append(out, d)
	}
	return out
}

// finite bounds what has no bound: few degrees of freedom and logarithms make some limits endless.
func finite(v float64) float64 {
	if math.IsNaN(v) {
		return 0
	}
	return math.Max(-1e9, math.Min(v, 1e9))
}

// tidy leaves out of a picture what cannot be drawn.
func (p *Picture) tidy() *Picture {
	if p == nil {
		return nil
	}
	wild := func(v float64) bool { return math.IsNaN(v) || math.IsInf(v, 0) }
	if slices.ContainsFunc(p.Y, wild) || slices.ContainsFunc(p.X, wild) || len(p.Y) == 0 {
		return nil
	}
	if p.Band != nil && (wild(p.Band[0]) || wild(p.Band[1])) {
		p.Band = nil
	}
	return p
}

// widen is by how much a limit in standard deviations grows where the standard deviation rests on few
// degrees of freedom: Student's t against the normal law, both at one in two thousand.
func widen(df float64) float64 {
	const z = 3.2905
	switch {
	case df <= 0:
		return math.Inf(1)
	case df >= 30: // Fisher's expansion (Abramowitz and Stegun 26.7.5), good to a part in a thousand from here on
		return 1 + (z*z+1)/(4*df) + (5*z*z*z*z+16*z*z+3)/(96*df*df)
	}
	return stats.TQuantile(0.9995, df) / z
}
