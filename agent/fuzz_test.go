package agent

import (
	"os"
	"path/filepath"
	"testing"

	"durvek/internal/mutants"
)

// Whatever stands in a journal after a crash, it opens, and what is written next is read the next time.
func FuzzJournal(f *testing.F) {
	for _, s := range []string{"", `{"event":"begin","step":1}` + "\n", `{"event":"begin"}` + "\n" + `{"event":"en`,
		"\x00\x00\n", "{}\n{}"} {
		mutants.Add(f, []byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		path := filepath.Join(t.TempDir(), "journal.jsonl")
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		j, before, err := openJournal(path)
		if err != nil {
			return // said, and nothing is made
		}
		if err := j.write(entry{Event: "end", Run: "r"}); err != nil {
			t.Fatal(err)
		}
		j.close()
		j, after, err := openJournal(path)
		if err != nil {
			t.Fatal(err)
		}
		j.close()
		if len(after) != len(before)+1 || after[len(after)-1].Run != "r" {
			t.Fatalf("%d entries became %d: %+v", len(before), len(after), after)
		}
	})
}
