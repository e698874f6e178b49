package figures

import (
	"slices"

	"durvek/core/compare"
	"durvek/core/quantity"
	"durvek/core/stats"
)

// pooled is a pool as it was made from a column under a noise.
type pooled struct {
	stats.Pool
	grain    stats.Grain
	fit      uint64
	revision uint64 // of the noise
}

// moving brings a pool over to a later noise of the same fit, in which some units of the column stand otherwise; false
// where it must be made anew.
func (p pooled) moving(c *column, version int, n *noise) (pooled, bool) {
	if p.fit != n.fit || p.revision > n.revision {
		return p, false
	}
	if n.moved > p.revision {
		var out, in []stats.Sample
		for i := range c.cells {
			x := &c.cells[i]
			u := n.units[x.unit]
			if u.moved <= p.revision || c.version(x) != version {
				continue
			}
			was, ok := u.at(p.revision)
			if !ok {
				return p, false
			}
			cell := c.cell(x)
			out, in = append(out, stats.Sample{Cell: cell, Unit: was}), append(in, stats.Sample{Cell: cell, Unit: u.counted})
		}
		if 4*len(in) > len(c.cells) {
			return p, false
		}
		if len(in) > 0 {
			p.Pool = p.Changed(out, in)
		}
	}
	p.revision = n.revision
	return p, true
}

// follow brings pools and grains over to the column that follows, where that costs less than making them anew; was is
// the noise that they were made under. gone and come are the cells that differ.
func (c *column) follow(old *column, was *noise, gone, come []packed) {
	old.mu.Lock()
	defer old.mu.Unlock()
	fits := func(version int, g stats.Grain) bool {
		pool, known := old.pools[version]
		return !slices.ContainsFunc(come, func(p packed) bool {
			return c.version(&p) == version && !(g.Fits(p.low) && g.Fits(p.high)) && !(known && pool.Fine(p.median))
		})
	}
	c.grains = map[int]stats.Grain{}
	for version, g := range old.grains {
		if fits(version, g) {
			c.grains[version] = g
		}
	}
	c.pools = map[int]pooled{}
	for version, p := range old.pools {
		if was == nil || !fits(version, p.grain) {
			continue
		}
		p, ok := p.moving(old, version, was)
		if !ok {
			continue
		}
		samples := func(cells []packed) (out []stats.Sample) {
			for _, x := range cells {
				if c.version(&x) == version {
					out = append(out, stats.Sample{Cell: c.cell(&x), Unit: was.units[x.unit].counted})
				}
			}
			return out
		}
		if p.Pool = p.Changed(samples(gone), samples(come)); p.Stands() {
			c.pools[version] = p
		}
	}
}

// pool is what is known of the noise of a measure's test version.
func (c *column) pool(m compare.Measure, n *noise) stats.Pool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if p, ok := c.pools[m.Version]; ok {
		if p, ok = p.moving(c, m.Version, n); ok {
			c.pools[m.Version] = p
			return p.Pool
		}
	}
	d := m.Def()
	p := pooled{grain: c.grainOf(m, m.Version), fit: n.fit, revision: n.revision}
	var cells []stats.Sample
	for i := range c.cells {
		if x := &c.cells[i]; c.version(x) == m.Version {
			cells = append(cells, stats.Sample{Cell: c.cell(x), Unit: n.units[x.unit].counted})
		}
	}
	p.Pool = stats.PoolOf(cells, p.grain, m.Scale.Logarithmic(), n.Prior(testKey(m.ID, m.Version), d.Repeatability))
	if c.pools == nil {
		c.pools = map[int]pooled{}
	}
	c.pools[m.Version] = p
	return p.Pool
}

// grain is how finely the readings of a test version are told.
func (c *column) grain(m compare.Measure, version int) stats.Grain {
	c.mu.Lock()
	defer c.mu.Unlock()
	if g, ok := c.grains[version]; ok {
		return g
	}
	g := c.grainOf(m, version)
	if c.grains == nil {
		c.grains = map[int]stats.Grain{}
	}
	c.grains[version] = g
	return g
}

// grainOf finds it from each cell's lowest and highest reading; mu is held.
func (c *column) grainOf(m compare.Measure, version int) stats.Grain {
	var readings []float64
	for i := range c.cells {
		p := &c.cells[i]
		if c.version(p) != version || c.around[p.around].bound != "" {
			continue
		}
		readings = append(readings, p.low)
		if c.readings(p) > 1 {
			readings = append(readings, p.high)
		}
	}
	return stats.GrainOf(readings, m.Def().Resolution)
}

// estimator makes the cells of a column into figures.
type estimator struct {
	c       *column
	m       compare.Measure
	n       *noise
	pool    stats.Pool
	effects map[uint32]stats.Effect
	hosts   map[string]string // what they are called; nil where nobody reads it
}

func (c *column) estimator(m compare.Measure, n *noise) *estimator {
	return &estimator{c: c, m: m, n: n, pool: c.pool(m, n), effects: map[uint32]stats.Effect{}}
}

// effect is how noisy a unit is by its other tests.
func (e *estimator) effect(p *packed) stats.Effect {
	out, ok := e.effects[p.unit]
	if u := e.n.units[p.unit]; !ok && noisy(e.m) {
		var own stats.UnitNoise
		for i := e.c.from(p.variant); i < len(e.c.cells) && e.c.cells[i].variant == p.variant; i++ {
			if x := &e.c.cells[i]; x.unit == p.unit && u.sum != nil {
				e.c.tell(x, e.m, &e.n.Noise, &own)
			}
		}
		sum := u.sum
		if sum == nil {
			sum = &stats.UnitNoise{}
		}
		out = e.n.Effect(sum, &own)
		out.Counted = u.counted
		e.effects[p.unit] = out
	}
	return out
}

// figure estimates a cell on its measure's scale.
func (e *estimator) figure(p *packed) compare.Cell {
	x := e.c.unpack(p)
	out := compare.Cell{Variant: x.Variant, Unit: x.Unit, Host: x.Host, HostName: e.hosts[x.Host], Place: x.Place,
		Setup: x.Setup,
		Basis: e.c.basis[e.c.around[p.around].basis], Best: [2]float64{x.BestLow, x.BestHigh}, Simulated: x.Simulated,
		Limiter: x.Limiter, Key: x.Basis}
	switch e.m.Scale {
	case quantity.Grade:
		out.Estimate = stats.Graded(x.Cell)
	case quantity.Pass:
		out.Estimate = stats.Passed(x.Cell)
	default:
		out.Estimate = e.pool.For(e.effect(p)).Estimate(x.Cell, e.m.Scale.Logarithmic())
	}
	return out
}
