package compare

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
	"durvek/core/trust"
)

var port = NewMeasure(method.Test{Slug: "copy", Version: 1, Name: "Copy", MustMatch: []string{"content"},
	Measures: make(
		[]method.Measure,
		1,
	)}, method.Measure{Slug: "rate", Name: "rate", Unit: "MBy/s", Scale: quantity.Ratio,
	Better: quantity.Higher})

// at is a cell at a place, in a host, on a content.
func at(unit, place, host, content string, value float64) Cell {
	variant, _, _ := strings.Cut(unit, "-")
	return Cell{Variant: variant, Unit: unit, Place: place, Host: host, Setup: "as-delivered", Key: content,
		Basis: trust.Basis{
			TestVersion: 1,
			Conditions:  map[string]string{"content": content},
		}, Best: [2]float64{value, value},
		Estimate: stats.Estimate{
			Centre: value,
			Mean:   math.Log(value),
			Lo:     0.99 * value,
			Hi:     1.01 * value,
			SE:     0.005,
			DF:     20,
			N:      3,
		}}
}

func rowsOf(t *testing.T, m Measure, q Query, field ...Competitor) (Comparison, string) {
	t.Helper()
	q.Measure = m
	c, err := Ranked(q, field)
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, r := range c.Rows {
		out = append(
			out,
			strings.TrimSpace(fmt.Sprintf("%s %s=%.0f", r.Variant, strings.TrimSpace(r.Differs+" "+r.Taken),
				r.Estimate.Centre)),
		)
	}
	return c, strings.Join(out, "; ")
}

func TestWhatAVariantsCellsDifferInMakesRows(t *testing.T) {
	a := competitor("a", at("a-1", "left port", "", "small", 900), at("a-1", "card slot", "", "small", 25))
	b := competitor("b", at("b-1", "", "", "small", 500))
	c, got := rowsOf(t, port, Query{}, a, b)
	if got != "a left port=900; b =500; a card slot=25" {
		t.Errorf("by place: %s", got)
	}
	if c.Rows[0].ID != "a · left port" || c.Rows[1].ID != "b" || c.Chart.Rows[2].Note != "16 GiB, card slot" ||
		c.Chart.Title != "Maker A, left port, leads in copy" {
		t.Errorf("%s, %s; %q; %q", c.Rows[0].ID, c.Rows[1].ID, c.Chart.Rows[2].Note, c.Chart.Title)
	}
	if _, got := rowsOf(t, port, Query{}, competitor("a", at("a-1", "", "rig-1", "small", 900),
		at("a-1", "", "", "small", 700))); got != "a in rig-1=900; a by itself=700" {
		t.Errorf("by host: %s", got)
	}
	if _, got := rowsOf(t, port, Query{}, competitor("a", at("a-1", "", "", "small", 100),
		at("a-2", "", "", "small", 200))); got != "a mean of 2 units=150" {
		t.Errorf("of two units: %s", got)
	}
	if _, err := Ranked(Query{Measure: port, Reference: "a"}, []Competitor{a, b}); err == nil ||
		!strings.Contains(err.Error(), "has 2 figures in copy (left port; card slot)") {
		t.Errorf("related to two figures: %v", err)
	}
	if c, got := rowsOf(t, port, Query{Reference: "b"}, a, b); math.Abs(c.Rows[0].Relative.Value-180) > 1e-9 {
		t.Errorf("%s: %+v", got, c.Rows[0].Relative)
	}
}

// Cells of two setups that must match in nothing else are told apart by the setup.
func TestASetupSetsRowsApart(t *testing.T) {
	x, y := at("a-1", "", "", "small", 100), at("a-1", "", "", "small", 200)
	y.Setup = "battery"
	if rows := Lines(port, []Cell{x, y}); len(rows) != 2 || rows[0].Differs != "under as-delivered" ||
		rows[1].Differs != "under battery" {
		t.Errorf("%+v", rows)
	}
}

func TestOtherWorkIsNamedBesideItsVariant(t *testing.T) {
	a := competitor("a", at("a-1", "", "", "small", 900), at("a-1", "", "", "large", 400))
	c, got := rowsOf(t, port, Query{}, a, competitor("b", at("b-1", "", "", "small", 500)))
	if got != "a =900; b =500" || len(c.Beside) != 1 || c.Beside[0].Reason !=
		"another figure is not comparable: content large, not small" {
		t.Errorf("%s, beside %+v", got, c.Beside)
	}
	older := at("a-1", "", "", "small", 800)
	older.Basis.TestVersion = 0
	if c, _ := rowsOf(t, port, Query{Subject: "a"}, competitor("a", at("a-1", "", "", "small", 900), older),
		competitor("b", at("b-1", "", "", "small", 1))); len(c.Beside) != 0 {
		t.Errorf("an older version beside a newer one: %+v", c.Beside)
	}
	allowed, got := rowsOf(
		t,
		port,
		Query{Allow: []string{"b"}},
		competitor("a", at("a-1", "", "", "small", 900)),
		competitor(
			"c",
			at("c-1", "", "", "small", 800),
		),
		competitor("b", at("b-1", "", "", "large", 950), at("b-1", "", "",
			"huge", 90)),
	)
	if got != "b large=950; a =900; c =800; b huge=90" {
		t.Errorf("compared though unlike: %s", got)
	}
	for _, r := range allowed.Rows {
		if (r.Variant == "b") != strings.HasPrefix(r.Unlike, "content ") {
			t.Errorf("%s is unlike by %q", r.ID, r.Unlike)
		}
	}
}

func TestPlacesBecomeOneFigureAsTheMeasureSays(t *testing.T) {
	for take, want := range map[method.Taking]string{method.Worst: "a worst of 3 places, lid=10",
		method.Best: "a best of 3 places, base=40", method.Mean: "a mean of 3 places=25",
		method.Sum: "a sum of 3 places=75"} {
		m := port
		m.def.Over, m.def.Take = method.OverPlaces, take
		_, got := rowsOf(
			t,
			m,
			Query{},
			competitor("a", at("a-1", "lid", "", "small", 10), at("a-1", "palm", "", "small", 25),
				at("a-1", "base", "", "small", 40)),
		)
		if got != want {
			t.Errorf("%s: %s, want %s", take, got, want)
		}
	}
	m := port
	m.Better, m.def.Over, m.def.Take = quantity.Lower, method.OverPlaces, method.Worst
	if _, got := rowsOf(t, m, Query{}, competitor("a", at("a-1", "lid", "", "small", 10), at("a-1", "base", "", "small",
		40), at("a-2", "lid", "", "small", 20))); got != "a worst of 2 places; mean of 2 units=30" {
		t.Errorf("the worst of two units where lower is better: %s", got)
	}
}

func TestReasonsAreTheirOwn(t *testing.T) {
	base := competitor("a", at("a-1", "", "", "small", 900))
	for want, c := range map[string]Competitor{
		"not run":                  {},
		"cannot run it: too small": {NotRun: "too small; take another"},
		"failed in 2 of 3 runs":    {Failed: 2, Runs: 3, NotRun: "x"},
		"void: wrong mode":         {Lost: record.Void, Reason: "wrong mode", Elsewhere: []string{"On battery"}},
		"void":                     {Lost: record.Void},
		"missing: too noisy":       {Lost: record.Missing, Reason: "too noisy"},
		"measured only under On battery, Fast mode": {Elsewhere: []string{"On battery", "Fast mode"}},
		"measured, not at left port":                {Narrowed: "at left port", Elsewhere: []string{"On battery"}},
		"not on its spec sheet":                     {NoFigure: "not on its spec sheet"},
		"not comparable: content large, not small": {Cells: []Cell{at("b-1", "", "", "large", 1)}, Failed: 1, Runs: 2,
			Narrowed: "x"},
	} {
		c.Variant, c.Name = "b", "Maker B"
		got, _ := rowsOf(t, port, Query{Subject: "a"}, base, c)
		if len(got.LeftOut) != 1 || got.LeftOut[0].Reason != want {
			t.Errorf("%+v, want %s", got.LeftOut, want)
		}
	}
	// Of several cells the nearest speaks: the fewest differences, and none of an older version before one of this.
	near := at("b-1", "", "", "large", 1)
	far := at("b-1", "", "", "", 1)
	old := near
	old.Basis.TestVersion = 0
	got, _ := rowsOf(
		t,
		port,
		Query{},
		base,
		competitor("c", at("c-1", "", "", "small", 1)),
		competitor("b", old, near, far),
	)
	if got.LeftOut[0].Reason != "not comparable: content large, not small" {
		t.Errorf("%+v", got.LeftOut)
	}
}

func TestLongListsAreCounted(t *testing.T) {
	field := []Competitor{competitor("a", at("a-1", "", "", "small", 900))}
	for i := range mostNotRun {
		field = append(field, competitor(fmt.Sprintf("n%d", i)))
	}
	c, _ := rowsOf(t, port, Query{}, field...)
	if len(c.Chart.NotRanked) != mostNotRun || c.Chart.NotRanked[0] != "Maker N0: not run" {
		t.Errorf("%q", c.Chart.NotRanked)
	}
	field = append(field, competitor("one more"))
	for i := range mostLeftOut + 1 {
		field = append(field, competitor(fmt.Sprintf("u%d", i), at("u-1", "", "", "", 1)))
	}
	c, _ = rowsOf(t, port, Query{}, field...)
	if n := len(c.Chart.NotRanked); n != mostLeftOut+2 || c.Chart.NotRanked[n-1] != "5 not run" ||
		c.Chart.NotRanked[n-2] != "1 more that do not compare" || len(c.LeftOut) != mostLeftOut+1+mostNotRun+1 {
		t.Errorf("%q", c.Chart.NotRanked)
	}
}

func TestWhere(t *testing.T) {
	x := at("a-1", "left port", "rig-1", "Harbour", 1)
	x.Basis.Conditions["memory.speed"] = "3600 MT/s"
	for text, holds := range map[string]bool{"place=left port": true, "place=Left Port": true, "place=right port": false,
		"host=rig-1": true, "unit=a-1": true, "unit=a-2": false, "content=harbour": true, "memory.speed=3600": true,
		"memory.speed=3600 MT/s": true, "memory.speed=360": false, " place = left port ": true, "supply=mains": false} {
		w, err := ParseWhere(text)
		if err != nil || w.Holds(x) != holds {
			t.Errorf("%q holds: %v, %v", text, w.Holds(x), err)
		}
	}
	for _, bad := range []string{"", "place", "=x", "place=", "colour=red"} {
		if _, err := ParseWhere(bad); err == nil {
			t.Errorf("%q was read", bad)
		}
	}
	mixes := Where{"memory.speed", "3600"}
	if mixes.Tells(port, func(string) bool { return false }) == "" || mixes.Tells(port, func(k string) bool {
		return k == "memory.speed"
	}) != "" || (Where{"content", "x"}).Tells(port, func(string) bool { return false }) != "" {
		t.Error("what a test keeps apart")
	}
}

func TestConditionsInWords(t *testing.T) {
	for k, v := range map[[2]string]string{{"display.resolution", "1920x1080"}: "1920 × 1080",
		{"quality.preset", "high"}: "preset high", {"upscaling", "off"}: "no upscaling", {"upscaling",
			"from 1280x720"}: "upscaled from 1280x720", {"frame.generation", "on"}: "with generated frames",
		{"supply", "mains"}: "mains", {"supply", "battery"}: "on battery", {"runtime", "native"}: "", {"content", ""}: "",
		{"memory.speed", "3600 MT/s"}: "memory speed 3600 MT/s",
		{"pace", "not paced"}:         "not paced", {"pace", "30/min"}: "pace 30/min", {"runtime",
			"in browser, X 3"}: "in the browser"} {
		if got := worth(k[0], k[1]); got != v {
			t.Errorf("%v: %q, want %q", k, got, v)
		}
	}
}

// randomField is two to five variants with up to five cells each, of two units, three places, two hosts, three
// contents.
func randomField(rng *rand.Rand) (field []Competitor) {
	some := func(list ...string) string { return list[rng.IntN(len(list))] }
	for v := range 2 + rng.IntN(4) {
		name := fmt.Sprint("v", v)
		seen := map[string]bool{}
		c := competitor(name)
		for range rng.IntN(6) {
			x := at(name+"-"+some("1", "2"), some("", "left", "right"), some("", "rig"), some("small", "large", ""),
				1+100*rng.Float64())
			if key := x.Unit + x.Place + x.Host + x.Key; !seen[key] {
				seen[key] = true
				c.Cells = append(c.Cells, x)
			}
		}
		field = append(field, c)
	}
	return field
}

// Over random fields: no row holds cells that differ in what must match, every comparable cell is in exactly one row or
// has a reason, narrowing never adds a row, and head-to-head shows the figures of the ranking.
func TestRowsOfRandomDesks(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 0))
	for try := range 300 {
		m := port
		if try%3 == 0 {
			m.def.Over, m.def.Take = method.OverPlaces, []method.Taking{method.Worst, method.Best, method.Mean,
				method.Sum}[rng.IntN(4)]
		}
		field := randomField(rng)
		total := 0
		for _, f := range field {
			total += len(f.Cells)
		}
		c, _ := rowsOf(t, m, Query{}, field...)
		ids := map[string]bool{}
		for _, r := range c.Rows {
			if ids[r.ID] {
				t.Fatalf("try %d: two rows are called %q", try, r.ID)
			}
			ids[r.ID] = true
			for _, x := range r.Of {
				if len(trust.Comparable(c.Rows[0].Basis, x.Basis, m.MustMatch)) > 0 || x.Host != r.Host ||
					m.def.Over == "" && x.Place != r.Place || x.Variant != r.Variant {
					t.Fatalf("try %d: %+v stands in %+v", try, x, r.Line)
				}
			}
		}
		for _, f := range field {
			in, reasons := 0, 0
			for _, r := range c.Rows {
				if r.Variant == f.Variant {
					in += len(r.Of)
				}
			}
			for _, l := range append(slices.Clone(c.LeftOut), c.Beside...) {
				if l.Variant == f.Variant {
					reasons++
				}
			}
			if in > len(f.Cells) || in < len(f.Cells) && reasons == 0 || in == len(f.Cells) && in > 0 && reasons > 0 ||
				len(f.Cells) == 0 && reasons != 1 {
				t.Fatalf("try %d: %d of %d cells of %s in rows, %d reasons", try, in, len(f.Cells), f.Variant, reasons)
			}
		}
		narrowed := slices.Clone(field)
		w := Where{"place", "left"}
		for i := range narrowed {
			narrowed[i].Cells = slices.DeleteFunc(
				slices.Clone(narrowed[i].Cells),
				func(x Cell) bool { return !w.Holds(x) },
			)
		}
		if n, _ := rowsOf(t, m, Query{}, narrowed...); len(n.Rows) > total ||
			len(n.Rows) > len(c.Rows) && len(c.Beside) == 0 &&
				len(c.LeftOut) == 0 {
			t.Fatalf("try %d: narrowing made %d rows of %d", try, len(n.Rows), len(c.Rows))
		}
		h := HeadToHead([]Side{{Variant: "v0"}, {Variant: "v1"}}, []HeadMeasure{{m, field[:2]}}, nil, nil)
		one, _ := rowsOf(t, m, Query{Subject: "v0"}, field[:2]...)
		for _, row := range h.Rows {
			for i, cell := range row.Cells {
				if cell.Estimate != nil && !slices.ContainsFunc(one.Rows, func(r Row) bool {
					return r.Variant == field[i].Variant && r.Estimate.Centre == cell.Estimate.Centre
				}) {
					t.Fatalf("try %d: head-to-head shows %g of %s, the ranking does not", try, cell.Estimate.Centre,
						field[i].Variant)
				}
			}
		}
	}
}

// Checks are compared by their counts, and nobody is sure of three of four against none of four.
func TestChecksAreCounted(t *testing.T) {
	m := NewMeasure(method.Test{Slug: "lid", Version: 1, Name: "Lid", Hands: "check", Measures: make([]method.Measure, 1)},
		method.Measure{Slug: "ok", Name: "opens", Unit: "1", Scale: quantity.Pass, Better: quantity.Higher})
	of := func(variant string, passed float64, n int) Competitor {
		return competitor(variant, Cell{Variant: variant, Unit: variant + "-1", Setup: "as-delivered", Basis: trust.Basis{
			TestVersion: 1, Conditions: map[string]string{}}, Estimate: stats.Share(passed, n)})
	}
	for _, c := range []struct {
		k1, k2 float64
		n      int
		sure   bool
	}{{3, 0, 4, false}, {10, 0, 10, true}, {4, 4, 4, false}} {
		field := []Competitor{of("a", c.k1, c.n), of("b", c.k2, c.n)}
		r, _ := rowsOf(t, m, Query{}, field...)
		if sure := r.Rows[0].Standing.Worst == 1; sure != c.sure || r.Chart.Rows[0].Label != fmt.Sprintf("%.0f of %d", c.k1,
			c.n) || r.Mean != nil {
			t.Errorf("%+v: %+v, %q", c, r.Rows[0].Standing, r.Chart.Rows[0].Label)
		}
		h := HeadToHead([]Side{{Variant: "a"}, {Variant: "b"}}, []HeadMeasure{{m, field}}, nil, nil)
		g := h.Rows[0].Gaps[0]
		if g.Sure != c.sure || math.IsNaN(g.Lo+g.Hi+g.P) || g.Text != fmt.Sprintf("%+.0f points (%.0f of %d to %.0f of %d)",
			100*(c.k2-c.k1)/float64(c.n), c.k1, c.n, c.k2, c.n) {
			t.Errorf("%+v: %+v", c, g)
		}
	}
}

// A mode that competes by itself is not what others are related to.
func TestRelatedToAVariantIsToItsPlainRow(t *testing.T) {
	a := competitor("a", at("a-1", "", "", "small", 100))
	fast := at("a-1", "", "", "small", 130)
	fast.Setup = "fast-mode"
	c, _ := rowsOf(t, port, Query{Reference: "a"}, a, Competitor{Variant: "a", Mode: "fast-mode", ModeName: "Fast mode",
		Name: "Maker A", Cells: []Cell{fast}})
	if len(c.Rows) != 2 || math.Abs(c.Rows[0].Relative.Value-130) > 1e-9 || c.Rows[1].Relative.Value != 100 {
		t.Errorf("%+v, %+v", c.Rows[0].Relative, c.Rows[1].Relative)
	}
}

// A title says when the row that it speaks of is shown with a caveat.
func TestATitleSaysThatThereIsACaveat(t *testing.T) {
	x := at("a-1", "", "", "small", 900)
	a, b := competitor("a", x), competitor("b", at("b-1", "", "", "small", 100))
	doubt := Doubted{ID: "d", Sentence: "A longer cable.", Caveat: true, Cell: x}
	for caveat, want := range map[bool]string{false: "Maker A leads in copy",
		true: "Maker A leads in copy, with a caveat"} {
		doubt.Caveat = caveat
		a.Doubts = []Doubted{doubt}
		c, _ := rowsOf(t, port, Query{}, a, b)
		if c.Chart.Title != want || c.Chart.Rows[0].Hollow != caveat || len(c.Chart.Notes) != 1 {
			t.Errorf("%q, %q", c.Chart.Title, c.Chart.Notes)
		}
		if c, _ := rowsOf(t, port, Query{Subject: "b"}, a, b); c.Chart.Title != "Maker B: last of 2 in copy" {
			t.Errorf("%q", c.Chart.Title)
		}
	}
}
