package stats

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

func TestBlocksKeepTheMean(t *testing.T) {
	xs := []float64{1, 2, 3, 4, 5, 6, 7}
	b := Blocks(xs, 3)
	if len(b) != 3 || b[0] != 1.5 || b[1] != 3.5 || b[2] != 6 {
		t.Errorf("blocks %v", b)
	}
	if got := Blocks(xs, 7); !slices.Equal(got, xs) || &got[0] == &xs[0] {
		t.Errorf("short enough, and yet %v", got)
	}
}

func TestShiftsAreFoundWhereTheyAre(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 8))
	falsely, missed := 0, 0
	for range 300 {
		at := 3 + rng.IntN(5)
		level, shifted, vs := make([]float64, 10), make([]float64, 10), make([]float64, 10)
		for i := range level {
			vs[i] = 0.5 + rng.Float64()
			level[i] = 100 + rng.NormFloat64()*math.Sqrt(vs[i])
			shifted[i] = level[i]
			if i >= at {
				shifted[i] += 6
			}
		}
		if len(Shifts(level, vs, 12)) > 1 {
			falsely++
		}
		if got := Shifts(shifted, vs, 12); !slices.Contains(got, at) {
			missed++
		}
	}
	if falsely > 6 || missed > 15 {
		t.Errorf("of 300 series: %d seem to shift that do not, %d shifts are not found where they are", falsely, missed)
	}
	if Shifts(nil, nil, 12) != nil {
		t.Error("nothing shifts")
	}
}

func TestAPoolWithoutOneOfItsCells(t *testing.T) {
	cells := []Cell{cellOf(true, []float64{100, 101, 99}, []float64{103, 104}), cellOf(true, []float64{50, 52}),
		cellOf(true, []float64{10, 10.1, 10.3}, []float64{10.6, 10.5})}
	all := NewPool(cells, 0, 0.02)
	for i, c := range cells {
		rest := slices.Delete(slices.Clone(cells), i, i+1)
		want, got := NewPool(rest, 0, 0.02), all.Without(c)
		near(t, "s_r", got.SR, want.SR, 1e-9)
		near(t, "degrees of freedom", got.DF, want.DF, 1e-9)
		near(t, "between", got.Between, want.Between, 1e-9)
	}
	if p := NewPool(cells[1:2], 0, 0).Without(cells[1]); p.DF != 0 || p.SR != 0 {
		t.Errorf("without its only cell a pool knows nothing, not %+v", p)
	}
}

func TestAnExtremeReadingTellsOfTheRepeatabilityAlone(t *testing.T) {
	c := NewCell([]Value{{X: 100, Sitting: "a"}, {X: 101, Sitting: "a"}, {X: 150, Sitting: "a", Extreme: true}}, true)
	if c.N() != 2 || c.Median != 100.5 || len(c.Scatter) != 1 || c.Scatter[0].N != 3 {
		t.Errorf("%+v", c)
	}
	if p := NewPool([]Cell{c}, 0, 0); p.DF != 2 || p.SR < 0.1 {
		t.Errorf("pool %+v", p)
	}
	if c := NewCell([]Value{{X: 150, Sitting: "a", Extreme: true}}, true); len(c.Sittings) != 0 || c.N() != 0 {
		t.Errorf("%+v", c)
	}
}

func TestVariancesAreModeratedTowardsEachOther(t *testing.T) {
	alike, df := Moderated([]float64{1, 1.1, 0.9, 1.05, 4}, []float64{11, 11, 11, 11, 11})
	if alike[4] >= 4 || alike[4] <= 1 || df[0] <= 11 {
		t.Errorf("moderated %v with %v degrees of freedom", alike, df)
	}
	if two, df := Moderated([]float64{1, 9}, []float64{5, 5}); two[0] != 1 || two[1] != 9 || df[0] != 5 {
		t.Errorf("two variances say nothing of a prior: %v %v", two, df)
	}
}
