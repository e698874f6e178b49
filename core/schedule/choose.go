package schedule

import (
	"cmp"
	"maps"
	"math"
	"runtime"
	"slices"
	"sort"
	"sync"
	"sync/atomic"
)

// chooser holds what is known while a schedule is made.
type chooser struct {
	Terms
	desk     *Desk
	measures []*believed
	tests    []Test
	of       [][]int // measures of each test
	setups   []string
	bySetup  [][]int           // tests under each setup
	claims   map[int][]claimed // by machine and measure
	exact    bool              // few rivals: each choice is seen in all that follow
	choices  []choice          // by machine and setup
	busy     map[[2]int]bool   // machines with tests that are on the bench or on the schedule already
	opened   map[int]bool      // machines
	running  map[int]bool      // machines with a run-down
	runDowns int
}

// claimed is a claim with the number of its measure.
type claimed struct {
	Claim
	measure int
}

// choice is a machine under a setup: what could be run on it.
type choice struct {
	machine, setup int
	opened         bool
	bound          float64 // no bundle of it settles more for a minute
	least          float64 // minutes that any takes
	options        []option
	best           *plan // of the options as they are; nil where that was not worked out
}

// option is a test on a machine: with exact set, so many times as settles most for a minute, else what it could be at
// most.
type option struct {
	test    int
	exact   bool
	minutes float64
	rate    float64 // gain for a minute
	item    *Item   // nil where it is not exact
}

// plan is a bundle that could be chosen.
type plan struct {
	options []option
	opening float64
	minutes float64
	gain    float64
}

func (p plan) rate() float64 { return p.gain / p.minutes }

// Make makes a schedule: again and again the bundle of tests on one machine that settles most for its minutes, its
// set-up among them, until nothing fits any more.
func Make(d Desk, t Terms) Schedule {
	c := prepare(&d, t)
	out := Schedule{Minutes: t.Minutes, Bundles: []Bundle{}}
	pairs := 0.0
	for left := t.Minutes; left > 0; {
		at := c.densest(left)
		if at == nil {
			break
		}
		pairs += c.take(&out, at)
		left = t.Minutes - out.Used
	}
	out.Pairs = int(math.Round(honest * pairs))
	out.Claims *= honest
	for i := range out.Bundles {
		b := &out.Bundles[i]
		b.Pairs, b.Claims = honest*b.Pairs, honest*b.Claims
		for k := range b.Items {
			x := &b.Items[k]
			x.Pairs, x.Claims = honest*x.Pairs, honest*x.Claims
		}
	}
	here := 0
	for _, m := range d.Machines {
		if m.Unit != "" {
			here++
		}
	}
	out.says(t, here)
	return out
}

func prepare(d *Desk, t Terms) *chooser {
	c := &chooser{Terms: t, desk: d, measures: believe(d, t.Weights), claims: map[int][]claimed{}, opened: map[int]bool{},
		running: map[int]bool{}, busy: map[[2]int]bool{}, exact: len(d.Machines) <= many}
	number := map[string]int{}
	for _, slug := range slices.Sorted(maps.Keys(d.Tests)) {
		x := d.Tests[slug]
		number[slug] = len(c.tests)
		c.tests, c.of = append(c.tests, x), append(c.of, nil)
		s := slices.Index(c.setups, x.Setup)
		if s < 0 {
			s = len(c.setups)
			c.setups, c.bySetup = append(c.setups, x.Setup), append(c.bySetup, nil)
		}
		c.bySetup[s] = append(c.bySetup[s], number[slug])
	}
	byID := map[string]int{}
	for i, m := range c.measures {
		byID[m.ID] = i
		if k, ok := number[m.Test]; ok {
			c.of[k] = append(c.of[k], i)
		}
	}
	for _, x := range d.Claims {
		if i, ok := byID[x.Measure]; ok {
			c.claims[x.Machine] = append(c.claims[x.Machine], claimed{x, i})
		}
	}
	for _, w := range d.Waiting {
		if k, ok := number[w.Test]; ok {
			c.busy[[2]int{w.Machine, k}] = true
			c.expect(w.Machine, k, w.Repeats)
		}
	}
	here := make([]bool, len(d.Machines))
	for i, m := range d.Machines {
		here[i] = m.Unit != ""
	}
	each(len(c.measures), func(i int) {
		c.measures[i].here = here
		c.measures[i].gather()
		if !c.exact {
			c.measures[i].tabulate()
		}
	})
	c.choices = make([]choice, len(d.Machines)*len(c.setups))
	each(len(c.choices), func(i int) {
		o := &c.choices[i]
		o.machine, o.setup = i/len(c.setups), i%len(c.setups)
		if m := d.Machines[o.machine]; m.Unit != "" && !m.Left {
			c.fill(o)
		}
		if !c.exact {
			o.options = nil // of most of hundreds of machines nothing more will be asked
		}
	})
	c.choices = slices.DeleteFunc(c.choices, func(o choice) bool { return !(o.bound > 0) })
	return c
}

// each does something for every number below n, as many at once as there are processors.
func each(n int, do func(i int)) {
	var next atomic.Int64
	var all sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		all.Go(func() {
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				do(i)
			}
		})
	}
	all.Wait()
}

// fill lists a choice's options.
func (c *chooser) fill(o *choice) {
	o.options = nil
	for _, k := range c.bySetup[o.setup] {
		if !c.desk.Machines[o.machine].Never[c.tests[k].Slug] && !c.busy[[2]int{o.machine, k}] {
			o.options = append(o.options, option{test: k})
		}
	}
	c.bound(o)
}

// expect enters what a test on a machine will yield.
func (c *chooser) expect(machine, test, k int) {
	for _, i := range c.of[test] {
		if m := c.measures[i]; !m.cell(machine).Never {
			m.then[machine] = m.with(machine, k)
		}
	}
}

// minutes is what a test takes so many times.
func (t Test) minutes(k int) float64 {
	if t.RunDown {
		return runDownMinutes
	}
	return max(float64(k)*t.Seconds/60, 0.01)
}

// open is what a choice's bundle begins with.
func (c *chooser) open(o *choice) (minutes float64) {
	if !c.opened[o.machine] {
		minutes = c.Opening
	}
	if i := c.bySetup[o.setup]; !o.opened && c.tests[i[0]].Raised {
		minutes += raisedMinutes
	}
	return minutes
}

// bound finds what each option of a choice settles for a minute, or could at most, and what a bundle of them could.
func (c *chooser) bound(o *choice) {
	for i := range o.options {
		if x := &o.options[i]; !x.exact {
			if c.exact {
				*x = c.look(o.machine, x.test)
			} else {
				*x = c.guess(o.machine, x.test)
			}
		}
	}
	slices.SortFunc(o.options, func(a, b option) int {
		return cmp.Or(cmp.Compare(b.rate, a.rate), cmp.Compare(a.test, b.test))
	})
	gain, minutes := 0.0, c.open(o)
	o.bound, o.best, o.least = 0, nil, math.Inf(1)
	for _, x := range o.options {
		o.least = min(o.least, c.open(o)+c.tests[x.test].minutes(1))
	}
	for _, x := range o.options {
		if x.rate == 0 || x.rate*minutes < gain {
			break
		}
		gain, minutes = gain+x.rate*x.minutes, minutes+x.minutes
		o.bound = gain / minutes
	}
}

// densest finds the bundle that settles most for a minute and fits; nil where there is none.
func (c *chooser) densest(left float64) *choice {
	sort.SliceStable(c.choices, func(i, j int) bool { return c.choices[i].bound > c.choices[j].bound })
	var best *choice
	for i := range c.choices {
		o := &c.choices[i]
		if best != nil && o.bound <= best.best.rate() {
			break
		}
		if o.least > left {
			continue
		}
		if o.best == nil || o.best.minutes > left {
			if o.options == nil {
				c.fill(o)
			}
			o.best = c.bundle(o, left)
		}
		if o.best != nil && (best == nil || o.best.rate() > best.best.rate()) {
			best = o
		}
	}
	return best
}

// bundle makes the densest bundle of a choice that fits, looking closely at what could belong to it.
func (c *chooser) bundle(o *choice, left float64) *plan {
	p := &plan{opening: c.open(o)}
	p.minutes = p.opening
	runDowns := c.runDowns
	ran := c.running[o.machine]
	for i := 0; i < len(o.options); i++ {
		x := o.options[i]
		if x.rate == 0 || x.rate*p.minutes < p.gain {
			break
		}
		if !x.exact {
			x = c.look(o.machine, x.test)
			o.options = slices.Delete(o.options, i, i+1)
			at, _ := slices.BinarySearchFunc(o.options[i:], x.rate, func(y option, rate float64) int {
				if y.rate >= rate {
					return -1
				}
				return 1
			})
			o.options = slices.Insert(o.options, i+at, x)
			i--
			continue
		}
		down := c.tests[x.test].RunDown
		if p.minutes+x.minutes > left || down && (ran || runDowns >= mostRunDowns) {
			continue
		}
		if down {
			ran = true
			runDowns++
		}
		p.options = append(p.options, x)
		p.minutes, p.gain = p.minutes+x.minutes, p.gain+x.rate*x.minutes
	}
	if len(p.options) == 0 {
		return nil
	}
	return p
}

// take puts a choice's bundle on the schedule, and gives the pairs that it settles.
func (c *chooser) take(s *Schedule, o *choice) (pairs float64) {
	p, machine := o.best, c.desk.Machines[o.machine]
	i := slices.IndexFunc(s.Bundles, func(b Bundle) bool { return b.Unit == machine.Unit && b.Setup == c.setups[o.setup] })
	if i < 0 {
		i = len(s.Bundles)
		s.Bundles = append(s.Bundles, Bundle{Variant: machine.Variant, Unit: machine.Unit, Name: machine.Name,
			Setup: c.setups[o.setup], SetupName: c.tests[c.bySetup[o.setup][0]].SetupName})
	}
	b := &s.Bundles[i]
	touched := map[int]bool{}
	for _, x := range p.options {
		b.Items = append(b.Items, *x.item)
		b.Pairs, b.Claims = b.Pairs+x.item.Pairs, b.Claims+x.item.Claims
		s.Claims += x.item.Claims
		s.gain += x.item.gain
		pairs += x.item.Pairs
		touched[x.test] = true
		c.busy[[2]int{o.machine, x.test}] = true
		c.expect(o.machine, x.test, x.item.Repeats)
		if x.item.RunDown {
			c.runDowns++
			c.running[o.machine] = true
		}
	}
	b.Opening, b.Minutes, s.Used = b.Opening+p.opening, b.Minutes+p.minutes, s.Used+p.minutes
	c.opened[o.machine], o.opened = true, true
	for k := range touched {
		for _, i := range c.of[k] {
			if c.exact {
				c.measures[i].gather()
			}
		}
	}
	for i := range c.choices {
		c.again(&c.choices[i], o.machine, touched)
	}
	return pairs
}

// again looks at a choice again after tests were put on a machine's bundle. Among hundreds of rivals one more is not
// felt: then the others stand as they were.
func (c *chooser) again(o *choice, machine int, touched map[int]bool) {
	switch {
	case o.machine == machine:
		c.fill(o)
	case c.exact:
		for k := range o.options {
			if x := &o.options[k]; touched[x.test] {
				x.exact = false
			}
		}
		c.bound(o)
	default:
		o.best = nil
	}
}
