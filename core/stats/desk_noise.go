package stats

import (
	"maps"
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
	Told      bool // by a cell of its own
}

// FitNoise fits tests and units to all that was measured, by test version's measure; so many units there are. The
// units' own sums come back by number.
func FitNoise(tests map[string]Scatters, units int) (Noise, []UnitNoise) {
	return (&NoiseFitter{once: true}).Fit(tests, units)
}

// NoiseFitter fits noise again and again to what changes little, and finds the same as FitNoise: it keeps what it found
// of each test, and looks anew at those only whose cells, or what is known of them beforehand, are other ones. The zero
// value is ready; one caller at once.
type NoiseFitter struct {
	once bool // what cells say of units is not kept: that is 404 bytes for each
	kept [sweeps]map[string]*fittedTest
}

// sweeps is how often tests are fitted; the last time, they alone are.
const sweeps = 3

// fittedTest is what was found of a test whose cells stood under such effects of their units.
type fittedTest struct {
	Scatters
	effects []float64
	sums    *likelihood
	alone   posterior // under what is known of every test
	factor  belief
	prior   Prior
	last    posterior   // under prior
	says    []UnitNoise // what each cell says of its unit, with that; nil where nobody asked
}

// fit finds what the test says by itself.
func (s Scatters) fit(effect []float64) *fittedTest {
	t := &fittedTest{Scatters: s, effects: s.under(effect), sums: s.sum(effect)}
	t.alone = t.sums.given(about(s.Typical, deskFactor, tauPrior).level, tauPrior)
	if s.Typical > 0 && len(s.Cells) > 0 {
		level, v := t.sums.given(belief{}, tauPrior).level()
		t.factor = belief{level - 2*math.Log(s.Typical), 1 / (v + shippedVariance)}
	}
	return t
}

// under gives the effect of each cell's unit.
func (s Scatters) under(effect []float64) []float64 {
	out := make([]float64, len(s.Cells))
	for i, c := range s.Cells {
		out[i] = effect[c.Unit]
	}
	return out
}

// of tells whether that is what it was found from.
func (t *fittedTest) of(s Scatters, effect []float64) bool {
	return t != nil && t.Typical == s.Typical && slices.Equal(t.Cells, s.Cells) && slices.EqualFunc(t.Cells, t.effects,
		func(c Scatter, e float64) bool { return effect[c.Unit] == e })
}

// tell adds what the test's cells say to their units' sums.
func (t *fittedTest) tell(n Noise, key string, sums []UnitNoise, once bool) {
	if once {
		for _, c := range t.Cells {
			n.Count(&sums[c.Unit], key, c.Nu, c.Y)
		}
		return
	}
	if t.says == nil {
		t.says = make([]UnitNoise, len(t.Cells))
		for i, c := range t.Cells {
			n.Count(&t.says[i], key, c.Nu, c.Y)
		}
	}
	for i, c := range t.Cells {
		for j, x := range t.says[i] {
			sums[c.Unit][j] += x
		}
	}
}

// Fit is FitNoise.
func (f *NoiseFitter) Fit(tests map[string]Scatters, units int) (Noise, []UnitNoise) {
	n := Noise{Tests: map[string]TestNoise{}}
	sums := make([]UnitNoise, units)
	effect := make([]float64, units)
	keys := slices.Sorted(maps.Keys(tests))
	several := severalUnits(tests, units)
	for sweep := range sweeps {
		f.fitTests(&n, sweep, keys, tests, effect)
		if !several || sweep == sweeps-1 {
			break
		}
		clear(sums)
		for _, k := range keys {
			f.kept[sweep][k].tell(n, k, sums, f.once)
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
func (f *NoiseFitter) fitTests(n *Noise, sweep int, keys []string, tests map[string]Scatters, effect []float64) {
	n.Tau, n.Factor = tauPrior, deskFactor
	found := make(map[string]*fittedTest, len(keys))
	var weight [unlikes]float64
	for _, k := range keys {
		t := f.kept[sweep][k]
		if sweep > 0 && !t.of(tests[k], effect) {
			t = f.kept[sweep-1][k]
		}
		if !t.of(tests[k], effect) {
			t = tests[k].fit(effect)
		}
		found[k] = t
		for j, w := range t.alone.Weight {
			weight[j] += w
		}
		if t.factor.Precision > 0 {
			n.Factor = n.Factor.and(t.factor, 1)
		}
		n.Tests[k] = TestNoise{Factor: t.factor}
	}
	for j := range n.Tau {
		root := math.Sqrt((3*tauPrior[j] + weight[j]) / (3 + float64(len(keys))))
		n.Tau[j] = math.Pow(max(math.Round(40*root), 1)/40, 2)
	}
	for _, k := range keys {
		t := found[k]
		if prior := n.Prior(k, t.Typical); prior != t.prior {
			again := *t
			again.prior, again.last, again.says = prior, t.sums.given(prior.level, prior.tau), nil
			t, found[k] = &again, &again
		}
		n.Tests[k] = TestNoise{t.last, t.factor, len(t.Cells) > 0}
	}
	f.kept[sweep] = found
}

// sum is the likelihood of the test's level, its cells under such effects of their units.
func (s Scatters) sum(effect []float64) *likelihood {
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
	// What tests have in common is taken in steps: it is not known any better, and one run more need not change it.
	factor = belief{math.Round(20*factor.Mean) / 20, math.Exp(math.Round(10*math.Log(factor.Precision)) / 10)}
	return about(typical, factor, tau)
}

// Usual is the standard deviation of one reading of a usual machine in a test, whose shipped one is typical, 0 if there
// is none; false where nothing is known of it.
func (n Noise) Usual(test string, typical float64) (sd float64, known bool) {
	t, fitted := n.Tests[test]
	level, _ := t.Posterior.level()
	if !fitted {
		level = n.Prior(test, typical).level.Mean
	}
	return math.Exp(level / 2), typical > 0 || fitted && t.Told
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
