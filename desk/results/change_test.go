package results_test

import (
	"fmt"
	"strings"
	"testing"

	"durvek/core/catalog"
	"durvek/core/record"
	"durvek/desk/figures"
	"durvek/desk/results"
	"durvek/internal/testdesk"
	"durvek/store"
)

func TestCorrectionsKeepWhatStoodBefore(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Rates(t, d, "a", "", 100, 110)
	runs, _, _ := d.Results.Runs(testdesk.Ctx, store.RunFilter{Subject: "a", Limit: 5})
	id := runs[0].ID
	for _, c := range []struct {
		results.Correction
		want string
	}{
		{results.Correction{Do: "void"}, "say why"}, {results.Correction{Do: "correct", Reason: "x", Value: "3"},
			"which measure"}, {results.Correction{Do: "correct", Reason: "x", Measure: "nothing", Value: "3"}, "no measure"},
		{results.Correction{Do: "correct", Reason: "x", Measure: "rate", Value: "fast"}, "rate"},
		{results.Correction{Do: "correct", Reason: "x", Measure: "rate", Value: "-3"}, "above zero"},
		{results.Correction{Do: "restore", Reason: "x"}, "all of it counts"},
		{results.Correction{Do: "merge", Reason: "x", Into: id}, "no duplicate of itself"},
		{results.Correction{Do: "void", Reason: "x", Cause: "moon"}, "no known cause"},
		{results.Correction{Do: "burn", Reason: "x"}, "not \"burn\""}, {results.Correction{Do: "void", Reason: "x",
			Measure: "time"}, "has no reading"},
	} {
		if _, err := d.Results.Correct(testdesk.Ctx, id, c.Correction, "me"); err == nil || !strings.Contains(err.Error(),
			c.want) {
			t.Errorf("%+v: %v, want %q", c.Correction, err, c.want)
		}
	}
	steps := []results.Correction{{Do: "correct", Measure: "rate", Value: "105", Reason: "read upside down"},
		{Do: "void", Reason: "wrong cable"}, {Do: "restore", Reason: "right after all"}}
	var p results.RunPage
	var err error
	for _, c := range steps {
		if p, err = d.Results.Correct(testdesk.Ctx, id, c, "Odo"); err != nil {
			t.Fatal(err)
		}
	}
	if x := p.Run.Readings[0]; x.State != record.OK || x.Value != 105 || len(p.Changes) != 3 ||
		p.Changes[2].Old.Value != runs[0].Readings[0].Value {
		t.Errorf("reading %+v, changes %+v", x, p.Changes)
	}
	if raw, err := d.Desk.Store.Raw(testdesk.Ctx, id); err != nil || raw[0].Value == 105 {
		t.Errorf("what was delivered is overwritten: %+v %v", raw, err)
	}
	if v, n := centre(t, d, "a"); n != 2 || v < 102 || v > 103 && runs[0].Readings[0].Value == 110 {
		t.Errorf("centre %g of %d", v, n)
	}
}

func TestTheSameTableTakenInTwiceIsMerged(t *testing.T) {
	d := testdesk.Opened(t)
	for _, day := range []string{"2026-10-01", "2026-10-02"} {
		table := "unit,date,test,repeat,measure,value\na," + day + ",work,0,rate,101.25\na," + day +
			",work,1,rate,101.25\na," + day + ",work,2,rate,99\n"
		if x, err := d.Results.ImportTable(testdesk.Ctx, []byte(table), false, "me"); err != nil || !x.Written {
			t.Fatalf("%+v %v", x, err)
		}
	}
	twins, err := d.Results.Twins(testdesk.Ctx, "a")
	if err != nil || len(twins) != 3 {
		t.Fatalf("%d pairs, want the three repeats of both days and no repeats of one: %v", len(twins), err)
	}
	for _, p := range twins {
		if !p.Keep.Started.Before(p.Drop.Started) {
			t.Errorf("%s should stay, not %s", p.Drop.ID, p.Keep.ID)
		}
		if _, err := d.Results.Correct(testdesk.Ctx, p.Drop.ID, results.Correction{Do: "merge", Into: p.Keep.ID,
			Reason: "taken in twice"}, "me"); err != nil {
			t.Fatal(err)
		}
	}
	if _, n := centre(t, d, "a"); n != 3 {
		t.Errorf("%d readings count after merging", n)
	}
	if left, err := d.Results.Twins(testdesk.Ctx, ""); err != nil || len(left) != 0 {
		t.Errorf("%d pairs are left, %v", len(left), err)
	}
	if _, err := d.Results.Correct(testdesk.Ctx, twins[0].Keep.ID, results.Correction{Do: "merge", Into: twins[0].Drop.ID,
		Reason: "x"}, "me"); err == nil || !strings.Contains(err.Error(), "does not count itself") {
		t.Errorf("merged into a void run: %v", err)
	}
	testdesk.Rates(t, d, "b", "", 101.25)
	other, _, _ := d.Results.Runs(testdesk.Ctx, store.RunFilter{Subject: "b", Limit: 1})
	if _, err := d.Results.Correct(testdesk.Ctx, other[0].ID, results.Correction{Do: "merge", Into: twins[0].Keep.ID,
		Reason: "x"}, "me"); err == nil || !strings.Contains(err.Error(), "the same unit and test") {
		t.Errorf("merged two units: %v", err)
	}
}

func TestWhatChangedBetweenRunsAndOverTime(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	base := []float64{100, 101, 99.5, 100.4, 118, 119, 117.6}
	for i, v := range base {
		firmware := "1.2"
		if i >= 4 {
			firmware = "1.3"
		}
		for k := range 2 {
			testdesk.Typed(t, d, results.Typed{Subject: "a", Date: fmt.Sprintf("2026-%02d-05", i+2), Repeat: k,
				Readings:   map[string]string{"rate": fmt.Sprintf("%.2f", v+0.3*float64(k))},
				Conditions: map[string]string{"firmware": firmware}})
		}
	}
	whole, err := d.Figures.History(testdesk.Ctx, figures.HistoryAsked{Unit: "a", Measure: "work/rate"})
	if err != nil || len(whole.Lines) != 1 || whole.Lines[0].Differs != "" {
		t.Fatalf("%+v, %v", whole, err)
	}
	h := whole.Lines[0]
	if len(h.Moments) != 7 || len(h.Shifts) != 1 || h.Shifts[0].At != 4 {
		t.Fatalf("history %+v, %v", h.History, err)
	}
	if s := h.Shifts[0]; len(s.Changed) != 1 || s.Changed[0].B != "1.3" || !strings.Contains(h.Sentence,
		"Since 2026-06-05") || !strings.Contains(h.Sentence, "firmware 1.3, not 1.2") {
		t.Errorf("shift %+v: %s", s, h.Sentence)
	}
	c, err := d.Figures.Between(testdesk.Ctx, h.Moments[3].Runs[0], h.Moments[4].Runs[0])
	if err != nil || !c.Comparable || !strings.Contains(c.Sentence, "1 of 1 figures differ") {
		t.Fatalf("%+v %v", c, err)
	}
	found := false
	for _, p := range c.Parts {
		for _, r := range p.Rows {
			found = found || r.Name == "firmware" && r.A == "1.2" && r.B == "1.3"
		}
	}
	if !found {
		t.Errorf("the firmware is not named: %+v", c.Parts)
	}
	testdesk.Typed(t, d, results.Typed{Subject: "a", Setup: "battery", Date: "2026-09-05",
		Readings: map[string]string{"rate": "80"}, Conditions: map[string]string{"firmware": "1.3"}})
	runs, _, _ := d.Results.Runs(testdesk.Ctx, store.RunFilter{Subject: "a", Setup: "battery", Limit: 1})
	if c, err = d.Figures.Between(testdesk.Ctx, h.Moments[4].Runs[0], runs[0].ID); err != nil || c.Comparable ||
		!strings.Contains(c.Sentence, "cannot be compared: supply battery, not mains") {
		t.Errorf("%+v %v", c, err)
	}
	// Another place is another line, and never part of an average.
	testdesk.Typed(t, d, results.Typed{Subject: "a", Place: "rear port", Date: "2026-09-05",
		Readings: map[string]string{"rate": "50"}})
	whole, err = d.Figures.History(testdesk.Ctx, figures.HistoryAsked{Unit: "a", Measure: "work/rate"})
	if err != nil || len(whole.Lines) != 2 || whole.Lines[0].Differs != "no place named" ||
		len(whole.Lines[0].Moments) != 7 ||
		whole.Lines[1].Differs != "rear port" || len(whole.Lines[1].Moments) != 1 || whole.Lines[1].Moments[0].Centre != 50 {
		t.Errorf("%+v, %v", whole, err)
	}
	whole, err = d.Figures.History(testdesk.Ctx, figures.HistoryAsked{Unit: "a", Measure: "work/rate",
		Where: []string{"place=rear port"}})
	if err != nil || len(whole.Lines) != 1 || whole.Lines[0].Place != "rear port" {
		t.Errorf("%+v, %v", whole, err)
	}
	if _, err := d.Figures.Between(testdesk.Ctx, "nothing", runs[0].ID); err == nil || !strings.Contains(err.Error(),
		"no run") {
		t.Errorf("%v", err)
	}
	for _, q := range []figures.HistoryAsked{{Unit: "a", Measure: "no/thing"}, {Unit: "nobody", Measure: "work/rate"}} {
		if _, err := d.Figures.History(testdesk.Ctx, q); err == nil {
			t.Errorf("%+v has a history", q)
		}
	}
}

func TestWhatASingleThingIsWorth(t *testing.T) {
	d := testdesk.Opened(t)
	testdesk.Quiet(t, d)
	testdesk.Rates(t, d, "b", "battery", 80, 80.8, 79.5)
	testdesk.Rates(t, d, "c", "battery", 162, 160, 159)
	testdesk.Rates(t, d, "a", "", 100, 101, 100)
	w, err := d.Figures.Worth(testdesk.Ctx, "work/rate", "")
	if err != nil || len(w.Worth) != 1 {
		t.Fatalf("%+v %v", w, err)
	}
	if x := w.Worth[0]; x.Key != "supply" || x.From != "mains" || x.To != "battery" || len(x.Pairs) != 2 ||
		x.Effect.Value > -18 || x.Effect.Value < -22 || !x.Effect.Sure {
		t.Errorf("%+v", x)
	}
	// Siblings: one differs in its memory alone, another in two things.
	for _, v := range []struct {
		slug string
		spec map[string]any
		rate float64
	}{{"a", map[string]any{"memory.size": "16 GiB", "cpu.cores": 8}, 0}, {"a32", map[string]any{"memory.size": "32 GiB",
		"cpu.cores": 8}, 120}, {"a64", map[string]any{"memory.size": "64 GiB", "cpu.cores": 12}, 150}} {
		if _, err := d.Books.AddVariant(testdesk.Ctx, catalog.Variant{Slug: v.slug, Model: "a", Name: v.slug, Spec: v.spec},
			"me"); err != nil {
			t.Fatal(err)
		}
		if v.rate > 0 {
			if _, err := d.Books.AddUnit(testdesk.Ctx, catalog.Unit{Slug: v.slug, Variant: v.slug, Origin: "bought"},
				"me"); err != nil {
				t.Fatal(err)
			}
			testdesk.Rates(t, d, v.slug, "", v.rate, v.rate*1.01)
		}
	}
	if w, err = d.Figures.Worth(testdesk.Ctx, "work/rate", ""); err != nil || len(w.Worth) != 2 ||
		w.Worth[0].Key != "memory.size" || len(w.Confounded) != 2 || len(w.Confounded[0].Differs) != 2 {
		t.Fatalf("%+v %v", w, err)
	}
	y, err := d.Figures.Why(testdesk.Ctx, "work/rate", "a", "a32", "")
	if err != nil || y.Firm != "attributed" || !strings.Contains(y.Answer, "memory: 16 GiB and 32 GiB") {
		t.Errorf("%+v %v", y, err)
	}
	if y, err = d.Figures.Why(testdesk.Ctx, "work/rate", "a", "a64", ""); err != nil || y.Firm != "open" ||
		len(y.Differs) != 2 {
		t.Errorf("%+v %v", y, err)
	}
	if _, err = d.Figures.Why(testdesk.Ctx, "work/time", "a", "a64", ""); err == nil || !strings.Contains(err.Error(),
		"has no figure") {
		t.Errorf("%v", err)
	}
}
