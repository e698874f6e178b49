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
	n := len(entries)
	if o.Level == 0 {
		o.Level = 0.95
	}
	if o.Draws == 0 {
		o.Draws = 2000
	}
	margin := o.Margin
	if margin == 0 && o.Scale == quantity.Ratio {
		margin = DefaultMargin
	}
	if o.Scale == quantity.Ratio {
		margin = math.Log1p(margin)
	}
	rows := slices.Clone(entries)
	sort.SliceStable(rows, func(i, j int) bool {
		a, b := o.merit(rows[i].Estimate), o.merit(rows[j].Estimate)
		if a != b {
			return a > b
		}
		return rows[i].ID < rows[j].ID
	})

	b := bootstrap(rows, o)
	beats := make([][]bool, n) // beats[j][k]: j is surely better than k
	for j := range beats {
		beats[j] = make([]bool, n)
	}
	b.stepDown(beats)
	for j := range rows {
		for k := range rows {
			if j != k && (rows[j].Estimate.Bound != "" || rows[k].Estimate.Bound != "") {
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

// sampling holds what the bootstrap needs: merits, standard errors, half-widths and the draws.
type sampling struct {
	rows     []Entry
	o        Options
	x        []float64
	se, hw   []float64
	noise    [][]float64 // noise[draw][entry]: centre error of the draw
	variance [][]float64 // variance[draw][entry]: redrawn squared standard error
	twoSide  float64
}

func bootstrap(rows []Entry, o Options) *sampling {
	n := len(rows)
	s := &sampling{rows: rows, o: o, x: make([]float64, n), se: make([]float64, n), hw: make([]float64, n)}
	for i, r := range rows {
		s.x[i], s.se[i], s.hw[i] = o.merit(r.Estimate), r.Estimate.SE, r.Estimate.HalfWidth
	}
	rng := rand.New(rand.NewPCG(o.Seed, 0x6475727665))
	var poolDF float64
	for _, r := range rows {
		if r.Estimate.Pooled {
			poolDF = r.Estimate.DF
		}
	}
	chi := func(df float64) float64 { // χ²_ν/ν
		if df <= 0 {
			return 1
		}
		return distuv.ChiSquared{K: df, Src: rng}.Rand() / df
	}
	s.noise, s.variance = make([][]float64, o.Draws), make([][]float64, o.Draws)
	for d := range o.Draws {
		noise, variance := make([]float64, n), make([]float64, n)
		pool := chi(poolDF)
		for i, r := range rows {
			noise[i] = rng.NormFloat64() * s.se[i]
			scale := pool
			if !r.Estimate.Pooled {
				scale = chi(r.Estimate.DF)
			}
			variance[i] = s.se[i] * s.se[i] * scale
		}
		s.noise[d], s.variance[d] = noise, variance
	}
	// The two-sided critical value over all pairs, for ties, is also the first one of the step-down:
	// the largest of all ordered differences is the largest of all absolute ones.
	var all []pair
	for j := range n {
		for k := j + 1; k < n; k++ {
			all = append(all, pair{j, k})
		}
	}
	s.twoSide = s.critical(all, true)
	return s
}

type pair struct{ j, k int }

// critical is the level's quantile, over the draws, of the largest studentised difference among pairs.
func (s *sampling) critical(held []pair, bothWays bool) float64 {
	peaks := make([]float64, len(s.noise))
	share := (len(peaks) + runtime.GOMAXPROCS(0) - 1) / runtime.GOMAXPROCS(0)
	var wg sync.WaitGroup
	for from := 0; from < len(peaks); from += share {
		wg.Add(1)
		go func() { // draws do not depend on each other, so neither does the answer on how they are shared out
			defer wg.Done()
			for d := from; d < min(from+share, len(peaks)); d++ {
				peaks[d] = s.peak(d, held, bothWays)
			}
		}()
	}
	wg.Wait()
	return upper(peaks, s.o.Level)
}

// peak is a draw's largest studentised difference among pairs.
func (s *sampling) peak(d int, held []pair, bothWays bool) float64 {
	noise, variance := s.noise[d], s.variance[d]
	best := 0.0 // squared
	for _, p := range held {
		diff := noise[p.j] - noise[p.k]
		if diff <= 0 && !bothWays {
			continue
		}
		if v := variance[p.j] + variance[p.k]; diff*diff > best*v && v > 0 {
			best = diff * diff / v
		}
	}
	return math.Sqrt(best)
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
	n := len(s.x)
	bounded := func(i int) bool { return s.rows[i].Estimate.Bound != "" }
	c := s.twoSide
	for {
		found := false
		var held []pair
		for j := range n {
			for k := range n {
				if j == k || beats[j][k] {
					continue
				}
				if diff, se := s.gap(j, k); diff > c*se && diff > 0 && !bounded(j) && !bounded(k) {
					beats[j][k], found = true, true
				} else {
					held = append(held, pair{j, k})
				}
			}
		}
		if !found {
			return
		}
		c = s.critical(held, false)
	}
}

// gap is how much better j is than k, less what the readings' ranges leave open, and its standard error.
func (s *sampling) gap(j, k int) (diff, se float64) {
	return s.x[j] - s.x[k] - s.hw[j] - s.hw[k], math.Hypot(s.se[j], s.se[k])
}

// boundBeats tells whether j is surely better than k where one or both are bounds. All bounds say
// that the true value is at or above the bound, so its merit is open upwards when higher is better
// and open downwards when lower is.
func (s *sampling) boundBeats(j, k int) bool {
	openUp := s.o.Better == quantity.Higher
	bj, bk := s.rows[j].Estimate.Bound != "", s.rows[k].Estimate.Bound != ""
	if s.o.Better == quantity.Target || bj && bk || bj && !openUp || bk && openUp {
		return false
	}
	diff, se := s.gap(j, k)
	return diff > s.twoSide*se && diff > 0
}

// tie classes a pair on its simultaneous interval. sure says that the standing already parts them.
func (s *sampling) tie(j, k int, margin float64, sure bool) Tie {
	if s.rows[j].Estimate.Bound != "" || s.rows[k].Estimate.Bound != "" {
		if sure {
			return Different
		}
		return Undecided
	}
	diff := s.x[j] - s.x[k]
	half := s.twoSide*math.Hypot(s.se[j], s.se[k]) + s.hw[j] + s.hw[k]
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

// groups finds the maximal runs of neighbouring rows in which no pair surely differs by an amount
// that matters. A group is undecided if any pair in it is, else practically equal unless all its
// pairs are parted by too little to matter.
func groups(ties [][]Tie) []Group {
	out := []Group{}
	n := len(ties)
	end := 0
	for from := range n {
		to := from
		for to+1 < n && tiedWithAll(ties, from, to+1) {
			to++
		}
		if to > from && to > end {
			out = append(out, Group{from, to, groupKind(ties, from, to)})
			end = to
		}
	}
	return out
}

func tiedWithAll(ties [][]Tie, from, to int) bool {
	for i := from; i < to; i++ {
		if ties[i][to] == Different {
			return false
		}
	}
	return true
}

func groupKind(ties [][]Tie, from, to int) Tie {
	kind := Small
	for i := from; i <= to; i++ {
		for j := i + 1; j <= to; j++ {
			switch ties[i][j] {
			case Undecided:
				return Undecided
			case Equal:
				kind = Equal
			}
		}
	}
	return kind
}
