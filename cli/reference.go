package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"durvek/core/catalog"
	"durvek/core/method"
	"durvek/core/quantity"
)

// Command is the tree of all commands, for what writes about them.
func Command() *cobra.Command { return (&app{}).root() }

// Reference writes the reference of all commands as Markdown, from the command tree itself.
func Reference(w io.Writer) {
	root := Command()
	fmt.Fprintf(w, "# Commands\n\nWritten by `make reference` from the commands themselves.\n\n%s\n\nEvery command "+
		"also takes:\n\n", root.Long)
	flags(w, root.PersistentFlags())
	fmt.Fprint(w, "\nExit status: 0 done, 1 failed, 2 wrong usage, 3 could not reach the service or sign in.\n")
	for _, noun := range root.Commands() {
		if noun.Name() == "completion" || noun.Name() == "help" {
			continue
		}
		fmt.Fprintf(w, "\n## %s\n\n%s.\n", noun.Name(), noun.Short)
		if noun.Example != "" {
			leaf(w, noun)
		}
		for _, verb := range noun.Commands() {
			fmt.Fprintf(w, "\n### %s\n\n%s.\n", strings.TrimPrefix(strings.TrimSuffix(verb.UseLine(), " [flags]"), "durvek "),
				verb.Short)
			leaf(w, verb)
		}
	}
}

func leaf(w io.Writer, c *cobra.Command) {
	fmt.Fprintf(w, "\n```\n%s\n```\n", strings.TrimSpace(c.Example))
	if c.HasLocalFlags() {
		fmt.Fprintln(w)
		flags(w, c.LocalFlags())
	}
}

func flags(w io.Writer, set *pflag.FlagSet) {
	set.VisitAll(func(f *pflag.Flag) {
		if f.Name == "help" {
			return
		}
		name := "--" + f.Name
		if f.Shorthand != "" {
			name = "-" + f.Shorthand + ", " + name
		}
		usual := ""
		if f.DefValue != "" && f.DefValue != "false" && f.DefValue != "[]" && f.DefValue != "0" {
			usual = " (usually " + f.DefValue + ")"
		}
		fmt.Fprintf(w, "* `%s` %s%s\n", name, f.Usage, usual)
	})
}

// Vocabulary writes the words that files may use, as Markdown tables.
func Vocabulary(w io.Writer) {
	fmt.Fprint(w, "# Vocabulary\n\nWritten by `make reference` from the program's own tables.\n\n## Spec sheets\n\n| "+
		"key | name | type | shown in | meaning |\n| --- | --- | --- | --- | --- |\n")
	for _, k := range catalog.Vocabulary {
		fmt.Fprintf(w, "| `%s` | %s | %s | %s | %s |\n", k.Key, k.Name, k.Type, quantity.Symbol(k.Unit), k.Meaning)
	}
	fmt.Fprint(w, "\n## Conditions\n\n| key | name | meaning |\n| --- | --- | --- |\n")
	for _, k := range method.ConditionVocabulary {
		fmt.Fprintf(w, "| `%s` | %s | %s |\n", k.Key, k.Name, k.Meaning)
	}
	fmt.Fprint(w, "\n## Units\n\nData hold the UCUM code; people write either.\n\n| code | symbol | stands for |\n| "+
		"--- | --- | --- |\n")
	for _, u := range quantity.Units() {
		fmt.Fprintf(w, "| `%s` | %s | %s |\n", u.Code, u.Symbol, u.Dimension)
	}
}
