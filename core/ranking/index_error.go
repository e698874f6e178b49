package ranking

import (
	"math"
	"math/rand/v2"
	"slices"
	"sort"

	"gonum.org/v1/gonum/mat"

	"durvek/core/quantity"
)

// covariance holds, for each pair of rows, the covariance of their errors: σ² times an interaction part plus noise by
// measure.
type covariance struct {
	f           *fit
	interaction [][]float64
	noise       []float64 // rows × rows × measures
}

// errors works out the joint law of all rows' errors against the complete index, relative to row ref or, below 0, to
// the field's mean.
func (f *fit) errors(ref int) covariance {
	v, n := len(f.rows), len(f.w)
	ei, en := mat.NewDense(v, v*n, nil), make([]*mat.Dense, n)
	for m := range n {
		en[m] = mat.NewDense(v, v, nil)
	}
	for j := range v {
		for m := range n {
			c := j*n + m
			fig := f.rows[j].Figures[m]
			target := 0.0
			if !fig.Cannot || fig.Estimate != nil {
				target = f.w[m] / f.runnable[j]
			}
			at := func(i int) (l, e float64) {
				if f.has[c] {
					l = f.lever(i, j, m)
				}
				e = l
				if i == j {
					e -= target
				}
				return l, e
			}
			var bl, be float64
			if ref >= 0 {
				bl, be = at(ref)
			} else {
				for i := range v {
					l, e := at(i)
					bl, be = bl+l/float64(v), be+e/float64(v)
				}
			}
			sd := math.Sqrt(f.noise[c])
			for i := range v {
				l, e := at(i)
				ei.Set(i, c, e-be)
				if f.has[c] {
					en[m].Set(i, j, (l-bl)*sd)
				}
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

// moves lists by how much each measured figure moves a row's index, the most first.
func (f *fit) moves(i int) []Moved {
	n := len(f.w)
	out := []Moved{}
	for m := range n {
		if !f.y(i, m) || f.weight[i]-f.w[m] < 1e-12 {
			continue
		}
		without := (f.alpha[i]*f.weight[i] - f.w[m]*(f.x[i*n+m]-f.beta[m])) / (f.weight[i] - f.w[m])
		out = append(out, Moved{f.names[m], 100 * math.Expm1(f.alpha[i]-without)})
	}
	sort.SliceStable(out, func(a, b int) bool { return math.Abs(out[a].By) > math.Abs(out[b].By) })
	return out
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
	sort.SliceStable(at, func(a, b int) bool { return f.alpha[at[a]] > f.alpha[at[b]] })
	if len(at) == 0 {
		return
	}
	entries := make([]Entry, len(at))
	for a, i := range at {
		entries[a].ID, entries[a].Estimate.Mean, entries[a].Estimate.Bound = f.rows[i].ID, f.alpha[i], out.Rows[i].Bound
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
