package stats

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mathext"
)

// Pool is what is known of the noise of one measure of one test version: from all the desk's cells of it, from what is
// usual between its tests, and from the repeatability that the test ships with. The zero value knows nothing.
type Pool struct {
	SR       float64 `json:"s_r" doc:"Repeatability standard deviation of a usual cell, relative on ratio scales"`
	DF       float64 `json:"df" doc:"Degrees of freedom behind it, the desk's own and those of the shipped value together"`
	Own      float64 `json:"own_df" doc:"The desk's own part of them"`
	Unlike   float64 `json:"unlike,omitempty" doc:"Standard deviation, between cells, of the logarithm of that"`
	Between  float64 `json:"between,omitempty" doc:"Standard deviation between sittings"`
	Sittings int     `json:"between_df,omitempty" doc:"Degrees of freedom behind it, those of the typical value among them"`
	Typical  bool    `json:"typical,omitempty" doc:"Rests mainly on the shipped value, not on this desk's runs"`

	grain  Grain
	log    bool
	known  posterior
	level  float64 // degrees of freedom behind the test's level
	unit   Effect
	joined bool // what runs and sittings scatter cannot be told apart, as it was when the pool was made

	several, among int // cells with a sitting of several readings, and with several sittings

	sums  *likelihood // not changed once it is here
	prior Prior

	ties, pairs   float64 // pairs of readings of one sitting: how many of cells with none but alike ones, and in all
	bsum, bweight float64 // what cells with several sittings say of the between-sitting variance, and their degrees of freedom
}

// Prior is what is known of a test's noise before its first run: how unlike cells are, and its level.
type Prior struct {
	tau     [unlikes]float64
	level   belief
	shipped bool
}

// typicalDF is the weight of a shipped repeatability beside the desk's own degrees of freedom, where that is told.
const typicalDF = 5

// A shipped repeatability is that of other machines: a test's own level scatters about it, and a desk as a whole may be
// noisier, by 1.3 as a rule, than where it was found.
var (
	shippedVariance = 2 * 0.35 * 2 * 0.35
	deskFactor      = belief{Mean: 2 * math.Log(1.3), Precision: 1}
)

// about is the prior of a test whose shipped repeatability is typical, 0 if there is none, on a desk by whose factor it
// is off.
func about(typical float64, factor belief, tau [unlikes]float64) Prior {
	p := Prior{tau: tau}
	if typical > 0 {
		p.level = belief{2*math.Log(typical) + factor.Mean, 1 / (shippedVariance + 1/factor.Precision)}
		p.shipped = true
	}
	return p
}

// Sample is a cell as it enters a pool: with its unit's effect.
type Sample struct {
	Cell
	Unit float64
}

// NewPool is the pool of cells of units that differ in nothing. typical is the shipped standard deviation, 0 if there
// is none; both it and resolution are on the working scale. Cells holding bounds do not enter.
func NewPool(cells []Cell, resolution, typical float64) Pool {
	samples := make([]Sample, len(cells))
	for i, c := range cells {
		samples[i] = Sample{Cell: c}
	}
	return PoolOf(samples, Grain{working: resolution}, false, about(typical, deskFactor, tauPrior))
}

// PoolOf is the pool of samples whose readings have a grain on the natural scale.
func PoolOf(cells []Sample, grain Grain, logarithmic bool, prior Prior) Pool {
	p := Pool{grain: grain, log: logarithmic, prior: prior}
	for _, c := range cells {
		p.sittings(c.Cell, 1)
	}
	p.joined = p.single()
	var found []float64 // levels, as each cell alone has it
	for _, c := range cells {
		if nu, y, ok := p.variance(c.Cell); ok {
			found = append(found, y-c.Unit-mathext.Digamma(nu/2)+math.Log(nu/2))
		}
	}
	centre := prior.level.Mean
	if len(found) > 0 {
		centre = Quantile(found, 0.5)
	}
	p.sums = centred(centre)
	for _, c := range cells {
		p.count(c, 1)
	}
	p.finish()
	return p
}

// sittings counts a cell once, or −1 times, by how its readings fall into sittings.
func (p *Pool) sittings(c Cell, times int) {
	parts := c.scatter()
	if c.Bound != "" {
		return
	}
	if slices.ContainsFunc(parts, func(s Sitting) bool { return s.N > 1 }) {
		p.several += times
	}
	if len(parts) > 1 {
		p.among += times
	}
}

// single tells whether every sitting holds one reading, and cells have several of them.
func (p *Pool) single() bool { return p.several == 0 && p.among > 0 }

// Stands tells whether a pool that was changed is still what it would be if it were made anew: its first sitting of
// several readings, or losing its last, shows what runs scatter in another light.
func (p Pool) Stands() bool { return p.joined == p.single() }

// variance is what a cell tells of its test's noise: degrees of freedom and the logarithm of the variance; false where
// that is nothing.
func (p *Pool) variance(c Cell) (nu, y float64, ok bool) {
	if c.Bound != "" {
		return 0, 0, false
	}
	_, nu, ss := p.within(c.scatter())
	if nu == 0 {
		return 0, 0, false
	}
	step := p.step(c)
	return nu, math.Log(max(ss/nu, step*step/12, 1e-18)), true
}

// ScatterOf is what a cell says of noise: degrees of freedom within its sittings and the logarithm of the variance;
// false where that is nothing.
func ScatterOf(c Cell, grain Grain, logarithmic bool) (nu, y float64, ok bool) {
	p := Pool{grain: grain, log: logarithmic}
	return p.variance(c)
}

// within is what sittings say, as one where they cannot be told from runs.
func (p *Pool) within(sittings []Sitting) (mean, nu, ss float64) {
	mean, nu, ss = within(sittings)
	if p.joined && nu == 0 && len(sittings) > 1 {
		nu = float64(len(sittings) - 1)
		for _, s := range sittings {
			ss += (s.Mean - mean) * (s.Mean - mean)
		}
	}
	return mean, nu, ss
}

// step is the resolution of a cell's readings on the working scale.
func (p *Pool) step(c Cell) float64 { return p.grain.At(c.Median, p.log) }

// count counts a sample once, or −1 times.
func (p *Pool) count(c Sample, times float64) {
	nu, y, ok := p.variance(c.Cell)
	if !ok {
		return
	}
	p.sums.add(nu, y-c.Unit, times)
	p.Own += times * nu
	pairs := 0.0
	for _, s := range c.scatter() {
		pairs += float64(s.N*(s.N-1)) / 2
	}
	p.pairs += times * pairs
	if _, _, ss := within(c.scatter()); ss < 1e-20 {
		p.ties += times * pairs
	}
	mean, df, ss := within(c.scatter())
	step := p.step(c.Cell)
	bsum, weight := apart(c.scatter(), mean, df, ss, step*step/12)
	p.bsum, p.bweight = p.bsum+times*bsum, p.bweight+times*weight
}

// finish works out what the sums say.
func (p *Pool) finish() {
	p.DF, p.Typical, p.SR, p.Unlike = p.Own, false, 0, 0
	if p.prior.shipped {
		p.DF += typicalDF
		p.Typical = p.Own < typicalDF
	}
	if p.DF > 0 {
		p.known = p.sums.given(p.prior.level, p.prior.tau)
		level, v := p.known.level()
		p.level = 2 * quickInverse(math.Max(v, 1e-6))
		p.SR, p.Unlike = math.Exp(level/2), p.known.unlike()
	}
	p.between()
}

// Known tells whether anything is known of the measure's noise.
func (p Pool) Known() bool { return p.DF > 0 && p.sums != nil }

// For is the pool as it stands for the cells of a unit.
func (p Pool) For(u Effect) Pool {
	p.unit = u
	return p
}

// Without is the pool as it would be without one of its unit's cells: what that cell is held against must not rest on
// it.
func (p Pool) Without(c Cell) Pool { return p.Changed([]Sample{{c, p.unit.Counted}}, nil) }

// Changed is the pool without some of its cells and with others.
func (p Pool) Changed(out, in []Sample) Pool {
	if p.sums == nil {
		return p
	}
	sums := *p.sums
	p.sums = &sums
	for _, c := range out {
		p.sittings(c.Cell, -1)
		p.count(c, -1)
	}
	for _, c := range in {
		p.sittings(c.Cell, 1)
		p.count(c, 1)
	}
	if p.Own < 0.5 {
		p.Own = 0
	}
	p.finish()
	return p
}

// One is the standard deviation of one reading of a cell of the unit, without anything that its own readings say, and
// its degrees of freedom; 0 where nothing is known.
func (p Pool) One(c Cell) (sd, df float64) {
	if !p.Known() {
		return 0, 0
	}
	v, df := p.known.spread(p.unit, 0, 0)
	step := p.step(c)
	return math.Sqrt(max(v, step*step/12)), df
}

// First is what one run of a usual machine is good to: the half-width of its interval, on the working scale; 0 where
// nothing is known.
func (p Pool) First() float64 {
	if !p.Known() {
		return 0
	}
	sd, df := p.One(Cell{})
	return Quick(0.975, df) * sd
}

// Held is the standard deviation that a cell's readings are held against, without anything that they say, and its
// degrees of freedom: the root of the expected variance, which noisy cells make larger than the usual one, with eight
// degrees of freedom at least, or as many as there are behind the pool where those are fewer (docs/trust.md).
func (p Pool) Held(c Cell) (sd, df float64) {
	if !p.Known() {
		return 0, 0
	}
	m, v := p.known.beforehand(p.unit)
	_, df = matched(m, v)
	step := p.step(c)
	return math.Max(math.Exp((m+math.Min(v, 2)/2)/2), step/math.Sqrt(12)), math.Max(df, math.Min(8, p.DF))
}

// Ties tells how many pairs of readings there are within sittings, and how many of them are of cells with none but
// alike ones.
func (p Pool) Ties() (ties, of float64) { return p.ties, p.pairs }

// Fine tells whether the grain is so fine about a value that a finer one would change nothing: below a tenth of what a
// reading scatters.
func (p Pool) Fine(x float64) bool { return p.Known() && p.grain.At(x, p.log) < p.SR/10 }

// Grain is how finely the pool's readings are told.
func (p Pool) Grain() Grain { return p.grain }

// SittingSpread is the standard deviation between sittings where means of them are held against each other, and its
// degrees of freedom. One that was never seen has two.
func (p Pool) SittingSpread() (sd, df float64) {
	return math.Sqrt(max((p.bsum+2*p.SR*p.SR)/(p.bweight+2), 0)), p.bweight + 2
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
	if p.bweight > 0.5 {
		weight := p.bweight + typicalDF
		p.Between = math.Sqrt(max((p.bsum+typicalDF*p.SR*p.SR/4)/weight, 0))
		p.Sittings = int(math.Round(weight))
	}
}

// Estimate gives a cell's centre and 95 % interval: mean ± t(0.975)·SE, SE² = s̃²/n and what rounding and the sittings
// add. A bounded cell has the bound as centre and no interval; nor has one of a measure of whose noise nothing is
// known.
func (p Pool) Estimate(c Cell, logarithmic bool) Estimate {
	natural := func(x float64) float64 {
		if logarithmic {
			return math.Exp(x)
		}
		return x
	}
	mean, _, _ := within(c.Sittings)
	_, nu, ss := p.within(c.own())
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
	if !p.Known() {
		e.Unknown = true
		e.Lo, e.Hi = natural(mean-e.HalfWidth), natural(mean+e.HalfWidth)
		return e
	}
	step := p.step(c)
	floor := step * step / 12
	s2, df := p.known.spread(p.unit, nu, max(ss, nu*floor, nu*1e-18))
	s2 = max(s2, floor)
	e.Within, e.Level = Part{s2 / float64(n), df}, p.level
	if !p.joined {
		e.Among = Part{p.Between * p.Between / float64(len(c.Sittings)), float64(max(p.Sittings, 1))}
	}
	if step > 0 { // rounding does not average out
		e.Rounding = floor * math.Exp(-4*math.Pi*math.Pi*max(0, s2-floor)/(step*step))
	}
	e.SE, e.DF = together(e.Within, e.Among, e.Rounding)
	e.Provisional, e.Typical = p.DF < 5, p.Typical
	w := Quick(0.975, e.DF)*e.SE + e.HalfWidth
	e.Lo, e.Hi = natural(mean-w), natural(mean+w)
	return e
}
