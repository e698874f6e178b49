package ranking

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/mat"

	"durvek/core/quantity"
)

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
			if e := fig.Estimate; e != nil && f.w[k] > 0 {
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
