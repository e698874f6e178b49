package cli_test

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"durvek/cli"
)

func TestTheReferenceIsUpToDate(t *testing.T) {
	t.Setenv("DURVEK_SERVER", "")
	t.Setenv("DURVEK_TOKEN", "")
	t.Setenv("DURVEK_DATA", "")
	list := cli.References()
	if len(list) < 35 {
		t.Errorf("only %d documents are written", len(list))
	}
	for path, write := range list {
		var b bytes.Buffer
		write(&b)
		if kept, err := os.ReadFile("../" + path); err != nil || !bytes.Equal(kept, b.Bytes()) {
			t.Errorf("%s is out of date (%v); run `make reference`", path, err)
		}
	}
	kept, _ := filepath.Glob("../docs/workloads/*.md")
	for _, path := range kept {
		if list[filepath.ToSlash(path[3:])] == nil {
			t.Errorf("%s belongs to no workload", path)
		}
	}
}
