package store

import (
	"context"
	"strings"
)

// mostValues bounds the values of one statement; the database takes some 30,000.
const mostValues = 2000

// Insert adds many rows by few statements. into names the table and its columns, as in "run (id, test)"; each row has a
// value for each. It serves data that are made up in large amounts.
func (q Queries) Insert(ctx context.Context, into string, rows [][]any) error {
	for len(rows) > 0 {
		n := min(len(rows), max(1, mostValues/len(rows[0])))
		one := "(?" + strings.Repeat(",?", len(rows[0])-1) + ")"
		var values []any
		for _, r := range rows[:n] {
			values = append(values, r...)
		}
		if err := q.exec(ctx, "insert into "+into+" values "+one+strings.Repeat(","+one, n-1), values...); err != nil {
			return err
		}
		rows = rows[n:]
	}
	return nil
}
