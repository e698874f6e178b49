package trust

import (
	"math"
	"strings"
	"testing"

	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/record"
	"durvek/core/stats"
)

// kinCase is a run of measures in one unit, each with so many kin that let expect 100, and the readings that it has.
func kinCase(kin int, readings ...float64) Case {
	c := cellCase(100)
	c.Run.Readings, c.Figures, c.Test.Measures = nil, nil, nil
	for i, v := range readings {
		m := method.Measure{Slug: string(rune('a' + i)), Name: string(rune('a' + i)), Unit: "MBy/s", Scale: quantity.Ratio,
			Better: quantity.Higher}
		c.Test.Measures = append(c.Test.Measures, m)
		c.Run.Readings = append(c.Run.Readings, record.Reading{Measure: m.Slug, State: record.OK, Value: v})
		c.Figures = append(c.Figures, Figures{Measure: m, Pool: stats.NewPool(nil, 0, 0.02), Kin: Kin{N: kin,
			Expected: math.Log(100), SD: 0.04, DF: float64(kin - 1), SE: 0.01, Largest: 0.1}})
	}
	return c
}

func found(c Case) []Doubt { return Examine(c, nil, func(m string) string { return "cell " + m }) }

func TestFarFromKinIsDoubtedOrAsked(t *testing.T) {
	for _, x := range []struct {
		name     string
		kin      int
		readings []float64
		severity Severity // "" for nothing
		measure  string
	}{
		{"as expected", 20, []float64{100, 104}, "", ""},
		{"half as much", 20, []float64{100, 50}, Caution, "b"},
		{"24 % more", 20, []float64{124}, "", ""},
		{"both far", 20, []float64{50, 40}, Caution, ""},
		{"eleven kin ask", 11, []float64{100, 40}, Note, "b"},
		{"twelve doubt", 12, []float64{100, 40}, Caution, "b"},
		{"a question needs more than half", 11, []float64{100, 55}, "", ""},
		{"nobody asks why it is so fast", 11, []float64{100, 250}, "", ""},
		{"four kin say nothing", 4, []float64{100, 20}, "", ""},
		{"five ask", 5, []float64{100, 20}, Note, "b"},
	} {
		ds := found(kinCase(x.kin, x.readings...))
		if x.severity == "" {
			if len(ds) > 0 {
				t.Errorf("%s: %s", x.name, ds[0].Sentence)
			}
			continue
		}
		if len(ds) != 1 || ds[0].Rule != "far-from-kin" || ds[0].Severity != x.severity || ds[0].Measure != x.measure {
			t.Errorf("%s: %+v", x.name, ds)
			continue
		}
		if asks := strings.HasPrefix(ds[0].Sentence, "Is this right?"); asks != (x.severity == Note) {
			t.Errorf("%s: %s", x.name, ds[0].Sentence)
		}
	}
	both := found(kinCase(20, 50, 40, 30))[0]
	if !strings.HasSuffix(both.Sentence, "; so are 2 more of the run's figures.") || len(both.Evidence) < 6 ||
		both.Evidence[0].Value != "c" {
		t.Errorf("%+v", both)
	}
	// As far as the kin's own farthest, times one and a half, nothing is doubted.
	c := kinCase(20, 50)
	if c.Figures[0].Kin.Largest = math.Ln2 / 1.5 * 1.01; len(found(c)) != 0 {
		t.Error("kin that lie as far apart themselves doubt it")
	}
	if c.Figures[0].Kin.Largest = math.Ln2 / 1.5 * 0.99; len(found(c)) != 1 {
		t.Error("just beyond their own farthest it is not doubted")
	}
}

// A unit that is mixed up is so in all figures of a run: one alone must lie very near to a factor.
func TestAUnitSlipOfOneFigureAlone(t *testing.T) {
	rules := func(c Case) (out []string) {
		for _, d := range found(c) {
			out = append(out, d.Rule)
		}
		return out
	}
	if got := rules(kinCase(20, 800, 810)); len(got) != 2 || got[0] != "unit-slip" {
		t.Errorf("both eight times: %v", got)
	}
	if got := rules(kinCase(20, 100, 800)); len(got) != 1 || got[0] != "unit-slip" {
		t.Errorf("one of them eight times: %v", got)
	}
	if got := rules(kinCase(20, 100, 600)); len(got) != 1 || got[0] != "far-from-kin" {
		t.Errorf("one of them six times: %v", got)
	}
}

// All measures of a run share one budget: what one measure alone would be doubted for, one of eight is not.
func TestMeasuresShareABudget(t *testing.T) {
	of := func(measures int, last float64) int {
		one := cellCase(100.12, 101.3, 99.48, last)
		c := one
		c.Figures, c.Run.Readings, c.Test.Measures = nil, nil, nil
		for i := range measures {
			f := one.Figures[0]
			f.Measure.Slug = string(rune('a' + i))
			if i > 0 {
				calm := cellCase(100.12, 101.3, 99.48, 100.7).Figures[0]
				f.Repeats, f.Cell = calm.Repeats, calm.Cell
			}
			c.Figures = append(c.Figures, f)
			c.Test.Measures = append(c.Test.Measures, f.Measure)
			c.Run.Readings = append(c.Run.Readings, record.Reading{Measure: f.Measure.Slug, State: record.OK,
				Value: f.Repeats[3].Value})
		}
		return len(found(c))
	}
	between := 0.0 // where one measure is doubted and one of eight is not
	for v := 102.0; v < 110; v += 0.1 {
		if of(1, v) == 1 && of(8, v) == 0 {
			between = v
		}
		if of(8, v) > of(1, v) {
			t.Fatalf("at %g eight measures doubt more than one", v)
		}
	}
	if between == 0 || of(8, 115) != 1 {
		t.Errorf("between %g, and at 115 %d of eight are doubted", between, of(8, 115))
	}
}
