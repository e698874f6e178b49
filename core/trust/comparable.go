// Package trust decides what may be compared with what, and says why not. Every comparison, claim
// and chart asks it; nothing bypasses it.
package trust

import (
	"fmt"
	"sort"
	"strings"

	"durvek/core/method"
	"durvek/core/quantity"
)

// Basis is what a figure rests on, as far as comparability goes.
type Basis struct {
	TestVersion int               `json:"test_version"`
	Conditions  map[string]string `json:"conditions"`
}

// Effective joins what a setup asks for with what the machine observed: the machine's word stands
// where it has one. A condition that neither names stays unknown.
func Effective(setup, observed map[string]string) map[string]string {
	out := map[string]string{}
	for k, v := range setup {
		out[k] = v
	}
	for k, v := range observed {
		if v != "" {
			out[k] = v
		}
	}
	return out
}

// Untold names the conditions that must match in a test and that a run under a setup does not tell.
func Untold(t method.Test, setup, observed map[string]string) (keys []string) {
	told := Effective(setup, observed)
	for _, k := range t.MustMatch {
		if told[k] == "" {
			keys = append(keys, k)
		}
	}
	return keys
}

// Difference is one reason why two figures cannot be compared.
type Difference struct {
	Condition string `json:"condition"`
	A         string `json:"a,omitempty"`
	B         string `json:"b,omitempty"`
}

// String says the difference in words; an empty side is unknown.
func (d Difference) String() string {
	name := d.name()
	switch {
	case d.A == "" && d.B == "":
		return name + " unknown for both"
	case d.A == "" || d.B == "":
		return name + " unknown"
	}
	return fmt.Sprintf("%s %s, not %s", name, d.B, d.A)
}

func (d Difference) name() string { return Name(d.Condition) }

// Name is a condition inside a sentence.
func Name(condition string) string {
	if c, ok := method.Condition(condition); ok {
		return strings.ToLower(c.Name[:1]) + c.Name[1:]
	}
	return condition
}

// VersionCondition stands in a difference for the version of the test.
const VersionCondition = "test version"

// Comparable tells whether b may be compared with a: the test version and every condition that must
// match are known and equal. Unknown is never equal. It returns all differences, none if comparable.
func Comparable(a, b Basis, mustMatch []string) []Difference {
	var out []Difference
	if a.TestVersion != b.TestVersion {
		out = append(out, Difference{VersionCondition, fmt.Sprint(a.TestVersion), fmt.Sprint(b.TestVersion)})
	}
	keys := append([]string(nil), mustMatch...)
	sort.Strings(keys)
	for _, k := range keys {
		if a.Conditions[k] == "" || b.Conditions[k] == "" || a.Conditions[k] != b.Conditions[k] {
			out = append(out, Difference{k, a.Conditions[k], b.Conditions[k]})
		}
	}
	return out
}

// Departures names the conditions that a machine observed differently from its setup.
func Departures(setup, observed map[string]string) []Difference {
	var out []Difference
	for k, want := range setup {
		got := observed[k]
		named := k == "graphics.chip" && strings.Contains(strings.ToLower(got),
			strings.ToLower(want)) // drivers name more than the chip
		if got != "" && !named && !meets(want, got) {
			out = append(out, Difference{k, want, got})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Condition < out[j].Condition })
	return out
}

// meets tells whether an observed condition is the wanted one, or lies in the wanted range: "18 to 24 °C".
func meets(want, got string) bool {
	if want == got {
		return true
	}
	low, high, ok := strings.Cut(want, " to ")
	if !ok {
		return false
	}
	hi, err := quantity.Parse(high)
	if err != nil {
		return false
	}
	lo, err := quantity.Parse(low)
	if err == nil && lo.Unit == "1" {
		lo.Unit = hi.Unit
	}
	at, err2 := quantity.Parse(got)
	return err == nil && err2 == nil && lo.Unit == hi.Unit && at.Unit == hi.Unit && at.Value >= lo.Value &&
		at.Value <= hi.Value
}

// Sentence joins differences into one phrase.
func Sentence(ds []Difference) string {
	parts := make([]string, len(ds))
	for i, d := range ds {
		parts[i] = d.String()
	}
	return strings.Join(parts, "; ")
}
