package stats

import (
	"math"
	"slices"
	"strconv"
	"strings"
)

// Grain is how finely a measure's readings are told, on the natural scale. The zero value is without end.
type Grain struct {
	Step    float64 `json:"step,omitempty" doc:"Between neighbouring readings, in the measure's unit"`
	Digits  int     `json:"digits,omitempty" doc:"Significant digits, where they are few"`
	Ticks   float64 `json:"ticks,omitempty" doc:"Step of the reciprocals, where a rate was reckoned from a counted time"`
	working float64
}

// At is the step at a value, on the working scale; none at zero where that is logarithmic.
func (g Grain) At(x float64, logarithmic bool) float64 {
	if g.working > 0 {
		return g.working
	}
	step := g.Step
	if x = math.Abs(x); g.Digits > 0 && x > 0 {
		step = math.Max(step, math.Pow(10, math.Floor(math.Log10(x))+1-float64(g.Digits)))
	}
	step = math.Max(step, g.Ticks*x*x)
	switch {
	case !logarithmic:
		return step
	case x > 0:
		return math.Log1p(step / x)
	}
	return 0
}

// GrainOf finds the grain of readings as they were typed, of which at least three are needed; declared is the step that
// the measure itself names, 0 for none.
func GrainOf(readings []float64, declared float64) Grain {
	g := Grain{Step: declared}
	if len(readings) < 3 {
		return g
	}
	decimals, digits := 0, 0
	var exact []float64 // to 12 digits: a unit may have been converted
	for _, x := range readings {
		if x == 0 || math.IsNaN(x) || math.IsInf(x, 0) {
			continue
		}
		d, exponent := typed(x)
		exact = append(exact, x)
		digits, decimals = max(digits, d), max(decimals, d-1-exponent)
	}
	if len(exact) == 0 {
		return g
	}
	slices.Sort(exact)
	distinct := slices.CompactFunc(slices.Clone(exact),
		func(a, b float64) bool { return math.Abs(a-b) <= 1e-12*math.Abs(a) })
	fits := func(step, within float64) bool {
		for _, x := range distinct {
			if k := x / step; math.Abs(k-math.Round(k)) > within+2e-12*math.Abs(k) {
				return false
			}
		}
		return true
	}
	step := math.Pow(10, -float64(decimals))
	for _, times := range []float64{10, 5, 2} {
		if (times == 10 || len(distinct) >= 4) && fits(step*times, 1e-6) {
			step *= times
			break
		}
	}
	alike := float64(len(distinct)) < 0.7*float64(len(exact))+2 // so many alike that there must be a grid
	if grid := gridOf(distinct, alike); grid > 0 {
		step = math.Max(step, grid)
	} else if distinct[0] > 0 {
		inverse := make([]float64, len(distinct))
		for i, x := range distinct {
			inverse[len(distinct)-1-i] = 1 / x
		}
		g.Ticks = gridOf(inverse, alike)
	}
	if digits <= 4 {
		g.Digits = digits
	}
	g.Step = math.Max(g.Step, step)
	return g
}

// Fits tells whether a reading may have been told by a grain.
func (g Grain) Fits(x float64) bool {
	if g.Step > 0 {
		if k := x / g.Step; math.Abs(k-math.Round(k)) > 1e-6+2e-12*math.Abs(k) {
			return false
		}
	}
	digits, _ := typed(x)
	return g.Digits == 0 || x == 0 || digits <= g.Digits
}

// gridOf is the step of a grid on which sorted values stand: a whole part of their smallest gap of which 95 % of all
// gaps are multiples, to 3 %; 0 where there is none. Eight values tell it, or four of which many are alike, of whose
// gaps the smallest itself must be the step.
func gridOf(sorted []float64, alike bool) float64 {
	most := 4.0
	if len(sorted) < 8 {
		if most = 1; len(sorted) < 4 || !alike {
			return 0
		}
	}
	gap := smallestGap(sorted)
	for parts := 1.0; parts <= most; parts++ {
		step, off := gap/parts, 0
		for i := 1; i < len(sorted); i++ {
			if k := (sorted[i] - sorted[i-1]) / step; math.Abs(k-math.Round(k)) > 0.03 {
				off++
			}
		}
		if float64(off) <= 0.05*float64(len(sorted)-1) {
			return step
		}
	}
	return 0
}

func smallestGap(sorted []float64) float64 {
	gap := math.Inf(1)
	for i := 1; i < len(sorted); i++ {
		gap = math.Min(gap, sorted[i]-sorted[i-1])
	}
	return gap
}

// typed counts the significant digits of a number as it was typed, to 12 of them, and gives its power of ten: 3.40e3
// has two digits and the third power.
func typed(x float64) (digits, exponent int) {
	mantissa, power, _ := strings.Cut(strconv.FormatFloat(math.Abs(x), 'e', 11, 64), "e")
	exponent, _ = strconv.Atoi(power)
	return len(strings.TrimRight(strings.Replace(mantissa, ".", "", 1), "0")), exponent
}
