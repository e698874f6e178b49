package ranking

import (
	"math"
	"math/rand/v2"
	"testing"

	"durvek/core/quantity"
	"durvek/core/stats"
)

func est(mean, se float64) stats.Estimate {
	return stats.Estimate{Centre: math.Exp(mean), Mean: mean, SE: se, DF: 60, N: 5,
		Lo: math.Exp(mean - 2*se), Hi: math.Exp(mean + 2*se)}
}

func field(se float64, means ...float64) []Entry {
	var out []Entry
	for i, m := range means {
		out = append(out, Entry{ID: string(rune('a' + i)), Estimate: est(m, se)})
	}
	return out
}

var higher = Options{Scale: quantity.Ratio, Better: quantity.Higher}

func TestClearFieldsRankOneByOne(t *testing.T) {
	r := Rank(field(0.005, 4, 5, 3), higher)
	for i, want := range []string{"b", "a", "c"} {
		if r.Rows[i].ID != want || r.Rows[i].Place != (Place{i + 1, i + 1}) {
			t.Errorf("row %d is %s at %v, want %s at %d", i, r.Rows[i].ID, r.Rows[i].Place, want, i+1)
		}
	}
	if len(r.Groups) != 0 {
		t.Errorf("clear differences were grouped: %v", r.Groups)
	}
}

func TestLowerIsBetterMirrorsHigherIsBetter(t *testing.T) {
	means := []float64{1, 1.004, 1.3, 2, 2.01}
	up := Rank(field(0.01, means...), higher)
	negated := make([]float64, len(means))
	for i, m := range means {
		negated[i] = -m
	}
	down := Rank(field(0.01, negated...), Options{Scale: quantity.Ratio, Better: quantity.Lower})
	for i := range up.Rows {
		if up.Rows[i].ID != down.Rows[i].ID || up.Rows[i].Place != down.Rows[i].Place {
			t.Errorf("row %d: %s %v against %s %v", i, up.Rows[i].ID, up.Rows[i].Place, down.Rows[i].ID, down.Rows[i].Place)
		}
	}
}

func TestNearestToTargetIsBest(t *testing.T) {
	r := Rank(field(0.001, math.Log(5000), math.Log(6600), math.Log(9300)), Options{Scale: quantity.Ratio,
		Better: quantity.Target, Target: 6500})
	if r.Rows[0].ID != "b" {
		t.Errorf("best is %s, want the one nearest to the target", r.Rows[0].ID)
	}
}

func TestTheFourKindsOfTie(t *testing.T) {
	for _, c := range []struct {
		name     string
		se, diff float64
		want     Tie
	}{
		{"a sure difference that matters", 0.002, 0.10, Different},
		{"surely different, too small to matter", 0.001, 0.010, Small},
		{"practically equal", 0.002, 0.0005, Equal},
		{"a difference that could be chance", 0.02, 0.03, Undecided},
	} {
		r := Rank(field(c.se, 1+c.diff, 1), higher)
		if r.Rows[0].Next != c.want {
			t.Errorf("%s: %q, want %q", c.name, r.Rows[0].Next, c.want)
		}
	}
}

func TestTiesAreNotTransitive(t *testing.T) {
	r := Rank(field(0.01, 1.06, 1.03, 1.0), higher)
	if len(r.Groups) != 2 || r.Groups[0] != (Group{0, 1, Undecided}) || r.Groups[1] != (Group{1, 2, Undecided}) {
		t.Fatalf("groups %v, want two that share the middle row", r.Groups)
	}
	for i, want := range []Place{{1, 2}, {1, 3}, {2, 3}} {
		if r.Rows[i].Place != want {
			t.Errorf("row %d stands at %v, want %v", i, r.Rows[i].Place, want)
		}
	}
}

func TestBoundsBeatOnlyWhatLiesSurelyBeyondThem(t *testing.T) {
	bound := Entry{ID: "bound", Estimate: stats.Estimate{Mean: 2, Centre: math.Exp(2), Bound: "at least", N: 3}}
	r := Rank(append(field(0.01, 1, 2.5, 1.999), bound), higher)
	places := map[string]Place{}
	for _, row := range r.Rows {
		places[row.ID] = row.Place
	}
	// It surely beats a (1), may be above or below b (2.5) and c (1.999 is within chance of 2).
	if p := places["bound"]; p != (Place{1, 3}) {
		t.Errorf("higher is better: the bound stands at %v, want 1–3", p)
	}
	if p := places["b"]; p != (Place{1, 2}) {
		t.Errorf("b at 2.5 stands at %v; the open bound might be above it", p)
	}
	slow := Entry{ID: "bound", Estimate: stats.Estimate{Mean: 2, Centre: math.Exp(2), Bound: "more than", N: 3}}
	r = Rank(append(field(0.01, 1, 2.5), slow), Options{Scale: quantity.Ratio, Better: quantity.Lower})
	for _, row := range r.Rows {
		places[row.ID] = row.Place
	}
	if places["a"] != (Place{1, 1}) || places["bound"].Best != 2 || places["bound"].Worst != 3 {
		t.Errorf("lower is better: a at %v, bound at %v; the bound is surely behind a and open behind", places["a"],
			places["bound"])
	}
}

func TestARangeReadByHandKeepsATieOpen(t *testing.T) {
	a, b := est(math.Log(30), 0.001), est(math.Log(31), 0.001)
	a.HalfWidth = math.Log(31.5 / 30)
	r := Rank([]Entry{{"a", a}, {"b", b}}, higher)
	if r.Rows[0].Next != Undecided {
		t.Errorf("a range of 28.5 to 31.5 against 31 is %q, want undecided", r.Rows[0].Next)
	}
}

func TestTheOrderOfEntriesDoesNotMatter(t *testing.T) {
	f := field(0.01, 1, 1.01, 1.02, 1.05, 1.06, 1.2)
	a, b := Rank(f, higher), Rank(f, higher)
	f[0], f[5] = f[5], f[0]
	c := Rank(f, higher)
	for i := range a.Rows {
		if a.Rows[i].Place != b.Rows[i].Place {
			t.Error("two calls disagree")
		}
		if a.Rows[i].ID != c.Rows[i].ID || a.Rows[i].Place != c.Rows[i].Place {
			t.Error("the order of the entries changed the standings")
		}
	}
}

// Known truth: three variants tie, two stand apart by three standard errors of a difference, pools are
// small. The confidence sets must hold all true places at once in about 95 % of fields.
func TestStandingsCoverTheTruePlaces(t *testing.T) {
	truth := []float64{0, 0, 0, 0.06, 0.12, 0.12}
	const sd, repeats, fields = 0.02, 3, 400
	missed := 0
	for k := range fields {
		rng := rand.New(rand.NewPCG(uint64(k), 17))
		var cells []stats.Cell
		for _, mu := range truth {
			var vs []stats.Value
			for range repeats {
				vs = append(vs, stats.Value{X: 100 * math.Exp(mu+sd*rng.NormFloat64()), Sitting: "s"})
			}
			cells = append(cells, stats.NewCell(vs, true))
		}
		pool := stats.NewPool(cells, 0, 0)
		var entries []Entry
		for i, c := range cells {
			entries = append(entries, Entry{ID: string(rune('a' + i)), Estimate: pool.Estimate(c, true)})
		}
		r := Rank(entries, Options{Scale: quantity.Ratio, Better: quantity.Higher})
		for _, row := range r.Rows {
			mine := truth[row.ID[0]-'a']
			best, worst := 1, len(truth)
			for _, other := range truth {
				if other > mine {
					best++
				}
				if other < mine {
					worst--
				}
			}
			// A tied group may take any of its places; the set must hold at least one consistent order,
			// which is so if nobody is placed surely above or below where the truth allows.
			if row.Place.Best > worst || row.Place.Worst < best || row.Place.Best > best {
				missed++
				break
			}
		}
	}
	if share := float64(missed) / fields; share > 0.08 {
		t.Errorf("%.1f %% of fields have a wrong standing, want about 5 %% at most", 100*share)
	}
}

func TestRelativeValues(t *testing.T) {
	a, ref := est(math.Log(120), 0.01), est(math.Log(100), 0.01)
	r := RelativeTo(a, ref, quantity.Ratio)
	if math.Abs(r.Value-120) > 1e-9 || r.Lo >= 120 || r.Hi <= 120 {
		t.Errorf("120 relative to 100 is %+v", r)
	}
	half := math.Log(r.Hi / 120)
	if want := stats.TQuantile(0.975, 120) * math.Sqrt(2) * 0.01; math.Abs(half/want-1) > 0.003 {
		t.Errorf("half-width %.5f, want %.5f", half, want)
	}
	level := RelativeTo(stats.Estimate{Mean: 36, Centre: 36}, stats.Estimate{Mean: 40, Centre: 40}, quantity.Level)
	if level.Value != -4 {
		t.Errorf("36 dB against 40 dB is %g, want −4, a difference", level.Value)
	}
	own := est(1, 0.01)
	own.DF = 4
	if _, df := stats.Difference(own, own, 1); math.Abs(df-8) > 1e-9 {
		t.Errorf("Welch's degrees of freedom are %g, want 8", df)
	}
}

func TestFieldMeanIsGeometricAndLeavesBoundsOut(t *testing.T) {
	bound := Entry{ID: "x", Estimate: stats.Estimate{Mean: 99, Bound: "at least"}}
	m, ok := FieldMean(append(field(0.01, math.Log(100), math.Log(400)), bound), quantity.Ratio)
	if !ok || math.Abs(m.Centre-200) > 1e-9 {
		t.Errorf("mean %g, want 200", m.Centre)
	}
	if _, ok := FieldMean(nil, quantity.Ratio); ok {
		t.Error("an empty field has a mean")
	}
}

// Pairs are decided one after the other, the surest first, each against α/2u of the u that are still open.
func TestPairsAreDecidedInSteps(t *testing.T) {
	// Three exact places: 3 pairs, at first α/6 each; then α/4, then α/2.
	at := func(p float64) float64 { return stats.TQuantile(1-p, 90) * 0.01 * math.Sqrt2 } // distance with that chance
	for name, x := range map[string]struct {
		top, low float64 // of the middle one
		want     [3]Place
	}{
		"both just sure":               {at(0.025 * 0.99), at(0.025 / 2 * 0.99), [3]Place{{1, 1}, {2, 2}, {3, 3}}},
		"the nearer one not":           {at(0.025 * 1.01), at(0.025 / 2 * 0.99), [3]Place{{1, 2}, {1, 2}, {3, 3}}},
		"the farther one not, so none": {at(0.025 * 0.99), at(0.025 / 2 * 1.01), [3]Place{{1, 2}, {1, 3}, {2, 3}}},
	} {
		r := Rank(field(0.01, 5+x.top, 5, 5-x.low), higher)
		for i, want := range x.want {
			if r.Rows[i].Place != want {
				t.Errorf("%s: row %d at %v, want %v", name, i, r.Rows[i].Place, want)
			}
		}
	}
}

// What scatters nobody knows how stands last, without a place, and takes none from the others.
func TestUnknownOrder(t *testing.T) {
	entries := field(0.005, 4, 5, 3)
	entries = append(entries, Entry{ID: "x", Estimate: stats.Estimate{Centre: 400, Mean: math.Log(400), Unknown: true,
		N: 1}},
		Entry{ID: "y", Estimate: stats.Estimate{Centre: 500, Mean: math.Log(500), Unknown: true, N: 1}})
	r := Rank(entries, higher)
	order := ""
	for _, row := range r.Rows {
		order += row.ID
	}
	if order != "bacyx" || r.Rows[0].Place != (Place{1, 1}) || r.Rows[2].Place != (Place{3, 3}) ||
		r.Rows[3].Place.Known() || r.Rows[4].Place.Known() || !r.Rows[2].Place.Known() || r.Rows[2].Next != "" {
		t.Errorf("%s: %+v", order, r.Rows)
	}
	if got := PlaceAmong(entries, "x", higher, nil); got.Known() || got.Words != "of unknown order" {
		t.Errorf("%+v", got)
	}
	if got := PlaceAmong(entries, "b", higher, nil); got.Of != 3 || got.Place != (Place{1, 1}) {
		t.Errorf("among three whose order is known: %+v", got)
	}
	only := Rank(entries[3:], higher)
	if len(only.Rows) != 2 || only.Rows[0].Place.Known() || len(only.Groups) != 0 {
		t.Errorf("%+v", only)
	}
}

// Spec sheet figures and prices have no error: their order is sure, and equals are equal.
func TestExactFigures(t *testing.T) {
	exact := func(id string, x float64) Entry {
		return Entry{ID: id, Estimate: stats.Estimate{Centre: x, Mean: math.Log(x), Exact: true}}
	}
	r := Rank([]Entry{exact("a", 100), exact("b", 100), exact("c", 100.5), exact("d", 200)}, higher)
	for i, want := range []Place{{1, 1}, {2, 2}, {3, 4}, {3, 4}} {
		if r.Rows[i].Place != want {
			t.Errorf("row %d at %v, want %v", i, r.Rows[i].Place, want)
		}
	}
	if r.Rows[0].Next != Different || r.Rows[1].Next != Small || r.Rows[2].Next != Equal {
		t.Errorf("%+v", r.Rows)
	}
}

func BenchmarkRank50(b *testing.B) {
	var means []float64
	for i := range 50 {
		means = append(means, 1+0.02*float64(i))
	}
	f := field(0.01, means...)
	for b.Loop() {
		Rank(f, higher)
	}
}

func BenchmarkRank500(b *testing.B) {
	var means []float64
	for i := range 500 {
		means = append(means, 1+0.002*float64(i))
	}
	f := field(0.01, means...)
	for i := range f {
		f[i].Estimate.DF = 2 + float64(i%7)
	}
	for b.Loop() {
		Rank(f, higher)
	}
}
