// Package ranking puts the variants of a field in order of one measure and says how sure that order
// is: standings, ties by kind, values relative to a reference. It takes estimates that are already
// known to be comparable and reads nothing else.
package ranking

import (
	"cmp"
	"math"
	"slices"
	"sort"

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
// ratio scales, in the measure's unit otherwise.
type Options struct {
	Scale  quantity.Scale
	Better quantity.Direction
	Target float64
	Margin float64
	Level  float64 // 0 means 0.95
}

// DefaultMargin is the relative difference that does not matter unless a measure says otherwise.
const DefaultMargin = 0.02

// Place is a standing: the range of places that an entry can hold, 1 being best. The zero Place is that of an entry
// whose order is unknown.
type Place struct {
	Best  int `json:"best"`
	Worst int `json:"worst"`
}

// Known tells whether there is a place at all.
func (p Place) Known() bool { return p.Best > 0 }

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
}

// Rank orders entries and gives each its standing by simultaneous confidence sets for ranks (after Mogstad, Romano,
// Shaikh and Wilhelm, Review of Economic Studies 91(1), 2024): every pair is tested by Student's t with its own degrees
// of freedom, in steps after Holm (Scandinavian Journal of Statistics 6, 1979) that also tell the direction (Shaffer,
// Annals of Statistics 8, 1980). Of u pairs that are not decided yet, one is decided if its chance is below α/2u. Ties
// are read from the intervals at the first step's level. A bounded entry beats only what lies surely below (or above)
// its bound and is undecided otherwise. Entries whose spread is unknown stand last, without a place, and do not count
// among the others'. The same entries always give the same answer.
func Rank(entries []Entry, o Options) Ranking {
	o = o.filled()
	rows := slices.Clone(entries)
	sort.SliceStable(rows, func(i, j int) bool {
		if u := rows[i].Estimate.Unknown; u != rows[j].Estimate.Unknown {
			return !u
		}
		a, b := o.merit(rows[i].Estimate), o.merit(rows[j].Estimate)
		if a != b {
			return a > b
		}
		return rows[i].ID < rows[j].ID
	})
	n := 0
	for n < len(rows) && !rows[n].Estimate.Unknown {
		n++
	}
	f := newPairs(rows[:n], o)
	for j := range n {
		for k := range j {
			f.put(j, k, func() (se, df float64) { return stats.Difference(rows[j].Estimate, rows[k].Estimate, stats.RankShare) })
		}
	}
	out := f.standings(rows[:n])
	for _, r := range rows[n:] {
		out.Rows = append(out.Rows, Row{Entry: r})
	}
	return out
}

func (o Options) filled() Options {
	if o.Level == 0 {
		o.Level = 0.95
	}
	if o.Margin == 0 && o.Scale == quantity.Ratio {
		o.Margin = DefaultMargin
	}
	return o
}

// standings gives each row, best first, its place and its ties.
func (f *pairs) standings(rows []Entry) Ranking {
	n, margin := f.n, f.o.Margin
	if f.o.Scale == quantity.Ratio {
		margin = math.Log1p(margin)
	}
	f.decide()
	out := Ranking{Rows: make([]Row, n)}
	for j := range rows {
		place := Place{1, n}
		for k := range rows {
			if f.beats[k*n+j] {
				place.Best++
			}
			if f.beats[j*n+k] {
				place.Worst--
			}
		}
		out.Rows[j] = Row{Entry: rows[j], Place: place}
		if j+1 < n {
			out.Rows[j].Next = f.tie(j, j+1, margin)
		}
	}
	out.Groups = groups(n, func(i, j int) Tie { return f.tie(i, j, margin) })
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

// pairs holds what is known of every pair of n entries, the better one first.
type pairs struct {
	n       int
	o       Options
	x, hw   []float64
	bounded []bool
	openUp  []bool                 // of bounded ones: the merit may yet be better
	se, df  []float64              // of each pair's difference, n × n; the half where the row lies below the column
	chance  []float64              // that the difference has the other sign
	beats   []bool                 // n × n: the row is surely better than the column
	first   float64                // the chance at which a pair is decided in the first step
	least   float64                // fewer standard errors leave a pair undecided, whatever their freedom
	plenty  [len(freedoms)]float64 // one of so many is decided in the first step, with as many degrees of freedom or more
}

// freedoms are degrees of freedom at which it is known how many standard errors decide a pair.
var freedoms = [...]float64{2, 4, 8, 16, 32, 64}

func newPairs(rows []Entry, o Options) *pairs {
	n := len(rows)
	f := &pairs{n: n, o: o, x: make([]float64, n), hw: make([]float64, n), bounded: make([]bool, n),
		openUp: make([]bool, n), se: make([]float64, n*n), df: make([]float64, n*n), chance: make([]float64, n*n),
		beats: make([]bool, n*n)}
	for i, r := range rows {
		e := r.Estimate
		f.x[i], f.hw[i], f.bounded[i], f.openUp[i] = o.merit(e), e.HalfWidth, e.Bound != "", o.openUp(e)
	}
	f.first = (1 - o.Level) / math.Max(1, float64(n*(n-1)))
	f.least = distuv.UnitNormal.Quantile(1 - (1-o.Level)/2)
	for i, df := range freedoms {
		f.plenty[i] = -distuv.StudentsT{Sigma: 1, Nu: df}.Quantile(f.first)
	}
	return f
}

// tail is the chance that a difference has the other sign, as far as it matters: 1 where it leaves the pair undecided
// for certain, 0 where it decides it in the first step.
func (f *pairs) tail(x, se, df float64) float64 {
	if se > 0 {
		t := x / se
		if t < f.least {
			return 1
		}
		for i := len(freedoms) - 1; i >= 0; i-- {
			if df >= freedoms[i] {
				if t > f.plenty[i] {
					return 0
				}
				break
			}
		}
	}
	return stats.Tail(x, se, df)
}

// put puts in the standard error of a pair's difference, j standing below k, and its degrees of freedom. They are asked
// for only where they can matter.
func (f *pairs) put(j, k int, of func() (se, df float64)) {
	at := j*f.n + k
	f.se[at], f.df[at] = of()
	f.chance[at] = f.tail(f.x[k]-f.x[j]-f.hw[j]-f.hw[k], f.se[at], f.df[at])
}

// decide marks every ordered pair that is surely so.
func (f *pairs) decide() {
	type pair struct {
		chance float64
		j, k   int
	}
	var open []pair
	u := f.n * (f.n - 1) / 2
	most := (1 - f.o.Level) / 2
	for j := range f.n {
		for k := range j {
			if f.bounded[j] || f.bounded[k] { // never leaves the pairs that count
				f.beats[k*f.n+j] = f.boundBeats(k, j)
				f.beats[j*f.n+k] = f.boundBeats(j, k)
			} else if c := f.chance[j*f.n+k]; c <= most {
				open = append(open, pair{c, j, k})
			}
		}
	}
	slices.SortFunc(open, func(a, b pair) int { return cmp.Compare(a.chance, b.chance) })
	for i, p := range open {
		if p.chance > most/float64(u-i) {
			break
		}
		f.beats[p.k*f.n+p.j] = true
	}
}

// openUp tells whether a bounded estimate's merit may be better than its bound says: what is at least so much where
// higher is better, or at most so much where lower is.
func (o Options) openUp(e stats.Estimate) bool {
	return (o.Better == quantity.Higher) == stats.Upward(e.Bound)
}

// boundBeats tells whether j is surely better than k where one or both are bounds. A merit that is open downwards beats
// nobody surely, and one that is open upwards is not surely beaten.
func (f *pairs) boundBeats(j, k int) bool {
	bj, bk := f.bounded[j], f.bounded[k]
	if f.o.Better == quantity.Target || bj && bk || bj && !f.openUp[j] || bk && f.openUp[k] {
		return false
	}
	at := max(j, k)*f.n + min(j, k)
	return f.tail(f.x[j]-f.x[k]-f.hw[j]-f.hw[k], f.se[at], f.df[at]) <= f.first
}

// tie classes a pair, j before k, on its simultaneous interval.
func (f *pairs) tie(j, k int, margin float64) Tie {
	a, b := max(j, k), min(j, k)
	sure := f.beats[j*f.n+k] || f.beats[k*f.n+j]
	if f.bounded[j] || f.bounded[k] {
		if sure {
			return Different
		}
		return Undecided
	}
	at := a*f.n + b
	apart := sure || f.chance[at] <= f.first
	room := margin - math.Abs(f.x[j]-f.x[k]) - f.hw[j] - f.hw[k]
	within := room >= 0 && f.tail(room, f.se[at], f.df[at]) <= f.first
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
