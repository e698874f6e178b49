package stats

import (
	"math"

	"gonum.org/v1/gonum/mathext"
)

// Pool is the repeatability of one measure of one test version over all the desk's cells.
type Pool struct {
	SR       float64 `json:"s_r"`               // repeatability standard deviation on the working scale
	DF       float64 `json:"df"`                // its degrees of freedom, the desk's own and typical together
	Own      float64 `json:"own_df"`            // the desk's own part of them
	D0       float64 `json:"d0"`                // prior degrees of freedom of the cells' variances
	S0       float64 `json:"s0"`                // prior standard deviation
	Between  float64 `json:"between,omitempty"` // standard deviation between sittings
	Sittings int     `json:"between_df,omitempty" doc:"Degrees of freedom behind it, those of the typical value among them"`
	Typical  bool    `json:"typical,omitempty"` // rests mainly on the shipped default, not on this desk's runs
	floor    float64 // least variance
	lowD0    float64 // d₀ and s₀ as they would be if cells differed as much more in noise as few cells cannot rule out
	lowS0    float64
	t        float64 // Student's t at 0.975 with DF degrees of freedom

	bsum, bweight float64 // what cells with several sittings say of the between-sitting variance, and their degrees of freedom
}

// Without is the pool's repeatability, between-sitting component and degrees of freedom as they would be without one of
// its cells: what that cell is held against must not rest on it.
func (p Pool) Without(c Cell) Pool {
	sittings := c.scatter()
	if c.Bound != "" || len(sittings) == 0 || p.DF == 0 {
		return p
	}
	mean, df, ss := within(sittings)
	if df == 0 {
		return p
	}
	bsum, bweight := apart(sittings, mean, df, ss, p.floor)
	p.bsum, p.bweight = p.bsum-bsum, p.bweight-bweight
	sum := p.SR*p.SR*p.DF - df*max(ss/df, p.floor, 1e-18)
	p.DF, p.Own = p.DF-df, p.Own-df
	if p.DF < 0.5 || sum < 0 {
		p.SR, p.DF = 0, 0
		return p
	}
	p.SR = math.Sqrt(max(sum/p.DF, p.floor))
	p.between()
	return p
}

// typicalDF is the weight of a shipped default repeatability, in degrees of freedom: a desk's own
// runs outweigh it as soon as they have more.
const typicalDF = 5

// NewPool pools the variances within cells: s_r² = Σνᵢsᵢ²/Σνᵢ (by analogy with ISO 5725-2, cells in
// place of laboratories), each s² floored at resolution²/12, and fits a scaled-inverse-χ² prior
// (d₀, s₀²) to them (Smyth, Stat. Appl. Genet. Mol. Biol. 3(1), 2004), with d₀ capped at Σν.
// typical is the shipped default standard deviation, 0 if there is none. resolution and typical are
// on the working scale. Cells holding bounds do not enter.
func NewPool(cells []Cell, resolution, typical float64) Pool {
	floor := resolution * resolution / 12
	var p Pool
	var sum float64
	var es, half []float64
	for _, c := range cells {
		sittings := c.scatter()
		if c.Bound != "" || len(sittings) == 0 {
			continue
		}
		mean, df, ss := within(sittings)
		if df > 0 {
			s2 := max(ss/df, floor, 1e-18)
			sum += df * s2
			p.Own += df
			es = append(es, math.Log(s2)-digamma(df/2)+math.Log(df/2))
			half = append(half, df/2)
		}
		sum, weight := apart(sittings, mean, df, ss, floor)
		p.bsum, p.bweight = p.bsum+sum, p.bweight+weight
	}
	if p.Own == 0 { // one reading a sitting everywhere: then what runs and sittings scatter cannot be told apart
		for _, c := range cells {
			if k := len(c.scatter()); k >= 2 && c.Bound == "" {
				mean, _, _ := within(c.scatter())
				ss := 0.0
				for _, s := range c.scatter() {
					ss += (s.Mean - mean) * (s.Mean - mean)
				}
				df := float64(k - 1)
				s2 := max(ss/df, floor, 1e-18)
				sum += df * s2
				p.Own += df
				es = append(es, math.Log(s2)-digamma(df/2)+math.Log(df/2))
				half = append(half, df/2)
			}
		}
	}
	p.DF = p.Own
	if typical > 0 {
		sum += typicalDF * typical * typical
		p.DF += typicalDF
		p.Typical = p.Own < typicalDF
	}
	if p.DF == 0 {
		return p
	}
	p.floor = floor
	p.SR = math.Sqrt(max(sum/p.DF, floor))
	p.t = TQuantile(0.975, p.DF)
	p.D0, p.S0 = prior(es, half, p.SR*p.SR, p.DF, 0)
	p.lowD0, p.lowS0 = prior(es, half, p.SR*p.SR, p.DF, caution)
	p.between()
	return p
}

// apart is what a cell's sittings say of the between-sitting variance, times its weight, and that weight: its
// degrees of freedom. It needs a sitting with two readings.
func apart(sittings []Sitting, mean, df, ss, floor float64) (sum, weight float64) {
	if len(sittings) < 2 || df == 0 {
		return 0, 0
	}
	var n, n2, msb float64
	for _, s := range sittings {
		n += float64(s.N)
		n2 += float64(s.N * s.N)
		msb += float64(s.N) * (s.Mean - mean) * (s.Mean - mean)
	}
	d := float64(len(sittings) - 1)
	n0 := (n - n2/n) / d
	return d * (msb/d - max(ss/df, floor)) / n0, d
}

// between makes the component of what was summed up. Few sittings say little: half of s_r stands in for as much as
// typicalDF sittings would say.
func (p *Pool) between() {
	p.Between, p.Sittings = 0, 0
	if p.bweight > 0 {
		weight := p.bweight + typicalDF
		p.Between = math.Sqrt(max((p.bsum+typicalDF*p.SR*p.SR/4)/weight, 0))
		p.Sittings = int(weight)
	}
}

// caution is how many standard errors of the scatter of ln s² are added to it where a comparison needs the tails of a
// cell's own variance: how much cells differ in noise is itself known badly from few of them. Found by simulation
// (docs/methods.md).
const caution = 0.5

// prior fits d₀ and s₀ by the moments of log s² (Smyth 2004, section 6.2).
func prior(es, half []float64, pooled, limit, more float64) (d0, s0 float64) {
	if len(es) < 3 {
		return limit, math.Sqrt(pooled)
	}
	var mean, trigammas float64
	for i, e := range es {
		mean += e / float64(len(es))
		trigammas += known(half[i], trigammaTable, trigamma) / float64(len(es))
	}
	var v float64
	for _, e := range es {
		v += (e - mean) * (e - mean) / float64(len(es)-1)
	}
	excess := v*(1+more*math.Sqrt(2/float64(len(es)-1))) - trigammas
	if excess <= 0 {
		return limit, math.Sqrt(pooled)
	}
	d0 = 2 * trigammaInverse(excess)
	s2 := math.Exp(mean + mathext.Digamma(d0/2) - math.Log(d0/2))
	return min(d0, limit), math.Sqrt(s2)
}

func trigamma(x float64) float64 { return mathext.Zeta(2, x) }

func digamma(x float64) float64 { return known(x, digammaTable, mathext.Digamma) }

func table(f func(float64) float64) []float64 {
	out := make([]float64, 128)
	for i := 1; i < len(out); i++ {
		out[i] = f(float64(i) / 2)
	}
	return out
}

func known(x float64, table []float64, f func(float64) float64) float64 {
	if i := int(2 * x); i > 0 && i < len(table) && float64(i) == 2*x {
		return table[i]
	}
	return f(x)
}

// trigammaInverse solves trigamma(y) = x for x > 0 by Newton steps on 1/trigamma (Smyth 2004, appendix).
func trigammaInverse(x float64) float64 {
	if x > 1e7 {
		return 1 / math.Sqrt(x)
	}
	if x < 1e-6 {
		return 1 / x
	}
	y := 0.5 + 1/x
	for range 50 {
		t := trigamma(y)
		step := t * (1 - t/x) / (-2 * mathext.Zeta(3, y))
		y += step
		if -step/y < 1e-8 {
			break
		}
	}
	return y
}

// Cells have few degrees of freedom, so the same halves of whole numbers come again and again.
var (
	digammaTable  = table(mathext.Digamma)
	trigammaTable = table(trigamma)
)
