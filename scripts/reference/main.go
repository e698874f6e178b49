// Command reference writes docs/commands.md and docs/vocabulary.md from the program's own tables.
package main

import (
	"bytes"
	"io"
	"log"
	"os"

	"durvek/cli"
)

func main() {
	for path, write := range map[string]func(io.Writer){"docs/commands.md": cli.Reference, "docs/vocabulary.md": cli.Vocabulary} {
		var b bytes.Buffer
		write(&b)
		if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
			log.Fatal(err)
		}
	}
}
