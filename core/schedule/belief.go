package schedule

import (
	"cmp"
	"maps"
	"math"
	"slices"
)

// believed is a measure with what is believed of every variant in it, and its rivals as they will be with what is on
// the bench already.
type believed struct {
	*Measure
	weight     float64 // of a pair
	tau2       float64 // variance of a figure about what is believed
	sd         float64 // of one reading of a usual machine
	margin     float64
	c          float64               // critical multiple
	mu         float64               // of a variant of no effect
	effects    []float64             // of variants
	then       map[int]after         // of variants with a test on its way
	rivals     []rival               // the same, in bins where they are many
	some       float64               // how many there are
	wide       float64               // largest variance among them
	ends       []float64             // where rivals are, where there are many machines; so the next
	table      [len(times)][]float64 // what a missing figure gains, by times and by what is believed of it
	from, step float64               // of the table
	here       []bool                // which variants could be put on the bench
	hopes      bool                  // some rivals are those that could be, since there are none yet
}

// after is a figure as it will be: where it is expected, the variance of that, and its own squared standard error.
type after struct {
	at, v, se2 float64
	has        bool
}

// rival is so many figures at one place.
type rival struct {
	after
	count float64
}

const (
	sweeps   = 6
	shrink   = 1.5  // figures that a variant's effect of nothing counts for
	spread   = 1.21 // residuals are smaller than what is still to come
	poolsAs  = 5.0  // figures that all measures together count for in one's variance
	unknownS = 0.03 // of one reading where nobody knows
	unlike   = 0.15 // standard deviation of figures where none were measured
	hoped    = 0.5  // of a rival is one that has no figure yet either, where there are not two
	many     = 128  // rivals, beyond which they go into bins
	bins     = 96
)

// believe fits the two effects: value = measure + variant, over the measures on a logarithmic scale; on others a
// variant is expected where the rest are.
func believe(d *Desk, weights map[string]float64) []*believed {
	out := make([]*believed, len(d.Measures))
	effects := variantEffects(d)
	for i := range d.Measures {
		m := &d.Measures[i]
		b := &believed{Measure: m, sd: m.SD, margin: m.Margin, effects: effects, then: map[int]after{}}
		if b.sd == 0 {
			b.sd = unknownS
		}
		out[i] = b
	}
	pool, all := 0.0, 0.0
	own := make([]float64, len(out))
	count := make([]float64, len(out))
	for i, b := range out {
		b.mu = b.centre(effects)
		for _, c := range b.Cells {
			if c.N == 0 || c.Never {
				continue
			}
			e := float64(c.At) - b.believes(int(c.Variant))
			own[i] += max(e*e-b.reading2(c)/float64(c.N), 0)
			count[i]++
		}
		if b.Log {
			pool, all = pool+own[i], all+count[i]
		}
	}
	pool /= max(all, 1)
	if all == 0 {
		pool = unlike * unlike
	}
	for i, b := range out {
		if b.Log {
			b.tau2 = spread * (poolsAs*pool + own[i]) / (poolsAs + count[i])
		} else {
			b.tau2 = spread * own[i] / max(count[i], 1)
		}
		b.tau2 = max(b.tau2, b.sd*b.sd)
		b.c = critical(count[i])
	}
	weigh(out, weights)
	return out
}

// sign is −1 where less is better, so that a fast variant is one in all measures.
func (m *Measure) sign() float64 {
	if m.Lower {
		return -1
	}
	return 1
}

// believes is where a variant is expected in the measure.
func (b *believed) believes(v int) float64 {
	if !b.Log {
		return b.mu
	}
	return b.mu + b.sign()*b.effects[v]
}

// now is a cell as a figure.
func (b *believed) now(c Cell) after {
	return after{float64(c.At), 0, b.reading2(c) / float64(c.N), true}
}

// at is the figure of a variant as it will be with what is on its way.
func (b *believed) at(v int) after {
	if x, ok := b.then[v]; ok {
		return x
	}
	if c := b.cell(v); c.N > 0 && !c.Never {
		return b.now(c)
	}
	return after{}
}

// reading2 is the variance of one reading of a cell.
func (b *believed) reading2(c Cell) float64 {
	if c.SD > 0 && !c.Unknown {
		return float64(c.SD) * float64(c.SD)
	}
	return b.sd * b.sd
}

// centre is where a measure's figures are without their variants' effects.
func (b *Measure) centre(effects []float64) float64 {
	sum, n := 0.0, 0.0
	for _, c := range b.Cells {
		if c.N == 0 || c.Never {
			continue
		}
		x := float64(c.At)
		if b.Log {
			x -= b.sign() * effects[c.Variant]
		}
		sum, n = sum+x, n+1
	}
	return sum / max(n, 1)
}

// variantEffects are how much better each variant is than others, on logarithmic scales.
func variantEffects(d *Desk) []float64 {
	a := make([]float64, len(d.Machines))
	sum, count := make([]float64, len(a)), make([]float64, len(a))
	for range sweeps {
		clear(sum)
		clear(count)
		for i := range d.Measures {
			m := &d.Measures[i]
			if !m.Log {
				continue
			}
			mu, sign := m.centre(a), m.sign()
			for _, c := range m.Cells {
				if c.N > 0 && !c.Never {
					sum[c.Variant] += sign * (float64(c.At) - mu)
					count[c.Variant]++
				}
			}
		}
		for v := range a {
			a[v] = sum[v] / (count[v] + shrink)
		}
	}
	return a
}

// critical is the multiple of its standard error that a difference must exceed among so many figures (Bonferroni).
func critical(figures float64) float64 {
	pairs := max(figures*(figures-1)/2, 1)
	return math.Sqrt2 * math.Erfinv(1-0.05/pairs)
}

// weigh makes a pair of an area with few measures count for more than one of an area with many; the mean is 1.
func weigh(all []*believed, weights map[string]float64) {
	count := map[string]float64{}
	for _, b := range all {
		count[b.Area]++
	}
	sum := 0.0
	for _, b := range all {
		b.weight = 1 / count[b.Area]
		if weights != nil {
			b.weight *= weights[b.Area]
		}
		sum += b.weight
	}
	for _, b := range all {
		if sum > 0 {
			b.weight *= float64(len(all)) / sum
		}
	}
}

// gather makes the rivals of what each figure will be: each alone, or in bins of equally many where there are many.
func (b *believed) gather() {
	b.rivals, b.some, b.wide = b.rivals[:0], 0, 0
	add := func(x after) {
		b.rivals = append(b.rivals, rival{x, 1})
		b.some++
		b.wide = max(b.wide, x.se2)
	}
	for _, c := range b.Cells {
		if _, coming := b.then[int(c.Variant)]; c.N > 0 && !c.Never && !coming {
			add(b.now(c))
		}
	}
	for _, v := range slices.Sorted(maps.Keys(b.then)) {
		add(b.then[v])
	}
	if b.hopes = b.some < 2; b.hopes {
		for v, here := range b.here {
			if here && !b.at(v).has && !b.cell(v).Never {
				b.rivals = append(b.rivals, rival{b.with(v, 1), hoped})
			}
		}
	}
	if len(b.rivals) > many {
		b.bin()
		return
	}
	slices.SortFunc(b.rivals, func(x, y rival) int { return cmp.Compare(x.at, y.at) })
}

// bin puts rivals into bins of equally many.
func (b *believed) bin() {
	at := make([]float64, len(b.rivals))
	for i, r := range b.rivals {
		at[i] = r.at
	}
	slices.Sort(at)
	edges := make([]float64, bins-1)
	for i := range edges {
		edges[i] = at[(i+1)*len(at)/bins]
	}
	var sum [bins]rival
	for _, r := range b.rivals {
		s := &sum[beyond(edges, r.at)]
		s.at, s.v, s.se2, s.count = s.at+r.at, s.v+r.v, s.se2+r.se2, s.count+1
	}
	b.rivals = make([]rival, 0, bins) // thousands of them would be kept for each measure
	for _, s := range sum {
		if s.count > 0 {
			s.at, s.v, s.se2 = s.at/s.count, s.v/s.count, s.se2/s.count
			b.rivals = append(b.rivals, s)
		}
	}
}

// beyond counts how many of a sorted list are not above x.
func beyond(sorted []float64, x float64) int {
	lo, hi := 0, len(sorted)
	for lo < hi {
		if m := (lo + hi) / 2; sorted[m] <= x {
			lo = m + 1
		} else {
			hi = m
		}
	}
	return lo
}

// with is a variant's figure with k more readings.
func (b *believed) with(v, k int) after {
	c, p := b.cell(v), b.believes(v)
	n, more := float64(c.N), float64(k)
	if n == 0 {
		s2 := b.sd * b.sd
		return after{p, b.tau2 + s2/more, s2 / more, true}
	}
	s2, x := b.reading2(c), float64(c.At)
	q := 1/b.tau2 + n/s2
	mean := (p/b.tau2 + n*x/s2) / q
	f := more / (n + more)
	return after{(1-f)*x + f*mean, f * f * (1/q + s2/more), s2 / (n + more), true}
}

// decides is the probability that two figures will be told apart, or found alike.
func (b *believed) decides(x, y after) float64 {
	d, h, sd := math.Abs(x.at-y.at), b.c*math.Sqrt(x.se2+y.se2), math.Sqrt(x.v+y.v)
	p := phi((d-h)/sd) + phi((-d-h)/sd)
	if b.margin > h {
		p += phi((b.margin-h-d)/sd) - phi((h-b.margin-d)/sd)
	}
	return p
}

// reaches is the probability that a figure will be told from a limit.
func reaches(x after, limit float64) float64 {
	d, h, sd := math.Abs(x.at-limit), 1.96*math.Sqrt(x.se2), math.Sqrt(x.v)
	return phi((d-h)/sd) + phi((-d-h)/sd)
}

// phi is the standard normal distribution from a table; beyond ±8, and of ±∞, 0 or 1. It is 0 of NaN: a difference of
// exactly its critical value is not decided.
func phi(z float64) float64 {
	const step = 1.0 / 256
	x := (z + 8) / step
	if !(x > 0) {
		return 0
	}
	if x >= 16/step {
		return 1
	}
	i := int(x)
	return phiTable[i] + (x-float64(i))*(phiTable[i+1]-phiTable[i])
}

var phiTable = func() (t [16*256 + 2]float64) {
	for i := range t {
		t[i] = math.Erfc(-(float64(i)/256-8)/math.Sqrt2) / 2
	}
	return t
}()
