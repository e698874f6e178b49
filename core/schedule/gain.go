package schedule

import (
	"math"
	"slices"
)

// guess is what a test on a machine settles for a minute at most, found at little cost.
func (c *chooser) guess(machine, test int) option {
	best, t := option{test: test}, &c.tests[test]
	fixed := 0.0
	var lacking [32]*believed // more than a test has
	missing := lacking[:0]
	for _, i := range c.of[test] {
		m := c.measures[i]
		switch x := m.cell(machine); {
		case x.Never:
		case x.N == 0:
			missing = append(missing, m)
		default:
			fixed += m.weight * m.undecided(x)
		}
	}
	for _, x := range c.claims[machine] {
		if c.measures[x.measure].Test == t.Slug {
			fixed += c.Claims
		}
	}
	for n, k := range t.times(len(missing) > 0, c.Least) {
		if k == 0 {
			continue
		}
		gain := fixed
		for _, m := range missing {
			gain += m.weight * m.missing(n, m.believes(machine))
		}
		if rate := gain / t.minutes(k); rate > best.rate {
			best.rate, best.minutes = rate, t.minutes(k)
		}
		if len(missing) == 0 {
			break // the first is the shortest
		}
	}
	return best
}

// times are how often a test may be run; 0 for a number that it may not.
func (t *Test) times(missing bool, least int) (out [len(times)]int) {
	for n, k := range times {
		if !t.RunDown && (!missing || k >= least) || t.RunDown && k == 1 {
			out[n] = k
		}
	}
	return out
}

// look finds how often a test on a machine settles most for a minute.
func (c *chooser) look(machine, test int) (best option) {
	best = option{test: test, exact: true}
	t := &c.tests[test]
	missing := slices.ContainsFunc(c.of[test], func(i int) bool {
		return c.measures[i].lacks(machine)
	})
	for n, k := range t.times(missing, c.Least) {
		if k == 0 {
			continue
		}
		item := Item{Test: t.Slug, Name: t.Name, Repeats: k, Minutes: t.minutes(k), RunDown: t.RunDown,
			Hand: t.Hand, Missing: missing, Measures: []string{}}
		for _, i := range c.of[test] {
			m := c.measures[i]
			x := m.cell(machine)
			if x.Never {
				continue
			}
			pairs := 0.0
			if x.N == 0 && !c.exact {
				pairs = m.missing(n, m.believes(machine))
			} else {
				pairs = m.gain(machine, k)
			}
			item.Pairs += pairs
			item.gain += m.weight * pairs
			if pairs > 0.05 {
				item.Measures = append(item.Measures, m.What)
			}
		}
		for _, x := range c.claims[machine] {
			m := c.measures[x.measure]
			if m.Test != t.Slug || m.cell(machine).Never {
				continue
			}
			if p := reaches(m.with(machine, k), x.Limit); p >= 0.05 {
				item.claims = append(item.claims, x.What)
				item.Claims += p
				item.gain += c.Claims * p
			}
		}
		if rate := item.gain / item.Minutes; rate > best.rate {
			best.rate, best.minutes, best.item = rate, item.Minutes, &item
		}
	}
	return best
}

// lacks tells whether a variant's figure is missing and could be had.
func (m *Measure) lacks(v int) bool {
	c := m.cell(v)
	return c.N == 0 && !c.Never
}

// gain is how many pairs more are decided with k more readings of a variant.
func (b *believed) gain(v, k int) (pairs float64) {
	then, now, c := b.with(v, k), b.at(v), b.cell(v)
	for _, r := range b.rivals {
		pairs += r.count * b.decides(then, r.after)
		if now.has && !c.Unknown {
			pairs -= r.count * b.decides(now, r.after)
		}
	}
	switch { // it is no rival of its own
	case now.has:
		pairs -= b.decides(then, now)
		if !c.Unknown {
			pairs += b.decides(now, now)
		}
	case b.hopes && b.here[v]:
		pairs -= hoped * b.decides(then, b.with(v, 1))
	}
	return pairs
}

// undecided is about how many pairs of a cell could become decided.
func (b *believed) undecided(c Cell) float64 {
	if c.Unknown {
		return b.some
	}
	now := b.now(c)
	h := b.c * math.Sqrt(now.se2+b.wide)
	from, to := beyond(b.ends, now.at-h), beyond(b.ends, now.at+h)
	if b.some <= many {
		return float64(to - from)
	}
	return float64(min(to+1, len(b.rivals))-max(from-1, 0)) * b.some / float64(len(b.rivals))
}

// places is how finely what missing figures gain is tabulated.
const places = 32

// tabulate works out what a figure that is missing gains, by what is believed of it: that is all that it depends on.
func (b *believed) tabulate() {
	b.ends = b.ends[:0]
	for _, r := range b.rivals {
		b.ends = append(b.ends, r.at)
	}
	if len(b.ends) == 0 {
		b.table = [len(times)][]float64{}
		return
	}
	wide := 2 * math.Sqrt(b.tau2)
	b.from = b.ends[0] - wide
	b.step = max(b.ends[len(b.ends)-1]+wide-b.from, 1e-9) / places
	for n, k := range times {
		s2 := b.sd * b.sd / float64(k)
		t := make([]float64, places+1)
		for i := range t {
			x := after{b.from + b.step*float64(i), b.tau2 + s2, s2, true}
			for _, r := range b.rivals {
				t[i] += r.count * b.decides(x, r.after)
			}
		}
		b.table[n] = t
	}
}

// missing is what a figure that is missing gains with the times of that number.
func (b *believed) missing(kind int, p float64) float64 {
	t := b.table[kind]
	if t == nil {
		return 0
	}
	x := min(max((p-b.from)/b.step, 0), places)
	i := min(int(x), places-1)
	return t[i] + (x-float64(i))*(t[i+1]-t[i])
}
