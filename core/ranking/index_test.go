package ranking

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"durvek/core/quantity"
	"durvek/core/stats"
)

// contenders makes a field of natural values; 0 is missing, below 0 cannot be run.
func contenders(se float64, rows ...[]float64) []Contender {
	var out []Contender
	for i, row := range rows {
		c := Contender{ID: string(rune('a' + i))}
		for _, v := range row {
			f := Figure{Cannot: v < 0}
			if v > 0 {
				e := est(math.Log(v), se)
				f.Estimate = &e
			}
			c.Figures = append(c.Figures, f)
		}
		out = append(out, c)
	}
	return out
}

func weighed(ws ...float64) []Weighed {
	var out []Weighed
	for i, w := range ws {
		out = append(out, Weighed{Measure: fmt.Sprint("m", i), Weight: w, Better: quantity.Higher})
	}
	return out
}

func index(t *testing.T, field []Contender, ms []Weighed, o IndexOptions) map[string]IndexRow {
	t.Helper()
	table, err := Index(field, ms, o)
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]IndexRow{}
	for _, r := range table.Rows {
		out[r.ID] = r
	}
	return out
}

// With nothing missing the index is the weighted geometric mean, to the last digits.
func TestACompleteIndexIsTheWeightedGeometricMean(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 3))
	for range 50 {
		v, n := 2+rng.IntN(8), 1+rng.IntN(9)
		ms := make([]Weighed, n)
		total := 0.0
		for m := range ms {
			ms[m] = Weighed{Measure: fmt.Sprint(m), Weight: rng.Float64() + 0.01, Better: []quantity.Direction{quantity.Higher,
				quantity.Lower}[rng.IntN(2)]}
			total += ms[m].Weight
		}
		var rows [][]float64
		want := make([]float64, v)
		for i := range v {
			row := make([]float64, n)
			for m := range row {
				row[m] = math.Exp(4 * rng.NormFloat64())
				sign := 1.0
				if ms[m].Better == quantity.Lower {
					sign = -1
				}
				want[i] += ms[m].Weight / total * sign * math.Log(row[m])
			}
			rows = append(rows, row)
		}
		got := index(t, contenders(0.01, rows...), ms, IndexOptions{Reference: "a", Plain: true})
		for i := range v {
			id := string(rune('a' + i))
			if w := 100 * math.Exp(want[i]-want[0]); math.Abs(got[id].Value/w-1) > 1e-12 {
				t.Fatalf("%s is %.15g, the weighted geometric mean is %.15g", id, got[id].Value, w)
			}
			if got[id].Completeness < 1-1e-12 {
				t.Errorf("completeness %g", got[id].Completeness)
			}
		}
		if r := got["a"]; r.Lo != r.Hi || r.Value != 100 {
			t.Errorf("the reference is 100 to itself without doubt, got %+v", r)
		}
	}
}

func TestMissingCellsAreFilledByWhatTheOthersSay(t *testing.T) {
	got := index(t, contenders(0.001, []float64{100, 200, 50, 400}, []float64{200, 400, 100, 800}, []float64{150, 0, 75,
		600}), weighed(1, 3, 1, 1), IndexOptions{Reference: "a"})
	c := got["c"]
	if math.Abs(c.Value-150) > 1e-6 || math.Abs(c.Completeness-0.5) > 1e-9 || c.Ranked || len(c.Missing) != 1 ||
		c.Missing[0] != "m1" {
		t.Errorf("a variant that is half as fast again throughout is %+v; want 150, half complete, listed but not ranked", c)
	}
	if b := got["b"]; b.Place != (Place{1, 1}) || got["a"].Place != (Place{2, 2}) {
		t.Errorf("places %v and %v among the ranked", b.Place, got["a"].Place)
	}
}

func TestWhatCannotBeRunIsNotMeasuredAndABoundIsABound(t *testing.T) {
	field := contenders(0.001, []float64{100, 100, 100}, []float64{200, 200, 200}, []float64{300, 300, -1})
	bound := *field[1].Figures[2].Estimate
	bound.Bound = "at least"
	field[1].Figures[2].Estimate = &bound
	got := index(t, field, weighed(1, 1, 2), IndexOptions{Reference: "a"})
	if c := got["c"]; c.Ranked || c.Completeness != 0.5 || len(c.Cannot) != 1 || math.Abs(c.Value-300) > 1e-6 {
		t.Errorf("over what it can run: %+v, want 300 over half of the weight, listed", c)
	}
	light := index(t, field, weighed(2, 2, 1), IndexOptions{Reference: "a"})
	if c := light["c"]; !c.Ranked || c.Completeness != 0.8 {
		t.Errorf("what cannot be run was not measured: %+v, want ranked with 0.8", c)
	}
	if b := got["b"]; !b.Ranked || len(b.Bounded) != 1 || b.Completeness != 1 || b.Bound != "at least" ||
		math.Abs(b.Value-200) > 1e-6 {
		t.Errorf("with a bound in half of the weight: %+v, want at least 200", b)
	}
	if got["a"].Place != (Place{2, 2}) || got["b"].Place != (Place{1, 1}) { // at least 200 is surely more than 100
		t.Errorf("a is at %v, b at %v", got["a"].Place, got["b"].Place)
	}
	field[0].Figures[2].Estimate, field[1].Figures[2].Estimate = field[1].Figures[2].Estimate, field[0].Figures[2].Estimate
	got = index(t, field, weighed(1, 1, 2), IndexOptions{Reference: "b"})
	if got["a"].Place != (Place{1, 2}) || got["b"].Place != (Place{1, 2}) || got["a"].Bound != "at least" {
		t.Errorf("at least so much may yet be more: a is at %v, b at %v", got["a"].Place, got["b"].Place)
	}
	both := *field[0].Figures[1].Estimate
	both.Bound = "at most"
	field[0].Figures[1].Estimate = &both
	if a := index(t, field, weighed(1, 1, 2), IndexOptions{Reference: "b"})["a"]; a.Ranked || a.Bound != "" ||
		len(a.Bounded) != 2 {
		t.Errorf("between bounds on both sides: %+v, want listed", a)
	}
	got = index(t, field, weighed(1, 0, 0), IndexOptions{})
	if a := got["a"]; a.Bound != "" {
		t.Errorf("no bound of its own, and %q", a.Bound)
	}
	for want, bounds := range map[string][]string{"at least": {"at least", "at most"}, "at most": {"at most", "more than"},
		"": {"at least", "more than"}} { // the first is better higher, the second lower
		figures := []Figure{{Estimate: &stats.Estimate{Bound: bounds[0]}}, {Estimate: &stats.Estimate{Bound: bounds[1]}},
			{Estimate: &stats.Estimate{Bound: "at most"}}, {}}
		if got := bounding(figures, []Weighed{{Weight: 1, Better: quantity.Higher}, {Weight: 1, Better: quantity.Lower}, {},
			{Weight: 1}}); got != want {
			t.Errorf("%v: %q, want %q", bounds, got, want)
		}
	}
}

func TestIndexRefusesInWords(t *testing.T) {
	for _, c := range []struct {
		name  string
		field []Contender
		ms    []Weighed
		o     IndexOptions
		says  string
	}{
		{"weights of zero", contenders(0.01, []float64{1}), weighed(0), IndexOptions{}, "sum to zero"},
		{"a negative weight", contenders(0.01, []float64{1}), weighed(-1), IndexOptions{}, "from 0 up"},
		{"two parts", contenders(0.01, []float64{1, 0}, []float64{0, 2}), weighed(1, 1), IndexOptions{},
			"share no measure (a | b)"},
		{"nothing measured", contenders(0.01, []float64{0}), weighed(1), IndexOptions{}, "measure one first"},
		{"an unknown reference", contenders(0.01, []float64{1}), weighed(1), IndexOptions{Reference: "z"}, "z has no figure"},
	} {
		if _, err := Index(c.field, c.ms, c.o); !errors.Is(err, ErrIndex) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want it to say %q", c.name, err, c.says)
		}
	}
}

func TestIndexSaysWhatMovesItAndHowFirmItIs(t *testing.T) {
	table, err := Index(contenders(0.002, []float64{100, 100, 500}, []float64{120, 130, 125}, []float64{60, 62, 59}),
		weighed(1, 1, 1), IndexOptions{Seed: 5})
	if err != nil {
		t.Fatal(err)
	}
	a := table.Rows[0]
	if a.ID != "a" || a.Moves[0].Measure != "m2" || a.Moves[0].By < 20 {
		t.Errorf("first is %+v; its third measure lifts it most", a)
	}
	if table.First != 3 || table.Firm < 0.5 || table.Firm > 1 {
		t.Errorf("order of the first %d holds for %.2f of weights", table.First, table.Firm)
	}
	clear, err := Index(contenders(0.002, []float64{100, 100}, []float64{200, 220}, []float64{390, 400}), weighed(1, 1),
		IndexOptions{})
	if err != nil || clear.Firm != 1 || clear.Rows[0].Under != (Place{1, 1}) || clear.Rows[0].Place != (Place{1, 1}) {
		t.Errorf("one that leads everywhere stands at %+v, firm %.2f (%v)", clear.Rows[0], clear.Firm, err)
	}
}

// Interaction widens the interval of an incomplete index: figures elsewhere say less where variants have strengths of
// their own.
func TestInteractionWidensIncompleteIndices(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 9))
	width := func(interaction float64) float64 {
		var rows [][]float64
		for range 12 {
			row := make([]float64, 10)
			for m := range row {
				row[m] = 100 * math.Exp(interaction*rng.NormFloat64())
			}
			rows = append(rows, row)
		}
		rows[0][0], rows[0][1], rows[0][2] = 0, 0, 0
		r := index(t, contenders(0.005, rows...), weighed(1, 1, 1, 1, 1, 1, 1, 1, 1, 1), IndexOptions{Plain: true})["a"]
		return math.Log(r.Hi / r.Lo)
	}
	if even, uneven := width(0), width(0.15); uneven < 3*even {
		t.Errorf("interval %.4f wide with interaction, %.4f without", uneven, even)
	}
}

func BenchmarkIndex50x30(b *testing.B) {
	rng := rand.New(rand.NewPCG(1, 1))
	ws := make([]float64, 30)
	var rows [][]float64
	for range 50 {
		row := make([]float64, 30)
		for m := range row {
			ws[m] = 1
			if rng.Float64() > 0.2 {
				row[m] = 100 * math.Exp(0.3*rng.NormFloat64())
			}
		}
		rows = append(rows, row)
	}
	field, ms := contenders(0.01, rows...), weighed(ws...)
	for b.Loop() {
		if _, err := Index(field, ms, IndexOptions{Least: 0.1}); err != nil {
			b.Fatal(err)
		}
	}
}
