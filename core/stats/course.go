package stats

import (
	"math"
	"slices"
)

// Shape says how a series of rates went.
type Shape string

const (
	Flat      Shape = "level"     // one level throughout
	Stepped   Shape = "steps"     // from level to level
	Gradual   Shape = "gradual"   // along a line, or ever slower towards a level
	Recurrent Shape = "recurrent" // one level, which breaks in again and again
)

// Segment is a stretch of a series: samples From up to, not including, To, and their mean.
type Segment struct {
	From, To int
	Mean     float64
}

// Course is how a series of rates went: its shape, the levels that it held, and short dips, which belong to none.
type Course struct {
	Shape  Shape
	Levels []Segment // one at least, without the samples of dips in their means
	Dips   []Segment
	Half   int       // of a gradual one: the first sample past half of the change
	Change float64   // share by which the last level differs from the first, below zero for a fall
	Matter float64   // share that matters in this series: what was asked for, or more where it is noisy or short
	Fit    []float64 `json:"-"` // of a gradual one: the line or approach through the rates
}

// CourseOptions say what matters in a course: Matter is the share of a change that does, and Dip how long, as a share
// of the run, a stretch may be to count as a dip.
type CourseOptions struct{ Matter, Dip float64 }

// LeastCourse is how many samples a course needs.
const LeastCourse = 20

// mostCourse is how many samples are looked at; a longer series is averaged in blocks.
const mostCourse = 1200

// CourseOf finds the course of at least LeastCourse rates above zero, taken at even distances; false for fewer. Levels
// are found by least squares over penalised segments (PELT; Killick, Fearnhead and Eckley, JASA 107, 2012) on
// logarithms, with a penalty that allows for autocorrelation (Chakar, Lebarbier, Lévy-Leduc and Robin, Bernoulli 23(2),
// 2017); short dips are taken out; then a constant, levels, a line and an exponential approach are held against each
// other by a Bayesian criterion. Sums of squares, no clock: the same series always has the same course.
func CourseOf(rates []float64, o CourseOptions) (c Course, ok bool) {
	n := len(rates)
	if n < LeastCourse {
		return c, false
	}
	if n > mostCourse {
		c, ok = CourseOf(Blocks(rates, mostCourse), o)
		return c.stretched(rates), ok
	}
	middle := Quantile(rates, 0.5)
	if !(middle > 0) {
		return c, false
	}
	s := newSeries(rates, middle)
	c.Matter = max(-math.Log(1-o.Matter), 2.5*s.sigma*math.Sqrt(math.Min(30/float64(n), 2)))
	s.matter, s.dip = c.Matter, max(4, int(o.Dip*float64(n)))
	levels := s.merged(s.undipped(steps(s.clipped, 3, 3*math.Log(float64(n))*s.long*(1+8/float64(n)))))
	s.choose(&c, levels)
	c.Matter = -math.Expm1(-c.Matter)
	if c.Shape == Gradual {
		c.follow(rates, s.in)
	}
	for i := range c.Levels {
		c.Levels[i].Mean = s.mean(rates, c.Levels[i])
	}
	for i := range c.Dips {
		c.Dips[i].Mean = Average(rates[c.Dips[i].From:c.Dips[i].To])
	}
	return c, true
}

// series is what a course is found in: logarithms of rates, and what is known of their noise.
type series struct {
	y, clipped  []float64
	sigma, long float64 // standard deviation of one sample; variance in the long run
	matter      float64
	dip         int
	dips        []Segment
	in          []bool // samples of dips
}

func newSeries(rates []float64, middle float64) *series {
	n := len(rates)
	s := &series{y: make([]float64, n), in: make([]bool, n)}
	loose := make([]float64, n) // off the grid, for the noise alone
	sorted := slices.Sorted(slices.Values(rates))
	distinct := slices.Compact(sorted)
	grid := 0.0
	if 10*len(distinct) <= 7*n && len(distinct) > 1 {
		grid = smallestGap(distinct) / middle
	}
	for i, x := range rates {
		x /= middle
		s.y[i] = math.Log(max(x, 0.001))
		loose[i] = math.Log(max(x+grid*fixed(i), 0.001))
	}
	s1, s2 := lagged(loose, 1), lagged(loose, 2)
	m := float64(n)
	r := 0.0
	if s1 > 0 {
		r = math.Max(0, math.Min(s2*s2/(s1*s1)-1, 0.8))
	}
	rho := (m*r + 15) / (m + 30)
	variance := s1 * s1 / 2 / (1 - rho)
	s.sigma = math.Sqrt(variance)
	s.long = max(variance*(1+rho)/(1-rho), 1e-12)
	if n >= 60 {
		b := max(3, int(math.Round(math.Sqrt(m)/2)))
		blocks := lagged(Blocks(loose, n/b), 1)
		s.long = math.Max(s.long, math.Min(float64(b)*blocks*blocks/2, 3*s.long))
	}
	// Single spikes are drawn to what is around them.
	s.clipped = slices.Clone(s.y)
	most := 4 * math.Max(s1/math.Sqrt2, grid/math.Sqrt(12))
	for i := range s.y {
		around := Quantile(s.y[max(0, i-2):min(n, i+3)], 0.5)
		s.clipped[i] = math.Max(around-most, math.Min(s.y[i], around+most))
	}
	return s
}

// fixed is a number between −½ and ½ that goes with an index (the finaliser of splitmix64).
func fixed(i int) float64 {
	z := uint64(i+1) * 0x9e3779b97f4a7c15
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return float64((z^z>>31)>>11)/(1<<53) - 0.5
}

// lagged is the standard deviation of differences at a lag, from their median absolute deviation.
func lagged(xs []float64, lag int) float64 {
	if len(xs) <= lag {
		return 0
	}
	d := make([]float64, len(xs)-lag)
	for i := range d {
		d[i] = xs[i+lag] - xs[i]
	}
	m := Quantile(d, 0.5)
	for i := range d {
		d[i] = math.Abs(d[i] - m)
	}
	return 1.4826 * Quantile(d, 0.5)
}

// steps parts a series into segments of constant mean of at least so many samples by PELT.
func steps(xs []float64, least int, penalty float64) []Segment {
	n := len(xs)
	sum, square := make([]float64, n+1), make([]float64, n+1)
	for i, x := range xs {
		sum[i+1], square[i+1] = sum[i]+x, square[i]+x*x
	}
	cost := func(from, to int) float64 {
		d := sum[to] - sum[from]
		return math.Max(square[to]-square[from]-d*d/float64(to-from), 0)
	}
	best, last := make([]float64, n+1), make([]int, n+1)
	best[0] = -penalty
	for i := 1; i <= n; i++ {
		best[i] = math.Inf(1)
	}
	candidates := []int{0}
	for to := least; to <= n; to++ {
		for _, from := range candidates {
			if to-from >= least {
				if c := best[from] + cost(from, to) + penalty; c < best[to] {
					best[to], last[to] = c, from
				}
			}
		}
		keep := candidates[:0]
		for _, from := range candidates {
			if to-from < least || best[from]+cost(from, to) <= best[to] {
				keep = append(keep, from)
			}
		}
		candidates = append(keep, to-least+1)
	}
	var out []Segment
	for to := n; to > 0; to = last[to] {
		out = append(out, Segment{last[to], to, (sum[to] - sum[last[to]]) / float64(to-last[to])})
	}
	slices.Reverse(out)
	return out
}

// undipped takes short stretches out whose neighbours are much alike, and joins those.
func (s *series) undipped(levels []Segment) []Segment {
	for {
		found := -1
		for i := 1; i+1 < len(levels); i++ {
			a, b, c := levels[i-1], levels[i], levels[i+1]
			depth := math.Abs(b.Mean - (a.Mean+c.Mean)/2)
			if b.To-b.From > s.dip || math.Abs(a.Mean-c.Mean) >= math.Max(s.matter/2, 0.34*depth) {
				continue
			}
			if found < 0 || b.To-b.From < levels[found].To-levels[found].From {
				found = i // the shortest first: it may hold the others together
			}
		}
		if found < 0 {
			return levels
		}
		dip := levels[found]
		for i := dip.From; i < dip.To; i++ {
			s.in[i] = true
		}
		s.dips = append(s.dips, dip)
		joined := Segment{From: levels[found-1].From, To: levels[found+1].To}
		joined.Mean = s.mean(s.clipped, joined)
		levels = slices.Replace(slices.Clone(levels), found-1, found+2, joined)
	}
}

// merged joins neighbours whose difference does not matter, the nearest first.
func (s *series) merged(levels []Segment) []Segment {
	for len(levels) > 1 {
		at, least := -1, s.matter/2
		for i := 1; i < len(levels); i++ {
			if d := math.Abs(levels[i].Mean - levels[i-1].Mean); d < least {
				at, least = i, d
			}
		}
		if at < 0 {
			break
		}
		joined := Segment{From: levels[at-1].From, To: levels[at].To}
		joined.Mean = s.mean(s.clipped, joined)
		levels = slices.Replace(slices.Clone(levels), at-1, at+1, joined)
	}
	return levels
}

// mean is the mean of a stretch of logarithms, or of the rates themselves, without dips.
func (s *series) mean(xs []float64, g Segment) float64 {
	var in []float64
	for i := g.From; i < g.To; i++ {
		if !s.in[i] {
			in = append(in, xs[i])
		}
	}
	return Average(in)
}

// choose holds a constant, the levels, a line and an approach against each other.
func (s *series) choose(c *Course, levels []Segment) {
	n := len(s.y)
	per := s.long * math.Log(float64(n))
	rss := func(model func(i int) float64) (sum float64) {
		for i, y := range s.clipped {
			if !s.in[i] {
				sum += (y - model(i)) * (y - model(i))
			}
		}
		return sum
	}
	whole := Segment{From: 0, To: n}
	whole.Mean = s.mean(s.clipped, whole)
	constant := rss(func(int) float64 { return whole.Mean })
	c.Shape, c.Levels = Flat, []Segment{whole}
	best := constant + per
	at := 0
	stepped := rss(func(i int) float64 {
		for levels[at].To <= i {
			at++
		}
		return levels[at].Mean
	})
	if b := stepped + per*float64(2*len(levels)-1); len(levels) > 1 && b < best {
		best, c.Shape, c.Levels = b, Stepped, levels
	}
	needed := 3 * math.Log(float64(n)) * (1 + 8/float64(n)) * s.long
	stairs := staircase(levels)
	try := func(k float64, basis func(i int) float64) {
		a, b, ok := fitted(s.clipped, s.in, basis)
		model := func(i int) float64 { return a + b*basis(i) }
		r := rss(model)
		v := r + per*k
		if stairs && r < 0.03*constant { // a smooth way down that is no line breaks up into many levels
			v = math.Min(v, best-constant+r)
		}
		if ok && v < best && constant-r > needed && math.Abs(model(n-1)-model(0)) >= s.matter {
			best, c.Shape, c.Levels = v, Gradual, []Segment{whole}
		}
	}
	for i, basis := range gradually(n) {
		try(float64(min(2+i, 3)), basis)
	}
	c.Dips = s.dips
	slices.SortFunc(c.Dips, func(a, b Segment) int { return a.From - b.From })
	first, last := c.Levels[0].Mean, c.Levels[len(c.Levels)-1].Mean
	c.Change = math.Expm1(last - first)
	s.again(c)
}

// staircase tells whether levels, of which there are five or more, all go the same way.
func staircase(levels []Segment) bool {
	for i := 2; i < len(levels); i++ {
		if (levels[i].Mean-levels[i-1].Mean)*(levels[1].Mean-levels[0].Mean) <= 0 {
			return false
		}
	}
	return len(levels) >= 5
}

// gradually gives a line, then approaches of all lengths, over n samples.
func gradually(n int) (out []func(i int) float64) {
	out = append(out, func(i int) float64 { return float64(i) / float64(n) })
	for tau := float64(n) / 30; tau <= 0.8*float64(n); tau *= 1.25 {
		out = append(out, func(i int) float64 { return math.Exp(-float64(i) / tau) })
	}
	return out
}

// follow lays the line or approach that fits best through the rates themselves.
func (c *Course) follow(rates []float64, without []bool) {
	n := len(rates)
	least := math.Inf(1)
	for _, basis := range gradually(n) {
		a, b, ok := fitted(rates, without, basis)
		sum := 0.0
		for i, x := range rates {
			if d := x - a - b*basis(i); !without[i] {
				sum += d * d
			}
		}
		if ok && sum < least {
			least, c.Fit = sum, make([]float64, n)
			for i := range c.Fit {
				c.Fit[i] = a + b*basis(i)
			}
		}
	}
	first, last := c.Fit[0], c.Fit[n-1]
	c.Change, c.Half = last/first-1, 1
	for c.Half < n-1 && (c.Fit[c.Half] < (first+last)/2) != (last < first) {
		c.Half++
	}
}

// fitted is the least-squares line over a basis.
func fitted(ys []float64, without []bool, basis func(i int) float64) (a, b float64, ok bool) {
	var n, sx, sy, sxx, sxy float64
	for i, y := range ys {
		if !without[i] {
			x := basis(i)
			n, sx, sy, sxx, sxy = n+1, sx+x, sy+y, sxx+x*x, sxy+x*y
		}
	}
	d := n*sxx - sx*sx
	if d <= 1e-12 {
		return 0, 0, false
	}
	b = (n*sxy - sx*sy) / d
	return (sy - b*sx) / n, b, true
}

// again tells whether dips come again and again: several that matter, over a tenth of the run.
func (s *series) again(c *Course) {
	count, samples := 0, 0
	for _, d := range c.Dips {
		if s.mean(s.clipped, Segment{From: max(0, d.From-s.dip), To: min(len(s.y), d.To+s.dip)})-d.Mean >= s.matter {
			count++
			samples += d.To - d.From
		}
	}
	if 10*samples > len(s.y) && (count >= 3 || count >= 2 && c.Shape == Flat) {
		c.Shape = Recurrent
	}
}

// stretched lays the course of block means over the series that they are of.
func (c Course) stretched(rates []float64) Course {
	n := len(rates)
	at := func(i int) int { return i * n / mostCourse }
	out := c
	out.Levels, out.Dips = slices.Clone(c.Levels), slices.Clone(c.Dips)
	for _, list := range [][]Segment{out.Levels, out.Dips} {
		for i := range list {
			list[i].From, list[i].To = at(list[i].From), at(list[i].To)
		}
	}
	out.Half = at(c.Half)
	if c.Fit != nil {
		out.Fit = make([]float64, n)
		for i := range out.Fit {
			out.Fit[i] = c.Fit[min(i*mostCourse/n, mostCourse-1)]
		}
	}
	return out
}
