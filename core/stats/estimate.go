// Package stats makes estimates with intervals from repeated readings: pooled repeatability,
// moderated variances, a between-sitting component. Values on ratio scales come in as natural
// logarithms; the caller says so by Scale. Nothing here reads a clock or draws a random number.
package stats

import (
	"maps"
	"math"
	"slices"
	"sync"
	"sync/atomic"

	"gonum.org/v1/gonum/stat/distuv"
)

// Sitting holds the sufficient statistics of one sitting's ok readings on the working scale
// (logarithms for ratio scales): count, mean, sum of squared deviations from that mean.
type Sitting struct {
	N    int     `json:"n"`
	Mean float64 `json:"mean"`
	SS   float64 `json:"ss"`
}

// Cell holds what a cell's readings say: one entry per sitting, the median on the natural scale, the
// largest half-width of a reading's range on the working scale, and a bound if any reading is one.
type Cell struct {
	Sittings  []Sitting `json:"sittings"`
	Median    float64   `json:"median"`
	HalfWidth float64   `json:"half_width,omitempty"`
	Bound     string    `json:"bound,omitempty"`
	BoundAt   float64   `json:"bound_at,omitempty"` // natural scale
	Bounds    int       `json:"bounds,omitempty"`   // count of bounded readings
	// Scatter is what it tells of its test's repeatability, where that is another: with readings that are left out for
	// being extreme, without doubted ones; one empty sitting where it tells nothing.
	Scatter []Sitting `json:"scatter,omitempty"`
}

// Value is one reading on its way into a cell: natural value, half-width of its range, sitting. Extreme marks one that
// was taken out for being extreme and nothing else: it counts for the test's repeatability alone. Doubted marks one in
// open serious doubt: it counts for all but that.
type Value struct {
	X         float64
	HalfWidth float64
	Sitting   string
	Bound     string
	Extreme   bool
	Doubted   bool
}

// Upward tells whether a bound leaves the true value open upwards: "at least" and "more than" do, "at most" does not.
func Upward(bound string) bool { return bound != "at most" }

// NewCell sums up readings. With logarithmic set, values must be above zero. Order does not matter. A
// cell without readings that count has no sittings.
func NewCell(values []Value, logarithmic bool) Cell {
	var c Cell
	var natural []float64
	in, all := map[string][]float64{}, map[string][]float64{}
	other := false
	for _, v := range values {
		x, h := v.X, v.HalfWidth
		if logarithmic {
			if h > 0 {
				h = math.Log((v.X + h) / v.X)
			}
			x = math.Log(x)
		}
		if !v.Doubted {
			all[v.Sitting] = append(all[v.Sitting], x)
		}
		other = other || v.Extreme || v.Doubted
		if v.Extreme {
			continue
		}
		if v.Bound != "" {
			if c.Bounds == 0 || v.X > c.BoundAt == Upward(v.Bound) {
				c.Bound, c.BoundAt = v.Bound, v.X
			}
			c.Bounds++
		}
		c.HalfWidth = max(c.HalfWidth, h)
		natural = append(natural, v.X)
		in[v.Sitting] = append(in[v.Sitting], x)
	}
	c.Sittings = sums(in)
	if other {
		if c.Scatter = sums(all); c.Scatter == nil {
			c.Scatter = []Sitting{{}}
		}
	}
	if len(natural) > 0 {
		c.Median = Quantile(natural, 0.5)
	}
	return c
}

// sums gives each sitting's sufficient statistics, in the order of their names.
func sums(bySitting map[string][]float64) []Sitting {
	var out []Sitting
	for _, id := range slices.Sorted(maps.Keys(bySitting)) {
		xs := bySitting[id]
		slices.Sort(xs)
		s := Sitting{N: len(xs)}
		for _, x := range xs {
			s.Mean += x
		}
		s.Mean /= float64(s.N)
		for _, x := range xs {
			s.SS += (x - s.Mean) * (x - s.Mean)
		}
		out = append(out, s)
	}
	return out
}

// N is the count of readings in the cell.
func (c Cell) N() int {
	return readings(c.Sittings)
}

// scatter is what the cell tells of its test's repeatability.
func (c Cell) scatter() []Sitting {
	switch {
	case c.Scatter == nil:
		return c.Sittings
	case c.Scatter[0].N == 0:
		return nil
	}
	return c.Scatter
}

// own is what its spread is taken from: what counts, without doubted readings. Those left out for being extreme tell of
// the test alone.
func (c Cell) own() []Sitting {
	if s := c.scatter(); len(s) == 0 || readings(s) < c.N() {
		return s
	}
	return c.Sittings
}

func readings(sittings []Sitting) (n int) {
	for _, s := range sittings {
		n += s.N
	}
	return n
}

// within gives the mean over all readings, the degrees of freedom within sittings and their squares.
func within(sittings []Sitting) (mean, df, ss float64) {
	n := 0
	for _, s := range sittings {
		mean += float64(s.N) * s.Mean
		n += s.N
		df += float64(s.N - 1)
		ss += s.SS
	}
	return mean / math.Max(float64(n), 1), df, ss
}

// Estimate is what a cell's readings say together. Centre, Lo and Hi are on the natural scale; Mean,
// SE and HalfWidth on the working scale.
type Estimate struct {
	Centre      float64 `json:"centre"`
	Lo          float64 `json:"lo"`
	Hi          float64 `json:"hi"`
	Median      float64 `json:"median"`
	N           int     `json:"n"`
	Sittings    int     `json:"sittings"`
	Mean        float64 `json:"-"`
	SE          float64 `json:"se,omitempty" doc:"Standard error on the working scale: relative on ratio scales"`
	DF          float64 `json:"df,omitempty"`
	HalfWidth   float64 `json:"half_width,omitempty"`
	Within      Part    `json:"-"` // SE² is the sum of these parts and of what rounding adds
	Among       Part    `json:"-"`
	Rounding    float64 `json:"-"`
	Level       float64 `json:"-"` // degrees of freedom behind its test's own noise, which others of the test rest on, too; 0 for none
	Bound       string  `json:"bound,omitempty" doc:"at least, more than, or at most"`
	Provisional bool    `json:"provisional,omitempty" doc:"Fewer than 5 degrees of freedom stand behind the repeatability"`
	Typical     bool    `json:"typical,omitempty" doc:"Repeatability as shipped, not yet this desk's own"`
	Exact       bool    `json:"exact,omitempty" doc:"Without an error by its nature: a spec-sheet figure, a price, a count"`
	Unknown     bool    `json:"unknown,omitempty" doc:"How much such a reading scatters is not known: no interval, and no order"`
}

// Graded is the estimate of marks on a rubric: the median, which is all that an order allows, without an interval.
func Graded(c Cell) Estimate {
	e := Estimate{Centre: c.Median, Lo: c.Median, Hi: c.Median, Median: c.Median, Mean: c.Median, N: c.N(),
		Sittings: len(c.Sittings), Exact: true}
	return e
}

// Passed is the estimate of checks that were passed (1) or not (0): the share of passes with its binomial interval
// (Clopper and Pearson, Biometrika 26, 1934).
func Passed(c Cell) Estimate {
	mean, _, _ := within(c.Sittings)
	n := c.N()
	e := Share(mean*float64(n), n)
	e.Median, e.Sittings = c.Median, len(c.Sittings)
	return e
}

// Share is the estimate of so many passes of n checks, with its binomial interval.
func Share(passed float64, n int) Estimate {
	e := Estimate{Centre: passed / float64(n), N: n, Sittings: 1}
	e.Mean, e.Median = e.Centre, e.Centre
	e.Lo, e.Hi = ClopperPearson(int(math.Round(passed)), n, 0.95)
	e.SE = (e.Hi - e.Lo) / 2 / 1.96
	return e
}

// Part is one estimated component of a centre's variance, on the working scale, and its degrees of freedom. That of the
// sittings is shared by all cells that rest on it.
type Part struct{ Variance, DF float64 }

// Parts gives the components of an estimate's variance. One that holds its standard error alone has a single part.
func (e Estimate) Parts() (within, among Part, rounding float64) {
	if e.Within.Variance == 0 && e.Among.Variance == 0 {
		return Part{e.SE * e.SE, e.DF}, Part{}, 0
	}
	return e.Within, e.Among, e.Rounding
}

// together adds independent parts, of which the last is known without error (Satterthwaite, Biometrics Bulletin 2,
// 1946).
func together(a, b Part, exact float64) (se, df float64) {
	v := a.Variance + b.Variance + exact
	if b.Variance == 0 && exact == 0 {
		return math.Sqrt(v), a.DF
	}
	squares := 0.0
	for _, p := range []Part{a, b} {
		if p.DF > 0 {
			squares += p.Variance * p.Variance / p.DF
		}
	}
	return math.Sqrt(v), v * v / squares
}

// RankShare is how much of a cell's degrees of freedom holds in the tails: they match the scatter of ln σ², not its
// farthest end. Found by simulation (docs/trust.md).
const RankShare = 0.75

// Difference gives the standard error of a difference of two centres and its degrees of freedom, (Σ v_k)² / Σ
// (v_k²/ν_k) over distinct variance components, the sittings' component counted once (Satterthwaite, Biometrics
// Bulletin 2, 1946). share takes the degrees of freedom of the cells' own parts down to that share, but not below one:
// 1 for an interval, RankShare where a difference is looked at far out in the tails. It has no more of them than there
// are behind the noise of the test that both rest on.
func Difference(a, b Estimate, share float64) (se, df float64) {
	wa, aa, ra := a.Parts()
	wb, ab, rb := b.Parts()
	sum, squares := ra+rb, 0.0
	for _, p := range [3]Part{{wa.Variance, math.Max(1, share*wa.DF)}, {wb.Variance, math.Max(1, share*wb.DF)},
		{aa.Variance + ab.Variance, math.Max(aa.DF, ab.DF)}} {
		sum += p.Variance
		if p.DF > 0 {
			squares += p.Variance * p.Variance / p.DF
		}
	}
	df = math.Inf(1)
	if squares > 0 {
		df = sum * sum / squares
	}
	if level := math.Min(a.Level, b.Level); level > 0 { // both are off together where the test's noise is hardly known
		df = math.Min(df, math.Max(1, level))
	}
	return math.Sqrt(sum), df
}

// Range gives the ends of a single reading that was read as a range, such as 38 to 52: it is told as that, not as its
// middle.
func (e Estimate) Range(logarithmic bool) (lo, hi float64, ok bool) {
	if e.N != 1 || e.HalfWidth <= 0 || e.Bound != "" {
		return 0, 0, false
	}
	if hi = e.Mean + e.HalfWidth; logarithmic {
		hi = math.Exp(hi)
	}
	return 2*e.Centre - hi, hi, true
}

// Quick is TQuantile between places of a table that are 5 % apart in degrees of freedom, good to 0.2 %, for comparisons
// by the thousand.
func Quick(p, df float64) float64 {
	const step = 0.05
	if df > 1000 || df < 0.25 || math.IsNaN(df) {
		return TQuantile(p, df)
	}
	i, part := math.Modf(math.Log(4*df) / step)
	a, b := TQuantile(p, math.Exp(i*step)/4), TQuantile(p, math.Exp((i+1)*step)/4)
	return a * math.Pow(b/a, part)
}

// tTable keeps what was worked out, by p and df: thousands of cells share a few degrees of freedom. It is emptied when
// it is full.
var (
	tTable sync.Map
	tCount atomic.Int64
)

// TQuantile is the p-quantile of Student's t with df degrees of freedom.
func TQuantile(p, df float64) float64 {
	if df > 1e6 {
		return distuv.UnitNormal.Quantile(p)
	}
	key := [2]float64{p, df}
	if v, ok := tTable.Load(key); ok {
		return v.(float64)
	}
	v := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: df}.Quantile(p)
	if tCount.Add(1) > 1<<15 {
		tTable.Clear()
		tCount.Store(0)
	}
	tTable.Store(key, v)
	return v
}

// TwoSided is the chance that Student's t with df degrees of freedom lies as far from zero as t or farther, either way.
func TwoSided(t, df float64) float64 {
	if math.IsInf(df, 1) || df > 1e6 {
		return math.Erfc(math.Abs(t) / math.Sqrt2)
	}
	return 2 * distuv.StudentsT{Mu: 0, Sigma: 1, Nu: df}.Survival(math.Abs(t))
}

// Tail is the chance that an error of so many degrees of freedom reaches a difference: that Student's t is diff/se or
// more. Without an error only the sign counts.
func Tail(diff, se, df float64) float64 {
	switch {
	case diff <= 0:
		return 1
	case se == 0:
		return 0
	}
	return TwoSided(diff/se, df) / 2
}

// FalseDiscovery is the largest of the chances ps that is still called a discovery at a false discovery rate of q; 0 or
// below where none is (Benjamini and Hochberg, JRSS B 57(1), 1995).
func FalseDiscovery(ps []float64, q float64) float64 {
	sorted := slices.Sorted(slices.Values(ps))
	for i := len(sorted) - 1; i >= 0; i-- {
		if sorted[i] <= q*float64(i+1)/float64(len(sorted)) {
			return sorted[i]
		}
	}
	return -1
}
