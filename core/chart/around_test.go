package chart_test

import (
	"fmt"
	"slices"
	"testing"

	"durvek/core/chart"
)

// long is a chart of n rows with the subject at a place, counted from 0; below 0 for none.
func long(n, subject int) chart.Ranked {
	r := chart.Ranked{Notes: []string{"first", "second"}}
	for i := range n {
		x := chart.Row{ID: fmt.Sprint(i), Subject: i == subject}
		if i == subject {
			x.Mark = 2
		}
		r.Rows = append(r.Rows, x)
	}
	return r
}

func TestALongChartKeepsItsEndsAndWhatIsAroundItsSubject(t *testing.T) {
	for _, c := range []struct {
		n, most, subject int
		first, last      string
		shown, hidden    int
	}{
		{40, 40, 20, "0", "39", 40, 0}, // as many as there may be
		{41, 40, 20, "0", "40", 40, 1}, // one more
		{1000, 40, 500, "0", "999", 40, 960},
		{1000, 40, 0, "0", "999", 40, 960}, // the best
		{1000, 40, 999, "0", "999", 40, 960},
		{1000, 40, -1, "0", "999", 40, 960},
		{10, 2, 5, "0", "9", 10, 0}, // fewer than three are none
		{0, 40, -1, "", "", 0, 0},
	} {
		r := long(c.n, c.subject).Around(c.most)
		hidden := 0
		for _, x := range r.Rows {
			hidden += x.Above
		}
		if len(r.Rows) != c.shown || hidden != c.hidden {
			t.Errorf("%+v: %d shown, %d counted", c, len(r.Rows), hidden)
			continue
		}
		if c.n > 0 && (r.Rows[0].ID != c.first || r.Rows[len(r.Rows)-1].ID != c.last) {
			t.Errorf("%+v: from %s to %s", c, r.Rows[0].ID, r.Rows[len(r.Rows)-1].ID)
		}
		if c.subject < 0 || hidden == 0 {
			continue
		}
		at := slices.IndexFunc(r.Rows, func(x chart.Row) bool { return x.Subject })
		if at < 0 || r.Rows[at].Mark != 1 || r.Notes[0] != "second" || len(r.Notes) != 2 {
			t.Errorf("%+v: subject at %d, notes %v", c, at, r.Notes)
		}
		for _, near := range []int{c.subject - 1, c.subject + 1} {
			if near >= 0 && near < c.n && !slices.ContainsFunc(r.Rows,
				func(x chart.Row) bool { return x.ID == fmt.Sprint(near) }) {
				t.Errorf("%+v: its neighbour %d is not shown", c, near)
			}
		}
	}
}

func TestTiesOfALongChartAreThoseOfWhatIsShown(t *testing.T) {
	r := long(100, 50)
	r.Groups = []chart.Group{{From: 0, To: 1}, {From: 9, To: 12}, {From: 15, To: 20}, {From: 48, To: 52}}
	got := r.Around(40).Groups
	if len(got) != 2 || got[0] != (chart.Group{From: 0, To: 1}) || got[1].To-got[1].From != 4 {
		t.Errorf("%+v", got)
	}
}
