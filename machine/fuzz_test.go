package machine

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"durvek/core/record"
	"durvek/internal/mutants"
)

func FuzzAllowed(f *testing.F) {
	mutants.Add(f, []byte(`[{"run":["sh","-c","true"],"program":"/bin/sh","env":["A"]}]`))
	mutants.Add(f, []byte(`{"run":1}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		path := filepath.Join(t.TempDir(), "allowed.json")
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		list, err := ReadAllowed(path)
		if err != nil && len(list) > 0 {
			t.Fatalf("a file that cannot be read allows %v", list)
		}
		environment([]string{"PATH"})
	})
}

// An order comes on standard input from whoever started the step.
func FuzzOrder(f *testing.F) {
	mutants.Add(f, []byte(`{"test":{"slug":"hashing","version":1},"options":{"a":"b"}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		var o record.Order
		if json.Unmarshal(data, &o) != nil || o.Test.Command != nil || o.Test.Slug != "" {
			return // a real workload is not made here
		}
		if _, err := (Local{Dir: t.TempDir()}).Run(t.Context(), o, nil); err == nil {
			t.Fatal("a test of no name was run")
		}
	})
}
