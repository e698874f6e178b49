package front

import (
	"cmp"
	"context"
	"net/url"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/lithammer/fuzzysearch/fuzzy"

	"durvek/desk"
)

// Found is something that was looked for.
type Found struct {
	Kind  string  `json:"kind" enum:"model,unit,test,measure,plan,run,review,setup,field"`
	Name  string  `json:"name"`
	Note  string  `json:"note,omitempty" doc:"What sets it apart"`
	ID    string  `json:"id" doc:"Its slug or id; of a measure, test/measure"`
	Path  string  `json:"path" doc:"Where it stands in the console"`
	Score float64 `json:"score" doc:"How well it fits, from 0 to 1"`
}

// Find looks for models, units, tests, measures, plans, runs, reviews, setups and fields by words of their names, the
// best first. A letter or two may be wrong in longer words; all words must fit.
func (f *Front) Find(ctx context.Context, text string, most int) ([]Found, error) {
	words := wordsOf(text)
	if len(words) == 0 {
		return []Found{}, nil
	}
	all, err := f.everything(ctx, strings.TrimSpace(text))
	if err != nil {
		return nil, err
	}
	out := []Found{}
	for _, x := range all {
		if x.Score = max(x.Score, fits(words, x.Name, x.Note, x.ID)); x.Score > 0 {
			out = append(out, x)
		}
	}
	slices.SortStableFunc(out, func(a, b Found) int { return cmp.Compare(b.Score, a.Score) })
	return out[:min(most, len(out))], nil
}

// everything lists what can be found, what is most looked for first.
func (f *Front) everything(ctx context.Context, text string) (out []Found, err error) {
	n, err := f.figures.Names(ctx)
	if err != nil {
		return nil, err
	}
	named := map[string]desk.Named{}
	seen := map[string]bool{}
	for _, v := range n.Variants {
		named[v.Slug] = v.Named
		if !seen[v.Model.Slug] {
			seen[v.Model.Slug] = true
			x := Found{Kind: "model", Name: v.Name, Note: string(v.Model.Kind), ID: v.Model.Slug,
				Path: "/catalogue/" + v.Model.Slug}
			if v.Origin != "" { // it is in comparisons, and not on the books
				x.Path = "/compare?" + url.Values{"subject": {v.Slug}}.Encode()
			}
			out = append(out, x)
		}
	}
	reviews, err := f.desk.Store.Reviews(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range reviews {
		out = append(out, Found{Kind: "review", Name: r.Title, Note: "review of " + named[r.Subject].Label(), ID: r.Slug,
			Path: "/reviews/" + r.Slug})
	}
	for _, t := range n.Tests {
		if t.Of == "" {
			out = append(out, Found{Kind: "test", Name: t.Name, Note: t.Group, ID: t.Slug, Path: "/bench/tests/" + t.Slug})
		}
	}
	units, err := f.desk.Store.Units(ctx, "")
	if err != nil {
		return nil, err
	}
	variant := map[string]string{}
	for _, u := range units {
		variant[u.Slug] = u.Variant
		out = append(out, Found{Kind: "unit", Name: named[u.Variant].Label(), Note: "unit " + u.Slug, ID: u.Slug,
			Path: "/results?" + url.Values{"subject": {u.Slug}}.Encode()})
	}
	for _, t := range n.Tests {
		for _, m := range t.Measures {
			id := t.Slug + "/" + m.Slug
			out = append(out, Found{Kind: "measure", Name: t.Name + ", " + m.Name, Note: t.Group, ID: id,
				Path: "/compare?" + url.Values{"measure": {id}}.Encode()})
		}
	}
	for _, s := range n.Setups {
		out = append(out, Found{Kind: "setup", Name: s.Name, ID: s.Slug, Path: "/bench/setups#" + s.Slug})
	}
	for _, x := range n.Fields {
		out = append(out, Found{Kind: "field", Name: x.Name, ID: x.Slug,
			Path: "/compare?" + url.Values{"field": {x.Slug}}.Encode()})
	}
	plans, err := f.desk.Store.Plans(ctx)
	if err != nil {
		return nil, err
	}
	for _, p := range plans[:min(len(plans), 400)] {
		out = append(out, Found{Kind: "plan", Name: p.Name, Note: named[variant[p.Unit]].Label(), ID: p.ID,
			Path: "/bench?" + url.Values{"plan": {p.ID}}.Encode()})
	}
	r, err := f.desk.Store.Run(ctx, text)
	if known, err := desk.Found(err); err != nil {
		return nil, err
	} else if known {
		out = append(out, Found{Kind: "run", Name: r.Test, Note: named[variant[r.Subject]].Label(), ID: r.ID,
			Path: "/results/" + r.ID, Score: 1})
	}
	return out, nil
}

func wordsOf(text string) []string {
	return strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return !unicode.IsLetter(r) &&
			!unicode.IsDigit(r)
	})
}

// fits tells how well words fit names, the first of which counts most: 0 where one of them fits none.
func fits(words []string, names ...string) float64 {
	sum := 0.0
	for _, w := range words {
		best := 0.0
		for i, name := range names {
			for k, x := range wordsOf(name) {
				s := alike(w, x) * (1 - 0.15*float64(i))
				best = max(best, s-0.01*float64(min(k, 5)))
			}
		}
		if best <= 0 {
			return 0
		}
		sum += best
	}
	return sum / float64(len(words))
}

// alike tells how well a word that was typed fits one of a name.
func alike(typed, word string) float64 {
	switch n := utf8.RuneCountInString(typed); {
	case typed == word:
		return 1
	case strings.HasPrefix(word, typed):
		return 0.9
	case n >= 3 && strings.Contains(word, typed):
		return 0.7
	case n >= 3:
		score := near(typed, word, 0.7)
		if cut := []rune(word); len(cut) > n { // the beginning of a longer word
			score = max(score, near(typed, string(cut[:n]), 0.6))
		}
		return score
	}
	return 0
}

// near gives best, a tenth less for every wrong letter: one of every four may be, and two may have changed places.
func near(typed, word string, best float64) float64 {
	wrong := fuzzy.LevenshteinDistance(typed, word)
	if wrong <= utf8.RuneCountInString(typed)/4 || wrong == 2 && swapped(typed, word) {
		return best - 0.1*float64(wrong)
	}
	return 0
}

// swapped tells whether two letters that stand side by side changed their places.
func swapped(typed, word string) bool {
	a, b := []rune(typed), []rune(word)
	if len(a) > len(b) {
		return false
	}
	for i := range a {
		if a[i] != b[i] {
			return i+1 < len(a) && a[i] == b[i+1] && a[i+1] == b[i] && string(a[i+2:]) == string(b[i+2:len(a)])
		}
	}
	return true
}
