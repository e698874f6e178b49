package ranking

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/mat"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// fit is the two-way model of an index.
type fit struct {
	rows     []Contender
	names    []string      // of the measures
	w        []float64     // weights, summing to one
	has      []bool        // rows × measures
	x        []float64     // rows × measures: signed logarithms
	noise    []float64     // rows × measures: squared standard errors
	noiseDF  []float64     // per measure
	weight   []float64     // per row: weight of what is measured
	runnable []float64     // per row: weight of what can be run
	index    []float64     // per row: the complete index, on the logarithm
	missing  []float64     // per row: the share of its index that the model fills
	alpha    []float64     // per row
	beta     []float64     // per measure
	p        []float64     // rows × measures: weight of a cell in the fit; 0 where there is none
	pw       []float64     // per row: sum of those
	inverse  *mat.SymDense // of the reduced normal equations
	g        [][]float64   // per row: inverse times its weights' shares
	sigma2   float64       // interaction variance
	df       float64       // of that; 0 where nothing can be told of it
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

// freedom of Student's t by which unlike cells are weighed down.
const freedom = 4

// solve fits x = contender + measure by reweighted least squares with Student's t, in which one special cell counts
// little (Lange, Little and Taylor, JASA 84, 1989), from a median polish. The index's weights do not enter.
func (f *fit) solve() {
	v, n := len(f.rows), len(f.w)
	f.alpha, f.beta = make([]float64, v), make([]float64, n)
	f.p, f.pw = make([]float64, v*n), make([]float64, v)
	f.polish()
	for range 20 {
		s := f.scale()
		inner := math.Max(s*s-f.meanNoise(), 0)
		for c := range f.p {
			f.p[c] = 0
			if f.has[c] {
				t := math.Max(inner+f.noise[c], 1e-18)
				r := f.residual(c)
				f.p[c] = (freedom + 1) / (freedom + r*r/t) / t
			}
		}
		if moved := f.step(); moved < 1e-10 {
			break
		}
	}
	f.fill()
}

func (f *fit) residual(c int) float64 { return f.x[c] - f.alpha[c/len(f.w)] - f.beta[c%len(f.w)] }

// polish starts with medians of rows and measures, in four sweeps (Tukey, Exploratory Data Analysis, 1977).
func (f *fit) polish() {
	v, n := len(f.rows), len(f.w)
	for range 4 {
		for i := range v {
			var rs []float64
			for m := range n {
				if f.y(i, m) {
					rs = append(rs, f.x[i*n+m]-f.beta[m])
				}
			}
			f.alpha[i] = stats.Quantile(rs, 0.5)
		}
		for m := range n {
			var rs []float64
			for i := range v {
				if f.y(i, m) {
					rs = append(rs, f.x[i*n+m]-f.alpha[i])
				}
			}
			if len(rs) > 0 {
				f.beta[m] = stats.Quantile(rs, 0.5)
			}
		}
	}
}

// counts gives how many cells there are and how many effects are fitted to them.
func (f *fit) counts() (cells, effects int) {
	n := len(f.w)
	effects = len(f.rows) - 1
	for m := range n {
		some := false
		for i := range f.rows {
			if f.y(i, m) {
				cells++
				some = true
			}
		}
		if some {
			effects++
		}
	}
	return cells, effects
}

// scale is the residuals' spread by their median.
func (f *fit) scale() float64 {
	var rs []float64
	for c := range f.x {
		if f.has[c] {
			rs = append(rs, math.Abs(f.residual(c)))
		}
	}
	cells, effects := f.counts()
	return math.Max(1.4826*stats.Quantile(rs, 0.5)*math.Sqrt(float64(cells)/math.Max(1, float64(cells-effects))), 1e-9)
}

func (f *fit) meanNoise() float64 {
	sum, k := 0.0, 0.0
	for c, e := range f.noise {
		if f.has[c] {
			sum, k = sum+e, k+1
		}
	}
	return sum / math.Max(k, 1)
}

// step solves the weighted normal equations, reduced to the measures, and tells how far an effect moved.
func (f *fit) step() (moved float64) {
	v, n := len(f.rows), len(f.w)
	k, right := mat.NewSymDense(n, nil), mat.NewVecDense(n, nil)
	most := 0.0
	for _, p := range f.p {
		most = math.Max(most, p)
	}
	for m := range n { // measures' effects are told but for a constant, and a measure that nobody has leaves no trace
		for l := m; l < n; l++ {
			k.SetSym(m, l, most)
		}
	}
	for i := range v {
		row := f.p[i*n : (i+1)*n]
		f.pw[i] = 0
		mean := 0.0
		for m, p := range row {
			f.pw[i] += p
			if p > 0 {
				mean += p * f.x[i*n+m]
			}
		}
		mean /= f.pw[i]
		for m, p := range row {
			if p == 0 {
				continue
			}
			right.SetVec(m, right.AtVec(m)+p*(f.x[i*n+m]-mean))
			k.SetSym(m, m, k.At(m, m)+p)
			for l := m; l < n; l++ {
				k.SetSym(m, l, k.At(m, l)-p*row[l]/f.pw[i])
			}
		}
	}
	for m := range n {
		if !slices.ContainsFunc(f.rows, func(c Contender) bool { return c.Figures[m].Estimate != nil }) || f.w[m] == 0 {
			k.SetSym(m, m, k.At(m, m)+most)
		}
	}
	f.inverse = mat.NewSymDense(n, nil)
	var chol mat.Cholesky
	if !chol.Factorize(k) || chol.InverseTo(f.inverse) != nil {
		return 0
	}
	var b mat.VecDense
	b.MulVec(f.inverse, right)
	for m := range n {
		moved = math.Max(moved, math.Abs(b.AtVec(m)-f.beta[m]))
		f.beta[m] = b.AtVec(m)
	}
	for i := range v {
		a := 0.0
		for m := range n {
			if p := f.p[i*n+m]; p > 0 {
				a += p * (f.x[i*n+m] - f.beta[m]) / f.pw[i]
			}
		}
		moved, f.alpha[i] = math.Max(moved, math.Abs(a-f.alpha[i])), a
	}
	return moved
}

// fill makes the indices: what was measured counts as it is, what is missing as the model has it, what cannot be run is
// left out beside the measures' own level.
func (f *fit) fill() {
	v, n := len(f.rows), len(f.w)
	f.index, f.missing, f.g = make([]float64, v), make([]float64, v), make([][]float64, v)
	for i := range v {
		for m := range n {
			w := f.part(i, m)
			f.index[i] += f.w[m] * f.beta[m]
			if f.y(i, m) {
				f.index[i] += w * (f.x[i*n+m] - f.beta[m])
			} else {
				f.index[i] += w * f.alpha[i]
				f.missing[i] += w
			}
		}
		f.g[i] = make([]float64, n)
		for m := range n {
			for l := range n {
				f.g[i][m] += f.inverse.At(m, l) * f.p[i*n+l] / f.pw[i]
			}
		}
	}
}

// part is a measure's share of a row's index: 0 where the row cannot run it.
func (f *fit) part(i, m int) float64 {
	if fig := f.rows[i].Figures[m]; fig.Cannot && fig.Estimate == nil {
		return 0
	}
	return f.w[m] / f.runnable[i]
}

// effects gives how row i's index moves with the measures' effects and with its own, as far as they fill it: c by
// measure with what its own effect takes from them, q for its own.
func (f *fit) effects(i int) (c []float64, q float64) {
	n := len(f.w)
	c, q = make([]float64, n), f.missing[i]
	for m := range n {
		c[m] = f.w[m]
		if w := f.part(i, m); f.y(i, m) {
			c[m] -= w
		}
		c[m] -= q * f.p[i*n+m] / f.pw[i]
	}
	if q == 0 && f.runnable[i] > 1-1e-12 {
		clear(c) // complete: exactly its weighted mean
	}
	return c, q
}

// spread estimates the interaction's variance from the residuals, less what noise explains, with the largest hundredth
// drawn in, and its degrees of freedom from their kurtosis.
func (f *fit) spread() {
	n := len(f.w)
	cells, effects := f.counts()
	if cells-effects < 1 {
		return
	}
	var rs []float64
	var free, expected float64
	for c := range f.x {
		if !f.has[c] {
			continue
		}
		i, m := c/n, c%n
		u := 0.0
		for l := range n {
			u += f.p[i*n+l] / f.pw[i] * f.g[i][l]
		}
		own := f.p[c]/f.pw[i] + f.p[c]*(f.inverse.At(m, m)-2*f.g[i][m]+u)
		left := math.Max(1-own, 0)
		rs = append(rs, math.Abs(f.residual(c)))
		free, expected = free+left, expected+left*f.noise[c]
	}
	slices.Sort(rs)
	k := len(rs) - (len(rs)+99)/100
	most := math.Max(4.5*f.scale(), rs[max(k-1, 0)])
	var square, fourth float64
	for _, r := range rs {
		r = math.Min(r, most)
		square, fourth = square+r*r, fourth+r*r*r*r
	}
	if free < 1e-9 {
		return
	}
	f.sigma2 = math.Max(0, (square-expected)/free)
	kurtosis := 3.0
	if square > 0 {
		kurtosis = math.Max(3, fourth/square/square*float64(len(rs)))
	}
	f.df = math.Max(1, 2*float64(cells-effects)/(kurtosis-1))
}
