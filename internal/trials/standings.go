package trials

import (
	"fmt"
	"math"
	"math/rand/v2"

	"durvek/core/quantity"
	"durvek/core/ranking"
	"durvek/core/stats"
)

// Field is a field of known truth: so many variants of five repeats each.
type Field struct {
	Size    int
	Truth   string  // tied, spread (evenly, a step of 1.5 standard errors) or blocked (by fives, 6 standard errors apart)
	Own     bool    // every cell stands on its own variance; else on the pool
	Tau     float64 // standard deviation of ln σ over cells
	Repeats int     // 0 draws 1 to 5
}

func (f Field) String() string {
	kind := "pooled"
	if f.Own {
		kind = "own"
	}
	return fmt.Sprintf("%d %s, %s, τ %.1f", f.Size, f.Truth, kind, f.Tau)
}

const standingRepeats = 5

func (f Field) truth() []float64 {
	se := 0.01 / math.Sqrt(standingRepeats)
	out := make([]float64, f.Size)
	for i := range out {
		switch f.Truth {
		case "spread":
			out[i] = 1.5 * se * float64(i)
		case "blocked":
			out[i] = 6 * se * float64(i/5)
		}
	}
	return out
}

// Standings counts, over so many fields, in how many all rank sets held the true places at once, and how wide they were
// on average beside those of a single-step Bonferroni procedure with the same degrees of freedom.
type Standings struct {
	Fields, Held      int
	Width, SingleStep float64 // mean count of places in a rank set
}

// Share is the joint coverage.
func (s Standings) Share() float64 { return float64(s.Held) / float64(s.Fields) }

// Narrower is by how much the sets are narrower than single-step Bonferroni's, in per cent.
func (s Standings) Narrower() float64 { return 100 * (1 - s.Width/s.SingleStep) }

// Stand tries so many fields.
func Stand(seed uint64, f Field, fields int) Standings {
	truth := f.truth()
	out := Standings{Fields: fields}
	for k := range fields {
		rng := rand.New(rand.NewPCG(seed, uint64(k)))
		cells := make([]stats.Cell, f.Size)
		for i, mu := range truth {
			sd := 0.01 * math.Exp(f.Tau*rng.NormFloat64())
			n := f.Repeats
			if n == 0 {
				n = 1 + rng.IntN(5)
			}
			vs := make([]stats.Value, n)
			for r := range vs {
				vs[r] = stats.Value{X: 100 * math.Exp(mu+sd*rng.NormFloat64()), Sitting: "s"}
			}
			cells[i] = stats.NewCell(vs, true)
		}
		pool := stats.NewPool(cells, 0, 0)
		entries := make([]ranking.Entry, f.Size)
		for i, c := range cells {
			e := pool.Estimate(c, true)
			if f.Own {
				s := c.Sittings[0]
				e.DF = float64(s.N - 1)
				e.SE = math.Sqrt(s.SS / e.DF / float64(s.N))
				e.Within = stats.Part{Variance: e.SE * e.SE, DF: e.DF}
			}
			entries[i] = ranking.Entry{ID: fmt.Sprintf("%03d", i), Estimate: e}
		}
		r := ranking.Rank(entries, ranking.Options{Scale: quantity.Ratio, Better: quantity.Higher})
		held := true
		for _, row := range r.Rows {
			var i int
			fmt.Sscanf(row.ID, "%d", &i)
			better, notWorse := 0, 0
			for _, mu := range truth {
				if mu > truth[i] {
					better++
				}
				if mu >= truth[i] {
					notWorse++
				}
			}
			// Nobody may stand surely above or below one that is truly as good or better, or as bad or worse.
			held = held && row.Place.Best <= better+1 && row.Place.Worst >= notWorse
			out.Width += float64(row.Place.Worst-row.Place.Best+1) / float64(f.Size*fields)
		}
		if held {
			out.Held++
		}
		out.SingleStep += singleStep(entries) / float64(fields)
	}
	return out
}

// singleStep is the mean width of rank sets by t tests of every ordered pair at α/(n(n−1)).
func singleStep(entries []ranking.Entry) float64 {
	n := len(entries)
	quantiles := map[float64]float64{}
	sum := 0
	p := 1 - 0.05/float64(n*(n-1))
	for j, a := range entries {
		width := n
		for k, b := range entries {
			if j == k {
				continue
			}
			se, df := stats.Difference(a.Estimate, b.Estimate, stats.RankShare)
			key := math.Round(df*4) / 4
			t, ok := quantiles[key]
			if !ok {
				t = stats.TQuantile(p, math.Max(key, 0.25))
				quantiles[key] = t
			}
			if math.Abs(a.Estimate.Mean-b.Estimate.Mean) > t*se {
				width--
			}
		}
		sum += width
	}
	return float64(sum) / float64(n)
}
