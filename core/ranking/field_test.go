package ranking

import (
	"errors"
	"strings"
	"testing"

	"durvek/core/catalog"
)

func TestFieldsHoldByRuleAndByHand(t *testing.T) {
	dear := func(amount int64) func(catalog.Pricing) (catalog.Price, bool, error) {
		return func(how catalog.Pricing) (catalog.Price, bool, error) {
			if how.Currency == "NOK" {
				return catalog.Price{}, false, catalog.ErrRate
			}
			return catalog.Price{Amount: amount, Currency: how.Currency}, amount > 0, nil
		}
	}
	fen := Candidate{"fen", catalog.Model{Slug: "fen", Kind: "laptop", Released: "2026-03"},
		map[string]any{"cpu.name": "Skarn Eleven", "display.size": "14 in"}, dear(104900), false}
	tab := Candidate{"tab", catalog.Model{Slug: "tab", Kind: "tablet"}, map[string]any{"display.size": "11 in"}, dear(0),
		false}
	family := map[string]bool{"fen": true}
	for _, c := range []struct {
		name     string
		f        Field
		fen, tab bool
	}{
		{"everything", Field{}, true, true},
		{"by kind", Field{Kinds: []catalog.Kind{"laptop"}}, true, false},
		{"by hand alone", Field{Variants: []string{"tab"}}, false, true},
		{"by kind and by hand", Field{Kinds: []catalog.Kind{"laptop"}, Variants: []string{"tab"}}, true, true},
		{"left out by hand", Field{Without: []string{"fen"}}, false, true},
		{"in a price band", Field{Price: &PriceBand{From: 1000, To: 1100, Currency: "EUR"}}, true, false},
		{"below the band", Field{Price: &PriceBand{From: 1100, Currency: "EUR"}}, false, false},
		{"released since", Field{ReleasedFrom: "2026-01"}, true, false},
		{"released until", Field{ReleasedTo: "2026-02"}, false, false},
		{"by chip", Field{Chip: "skarn"}, true, false},
		{"by screen", Field{ScreenFrom: 10, ScreenTo: 12}, false, true},
		{"by family", Field{FamilyOf: "fen"}, true, false},
		{"by two rules", Field{Kinds: []catalog.Kind{"laptop"}, ScreenFrom: 15}, false, false},
	} {
		for _, x := range []struct {
			c    Candidate
			want bool
		}{{fen, c.fen}, {tab, c.tab}} {
			if got, err := c.f.Holds(x.c, family); got != x.want || err != nil {
				t.Errorf("%s (%s): holds %s is %v, want %v (%v)", c.name, c.f.Rule(), x.c.Variant, got, x.want, err)
			}
		}
	}
	fen.Archived = true
	for _, f := range []Field{{}, {Kinds: []catalog.Kind{"laptop"}}, {FamilyOf: "fen"}} {
		if in, err := f.Holds(fen, family); in || err != nil {
			t.Errorf("%s holds what is archived (%v)", f.Rule(), err)
		}
	}
	if in, err := (Field{Variants: []string{"fen"}}).Holds(fen, nil); !in || err != nil {
		t.Errorf("a field that names an archived variant does not hold it (%v)", err)
	}
	fen.Archived = false
	if _, err := (Field{Price: &PriceBand{Currency: "NOK"}}).Holds(fen, nil); !errors.Is(err, catalog.ErrRate) {
		t.Errorf("a price without a rate gives %v", err)
	}
}

func TestFieldsAreCheckedInWords(t *testing.T) {
	good := Field{Slug: "light", Name: "light laptops"}
	if s := good.Check(); s != "" {
		t.Error(s)
	}
	for says, change := range map[string]func(*Field){
		"identifier": func(f *Field) { f.Slug = "A b" }, "needs a name": func(f *Field) { f.Name = "" },
		"unknown kind": func(f *Field) { f.Kinds = []catalog.Kind{"A boat"} },
		"not a month":  func(f *Field) { f.ReleasedFrom = "2026" }, "release window ends": func(f *Field) {
			f.ReleasedFrom,
				f.ReleasedTo = "2026-03", "2026-02"
		},
		"screen sizes ends": func(f *Field) { f.ScreenFrom, f.ScreenTo = 14, 12 },
		"price band ends":   func(f *Field) { f.Price = &PriceBand{From: 9, To: 1, Currency: "EUR"} },
		"needs a currency":  func(f *Field) { f.Price = &PriceBand{} },
		"not a date":        func(f *Field) { f.Price = &PriceBand{Currency: "EUR", Day: "soon"} },
	} {
		f := good
		change(&f)
		if s := f.Check(); !strings.Contains(s, says) {
			t.Errorf("%+v: %q, want it to say %q", f, s, says)
		}
	}
}

func TestFamilyGoesBothWays(t *testing.T) {
	models := []catalog.Model{{Slug: "c", Succeeds: "b"}, {Slug: "b", Succeeds: "a"}, {Slug: "a"}, {Slug: "x"}}
	for _, of := range []string{"a", "b", "c"} {
		if f := Family(models, of); len(f) != 3 || f["x"] {
			t.Errorf("family of %s: %v", of, f)
		}
	}
}

func TestAFieldsRuleInWords(t *testing.T) {
	for want, f := range map[string]Field{
		"everything ever measured":    {},
		"laptops, mini PCs":           {Kinds: []catalog.Kind{"laptop", "mini-pc"}},
		"1 by hand":                   {Variants: []string{"a"}},
		"laptops; and 2 by hand":      {Kinds: []catalog.Kind{"laptop"}, Variants: []string{"a", "b"}},
		"laptops; without 1":          {Kinds: []catalog.Kind{"laptop"}, Without: []string{"a"}},
		"from 900 EUR":                {Price: &PriceBand{From: 900, Currency: "EUR"}},
		"0 to 900 EUR on 2026-03-02":  {Price: &PriceBand{To: 900, Currency: "EUR", Day: "2026-03-02"}},
		"released 2026-01 to 2026-06": {ReleasedFrom: "2026-01", ReleasedTo: "2026-06"},
		"released from 2026-01":       {ReleasedFrom: "2026-01"},
		"released up to 2026-06":      {ReleasedTo: "2026-06"},
		"screen from 13.3 in":         {ScreenFrom: 13.3},
		"screen 10 in to 12 in":       {ScreenFrom: 10, ScreenTo: 12},
		"with a chip named Skarn":     {Chip: "Skarn"},
		"family of fen-14":            {FamilyOf: "fen-14"},
	} {
		if got := f.Rule(); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}
