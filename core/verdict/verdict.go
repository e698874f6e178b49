// Package verdict turns figures into findings: sentences that the data support, each with what it
// rests on and how telling it is. A reviewer edits, adds and signs; this package only proposes and
// never says more than its figures do.
package verdict

import (
	"maps"
	"slices"
	"sort"
	"strings"

	"durvek/core/stats"
)

// Finding is a statement that the data support.
type Finding struct {
	ID         string    `json:"id"`
	Rule       string    `json:"rule" doc:"Rule that found it, or \"reviewer\""`
	Kind       Kind      `json:"kind" enum:"strength,weakness,note"`
	Text       string    `json:"text"`
	Certainty  Certainty `json:"certainty" enum:"sure,likely,open"`
	Prominence float64   `json:"prominence" doc:"Size of effect × certainty × weight of its area; the most telling come first"`
	Area       string    `json:"area,omitempty" doc:"What it is about, as readers think of it: battery, display …"`
	Folded     []string  `json:"folded,omitempty" doc:"What it sums up, figure by figure"`
	RestsOn    []string  `json:"rests_on" doc:"Figures and claims behind it: a measure, with what it is narrowed to and what sets one of several apart"`
	Edited     bool      `json:"edited,omitempty"`
	Hidden     bool      `json:"hidden,omitempty"`
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
			if x.ID == "" {
				x.ID = strings.Join(x.RestsOn, "+")
			}
			x.ID = r.Name + ":" + x.ID
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

// Hide hides all but the most telling findings of each kind: one of every area before a second of any. The list is
// sorted.
func Hide(list []Finding) []Finding {
	count, had := map[Kind]int{}, map[string]int{}
	for i := range list {
		list[i].Hidden = !list[i].Unmeasured() // what was said is said because somebody noted it
	}
	for round := range 2 {
		for i, f := range list {
			at := string(f.Kind) + f.Area
			if f.Area == "" {
				at += f.Rule
			}
			if !f.Hidden || f.Prominence <= 0 || count[f.Kind] == Telling || had[at] > round {
				continue
			}
			list[i].Hidden = false
			had[at]++
			count[f.Kind]++
		}
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
