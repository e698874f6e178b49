package figures_test

import (
	"math"
	"slices"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/ranking"
	"durvek/core/schedule"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/desk/results"
	"durvek/internal/testdesk"
)

func toSchedule(t *testing.T, d *house.House, q schedule.Question) schedule.Desk {
	t.Helper()
	out, _, err := d.Figures.ToSchedule(testdesk.Ctx, q)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func TestWhatAScheduleIsChosenFrom(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 101, 102)
	testdesk.Rates(t, d, "b", "fast-mode", 110)
	testdesk.Typed(t, d, results.Typed{Subject: "b", Place: "left port", Readings: map[string]string{"rate": "90"}})
	testdesk.Typed(t, d, results.Typed{Subject: "a", Repeat: 5, Readings: map[string]string{"time": "> 600"}})
	for _, c := range []catalog.Claim{{Value: 101, Variant: "a"}, {Value: 50, Variant: "a"}, {Value: 80, Variant: "c"}} {
		c.Measure, c.Unit, c.Source = "work/rate", "/min", "box"
		if _, err := d.Books.AddClaim(testdesk.Ctx, c, "me"); err != nil {
			t.Fatal(err)
		}
	}
	got := toSchedule(t, d, schedule.Question{})
	if len(got.Machines) != 3 || got.Machines[2].Unit != "c" || got.Machines[0].Name != "Maker A, 16 GiB" {
		t.Errorf("%+v", got.Machines)
	}
	rate, time := got.Measures[0], got.Measures[1]
	if a := rate.Cells[0]; a.N != 3 || math.Abs(float64(a.At)-math.Log(101)) > 1e-3 || a.Unknown || a.SD == 0 {
		t.Errorf("three readings of a: %+v", a)
	}
	if b := rate.Cells[1]; len(rate.Cells) != 2 || b.Variant != 1 || !b.Never || b.N != 0 {
		t.Errorf("b was measured at a port alone, c not at all: %+v", rate.Cells)
	}
	if a := time.Cells[0]; len(time.Cells) != 1 || a.Variant != 0 || !a.Never || !time.Lower || rate.Lower {
		t.Errorf("a was stopped: %+v", a)
	}
	// 50 is exceeded for certain; 101 lies within what is known, less its tolerance of 1 %, and nobody measured c.
	if len(got.Claims) != 2 || got.Claims[0].Machine != 0 || math.Abs(got.Claims[0].Limit-math.Log(101)+0.01) > 1e-9 ||
		got.Claims[1].Machine != 2 || !strings.Contains(got.Claims[0].What, "101") {
		t.Errorf("%+v", got.Claims)
	}
	if x := got.Tests["work"]; x.Setup != method.AsDelivered || x.Raised || x.Seconds != 10 || x.Hand || x.RunDown {
		t.Errorf("%+v", x)
	}
	for _, m := range toSchedule(t, d, schedule.Question{Variant: "a"}).Machines {
		if m.Left != (m.Variant != "a") || m.Unit == "" {
			t.Errorf("only a: %+v", m)
		}
	}
	if err := d.Figures.AddField(testdesk.Ctx, ranking.Field{Slug: "pair", Name: "a pair", Variants: []string{"a", "b"}},
		"me"); err != nil {
		t.Fatal(err)
	}
	if m := toSchedule(t, d, schedule.Question{Field: "pair", Variant: "c"}).Machines; len(m) != 3 || m[2].Left ||
		!m[0].Left {
		t.Errorf("c, held against a field that it is not of: %+v", m)
	}
	testdesk.Says(t, testdesk.Err(d.Bench.Schedule(testdesk.Ctx, schedule.Question{Variant: "x"}, schedule.Terms{})),
		desk.NotFound, "x")
	testdesk.Says(t, testdesk.Err(d.Bench.Schedule(testdesk.Ctx, schedule.Question{Use: "x"}, schedule.Terms{})),
		desk.NotFound, "x")
}

// From an empty desk: what is there is measured first, what waits is not scheduled again, and what has left the desk
// cannot be.
func TestAScheduleFromAnEmptyDesk(t *testing.T) {
	d := testdesk.Opened(t)
	terms := schedule.Terms{Minutes: 60, Opening: 9, Least: 1, Claims: 3}
	asked := ""
	on := func() string {
		s, err := d.Bench.Schedule(testdesk.Ctx, schedule.Question{Variant: asked}, terms)
		if err != nil {
			t.Fatal(err)
		}
		var units []string
		for _, b := range s.Bundles {
			if slices.ContainsFunc(b.Items, func(i schedule.Item) bool { return i.Test == "work" && !i.Hand }) {
				units = append(units, b.Unit)
			}
		}
		slices.Sort(units)
		return strings.Join(units, " ")
	}
	if got := on(); got != "a b c" {
		t.Errorf("%q is scheduled", got)
	}
	if _, err := d.Books.AddUnit(testdesk.Ctx, catalog.Unit{Slug: "c", Variant: "c", Origin: "bought", State: "returned"},
		"me"); err != nil {
		t.Fatal(err)
	}
	p, err := d.Bench.AddPlan(testdesk.Ctx, method.Plan{Unit: "a", Steps: []method.PlanStep{{Test: "work", Repeats: 2}}},
		"me")
	if err != nil {
		t.Fatal(err)
	}
	if got := on(); got != "b" {
		t.Errorf("with a plan of a, and c gone, %q is scheduled", got)
	}
	if _, err := d.Bench.Direct(testdesk.Ctx, p.ID, "stop", "me"); err != nil {
		t.Fatal(err)
	}
	if got := on(); got != "a b" {
		t.Errorf("with the plan stopped, %q is scheduled", got)
	}
	asked = "b"
	if got := on(); got != "b" {
		t.Errorf("asked for b alone, %q is scheduled", got)
	}
	if terms.Minutes = 9; on() != "" {
		t.Error("the opening alone takes the time")
	}
}
