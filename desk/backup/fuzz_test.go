package backup

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"durvek/internal/mutants"
)

// Whatever an archive holds, nothing is written outside the folder that it is unpacked into.
func FuzzUnpack(f *testing.F) {
	mutants.Add(f, []byte("\x28\xb5\x2f\xfd"))
	f.Fuzz(func(t *testing.T, data []byte) {
		at := t.TempDir()
		in := filepath.Join(at, "in")
		if err := os.Mkdir(in, 0o700); err != nil {
			t.Fatal(err)
		}
		if err := unpack(t.Context(), bytes.NewReader(data), in); err == nil {
			t.Log("a backup out of nothing")
		}
		if list, _ := os.ReadDir(at); len(list) != 1 {
			t.Fatalf("%v stands outside", list)
		}
	})
}
