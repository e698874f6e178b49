package compare

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"durvek/core/say"
	"durvek/core/stats"
)

// Profile is a variant's figures over many measures, working scale, by measure.
type Profile struct {
	Variant string
	Name    string
	Note    string
	Figures map[string]stats.Estimate
}

// Likeness is how near another variant is.
type Likeness struct {
	Variant  string   `json:"variant"`
	Name     string   `json:"name"`
	Note     string   `json:"note,omitempty"`
	Distance float64  `json:"distance" doc:"Root mean square of the differences, each in standard deviations of the field"`
	Shared   int      `json:"shared" doc:"Measures that both have"`
	Apart    []string `json:"apart" doc:"Where they differ most, in words"`
	Sentence string   `json:"sentence"`
}

// leastShared is in how many measures two variants must both have figures to be called alike or not.
const leastShared = 3

// Alike lists the variants nearest to a subject over all measures that both have: each difference counts in standard
// deviations of that measure over the field, so that no measure weighs more for its unit.
func Alike(subject Profile, field []Profile, measures map[string]Measure, most int) []Likeness {
	spread := map[string]float64{}
	for id := range measures {
		var xs []float64
		for _, p := range field {
			if e, ok := p.Figures[id]; ok && e.Bound == "" {
				xs = append(xs, e.Mean)
			}
		}
		if len(xs) < 3 {
			continue
		}
		mean, ss := 0.0, 0.0
		for _, x := range xs {
			mean += x / float64(len(xs))
		}
		for _, x := range xs {
			ss += (x - mean) * (x - mean)
		}
		if sd := math.Sqrt(ss / float64(len(xs)-1)); sd > 1e-9 {
			spread[id] = sd
		}
	}
	out := []Likeness{}
	for _, p := range field {
		if p.Variant == subject.Variant {
			continue
		}
		type gap struct {
			id   string
			size float64
		}
		var gaps []gap
		sum := 0.0
		for id, sd := range spread {
			a, ok := subject.Figures[id]
			b, ok2 := p.Figures[id]
			if !ok || !ok2 || a.Bound != "" || b.Bound != "" {
				continue
			}
			d := (b.Mean - a.Mean) / sd
			sum += d * d
			gaps = append(gaps, gap{id, math.Abs(d)})
		}
		if len(gaps) < leastShared {
			continue
		}
		slices.SortFunc(gaps, func(a, b gap) int { return cmp.Or(cmp.Compare(b.size, a.size), cmp.Compare(a.id, b.id)) })
		l := Likeness{Variant: p.Variant, Name: p.Name, Note: p.Note, Distance: math.Sqrt(sum / float64(len(gaps))),
			Shared: len(gaps), Apart: []string{}}
		for _, g := range gaps[:min(2, len(gaps))] {
			m := measures[g.id]
			l.Apart = append(l.Apart, m.InSentence()+" "+effectOf(m, subject.Figures[g.id], p.Figures[g.id]).Text)
		}
		how := "far from it"
		switch {
		case l.Distance < 0.25:
			how = "almost the same"
		case l.Distance < 0.7:
			how = "much alike"
		case l.Distance < 1.2:
			how = "somewhat alike"
		}
		l.Sentence = fmt.Sprintf("%s over %s; most apart in %s.", upperFirst(how), say.Things(l.Shared, "measure"),
			l.Apart[0])
		out = append(out, l)
	}
	slices.SortFunc(out, func(a, b Likeness) int {
		return cmp.Or(cmp.Compare(a.Distance, b.Distance), cmp.Compare(a.Variant, b.Variant))
	})
	if most > 0 && len(out) > most {
		out = out[:most]
	}
	return out
}
