package stats

import (
	"math"
	"slices"
)

// effects is how many places the grid of a unit's effect has: ln σ² from −3 to 7.
const effects = 101

const lowestEffect = -3.0

func effectAt(i int) float64 { return lowestEffect + gridStep*float64(i) }

// unitTaus are the values of τ_u looked at: a usual machine is noisier than its like by 2τ_u in ln σ².
var unitTaus = [5]float64{0.03, 0.1, 0.2, 0.35, 0.55}

const (
	noisyShare = 0.05 // of the machines
	noisyFrom  = 1.0  // ln σ²: from where a machine is called noisy
)

// Scatter is what one cell says of noise: of which unit it is, degrees of freedom, ln of the variance.
type Scatter struct {
	Unit  uint32
	Nu, Y float64
}

// Scatters are those of one test version's measure, with the repeatability that it ships with, 0 for none.
type Scatters struct {
	Cells   []Scatter
	Typical float64
}

// UnitNoise is what a unit's cells say of how much noisier it is than others: log likelihoods over the grid of effects.
type UnitNoise [effects]float32

// Noise is what a desk's tests have in common in their noise. The zero value is that of a desk without runs. It does
// not change once it is fitted.
type Noise struct {
	Tests   map[string]TestNoise
	Tau     [unlikes]float64 // how unlike cells are
	Factor  belief           // of shipped repeatabilities, from all tests
	Regular []float64        // what machines differ by that are not noisy; none where units cannot be told from tests
}

// TestNoise is what is known of one test's noise, and what it alone says of the desk's factor.
type TestNoise struct {
	Posterior posterior
	Factor    belief
}

// FitNoise fits tests and units to all that was measured, by test version's measure; so many units there are. The
// units' own sums come back by number.
func FitNoise(tests map[string]Scatters, units int) (Noise, []UnitNoise) {
	n := Noise{Tests: map[string]TestNoise{}}
	sums := make([]UnitNoise, units)
	effect := make([]float64, units)
	keys := make([]string, 0, len(tests))
	for k := range tests {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	several := severalUnits(tests, units)
	for sweep := range 3 { // the last one counts the tests anew alone
		n.fitTests(keys, tests, effect)
		if !several || sweep == 2 {
			break
		}
		clear(sums)
		for _, k := range keys {
			for _, c := range tests[k].Cells {
				n.Count(&sums[c.Unit], k, c.Nu, c.Y)
			}
		}
		n.fitUnits(sums)
		for u := range sums {
			e := n.Effect(&sums[u], nil)
			effect[u] = e.Counted
		}
	}
	return n, sums
}

// severalUnits tells whether two units and two tests have something to say.
func severalUnits(tests map[string]Scatters, units int) bool {
	seen := make([]bool, units)
	us, ts := 0, 0
	for _, t := range tests {
		for _, c := range t.Cells {
			if !seen[c.Unit] {
				seen[c.Unit] = true
				us++
			}
		}
		if len(t.Cells) > 0 {
			ts++
		}
	}
	return us >= 2 && ts >= 2
}

// fitTests finds every test's level, what is common to them, and each again with that.
func (n *Noise) fitTests(keys []string, tests map[string]Scatters, effect []float64) {
	n.Tau, n.Factor = tauPrior, deskFactor
	sums := make([]*likelihood, len(keys))
	for i, k := range keys {
		sums[i] = n.sumOf(tests[k], effect)
	}
	var weight [unlikes]float64
	for i, k := range keys {
		t := TestNoise{Posterior: sums[i].given(about(tests[k].Typical, deskFactor, tauPrior).level, tauPrior)}
		for j, w := range t.Posterior.Weight {
			weight[j] += w
		}
		if s := tests[k].Typical; s > 0 && len(tests[k].Cells) > 0 {
			level, v := sums[i].given(belief{}, tauPrior).level()
			t.Factor = belief{level - 2*math.Log(s), 1 / (v + shippedVariance)}
			n.Factor = n.Factor.and(t.Factor, 1)
		}
		n.Tests[k] = t
	}
	for j := range n.Tau {
		n.Tau[j] = (3*tauPrior[j] + weight[j]) / (3 + float64(len(keys)))
	}
	for i, k := range keys {
		t := n.Tests[k]
		t.Posterior = sums[i].given(n.Prior(k, tests[k].Typical).level, n.Tau)
		n.Tests[k] = t
	}
}

func (n *Noise) sumOf(s Scatters, effect []float64) *likelihood {
	var found []float64
	for _, c := range s.Cells {
		found = append(found, c.Y-effect[c.Unit]-digamma(c.Nu/2)+math.Log(c.Nu/2))
	}
	centre := about(s.Typical, deskFactor, tauPrior).level.Mean
	if len(found) > 0 {
		centre = Quantile(found, 0.5)
	}
	l := centred(centre)
	for _, c := range s.Cells {
		l.add(c.Nu, c.Y-effect[c.Unit], 1)
	}
	return l
}

// and joins two beliefs, the second so many times.
func (k belief) and(other belief, times float64) belief {
	p := k.Precision + times*other.Precision
	return belief{(k.Mean*k.Precision + times*other.Mean*other.Precision) / p, p}
}

// Prior is what is known of a test before its first run, from the others.
func (n Noise) Prior(test string, typical float64) Prior {
	factor, tau := n.Factor, n.Tau
	if n.Factor.Precision == 0 {
		factor, tau = deskFactor, tauPrior
	}
	if own := n.Tests[test].Factor; own.Precision > 0 {
		factor = factor.and(own, -1)
	}
	return about(typical, factor, tau)
}

// Count counts a cell of a test in what its unit's cells say. A test that was not fitted says nothing.
func (n Noise) Count(sum *UnitNoise, test string, nu, y float64) {
	p, ok := n.Tests[test]
	if !ok {
		return
	}
	d := densityOf(nu)
	var mixed [effects]float64
	for t, w := range p.Posterior.Weight {
		if w < 1e-4 {
			continue
		}
		// The effect number i stands at y − level − effect in the table.
		first, part := at(y - p.Posterior.Level[t] - lowestEffect)
		table := &d.f[t]
		for i := range effects {
			j := min(max(first-i, 0), densities-2)
			mixed[i] += w * (table[j] + part*(table[j+1]-table[j]))
		}
	}
	for i, m := range mixed {
		sum[i] += float32(math.Log(m + 1e-300))
	}
}

// fitUnits finds what machines differ by.
func (n *Noise) fitUnits(sums []UnitNoise) {
	var ln [len(unitTaus)]float64
	for t, tau := range unitTaus {
		ln[t] = -tau * tau / 0.18
	}
	density := func(tau float64) (d [effects]float64) {
		for i := range d {
			z := effectAt(i) / (2 * tau)
			d[i] = math.Exp(-z*z/2) / (2 * tau * math.Sqrt(2*math.Pi))
		}
		return d
	}
	var grids [len(unitTaus)][effects]float64
	for t, tau := range unitTaus {
		grids[t] = normalised(density(tau))
	}
	for u := range sums {
		l, silent := likely(&sums[u], nil)
		if silent {
			continue
		}
		loud := loudness(&l)
		for t := range unitTaus {
			regular := 0.0
			for i, x := range grids[t] {
				regular += x * l[i]
			}
			ln[t] += math.Log((1-noisyShare)*regular + noisyShare*loud + 1e-300)
		}
	}
	most := slices.Max(ln[:])
	var sum float64
	var out [effects]float64
	for t := range unitTaus {
		w := math.Exp(ln[t] - most)
		sum += w
		for i, x := range grids[t] {
			out[i] += w * x
		}
	}
	for i := range out {
		out[i] /= sum
	}
	n.Regular = out[:]
}

func normalised(d [effects]float64) [effects]float64 {
	sum := 0.0
	for _, x := range d {
		sum += x
	}
	for i := range d {
		d[i] /= sum
	}
	return d
}

// likely is the likelihood of a unit's effects, 1 at its largest, without what some of its cells say; silent where that
// is nothing.
func likely(sum, without *UnitNoise) (l [effects]float64, silent bool) {
	most, least := math.Inf(-1), math.Inf(1)
	for i, x := range sum {
		l[i] = float64(x)
		if without != nil {
			l[i] -= float64(without[i])
		}
		most, least = math.Max(most, l[i]), math.Min(least, l[i])
	}
	for i := range l {
		l[i] = math.Exp(l[i] - most)
	}
	return l, most-least < 1e-3
}

// loudness is the mean likelihood over the effects of noisy machines.
func loudness(l *[effects]float64) float64 {
	first := int(math.Round((noisyFrom - lowestEffect) / gridStep))
	sum := 0.0
	for _, x := range l[first:] {
		sum += x
	}
	return sum / float64(effects-first)
}

// Effect is how much noisier a unit is by what its cells say, without is what to leave out of them; nil for nothing.
func (n Noise) Effect(sum, without *UnitNoise) Effect {
	if n.Regular == nil || sum == nil {
		return Effect{}
	}
	l, _ := likely(sum, without)
	var regular, m, v float64
	for i, p := range n.Regular {
		x := p * l[i]
		regular += x
		m += x * effectAt(i)
		v += x * effectAt(i) * effectAt(i)
	}
	m, v = m/regular, v/regular
	if loud := loudness(&l); loud > regular {
		first := int(math.Round((noisyFrom - lowestEffect) / gridStep))
		var s, ml, vl float64
		for i := first; i < effects; i++ {
			s += l[i]
			ml += l[i] * effectAt(i)
			vl += l[i] * effectAt(i) * effectAt(i)
		}
		w := regular / loud
		m, v = w*m+(1-w)*ml/s, w*v+(1-w)*vl/s
	}
	const step = 1e-4 // the sums are single precision, and may come in any order
	m, v = math.Round(m/step)*step, math.Round(math.Max(v-m*m, 0)/step)*step
	return Effect{Mean: m, Variance: v, Counted: math.Round(m/gridStep) * gridStep}
}
