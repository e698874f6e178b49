package compare

import (
	"math"
	"strings"
	"testing"

	"durvek/core/chart"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/stats"
	"durvek/core/trust"
	"durvek/internal/golden"
)

var export = NewMeasure(method.Test{Slug: "export", Version: 2, Name: "Survey export",
	MustMatch: []string{"program.version"}, Measures: make([]method.Measure, 1)},
	method.Measure{Slug: "time", Name: "time", Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower})

func cell(variant string, seconds float64, n int, version string) Cell {
	m := math.Log(seconds)
	return Cell{Variant: variant, Unit: variant + "-a", Setup: "as-delivered", Basis: trust.Basis{TestVersion: 2,
		Conditions: map[string]string{"program.version": version}},
		Estimate: stats.Estimate{Centre: seconds, Mean: m, Lo: seconds * 0.99, Hi: seconds * 1.01, SE: 0.005, DF: 40, N: n}}
}

func competitor(name string, cells ...Cell) Competitor {
	return Competitor{Variant: name, Name: "Maker " + strings.ToUpper(name), Note: "16 GiB", Cells: cells}
}

func TestAMeasureIsCalledByItsTestUnlessItsNameSaysAll(t *testing.T) {
	two := method.Test{Slug: "colour", Name: "Panel, colours", Measures: make([]method.Measure, 2)}
	one := method.Test{Slug: "weight", Name: "Weight", Measures: make([]method.Measure, 1)}
	for _, x := range []struct {
		test  method.Test
		alone bool
		name  string
		want  string
	}{{two, false, "contrast", "Panel, colours, contrast"}, {two, true, "contrast", "Contrast"}, {one, false, "weight",
		"Weight"},
		{one, true, "mass of it all", "Mass of it all"}, {two, true, "ΔE2000", "ΔE2000"}} {
		if got := NewMeasure(x.test, method.Measure{Slug: "m", Name: x.name, Alone: x.alone}).Name; got != x.want {
			t.Errorf("%q, not %q", got, x.want)
		}
	}
}

func TestWhatIsBestNearATargetNamesIt(t *testing.T) {
	for better, want := range map[quantity.Direction]string{quantity.Target: "nearest to 2.2 is better",
		quantity.Lower: "lower is better", quantity.Higher: "higher is better"} {
		m := NewMeasure(method.Test{}, method.Measure{Better: better, Target: 2.2})
		if got := m.Which(); got != want {
			t.Errorf("%q, not %q", got, want)
		}
	}
}

func ask(t *testing.T, q Query, field ...Competitor) Comparison {
	t.Helper()
	q.Measure, q.FieldName, q.SetupName, q.DeskName = export, "laptops", "As delivered", "A Desk"
	c, err := Ranked(q, field)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestOnlyLikeIsRankedAndTheRestIsNamed(t *testing.T) {
	failed := competitor("d")
	failed.Failed, failed.Runs = 3, 5
	c := ask(t, Query{Subject: "b"},
		competitor("a", cell("a", 500, 3, "3.2")), competitor("b", cell("b", 400, 3, "3.2")),
		competitor("c", cell("c", 300, 9, "2.9")), failed, competitor("e"),
		competitor("f", cell("f", 100, 3, "")))
	golden.JSON(t, "ranked.json", c)
	if len(c.Rows) != 2 || c.Rows[0].Variant != "b" || c.Rows[1].Variant != "a" {
		t.Fatalf("ranked %v, want b then a: faster first, other versions never", c.Rows)
	}
	want := map[string][2]string{"c": {"not comparable", "program version 2.9, not 3.2"},
		"d": {"failed", "failed in 3 of 5 runs"}, "e": {"not run", "not run"}, "f": {"not comparable",
			"program version unknown"}}
	for _, l := range c.LeftOut {
		w := want[l.Variant]
		if string(l.Kind) != w[0] || !strings.Contains(l.Reason, w[1]) {
			t.Errorf("%s left out as %s: %s; want %v", l.Variant, l.Kind, l.Reason, w)
		}
		delete(want, l.Variant)
	}
	if len(want) > 0 {
		t.Errorf("dropped without a word: %v", want)
	}
	if c.Chart.Title != "Maker B: first of 2 in survey export" {
		t.Errorf("title %q", c.Chart.Title)
	}
	for _, part := range []string{"In s, lower is better. As delivered", "Maker A", "program version 2.9"} {
		if !strings.Contains(c.Chart.Text, part) {
			t.Errorf("the text alternative lacks %q: %s", part, c.Chart.Text)
		}
	}
}

func TestTheSubjectsOwnBasisDecides(t *testing.T) {
	c := ask(t, Query{Subject: "c"}, competitor("a", cell("a", 500, 3, "3.2")), competitor("b", cell("b", 400, 3, "3.2")),
		competitor("c", cell("c", 300, 3, "2.9")))
	if len(c.Rows) != 1 || c.Rows[0].Variant != "c" {
		t.Errorf("ranked %v, want the subject alone: its rivals ran another version", c.Rows)
	}
}

func TestNormalised(t *testing.T) {
	claim := 380.0
	b := competitor("b", cell("b", 400, 3, "3.2"))
	b.Claim = &claim
	field := []Competitor{competitor("a", cell("a", 500, 3, "3.2")), b}
	c := ask(t, Query{Reference: "b", Claims: true, Subject: "b"}, field...)
	golden.JSON(t, "relative.json", c)
	if got := c.Rows[1].Relative.Value; math.Abs(got-125) > 1e-9 {
		t.Errorf("500 s is %g %% of 400 s", got)
	}
	if r := c.Rows[0]; r.Relative.Value != 100 || r.Relative.Lo != 100 || math.Abs(*r.Claim-95) > 1e-9 {
		t.Errorf("the reference is %+v with its claim at %g, want exactly 100 and 95", r.Relative, *r.Claim)
	}
	if !strings.Contains(c.Chart.Subtitle, "% of Maker B") || c.Chart.Unit != "%" {
		t.Errorf("subtitle %q, unit %q", c.Chart.Subtitle, c.Chart.Unit)
	}
	c = ask(t, Query{Reference: "claim", Claims: true, Subject: "b"}, field...)
	if got := c.Rows[0].Relative.Value; math.Abs(got-100.0*400/380) > 1e-9 {
		t.Errorf("400 s is %g %% of the claimed 380 s", got)
	}
	if _, err := Ranked(Query{Measure: export, Reference: "claim", Subject: "a", Claims: true}, field); err == nil {
		t.Error("a subject without a claim was related to it")
	}
	c = ask(t, Query{Reference: "mean"}, field...)
	if got := c.Rows[0].Relative.Value * c.Rows[1].Relative.Value; math.Abs(got-10000) > 1e-6 {
		t.Errorf("relative to their geometric mean two values multiply to %g", got)
	}
}

func TestRaisedModesStandBeneathAndAreNotRanked(t *testing.T) {
	a := competitor("a", cell("a", 500, 3, "3.2"))
	fast := cell("a", 430, 2, "3.2")
	fast.Setup = "fast-mode"
	a.Raised = []RaisedCells{{"fast-mode", "Fast mode", []string{"power.mode"}, []Cell{fast}}}
	c := ask(t, Query{Raised: true}, a, competitor("b", cell("b", 450, 3, "3.2")))
	golden.JSON(t, "raised.json", c.Chart)
	if len(c.Rows) != 2 || c.Rows[0].Variant != "b" || len(c.Chart.Rows[1].Raised) != 1 ||
		c.Chart.Rows[1].Raised[0].Label != "7 min 10 s in fast mode" {
		t.Errorf("rows %+v", c.Chart.Rows)
	}
	other := a
	other.Raised = []RaisedCells{{"fast-mode", "Fast mode", []string{"power.mode"}, []Cell{cell("a", 430, 3, "9.9")}}}
	if c := ask(t, Query{Raised: true}, other); len(c.Chart.Rows[0].Raised) != 0 {
		t.Errorf("a raised figure of another program version stands beneath: %+v", c.Chart.Rows[0].Raised)
	}
	if c := ask(t, Query{}, a); len(c.Chart.Rows[0].Raised) != 0 {
		t.Error("raised modes are shown unasked")
	}
}

func TestAnEmptyFieldSaysSo(t *testing.T) {
	if c := ask(t, Query{}); c.Chart.Title != "Nothing to rank yet in survey export" {
		t.Errorf("title %q", c.Chart.Title)
	}
}

func TestTicks(t *testing.T) {
	for _, c := range []struct {
		lo, hi float64
		want   int
	}{{0, 412, 5}, {0, 1, 6}, {31, 46, 3}, {0, 35291, 4}} {
		ticks := chart.Ticks(c.lo, c.hi, 5, false)
		if len(ticks) != c.want || ticks[0] < c.lo-1e-9 || ticks[len(ticks)-1] > c.hi+1e-9 {
			t.Errorf("%g…%g: %v", c.lo, c.hi, ticks)
		}
	}
	if out := chart.Ticks(3, 97, 5, true); out[0] > 3 || out[len(out)-1] < 97 {
		t.Errorf("outside ticks %v do not span 3…97", out)
	}
}

func TestAnUnlikeComparisonIsAllowedByNameAlone(t *testing.T) {
	field := []Competitor{competitor("a", cell("a", 500, 3, "3.2")), competitor("b", cell("b", 400, 3, "3.2")),
		competitor("c", cell("c", 300, 9, "2.9"))}
	c := ask(t, Query{Allow: []string{"c"}}, field...)
	if len(c.Rows) != 3 || len(c.LeftOut) != 0 {
		t.Fatalf("ranked %d, left out %v", len(c.Rows), c.LeftOut)
	}
	if r := c.Rows[0]; r.Variant != "c" || r.Unlike != "program version 2.9, not 3.2" || c.Chart.Rows[0].Mark != 1 ||
		c.Chart.Notes[0] != "Compared though unlike: program version 2.9, not 3.2." {
		t.Errorf("row %+v, notes %v", r, c.Chart.Notes)
	}
	if c = ask(t, Query{Allow: []string{"a"}}, field...); len(c.Rows) != 2 || len(c.Chart.Notes) != 0 {
		t.Errorf("allowing what is alike changes nothing: %d rows, notes %v", len(c.Rows), c.Chart.Notes)
	}
}

func TestOpenDoubtsMarkWhatTheyTouch(t *testing.T) {
	a, b := competitor("a", cell("a", 500, 3, "3.2")), competitor("b", cell("b", 400, 3, "3.2"))
	touches := Cell{Unit: "b-a", Setup: "as-delivered"}
	b.Doubts = []Doubted{{ID: "1", Sentence: "Too warm.", Cell: touches}, {ID: "1", Sentence: "Too warm.", Cell: touches},
		{ID: "2", Sentence: "Elsewhere.", Cell: Cell{Unit: "b-a", Setup: "battery"}}}
	c := ask(t, Query{}, a, b)
	if r := c.Chart.Rows[0]; r.ID != "b" || r.Mark != 1 || !r.Doubt || c.Chart.Rows[1].Mark != 0 {
		t.Errorf("rows %+v", c.Chart.Rows)
	}
	if len(c.Chart.Notes) != 1 || c.Chart.Notes[0] != "In doubt: Too warm." || len(c.Rows[0].Doubts) != 1 {
		t.Errorf("notes %v, doubts %v", c.Chart.Notes, c.Rows[0].Doubts)
	}
}

func TestFiguresAreCarriedOverOnlyWithTheSamePart(t *testing.T) {
	graphics := func(name string, watts any) map[string]any {
		return map[string]any{"graphics.name": name, "cpu.power_limit": watts}
	}
	measured := competitor("a", cell("a", 500, 3, "3.2"))
	measured.Cells[0].Limiter = "graphics"
	measured.Subject = Subject{Model: "m", Spec: graphics("Reed", "45 W")}
	for _, x := range []struct {
		name  string
		model string
		spec  map[string]any
		want  int
	}{
		{"sibling", "m", graphics("Reed", "45 W"), 1}, {"other limit", "m", graphics("Reed", "28 W"), 0}, {"limit unknown",
			"m", map[string]any{"graphics.name": "Reed"}, 0},
		{"other chip", "m", graphics("Eyot", "45 W"), 0}, {"no sibling", "n", graphics("Reed", "45 W"), 0},
	} {
		other := competitor("b")
		other.Subject = Subject{Model: x.model, Spec: x.spec}
		c := ask(t, Query{Carried: true}, measured, other, competitor("c", cell("c", 450, 3, "3.2")))
		if len(c.Carried) != x.want || len(c.Rows) != 2 || len(c.LeftOut) != 1-x.want || len(c.Chart.Rows) != 2+x.want {
			t.Errorf("%s: carried %+v, left out %v", x.name, c.Carried, c.LeftOut)
		}
		if x.want == 1 {
			r := c.Chart.Rows[2]
			if !r.Carried || !r.Hollow || r.Place != "" || r.Hi > r.Lo || !strings.Contains(c.Chart.Notes[0],
				"the same graphics chip") || !strings.Contains(c.Chart.Text, "not ranked: Maker B, ≈ 500") {
				t.Errorf("drawn as %+v; %v; %s", r, c.Chart.Notes, c.Chart.Text)
			}
		}
		if c := ask(t, Query{}, measured, other); len(c.Carried) != 0 {
			t.Errorf("%s: carried over without being asked", x.name)
		}
	}
}
