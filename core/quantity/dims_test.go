package quantity

import (
	"errors"
	"math"
	"testing"
)

func TestQuotientsOfUnitsAreUnits(t *testing.T) {
	for name, want := range map[string]struct {
		code, symbol string
		factor       float64
	}{
		"GB/EUR": {"GBy/EUR", "GB/EUR", 1e9}, "EUR/GB": {"EUR/GBy", "EUR/GB", 1e-9}, "/W": {"/W", "/W", 1},
		"MB/s/W": {"MBy/s/W", "MB/s/W", 1e6}, "pages/Wh": {"", "", 0}, "frames/J": {"{frame}/J", "frames/J", 1},
		"{page}/min/(W.h)": {"{page}/min/(W.h)", "pages/min/Wh", 1.0 / 60 / 3600}, "MB/s": {"MBy/s", "MB/s", 1e6},
		"min/(W.h)": {"min/(W.h)", "min/Wh", 1},
	} {
		u, err := LookUp(name)
		if want.code == "" {
			if !errors.Is(err, ErrUnit) {
				t.Errorf("%s: %v, %v", name, u, err)
			}
			continue
		}
		if err != nil || u.Code != want.code || u.Symbol != want.symbol || math.Abs(u.Factor/want.factor-1) > 1e-12 {
			t.Errorf("%s is %+v, %v", name, u, err)
			continue
		}
		if again, err := LookUp(u.Code); err != nil || again.Code != u.Code {
			t.Errorf("the code of %s is read as %+v, %v", name, again, err)
		}
	}
	for _, name := range []string{"°C/W", "W/Cel", "dB(A)/W", "EUR", "GB/XXX", "GB/", "/", "a/b", "GB//s", "W/dB"} {
		if u, err := LookUp(name); err == nil {
			t.Errorf("%s is %+v", name, u)
		}
	}
}

func TestDimensionsAndSizesOfUnits(t *testing.T) {
	for name, want := range map[string]struct {
		dims string
		size float64
	}{
		"GB": {"By", 1e9}, "Mbit/s": {"By/s", 125000}, "kWh": {"W·s", 3.6e6}, "mAh": {"A·s", 3.6}, "V": {"W/A", 1},
		"GFLOP/s": {"1/s", 1e9}, "frames/s": {"1/s", 1}, "pictures/min": {"1/s", 1.0 / 60}, "rpm": {"1/s", 1.0 / 60},
		"cd/m²": {"cd/m2", 1}, "%": {"1", 0.01}, "": {"1", 1}, "cores": {"1", 1}, "min/Wh": {"1/W", 1.0 / 60},
		"GB/EUR": {"By/EUR", 1e9}, "EUR/GB": {"EUR/By", 1e-9}, "EUR": {"EUR", 1}, "MB/s/W": {"By/W/s", 1e6}, "K": {"K", 1},
		"/h": {"1/s", 1.0 / 3600}, "/h/EUR": {"1/EUR/s", 1.0 / 3600}, "Mpx": {"1", 1e6}, "in": {"m", 0.0254},
	} {
		dims, size, err := Dims(name)
		if err != nil || dims.String() != want.dims || math.Abs(size/want.size-1) > 1e-12 {
			t.Errorf("%s is %g of %s, %v; want %g of %s", name, size, dims, err, want.size, want.dims)
		}
	}
	for _, name := range []string{"°C", "dB(A)", "dB", "°F", "parsec"} {
		if _, _, err := Dims(name); !errors.Is(err, ErrUnit) {
			t.Errorf("%s: %v", name, err)
		}
	}
	a := Exponents{"By": 1, "s": -1}
	if got := a.Times(a, -1).String(); got != "1" {
		t.Errorf("a unit by itself is %s", got)
	}
	if got := a.Power(2).String(); got != "By2/s2" || a.String() != "By/s" {
		t.Errorf("its square is %s, and it is %s", got, a)
	}
}

func TestAScaleFollowsFromTheUnit(t *testing.T) {
	for unit, want := range map[string]Scale{"dB(A)": Level, "dB": Level, "°C": Interval, "Cel": Interval, "K": Ratio,
		"%": Share, "MB/s": Ratio, "": Ratio, "furlong": Ratio} {
		if got := ScaleOf(unit); got != want {
			t.Errorf("figures in %q stand on the scale %s, want %s", unit, got, want)
		}
	}
}

func TestAQuotientHasASymbol(t *testing.T) {
	for code, want := range map[string]string{"MBy/s/EUR": "MB/s/EUR", "/h/EUR": "/h/EUR", "GBy/EUR": "GB/EUR",
		"{page}/min/(W.h)": "pages/min/Wh", "none": "none"} {
		if got := Symbol(code); got != want {
			t.Errorf("%s is shown as %s, want %s", code, got, want)
		}
	}
}
