// Package verdict turns figures into findings: sentences that the data support, each with what it
// rests on and how telling it is. A reviewer edits, adds and signs; this package only proposes and
// never says more than its figures do.
package verdict

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"sort"
	"strings"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/record"
	"durvek/core/stats"
)

// Finding is a statement that the data support.
type Finding struct {
	ID         string    `json:"id"`
	Rule       string    `json:"rule" doc:"Rule that found it, or \"reviewer\""`
	Kind       Kind      `json:"kind" enum:"strength,weakness,note"`
	Text       string    `json:"text"`
	Certainty  Certainty `json:"certainty" enum:"sure,likely,open"`
	Prominence float64   `json:"prominence" doc:"Size of effect × certainty; the most telling come first"`
	RestsOn    []string  `json:"rests_on" doc:"Figures and claims behind it: a measure, with what it is narrowed to and what sets one of several apart"`
	Edited     bool      `json:"edited,omitempty"`
	Hidden     bool      `json:"hidden,omitempty"`
}

// Standing is what one measure says of the subject in its field.
type Standing struct {
	Figure      string // its measure, with what the review narrows it to and what sets one of several rows apart
	Name        string // in words, lower case inside a sentence
	Unit        string // UCUM code
	Scale       quantity.Scale
	Better      quantity.Direction
	Value       float64
	Place       ranking.Place
	Field       int
	FieldName   string
	Others      int               // rows that are not the subject's; 0 for all but one
	Class       *ranking.Relative // to the mean of the others
	Predecessor *Against
	Rival       *Against // the neighbour that stands closest
	Tie         ranking.Tie
	Bound       string
}

// Against is the subject's value relative to one other variant.
type Against struct {
	Name string
	ranking.Relative
}

// Facts are all that rules may read.
type Facts struct {
	Subject   string
	Standings []Standing
	Claims    []ClaimFact
	Missing   []Absent          // measures that the field has and the subject lacks
	Remarks   []record.Remark   // what people said of it; never counted
	Caveats   map[string]string // what the subject's figure is shown with, by figure
}

// Absent is a measure that a subject lacks: its name within a sentence, and its group.
type Absent struct{ Name, Group string }

// ClaimFact is a judged claim in words.
type ClaimFact struct {
	ID      string
	Name    string // of the measure
	Claimed string
	claims.Verdict
}

// Rule finds statements of one sort.
type Rule struct {
	Name     string
	Sentence string
	Find     func(Facts) []Finding
}

// Rules is the table of all finding rules; each rule's file adds itself.
var Rules []Rule

func register(r Rule) { Rules = append(Rules, r) }

// Findings runs every rule and sorts what they find, the most telling first.
func Findings(f Facts) []Finding {
	out := []Finding{}
	for _, r := range Rules {
		for _, x := range r.Find(f) {
			x.Rule = r.Name
			if x.Certainty == Sure && slices.ContainsFunc(x.RestsOn, func(id string) bool { return f.Caveats[id] != "" }) {
				x.Certainty = Likely // what is shown with a caveat is never sure
			}
			x.ID = r.Name + ":" + strings.Join(x.RestsOn, "+")
			out = append(out, x)
		}
	}
	sort.SliceStable(out, func(i, j int) bool {
		if out[i].Prominence != out[j].Prominence {
			return out[i].Prominence > out[j].Prominence
		}
		return out[i].ID < out[j].ID
	})
	return out
}

// Telling is how many findings of each kind a new review starts with; the rest start hidden.
const Telling = 5

// Hide hides all but the most telling findings of each kind. The list is sorted.
func Hide(list []Finding) []Finding {
	count := map[Kind]int{}
	for i, f := range list {
		if f.Unmeasured() { // somebody noted it to be said
			continue
		}
		count[f.Kind]++
		list[i].Hidden = count[f.Kind] > Telling
	}
	return list
}

// Merge brings fresh findings into a reviewer's list: edited, hidden and own ones keep the
// reviewer's words, vanished ones go unless they were edited, new ones come in.
func Merge(kept, fresh []Finding) []Finding {
	old := map[string]Finding{}
	for _, f := range kept {
		old[f.ID] = f
	}
	out := []Finding{}
	for _, f := range fresh {
		if o, ok := old[f.ID]; ok {
			f.Hidden, f.Edited = o.Hidden, o.Edited
			if o.Edited {
				f.Text, f.Kind = o.Text, o.Kind
			}
			delete(old, f.ID)
		}
		out = append(out, f)
	}
	for _, f := range kept {
		if _, left := old[f.ID]; left && (f.Rule == Reviewer || f.Edited) {
			out = append(out, f)
		}
	}
	return out
}

// Review is a document about one variant: its verdict and what it is shown against.
type Review struct {
	Slug           string         `json:"slug"`
	Title          string         `json:"title"`
	Subject        string         `json:"subject" doc:"Variant"`
	Field          string         `json:"field"`
	Charts         []Chart        `json:"charts" doc:"Ranked charts, in order"`
	Findings       []Finding      `json:"findings"`
	Summary        string         `json:"summary" doc:"Markdown"`
	Recommendation Recommendation `json:"recommendation" enum:",recommended,recommended for some,not recommended"`
	Advice         string         `json:"advice" doc:"For whom it is right, for whom not, what to buy instead; Markdown"`
	Revision       int            `json:"revision" doc:"Raised by every change; a save must name the one it started from"`
	Signed         *Signature     `json:"signed,omitempty"`
	Editions       []Edition      `json:"editions"`
	Stale          []Moved        `json:"stale,omitempty" readOnly:"true" doc:"Figures that moved since it was signed, and what was said of them"`
}

// Chart is one ranked chart of a review: a measure, under one setup, narrowed to what the review speaks of.
type Chart struct {
	Measure string   `json:"measure"`
	Setup   string   `json:"setup,omitempty" doc:"As delivered if left out"`
	Where   []string `json:"where,omitempty" doc:"Only figures at a place, in a host or under a condition, such as 'place=left port'"`
}

// ChartsOf are plain charts of measures.
func ChartsOf(measures []string) []Chart {
	out := []Chart{}
	for _, id := range measures {
		out = append(out, Chart{Measure: id})
	}
	return out
}

// Opening are the charts that a review begins with: of the measures that its subject has figures for, those that a
// finding rests on which is not hidden, and from every group that has none of them the first. group gives a measure's
// group.
func Opening(measures []string, group func(string) string, findings []Finding) []Chart {
	told := map[string]bool{}
	for _, f := range findings {
		for _, figure := range f.RestsOn {
			id, _, _ := strings.Cut(figure, " · ")
			told[id] = told[id] || !f.Hidden
		}
	}
	shown := map[string]bool{} // groups
	for _, id := range measures {
		shown[group(id)] = shown[group(id)] || told[id]
	}
	out := []Chart{}
	for _, id := range measures {
		if told[id] || !shown[group(id)] {
			out = append(out, Chart{Measure: id})
			shown[group(id)] = true
		}
	}
	return out
}

// Key names a chart among a review's: its measure, and what it is narrowed to.
func (c Chart) Key() string {
	where := slices.Sorted(slices.Values(c.Where))
	if c.Setup != "" {
		where = append([]string{"setup=" + c.Setup}, where...)
	}
	return strings.Join(append([]string{c.Measure}, where...), " · ")
}

// Moved is a figure that is no longer what a verdict was signed with: the signed centre lies outside its interval of
// now, or one of both is not there.
type Moved struct {
	Figure    string   `json:"figure" doc:"Measure, with what it is narrowed to and what sets one of several apart"`
	Was       *float64 `json:"was,omitempty"`
	Now       *float64 `json:"now,omitempty"`
	Sentences []string `json:"sentences" doc:"Findings that rest on it"`
}

// StaleBy lists the figures that moved since a review was signed, in the order of their names. now gives each figure's
// centre and interval.
func (r Review) StaleBy(now map[string]stats.Estimate) (out []Moved) {
	if r.Signed == nil {
		return nil
	}
	keys := map[string]bool{}
	for k := range r.Signed.Figures {
		keys[k] = true
	}
	for k := range now {
		keys[k] = true
	}
	for _, k := range slices.Sorted(maps.Keys(keys)) {
		was, had := r.Signed.Figures[k]
		e, has := now[k]
		if had && has && was >= e.Lo && was <= e.Hi {
			continue
		}
		m := Moved{Figure: k, Sentences: []string{}}
		if had {
			m.Was = &was
		}
		if has {
			m.Now = &e.Centre
		}
		id, _, _ := strings.Cut(k, " · ")
		for _, f := range r.Findings {
			if !f.Hidden && (slices.Contains(f.RestsOn, k) || slices.Contains(f.RestsOn, id)) {
				m.Sentences = append(m.Sentences, f.Text)
			}
		}
		out = append(out, m)
	}
	return out
}

// Signature is who signed a verdict, when, and with which figures.
type Signature struct {
	By       string             `json:"by"`
	At       string             `json:"at"`
	Revision int                `json:"revision"`
	Figures  map[string]float64 `json:"figures" doc:"The subject's centre per measure when it was signed"`
}

// Edition is one published, immutable state of a review.
type Edition struct {
	Review    string `json:"review"`
	Number    int    `json:"number"`
	Published string `json:"published"`
	Title     string `json:"title"`
	Revision  int    `json:"revision,omitempty" doc:"State of the review that it shows"`
	Digest    string `json:"digest" doc:"SHA-256 over the edition's file list"`
	Note      string `json:"note,omitempty" doc:"What changed since the edition before"`
}

// Recommendations lists what a verdict may recommend.
var Recommendations = []Recommendation{Recommended, RecommendedForSome, NotRecommended}

// Check returns what is wrong in a review.
func (r Review) Check() []catalog.Problem {
	var out []catalog.Problem
	if s := catalog.CheckSlug(r.Slug); s != "" {
		out = append(out, catalog.Problem{Path: []any{"slug"}, Reason: s})
	}
	if strings.TrimSpace(r.Title) == "" {
		out = append(out, catalog.Problem{Path: []any{"title"}, Reason: "a review needs a title"})
	}
	keys := map[string]bool{}
	for i, c := range r.Charts {
		if keys[c.Key()] {
			out = append(out, catalog.Problem{Path: []any{"charts", i}, Reason: "the chart " + c.Key() + " stands there twice"})
		}
		keys[c.Key()] = true
	}
	return out
}

// effect is how far a relative value lies from its reference, as a share on ratio scales.
func effect(r ranking.Relative, s quantity.Scale) float64 {
	if s.Logarithmic() {
		return math.Abs(math.Log(r.Value / 100))
	}
	return math.Abs(r.Value) / 10
}

// among says how many a field holds: "12 light laptops", or "12 in the pool" where its name is no plural.
func (s Standing) among() string {
	if strings.HasPrefix(strings.ToLower(s.FieldName), "the ") {
		return fmt.Sprintf("%d in %s", s.Field, s.FieldName)
	}
	return fmt.Sprintf("%d %s", s.Field, s.FieldName)
}

// others says with how many it is compared, itself left out.
func (s Standing) others() string {
	if s.Field--; s.Others > 0 {
		s.Field = s.Others
	}
	if strings.HasPrefix(strings.ToLower(s.FieldName), "the ") {
		return fmt.Sprintf("%d others in %s", s.Field, s.FieldName)
	}
	return fmt.Sprintf("%d other %s", s.Field, s.FieldName)
}

// sure tells whether the interval lies on one side of the reference by more than the default margin.
func sure(r ranking.Relative, s quantity.Scale) bool {
	if r.Unknown {
		return false
	}
	if s.Logarithmic() {
		return r.Lo > 102 || r.Hi < 98
	}
	return r.Lo > 0 || r.Hi < 0
}

// good tells whether a relative value is on the better side.
func good(r ranking.Relative, s Standing) bool {
	ref := 100.0
	if !s.Scale.Logarithmic() {
		ref = 0
	}
	return r.Value > ref == (s.Better == quantity.Higher)
}

// differs says a relative value in words: "31 % more", "12 % less", "4 dB(A) more".
func differs(r ranking.Relative, s Standing) string {
	word := "more"
	if s.Scale.Logarithmic() {
		d := r.Value - 100
		if d < 0 {
			word = "less"
		}
		lo, hi := r.Lo-100, r.Hi-100
		if d < 0 {
			d, lo, hi = -d, -hi, -lo
		}
		v, spread := quantity.WritingFor("1", [3]float64{d, lo, hi}).Interval(d, lo, hi)
		switch {
		case spread == "":
			return quantity.Number(d, 2) + " % " + word
		case strings.Contains(spread, " to "):
			spread = "(" + spread + ")"
		}
		return v + " " + spread + " % " + word
	}
	if r.Value < 0 {
		word = "less"
	}
	if s.Unit == "%" { // of a share: a difference in per cent would be another thing
		return quantity.Number(math.Abs(r.Value), 2) + " points " + word
	}
	return quantity.Format(math.Abs(r.Value), s.Unit) + " " + word
}
