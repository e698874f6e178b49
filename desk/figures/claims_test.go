package figures_test

import (
	"fmt"
	"testing"

	"durvek/core/catalog"
	"durvek/core/claims"
	"durvek/desk"
	"durvek/internal/testdesk"
)

func TestAClaimIsJudgedByTheCellItSpeaksOf(t *testing.T) {
	d := testdesk.Opened(t)
	add := func(c catalog.Claim) {
		t.Helper()
		c.Variant, c.Measure, c.Unit, c.Source = "a", "work/rate", "/min", "box"
		if _, err := d.Books.AddClaim(testdesk.Ctx, c, "me"); err != nil {
			t.Fatal(err)
		}
	}
	add(catalog.Claim{Value: 1})                                                          // plain
	add(catalog.Claim{Value: 2, Conditions: map[string]string{"supply": "battery"}})      // on battery
	add(catalog.Claim{Value: 3, Conditions: map[string]string{"power.mode": "nonsense"}}) // nowhere
	add(catalog.Claim{Value: 4, Place: "left port"})                                      // elsewhere
	outcomes := func() (out []claims.Outcome) {
		t.Helper()
		list, err := d.Figures.CheckClaims(testdesk.Ctx, "a")
		if err != nil {
			t.Fatal(err)
		}
		for _, j := range list {
			out = append(out, j.Verdict.Outcome)
		}
		return out
	}
	if got := fmt.Sprint(outcomes()); got != "[untested untested untested untested]" {
		t.Errorf("with nothing measured: %s", got)
	}
	testdesk.Rates(t, d, "a", "battery", 2.4, 2.4)
	if got := fmt.Sprint(outcomes()); got != "[not comparable beyond not comparable untested]" {
		t.Errorf("measured on battery only: %s", got)
	}
	testdesk.Rates(t, d, "a", "", 0.5, 0.5)
	if got := fmt.Sprint(outcomes()); got != "[short beyond not comparable untested]" {
		t.Errorf("measured as delivered too: %s", got)
	}
}

func TestTheLedgerTalliesAndRefuses(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 100.5, 99.8)
	for _, c := range []catalog.Claim{{Value: 90, Source: "box, 2025"}, {Value: 120, Source: "box", Date: "2026-02-01"}} {
		c.Variant, c.Measure, c.Unit = "a", "work/rate", "/min"
		if _, err := d.Books.AddClaim(testdesk.Ctx, c, "me"); err != nil {
			t.Fatal(err)
		}
	}
	l, err := d.Figures.Ledger(testdesk.Ctx, "", "", "year")
	if err != nil || len(l.Tallies) != 2 || l.Tallies[0].Kept+l.Tallies[1].Kept != 1 {
		t.Fatalf("%+v, %v", l.Tallies, err)
	}
	l, err = d.Figures.Ledger(testdesk.Ctx, "a", "", "")
	if err != nil || len(l.Claims) != 2 || len(l.Claims[0].Runs) != 3 || l.Claims[0].Verdict.Outcome != claims.Beyond ||
		l.Claims[1].Verdict.Outcome != claims.Short {
		t.Fatalf("%+v, %v", l.Claims, err)
	}
	_, err = d.Figures.Ledger(testdesk.Ctx, "", "", "moon")
	testdesk.Says(t, err, desk.Invalid, `not by "moon"`)
	_, err = d.Figures.Ledger(testdesk.Ctx, "", "Nobody", "")
	testdesk.Says(t, err, desk.NotFound, `no claim by a maker "Nobody"`)
}
