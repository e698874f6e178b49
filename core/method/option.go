package method

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"durvek/core/quantity"
)

// Option is something that a plan may set for a test: a duration, a size, a share, a folder.
type Option struct {
	Slug    string   `json:"slug"`
	Meaning string   `json:"meaning"`
	Default string   `json:"default,omitempty" doc:"Value where none is given, with its unit"`
	Unit    string   `json:"unit,omitempty" doc:"UCUM code that the value is read in; none for a text"`
	Least   float64  `json:"least,omitempty" doc:"Smallest value, in the unit"`
	Most    float64  `json:"most,omitempty" doc:"Largest value, in the unit; 0 for none"`
	Choices []string `json:"choices,omitempty" doc:"The only values, where they are few"`
	Match   bool     `json:"match,omitempty" doc:"Figures with other values of it are not compared"`
}

// Check says what is wrong with a value of the option, or returns "".
func (o Option) Check(value string) string {
	if len(o.Choices) > 0 {
		if !slices.Contains(o.Choices, value) {
			return fmt.Sprintf("option %s is one of %s, not %q", o.Slug, strings.Join(o.Choices, ", "), value)
		}
		return ""
	}
	if o.Unit == "" {
		return ""
	}
	v, err := o.Number(value)
	switch {
	case err != nil:
		return fmt.Sprintf("option %s: %v", o.Slug, err)
	case v < o.Least || o.Most > 0 && v > o.Most:
		most := ""
		if o.Most > 0 {
			most = " and at most " + quantity.Plain(o.Most, o.Unit)
		}
		return fmt.Sprintf("option %s is at least %s%s, got %s", o.Slug, quantity.Plain(o.Least, o.Unit), most, value)
	}
	return ""
}

// Number reads a value in the option's unit; a bare number is taken in it.
func (o Option) Number(value string) (float64, error) {
	q, err := quantity.Parse(value)
	if err != nil {
		return 0, err
	}
	if q.Unit == "1" {
		return q.Value, nil
	}
	return q.In(o.Unit)
}

// Option finds an option of the test.
func (t Test) Option(slug string) (Option, bool) {
	i := slices.IndexFunc(t.Options, func(o Option) bool { return o.Slug == slug })
	if i < 0 {
		return Option{}, false
	}
	return t.Options[i], true
}

// CheckOptions says everything that is wrong with the values given for a test's options.
func (t Test) CheckOptions(given map[string]string) []string {
	var out []string
	for _, k := range slices.Sorted(maps.Keys(given)) {
		o, ok := t.Option(k)
		if !ok {
			var known []string
			for _, o := range t.Options {
				known = append(known, o.Slug)
			}
			if len(known) == 0 {
				out = append(out, fmt.Sprintf("test %q has no options", t.Slug))
			} else {
				out = append(out, fmt.Sprintf("test %q has no option %q; it has %s", t.Slug, k, strings.Join(known, ", ")))
			}
			continue
		}
		if why := o.Check(given[k]); why != "" {
			out = append(out, why)
		}
	}
	return out
}

// Values joins the options given with the usual ones.
func (t Test) Values(given map[string]string) map[string]string {
	out := map[string]string{}
	for _, o := range t.Options {
		out[o.Slug] = o.Default
		if v := given[o.Slug]; v != "" {
			out[o.Slug] = v
		}
	}
	return out
}

// Number is an option's value in its unit; 0 where it has none.
func (t Test) Number(slug string, given map[string]string) float64 {
	o, _ := t.Option(slug)
	v, err := o.Number(t.Values(given)[slug])
	if err != nil {
		return 0
	}
	return v
}

// WritesWith is how many bytes one run writes at most under the given options: the option "writes"
// where the test has it, else the test's own bound, which grows with a test file larger than usual.
func (t Test) WritesWith(given map[string]string) int64 {
	if _, ok := t.Option("writes"); ok {
		return int64(t.Number("writes", given))
	}
	if usual := t.Number("file", nil); usual > 0 {
		return int64(float64(t.Writes) * max(1, t.Number("file", given)/usual))
	}
	return t.Writes
}

// SecondsWith is the usual duration of one run under the given options: a longer or shorter
// "duration" than the usual one is added to it.
func (t Test) SecondsWith(given map[string]string) float64 {
	return t.Seconds + t.Number("duration", given) - t.Number("duration", nil)
}
