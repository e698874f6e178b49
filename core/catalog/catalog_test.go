package catalog

import (
	"strings"
	"testing"

	"durvek/core/quantity"
)

func TestSpecEntriesAreChecked(t *testing.T) {
	for _, c := range []struct {
		key   string
		value any
		says  string
	}{
		{"memory.size", "16 GiB", ""}, {"memory.size", "16000 MB", ""}, {"cpu.cores", 12.0, ""}, {"cpu.name", "Lodestow Dab",
			""},
		{"memory.size", 16.0, "needs a unit"}, {"memory.size", "16 W", "cannot be turned"}, {"cpu.cores", 1.5,
			"whole number"}, {"cpu.cores", "many", "whole number"},
		{"cpu.name", " ", "must be a text"}, {"memory.sise", "16 GiB", "memory.size"}, {"colour", "red",
			"the vocabulary lists"}, {"screen.size", "27 in", "display.size"}, {"size", "27 in", "display.size"},
	} {
		got := CheckSpec(c.key, c.value)
		if (got == "") != (c.says == "") || !strings.Contains(got, c.says) {
			t.Errorf("%s = %v: %q, want %q", c.key, c.value, got, c.says)
		}
	}
	spec := map[string]any{"memory.size": "16000 MB", "cpu.cores": 12.0, "ports": "two"}
	if v, ok := SpecNumber(spec, "memory.size"); !ok || v < 14.9 || v > 14.91 {
		t.Errorf("16000 MB is %g GiB", v)
	}
	if rows := SpecSheet(spec); len(rows) != 3 || rows[0].Key != "cpu.cores" || rows[0].Value != "12" {
		t.Errorf("sheet %v", rows)
	}
}

func TestADossiersFaultsComeAllAtOnce(t *testing.T) {
	d := Dossier{Model: Model{Slug: "Fen 14", Kind: "A boat", Released: "2026-13", Succeeds: "nothing"},
		Variants: []DossierVariant{
			{Variant: Variant{Slug: "a", Spec: map[string]any{"memory.size": "lots"}},
				Units:  []Unit{{Slug: "u", Origin: "found"}},
				Claims: []Claim{{Measure: "no/such", Unit: "parsec", Tolerance: 2}}, Offers: []Offer{{Currency: "euro", Amount: -1,
					Condition: "wet", Date: "today"}}},
			{Variant: Variant{Slug: "a"}},
		}}
	found := d.Check(map[string]Judge{}, map[string]bool{})
	var all []string
	for _, p := range found {
		all = append(all, p.Reason)
	}
	text := strings.Join(all, "\n")
	for _, part := range []string{`"Fen 14" is not an identifier`, `unknown kind "A boat"`, `"2026-13" is not a month`,
		`no model "nothing"`, "memory.size", `unknown origin "found"`, `no test yields "no/such"`,
		`unknown unit "parsec"`, "tolerance", `"euro" is not an ISO 4217 code`, "cannot be negative",
		`unknown condition "wet"`, `"today" is not a date`, `variant "a" stands twice`} {
		if !strings.Contains(text, part) {
			t.Errorf("nothing says %q in:\n%s", part, text)
		}
	}
}

func TestMoney(t *testing.T) {
	for _, c := range []struct {
		amount int64
		code   string
		want   string
	}{{104900, "EUR", "1,049.00 EUR"}, {999, "USD", "9.99 USD"}, {15000, "JPY", "15,000 JPY"}, {1500, "KWD", "1.500 KWD"},
		{12345678, "GBP", "123,456.78 GBP"}} {
		if got := Money(c.amount, c.code); got != c.want {
			t.Errorf("%d %s prints %q, want %q", c.amount, c.code, got, c.want)
		}
	}
}

func TestContradictoryClaimsAreRefused(t *testing.T) {
	measures := map[string]Judge{"drive/read": {Unit: "MBy/s", Better: quantity.Higher}, "export/time": {Unit: "s",
		Better: quantity.Lower}, "screen/white": {Unit: "K", Better: quantity.Target}, "battery/energy": {Unit: "W.h",
		Better: quantity.Higher}}
	for says, c := range map[string]Claim{
		`write "at most"`:                {Measure: "export/time", Value: 40, Unit: "s", Qualifier: "up to"},
		`write "up to"`:                  {Measure: "drive/read", Value: 40, Unit: "MBy/s", Qualifier: "at most"},
		`where the small print says two`: {Measure: "drive/read", Value: 40, Unit: "MBy/s", Qualifier: "up to, typical"},
		`the vocabulary lists`:           {Measure: "drive/read", Value: 40, Unit: "parsec"},
		`is not written as`:              {Measure: "drive/read", Value: 40, Unit: "MBy/s", Link: "fast"},
		`add battery.voltage`:            {Measure: "battery/energy", Value: 5000, Unit: "mA.h"},
	} {
		found := ""
		for _, p := range c.Check(measures, nil) {
			found += p.Reason
		}
		if !strings.Contains(found, says) {
			t.Errorf("%+v: %q, want it to say %q", c, found, says)
		}
	}
	d := Dossier{Model: Model{Slug: "x", Kind: "drive"}, Variants: []DossierVariant{{Variant: Variant{Slug: "x-1"},
		Claims: []Claim{
			{Measure: "drive/read", Value: 5000, Unit: "MBy/s", Qualifier: "up to", Source: "box"}, {Measure: "drive/read",
				Value: 6, Unit: "GBy/s", Qualifier: "at least", Source: "box"}}}}}
	found := d.Check(measures, nil)
	if len(found) != 1 || !strings.Contains(found[0].Reason, "box contradicts itself: at least 6000 MB/s and up to "+
		"5000 MB/s") {
		t.Errorf("%+v", found)
	}
}
