package method

import "testing"

func TestAFingerprintIsOfWhatIsMeasured(t *testing.T) {
	is := Test{Slug: "work", Version: 1, Name: "Work", Origin: "own", MustMatch: []string{"supply", "power.mode"},
		Measures: []Measure{{Slug: "rate", Unit: "/min", Scale: "ratio", Better: "higher"}, {Slug: "time", Unit: "s"}}}
	same := is
	same.Name, same.About, same.Repeats = "Travail", "Explained otherwise", 9
	same.MustMatch = []string{"power.mode", "supply"}
	same.Measures = []Measure{is.Measures[1], is.Measures[0]}
	if len(is.Fingerprint()) != 16 || is.Fingerprint() != same.Fingerprint() {
		t.Error("words and order count", is.Fingerprint(), same.Fingerprint())
	}
	if is.MustMatch[0] != "supply" || is.Measures[0].Slug != "rate" {
		t.Error("it put the test itself in order")
	}
	for _, change := range []func(*Test){func(x *Test) { x.Version = 2 }, func(x *Test) { x.Slug = "play" },
		func(x *Test) { x.MustMatch = x.MustMatch[:1] }, func(x *Test) { x.Hands = "form" },
		func(x *Test) { x.Analysis = "frames" }, func(x *Test) { x.Of = "other" }, func(x *Test) { x.Origin = "command" },
		func(x *Test) {
			x.Measures = []Measure{{Slug: "rate", Unit: "/s", Scale: "ratio", Better: "higher"}, x.Measures[1]}
		},
		func(x *Test) { x.Measures = x.Measures[:1] }, func(x *Test) {
			m := x.Measures[0]
			m.Formula = "{{a/b}}"
			x.Measures = []Measure{m, x.Measures[1]}
		}} {
		other := is
		change(&other)
		if other.Fingerprint() == is.Fingerprint() {
			t.Errorf("%+v has the same", other)
		}
	}
}
