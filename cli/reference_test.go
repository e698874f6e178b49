package cli_test

import (
	"bytes"
	"io"
	"os"
	"testing"

	"durvek/cli"
)

func TestTheReferenceIsUpToDate(t *testing.T) {
	t.Setenv("DURVEK_SERVER", "")
	t.Setenv("DURVEK_TOKEN", "")
	t.Setenv("DURVEK_DATA", "")
	for path, write := range map[string]func(io.Writer){"../docs/commands.md": cli.Reference, "../docs/vocabulary.md": cli.Vocabulary} {
		var b bytes.Buffer
		write(&b)
		if kept, err := os.ReadFile(path); err != nil || !bytes.Equal(kept, b.Bytes()) {
			t.Errorf("%s is out of date (%v); run `make reference`", path, err)
		}
	}
}
