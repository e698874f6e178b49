package ranking

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// Weighed is one measure of an index. Its weight counts in relation to the others'.
type Weighed struct {
	Measure string             `json:"measure"`
	Name    string             `json:"name,omitempty"`
	Group   string             `json:"group,omitempty"`
	Weight  float64            `json:"weight" minimum:"0"`
	Better  quantity.Direction `json:"better,omitempty"`
}

// Figure is what is known of one variant in one measure of an index: an estimate, or none. Cannot says that the
// variant is unable to run it.
type Figure struct {
	Estimate *stats.Estimate
	Cannot   bool
}

// Contender is one variant of an index with its figures, in the order of the measures.
type Contender struct {
	ID      string
	Figures []Figure
}

// IndexOptions say how an index is made. Reference is the contender that is 100; "" takes the geometric mean of the
// field.
type IndexOptions struct {
	Reference string
	Least     float64 // completeness below which a contender is listed, not ranked; 0 means Complete
	Margin    float64 // relative difference that does not matter; 0 means DefaultMargin
	Draws     int     // of weights; 0 means 2000
	Seed      uint64
	Plain     bool // values and intervals alone: no places, no weights drawn
}

// Moved is by how much one measure moves a contender's index: in per cent of what it would be without it.
type Moved struct {
	Measure string  `json:"measure"`
	By      float64 `json:"by"`
}

// IndexRow is one contender's index. Place is its standing among the ranked.
type IndexRow struct {
	ID           string   `json:"id"`
	Value        float64  `json:"value"`
	Lo           float64  `json:"lo"`
	Hi           float64  `json:"hi"`
	Completeness float64  `json:"completeness" doc:"Share of the weight that was measured; what cannot be run was not"`
	Ranked       bool     `json:"ranked" doc:"False below 60 % completeness, and between bounds on both sides: listed, not ranked"`
	Place        Place    `json:"place"`
	Next         Tie      `json:"next,omitempty"`
	Under        Place    `json:"under_weights" doc:"Places that it takes in nine of ten draws of plausible weights"`
	Missing      []string `json:"missing,omitempty" doc:"Measures that were not run"`
	Cannot       []string `json:"cannot,omitempty" doc:"Measures that it cannot run; the index is over the others"`
	Bounded      []string `json:"bounded,omitempty" doc:"Measures with a bound in place of a figure, which enter as that bound"`
	Weakest      float64  `json:"weakest,omitempty" doc:"How low it may be if it misses precisely what it is weakest in; where nothing is missing there is none"`
	Down         int      `json:"down,omitempty" doc:"The place that it may take then"`
	Unknown      []string `json:"unknown,omitempty" doc:"Measures of unknown spread: their noise is not in the interval"`
	Bound        string   `json:"bound,omitempty" enum:"at least,at most" doc:"What the index is, where a bound entered: at least it, or at most"`
	Moves        []Moved  `json:"moves" doc:"What moves it most, first"`
}

// IndexTable is an index of a field, the ranked first.
type IndexTable struct {
	Rows        []IndexRow `json:"rows"`
	Groups      []Group    `json:"groups"`
	Left        []string   `json:"left,omitempty" doc:"Contenders without any figure"`
	Base        float64    `json:"-"` // what is 100, on the logarithm
	Interaction float64    `json:"interaction" doc:"Standard deviation, in per cent, by which a variant departs from what it is elsewhere"`
	DF          float64    `json:"df"`
	Firm        float64    `json:"firm" doc:"Share of draws of plausible weights under which the order of the first stays"`
	First       int        `json:"first" doc:"How many are first: three, or fewer where there are fewer"`
}

// Says tells what is to be known beside an index: how far down it may be, and whose noise is not in its interval; ""
// for nothing.
func (r IndexRow) Says() string {
	var out []string
	if r.Weakest > 0 {
		text := "If it left out what it is weakest in: down to " + quantity.Number(r.Weakest, 3)
		if r.Down > 0 {
			text += fmt.Sprintf(", place down to %d", r.Down)
		}
		out = append(out, text+".")
	}
	if n := len(r.Unknown); n == 1 {
		out = append(out, "One figure is of unknown spread; its noise is not in the interval.")
	} else if n > 1 {
		out = append(out, fmt.Sprintf("%d figures are of unknown spread; their noise is not in the interval.", n))
	}
	return strings.Join(out, " ")
}

// Complete is the share of the weight that must have been measured for a variant to be ranked and not merely listed.
const Complete = 0.6

// ErrIndex marks an index that cannot be made; the message says what to do.
var ErrIndex = errors.New("index refused")

// MostContenders bounds the field of an index: its work grows with the square of it.
const MostContenders = 500

// Index is the weighted geometric mean of a field's figures (Fleming and Wallace, CACM 29(3), 1986), exactly that where
// none is missing: what was measured counts as it is. What is missing is filled by a model of two effects, ln y =
// contender + measure + interaction + noise (direction folded into the sign), fitted robustly, so that one special cell
// does not spoil the others. The residuals' variance less the noise gives the interaction's. The error against the
// complete index is linear in interaction and noise, so its variance is exact given theirs; degrees of freedom after
// Satterthwaite. Standings are those of Rank, each pair with its own variance. Beside an index that misses something
// stands how low it may be if that is what it is weakest in. A bound enters as the figure that it is, and the index is
// then one itself: at least, or at most; between bounds on both sides it is listed. It returns ErrIndex if the weights
// sum to zero, if the field is too large, or if contenders share no chain of measures.
func Index(field []Contender, measures []Weighed, o IndexOptions) (IndexTable, error) {
	if o.Least == 0 {
		o.Least = Complete
	}
	if o.Draws == 0 {
		o.Draws = 2000
	}
	f, out, err := newFit(field, measures)
	if err != nil {
		return out, err
	}
	f.solve()
	f.spread()
	ref := -1
	if o.Reference != "" {
		if ref = slices.IndexFunc(f.rows, func(c Contender) bool { return c.ID == o.Reference }); ref < 0 {
			return out, fmt.Errorf("%w: %s has no figure among the index's measures, so nothing can be relative to it", ErrIndex,
				o.Reference)
		}
	}
	base := 0.0
	for _, a := range f.index {
		base += a / float64(len(f.index))
	}
	if ref >= 0 {
		base = f.index[ref]
	}
	cov := f.errors(ref)
	out.Base = base
	out.Interaction, out.DF = 100*math.Sqrt(f.sigma2), f.df
	for i, c := range f.rows {
		v, df := cov.at(i, i)
		half := 0.0
		if v > 0 {
			half = stats.Quick(0.975, df) * math.Sqrt(v)
		}
		x := f.index[i] - base
		row := IndexRow{ID: c.ID, Value: 100 * math.Exp(x), Lo: 100 * math.Exp(x-half), Hi: 100 * math.Exp(x+half),
			Completeness: f.weight[i], Moves: f.moves(i)}
		for k, fig := range c.Figures {
			switch id := measures[k].Measure; {
			case measures[k].Weight == 0:
			case fig.Estimate != nil && fig.Estimate.Bound != "":
				row.Bounded = append(row.Bounded, id)
			case fig.Estimate != nil && fig.Estimate.Unknown:
				row.Unknown = append(row.Unknown, id)
			case f.y(i, k):
			case fig.Cannot:
				row.Cannot = append(row.Cannot, id)
			default:
				row.Missing = append(row.Missing, id)
			}
		}
		if b := f.weakest(i); b > 0 {
			row.Weakest = 100 * math.Exp(x-half-b)
		}
		row.Bound = bounding(c.Figures, measures)
		row.Ranked = row.Completeness >= o.Least-1e-9 && (f.df > 0 || f.missing[i] == 0) && (row.Bound != "" ||
			len(row.Bounded) == 0)
		out.Rows = append(out.Rows, row)
	}
	if !o.Plain {
		f.place(&out, cov, o)
	}
	sort.SliceStable(out.Rows, func(i, j int) bool {
		a, b := out.Rows[i], out.Rows[j]
		if a.Ranked != b.Ranked {
			return a.Ranked
		}
		if a.Value != b.Value {
			return a.Value > b.Value
		}
		return a.ID < b.ID
	})
	return out, nil
}

// bounding says what an index of some figures is where bounds are among them: at least it, at most, or neither where
// they lie on both sides.
func bounding(figures []Figure, measures []Weighed) string {
	least, most := false, false
	for k, fig := range figures {
		if e := fig.Estimate; e != nil && e.Bound != "" && measures[k].Weight > 0 {
			up := stats.Upward(e.Bound) == (measures[k].Better != quantity.Lower)
			least, most = least || up, most || !up
		}
	}
	switch {
	case least && !most:
		return "at least"
	case most && !least:
		return "at most"
	}
	return ""
}
