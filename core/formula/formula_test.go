package formula

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"durvek/core/quantity"
	"durvek/internal/mutants"
)

func TestFormulasAreWorkedOutInTheUsualOrder(t *testing.T) {
	for text, want := range map[string]float64{
		"{{a/x}}": 6, "{{a/x}} + {{b/y}} * 2": 10, "({{a/x}} + {{b/y}}) * 2": 16, "{{a/x}} - {{b/y}} - 1": 3,
		"{{a/x}} / {{b/y}} / 3": 1, "-{{a/x}} + 1": -5, "2 × {{a/x}} ÷ {{b/y}}": 6, "{{a/x}} − 1": 5,
		"{{ a/x }}^2": 36, "2*{{b/y}}^3": 16, "sqrt({{a/x}}^2 + {{b/y}}^2 * 16)": 10, "sqrt ({{a/x}} * 6)": 6,
		"{{a/x}}:{{b/y}}": 3, "1.5·{{b/y}}": 3, "--{{b/y}}": 2, "((({{a/x}})))": 6,
	} {
		f, err := Parse(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		values := map[string]float64{"a/x": 6, "b/y": 2}
		var in []float64
		for _, r := range f.Refs {
			in = append(in, values[r])
		}
		if got, _ := f.At(in); math.Abs(got-want) > 1e-12 {
			t.Errorf("%s: %g, want %g", text, got, want)
		}
	}
	f, _ := Parse("{{a/x}} / ({{a/x}} + {{b/y}}) * {{a/x}}")
	if strings.Join(f.Refs, " ") != "a/x b/y" {
		t.Errorf("refers to %v", f.Refs)
	}
	for text, at := range map[string][]float64{"1 / {{a/x}}": {0}, "sqrt({{a/x}})": {-1}, "{{a/x}} / ({{a/x}} - 2)": {2}} {
		f, err := Parse(text)
		if v, _ := f.At(at); err != nil || !math.IsNaN(v) {
			t.Errorf("%s of %v: %g, %v", text, at, v, err)
		}
	}
}

func TestWhatIsNoFormulaIsRefusedInWords(t *testing.T) {
	deep := strings.Repeat("(", mostDepth) + "{{a/x}}" + strings.Repeat(")", mostDepth)
	if _, err := Parse(deep); err != nil {
		t.Errorf("%d deep: %v", mostDepth, err)
	}
	for text, says := range map[string]string{
		"": "it ends where a number, a figure or a bracket should stand", "3 + 4": "it refers to no figure",
		"{{a/x}} {{b/y}}": `at character 9 stands "{" where an operator, or the end should stand`,
		"{{a/x}} +":       "it ends where",
		"({{a/x}}":        "it ends where a closing bracket", "{a/x}": "double braces", "{{}}": "double braces",
		"{{a/x": "double braces", "{{a/x}}^5": "from 1 to 4", "{{a/x}}^0": "from 1 to 4", "{{a/x}}^1.5": "from 1 to 4",
		"{{a/x}}^n": "where a number should stand", "1..2 * {{a/x}}": "a number", "sin({{a/x}})": `stands "s"`,
		"sqrt {{a/x}}": "a bracket", "(" + deep + ")": "nested more than 30 deep",
		strings.Repeat("1+", 247) + "{{a/x}}": "500 characters", "1e999 * {{a/x}}": "an operator",
	} {
		if _, err := Parse(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", text, err, says)
		}
	}
	if _, err := Parse(strings.Repeat("1+", 246) + "{{a/x}} "); err != nil {
		t.Errorf("500 characters: %v", err)
	}
}

// Slopes are those that small steps show.
func TestSlopesAreThoseOfSmallSteps(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for _, text := range []string{"{{a/x}} / {{b/y}}", "{{a/x}} * {{b/y}} - {{c/z}}", "{{a/x}}^3 / sqrt({{b/y}})",
		"-({{a/x}} - {{b/y}}) / ({{a/x}} + {{c/z}})", "{{a/x}} / ({{a/x}} + {{b/y}} * {{c/z}})^2"} {
		f, err := Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		for range 20 {
			at := make([]float64, len(f.Refs))
			for i := range at {
				at[i] = 1 + 9*rng.Float64()
			}
			v, slopes := f.At(at)
			for i := range at {
				h := 1e-6 * at[i]
				at[i] += h
				up, _ := f.At(at)
				at[i] -= 2 * h
				down, _ := f.At(at)
				at[i] += h
				if want := (up - down) / (2 * h); math.Abs(slopes[i]-want) > 1e-5*(math.Abs(want)+math.Abs(v)) {
					t.Errorf("%s at %v, by its part %d: %g, want %g", text, at, i+1, slopes[i], want)
				}
			}
		}
	}
}

func TestUnitsComeOutRight(t *testing.T) {
	for _, c := range []struct{ text, units, gives string }{
		{"{{a/x}} / {{b/y}}", "MBy/s EUR", "By/EUR/s"}, {"{{a/x}} * {{b/y}}", "W s", "W·s"},
		{"{{a/x}} / {{b/y}}", "{frame}/s W", "1/W/s"}, {"sqrt({{a/x}}^2 + {{b/y}}^2)", "mm [in_i]", "m"},
		{"{{a/x}} - {{b/y}}", "W.h J", "W·s"}, {"{{a/x}} / {{b/y}}", "cd/m2 cd/m2", "1"}, {"2 * {{a/x}}", "%", "1"},
		{"{{a/x}}^2 * {{b/y}}", "m cd/m2", "cd"}, {"{{a/x}} + {{b/y}}", "s kg", "s and kg cannot be added"},
		{"sqrt({{a/x}})", "s", "of s there is no square root"}, {"{{a/x}} + 1", "%", "1"},
	} {
		f, err := Parse(c.text)
		if err != nil {
			t.Fatal(err)
		}
		var units []quantity.Exponents
		for _, u := range strings.Fields(c.units) {
			d, _, err := quantity.Dims(u)
			if err != nil {
				t.Fatal(err)
			}
			units = append(units, d)
		}
		got, err := f.Dims(units)
		said := got.String()
		if err != nil {
			said = err.Error()
		}
		if said != c.gives {
			t.Errorf("%s in %s: %s, want %s", c.text, c.units, said, c.gives)
		}
	}
}

func FuzzFormula(f *testing.F) {
	mutants.Add(f, "{{a/x}} / {{price/EUR}}", "sqrt(({{a/x}} + 2.5)^2 * -{{b/y}}) ÷ 3", "((1 − {{a/x}}))")
	f.Fuzz(func(t *testing.T, text string) {
		x, err := Parse(text)
		if err != nil {
			return
		}
		units, values := make([]quantity.Exponents, len(x.Refs)), make([]float64, len(x.Refs))
		for i := range values {
			units[i], values[i] = quantity.Exponents{"s": 1}, 2
		}
		x.Dims(units)
		if v, slopes := x.At(values); math.IsInf(v, 0) || len(slopes) != len(values) {
			t.Errorf("%q is %g with %d slopes", text, v, len(slopes))
		}
	})
}
