package trials

import (
	"fmt"
	"math"
	"math/rand/v2"

	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/stats"
)

// IndexWorld is a field of known truth for an index: 20 variants by 15 measures of uneven weight, three repeats each.
type IndexWorld struct {
	Interaction float64 // standard deviation by which a variant departs from itself, relative
	Missing     float64 // share of cells that are missing
	Weak        bool    // missing where the variant is weak, not at random
}

func (w IndexWorld) String() string {
	how := "at random"
	if w.Weak {
		how = "where weak"
	}
	return fmt.Sprintf("interaction %.0f %%, %.0f %% missing %s", 100*w.Interaction, 100*w.Missing, how)
}

// Indexed counts how often intervals held the complete index of the true figures. Bias is the mean error, in per cent,
// of a variant of which cells are missing.
type Indexed struct {
	Rows, Held int
	Bias, SE   float64 // per cent
	Width      float64 // mean half-width, per cent
}

// Share is the coverage.
func (x Indexed) Share() float64 { return float64(x.Held) / float64(x.Rows) }

// TryIndex makes so many fields.
func TryIndex(seed uint64, w IndexWorld, fields int) Indexed {
	const variants, measures, repeats, sd = 20, 15, 3, 0.012
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
		truth := make([]float64, variants)
		cells := make([][]stats.Cell, measures)
		present := make([][]bool, measures)
		for m := range ms {
			cells[m], present[m] = make([]stats.Cell, variants), make([]bool, variants)
		}
		for v := range truth {
			strength := 0.3 * rng.NormFloat64()
			for m := range ms {
				own := w.Interaction * rng.NormFloat64()
				truth[v] += ms[m].Weight / total * (strength + own)
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
			var there []stats.Cell
			for v := range field {
				if present[m][v] {
					there = append(there, cells[m][v])
				}
			}
			pool := stats.NewPool(there, 0, 0)
			for v := range field {
				if present[m][v] {
					e := pool.Estimate(cells[m][v], true)
					field[v].Figures[m].Estimate = &e
				}
			}
		}
		table, err := ranking.Index(field, ms, ranking.IndexOptions{Plain: true})
		if err != nil {
			continue
		}
		mean := 0.0
		for _, t := range truth {
			mean += t / variants
		}
		for _, r := range table.Rows {
			var v int
			fmt.Sscan(r.ID, &v)
			want := 100 * math.Exp(truth[v]-mean)
			out.Rows++
			out.Width += 100 * math.Log(r.Hi/r.Lo) / 2
			if want >= r.Lo && want <= r.Hi {
				out.Held++
			}
			if v == 0 {
				errs = append(errs, 100*math.Log(r.Value/want))
			}
		}
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
