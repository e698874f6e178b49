package trust

import "testing"

func TestUnknownIsNeverEqual(t *testing.T) {
	must := []string{"supply", "content"}
	a := Basis{1, map[string]string{"supply": "mains", "content": "harbour"}}
	for _, c := range []struct {
		name string
		b    Basis
		want string
	}{
		{"alike", Basis{1, map[string]string{"supply": "mains", "content": "harbour", "firmware": "9"}}, ""},
		{"other supply", Basis{1, map[string]string{"supply": "battery", "content": "harbour"}}, "supply battery, not mains"},
		{"unknown", Basis{1, map[string]string{"supply": "mains"}}, "content unknown"},
		{"other version", Basis{2, map[string]string{"supply": "mains", "content": "harbour"}}, "test version 2, not 1"},
		{"two things", Basis{2, map[string]string{"supply": "battery", "content": "harbour"}},
			"test version 2, not 1; supply battery, not mains"},
	} {
		if got := Sentence(Comparable(a, c.b, must)); got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
	none := Basis{1, map[string]string{}}
	if got := Sentence(Comparable(none, none, []string{"supply"})); got != "supply unknown for both" {
		t.Errorf("two unknowns: %q", got)
	}
}

func TestTheMachinesWordStands(t *testing.T) {
	setup := map[string]string{"supply": "mains", "power.mode": "default"}
	observed := map[string]string{"supply": "battery", "firmware": "1.2"}
	e := Effective(setup, observed)
	if e["supply"] != "battery" || e["power.mode"] != "default" || e["firmware"] != "1.2" || setup["supply"] != "mains" {
		t.Errorf("effective %v, setup %v", e, setup)
	}
	d := Departures(setup, observed)
	if len(d) != 1 || d[0] != (Difference{"supply", "mains", "battery"}) {
		t.Errorf("departures %v", d)
	}
}

func TestARangeIsMetByWhatLiesInIt(t *testing.T) {
	for got, departs := range map[string]bool{"22.5 °C": false, "18 °C": false, "31.5 °C": true, "warm": true, "": false,
		"20 W": true} {
		if d := Departures(map[string]string{"ambient": "18 to 27 °C"},
			map[string]string{"ambient": got}); (len(d) > 0) != departs {
			t.Errorf("%q departs: %v", got, d)
		}
	}
	if d := Departures(map[string]string{"ambient": "18 °C to 27 °C"},
		map[string]string{"ambient": "20 °C"}); len(d) != 0 {
		t.Errorf("%v", d)
	}
	if d := Departures(map[string]string{"content": "harbour to quay"},
		map[string]string{"content": "quay"}); len(d) != 1 {
		t.Errorf("words are no range: %v", d)
	}
}
