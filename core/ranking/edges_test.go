package ranking

import (
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/stat/distuv"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// The usual margin is 2 %, on the logarithm: a pair whose interval reaches just to it is practically equal, a hair
// beyond it is not. Two entries alone have one pair, whose interval is Student's.
func TestTheMarginAtItsLimit(t *testing.T) {
	margin := math.Log1p(DefaultMargin)
	if DefaultMargin != 0.02 {
		t.Fatalf("the usual margin is %g", DefaultMargin)
	}
	// Of 2 × 45 degrees of freedom t(0.975) is 1.9867: the interval of a pair then reaches half a margin to each side.
	se := margin / 2 / math.Sqrt2 / 1.9867
	for _, c := range []struct {
		diff, own float64
		want      Tie
	}{
		{0.45, 0, Equal}, {0.6, 0, Different}, {1.6, 0, Different}, // in margins
		{0.6, 0.05, Small}, {0.3, 0.001, Undecided}, {0.3, 0.05, Equal}, // with a margin of its own
	} {
		o := higher
		o.Margin = c.own
		if r := Rank(field(se, 1+c.diff*margin, 1), o); r.Rows[0].Next != c.want {
			t.Errorf("difference %.2f margins, margin %g: %q, want %q", c.diff, c.own, r.Rows[0].Next, c.want)
		}
	}
}

// A place among n others takes each pair at 1 − (1 − level)/2/(n − 1) (Bonferroni, both sides): a difference just
// beyond that quantile parts, one just below it does not. With one rival the quantile is 0.975.
func TestAPlaceAmongIsBonferronis(t *testing.T) {
	const se = 0.01
	for _, n := range []int{2, 11, 101} {
		p := 1 - 0.05/2/float64(n-1)
		entries := []Entry{{ID: "me", Estimate: est(0, se)}}
		_, df := stats.Difference(est(0, se), est(0, se), stats.RankShare)
		q := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: df}.Quantile(p)
		for side, want := range map[float64]Place{1.002: {2, 2}, 0.998: {1, 2}, -1.002: {1, 1}, -0.998: {1, 2}} {
			all := append([]Entry{}, entries...)
			all = append(all, Entry{ID: "rival", Estimate: est(side*q*se*math.Sqrt2, se)})
			for i := 2; i < n; i++ { // far below, so that they stand surely behind
				all = append(all, Entry{ID: string(rune('A' + i)), Estimate: est(-9, se)})
			}
			got := PlaceAmong(all, "me", Options{Scale: quantity.Ratio, Better: quantity.Higher}, nil)
			if got.Place != want || got.Of != n {
				t.Errorf("%d entries, %.3f of the quantile: place %+v of %d, want %+v", n, side, got.Place, got.Of, want)
			}
		}
	}
	if got := PlaceAmong([]Entry{{ID: "me", Estimate: est(0, se)}}, "me", higher, nil); got.Place != (Place{1, 1}) ||
		got.Of != 1 {
		t.Errorf("alone: %+v", got)
	}
	if got := PlaceAmong([]Entry{{ID: "x", Estimate: est(0, se)}, {ID: "y", Estimate: est(1, se)}}, "me", higher,
		nil); got.Of != 2 || got.Place != (Place{1, 2}) {
		t.Errorf("one that is not among them: %+v", got)
	}
	kept := PlaceAmong([]Entry{{ID: "me", Estimate: est(0, se)}, {ID: "x", Estimate: est(5, se)},
		{ID: "y", Estimate: est(9, se)}}, "me", higher, func(id string) bool { return id == "y" })
	if kept.Of != 2 || kept.Place != (Place{2, 2}) {
		t.Errorf("among those that are kept: %+v", kept)
	}
}

// What noise explains is no interaction: variants that differ by noise alone have none, ones that differ by 8 % on top
// have about that.
func TestInteractionIsWhatNoiseDoesNotExplain(t *testing.T) {
	found := func(interaction, noise float64, seed uint64) float64 {
		rng := rand.New(rand.NewPCG(seed, 3))
		var rows [][]float64
		for range 20 {
			row := make([]float64, 12)
			for m := range row {
				row[m] = 100 * math.Exp(interaction*rng.NormFloat64()+noise*rng.NormFloat64())
			}
			rows = append(rows, row)
		}
		ws := make([]float64, 12)
		for i := range ws {
			ws[i] = 1
		}
		table, err := Index(contenders(noise, rows...), weighed(ws...), IndexOptions{Plain: true})
		if err != nil {
			t.Fatal(err)
		}
		return table.Interaction / 100
	}
	sum := 0.0
	for seed := range uint64(5) {
		sum += found(0, 0.1, seed) / 5
	}
	if sum > 0.03 {
		t.Errorf("noise of 10 %% alone is taken for an interaction of %.3f", sum)
	}
	if got := found(0.08, 0.1, 9); got < 0.05 || got > 0.11 {
		t.Errorf("an interaction of 8 %% below noise of 10 %% is found as %.3f", got)
	}
}

// At 60 % of the weight a variant is ranked, just below it listed.
func TestCompletenessAtItsLimit(t *testing.T) {
	rows := [][]float64{{100, 0}, {120, 130}, {140, 150}, {90, 95}}
	for share, ranked := range map[float64]bool{Complete: true, Complete - 0.001: false} {
		r := index(t, contenders(0.01, rows...), weighed(share, 1-share), IndexOptions{Plain: true})["a"]
		if r.Ranked != ranked || math.Abs(r.Completeness-share) > 1e-9 {
			t.Errorf("%.3f measured: %+v", share, r)
		}
	}
}

// A figure that is at most so much may be lower still: where lower is better it may win and is not surely beaten, where
// higher is better it beats nobody surely.
func TestAtMostInRanksAndPlaces(t *testing.T) {
	bound := func(id string, v float64, b string) Entry {
		return Entry{ID: id, Estimate: stats.Estimate{Centre: v, Mean: v, Lo: v, Hi: v, N: 3, Bound: b}}
	}
	exact := func(id string, v float64) Entry {
		return Entry{ID: id, Estimate: stats.Estimate{Centre: v, Mean: v, Lo: v, Hi: v, N: 3, SE: 0.01, DF: 30}}
	}
	for _, c := range []struct {
		better      quantity.Direction
		bound       string
		worst, best int // of the bounded one among three
	}{{quantity.Lower, "at most", 2, 1}, {quantity.Higher, "at most", 3, 2}, {quantity.Lower, "at least", 3, 2},
		{quantity.Higher, "at least", 2, 1}} {
		field := []Entry{exact("low", 10), bound("x", 20, c.bound), exact("high", 30)}
		o := Options{Scale: quantity.Level, Better: c.better}
		for _, r := range Rank(field, o).Rows {
			if r.ID == "x" && (r.Place.Best != c.best || r.Place.Worst != c.worst) {
				t.Errorf("%s where %s is better: %+v, want %d to %d", c.bound, c.better, r.Place, c.best, c.worst)
			}
		}
		if p := PlaceAmong(field, "x", o, nil); p.Best != c.best || p.Worst != c.worst {
			t.Errorf("%s where %s is better, in history: %+v", c.bound, c.better, p.Place)
		}
	}
}
