// Package ranking puts the variants of a field in order of one measure and says how sure that order
// is: standings, ties by kind, values relative to a reference. It takes estimates that are already
// known to be comparable, and a seed; it reads nothing else.
package ranking

import (
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"sort"
	"sync"

	"gonum.org/v1/gonum/stat/distuv"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// Entry is one competitor.
type Entry struct {
	ID       string         `json:"id"`
	Estimate stats.Estimate `json:"estimate"`
}

// Options say how a measure is ranked. Margin is the difference that does not matter: relative on
// ratio scales, in the measure's unit otherwise. Draws and Seed drive the bootstrap.
type Options struct {
	Scale  quantity.Scale
	Better quantity.Direction
	Target float64
	Margin float64
	Level  float64 // 0 means 0.95
	Draws  int     // 0 means 2000
	Seed   uint64
}

// DefaultMargin is the relative difference that does not matter unless a measure says otherwise.
const DefaultMargin = 0.02

// Place is a standing: the range of places that an entry can hold, 1 being best.
type Place struct {
	Best  int `json:"best"`
	Worst int `json:"worst"`
}

// Tie is how a pair of entries relates.
type Tie string

const (
	Different Tie = "surely different"
	Equal     Tie = "practically equal"
	Small     Tie = "different but too small to matter"
	Undecided Tie = "undecided"
)

// Row is one ranked entry. Better counts from the best row.
type Row struct {
	Entry
	Place Place `json:"place"`
	// Next relates the row to the one after it; empty on the last row.
	Next Tie `json:"next,omitempty"`
}

// Group is a run of neighbouring rows none of which surely differs from another of the group.
type Group struct {
	From int `json:"from"`
	To   int `json:"to"`
	Kind Tie `json:"kind"`
}

// Ranking is a field in order, best first. Groups may overlap: ties are not transitive.
type Ranking struct {
	Rows   []Row   `json:"rows"`
	Groups []Group `json:"groups"`
	Ties   [][]Tie `json:"-"`
}

// Rank orders entries and gives each its standing by simultaneous confidence sets for ranks
// (Mogstad, Romano, Shaikh and Wilhelm, Review of Economic Studies 91(1), 2024): hypotheses
// θ_j ≤ θ_k for all ordered pairs, tested by a step-down maximum of studentised differences whose
// law comes from a parametric bootstrap. Each draw redraws the centres and, once per variance
// component (the pool being one), the variances, s*² = s²·χ²_ν/ν. Ties are read from two-sided
// simultaneous intervals at the same level. A bounded entry beats only what lies surely below (or
// above) its bound and is undecided otherwise.
func Rank(entries []Entry, o Options) Ranking {
	o = o.filled()
	rows := slices.Clone(entries)
	sort.SliceStable(rows, func(i, j int) bool {
		a, b := o.merit(rows[i].Estimate), o.merit(rows[j].Estimate)
		if a != b {
			return a > b
		}
		return rows[i].ID < rows[j].ID
	})
	return bootstrap(rows, o).standings(rows)
}

func (o Options) filled() Options {
	if o.Level == 0 {
		o.Level = 0.95
	}
	if o.Draws == 0 {
		o.Draws = 2000
	}
	if o.Margin == 0 && o.Scale == quantity.Ratio {
		o.Margin = DefaultMargin
	}
	return o
}

// standings gives each row, best first, its place and its ties.
func (b *sampling) standings(rows []Entry) Ranking {
	n, margin := b.n, b.o.Margin
	if b.o.Scale == quantity.Ratio {
		margin = math.Log1p(margin)
	}
	beats := make([][]bool, n) // beats[j][k]: j is surely better than k
	for j := range beats {
		beats[j] = make([]bool, n)
	}
	b.stepDown(beats)
	for j := range rows {
		for k := range rows {
			if j != k && (b.bounded[j] || b.bounded[k]) {
				beats[j][k] = b.boundBeats(j, k)
			}
		}
	}
	out := Ranking{Rows: make([]Row, n), Ties: make([][]Tie, n)}
	for j := range rows {
		out.Ties[j] = make([]Tie, n)
		place := Place{1, n}
		for k := range rows {
			if beats[k][j] {
				place.Best++
			}
			if beats[j][k] {
				place.Worst--
			}
			if j != k {
				out.Ties[j][k] = b.tie(j, k, margin, beats[j][k] || beats[k][j])
			}
		}
		out.Rows[j] = Row{Entry: rows[j], Place: place}
		if j+1 < n {
			out.Rows[j].Next = b.tie(j, j+1, margin, beats[j][j+1])
		}
	}
	out.Groups = groups(out.Ties)
	return out
}

// merit is a working-scale value that grows as the figure gets better.
func (o Options) merit(e stats.Estimate) float64 {
	x := e.Mean
	switch o.Better {
	case quantity.Lower:
		return -x
	case quantity.Target:
		t := o.Target
		if o.Scale.Logarithmic() {
			t = math.Log(t)
		}
		return -math.Abs(x - t)
	}
	return x
}

// sampling holds what the bootstrap needs: merits, the variance of every difference, and for every entry in every draw
// its noise and the variance that would be found beside it.
type sampling struct {
	n           int
	o           Options
	x, hw       []float64
	bounded     []bool
	openUp      []bool    // of bounded ones: the merit may yet be better
	gapVariance []float64 // of each pair's difference, n × n
	noise       []float64 // draws × n
	variance    []float64 // draws × n; nil where errors go together: then factor scales all variances of a draw
	factor      []float64 // draws
	twoSide     float64
	peaks       []peak // by draw, of the pairs that are left
}

// bootstrap draws the centres' errors, and with them the variances that would be found. For the pool and the sittings'
// component, on which many rest, that is s*² = s²·χ²_ν/ν, once per draw, and for a cell that stands on its readings
// alone the same by itself. A variance that was drawn towards the prior is an expectation of what is true: there the
// truth is drawn, σ² = s²·ν/χ²_ν.
func bootstrap(rows []Entry, o Options) *sampling {
	n := len(rows)
	s := &sampling{n: n, o: o, x: make([]float64, n), hw: make([]float64, n), bounded: make([]bool, n),
		openUp:      make([]bool, n),
		gapVariance: make([]float64, n*n), noise: make([]float64, o.Draws*n), variance: make([]float64, o.Draws*n)}
	rng := rand.New(rand.NewPCG(o.Seed, 0x6475727665))
	var pool, sittings float64 // degrees of freedom
	es := make([]stats.Estimate, n)
	for i, r := range rows {
		e := r.Estimate
		if n > 1 {
			e = e.At(1 - (1-o.Level)/float64(n*(n-1)))
		}
		es[i] = e
		s.x[i], s.hw[i], s.bounded[i] = o.merit(e), e.HalfWidth, e.Bound != ""
		s.openUp[i] = o.openUp(e)
		within, among := e.Parts()
		if e.Pooled {
			pool = math.Max(pool, within.DF)
		}
		if among.Variance > 0 {
			sittings = math.Max(sittings, among.DF)
		}
	}
	for j := range n {
		for k := range n {
			s.gapVariance[j*n+k] = es[j].SE*es[j].SE + es[k].SE*es[k].SE
		}
	}
	for d := range o.Draws {
		p, b := chi(rng, pool), chi(rng, sittings)
		for i, e := range es {
			within, among := e.Parts()
			found, true := within.Variance*p, within.Variance
			if !e.Pooled {
				w := chi(rng, within.DF)
				if e.Alone.DF > 0 {
					found, true = within.Variance, within.Variance/w
				} else {
					found = within.Variance * w
				}
			}
			s.noise[d*n+i] = rng.NormFloat64() * math.Sqrt(true+among.Variance)
			s.variance[d*n+i] = found + among.Variance*b
		}
	}
	s.find()
	return s
}

// chi draws χ²_ν/ν; without degrees of freedom it is 1.
func chi(rng *rand.Rand, df float64) float64 {
	if df <= 0 || math.IsInf(df, 1) {
		return 1
	}
	return distuv.ChiSquared{K: df, Src: rng}.Rand() / df
}

// find sets the two-sided critical value over all pairs. It serves ties, and is also the first one of the step-down:
// the largest of all ordered differences is the largest of all absolute ones.
func (s *sampling) find() {
	var all []pair
	for j := range s.n {
		for k := j + 1; k < s.n; k++ {
			all = append(all, pair{int32(j), int32(k)})
		}
	}
	s.twoSide = s.critical(all, nil, nil)
}

type pair struct{ j, k int32 }

// peak is a draw's largest studentised difference, squared, and the pair that it is of, the first above the second.
type peak struct {
	square float64
	pair
}

// critical is the level's quantile, over the draws, of the largest studentised difference among pairs: of both those
// that count both ways, of one those of which the first may only lie above the second. Only draws that are stale are
// looked at anew; nil means all of them.
func (s *sampling) critical(both, one []pair, stale func(peak) bool) float64 {
	if s.peaks == nil {
		s.peaks = make([]peak, s.o.Draws)
	}
	share := (len(s.peaks) + runtime.GOMAXPROCS(0) - 1) / runtime.GOMAXPROCS(0)
	var wg sync.WaitGroup
	for from := 0; from < len(s.peaks); from += share {
		wg.Add(1)
		go func() { // draws do not depend on each other, so neither does the answer on how they are shared out
			defer wg.Done()
			for d := from; d < min(from+share, len(s.peaks)); d++ {
				if stale == nil || stale(s.peaks[d]) {
					s.peaks[d] = s.peak(d, both, one)
				}
			}
		}()
	}
	wg.Wait()
	largest := make([]float64, len(s.peaks))
	for d, p := range s.peaks {
		largest[d] = math.Sqrt(p.square)
	}
	return upper(largest, s.o.Level)
}

// peak finds a draw's largest studentised difference among pairs.
func (s *sampling) peak(d int, both, one []pair) peak {
	noise := s.noise[d*s.n : (d+1)*s.n]
	var variance []float64
	if s.variance != nil {
		variance = s.variance[d*s.n : (d+1)*s.n]
	}
	var best peak
	for way, ps := range [2][]pair{both, one} {
		for _, p := range ps {
			diff := noise[p.j] - noise[p.k]
			if way == 1 && diff <= 0 {
				continue
			}
			var v float64
			if variance != nil {
				v = variance[p.j] + variance[p.k]
			} else {
				v = s.gapVariance[int(p.j)*s.n+int(p.k)] * s.factor[d]
			}
			if diff*diff > best.square*v && v > 0 {
				best = peak{diff * diff / v, p}
				if diff < 0 {
					best.pair = pair{p.k, p.j}
				}
			}
		}
	}
	return best
}

func upper(xs []float64, level float64) float64 {
	if len(xs) == 0 {
		return 0
	}
	sort.Float64s(xs)
	i := int(math.Ceil(level*float64(len(xs)+1))) - 1
	return xs[min(max(i, 0), len(xs)-1)]
}

// stepDown marks every ordered pair whose hypothesis "j is no better than k" is rejected. A rejected
// pair leaves the maximum; its reverse stays.
func (s *sampling) stepDown(beats [][]bool) {
	c := s.twoSide
	for {
		found := false
		for j := range s.n {
			for k := range s.n {
				if j == k || beats[j][k] || s.bounded[j] || s.bounded[k] {
					continue
				}
				if diff, se := s.gap(j, k); diff > c*se && diff > 0 {
					beats[j][k], found = true, true
				}
			}
		}
		if !found {
			return
		}
		var both, one []pair
		for j := range s.n {
			for k := j + 1; k < s.n; k++ {
				switch {
				case beats[j][k]:
					one = append(one, pair{int32(k), int32(j)})
				case beats[k][j]:
					one = append(one, pair{int32(j), int32(k)})
				default:
					both = append(both, pair{int32(j), int32(k)})
				}
			}
		}
		c = s.critical(both, one, func(p peak) bool { return beats[p.j][p.k] })
	}
}

// gap is how much better j is than k, less what the readings' ranges leave open, and its standard error.
func (s *sampling) gap(j, k int) (diff, se float64) {
	return s.x[j] - s.x[k] - s.hw[j] - s.hw[k], math.Sqrt(s.gapVariance[j*s.n+k])
}

// openUp tells whether a bounded estimate's merit may be better than its bound says: what is at least so much where
// higher is better, or at most so much where lower is.
func (o Options) openUp(e stats.Estimate) bool {
	return (o.Better == quantity.Higher) == stats.Upward(e.Bound)
}

// boundBeats tells whether j is surely better than k where one or both are bounds. A merit that is open downwards beats
// nobody surely, and one that is open upwards is not surely beaten.
func (s *sampling) boundBeats(j, k int) bool {
	bj, bk := s.bounded[j], s.bounded[k]
	if s.o.Better == quantity.Target || bj && bk || bj && !s.openUp[j] || bk && s.openUp[k] {
		return false
	}
	diff, se := s.gap(j, k)
	return diff > s.twoSide*se && diff > 0
}

// tie classes a pair on its simultaneous interval. sure says that the standing already parts them.
func (s *sampling) tie(j, k int, margin float64, sure bool) Tie {
	if s.bounded[j] || s.bounded[k] {
		if sure {
			return Different
		}
		return Undecided
	}
	diff := s.x[j] - s.x[k]
	half := s.twoSide*math.Sqrt(s.gapVariance[j*s.n+k]) + s.hw[j] + s.hw[k]
	lo, hi := diff-half, diff+half
	apart := sure || lo > 0 || hi < 0
	within := lo >= -margin && hi <= margin
	switch {
	case apart && within:
		return Small
	case apart:
		return Different
	case within:
		return Equal
	}
	return Undecided
}
