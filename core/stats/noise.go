package stats

import (
	"math"
	"sync"
	"sync/atomic"

	"gonum.org/v1/gonum/mathext"
)

// How noisy is a cell? ln σ² = test + unit + rest: a test's own level, how much noisier one machine is in all of its
// tests, and a rest that scatters from cell to cell with a standard deviation of 2τ, or, for one cell in twenty, lies
// far above (after Smyth, Stat. Appl. Genet. Mol. Biol. 3(1), 2004; Phipson, Lee, Majewski, Alexander, Smyth, Ann.
// Appl. Stat. 10(2), 2016). All of it is worked out on grids: τ, level, unit.

// unlikes is how many values of τ, the standard deviation of ln σ between cells, are looked at.
const unlikes = 7

var (
	taus      = [unlikes]float64{0.05, 0.15, 0.3, 0.45, 0.65, 0.9, 1.3}
	tauPrior  = [unlikes]float64{0.173, 0.206, 0.210, 0.185, 0.138, 0.077, 0.011}
	tauDF     [unlikes]float64 // d with ψ₁(d/2) = (2τ)²
	tauOffset [unlikes]float64 // ψ(d/2) − ln(d/2): by so much ln s₀² lies above the mean of ln σ²
	oddShifts = [4]float64{2 * math.Log(3), 2 * math.Log(6), 2 * math.Log(12), 2 * math.Log(24)}
)

const (
	oddShare  = 0.05
	gridStep  = 0.1
	levels    = 141 // of a test: its centre ± 7
	densities = 501 // of a table of densities: ± 25
	midway    = densities / 2
)

func init() {
	for i, t := range taus {
		tauDF[i] = 2 * trigammaInverse(4*t*t)
		tauOffset[i] = mathext.Digamma(tauDF[i]/2) - math.Log(tauDF[i]/2)
	}
}

// density holds, for variances of so many degrees of freedom, what is asked again and again.
type density struct {
	f, lnF     [unlikes][densities]float64 // the density of y − level, odd cells among them, and its logarithm
	psi, psi1  [unlikes]float64            // ψ and ψ₁ of (d + ν)/2
	lnB, ratio [unlikes]float64            // ln B(ν/2, d/2) and ν/d
	nu         float64
}

var (
	densityTable sync.Map // by degrees of freedom
	densityCount atomic.Int64
)

// densityOf gives the table for ν > 0 degrees of freedom. Few ν occur; beyond 200 they are taken in steps of a tenth.
func densityOf(nu float64) *density {
	if nu > 200 {
		nu = math.Exp(math.Round(10*math.Log(nu)) / 10)
	}
	if d, ok := densityTable.Load(nu); ok {
		return d.(*density)
	}
	d := &density{nu: nu}
	for t := range taus {
		d.ratio[t] = nu / tauDF[t]
		d.lnB[t] = mathext.Lbeta(nu/2, tauDF[t]/2)
		d.psi[t] = mathext.Digamma((tauDF[t] + nu) / 2)
		d.psi1[t] = trigamma((tauDF[t] + nu) / 2)
		for i := range densities {
			z := float64(i-midway) * gridStep
			odd := 0.0
			for _, o := range oddShifts {
				odd += math.Exp(d.regular(t, z-o))
			}
			d.f[t][i] = (1-oddShare)*math.Exp(d.regular(t, z)) + oddShare/4*odd + 1e-300
			d.lnF[t][i] = math.Log(d.f[t][i])
		}
	}
	if densityCount.Add(1) > 512 {
		densityTable.Clear()
		densityCount.Store(0)
	}
	densityTable.Store(nu, d)
	return d
}

// regular is the log density of ln(S/ν) − level of a cell that is not odd: that of the logarithm of F(ν, d).
func (d *density) regular(t int, z float64) float64 {
	x := z - tauOffset[t]
	more := x + math.Log(d.ratio[t]) // ln(1 + ν·eˣ/d) without overflow
	ln := math.Max(more, 0) + math.Log1p(math.Exp(-math.Abs(more)))
	return d.nu*x/2 + d.nu/2*math.Log(d.ratio[t]) - (d.nu+tauDF[t])/2*ln - d.lnB[t]
}

// at splits a place into one of the table and how far it is to the next.
func at(z float64) (i int, part float64) {
	z = z/gridStep + midway
	if !(z > 0) {
		return 0, 0
	}
	if z >= densities-1 {
		return densities - 2, 1
	}
	i = int(z)
	return i, z - float64(i)
}

// likelihood is the log likelihood of a test's level, for every τ, over a grid of levels that begins at from·0.1.
type likelihood struct {
	from int
	sum  [unlikes][levels]float64
}

// centred makes an empty one about a level.
func centred(level float64) *likelihood {
	return &likelihood{from: int(math.Round(level/gridStep)) - levels/2}
}

// add counts a cell's ln variance y of ν degrees of freedom so many times: once, or −1 times to take it away.
func (l *likelihood) add(nu, y, times float64) {
	d := densityOf(nu)
	// Level j stands at y − (from + j)·0.1 in the table.
	first, part := math.Modf(y/gridStep + 1e6)
	at := int(first) - 1e6 - l.from + midway
	for t := range taus {
		row, table := &l.sum[t], &d.lnF[t]
		for j := range levels {
			i := min(max(at-j, 0), densities-2)
			row[j] += times * (table[i] + part*(table[i+1]-table[i]))
		}
	}
}

// belief is a normal prior of something; the zero value says nothing.
type belief struct{ Mean, Precision float64 }

func (k belief) ln(x float64) float64 { return -k.Precision * (x - k.Mean) * (x - k.Mean) / 2 }

// posterior is what is known of a test's noise: for every τ its weight, and the mean and variance of its level.
type posterior struct {
	Weight   [unlikes]float64 `json:"w"`
	Level    [unlikes]float64 `json:"a"`
	Variance [unlikes]float64 `json:"v"`
}

// given makes the posterior with what is known of levels and of τ beforehand.
func (l *likelihood) given(level belief, tau [unlikes]float64) (p posterior) {
	var sum [unlikes]float64
	most := math.Inf(-1)
	var prior [levels]float64
	for j := range levels {
		prior[j] = level.ln(gridStep * float64(l.from+j))
	}
	var ln [unlikes][levels]float64
	for t := range taus {
		base := math.Log(tau[t])
		for j, x := range l.sum[t] {
			x += base + prior[j]
			ln[t][j] = x
			if x > most {
				most = x
			}
		}
	}
	all := 0.0
	for t := range taus {
		var m1, m2 float64
		for j, y := range ln[t] {
			if y < most-25 { // less than is told
				continue
			}
			w, x := math.Exp(y-most), float64(j)
			sum[t] += w
			m1 += w * x
			m2 += w * x * x
		}
		all += sum[t]
		if sum[t] > 0 {
			m1, m2 = m1/sum[t], m2/sum[t]
			p.Level[t] = gridStep * (float64(l.from) + m1)
			p.Variance[t] = gridStep * gridStep * math.Max(m2-m1*m1, 0)
		}
	}
	for t := range taus {
		p.Weight[t] = told(sum[t] / all)
		p.Level[t], p.Variance[t] = told(p.Level[t]), told(p.Variance[t])
	}
	return p
}

// told rounds what was found to a millionth, so that it does not depend on the order in which cells were counted.
func told(x float64) float64 { return math.Round(x*1e6) / 1e6 }

// level is the mean and the variance of the test's level over all τ.
func (p posterior) level() (mean, variance float64) {
	for t := range taus {
		mean += p.Weight[t] * p.Level[t]
	}
	for t := range taus {
		variance += p.Weight[t] * (p.Variance[t] + (p.Level[t]-mean)*(p.Level[t]-mean))
	}
	return mean, variance
}

// unlike is the mean τ.
func (p posterior) unlike() (mean float64) {
	for t, tau := range taus {
		mean += p.Weight[t] * tau
	}
	return mean
}

// Effect is how much noisier a unit is than others in the same test, in ln σ²: what its other tests say, and the
// variance of that. Counted is the effect under which its cells stand in their tests' own likelihoods.
type Effect struct{ Mean, Variance, Counted float64 }

// spread gives the variance of one reading of a cell whose readings have ν degrees of freedom and the sum of squares s,
// and the degrees of freedom of that variance.
func (p posterior) spread(u Effect, nu, s float64) (variance, df float64) {
	if nu == 0 {
		return matched(p.beforehand(u))
	}
	d := densityOf(nu)
	y := math.Log(s / nu)
	part := func(o float64) func(t int) (mean, variance float64) {
		return func(t int) (mean, variance float64) {
			s0 := math.Exp(p.Level[t] + u.Mean + o + tauOffset[t])
			all := tauDF[t] + nu
			share := tauDF[t] / all
			return math.Log((tauDF[t]*s0+s)/2) - d.psi[t], d.psi1[t] + share*share*(p.Variance[t]+u.Variance)
		}
	}
	m, v := moments(part(0), p.Weight)
	var regular, odd float64
	var weights [len(oddShifts)][unlikes]float64
	for t, w := range p.Weight {
		if w < 1e-9 {
			continue
		}
		z := y - p.Level[t] - u.Mean
		regular += w * math.Exp(d.regular(t, z))
		for i, o := range oddShifts {
			weights[i][t] = w * math.Exp(d.regular(t, z-o)) / 4
			odd += weights[i][t]
		}
	}
	if !(odd > regular) { // at least as likely as any other: not odd
		return matched(m, v)
	}
	// The odd part is a mixture over its shifts, and the whole one of both.
	w := regular / odd
	var mean, square float64
	for i, o := range oddShifts {
		share := 0.0
		for _, x := range weights[i] {
			share += x
		}
		if share == 0 {
			continue
		}
		mo, vo := moments(part(o), weights[i])
		mean += share / odd * mo
		square += share / odd * (vo + mo*mo)
	}
	all := w*m + (1-w)*mean
	v = w*(v+m*m) + (1-w)*square - all*all
	return matched(all, v)
}

// beforehand is the mean and variance of ln σ² of a cell of the unit without readings.
func (p posterior) beforehand(u Effect) (mean, variance float64) {
	return moments(func(t int) (mean, variance float64) {
		return p.Level[t] + u.Mean, 4*taus[t]*taus[t] + p.Variance[t] + u.Variance
	}, p.Weight)
}

// moments mixes means and variances by weight (the law of total variance).
func moments(of func(t int) (mean, variance float64), weight [unlikes]float64) (mean, variance float64) {
	var sum, square float64
	for t, w := range weight {
		if w < 1e-9 {
			continue
		}
		m, v := of(t)
		sum += w
		mean += w * m
		square += w * (v + m*m)
	}
	mean /= sum
	return mean, math.Max(square/sum-mean*mean, 1e-12)
}

// matched is the scaled inverse χ² whose logarithm has this mean and variance: its scale and degrees of freedom.
func matched(mean, variance float64) (scale, df float64) {
	df = math.Max(1, 2*quickInverse(variance))
	return math.Exp(mean + mathext.Digamma(df/2) - math.Log(df/2)), df
}
