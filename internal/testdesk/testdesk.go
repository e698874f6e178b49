// Package testdesk is a small desk for tests: models a, b and c with a variant and a unit each, and one test with a
// rate and a time.
package testdesk

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
	"durvek/core/trust"
	"durvek/demo/load"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/store"
)

// Ctx is a context that nobody ends.
var Ctx = context.Background()

// Work is a built-in test with a rate and a time that may be stopped.
func Work() method.Test {
	limit := 600.0
	return method.Test{Slug: "work", Version: 1, Name: "Work", Group: "application", Origin: "workload",
		MustMatch: []string{"supply"}, Repeats: 3, Seconds: 10, Writes: 1 << 20, Measures: []method.Measure{
			{Slug: "rate", Name: "rate", Unit: "/min", Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.02},
			{Slug: "time", Name: "time", Unit: "s", Scale: quantity.Ratio, Better: quantity.Lower, Limit: &limit,
				Repeatability: 0.02}}}
}

// Morning is when every test happens unless it says otherwise.
func Morning() time.Time { return time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC) }

// Opened is a desk with models a, b and c, each with a variant and a unit of the same name; each succeeds the one
// before.
func Opened(t testing.TB) *house.House {
	t.Helper()
	return OpenedIn(t, t.TempDir(), Morning)
}

// OpenedIn opens a desk that may be there already.
func OpenedIn(t testing.TB, dir string, now func() time.Time) *house.House {
	t.Helper()
	d, err := house.Open(Ctx, house.Options{Options: desk.Options{Dir: dir, Name: "Desk", Now: now},
		Tests: []method.Test{Work()}})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { d.Close() })
	for i, name := range []string{"a", "b", "c"} {
		m := catalog.Model{Slug: name, Maker: "Maker", Name: strings.ToUpper(name), Kind: "laptop"}
		if i > 0 {
			m.Succeeds = string("abc"[i-1])
		}
		_, err := d.Books.AddModel(Ctx, m, "me")
		if err == nil {
			_, err = d.Books.AddVariant(Ctx, catalog.Variant{Slug: name, Model: name, Name: "16 GiB"}, "me")
		}
		if err == nil {
			_, err = d.Books.AddUnit(Ctx, catalog.Unit{Slug: name, Variant: name, Origin: "bought"}, "me")
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	return d
}

// Loaded is a desk with made-up data of a size.
func Loaded(t testing.TB, l load.Size) *house.House {
	t.Helper()
	d, err := house.Open(Ctx, house.Options{Options: desk.Options{Dir: t.TempDir(), Name: "Desk"}})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { d.Close() })
	if _, err := load.Generate(Ctx, d.Desk, l, 1, func(int, int) {}); err != nil {
		t.Fatal(err)
	}
	return d
}

// Typed enters readings, of the test "work" unless it says otherwise.
func Typed(t testing.TB, d *house.House, x results.Typed) {
	t.Helper()
	if x.Test == "" {
		x.Test = "work"
	}
	if _, err := d.Results.TypeReadings(Ctx, x, "me"); err != nil {
		t.Fatal(err)
	}
}

// Rates enters repeats of the rate.
func Rates(t testing.TB, d *house.House, unit, setup string, values ...float64) {
	t.Helper()
	for i, v := range values {
		Typed(t, d, results.Typed{Subject: unit, Setup: setup, Repeat: i, Readings: map[string]string{"rate": fmt.Sprint(v)}})
	}
}

// Price enters a price.
func Price(t testing.TB, d *house.House, variant string, amount int64, currency string) {
	t.Helper()
	if _, err := d.Books.AddOffer(Ctx, catalog.Offer{Variant: variant, Amount: amount, Currency: currency, Region: "DE",
		TaxIncluded: true, Condition: "new", Seller: "Shop " + currency, Date: "2026-11-02"}, "me"); err != nil {
		t.Fatal(err)
	}
}

// Says fails unless an error is a refusal of a kind with all of some words.
func Says(t testing.TB, err error, kind desk.Kind, words ...string) {
	t.Helper()
	var e *desk.Error
	if !errors.As(err, &e) || e.Kind != kind {
		t.Errorf("%v, want a refusal that is %s", err, kind)
		return
	}
	for _, w := range words {
		if !strings.Contains(e.Message, w) {
			t.Errorf("the refusal %q does not say %q", e.Message, w)
		}
	}
}

// Doubts lists doubts.
func Doubts(t testing.TB, d *house.House, f store.DoubtFilter) []trust.Doubt {
	t.Helper()
	list, n, err := d.Results.Doubts(Ctx, f)
	if err != nil || n != len(list) {
		t.Fatalf("%d doubts of %d, %v", len(list), n, err)
	}
	return list
}

// Quiet gives the test a repeatability of its own: two other units with repeats that agree to a per cent.
func Quiet(t testing.TB, d *house.House) {
	t.Helper()
	Rates(t, d, "b", "", 100, 101, 100, 99, 100.5, 100.2)
	Rates(t, d, "c", "", 200, 202, 199, 200, 201, 200.4)
}

// Err is the error of an answer whose value is not asked for.
func Err[T any](_ T, err error) error { return err }
