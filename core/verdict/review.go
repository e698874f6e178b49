package verdict

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"durvek/core/catalog"
)

// Review is a document about one variant: its verdict and what it is shown against.
type Review struct {
	Slug           string         `json:"slug"`
	Title          string         `json:"title"`
	Subject        string         `json:"subject" doc:"Variant"`
	Field          string         `json:"field"`
	Uses           []string       `json:"uses,omitempty" doc:"Kinds of use that it is written for: what they ask for weighs more"`
	Charts         []Chart        `json:"charts" doc:"Ranked charts, in order"`
	Findings       []Finding      `json:"findings"`
	Summary        string         `json:"summary" doc:"Markdown; {{test/measure}} stands for the subject's figure"`
	Recommendation Recommendation `json:"recommendation" enum:",recommended,recommended for some,not recommended"`
	Advice         string         `json:"advice" doc:"For whom it is right, for whom not, what to buy instead; Markdown"`
	Fits           []Fitting      `json:"fits,omitempty" doc:"For whom it is, one line per kind of use or buyer"`
	Alternatives   []Alternative  `json:"alternatives,omitempty" doc:"What to buy instead, and why"`
	Upgrades       []Upgrade      `json:"upgrades,omitempty" doc:"Whether it is worth it, from a model that one has"`
	Take           string         `json:"take,omitempty" doc:"Which configuration to buy, and why"`
	Turns          string         `json:"turns,omitempty" doc:"The price at which the judgement would change"`
	NotTested      []string       `json:"not_tested,omitempty" doc:"What was not tested, and why"`
	Sections       []Section      `json:"sections,omitempty" doc:"What the reviewer wrote on areas; their order is that of the page"`
	State          State          `json:"state,omitempty" enum:",preliminary,complete,withdrawn" doc:"Complete if left out"`
	StateNote      string         `json:"state_note,omitempty" doc:"Of a preliminary review what is still to come; of a withdrawn one why"`
	Revision       int            `json:"revision" doc:"Raised by every change; a save must name the one it started from"`
	Signed         *Signature     `json:"signed,omitempty"`
	Editions       []Edition      `json:"editions"`
	Stale          []Moved        `json:"stale,omitempty" readOnly:"true" doc:"Figures that moved since it was signed, and what was said of them"`
}

// State says how far a review is.
type State string

const (
	Complete    State = "complete"
	Preliminary State = "preliminary" // more is to come
	Withdrawn   State = "withdrawn"   // it stands no longer
)

// Fitting says whether the subject is for one kind of use or buyer.
type Fitting struct {
	For      string  `json:"for" doc:"Kind of use by its name, or a kind of buyer: the chart room, students"`
	Use      string  `json:"use,omitempty" doc:"Kind of use, where it is one that the desk keeps"`
	Is       FitWord `json:"is" enum:"for,for some,not for"`
	Sentence string  `json:"sentence,omitempty" doc:"The reviewer's, or the needs that fail"`
}

// FitWord is what a verdict says of a kind of use.
type FitWord string

const (
	For     FitWord = "for"
	ForSome FitWord = "for some"
	NotFor  FitWord = "not for"
)

// Alternative is what to buy instead: a variant of the catalogue, or a name.
type Alternative struct {
	Variant string `json:"variant,omitempty"`
	Name    string `json:"name"`
	Reason  string `json:"reason"`
}

// Upgrade is advice to who has a certain model.
type Upgrade struct {
	Model    string      `json:"model" doc:"Model that one has"`
	Name     string      `json:"name"`
	Advice   UpgradeWord `json:"advice" enum:"worth it,wait,skip"`
	Sentence string      `json:"sentence,omitempty"`
}

// UpgradeWord is what an upgrade comes to.
type UpgradeWord string

const (
	WorthIt UpgradeWord = "worth it"
	Wait    UpgradeWord = "wait"
	Skip    UpgradeWord = "skip"
)

// Section is what the reviewer wrote on an area.
type Section struct {
	Area string `json:"area"`
	Text string `json:"text,omitempty" doc:"Markdown; {{test/measure}} stands for the subject's figure"`
}

// Order lists areas as the review's sections stand: those that the reviewer placed, then the rest as readers expect
// them.
func (r Review) Order(areas []string) []string {
	var out []string
	for _, s := range r.Sections {
		if slices.Contains(areas, s.Area) || s.Text != "" {
			out = append(out, s.Area)
		}
	}
	rest := slices.DeleteFunc(slices.Clone(areas), func(a string) bool { return slices.Contains(out, a) })
	slices.SortFunc(rest, InOrder)
	return append(out, rest...)
}

// Section finds what the reviewer wrote on an area.
func (r Review) Section(area string) string {
	for _, s := range r.Sections {
		if s.Area == area {
			return s.Text
		}
	}
	return ""
}

var reference = regexp.MustCompile(`\{\{\s*([^{}]*?)\s*\}\}`)

// Texts are all that the reviewer wrote in Markdown.
func (r Review) Texts() []string {
	out := []string{r.Summary, r.Advice}
	for _, s := range r.Sections {
		out = append(out, s.Text)
	}
	return out
}

// References lists the measures that the reviewer's texts name in double braces, each once.
func (r Review) References() (out []string) {
	for _, text := range r.Texts() {
		for _, m := range reference.FindAllStringSubmatch(text, -1) {
			if !slices.Contains(out, m[1]) {
				out = append(out, m[1])
			}
		}
	}
	return out
}

// Filled puts figures in place of references; one that there is no figure for stays.
func Filled(text string, figures map[string]string) string {
	return reference.ReplaceAllStringFunc(text, func(m string) string {
		if v := figures[reference.FindStringSubmatch(m)[1]]; v != "" {
			return v
		}
		return m
	})
}

// checkParts says what is wrong in the parts of a verdict; a Problem without a reason if nothing is.
func (r Review) checkParts() catalog.Problem {
	wrong := func(reason string, path ...any) catalog.Problem { return catalog.Problem{Path: path, Reason: reason} }
	for i, f := range r.Fits {
		switch {
		case strings.TrimSpace(f.For) == "":
			return wrong("say for whom", "fits", i, "for")
		case !slices.Contains([]FitWord{For, ForSome, NotFor}, f.Is):
			return wrong("it is for, for some, or not for", "fits", i, "is")
		}
	}
	for i, a := range r.Alternatives {
		if strings.TrimSpace(a.Name+a.Variant) == "" || strings.TrimSpace(a.Reason) == "" {
			return wrong("an alternative has a name and a reason", "alternatives", i)
		}
	}
	for i, u := range r.Upgrades {
		switch {
		case strings.TrimSpace(u.Name+u.Model) == "":
			return wrong("say from which model", "upgrades", i, "name")
		case !slices.Contains([]UpgradeWord{WorthIt, Wait, Skip}, u.Advice):
			return wrong("an upgrade is worth it, or one waits, or skips it: worth it, wait, skip", "upgrades", i, "advice")
		}
	}
	had := map[string]bool{}
	for i, s := range r.Sections {
		if had[s.Area] || s.Area == "" {
			return wrong("every area has one section", "sections", i, "area")
		}
		had[s.Area] = true
	}
	if !slices.Contains([]State{"", Complete, Preliminary, Withdrawn}, r.State) {
		return wrong("a review is preliminary, complete or withdrawn", "state")
	}
	if (r.State == Preliminary || r.State == Withdrawn) && strings.TrimSpace(r.StateNote) == "" {
		return wrong(map[State]string{Preliminary: "say what is still to come",
			Withdrawn: "say why it is withdrawn"}[r.State],
			"state_note")
	}
	return catalog.Problem{}
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

// chartsOfArea is how many charts an area begins with; the rest of it is a profile and a table.
const chartsOfArea = 2

// Opening are the charts that a review begins with: of the measures that its subject has figures for, in every area
// the first that readers ask for, then those that its shown findings speak of first, or else the first. area gives a
// measure's area.
func Opening(measures []string, area func(string) string, asked []string, findings []Finding) []Chart {
	chosen, count := map[string]bool{}, map[string]int{}
	add := func(id string) {
		if slices.Contains(measures, id) && !chosen[id] && count[area(id)] < chartsOfArea {
			chosen[id] = true
			count[area(id)]++
		}
	}
	for _, id := range asked {
		if count[area(id)] == 0 {
			add(id)
		}
	}
	for _, f := range findings {
		for _, figure := range f.RestsOn[:min(1, len(f.RestsOn))] {
			id, _, _ := strings.Cut(strings.TrimPrefix(figure, "claim "), " ")
			if !f.Hidden {
				add(id)
			}
		}
	}
	for _, id := range measures {
		if count[area(id)] == 0 {
			add(id)
		}
	}
	out := []Chart{}
	for _, id := range measures {
		if chosen[id] {
			out = append(out, Chart{Measure: id})
		}
	}
	return askedFirst(out, func(c Chart) string { return area(c.Measure) }, asked)
}

// askedFirst sets the charts of an area together, where its first one stands, and those that readers ask for before
// its others, in the order in which they do.
func askedFirst(charts []Chart, area func(Chart) string, asked []string) []Chart {
	first := map[string]int{}
	for i, c := range charts {
		if _, had := first[area(c)]; !had {
			first[area(c)] = i
		}
	}
	rank := func(c Chart) int {
		if i := slices.Index(asked, c.Measure); i >= 0 {
			return i
		}
		return len(asked)
	}
	out := slices.Clone(charts)
	slices.SortStableFunc(out, func(a, b Chart) int {
		return cmp.Or(cmp.Compare(first[area(a)], first[area(b)]), cmp.Compare(rank(a), rank(b)))
	})
	return out
}

// Check returns what is wrong in a review.
func (r Review) Check() []catalog.Problem {
	var out []catalog.Problem
	if s := catalog.CheckSlug(r.Slug); s != "" {
		out = append(out, catalog.Problem{Path: []any{"slug"}, Reason: s})
	}
	if strings.TrimSpace(r.Title) == "" {
		out = append(out, catalog.Problem{Path: []any{"title"}, Reason: "a review needs a title"})
	}
	if why := r.checkParts(); why.Reason != "" {
		out = append(out, why)
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
