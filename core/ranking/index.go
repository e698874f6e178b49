package ranking

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sort"
	"strings"

	"gonum.org/v1/gonum/mat"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// Weighed is one measure of an index. Its weight counts in relation to the others'.
type Weighed struct {
	Measure string             `json:"measure"`
	Name    string             `json:"name,omitempty"`
	Group   string             `json:"group,omitempty"`
	Weight  float64            `json:"weight" minimum:"0"`
	Better  quantity.Direction `json:"better,omitempty"`
}

// Figure is what is known of one variant in one measure of an index: an estimate, or none. Cannot says that the
// variant is unable to run it.
type Figure struct {
	Estimate *stats.Estimate
	Cannot   bool
}

// Contender is one variant of an index with its figures, in the order of the measures.
type Contender struct {
	ID      string
	Figures []Figure
}

// IndexOptions say how an index is made. Reference is the contender that is 100; "" takes the geometric mean of the
// field.
type IndexOptions struct {
	Reference string
	Least     float64 // completeness below which a contender is listed, not ranked; 0 means Complete
	Margin    float64 // relative difference that does not matter; 0 means DefaultMargin
	Draws     int     // of bootstrap and of weights; 0 means 2000
	Seed      uint64
	Plain     bool // values and intervals alone: no places, no weights drawn
}

// Moved is by how much one measure moves a contender's index: in per cent of what it would be without it.
type Moved struct {
	Measure string  `json:"measure"`
	By      float64 `json:"by"`
}

// IndexRow is one contender's index. Place is its standing among the ranked.
type IndexRow struct {
	ID           string   `json:"id"`
	Value        float64  `json:"value"`
	Lo           float64  `json:"lo"`
	Hi           float64  `json:"hi"`
	Completeness float64  `json:"completeness" doc:"Share of the weight that was measured"`
	Ranked       bool     `json:"ranked" doc:"False below 60 % completeness: listed, not ranked"`
	Place        Place    `json:"place"`
	Next         Tie      `json:"next,omitempty"`
	Under        Place    `json:"under_weights" doc:"Places that it takes in nine of ten draws of plausible weights"`
	Missing      []string `json:"missing,omitempty" doc:"Measures that were not run"`
	Cannot       []string `json:"cannot,omitempty" doc:"Measures that it cannot run; the index is over the others"`
	Bounded      []string `json:"bounded,omitempty" doc:"Measures with a bound in place of a figure, which do not enter"`
	Moves        []Moved  `json:"moves" doc:"What moves it most, first"`
}

// IndexTable is an index of a field, the ranked first.
type IndexTable struct {
	Rows        []IndexRow `json:"rows"`
	Groups      []Group    `json:"groups"`
	Left        []string   `json:"left,omitempty" doc:"Contenders without any figure"`
	Interaction float64    `json:"interaction" doc:"Standard deviation, in per cent, by which a variant departs from what it is elsewhere"`
	DF          float64    `json:"df"`
	Firm        float64    `json:"firm" doc:"Share of draws of plausible weights under which the order of the first stays"`
	First       int        `json:"first" doc:"How many are first: three, or fewer where there are fewer"`
}

// Complete is the share of the weight that must have been measured for a variant to be ranked and not merely listed.
const Complete = 0.6

// ErrIndex marks an index that cannot be made; the message says what to do.
var ErrIndex = errors.New("index refused")

// MostContenders bounds the field of an index: its work grows with the square of it.
const MostContenders = 500

// Index is the weighted geometric mean of a field's figures (Fleming and Wallace, CACM 29(3), 1986), exactly that where
// none is missing. With missing cells it fits ln y = contender + measure + interaction + noise by weighted least
// squares to those that exist (direction folded into the sign) and estimates what the complete mean would be. The
// residuals' variance less the noise gives the interaction's. The error against the complete index is linear in
// interaction and noise, so its variance is exact given theirs; degrees of freedom after Satterthwaite. Standings are
// those of Rank, drawn from the errors' joint law. Figures with a bound do not enter. It returns ErrIndex if the
// weights sum to zero, if the field is too large, or if contenders share no chain of measures.
func Index(field []Contender, measures []Weighed, o IndexOptions) (IndexTable, error) {
	if o.Least == 0 {
		o.Least = Complete
	}
	if o.Draws == 0 {
		o.Draws = 2000
	}
	f, out, err := newFit(field, measures)
	if err != nil {
		return out, err
	}
	f.solve()
	f.spread()
	ref := -1
	if o.Reference != "" {
		if ref = slices.IndexFunc(f.rows, func(c Contender) bool { return c.ID == o.Reference }); ref < 0 {
			return out, fmt.Errorf("%w: %s has no figure among the index's measures, so nothing can be relative to it", ErrIndex,
				o.Reference)
		}
	}
	base := 0.0
	for _, a := range f.alpha {
		base += a / float64(len(f.alpha))
	}
	if ref >= 0 {
		base = f.alpha[ref]
	}
	cov := f.errors(ref)
	out.Interaction, out.DF = 100*math.Sqrt(f.sigma2), f.df
	for i, c := range f.rows {
		v, df := cov.at(i, i)
		half := 0.0
		if v > 0 {
			half = stats.TQuantile(0.975, df) * math.Sqrt(v)
		}
		x := f.alpha[i] - base
		row := IndexRow{ID: c.ID, Value: 100 * math.Exp(x), Lo: 100 * math.Exp(x-half), Hi: 100 * math.Exp(x+half),
			Completeness: f.weight[i] / f.runnable[i], Moves: f.moves(i)}
		row.Ranked = row.Completeness >= o.Least-1e-9
		for k, fig := range c.Figures {
			switch id := measures[k].Measure; {
			case measures[k].Weight == 0 || f.y(i, k):
			case fig.Cannot:
				row.Cannot = append(row.Cannot, id)
			case fig.Estimate != nil:
				row.Bounded = append(row.Bounded, id)
			default:
				row.Missing = append(row.Missing, id)
			}
		}
		out.Rows = append(out.Rows, row)
	}
	if !o.Plain {
		f.place(&out, cov, o)
	}
	sort.SliceStable(out.Rows, func(i, j int) bool {
		a, b := out.Rows[i], out.Rows[j]
		if a.Ranked != b.Ranked {
			return a.Ranked
		}
		if a.Value != b.Value {
			return a.Value > b.Value
		}
		return a.ID < b.ID
	})
	return out, nil
}

// fit is the two-way model of an index.
type fit struct {
	rows     []Contender
	names    []string    // of the measures
	w        []float64   // weights, summing to one
	has      []bool      // rows × measures
	x        []float64   // rows × measures: signed logarithms
	noise    []float64   // rows × measures: squared standard errors
	noiseDF  []float64   // per measure
	weight   []float64   // per row: weight of what is measured
	runnable []float64   // per row: weight of what can be run
	alpha    []float64   // per row, with Σ wβ = 0
	beta     []float64   // per measure
	inverse  *mat.Dense  // of the reduced normal equations
	h        [][]float64 // per row: inverse times its weights
	q        [][]float64 // per pair of rows
	sigma2   float64     // interaction variance
	df       float64
}

func (f *fit) y(i, k int) bool { return f.has[i*len(f.w)+k] }

func newFit(field []Contender, measures []Weighed) (*fit, IndexTable, error) {
	out := IndexTable{Rows: []IndexRow{}, Groups: []Group{}}
	f := &fit{}
	sum := 0.0
	for _, m := range measures {
		if m.Weight < 0 || math.IsNaN(m.Weight) || math.IsInf(m.Weight, 0) {
			return f, out, fmt.Errorf("%w: the weight of %s is %g; weights are numbers from 0 up", ErrIndex, m.Measure, m.Weight)
		}
		sum += m.Weight
	}
	if sum == 0 {
		return f, out, fmt.Errorf("%w: the weights sum to zero; give at least one measure a weight above zero", ErrIndex)
	}
	for _, m := range measures {
		f.w, f.names = append(f.w, m.Weight/sum), append(f.names, m.Measure)
	}
	n := len(measures)
	f.noiseDF = make([]float64, n)
	for _, c := range field {
		has, x, noise := make([]bool, n), make([]float64, n), make([]float64, n)
		weight, can := 0.0, 0.0
		for k, fig := range c.Figures {
			if !fig.Cannot || fig.Estimate != nil {
				can += f.w[k]
			}
			if e := fig.Estimate; e != nil && e.Bound == "" && f.w[k] > 0 {
				has[k], x[k], noise[k] = true, e.Mean, e.SE*e.SE
				if measures[k].Better == quantity.Lower {
					x[k] = -x[k]
				}
				weight += f.w[k]
				if e.DF > 0 {
					f.noiseDF[k] = math.Max(f.noiseDF[k], e.DF)
				}
			}
		}
		if weight == 0 {
			out.Left = append(out.Left, c.ID)
			continue
		}
		f.rows, f.has, f.x, f.noise = append(f.rows, c), append(f.has, has...), append(f.x, x...), append(f.noise, noise...)
		f.weight, f.runnable = append(f.weight, weight), append(f.runnable, can)
	}
	if len(f.rows) > MostContenders {
		return f, out, fmt.Errorf("%w: %d variants have figures; an index is made within a field of up to %d, so choose a "+
			"smaller field", ErrIndex, len(f.rows), MostContenders)
	}
	if len(f.rows) == 0 {
		return f, out, fmt.Errorf("%w: no variant of the field has a figure for any of its measures; measure one first",
			ErrIndex)
	}
	return f, out, f.apart()
}

// apart refuses a field whose contenders are not linked by shared measures, and names its parts.
func (f *fit) apart() error {
	n := len(f.w)
	part := make([]int, len(f.rows)+n)
	for i := range part {
		part[i] = i
	}
	var root func(int) int
	root = func(i int) int {
		if part[i] != i {
			part[i] = root(part[i])
		}
		return part[i]
	}
	for i := range f.rows {
		for k := range n {
			if f.y(i, k) {
				part[root(i)] = root(len(f.rows) + k)
			}
		}
	}
	parts := map[int][]string{}
	var order []int
	for i, c := range f.rows {
		r := root(i)
		if parts[r] == nil {
			order = append(order, r)
		}
		parts[r] = append(parts[r], c.ID)
	}
	if len(order) < 2 {
		return nil
	}
	var names []string
	for _, r := range order {
		list := parts[r]
		if len(list) > 4 {
			list = append(slices.Clone(list[:3]), fmt.Sprintf("%d more", len(list)-3))
		}
		names = append(names, strings.Join(list, ", "))
	}
	return fmt.Errorf("%w: the field falls into parts that share no measure (%s); measure one thing on both sides, or "+
		"give weight to one that both have", ErrIndex, strings.Join(names, " | "))
}

// solve finds α and β by the normal equations, reduced to the measures.
func (f *fit) solve() {
	v, n := len(f.rows), len(f.w)
	k := mat.NewSymDense(n, nil)
	right := mat.NewVecDense(n, nil)
	for m := range n {
		for l := m; l < n; l++ {
			k.SetSym(m, l, f.w[m]*f.w[l])
		}
		if f.w[m] == 0 {
			k.SetSym(m, m, 1)
		}
	}
	for i := range v {
		mean := 0.0
		for m := range n {
			if f.y(i, m) {
				mean += f.w[m] * f.x[i*n+m] / f.weight[i]
			}
		}
		for m := range n {
			if !f.y(i, m) {
				continue
			}
			right.SetVec(m, right.AtVec(m)+f.w[m]*(f.x[i*n+m]-mean))
			for l := m; l < n; l++ {
				if f.y(i, l) {
					d := -f.w[m] * f.w[l] / f.weight[i]
					if l == m {
						d += f.w[m]
					}
					k.SetSym(m, l, k.At(m, l)+d)
				}
			}
		}
	}
	for m := range n { // a measure that nobody has leaves no trace
		if k.At(m, m) == f.w[m]*f.w[m] {
			k.SetSym(m, m, k.At(m, m)+1)
		}
	}
	var chol mat.Cholesky
	f.inverse = mat.NewDense(n, n, nil)
	if chol.Factorize(k) {
		var inv mat.SymDense
		if chol.InverseTo(&inv) == nil {
			f.inverse.Copy(&inv)
		}
	}
	var b mat.VecDense
	b.MulVec(f.inverse, right)
	f.beta = make([]float64, n)
	shift := 0.0
	for m := range n {
		f.beta[m] = b.AtVec(m)
		shift += f.w[m] * f.beta[m]
	}
	for m := range n {
		f.beta[m] -= shift
	}
	f.alpha = make([]float64, v)
	f.h, f.q = make([][]float64, v), make([][]float64, v)
	for i := range v {
		f.h[i], f.q[i] = make([]float64, n), make([]float64, v)
		for m := range n {
			if f.y(i, m) {
				f.alpha[i] += f.w[m] * (f.x[i*n+m] - f.beta[m]) / f.weight[i]
				for l := range n {
					f.h[i][l] += f.inverse.At(l, m) * f.w[m]
				}
			}
		}
	}
	for i := range v {
		for j := range v {
			for m := range n {
				if f.y(i, m) {
					f.q[i][j] += f.w[m] * f.h[j][m]
				}
			}
		}
	}
}

// lever is how α of row i moves with the figure of row j in measure m.
func (f *fit) lever(i, j, m int) float64 {
	l := -f.w[m] / f.weight[i] * (f.h[i][m] - f.q[i][j]/f.weight[j])
	if i == j {
		l += f.w[m] / f.weight[i]
	}
	return l
}

// spread estimates the interaction's variance from the residuals, less what noise explains: E Σwr² = Σ w(1−h)(σ² +
// noise).
func (f *fit) spread() {
	n := len(f.w)
	var sum, expected, weight, ww, cells float64
	for i := range f.rows {
		for m := range n {
			if !f.y(i, m) {
				continue
			}
			r := f.x[i*n+m] - f.alpha[i] - f.beta[m]
			own := f.lever(i, i, m) + f.w[m]*(f.inverse.At(m, m)-f.h[i][m]/f.weight[i])
			free := math.Max(1-own, 0)
			sum += f.w[m] * r * r
			expected += f.w[m] * free * f.noise[i*n+m]
			weight += f.w[m] * free
			ww += f.w[m] * f.w[m]
			cells++
		}
	}
	used := 0.0
	for m := range n {
		if slices.ContainsFunc(f.rows, func(c Contender) bool { return c.Figures[m].Estimate != nil }) && f.w[m] > 0 {
			used++
		}
	}
	f.df = cells - float64(len(f.rows)) - used + 1
	if weight < 1e-9 || f.df < 1 {
		f.df = 0
		return
	}
	total := 0.0
	for i := range f.rows {
		total += f.weight[i]
	}
	f.df = math.Max(1, f.df*total*total/(cells*ww)) // uneven weights leave fewer
	f.sigma2 = math.Max(0, (sum-expected)/weight)
}

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
	n := len(at)
	s := &sampling{n: n, o: Options{Scale: quantity.Ratio, Better: quantity.Higher, Margin: o.Margin, Draws: o.Draws,
		Seed: o.Seed}.filled(), x: make([]float64, n), hw: make([]float64, n),
		bounded: make([]bool, n), gapVariance: make([]float64, n*n), noise: make([]float64, o.Draws*n),
		factor: make([]float64, o.Draws)}
	joint := mat.NewSymDense(n, nil)
	df := math.Inf(1)
	entries := make([]Entry, n)
	for a, i := range at {
		s.x[a], entries[a].ID = f.alpha[i], f.rows[i].ID
		own, _ := cov.at(i, i)
		joint.SetSym(a, a, own+1e-16)
		for b := a + 1; b < n; b++ {
			j := at[b]
			v, d := cov.at(i, j)
			other, _ := cov.at(j, j)
			s.gapVariance[a*n+b], s.gapVariance[b*n+a] = v, v
			joint.SetSym(a, b, (own+other-v)/2)
			df = math.Min(df, d)
		}
	}
	rng := rand.New(rand.NewPCG(o.Seed, 0x696e646578))
	var eig mat.EigenSym
	if eig.Factorize(joint, true) { // the errors sum to zero over a field, so the law is singular: no Cholesky
		var vec mat.Dense
		eig.VectorsTo(&vec)
		values := eig.Values(nil)
		root := make([]float64, n*n)
		for a := range n {
			for k := range n {
				root[a*n+k] = vec.At(a, k) * math.Sqrt(math.Max(values[k], 0))
			}
		}
		z := make([]float64, n)
		for d := range o.Draws {
			for k := range z {
				z[k] = rng.NormFloat64()
			}
			for a := range n {
				sum := 0.0
				for k, r := range root[a*n : (a+1)*n] {
					sum += r * z[k]
				}
				s.noise[d*n+a] = sum
			}
			s.factor[d] = chi(rng, df)
		}
	}
	s.find()
	ranked := s.standings(entries)
	out.Groups = ranked.Groups
	for a, i := range at {
		out.Rows[i].Place, out.Rows[i].Next = ranked.Rows[a].Place, ranked.Rows[a].Next
	}
	f.firm(out, at, rng, o.Draws)
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
