package store

import (
	"context"
	"fmt"
	"path/filepath"
	"testing"
)

// Statements stay prepared up to a number; what is asked beyond it, within a transaction too, is answered all the same.
func TestStatementsStayPrepared(t *testing.T) {
	ctx := context.Background()
	s, err := Open(ctx, filepath.Join(t.TempDir(), "d.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	read := s.db.(*prepared)
	count := func(q Queries, i int) int {
		t.Helper()
		n, err := q.count(ctx, fmt.Sprintf("select %d + ?", i), 1)
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	for i := range mostPrepared + 2 {
		if first, again := count(s.Queries, i), count(s.Queries, i); first != i+1 || again != i+1 {
			t.Errorf("a wrong answer to question %d", i)
		}
		if want := min(i+1, mostPrepared); len(read.kept) != want {
			t.Fatalf("%d are kept after %d, not %d", len(read.kept), i+1, want)
		}
	}
	for times := range 2 {
		if err := s.Write(ctx, func(q Queries) error {
			for i := range mostPrepared + 2 {
				if first, again := count(q, i), count(q, i); first != i+1 || again != i+1 {
					t.Errorf("a wrong answer to question %d in transaction %d", i, times)
				}
			}
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		if len(s.writing.kept) != mostPrepared {
			t.Errorf("%d are kept after transaction %d", len(s.writing.kept), times)
		}
	}
}

// A statement that is prepared follows a change of the schema, and a wrong one says what is wrong with it.
func TestAPreparedStatementFollowsTheSchema(t *testing.T) {
	ctx := context.Background()
	s, err := Open(ctx, filepath.Join(t.TempDir(), "d.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	names := func() (out []string) {
		rows, err := s.db.QueryContext(ctx, "select * from noted")
		if err != nil {
			t.Fatal(err)
		}
		defer rows.Close()
		if out, err = rows.Columns(); err != nil {
			t.Fatal(err)
		}
		return out
	}
	write := func(text string) error {
		return s.Write(ctx, func(q Queries) error { return q.exec(ctx, text) })
	}
	if err := write("create table noted (a)"); err != nil {
		t.Fatal(err)
	}
	before := len(names())
	if err := write("alter table noted add b"); err != nil {
		t.Fatal(err)
	}
	if after := len(names()); before != 1 || after != 2 {
		t.Errorf("%d columns, then %d", before, after)
	}
	for range 2 {
		if err := write("insert into nowhere values (1)"); err == nil {
			t.Error("a table that is not there was written to")
		}
		if err := s.exec(ctx, "select * from nowhere"); err == nil {
			t.Error("a table that is not there was read")
		}
	}
}
