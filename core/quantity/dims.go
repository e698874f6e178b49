package quantity

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Exponents are the powers of base units that a unit is made of: of a byte per second {"By": 1, "s": -1}. Counted
// things (in UCUM's braces) have none. A zero power is never kept, so that two are equal if the maps are.
type Exponents map[string]int

// base tells the powers of each dimension, and how large its base unit of the table is in those.
var base = map[string]struct {
	of   Exponents
	size float64
}{
	"data": {Exponents{"By": 1}, 1}, "data rate": {Exponents{"By": 1, "s": -1}, 1}, "time": {Exponents{"s": 1}, 1},
	"rate": {Exponents{"s": -1}, 1}, "frequency": {Exponents{"s": -1}, 1}, "sample rate": {Exponents{"s": -1}, 1e6},
	"arithmetic rate": {Exponents{"s": -1}, 1e9}, "operation rate": {Exponents{"s": -1}, 1e9},
	"pixel rate": {Exponents{"s": -1}, 1e6}, "texel rate": {Exponents{"s": -1}, 1e6},
	"triangle rate": {Exponents{"s": -1}, 1e6}, "cell rate": {Exponents{"s": -1}, 1e6},
	"transfer rate": {Exponents{"s": -1}, 1e6}, "rotation rate": {Exponents{"s": -1}, 1.0 / 60},
	"power": {Exponents{"W": 1}, 1}, "energy": {Exponents{"W": 1, "s": 1}, 1}, "charge": {Exponents{"A": 1, "s": 1}, 1},
	"voltage": {Exponents{"W": 1, "A": -1}, 1}, "current": {Exponents{"A": 1}, 1}, "mass": {Exponents{"kg": 1}, 1},
	"length": {Exponents{"m": 1}, 1}, "luminance": {Exponents{"cd": 1, "m": -2}, 1},
	"illuminance": {Exponents{"lx": 1}, 1}, "temperature difference": {Exponents{"K": 1}, 1},
	"angle": {Exponents{"deg": 1}, 1}, "time per energy": {Exponents{"W": -1}, 1.0 / 60},
}

// Dims gives the powers of base units in a unit (UCUM code or symbol), and its size in them. Temperatures on a scale
// and levels have none, since they cannot be multiplied: that is an error, as is an unknown unit.
func Dims(unit string) (Exponents, float64, error) {
	if slices.Contains(currencies, unit) {
		return Exponents{unit: 1}, 1, nil
	}
	u, err := LookUp(unit)
	if err != nil {
		return nil, 0, err
	}
	if strings.Contains(u.Dimension, " per ") && base[u.Dimension].of == nil {
		a, b := split(u.Code)
		top, size, err := Dims(cmp.Or(a, "1"))
		if err != nil {
			return nil, 0, err
		}
		bottom, by, err := Dims(b)
		if err != nil {
			return nil, 0, err
		}
		return top.Times(bottom, -1), size / by, nil
	}
	if b := base[u.Dimension]; b.of != nil {
		return maps.Clone(b.of), u.Factor * b.size, nil
	}
	switch {
	case u.Dimension == "temperature", u.Dimension == "sound level", u.Dimension == "level difference":
		return nil, 0, fmt.Errorf("%w %s stands on a scale of its own and can be neither multiplied nor added", ErrUnit,
			u.Symbol)
	case strings.HasSuffix(u.Dimension, " rate"):
		return Exponents{"s": -1}, u.Factor, nil
	}
	return Exponents{}, u.Factor, nil // a share, a number, counted things
}

// Times is a product with a power of others: of a quotient, with the power −1.
func (e Exponents) Times(f Exponents, power int) Exponents {
	out := maps.Clone(e)
	for k, n := range f {
		if out[k] += n * power; out[k] == 0 {
			delete(out, k)
		}
	}
	return out
}

// Power is the whole power of it, above zero or below.
func (e Exponents) Power(n int) Exponents { return Exponents{}.Times(e, n) }

// String writes them: "By s⁻¹" as "By/s", "1" for none.
func (e Exponents) String() string {
	var over, under []string
	for _, k := range slices.Sorted(maps.Keys(e)) {
		n, to := e[k], &over
		if n < 0 {
			n, to = -n, &under
		}
		text := k
		if n > 1 {
			text += fmt.Sprint(n)
		}
		*to = append(*to, text)
	}
	out := cmp.Or(strings.Join(over, "·"), "1")
	if len(under) > 0 {
		out += "/" + strings.Join(under, "/")
	}
	return out
}

// currencies that a unit may be per, or of (ISO 4217).
var currencies = []string{
	"AUD",
	"BRL",
	"CAD",
	"CHF",
	"CNY",
	"CZK",
	"DKK",
	"EUR",
	"GBP",
	"HUF",
	"INR",
	"ISK",
	"JPY",
	"KRW",
	"MXN",
	"NOK",
	"NZD",
	"PLN",
	"RON",
	"SEK",
	"SGD",
	"TRY",
	"TWD",
	"USD",
	"ZAR",
}

// split parts a quotient at its last stroke outside brackets.
func split(name string) (over, under string) {
	depth := 0
	for i := len(name) - 1; i >= 0; i-- {
		switch name[i] {
		case ')', '}':
			depth++
		case '(', '{':
			depth--
		case '/':
			if depth == 0 {
				return name[:i], strings.TrimSuffix(strings.TrimPrefix(name[i+1:], "("), ")")
			}
		}
	}
	return "", ""
}

// quotient is a unit made of two, such as "GB/EUR" or "{page}/(W.h)".
func quotient(name string) (u Unit, ok bool) {
	part := func(s string) (Unit, bool) {
		if slices.Contains(currencies, s) {
			return Unit{s, s, "money " + s, 1, nil}, true
		}
		if u, ok := byName[s]; ok {
			return u, u.Dimension != "temperature" && !strings.HasPrefix(u.Code, "dB")
		}
		return quotient(s)
	}
	over, under := split(name)
	if under == "" {
		return u, false
	}
	a, b := Unit{"", "", "number", 1, nil}, Unit{}
	if over != "" {
		if a, ok = part(over); !ok {
			return u, false
		}
	}
	if b, ok = part(under); !ok {
		return u, false
	}
	code, symbol := b.Code, b.Symbol
	if strings.ContainsAny(code, "/.") {
		code = "(" + code + ")"
	}
	return Unit{a.Code + "/" + code, a.Symbol + "/" + symbol, a.Dimension + " per " + b.Dimension, a.Factor / b.Factor,
		nil}, true
}
