package chart

import (
	"fmt"
	"slices"
)

// Around keeps so many rows of a long chart at most: those around its subject, and the ends of the field; without a
// subject the best and the last. What is between is counted, and notes of rows that are not shown go with them.
func (r Ranked) Around(most int) Ranked {
	n := len(r.Rows)
	if most < 3 || n <= most {
		return r
	}
	last := max(1, most/12)
	first := most - last
	at := slices.IndexFunc(r.Rows, func(x Row) bool { return x.Subject })
	from, to := 0, 0 // the neighbourhood
	if at >= 0 {
		first = max(1, most/4)
		near := most - first - last
		from = min(max(at-near/2, first), max(first, n-last-near))
		to = min(from+near, n-last)
	}
	var rows []Row
	index := map[int]int{} // of what is kept, by where it stood
	gap := 0
	for i, row := range r.Rows {
		if i >= first && i < n-last && (i < from || i >= to) && !row.Subject {
			gap++
			continue
		}
		row.Above, gap = gap, 0
		index[i] = len(rows)
		rows = append(rows, row)
	}
	var groups []Group
	for _, g := range r.Groups {
		for g.From <= g.To && !has(index, g.From) {
			g.From++
		}
		for g.To > g.From && !has(index, g.To) {
			g.To--
		}
		if g.From < g.To {
			groups = append(groups, Group{index[g.From], index[g.To], g.Kind})
		}
	}
	shown := len(rows)
	r.Notes = append(Renumber(rows, r.Notes), fmt.Sprintf("%d of %d ranked are shown.", shown, n))
	r.Rows, r.Groups = rows, groups
	if len(r.NotRanked) > most {
		r.NotRanked = append(slices.Clone(r.NotRanked[:most]), fmt.Sprintf("and %d more", len(r.NotRanked)-most))
	}
	return r
}

func has(m map[int]int, i int) bool { _, ok := m[i]; return ok }

// Renumber counts the notes of the rows that are shown anew, in their order, and returns them.
func Renumber(rows []Row, notes []string) (kept []string) {
	numbers := map[int]int{}
	for i, r := range rows {
		if r.Mark == 0 {
			continue
		}
		if numbers[r.Mark] == 0 {
			kept = append(kept, notes[r.Mark-1])
			numbers[r.Mark] = len(kept)
		}
		rows[i].Mark = numbers[r.Mark]
	}
	return kept
}
