package store

import (
	"strings"
	"testing"
)

// What was lost is found by the few lost readings, not by all runs of a test: a comparison asks it for each measure.
func TestLostReadingsAreFoundByThemselves(t *testing.T) {
	s := open(t)
	plan, err := list(ctx, s.Queries, func(r row, text *string) error {
		var a, b, c int
		return r.Scan(&a, &b, &c, text)
	}, "explain query plan "+selectLost, "m", "t", "s")
	if err != nil {
		t.Fatal(err)
	}
	all := strings.Join(plan, "\n")
	for _, part := range []string{"reading_now_void", "reading_missing", "run USING INDEX sqlite_autoindex_run_1 (id=?)"} {
		if !strings.Contains(all, part) {
			t.Errorf("the plan does not use %s:\n%s", part, all)
		}
	}
}
