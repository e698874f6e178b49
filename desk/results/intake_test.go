package results_test

import (
	"database/sql"
	"errors"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"durvek/core/trust"
	"durvek/desk"
	"durvek/desk/house"
	"durvek/internal/testdesk"
	"durvek/store"
)

// repeatsOf is a table of n repeats of one cell.
func repeatsOf(n int) []byte {
	var b strings.Builder
	b.WriteString("unit,test,measure,value,repeat,date\n")
	for i := range n {
		fmt.Fprintf(&b, "a,work,rate,%d.25,%d,2026-11-%02d\n", 100+i%7, i, 1+i%20)
	}
	return []byte(b.String())
}

// counted is how many runs a desk has, and how many its one cell counts.
func counted(t *testing.T, d *house.House) (runs, inCell int) {
	t.Helper()
	ids, err := d.Desk.Store.RunIDs(testdesk.Ctx, store.RunFilter{})
	if err != nil {
		t.Fatal(err)
	}
	cells, err := d.Desk.Store.Estimates(testdesk.Ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range cells {
		inCell += c.Cell.N()
	}
	return len(ids), inCell
}

func TestALargeTableComesInWhole(t *testing.T) {
	d := testdesk.Opened(t)
	for _, n := range []int{249, 250, 251, 501} {
		was, _ := counted(t, d)
		x, err := d.Results.ImportTable(testdesk.Ctx, repeatsOf(n), false, "me")
		if err != nil || !x.Written || x.Runs != n-was {
			t.Errorf("%d rows: %+v, %v", n, x, err)
		}
		if runs, inCell := counted(t, d); runs != n || inCell != n {
			t.Errorf("%d rows: %d runs, %d in the cell", n, runs, inCell)
		}
	}
	if left, err := d.Desk.Store.Intakes(testdesk.Ctx); err != nil || len(left) != 0 {
		t.Errorf("%+v is left, %v", left, err)
	}
}

func TestATableThatFailsHalfWayIsTakenBack(t *testing.T) {
	dir := t.TempDir()
	d := testdesk.OpenedIn(t, dir, testdesk.Morning)
	if _, err := d.Results.ImportTable(testdesk.Ctx, repeatsOf(3), false, "me"); err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("sqlite", filepath.Join(dir, "durvek.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec(`create trigger full before insert on run when new.repeat = 300
		begin select raise(abort, 'no room left'); end`); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Results.ImportTable(testdesk.Ctx, repeatsOf(400), false, "me"); err == nil ||
		!strings.Contains(err.Error(), "no room left") {
		t.Fatalf("%v", err)
	}
	if runs, inCell := counted(t, d); runs != 3 || inCell != 3 {
		t.Errorf("%d runs, %d in the cell after a table that failed; 3 before", runs, inCell)
	}
	if _, err := db.Exec(`drop trigger full`); err != nil {
		t.Fatal(err)
	}
	if x, err := d.Results.ImportTable(testdesk.Ctx, repeatsOf(400), false, "me"); err != nil || x.Runs != 397 ||
		x.Known != 3 {
		t.Errorf("again: %+v, %v", x, err)
	}
}

func TestATableThatAKillCutIsTakenBackAtTheNextStart(t *testing.T) {
	dir := t.TempDir()
	d := testdesk.OpenedIn(t, dir, testdesk.Morning)
	for _, n := range []int{2, 5} {
		if _, err := d.Results.ImportTable(testdesk.Ctx, repeatsOf(n), false, "me"); err != nil {
			t.Fatal(err)
		}
	}
	runs, _, err := d.Desk.Store.Runs(testdesk.Ctx, store.RunFilter{Limit: 10})
	if err != nil {
		t.Fatal(err)
	}
	var cut []string // as if the last three and one that never came were on their way
	for _, r := range runs {
		if r.Repeat >= 2 {
			cut = append(cut, r.ID)
		}
	}
	cut = append(cut, desk.NewID())
	if err := d.Desk.Write(testdesk.Ctx, func(q *desk.Tx) error {
		x := trust.Doubt{ID: "d", Key: "k", Rule: "drift", Run: cut[0], Runs: cut[:2], State: trust.Open, Subject: "a"}
		if err := errors.Join(q.PutDoubt(testdesk.Ctx, x), q.AddDoubtAct(testdesk.Ctx, "d", store.DoubtAct{Act: "raised",
			At: testdesk.Morning(), By: "the rule"})); err != nil {
			return err
		}
		return q.BeginIntake(testdesk.Ctx, store.Intake{ID: "x", Started: testdesk.Morning(), Runs: cut})
	}); err != nil {
		t.Fatal(err)
	}
	if err := d.Close(); err != nil {
		t.Fatal(err)
	}
	d, err = house.Open(testdesk.Ctx, house.Options{Options: desk.Options{Dir: dir, Now: testdesk.Morning}})
	if err != nil {
		t.Fatal(err)
	}
	defer d.Close()
	if runs, inCell := counted(t, d); runs != 2 || inCell != 2 {
		t.Errorf("%d runs, %d in the cell; 2 were in whole", runs, inCell)
	}
	if left, err := d.Desk.Store.Intakes(testdesk.Ctx); err != nil || len(left) != 0 {
		t.Errorf("%+v is left, %v", left, err)
	}
}
