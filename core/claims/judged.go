package claims

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
)

// Judged is a claim with what became of it, ready to be shown.
type Judged struct {
	catalog.Claim
	Name    string         `json:"name" doc:"The measure in words"`
	Text    string         `json:"text" doc:"The claim in words: qualifier, value, unit"`
	Symbol  string         `json:"symbol" doc:"Symbol of the measure's unit"`
	Scale   quantity.Scale `json:"scale"`
	Maker   string         `json:"maker"`
	Model   string         `json:"model" doc:"Maker and model"`
	Year    string         `json:"year,omitempty" doc:"Year of the claim, or else of the model's release"`
	Verdict Verdict        `json:"verdict"`
	// Measured is what the claim was held against, in words.
	Measured string   `json:"measured" doc:"The figure that judges it with its interval, or —"`
	Minutes  float64  `json:"minutes,omitempty" doc:"Bench time of the repeats that would probably decide it"`
	Runs     []string `json:"runs,omitempty" doc:"Runs that prove it: of an \"up to\" the best, else those of the figure that judges it"`
	Doubts   []string `json:"doubts,omitempty" doc:"Open doubts about the figure that judges it, in words"`
}

// Says writes the figure that judges a claim about a measure, with its interval.
func (v Verdict) Says(m method.Measure) string {
	if v.Estimate == nil || v.Estimate.N == 0 {
		return "—"
	}
	w := m.Writing(*v.Estimate)
	value, spread := m.Written(w, *v.Estimate)
	if strings.Contains(spread, " to ") {
		return w.With(value) + ", " + w.With(spread)
	}
	return w.With(strings.TrimSpace(value + " " + spread))
}

// Tally is how a maker, a model or a year kept what was promised. Each claim is taken alone: no correction for many.
type Tally struct {
	Of       string          `json:"of" doc:"Maker, model, variant or year"`
	Year     string          `json:"year,omitempty"`
	Claims   int             `json:"claims"`
	Kept     int             `json:"kept" doc:"Held or beyond"`
	Broken   int             `json:"broken" doc:"Short or impossible"`
	Outcomes map[Outcome]int `json:"outcomes"`
	Share    *[3]float64     `json:"share,omitempty" doc:"Share of the decided claims that were kept, and its 95 % interval (Clopper and Pearson)"`
	Together []string        `json:"together,omitempty" doc:"Decided claims that rest on the same runs, in words: they do not count as so many"`
	Sentence string          `json:"sentence"`
}

// says writes the tally's sentence: of whom the claims are.
func (t *Tally) says(of string) {
	decided := t.Kept + t.Broken
	claims := func(n int) string {
		if n == 1 {
			return "1 claim"
		}
		return fmt.Sprintf("%d claims", n)
	}
	if decided == 0 {
		t.Sentence = fmt.Sprintf("None of %s %s is decided.", claims(t.Claims), of)
		return
	}
	lo, hi := stats.ClopperPearson(t.Kept, decided, 0.95)
	t.Share = &[3]float64{float64(t.Kept) / float64(decided), lo, hi}
	are := "are"
	if decided == 1 {
		are = "is"
	}
	t.Sentence = fmt.Sprintf("Of %s %s that %s decided %d held and %d did not", claims(decided), of, are, t.Kept, t.Broken)
	if decided > 1 {
		t.Sentence += fmt.Sprintf(" (kept: %.0f to %.0f %%)", 100*lo, 100*hi)
	}
	if open := t.Claims - decided; open == 1 {
		t.Sentence += "; 1 more is not decided or not tested"
	} else if open > 1 {
		t.Sentence += fmt.Sprintf("; %d more are not decided or not tested", open)
	}
	t.Sentence += "."
	if len(t.Together) > 0 {
		t.Sentence += " On the same runs rest " + strings.Join(t.Together, "; ") + "."
	}
}

// Bys lists what claims can be tallied by.
var Bys = []string{"maker", "model", "variant", "year", "maker-year"}

// Tallies counts what became of claims, by maker, model, variant, year, or maker and year: most claims first, years in
// order.
func Tallies(js []Judged, by string) []Tally {
	at := map[[2]string]*Tally{}
	runs := map[*Tally]map[string]int{} // decided claims by what they rest on
	for _, j := range js {
		key := [2]string{j.Maker, ""}
		switch by {
		case "model":
			key[0] = j.Model
		case "variant":
			key[0] = j.Variant
		case "year":
			key[0] = cmp.Or(j.Year, "undated")
		case "maker-year":
			key[1] = cmp.Or(j.Year, "undated")
		}
		t := at[key]
		if t == nil {
			t = &Tally{Of: key[0], Year: key[1], Outcomes: map[Outcome]int{}}
			at[key] = t
		}
		t.Claims++
		t.Outcomes[j.Verdict.Outcome]++
		switch j.Verdict.Outcome {
		case Held, Beyond:
			t.Kept++
		case Short, Impossible:
			t.Broken++
		default:
			continue
		}
		if j.Verdict.Estimate == nil {
			continue // a limit decided, not a run
		}
		if runs[t] == nil {
			runs[t] = map[string]int{}
		}
		test, _ := method.Split(j.Measure)
		runs[t][fmt.Sprintf("about the %s in %s", j.Model, test)]++
	}
	out := []Tally{}
	for _, t := range at {
		of := "by " + t.Of
		switch {
		case by == "year":
			of = "of " + t.Of
		case by == "model" || by == "variant":
			of = "about " + t.Of
		case t.Year != "":
			of += " of " + t.Year
		}
		for _, on := range slices.Sorted(maps.Keys(runs[t])) {
			if n := runs[t][on]; n > 1 {
				t.Together = append(t.Together, fmt.Sprintf("%d %s", n, on))
			}
		}
		t.says(of)
		out = append(out, *t)
	}
	slices.SortFunc(out, func(a, b Tally) int {
		if by == "year" {
			return cmp.Compare(a.Of, b.Of)
		}
		if by == "maker-year" {
			return cmp.Or(cmp.Compare(a.Of, b.Of), cmp.Compare(a.Year, b.Year))
		}
		return cmp.Or(b.Claims-a.Claims, cmp.Compare(a.Of, b.Of))
	})
	return out
}
