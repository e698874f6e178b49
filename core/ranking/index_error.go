package ranking

import (
	"math"
	"math/rand/v2"
	"slices"
	"sort"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat/distuv"

	"durvek/core/quantity"
)

// covariance holds, for each pair of rows, the covariance of their errors: σ² times an interaction part plus noise by
// measure.
type covariance struct {
	f           *fit
	interaction [][]float64
	noise       []float64 // rows × rows × measures
}

// errors works out the joint law of all rows' errors against the complete index. The base is a unit without error, but
// for a row that others are relative to: then it is the law of the differences from row ref.
func (f *fit) errors(ref int) covariance {
	v, n := len(f.rows), len(f.w)
	ei, en := mat.NewDense(v, v*n, nil), make([]*mat.Dense, n)
	for m := range n {
		en[m] = mat.NewDense(v, v, nil)
	}
	d := make([][]float64, v) // the effects' part through the normal equations
	q := make([]float64, v)
	for i := range v {
		var c []float64
		c, q[i] = f.effects(i)
		d[i] = make([]float64, n)
		for m := range n {
			for l := range n {
				d[i][m] += c[l] * f.inverse.At(l, m)
			}
		}
	}
	row := make([]float64, v)
	for j := range v {
		for i := range v {
			row[i] = 0
			for l := range n {
				row[i] += d[i][l] * f.p[j*n+l] / f.pw[j]
			}
		}
		for m := range n {
			c := j*n + m
			at := func(i int) (interaction, noise float64) {
				if !f.has[c] {
					if i == j {
						return -f.part(i, m), 0
					}
					return 0, 0
				}
				l := f.p[c] * (d[i][m] - row[i])
				if i == j {
					l += q[i] * f.p[c] / f.pw[j]
					return l, l + f.part(i, m)
				}
				return l, l
			}
			var bi, bn float64
			if ref >= 0 {
				bi, bn = at(ref)
			}
			sd := math.Sqrt(f.noise[c])
			for i := range v {
				x, e := at(i)
				ei.Set(i, c, x-bi)
				en[m].Set(i, j, (e-bn)*sd)
			}
		}
	}
	out := covariance{f: f, noise: make([]float64, v*v*n)}
	var g mat.Dense
	g.Mul(ei, ei.T())
	for i := range v {
		out.interaction = append(out.interaction, append([]float64(nil), g.RawRowView(i)...))
	}
	for m := range n {
		var g mat.Dense
		g.Mul(en[m], en[m].T())
		for i := range v {
			for j := range v {
				out.noise[(i*v+j)*n+m] = g.At(i, j)
			}
		}
	}
	return out
}

// at gives the variance of row i's error, or of the difference of i and j, with its degrees of freedom.
func (c covariance) at(i, j int) (variance, df float64) {
	v, n := len(c.f.rows), len(c.f.w)
	term := func(get func(a, b int) float64) float64 {
		if i == j {
			return get(i, i)
		}
		return get(i, i) + get(j, j) - 2*get(i, j)
	}
	main := c.f.sigma2 * term(func(a, b int) float64 { return c.interaction[a][b] })
	variance = main
	squares := 0.0
	if c.f.df > 0 {
		squares = main * main / c.f.df
	}
	for m := range n {
		x := term(func(a, b int) float64 { return c.noise[(a*v+b)*n+m] })
		variance += x
		if c.f.noiseDF[m] > 0 {
			squares += x * x / c.f.noiseDF[m]
		}
	}
	if squares == 0 {
		return variance, math.Inf(1)
	}
	return variance, variance * variance / squares
}

// moves lists by how much each measured figure moves a row's index, the most first: beside one that the model would put
// in its place.
func (f *fit) moves(i int) []Moved {
	n := len(f.w)
	out := []Moved{}
	for m := range n {
		if f.y(i, m) {
			out = append(out, Moved{f.names[m], 100 * math.Expm1(f.part(i, m)*f.residual(i*n+m))})
		}
	}
	sort.SliceStable(out, func(a, b int) bool { return math.Abs(out[a].By) > math.Abs(out[b].By) })
	return out
}

// weakest is by how much an index may be too high, on the logarithm, if what it misses is precisely what it is weakest
// in: a share q of the cells of a normal law (Manski, Partial Identification of Probability Distributions, 2003, for
// bounds of this kind).
func (f *fit) weakest(i int) float64 {
	q := f.missing[i]
	if q <= 0 || q >= 1 {
		return 0
	}
	n := distuv.UnitNormal
	return math.Sqrt(f.sigma2) * n.Prob(n.Quantile(q)) / (1 - q)
}

// place gives the ranked rows their standings and says how firm their order is under plausible weights: each weight
// times a factor between ½ and 2, even on the logarithm.
func (f *fit) place(out *IndexTable, cov covariance, o IndexOptions) {
	var at []int // rows that are ranked, best first
	for i, r := range out.Rows {
		if r.Ranked {
			at = append(at, i)
		}
	}
	sort.SliceStable(at, func(a, b int) bool { return f.index[at[a]] > f.index[at[b]] })
	if len(at) == 0 {
		return
	}
	entries := make([]Entry, len(at))
	for a, i := range at {
		entries[a].ID, entries[a].Estimate.Mean, entries[a].Estimate.Bound = f.rows[i].ID, f.index[i], out.Rows[i].Bound
	}
	s := newPairs(entries, Options{Scale: quantity.Ratio, Better: quantity.Higher, Margin: o.Margin}.filled())
	for a, i := range at {
		for b, j := range at[:a] {
			s.put(a, b, func() (se, df float64) {
				v, df := cov.at(i, j)
				return math.Sqrt(math.Max(v, 0)), df
			})
		}
	}
	ranked := s.standings(entries)
	out.Groups = ranked.Groups
	for a, i := range at {
		out.Rows[i].Place, out.Rows[i].Next = ranked.Rows[a].Place, ranked.Rows[a].Next
	}
	for a, i := range at {
		r := &out.Rows[i]
		if r.Weakest == 0 {
			continue
		}
		r.Down = r.Place.Worst
		above := 0
		for b, j := range at {
			if b != a && out.Rows[j].Hi > r.Weakest {
				above++
			}
		}
		r.Down = max(r.Down, above+1)
	}
	f.firm(out, at, rand.New(rand.NewPCG(o.Seed, 0x696e646578)), o.Draws)
}

// firm draws plausible weights. Missing cells stand as the model fills them.
func (f *fit) firm(out *IndexTable, at []int, rng *rand.Rand, draws int) {
	n, v := len(f.w), len(at)
	filled := make([]float64, v*n)
	for a, i := range at {
		for m := range n {
			filled[a*n+m] = f.alpha[i] + f.beta[m]
			if f.y(i, m) {
				filled[a*n+m] = f.x[i*n+m]
			}
		}
	}
	out.First = min(3, v)
	places := make([][]int, v)
	sums, order := make([]float64, v), make([]int, v)
	w := make([]float64, n)
	holds := 0
	for range draws {
		for m := range n {
			w[m] = f.w[m] * math.Exp(math.Ln2*(2*rng.Float64()-1))
		}
		for a := range v {
			sums[a], order[a] = 0, a
			for m := range n {
				sums[a] += w[m] * filled[a*n+m]
			}
		}
		slices.SortFunc(order, func(a, b int) int {
			if sums[a] > sums[b] {
				return -1
			}
			return 1
		})
		same := true
		for p, a := range order {
			places[a] = append(places[a], p+1)
			same = same && (p >= out.First || a == p)
		}
		if same {
			holds++
		}
	}
	out.Firm = float64(holds) / float64(draws)
	for a, i := range at {
		slices.Sort(places[a])
		out.Rows[i].Under = Place{places[a][draws/20], places[a][draws-1-draws/20]}
	}
}
