package main

import (
	"bytes"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra/doc"

	"durvek/cli"
)

// manual makes the pages of the manual, one a command, and what completes commands in a shell.
func (r *release) manual() ([]file, error) {
	dir, err := os.MkdirTemp("", "durvek-manual-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	for _, name := range []string{"DURVEK_SERVER", "DURVEK_TOKEN", "DURVEK_DATA"} { // they stand as defaults of flags
		if err := os.Unsetenv(name); err != nil {
			return nil, err
		}
	}
	root := cli.Command()
	root.DisableAutoGenTag = true
	at := r.at
	head := &doc.GenManHeader{Section: "1", Date: &at, Source: "Durvek " + r.version,
		Manual: "Durvek's commands"}
	if err := doc.GenManTree(root, head, dir); err != nil {
		return nil, err
	}
	pages, err := filepath.Glob(filepath.Join(dir, "*.1"))
	if err != nil {
		return nil, err
	}
	slices.Sort(pages)
	var out []file
	for _, p := range pages {
		b, err := os.ReadFile(p)
		if err != nil {
			return nil, err
		}
		out = append(out, file{"man/man1/" + filepath.Base(p), 0o644, b})
	}
	for _, shell := range []struct {
		name  string
		write func(*bytes.Buffer) error
	}{
		{"durvek.bash", func(b *bytes.Buffer) error { return root.GenBashCompletionV2(b, true) }},
		{"_durvek", func(b *bytes.Buffer) error { return root.GenZshCompletion(b) }},
		{"durvek.fish", func(b *bytes.Buffer) error { return root.GenFishCompletion(b, true) }},
	} {
		var b bytes.Buffer
		if err := shell.write(&b); err != nil {
			return nil, err
		}
		out = append(out, file{"completions/" + shell.name, 0o644, b.Bytes()})
	}
	return out, nil
}

// installed is where a package puts a page or a completion.
func installed(name string) string {
	base := filepath.Base(name)
	switch {
	case strings.HasSuffix(name, ".1"):
		return "/usr/share/man/man1/" + base + ".gz"
	case strings.HasSuffix(name, ".bash"):
		return "/usr/share/bash-completion/completions/durvek"
	case strings.HasSuffix(name, ".fish"):
		return "/usr/share/fish/vendor_completions.d/durvek.fish"
	}
	return "/usr/share/zsh/vendor-completions/" + base
}
