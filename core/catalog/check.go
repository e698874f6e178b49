package catalog

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"sort"
	"time"

	"durvek/core/link"
	"durvek/core/quantity"
	"durvek/core/say"
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
		return fmt.Sprintf("%q is not an identifier: use lower-case letters, digits and single hyphens, such as %q", s,
			"fen-14-i-16-512")
	}
	return ""
}

// Judge is what a claim must fit: a measure's unit and direction.
type Judge struct {
	Name   string
	Unit   string
	Better quantity.Direction
}

// Check returns everything that is wrong inside a dossier, in file order. measures holds each known
// test/measure, so that claims can be judged; models holds the slugs already known.
func (d Dossier) Check(measures map[string]Judge, models map[string]bool) []Problem {
	var out []Problem
	at := func(reason string, path ...any) {
		if reason != "" {
			out = append(out, Problem{path, reason})
		}
	}
	m := d.Model
	at(CheckSlug(m.Slug), "model", "slug")
	at(m.Kind.Check(), "model", "kind")
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
				at(fmt.Sprintf("unknown origin %q; known: %s", u.Origin, say.List(Origins)), "variants", i, "units", j, "origin")
			}
			if u.State != "" && !slices.Contains(States, u.State) {
				at(fmt.Sprintf("unknown state %q; known: %s", u.State, say.List(States)), "variants", i, "units", j, "state")
			}
			at(checkDate(u.Received, true), "variants", i, "units", j, "received")
		}
		for j, c := range v.Claims {
			for _, p := range c.Check(measures, v.Spec) {
				at(p.Reason, append([]any{"variants", i, "claims", j}, p.Path...)...)
			}
			for k, other := range v.Claims[:j] {
				if reason := c.contradicts(other, measures[c.Measure], v.Spec); reason != "" {
					at(fmt.Sprintf("%s (claim %d)", reason, k+1), "variants", i, "claims", j, "value")
				}
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

// In gives the claimed value in another unit. A charge in mAh becomes energy by the nominal voltage of the spec sheet.
func (c Claim) In(unit string, spec map[string]any) (float64, error) {
	from, err := quantity.LookUp(c.Unit)
	to, err2 := quantity.LookUp(unit)
	if err == nil && err2 == nil && from.Dimension == "charge" && to.Dimension == "energy" {
		volts, ok := SpecNumber(spec, "battery.voltage")
		if !ok {
			return 0, fmt.Errorf("%w %s can be turned into %s only with the battery's nominal voltage; add battery.voltage "+
				"to the spec sheet", quantity.ErrUnit, from.Symbol, to.Symbol)
		}
		return quantity.Convert(c.Value*from.Factor*volts, "J", unit)
	}
	return quantity.Convert(c.Value, c.Unit, unit)
}

// Check returns what is wrong with a claim about a variant of a spec sheet. measures holds each known test/measure.
func (c Claim) Check(measures map[string]Judge, spec map[string]any) []Problem {
	var out []Problem
	judge, known := measures[c.Measure]
	if !known {
		out = append(out, Problem{[]any{"measure"}, fmt.Sprintf("no test yields %q; the list of measures names them all",
			c.Measure)})
	}
	if _, err := quantity.LookUp(c.Unit); err != nil {
		out = append(out, Problem{[]any{"unit"}, err.Error()})
	} else if known {
		v, err := c.In(judge.Unit, spec)
		if err != nil {
			out = append(out, Problem{[]any{"unit"}, err.Error()})
		} else if !quantity.Sound(v) {
			out = append(out, Problem{[]any{"value"}, fmt.Sprintf("%g %s is a number beyond all measure; at most %g %s is "+
				"worked with",
				c.Value, quantity.Symbol(c.Unit), float64(quantity.Largest), quantity.Symbol(judge.Unit))})
		}
	}
	switch q := c.Qualifier; {
	case q != "" && !slices.Contains(Qualifiers, q):
		out = append(out, Problem{[]any{"qualifier"}, fmt.Sprintf("unknown qualifier %q; known: %s; where the small print "+
			"says two, note two claims", q, say.List(Qualifiers))})
	case known && judge.Better == quantity.Lower && (q == "up to" || q == "at least"):
		out = append(out, Problem{[]any{"qualifier"}, fmt.Sprintf("%q contradicts %s, where lower is better; write \"at "+
			"most\" for a promise of the worst, or \"typical\"", q, c.Measure)})
	case known && judge.Better == quantity.Higher && q == "at most":
		out = append(out, Problem{[]any{"qualifier"}, fmt.Sprintf("\"at most\" contradicts %s, where higher is better; "+
			"write \"up to\" for a promise of the best, or \"at least\"", c.Measure)})
	case known && judge.Better == quantity.Target && (q == "up to" || q == "at least" || q == "at most"):
		out = append(out, Problem{[]any{"qualifier"}, fmt.Sprintf("%q contradicts %s, where the nearest to a target is "+
			"best; write \"exact\" or \"typical\"", q, c.Measure)})
	}
	if c.Link != "" {
		if _, err := link.Parse(c.Link); err != nil {
			out = append(out, Problem{[]any{"link"}, err.Error()})
		}
	}
	if c.Tolerance < 0 || c.Tolerance >= 1 {
		out = append(out, Problem{[]any{"tolerance"}, "the tolerance is a share between 0 and 1, such as 0.01"})
	}
	if r := checkDate(c.Date, true); r != "" {
		out = append(out, Problem{[]any{"date"}, r})
	}
	return out
}

// contradicts says how a claim cannot stand beside another of the same source about the same thing, or "".
func (c Claim) contradicts(other Claim, judge Judge, spec map[string]any) string {
	if c.Measure != other.Measure || c.Place != other.Place || c.Source != other.Source || !maps.Equal(c.Conditions,
		other.Conditions) {
		return ""
	}
	a, err := c.In(judge.Unit, spec)
	b, err2 := other.In(judge.Unit, spec)
	least, most := a, b
	if c.Qualifier != "at least" {
		least, most = b, a
	}
	pair := [2]Qualifier{c.Qualifier, other.Qualifier}
	if err != nil || err2 != nil || !slices.Contains(pair[:], "at least") || !slices.Contains(pair[:], "up to") ||
		least <= most {
		return ""
	}
	return fmt.Sprintf("%s contradicts itself: at least %s and up to %s; note what the source says, each with its "+
		"conditions", c.Source, quantity.Format(least, judge.Unit), quantity.Format(most, judge.Unit))
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
		out = append(out, Problem{[]any{"condition"}, fmt.Sprintf("unknown condition %q; known: %s", o.Condition,
			say.List(Conditions))})
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
