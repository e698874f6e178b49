package rawfile

import (
	"bytes"
	"strconv"
	"strings"
	"time"

	"durvek/core/quantity"
)

// number reads a number as a dialect writes it. Thousands may be set apart by points or commas, whichever is not the
// decimal mark, by spaces, narrow spaces or apostrophes. A trailing % is part of it.
func number(cell []byte, comma bool) (float64, bool) {
	if v, ok := simple(cell); ok && !comma {
		return v, true
	}
	cell = bytes.TrimSpace(cell)
	if len(cell) == 0 || len(cell) > 64 {
		return none, len(cell) == 0
	}
	plain := true
	for _, b := range cell {
		if (b < '0' || b > '9') && b != '.' && b != '-' && b != '+' && b != 'e' && b != 'E' {
			plain = false
			break
		}
	}
	if plain && !(comma && bytes.IndexByte(cell, '.') >= 0) {
		v, err := strconv.ParseFloat(string(cell), 64)
		return v, err == nil && quantity.Sound(v)
	}
	s := strings.TrimSpace(strings.TrimSuffix(string(cell), "%"))
	mark, apart := ".", ","
	if comma {
		mark, apart = ",", "."
	}
	whole, rest, _ := strings.Cut(s, mark)
	for _, sep := range []string{apart, " ", "\u00a0", "\u202f", "'", "’"} {
		if strings.Contains(whole, sep) {
			groups := strings.Split(strings.TrimLeft(whole, "+-"), sep)
			for i, g := range groups {
				if i > 0 && len(g) != 3 || len(g) == 0 || len(g) > 3 {
					return none, false
				}
			}
			whole = strings.ReplaceAll(whole, sep, "")
			break
		}
	}
	s = whole
	if rest != "" {
		s += "." + rest
	}
	for i := range len(s) {
		if b := s[i]; (b < '0' || b > '9') && b != '.' && b != '-' && b != '+' && b != 'e' && b != 'E' {
			return none, false // "inf", "NaN", "0x1p-2" are none that a meter writes
		}
	}
	v, err := strconv.ParseFloat(s, 64)
	return v, err == nil && quantity.Sound(v)
}

// simple reads what most cells hold: at most 15 digits with a point at most. Both parts are exact, so that the quotient
// is rounded once, as it should be (Clinger 1990).
func simple(cell []byte) (float64, bool) {
	whole, digits, frac, minus := int64(0), 0, -1, false
	for i, b := range cell {
		switch {
		case b >= '0' && b <= '9':
			whole, digits = 10*whole+int64(b-'0'), digits+1
			if frac >= 0 {
				frac++
			}
		case b == '.' && frac < 0:
			frac = 0
		case b == '-' && i == 0:
			minus = true
		default:
			return 0, false
		}
	}
	if digits == 0 || digits > 15 {
		return 0, false
	}
	v := float64(whole)
	if frac > 0 {
		v /= tens[frac]
	}
	if minus {
		v = -v
	}
	return v, true
}

var tens = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15}

// moments are the ways in which a time of day or a date with one is written.
var moments = []string{time.RFC3339Nano, "2006-01-02T15:04:05.999999999", "2006-01-02 15:04:05.999999999",
	"2006/01/02 15:04:05.999999999", "02.01.2006 15:04:05.999999999", "02/01/2006 15:04:05.999999999",
	"15:04:05.999999999", "3:04:05 PM"}

// moment reads a time in seconds; of is the way it is written in. One without a date counts from midnight.
func moment(cell, of string) (float64, bool) {
	t, err := time.Parse(of, strings.Replace(strings.TrimSpace(cell), ",", ".", 1))
	if err != nil {
		return none, false
	}
	if t.Year() == 0 {
		return t.Sub(time.Date(0, 1, 1, 0, 0, 0, 0, time.UTC)).Seconds(), true
	}
	return float64(t.Unix()) + float64(t.Nanosecond())/1e9, true
}

// momentForm finds in which way all of some cells are moments.
func momentForm(cells []string) (string, bool) {
	for _, f := range moments {
		all, n := true, 0
		for _, c := range cells {
			if strings.TrimSpace(c) == "" {
				continue
			}
			n++
			if _, ok := moment(c, f); !ok {
				all = false
				break
			}
		}
		if all && n > 0 {
			return f, true
		}
	}
	return "", false
}

// fromFirst makes moments count from the first one, which it gives; one of a day alone that falls back has passed
// midnight.
func fromFirst(values []float64) float64 {
	first, days := none, 0.0
	last := none
	for i, v := range values {
		if v != v {
			continue
		}
		if first != first {
			first = v
		}
		if v < 86400 && last == last && v+days < last-43200 {
			days += 86400
		}
		values[i] = v + days - first
		last = v + days
	}
	return first
}
