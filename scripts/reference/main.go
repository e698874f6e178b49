// Command reference writes the documents that come from the program's own tables.
package main

import (
	"bytes"
	"log"
	"os"
	"path/filepath"

	"durvek/cli"
)

func main() {
	if err := os.RemoveAll("docs/workloads"); err != nil {
		log.Fatal(err)
	}
	for path, write := range cli.References() {
		var b bytes.Buffer
		write(&b)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			log.Fatal(err)
		}
		if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
			log.Fatal(err)
		}
	}
}
