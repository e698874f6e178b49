package trials

import (
	"cmp"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/stats"
)

// IndexWorld is a field of known truth for an index: 20 variants by 15 measures of uneven weight, three repeats each.
type IndexWorld struct {
	Interaction float64 // standard deviation by which a variant departs from itself, relative
	Missing     float64 // share of cells that are missing
	Weak        bool    // missing where the variant is weak, not at random
	Variants    int     // 0 means 20
	Measures    int     // 0 means 15
	Law         string  // of the interaction: normal, or t3
	Special     bool    // one cell is six times what it would be
}

func (w IndexWorld) String() string {
	how := "at random"
	if w.Weak {
		how = "where weak"
	}
	text := fmt.Sprintf("%d × %d, interaction %.0f %%", cmp.Or(w.Variants, 20), cmp.Or(w.Measures, 15), 100*w.Interaction)
	if w.Law != "" {
		text += " " + w.Law
	}
	if w.Special {
		text += ", one cell × 6"
	}
	return text + fmt.Sprintf(", %.0f %% missing %s", 100*w.Missing, how)
}

// Indexed counts how often intervals held the complete index of the true figures. Bias is the mean error, in per cent,
// of a variant of which cells are missing.
type Indexed struct {
	Rows, Held int
	Missing    int     // rows that miss something
	Within     int     // of them those held between what it may be down to and the upper end
	Bias, SE   float64 // per cent
	Width      float64 // mean half-width, per cent
}

// Share is the coverage.
func (x Indexed) Share() float64 { return float64(x.Held) / float64(x.Rows) }

// TryIndex makes so many fields.
func TryIndex(seed uint64, w IndexWorld, fields int) Indexed {
	const repeats, sd = 3, 0.012
	variants, measures := cmp.Or(w.Variants, 20), cmp.Or(w.Measures, 15)
	var out Indexed
	var errs []float64
	for k := range fields {
		rng := rand.New(rand.NewPCG(seed, uint64(k)))
		ms := make([]ranking.Weighed, measures)
		total := 0.0
		for m := range ms {
			ms[m] = ranking.Weighed{Measure: fmt.Sprint("m", m), Weight: 1 + float64(m%3), Better: quantity.Higher}
			total += ms[m].Weight
		}
		special := [2]int{rng.IntN(variants), rng.IntN(measures)}
		truth := make([]float64, variants)
		cells := make([][]stats.Cell, measures)
		present := make([][]bool, measures)
		for m := range ms {
			cells[m], present[m] = make([]stats.Cell, variants), make([]bool, variants)
		}
		for v := range truth {
			strength := 0.3 * rng.NormFloat64()
			for m := range ms {
				own := w.Interaction * Measures{Law: w.Law}.noise(rng)
				if w.Special && special == [2]int{v, m} {
					own += math.Log(6)
				}
				truth[v] += ms[m].Weight / total * (math.Log(100) + float64(m)/5 + strength + own)
				vs := make([]stats.Value, repeats)
				for r := range vs {
					vs[r] = stats.Value{X: 100 * math.Exp(float64(m)/5+strength+own+sd*rng.NormFloat64()), Sitting: "s"}
				}
				cells[m][v] = stats.NewCell(vs, true)
				chance := w.Missing
				if w.Weak && (own > 0 || v%2 == 1) { // every second variant misses where it is weak, and there twice as much
					chance = 0
				} else if w.Weak {
					chance *= 2
				}
				present[m][v] = rng.Float64() >= chance
			}
		}
		field := make([]ranking.Contender, variants)
		for v := range field {
			field[v] = ranking.Contender{ID: fmt.Sprint(v), Figures: make([]ranking.Figure, measures)}
		}
		for m := range ms {
			if !slices.Contains(present[m], true) { // what nobody has is in no index
				present[m][rng.IntN(variants)] = true
			}
			estimate(field, m, cells[m], present[m])
		}
		table, err := ranking.Index(field, ms, ranking.IndexOptions{Plain: true})
		if err != nil {
			continue
		}
		out.count(table, truth, &errs)
	}
	for _, e := range errs {
		out.Bias += e / float64(len(errs))
	}
	for _, e := range errs {
		out.SE += (e - out.Bias) * (e - out.Bias)
	}
	out.SE = math.Sqrt(out.SE) / float64(len(errs))
	out.Width /= float64(out.Rows)
	return out
}

// estimate puts in the figures of one measure where they are present.
func estimate(field []ranking.Contender, m int, cells []stats.Cell, present []bool) {
	var there []stats.Cell
	for v := range field {
		if present[v] {
			there = append(there, cells[v])
		}
	}
	pool := stats.NewPool(there, 0, 0)
	for v := range field {
		if present[v] {
			e := pool.Estimate(cells[v], true)
			field[v].Figures[m].Estimate = &e
		}
	}
}

// count counts which intervals of a table hold the truth; errs takes the error of the first contender in per cent.
func (x *Indexed) count(table ranking.IndexTable, truth []float64, errs *[]float64) {
	for _, r := range table.Rows {
		var v int
		fmt.Sscan(r.ID, &v)
		want := 100 * math.Exp(truth[v]-table.Base) // the base is a unit without error
		x.Rows++
		x.Width += 100 * math.Log(r.Hi/r.Lo) / 2
		if want >= r.Lo && want <= r.Hi {
			x.Held++
		}
		if r.Weakest > 0 {
			x.Missing++
			if want >= r.Weakest && want <= r.Hi {
				x.Within++
			}
		}
		if v == 0 {
			*errs = append(*errs, 100*math.Log(r.Value/want))
		}
	}
}
