package catalog

import (
	"fmt"
	"regexp"
	"slices"
	"sort"
	"time"

	"durvek/core/quantity"
)

// Problem is one thing wrong in an entry: where, as path segments (keys and indices), and why.
type Problem struct {
	Path   []any
	Reason string
}

var (
	slugForm  = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)
	monthForm = regexp.MustCompile(`^\d{4}-(0[1-9]|1[0-2])$`)
	currency  = regexp.MustCompile(`^[A-Z]{3}$`)
)

// CheckSlug says what is wrong with an identifier, or returns "".
func CheckSlug(s string) string {
	if len(s) > 80 || !slugForm.MatchString(s) {
		return fmt.Sprintf("%q is not an identifier: use lower-case letters, digits and single hyphens, such as %q", s, "fen-14-i-16-512")
	}
	return ""
}

// Check returns everything that is wrong inside a dossier, in file order. measures maps each known
// test/measure to its unit, so that claims can be judged; models holds the slugs already known.
func (d Dossier) Check(measures map[string]string, models map[string]bool) []Problem {
	var out []Problem
	at := func(reason string, path ...any) {
		if reason != "" {
			out = append(out, Problem{path, reason})
		}
	}
	m := d.Model
	at(CheckSlug(m.Slug), "model", "slug")
	if !slices.Contains(Kinds, m.Kind) {
		at(fmt.Sprintf("unknown kind %q; known: %v", m.Kind, Kinds), "model", "kind")
	}
	if m.Released != "" && !monthForm.MatchString(m.Released) {
		at(fmt.Sprintf("%q is not a month, YYYY-MM", m.Released), "model", "released")
	}
	if m.Succeeds == m.Slug && m.Slug != "" {
		at("a model cannot succeed itself", "model", "succeeds")
	} else if m.Succeeds != "" && !models[m.Succeeds] {
		at(fmt.Sprintf("no model %q is known; import the predecessor first", m.Succeeds), "model", "succeeds")
	}
	seen := map[string]bool{}
	unique := func(kind, slug string, path ...any) {
		at(CheckSlug(slug), path...)
		if seen[kind+slug] {
			at(fmt.Sprintf("%s %q stands twice in this file", kind, slug), path...)
		}
		seen[kind+slug] = true
	}
	for i, v := range d.Variants {
		unique("variant", v.Slug, "variants", i, "slug")
		for _, key := range sortedKeys(v.Spec) {
			at(CheckSpec(key, v.Spec[key]), "variants", i, "spec", key)
		}
		for j, u := range v.Units {
			unique("unit", u.Slug, "variants", i, "units", j, "slug")
			if !slices.Contains(Origins, u.Origin) {
				at(fmt.Sprintf("unknown origin %q; known: %v", u.Origin, Origins), "variants", i, "units", j, "origin")
			}
			if u.State != "" && !slices.Contains(States, u.State) {
				at(fmt.Sprintf("unknown state %q; known: %v", u.State, States), "variants", i, "units", j, "state")
			}
			at(checkDate(u.Received, true), "variants", i, "units", j, "received")
		}
		for j, c := range v.Claims {
			for _, p := range c.Check(measures) {
				at(p.Reason, append([]any{"variants", i, "claims", j}, p.Path...)...)
			}
		}
		for j, o := range v.Offers {
			for _, p := range o.Check() {
				at(p.Reason, append([]any{"variants", i, "offers", j}, p.Path...)...)
			}
		}
	}
	for i, r := range d.Rigs {
		unique("rig", r.Slug, "rigs", i, "slug")
	}
	return out
}

// Check returns what is wrong with a claim. measures maps test/measure to its unit.
func (c Claim) Check(measures map[string]string) []Problem {
	var out []Problem
	unit, known := measures[c.Measure]
	if !known {
		out = append(out, Problem{[]any{"measure"}, fmt.Sprintf("no test yields %q; `durvek test list` shows the measures", c.Measure)})
	}
	if _, err := quantity.LookUp(c.Unit); err != nil {
		out = append(out, Problem{[]any{"unit"}, err.Error()})
	} else if known {
		if _, err := quantity.Convert(c.Value, c.Unit, unit); err != nil {
			out = append(out, Problem{[]any{"unit"}, err.Error()})
		}
	}
	if c.Qualifier != "" && !slices.Contains(Qualifiers, c.Qualifier) {
		out = append(out, Problem{[]any{"qualifier"}, fmt.Sprintf("unknown qualifier %q; known: %v", c.Qualifier, Qualifiers)})
	}
	if c.Tolerance < 0 || c.Tolerance >= 1 {
		out = append(out, Problem{[]any{"tolerance"}, "the tolerance is a share between 0 and 1, such as 0.01"})
	}
	if r := checkDate(c.Date, true); r != "" {
		out = append(out, Problem{[]any{"date"}, r})
	}
	return out
}

// Check returns what is wrong with an offer.
func (o Offer) Check() []Problem {
	var out []Problem
	if !currency.MatchString(o.Currency) {
		out = append(out, Problem{[]any{"currency"}, fmt.Sprintf("%q is not an ISO 4217 code such as EUR", o.Currency)})
	}
	if o.Amount < 0 {
		out = append(out, Problem{[]any{"amount"}, "the amount cannot be negative"})
	}
	if !slices.Contains(Conditions, o.Condition) {
		out = append(out, Problem{[]any{"condition"}, fmt.Sprintf("unknown condition %q; known: %v", o.Condition, Conditions)})
	}
	if r := checkDate(o.Date, false); r != "" {
		out = append(out, Problem{[]any{"date"}, r})
	}
	return out
}

func checkDate(s string, optional bool) string {
	if s == "" && optional {
		return ""
	}
	if _, err := time.Parse(time.DateOnly, s); err != nil {
		return fmt.Sprintf("%q is not a date, YYYY-MM-DD", s)
	}
	return ""
}

func sortedKeys(m map[string]any) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

// minorDigits holds the currencies whose minor unit is not a hundredth (ISO 4217).
var minorDigits = map[string]int{"JPY": 0, "KRW": 0, "ISK": 0, "CLP": 0, "VND": 0, "KWD": 3, "BHD": 3, "TND": 3}

// Money prints minor units with the currency's code, such as "1,049.00 EUR".
func Money(amount int64, code string) string {
	digits := MinorDigits(code)
	v := float64(amount)
	for range digits {
		v /= 10
	}
	s := quantity.Fixed(v, digits)
	if len(s) == 4+1+digits && digits > 0 && v >= 1000 {
		s = s[:1] + "," + s[1:]
	}
	return s + " " + code
}

// MinorDigits is the number of decimals of a currency's minor unit (ISO 4217), 2 for most.
func MinorDigits(code string) int {
	if digits, ok := minorDigits[code]; ok {
		return digits
	}
	return 2
}
