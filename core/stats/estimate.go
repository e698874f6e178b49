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
	Scatter   []Sitting `json:"scatter,omitempty"`  // with the readings that are left out for being extreme; none where there are none
}

// Value is one reading on its way into a cell: natural value, half-width of its range, sitting. Extreme marks
// one that was taken out for being extreme and nothing else: it counts for the test's repeatability alone.
type Value struct {
	X         float64
	HalfWidth float64
	Sitting   string
	Bound     string
	Extreme   bool
}

// Upward tells whether a bound leaves the true value open upwards: "at least" and "more than" do, "at most" does not.
func Upward(bound string) bool { return bound != "at most" }

// NewCell sums up readings. With logarithmic set, values must be above zero. Order does not matter. A
// cell without readings that count has no sittings.
func NewCell(values []Value, logarithmic bool) Cell {
	var c Cell
	var natural []float64
	in, all := map[string][]float64{}, map[string][]float64{}
	extreme := false
	for _, v := range values {
		x, h := v.X, v.HalfWidth
		if logarithmic {
			if h > 0 {
				h = math.Log((v.X + h) / v.X)
			}
			x = math.Log(x)
		}
		all[v.Sitting] = append(all[v.Sitting], x)
		if v.Extreme {
			extreme = true
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
	if extreme {
		c.Scatter = sums(all)
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
	n := 0
	for _, s := range c.Sittings {
		n += s.N
	}
	return n
}

// scatter is what the cell tells of its test's repeatability.
func (c Cell) scatter() []Sitting {
	if c.Scatter != nil {
		return c.Scatter
	}
	return c.Sittings
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
	return mean / float64(n), df, ss
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
	Pooled      bool    `json:"pooled" doc:"The variance is the measure's pooled repeatability, shared with other cells"`
	Within      Part    `json:"-"` // SE² is the sum of both parts
	Among       Part    `json:"-"`
	Alone       Part    `json:"-"` // what Within would be by the cell's own moderated variance
	Bound       string  `json:"bound,omitempty" doc:"at least, more than, or at most"`
	Provisional bool    `json:"provisional,omitempty" doc:"Fewer than 5 degrees of freedom stand behind the repeatability"`
	Typical     bool    `json:"typical,omitempty" doc:"Repeatability as shipped, not yet this desk's own"`
	Exact       bool    `json:"exact,omitempty" doc:"No interval: a spec-sheet figure or no repeatability known"`
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

// Part is one estimated component of a centre's variance, on the working scale, and its degrees of freedom. Parts of
// the pool and of the sittings are shared by all cells that rest on them.
type Part struct{ Variance, DF float64 }

// Parts gives the components of an estimate's variance. One that holds its standard error alone has a single part.
func (e Estimate) Parts() (within, among Part) {
	if e.Within.Variance == 0 && e.Among.Variance == 0 {
		return Part{e.SE * e.SE, e.DF}, Part{}
	}
	return e.Within, e.Among
}

// At gives the estimate as a comparison at another level needs it: of the pooled variance and the moderated one it
// takes that which makes the wider interval there. Far out in the tails the degrees of freedom weigh more than at 95 %:
// where cells differ in noise, few cells may rest on the pool.
func (e Estimate) At(p float64) Estimate {
	if e.Alone.DF > 0 && e.Alone.Variance > 0 && math.Sqrt(e.Alone.Variance)*tQuantile(p,
		e.Alone.DF) > math.Sqrt(e.Within.Variance)*tQuantile(p, e.Within.DF) {
		e.Within, e.Pooled = e.Alone, false
		e.SE, e.DF = together(e.Within, e.Among)
	}
	return e
}

// together adds two independent parts (Satterthwaite, Biometrics Bulletin 2, 1946).
func together(a, b Part) (se, df float64) {
	v := a.Variance + b.Variance
	if b.Variance == 0 {
		return math.Sqrt(v), a.DF
	}
	return math.Sqrt(v), v * v / (a.Variance*a.Variance/a.DF + b.Variance*b.Variance/b.DF)
}

// Difference gives the standard error of a difference of two centres and its degrees of freedom, (Σ v_k)² / Σ
// (v_k²/ν_k) over distinct variance components, the pool and the sittings' component counted once (Satterthwaite,
// Biometrics Bulletin 2, 1946).
func Difference(a, b Estimate) (se, df float64) {
	wa, aa := a.Parts()
	wb, ab := b.Parts()
	own := []Part{{aa.Variance + ab.Variance, math.Max(aa.DF, ab.DF)}}
	if a.Pooled && b.Pooled {
		own = append(own, Part{wa.Variance + wb.Variance, math.Max(wa.DF, wb.DF)})
	} else {
		own = append(own, wa, wb)
	}
	var sum, squares float64
	for _, p := range own {
		sum += p.Variance
		if p.DF > 0 {
			squares += p.Variance * p.Variance / p.DF
		}
	}
	if squares == 0 {
		return math.Sqrt(sum), math.Inf(1)
	}
	return math.Sqrt(sum), sum * sum / squares
}

// Estimate gives a cell's centre and 95 % interval: mean ± t(0.975)·SE with the pooled variance s_r², or the
// moderated (d₀s₀² + νs²)/(d₀ + ν) with d₀ + ν degrees of freedom, whichever makes the wider
// interval: where cells differ in noise, d₀ is small, and one run says so by its t. The between-sitting
// component is added per sitting. A bounded cell has the bound as centre and no interval.
func (p Pool) Estimate(c Cell, logarithmic bool) Estimate {
	natural := func(x float64) float64 {
		if logarithmic {
			return math.Exp(x)
		}
		return x
	}
	mean, df, ss := within(c.Sittings)
	n := c.N()
	e := Estimate{Centre: natural(mean), Mean: mean, Median: c.Median, N: n, Sittings: len(c.Sittings),
		HalfWidth: c.HalfWidth}
	if c.Bound != "" {
		e.Bound, e.Centre = c.Bound, c.BoundAt
		e.Lo, e.Hi = c.BoundAt, c.BoundAt
		e.Mean = c.BoundAt
		if logarithmic {
			e.Mean = math.Log(c.BoundAt)
		}
		return e
	}
	if p.DF == 0 {
		e.Lo, e.Hi, e.Exact = e.Centre, e.Centre, true
		return e
	}
	s2 := (p.D0*p.S0*p.S0 + ss) / (p.D0 + df)
	e.DF = p.D0 + df
	e.Alone = Part{(p.lowD0*p.lowS0*p.lowS0 + ss) / (p.lowD0 + df) / float64(n), p.lowD0 + df}
	if math.Sqrt(s2)*TQuantile(0.975, e.DF) <= p.SR*p.t {
		s2, e.Pooled, e.DF = p.SR*p.SR, true, p.DF
	}
	e.Within = Part{s2 / float64(n), e.DF}
	e.Among = Part{p.Between * p.Between / float64(len(c.Sittings)), float64(max(p.Sittings, 1))}
	e.SE, e.DF = together(e.Within, e.Among)
	e.Provisional, e.Typical = p.DF < 5, p.Typical
	w := TQuantile(0.975, e.DF)*e.SE + e.HalfWidth
	e.Lo, e.Hi = natural(mean-w), natural(mean+w)
	return e
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

// Quick is TQuantile from a table, for comparisons by the thousand.
func Quick(p, df float64) float64 { return tQuantile(p, df) }

// tQuantile is TQuantile with degrees of freedom taken to the next lower quarter, so that few are asked for.
func tQuantile(p, df float64) float64 {
	if df > 1000 || df < 0.25 || math.IsNaN(df) {
		return TQuantile(p, df)
	}
	return TQuantile(p, math.Floor(4*df)/4)
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

// Moderated shrinks variances towards their common prior (Smyth 2004): each becomes (d₀s₀² + νs²)/(d₀ + ν)
// with d₀ + ν degrees of freedom, d₀ capped at Σν. Variances of zero count as very small.
func Moderated(variances, dfs []float64) (moderated, df []float64) {
	var es, half []float64
	var sum, all float64
	for i, v := range variances {
		v = max(v, 1e-18)
		es = append(es, math.Log(v)-digamma(dfs[i]/2)+math.Log(dfs[i]/2))
		half = append(half, dfs[i]/2)
		sum, all = sum+v*dfs[i], all+dfs[i]
	}
	d0, s0 := prior(es, half, sum/all, all, 0)
	if len(es) < 3 {
		d0 = 0
	}
	for i, v := range variances {
		moderated = append(moderated, (d0*s0*s0+dfs[i]*v)/(d0+dfs[i]))
		df = append(df, min(d0+dfs[i], all))
	}
	return moderated, df
}

// TwoSided is the chance that Student's t with df degrees of freedom lies as far from zero as t or farther, either way.
func TwoSided(t, df float64) float64 {
	if math.IsInf(df, 1) || df > 1e6 {
		return math.Erfc(math.Abs(t) / math.Sqrt2)
	}
	return 2 * distuv.StudentsT{Mu: 0, Sigma: 1, Nu: df}.Survival(math.Abs(t))
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
