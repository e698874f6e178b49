package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"durvek/api"
	"durvek/core/analyse"
	"durvek/desk/results"
	"durvek/rawfile"
)

// mostFiles is how many files one command takes in.
const mostFiles = 1000

// filesIn are files by name, with those in folders, each folder's sorted.
func filesIn(names []string) ([]string, error) {
	var out []string
	for _, name := range names {
		err := filepath.WalkDir(name, func(at string, e fs.DirEntry, err error) error {
			switch {
			case err != nil:
				return err
			case at != name && strings.HasPrefix(e.Name(), "."):
				if e.IsDir() {
					return fs.SkipDir
				}
			case e.Type().IsRegular() || at == name && !e.IsDir():
				out = append(out, at)
			}
			return nil
		})
		if err != nil {
			return nil, fmt.Errorf("read %s: %w", name, err)
		}
	}
	if len(out) == 0 || len(out) > mostFiles {
		return nil, fmt.Errorf("%d files are there; one to %d are taken in at once", len(out), mostFiles)
	}
	return out, nil
}

// intakeCmd takes in files of raw measurements.
func (a *app) intakeCmd() *cobra.Command {
	var in api.RawIn
	var columns, options, conditions []string
	var save string
	c := verb("intake FILE…", "Take in files of raw measurements, or all that a folder holds: logs, colour patches, "+
		"waves, "+
		"recordings, lists", "durvek intake demo/raw/fen-14-16-512-a/surface.csv --unit fen-14-16-512-a --dry-run", -1,
		func(cmd *cobra.Command,
			args []string) error {
			names, err := filesIn(args)
			if err != nil {
				return err
			}
			if in.Options, in.Set = strings.Join(options, ";"), strings.Join(conditions, ";"); len(columns) > 0 {
				if in.Mapping, err = mappingOf(in.Mapping, in.Analysis, columns); err != nil {
					return err
				}
			}
			failed := 0
			for _, name := range names {
				if err := a.takeIn(cmd, in, name, save, len(names) > 1); err != nil {
					if len(names) == 1 {
						return err
					}
					failed++
					a.say("%s: %s", name, strings.TrimPrefix(err.Error(), filepath.Base(name)+": "))
				}
			}
			if failed > 0 {
				return fmt.Errorf("%d of %d files were not taken in", failed, len(names))
			}
			return nil
		})
	flagsOf(c, &in, own{&in.Name}, own{&in.Dark}, own{&in.Options}, own{&in.Set})
	f := c.Flags()
	f.StringArrayVar(&columns, "column", nil, "what a column means, as ROLE=NAME or ROLE=NAME[UNIT]; may be repeated")
	f.StringArrayVar(&options, "option", nil, "option of the analysis, NAME=VALUE; may be repeated")
	f.StringArrayVar(&conditions, "condition", nil, "KEY=VALUE beside the setup's; may be repeated")
	f.StringVar(&save, "save-mapping", "", "save what the columns were taken for under this name")
	return c
}

// mappingOf is the mapping that a command line says.
func mappingOf(name, analysis string, columns []string) (string, error) {
	if name != "" {
		return "", usageError{fmt.Errorf("say what columns mean by --mapping or by --column, not both")}
	}
	m := rawfile.Mapping{Analysis: analysis, Columns: map[string]rawfile.Source{}}
	for _, c := range columns {
		role, column, ok := strings.Cut(c, "=")
		if !ok || role == "" || column == "" {
			return "", usageError{fmt.Errorf("a column is given as ROLE=NAME or ROLE=NAME[UNIT], not %q", c)}
		}
		s := rawfile.Source{Column: column}
		if at := strings.LastIndex(column, "["); at > 0 && strings.HasSuffix(column, "]") {
			s = rawfile.Source{Column: strings.TrimSpace(column[:at]), Unit: column[at+1 : len(column)-1]}
		}
		m.Columns[role] = s
	}
	b, err := json.Marshal(m)
	return string(b), err
}

// takeIn takes in one file and says what came of it.
func (a *app) takeIn(cmd *cobra.Command, in api.RawIn, name, save string, many bool) error {
	var err error
	if in.RawBody, err = a.readFile(name); err != nil {
		return err
	}
	in.Name = filepath.Base(name)
	if len(in.RawBody) > rawfile.MostBytes {
		return fmt.Errorf("%s has %d MB; at most %d are taken in", name, len(in.RawBody)>>20, rawfile.MostBytes>>20)
	}
	return ask(a, cmd, api.TakeRaw, in, func(r results.RawTaken) {
		if many {
			a.say("%s", name)
		}
		a.sayRaw(r)
		if save != "" && r.Mapping != nil {
			m := *r.Mapping
			m.Name = save
			if _, err := answer(a, cmd, api.SaveMapping, api.With(m)); err != nil {
				a.say("The mapping could not be saved: %v", err)
			} else {
				a.say("Its mapping is saved as %q.", save)
			}
		}
		if many {
			a.say("")
		}
	})
}

// sayRaw prints what a file holds and becomes.
func (a *app) sayRaw(r results.RawTaken) {
	if len(r.Figures) > 0 {
		var rows [][]any
		for _, f := range r.Figures {
			rows = append(rows, []any{f.Name, f.Says, f.Reason})
		}
		a.print([]string{"Figure", "→Value", "Note"}, rows)
	}
	bad := ""
	if r.Bad > 0 {
		bad = fmt.Sprintf(" and %d that cannot be read", r.Bad)
	}
	a.say("%d rows of a file of kind %s%s%s.", r.Rows, r.Kind, bad, note("; ", strings.Join(r.Found, ", ")))
	for _, x := range r.Refused[:min(5, len(r.Refused))] {
		a.say("  line %d: %s", x.Line, x.Why)
	}
	if r.Mapping != nil {
		var means []string
		for _, role := range slices.Sorted(maps.Keys(r.Mapping.Columns)) {
			means = append(means, role+" from "+r.Mapping.Columns[role].Column)
		}
		a.say("Taken for %s%s.", r.Mapping.Analysis, note(": ", strings.Join(means, ", ")))
	}
	for _, n := range r.Notes {
		a.say("%s", n)
	}
	for _, n := range r.Absent {
		a.say("Not made: %s.", n)
	}
	if r.Problem != "" {
		a.say("No figures yet: %s.", r.Problem)
		var names []string
		for _, c := range r.Columns {
			names = append(names, c.Name)
		}
		a.say("Its columns are %s.", strings.Join(names, ", "))
	}
	for _, n := range r.Hindered {
		a.say("It cannot be recorded so: %s.", n)
	}
	if r.Run != "" {
		a.say("Recorded as run %s of test %s.", r.Run, r.Test)
	}
}

// analysisCmd tells what raw measurements may be made of.
func (a *app) analysisCmd() *cobra.Command {
	list := all(a, "list", "List what can be made of raw measurements", "durvek analysis list", api.Analyses,
		func(l []analyse.Analysis) {
			var rows [][]any
			for _, x := range l {
				var needs []string
				for _, r := range x.Roles {
					if r.Need {
						needs = append(needs, r.Name)
					}
				}
				rows = append(rows, []any{x.Name, x.Title, strings.Join(needs, ", "), len(x.Measures)})
			}
			a.print([]string{"Analysis", "Title", "Needs", "→Measures"}, rows)
		})
	show := verb("show ANALYSIS", "Show what an analysis reads, its options and its measures",
		"durvek analysis show flicker",
		1, func(cmd *cobra.Command, args []string) error {
			l, err := answer(a, cmd, api.Analyses, api.None{})
			if err != nil {
				return err
			}
			i := slices.IndexFunc(l, func(x analyse.Analysis) bool { return x.Name == args[0] })
			if i < 0 {
				return fmt.Errorf("there is no analysis %q; `durvek analysis list` names them", args[0])
			}
			if a.json {
				return json.NewEncoder(a.out).Encode(l[i])
			}
			x := l[i]
			a.say("%s\n%s\n", x.Title, x.About)
			var rows [][]any
			for _, r := range x.Roles {
				need := ""
				if r.Need {
					need = "needed"
				}
				rows = append(rows, []any{r.Name, r.Words, r.Unit, need})
			}
			a.print([]string{"Reads", "What it is", "Unit", ""}, rows)
			rows = nil
			for _, o := range x.Options {
				rows = append(rows, []any{o.Slug, o.Meaning, o.Default, strings.Join(o.Choices, ", ")})
			}
			if len(rows) > 0 {
				a.print([]string{"Option", "What it is", "Usually", "One of"}, rows)
			}
			rows = nil
			for _, m := range x.Measures {
				rows = append(rows, []any{m.Slug, m.Name, m.Unit, m.Better.Phrase()})
			}
			a.print([]string{"Measure", "What it is", "Unit", "Which is better"}, rows)
			return nil
		})
	return noun("analysis", "What figures are made of raw measurements by", list, show)
}

// mappingCmd keeps what columns of files mean.
func (a *app) mappingCmd() *cobra.Command {
	list := all(a, "list", "List saved mappings", "durvek mapping list", api.Mappings, func(l []rawfile.Mapping) {
		var rows [][]any
		for _, m := range l {
			rows = append(rows, []any{m.Name, m.Analysis, strings.Join(m.Header, ", ")})
		}
		a.print([]string{"Mapping", "Analysis", "Header"}, rows)
	})
	var output string
	export := verb("export MAPPING", "Write a mapping into a file, for other desks",
		"durvek mapping export \"Meter 3\" -o "+
			"meter-3.json", 1, func(cmd *cobra.Command, args []string) error {
			l, err := answer(a, cmd, api.Mappings, api.None{})
			if err != nil {
				return err
			}
			i := slices.IndexFunc(l, func(m rawfile.Mapping) bool { return m.Name == args[0] })
			if i < 0 {
				return fmt.Errorf("there is no mapping %q; `durvek mapping list` names them", args[0])
			}
			b, err := json.MarshalIndent(l[i], "", " ")
			if err != nil {
				return err
			}
			return a.writeOut(output, append(b, '\n'))
		})
	export.Flags().StringVarP(&output, "output", "o", "", "file to write; standard output if left out")
	in := &api.File{}
	imp := asking(a, "import FILE", "Take in a mapping from a file", "durvek mapping import meter-3.json",
		api.ImportMapping,
		in, []any{&in.RawBody}, func(m rawfile.Mapping) {
			a.say("Mapping %q for %s%s.", m.Name, m.Analysis, note(" ", map[bool]string{true: "would be saved",
				false: "is saved"}[in.CheckOnly]))
		})
	drop := one(a, "drop MAPPING", "Remove a mapping; what was taken in by it stays", "durvek mapping drop \"Meter 3\"",
		api.DropMapping, func(api.None) { a.say("Removed.") })
	return noun("mapping", "What the columns of files of raw measurements mean", list, export, imp, drop,
		a.schema("mapping", "mappings"))
}

// sourceCmd tells what a run's figures were made of.
func (a *app) sourceCmd() *cobra.Command {
	show := one(a, "show RUN", "Show which file a run's figures were made of", "durvek source show 01995c3e-…",
		api.RunSource, func(s results.RawSource) {
			a.say("%s, %d bytes, taken in %s by %s.", s.Name, s.Size, s.Added, s.By)
			a.say("SHA-256 %s", s.Digest)
			a.say("Read by %s, version %d.", s.Analysis, s.Version)
			for _, n := range s.Notes {
				a.say("%s", n)
			}
		})
	got := &api.Slugged{}
	get := saving(a, "get RUN", "Write the file that a run's figures were made of, as it came",
		"durvek source get 01995c3e-… "+
			"-o log.csv", "", api.RunFile, got, []any{&got.Slug})
	drawn := &api.Pictured{}
	draw := saving(a, "draw RUN", "Draw the file that a run's figures were made of", "durvek source draw 01995c3e-… -o "+
		"log.svg", "", api.RunPicture, drawn, []any{&drawn.Slug})
	return noun("source", "Files that figures were made of", show, get, draw)
}

// analyses writes the page of what raw measurements may be made of.
func analyses(w io.Writer) {
	fmt.Fprint(w, "# Analyses of raw measurements\n\nWritten by `make reference` from the analyses themselves. How files "+
		"are taken in stands in [raw measurements](raw.md).\n")
	for _, x := range analyse.Analyses() {
		fmt.Fprintf(w, "\n## %s\n\n`%s`, version %d. %s\n\n| reads | what it is | unit | |\n| --- | --- | --- | --- |\n",
			x.Title, x.Name, x.Version, x.About)
		for _, r := range x.Roles {
			unit, need := r.Unit, ""
			if unit != "" {
				unit = "`" + unit + "`"
			}
			switch {
			case r.Need:
				need = "needed"
			case r.Either:
				need = "one of these"
			}
			fmt.Fprintf(w, "| `%s` | %s | %s | %s |\n", r.Name, r.Words, unit, need)
		}
		if len(x.Options) > 0 {
			fmt.Fprint(w, "\n| option | what it is | usually |\n| --- | --- | --- |\n")
		}
		for _, o := range x.Options {
			words := o.Meaning
			if len(o.Choices) > 0 {
				words += ": " + strings.Join(o.Choices, ", ")
			}
			fmt.Fprintf(w, "| `%s` | %s | %s |\n", o.Slug, words, o.Default)
		}
		fmt.Fprint(w, "\n| measure | what it is | unit | better |\n| --- | --- | --- | --- |\n")
		for _, m := range x.Measures {
			fmt.Fprintf(w, "| `%s` | %s | `%s` | %s |\n", m.Slug, m.Name, m.Unit, m.Better)
		}
	}
}
